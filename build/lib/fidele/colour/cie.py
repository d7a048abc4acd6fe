"""XYZ, L*a*b* and LCh.

XYZ is scaled so that the perfect diffuser has Y = 1. The white is the D50 of the profile connection space unless
another is given.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray

Array = NDArray[np.float64]

#: D50 as the ICC profile connection space has it (ICC.1:2022, 7.2.16).
D50 = np.array([0.9642, 1.0, 0.8249])

_EPSILON = 216 / 24389
_KAPPA = 24389 / 27


def xyz_to_lab(XYZ: ArrayLike, white: ArrayLike = D50) -> Array:
    """Convert XYZ (…, 3) to CIE 1976 L*a*b* (…, 3), L* 0 to 100.

    Source: CIE 15:2018, equations 8.3 to 8.11.
    """
    ratio = np.asarray(XYZ, dtype=float) / np.asarray(white, dtype=float)
    f = np.where(ratio > _EPSILON, np.cbrt(ratio), (_KAPPA * ratio + 16) / 116)
    fx, fy, fz = f[..., 0], f[..., 1], f[..., 2]
    return np.stack([116 * fy - 16, 500 * (fx - fy), 200 * (fy - fz)], axis=-1)


def lab_to_xyz(Lab: ArrayLike, white: ArrayLike = D50) -> Array:
    """Convert CIE 1976 L*a*b* (…, 3) to XYZ (…, 3). Source: CIE 15:2018, annex E."""
    Lab = np.asarray(Lab, dtype=float)
    fy = (Lab[..., 0] + 16) / 116
    f = np.stack([fy + Lab[..., 1] / 500, fy, fy - Lab[..., 2] / 200], axis=-1)
    cube = f**3
    return np.where(cube > _EPSILON, cube, (116 * f - 16) / _KAPPA) * np.asarray(white, dtype=float)


def lab_to_lch(Lab: ArrayLike) -> Array:
    """Convert L*a*b* (…, 3) to lightness, chroma and hue angle in degrees, 0 to 360."""
    Lab = np.asarray(Lab, dtype=float)
    chroma = np.hypot(Lab[..., 1], Lab[..., 2])
    hue = np.degrees(np.arctan2(Lab[..., 2], Lab[..., 1])) % 360
    return np.stack([Lab[..., 0], chroma, hue], axis=-1)


def lch_to_lab(LCh: ArrayLike) -> Array:
    """Convert lightness, chroma and hue angle in degrees (…, 3) to L*a*b*."""
    LCh = np.asarray(LCh, dtype=float)
    hue = np.radians(LCh[..., 2])
    return np.stack([LCh[..., 0], LCh[..., 1] * np.cos(hue), LCh[..., 1] * np.sin(hue)], axis=-1)
