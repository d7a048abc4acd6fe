"""From 8 to 16 bit and back: exact one way, dithered the other."""

from __future__ import annotations

from functools import cache

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Codes


def sixteen(pixels: Codes) -> NDArray[np.uint16]:
    """Return pixels at 16 bit; 255 becomes 65535."""
    wide = pixels.astype(np.uint16, copy=False)
    return wide if pixels.dtype == np.uint16 else wide * np.uint16(257)


def to_eight(pixels: Codes, first_row: int = 0) -> NDArray[np.uint8]:
    """Reduce pixels (h, w, channels), whose first row is `first_row` of a picture, by a dither keyed by position.

    The same picture gives the same numbers each time, flat colours keep their mean to a hundredth of a step, and
    values that 8 bit can hold stay exactly what they are.
    """
    height, width = pixels.shape[:2]
    out = np.empty(pixels.shape, np.uint8)
    threshold = _thresholds()
    for row in range(0, height, 256):
        block = pixels[row : row + 256].astype(np.uint32)
        rows = (np.arange(first_row + row, first_row + row + len(block)) % 64)[:, None]
        columns = (np.arange(width) % 64)[None, :]
        out[row : row + 256] = (block + threshold[rows, columns][..., None]) // 257
    return out


@cache
def _thresholds() -> NDArray[np.uint32]:
    """Return an ordered 64 x 64 matrix of 0 to 256 (Bayer, 'An optimum method for two-level rendition', 1973)."""
    matrix = np.array([[0]])
    for _ in range(6):
        matrix = np.block([[4 * matrix, 4 * matrix + 2], [4 * matrix + 3, 4 * matrix + 1]])
    return (matrix * 257 // matrix.size).astype(np.uint32)
