"""Let a child do a piece of work with a file of unknown origin, and wait for its answer, no longer than is allowed."""

from __future__ import annotations

import atexit
import contextlib
import functools
import logging
import os
import pickle
import signal
import socket
import struct
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path
from typing import Any, ParamSpec, Self, TypeVar

import numpy as np

from fidele.apart import process, wire
from fidele.arrays import Codes
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.files import stamp_of
from fidele.language import tr

_log = logging.getLogger(__name__)
_P = ParamSpec("_P")
_T = TypeVar("_T")

#: Seconds of computing that any file gets, and more for each MiB of it.
SECONDS, SECONDS_PER_MIB = 4.0, 1.5
#: Bytes that any file gets; pictures get more once they have stated their size.
MEMORY = 640 << 20
#: A place for at most so many bytes is made ready for an answer, and so many more for each byte of the file.
_AT_MOST, _FOR_EACH = 128 << 20, 9600
#: A child that does nothing, waits or is starved is given up after this many times its seconds.
_PATIENCE = 12
_TURN = 0.1
#: A process that forks has no threads; and what is fetched from large pages is fetched in half the time.
_TUNED = {"OPENBLAS_NUM_THREADS": "1", "OMP_NUM_THREADS": "2", "GLIBC_TUNABLES": "glibc.malloc.hugetlb=1"}


@dataclass
class Usage:
    """What children took at most: bytes that one of them held."""

    peak: int = 0


usage = Usage()


