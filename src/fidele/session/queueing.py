"""The queue in the session: every change of it can be taken back, and a run that waits can be edited and put back."""

from __future__ import annotations

import datetime
from collections.abc import Callable, Sequence

from fidele.errors import FideleError
from fidele.language import tr
from fidele.run.kept import KeptLying, job_of
from fidele.run.queue import Queue
from fidele.session.jobs import Jobs, Opened
from fidele.session.live import Live
from fidele.session.news import QueueChanged
from fidele.store.cards import CardStore, card_of
from fidele.store.jobs import JobRecord, KeptCopy, KeptPicture
from fidele.store.logbook import Logbook
from fidele.store.records import WAITING, KeptRun, Queued
from fidele.tiles import Progress


class Queueing:
    """Changes the queue as a person asks for it."""

    def __init__(self, live: Live, queue: Queue, logbook: Logbook, cards: CardStore, jobs: Jobs) -> None:
        self._live, self._queue, self._logbook = live, queue, logbook
        self._cards, self._jobs = cards, jobs
        self._edited: Queued | None = None

    @property
    def editing(self) -> int:
        """The run that is being edited, 0 for none; what is ordered next takes its place."""
        return self._edited.id if self._edited is not None else 0

    @property
    def held(self) -> bool:
        """Whether the run that is being edited was held, so that what takes its place is to be held as well."""
        return self._edited is not None and self._edited.state == "held"

    # Steps that can be taken back --------------------------------------------------------------------------------

    def hold(self, number: int, until: datetime.datetime | None = None) -> None:
        """Hold a run, or let it wait for a time."""
        self._step(number, tr("Hold run {number}", number=number), lambda: self._queue.hold(number, until))

    def release(self, number: int) -> None:
        """Let a held run go on."""
        self._step(number, tr("Let run {number} go on", number=number), lambda: self._queue.release(number))

    def cancel(self, number: int) -> None:
        """Take a run out of the queue."""
        self._step(number, tr("Cancel run {number}", number=number), lambda: self._queue.cancel(number))
        self._live.say(tr("Run {number} is taken out of the queue; undo brings it back.", number=number))

    def move(self, number: int, before: int | None) -> None:
        """Move a run before another one, None for the end."""
        self._step(number, tr("Move run {number}", number=number), lambda: self._queue.move(number, before))

    def pause(self, on: bool) -> None:
        """Begin no further run by itself, or go on."""

        def put(paused: bool) -> None:
            self._queue.paused = paused
            self._live.tell(QueueChanged())

        self._live.history.do(
            tr("Pause the queue") if on else tr("Resume the queue"), lambda: put(on), lambda: put(not on)
        )

    def _step(self, number: int, name: str, do: Callable[[], None]) -> None:
        before = self._entry(number)

        self._live.history.do(name, do, lambda: self._as_it_was(before))

    def _as_it_was(self, before: Queued) -> None:
        now = self._logbook.run(before.id)
        if now.state not in (*WAITING, "cancelled"):
            raise FideleError(
                tr("Run {id} is {state} by now: that cannot be taken back.", id=before.id, state=now.state)
            )
        until = before.not_before.isoformat(timespec="seconds") if before.not_before is not None else ""
        self._logbook.set_state(before.id, before.state, before.why, until)
        self._logbook.set_place(before.id, before.place)
        self._live.tell(QueueChanged())

    def _entry(self, number: int) -> Queued:
        found = next((e for e in self._queue.entries() if e.id == number and e.state in WAITING), None)
        if found is None:
            raise FideleError(tr("Run {number} does not wait any more.", number=number))
        return found

    # Editing -----------------------------------------------------------------------------------------------------

    def renew(self, number: int) -> Callable[[], int]:
        """Return the work of ordering a run anew in its place: its pictures and its condition as they are now.

        Can be done beside the interface; returns the new run's number.
        """
        before = self._entry(number)
        kept = card_of(self._logbook.run(number).card.encode(), tr("run {number}", number=number))
        cards = {kept.id: self._cards.find(kept.id) or kept}

        # Neither is begun while both are there: a piece would be printed twice.
        self._queue.hold(number, why=tr("being ordered anew"))

        def work() -> int:
            try:
                made = self._queue.again(number, True, cards)
            except FideleError:
                self._as_it_was(before)
                raise
            self._queue.replace(number, [made])
            if before.state == "waiting":
                self._queue.release(made) if before.not_before is None else self._queue.hold(made, before.not_before)
            return made

        return work

    def edit(self, number: int) -> Callable[[Progress], Opened]:
        """Hold a run and return the work of opening what it is of: changed by hand, it is put back into its place.

        Raises
        ------
        FideleError
            When it does not wait, or cannot be taken apart: a chart, or panels of a picture.
        """
        before, record = self._entry(number), self._record(self._logbook.run(number))
        self.leave()
        self._queue.hold(number, why=tr("being edited"))
        self._edited = before
        return self._jobs.opening_of(record)

    def leave(self) -> None:
        """Leave the run that is being edited just as it was: held, or waiting."""
        before, self._edited = self._edited, None
        if before is not None:
            self._as_it_was(before)

    def put_back(self, numbers: Sequence[int]) -> str:
        """Let runs that were ordered just now take the place of the one that is edited; return that in a sentence."""
        old, self._edited = self.editing, None
        self._queue.replace(old, numbers)
        return tr(
            "Run {old} was edited: run {map} has its place in the queue.", old=old, map=", ".join(map(str, numbers))
        )

    def _record(self, run: KeptRun) -> JobRecord:
        kept, card = job_of(run), card_of(run.card.encode(), tr("run {id}", id=run.id))
        if kept.chart or not kept.lying:
            raise FideleError(tr("Run {id} is a chart: order it anew, there is nothing to edit.", id=run.id))
        if any(one.panel for one in kept.lying):
            raise FideleError(
                tr("Run {id} is a panel of a larger picture: edit the job that it belongs to.", id=run.id)
            )
        alike: dict[str, list[KeptLying]] = {}
        for one in kept.lying:
            same = one.model_copy(update={"placing": kept.lying[0].placing, "number": 0, "copies": 0})
            size = f"{one.placing.width:.3f} {one.placing.height:.3f}"
            alike.setdefault(f"{same.model_dump_json()} {size}", []).append(one)
        pictures = [self._picture(number, group) for number, group in enumerate(alike.values(), 1)]
        made = self._jobs.fresh(tr("Run {id}, edited: {title}", id=run.id, title=run.title))
        return made.model_copy(update={"card": card.id, "pictures": tuple(pictures), "shown": 1})

    def _picture(self, number: int, group: Sequence[KeptLying]) -> KeptPicture:
        one = group[0]
        mine = one.card.id if one.card is not None and self._cards.find(one.card.id) is not None else ""
        alike = ("artwork", "artwork_page", "sha256", "source", "slip", "replacements", "mirrored", "tuning", "keep")
        return KeptPicture(
            number=number,
            copies=tuple(KeptCopy(placing=each.placing) for each in group),
            sheet=1,
            card=mine,
            behind=one.behind,
            shape=one.shape,
            **{name: getattr(one, name) for name in alike},
        )
