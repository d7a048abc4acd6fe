"""Rows of packed rasters."""

from __future__ import annotations

import numpy as np
from numba import njit


@njit(nogil=True, cache=True)
def unpack_rows(data, out, pixel):
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


@njit(nogil=True, cache=True)
def fill_triangles(corners, colours, order, out):
    """Fill triangles (n, 3, 2) in pixels with colours (n, 3) into out (h, w, 4), 0 to 255, in the given order.

    A pixel belongs to what its middle lies in, edges counted in: no seams are left between neighbours.
    """
    for index in order:
        x0, y0 = corners[index, 0, 0], corners[index, 0, 1]
        x1, y1 = corners[index, 1, 0], corners[index, 1, 1]
        x2, y2 = corners[index, 2, 0], corners[index, 2, 1]
        twice = (x1 - x0) * (y2 - y0) - (x2 - x0) * (y1 - y0)
        if abs(twice) < 1e-9:
            continue
        side = 1.0 if twice > 0 else -1.0
        left, right = int(max(0.0, min(x0, x1, x2))), int(min(out.shape[1] - 1.0, max(x0, x1, x2)))
        top, foot = int(max(0.0, min(y0, y1, y2))), int(min(out.shape[0] - 1.0, max(y0, y1, y2)))
        for row in range(top, foot + 1):
            y = row + 0.5
            for column in range(left, right + 1):
                x = column + 0.5
                a = ((x1 - x0) * (y - y0) - (x - x0) * (y1 - y0)) * side
                b = ((x2 - x1) * (y - y1) - (x - x1) * (y2 - y1)) * side
                c = ((x0 - x2) * (y - y2) - (x - x2) * (y0 - y2)) * side
                if a >= -1e-9 and b >= -1e-9 and c >= -1e-9:
                    out[row, column, 0], out[row, column, 1] = colours[index, 0], colours[index, 1]
                    out[row, column, 2], out[row, column, 3] = colours[index, 2], 255


def ready_to_draw() -> None:
    """Have triangles compiled, beside the interface, so that nothing is compiled while it paints."""
    one, pixels = np.zeros((1, 3), np.uint8), np.zeros((1, 1, 4), np.uint8)
    fill_triangles(np.zeros((1, 3, 2)), one, np.zeros(1, np.int64), pixels)
