"""Long work beside the interface thread, with progress and cancel.

Threads serve, because all our long steps spend their time in code that releases the interpreter's lock.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QObject, QRunnable, QThreadPool, Signal

from fidele.errors import FideleError
from fidele.tiles import CancelledError, Progress


class _Told(QObject):
    progress = Signal(float)
    done = Signal(object)
    failed = Signal(str)


class _Task(QRunnable):
    def __init__(self, call: Callable[[Progress], Any]) -> None:
        super().__init__()
        self.told = _Told()
        self.cancelled = False
        self._call = call
        self.setAutoDelete(False)

    def run(self) -> None:
        try:
            result = self._call(self._progress)
        except CancelledError:
            self.told.failed.emit("")
        except FideleError as error:
            self.told.failed.emit(str(error))
        except MemoryError:
            self.told.failed.emit("There is not enough memory for this.")
        except Exception as error:  # the window must live on, and say what happened
            self.told.failed.emit(f"Something unexpected went wrong ({type(error).__name__}: {error}).")
        else:
            self.told.done.emit(result)

    def _progress(self, share: float) -> bool:
        self.told.progress.emit(share)
        return not self.cancelled


class Work(QObject):
    """Runs one visible job at a time, and quiet ones of which only the newest of each kind counts."""

    started = Signal(str)
    progress = Signal(float)
    ended = Signal()
    failed = Signal(str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._pool = QThreadPool(self)
        self._pool.setMaxThreadCount(3)
        self._visible: _Task | None = None
        self._quiet: dict[str, _Task] = {}
        self._alive: set[_Task] = set()

    @property
    def busy(self) -> bool:
        """Whether a visible job is under way."""
        return self._visible is not None

    @property
    def idle(self) -> bool:
        """Whether nothing at all is under way."""
        return not self._alive

    def run(self, title: str, call: Callable[[Progress], Any], done: Callable[[Any], None]) -> bool:
        """Start a visible job; `done` gets its result on the interface thread. False when one is under way already."""
        if self.busy:
            self.failed.emit("One thing at a time: wait for the work under way, or cancel it.")
            return False
        task = self._start(call)
        self._visible = task
        task.told.progress.connect(self.progress)

        def finish(result: Any) -> None:
            self._visible = None
            self.ended.emit()
            done(result)

        def fail(why: str) -> None:
            self._visible = None
            self.ended.emit()
            self.failed.emit(why or f"{title}: cancelled.")

        task.told.done.connect(finish)
        task.told.failed.connect(fail)
        self.started.emit(title)
        self._pool.start(task)
        return True

    def quietly(self, kind: str, call: Callable[[Progress], Any], done: Callable[[Any], None]) -> None:
        """Start a job in the background; an older one of the same kind is forgotten, its result thrown away."""
        old = self._quiet.get(kind)
        if old is not None:
            old.cancelled = True
        task = self._start(call)
        self._quiet[kind] = task

        def finish(result: Any) -> None:
            if self._quiet.get(kind) is task:
                del self._quiet[kind]
                done(result)

        def fail(why: str) -> None:
            if self._quiet.get(kind) is task:
                del self._quiet[kind]
                if why:
                    self.failed.emit(why)

        task.told.done.connect(finish)
        task.told.failed.connect(fail)
        self._pool.start(task)

    def _start(self, call: Callable[[Progress], Any]) -> _Task:
        task = _Task(call)
        self._alive.add(task)
        task.told.done.connect(lambda _: self._alive.discard(task))
        task.told.failed.connect(lambda _: self._alive.discard(task))
        return task

    def cancel(self) -> None:
        """Ask the visible job to stop."""
        if self._visible is not None:
            self._visible.cancelled = True

    def wait(self) -> None:
        """Cancel everything and wait for the threads, before the window goes."""
        for task in list(self._alive):
            task.cancelled = True
        self._pool.waitForDone(20_000)
