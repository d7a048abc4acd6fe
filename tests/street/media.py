"""What becomes of a stranger's print without a profile on three media each: its own, and two others."""

from __future__ import annotations

import numpy as np

from tests.street import neutral
from tests.street.kinds import Stranger


def judged(one: Stranger) -> list[dict]:
    """Return the figures of its greys, and of looks, on each media."""
    rng = np.random.default_rng([one.seed, *one.kind.encode()])
    return [neutral.judged(there) for there in (one, one.elsewhere(rng), one.elsewhere(rng))]


def summed(rows: list[dict]) -> dict:
    """Return what they say together."""
    return neutral.summed(rows)
