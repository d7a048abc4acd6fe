"""The print service of this machine: its queues, their state in words, and jobs.

Every question is asked in a thread of its own and given up after some seconds: a service that has gone, hangs or
refuses costs a sentence, never a frozen window. `CUPS_SERVER` is heeded, by libcups itself.
"""

from __future__ import annotations

import atexit
import contextlib
import os
import queue as queues
import tempfile
import threading
import time
from collections.abc import Callable, Iterable, Iterator
from dataclasses import field
from pathlib import Path
from typing import Any, TypeVar

from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.files import read_bytes
from fidele.language import tr
from fidele.tiles import CancelledError, Progress

_T = TypeVar("_T")
#: Seconds after which a question is given up; sending, where nothing moves; and between two looks at a job.
_SECONDS, _STUCK, _LOOK = 6.0, 60.0, 0.25
#: And on the interface's own thread, which must not wait.
_HURRIED = 1.5
#: What the service calls the reasons of a printer's state, in words (RFC 8011, 5.4.12; PWG 5100.9).
REASONS = {
    "paused": tr("it is paused"),
    "moving-to-paused": tr("it is being paused"),
    "offline": tr("it does not answer: switched off or unplugged"),
    "connecting-to-device": tr("it is looked for, and does not answer yet"),
    "timed-out": tr("it does not answer"),
    "shutdown": tr("it is switched off"),
    "media-empty": tr("no media lies in it"),
    "media-needed": tr("it asks for media"),
    "media-low": tr("little media is left"),
    "media-jam": tr("media is jammed"),
    "marker-supply-empty": tr("an ink is empty"),
    "marker-supply-low": tr("an ink is low"),
    "toner-empty": tr("an ink is empty"),
    "toner-low": tr("an ink is low"),
    "door-open": tr("a door is open"),
    "cover-open": tr("a cover is open"),
    "input-tray-missing": tr("a tray is missing"),
    "other": tr("it reports something that it does not name"),
}
_STOPPED = 5
_HERE, _SAME = 200, 304
#: What libcups says where a connection broke (an internal error of its own).
_LOST = 0x0500
_JOB_STOPPED, _CANCELLED, _ABORTED, _DONE = 6, 7, 8, 9
JOB_WORDS = {
    3: "waits",
    4: "held",
    5: tr("is being printed"),
    6: "stopped",
    7: "cancelled",
    8: tr("given up by the print service"),
    9: "printed",
}


@dataclass(frozen=True)
class QueueState:
    """A queue as the service tells of it.

    Attributes
    ----------
    state
        In words, within a sentence; '' where it is ready.
    driverless
        It is spoken to in IPP, without a driver of its maker's.
    remote
        Another machine prints for it.
    inks
        Of each ink what is left, 0 to 1, where it tells.
    jobs
        Jobs that wait or are under way, and whose they are.
    """

    name: str
    info: str
    driver: str
    place: str = ""
    uri: str = ""
    state: str = ""
    accepts: bool = True
    answers: bool = True
    driverless: bool = False
    remote: bool = False
    default: bool = False
    inks: dict[str, float] = field(default_factory=dict)
    jobs: tuple[str, ...] = ()
    formats: tuple[str, ...] = ()


@dataclass(frozen=True)
class JobState:
    """A job as the service tells of it; `said` is its own message."""

    number: int
    state: int
    reasons: tuple[str, ...]
    said: str
    sheets: int

    @property
    def ended(self) -> bool:
        """Whether nothing more becomes of it."""
        return self.state in (_CANCELLED, _ABORTED, _DONE)

    @property
    def words(self) -> str:
        """What has become of it, with the service's own reason."""
        said = f": {self.said}" if self.said else ""
        return f"{JOB_WORDS.get(self.state, 'unknown')}{said}"


