"""Colours one by one: differences, uniform space, the scaling of black."""

from __future__ import annotations

import math

import numpy as np
from numba import njit, types

from fidele.kernels.kinds import DOUBLE_ROWS, REAL_ROWS, given

_POW25_7 = 25.0**7
_RAD = math.pi / 180.0
#: So many pairs are worked on at once.
_BLOCK = 256


#: Steps that turn the loop into vector instructions, and leave what is no number what it is.
_LOOSE = {"contract", "reassoc", "arcp", "nsz"}


@njit(cache=True, fastmath=_LOOSE, error_model="numpy")
def _de00_of(row_L1, row_a1, row_b1, row_L2, row_a2, row_b2, out, count):
    """The same of rows."""
    c30, s30, c6, s6 = math.cos(30 * _RAD), math.sin(30 * _RAD), math.cos(6 * _RAD), math.sin(6 * _RAD)
    c63, s63, c275, s275 = math.cos(63 * _RAD), math.sin(63 * _RAD), math.cos(275 * _RAD), math.sin(275 * _RAD)
    for i in range(count):
        L1, a1, b1, L2, a2, b2 = row_L1[i], row_a1[i], row_b1[i], row_L2[i], row_a2[i], row_b2[i]
        c = (math.sqrt(a1 * a1 + b1 * b1) + math.sqrt(a2 * a2 + b2 * b2)) * 0.5
        c2 = c * c
        c7 = c2 * c2 * c2 * c
        g = 1.5 - 0.5 * math.sqrt(c7 / (c7 + _POW25_7))
        a1, a2 = a1 * g, a2 * g
        q1, q2 = a1 * a1 + b1 * b1, a2 * a2 + b2 * b2
        c1, c2 = (math.sqrt(q1) if q1 > 1e-60 else 0.0), (math.sqrt(q2) if q2 > 1e-60 else 0.0)
        both = 1 / ((c1 if c1 > 0 else 1.0) * (c2 if c2 > 0 else 1.0))
        r1 = both * (c2 if c2 > 0 else 1.0) if c1 > 0 else 0.0
        r2 = both * (c1 if c1 > 0 else 1.0) if c2 > 0 else 0.0
        # On which side the other hue lies; of opposite ones, which of the two comes first from 0 degrees.
        # Of differences, so that equal hues are; times the greyer colour, or rounding would be as large as its hue.
        greyer = q1 <= q2
        cross, area = (a1 if greyer else a2) * (b2 - b1) - (b1 if greyer else b2) * (a2 - a1), c1 * c2
        dot = a1 * a2 + b1 * b2 if area > 0 else 0.0
        first = 1.0 if b1 > b2 else (-1.0 if b1 < b2 else (1.0 if a1 > a2 else -1.0))
        side = 1.0 if cross > 0 else -1.0
        side = first if abs(cross) <= 5e-16 * (area + (q1 if greyer else q2)) else side
        # The mean hue as a unit vector: that of the sum, or, of hues far apart, at right angles to the difference.
        u1, v1, u2, v2 = a1 * r1, b1 * r1, a2 * r2, b2 * r2
        u = u1 + u2 if dot >= 0 else side * (v2 - v1)
        v = v1 + v2 if dot >= 0 else side * (u1 - u2)
        long = math.sqrt(u * u + v * v)
        each = 1 / long if long > 0 else 0.0
        x, y = u * each + (0.0 if long > 0 else 1.0), v * each
        # 2 sqrt(C1 C2) sin(dh / 2), by whichever of the two half-angle forms is the exact one there.
        half = math.sqrt((area + dot) * 0.5 if dot > 0 else (area - dot) * 2)
        dH = cross / half if dot > 0 else side * half
        dL, dC = L2 - L1, c2 - c1
        x2, y2 = x * x - y * y, 2 * x * y
        x3, y3 = x * x2 - y * y2, y * x2 + x * y2
        x4, y4 = x2 * x2 - y2 * y2, 2 * x2 * y2
        t = 1 - 0.17 * (x * c30 + y * s30) + 0.24 * x2 + 0.32 * (x3 * c6 - y3 * s6) - 0.20 * (x4 * c63 + y4 * s63)
        l50 = ((L1 + L2) * 0.5 - 50) * ((L1 + L2) * 0.5 - 50)
        mean = (c1 + c2) * 0.5
        s_l = 1 + 0.015 * l50 / math.sqrt(20 + l50)
        s_c = 1 + 0.045 * mean
        s_h = 1 + 0.015 * mean * t
        m2 = mean * mean
        c7 = m2 * m2 * m2 * mean
        # The mean hue's angle from 275 degrees: a quarter of it by the series of the arc tangent.
        x5, y5 = x * c275 + y * s275, y * c275 - x * s275
        part = y5 / (1 + abs(x5))
        part = part / (1 + math.sqrt(1 + part * part))
        p = part * part
        quarter = part * (1 + p * (-1 / 3 + p * (1 / 5 + p * (-1 / 7 + p * (1 / 9 + p * (-1 / 11 + p * (
            1 / 13 + p * (-1 / 15 + p * (1 / 17 + p * (-1 / 19 + p / 21))))))))))  # fmt: skip
        angle = 4 * quarter
        angle = angle if x5 >= 0 else (math.pi if y5 >= 0 else -math.pi) - angle
        e = angle / (25 * _RAD)
        e = -(e * e) / 64
        power = 1 + e * (1 + e / 2 * (1 + e / 3 * (1 + e / 4 * (1 + e / 5 * (1 + e / 6 * (1 + e / 7 * (
            1 + e / 8 * (1 + e / 9 * (1 + e / 10 * (1 + e / 11 * (1 + e / 12)))))))))))  # fmt: skip
        power = power * power
        power = power * power
        power = power * power
        power = power * power
        power = power * power
        power = power * power
        power = power if angle < 85.0 * _RAD else 0.0  # from 0 degrees on the formula counts from below
        turn = 60 * _RAD * power
        q = turn * turn
        sine = turn * (1 - q / 6 * (1 - q / 20 * (1 - q / 42 * (1 - q / 72 * (1 - q / 110 * (1 - q / 156))))))
        r_t = -2 * math.sqrt(c7 / (c7 + _POW25_7)) * sine
        weighed = 1 / (s_l * s_c * s_h)
        kl, kc, kh = dL * (s_c * s_h) * weighed, dC * (s_l * s_h) * weighed, dH * (s_l * s_c) * weighed
        total = kl * kl + kc * kc + kh * kh + r_t * kc * kh
        out[i] = math.sqrt(0.0 if total < 0 else total)


