"""Lay a picture over bare substrate."""

from __future__ import annotations

import numpy as np

from fidele.arrays import Codes, top_of


def over_white(pixels: Codes, alpha: Codes | None, white: Codes | None = None) -> Codes:
    """Lay a picture over bare paper, whose values are `white` (the largest where not given): the same shape and type.

    What is transparent stays bare. Alpha may be of another depth than the pixels.
    """
    if alpha is None:
        return pixels
    share = alpha[..., None].astype(np.float32) / top_of(alpha)
    white = np.asarray(top_of(pixels)) if white is None else white
    return np.rint(pixels * share + white * (1 - share)).astype(pixels.dtype)