class PrintService:
    """The service that this machine's programs print through; nothing is kept open between two questions."""

    def __init__(self) -> None:
        self._ppds: dict[str, tuple[float, Path]] = {}
        #: It did not answer the last time: whoever must not wait is told so at once.
        self._hangs = False
        atexit.register(self.forget)

    @property
    def name(self) -> str:
        """Which one it is, for sentences."""
        server = os.environ.get("CUPS_SERVER", "")
        return tr("the print service at {server}", server=server) if server else tr("the print service")

    def missing(self) -> str:
        """Return what it takes to use it, '' where it answers."""
        try:
            self.ask(lambda c: c.getDefault())
        except FideleError as error:
            return str(error)
        return ""

    @property
    def local(self) -> bool:
        """Whether it runs on this machine, so that its filters are those that lie here."""
        server = os.environ.get("CUPS_SERVER", "")
        return not server or server.startswith(("/", "localhost", "127.0.0.1", "[::1]"))

    def ask(self, question: Callable[[Any], _T], seconds: float = _SECONDS) -> _T:
        """Ask something of a connection (pycups), and wait no longer than is allowed.

        Raises
        ------
        FideleError
            When there is no service, it does not answer in time, or refuses.
        """
        try:
            import cups
        except ImportError as error:
            raise FideleError(
                tr(
                    "Printers of this machine are out of reach: the Python package pycups is missing (in Debian: "
                    "python3-cups)."
                )
            ) from error
        hurried = threading.current_thread() is threading.main_thread()
        if hurried and self._hangs:
            raise FideleError(tr("{name}{name2} does not answer.", name=self.name[:1].upper(), name2=self.name[1:]))
        answer: list[_T] = []
        wrong: list[Exception] = []

        def work() -> None:
            try:
                answer.append(question(cups.Connection()))
            except Exception as error:
                wrong.append(error)

        thread = threading.Thread(target=work, daemon=True, name=tr("print service"))
        thread.start()
        thread.join(min(seconds, _HURRIED) if hurried else seconds)
        self._hangs = thread.is_alive()
        if answer:
            return answer[0]
        if wrong:
            raise self._sentence(wrong[0]) from wrong[0]
        raise FideleError(
            tr(
                "{name}{name2} does not answer: nothing came for {seconds:g} s.",
                name=self.name[:1].upper(),
                name2=self.name[1:],
                seconds=seconds,
            )
        )

    def _sentence(self, error: Exception) -> FideleError:
        if isinstance(error, FideleError):
            return error
        name = f"{self.name[:1].upper()}{self.name[1:]}"
        said = " ".join(str(a) for a in error.args)[:160]
        kind = type(error).__name__
        status = error.args[0] if error.args and isinstance(error.args[0], int) else 0
        if (kind == "HTTPError" and status in (401, 403)) or status in (0x0401, 0x0402, 0x0403):
            return FideleError(
                tr("{name} refuses: this user may not do that. Its administrator can allow it.", name=name)
            )
        if status == 0x0406:
            return FideleError(tr("{name} does not know this printer any more: it was deleted or renamed.", name=name))
        if kind in ("RuntimeError", "HTTPError") or status in (0x0502, 0x0503):
            return FideleError(tr("{name} cannot be reached: it is not running, or not on this machine.", name=name))
        return FideleError(tr("{name} refused: {said}.", name=name, said=said))

    # Queues ------------------------------------------------------------------------------------------------------

    def queues(self) -> tuple[QueueState, ...]:
        """Return every queue, in two questions however many there are; the default one first."""

        def all_of_it(connection: Any) -> tuple[dict, dict, str | None]:
            jobs: dict[str, list[str]] = {}
            with contextlib.suppress(Exception):  # some services keep other people's jobs to themselves
                told = ["job-originating-user-name", "job-printer-uri", "job-id"]
                for job in connection.getJobs(requested_attributes=told).values():
                    name = str(job.get("job-printer-uri", "")).rpartition("/")[2]
                    jobs.setdefault(name, []).append(str(job.get("job-originating-user-name", "somebody")))
            return connection.getPrinters(), jobs, connection.getDefault()

        printers, jobs, default = self.ask(all_of_it)
        found = [_state(name, told, tuple(jobs.get(name, ())), name == default) for name, told in printers.items()]
        return tuple(sorted(found, key=lambda q: (not q.default, q.name.casefold())))

    def queue(self, name: str) -> QueueState:
        """Return a queue with everything that it tells: inks, formats."""
        wanted = ["all"]
        told = self.ask(lambda c: c.getPrinterAttributes(name, requested_attributes=wanted))
        return _state(name, told, (), False)

    def defaults(self, name: str) -> dict[str, str]:
        """Return the options that a user, or the server, has set for every job of a queue, by keyword."""

        def options(connection: Any) -> dict[str, str]:
            dests = connection.getDests()
            dest = dests.get((name, None))
            return {str(k): str(v) for k, v in dest.options.items()} if dest is not None else {}

        return self.ask(options)

    def ppd(self, name: str) -> Path | None:
        """Return the queue's PPD as a file of its own, fetched again when it has changed; None where it has none."""

        def fetch(connection: Any) -> Path | None:
            known = self._ppds.get(name)
            stamp = known[0] if known is not None and known[1].exists() else 0
            status, when, path = connection.getPPD3(name, modtime=stamp)
            if status == _SAME and known is not None:
                return known[1]
            if status != _HERE or not path:
                return None
            # A server on this machine answers with a link to its own file: what is read must stay what it was.
            copy = Path(tempfile.mkstemp(prefix="fidele-", suffix=".ppd")[1])
            try:
                copy.write_bytes(read_bytes(Path(path), 12 << 20))
            finally:
                Path(path).unlink(missing_ok=True)
            if known is not None:
                known[1].unlink(missing_ok=True)
            self._ppds[name] = (float(when), copy)
            return copy

        return self.ask(fetch)

    def forget(self) -> None:
        """Throw away the PPDs that were fetched."""
        for _, path in self._ppds.values():
            path.unlink(missing_ok=True)
        self._ppds.clear()

    # Jobs --------------------------------------------------------------------------------------------------------

    def send(
        self,
        queue: str,
        title: str,
        options: dict[str, str],
        kind: str,
        parts: Iterable[bytes],
        progress: Progress | None = None,
    ) -> int:
        """Send a job in parts, of which `progress` hears the share when they are a sequence; return its number.

        Raises
        ------
        FideleError
            When it cannot be sent; nothing of it is printed then.
        CancelledError
            When `progress` returned False; the job is taken back.
        """
        told: queues.Queue[tuple[str, Any]] = queues.Queue()
        stop = threading.Event()

        def work() -> None:
            try:
                import cups

                connection = cups.Connection()
                number = connection.createJob(queue, title, options)
                if not number:
                    raise FideleError(tr("The print service took no job."))
                told.put(("number", number))
                connection.startDocument(queue, number, title, kind, 1)
                for part in parts:
                    if stop.is_set():
                        return
                    if part:  # an empty one would end the document
                        connection.writeRequestData(part, len(part))
                    told.put(("moved", None))
                told.put(("done", connection.finishDocument(queue)))
            except Exception as error:
                told.put(("wrong", error))

        self.ask(lambda c: c.getPrinterAttributes(queue, requested_attributes=["printer-is-accepting-jobs"]))
        threading.Thread(target=work, daemon=True, name=tr("print job")).start()
        number = 0
        while True:
            try:
                what, value = told.get(timeout=_STUCK)
            except queues.Empty:
                stop.set()
                self._take_back(number)
                raise FideleError(
                    tr("{name} stopped taking the page; the job was taken back.", name=self.name).capitalize()
                ) from None
            if what == "number":
                number = value
            elif what == "wrong":
                self._take_back(number)
                if getattr(value, "args", ()) and value.args[0] == _LOST:
                    if not self.missing():
                        raise FideleError(
                            tr(
                                "The print service broke off while the page was sent, so it was not printed. Its disk "
                                "may be full: look at it, then print again."
                            )
                        ) from value
                    raise FideleError(
                        tr(
                            "The print service went away while the page was sent, so it was not printed. Print it "
                            "again when the service is back."
                        )
                    ) from value
                raise self._sentence(value) from value
            elif what == "done":
                return number
            if progress is not None and not progress(0.0):
                stop.set()
                self._take_back(number)
                raise CancelledError

    def _take_back(self, number: int) -> None:
        with contextlib.suppress(FideleError):
            if number:
                self.cancel(number)

    def job(self, number: int) -> JobState:
        """Return a job as it stands."""
        told = self.ask(lambda c: c.getJobAttributes(number))
        reasons = told.get("job-state-reasons", ())
        return JobState(
            number,
            int(told.get("job-state", 0)),
            (reasons,) if isinstance(reasons, str) else tuple(reasons),
            str(told.get("job-printer-state-message", "") or ""),
            int(told.get("job-media-sheets-completed", 0) or 0),
        )

    def follow(
        self,
        number: int,
        queue: str,
        progress: Progress | None = None,
        told: Callable[[JobState], None] = lambda _: None,
    ) -> JobState:
        """Wait until a job has ended; `told` hears how it stands.

        A job that the service stops, or whose printer stops, is taken back: it must not be printed behind one's back
        later.

        Raises
        ------
        FideleError
            When it was not printed, or nobody can say whether it was.
        CancelledError
            When `progress` returned False; the job is taken back.
        """
        lost = 0
        while True:
            try:
                state = self.job(number)
                lost = 0
                told(state)
            except FideleError as error:
                lost += 1
                if lost < 4:
                    time.sleep(2 * _LOOK)
                    continue
                raise FideleError(
                    tr(
                        "The print service went away while job {number} was under way: whether it was printed is not "
                        "known. Look at the printer before it is printed again. ({error})",
                        number=number,
                        error=error,
                    )
                ) from error
            if state.state == _DONE:
                return state
            if state.ended:
                raise FideleError(
                    tr("The print service did not print job {number}: {words}.", number=number, words=state.words)
                )
            if state.state == _JOB_STOPPED or "printer-stopped" in state.reasons:
                why = self.queue(queue).state or state.said
                self._take_back(number)
                raise FideleError(
                    tr(
                        "The queue {queue} stopped: {why}. Job {number} was taken back.",
                        queue=queue,
                        why=why or tr("no reason given"),
                        number=number,
                    )
                )
            if progress is not None and not progress(1.0):
                self._take_back(number)
                raise CancelledError
            time.sleep(_LOOK)

    def cancel(self, number: int) -> None:
        """Take a job back."""
        self.ask(lambda c: c.cancelJob(number, False))

    def hold(self, number: int, held: bool) -> None:
        """Hold a job, or let it go on."""
        self.ask(lambda c: c.setJobHoldUntil(number, "indefinite" if held else "no-hold"))


