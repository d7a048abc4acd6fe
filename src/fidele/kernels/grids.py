"""Tables of three and four dimensions over whole pages and pictures."""

from __future__ import annotations

import numpy as np
from numba import njit

from fidele.kernels.lanes import quadrilinear


@njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
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
        w0, x0, y0, z0 = min(np.int32(w), top), min(np.int32(x), top), min(np.int32(y), top), min(np.int32(z), top)
        place = np.int64(w0) * along_w + np.int64(x0) * along_x + np.int64(y0) * along_y + np.int64(z0) * 4
        w, x, y, z = w - np.float32(w0), x - np.float32(x0), y - np.float32(y0), z - np.float32(z0)
        quadrilinear(grid, place, along_w, along_x, along_y, w, x, y, z, made, np.int64(0))
        for v in range(k):
            out[i, v] = made[v] * made[v]


@njit(nogil=True, cache=True, fastmath=True)
def tetrahedral3(codes, table, out):
    """Interpolate a 3-D table tetrahedrally.

    codes (n, 3) float32 from 0 to 1; table (g, g, g, k) float32; out (n, k) float32.
    """
    g = table.shape[0]
    k = table.shape[3]
    for i in range(codes.shape[0]):
        x = codes[i, 0] * (g - 1)
        y = codes[i, 1] * (g - 1)
        z = codes[i, 2] * (g - 1)
        x0, y0, z0 = min(int(x), g - 2), min(int(y), g - 2), min(int(z), g - 2)
        fx, fy, fz = x - x0, y - y0, z - z0
        # The three steps from the low corner to the high one, longest first, name the tetrahedron.
        ax, ay, az, bx, by, bz = 1, 0, 0, 1, 1, 0
        h, m, s = fx, fy, fz
        if fx >= fy:
            if fy >= fz:
                pass
            elif fx >= fz:
                bx, by, bz = 1, 0, 1
                h, m, s = fx, fz, fy
            else:
                ax, ay, az, bx, by, bz = 0, 0, 1, 1, 0, 1
                h, m, s = fz, fx, fy
        elif fz >= fy:
            ax, ay, az, bx, by, bz = 0, 0, 1, 0, 1, 1
            h, m, s = fz, fy, fx
        elif fz >= fx:
            ax, ay, az, bx, by, bz = 0, 1, 0, 0, 1, 1
            h, m, s = fy, fz, fx
        else:
            ax, ay, az, bx, by, bz = 0, 1, 0, 1, 1, 0
            h, m, s = fy, fx, fz
        for v in range(k):
            out[i, v] = (
                table[x0, y0, z0, v] * (1 - h)
                + table[x0 + ax, y0 + ay, z0 + az, v] * (h - m)
                + table[x0 + bx, y0 + by, z0 + bz, v] * (m - s)
                + table[x0 + 1, y0 + 1, z0 + 1, v] * s
            )
