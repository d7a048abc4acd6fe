"""The bench in one folder: printers with drivers and queues, a press, a scanner, a spectrophotometer, a catalogue."""

from __future__ import annotations

import datetime
from collections.abc import Sequence
from pathlib import Path

from fidele.bench import catalogue, gannet, longship, profiler, wren
from fidele.bench.press import Piece
from fidele.bench.printer import Machine
from fidele.bench.queue import PrintQueue
from fidele.bench.scanner import Scanner
from fidele.bench.sketch import Sketch
from fidele.bench.spectrophotometer import Spectrophotometer
from fidele.devices.bench.hands import machine_controls, program_controls, queue_controls
from fidele.devices.bench.printer import BenchPrinter
from fidele.devices.bench.program import BenchProgram
from fidele.devices.bench.starters import gannet_card, longship_card, wren_card
from fidele.devices.bench.table import BenchInstrument, BenchPress, BenchScanner, BenchTable, mine
from fidele.devices.bench.words import GANNET, LONGSHIP, WREN
from fidele.devices.devices import Devices
from fidele.devices.protocol import Control, Lies, Offer
from fidele.language import tr


class BenchCatalogue:
    """Profiles as the bench's makers offer them."""

    def listing(self) -> tuple[Offer, ...]:
        """Return what is offered."""
        return tuple(Offer(item.name, item.supplier, item.words, item.file) for item in catalogue.listing())

    def fetch(self, offer: Offer) -> bytes:
        """Return the file of an offer."""
        return catalogue.fetch(next(item for item in catalogue.listing() if item.file == offer.file))


class BenchMaker:
    """Somebody who makes profiles to order."""

    name, mail = profiler.NAME, profiler.MAIL

    def target(self) -> tuple[str, bytes]:
        """Return name and content of the target that they want printed."""
        return profiler.target()

    def answer(self, number: str, about: dict[str, str], pieces: Sequence[Lies]) -> tuple[str, bytes]:
        """Return name and content of the parcel that answers an order."""
        piece = mine(next(iter(pieces), None), Piece, tr("in the parcel"))
        return profiler.answer(number, about, piece, datetime.datetime.now().replace(microsecond=0))


class Bench:
    """Everything that stands on the bench, by its own types: for those who made it, and for its own front."""

    def __init__(self, folder: Path) -> None:
        makers = ((wren.MODEL, "W-0417"), (gannet.MODEL, "G-2209"), (longship.MODEL, "L-0031"))
        self.machines = tuple(Machine(folder, model, serial) for model, serial in makers)
        self._queues = [PrintQueue(folder / f"print-system{name}.json") for name in ("", "-gannet", "-longship")]
        starters = (wren_card("first-condition", "First condition", None, "driver"), gannet_card(), longship_card())
        parts = zip(self.machines, self._queues, (WREN, GANNET, LONGSHIP), starters, strict=True)
        self.printers = tuple(BenchPrinter(*one) for one in parts)
        self._folder = folder
        self._sketch = Sketch(folder / "skerry-sketch.json")
        self.table, self.press = BenchTable(self.machines), BenchPress(self.machines)
        self.scanner, self.instrument = BenchScanner(Scanner()), BenchInstrument(Spectrophotometer())
        self.catalogue = BenchCatalogue()

    def printer_of(self, printer_id: str) -> BenchPrinter:
        """Return a printer by its id."""
        return next(p for p in self.printers if p.id == printer_id)

    def machine(self, printer_id: str) -> Machine:
        """Return a machine itself, as somebody who stands before it: its panel, its driver's own dialog."""
        return next(m for m in self.machines if m.unit.serial == printer_id.rpartition("/")[2])

    def hands(self) -> list[Control]:
        """Return what a person's hands can do here."""
        pace = Control(
            "Press", "seconds pass", self.press.pace, (1.0, 10.0, 60.0), self.press.set_pace, said=tr("seconds pass")
        )
        lot = Control(
            "Press",
            "lot of the blanks",
            self.press.lot,
            ("", "B", "C"),
            self.press.take_lot,
            said=tr("lot of the blanks"),
        )
        mine = [c for machine in self.machines for c in machine_controls(machine)]
        return [
            *mine,
            *program_controls(self._sketch, self._folder.parent / "icc"),
            *queue_controls(self._queues),
            pace,
            lot,
        ]

    def devices(self) -> Devices:
        """Return all of it as the product meets it."""
        return Devices(
            self.printers,
            (BenchProgram(self._sketch),),
            self.scanner,
            self.instrument,
            self.table,
            self.press,
            self.catalogue,
            self.hands,
            maker=BenchMaker(),
        )


def bench(folder: Path) -> Devices:
    """Return the bench's devices, which keep their settings in a folder.

    Raises
    ------
    FideleError
        When the folder cannot be written.
    """
    return Bench(folder).devices()
