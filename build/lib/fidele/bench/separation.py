"""RGB as the printer takes it, to amounts of cyan, magenta, yellow and black ink."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray


def separate(rgb: ArrayLike) -> NDArray[np.float64]:
    """Separate RGB (…, 3), 0 to 1, into ink amounts (…, 4), 0 to 1.

    Black grows from what cyan, magenta and yellow have in common and replaces part of them; the sum of inks stays
    below 2.4, which is what the paper holds.
    """
    cmy = np.clip(1 - np.asarray(rgb, dtype=float), 0, 1)
    # A soft minimum: where inks meet there is no edge.
    common = np.mean((cmy + 1e-6) ** -8.0, axis=-1, keepdims=True) ** (-1 / 8) - 1e-6
    black = 0.95 * common**2.6
    colours = cmy**1.15 * (1 - 0.14 * cmy) - 0.50 * black
    total = colours.sum(axis=-1, keepdims=True) + black
    colours = np.clip(colours, 0, 1) * np.minimum(1, 2.4 / np.maximum(total, 1e-6))
    return np.concatenate([colours, black], axis=-1)
