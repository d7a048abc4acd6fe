"""A plain observer, so that models need no interface library."""

from __future__ import annotations

from collections.abc import Callable


class Observable:
    """Tells listeners which topic changed."""

    def __init__(self) -> None:
        self._listeners: list[Callable[[str], None]] = []

    def listen(self, listener: Callable[[str], None]) -> None:
        """Call `listener` with the topic at each change, on the thread that changed it."""
        self._listeners.append(listener)

    def tell(self, topic: str) -> None:
        """Tell that `topic` changed."""
        for listener in list(self._listeners):
            listener(topic)
