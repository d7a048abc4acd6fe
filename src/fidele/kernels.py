"""Compiled kernels for whole images. Each releases the interpreter's lock and is cached on disk.

They are kept in one module because they are compiled together by ``python -m fidele.kernels`` at set-up; numba is
slow to import, so callers import this module late. Wrappers with checks and documentation stand where the subject
is: `fidele.colour.difference`, `fidele.bench.inkset`.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit

_POW25_7 = 25.0**7
_RAD = math.pi / 180.0


@njit(nogil=True, cache=True, fastmath=False)
def de00(lab1, lab2, out):  # type: ignore[no-untyped-def]
    """CIEDE2000 of two (n, 3) arrays into out (n,). Source: Sharma, Wu, Dalal 2005, equations 2 to 22."""
    for i in range(lab1.shape[0]):
        L1, a1, b1 = float(lab1[i, 0]), float(lab1[i, 1]), float(lab1[i, 2])
        L2, a2, b2 = float(lab2[i, 0]), float(lab2[i, 1]), float(lab2[i, 2])
        mean_c = (math.sqrt(a1 * a1 + b1 * b1) + math.sqrt(a2 * a2 + b2 * b2)) / 2
        c7 = mean_c**7
        g = 1.5 - 0.5 * math.sqrt(c7 / (c7 + _POW25_7))
        a1, a2 = a1 * g, a2 * g
        c1, c2 = math.sqrt(a1 * a1 + b1 * b1), math.sqrt(a2 * a2 + b2 * b2)
        h1 = math.atan2(b1, a1) if c1 > 0 else 0.0
        h2 = math.atan2(b2, a2) if c2 > 0 else 0.0
        if h1 < 0:
            h1 += 2 * math.pi
        if h2 < 0:
            h2 += 2 * math.pi
        dh = h2 - h1
        mean_h = h1 + h2
        if c1 * c2 == 0:
            dh = 0.0
        else:
            if dh > math.pi:
                dh -= 2 * math.pi
            elif dh < -math.pi:
                dh += 2 * math.pi
            if abs(h1 - h2) > math.pi:
                mean_h += 2 * math.pi if mean_h < 2 * math.pi else -2 * math.pi
            mean_h /= 2
        dL, dC = L2 - L1, c2 - c1
        dH = 2 * math.sqrt(c1 * c2) * math.sin(dh / 2)
        mean_L, mean_C = (L1 + L2) / 2, (c1 + c2) / 2
        t = (
            1
            - 0.17 * math.cos(mean_h - 30 * _RAD)
            + 0.24 * math.cos(2 * mean_h)
            + 0.32 * math.cos(3 * mean_h + 6 * _RAD)
            - 0.20 * math.cos(4 * mean_h - 63 * _RAD)
        )
        l50 = (mean_L - 50) ** 2
        s_l = 1 + 0.015 * l50 / math.sqrt(20 + l50)
        s_c = 1 + 0.045 * mean_C
        s_h = 1 + 0.015 * mean_C * t
        c7 = mean_C**7
        x = (mean_h / _RAD - 275) / 25
        r_t = -2 * math.sqrt(c7 / (c7 + _POW25_7)) * math.sin(2 * 30 * _RAD * math.exp(-x * x))
        kl, kc, kh = dL / s_l, dC / s_c, dH / s_h
        out[i] = math.sqrt(max(0.0, kl * kl + kc * kc + kh * kh + r_t * kc * kh))


@njit(nogil=True, cache=True, fastmath=True)
def multilinear4(amounts, axes, table, out):  # type: ignore[no-untyped-def]
    """Interpolate a 4-D table of k values.

    amounts (n, 4) uint16, turned into grid positions by axes (4, 65536) float32; table (g, g, g, g, k) float32;
    out (n, k) float32.
    """
    g = table.shape[0]
    k = table.shape[4]
    index = np.empty(4, np.int64)
    part = np.empty(4, np.float32)
    for i in range(amounts.shape[0]):
        for c in range(4):
            x = axes[c, amounts[i, c]]
            low = int(x)
            low = min(low, g - 2)
            index[c] = low
            part[c] = x - low
        for v in range(k):
            out[i, v] = 0
        for corner in range(16):
            w = np.float32(1.0)
            p0, p1, p2, p3 = index[0], index[1], index[2], index[3]
            if corner & 1:
                w *= part[0]
                p0 += 1
            else:
                w *= 1 - part[0]
            if corner & 2:
                w *= part[1]
                p1 += 1
            else:
                w *= 1 - part[1]
            if corner & 4:
                w *= part[2]
                p2 += 1
            else:
                w *= 1 - part[2]
            if corner & 8:
                w *= part[3]
                p3 += 1
            else:
                w *= 1 - part[3]
            if w > 0:
                for v in range(k):
                    out[i, v] += w * table[p0, p1, p2, p3, v]


@njit(nogil=True, cache=True, fastmath=True)
def tetrahedral3(codes, table, out):  # type: ignore[no-untyped-def]
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


def warm() -> None:
    """Compile every kernel for the argument types in use."""
    for kind in (np.float32, np.float64):
        lab = np.zeros((2, 3), kind)
        de00(lab, lab, np.empty(2, kind))
    axes = np.zeros((4, 65536), np.float32)
    for k in (3,):
        multilinear4(
            np.zeros((2, 4), np.uint16), axes, np.zeros((2, 2, 2, 2, k), np.float32), np.empty((2, k), np.float32)
        )
    tetrahedral3(np.zeros((2, 3), np.float32), np.zeros((2, 2, 2, 3), np.float32), np.empty((2, 3), np.float32))
    tetrahedral3(np.zeros((2, 3), np.float32), np.zeros((2, 2, 2, 4), np.float32), np.empty((2, 4), np.float32))


if __name__ == "__main__":
    import fidele.kernels  # noqa: PLW0406 - the module by its own name, so that the cache is the one that others use

    fidele.kernels.warm()
