"""Which process this is, and what a child has to say before it answers."""

from __future__ import annotations

from collections.abc import Callable

#: Whether this is a child that reads what comes from outside; set once, by the child itself.
inside = False

#: In a child, tells how many bytes its answer will have, so that a place for them is ready by then.
tell: Callable[[int], None] = lambda size: None  # noqa: E731 (set anew by the child)
