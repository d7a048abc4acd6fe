"""Data classes as those of the standard library, but quick to define: of their methods only `__init__` is generated.

A window loads some three hundred of them, and generating for each how it is compared, hashed and written out, which few
are ever asked for, takes an eighth of a start. Here these three methods are the same functions for all classes.
"""

from __future__ import annotations

import dataclasses
from collections.abc import Callable
from functools import cache
from operator import attrgetter
from reprlib import recursive_repr
from typing import TYPE_CHECKING, Any

__all__ = ["dataclass"]

if TYPE_CHECKING:
    from dataclasses import dataclass
else:

    def dataclass(cls: type | None = None, /, *, eq: bool = True, **options: Any) -> Any:
        """Make a data class; takes `dataclasses.dataclass`'s `eq`, `frozen` and `kw_only`, which mean the same."""

        def made(cls: type) -> type:
            own = cls.__dict__
            mine = {"__repr__": _written} if "__repr__" not in own else {}
            if eq:
                # Who says how to compare says how to hash, if at all; what can change has no hash.
                mine |= {n: f for n, f in (("__eq__", _equal), ("__hash__", _hash)) if n not in own}
                if not options.get("frozen") and "__hash__" in mine:
                    mine["__hash__"] = None
            found = dataclasses.dataclass(cls, repr=False, eq=False, **options)
            for name, method in mine.items():
                setattr(found, name, method)
            return found

        return made if cls is None else made(cls)


@cache
def _values(cls: Any) -> Callable[[Any], Any]:
    """Return what takes the compared values of a class's objects out of them."""
    names = [f.name for f in dataclasses.fields(cls) if f.compare]
    if len(names) > 1:
        return attrgetter(*names)
    return lambda held: tuple(getattr(held, name) for name in names)


def _equal(self: Any, other: Any) -> Any:
    if self is other:
        return True
    if other.__class__ is not self.__class__:
        return NotImplemented
    values = _values(self.__class__)
    return values(self) == values(other)


def _hash(self: Any) -> int:
    return hash(_values(self.__class__)(self))


@recursive_repr()
def _written(self: Any) -> str:
    held = ", ".join(f"{f.name}={getattr(self, f.name)!r}" for f in dataclasses.fields(self) if f.repr)
    return f"{self.__class__.__qualname__}({held})"
