"""The other devices on the table: press, scanner, spectrophotometer, as the product meets them."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
from numpy.typing import ArrayLike, NDArray

from fidele.bench import catalogue, gannet, longship, wren
from fidele.bench.catalogue import Item
from fidele.bench.driver import Model
from fidele.bench.inks import DENSITIES, SUBSTRATES, InkModel, gallery_paper
from fidele.bench.press import Piece, PressSettings, press, unpressed
from fidele.bench.printer import Machine, Print
from fidele.bench.queue import PrintQueue
from fidele.bench.scanner import Scanner
from fidele.bench.sketch import Sketch
from fidele.bench.spectrophotometer import Spectrophotometer
from fidele.output.hands import Control, machine_controls, program_controls, queue_controls
from fidele.output.printer import BenchPrinter
from fidele.output.program import BenchProgram, Program, program_named
from fidele.output.starters import gannet_card, longship_card, wren_card
from fidele.output.words import GANNET, LONGSHIP, WREN, Words
from fidele.route.condition import Card, PressData


class Workshop:
    """The bench in one folder: printers with drivers and queues, a press, a scanner, a spectrophotometer."""

    def __init__(self, folder: Path) -> None:
        folder.mkdir(parents=True, exist_ok=True)
        self._machines: dict[str, Machine] = {}
        self._queues: list[PrintQueue] = []
        self.printers = tuple(
            self._add(folder, *one)
            for one in (
                (wren.MODEL, "W-0417", WREN, wren_card("first-condition", "First condition", None, "driver"), ""),
                (gannet.MODEL, "G-2209", GANNET, gannet_card(), "-gannet"),
                (longship.MODEL, "L-0031", LONGSHIP, longship_card(), "-longship"),
            )
        )
        self._sketch = Sketch(folder / "skerry-sketch.json")
        self.programs: tuple[Program, ...] = (BenchProgram(self._sketch),)
        self._scanner = Scanner()
        self._spectro = Spectrophotometer()
        self._shots = 0
        #: How many seconds of pressing pass in one: the bench need not keep anybody waiting.
        self.pace = 1.0
        self.scanner_name = self._scanner.name
        self.instrument_name = self._spectro.name

    def _add(self, folder: Path, model: Model, serial: str, words: Words, starter: Card, queue: str) -> BenchPrinter:
        machine = Machine(folder, model, serial)
        self._machines[serial] = machine
        self._queues.append(PrintQueue(folder / f"print-system{queue}.json"))
        return BenchPrinter(machine, self._queues[-1], words, starter)

    @property
    def printer(self) -> BenchPrinter:
        """The printer that stands nearest."""
        return self.printers[0]

    def printer_of(self, printer_id: str) -> BenchPrinter:
        """Return a printer by its id, the nearest one where there is none of this id."""
        return self.find(printer_id) or self.printer

    def find(self, printer_id: str) -> BenchPrinter | None:
        """Return a printer by its id, None where it is not here."""
        return next((p for p in self.printers if p.id == printer_id), None)

    def program(self, name: str) -> Program:
        """Return a program that prints by its name: one that is at hand, else one of which nothing is known."""
        return program_named(name, self.programs)

    def as_printed(self, sheet: Print) -> Piece:
        """Return the print as it lies on the table: done where it is straight on paper, else before pressing."""
        machine = self._machines[sheet.unit]
        if machine.model.process == "direct":
            return Piece(
                sheet.ink, sheet.ppi, InkModel(DENSITIES[machine.model.ink](), gallery_paper(), machine.unit.gain)
            )
        return unpressed(sheet, machine.unit)

    def press(self, sheet: Print, substrate: str, data: PressData) -> Piece:
        """Press a print on a substrate."""
        # Warming paper and piece first drives out the damp.
        dried, dusted = data.preheat >= 5, data.lint
        settings = PressSettings(data.temperature, data.seconds, data.pressure, dried, dusted)
        return press(sheet, self._machines[sheet.unit].unit, substrate, settings)

    def cut_out(self, sheet: Print, areas: list[tuple[float, float, float, float]]) -> Print:
        """Return a print with all but some areas (left, top, right, bottom in mm on the paper) cut off."""
        scale = sheet.ppi / 25.4
        kept = np.zeros_like(sheet.ink)
        for area in areas:
            x0, y0, x1, y1 = (max(0, round(mm * scale)) for mm in area)
            kept[y0:y1, x0:x1] = sheet.ink[y0:y1, x0:x1]
        return replace(sheet, ink=kept)

    def look(self, piece: Piece, shrink: int = 1) -> NDArray[np.float32]:
        """Return XYZ (h, w, 3) of a piece as it looks under D50, every `shrink`th pixel."""
        return Piece(np.ascontiguousarray(piece.ink[::shrink, ::shrink]), piece.ppi, piece.model).xyz()

    def scan(self, piece: Piece, run: int, turn: float | None = None) -> NDArray[np.uint16]:
        """Lay a piece on the scanner and scan it at 300 ppi."""
        return self._scanner.scan(piece, run, turn=turn)

    def measure(self, piece: Piece, places: ArrayLike) -> NDArray[np.float64]:
        """Measure reflectance (n, 36) at places (n, 2) in mm with the spectrophotometer."""
        self._shots += 1
        return self._spectro.measure(piece, places, self._shots)

    @property
    def substrates(self) -> tuple[str, ...]:
        """What lies ready to be pressed on."""
        return tuple(SUBSTRATES)

    def catalogue(self) -> tuple[Item, ...]:
        """Return what the makers offer."""
        return catalogue.listing()

    def fetch(self, item: Item) -> bytes:
        """Return the file of a line of the catalogue."""
        return catalogue.fetch(item)

    def hands(self) -> list[Control]:
        """Return what a person's hands can do at the bench; Fidele itself never looks there."""
        machines = [c for m in self._machines.values() for c in machine_controls(m)]
        press = Control("Press", "seconds pass", self.pace, (1.0, 10.0, 60.0), self._set_pace)
        return [*machines, *program_controls(self._sketch), *queue_controls(self._queues), press]

    def _set_pace(self, pace: float) -> None:
        self.pace = pace

    def machine(self, printer_id: str) -> Machine:
        """Return a machine itself, as somebody who stands before it: its panel, its driver's own dialog."""
        return self._machines[printer_id.rpartition("/")[2]]
