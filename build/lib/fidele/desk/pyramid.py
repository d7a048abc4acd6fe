"""A picture at halved sizes, made beside the interface, so that any part of it is brought to the screen at once."""

from __future__ import annotations

import threading
from collections.abc import Callable

import numpy as np

from fidele.arrays import Codes

#: Parts of up to so many pixels are brought to the screen's size directly.
_AT_ONCE = 3_000_000


class Pyramid:
    """Halved copies of pixels (h, w, channels); `ready` is called, on another thread, once they are all made."""

    def __init__(self, pixels: Codes, ready: Callable[[], None]) -> None:
        self.pixels = pixels
        self._levels: list[Codes] = [pixels]
        self._stopped = False
        if pixels.shape[0] * pixels.shape[1] > _AT_ONCE:
            threading.Thread(target=self._make, args=(ready,), daemon=True).start()

    def stop(self) -> None:
        """Make no further copies."""
        self._stopped = True

    def _make(self, ready: Callable[[], None]) -> None:
        import cv2

        levels = [self.pixels]
        while levels[-1].shape[0] * levels[-1].shape[1] > _AT_ONCE // 4 and not self._stopped:
            last = levels[-1]
            size = (max(1, last.shape[1] // 2), max(1, last.shape[0] // 2))
            small = np.empty((size[1], size[0], last.shape[2]), last.dtype)
            rows = max(2, (1 << 21) // max(1, last.shape[1]) // 2 * 2)
            for top in range(0, size[1] * 2, rows):  # in bands, so that a stop is heard
                if self._stopped:
                    return
                band = last[top : min(top + rows, size[1] * 2), : size[0] * 2]
                made = cv2.resize(band, (size[0], len(band) // 2), interpolation=cv2.INTER_AREA)
                small[top // 2 : top // 2 + len(band) // 2] = made.reshape(len(band) // 2, size[0], -1)
            levels.append(small)
        self._levels = levels
        if not self._stopped:
            ready()

    def part(self, x0: float, y0: float, x1: float, y1: float, width: int, height: int) -> Codes:
        """Return a part, in the picture's pixels, made smaller to (height, width, channels).

        From the copy that is next larger; while that is not made, from every so many pixels.
        """
        import cv2

        shrink = min((x1 - x0) / width, (y1 - y0) / height)
        level = 0
        while level + 1 < len(self._levels) and 2 ** (level + 1) <= shrink:
            level += 1
        pixels, factor = self._levels[level], 2.0**level
        left, top = max(0, int(x0 / factor)), max(0, int(y0 / factor))
        right = min(pixels.shape[1], max(left + 1, int(np.ceil(x1 / factor))))
        bottom = min(pixels.shape[0], max(top + 1, int(np.ceil(y1 / factor))))
        piece = pixels[top:bottom, left:right]
        if piece.shape[0] * piece.shape[1] > _AT_ONCE * 1.5:
            step = max(1, int(shrink / factor))
            piece = piece[::step, ::step]
        done = cv2.resize(np.ascontiguousarray(piece), (width, height), interpolation=cv2.INTER_AREA)
        return done.reshape(height, width, pixels.shape[2])
