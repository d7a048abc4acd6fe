"""The print desk: what is held and why, the queue, printing with progress, and the sheet as it lies on the table."""

from __future__ import annotations

import datetime
from collections.abc import Callable
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import Qt
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QDialog, QFileDialog, QHBoxLayout, QMenu, QVBoxLayout

from fidele.arrays import Codes
from fidele.chart.readiness import READINESS
from fidele.colour.cie import xyz_to_lab
from fidele.desk.desk import Desk, clock
from fidele.desk.flow import Flow
from fidele.desk.kit import across, entry
from fidele.desk.labels import button, label, menu_button
from fidele.desk.later import LaterDialog
from fidele.desk.picture import PictureView, Tooth
from fidele.desk.printing import Printing, time_words
from fidele.desk.queue_view import QueueView
from fidele.desk.readiness_box import ReadinessBox
from fidele.desk.theme import px
from fidele.desk.work import Work
from fidele.errors import FideleError
from fidele.language import lowered, tr
from fidele.proof.soft import show
from fidele.run.job import Job, Printed
from fidele.run.log import receipt_words
from fidele.session.jobs import Opened
from fidele.session.model import Session
from fidele.store.records import WAITING, Queued
from fidele.tiles import Progress

#: Prints are looked at with so many pixels on a side at the most.
_LOOKED_AT = 3000
_AT_THE_PRINTER = tr("The print lies at its printer.")


