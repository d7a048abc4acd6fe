"""A watched folder: pictures that arrive in it are taken in hand, or converted at once."""

from __future__ import annotations

import json
from pathlib import Path

from fidele.artwork.open import ENDINGS
from fidele.errors import FideleError
from fidele.files import stamp_of
from fidele.language import tr
from fidele.session.live import Live
from fidele.session.news import RulesChanged
from fidele.session.seen import Stamp
from fidele.statefile import StateFile, words_in


class Inbox:
    """Looks into a folder now and then; a file counts as arrived once it has stopped growing.

    `endings` are those of the files that are looked for, `takes` what they are and what becomes of them, in words.
    """

    def __init__(
        self,
        live: Live,
        path: Path,
        endings: tuple[str, ...] = ENDINGS,
        takes: str = tr("pictures that arrive there are"),
    ) -> None:
        self._live, self._endings, self._takes = live, endings, takes
        self._file = StateFile[dict[str, str]](path, words_in, dict)
        self.folder: Path | None = None
        #: Where converted files go; None takes pictures in hand instead.
        self.into: Path | None = None
        self._known: set[tuple[str, Stamp]] = set()
        self._growing: dict[str, Stamp] = {}
        kept = self._file.read()
        folder, into = kept.get("folder", ""), kept.get("into", "")
        if folder and Path(folder).is_dir():
            self._begin(Path(folder), Path(into) if into else None)

    def _begin(self, folder: Path, into: Path | None) -> None:
        self.folder, self.into = folder, into
        self._known = set((self.listing() or {}).items())
        self._growing = {}

    def watch(self, folder: Path, into: Path | None = None) -> None:
        """Watch a folder from now on; what lies in it already is left alone.

        Raises
        ------
        FideleError
            When it is none, or the converted files would land in it.
        """
        if not folder.is_dir():
            raise FideleError(tr("{folder} is not a folder.", folder=folder))
        if into is not None and into.resolve() == folder.resolve():
            raise FideleError(
                tr("Converted files would land in the watched folder itself; choose another one for them.")
            )
        self._begin(folder, into)
        self._file.write(json.dumps({"folder": str(folder), "into": str(into) if into else ""}).encode())
        where = tr("written, converted, into {into}", into=into) if into else tr("taken in hand")
        self._live.say(tr("{folder} is watched: {takes} {where}.", folder=folder, takes=self._takes, where=where))
        self._live.tell(RulesChanged())

    def stop(self) -> None:
        """Watch nothing any more."""
        if self.folder is not None:
            self._live.say(tr("{folder} is not watched any more.", folder=self.folder))
        self.folder = self.into = None
        self._file.path.unlink(missing_ok=True)
        self._live.tell(RulesChanged())

    def listing(self) -> dict[str, Stamp] | None:
        """Return the pictures that lie in the folder now, with their stamps; None where none is watched.

        Can be asked on any thread.
        """
        folder = self.folder
        if folder is None:
            return None
        found: dict[str, Stamp] = {}
        try:
            for path in folder.iterdir():
                if path.suffix.lower() in self._endings and not path.name.startswith(".") and path.is_file():
                    found[str(path)] = stamp_of(path)
        except OSError:
            return {}
        return found

    def arrived(self, there: dict[str, Stamp] | None) -> list[Path]:
        """Return of a listing the pictures that came since the last one and have not grown since then."""
        new = {name: seen for name, seen in (there or {}).items() if (name, seen) not in self._known}
        ready = [name for name, seen in new.items() if self._growing.get(name) == seen and seen[0]]
        self._growing = {name: seen for name, seen in new.items() if name not in ready}
        self._known |= {(name, new[name]) for name in ready}
        return [Path(name) for name in sorted(ready)]
