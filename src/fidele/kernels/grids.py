"""Tables of three and four dimensions over whole pages and pictures."""

from __future__ import annotations

import numpy as np
from numba import njit, types

from fidele.kernels.kinds import REAL_ROWS, given
from fidele.kernels.lanes import quadrilinear, tetrahedral, tetrahedral_pair, tetrahedral_three

#: So many pixels at once: what is between the stages stays in the nearest cache.
BLOCK = 512


@njit(cache=True, fastmath=True, error_model="numpy")
def cell(place, top):
    """The node below a place, from the first to `top`: what is no number, or beyond, never reaches past a table."""
    return max(min(np.int32(place), top), np.int32(0))


@njit(
    types.void(given(types.uint16), given(types.float32), given(types.float32, 1), types.int64, REAL_ROWS),
    nogil=True,
    cache=True,
    fastmath=True,
    error_model="numpy",
)
def multilinear4(amounts, axes, grid, size, out):
    """Interpolate a 4-D table, linear in each dimension; the squares of what is found.

    amounts (n, 4) uint16, turned into grid positions by axes (4, 65536) float32; grid (size ** 4 * 4,) float32, flat
    nodes of four; out (n, k) float32, k at most four.
    """
    n, k = out.shape
    along_y = np.int64(size * 4)
    along_x, along_w = along_y * size, along_y * size * size
    top = np.int32(size - 2)
    made = np.empty(4, np.float32)
    for i in range(n):
        w, x, y, z = axes[0, amounts[i, 0]], axes[1, amounts[i, 1]], axes[2, amounts[i, 2]], axes[3, amounts[i, 3]]
        w0, x0, y0, z0 = cell(w, top), cell(x, top), cell(y, top), cell(z, top)
        place = np.int64(w0) * along_w + np.int64(x0) * along_x + np.int64(y0) * along_y + np.int64(z0) * 4
        w, x, y, z = w - np.float32(w0), x - np.float32(x0), y - np.float32(y0), z - np.float32(z0)
        quadrilinear(grid, place, along_w, along_x, along_y, w, x, y, z, made, np.int64(0))
        for v in range(k):
            out[i, v] = made[v] * made[v]


@njit(cache=True, fastmath=True, error_model="numpy")
def in_tetrahedra(x, y, z, w, grid, sizes, width, low, made, count):
    """Interpolate a grid tetrahedrally in its last three dimensions, linearly in a first of four, as LittleCMS does.

    x, y, z (and w before them, where there are four) are places in nodes, which hold `width` numbers each, four or (of
    three dimensions) three; made (4 * BLOCK,) takes four for each place; low is for use.
    """
    four = sizes.shape[0] == 4
    step_y, step_x = np.int32(sizes[-1] * width), np.int32(sizes[-1] * sizes[-2] * width)
    step_z, step_w = np.int32(width), np.int32(sizes[-1] * sizes[-2] * sizes[-3] * width)
    top_x, top_y, top_z = np.int32(sizes[-3] - 2), np.int32(sizes[-2] - 2), np.int32(sizes[-1] - 2)
    every = step_x + step_y + step_z
    first, last = np.empty(BLOCK, np.int32), np.empty(BLOCK, np.int32)
    for i in range(count):
        x0, y0, z0 = cell(x[i], top_x), cell(y[i], top_y), cell(z[i], top_z)
        low[i] = x0 * step_x + y0 * step_y + z0 * step_z
        a, b, c = x[i] - np.float32(x0), y[i] - np.float32(y0), z[i] - np.float32(z0)
        # The way from the low corner to the high one goes along the largest part first and the smallest last.
        first[i] = (step_x if a >= c else step_z) if a >= b else (step_y if b >= c else step_z)
        last[i] = every - ((step_x if a < c else step_z) if a < b else (step_y if b < c else step_z))
        large, small = max(a, b), min(a, b)
        x[i] = max(large, c)
        y[i] = max(small, min(large, c))
        z[i] = min(small, c)
    if four:
        top_w = np.int32(sizes[0] - 2)
        for i in range(count):
            w0 = cell(w[i], top_w)
            low[i] += w0 * step_w
            w[i] -= np.float32(w0)
        for i in range(count):
            p, long, m, s = np.int64(low[i]), x[i], y[i], z[i]
            tetrahedral_pair(
                grid, p, p + np.int64(first[i]), p + np.int64(last[i]), p + np.int64(every),
                np.float32(1) - long, long - m, m - s, s, np.int64(step_w), w[i], made, np.int64(4 * i),
            )  # fmt: skip
    elif width == 3:
        for i in range(count):
            p, long, m, s = np.int64(low[i]), x[i], y[i], z[i]
            tetrahedral_three(
                grid, p, p + np.int64(first[i]), p + np.int64(last[i]), p + np.int64(every),
                np.float32(1) - long, long - m, m - s, s, made, np.int64(4 * i),
            )  # fmt: skip
    else:
        for i in range(count):
            p, long, m, s = np.int64(low[i]), x[i], y[i], z[i]
            tetrahedral(
                grid, p, p + np.int64(first[i]), p + np.int64(last[i]), p + np.int64(every),
                np.float32(1) - long, long - m, m - s, s, made, np.int64(4 * i),
            )  # fmt: skip


