"""The grain of ink on a page: see `fidele.bench.printer`."""

from __future__ import annotations

import math

import numpy as np
from numba import njit, types

from fidele.kernels.kinds import PLACES, REALS, given


@njit(
    types.void(given(types.float32, 3), given(types.float32, 3), types.int64, PLACES, REALS, *(types.float32,) * 2,
               types.uint16[:, :, ::1]),
    nogil=True,
    cache=True,
)  # fmt: skip
def grained(amounts, grain, first, columns, swath, rough, full, ink):
    """Turn amounts (h, w, 4), 0 to 1, into codes up to `full`, with the grain of a head and the bands of its passes.

    grain (g, g, 4) is repeated from row `first` and `columns` (w,) on; swath (h,) is how much each row gets.
    """
    height, width = amounts.shape[0], amounts.shape[1]
    zero, one, least = np.float32(0), np.float32(1), np.float32(0.02)
    for y in range(height):
        tile, much = grain[(first + y) % grain.shape[0]], swath[y]
        for x in range(width):
            at = columns[x]
            for c in range(4):
                amount = amounts[y, x, c] * much
                amount += tile[at, c] * (rough * math.sqrt(max(amount, zero) * max(one - amount, least)))
                ink[y, x, c] = np.uint16(np.rint(min(max(amount, zero), one) * full))
