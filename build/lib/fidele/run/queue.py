"""The queue: runs that are ordered, prepared and printed one after the other, each kept in the logbook throughout."""

from __future__ import annotations

import datetime
import json
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path

from fidele.devices.devices import Devices
from fidele.devices.file import FileOutput
from fidele.devices.protocol import FollowedJob, Output, Printer, Sent
from fidele.errors import FideleError
from fidele.judge.finding import Finding
from fidele.language import tr
from fidele.route.condition import Card
from fidele.route.probe import ProbeResult
from fidele.run.chart_page import numbered
from fidele.run.job import Job, Printed
from fidele.run.kept import ChangedError, Sources, job_again, kept_job, profiles_of
from fidele.run.page import finished_file, media_of, says_of
from fidele.run.receipt import differences
from fidele.run.route import stops_on
from fidele.run.spool import Spool
from fidele.run.thumbnail import thumbnail_png
from fidele.store.cards import card_of
from fidele.store.logbook import Logbook
from fidele.store.processes import this_process
from fidele.store.records import BUSY, WAITING, KeptRun, Queued
from fidele.tiles import CancelledError, Progress
from fidele.values import Settings

#: Preparing is about so much of the way.
_PREPARING = 0.55


class HeldError(FideleError):
    """A run is held: something on its way is wrong that was not passed over."""