@njit(
    types.void(given(types.float32), given(types.float32, 4), REAL_ROWS),
    nogil=True,
    cache=True,
    fastmath=True,
    error_model="numpy",
)
def tetrahedral3(codes, table, out):
    """Interpolate a 3-D table tetrahedrally.

    codes (n, 3) float32 from 0 to 1; table (g, g, g, k) float32, k three or four; out (n, k) float32.
    """
    n, k = out.shape
    g = table.shape[0]
    if k not in (3, 4) or table.shape[3] != k or g < 2:
        raise ValueError("a table of two nodes a side and more, which hold three or four numbers")
    grid, sizes = table.reshape(table.size), np.array([g, g, g])
    x, y, z, w = (
        np.empty(BLOCK, np.float32),
        np.empty(BLOCK, np.float32),
        np.empty(BLOCK, np.float32),
        np.empty(1, np.float32),
    )
    low, made = np.empty(BLOCK, np.int32), np.empty(4 * BLOCK, np.float32)
    scale = np.float32(g - 1)
    for start in range(0, n, BLOCK):
        count = min(BLOCK, n - start)
        for i in range(count):
            x[i], y[i], z[i] = codes[start + i, 0] * scale, codes[start + i, 1] * scale, codes[start + i, 2] * scale
        in_tetrahedra(x, y, z, w, grid, sizes, k, low, made, count)
        for i in range(count):
            for v in range(k):
                out[start + i, v] = made[4 * i + v]


@njit(
    types.void(given(types.float32), given(types.float32, 5), REAL_ROWS),
    nogil=True,
    cache=True,
    fastmath=True,
    error_model="numpy",
)
def tetrahedral4(codes, table, out):
    """Interpolate a 4-D table as LittleCMS does: linear in the first dimension, tetrahedral in the others.

    codes (n, 4) float32 from 0 to 1; table (g, g, g, g, 4) float32; out (n, k) float32, k three or four.
    """
    n, k = out.shape
    g = table.shape[0]
    if k not in (3, 4) or table.shape[4] != 4 or g < 2:
        raise ValueError("a table of two nodes a side and more, which hold four numbers")
    grid, sizes = table.reshape(table.size), np.array([g, g, g, g])
    x, y, z, w = (
        np.empty(BLOCK, np.float32),
        np.empty(BLOCK, np.float32),
        np.empty(BLOCK, np.float32),
        np.empty(BLOCK, np.float32),
    )
    low, made = np.empty(BLOCK, np.int32), np.empty(4 * BLOCK, np.float32)
    scale = np.float32(g - 1)
    for start in range(0, n, BLOCK):
        count = min(BLOCK, n - start)
        for i in range(count):
            w[i], x[i] = codes[start + i, 0] * scale, codes[start + i, 1] * scale
            y[i], z[i] = codes[start + i, 2] * scale, codes[start + i, 3] * scale
        in_tetrahedra(x, y, z, w, grid, sizes, 4, low, made, count)
        for i in range(count):
            for v in range(k):
                out[start + i, v] = made[4 * i + v]


@njit(nogil=True, cache=True, error_model="numpy")
def simplices(codes, table, side, out):
    """Interpolate a table of k dimensions in simplices: along the largest part of a place first, the smallest last.

    codes (n, k) float32 from 0 to 1; table (side ** k * 4,) float32, four numbers a node; out (n, 3).
    """
    n, k = codes.shape
    part, steps = np.empty(k, np.float32), np.empty(k, np.int64)
    for i in range(n):
        base, step = np.int64(0), np.int64(4)
        for axis in range(k - 1, -1, -1):
            place = min(max(codes[i, axis], np.float32(0)), np.float32(1)) * np.float32(side - 1)
            low = min(np.int64(place), np.int64(side - 2))
            base += low * step
            fraction = place - np.float32(low)
            slot = k - 1 - axis  # kept in order, the largest first
            while slot > 0 and part[slot - 1] < fraction:
                part[slot], steps[slot] = part[slot - 1], steps[slot - 1]
                slot -= 1
            part[slot], steps[slot] = fraction, step
            step *= side
        weight = np.float32(1) - part[0]
        x, y, z = weight * table[base], weight * table[base + 1], weight * table[base + 2]
        for slot in range(k):
            base += steps[slot]
            weight = part[slot] - (part[slot + 1] if slot + 1 < k else np.float32(0))
            x += weight * table[base]
            y += weight * table[base + 1]
            z += weight * table[base + 2]
        out[i, 0], out[i, 1], out[i, 2] = x, y, z
