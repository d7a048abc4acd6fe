"""Pictures that are turned freely: each pixel of the sheet is the mean of what falls into it."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Codes
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
) -> tuple[NDArray[np.uint16], NDArray[np.float32]]:
    """Return what of a turned picture falls into a window (left, top, right, bottom) of the sheet, in its pixels.

    Comes as pixels (h, w, channels) uint16 and the share (h, w) of each that the picture covers. `scale` is in sheet
    pixels per mm; `behind` is where the picture lies behind its placing. Each pixel is the mean of k x k places, k the
    number of the picture's pixels that go to one of the sheet (at least four, for smooth edges), each cubic between
    its neighbours.
    """
    import cv2

    left, top, right, bottom = window
    x, y, wide, high = behind if behind is not None else (0.0, 0.0, placing.width, placing.height)
    across, down = pixels.shape[1] / wide, pixels.shape[0] / high  # picture pixels per mm
    k = max(_FINE, math.ceil(max(across, down) / scale))
    cx, cy = placing.centre
    turn = math.radians(placing.angle)
    cos, sin = math.cos(turn), math.sin(turn)
    lift = np.float32(257 if pixels.dtype == np.uint8 else 1)
    total = np.zeros((bottom - top, right - left, pixels.shape[2]), np.float32)
    cover = np.zeros((bottom - top, right - left), np.float32)
    # Only what is needed of the picture: its corners within reach of the window.
    mx = (np.array([left, right, right, left]) / scale) - cx
    my = (np.array([top, top, bottom, bottom]) / scale) - cy
    us = ((mx * cos - my * sin) + placing.width / 2 - x) * across
    vs = ((mx * sin + my * cos) + placing.height / 2 - y) * down
    u0, u1 = int(max(0, min(us.min() - 3, pixels.shape[1] - 1))), int(max(1, min(us.max() + 4, pixels.shape[1])))
    v0, v1 = int(max(0, min(vs.min() - 3, pixels.shape[0] - 1))), int(max(1, min(vs.max() + 4, pixels.shape[0])))
    step = max(1, math.ceil(max(u1 - u0, v1 - v0) / _MOST))
    part = np.ascontiguousarray(pixels[v0:v1:step, u0:u1:step]).astype(np.float32)
    for row in range(k):
        py = (np.arange(top, bottom) + (row + 0.5) / k)[:, None] / scale - cy
        for column in range(k):
            px = (np.arange(left, right) + (column + 0.5) / k)[None, :] / scale - cx
            u, v = px * cos - py * sin, px * sin + py * cos
            seen = (np.abs(u) <= placing.width / 2) & (np.abs(v) <= placing.height / 2)
            u = (u + placing.width / 2 - x) * across
            v = (v + placing.height / 2 - y) * down
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