class _Zygote:
    """The process that children come from, started when it is first wanted, and anew when it has gone."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._control: socket.socket | None = None
        self._process: subprocess.Popen[bytes] | None = None

    def child(self) -> socket.socket:
        """Return a socket to a new child."""
        with self._lock:
            for _ in range(2):
                if self._control is None:
                    self._begin()
                ours, theirs = socket.socketpair()
                try:
                    assert self._control is not None
                    socket.send_fds(self._control, [b"c"], [theirs.fileno()])
                    return ours
                except OSError:
                    ours.close()
                    self._end()
                finally:
                    theirs.close()
        raise FideleError(tr("No process can be started to open files in; is the machine out of memory?"))

    def warm(self) -> None:
        """Start it, so that the first file need not wait."""
        with self._lock:
            if self._control is None:
                self._begin()

    def _begin(self) -> None:
        ours, theirs = socket.socketpair()
        environment = os.environ | _TUNED
        # -P: what lies in the folder that one works in (a customer's, say) is no module of ours.
        command = [sys.executable, "-P", "-m", "fidele.apart.zygote", str(theirs.fileno())]
        try:
            self._process = subprocess.Popen(
                command, pass_fds=[theirs.fileno()], env=environment, stdin=subprocess.DEVNULL
            )
        except OSError as error:
            ours.close()
            raise FideleError(tr("No process can be started to open files in: {error}.", error=error)) from error
        finally:
            theirs.close()
        self._control = ours

    def _end(self) -> None:
        if self._control is not None:
            self._control.close()
        if self._process is not None:
            self._process.kill()
            self._process.wait()
        self._control = self._process = None

    def end(self) -> None:
        """End it; its children end with it."""
        with self._lock:
            self._end()


_zygote = _Zygote()
atexit.register(_zygote.end)
warm = _zygote.warm


def outside(function: Callable[_P, _T]) -> Callable[_P, _T]:
    """Let a function of a module that reads what comes from outside do so in a child, wherever it is called.

    It may read the paths among its arguments and nothing else; inside a child it is called as it is. Beside what it
    raises itself, FideleError says that it was given up, and why.
    """

    @functools.wraps(function)
    def called(*args: _P.args, **named: _P.kwargs) -> _T:
        if process.inside:
            return function(*args, **named)
        files = [a for a in (*args, *named.values()) if isinstance(a, Path)]
        what = next((a for a in args if isinstance(a, str)), "") if not files else ""
        with _Asking(called, args, named, files, what) as asking:
            answer: _T = asking.answer()[1]
        return answer

    return called


def apart_in_parts(function: Callable[..., Iterator[_T]], *args: object, files: Sequence[Path] = ()) -> Iterator[_T]:
    """Give what a function yields, computed in a child, a part ahead of what is asked for; as `outside` otherwise."""
    with _Asking(function, args, {}, files, "") as asking:
        while True:
            kind, part = asking.answer()
            if kind != "part":
                return
            asking.more()
            yield part


class _Asking:
    """One child at its work."""

    def __init__(
        self,
        function: Callable[..., object],
        args: tuple[object, ...],
        named: dict[str, Any],
        files: Sequence[Path],
        what: str,
    ) -> None:
        size = sum(stamp_of(f)[0] for f in files) + sum(len(a) for a in args if isinstance(a, bytes))
        self._called = what or (str(files[0]) if files else tr("This"))
        self._seconds = SECONDS + SECONDS_PER_MIB * size / (1 << 20)
        self._asker = _zygote.child()
        self._begun = time.monotonic()
        self._pid, self._child = 0, -1
        self._place: Codes | None = None
        self._most = _AT_MOST + _FOR_EACH * size
        try:
            self._asker.settimeout(60.0)
            (self._pid,) = struct.unpack("<Q", self._asker.recv(8, socket.MSG_WAITALL))
            self._child = os.pidfd_open(self._pid)
            job = (function.__module__, function.__name__, args, named, [f.resolve() for f in files])
            wire.send(self._asker, (*job, self._seconds, MEMORY + 4 * size))
        except (OSError, struct.error) as error:
            self.__exit__()
            raise self._lost(error) from error

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: object) -> None:
        self._asker.close()
        if self._child >= 0:
            with contextlib.suppress(ProcessLookupError):
                signal.pidfd_send_signal(self._child, signal.SIGKILL)
            os.close(self._child)

    def more(self) -> None:
        """Let the child go on to its next part."""
        with contextlib.suppress(OSError):  # what has become of it is told by its answer
            self._asker.send(b"m")

    def answer(self) -> tuple[str, Any]:
        """Wait for the next answer: 'part' or 'done', with what it holds."""
        waited = time.monotonic()
        try:
            self._asker.settimeout(_TURN)
            while not _answers(self._asker):
                if time.monotonic() - waited > self._seconds * _PATIENCE:
                    raise EOFError
            self._asker.settimeout(60.0)
            kind, answer, peak = wire.receive(self._asker, self._pid, self._place)
            if kind == "expect" and self._place is None and isinstance(answer, int):
                self._place = _ready(min(answer, self._most))
                return self.answer()
            usage.peak = max(usage.peak, int(peak))
        except (EOFError, OSError, struct.error, pickle.UnpicklingError, ValueError, TypeError) as error:
            raise self._lost(error) from error
        if kind in ("done", "part"):
            return kind, answer
        if kind == "refused" and isinstance(answer, FideleError):
            raise answer
        if kind == "memory":
            raise FideleError(
                tr("{called} needs more memory to open than a file of its size may take.", called=self._called)
            )
        _log.error("unforeseen, in a child with %s:\n%s", self._called, answer)
        raise FideleError(tr("{called} is damaged and cannot be opened.", called=self._called))

    def _lost(self, error: Exception) -> FideleError:
        took = time.monotonic() - self._begun
        _log.warning("a child was lost after %.1f s with %s: %r", took, self._called, error)
        slow = took > 0.8 * self._seconds
        why = (
            tr("more than {seconds:.0f} seconds", seconds=self._seconds)
            if slow
            else tr("more than its share of this machine")
        )
        return FideleError(
            tr(
                "{called} was given up: it takes {why} to open, as damaged files do. Ask for another copy of it.",
                called=self._called,
                why=why,
            )
        )


def _ready(size: int) -> Codes:
    """Return a place for so many bytes whose pages are there already: it takes as long to get them as to fill them."""
    place = np.empty(max(0, size), np.uint8)
    place[::4096] = 0
    return place


def _answers(asker: socket.socket) -> bool:
    """Wait a moment; return whether an answer begins, or the child has gone."""
    try:
        asker.recv(1, socket.MSG_PEEK)
    except TimeoutError:
        return False
    return True
