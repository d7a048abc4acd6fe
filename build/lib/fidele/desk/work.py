"""Long work beside the interface thread, with progress and cancel.

Threads serve, because all our long steps spend their time in code that releases the interpreter's lock.
"""

from __future__ import annotations

import logging
from collections.abc import Callable
from typing import Any, TypeVar

from PySide6.QtCore import QObject, QThreadPool, Signal, Slot

from fidele.errors import FideleError
from fidele.language import tr
from fidele.tiles import CancelledError, Progress

_log = logging.getLogger(__name__)
_Result = TypeVar("_Result")


class _Told(QObject):
    """Carries a task's news to the interface thread."""

    progress = Signal(object, float)
    done = Signal(object, object)
    failed = Signal(object, str)


class _Task:
    def __init__(self, title: str, call: Callable[[Progress], _Result], done: Callable[[_Result], object]) -> None:
        self.told = _Told()
        self.title = title
        self.cancelled = False
        self.done: Callable[[Any], object] = done
        self._call = call

    def run(self) -> None:
        try:
            result = self._call(self._progress)
        except CancelledError:
            self.told.failed.emit(self, "")
        except FideleError as error:
            self.told.failed.emit(self, str(error))
        except MemoryError:
            self.told.failed.emit(self, tr("There is not enough memory for this."))
        except Exception as error:  # the window must live on, and say what happened
            _log.exception("“%s” failed", self.title)
            self.told.failed.emit(
                self, tr("Something unexpected went wrong ({name}: {error}).", name=type(error).__name__, error=error)
            )
        else:
            self.told.done.emit(self, result)

    def _progress(self, share: float) -> bool:
        self.told.progress.emit(self, share)
        return not self.cancelled


class Work(QObject):
    """Runs visible jobs, one at a time in each lane, and quiet ones of which the newest of each kind counts.

    The lane 'main' is for what a person waits for and what moves machines; files are opened in one of their own, so
    that a long print keeps nobody from them. A job of a lane that is busy waits there, except in 'main', which refuses.
    """

    started = Signal(str)
    progress = Signal(float)
    ended = Signal()
    failed = Signal(str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._pool = QThreadPool(self)
        self._pool.setMaxThreadCount(4)
        self._lanes: dict[str, _Task] = {}
        self._waiting: list[tuple[str, _Task]] = []
        self._quiet: dict[str, _Task] = {}
        self._alive: set[_Task] = set()

    @property
    def busy(self) -> bool:
        """Whether a job of the main lane is under way."""
        return "main" in self._lanes

    @property
    def title(self) -> str:
        """What the job of the main lane is called, '' for none."""
        return self._lanes["main"].title if self.busy else ""

    def under_way(self, lane: str) -> bool:
        """Whether a job of a lane is under way or waits."""
        return lane in self._lanes or any(name == lane for name, _ in self._waiting)

    @property
    def idle(self) -> bool:
        """Whether nothing at all is under way."""
        return not self._alive and not self._waiting

    def run(
        self, title: str, call: Callable[[Progress], _Result], done: Callable[[_Result], object], lane: str = "main"
    ) -> bool:
        """Start a visible job; `done` gets its result on the interface thread. False where it was refused."""
        task = _Task(title, call, done)
        if lane in self._lanes:
            if lane != "main":
                self._waiting.append((lane, task))
                return True
            self.failed.emit(tr("One thing at a time: wait for the work under way, or cancel it."))
            return False
        self._begin(lane, task)
        return True

    def _begin(self, lane: str, task: _Task) -> None:
        self._lanes[lane] = task
        if self._shown is task:
            self.started.emit(task.title)
        self._start(task)

    @property
    def _shown(self) -> _Task | None:
        """The job whose progress is shown: that of the main lane, else the one that has gone on for longest."""
        return self._lanes.get("main") or next(iter(self._lanes.values()), None)

    def quietly(self, kind: str, call: Callable[[Progress], _Result], done: Callable[[_Result], object]) -> None:
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
        # A runnable would be kept for good, with all that it holds; what is called is let go when it has run.
        self._pool.start(task.run)

    def _end(self, task: _Task) -> bool:
        """Take a task off the books; tell whether its result still counts."""
        self._alive.discard(task)
        lane = next((name for name, one in self._lanes.items() if one is task), "")
        if lane:
            del self._lanes[lane]
            following = next((k for k, (name, _) in enumerate(self._waiting) if name == lane), None)
            if following is not None:
                self._begin(*self._waiting.pop(following))
            if self._shown is None:
                self.ended.emit()
            return True
        if self._quiet.get(task.title) is task:
            del self._quiet[task.title]
            return True
        return False

    @Slot(object, float)
    def _on_progress(self, task: _Task, share: float) -> None:
        if task is self._shown:
            self.progress.emit(share)

    @Slot(object, object)
    def _on_done(self, task: _Task, result: object) -> None:
        if self._end(task):
            task.done(result)

    @Slot(object, str)
    def _on_failed(self, task: _Task, why: str) -> None:
        visible = task in self._lanes.values()
        if self._end(task) and (why or visible):
            self.failed.emit(why or tr("{title}: cancelled.", title=task.title))

    def cancel(self) -> None:
        """Ask the job whose progress is shown to stop, and forget what waits behind it."""
        shown = self._shown
        if shown is not None:
            shown.cancelled = True
            lane = next(name for name, one in self._lanes.items() if one is shown)
            self._waiting = [(name, task) for name, task in self._waiting if name != lane]

    def wait(self) -> None:
        """Cancel everything and wait for the threads, before the window goes."""
        self._waiting.clear()
        for task in list(self._alive):
            task.cancelled = True
        self._pool.waitForDone(20_000)
