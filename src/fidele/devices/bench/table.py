"""What stands on the bench beside the printers: table, press, scanner, spectrophotometer."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from typing import TypeVar

import numpy as np
from numpy.typing import ArrayLike, NDArray

from fidele.bench.inks import DENSITIES, SUBSTRATES, InkModel, gallery_paper
from fidele.bench.press import Piece, PressSettings, press, unpressed
from fidele.bench.printer import Machine, Print
from fidele.bench.scanner import Scanner
from fidele.bench.spectrophotometer import Spectrophotometer
from fidele.devices.protocol import Lies, Scan
from fidele.errors import FideleError
from fidele.language import tr
from fidele.route.condition import PressData
from fidele.tiles import Progress
from fidele.values import Value

_Kind = TypeVar("_Kind")


def mine(lies: Lies | None, kind: type[_Kind], where: str) -> _Kind:
    """Return something that lies on the bench; what was printed elsewhere cannot be laid there."""
    if not isinstance(lies, kind):
        raise FideleError(
            tr("Nothing that was printed on the bench lies {where}; open a scan of your own instead.", where=where)
        )
    return lies


class BenchTable:
    """Sheets and pieces as they lie before a person."""

    def __init__(self, machines: Iterable[Machine]) -> None:
        self._machines = {m.unit.serial: m for m in machines}

    def as_printed(self, sheet: Lies) -> Piece:
        """Return the print as it lies on the table: done where it is straight on paper, else before pressing."""
        taken = mine(sheet, Print, tr("on the table"))
        machine = self._machines[taken.unit]
        if machine.model.process != "direct":
            return unpressed(taken, machine.unit)
        return Piece(taken.ink, taken.ppi, InkModel(DENSITIES[machine.model.ink](), gallery_paper(), machine.unit.gain))

    def look(self, lies: Lies, most: int) -> tuple[NDArray[np.float32], float]:
        """Return XYZ (h, w, 3) as it looks under D50, no side longer than `most` pixels, and the pixels per inch."""
        piece = mine(lies, Piece, tr("on the table"))
        shrink = max(2, round(max(piece.ink.shape[:2]) / most))
        seen = Piece(np.ascontiguousarray(piece.ink[::shrink, ::shrink]), piece.ppi, piece.model).xyz()
        return seen, piece.ppi / shrink

    def cut_out(self, sheet: Lies, areas: list[tuple[float, float, float, float]]) -> Print:
        """Return a print with all but some areas (left, top, right, bottom in mm on the paper) cut off."""
        taken = mine(sheet, Print, tr("on the table"))
        scale = taken.ppi / 25.4
        kept = np.zeros_like(taken.ink)
        for area in areas:
            x0, y0, x1, y1 = (max(0, round(mm * scale)) for mm in area)
            kept[y0:y1, x0:x1] = taken.ink[y0:y1, x0:x1]
        return replace(taken, ink=kept)


class BenchPress:
    """The heat press."""

    substrates = tuple(SUBSTRATES)

    def __init__(self, machines: Iterable[Machine]) -> None:
        self._units = {m.unit.serial: m.unit for m in machines}
        #: How many seconds of pressing pass in one: the bench need not keep anybody waiting.
        self.pace = 1.0
        #: Of which lot the blanks beside it are, '' for that which profiles were made on.
        self.lot = ""

    def take_lot(self, lot: Value) -> None:
        """Lay blanks of another lot beside it."""
        self.lot = str(lot)

    def set_pace(self, pace: Value) -> None:
        """Let its seconds pass faster."""
        self.pace = float(pace)

    def press(self, sheet: Lies, substrate: str, data: PressData) -> Piece:
        """Press a print on a substrate."""
        taken = mine(sheet, Print, tr("in the press"))
        # Warming paper and piece first drives out the damp.
        settings = PressSettings(data.temperature, data.seconds, data.pressure, data.preheat >= 5, data.lint)
        return press(taken, self._units[taken.unit], substrate, settings, self.lot)


class BenchScanner:
    """The flatbed scanner, 300 ppi."""

    def __init__(self, scanner: Scanner) -> None:
        self._scanner, self.name = scanner, scanner.name

    def scan(self, lies: Lies | None, run: int, progress: Progress | None = None, turn: float | None = None) -> Scan:
        """Lay a piece on the glass and scan it, turned by `turn` degrees where that is to be certain."""
        piece = mine(lies, Piece, tr("on the scanner"))
        return Scan(self._scanner.scan(piece, run, turn=turn), float(piece.ppi))


class BenchInstrument:
    """The spectrophotometer."""

    def __init__(self, instrument: Spectrophotometer) -> None:
        self._instrument, self.name, self._shots = instrument, instrument.name, 0

    def measure(self, lies: Lies | None, places: ArrayLike) -> NDArray[np.float64]:
        """Measure reflectance (n, 36) at places (n, 2) in mm."""
        self._shots += 1
        return self._instrument.measure(mine(lies, Piece, tr("under the instrument")), places, self._shots)