@njit(
    [types.void(given(kind), given(kind), kind[::1]) for kind in (types.float32, types.float64)],
    nogil=True,
    cache=True,
    fastmath=_LOOSE,
    error_model="numpy",
)
def de00(lab1, lab2, out):
    """CIEDE2000 of two (n, 3) arrays into out (n,). Source: Sharma, Wu, Dalal 2005, equations 2 to 22.

    Written without a branch and without functions of a library, so that several pairs go through at once: hues are unit
    vectors, whose sum points to the mean hue; sines and cosines of its multiples are products; what is left of arc
    tangent, exponential and sine are series, right to 1e-9.
    """
    rows, found = np.empty((6, _BLOCK)), np.empty(_BLOCK)
    for start in range(0, lab1.shape[0], _BLOCK):
        count = min(_BLOCK, lab1.shape[0] - start)
        for i in range(count):
            for k in range(3):
                rows[k, i], rows[k + 3, i] = lab1[start + i, k], lab2[start + i, k]
        _de00_of(rows[0], rows[1], rows[2], rows[3], rows[4], rows[5], found, count)
        for i in range(count):
            out[start + i] = found[i]


@njit(types.void(REAL_ROWS, types.float64, types.float64), nogil=True, cache=True)
def scale_black(lab, source_y, target_y):
    """Scale media-relative L*a*b* (n, 3) in place in XYZ, from one neutral black to another; white stays.

    Source: ISO 18619:2015, 6.4; CIE 15, 8.2.1 both ways. Below black the straight part goes on.
    """
    scale = (1.0 - target_y) / (1.0 - source_y)
    offset = target_y - source_y * scale
    f = np.empty(3)
    for i in range(lab.shape[0]):
        f[1] = (lab[i, 0] + 16.0) / 116.0
        f[0] = f[1] + lab[i, 1] / 500.0
        f[2] = f[1] - lab[i, 2] / 200.0
        for k in range(3):
            t = f[k] ** 3 if f[k] > 6.0 / 29.0 else (f[k] - 16.0 / 116.0) * 108.0 / 841.0
            t = t * scale + offset
            f[k] = t ** (1.0 / 3.0) if t > 216.0 / 24389.0 else t * 841.0 / 108.0 + 16.0 / 116.0
        lab[i, 0] = 116.0 * f[1] - 16.0
        lab[i, 1] = 500.0 * (f[0] - f[1])
        lab[i, 2] = 200.0 * (f[1] - f[2])


