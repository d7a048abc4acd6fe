"""The desks of a window, each made when it is first wanted: a start waits for the one that is shown, not for twenty."""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterator, Mapping
from importlib import import_module
from typing import TYPE_CHECKING, cast

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import QSplitter, QSplitterHandle, QStackedWidget

from fidele.desk.desk import Desk
from fidele.desk.theme import LIGHT

if TYPE_CHECKING:
    from fidele.desk.arrivals_desk import ArrivalsDesk
    from fidele.desk.artwork_desk import ArtworkDesk
    from fidele.desk.balance_desk import BalanceDesk
    from fidele.desk.batch_desk import BatchDesk
    from fidele.desk.bench_desk import BenchDesk
    from fidele.desk.card_desk import CardDesk
    from fidele.desk.charts_desk import ChartsDesk
    from fidele.desk.check_desk import CheckDesk
    from fidele.desk.colours_desk import ColoursDesk
    from fidele.desk.first_desk import FirstDesk
    from fidele.desk.handoff_desk import HandoffDesk
    from fidele.desk.ink_desk import InkDesk
    from fidele.desk.jobs_desk import JobsDesk
    from fidele.desk.logbook_desk import LogbookDesk
    from fidele.desk.lost_desk import LostDesk
    from fidele.desk.makers_desk import MakersDesk
    from fidele.desk.making_desk import MakingDesk
    from fidele.desk.materials_desk import MaterialsDesk
    from fidele.desk.order_desk import OrderDesk
    from fidele.desk.own_desk import OwnDesk
    from fidele.desk.press_desk import PressDesk
    from fidele.desk.print_desk import PrintDesk
    from fidele.desk.printers_desk import PrintersDesk
    from fidele.desk.profile_desk import ProfileDesk
    from fidele.desk.profiles_desk import ProfilesDesk
    from fidele.desk.proof_desk import ProofDesk
    from fidele.desk.sheet_desk import SheetDesk
    from fidele.desk.trial_desk import TrialDesk
    from fidele.desk.tuning_desk import TuningDesk

#: Stations that are not called like their attribute.
_OTHERWISE = {
    "handoff": "Hand-off",
    "making": "New condition",
    "card": "Condition",
    "trial": "Trial prints",
    "own": "Own profile",
    "order": "Ordered profile",
    "first": "First print",
    "ink": "Ink profile",
}


class Stack(QStackedWidget):
    """Holds the desks one above the other. It asks for no room by those that are not seen: else each change of one's
    layout would have all of them laid out, some thirty by now."""

    def sizeHint(self) -> QSize:
        return QSize(744, 560)

    def minimumSizeHint(self) -> QSize:
        return QSize(0, 0)


class _Seam(QSplitterHandle):
    """A line between two parts of the window, which can be dragged."""

    def paintEvent(self, event: QPaintEvent) -> None:
        with QPainter(self) as painter:
            painter.fillRect(event.rect(), cast(Sides, self.splitter()).colour)


class Sides(QSplitter):
    """The shelf, the desk in front, and what is beside it."""

    def __init__(self) -> None:
        super().__init__(Qt.Orientation.Horizontal)
        #: Of the lines between them.
        self.colour = QColor(LIGHT.colour("line"))

    def createHandle(self) -> QSplitterHandle:
        return _Seam(self.orientation(), self)


class Desks(Mapping[str, Desk]):
    """All desks, by their station and as attributes; whichever is asked for is made.

    The order below is that in which they are made while nothing else is to do.
    """

    artwork: ArtworkDesk
    proof: ProofDesk
    sheet: SheetDesk
    handoff: HandoffDesk
    print: PrintDesk
    press: PressDesk
    check: CheckDesk
    profile: ProfileDesk
    profiles: ProfilesDesk
    arrivals: ArrivalsDesk
    lost: LostDesk
    makers: MakersDesk
    making: MakingDesk
    card: CardDesk
    printers: PrintersDesk
    materials: MaterialsDesk
    bench: BenchDesk
    trial: TrialDesk
    charts: ChartsDesk
    tuning: TuningDesk
    colours: ColoursDesk
    jobs: JobsDesk
    own: OwnDesk
    logbook: LogbookDesk
    first: FirstDesk
    batch: BatchDesk
    balance: BalanceDesk
    order: OrderDesk
    ink: InkDesk

    def __init__(self, make: Callable[[type[Desk]], Desk]) -> None:
        self._make = make
        self._names = {_OTHERWISE.get(name, name.capitalize()): name for name in self.__annotations__}

    def __getattr__(self, name: str) -> Desk:
        kind = type(self).__annotations__.get(name)
        if kind is None:
            raise AttributeError(name)
        made = self._make(getattr(import_module(f"fidele.desk.{name}_desk"), kind))
        setattr(self, name, made)
        return made

    def __getitem__(self, station: str) -> Desk:
        desk: Desk = getattr(self, self._names[station])
        return desk

    def __iter__(self) -> Iterator[str]:
        return iter(self._names)

    def __len__(self) -> int:
        return len(self._names)

    def __contains__(self, station: object) -> bool:
        return station in self._names  # a mapping would ask for the desk itself, which makes it

    def has(self, station: str) -> bool:
        """Whether the desk of a station has been asked for already."""
        return self._names[station] in vars(self)

    def made(self) -> dict[str, Desk]:
        """Return the desks that have been asked for, by their station."""
        return {station: self[station] for station in self if self.has(station)}

    def next(self) -> str | None:
        """Return the station of the next desk that nobody has asked for yet, None where all are made."""
        return next((station for station in self if not self.has(station)), None)

    def loaded(self, station: str) -> bool:
        """Whether what a desk is made with is loaded."""
        return self._module(station) in sys.modules

    def load(self, station: str) -> None:
        """Load what a desk is made with, which any thread may do: making it then takes less of the interface's time."""
        import_module(self._module(station))

    def _module(self, station: str) -> str:
        return f"fidele.desk.{self._names[station]}_desk"
