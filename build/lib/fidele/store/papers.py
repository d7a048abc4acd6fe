"""The papers of profiles on disk: a readable JSON file each, with the leaflets beside it; and the defaults."""

from __future__ import annotations

import json
import re
from pathlib import Path

from fidele.files import write_new
from fidele.papers.model import Papers
from fidele.statefile import StateFile, below, words_in


class PapersStore:
    """Papers in a folder, by the profile's id."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self._kept: dict[Path, tuple[int, Papers]] = {}

    def read(self, profile_id: str) -> Papers:
        """Return the papers of a profile; empty ones when nothing is said of it, or its file is damaged."""
        file = self._file(profile_id)
        try:
            time = file.path.stat().st_mtime_ns
        except OSError:
            return Papers(id=profile_id)
        if self._kept.get(file.path, (0,))[0] != time:
            self._kept[file.path] = (time, file.read())
        return self._kept[file.path][1]

    def _file(self, profile_id: str) -> StateFile[Papers]:
        def parse(data: bytes) -> Papers:
            return Papers.model_validate_json(data).model_copy(update={"id": profile_id})

        return StateFile(below(self.folder, profile_id, ".json"), parse, lambda: Papers(id=profile_id), 1 << 22)

    def save(self, papers: Papers) -> None:
        """Write papers whole or not at all. A damaged file that is in the way is kept aside.

        Raises
        ------
        FideleError
            When the folder cannot be written.
        """
        file = self._file(papers.id)
        file.write(papers.model_dump_json(indent=2, exclude_defaults=False).encode())
        self._kept[file.path] = (file.path.stat().st_mtime_ns, papers)

    def ids(self) -> set[str]:
        """Return the ids of the profiles that have papers."""
        return {path.stem for path in self.folder.glob("*.json")}

    def leaflet(self, profile_id: str, name: str) -> Path:
        """Return where a leaflet lies."""
        return below(below(self.folder, profile_id), name)

    def keep_leaflet(self, profile_id: str, name: str, data: bytes) -> str:
        """Keep a leaflet with a profile; return the name it got. The same one twice is kept once."""
        folder = below(self.folder, profile_id)
        safe = re.sub(r"[^\w .,+()-]", "_", Path(name).stem).strip(" .")[:80] or "leaflet"
        suffix = re.sub(r"[^\w.]", "", Path(name).suffix)[:8]
        for path in folder.glob("*"):
            if path.is_file() and path.stat().st_size == len(data) and path.read_bytes() == data:
                return path.name
        return write_new(folder, safe, suffix, data).name


class Defaults:
    """Which profile is the default for a printer and a media: chosen by a person, never by the system."""

    def __init__(self, path: Path) -> None:
        self._file = StateFile[dict[str, str]](path, words_in, dict)

    def all(self) -> dict[str, str]:
        """Return profile ids by 'printer | media'."""
        return self._file.read()

    @staticmethod
    def _key(printer: str, media: str) -> str:
        return f"{printer} | {media}"

    def of(self, printer: str, media: str) -> str:
        """Return the id of the default profile, '' when none is chosen."""
        return self.all().get(self._key(printer, media), "")

    def choose(self, printer: str, media: str, profile_id: str) -> None:
        """Make a profile the default; '' takes the choice back."""
        stored = self.all()
        stored.pop(self._key(printer, media), None)
        if profile_id:
            stored[self._key(printer, media)] = profile_id
        self._file.write(json.dumps(stored, indent=2, ensure_ascii=False).encode())

    def served_by(self, profile_id: str) -> list[tuple[str, str]]:
        """Return the printers and media that a profile is the default of."""
        pairs = [key.partition(" | ") for key, value in self.all().items() if value == profile_id]
        return [(printer, media) for printer, _, media in pairs]
