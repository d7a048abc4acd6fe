"""The devices that are at hand, whatever their kind."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import ArrayLike, NDArray

from fidele.dataclass import dataclass
from fidele.devices.described import NO_PRINTER, DescribedStore
from fidele.devices.program import program_named
from fidele.devices.protocol import (
    CarriedMedia,
    Catalogue,
    Control,
    Instrument,
    LearnedWords,
    Lies,
    Press,
    Printer,
    ProfileSupplier,
    Program,
    Scanner,
    Table,
)
from fidele.errors import FideleError
from fidele.language import tr
from fidele.route.condition import Card


@dataclass(frozen=True)
class Devices:
    """Printers, and what stands beside them; None where there is none.

    Attributes
    ----------
    fixed, found
        Printers that are always there, and those that come and go; `look_again` asks which those are now, and tells
        whether that has changed, and `missing` says why none can be found, '' where they can.
    learned
        What was learned of drivers' words, None where no kind of printer here needs that.
    described
        Where descriptions of printers are kept that cannot be reached, None where they are not.
    maker
        A stand-in for somebody who makes profiles to order, None where a parcel has to be sent.
    hands
        What a person's hands can do at stand-ins; Fidele itself never looks there.
    """

    fixed: tuple[Printer, ...] = ()
    programs: tuple[Program, ...] = ()
    scanner: Scanner | None = None
    instrument: Instrument | None = None
    table: Table | None = None
    press: Press | None = None
    catalogue: Catalogue | None = None
    hands: Callable[[], list[Control]] = list
    found: Callable[[], tuple[Printer, ...]] = tuple
    look_again: Callable[[], bool] = bool
    missing: Callable[[], str] = str
    learned: LearnedWords | None = None
    described: DescribedStore | None = None
    maker: ProfileSupplier | None = None

    @property
    def printers(self) -> tuple[Printer, ...]:
        """All printers, the nearest first."""
        return (*self.fixed, *self.found())

    def joined(self, other: Devices) -> Devices:
        """Return these with others behind them."""
        mine, theirs = self, other
        return Devices(
            (*self.fixed, *other.fixed),
            (*self.programs, *other.programs),
            self.scanner or other.scanner,
            self.instrument or other.instrument,
            self.table or other.table,
            self.press or other.press,
            self.catalogue or other.catalogue,
            lambda: [*mine.hands(), *theirs.hands()],
            lambda: (*mine.found(), *theirs.found()),
            lambda: any([mine.look_again(), theirs.look_again()]),
            lambda: " ".join(filter(None, (mine.missing(), theirs.missing()))),
            self.learned or other.learned,
            self.described or other.described,
            self.maker or other.maker,
        )

    @property
    def nearest(self) -> Printer:
        """The printer that stands nearest; where none is known, one that stands for it, to lay out by."""
        return next(iter(self.printers), NO_PRINTER)

    def find(self, printer_id: str) -> Printer | None:
        """Return a printer by its id, None where it is not here."""
        return next((p for p in self.printers if p.id == printer_id), None)

    def printer_of(self, printer_id: str) -> Printer:
        """Return a printer by its id, the nearest one where there is none of this id: to lay out by, never to judge."""
        return self.find(printer_id) or self.nearest

    def of(self, card: Card | None) -> Printer:
        """Return the printer of a card, the nearest one where there is none: to lay out by, never to judge."""
        return self.printer_of(card.printer) if card is not None else self.nearest

    def program(self, name: str) -> Program:
        """Return a program that prints by its name: one that is at hand, else one of which nothing is known."""
        return program_named(name, self.programs)

    def carried(self) -> tuple[CarriedMedia, ...]:
        """Return the media that any printer here carries profiles for."""
        return tuple(m for p in self.printers if p.carries is not None for m in p.carries.media_list())

    @property
    def substrates(self) -> tuple[str, ...]:
        """What lies ready to be pressed on, as far as is known."""
        return self.press.substrates if self.press is not None else ()

    @property
    def scanner_name(self) -> str:
        """What the scanner is called; 'a scan' where none is at hand."""
        return self.scanner.name if self.scanner is not None else tr("a scan")


class NoInstrument:
    """Stands where there is no instrument."""

    name = tr("no instrument")

    def measure(self, lies: Lies | None, places: ArrayLike) -> NDArray[np.float64]:
        """Say that nothing can be measured; `FideleError` always."""
        raise FideleError(tr("No instrument is known here: measure with any program, and open the file."))
