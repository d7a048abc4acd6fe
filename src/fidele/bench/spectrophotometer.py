"""A hand-held spectrophotometer: the mean reflectance under its aperture, with an instrument's noise."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray

from fidele.bench.press import Piece
from fidele.bench.printer import FULL
from fidele.dataclass import dataclass


@dataclass(frozen=True)
class Spectrophotometer:
    """Measuring condition M1 (D50), 0/45, white backing; 380 to 730 nm in steps of 10 nm."""

    name: str = "Bench P1"
    aperture: float = 4.0  # mm
    noise: float = 0.0006
    seed: int = 11

    def measure(self, piece: Piece, places: ArrayLike, shot: int = 0) -> NDArray[np.float64]:
        """Measure at places (n, 2), millimetres from the piece's upper left corner; return reflectance (n, 36).

        Each `shot` has its own noise.
        """
        scale = piece.ppi / 25.4
        radius = self.aperture / 2 * scale
        reach = int(np.ceil(radius))
        y, x = np.mgrid[-reach : reach + 1, -reach : reach + 1]
        under = x**2 + y**2 <= radius**2
        spectra = []
        for across, down in np.asarray(places, dtype=float) * scale:
            top, left = round(down) - reach, round(across) - reach
            spot = piece.ink[max(0, top) : top + 2 * reach + 1, max(0, left) : left + 2 * reach + 1]
            inside = under[: spot.shape[0], : spot.shape[1]]
            # What reflectance averages over a spot, not the ink: grain mixes by light.
            codes, counts = np.unique(spot[inside] >> 7, axis=0, return_counts=True)
            amounts = np.minimum((codes.astype(float) * 128 + 64) / FULL, 1) * (codes > 0)
            spectra.append(counts @ piece.model.spectra(amounts) / counts.sum())
        exact = np.array(spectra)
        rng = np.random.default_rng([self.seed, len(exact), shot])
        tilt = 1 + rng.normal(0, self.noise * 2, (len(exact), 1))
        return np.clip(exact * tilt + rng.normal(0, self.noise, exact.shape), 0, None)
