"""The queue: runs that are ordered, prepared and printed one after the other, each kept in the logbook throughout."""

from __future__ import annotations

import datetime
import json
import os
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from fidele.errors import FideleError
from fidele.output.device import Output, PrintDevice
from fidele.output.file import FileOutput
from fidele.route.condition import Card
from fidele.route.finding import Finding
from fidele.route.layers import Chain
from fidele.session.charts import numbered
from fidele.session.job import Job, Printed
from fidele.session.judging import judged, own_layer, read_route
from fidele.session.kept_jobs import job_again, kept_job, profiles_of
from fidele.session.receipt import differences
from fidele.session.runs import media_of
from fidele.session.spool import Spool
from fidele.session.thumbnail import thumbnail_png
from fidele.store.records import BUSY, WAITING, Queued
from fidele.tiles import CancelledError, Progress

if TYPE_CHECKING:
    from fidele.session.model import Session
    from fidele.store.records import KeptRun

#: Preparing is about so much of the way.
_PREPARING = 0.55


class HeldError(FideleError):
    """A run is held: something on its way is wrong that was not passed over."""


class Queue:
    """Runs of a session's workshop on their way to paper."""

    def __init__(self, session: Session) -> None:
        self._session = session
        self.spool = Spool(session.places.work / "spool")
        #: Nothing is begun by itself while this is so.
        self.paused = False

    def entries(self) -> list[Queued]:
        """Return what is yet to be printed or under way, in its order."""
        return self._session.logbook.queued()

    # Ordering ----------------------------------------------------------------------------------------------------

    def order(
        self,
        job: Job,
        overridden: str = "",
        passed: Sequence[Finding] = (),
        settings: dict[str, Any] | None = None,
        target: Path | None = None,
        hold: bool = False,
        state: str = "",
    ) -> int:
        """Put a job in the queue; return its run's number. It is in the logbook before anything is done.

        `passed` are findings that a person passed over, with the reason in `overridden`. `settings` of the driver are
        sent with it, those that it has now where None.
        """
        session, card = self._session, job.card
        if settings is None:
            settings = session.workshop.printer_of(card.printer).settings()
        for profile in profiles_of(job):
            session.logbook.keep_profile(*profile)
        media = media_of(job, session.workshop.printer_of(card.printer))
        number = session.logbook.add_run(
            job.title,
            card.model_dump_json(),
            card.profile,
            settings,
            {"pid": os.getpid()} if state in BUSY else {},
            overridden,
            state or ("held" if hold or card.sheet.hold else "waiting"),
            kept_job(job),
            thumbnail_png(job, media),
            [(f.code, f.title) for f in passed],
            str(target.absolute()) if target else "",
            "this condition waits for your word" if card.sheet.hold and not hold else "",
            media_mm2=media.width * media.height,
        )
        session.tell("queue")
        return number

    def again(self, number: int, hold: bool = False) -> int:
        """Order a run again exactly as it was, even when settings have changed since; return its new number.

        Raises
        ------
        FideleError
            When it cannot be had as it was.
        """
        run = self._session.logbook.run(number)
        job = job_again(self._session, run)
        passed = [_known(code, title) for code, title in json.loads(run.passed)]
        target = Path(run.target) if run.target else None
        return self.order(job, run.overridden, passed, json.loads(run.settings), target, hold)

    # Changing the order --------------------------------------------------------------------------------------------

    def _need_waiting(self, number: int) -> None:
        if not any(e.id == number and e.state in WAITING for e in self.entries()):
            raise FideleError(f"Run {number} does not wait any more.")

    def hold(self, number: int, until: datetime.datetime | None = None) -> None:
        """Hold a run until it is released, or let it wait for a time."""
        self._need_waiting(number)
        if until is None:
            self._session.logbook.set_state(number, "held", "held by you")
        else:
            self._session.logbook.set_state(number, "waiting", "", until.isoformat(timespec="seconds"))
        self._session.tell("queue")

    def release(self, number: int) -> None:
        """Let a held run go on."""
        self._need_waiting(number)
        self._session.logbook.set_state(number, "waiting")
        self._session.tell("queue")

    def cancel(self, number: int) -> None:
        """Take a run that waits out of the queue; the logbook keeps that it was ordered."""
        self._need_waiting(number)
        self._session.logbook.end_run(number, "cancelled", {}, "cancelled before it was printed")
        self.spool.forget(number)
        self._session.tell("queue")
        self._session.tell("log")

    def move(self, number: int, before: int | None) -> None:
        """Move a run before another one, None for the end."""
        order = [e for e in self.entries() if e.state in WAITING and e.id != number]
        self._need_waiting(number)
        at = next((k for k, e in enumerate(order) if e.id == before), len(order))
        if not order:
            return
        if at == 0:
            place = order[0].place - 1
        elif at == len(order):
            place = order[-1].place + 1
        else:
            place = (order[at - 1].place + order[at].place) / 2
        self._session.logbook.set_place(number, place)
        self._session.tell("queue")

    def next(self) -> int | None:
        """Return the run that is to be begun now, None where there is none or the queue stands still."""
        if self.paused:
            return None
        now = datetime.datetime.now()
        ready = (e.id for e in self.entries() if e.state == "waiting" and (e.not_before is None or e.not_before <= now))
        return next(ready, None)

    # Carrying out ------------------------------------------------------------------------------------------------

    def carry_out(
        self, number: int, progress: Progress | None = None, job: Job | None = None, only_prepare: bool = False
    ) -> Printed | None:
        """Prepare a run and print it; None where it was only to be prepared. Can run beside the interface.

        `job` is what was ordered a moment ago and judged then; else it is taken from the logbook, its artwork looked
        at again, and the route read back.

        Raises
        ------
        HeldError
            When something on its way is wrong that nobody passed over; it waits for a person then.
        FideleError
            When it failed; the logbook says why.
        CancelledError
            When `progress` returned False.
        """
        logbook = self._session.logbook
        run = logbook.run(number)
        if run.state not in (*WAITING, "preparing") or (run.state in WAITING and not logbook.begin(number)):
            raise FideleError(f"Run {number} does not wait: it is {logbook.run(number).state}.")
        end: tuple[str, str] | None = ("failed", "something unexpected went wrong")
        try:
            printed = self._carried(run, progress or (lambda _: True), job, only_prepare)
            end = None
            return printed
        except CancelledError:
            end = ("cancelled", "cancelled while it was under way")
            raise
        except HeldError as error:
            end = ("held", str(error))
            raise
        except FideleError as error:
            end = ("failed", str(error))
            raise
        finally:
            if end is not None:
                logbook.end_run(number, end[0], {}, end[1])
            if not only_prepare:
                self.spool.forget(number)

    def _carried(self, run: KeptRun, told: Progress, job: Job | None, only_prepare: bool) -> Printed | None:
        session, logbook = self._session, self._session.logbook
        known = job is not None
        job = numbered(job or job_again(session, run), run.id)
        card = job.card
        here = session.workshop.find(card.printer) is not None
        if not here and not run.target:
            raise FideleError(f"The {card.printer_name} is not here: nothing was printed.")
        settings: dict[str, Any] = json.loads(run.settings)
        device = session.workshop.printer_of(card.printer).sending(settings)
        if not known and not run.target:
            self._look(run, job, device)
        if card.printed_from and not run.target:
            program = session.workshop.program(card.printed_from)
            media = media_of(job, device)
            session.write_finished(job, session.places.work / "finished.png", lambda share: told(share * _PREPARING))
            logbook.set_state(run.id, "printing")
            sheet, receipt = program.print_file(session.places.work / "finished.png", device, media, told)
        else:
            if not self.spool.prepared(run.id):
                self.spool.prepare(run.id, job, device, lambda share: told(share * _PREPARING))
            if only_prepare:
                logbook.set_state(run.id, "held", "prepared; waits for your word")
                return None
            logbook.set_state(run.id, "printing")
            page = self.spool.page(run.id)
            out: Output = self._file(run, job, device) if run.target else device
            sheet, receipt = out.print_page(page, lambda share: told(_PREPARING + share * (1 - _PREPARING)))
        receipt = receipt | {"differs": differences(settings, receipt)}
        logbook.end_run(run.id, "printed", receipt)
        # Straight on paper, the print is the piece.
        piece = session.workshop.as_printed(sheet) if sheet is not None and card.process == "direct" else None
        return Printed(run.id, job, sheet, receipt, datetime.datetime.now(), piece)

    @staticmethod
    def _file(run: KeptRun, job: Job, device: PrintDevice) -> FileOutput:
        """Return the file that a run goes to; it says of its numbers whose they are, unless it must say nothing."""
        converts = job.card.owner == "fidele" and not job.bare
        says = job.profile if converts and not job.card.printed_from else None
        return FileOutput(Path(run.target), says, device.ppi)

    def _look(self, run: KeptRun, job: Job, device: PrintDevice) -> None:
        """Read the route back at this moment; hold the run where something is wrong that nobody passed over."""
        passed = {code for code, _ in json.loads(run.passed)}
        for finding in self.stops_now(job, device):
            if finding.code not in passed:
                raise HeldError(f"{finding.title}. {finding.remedy}")

    def stops_now(self, job: Job, device: PrintDevice) -> list[Finding]:
        """Return what is wrong at this moment with the route of a job, as its settings are sent with it."""
        card: Card = job.card
        route = read_route(card, device, True, self._session.probed)
        title = card.profile_title or "its profile" if job.profile is not None else ""
        chain = Chain((own_layer(card, title, job.bare), *route.below), card.twists_needed)
        return [f for f in judged(chain, card, route, True, job.bare) if f.weight == "stop"]

    def after_a_crash(self) -> list[int]:
        """Return the runs that an earlier Fidele was cut off in. What waits stays, and stands still."""
        cut_off = self._session.logbook.interrupted()
        entries = self.entries()
        self.paused = any(e.state == "waiting" for e in entries)
        self.spool.sweep({e.id for e in entries})
        return cut_off


def _known(code: str, title: str) -> Finding:
    """Return a finding of which only code and title were kept."""
    return Finding(code, "stop", title, "", "")
