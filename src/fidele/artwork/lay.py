"""Lay a picture over bare substrate."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray


def over_white(pixels: NDArray[Any], alpha: NDArray[Any] | None, white: NDArray[Any] | None = None) -> NDArray[Any]:
    """Lay a picture over bare paper, whose values are `white` (the largest where not given): the same shape and type.

    What is transparent stays bare. Alpha may be of another depth than the pixels.
    """
    if alpha is None:
        return pixels
    share = alpha[..., None].astype(np.float32) / np.iinfo(alpha.dtype).max
    white = np.asarray(np.iinfo(pixels.dtype).max) if white is None else white
    return np.rint(pixels * share + white * (1 - share)).astype(pixels.dtype)
