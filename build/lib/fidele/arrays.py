"""Kinds of arrays that pass between packages."""

from __future__ import annotations

from typing import TypeAlias, TypeVar

import numpy as np
from numpy.typing import NDArray

#: Pixels in any depth: 8 or 16 bit codes of full range, or float 0 to 1 (L*a*b* in its own units).
Pixels: TypeAlias = NDArray[np.uint8 | np.uint16 | np.float32]
#: Pixels as codes of 8 or 16 bits.
Codes: TypeAlias = NDArray[np.uint8 | np.uint16]
Floats: TypeAlias = NDArray[np.float64]
#: The depth of pixels that come out as they went in.
Depth = TypeVar("Depth", bound=np.generic)


def top_of(codes: NDArray[np.generic]) -> int:
    """Return the code of full range: 255 or 65535."""
    return int(np.iinfo(codes.dtype.name).max)


def packed(codes: NDArray[np.generic], bits: int) -> NDArray[np.uint64]:
    """Return codes (n, up to 4 channels) of so many bits as one number each, the first channel lowest."""
    one = np.zeros(len(codes), np.uint64)
    for channel in range(codes.shape[1]):
        one |= codes[:, channel].astype(np.uint64) << np.uint64(bits * channel)
    return one


def distinct(pixels: NDArray[Depth]) -> tuple[NDArray[Depth], NDArray[np.int64]]:
    """Return the different colours (m, channels) among pixels (n, channels), in order, and which of them each is."""
    if pixels.dtype.kind != "u" or pixels.shape[1] * pixels.dtype.itemsize > 8:
        colours, index = np.unique(pixels, axis=0, return_inverse=True)
        return colours, index.reshape(-1)
    # As one number each they are sorted some ten times as fast as row by row.
    whole = packed(pixels[:, ::-1], 8 * pixels.dtype.itemsize)
    _, first, inverse = np.unique(whole, return_index=True, return_inverse=True)
    return pixels[first], inverse
