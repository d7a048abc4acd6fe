"""Pure colours that stay pure: exact black as the printer's full black, exact white as bare paper, exact primaries.

A pixel is chosen by what it is in the artwork. Around the exact value the change fades over a few steps, so that the
softened edges of text and lines run from bare paper to full black without a fringe.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Pixels
from fidele.icc.profile import Profile
from fidele.icc.transform import as_float

#: What can be kept.
KEEPS = ("", "black", "primaries")
#: Shares of the whole scale over which a pure colour fades into converted ones.
_BLACK, _WHITE, _PRIMARY = 0.15, 0.04, 0.04
#: Channels that differ by less than half a step of 8 bit are the same grey.
_NEUTRAL = 0.5 / 255


def keep_pure(
    device: NDArray[np.float32], values: Pixels, source: Profile, printer: Profile, keep: str
) -> NDArray[np.float32]:
    """Return device values (n, k), 0 to 1, with the pure colours of source values (n, channels) put back."""
    if not keep:
        return device
    made = as_float(device)
    given = as_float(values)
    space, inks = source.header.colour_space, printer.header.colour_space == "CMYK"
    paper = np.full(printer.channels, 0.0 if inks else 1.0, np.float32)
    full: NDArray[np.float32] = np.zeros(printer.channels, np.float32)
    if inks:
        full[3] = 1.0
    light, neutral = _lightness(given, space)
    black, white = neutral * _faded(light, _BLACK), neutral * _faded(1 - light, _WHITE)
    for weight, value in ((black, full), (white, paper)):
        made = (made + weight[:, None] * (value - made)).astype(np.float32)
    if keep == "primaries" and space == "RGB" and printer.header.colour_space == "RGB":
        corner = np.rint(given)
        pure = corner.max(axis=1) != corner.min(axis=1)
        near = np.where(pure, _faded(np.abs(given - corner).max(axis=1), _PRIMARY), np.float32(0))
        made = (made + near[:, None] * (corner - made)).astype(np.float32)
    return made


def _faded(distance: Pixels, reach: float) -> NDArray[np.float32]:
    """Return 1 at no distance, 0 from `reach` on, smooth at both ends."""
    t = np.clip(1 - distance / reach, 0, 1)
    return (t * t * (3 - 2 * t)).astype(np.float32)


def _lightness(given: NDArray[np.float32], space: str) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Return where values lie between black (0) and white (1), and 1 where they are neutral, else 0."""
    if space == "CMYK":
        # Black is the black ink alone, or with whatever lies under it; a grey is the black ink alone.
        light = 1 - given[:, 3]
        neutral = (given[:, :3].max(axis=1) < _NEUTRAL) | (light < _NEUTRAL)
        return light, neutral.astype(np.float32)
    if space == "Lab":
        neutral = np.abs(given[:, 1:] - 128 / 255).max(axis=1) < _NEUTRAL
        return given[:, 0], neutral.astype(np.float32)
    neutral = given.max(axis=1) - given.min(axis=1) < _NEUTRAL
    return given.mean(axis=1), neutral.astype(np.float32)
