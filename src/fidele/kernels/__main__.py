"""Compile every kernel for the argument types in use, into the cache that others read."""

from __future__ import annotations

import numpy as np

from fidele.kernels.colours import de00, din99o, scale_black
from fidele.kernels.grids import multilinear4, tetrahedral3
from fidele.kernels.rasters import unpack_rows
from fidele.kernels.solids import farthest, winding_at, winding_columns
from fidele.kernels.steps import damped_steps
from fidele.kernels.transforms import LAB, transform


def warm() -> None:
    """Call each once."""
    real, long = np.float32, np.int64
    for kind in (np.float32, np.float64):
        lab = np.zeros((2, 3), kind)
        de00(lab, lab, np.empty(2, kind))
    scale_black(np.zeros((2, 3), real), 0.0, 0.01)
    grid, axes = np.zeros(4 * 18, real), np.zeros((4, 65536), real)
    multilinear4(np.zeros((2, 4), np.uint16), axes, grid, 2, np.empty((2, 3), real))
    for k in (3, 4):
        tetrahedral3(np.zeros((2, 3), real), np.zeros((2, 2, 2, k), real), np.empty((2, k), real))
    pairs, none, two = np.zeros((3, 2), real), np.zeros((3, 0), real), np.full(3, 2, long)
    for depth in (np.uint8, np.uint16, np.float32):
        codes, matrix, scales = np.zeros((2, 3), depth), np.zeros((3, 4), real), np.ones(2, real)
        out = np.empty((2, 3), depth)
        transform(
            codes, LAB, pairs, grid, two, none, True, matrix, True, scales, pairs, grid, two, none, real(1), out
        )  # fmt: skip
    flat, axis = np.zeros((2, 3)), np.arange(3.0)
    winding_at(flat, flat, np.zeros((1, 3), long), np.empty(2, np.int32))
    winding_columns(flat, np.zeros((1, 3), long), axis, axis, axis, np.zeros((3, 3, 4), np.int32))
    unpack_rows(np.zeros(2, np.uint8), np.empty((1, 1), np.uint8), 1)
    farthest(np.zeros(3), flat, flat, np.zeros((1, 3), long), np.empty(2))
    din99o(flat, np.empty((2, 3)))
    damped_steps(np.ones((2, 3, 3)), flat, flat, np.ones(2), 0.0, 1.0, np.empty((2, 3)))


if __name__ == "__main__":
    warm()
