"""Fit a printer from a measured target and make its output profile."""

from __future__ import annotations

import datetime
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Floats
from fidele.characterise.fit import KERNELS, Fit, Kernel, fit
from fidele.characterise.inverse import Inverse, Mapping, device_table
from fidele.characterise.mapping import mappings
from fidele.colour.adaptation import media_relative
from fidele.colour.cie import D50, xyz_to_lab
from fidele.colour.difference import delta_e_2000
from fidele.colour.uniform import lab_to_din99o
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.icc.profile import Profile
from fidele.icc.solid import cube_solid
from fidele.icc.spaces import srgb
from fidele.icc.tables import device_to_pcs_lab
from fidele.icc.write import LabGrid, Lut16, OutputTables, dictionary_tag, gamut_lut, lab_lut, output_profile
from fidele.language import tr
from fidele.tiles import Progress

#: Nodes of the device grid. 33 is what readers of lut16 take without slowing down.
GRID = 33


@dataclass(frozen=True)
class Sizes:
    """Nodes along an edge of each table: colorimetric and perceptual ones, the rarer ones, the gamut's."""

    a2b: int = 33
    a2b_mapped: int = 17
    b2a: int = 33
    b2a_saturation: int = 25
    gamut: int = 23


#: As small as costs less than ΔE00 0.05 (saturation 0.2), and so that a profile with all its measurements stays
#: below 1 MB: readers of PNG refuse larger ones.
SIZES = Sizes()
#: ΔE00 up to which a mapping's inverse counts as one.
_UNDONE = 0.05
#: The same where a mapping is another profile's tables, which are no exact inverses of each other.
_UNDONE_LIKE = 0.4


class Printable(Protocol):
    """What a profile is made of: colours by three coordinates, 0 to 1, 1 1 1 the bare media and 0 0 0 the darkest."""

    @property
    def space(self) -> str:
        """The profile's colour space, as its header states it."""
        ...

    @property
    def white_XYZ(self) -> Floats:
        """(3,) the bare media, absolute."""
        ...

    @property
    def black_XYZ(self) -> Floats:
        """(3,) the darkest that was measured, absolute."""
        ...

    def __call__(self, cube: Floats, /) -> Floats:
        """Coordinates (n, 3) to media-relative L*a*b* (n, 3)."""
        ...

    def tags(self) -> dict[str, bytes]:
        """Return what a profile states beside its tables, by the signatures of tags."""
        ...

    def inverse(self) -> Inverse:
        """Return what finds device values for colours."""
        ...

    def a2b(self, size: int, seen: Callable[[Floats], Floats] | None = None) -> Lut16:
        """Return an A2B table of so many nodes; `seen` says as what colours (n, 3) are to be seen."""
        ...


@dataclass(frozen=True)
class PrinterGrid:
    """What a printer makes of device values: media-relative L*a*b* on a device grid, and its white and black."""

    grid: NDArray[np.float32]
    white_XYZ: Floats
    black_XYZ: Floats

    def __call__(self, device: Floats) -> Floats:
        """Device values (n, 3) to media-relative L*a*b* (n, 3), interpolated as a reader of the profile does."""
        from fidele.kernels.grids import tetrahedral3

        codes = np.ascontiguousarray(np.clip(device, 0, 1), dtype=np.float32)
        out = np.empty((len(codes), 3), np.float32)
        tetrahedral3(codes, self.grid, out)
        return out.astype(float)

    @property
    def space(self) -> str:
        """The profile's colour space, as its header states it."""
        return "RGB "

    def tags(self) -> dict[str, bytes]:
        """Return what a profile states beside its tables: nothing."""
        return {}

    def inverse(self) -> Inverse:
        """Return what finds device values for colours."""
        return Inverse(self)

    def a2b(self, size: int, seen: Callable[[Floats], Floats] | None = None) -> Lut16:
        """Return an A2B table of so many nodes; `seen` says as what colours (n, 3) are to be seen."""
        axis = np.linspace(0, 1, size)
        Lab = self(np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1).reshape(-1, 3))
        return lab_lut((Lab if seen is None else seen(Lab)).reshape(size, size, size, 3))


@dataclass(frozen=True)
class PrinterModel(PrinterGrid):
    """A fitted printer, and the fit that it was made from, with its true error and the patches that were left out."""

    fit: Fit


def fit_printer(
    rgb: Floats,
    XYZ: Floats,
    keep: NDArray[np.bool_] | None = None,
    like: Profile | None = None,
    kernels: Sequence[Kernel] = KERNELS,
) -> PrinterModel:
    """Fit a printer from device values (n, 3), 0 to 1, and measured XYZ (n, 3); `keep` (n,): see `fit.fit`.

    `like` is a profile of the same printer and inks on another media: what it knows of them need not be measured again.
    `kernels` are the surfaces that are tried.

    Raises
    ------
    FideleError
        When the patch with full device values, the media's white, is not among them, or they are too few.
    """
    whites = (rgb >= 0.999).all(axis=1)
    if not whites.any():
        raise FideleError(
            tr("The bare media (device values all full) was not measured: it is the white of the profile.")
        )
    white = XYZ[whites].mean(axis=0)
    Lab = xyz_to_lab(media_relative(XYZ, white, D50))
    made = fit(rgb, Lab, keep, (lambda device: device_to_pcs_lab(like, device)) if like is not None else None, kernels)
    axis = np.linspace(0, 1, GRID)
    nodes = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1).reshape(-1, 3)
    grid = made(nodes)
    grid[-1] = [100, 0, 0]  # the media itself, not the fit's idea of it
    grid[:, 0] = np.clip(grid[:, 0], 0, 100)
    used = np.setdiff1d(np.arange(len(rgb)), made.out)
    darkest = XYZ[used[np.argmin(XYZ[used, 1])]]
    return PrinterModel(np.ascontiguousarray(grid.reshape(GRID, GRID, GRID, 3), dtype=np.float32), white, darkest, made)


