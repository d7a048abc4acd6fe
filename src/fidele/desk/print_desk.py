"""The print desk: what is held and why, printing with progress, and the sheet as it lies on the table."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QLineEdit

from fidele.colour.cie import xyz_to_lab
from fidele.desk.desk import Desk, clock
from fidele.desk.labels import button, label
from fidele.desk.picture import PictureView, Tooth
from fidele.desk.theme import font
from fidele.desk.work import Work
from fidele.errors import FideleError
from fidele.proof.soft import show
from fidele.session.model import Session
from fidele.session.runs import Printed


class PrintDesk(Desk):
    """Sends the sheet to the printer, unless findings hold it."""

    station = "Print"
    #: Ask the window where the finished file for another program is to go.
    file_wanted = Signal()

    def __init__(self, session: Session, work: Work) -> None:
        super().__init__(session, work)
        top = self.head()
        self.reason = QLineEdit()
        self.reason.setFont(font(9))
        self.reason.setPlaceholderText("why print all the same?")
        self.reason.setToolTip("Findings hold this print. With a reason, which the logbook keeps, it goes on.")
        self.reason.setAccessibleName("Reason to print all the same")
        self.reason.setFixedWidth(200)
        self.reason.textChanged.connect(lambda _: self._buttons())
        top.addWidget(self.reason)
        self.print_it = button("Print", self._print, "Prepare the page and send it to the printer (Ctrl+P)", main=True)
        top.addWidget(self.print_it)
        self.write = button(
            "Write the finished file …",
            self.file_wanted.emit,
            "The page as it must reach the paper: converted, mirrored, at true size, for the program that prints it",
        )
        top.addWidget(self.write)
        self.on = button("Go on to the press", lambda: self.go.emit("Press"))
        top.addWidget(self.on)
        self.box.addLayout(top)
        self.view = PictureView()
        self.box.addWidget(self.view, 1)
        self.note = label("", 8.5, dim=True, wrap=True)
        self.box.addWidget(self.note)
        self._looked: Printed | None = None

    def _buttons(self) -> None:
        held = bool(self.session.stops)
        ready = self.session.artwork is not None and self.session.card is not None and not self.work.busy
        given = len(self.reason.text().strip()) >= 3
        self.reason.setVisible(held and ready)
        self.print_it.setEnabled(ready and (not held or given))
        program = self.session.handoff.program
        self.write.setVisible(program is not None)
        self.write.setEnabled(ready and (not held or given))
        self.print_it.setVisible(program is None or program.runs_here)
        where = f" from {program.name}" if program is not None else ""
        self.print_it.setText(f"Print{where} all the same" if held and given else f"Print{where}")

    def refresh(self) -> None:
        """Show what would be printed, or the sheet that was."""
        session = self.session
        self.view.theme = self.theme
        stops = session.stops
        run = session.run
        transfer = session.card is not None and session.card.process == "transfer"
        self.on.setVisible(run is not None and transfer)
        if session.artwork is None:
            self.title.setText("Nothing to print yet")
            self.state.setText("Open a picture first.")
        elif stops:
            self.title.setText(f"Held: {stops[0].title.lower()}")
            self.state.setText(stops[0].remedy)
        elif run is not None:
            self.title.setText(f"Run {run.number}, printed {clock(run.at)}")
            self.state.setText("Print it again, or go on.")
        else:
            self.title.setText(f"Ready to print {session.artwork.path.name}")
            self.state.setText(f"{session.card.summary if session.card else ''}")
        self._buttons()
        if run is None:
            self._looked = None
            self.view.empty = "The sheet will lie here when it is printed."
            self.view.set_picture(None)
            self.view.set_teeth([])
            self.note.setText("")
        elif run.sheet is not (self._looked.sheet if self._looked else None):
            self._looked = run
            workshop = session.workshop
            self.work.quietly("look", lambda _p: seen(workshop.look(workshop.as_printed(run.sheet), 2)), self._show)
            self.note.setText(
                "The transfer paper as it lies on the table: mirrored and dull. Only the pressed piece can be judged."
                if transfer
                else "The print as it lies on the table."
            )

    def _show(self, pixels: NDArray[np.uint8]) -> None:
        self.view.set_picture(pixels)
        self.view.set_teeth([Tooth("on the table", lambda p: p)])

    def _print(self) -> None:
        session = self.session
        reason = self.reason.text().strip()
        session.refresh()  # what counts is the route at this moment
        try:
            job = session.job()
        except FideleError as error:
            session.say(str(error))
            return
        name = job.artwork.path.name
        started = self.work.run(
            f"Printing {name}", lambda progress: session.print_job(job, progress, reason), self._printed
        )
        if started:
            self.reason.clear()
        self._buttons()

    def _printed(self, run: Any) -> None:
        self.session.take_run(run)
        self.session.say(f"Run {run.number} is printed on {run.job.card.media}.")

    def facts(self) -> list[tuple[str, str]]:
        """Return the run and what the printer says it did."""
        run = self.session.run
        if run is None:
            card = self.session.card
            return (
                [
                    ("Printer", card.printer_name),
                    ("Media", f"{card.media}, {card.size}"),
                    ("Profile", self.session.shelf_title() or "none"),
                ]
                if card
                else []
            )
        shown = ("printer", "serial", "Stock", "Passes", "Blend", "Fit")
        return [
            ("Run", str(run.number)),
            ("Printed", clock(run.at)),
            *((k.capitalize(), str(run.receipt[k])) for k in shown if k in run.receipt),
        ]


def seen(XYZ: NDArray[np.float32]) -> NDArray[np.uint8]:
    """Return how XYZ (h, w, 3) looks on the screen, 8 bit."""
    return show(xyz_to_lab(XYZ).astype(np.float32))
