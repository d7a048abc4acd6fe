"""Sums of kernels over many centres: see `fidele.characterise.fit`."""

from __future__ import annotations

import math

import numpy as np
from numba import njit, types

from fidele.kernels.kinds import DOUBLE_ROWS, given

#: Steps that turn the loop into vector instructions, and leave what is no number what it is.
_LOOSE = {"contract", "reassoc", "arcp", "nsz"}
#: So many centres at once: their distances stay in the nearest cache.
_BLOCK = 512


@njit(cache=True, fastmath=_LOOSE, error_model="numpy")
def _distances(place, centres, first, count, scale, out):
    """Put the distances of a place (d,) to centres (d, k), from a first one on, times a scale, into `out`."""
    here, along = place[0], centres[0]
    for j in range(count):
        out[j] = (here - along[first + j]) * (here - along[first + j])
    for d in range(1, centres.shape[0]):
        here, along = place[d], centres[d]
        for j in range(count):
            out[j] += (here - along[first + j]) * (here - along[first + j])
    for j in range(count):
        out[j] = scale * math.sqrt(out[j])


@njit(cache=True, fastmath=_LOOSE, error_model="numpy")
def _matern(row, order, count):
    """Turn scaled distances into Matern kernels of order 3/2, 5/2 or 7/2; 0 is their cube.

    The exponential is a series of a 32nd of it, right to 1e-11 up to distances of 14: arithmetic alone.
    """
    if order == 0:
        for j in range(count):
            row[j] = row[j] * row[j] * row[j]
        return
    square = 1 / 3 if order == 5 else (0.4 if order == 7 else 0.0)
    cube = 1 / 15 if order == 7 else 0.0
    for j in range(count):
        s = row[j]
        e = -s / 32
        p = 1 + e * (1 + e / 2 * (1 + e / 3 * (1 + e / 4 * (1 + e / 5 * (1 + e / 6 * (1 + e / 7 * (
            1 + e / 8 * (1 + e / 9 * (1 + e / 10 * (1 + e / 11 * (1 + e / 12)))))))))))  # fmt: skip
        p = p * p
        p = p * p
        p = p * p
        p = p * p
        p = p * p
        row[j] = p * (1 + s * (1 + s * (square + s * cube)))


@njit(
    types.void(*(given(types.float64),) * 3, types.float64, types.int64, DOUBLE_ROWS),
    nogil=True,
    cache=True,
    fastmath=_LOOSE,
    error_model="numpy",
)
def kernel_sums(at, centres, factors, reach, order, out):
    """Sum kernels of an order (3, 5, 7; 0 for cubes) over centres (d, k), times factors (3, k), at places (n, d).

    Into out (n, 3). Source: Rasmussen and Williams, 'Gaussian Processes for Machine Learning' (2006), 4.2.1.
    """
    k = centres.shape[1]
    scale = (math.sqrt(order) if order else 1.0) / reach
    row = np.empty(_BLOCK)
    one, two, three = factors[0], factors[1], factors[2]
    for i in range(at.shape[0]):
        first_sum, second_sum, third_sum = 0.0, 0.0, 0.0
        for first in range(0, k, _BLOCK):
            count = min(_BLOCK, k - first)
            _distances(at[i], centres, first, count, scale, row)
            _matern(row, order, count)
            for j in range(count):
                first_sum += row[j] * one[first + j]
                second_sum += row[j] * two[first + j]
                third_sum += row[j] * three[first + j]
        out[i, 0], out[i, 1], out[i, 2] = first_sum, second_sum, third_sum
