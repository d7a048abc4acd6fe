"""Resample by parts: any rows of the result come out the same, whether they are made alone or with all others."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Codes

#: Keys' cubic convolution (IEEE Trans. ASSP 29, 1981), as OpenCV weighs it.
_A = -0.75


class Axis:
    """The weights by which `before` samples become `after`: area when there are fewer, cubic when there are more."""

    def __init__(self, before: int, after: int) -> None:
        self.before, self.after = before, after

    def weights(self, first: int, last: int) -> tuple[slice, Any]:
        """Return which samples are needed for outputs from `first` up to `last`, and a sparse matrix for them."""
        from scipy.sparse import csr_array

        at = np.arange(first, last)
        scale = self.before / self.after
        if self.after < self.before:
            low, high = at * scale, (at + 1) * scale
            start = np.floor(low + 1e-9).astype(int)
            taps = int(np.ceil(scale)) + 1
            source = start[:, None] + np.arange(taps)
            shares = np.clip(np.minimum(high[:, None], source + 1) - np.maximum(low[:, None], source), 0, None) / scale
        else:
            middle = (at + 0.5) * scale - 0.5
            start = np.floor(middle).astype(int) - 1
            source = start[:, None] + np.arange(4)
            away = np.abs(middle[:, None] - source)
            near = ((_A + 2) * away - (_A + 3)) * away**2 + 1
            far = ((_A * away - 5 * _A) * away + 8 * _A) * away - 4 * _A
            shares = np.where(away <= 1, near, np.where(away < 2, far, 0))
        source = np.clip(source, 0, self.before - 1)
        needed = slice(int(source.min()), int(source.max()) + 1)
        rows = np.repeat(np.arange(len(at)), source.shape[1])
        matrix = csr_array(
            (shares.astype(np.float32).ravel(), (rows, source.ravel() - needed.start)),
            shape=(len(at), needed.stop - needed.start),
        )
        return needed, matrix


def resampled_rows(
    pixels: Codes, width: int, height: int, first: int = 0, last: int | None = None
) -> NDArray[np.uint16]:
    """Return rows from `first` up to `last` of pixels (h, w, channels) made `height` x `width` pixels large, 16 bit.

    The same number of pixels leaves them untouched. Eight bits become sixteen on the way.
    """
    last = height if last is None else last
    before_h, before_w, channels = pixels.shape
    lift = np.uint16(257) if pixels.dtype == np.uint8 else np.uint16(1)
    if (before_h, before_w) == (height, width):
        return pixels[first:last].astype(np.uint16) * lift
    needed, down = Axis(before_h, height).weights(first, last)
    part = pixels[needed].astype(np.float32).reshape(needed.stop - needed.start, -1)
    rows = (down @ part).reshape(last - first, before_w, channels)
    _, across = Axis(before_w, width).weights(0, width)
    turned = np.ascontiguousarray(rows.transpose(1, 0, 2)).reshape(before_w, -1)
    done = (across @ turned).reshape(width, last - first, channels).transpose(1, 0, 2)
    return np.rint(np.clip(done * float(lift), 0, 65535)).astype(np.uint16)
