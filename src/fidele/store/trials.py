"""Trials on disk: one JSON file each."""

from __future__ import annotations

from pathlib import Path

from pydantic import ValidationError

from fidele.errors import FideleError
from fidele.files import read_bytes, stamp_of
from fidele.language import tr
from fidele.statefile import StateFile, below, complain
from fidele.trials.record import TrialRecord, now

_LARGEST = 4 << 20


class TrialStore:
    """The trials of a workshop, in a folder."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        #: What was read last of each file, by what it was then: desks ask at every look.
        self._read: dict[Path, tuple[object, TrialRecord]] = {}

    def all(self) -> list[TrialRecord]:
        """Return all readable trials, the newest first; damaged ones stay on disk and are told."""
        found = []
        for path in sorted(self.folder.glob("*.json")):
            try:
                stamp = stamp_of(path)
                before = self._read.get(path)
                if before is None or before[0] != stamp:
                    before = self._read[path] = stamp, _parsed(read_bytes(path, _LARGEST), path.name)
                    complain(path)
                found.append(before[1])
            except FideleError as error:
                self._read.pop(path, None)
                complain(path, str(error).rstrip("."))
        return sorted(found, key=lambda t: (t.made, t.id), reverse=True)

    def fresh(self) -> str:
        """Return an id that no trial has."""
        day = f"{now():%Y%m%d}"
        taken = {p.stem for p in self.folder.glob("*.json")}
        return next(made for n in range(1, 10_000) if (made := f"{day}-{n}") not in taken)

    def save(self, trial: TrialRecord) -> None:
        """Write a trial, whole or not at all."""
        path = below(self.folder, trial.id, ".json")
        file = StateFile(path, lambda data: _parsed(data, trial.id), lambda: trial)
        file.write(trial.model_dump_json(indent=1).encode())

    def remove(self, trial_id: str) -> None:
        """Take a trial away; one that is not there is no error."""
        below(self.folder, trial_id, ".json").unlink(missing_ok=True)


def _parsed(data: bytes, name: str) -> TrialRecord:
    try:
        return TrialRecord.model_validate_json(data)
    except ValidationError as error:
        raise FideleError(
            tr("The trial {name} is damaged: {errors}.", name=name, errors=error.errors()[0]["msg"])
        ) from error
