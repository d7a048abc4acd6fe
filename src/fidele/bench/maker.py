"""The makers' own profiles: made on a machine as the factory meant it, not on the unit that stands here.

They are plainer than those that Fidele makes: fewer nodes, and a perceptual table that only scales lightness.
"""

from __future__ import annotations

import datetime
from dataclasses import field

import numpy as np

from fidele.arrays import Floats
from fidele.bench.inks import DENSITIES, InkModel, Substrate
from fidele.bench.separation import separate
from fidele.colour.adaptation import media_relative
from fidele.colour.cie import D50, xyz_to_lab
from fidele.colour.spectra import spectra_to_xyz
from fidele.colour.uniform import lab_to_din99o
from fidele.dataclass import dataclass
from fidele.icc.solve import solve
from fidele.icc.write import LabGrid, OutputTables, device_lut, dictionary_tag, lab_lut, output_profile

_SIZE = 17


@dataclass(frozen=True)
class Recipe:
    """What a maker's profile is made for and with: ink load and gain of the model, the piece, and what it states."""

    title: str
    maker: str
    substrate: Substrate
    load: float
    gain: float = 0.80
    strength: float = 1.0  # of the dyes, beside those of the Wren
    perceptual: bool = True
    ink: str = "sublimation"
    states: dict[str, str] = field(default_factory=dict)
    made: datetime.datetime = datetime.datetime(2026, 2, 3, 10, 0)


def make(recipe: Recipe) -> bytes:
    """Return the output profile of a recipe; the same recipe gives the same bytes."""
    model = InkModel(DENSITIES[recipe.ink]() * recipe.strength, recipe.substrate, np.full(4, recipe.gain))
    nodes = lattice()
    XYZ = spectra_to_xyz(model.spectra(np.clip(separate(nodes) * recipe.load, 0, 1)))
    return profile_of(XYZ, recipe.title, recipe.maker, recipe.states, recipe.made, recipe.perceptual)


def lattice(size: int = _SIZE) -> Floats:
    """Return the device values (size³, 3) that a profile's table holds colours for."""
    axis = np.linspace(0, 1, size)
    return np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1).reshape(-1, 3)


def profile_of(
    XYZ: Floats, title: str, maker: str, states: dict[str, str], made: datetime.datetime, perceptual: bool = True
) -> bytes:
    """Return the output profile of a printer whose lattice of device values prints as XYZ (size³, 3)."""
    from scipy.spatial import cKDTree

    from fidele.kernels.grids import tetrahedral3

    Lab = xyz_to_lab(media_relative(XYZ, XYZ[-1], D50))
    table = np.ascontiguousarray(Lab.reshape(_SIZE, _SIZE, _SIZE, 3), np.float32)

    def forward(device: Floats) -> Floats:
        out = np.empty((len(device), 3), np.float32)
        tetrahedral3(np.ascontiguousarray(np.clip(device, 0, 1), np.float32), table, out)
        return out.astype(float)

    known = lattice(21)
    tree = cKDTree(lab_to_din99o(forward(known)))
    grid = LabGrid(size=_SIZE + 8)
    wanted = grid.nodes().reshape(-1, 3)

    def inverted(colours: Floats) -> Floats:
        _, nearest = tree.query(lab_to_din99o(colours))
        device = solve(forward, colours, known[nearest], iterations=15).device
        device[(np.abs(wanted - [100, 0, 0]) < 1e-6).all(axis=1)] = 1.0
        return device.reshape(grid.size, grid.size, grid.size, 3)

    a2b, b2a = {1: lab_lut(table.astype(float))}, {1: device_lut(inverted(wanted), grid)}
    if perceptual:
        black = float(Lab[:, 0].min())
        squeezed = wanted.copy()
        squeezed[:, 0] = black + wanted[:, 0] * (1 - black / 100)
        b2a[0] = device_lut(inverted(squeezed), grid)
        stretched = table.astype(float).copy()
        stretched[..., 0] = np.clip((stretched[..., 0] - black) / (1 - black / 100), 0, 100)
        a2b[0] = lab_lut(stretched)
    else:
        a2b[0], b2a[0] = a2b[1], b2a[1]
    a2b[2], b2a[2] = a2b[1], b2a[1]  # a table that merely repeats another one is no intent
    extra = {"meta": dictionary_tag(states)} if states else {}
    tables = OutputTables(title, XYZ[-1], XYZ[XYZ[:, 1].argmin()], a2b, b2a, maker=maker, extra=extra)
    return output_profile(tables, made)
