"""The units of a workshop: chosen once, kept, and used by window, shell and reports alike."""

from __future__ import annotations

import json
from dataclasses import asdict
from pathlib import Path

from fidele import units
from fidele.language import tr
from fidele.session.live import Live
from fidele.session.news import UnitsChanged
from fidele.statefile import StateFile

_LARGEST = 1 << 12


class Measures:
    """Keeps in which units lengths, heat and pressure are read and written."""

    def __init__(self, live: Live, path: Path) -> None:
        self._live = live
        self._file = StateFile[units.Units](path, _parsed, units.Units, _LARGEST)
        units.use(self._file.read())

    def choose(self, **changed: str) -> None:
        """Choose units by their kind ('length', 'heat', 'pressure'), as a step that can be undone."""
        before = units.chosen()
        after = units.Units(**(asdict(before) | changed))

        def put(wanted: units.Units) -> None:
            units.use(wanted)
            self._file.write(json.dumps(asdict(wanted)).encode())
            self._live.tell(UnitsChanged())

        if after != before:
            self._live.history.do(
                tr("Units: {values}", values=", ".join(changed.values())), lambda: put(after), lambda: put(before)
            )


def _parsed(data: bytes) -> units.Units:
    said = json.loads(data)
    return units.Units(**{kind: str(said[kind]) for kind in ("length", "heat", "pressure")})
