"""What was found out about a picture's pixels, for as long as they live."""

from __future__ import annotations

import weakref
from typing import Any, Generic, TypeVar

from fidele.arrays import Codes

_T = TypeVar("_T")


class Remembered(Generic[_T]):
    """Values by the very array they were computed from; nothing is kept alive by it."""

    def __init__(self) -> None:
        self._known: dict[int, tuple[weakref.ref[Any], _T]] = {}

    def get(self, pixels: Codes) -> _T | None:
        """Return what is known of an array, None for nothing."""
        found = self._known.get(id(pixels))
        return found[1] if found is not None and found[0]() is pixels else None

    def keep(self, pixels: Codes, value: _T) -> None:
        """Remember a value of an array."""
        self._known = {key: pair for key, pair in self._known.items() if pair[0]() is not None}
        self._known[id(pixels)] = (weakref.ref(pixels), value)