class PrintDesk(Desk):
    """Orders runs, unless findings hold them, and shows the queue."""

    station = "Print"
    by_hand = True

    def __init__(self, session: Session, work: Work) -> None:
        super().__init__(session, work)
        self.printing = Printing(session, work, self)
        self._head()
        row = across((self._queue(), 2), space=12)
        right = QVBoxLayout()
        self.view = PictureView()
        right.addWidget(self.view, 1)
        self.ready = ReadinessBox(session, work)
        self.ready.said.connect(self._say)
        right.addWidget(self.ready)
        self.note = label("", 8.5, dim=True, wrap=True)
        right.addWidget(self.note)
        row.addLayout(right, 3)
        self.box.addLayout(row, 1)
        self._looked: Printed | None = None
        self._entries: list[Queued] = []
        self.printing.changed.connect(self._show_queue)
        self.printing.further.connect(self._show_entries)

    def _head(self) -> None:
        self.box.addLayout(self.head())
        top = Flow(space=8)
        self.reason = entry(
            tr("Reason to print all the same"),
            hint=tr("why print all the same?"),
            tip=tr("Findings hold this print. With a reason, which the logbook keeps, it goes on."),
        )
        self.reason.setFixedWidth(px(176))
        self.reason.textChanged.connect(lambda _: self._buttons())
        top.addWidget(self.reason)
        self.print_it = button(
            tr("Print"), self._print, tr("Prepare the page and send it to the printer (Ctrl+P)"), main=True
        )
        self.print_it.setAccessibleName(tr("Print the sheet"))
        top.addWidget(self.print_it)
        self.other = menu_button(
            tr("Other ways to print"), tr("Hold it, print it later, only prepare it, or write it as a file")
        )
        self.other.setAccessibleName(tr("Other ways to print"))
        menu = QMenu(self.other)
        self.ways: dict[str, QAction] = {}
        for name, words, call in (
            ("one", tr("Only the sheet that is looked at"), lambda: self._order(only=True)),
            ("hold", tr("Put it in the queue and hold it"), lambda: self._order(hold=True)),
            ("later", tr("Print it later …"), self._later),
            ("prepare", tr("Only prepare it"), lambda: self._order(hold=True, prepare=True)),
            ("file", tr("Write it as a file …"), self._to_file),
            ("readiness", tr("Print a readiness page first"), self.order_readiness),
        ):
            action = QAction(words, menu)
            action.triggered.connect(call)
            menu.addAction(action)
            self.ways[name] = action
        menu.addSeparator()
        self.wait = QAction(tr("Runs of this condition wait for my word"), menu, checkable=True)
        self.wait.triggered.connect(self._habit_hold)
        menu.addAction(self.wait)
        self.pause = QAction(tr("Ask for a readiness page after 24 hours, and before charts"), menu, checkable=True)
        self.pause.triggered.connect(self._habit_readiness)
        menu.addAction(self.pause)
        self.other.setMenu(menu)
        top.addWidget(self.other)
        self.write = button(
            tr("Write the finished file …"),
            self.file_wanted.emit,
            tr(
                "The page as it must reach the paper: converted, mirrored, at true size, for the program that prints it"
            ),
        )
        top.addWidget(self.write)
        self.printed = button(
            tr("I printed it"), self._printed, tr("The finished file was printed, from its own program")
        )
        self.on = button(tr("Go on to the press"), lambda: self.go.emit("Press"))
        top.addWidget(self.printed)
        top.addWidget(self.on)
        self.box.addLayout(top)

    def _queue(self) -> QVBoxLayout:
        column = QVBoxLayout()
        head = QHBoxLayout()
        self.queue_title = label(tr("Queue"), 9.5, bold=True)
        head.addWidget(self.queue_title, 1)
        self.still = button(tr("Pause queue"), self._pause, tr("Begin no further run by itself, or resume"), quiet=True)
        head.addWidget(self.still)
        column.addLayout(head)
        self.queue = QueueView()
        self.queue.setMinimumWidth(220)
        queueing = self.session.queueing
        self.queue.moved.connect(lambda number, before: self._do(queueing.move, number, before or None))
        self.queue.cancelled.connect(self._cancel)
        self.queue.toggled.connect(self._toggle)
        self.queue.picked.connect(lambda _: self._queue_buttons())
        column.addWidget(self.queue, 1)
        row = Flow(space=4)
        self.hold = button(
            tr("Hold"), lambda: self._toggle(self.queue.current), tr("Hold this run, or let it go on (Space)")
        )
        self.now = button(tr("Print next"), self._now, tr("Print this run at once, before all others"))
        self.prepare = button(tr("Prepare"), self._prepare, tr("Prepare its page already, and hold it then"))
        self.cancel = button(
            tr("Cancel"), lambda: self._cancel(self.queue.current), tr("Take it out of the queue (Delete)")
        )
        for made in (self.hold, self.now, self.prepare, self.cancel):
            row.addWidget(made)
        self.edit = button(
            tr("Edit"), self._edit, tr("Its pictures come into hand; changed, they go back into its place")
        )
        self.renew = button(
            tr("Renew"), self._renew, tr("Order it anew in its place, as picture, condition and driver are now")
        )
        self.leave = button(
            tr("Leave it as it was"), self._leave, tr("The run that is being edited waits again, unchanged")
        )
        for made in (self.edit, self.renew, self.leave):
            row.addWidget(made)
        column.addLayout(row)
        self.runs = button(
            tr("The logbook"), lambda: self.go.emit("Logbook"), tr("Every run that was printed (F11)"), quiet=True
        )
        column.addWidget(self.runs, alignment=Qt.AlignmentFlag.AlignLeft)
        return column

    # Ordering ----------------------------------------------------------------------------------------------------

    def _do(self, call: Callable[..., object], *arguments: object) -> None:
        self.guarded(call, *arguments)
        self._show_queue()

    def _print(self) -> None:
        self._order()

    def _order(
        self,
        hold: bool = False,
        prepare: bool = False,
        target: Path | None = None,
        until: datetime.datetime | None = None,
        only: bool = False,
    ) -> None:
        """Put what lies on the sheet in the queue; large artwork is hashed beside the interface."""
        session = self.session
        reason = self.reason.text().strip()
        session.watch.look()
        session.refresh()  # what counts is the route at this moment
        stops = session.stops
        if stops and len(reason) < 3:
            session.say(tr("Held: {title}. {remedy}", title=lowered(stops[0].title), remedy=stops[0].remedy))
            return
        try:
            jobs = [session.sheet.job()] if only else session.sheet.jobs()
        except FideleError as error:
            session.warn(str(error))
            return
        queue, wait = session.queue, hold or until is not None or session.queueing.held

        def to(job: Job, index: int) -> Path | None:
            if target is None or len(jobs) == 1:
                return target
            return target.with_name(f"{target.stem}-{job.lying[0].panel or index + 1}{target.suffix}")

        def order(_told: Progress) -> list[int]:
            return [queue.order(job, reason, stops, target=to(job, index), hold=wait) for index, job in enumerate(jobs)]

        self.work.run(tr("Ordering"), order, lambda numbers: self._ordered(numbers, prepare, until), lane="ordering")

    def _ordered(self, numbers: list[int], prepare: bool, until: datetime.datetime | None) -> None:
        """Say what was ordered, and begin with it."""
        session = self.session
        self.reason.clear()
        if until is not None:
            for number in numbers:
                session.queue.hold(number, until)
        runs = (
            tr("Run {numbers} is", numbers=numbers[0])
            if len(numbers) == 1
            else tr("Runs {numbers} to {numbers2} are", numbers=numbers[0], numbers2=numbers[-1])
        )
        said = tr("{runs} in the queue.", runs=runs) if numbers else tr("Nothing is in the queue.")
        if session.queueing.editing and numbers:
            self.guarded(lambda: session.say(session.queueing.put_back(numbers)))
        else:
            session.say(said)
        if prepare and numbers:
            self.printing.begin(numbers[0], only_prepare=True)
        else:
            self.printing.begin_next()

    def _printed(self) -> None:
        run = self.session.run
        if run is not None:
            self.guarded(self.session.printed_elsewhere, run)

    def _later(self) -> None:
        dialog = LaterDialog(self)
        if dialog.exec() == QDialog.DialogCode.Accepted:
            self._order(until=dialog.when())

    def _to_file(self) -> None:
        name, _ = QFileDialog.getSaveFileName(
            self, tr("Write the sheet"), "sheet.tif", tr("Pictures (*.tif *.png *.pdf)")
        )
        if name:
            self._order(target=Path(name))

    def order_readiness(self) -> None:
        """Put a readiness page in the queue, before everything else."""
        self._do(self.session.readiness.order)

    def _habit_hold(self, on: bool) -> None:
        card = self.session.card
        if card is not None:
            words = tr("Runs of this condition wait") if on else tr("Runs of this condition go at once")
            habits = card.sheet.model_copy(update={"hold": on})
            self._do(lambda: self.session.change_card(words, sheet=habits))

    def _habit_readiness(self, on: bool) -> None:
        card = self.session.card
        if card is not None:
            words = tr("A readiness page is asked for") if on else tr("No readiness page is asked for")
            habits = card.sheet.model_copy(update={"readiness_hours": 24.0 if on else 0.0})
            self._do(lambda: self.session.change_card(words, sheet=habits))

    # The queue ---------------------------------------------------------------------------------------------------

    def _entry(self) -> Queued | None:
        return next((e for e in self._entries if e.id == self.queue.current), None)

    def _toggle(self, number: int) -> None:
        entry = next((e for e in self._entries if e.id == number), None)
        followed = self.printing.followed if number == self.printing.under_way else None
        if followed is not None and followed.words:
            self.guarded(followed.hold, not followed.held)
        elif entry is not None and entry.state in WAITING:
            queueing = self.session.queueing
            waits = entry.state == "waiting" and entry.not_before is None
            self._do(queueing.hold if waits else queueing.release, number)

    def _now(self) -> None:
        entry = self._entry()
        if entry is not None and entry.state in WAITING:
            self.printing.begin(entry.id)

    def _prepare(self) -> None:
        entry = self._entry()
        if entry is not None and entry.state in WAITING:
            self.printing.begin(entry.id, only_prepare=True)

    def _cancel(self, number: int) -> None:
        if number and number == self.printing.under_way:
            self.work.cancel()
        elif number:
            self._do(self.session.queueing.cancel, number)

    def _pause(self) -> None:
        self._do(self.session.queueing.pause, not self.session.queue.paused)
        self.printing.follow()

    def _edit(self) -> None:
        """Open what a run is of, to be changed and put back."""

        def begin() -> None:
            work = self.session.queueing.edit(self.queue.current)
            self.work.run(tr("Opening the run"), work, self._opened, lane="opening")

        self._do(begin)
        self.refresh()

    def _opened(self, opened: Opened) -> None:
        self.session.jobs.take(opened)
        number = self.session.queueing.editing
        self.session.say(tr("Run {number} is in hand: change it on any desk, then put it back here.", number=number))
        self.refresh()

    def _leave(self) -> None:
        self._do(self.session.queueing.leave)
        self.refresh()

    def _renew(self) -> None:
        number = self.queue.current

        def begin() -> None:
            work = self.session.queueing.renew(number)
            self.work.run(tr("Ordering anew"), lambda _: work(), self._renewed(number), lane="ordering")

        self._do(begin)

    def _renewed(self, old: int) -> Callable[[int], None]:
        def done(made: int) -> None:
            self.session.say(tr("Run {made} has the place of run {old}, as things are now.", made=made, old=old))
            self.printing.follow()

        return done

    def _show_queue(self) -> None:
        self._entries = self.session.queue.entries()
        self._show_entries()

    def _show_entries(self) -> None:
        """Show the queue as it was asked for last: progress asks no disk."""
        entries = self._entries

        def progress(entry: Queued) -> str:
            if entry.id != self.printing.under_way:
                return tr("by another window")
            at_service = self.printing.followed
            if at_service is not None and at_service.words:
                return at_service.words
            left = self.printing.remaining
            said = tr("{share:.0f} %", share=self.printing.share * 100)
            return f"{said}, {time_words(left)}" if left is not None else said

        self.queue.show_entries(entries, progress)
        paused = self.session.queue.paused
        waiting = sum(e.state in WAITING for e in entries)
        self.queue_title.setText(
            tr("Queue")
            + (tr(", {waiting} waiting", waiting=waiting) if waiting else "")
            + (tr(", paused") if paused else "")
        )
        self.still.setText(tr("Resume queue") if paused else tr("Pause queue"))
        if self.still.property("main") != paused:
            self.still.setProperty("main", paused)
            self.still.style().polish(self.still)
        self._queue_buttons()

    def _queue_buttons(self) -> None:
        entry = self._entry()
        waits = entry is not None and entry.state in WAITING
        followed = self.printing.followed if entry is not None and entry.id == self.printing.under_way else None
        for made in (self.hold, self.now, self.prepare, self.edit, self.renew):
            made.setEnabled(waits)
        self.leave.setVisible(bool(self.session.queueing.editing))
        self.now.setEnabled(waits and not self.work.busy)
        self.prepare.setEnabled(waits and not self.work.busy)
        self.cancel.setEnabled(entry is not None)
        held = entry is not None and (entry.state == "held" or entry.not_before is not None)
        if followed is not None and followed.words:
            self.hold.setEnabled(True)
            held = followed.held
        self.hold.setText(tr("Go on") if held else tr("Hold"))

    # Showing -----------------------------------------------------------------------------------------------------

    def _buttons(self) -> None:
        session = self.session
        held = bool(session.stops)
        ready = session.artwork is not None and session.card is not None
        given = len(self.reason.text().strip()) >= 3
        self.reason.setVisible(held and ready)
        self.print_it.setEnabled(ready and (not held or given))
        program = session.handoff.program
        self.write.setVisible(program is not None)
        self.write.setEnabled(ready and (not held or given) and not self.work.busy)
        self.print_it.setVisible(program is None or program.runs_here)
        where = tr(" from {name}", name=program.name) if program is not None else ""
        many = self._sheets()
        words = tr("Print {many} sheets", many=many) if many > 1 else tr("Print{where}", where=where)
        if number := session.queueing.editing:
            words = tr("Put run {number} back", number=number)
        self.print_it.setText(tr("{words} all the same", words=words) if held and given else words)
        self.ways["one"].setVisible(many > 1)
        for name, action in self.ways.items():
            action.setEnabled(name == "readiness" or (ready and (not held or given)))
        self.other.setEnabled(session.card is not None)
        self.other.setVisible(program is None or program.runs_here)
        if session.card is not None:
            self.wait.setChecked(session.card.sheet.hold)
            self.pause.setChecked(session.card.sheet.readiness_hours > 0)

    def _sheets(self) -> int:
        """Return how many sheets would be printed."""
        piece = self.session.pieces.current
        left_out = len(piece.panels.skip) if piece is not None and piece.panels is not None else 0
        return self.session.sheet.pages - left_out

    def refresh(self) -> None:
        """Show what would be printed, or the sheet that was, and the queue."""
        session = self.session
        self.view.theme = self.theme
        stops = session.stops
        run = session.run
        transfer = session.card is not None and session.card.process == "transfer"
        page = run is not None and run.job.chart is not None and run.job.chart.name == READINESS
        self.on.setVisible(run is not None and transfer and not page and not run.only_file)
        waits = run is not None and run.elsewhere and "printed by hand" not in run.receipt
        self.printed.setVisible(waits)
        if session.artwork is None and run is None:
            self.title.setText(tr("Nothing to print yet"))
            self.state.setText(tr("Open a picture first."))
        elif session.card is None:
            self.title.setText(tr("No printing condition yet"))
            self.state.setText(tr("A condition says which printer, paper and settings: make one (F6), then print."))
        elif stops:
            self.title.setText(tr("Held: {title}", title=lowered(stops[0].title)))
            self.state.setText(stops[0].remedy)
        elif run is not None:
            self.title.setText(
                tr("Run {number}, written {clock}", number=run.number, clock=clock(run.at))
                if waits
                else tr("Run {number}, printed {clock}", number=run.number, clock=clock(run.at))
            )
            self.state.setText(tr("Is every line there?") if page else tr("Print it again, or go on."))
        else:
            self.title.setText(tr("Ready to print {what}", what=self._what()))
            self.state.setText(f"{session.card.summary if session.card else ''}")
        self._buttons()
        self._show_queue()
        self.ready.setVisible(page)
        table = session.devices.table
        if run is None or run.sheet is None or table is None:
            self._looked = None
            lies = run is not None and not run.only_file
            self.view.empty = _AT_THE_PRINTER if lies else tr("The sheet will lie here when it is printed.")
            self.view.set_picture(None)
            self.view.set_teeth([])
            self.note.setText("")
        elif run.sheet is not (self._looked.sheet if self._looked else None):
            self._looked = run
            sheet = run.sheet
            self.work.quietly("look", lambda _: seen(table.look(table.as_printed(sheet), _LOOKED_AT)[0]), self._show)
            self.note.setText(
                tr("The readiness page as it came out. Look closely: every short line must be there.")
                if page
                else tr("The transfer paper on the table: mirrored and dull. Only the pressed piece can be judged.")
                if transfer
                else tr("The print as it lies on the table.")
            )

    def _say(self, words: str) -> None:
        self.note.setText(words)

    def _what(self) -> str:
        pieces = self.session.sheet.pieces
        count = sum(len(p.copies) for p in pieces)
        if count <= 1 or not pieces:
            return self.session.artwork.path.name if self.session.artwork else ""
        return tr("{count} pieces", count=count)

    def _show(self, pixels: NDArray[np.uint8]) -> None:
        self.view.set_picture(pixels)
        self.view.set_teeth([Tooth(tr("on the table"), as_it_is)])

    def facts(self) -> list[tuple[str, str]]:
        """Return the run and what the printer says it did."""
        run = self.session.run
        if run is None:
            card = self.session.card
            if card is None:
                return []
            title = self.session.profiles.title_in_force
            return [
                (tr("Printer"), card.printer_name),
                (tr("Media"), f"{card.media}, {card.size}"),
                (tr("Profile"), tr("none: nothing converts") if self.session.state.bare else title or tr("none")),
            ]
        waits = run.elsewhere and "printed by hand" not in run.receipt
        rows = [(tr("Run"), str(run.number)), (tr("Written") if waits else tr("Printed"), clock(run.at))]
        told = {name: value for name, value in run.receipt.items() if name != "differs"}
        return rows + receipt_words(told)[:12]


def seen(XYZ: NDArray[np.float32]) -> NDArray[np.uint8]:
    """Return how XYZ (h, w, 3) looks on the screen, 8 bit."""
    return show(xyz_to_lab(XYZ).astype(np.float32))


def as_it_is(pixels: Codes) -> NDArray[np.uint8]:
    """Show pixels that are the screen's already."""
    return np.ascontiguousarray(pixels, np.uint8)
