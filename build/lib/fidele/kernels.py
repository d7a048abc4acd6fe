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


#: So many pixels are worked on at once, stage by stage: simple loops over short rows become vector instructions.
_BLOCK = 512


@njit(inline="always", fastmath=True)
def _root(row, bits, kept, count):  # type: ignore[no-untyped-def]
    """Turn ratios into the function f of CIE 15: cube roots, near black a line. `bits` views `row` as integers.

    A third of the exponent and a step of Halley's method are right to 3 in 100,000: arithmetic alone, which becomes
    vector instructions, where tables would not.
    """
    for i in range(count):
        kept[i] = row[i]
        row[i] = max(row[i], np.float32(1e-6))
    for i in range(count):
        bits[i] = np.int32(np.float32(bits[i]) * np.float32(1 / 3)) + np.int32(709921077)
    for i in range(count):
        t = kept[i]
        positive = max(t, np.float32(1e-6))
        v = row[i]
        cube = v * v * v
        v = v * (cube + positive + positive) / (cube + cube + positive)
        row[i] = v if t > np.float32(216 / 24389) else t * np.float32(841 / 108) + np.float32(4 / 29)


@njit(inline="always", fastmath=True)
def _look_up(places, row, last, count):  # type: ignore[no-untyped-def]
    """Turn places (float32, in samples) into the values of a finely sampled curve there; `last` is its last sample."""
    for i in range(count):
        places[i] = row[np.uint32(np.int32(min(max(places[i], np.float32(0)), last) + np.float32(0.5)))]


@njit(inline="always", fastmath=True)
def _mixed(grid, a0, a1, a2, a3, n, w00, w01, w10, w11):  # type: ignore[no-untyped-def]
    """Return the n-th value of four nodes, weighted."""
    return grid[a0 + n] * w00 + grid[a1 + n] * w01 + grid[a2 + n] * w10 + grid[a3 + n] * w11


@njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
def matrix_to_table(codes, curves, begins, matrix, scales, ins, sizes, grid, outs, top, out):  # type: ignore[no-untyped-def]
    """Device values of a matrix profile, through XYZ and L*a*b*, into a table of an output profile; all in one pass.

    codes (n, 3) unsigned; curves (c,) float32, by code from begins (3,) on, where alike curves stand but once; matrix
    (3, 4) float32 to XYZ / white; scales (2,) the encoding of L* and of a*b*; ins (3, c) the table's input curves as
    grid positions, sampled so finely that the nearest sample serves; grid (nodes * 4,) float32 of sizes (3,), padded
    to four channels; outs (k, c) its output curves as codes, as finely, or (k, 1) where the grid holds the end values
    themselves; top the largest code; out (n, k).
    """
    k = out.shape[1]
    r, g, b = np.empty(_BLOCK, np.float32), np.empty(_BLOCK, np.float32), np.empty(_BLOCK, np.float32)
    x, y, z = np.empty(_BLOCK, np.float32), np.empty(_BLOCK, np.float32), np.empty(_BLOCK, np.float32)
    bits_x, bits_y, bits_z = x.view(np.int32), y.view(np.int32), z.view(np.int32)
    base, made = np.empty(_BLOCK, np.uint32), np.empty((_BLOCK, 4), np.float32)
    m00, m01, m02, m03 = matrix[0, 0], matrix[0, 1], matrix[0, 2], matrix[0, 3]
    m10, m11, m12, m13 = matrix[1, 0], matrix[1, 1], matrix[1, 2], matrix[1, 3]
    m20, m21, m22, m23 = matrix[2, 0], matrix[2, 1], matrix[2, 2], matrix[2, 3]
    green, blue = np.uint32(begins[1]), np.uint32(begins[2])
    end_in, end_out, curved = np.float32(ins.shape[1] - 1), np.float32(outs.shape[1] - 1), outs.shape[1] > 1
    step_y, step_x = np.int32(sizes[2]), np.int32(sizes[1] * sizes[2])
    top_x, top_y, top_z = np.int32(sizes[0] - 2), np.int32(sizes[1] - 2), np.int32(sizes[2] - 2)
    zero, one, half, four = np.float32(0), np.float32(1), np.float32(0.5), np.int32(4)
    along_x, along_y = np.uint32(step_x * four), np.uint32(step_y * four)  # unsigned: no index is counted from the end
    for start in range(0, codes.shape[0], _BLOCK):
        count = min(_BLOCK, codes.shape[0] - start)
        for i in range(count):
            r[i] = curves[codes[start + i, 0]]
            g[i] = curves[green + np.uint32(codes[start + i, 1])]
            b[i] = curves[blue + np.uint32(codes[start + i, 2])]
        for i in range(count):
            x[i] = m00 * r[i] + m01 * g[i] + m02 * b[i] + m03
            y[i] = m10 * r[i] + m11 * g[i] + m12 * b[i] + m13
            z[i] = m20 * r[i] + m21 * g[i] + m22 * b[i] + m23
        _root(x, bits_x, r, count)
        _root(y, bits_y, r, count)
        _root(z, bits_z, r, count)
        for i in range(count):
            f0, f1, f2 = x[i], y[i], z[i]
            x[i] = (np.float32(116) * f1 - np.float32(16)) * (scales[0] * end_in)
            y[i] = (np.float32(500) * (f0 - f1) + np.float32(128)) * (scales[1] * end_in)
            z[i] = (np.float32(200) * (f1 - f2) + np.float32(128)) * (scales[1] * end_in)
        _look_up(x, ins[0], end_in, count)
        _look_up(y, ins[1], end_in, count)
        _look_up(z, ins[2], end_in, count)
        for i in range(count):
            x0, y0, z0 = min(np.int32(x[i]), top_x), min(np.int32(y[i]), top_y), min(np.int32(z[i]), top_z)
            base[i] = np.uint32((x0 * step_x + y0 * step_y + z0) * four)
            x[i] -= np.float32(x0)
            y[i] -= np.float32(y0)
            z[i] -= np.float32(z0)
        for i in range(count):
            fx, fy = x[i], y[i]
            a0 = base[i]
            a1, a2 = a0 + along_y, a0 + along_x
            a3 = a2 + along_y
            w11 = fx * fy
            w10, w01 = fx - w11, fy - w11
            w00 = one - fx - w01
            # Two nodes lie side by side, four channels each. All is read before any is written: so it can be vectors.
            near0 = _mixed(grid, a0, a1, a2, a3, np.uint32(0), w00, w01, w10, w11)
            near1 = _mixed(grid, a0, a1, a2, a3, np.uint32(1), w00, w01, w10, w11)
            near2 = _mixed(grid, a0, a1, a2, a3, np.uint32(2), w00, w01, w10, w11)
            near3 = _mixed(grid, a0, a1, a2, a3, np.uint32(3), w00, w01, w10, w11)
            far0 = _mixed(grid, a0, a1, a2, a3, np.uint32(4), w00, w01, w10, w11)
            far1 = _mixed(grid, a0, a1, a2, a3, np.uint32(5), w00, w01, w10, w11)
            far2 = _mixed(grid, a0, a1, a2, a3, np.uint32(6), w00, w01, w10, w11)
            far3 = _mixed(grid, a0, a1, a2, a3, np.uint32(7), w00, w01, w10, w11)
            fz = z[i]
            made[i, 0] = near0 + fz * (far0 - near0)
            made[i, 1] = near1 + fz * (far1 - near1)
            made[i, 2] = near2 + fz * (far2 - near2)
            made[i, 3] = near3 + fz * (far3 - near3)
        if curved:
            for i in range(count):
                for c in range(k):
                    out[start + i, c] = outs[c, np.uint32(np.int32(min(max(made[i, c], zero), end_out) + half))]
        else:
            for i in range(count):
                for c in range(k):
                    out[start + i, c] = np.int32(min(max(made[i, c], zero), one) * top + half)


