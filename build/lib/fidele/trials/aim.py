"""What a print is held against where no profile says what it should be: the picture on the screen, on this material."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Floats
from fidele.check.statistics import relative_to_white
from fidele.colour.cie import D50, lab_to_lch, lab_to_xyz, xyz_to_lab
from fidele.icc.spaces import srgb
from fidele.icc.transform import to_lab
from fidele.language import tr

#: Families of colours that prints are judged in, and what belongs to them, in the order in which people ask.
FAMILIES = {
    "greys": tr("greys and black"),
    "tints": tr("light tints"),
    "darks": tr("dark colours"),
    "skin": tr("skin-like tones"),
    "reds": tr("reds and oranges"),
    "greens": tr("yellows and greens"),
    "blues": tr("blues and violets"),
}


def relative(Lab: Floats, rgb: Floats) -> Floats:
    """Return measured L*a*b* (n, 3) relative to the print's own white: the lightest patch printed of white (n, 3)."""
    white = rgb.min(axis=1) > 0.995
    rows = np.flatnonzero(white) if white.any() else np.arange(len(Lab))
    return relative_to_white(Lab, Lab[rows[Lab[rows, 0].argmax()]])


def screen_aim(rgb: Floats, black: float) -> Floats:
    """Return what sRGB values (n, 3) look like on a material whose black is L* `black` beside a white of 100.

    White goes to white and black to black, luminance in between evenly: as ISO 18619 scales for a light black.
    """
    Lab = to_lab(rgb.astype(np.float32), srgb()).astype(float)
    dark = float(lab_to_xyz(np.array([black, 0.0, 0.0]))[1])
    return np.asarray(xyz_to_lab(lab_to_xyz(Lab) * (1 - dark) + D50 * dark))


def families_of(rgb: Floats) -> dict[str, NDArray[np.bool_]]:
    """Return which sRGB values (n, 3) belong to each family that has any; a colour can belong to several."""
    L, C, h = lab_to_lch(to_lab(rgb.astype(np.float32), srgb()).astype(float)).T
    coloured = C > 12
    found = {
        "greys": (np.ptp(rgb, axis=1) < 0.02) & (L < 99),
        "tints": (L > 82) & (L < 99),
        "darks": L < 32,
        "skin": (h > 30) & (h < 80) & (C > 8) & (C < 48) & (L > 25) & (L < 90),
        "reds": coloured & ((h < 75) | (h >= 345)),
        "greens": coloured & (h >= 75) & (h < 195),
        "blues": coloured & (h >= 195) & (h < 345),
    }
    return {name: mask for name, mask in found.items() if mask.any()}
