"""What can be undone, as steps with a name."""

from __future__ import annotations

from collections.abc import Callable

from fidele.dataclass import dataclass


@dataclass(frozen=True)
class Step:
    """One thing that was done, how to take it back, and how to do it again."""

    name: str
    undo: Callable[[], None]
    redo: Callable[[], None]


class History:
    """Steps done and undone."""

    def __init__(self, limit: int = 100) -> None:
        self._done: list[Step] = []
        self._undone: list[Step] = []
        self._limit = limit

    def do(self, name: str, redo: Callable[[], None], undo: Callable[[], None]) -> None:
        """Do something now and remember how to take it back."""
        redo()
        self._done = [*self._done[-self._limit + 1 :], Step(name, undo, redo)]
        self._undone.clear()

    def clear(self) -> None:
        """Forget all steps: they are of other work."""
        self._done, self._undone = [], []

    @property
    def next_undo(self) -> str:
        """Name of what would be undone, or ''."""
        return self._done[-1].name if self._done else ""

    @property
    def done(self) -> list[str]:
        """Names of what can be undone, the last step first."""
        return [step.name for step in reversed(self._done)]

    @property
    def undone(self) -> list[str]:
        """Names of what can be done again, the next one first."""
        return [step.name for step in reversed(self._undone)]

    def undo(self) -> str:
        """Take the last step back; return its name, '' when there is none."""
        if not self._done:
            return ""
        step = self._done[-1]
        step.undo()
        self._undone.append(self._done.pop())
        return step.name

    def redo(self) -> str:
        """Do the last undone step again; return its name, '' when there is none."""
        if not self._undone:
            return ""
        step = self._undone[-1]
        step.redo()
        self._done.append(self._undone.pop())
        return step.name
