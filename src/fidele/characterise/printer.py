"""Fit a printer from a measured target and make its output profile."""

from __future__ import annotations

import datetime
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Floats
from fidele.characterise.mapping import Boundary, GamutMapping
from fidele.colour.adaptation import media_relative
from fidele.colour.cie import D50, xyz_to_lab
from fidele.colour.difference import delta_e_2000
from fidele.colour.uniform import lab_to_din99o
from fidele.icc.solve import solve
from fidele.icc.write import LabGrid, OutputTables, device_lut, dictionary_tag, gamut_lut, lab_lut, output_profile
from fidele.kernels import tetrahedral3
from fidele.tiles import Progress

#: Nodes of the device grid. 33 is what readers of lut16 take without slowing down.
GRID = 33


@dataclass(frozen=True)
class PrinterModel:
    """A fitted printer: media-relative L*a*b* on a device grid, and the white and black that were measured."""

    grid: NDArray[np.float32]
    white_XYZ: Floats
    black_XYZ: Floats
    #: ΔE00 between the fit and the patches it was made from (mean, 95th percentile): noise and smoothing.
    fit_mean: float
    fit_p95: float

    def __call__(self, device: Floats) -> Floats:
        """Device values (n, 3) to media-relative L*a*b* (n, 3), interpolated as a reader of the profile does."""
        codes = np.ascontiguousarray(np.clip(device, 0, 1), dtype=np.float32)
        out = np.empty((len(codes), 3), np.float32)
        tetrahedral3(codes, self.grid, out)
        return out.astype(float)


def fit_printer(rgb: Floats, XYZ: Floats, smoothing: float = 4e-4) -> PrinterModel:
    """Fit a printer from device values (n, 3), 0 to 1, and measured XYZ (n, 3).

    A thin-plate spline through all patches at once in L*a*b*, smoothed against instrument noise. The patch with full
    device values must be among them: it is the media's white.
    """
    from scipy.interpolate import RBFInterpolator

    white = XYZ[(rgb >= 0.999).all(axis=1)].mean(axis=0)
    darkest = XYZ[np.argmin(XYZ[:, 1])]
    Lab = xyz_to_lab(media_relative(XYZ, white, D50))
    spline = RBFInterpolator(_spread(rgb), Lab, kernel="cubic", degree=2, smoothing=smoothing)
    axis = np.linspace(0, 1, GRID)
    nodes = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1).reshape(-1, 3)
    grid = np.concatenate([spline(_spread(part)) for part in np.array_split(nodes, 12)])
    grid[-1] = [100, 0, 0]  # the media itself, not the spline's idea of it
    grid[:, 0] = np.clip(grid[:, 0], 0, 100)
    model = PrinterModel(
        np.ascontiguousarray(grid.reshape(GRID, GRID, GRID, 3), dtype=np.float32), white, darkest, 0, 0
    )
    off = delta_e_2000(model(rgb), Lab)
    return PrinterModel(model.grid, white, darkest, float(off.mean()), float(np.percentile(off, 95)))


def _spread(rgb: Floats) -> Floats:
    """Space device values so that the spline is as stiff in the lights as in the shadows."""
    return 0.5 * rgb + 0.5 * rgb**2


def make_profile(
    model: PrinterModel,
    description: str,
    created: datetime.datetime,
    characterisation: str = "",
    progress: Progress | None = None,
    states: dict[str, str] | None = None,
) -> bytes:
    """Make the output profile of a fitted printer: three intents in both directions, 33-node grids.

    `states` goes into its metadata tag: what it is for and how it was made.
    """
    told = progress or (lambda _: True)
    grid = LabGrid()
    nodes = grid.nodes().reshape(-1, 3)
    boundary = Boundary.of_device(model)
    samples = _samples()
    seen = model(samples)
    a2b, b2a = (
        {1: lab_lut(model.grid.astype(float))},
        {1: device_lut(_inverted(model, nodes, grid, seen, samples), grid)},
    )
    gamut = gamut_lut(_off(model, nodes), grid)
    told(0.4)
    for share, intent, mapping in (
        (0.7, 0, GamutMapping.perceptual(boundary)),
        (1.0, 2, GamutMapping.saturation(boundary)),
    ):
        unmapped = mapping.inverse(model.grid.reshape(-1, 3).astype(float))
        a2b[intent] = lab_lut(unmapped.reshape(model.grid.shape))
        back = PrinterModel(
            unmapped.reshape(model.grid.shape).astype(np.float32), model.white_XYZ, model.black_XYZ, 0, 0
        )
        b2a[intent] = device_lut(_inverted(model, mapping.forward(nodes), grid, back(samples), samples), grid)
        told(share)
    extra = {"gamt": gamut.encode()} | ({"meta": dictionary_tag(states)} if states else {})
    tables = OutputTables(
        description, model.white_XYZ, model.black_XYZ, a2b, b2a, characterisation=characterisation, extra=extra
    )
    return output_profile(tables, created)


def _off(model: PrinterModel, Lab: Floats) -> Floats:
    """Return ΔE00 (n,) from colours (n, 3) to the nearest printable one."""
    return delta_e_2000(Lab, model(_invert(model, Lab)))


def _samples() -> Floats:
    """Return device values (n, 3) all over the cube, with more on the grey axis and in the shadows."""
    rng = np.random.default_rng(4)
    greys = np.repeat(rng.random((5000, 1)), 3, axis=1) + rng.normal(0, 0.01, (5000, 3))
    return np.clip(np.concatenate([rng.random((45_000, 3)), rng.random((15_000, 3)) ** 2.5, greys]), 0, 1)


def _inverted(model: PrinterModel, wanted: Floats, grid: LabGrid, seen: Floats, samples: Floats) -> Floats:
    """Return the device values (g, g, g, 3) at the nodes of a B2A table.

    Each node first gets the nearest printable colour to `wanted`. Then the nodes are moved together, by least
    squares, until the *interpolated* table returns `samples` for the colours `seen` that they give: nodes just
    outside the gamut so take values beyond 0 and 1, which the output curves cut off.
    """
    from scipy.sparse import csr_matrix
    from scipy.sparse.linalg import lsqr

    device = _invert(model, wanted)
    index, weight = grid.place(seen)
    rows = np.repeat(np.arange(len(seen)), 8)
    table = csr_matrix((weight.ravel(), (rows, index.ravel())), shape=(len(seen), len(device)))
    for channel in range(3):
        off = samples[:, channel] - table @ device[:, channel]
        device[:, channel] += lsqr(table, off, damp=0.15, iter_lim=25)[0]
    device[(np.abs(grid.nodes().reshape(-1, 3) - [100, 0, 0]) < 1e-6).all(axis=1)] = 1.001
    return _cube(device)


def _cube(device: Floats) -> Floats:
    size = round(len(device) ** (1 / 3))
    return device.reshape(size, size, size, 3)


def _invert(model: PrinterModel, Lab: Floats) -> Floats:
    """Find device values for colours in and out of the gamut, from the nearest of many known ones."""
    from scipy.spatial import cKDTree

    axis = np.linspace(0, 1, 25)
    known = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1).reshape(-1, 3)
    tree = cKDTree(lab_to_din99o(model(known)))
    _, nearest = tree.query(lab_to_din99o(Lab))
    return solve(model, Lab, known[nearest]).device
