"""Long work beside the interface thread, with progress and cancel.

Threads serve, because all our long steps spend their time in code that releases the interpreter's lock.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QObject, QRunnable, QThreadPool, Signal, Slot

from fidele.errors import FideleError
from fidele.tiles import CancelledError, Progress


class _Told(QObject):
    """Carries a task's news to the interface thread."""

    progress = Signal(object, float)
    done = Signal(object, object)
    failed = Signal(object, str)


class _Task(QRunnable):
    def __init__(self, title: str, call: Callable[[Progress], Any], done: Callable[[Any], None]) -> None:
        super().__init__()
        self.told = _Told()
        self.title = title
        self.cancelled = False
        self.done = done
        self._call = call
        self.setAutoDelete(False)

    def run(self) -> None:
        try:
            result = self._call(self._progress)
        except CancelledError:
            self.told.failed.emit(self, "")
        except FideleError as error:
            self.told.failed.emit(self, str(error))
        except MemoryError:
            self.told.failed.emit(self, "There is not enough memory for this.")
        except Exception as error:  # the window must live on, and say what happened
            self.told.failed.emit(self, f"Something unexpected went wrong ({type(error).__name__}: {error}).")
        else:
            self.told.done.emit(self, result)

    def _progress(self, share: float) -> bool:
        self.told.progress.emit(self, share)
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
        self._visible = _Task(title, call, done)
        self.started.emit(title)
        self._start(self._visible)
        return True

    def quietly(self, kind: str, call: Callable[[Progress], Any], done: Callable[[Any], None]) -> None:
        """Start a job in the background; an older one of the same kind is forgotten, its result thrown away."""
        if kind in self._quiet:
            self._quiet[kind].cancelled = True
        self._quiet[kind] = _Task(kind, call, done)
        self._start(self._quiet[kind])

    def _start(self, task: _Task) -> None:
        self._alive.add(task)
        # Bound methods of an object of this thread: the news is queued to it.
        task.told.progress.connect(self._on_progress)
        task.told.done.connect(self._on_done)
        task.told.failed.connect(self._on_failed)
        self._pool.start(task)

    def _end(self, task: _Task) -> bool:
        """Take a task off the books; tell whether its result still counts."""
        self._alive.discard(task)
        if task is self._visible:
            self._visible = None
            self.ended.emit()
            return True
        if self._quiet.get(task.title) is task:
            del self._quiet[task.title]
            return True
        return False

    @Slot(object, float)
    def _on_progress(self, task: _Task, share: float) -> None:
        if task is self._visible:
            self.progress.emit(share)

    @Slot(object, object)
    def _on_done(self, task: _Task, result: Any) -> None:
        if self._end(task):
            task.done(result)

    @Slot(object, str)
    def _on_failed(self, task: _Task, why: str) -> None:
        visible = task is self._visible
        if self._end(task) and (why or visible):
            self.failed.emit(why or f"{task.title}: cancelled.")

    def cancel(self) -> None:
        """Ask the visible job to stop."""
        if self._visible is not None:
            self._visible.cancelled = True

    def wait(self) -> None:
        """Cancel everything and wait for the threads, before the window goes."""
        for task in list(self._alive):
            task.cancelled = True
        self._pool.waitForDone(20_000)
