"""Oklab, a space in which a hue stays the same hue when only its chroma changes."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike

from fidele.colour.adaptation import adaptation_matrix
from fidele.colour.cie import D50, Array, lab_to_xyz, xyz_to_lab

_D65 = np.array([0.3127 / 0.3290, 1.0, (1 - 0.3127 - 0.3290) / 0.3290])
#: Source of both matrices: Björn Ottosson, 'A perceptual color space for image processing', 2020; CSS Color 4, 16.
_TO_CONES = np.array(
    [
        [0.8189330101, 0.3618667424, -0.1288597137],
        [0.0329845436, 0.9293118715, 0.0361456387],
        [0.0482003018, 0.2643662691, 0.6338517070],
    ]
)
_TO_LAB = np.array(
    [
        [0.2104542553, 0.7936177850, -0.0040720468],
        [1.9779984951, -2.4285922050, 0.4505937099],
        [0.0259040371, 0.7827717662, -0.8086757660],
    ]
)
_FORTH = _TO_CONES @ adaptation_matrix(D50, _D65)


def lab_to_oklab(Lab: ArrayLike) -> Array:
    """Convert D50 L*a*b* (…, 3) to Oklab (…, 3), lightness 0 to 1, adapted to D65 by linear Bradford."""
    return np.cbrt(lab_to_xyz(Lab) @ _FORTH.T) @ _TO_LAB.T


def oklab_to_lab(oklab: ArrayLike) -> Array:
    """Convert Oklab (…, 3) to D50 L*a*b* (…, 3)."""
    cones = (np.asarray(oklab, dtype=float) @ np.linalg.inv(_TO_LAB).T) ** 3
    return xyz_to_lab(cones @ np.linalg.inv(_FORTH).T)
