"""The pixels of patches on a scan: see `fidele.chart.patches`."""

from __future__ import annotations

import math

import numpy as np
from numba import njit, types

from fidele.kernels.kinds import DOUBLE_ROWS, DOUBLES, PLACES, given

#: Of the normal distribution, how many median deviations are a standard one.
_MAD = 1.4826


@njit(cache=True)
def _bounds(outlines, n, height, width):
    """Return first column, last and one more, first row, last and one more of an outline, within the scan."""
    left = right = outlines[n, 0, 0]
    upper = lower = outlines[n, 0, 1]
    for k in range(1, 4):
        x, y = outlines[n, k, 0], outlines[n, k, 1]
        left, right = (x if x < left else left), (x if x > right else right)
        upper, lower = (y if y < upper else upper), (y if y > lower else lower)
    left, right = max(left, 0.0), min(right, width - 1.0)
    upper, lower = max(upper, 0.0), min(lower, height - 1.0)
    return math.floor(left), math.ceil(right) + 1, math.floor(upper), math.ceil(lower) + 1


@njit(cache=True)
def _inside(outlines, n, row, column):
    """Tell whether a pixel lies in an outline, whichever way round that goes."""
    left = right = True
    for k in range(4):
        ax, ay = outlines[n, k, 0], outlines[n, k, 1]
        bx, by = outlines[n, (k + 1) % 4, 0], outlines[n, (k + 1) % 4, 1]
        side = (bx - ax) * (row - ay) - (by - ay) * (column - ax)
        left &= side >= 0
        right &= side <= 0
    return left or right


@njit(cache=True)
def _nth(values, count, n):
    """Return the n-th smallest of `count` values, which are put in another order (Hoare, 'Find', 1961)."""
    low, high = 0, count - 1
    while low < high:
        pivot = values[(low + high) // 2]
        i, j = low, high
        while i <= j:
            while values[i] < pivot:
                i += 1
            while values[j] > pivot:
                j -= 1
            if i <= j:
                values[i], values[j] = values[j], values[i]
                i += 1
                j -= 1
        if n <= j:
            high = j
        elif n >= i:
            low = i
        else:
            break
    return values[n]


@njit(cache=True)
def _median(row, count, room):
    """Return the median of `count` values; `room` is for use."""
    for i in range(count):
        room[i] = row[i]
    upper = _nth(room, count, count // 2)
    if count % 2:
        return upper
    below = room[0]
    for i in range(count // 2):
        below = max(below, room[i])
    return (upper + below) / np.float32(2)


@njit(cache=True)
def _statistics(pixels, away, count, mean, n):
    """Put the robust mean of `count` pixels (3, m) into mean (…, 3) at n, and return their spread; away is for use."""
    room = np.empty(count, np.float32)
    limits, middles = np.empty(3, np.float32), np.empty(3, np.float32)
    for c in range(3):
        middles[c] = _median(pixels[c], count, room)
        for i in range(count):
            away[c, i] = abs(pixels[c, i] - middles[c])
        limits[c] = 3.5 * _MAD * max(_median(away[c], count, room), 1 / 1024)
    # Dust, fibres and scratches stand out from the grain.
    good = 0
    for i in range(count):
        good += away[0, i] <= limits[0] and away[1, i] <= limits[1] and away[2, i] <= limits[2]
    some = good >= count // 2
    used = good if some else count
    total = 0.0
    for c in range(3):
        first, second = 0.0, 0.0
        for i in range(count):
            if not some or (away[0, i] <= limits[0] and away[1, i] <= limits[1] and away[2, i] <= limits[2]):
                off = float(pixels[c, i]) - middles[c]
                first += off
                second += off * off
        mean[n, c] = middles[c] + first / used
        total += math.sqrt(max(0.0, second / used - (first / used) * (first / used)))
    return total / 3


@njit(
    [
        types.void(
            given(kind, 3), given(types.float64, 3), types.float64, DOUBLE_ROWS, DOUBLES, types.boolean[::1], PLACES
        )
        for kind in (types.uint8, types.uint16)
    ],
    nogil=True,
    cache=True,
)
def patch_statistics(values, outlines, top, mean, spread, clipped, counts):
    """Measure patches of values (h, w, 3) within outlines (n, 4, 2), in pixels, clockwise or the other way round.

    Into mean (n, 3), the robust mean from 0 to 1; spread (n,); clipped (n,) whether at full scale; counts (n,) pixels.
    """
    height, width = values.shape[0], values.shape[1]
    largest = 0
    for n in range(outlines.shape[0]):
        left, right, upper, lower = _bounds(outlines, n, height, width)
        largest = max(largest, max(right - left, 0) * max(lower - upper, 0))
    pixels, away = np.empty((3, largest), np.float32), np.empty((3, largest), np.float32)
    scale = np.float32(1.0 / top)
    for n in range(outlines.shape[0]):
        left, right, upper, lower = _bounds(outlines, n, height, width)
        count, full = 0, 0
        for row in range(upper, lower):
            for column in range(left, right):
                if _inside(outlines, n, row, column):
                    for c in range(3):
                        value = np.float32(values[row, column, c]) * scale
                        pixels[c, count] = value
                        full += value >= np.float32(0.999)
                    count += 1
        counts[n] = count
        if count > 0:
            spread[n] = _statistics(pixels, away, count, mean, n)
            clipped[n] = full > 0.02 * 3 * count
