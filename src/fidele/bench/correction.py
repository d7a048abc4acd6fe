"""A maker's own colour correction inside a driver: the space it expects in, the printer's numbers out.

The maker built it for a typical unit, on a panel of its own, by the book. It is on by default and really converts; on
another substrate or over numbers that are converted already it does damage.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Floats
from fidele.bench import inks
from fidele.bench.separation import separate
from fidele.colour.cie import lab_to_lch, lch_to_lab, xyz_to_lab
from fidele.colour.spectra import spectra_to_xyz
from fidele.dataclass import dataclass
from fidele.icc.solve import solve
from fidele.icc.spaces import oprgb, srgb
from fidele.icc.tables import device_to_pcs_lab

_SIZE = 17


@dataclass(frozen=True)
class House:
    """What a maker built its correction for: kind of ink, ink load, gain, and the space that pages are in."""

    ink: str
    load: float
    gain: float
    space: str = "sRGB"


def corrected(rgb: Floats, house: House, chroma: float) -> Floats:
    """Convert RGB (…, 3), 0 to 1, to the numbers that a maker thinks right; `chroma` is what it does to chroma."""
    from fidele.kernels.grids import tetrahedral3

    flat = np.ascontiguousarray(rgb.reshape(-1, 3), dtype=np.float32)
    out = np.empty((len(flat), 3), np.float32)
    tetrahedral3(flat, _table(house, chroma), out)
    return out.astype(float).reshape(rgb.shape)


@lru_cache(maxsize=12)
def _unit(house: House) -> inks.InkModel:
    """The typical unit on the maker's panel."""
    panel = inks.Substrate("maker's panel", 0.88 - 0.05 * np.exp(-(inks.WAVELENGTHS - 380) / 20), 1.0)
    return inks.InkModel(inks.DENSITIES[house.ink](), panel, np.full(4, house.gain))


def _typical(rgb: Floats, house: House) -> Floats:
    """Media-relative L*a*b* of the typical unit on the maker's panel."""
    model = _unit(house)
    XYZ = spectra_to_xyz(model.spectra(separate(rgb) * house.load))
    return xyz_to_lab(XYZ / spectra_to_xyz(model.substrate.reflectance) * np.array([0.9642, 1, 0.8249]))


@lru_cache(maxsize=12)
def _table(house: House, chroma: float) -> NDArray[np.float32]:
    axis = np.linspace(0, 1, _SIZE)
    nodes = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1).reshape(-1, 3)
    LCh = lab_to_lch(device_to_pcs_lab({"sRGB": srgb, "opRGB": oprgb}[house.space](), nodes))
    black = _typical(np.zeros((1, 3)), house)[0, 0]
    LCh[:, 0] = black + (100 - black) * LCh[:, 0] / 100
    LCh[:, 1] *= chroma
    # More steps would change no number by a thousandth, and the first look at a driver waits for them.
    device = solve(lambda rgb: _typical(rgb, house), lch_to_lab(LCh), start=nodes, iterations=10).device
    return np.ascontiguousarray(device.reshape(_SIZE, _SIZE, _SIZE, 3), dtype=np.float32)