class Queue:
    """Runs of a workshop on their way to paper.

    Parameters
    ----------
    folder
        Where pages that are prepared lie.
    now
        Returns what kept jobs are taken up again from, and what is known from a probe, as they are at this moment.
    changed
        Called after the queue was changed.
    """

    def __init__(
        self,
        logbook: Logbook,
        devices: Devices,
        folder: Path,
        now: Callable[[], tuple[Sources, ProbeResult | None]],
        changed: Callable[[], None],
    ) -> None:
        self._logbook, self._devices, self._folder = logbook, devices, folder
        self._now, self._changed = now, changed
        self.spool = Spool(folder / "spool")
        #: Nothing is begun by itself while this is so.
        self.paused = False

    def entries(self) -> list[Queued]:
        """Return what is yet to be printed or under way, in its order."""
        return self._logbook.queued()

    # Ordering ----------------------------------------------------------------------------------------------------

    def order(
        self,
        job: Job,
        overridden: str = "",
        passed: Sequence[Finding] = (),
        settings: Settings | None = None,
        target: Path | None = None,
        hold: bool = False,
        state: str = "",
    ) -> int:
        """Put a job in the queue; return its run's number. It is in the logbook before anything is done.

        `passed` are findings that a person passed over, with the reason in `overridden`. `settings` of the driver are
        sent with it, those that it has now where None. Can run beside the interface.
        """
        card, device = job.card, self._devices.printer_of(job.card.printer)
        for profile in profiles_of(job):
            self._logbook.keep_profile(*profile)
        media = media_of(job, device)
        number = self._logbook.add_run(
            job.title,
            card.model_dump_json(),
            card.profile,
            device.settings() if settings is None else settings,
            this_process() if state in BUSY else {},
            overridden,
            state or ("held" if hold or card.sheet.hold else "waiting"),
            kept_job(job),
            thumbnail_png(job, media),
            [(f.code, f.title) for f in passed],
            str(target.absolute()) if target else "",
            tr("this condition waits for your word") if card.sheet.hold and not hold else "",
            media_mm2=media.width * media.height,
        )
        self._changed()
        return number

    def again(self, number: int, hold: bool = False, now: Mapping[str, Card] | None = None) -> int:
        """Order a run again exactly as it was, even when settings have changed since; return its new number.

        With `now`, conditions by their ids, it is ordered as things are: artwork, conditions and the driver's settings.

        Raises
        ------
        FideleError
            When it cannot be had as it was.
        """
        run = self._logbook.run(number)
        job = job_again(self._now()[0], run, now)
        settings = None if now is not None else json.loads(run.settings)
        passed = [Finding(code, "stop", title, "", "") for code, title in json.loads(run.passed)]
        target = Path(run.target) if run.target else None
        return self.order(job, run.overridden, passed, settings, target, hold)

    def replace(self, old: int, numbers: Sequence[int]) -> None:
        """Let runs that were ordered take the place of one that waits, which is cancelled."""
        place = next((e.place for e in self.entries() if e.id == old), None)
        self._need_waiting(old)
        for step, number in enumerate(numbers):
            if place is not None:
                self._logbook.set_place(number, place + step * 1e-6)
        self._logbook.end_run(old, "cancelled", {}, tr("replaced by run {map}", map=", ".join(map(str, numbers))))
        self.spool.forget(old)
        self._changed()

    # Changing the order ------------------------------------------------------------------------------------------

    def _need_waiting(self, number: int) -> None:
        if not any(e.id == number and e.state in WAITING for e in self.entries()):
            raise FideleError(tr("Run {number} does not wait any more.", number=number))

    def hold(self, number: int, until: datetime.datetime | None = None, why: str = tr("held by you")) -> None:
        """Hold a run until it is released, or let it wait for a time."""
        self._need_waiting(number)
        if until is None:
            self._logbook.set_state(number, "held", why)
        else:
            self._logbook.set_state(number, "waiting", "", until.isoformat(timespec="seconds"))
        self._changed()

    def release(self, number: int) -> None:
        """Let a held run go on."""
        self._need_waiting(number)
        self._logbook.set_state(number, "waiting")
        self._changed()

    def cancel(self, number: int) -> None:
        """Take a run that waits out of the queue; the logbook keeps that it was ordered."""
        self._need_waiting(number)
        self._logbook.end_run(number, "cancelled", {}, tr("cancelled before it was printed"))
        self.spool.forget(number)
        self._changed()

    def move(self, number: int, before: int | None) -> None:
        """Move a run before another one, None for the end."""
        order = [e for e in self.entries() if e.state in WAITING and e.id != number]
        self._need_waiting(number)
        if not order:
            return
        at = next((k for k, e in enumerate(order) if e.id == before), len(order))
        if at == 0:
            place = order[0].place - 1
        elif at == len(order):
            place = order[-1].place + 1
        else:
            place = (order[at - 1].place + order[at].place) / 2
        self._logbook.set_place(number, place)
        self._changed()

    def next(self) -> int | None:
        """Return the run that is to be begun now, None where there is none or the queue is paused."""
        if self.paused:
            return None
        now = datetime.datetime.now()
        ready = (e.id for e in self.entries() if e.state == "waiting" and (e.not_before is None or e.not_before <= now))
        return next(ready, None)

    # Carrying out ------------------------------------------------------------------------------------------------

    def carry_out(
        self, number: int, progress: Progress | None = None, job: Job | None = None, only_prepare: bool = False
    ) -> Printed | None:
        """Prepare a run and print it, at once. See `carrying`."""
        return self.carrying(number, job, only_prepare)(progress)

    def carrying(
        self, number: int, job: Job | None = None, only_prepare: bool = False
    ) -> Callable[[Progress | None], Printed | None]:
        """Return the work of preparing a run and printing it, to be done beside the interface.

        It returns None where the run was only to be prepared. `job` is what was ordered a moment ago and judged then;
        else it is taken from the logbook, its artwork looked at again, and the route read back. It raises `HeldError`
        when something on its way is wrong that nobody passed over (it waits for a person then), `FideleError` when it
        failed (the logbook says why), and `CancelledError` when the progress that it is given returned False.
        """
        sources, probed = self._now()

        def work(progress: Progress | None) -> Printed | None:
            logbook, run = self._logbook, self._logbook.run(number)
            if run.state not in (*WAITING, "preparing") or (run.state in WAITING and not logbook.begin(number)):
                raise FideleError(
                    tr("Run {number} does not wait: it is {state}.", number=number, state=logbook.run(number).state)
                )
            end: tuple[str, str] | None = ("failed", tr("something unexpected went wrong"))
            try:
                known = job if job is not None else job_again(sources, run)
                told = progress or (lambda _: True)
                printed = self._carried(run, told, numbered(known, run.id), only_prepare, probed, job is not None)
                end = None
                return printed
            except CancelledError:
                end = ("cancelled", tr("cancelled while it was under way"))
                raise
            except FideleError as error:
                end = ("held" if isinstance(error, HeldError | ChangedError) else "failed", str(error))
                raise
            finally:
                if end is not None:
                    logbook.end_run(number, end[0], {}, end[1])
                if not only_prepare:
                    self.spool.forget(number)

        return work

    def followed(self, number: int) -> FollowedJob | None:
        """Return what tells of a run's job on its way through a print service, None where nothing does."""
        run = self._logbook.run(number)
        printer = self._devices.find(card_of(run.card.encode(), tr("run {id}", id=run.id)).printer)
        return printer.under_way if printer is not None and not run.target else None

    def _carried(
        self, run: KeptRun, told: Progress, job: Job, only_prepare: bool, probed: ProbeResult | None, judged: bool
    ) -> Printed | None:
        card, settings = job.card, json.loads(run.settings)
        printer = self._devices.find(card.printer)
        if printer is None and not run.target:
            raise FideleError(
                tr("The {printer_name} is not here: nothing was printed.", printer_name=card.printer_name)
            )
        device = (printer or self._devices.nearest).sending(settings)
        if not judged and not run.target:
            passed = {code for code, _ in json.loads(run.passed)}
            title = (card.profile_title or tr("its profile")) if job.profile is not None else ""
            for finding in stops_on(card, device, probed, title, job.bare):
                if finding.code not in passed:
                    raise HeldError(f"{finding.title}. {finding.remedy}")
        if card.printed_from and not run.target:
            sent = self._from_program(run, job, device, told)
        else:
            if not self.spool.prepared(run.id):
                self.spool.prepare(run.id, job, device, lambda share: told(share * _PREPARING))
            if only_prepare:
                self._logbook.set_state(run.id, "held", tr("prepared; waits for your word"))
                return None
            self._logbook.set_state(run.id, "printing")
            out: Output = self._file(run, job, device) if run.target else device
            page = self.spool.page(run.id)
            sent = out.print_page(page, lambda share: told(_PREPARING + share * (1 - _PREPARING)))
        receipt = sent.receipt | {"differs": [*differences(settings, sent.receipt)]}
        self._logbook.end_run(run.id, "printed", receipt)
        # Straight on paper, the print is the piece.
        table, done = self._devices.table, card.process == "direct"
        piece = table.as_printed(sent.sheet) if table is not None and sent.sheet is not None and done else None
        file = Path(run.target) if run.target else None
        return Printed(run.id, job, sent.sheet, receipt, datetime.datetime.now(), piece, file=file)

    def _from_program(self, run: KeptRun, job: Job, device: Printer, told: Progress) -> Sent:
        """Let another program print the finished file."""
        file = self._folder / f"finished-run-{run.id}.png"
        try:
            finished_file(job, device, file, lambda share: told(share * _PREPARING))
            self._logbook.set_state(run.id, "printing")
            return self._devices.program(job.card.printed_from).print_file(file, device, media_of(job, device), told)
        finally:
            file.unlink(missing_ok=True)

    @staticmethod
    def _file(run: KeptRun, job: Job, device: Printer) -> FileOutput:
        """Return the file that a run goes to; it says of its numbers whose they are, unless it must say nothing."""
        converts = job.card.owner == "fidele" and not job.bare
        says = says_of(job.card) if job.card.printed_from else job.profile if converts else None
        return FileOutput(Path(run.target), says, device.format.page_ppi(job.card.page_ppi))

    def after_a_crash(self) -> list[int]:
        """Return the runs that an earlier Fidele was cut off in. What waits stays, and is paused."""
        cut_off = self._logbook.interrupted()
        entries = self.entries()
        self.paused = any(e.state == "waiting" for e in entries)
        self.spool.sweep({e.id for e in entries})
        return cut_off
