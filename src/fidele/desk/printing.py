"""Works off the queue beside the interface: one run after the other, with progress, until nothing waits."""

from __future__ import annotations

import time
from collections.abc import Callable

from PySide6.QtCore import QObject, QTimer, Signal

from fidele.desk.work import Work
from fidele.devices.protocol import FollowedJob
from fidele.errors import FideleError
from fidele.language import filled, tr
from fidele.run.job import Printed
from fidele.session.model import Session
from fidele.session.news import LogChanged
from fidele.tiles import CancelledError, Progress

#: How often the queue is looked at for runs whose time has come, in milliseconds.
_LOOK = 1000
#: Before so much of a run is done nobody can say how long it will take.
_TELLING = 0.04


class Printing(QObject):
    """Begins the next run whenever nothing else is under way."""

    #: Something of the queue changed; the run under way is further along.
    changed = Signal()
    further = Signal()

    def __init__(self, session: Session, work: Work, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session, self._work = session, work
        self.under_way = 0
        #: What tells of the job of the run under way, where a print service stands between.
        self.followed: FollowedJob | None = None
        self.share = 0.0
        self._began = 0.0
        self._timer = QTimer(self, interval=_LOOK)
        self._timer.timeout.connect(self.begin_next)
        self._timer.start()
        work.progress.connect(self._progress)
        work.ended.connect(lambda: QTimer.singleShot(0, self._ended))

    def follow(self) -> None:
        """Look at the queue after it was changed."""
        self.changed.emit()
        QTimer.singleShot(0, self.begin_next)

    @property
    def remaining(self) -> float | None:
        """Seconds until the run under way is done, from how fast it went so far; None while nobody can say."""
        if not self.under_way or self.share < _TELLING:
            return None
        return (time.monotonic() - self._began) * (1 - self.share) / self.share

    def _ended(self) -> None:
        if not self._work.busy:  # else the next one has begun already
            self.under_way = 0
            self.begin_next()

    def begin_next(self) -> None:
        """Begin the run whose turn it is, unless something is under way."""
        if self._work.busy or self.under_way:
            return
        number = self._session.queue.next()
        if number is not None:
            self.begin(number)

    def begin(self, number: int, only_prepare: bool = False) -> None:
        """Prepare and print a run now."""
        if self._work.busy:
            self._session.say(tr("Something else is under way; the run waits its turn."))
            return
        self.under_way, self.share, self._began = number, 0.0, time.monotonic()
        self.followed = self._session.queue.followed(number)
        carry = self._session.queue.carrying(number, only_prepare=only_prepare)

        def work(progress: Progress) -> Printed | str | None:
            # What goes wrong with a run is the run's: the queue goes on.
            try:
                return carry(progress)
            except CancelledError:
                return "cancelled"
            except FideleError as error:
                return str(error)

        title = tr("Preparing run {number}") if only_prepare else tr("Printing run {number}")
        self._work.run(filled(title, number=number), work, self._done(number))
        self.changed.emit()

    def _done(self, number: int) -> Callable[[Printed | str | None], None]:
        def done(result: Printed | str | None) -> None:
            session = self._session
            self.under_way = 0
            if result is None:
                session.say(tr("Run {number} is prepared and waits for your word.", number=number))
            elif isinstance(result, str):
                session.say(tr("Run {number}: {result}", number=number, result=result))
            elif result.only_file:
                session.say(tr("Run {number} is written as {file}.", number=number, file=result.file))
            elif result.elsewhere:
                session.take_run(result)
                program = result.job.card.printed_from
                session.say(
                    tr(
                        "Run {number} is written as {file}: print it from {program}, and say so here.",
                        number=number,
                        file=result.file,
                        program=program,
                    )
                )
            else:
                session.take_run(result)
                session.say(tr("Run {number} is printed on {media}.", number=number, media=result.job.card.media))
            session.live.tell(LogChanged())
            session.refresh()
            self.changed.emit()

        return done

    def _progress(self, share: float) -> None:
        if self.under_way:
            self.share = share
            self.further.emit()


def time_words(seconds: float) -> str:
    """Return a time to wait in words that nobody will hold against us."""
    if seconds < 8:
        return tr("a few seconds left")
    if seconds < 90:
        return tr("about {seconds} s left", seconds=round(seconds / 5) * 5)
    return tr("about {seconds} min left", seconds=round(seconds / 60))
