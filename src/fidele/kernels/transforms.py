"""From device values of one profile to those of another, or to L*a*b*, in one pass: see `fidele.icc.fast`.

Pixels are worked on in blocks, stage by stage: simple loops over short rows become vector instructions.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from fidele.kernels.grids import BLOCK as _BLOCK
from fidele.kernels.grids import in_tetrahedra
from fidele.kernels.lanes import on_line, trilinear, trilinear_codes

#: What a source can be, and what comes out.
MATRIX, TABLE, LAB = 0, 1, 2


@njit(cache=True, fastmath=True, error_model="numpy")
def _curve(row, pairs, low, count):
    """Turn a row of places, in samples, into the values of a curve of pairs (2 n): sample and step to the next."""
    last = np.float32(pairs.shape[0] // 2 - 1)
    for i in range(count):
        place = min(max(row[i], np.float32(0)), last)
        whole = np.int32(place)
        low[i] = whole
        row[i] = place - np.float32(whole)
    for i in range(count, (count + 7) // 8 * 8):  # eight are looked up at once: what is over looks at the first
        low[i] = 0
    for i in range(0, count, 8):
        on_line(pairs, low, row, i)


@njit(cache=True, fastmath=True, error_model="numpy")
def _root(row, bits, kept, count, precise):
    """Turn ratios into the function f of CIE 15: cube roots, near black a line. `bits` views `row` as integers.

    A third of the exponent and a step of Halley's method are right to 3 in 100,000, a second step to the last bit:
    arithmetic alone, which becomes vector instructions, where tables would not.
    """
    small = np.float32(1e-6)
    for i in range(count):
        kept[i] = row[i]
        row[i] = max(row[i], small)
    for i in range(count):
        bits[i] = np.int32(np.float32(bits[i]) * np.float32(1 / 3)) + np.int32(709921077)
    if precise:
        for i in range(count):
            t, v = max(kept[i], small), row[i]
            cube = v * v * v
            row[i] = v * (cube + t + t) / (cube + cube + t)
    for i in range(count):
        t, v = kept[i], row[i]
        positive = max(t, small)
        cube = v * v * v
        v = v * (cube + positive + positive) / (cube + cube + positive)
        row[i] = v if t > np.float32(216 / 24389) else t * np.float32(841 / 108) + np.float32(4 / 29)


@njit(cache=True, fastmath=True, error_model="numpy")
def _to_ratios(row, count):
    """The way back: f of CIE 15 to ratios."""
    for i in range(count):
        f = row[i]
        row[i] = f * f * f if f > np.float32(6 / 29) else (f - np.float32(4 / 29)) * np.float32(108 / 841)


@njit(cache=True, fastmath=True, error_model="numpy")
def _cells(x, y, z, sizes, low, count):
    """Split places in nodes into where their cell begins (in single values of nodes of four) and the part of it."""
    step_y, step_x = np.int32(sizes[2] * 4), np.int32(sizes[1] * sizes[2] * 4)
    top_x, top_y, top_z = np.int32(sizes[0] - 2), np.int32(sizes[1] - 2), np.int32(sizes[2] - 2)
    for i in range(count):
        x0, y0, z0 = min(np.int32(x[i]), top_x), min(np.int32(y[i]), top_y), min(np.int32(z[i]), top_z)
        low[i] = x0 * step_x + y0 * step_y + z0 * np.int32(4)
        x[i] -= np.float32(x0)
        y[i] -= np.float32(y0)
        z[i] -= np.float32(z0)


@njit(cache=True, fastmath=True, error_model="numpy")
def _linear(x, y, z, matrix, count):
    """Apply a matrix (3, 4) with its offset last."""
    m00, m01, m02, m03 = matrix[0, 0], matrix[0, 1], matrix[0, 2], matrix[0, 3]
    m10, m11, m12, m13 = matrix[1, 0], matrix[1, 1], matrix[1, 2], matrix[1, 3]
    m20, m21, m22, m23 = matrix[2, 0], matrix[2, 1], matrix[2, 2], matrix[2, 3]
    for i in range(count):
        a, b, c = x[i], y[i], z[i]
        x[i] = m00 * a + m01 * b + m02 * c + m03
        y[i] = m10 * a + m11 * b + m12 * c + m13
        z[i] = m20 * a + m21 * b + m22 * c + m23


@njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
def transform(
    codes, kind, firsts, grid, sizes, lasts, through, matrix, precise, scales, ins, to_grid, to_sizes, outs, top, out
):
    """Convert codes (n, c) into out (n, k).

    kind        MATRIX, TABLE or LAB: what the source is
    firsts      (c, 2 m) float32: its curves as pairs over the range of its codes; in nodes where a table follows
    grid        (nodes * 4,) float32 of sizes (c,) int64: its table, to L*a*b* itself or to places on `lasts`
    lasts       (3, 2 m) or (3, 0): the curves behind it, to L*a*b*
    through     whether to go through XYZ / white, where `matrix` (3, 4) acts
    precise     whether cube roots are exact to the last bit
    scales      (2,) from L* and from a*, b* + 128 to places on `ins`; twice nought where out is to be L*a*b*
    ins         (3, 2 m): input curves of the target's table, in nodes of `to_grid` of `to_sizes` (3,)
    outs        (k, 2 m) its output curves, or (k, 0) where the grid holds the end values themselves
    top         the largest code of `out`
    """
    n, k = out.shape
    x, y, z = np.empty(_BLOCK, np.float32), np.empty(_BLOCK, np.float32), np.empty(_BLOCK, np.float32)
    w, kept = np.empty(_BLOCK, np.float32), np.empty(_BLOCK, np.float32)
    bits_x, bits_y, bits_z = x.view(np.int32), y.view(np.int32), z.view(np.int32)
    low, made, rows = np.zeros(_BLOCK, np.int32), np.empty(4 * _BLOCK, np.float32), np.empty((4, _BLOCK), np.float32)
    x[:], y[:], z[:], w[:] = 0, 0, 0, 0
    flat = out.reshape(n * k)
    curves, places, begins = outs.reshape(outs.size), np.zeros(4 * _BLOCK, np.int32), np.zeros(4 * _BLOCK, np.int32)
    for j in range(4 * _BLOCK):  # a node's fourth number may be none
        begins[j] = min(j % 4, k - 1) * (outs.shape[1] // 2)
    reach = np.float32(firsts.shape[1] // 2 - 1) / (np.float32(1) if kind == LAB else np.float32(_largest(codes)))
    half, one, zero, hundred28 = np.float32(0.5), np.float32(1), np.float32(0), np.float32(128)
    to_lab = scales[0] == zero
    end_in = np.float32(ins.shape[1] // 2 - 1)
    scale_l, scale_ab = scales[0] * end_in, scales[1] * end_in
    if not to_lab:
        along_x, along_y = np.int64(to_sizes[1] * to_sizes[2] * 4), np.int64(to_sizes[2] * 4)
    else:
        along_x, along_y = np.int64(0), np.int64(0)
    for start in range(0, n, _BLOCK):
        count = min(_BLOCK, n - start)
        if kind == LAB:
            for i in range(count):
                x[i], y[i], z[i] = codes[start + i, 0], codes[start + i, 1], codes[start + i, 2]
        elif codes.shape[1] == 3:
            for i in range(count):
                x[i] = np.float32(codes[start + i, 0]) * reach
                y[i] = np.float32(codes[start + i, 1]) * reach
                z[i] = np.float32(codes[start + i, 2]) * reach
        else:
            for i in range(count):
                w[i] = np.float32(codes[start + i, 0]) * reach
                x[i] = np.float32(codes[start + i, 1]) * reach
                y[i] = np.float32(codes[start + i, 2]) * reach
                z[i] = np.float32(codes[start + i, 3]) * reach
            _curve(w, firsts[0], low, count)
        if kind != LAB:
            _curve(x, firsts[-3], low, count)
            _curve(y, firsts[-2], low, count)
            _curve(z, firsts[-1], low, count)
        if kind == TABLE:
            in_tetrahedra(x, y, z, w, grid, sizes, 4, low, rows, made, count)
            for i in range(count):
                x[i], y[i], z[i] = made[4 * i], made[4 * i + 1], made[4 * i + 2]
            if lasts.shape[1] > 0:
                _curve(x, lasts[0], low, count)
                _curve(y, lasts[1], low, count)
                _curve(z, lasts[2], low, count)
        if through:
            if kind != MATRIX:
                for i in range(count):
                    f = (x[i] + np.float32(16)) * np.float32(1 / 116)
                    x[i] = f + y[i] * np.float32(1 / 500)
                    y[i], z[i] = f, f - z[i] * np.float32(1 / 200)
                _to_ratios(x, count)
                _to_ratios(y, count)
                _to_ratios(z, count)
            _linear(x, y, z, matrix, count)
            _root(x, bits_x, kept, count, precise)
            _root(y, bits_y, kept, count, precise)
            _root(z, bits_z, kept, count, precise)
            for i in range(count):
                f0, f1, f2 = x[i], y[i], z[i]
                x[i] = np.float32(116) * f1 - np.float32(16)
                y[i] = np.float32(500) * (f0 - f1)
                z[i] = np.float32(200) * (f1 - f2)
        if to_lab:  # as far as its encoding goes (ICC.1:2022, 6.3.4.2)
            for i in range(count):
                out[start + i, 0] = min(max(x[i], zero), np.float32(100))
                out[start + i, 1] = min(max(y[i], -hundred28), np.float32(127 + 255 / 256))
                out[start + i, 2] = min(max(z[i], -hundred28), np.float32(127 + 255 / 256))
            continue
        for i in range(count):
            x[i] = x[i] * scale_l
            y[i] = (y[i] + hundred28) * scale_ab
            z[i] = (z[i] + hundred28) * scale_ab
        _curve(x, ins[0], low, count)
        _curve(y, ins[1], low, count)
        _curve(z, ins[2], low, count)
        _cells(x, y, z, to_sizes, low, count)
        if outs.shape[1] == 0 and out.itemsize < 4:
            # Four codes are written where there may be three: the next pixel's come over the last, but for the end.
            whole = count if k == 4 or start + count < n else count - 1
            for i in range(whole):
                at = np.int64((start + i) * k)
                trilinear_codes(to_grid, np.int64(low[i]), along_x, along_y, x[i], y[i], z[i], top, flat, at)
            for i in range(whole, count):
                trilinear(to_grid, np.int64(low[i]), along_x, along_y, x[i], y[i], z[i], made, np.int64(0))
                for c in range(k):
                    out[start + i, c] = np.int32(min(max(made[c], zero), one) * top + half)
            continue
        for i in range(count):
            trilinear(to_grid, np.int64(low[i]), along_x, along_y, x[i], y[i], z[i], made, np.int64(4 * i))
        if outs.shape[1] > 0:  # one curve behind another: all are looked up at once
            end_out = np.float32(outs.shape[1] // 2 - 1)
            for j in range(4 * count):
                place = min(max(made[j] * end_out, zero), end_out)
                whole = np.int32(place)
                places[j] = whole + begins[j]
                made[j] = place - np.float32(whole)
            for j in range(4 * count, (4 * count + 7) // 8 * 8):
                places[j] = 0
            for j in range(0, 4 * count, 8):
                on_line(curves, places, made, j)
        if out.itemsize == 4:
            for i in range(count):
                for c in range(k):
                    out[start + i, c] = min(max(made[4 * i + c], zero), one)
            continue
        for j in range(4 * count):
            places[j] = np.int32(min(max(made[j], zero), one) * top + half)
        if k == 4:
            for j in range(4 * count):
                flat[4 * start + j] = places[j]
        else:
            for i in range(count):
                out[start + i, 0], out[start + i, 1], out[start + i, 2] = (
                    places[4 * i],
                    places[4 * i + 1],
                    places[4 * i + 2],
                )


@njit(inline="always")
def _largest(codes):
    """Return the largest code of an array: 255, 65535, or 1 of floats."""
    return np.float64(1.0) if codes.itemsize == 4 else np.float64((1 << (8 * codes.itemsize)) - 1)
