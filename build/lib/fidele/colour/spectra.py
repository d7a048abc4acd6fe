"""From reflectance spectra to XYZ: CIE 1931 2 degree observer, illuminant D50."""

from __future__ import annotations

from functools import cache
from importlib import resources

import numpy as np
from numpy.typing import ArrayLike, NDArray

from fidele.colour.cie import Array


def _table(name: str) -> NDArray[np.float64]:
    text = (resources.files("fidele") / "data" / "cie" / name).read_text(encoding="ascii")
    return np.array([[float(v) for v in line.split(",")] for line in text.splitlines() if not line.startswith("#")])


@cache
def observer() -> NDArray[np.float64]:
    """Return the CIE 1931 2 degree colour-matching functions: (471, 4), wavelength in nm and x̄, ȳ, z̄."""
    return _table("observer_1931_2deg_1nm.csv")


@cache
def illuminant_d50() -> NDArray[np.float64]:
    """Return the relative spectral power of D50, 300 to 780 nm in steps of 5 nm: (97, 2)."""
    return _table("illuminant_d50_5nm.csv")


def _lagrange_basis(samples: NDArray, fine: NDArray) -> NDArray[np.float64]:
    """Return (fine, samples): how much each sample counts at each fine wavelength.

    Cubic Lagrange inside, quadratic in the first and the last interval, the end values held outside (ASTM E2022).
    """
    basis = np.zeros((len(fine), len(samples)))
    last = len(samples) - 1
    for row, wavelength in enumerate(fine):
        if wavelength <= samples[0]:
            basis[row, 0] = 1
            continue
        if wavelength >= samples[-1]:
            basis[row, last] = 1
            continue
        low = int(np.searchsorted(samples, wavelength, side="right")) - 1
        if low == 0:
            nodes = [0, 1, 2]
        elif low == last - 1:
            nodes = [last - 2, last - 1, last]
        else:
            nodes = [low - 1, low, low + 1, low + 2]
        for node in nodes:
            others = [samples[n] for n in nodes if n != node]
            basis[row, node] = np.prod([(wavelength - o) / (samples[node] - o) for o in others])
    return basis


def _weights(start: float, step: float, count: int) -> NDArray[np.float64]:
    table = observer()
    wavelengths = table[:, 0]
    power = illuminant_d50()
    light = np.interp(wavelengths, power[:, 0], power[:, 1])
    weighted = table[:, 1:] * light[:, None]
    samples = start + step * np.arange(count)
    return (_lagrange_basis(samples, wavelengths).T @ weighted) / weighted[:, 1].sum()


_cached_weights = cache(_weights)


def spectra_to_xyz(reflectance: ArrayLike, start: float = 380, step: float = 10) -> Array:
    """Integrate reflectance (…, n), sampled from `start` nm in steps of `step` nm, to XYZ (…, 3) under D50.

    The perfect diffuser gets Y = 1. Weighting factors by ASTM E2022 interpolation, summation by ASTM E308.
    """
    reflectance = np.asarray(reflectance, dtype=float)
    return reflectance @ _cached_weights(float(start), float(step), reflectance.shape[-1])
