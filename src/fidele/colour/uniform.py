"""A uniform space whose plain distance is close to ΔE00, for searches that need a smooth metric."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike

from fidele.colour.cie import Array

_ANGLE = np.radians(26.0)
#: From so many numbers on a compiled kernel is worth its loading.
_MANY = 30_000


def lab_to_din99o(Lab: ArrayLike) -> Array:
    """Convert L*a*b* (…, 3) to DIN99o L, a, b (…, 3), kE = kCH = 1.

    Source: Cui, Luo, Rigg, Roesler and Witt, 'Uniform colour spaces based on the DIN99 colour-difference formula',
    Color Res. Appl. 27 (2002); DIN 6176:2018.
    """
    Lab = np.asarray(Lab, dtype=float)
    if Lab.size > _MANY:
        from fidele.kernels.colours import din99o

        out = np.empty((Lab.size // 3, 3))
        din99o(np.ascontiguousarray(Lab).reshape(-1, 3), out)
        return out.reshape(Lab.shape)
    lightness = 303.67 * np.log1p(0.0039 * np.maximum(Lab[..., 0], -50))
    e = Lab[..., 1] * np.cos(_ANGLE) + Lab[..., 2] * np.sin(_ANGLE)
    f = 0.83 * (Lab[..., 2] * np.cos(_ANGLE) - Lab[..., 1] * np.sin(_ANGLE))
    radius = np.hypot(e, f)
    chroma = np.log1p(0.075 * radius) / 0.0435
    scale = np.divide(chroma, radius, out=np.full_like(radius, 0.075 / 0.0435), where=radius > 1e-9)
    a, b = scale * e, scale * f
    return np.stack(
        [lightness, a * np.cos(_ANGLE) - b * np.sin(_ANGLE), a * np.sin(_ANGLE) + b * np.cos(_ANGLE)], axis=-1
    )
