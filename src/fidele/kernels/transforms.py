"""From device values of one profile to those of another, or to L*a*b*, in one pass: see `fidele.icc.fast`.

Pixels are worked on in blocks, stage by stage: simple loops over short rows become vector instructions.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit, types

from fidele.kernels.grids import BLOCK as _BLOCK
from fidele.kernels.grids import cell, in_tetrahedra
from fidele.kernels.kinds import PLACES, REAL_ROWS, REALS, given
from fidele.kernels.lanes import curved_codes, on_line, trilinear, trilinear_codes

#: What a source can be, and what comes out.
MATRIX, TABLE, LAB = 0, 1, 2


@njit(cache=True, fastmath=True, error_model="numpy")
def _curve(row, pairs, low, count):
    """Turn a row of places, in samples, into the values of a curve of pairs (2 n): sample and step to the next."""
    last = np.float32(pairs.shape[0] // 2 - 1)
    for i in range(count):
        place = min(max(row[i], np.float32(0)), last)
        whole = cell(place, np.int32(last))
        low[i] = whole
        row[i] = place - np.float32(whole)
    for i in range(count, (count + 7) // 8 * 8):  # eight are looked up at once: what is over looks at the first
        low[i] = 0
    for i in range(0, count, 8):
        on_line(pairs, low, row, i)


@njit(cache=True, fastmath=True, error_model="numpy")
def _curves(planes, first, tables, low, count):
    """Do it for all planes (4, n), from a first one on and around: one place in the code, which is compiled faster."""
    for c in range(tables.shape[0]):
        _curve(planes[(first + c) % 4], tables[c], low, count)


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
        x0, y0, z0 = cell(x[i], top_x), cell(y[i], top_y), cell(z[i], top_z)
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


@njit(cache=True, fastmath=True, error_model="numpy")
def _to_cells(
    planes, kind, firsts, grid, sizes, lasts, through, matrix, precise, scales, ins, to_sizes, back,
    kept, low, made, count,
):  # fmt: skip
    """Lead places on the source's curves (4, n) to cells of the target's table, or to the end; see `transform`.

    A function of its own, of floats alone, so that it is compiled once for codes of every kind.
    """
    x, y, z, w = planes[0], planes[1], planes[2], planes[3]
    one, zero, hundred28 = np.float32(1), np.float32(0), np.float32(128)
    if kind != LAB:
        _curves(planes, 3 if firsts.shape[0] == 4 else 0, firsts, low, count)
    if kind == TABLE:
        in_tetrahedra(x, y, z, w, grid, sizes, 4, low, made, count)
        for i in range(count):
            x[i], y[i], z[i] = made[4 * i], made[4 * i + 1], made[4 * i + 2]
        if lasts.shape[1] > 0:
            _curves(planes, 0, lasts, low, count)
    if through:
        if kind != MATRIX:
            for i in range(count):
                f = (x[i] + np.float32(16)) * np.float32(1 / 116)
                x[i] = f + y[i] * np.float32(1 / 500)
                y[i], z[i] = f, f - z[i] * np.float32(1 / 200)
            for c in range(3):
                _to_ratios(planes[c], count)
        _linear(x, y, z, matrix, count)
        if back.shape[1] > 0:
            end_back = np.float32(back.shape[1] // 2 - 1)
            for c in range(3):
                row = planes[c]
                for i in range(count):  # the root: samples lie close together where the curve is steep
                    row[i] = math.sqrt(min(max(row[i], zero), one)) * end_back
            _curves(planes, 0, back, low, count)
            return
        for c in range(3):
            _root(planes[c], planes[c].view(np.int32), kept, count, precise)
        for i in range(count):
            f0, f1, f2 = x[i], y[i], z[i]
            x[i] = np.float32(116) * f1 - np.float32(16)
            y[i] = np.float32(500) * (f0 - f1)
            z[i] = np.float32(200) * (f1 - f2)
    if scales[0] == zero:  # as far as the encoding of L*a*b* goes (ICC.1:2022, 6.3.4.2)
        for i in range(count):
            x[i] = min(max(x[i], zero), np.float32(100))
            y[i] = min(max(y[i], -hundred28), np.float32(127 + 255 / 256))
            z[i] = min(max(z[i], -hundred28), np.float32(127 + 255 / 256))
        return
    end_in = np.float32(ins.shape[1] // 2 - 1)
    scale_l, scale_ab = scales[0] * end_in, scales[1] * end_in
    for i in range(count):
        x[i] = x[i] * scale_l
        y[i] = (y[i] + hundred28) * scale_ab
        z[i] = (z[i] + hundred28) * scale_ab
    _curves(planes, 0, ins, low, count)
    _cells(x, y, z, to_sizes, low, count)


@njit(cache=True, fastmath=True, error_model="numpy")
def _in_cells(planes, low, to_grid, along_x, along_y, outs, begins, places, made, count):
    """Interpolate the target's table in its cells, and go through its output curves, all at once.

    `begins` (4 BLOCK,) int32 says where the curve of each number in `made` begins.
    """
    x, y, z, zero = planes[0], planes[1], planes[2], np.float32(0)
    for i in range(count):
        trilinear(to_grid, np.int64(low[i]), along_x, along_y, x[i], y[i], z[i], made, np.int64(4 * i))
    if outs.shape[1] == 0:
        return
    curves, top = outs.reshape(outs.size), np.int32(outs.shape[1] // 2 - 1)
    end_out = np.float32(top)
    for j in range(4 * count):
        place = min(max(made[j] * end_out, zero), end_out)
        whole = cell(place, top)
        places[j] = whole + begins[j]
        made[j] = place - np.float32(whole)
    for j in range(4 * count, (4 * count + 7) // 8 * 8):
        places[j] = 0
    for j in range(0, 4 * count, 8):
        on_line(curves, places, made, j)


@njit(cache=True, fastmath=True, error_model="numpy")
def _read(values, start, count, reach, planes):
    """Put values (n, 3 or 4) into planes as places on curves; a first ink of four into the last plane."""
    x, y, z, w = planes[0], planes[1], planes[2], planes[3]
    first = values.shape[1] - 3
    if first == 1:
        for i in range(count):
            w[i] = np.float32(values[start + i, 0]) * reach
    for i in range(count):
        x[i] = np.float32(values[start + i, first]) * reach
        y[i] = np.float32(values[start + i, first + 1]) * reach
        z[i] = np.float32(values[start + i, first + 2]) * reach


@njit(cache=True, fastmath=True, error_model="numpy")
def _write_planes(planes, start, count, top, half, out):
    """Write three planes from 0 to 1, or of L*a*b* where `top` is 1 and `half` nought."""
    for i in range(count):
        for c in range(3):
            out[start + i, c] = planes[c, i] * top + half


@njit(cache=True, fastmath=True, error_model="numpy")
def _write_nodes(made, start, count, top, half, out):
    """Write the first three or all four numbers of nodes (4 n), cut off at 0 and 1."""
    for j in range(4 * count):
        made[j] = min(max(made[j], np.float32(0)), np.float32(1)) * top + half
    if out.shape[1] == 4:
        flat = out.reshape(out.size)
        for j in range(4 * count):
            flat[4 * start + j] = made[j]
        return
    for i in range(count):
        for c in range(3):
            out[start + i, c] = made[4 * i + c]


@njit(cache=True, fastmath=True, error_model="numpy")
def _write_cells(planes, low, to_grid, along_x, along_y, start, count, top, made, out):
    """Interpolate the target's table in its cells, and write its values, which are the end, as codes.

    Four codes are written where there may be three: the next pixel's come over the last, but for the end.
    """
    n, k = out.shape
    flat = out.reshape(n * k)
    x, y, z = planes[0], planes[1], planes[2]
    whole = count if k == 4 or start + count < n else count - 1
    for i in range(whole):
        at = np.int64((start + i) * k)
        trilinear_codes(to_grid, np.int64(low[i]), along_x, along_y, x[i], y[i], z[i], top, flat, at)
    for i in range(whole, count):
        trilinear(to_grid, np.int64(low[i]), along_x, along_y, x[i], y[i], z[i], made, np.int64(0))
        for c in range(k):
            out[start + i, c] = min(max(made[c], np.float32(0)), np.float32(1)) * top + np.float32(0.5)


@njit(cache=True, fastmath=True, error_model="numpy")
def _write_curved(planes, low, to_grid, along_x, along_y, curves, begins, last, start, count, spare, out):
    """Interpolate the target's table in its cells, go through its output curves, and write codes, all in one.

    As above, but that what may not be written goes by way of `spare` (4,).
    """
    n, k = out.shape
    flat = out.reshape(n * k)
    x, y, z = planes[0], planes[1], planes[2]
    whole = count if k == 4 or start + count < n else count - 1
    for i in range(whole):
        at = np.int64((start + i) * k)
        curved_codes(to_grid, np.int64(low[i]), along_x, along_y, x[i], y[i], z[i], curves, begins, last, flat, at)
    for i in range(whole, count):
        curved_codes(to_grid, np.int64(low[i]), along_x, along_y, x[i], y[i], z[i], curves, begins, last, spare, 0)
        for c in range(k):
            out[start + i, c] = spare[c]


@njit(
    types.void(
        *(given(types.uint8), given(types.uint16), given(types.float32)),
        *(types.int64, REAL_ROWS, REALS, PLACES, REAL_ROWS, types.boolean, REAL_ROWS, types.boolean),
        *(REALS, REAL_ROWS, REALS, PLACES, REAL_ROWS, REAL_ROWS),
        *(types.uint8[:, ::1], types.uint16[:, ::1], REAL_ROWS),
    ),
    nogil=True,
    cache=True,
    fastmath=True,
    error_model="numpy",
)
def transform(
    codes8, codes16, reals, kind, firsts, grid, sizes, lasts, through, matrix, precise, scales, ins, to_grid, to_sizes,
    outs, back, out8, out16, out_reals,
):  # fmt: skip
    """Convert values (n, c) of one kind, codes of 8 or 16 bits or numbers from 0 to 1 or of L*a*b*, into the same.

    Two of the three arrays that come in, and of those that go out, are empty: so the function is compiled but once.

    kind        MATRIX, TABLE or LAB: what the source is
    firsts      (c, 2 m) float32: its curves as pairs over the range of its codes; in nodes where a table follows
    grid        (nodes * 4,) float32 of sizes (c,) int64: its table, to L*a*b* itself or to places on `lasts`
    lasts       (3, 2 m) or (3, 0): the curves behind it, to L*a*b*
    through     whether to go through XYZ / white, where `matrix` (3, 4) acts
    precise     whether cube roots are exact to the last bit
    scales      (2,) from L* and from a*, b* + 128 to places on `ins`; twice nought where out is to be L*a*b*
    ins         (3, 2 m): input curves of the target's table, in nodes of `to_grid` of `to_sizes` (3,)
    outs        (k, 2 m) its output curves, or (k, 0) where the grid holds the end values themselves
    back        (3, 2 m) instead of all these: from roots of linear light, to which `matrix` leads, to device values
    """
    n = max(codes8.shape[0], codes16.shape[0], reals.shape[0])
    top = np.float32(255 if codes8.shape[0] else 65535 if codes16.shape[0] else 1)
    half = np.float32(0 if reals.shape[0] else 0.5)
    planes, kept = np.zeros((4, _BLOCK), np.float32), np.empty(_BLOCK, np.float32)
    low, places, made = np.zeros(_BLOCK, np.int32), np.zeros(4 * _BLOCK, np.int32), np.empty(4 * _BLOCK, np.float32)
    reach = np.float32(1 if kind == LAB else firsts.shape[1] // 2 - 1) / (np.float32(1) if kind == LAB else top)
    spare8, spare16 = np.empty(4, np.uint8), np.empty(4, np.uint16)
    along_x, along_y = np.int64(to_sizes[1] * to_sizes[2] * 4), np.int64(to_sizes[2] * 4)
    begins = np.empty(4 * _BLOCK, np.int32)
    for j in range(4 * _BLOCK):  # a node's fourth number may be none
        begins[j] = min(j % 4, outs.shape[0] - 1) * (outs.shape[1] // 2)
    curves, last = outs.reshape(outs.size) * top, np.float32(outs.shape[1] // 2 - 1)
    for j in range(0, curves.shape[0], 2):
        curves[j] += half
    for start in range(0, n, _BLOCK):
        count = min(_BLOCK, n - start)
        if codes8.shape[0]:
            _read(codes8, start, count, reach, planes)
        elif codes16.shape[0]:
            _read(codes16, start, count, reach, planes)
        else:
            _read(reals, start, count, reach, planes)
        _to_cells(
            planes, kind, firsts, grid, sizes, lasts, through, matrix, precise, scales, ins, to_sizes, back,
            kept, low, made, count,
        )  # fmt: skip
        if scales[0] == 0:  # they are the end: L*a*b*, or a matrix profile's values
            if codes8.shape[0]:
                _write_planes(planes, start, count, top, half, out8)
            elif codes16.shape[0]:
                _write_planes(planes, start, count, top, half, out16)
            else:
                _write_planes(planes, start, count, top, half, out_reals)
        elif outs.shape[1] == 0 and codes8.shape[0]:
            _write_cells(planes, low, to_grid, along_x, along_y, start, count, top, made, out8)
        elif outs.shape[1] == 0 and codes16.shape[0]:
            _write_cells(planes, low, to_grid, along_x, along_y, start, count, top, made, out16)
        elif codes8.shape[0]:
            _write_curved(planes, low, to_grid, along_x, along_y, curves, begins, last, start, count, spare8, out8)
        elif codes16.shape[0]:
            _write_curved(planes, low, to_grid, along_x, along_y, curves, begins, last, start, count, spare16, out16)
        else:
            _in_cells(planes, low, to_grid, along_x, along_y, outs, begins, places, made, count)
            _write_nodes(made, start, count, top, half, out_reals)