def make_profile(
    model: Printable,
    description: str,
    created: datetime.datetime,
    characterisation: str = "",
    progress: Progress | None = None,
    states: dict[str, str] | None = None,
    sizes: Sizes | None = None,
    ways: dict[int, Mapping] | None = None,
) -> bytes:
    """Make the output profile of a fitted printer: three intents in both directions, and a gamut table.

    Parameters
    ----------
    states
        Goes into its metadata tag: what it is for and how it was made.
    sizes
        Of its tables; `SIZES` where nothing is said.
    ways
        By intent (0, 1, 2), how colours become what is to be printed; None for this printer's own gamut mapping.
    """
    told = progress or (lambda _: True)
    sizes = sizes or SIZES
    inverse = model.inverse()
    samples = inverse.device(_samples())
    printed = inverse.model(samples)
    artwork = device_to_pcs_lab(srgb(), _artwork())
    undone = _UNDONE if ways is None else _UNDONE_LIKE

    def of_mapping(mapping: Mapping, size: int) -> tuple[Lut16, Lut16]:
        # What the mapping never reaches has no source to come from, and would bend what has.
        seen = mapping.inverse(printed)
        sound = delta_e_2000(mapping.forward(seen), printed) < undone
        given = np.concatenate([samples[sound], inverse(mapping.forward(artwork))])
        back = device_table(inverse, size, given, np.concatenate([seen[sound], artwork]), mapping)
        return model.a2b(sizes.a2b_mapped, mapping.inverse), back

    def reach(Lab: Floats) -> Floats:
        return inverse.printed(Lab if ways is None else ways[1].forward(Lab))

    told(0.02)
    # Two at once: what takes long releases the interpreter.
    with ThreadPoolExecutor(2) as pool:
        if ways is None:
            colorimetric = pool.submit(device_table, inverse, sizes.b2a, samples, printed)
        else:
            colorimetric = pool.submit(lambda relative: of_mapping(relative, sizes.b2a)[1], ways[1])
        gamut = pool.submit(lambda: gamut_lut(_beyond(inverse, reach, LabGrid(sizes.gamut)), LabGrid(sizes.gamut)))
        perceptual, saturation = mappings(model, inverse.printed) if ways is None else (ways[0], ways[2])
        told(0.4)
        mapped = {
            0: pool.submit(of_mapping, perceptual, sizes.b2a),
            2: pool.submit(of_mapping, saturation, sizes.b2a_saturation),
        }
        a2b, b2a = {1: model.a2b(sizes.a2b)}, {1: colorimetric.result()}
        for share, intent in ((0.8, 0), (1.0, 2)):
            a2b[intent], b2a[intent] = mapped[intent].result()
            told(share)
    extra = {"gamt": gamut.result().encode()} | model.tags() | ({"meta": dictionary_tag(states)} if states else {})
    tables = OutputTables(
        description,
        model.white_XYZ,
        model.black_XYZ,
        a2b,
        b2a,
        characterisation=characterisation,
        space=model.space,
        extra=extra,
    )
    return output_profile(tables, created)


def _beyond(inverse: Inverse, reach: Callable[[Floats], Floats], grid: LabGrid) -> Floats:
    """Return how far (g³,) the nodes of a grid lie beyond what is printed, in ΔE00; less than 0 within."""
    from scipy.spatial import cKDTree

    Lab = grid.nodes().reshape(-1, 3)
    off = delta_e_2000(Lab, reach(Lab))
    surface = cube_solid(inverse.cube, 48).vertices
    deep, _ = cKDTree(lab_to_din99o(surface)).query(lab_to_din99o(Lab))
    return np.where(off < 0.1, -deep, off)


def _samples() -> Floats:
    """Return device values (n, 3) all over the cube, with more on the grey axis and in the shadows."""
    rng = np.random.default_rng(4)
    greys = np.repeat(rng.random((5000, 1)), 3, axis=1) + rng.normal(0, 0.01, (5000, 3))
    return np.clip(np.concatenate([rng.random((45_000, 3)), rng.random((15_000, 3)) ** 2.5, greys]), 0, 1)


def _artwork() -> Floats:
    """Return sRGB colours (n, 3) all over the cube and on its faces, where a printer's shell has to hold them."""
    rng = np.random.default_rng(5)
    faces = rng.random((20_000, 3))
    faces[np.arange(len(faces)), rng.integers(0, 3, len(faces))] = rng.integers(0, 2, len(faces))
    # Edges and dark faces once more: the ramps from black run along them, and dark blues have little room to rise in.
    edges, some = rng.random((12_000, 3)), np.arange(12_000)
    along = rng.integers(0, 3, 12_000)
    ends = rng.integers(0, 2, edges.shape).astype(float)
    ends[some, along] = edges[some, along]
    dark = faces[-12_000:] * rng.random((12_000, 1)) ** 2
    return np.concatenate([rng.random((15_000, 3)), faces, faces[:10_000] * rng.random((10_000, 1)), ends, dark])
