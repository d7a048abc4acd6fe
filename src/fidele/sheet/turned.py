"""Pictures that are turned freely: each pixel of the sheet is the mean of what falls into it."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Codes, Floats
from fidele.sheet.arc import Arc
from fidele.sheet.placing import Placing

#: A pixel at an edge is covered in steps of one part in so many, squared.
_FINE = 4
#: OpenCV cannot address more pixels than this along a side.
_MOST = 32_000


def turned_rows(
    pixels: Codes,
    placing: Placing,
    behind: tuple[float, float, float, float] | None,
    scale: float,
    window: tuple[int, int, int, int],
    arc: Arc | None = None,
) -> tuple[NDArray[np.uint16], NDArray[np.float32]]:
    """Return what of a turned or bent picture falls into a window (left, top, right, bottom) of the sheet.

    Comes as pixels (h, w, channels) uint16 and the share (h, w) of each that the picture covers. `scale` is in sheet
    pixels per mm; `behind` is where the picture lies behind its placing. Each pixel is the mean of k x k places, k the
    number of the picture's pixels that go to one of the sheet (at least four, for smooth edges), each cubic between
    its neighbours.
    """
    import cv2

    left, top, right, bottom = window
    # The area that is filled, flat: the placing itself, or what of it goes round a piece.
    line = placing.width / arc.size[0] if arc is not None else 0.0
    width, height = (line, line * arc.share) if arc is not None else (placing.width, placing.height)
    x, y, wide, high = behind if behind is not None else (0.0, 0.0, width, height)
    across, down = pixels.shape[1] / wide, pixels.shape[0] / high  # picture pixels per mm
    k = max(_FINE, math.ceil(max(across, down) / scale))
    cx, cy = placing.centre
    turn = math.radians(placing.angle)
    cos, sin = math.cos(turn), math.sin(turn)
    lift = np.float32(257 if pixels.dtype == np.uint8 else 1)
    total = np.zeros((bottom - top, right - left, pixels.shape[2]), np.float32)
    cover = np.zeros((bottom - top, right - left), np.float32)

    def on_area(px: Floats, py: Floats) -> tuple[Floats, Floats]:
        u, v = px * cos - py * sin, px * sin + py * cos
        if arc is None:
            return u, v
        along, below = arc.flat(u / line, v / line)
        return along * line, below * line

    # Only what is needed of the picture: what lies within reach of the window, by places all over it.
    mx = (np.linspace(left, right, 2 if arc is None else 33) / scale - cx)[None, :]
    my = (np.linspace(top, bottom, 2 if arc is None else 33) / scale - cy)[:, None]
    us, vs = on_area(mx + 0 * my, my + 0 * mx)
    # Between those places a bent picture goes a little beyond them.
    spare = 3 if arc is None else 3 + int(0.05 * max(np.ptp(us) * across, np.ptp(vs) * down))
    us, vs = (us + width / 2 - x) * across, (vs + height / 2 - y) * down
    u0, u1 = _within(us, spare, pixels.shape[1])
    v0, v1 = _within(vs, spare, pixels.shape[0])
    step = max(1, math.ceil(max(u1 - u0, v1 - v0) / _MOST))
    part = np.ascontiguousarray(pixels[v0:v1:step, u0:u1:step]).astype(np.float32)
    for row in range(k):
        py = (np.arange(top, bottom) + (row + 0.5) / k)[:, None] / scale - cy
        for column in range(k):
            px = (np.arange(left, right) + (column + 0.5) / k)[None, :] / scale - cx
            u, v = on_area(px, py)
            seen = (np.abs(u) <= width / 2) & (np.abs(v) <= height / 2)
            u = (u + width / 2 - x) * across
            v = (v + height / 2 - y) * down
            seen &= (u >= 0) & (v >= 0) & (u <= pixels.shape[1]) & (v <= pixels.shape[0])
            value = cv2.remap(
                part,
                ((u - 0.5 - u0) / step).astype(np.float32),
                ((v - 0.5 - v0) / step).astype(np.float32),
                cv2.INTER_CUBIC if k == _FINE else cv2.INTER_LINEAR,
                borderMode=cv2.BORDER_REPLICATE,
            ).reshape(total.shape)
            total += value * seen[..., None]
            cover += seen
    mean = total / np.maximum(cover, 1)[..., None]
    return np.rint(np.clip(mean * lift, 0, 65535)).astype(np.uint16), cover / (k * k)


def _within(at: Floats, spare: int, count: int) -> tuple[int, int]:
    """Return the first of `count` pixels that is needed, and the one after the last."""
    return int(max(0, min(at.min() - spare, count - 1))), int(max(1, min(at.max() + spare + 1, count)))
