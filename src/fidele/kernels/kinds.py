"""Kinds of arrays that kernels say they take.

Said, so that a kernel is compiled once, as it is imported or at set-up: for values that must not be written numba would
compile another, while somebody waits.
"""

from __future__ import annotations

from numba import types

#: Rows and tables of numbers, to be read or written, one after another in memory.
REALS, REAL_ROWS, DOUBLES, DOUBLE_ROWS = (
    types.float32[::1],
    types.float32[:, ::1],
    types.float64[::1],
    types.float64[:, ::1],
)
PLACES = types.int64[::1]


def given(kind, dimensions=2):
    """Return an array that is read and may be one that must not be written."""
    return types.Array(kind, dimensions, "C", readonly=True)
