"""Chromatic adaptation between whites."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike

from fidele.colour.cie import Array

#: Linear Bradford transform as ICC.1:2022, annex E.3 gives it.
BRADFORD = np.array([[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]])


def adaptation_matrix(source_white: ArrayLike, target_white: ArrayLike) -> Array:
    """Return the 3 x 3 matrix that takes XYZ under `source_white` to XYZ under `target_white` (linear Bradford)."""
    gain = (BRADFORD @ np.asarray(target_white, dtype=float)) / (BRADFORD @ np.asarray(source_white, dtype=float))
    return np.linalg.inv(BRADFORD) @ np.diag(gain) @ BRADFORD


def adapt(XYZ: ArrayLike, source_white: ArrayLike, target_white: ArrayLike) -> Array:
    """Adapt XYZ (…, 3) from one white to another by the linear Bradford transform."""
    return np.asarray(XYZ, dtype=float) @ adaptation_matrix(source_white, target_white).T


def media_relative(XYZ: ArrayLike, media_white: ArrayLike, white: ArrayLike) -> Array:
    """Scale XYZ (…, 3) so that `media_white` becomes `white`, channel by channel (ICC.1:2022, 6.3.2.3)."""
    return np.asarray(XYZ, dtype=float) * (np.asarray(white, dtype=float) / np.asarray(media_white, dtype=float))
