"""Closed surfaces of triangles: what lies within, and how far they reach."""

from __future__ import annotations

import math

import numpy as np
from numba import njit, types

from fidele.kernels.kinds import DOUBLE_ROWS, given


@njit(nogil=True, cache=True)
def _crossing(vertices, triangles, t, a, b):
    """Where the vertical line at (a, b) crosses triangle t: sign (0 when it does not) and lightness."""
    p, q, r = triangles[t, 0], triangles[t, 1], triangles[t, 2]
    pa, pb = vertices[p, 1], vertices[p, 2]
    qa, qb = vertices[q, 1] - pa, vertices[q, 2] - pb
    ra, rb = vertices[r, 1] - pa, vertices[r, 2] - pb
    area = qa * rb - qb * ra
    if area == 0.0:
        return 0, 0.0
    s = ((a - pa) * rb - (b - pb) * ra) / area
    u = (qa * (b - pb) - qb * (a - pa)) / area
    if s < 0 or u < 0 or s + u >= 1:
        return 0, 0.0
    lightness = vertices[p, 0] + s * (vertices[q, 0] - vertices[p, 0]) + u * (vertices[r, 0] - vertices[p, 0])
    return (1 if area < 0 else -1), lightness


@njit(nogil=True, cache=True)
def winding_at(points, vertices, triangles, out):
    """Winding number of a closed surface (L*a*b* vertices) around points (n, 3) into out (n,) int32."""
    for i in range(points.shape[0]):
        count = 0
        for t in range(triangles.shape[0]):
            sign, lightness = _crossing(vertices, triangles, t, points[i, 1], points[i, 2])
            if sign != 0 and lightness < points[i, 0]:
                count += sign
        out[i] = count


@njit(nogil=True, cache=True)
def winding_columns(vertices, triangles, a, b, levels, out):
    """Changes of the winding number up each column of a grid, into out (len(a), len(b), len(levels) + 1) int32."""
    step_a, step_b = a[1] - a[0], b[1] - b[0]
    step_l = levels[1] - levels[0] if len(levels) > 1 else 1.0
    for t in range(triangles.shape[0]):
        low_a, high_a, low_b, high_b = 1e9, -1e9, 1e9, -1e9
        for k in range(3):
            va, vb = vertices[triangles[t, k], 1], vertices[triangles[t, k], 2]
            low_a, high_a = min(low_a, va), max(high_a, va)
            low_b, high_b = min(low_b, vb), max(high_b, vb)
        first_a = max(0, math.ceil((low_a - a[0]) / step_a))
        last_a = min(len(a) - 1, math.floor((high_a - a[0]) / step_a))
        first_b = max(0, math.ceil((low_b - b[0]) / step_b))
        last_b = min(len(b) - 1, math.floor((high_b - b[0]) / step_b))
        for i in range(first_a, last_a + 1):
            for j in range(first_b, last_b + 1):
                sign, lightness = _crossing(vertices, triangles, t, a[i], b[j])
                if sign != 0:
                    at = math.floor((lightness - levels[0]) / step_l) + 1
                    out[i, j, min(max(at, 0), len(levels))] += sign


@njit(nogil=True, cache=True)
def farthest(middle, directions, vertices, triangles, out):
    """Distance from `middle` (3,) along unit directions (n, 3) to the last triangle met, into out (n,); 0 for none.

    Source: Moeller and Trumbore, 'Fast, minimum storage ray-triangle intersection' (1997).
    """
    out[:] = 0.0
    e, f, h, s, q = np.empty(3), np.empty(3), np.empty(3), np.empty(3), np.empty(3)
    for t in range(triangles.shape[0]):
        p0, p1, p2 = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        for k in range(3):
            e[k] = vertices[p1, k] - vertices[p0, k]
            f[k] = vertices[p2, k] - vertices[p0, k]
            s[k] = middle[k] - vertices[p0, k]
        q[0], q[1], q[2] = s[1] * e[2] - s[2] * e[1], s[2] * e[0] - s[0] * e[2], s[0] * e[1] - s[1] * e[0]
        reach = f[0] * q[0] + f[1] * q[1] + f[2] * q[2]
        for i in range(directions.shape[0]):
            d0, d1, d2 = directions[i, 0], directions[i, 1], directions[i, 2]
            h[0], h[1], h[2] = d1 * f[2] - d2 * f[1], d2 * f[0] - d0 * f[2], d0 * f[1] - d1 * f[0]
            det = e[0] * h[0] + e[1] * h[1] + e[2] * h[2]
            if abs(det) < 1e-12:
                continue
            u = (s[0] * h[0] + s[1] * h[1] + s[2] * h[2]) / det
            v = (d0 * q[0] + d1 * q[1] + d2 * q[2]) / det
            if u >= -1e-9 and v >= -1e-9 and u + v <= 1 + 1e-9:
                out[i] = max(out[i], reach / det)


@njit(
    types.void(given(types.float64), given(types.int64), *(given(types.float64, 1),) * 3, DOUBLE_ROWS),
    nogil=True,
    cache=True,
)
def leaf_reach(vertices, triangles, hues, middles, rises, out):
    """Distance to the last triangle met from the middle (h,) of each hue's half-plane, by rise (r,), into out (h, r).

    The first coordinate of vertices (n, 3) is lightness, the others point to hues 0 and 90 degrees; rises are evenly
    spaced from straight down to straight up. Each triangle meets a half-plane in one segment, which only the rises
    between its ends see. 0 where none is met.
    """
    out[:] = 0.0
    steps = rises.shape[0] - 1
    up = steps / math.pi
    x, y = np.empty(2), np.empty(2)
    for row in range(hues.shape[0]):
        toward_a, toward_b = math.cos(hues[row]), math.sin(hues[row])
        for t in range(triangles.shape[0]):
            found = 0
            for k in range(3):
                one, other = triangles[t, k], triangles[t, (k + 1) % 3]
                here = vertices[one, 2] * toward_a - vertices[one, 1] * toward_b
                there = vertices[other, 2] * toward_a - vertices[other, 1] * toward_b
                if (here >= 0) != (there >= 0):
                    share = here / (here - there)
                    x_one = vertices[one, 1] * toward_a + vertices[one, 2] * toward_b
                    x_other = vertices[other, 1] * toward_a + vertices[other, 2] * toward_b
                    x[found] = x_one + share * (x_other - x_one)
                    rise = vertices[one, 0] + share * (vertices[other, 0] - vertices[one, 0])
                    y[found] = rise - middles[row]
                    found += 1
            if found < 2 or (x[0] < 0 and x[1] < 0):
                continue
            for k in range(2):  # what lies beyond the axis is of the opposite hue
                if x[k] < 0:
                    y[k] += (y[1 - k] - y[k]) * x[k] / (x[k] - x[1 - k])
                    x[k] = 0.0
            low, high = math.atan2(y[0], x[0]), math.atan2(y[1], x[1])
            if low > high:
                low, high = high, low
            first = max(0, math.ceil((low + math.pi / 2) * up - 1e-9))
            last = min(steps, math.floor((high + math.pi / 2) * up + 1e-9))
            area = x[0] * y[1] - y[0] * x[1]
            for i in range(first, last + 1):
                across = math.cos(rises[i]) * (y[1] - y[0]) - math.sin(rises[i]) * (x[1] - x[0])
                flat = max(math.hypot(x[0], y[0]), math.hypot(x[1], y[1]))  # seen from its end
                out[row, i] = max(out[row, i], area / across if abs(across) > 1e-12 else flat)
