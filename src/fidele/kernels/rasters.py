"""Rows of packed rasters."""

from __future__ import annotations

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