@njit(cache=True, fastmath=_LOOSE, error_model="numpy")
def _log(row, bits, parts, part_bits, count):
    """Turn a row of numbers over 0 into natural logarithms, right to 1e-13; `bits`, `part_bits` view rows as integers.

    The exponent is read from the bits, the rest is a series: arithmetic alone, which becomes vector instructions.
    """
    for i in range(count):
        whole = bits[i]
        part_bits[i] = (whole >> 52) | 0x4330000000000000  # the exponent as the units of a number over 2 ** 52
        bits[i] = (whole & 0x000FFFFFFFFFFFFF) | 0x3FF0000000000000  # the rest as a number from 1 to 2
    for i in range(count):
        rest, power = row[i], parts[i] - (2.0**52 + 1023)
        high = rest > 1.4142135623730951
        rest, power = (rest * 0.5 if high else rest), (power + 1 if high else power)
        t = (rest - 1) / (rest + 1)
        q = t * t
        series = 1 + q * (1 / 3 + q * (1 / 5 + q * (1 / 7 + q * (1 / 9 + q * (1 / 11 + q * (1 / 13 + q / 15))))))
        row[i] = power * 0.6931471805599453 + 2 * t * series


@njit(types.void(given(types.float64), DOUBLE_ROWS), nogil=True, cache=True, fastmath=_LOOSE, error_model="numpy")
def din99o(lab, out):
    """L*a*b* (n, 3) to DIN99o (n, 3), kE = kCH = 1: see `fidele.colour.uniform`."""
    cos, sin = math.cos(26.0 * _RAD), math.sin(26.0 * _RAD)
    light, far, parts = np.empty(_BLOCK), np.empty(_BLOCK), np.empty(_BLOCK)
    e, f, radius = np.empty(_BLOCK), np.empty(_BLOCK), np.empty(_BLOCK)
    light_bits, far_bits, part_bits = light.view(np.int64), far.view(np.int64), parts.view(np.int64)
    for start in range(0, lab.shape[0], _BLOCK):
        count = min(_BLOCK, lab.shape[0] - start)
        for i in range(count):
            light[i], e[i], f[i] = lab[start + i, 0], lab[start + i, 1], lab[start + i, 2]
        for i in range(count):
            light[i] = 1 + 0.0039 * (light[i] if light[i] > -50.0 else -50.0)
            a, b = e[i], f[i]
            e[i], f[i] = a * cos + b * sin, 0.83 * (b * cos - a * sin)
            radius[i] = math.sqrt(e[i] * e[i] + f[i] * f[i])
            far[i] = 1 + 0.075 * radius[i]
        _log(light, light_bits, parts, part_bits, count)
        _log(far, far_bits, parts, part_bits, count)
        for i in range(count):
            small = 0.075 * radius[i]
            near = 0.075 / 0.0435 * (1 - small * (0.5 - small / 3))
            scale = near if radius[i] < 1e-3 else far[i] / (0.0435 * (radius[i] if radius[i] > 0 else 1.0))
            a, b = e[i] * scale, f[i] * scale
            light[i] *= 303.67
            e[i], f[i] = a * cos - b * sin, a * sin + b * cos
        for i in range(count):
            out[start + i, 0], out[start + i, 1], out[start + i, 2] = light[i], e[i], f[i]
