"""A watched folder: pictures that arrive in it are taken in hand, or converted at once."""

from __future__ import annotations

import json
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from fidele.artwork.open import ENDINGS
from fidele.errors import FideleError
from fidele.files import read_bytes, write_bytes

if TYPE_CHECKING:
    from fidele.session.model import Session


@dataclass(frozen=True)
class _Seen:
    size: int
    changed: int


class Inbox:
    """Looks into a folder now and then; a file counts as arrived once it has stopped growing."""

    def __init__(self, session: Session) -> None:
        self._session = session
        self._path = session.places.data / "watched.json"
        self.folder: Path | None = None
        #: Where converted files go; None takes pictures in hand instead.
        self.into: Path | None = None
        self._known: set[tuple[str, _Seen]] = set()
        self._growing: dict[str, _Seen] = {}
        try:
            kept = json.loads(read_bytes(self._path, 1 << 16))
            folder, into = kept.get("folder"), kept.get("into")
        except (FideleError, ValueError, AttributeError):
            return
        if isinstance(folder, str) and Path(folder).is_dir():
            self._begin(Path(folder), Path(into) if isinstance(into, str) and into else None)

    def _begin(self, folder: Path, into: Path | None) -> None:
        self.folder, self.into = folder, into
        self._known = set(self._look().items())
        self._growing = {}

    def watch(self, folder: Path, into: Path | None = None) -> None:
        """Watch a folder from now on; what lies in it already is left alone.

        Raises
        ------
        FideleError
            When it is none, or the converted files would land in it.
        """
        if not folder.is_dir():
            raise FideleError(f"{folder} is not a folder.")
        if into is not None and into.resolve() == folder.resolve():
            raise FideleError("Converted files would land in the watched folder itself; choose another one for them.")
        self._begin(folder, into)
        write_bytes(self._path, json.dumps({"folder": str(folder), "into": str(into) if into else ""}).encode())
        where = f"and written, converted, into {into}" if into else "and taken in hand"
        self._session.say(f"{folder} is watched: pictures that arrive there are noticed {where}.")
        self._session.tell("artwork")

    def stop(self) -> None:
        """Watch nothing any more."""
        if self.folder is not None:
            self._session.say(f"{self.folder} is not watched any more.")
        self.folder = self.into = None
        self._path.unlink(missing_ok=True)
        self._session.tell("artwork")

    def _look(self) -> dict[str, _Seen]:
        found: dict[str, _Seen] = {}
        if self.folder is None:
            return found
        try:
            for path in self.folder.iterdir():
                if path.suffix.lower() in ENDINGS and not path.name.startswith("."):
                    about = path.stat()
                    found[str(path)] = _Seen(about.st_size, about.st_mtime_ns)
        except OSError:
            return {}
        return found

    def arrived(self) -> list[Path]:
        """Return the pictures that came since the last look and have not grown since then."""
        there = self._look()
        new = {name: seen for name, seen in there.items() if (name, seen) not in self._known}
        ready = [name for name, seen in new.items() if self._growing.get(name) == seen and seen.size]
        self._growing = {name: seen for name, seen in new.items() if name not in ready}
        self._known |= {(name, new[name]) for name in ready}
        return [Path(name) for name in sorted(ready)]