def _state(name: str, told: dict, jobs: tuple[str, ...], default: bool) -> QueueState:
    reasons = [str(r) for r in _several(told.get("printer-state-reasons")) if str(r) != "none"]
    bare = [r.removesuffix("-error").removesuffix("-warning").removesuffix("-report") for r in reasons]
    # What the service reports of itself is no fault of the printer's.
    words = list(dict.fromkeys(REASONS.get(r, "") for r in bare if not r.startswith("cups-")))
    said = str(told.get("printer-state-message", "") or "")
    stopped = told.get("printer-state") == _STOPPED
    accepts = bool(told.get("printer-is-accepting-jobs", True))
    if stopped and "paused" not in bare and not any(words):
        words.insert(0, tr("it is stopped"))
    if not accepts:
        words.append(tr("it takes no jobs"))
    state = "; ".join(w for w in words if w)
    if stopped and said and said.casefold() not in ("paused", "rejecting jobs"):
        state = f"{state} ({said})" if state else said
    uri = str(told.get("device-uri", ""))
    kind = int(told.get("printer-type", 0) or 0)
    driver = str(told.get("printer-make-and-model", ""))
    names = [str(n) for n in _several(told.get("marker-names"))]
    levels = [int(v) for v in _several(told.get("marker-levels"))]
    answers = not {"offline", "shutdown", "timed-out"} & set(bare) and not (stopped and "paused" not in bare)
    return QueueState(
        name=name,
        info=str(told.get("printer-info", "") or name),
        driver=driver,
        place=str(told.get("printer-location", "") or ""),
        uri=uri,
        state=state,
        accepts=accepts,
        answers=answers,
        driverless=uri.startswith(("ipp:", "ipps:", "dnssd:", "implicitclass:"))
        and any(w in driver.lower() for w in ("driverless", "everywhere")),
        remote=bool(kind & 0x0002),
        default=default,
        inks={n: v / 100 for n, v in zip(names, levels, strict=False) if 0 <= v <= 100},
        jobs=jobs,
        formats=tuple(str(f) for f in _several(told.get("document-format-supported"))),
    )


def _several(value: Any) -> Iterator[Any]:
    if value is None:
        return
    if isinstance(value, (list, tuple)):
        yield from value
    else:
        yield value
