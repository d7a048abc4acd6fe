"""From colours back to device values: the nearest printable, and tables that hold them between their nodes as well."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Protocol

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Floats
from fidele.characterise.detail import Lines, detail_of, levelled, lines, lost, turned
from fidele.colour.uniform import lab_to_din99o
from fidele.icc.solve import solve
from fidele.icc.write import BEYOND, LabGrid, Lut16, device_lut

if TYPE_CHECKING:
    from scipy.sparse import csr_matrix
    from scipy.sparse.linalg import LinearOperator

#: Device values (n, k), 0 to 1, to media-relative L*a*b* (n, 3).
Model = Callable[[Floats], Floats]

#: Ramps of so many hues in so many steps are followed; by how much more than other colours they count.
_RAMPS, _STEPS, _ALONG = 72, 64, 3.0
#: Drawing ramps straight: so often at most, what a step counts beside a place, and what moving nodes costs.
_ROUNDS, _STEP, _MOVING = 12, 3.0, 20.0
#: Steps that are meant to be this small a share of the source's count twice from the start.
_NARROW = 0.35
#: Of each round's way so much is tried; so many rounds that gain nothing are borne; where detail is not asked for, so
#: many rounds are enough.
_SHARES, _PATIENCE, _PLAIN = (1.0, 0.5), 3, 4
#: What is lost counts twice as much in the next round, up to so many times; so do hues that turn by so many degrees.
_CAP, _TURNED = 12.0, 2.0


class Inverse:
    """Finds device values for colours in and out of the gamut, from the nearest of many known ones.

    Attributes
    ----------
    cube
        Three coordinates (n, 3), 0 to 1, to L*a*b*: device values themselves where a printer has three channels.
    model
        Device values (n, k) to L*a*b*.
    """

    def __init__(self, cube: Model, model: Model | None = None) -> None:
        from scipy.spatial import cKDTree

        self.cube, self.model = cube, model or cube
        axis = np.linspace(0, 1, 25)
        self._known = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1).reshape(-1, 3)
        self._tree = cKDTree(lab_to_din99o(cube(self._known)))

    def __call__(self, Lab: Floats) -> Floats:
        """Return device values (n, k) that print what is nearest to L*a*b* (n, 3)."""
        return self.device(self._coordinates(Lab))

    def printed(self, Lab: Floats) -> Floats:
        """Return the printable colours (n, 3) nearest to L*a*b* (n, 3)."""
        return self.cube(self._coordinates(Lab))

    def device(self, cube: Floats) -> Floats:
        """Return device values (n, k) of coordinates (n, 3)."""
        return cube

    def allowed(self, device: Floats) -> Floats:
        """Return device values (n, k), which may reach beyond 0 and 1, as they may stand in a table."""
        return device

    def table(self, device: Floats, grid: LabGrid) -> Lut16:
        """Return a B2A table of device values (g, g, g, k) at its nodes."""
        return device_lut(device, grid)

    def _coordinates(self, Lab: Floats) -> Floats:
        _, nearest = self._tree.query(lab_to_din99o(Lab))
        return solve(self.cube, Lab, self._known[nearest]).device


class Mapping(Protocol):
    """How colours of a source become colours that a printer is to print, and back; see `mapping.GamutMapping`."""

    #: What chroma is multiplied by before anything else: 1 where detail is to be kept.
    @property
    def chroma(self) -> float: ...

    def forward(self, Lab: Floats) -> Floats:
        """Return what is to be printed for colours (n, 3) of a source."""
        ...

    def inverse(self, Lab: Floats) -> Floats:
        """Return the source colours (n, 3) that are printed as given ones."""
        ...


def device_table(inverse: Inverse, size: int, samples: Floats, seen: Floats, mapping: Mapping | None = None) -> Lut16:
    """Return a B2A table of so many nodes.

    Each node first gets the nearest printable colour to what is wanted there. Then the nodes are moved together, by
    least squares, until the *interpolated* table returns `samples` for the colours `seen` that they give: nodes just
    outside the gamut so take values beyond 0 and 1, which the output curves cut off. An error counts by how far it
    moves the colour. With a mapping ramps of artwork count more, and their steps are kept: what a table errs by there
    is seen as a line where there is none, or as a step that is lost.
    """
    from scipy.sparse import diags, vstack
    from scipy.sparse.linalg import lsqr

    model, grid = inverse.model, LabGrid(size)
    nodes = grid.nodes().reshape(-1, 3)
    white = (np.abs(nodes - [100, 0, 0]) < 1e-6).all(axis=1)
    device = inverse(nodes if mapping is None else mapping.forward(nodes))
    parts = [(_interpolation(grid, seen), samples, 1.0)]
    if mapping is not None:
        # Beside artwork's ramps the device's own greys: they are what comes back of a grey that was printed.
        grey = inverse.device(np.linspace(0, 1, 4 * _STEPS + 1)[:, None] ** 2 * np.ones(3))
        ramps = lines(_RAMPS, _STEPS)
        aim = np.concatenate([inverse(mapping.forward(ramps.Lab)), grey])
        ramps = ramps.beside(mapping.inverse(model(grey)))
        along = _interpolation(grid, ramps.Lab)
        parts.append((along, aim, _ALONG))
    for channel in range(device.shape[1]):
        rows, off = [], []
        for table, wanted, weight in parts:
            counts = weight * _sensitivity(model, wanted, channel)
            rows.append(diags(counts) @ table)
            off.append(counts * (wanted[:, channel] - table @ device[:, channel]))
        device[:, channel] += lsqr(vstack(rows).tocsr(), np.concatenate(off), damp=0.15, iter_lim=25)[0]
    device[white] = 1.001
    device = np.clip(device, -BEYOND, 1 + BEYOND)
    if mapping is not None:
        device = _straightened(model, device, along, ramps, model(aim), detail=mapping.chroma == 1)
        device[white] = 1.001
    device = inverse.allowed(device)
    return inverse.table(device.reshape(size, size, size, -1), grid)


def _interpolation(grid: LabGrid, Lab: Floats) -> csr_matrix:
    """Return what makes the values at colours (n, 3) of those at the nodes of a grid, as a sparse matrix."""
    from scipy.sparse import csr_matrix

    index, weight = grid.place(Lab)
    rows = np.repeat(np.arange(len(Lab)), 8)
    return csr_matrix((weight.ravel(), (rows, index.ravel())), shape=(len(Lab), grid.size**3))


def _sensitivity(model: Model, samples: Floats, channel: int) -> Floats:
    """Return how far (n,) colours move with one channel, relative to the middle of all: what an error there costs."""
    up, down = samples.copy(), samples.copy()
    up[:, channel] = np.minimum(up[:, channel] + 0.01, 1)
    down[:, channel] = np.maximum(down[:, channel] - 0.01, 0)
    moved = np.linalg.norm(model(up) - model(down), axis=1) / (up - down)[:, channel]
    return np.clip(moved / np.median(moved), 0.3, 4)


def _straightened(model: Model, device: Floats, along: csr_matrix, ramps: Lines, aim: Floats, detail: bool) -> Floats:
    """Move nodes (m, 3) until the colours printed along ramps, and the steps between them, are those aimed at (n, 3).

    Damped Gauss-Newton steps in DIN99o: in colour, for where inks stand for each other device values tell little. Least
    squares are little hurt by one step that turns back; with `detail` such steps, and hues that turn, count more from
    round to round. A round is kept where less is lost, of detail or else of the colours themselves, and damped more
    where it led astray (Levenberg and Marquardt): at black and at the gamut's edges values are cut off.
    """
    from scipy.sparse.linalg import lsqr

    channels = device.shape[1]
    first = np.flatnonzero(ramps.joined)
    back = along.T.tocsr()
    if detail:
        aim = levelled(ramps, aim)

    def judged(device: Floats) -> tuple[float, Floats, Floats, Floats]:
        there = along @ device
        printed = model(np.clip(there, 0, 1))
        if detail:
            return detail_of(ramps, aim, printed, 0.0).short, device, there, printed
        off = lab_to_din99o(aim) - lab_to_din99o(printed)
        return float((off**2).mean()), device, there, printed

    here = judged(device)
    best, stood, damp = here, 0, _MOVING
    weights, own = np.full(len(first), _STEP), np.ones(len(aim))
    if detail:
        weights[lost(ramps, aim, _NARROW)[first]] *= 2
    for turn in range(_ROUNDS):
        _, device, there, printed = here
        off = lab_to_din99o(aim) - lab_to_din99o(printed)
        slopes = _slopes(model, there)
        if detail:
            weights = np.minimum(weights * np.where(lost(ramps, printed)[first], 2.0, 1.0), _CAP * _STEP)
            own = np.minimum(own * np.where(turned(aim, printed) > _TURNED, 2.0, 1.0), _CAP)
        wanted = np.concatenate([off * own[:, None], (off[first + 1] - off[first]) * weights[:, None]]).ravel()
        moved = lsqr(_moving(along, back, slopes, first, own, weights), wanted, damp=damp, iter_lim=40)[0]
        moved = np.clip(moved.reshape(-1, channels), -0.1, 0.1)
        reached = [judged(np.clip(device + share * moved, -BEYOND, 1 + BEYOND)) for share in _SHARES]
        here = min(reached, key=lambda one: one[0])
        if here[0] <= best[0]:
            best, stood, damp = here, 0, max(damp / 2, _MOVING)
        else:
            here, stood, damp = best, stood + 1, 3 * damp
        if best[0] == 0 or stood > _PATIENCE or (not detail and turn + 1 >= _PLAIN):
            break
    return best[1]


def _moving(
    along: csr_matrix, back: csr_matrix, slopes: Floats, first: NDArray[np.intp], own: Floats, weights: Floats
) -> LinearOperator:
    """Return how nodes (m, k) that move take the colours along ramps (n, 3) and the steps from `first` (s,) along.

    As a matrix it would have an entry for each of a colour's eight nodes, channels, coordinates and ends: nine times
    what is done here in turn. `back` is `along` the other way, `own` (n,) and `weights` (s,) what each counts.
    """
    from scipy.sparse.linalg import LinearOperator

    count, channels = len(slopes), slopes.shape[2]
    counts, steps = own[:, None], weights[:, None]

    def forth(nodes: Floats) -> Floats:
        moved = np.einsum("nkc,nc->nk", slopes, along @ nodes.reshape(-1, channels))
        return np.concatenate([moved * counts, (moved[first + 1] - moved[first]) * steps]).ravel()

    def and_back(off: Floats) -> Floats:
        each = off.reshape(-1, 3)
        colours, ends = each[:count] * counts, each[count:] * steps
        colours[first + 1] += ends
        colours[first] -= ends
        return (back @ np.einsum("nkc,nk->nc", slopes, colours)).ravel()

    shape = (3 * (count + len(first)), back.shape[0] * channels)
    return LinearOperator(shape, forth, and_back, dtype=float)


def _slopes(model: Model, device: Floats) -> Floats:
    """Return how colours in DIN99o (n, 3, k: of each coordinate by each channel) move with device values (n, k)."""
    channels = device.shape[1]
    found = np.empty((len(device), 3, channels))
    for channel in range(channels):
        by = 0.004 * np.eye(channels)[channel]
        up, down = np.clip(device + by, 0, 1), np.clip(device - by, 0, 1)
        # Beyond the ends, which are cut off, nothing moves.
        moved = lab_to_din99o(model(up)) - lab_to_din99o(model(down))
        found[:, :, channel] = moved / np.maximum(up - down, 0.004)[:, [channel]]
    return found
