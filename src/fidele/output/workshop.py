"""The other devices on the table: press, scanner, spectrophotometer, as the product meets them."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray

from fidele.bench import catalogue
from fidele.bench.catalogue import Item
from fidele.bench.inks import SUBSTRATES
from fidele.bench.press import Piece, PressSettings, press, unpressed
from fidele.bench.printer import Print, Wren
from fidele.bench.queue import PrintQueue
from fidele.bench.scanner import Scanner
from fidele.bench.spectrophotometer import Spectrophotometer
from fidele.output.wren import WrenDevice
from fidele.route.condition import PressData


class Workshop:
    """The bench in one folder: a printer with driver and queue, a press, a scanner, a spectrophotometer."""

    def __init__(self, folder: Path) -> None:
        folder.mkdir(parents=True, exist_ok=True)
        self._wren = Wren(folder)
        self._queue = PrintQueue(folder / "print-system.json")
        self.printer = WrenDevice(self._wren, self._queue)
        self._scanner = Scanner()
        self._spectro = Spectrophotometer()
        self.scanner_name = self._scanner.name
        self.instrument_name = self._spectro.name

    def as_printed(self, sheet: Print) -> Piece:
        """Return the print as it lies on the table, before pressing."""
        return unpressed(sheet, self._wren.unit)

    def press(self, sheet: Print, substrate: str, data: PressData) -> Piece:
        """Press a print on a substrate."""
        settings = PressSettings(data.temperature, data.seconds, data.pressure)
        return press(sheet, self._wren.unit, substrate, settings)

    def look(self, piece: Piece, shrink: int = 1) -> NDArray[np.float32]:
        """Return XYZ (h, w, 3) of a piece as it looks under D50, every `shrink`th pixel."""
        return Piece(np.ascontiguousarray(piece.ink[::shrink, ::shrink]), piece.ppi, piece.model).xyz()

    def scan(self, piece: Piece, run: int, turn: float | None = None) -> NDArray[np.uint16]:
        """Lay a piece on the scanner and scan it at 300 ppi."""
        return self._scanner.scan(piece, run, turn=turn)

    def measure(self, piece: Piece, places: ArrayLike) -> NDArray[np.float64]:
        """Measure reflectance (n, 36) at places (n, 2) in mm with the spectrophotometer."""
        return self._spectro.measure(piece, places)

    @property
    def substrates(self) -> tuple[str, ...]:
        """What lies ready to be pressed on."""
        return tuple(SUBSTRATES)

    def catalogue(self) -> tuple[Item, ...]:
        """Return what the makers offer."""
        return catalogue.listing()

    @property
    def models(self) -> tuple[str, ...]:
        """Printers that the makers' catalogue speaks of."""
        return catalogue.MODELS

    def fetch(self, item: Item) -> bytes:
        """Return the file of a line of the catalogue."""
        return catalogue.fetch(item)

    def administrator(self, insists: bool) -> None:
        """Let the system's administrator decide whether every printer must have a profile."""
        self._queue.insist(insists)

    def at_the_panel(self, name: str, value: Any) -> None:
        """Do something at the printer's own panel."""
        self._wren.driver.at_the_panel(name, value)

    def update_driver(self) -> None:
        """Let a driver update throw all settings back to the maker's defaults."""
        self._wren.driver.reset()