@njit(nogil=True, cache=True)
def _crossing(vertices, triangles, t, a, b):  # type: ignore[no-untyped-def]
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
def winding_at(points, vertices, triangles, out):  # type: ignore[no-untyped-def]
    """Winding number of a closed surface (L*a*b* vertices) around points (n, 3) into out (n,) int32."""
    for i in range(points.shape[0]):
        count = 0
        for t in range(triangles.shape[0]):
            sign, lightness = _crossing(vertices, triangles, t, points[i, 1], points[i, 2])
            if sign != 0 and lightness < points[i, 0]:
                count += sign
        out[i] = count


@njit(nogil=True, cache=True)
def winding_columns(vertices, triangles, a, b, levels, out):  # type: ignore[no-untyped-def]
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
def farthest(middle, directions, vertices, triangles, out):  # type: ignore[no-untyped-def]
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


@njit(nogil=True, cache=True, fastmath=False)
def scale_black(lab, source_y, target_y):  # type: ignore[no-untyped-def]
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


@njit(nogil=True, cache=True, fastmath=False)
def din99o(lab, out):  # type: ignore[no-untyped-def]
    """L*a*b* (n, 3) to DIN99o (n, 3), kE = kCH = 1: see `fidele.colour.uniform`."""
    cos, sin = math.cos(26.0 * _RAD), math.sin(26.0 * _RAD)
    for i in range(lab.shape[0]):
        a, b = lab[i, 1], lab[i, 2]
        e = a * cos + b * sin
        f = 0.83 * (b * cos - a * sin)
        radius = math.sqrt(e * e + f * f)
        scale = math.log1p(0.075 * radius) / 0.0435 / radius if radius > 1e-9 else 0.075 / 0.0435
        e, f = e * scale, f * scale
        out[i, 0] = 303.67 * math.log1p(0.0039 * max(lab[i, 0], -50.0))
        out[i, 1] = e * cos - f * sin
        out[i, 2] = e * sin + f * cos


@njit(nogil=True, cache=True, fastmath=False)
def damped_steps(jacobian, wrong, here, damping, low, high, out):  # type: ignore[no-untyped-def]
    """One Levenberg-Marquardt step for each of n points in a box, into out (n, k): see `fidele.icc.solve`.

    jacobian (n, m, k), wrong (n, m), here (n, k), damping (n,). What presses against the box is held there.
    """
    n, m, k = jacobian.shape
    normal, right = np.empty((k, k)), np.empty(k)
    for i in range(n):
        for a in range(k):
            slope = 0.0
            for r in range(m):
                slope += jacobian[i, r, a] * wrong[i, r]
            held = (here[i, a] <= low and slope > 0) or (here[i, a] >= high and slope < 0)
            right[a] = 0.0 if held else slope
            normal[a, a] = -1.0 if held else 0.0
        for a in range(k):
            if normal[a, a] < 0:  # held: its row says that it stays
                for b in range(k):
                    if b != a:
                        normal[a, b] = normal[b, a] = 0.0
                normal[a, a] = 1.0 + damping[i] * 1e-3
                continue
            for b in range(a, k):
                if b > a and normal[b, b] < 0:
                    normal[a, b] = normal[b, a] = 0.0
                    continue
                total = 0.0
                for r in range(m):
                    total += jacobian[i, r, a] * jacobian[i, r, b]
                if b == a:
                    normal[a, a] = total + damping[i] * max(total, 1e-3)
                else:
                    normal[a, b] = normal[b, a] = total
        # Symmetric and positive: eliminated as it stands.
        for a in range(k):
            for b in range(a + 1, k):
                share = normal[b, a] / normal[a, a]
                if share != 0.0:
                    for c in range(a, k):
                        normal[b, c] -= share * normal[a, c]
                    right[b] -= share * right[a]
        for a in range(k - 1, -1, -1):
            left = right[a]
            for b in range(a + 1, k):
                left -= normal[a, b] * right[b]
            right[a] = left / normal[a, a]
            out[i, a] = min(max(here[i, a] - right[a], low), high)


