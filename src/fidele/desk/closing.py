"""Closing the window while something is under way: what becomes of it is asked, and the next start tells."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Literal

from PySide6.QtCore import QObject, QSettings, QTimer, Signal
from PySide6.QtWidgets import QApplication, QDialog, QWidget

from fidele.desk.kit import across, down
from fidele.desk.labels import button, heading, label
from fidele.desk.printing import Printing
from fidele.desk.work import Work
from fidele.errors import FideleError
from fidele.language import tr, trn
from fidele.session.model import Session

Choice = Literal["on", "after", "cancel", "stay"]
#: How often a window that is to close looks whether it may, in milliseconds.
_LOOK = 200
#: How a run ended, in a sentence.
_ENDED = {
    "printed": tr("was printed"),
    "failed": tr("failed"),
    "cancelled": tr("was cancelled"),
    "held": tr("is held"),
    "interrupted": tr("was cut off: look at what came out"),
}


class ClosingDialog(QDialog):
    """Asks what is to become of the work under way."""

    chosen = Signal(str)

    def __init__(self, title: str, prints: bool, waiting: int, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Close the window"))
        more = (
            trn(" {waiting} more waits in the queue.", " {waiting} more wait in the queue.", waiting, waiting=waiting)
            if waiting
            else ""
        )
        about = label(
            tr("{title} is under way.{more} What is to become of it?", title=title, more=more), 9.5, wrap=True
        )
        rows = [
            ("on", tr("Go on without the window"), tr("The window goes; the work is finished, and Fidele ends then")),
            ("cancel", tr("Cancel it and close"), tr("It is stopped at once; the logbook keeps that it was")),
            ("stay", tr("Stay"), tr("The window stays open")),
        ]
        if prints:
            rows.insert(
                1, ("after", tr("Close after this run"), tr("The run is finished; what waits behind it stays queued"))
            )
        box = down(heading(tr("Something is under way")), about, space=10, margins=(18, 14, 18, 14), on=self)
        for what, words, tip in rows:
            press = button(words, partial(self._choose, what), tip, main=what == "on")
            box.addLayout(across(press, (label(tip, 8.5, dim=True, wrap=True), 1), space=10))

    def _choose(self, what: str) -> None:
        self.accept()
        self.chosen.emit(what)


class Closing(QObject):
    """Lets a window close at once, or when what is under way has ended as a person wished."""

    def __init__(self, window: QWidget, over: QWidget, session: Session, work: Work, settings: QSettings) -> None:
        """`over` is what its dialog is a child of."""
        super().__init__(window)
        self._window, self._over, self._session, self._work, self._settings = window, over, session, work, settings
        self._wish: Choice | None = None
        self._timer = QTimer(self, interval=_LOOK)
        self._timer.timeout.connect(self._look)
        self.dialog: ClosingDialog | None = None

    def may_close(self, printing: Callable[[], Printing | None]) -> bool:
        """Tell whether the window may close now; where something is under way, ask."""
        if not self._work.busy or self._wish == "cancel":
            return True
        if self._wish is None and (self.dialog is None or not self.dialog.isVisible()):
            now = printing()
            run = now.under_way if now is not None else 0
            waiting = sum(e.id != run for e in self._session.queue.entries())
            self.dialog = ClosingDialog(self._work.title, bool(run), waiting if run else 0, self._over)
            self.dialog.chosen.connect(partial(self._chosen, run))
            self.dialog.open()
        return False

    def _chosen(self, run: int, what: Choice) -> None:
        if what == "stay":
            return
        self._wish = what
        if run:
            self._settings.setValue("closed while printing", run)
        if what == "on":
            self._window.hide()
        else:  # what waits behind it stays in the queue
            self._session.queue.paused = True
        if what == "cancel":
            self._work.cancel()
        self._timer.start()

    def _look(self) -> None:
        """Close when nothing is under way, nor about to begin."""
        if self._work.busy or (self._wish == "on" and self._session.queue.next() is not None):
            return
        self._timer.stop()
        hidden = not self._window.isVisible()
        self._window.close()
        if hidden and (app := QApplication.instance()) is not None:
            app.quit()

    def back(self) -> None:
        """A second start wants the window again: it stays, and the work goes on as ever."""
        self._wish = None
        self._timer.stop()
        self._settings.remove("closed while printing")
        self._window.show()

    def tell(self) -> None:
        """Say what became of the run that was under way when the window was closed last."""
        said = self._settings.value("closed while printing")
        if said is None:
            return
        self._settings.remove("closed while printing")
        try:
            number = int(str(said))
            run = self._session.logbook.run(number)
        except (FideleError, ValueError, OverflowError):
            return
        why = f": {run.why.rstrip('.')}" if run.why and run.state != "printed" else ""
        self._session.say(
            tr(
                "Run {number}, which was under way when the window was closed, {ended}{why}.",
                number=number,
                ended=_ENDED.get(run.state, run.state),
                why=why,
            )
        )
