"""How much of a long series the suite does: a part of it, or all with `./run thorough`."""

from __future__ import annotations

import os

#: Whether every series is done whole.
THOROUGH = os.environ.get("FIDELE_THOROUGH") == "1"


def part(whole: int, some: int) -> int:
    """Return how many of a series are done now."""
    return whole if THOROUGH else some
