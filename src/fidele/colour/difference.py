"""Colour difference between L*a*b* values."""

from __future__ import annotations

from typing import cast

import numpy as np
from numpy.typing import ArrayLike

from fidele.arrays import Floats
from fidele.tiles import in_tiles

_TILE = 1 << 18


def delta_e_2000(Lab1: ArrayLike, Lab2: ArrayLike) -> Floats:
    """Return CIEDE2000 (ΔE00, kL = kC = kH = 1) of L*a*b* arrays (…, 3) that broadcast, shape (…).

    Computed in double precision whatever the input; float32 input gives float32 results. Source: ISO/CIE 11664-6;
    Sharma, Wu and Dalal, 'The CIEDE2000 color-difference formula', Color Res. Appl. 30 (2005).
    """
    from fidele.kernels.colours import de00

    Lab1, Lab2 = np.asarray(Lab1), np.asarray(Lab2)
    kind: type[np.float32] | type[np.float64] = np.float32 if Lab1.dtype == Lab2.dtype == np.float32 else np.float64
    shape = np.broadcast_shapes(Lab1.shape, Lab2.shape)
    first = np.ascontiguousarray(np.broadcast_to(Lab1, shape), dtype=kind).reshape(-1, 3)
    second = np.ascontiguousarray(np.broadcast_to(Lab2, shape), dtype=kind).reshape(-1, 3)
    out = np.empty(len(first), kind)

    def work(piece: slice) -> None:
        de00(first[piece], second[piece], out[piece])

    in_tiles(work, len(first), _TILE)
    return cast(Floats, out.reshape(shape[:-1]))
