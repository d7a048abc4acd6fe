"""A guard: no event holds the interface's thread for long, by that thread's own time, however busy the machine is."""

from __future__ import annotations

import os
import time
from typing import ClassVar

from PySide6.QtCore import QEvent, QObject
from PySide6.QtWidgets import QApplication, QWidget

#: Seconds of its own time that an event may take.
MOST = 0.05
#: So many fail the test in which they happen; FIDELE_EVENTS=FILE keeps all that take longer than the above.
GROSS = 0.3


def _speed() -> float:
    """Return how fast this thread runs just now beside a quiet machine, 1 at most.

    Cores are shared, and clocks go up and down: what takes 0.04 s alone was counted as 0.1. So the same small work is
    done at once after an event that took long, and its time held against the shortest that it was ever done in.
    """
    began = time.thread_time()
    total = 0
    for number in range(40_000):
        total += number
    took = time.thread_time() - began
    _shortest[0] = min(_shortest[0], took)
    return min(1.0, _shortest[0] / took)


_shortest = [1.0]
for _ in range(20):
    _speed()


def _stolen() -> float:
    """Return the seconds that a virtual machine's processors were given to others: they count as a thread's own."""
    try:
        with open("/proc/stat", "rb") as stat:
            return int(stat.readline().split()[8]) / os.sysconf("SC_CLK_TCK")
    except (OSError, IndexError, ValueError):
        return 0.0


class Watched(QApplication):
    """An application that times every event from outside any other."""

    #: What took longer, and what took so long that a person would press again; all of it, where somebody asks.
    offences: ClassVar[list[str]] = []
    gross: ClassVar[list[str]] = []
    times: ClassVar[list[tuple[float, str]] | None] = None

    def __init__(self, arguments: list[str]) -> None:
        super().__init__(arguments)
        self._inside = False
        self._asked, self._stolen = 0.0, 0.0

    def notify(self, receiver: QObject, event: QEvent) -> bool:
        if self._inside:
            return bool(super().notify(receiver, event))
        kind = event.type()
        # A test's window that is done with: a user's goes with the program, when nobody waits for it.
        if kind == QEvent.Type.DeferredDelete and isinstance(receiver, QWidget) and receiver.isWindow():
            return bool(super().notify(receiver, event))
        if time.monotonic() - self._asked > 0.02:
            self._asked, self._stolen = time.monotonic(), _stolen()
        self._inside, began = True, time.thread_time()
        try:
            return bool(super().notify(receiver, event))
        finally:
            self._inside, took = False, time.thread_time() - began
            if took > MOST:
                took = (took - max(0.0, _stolen() - self._stolen)) * _speed()
            if took > MOST or self.times is not None:  # hundreds of thousands of events: no words are made of most
                what = f"{took * 1000:.0f} ms: {kind.name} of {type(receiver).__name__}"
                if self.times is not None:
                    self.times.append((took, what))
            if took > GROSS:
                self.gross.append(what)
            if took > MOST:
                self.offences.append(what)
                if path := os.environ.get("FIDELE_EVENTS"):
                    with open(path, "a") as log:
                        log.write(f"{os.environ.get('PYTEST_CURRENT_TEST', '')}\t{what}\n")
