"""What a person, or the scanner, sees on a readiness page: which inks print with every nozzle."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QWidget

from fidele.chart.readiness import INKS
from fidele.desk.kit import down, fill, tick
from fidele.desk.labels import button, line
from fidele.desk.work import Work
from fidele.errors import FideleError
from fidele.language import tr
from fidele.session.model import Session
from fidele.session.readiness import InkState
from fidele.tiles import Progress


class ReadinessBox(QWidget):
    """Asks for each ink of the page in hand whether its lines are all there, or has it scanned."""

    #: What the page says, in a sentence.
    said = Signal(str)

    def __init__(self, session: Session, work: Work) -> None:
        super().__init__()
        self.session, self.work = session, work
        column = down(space=3, margins=(0, 0, 0, 0), on=self)
        ticks, row = QHBoxLayout(), QHBoxLayout()
        self.inks: dict[str, QCheckBox] = {}
        for ink in INKS:
            box = tick(
                tr(ink), tip=tr("Ticked: every line of {ink} is there, none is bent", ink=tr(ink)), points=8.5, on=True
            )
            self.inks[ink] = box
            ticks.addWidget(box)
        ticks.addStretch()
        self.seen = button(
            tr("Confirm what I see"), self._seen, tr("Keep what you see; a complete page is what scans go by")
        )
        self.scan = button(
            tr("Scan it"), self._scan, tr("Lay the page on the scanner and compare it with the last sound one")
        )
        row.addWidget(line(tr("Tick the inks whose lines are all there"), 8.5, dim=True), 1)
        row.addWidget(self.seen)
        row.addWidget(self.scan)
        fill(column, ticks, row)

    def _seen(self) -> None:
        run = self.session.run
        if run is None:
            return
        try:
            self._say(self.session.readiness.seen(run, {ink: box.isChecked() for ink, box in self.inks.items()}))
        except FideleError as error:
            self.session.warn(str(error))

    def _scan(self) -> None:
        session, run = self.session, self.session.run
        if run is None:
            return
        readiness = session.readiness

        def work(_told: Progress) -> tuple[InkState, ...]:
            scan = readiness.scan(run)
            if scan is None:
                raise FideleError(tr("Scan the page with any program, and open the scan on the check desk."))
            return readiness.read(run, scan.pixels)

        self.work.run(tr("Scanning the readiness page"), work, self._say)

    def _say(self, states: tuple[InkState, ...]) -> None:
        for state in states:
            self.inks[state.ink].setChecked(state.sound)
        bad = ", ".join(f"{s.ink} {s.words}" for s in states if not s.sound)
        words = (
            tr("Not ready: {bad}. Clean the head, and print the page again.", bad=bad)
            if bad
            else tr("The printer is ready: every ink is complete.")
        )
        self.session.say(words)
        self.said.emit(words)
