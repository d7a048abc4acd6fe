"""The first hour: what is on this machine, and the seven steps to a first good print."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QRectF, QSettings, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QFrame, QWidget

from fidele.desk.demo_start import start_demo
from fidele.desk.desk import FIRST_LEFT, Desk
from fidele.desk.findings import fact_grid
from fidele.desk.kit import REST, SPRING, across, down, fill
from fidele.desk.labels import button, clear, folding, heading, label, section
from fidele.desk.theme import font
from fidele.desk.tile import scrolled
from fidele.desk.work import Work
from fidele.language import lowered, tr
from fidele.session.first_print import Step
from fidele.session.model import Session

#: What stands in words where a step is done, to be done, or comes later.
_STANDS = {"done": tr("done"), "now": tr("to do now"), "later": tr("later")}


class StepMark(QWidget):
    """A step's number in a ring: filled with a tick where it is done, bold where it is the one to do now."""

    def __init__(self, number: int, stand: str, colours: tuple[QColor, QColor]) -> None:
        super().__init__()
        self._number, self._stand, self._colours = number, stand, colours
        self.setFixedSize(QSize(34, 34))
        self.setAccessibleName(tr("Step {number}: {stands}", number=number, stands=_STANDS[stand]))

    def paintEvent(self, _event: QPaintEvent) -> None:
        ink, ground = self._colours
        with QPainter(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            ring = QRectF(3, 3, 28, 28)
            painter.setPen(QPen(ink, 2.5 if self._stand == "now" else 1.2))
            painter.setBrush(ink if self._stand == "done" else ground)
            painter.drawEllipse(ring)
            if self._stand == "done":
                painter.setPen(QPen(ground, 2.4, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
                painter.drawPolyline(
                    [ring.center() + QRectF(x, y, 0, 0).topLeft() for x, y in ((-6, 0), (-1, 5), (7, -5))]
                )
                return
            painter.setFont(font(10.0, font().Weight.DemiBold if self._stand == "now" else font().Weight.Normal))
            painter.drawText(ring, Qt.AlignmentFlag.AlignCenter, str(self._number))


class FirstDesk(Desk):
    """Shows the way to a first print; every step leads to the desk that does it, and is taken up where it was left."""

    station = "First print"

    def __init__(self, session: Session, work: Work) -> None:
        super().__init__(session, work)
        self._settings: QSettings | None = None
        head = self.head()
        self.leave = button(
            tr("Not now"), self._leave, tr("Go to work; this stays under Help and in the shelf"), quiet=True
        )
        head.addWidget(self.leave, alignment=Qt.AlignmentFlag.AlignTop)
        self.box.addLayout(head)
        path = QWidget()
        self._path = down(space=8, margins=(0, 4, 10, 0), on=path)
        beside = QWidget()
        self._here = down(space=8, margins=(12, 4, 8, 0), on=beside)
        self.box.addLayout(across((scrolled(path), 3), (scrolled(beside), 2)), 1)

    def restore(self, settings: QSettings) -> None:
        """Know where to keep that nobody wants to see this at the next start."""
        self._settings = settings

    def refresh(self) -> None:
        """Show each step as it stands, and what is on this machine."""
        steps = self.session.first_print.steps()
        at = next((k for k, step in enumerate(steps) if step.stand == "now"), None)
        self.title.setText(tr("From here to a first good print"))
        self.state.setText(
            tr("Step {at} of {n}. Each can be left and taken up again.", at=at + 1, n=len(steps))
            if at is not None
            else tr("All steps are done: a print of this condition was checked and is right.")
        )
        clear(self._path)
        for number, step in enumerate(steps, 1):
            self._path.addWidget(self._step(number, step))
        self._path.addStretch()
        clear(self._here)
        facts = [(h.what, h.which) for h in self.session.first_print.here()]
        fill(self._here, section(tr("On this machine")), fact_grid(facts), 10, section(tr("Look at it first")))
        about = tr(
            "The demo is a workshop of its own with invented printers, press and scanner: print, press and "
            "scan there as often as you like. It opens in a second window and leaves nothing in yours. "
            "Making it takes half a minute at its first start."
        )
        demo = button(tr("Open the demo"), self._demo, tr("A second window with an invented workshop"))
        fill(self._here, label(about, 9.0, dim=True, wrap=True), across(demo, SPRING), REST)

    def _step(self, number: int, step: Step) -> QFrame:
        tile = QFrame()
        tile.setObjectName("card" if step.stand == "now" else "row")
        tile.setProperty("strong", step.stand == "now")
        tile.setAccessibleName(
            tr(
                "Step {number}, {title}: {stands}. {sentence}",
                number=number,
                title=step.title,
                stands=_STANDS[step.stand],
                sentence=step.sentence,
            )
        )
        colours = (QColor(self.theme.colour("text")), QColor(self.theme.colour("desk")))
        title = heading(step.title) if step.stand == "now" else label(step.title, 9.5, bold=True)
        title.setWordWrap(True)
        words = down(title, label(step.sentence, 9.0, dim=step.stand != "now", wrap=True), space=2)
        row = across(StepMark(number, step.stand, colours), (words, 1), space=12, margins=(12, 8, 12, 9), on=tile)
        presses = down(space=4)
        for k, lead in enumerate(step.leads):
            main = step.stand == "now" and k == 0
            go = partial(self._lead, lead.desk)
            presses.addWidget(
                folding(
                    lead.words,
                    go,
                    tr("For step {number}, {title}", number=number, title=lowered(step.title)),
                    main=main,
                )
            )
        fill(presses, REST)
        row.addLayout(presses)
        return tile

    def _lead(self, desk: str) -> None:
        if desk:
            self.go.emit(desk)
        else:
            self.pick.emit("artwork")

    def _leave(self) -> None:
        if self._settings is not None:
            self._settings.setValue(FIRST_LEFT, "yes")
        self.go.emit("Artwork")

    def _demo(self) -> None:
        start_demo(self.work, self.session.say)
