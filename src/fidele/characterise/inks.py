"""A printer that takes inks: fitted in all of them, and one separation of it, with as much black as is asked for.

A colour can be printed by many amounts of four inks and more: by as much black as stands for all that the others have
in common, by as little as its darkness leaves, and by all between. The separation is a cube of three coordinates, in
which 1 1 1 is the bare media and 0 0 0 the darkest, so that all that is made for printers of three channels serves:
its faces without black are two inks, and its dark ones full colours under more and more black. Where a further ink
stands between two, it takes their corner of the cube; a lighter ink comes before its dark one (`InkSet.spread`). That
is the way with the most black, and it holds every colour that four inks do; a wish for less is then met colour by
colour.

Device values are 1 minus the place of an ink (`ink_setup`), so that 1 is none of it, as with printers of RGB.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Floats
from fidele.characterise.fit import FEWEST, Fit, fit
from fidele.characterise.ink_setup import InkSetup
from fidele.characterise.inverse import Inverse
from fidele.chart.ink_set import BLACK, FURTHER, PROCESS, InkSet
from fidele.colour.adaptation import media_relative
from fidele.colour.cie import D50, xyz_to_lab
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.icc.solve import solve
from fidele.icc.write import LabGrid, Lut16, colorants_tag, device_lut, lab_lut
from fidele.language import tr
from fidele.tiles import CancelledError, Progress, in_tiles

#: Nodes along each dimension, by the number of inks: what readers of lut16 take, and what some megabytes hold.
GRID = {4: 17, 5: 13, 6: 9, 7: 7}
#: What is printed at all nodes is found in so many parts: of six inks that takes some ten seconds.
_PARTS = 20
#: Entries of the curves into a table.
_CURVE = 1024
#: Nodes of the cube in which amounts of black are kept.
_CUBE = 17
#: A colour counts as reached within so much, in DIN99o.
_REACHED = 0.25
#: So much over the total is rounding; and so much below it colours stay, for what lies between nodes of a table.
_OVER, _BELOW = 0.005, 0.04
#: From black to nothing in so many steps, and so many halvings of the step that went too far.
_STEPS, _HALVINGS = 8, 4
#: At this share of the way to the darkest black is full; from there on the others join it for the deepest.
_FULL = 0.7
#: How evenly black goes over the cube, in nodes.
_EVEN = 0.8
#: L* at which black begins, and at which it is what was asked for.
_BEGINS, _WHOLE = 88.0, 45.0


@dataclass(frozen=True, eq=False)
class InkPrinter:
    """What a printer makes of four inks: media-relative L*a*b* of device values, its ends, and what it was fitted by.

    Attributes
    ----------
    grid
        (g, …, g, 4) L*a*b* on device values; the last number stands for nothing.
    """

    grid: NDArray[np.float32]
    setup: InkSetup
    white_XYZ: Floats
    black_XYZ: Floats
    fit: Fit

    @property
    def inks(self) -> InkSet:
        """Which inks it takes."""
        return self.setup.inks

    def __call__(self, device: Floats) -> Floats:
        """Device values (n, k) to media-relative L*a*b* (n, 3), interpolated as a reader of the profile does."""
        from fidele.kernels.grids import simplices, tetrahedral4

        codes = np.ascontiguousarray(np.clip(device, 0, 1), dtype=np.float32)
        out = np.empty((len(codes), 3), np.float32)
        if self.grid.ndim == 5:
            tetrahedral4(codes, self.grid, out)
        else:
            flat, side = self.grid.reshape(-1), self.grid.shape[0]
            in_tiles(lambda some: simplices(codes[some], flat, side, out[some]), len(codes), 1 << 14)
        return out.astype(float)


def fit_inks(
    amounts: Floats,
    XYZ: Floats,
    setup: InkSetup,
    keep: NDArray[np.bool_] | None = None,
    progress: Progress | None = None,
) -> InkPrinter:
    """Fit a printer from amounts of ink (n, k), 0 to 1, and measured XYZ (n, 3); `keep` (n,): see `fit.fit`.

    Raises
    ------
    FideleError
        When the bare media is not among the patches, or they are too few.
    CancelledError
        When `progress` returned False.
    """
    bare = amounts.max(axis=1) <= 0.001
    if not bare.any():
        raise FideleError(tr("The bare media (no ink at all) was not measured: it is the white of the profile."))
    count = amounts.shape[1]
    if len(amounts) < count * FEWEST:  # the inks' own ramps take a third of them
        raise FideleError(
            tr(
                "{n} patches are too few to fit {inks} inks by; it takes {fewest}.",
                n=len(amounts),
                inks=count,
                fewest=count * FEWEST,
            )
        )
    white = XYZ[bare].mean(axis=0)
    made = fit(1 - setup.places(amounts), xyz_to_lab(media_relative(XYZ, white, D50)), keep)
    side = GRID[count]
    nodes = _lattice(np.linspace(0, 1, side), count)
    # Nothing was printed beyond the total: what stands there is what the total prints.
    parts = []
    for number, some in enumerate(np.array_split(nodes, _PARTS), 1):
        parts.append(made(1 - setup.limited(1 - some)))
        if progress is not None and not progress(0.4 + 0.6 * number / _PARTS):
            raise CancelledError
    grid = np.concatenate(parts)
    grid[-1] = [100, 0, 0]  # the media itself, not the fit's idea of it
    grid[:, 0] = np.clip(grid[:, 0], 0, 100)
    used = np.setdiff1d(np.arange(len(amounts)), made.out)
    darkest = XYZ[used[np.argmin(XYZ[used, 1])]]
    held = np.zeros((*(side,) * count, 4), np.float32)
    held[..., :3] = grid.reshape(*held.shape[:-1], 3)
    return InkPrinter(held, setup, white, darkest, made)


def _lattice(axis: Floats, count: int) -> Floats:
    """Return all nodes (m, count) of an axis in so many dimensions."""
    return np.stack(np.meshgrid(*[axis] * count, indexing="ij"), axis=-1).reshape(-1, count)


@dataclass(frozen=True, eq=False)
class Separation:
    """A printer's colours by three coordinates (see above), and the inks that print them.

    Attributes
    ----------
    printer
        Which it is of.
    black
        How much of the black that could be is taken, 0 (least) to 1 (most), where colours are dark.
    """

    printer: InkPrinter
    black: float = 0.5

    def __call__(self, cube: Floats) -> Floats:
        """Coordinates (n, 3), 0 to 1, to media-relative L*a*b* (n, 3)."""
        return self.printer(self._with_most(cube))

    def device(self, cube: Floats) -> Floats:
        """Return device values (n, k) that print the colours of coordinates (n, 3), with the black asked for."""
        wanted = self(cube)
        found = solve(self.printer, wanted, self._kept_at(cube), iterations=12, moving=self._colours)
        missed = found.residual > _REACHED
        if missed.any():  # beside a kink more or less black is needed than between nodes
            found.device[missed] = solve(self.printer, wanted[missed], found.device[missed], iterations=12).device
        return self._within(found.device, wanted, cube)

    def _within(self, device: Floats, wanted: Floats, cube: Floats) -> Floats:
        """Give those device values (n, k) that ask for too much ink more black, until they do not."""
        most: Floats | None = None
        for share in (0.25, 0.5, 0.75, 1.0):
            over = np.flatnonzero(self._inks(device) > self.setup.total + _OVER)
            if len(over) == 0:
                break
            most = self._with_most(cube) if most is None else most
            if share == 1:
                device[over] = most[over]
                break
            start = device[over] + share * (most[over] - device[over])
            device[over] = solve(self.printer, wanted[over], start, iterations=10, moving=self._colours).device
        return device

    def _inks(self, device: Floats) -> Floats:
        """Return how much ink (n,) device values (n, k) ask for, 1 for one full ink."""
        return np.asarray(self.printer.setup.laid(1 - device).sum(axis=1))

    @cached_property
    def _colours(self) -> tuple[int, ...]:
        """The channels that make up for more or less black.

        Not those of inks that stand between two others: greys are printed without them, as a press is kept in balance.
        """
        names = self.printer.inks.names
        return tuple(n for n, name in enumerate(names) if n != BLACK and len(FURTHER.get(name, ())) < 2)

    @property
    def space(self) -> str:
        """The profile's colour space, as its header states it."""
        return self.printer.inks.space

    def tags(self) -> dict[str, bytes]:
        """Return what the profile states of its inks, where they are more than four: their names and colours."""
        names = self.printer.inks.names
        if len(names) == len(PROCESS):
            return {}
        return {"clrt": colorants_tag(names, self.printer(1 - np.eye(len(names))))}

    @property
    def white_XYZ(self) -> Floats:
        """(3,) the bare media, absolute."""
        return self.printer.white_XYZ

    @property
    def black_XYZ(self) -> Floats:
        """(3,) the darkest that was measured, absolute."""
        return self.printer.black_XYZ

    def inverse(self) -> InkInverse:
        """Return what finds inks for colours."""
        return InkInverse(self)

    def a2b(self, size: int, seen: Callable[[Floats], Floats] | None = None) -> Lut16:
        """Return an A2B table of so many nodes, even in the places of inks."""
        count = len(self.printer.inks)
        Lab = self.printer(_lattice(np.linspace(1, 0, size), count))  # files count ink, and 0 is none
        amounts = np.tile(np.linspace(0, 1, _CURVE)[:, None], (1, count))
        into = self.printer.setup.places(amounts).T
        return lab_lut((Lab if seen is None else seen(Lab)).reshape(*(size,) * count, 3), into)

    @cached_property
    def setup(self) -> InkSetup:
        """The printer's, with a total that holds between the nodes of a table as well."""
        whole = self.printer.setup
        return replace(whole, total=max(whole.total - _BELOW, 1.0))

    @cached_property
    def _deepest(self) -> Floats:
        """(3,) places of the colours that make full black deepest, and neutral before that, within the total."""
        colour = _lattice(np.linspace(0, 1, 21), 3)
        tried = np.zeros((len(colour), len(self.printer.inks)))
        tried[:, :BLACK], tried[:, BLACK] = colour, 1
        tried = self.setup.limited(tried)
        Lab = self.printer(1 - tried)
        return np.asarray(tried[np.argmin(Lab[:, 0] + 0.25 * np.hypot(Lab[:, 1], Lab[:, 2]))][:3])

    def _with_most(self, cube: Floats) -> Floats:
        """Return device values (n, k) with the most black: full colours under black, and all four at the end."""
        colour = 1 - np.clip(cube, 0, 1)
        common = colour.min(axis=1, keepdims=True)
        pure = (colour - common) / np.maximum(1 - common, 1e-6)
        share = np.clip((common - _FULL) / (1 - _FULL), 0, 1)
        places = self.printer.inks.spread(pure) * (1 - share)
        places[:, :BLACK] += self._deepest * share
        places[:, BLACK] = np.minimum(common[:, 0] / _FULL, 1)
        return 1 - self.setup.limited(places)

    @cached_property
    def _kept(self) -> Floats:
        """Device values at the nodes of the cube, (17, 17, 17, k), with the black asked for."""
        from scipy.ndimage import gaussian_filter

        cube = _lattice(np.linspace(0, 1, _CUBE), 3)
        most = self._with_most(cube)
        wanted = self.printer(most)
        least = self._with_least(most, wanted)
        begun = np.clip((_BEGINS - wanted[:, 0]) / (_BEGINS - _WHOLE), 0, 1)
        # Toward the darkest, which is printed in one way only, colours are to come to it evenly.
        deep = np.clip((_WHOLE - wanted[:, 0]) / max(_WHOLE - float(wanted[:, 0].min()), 1.0), 0, 1)
        wish = self.black + (self._at_last(most, least) - self.black) * deep**3
        share = wish * begun * begun * (3 - 2 * begun)
        shape = (_CUBE, _CUBE, _CUBE)
        high, low = 1 - most[:, BLACK], 1 - least[:, BLACK]
        black = gaussian_filter((low + share * (high - low)).reshape(shape), _EVEN, mode="nearest").ravel()
        black = np.clip(black, low, high)
        # Begun between both ends, which print the same colour.
        way = ((black - low) / np.maximum(high - low, 1e-6))[:, None]
        start = least + (most - least) * way
        start[:, BLACK] = 1 - black
        found = solve(self.printer, wanted, start, moving=self._colours)
        missed = found.residual > 2 * _REACHED
        found.device[missed] = start[missed]
        return found.device.reshape(*shape, -1)

    def _at_last(self, most: Floats, least: Floats) -> float:
        """Return the share of black, 0 to 1, at which greys beside the darkest have its colours."""
        beside = _CUBE**2 + _CUBE + 1
        high, low = (1 - device[beside, :BLACK].mean() for device in (least, most))
        return float(np.clip((high - self._deepest.mean()) / max(high - low, 1e-6), 0, 1))

    def _with_least(self, most: Floats, wanted: Floats) -> Floats:
        """Return device values (n, k) that print colours (n, 3) with the least black there is, from those with most."""
        black = 1 - most[:, BLACK]
        best, step = most.copy(), black / _STEPS
        on = np.ones(len(most), bool)
        for turn in range(_STEPS + _HALVINGS):
            if turn >= _STEPS:  # past the last step that went too far
                step, on = step / 2, np.ones(len(most), bool)
            rows = np.flatnonzero(on & (1 - best[:, BLACK] > 1e-3))
            start = best[rows]
            start[:, BLACK] = np.minimum(start[:, BLACK] + step[rows], 1)
            found = solve(self.printer, wanted[rows], start, iterations=10, moving=self._colours)
            good = (found.residual < _REACHED) & (self._inks(found.device) <= self.setup.total + _OVER)
            best[rows[good]] = found.device[good]
            on[rows[~good]] = False
        return best

    def _kept_at(self, cube: Floats) -> Floats:
        from fidele.icc.tables import interpolate

        return interpolate(self._kept, np.clip(cube, 0, 1), tetrahedral=True)


class InkInverse(Inverse):
    """Finds inks for colours, with the black of a separation."""

    model: InkPrinter
    cube: Separation

    def __init__(self, separation: Separation) -> None:
        super().__init__(separation, separation.printer)

    def device(self, cube: Floats) -> Floats:
        """Return device values (n, k) of coordinates (n, 3)."""
        return self.cube.device(cube)

    def allowed(self, device: Floats) -> Floats:
        """Return device values (n, k) whose inks are within the total, wherever a table is read between them."""
        places = np.clip(1 - device, 0, 1)
        within = self.cube.setup.limited(places)
        return np.where(within < places - 1e-6, 1 - within, device)

    def table(self, device: Floats, grid: LabGrid) -> Lut16:
        """Return a B2A table of device values (g, g, g, k) at its nodes."""
        return device_lut(device, grid, lambda values: self.model.setup.laid(1 - values))
