"""A hint at which RGB space a picture that states none was made in, from its own numbers. Never acted on."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Codes
from fidele.colour.cie import lab_to_lch
from fidele.icc.spaces import oprgb, srgb
from fidele.icc.transform import Intent, as_float, convert, to_lab

#: Codes looked at.
_SAMPLE = 40_000
#: A value this near to an end of its channel lies at the edge of a space.
_EDGE = 2.5 / 255
#: Of the colourful pixels, so many must lie at an edge for it to tell anything.
_TELLING = 0.004


def looks_like(pixels: Codes) -> str:
    """Return 'sRGB' or 'opRGB' where RGB pixels (h, w, 3) look made in that space, '' where they tell nothing.

    A picture whose colours were cut off at the edge of sRGB and then moved to opRGB shows an inner wall: taken for
    opRGB, none of its colours lies outside sRGB and many lie exactly at its surface. A picture whose colourful values
    reach the ends of their channels was made in the space that they are numbers of; most of those are sRGB.
    """
    flat = pixels.reshape(-1, pixels.shape[-1])
    step = max(1, len(flat) // _SAMPLE)
    values = as_float(np.ascontiguousarray(flat[::step]))
    colourful = values[lab_to_lch(to_lab(values, srgb()))[:, 1] > 25]
    if len(colourful) < 200:
        return ""
    as_if = convert(colourful, oprgb(), srgb(), Intent.RELATIVE)
    over = (as_if < -0.05) | (as_if > 1.02)
    wall = _at_edge(as_if) & ~over.any(axis=1)
    if over.any(axis=1).mean() < 0.001 and wall.mean() > _TELLING:
        return "opRGB"
    if _at_edge(colourful).mean() > _TELLING and over.any(axis=1).mean() > _TELLING:
        return "sRGB"
    return ""


def _at_edge(values: NDArray[np.float32]) -> NDArray[np.bool_]:
    """Return which colours (n, 3) have a channel at its end."""
    ends: NDArray[np.bool_] = (np.abs(values) < _EDGE) | (np.abs(values - 1) < _EDGE)
    return np.asarray(ends.any(axis=1))