@njit(nogil=True, cache=True)
def unpack_rows(data, out, pixel):  # type: ignore[no-untyped-def]
    """Unpack PWG raster rows from data (n,) into out (h, bytes), `pixel` bytes each; return rows and bytes used.

    Source: PWG 5102.4-2012, 4.3: a count of further equal rows, then runs, of one pixel or of several. Fewer rows
    than asked for: the data broke off, or ran over a row's end.
    """
    at, row, line = 0, 0, out.shape[1]
    while row < out.shape[0]:
        if at >= data.shape[0]:
            return row, at
        again = data[at]
        at += 1
        x = 0
        while x < line:
            if at >= data.shape[0]:
                return row, at
            code = data[at]
            at += 1
            if code == 128:
                out[row, x:] = 255
                x = line
            elif code < 128:
                size = (code + 1) * pixel
                if x + size > line or at + pixel > data.shape[0]:
                    return row, at
                for k in range(size):
                    out[row, x + k] = data[at + k % pixel]
                at += pixel
                x += size
            else:
                size = (257 - code) * pixel
                if x + size > line or at + size > data.shape[0]:
                    return row, at
                out[row, x : x + size] = data[at : at + size]
                at += size
                x += size
        first = row
        row += 1
        for _ in range(again):
            if row < out.shape[0]:
                out[row] = out[first]
                row += 1
    return row, at


def warm() -> None:
    """Compile every kernel for the argument types in use."""
    for kind in (np.float32, np.float64):
        lab = np.zeros((2, 3), kind)
        de00(lab, lab, np.empty(2, kind))
    scale_black(np.zeros((2, 3), np.float32), 0.0, 0.01)
    axes = np.zeros((4, 65536), np.float32)
    for k in (3,):
        multilinear4(
            np.zeros((2, 4), np.uint16), axes, np.zeros((2, 2, 2, 2, k), np.float32), np.empty((2, k), np.float32)
        )
    tetrahedral3(np.zeros((2, 3), np.float32), np.zeros((2, 2, 2, 3), np.float32), np.empty((2, 3), np.float32))
    tetrahedral3(np.zeros((2, 3), np.float32), np.zeros((2, 2, 2, 4), np.float32), np.empty((2, 4), np.float32))
    single = np.zeros((3, 2), np.float32)
    for depth in (np.uint8, np.uint16):
        for k in (3, 4):
            matrix_to_table(
                np.zeros((2, 3), depth),
                np.zeros(65536, np.float32),
                np.zeros(3, np.int64),
                np.zeros((3, 4), np.float32),
                np.zeros(2, np.float32),
                single,
                np.full(3, 2, np.int64),
                np.zeros(32, np.float32),
                np.zeros((k, 2), depth),
                np.float32(1),
                np.empty((2, k), depth),
            )
    flat, axis = np.zeros((2, 3)), np.arange(3.0)
    winding_at(flat, flat, np.zeros((1, 3), np.int64), np.empty(2, np.int32))
    winding_columns(flat, np.zeros((1, 3), np.int64), axis, axis, axis, np.zeros((3, 3, 4), np.int32))
    unpack_rows(np.zeros(2, np.uint8), np.empty((1, 1), np.uint8), 1)
    farthest(np.zeros(3), flat, flat, np.zeros((1, 3), np.int64), np.empty(2))
    din99o(flat, np.empty((2, 3)))
    damped_steps(np.ones((2, 3, 3)), flat, flat, np.ones(2), 0.0, 1.0, np.empty((2, 3)))


if __name__ == "__main__":
    import fidele.kernels  # noqa: PLW0406 - the module by its own name, so that the cache is the one that others use

    fidele.kernels.warm()
