"""Whole conversions in one compiled pass: what LittleCMS computes in float, at many times its speed.

Curves, matrix and tables of the profiles, and the adaptation of white and black, are put together from our own reading
of them. Before such a transform is used it is held against LittleCMS on a few thousand colours; where the two differ,
or a profile is built in another way, there is none, and LittleCMS does the work.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import field
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Floats
from fidele.colour.cie import D50
from fidele.dataclass import dataclass
from fidele.icc.profile import Profile, ProfileError
from fidele.icc.tables import Curve, Lut, lut_of, matrix_model, table_for

#: What LittleCMS makes of values (n, channels): 16-bit codes of codes, or floats of floats.
Reference = Callable[[NDArray], NDArray]

#: Largest mean and single difference from LittleCMS, of the full range, that a fast transform may show.
_MEAN, _LARGEST = 1e-4, 3e-3
#: The same in L*a*b* units.
_MEAN_LAB, _LARGEST_LAB = 2e-3, 2e-2
#: Samples of a curve, between which lines are drawn.
_FINE = 2048
#: Curves of more samples than these are sampled anew: they would not stay in the nearest cache.
_MOST = 4096
_ABSOLUTE = 3
#: The numbers that `kernels.transforms` gives to kinds of sources.
_MATRIX, _TABLE, _LAB = 0, 1, 2

_Reals = NDArray[np.float32]


def _none(*shape: int) -> Callable[[], _Reals]:
    return lambda: np.zeros(shape, np.float32)


@dataclass(frozen=True)
class FastTransform:
    """Everything that `kernels.transforms.transform` needs, for codes of 8 and 16 bits and for floats from 0 to 1."""

    kind: int
    #: The source's curves, sampled for codes of 8 bits and for all others.
    firsts_eight: _Reals = field(default_factory=_none(3, 2))
    firsts: _Reals = field(default_factory=_none(3, 2))
    grid: _Reals = field(default_factory=_none(1))
    sizes: NDArray[np.int64] = field(default_factory=lambda: np.zeros(3, np.int64))
    lasts: _Reals = field(default_factory=_none(3, 0))
    #: To XYZ / white; None where what the source yields is L*a*b* that nothing scales.
    matrix: _Reals | None = None
    scales: _Reals = field(default_factory=_none(2))
    ins: _Reals = field(default_factory=_none(3, 2))
    to_grid: _Reals = field(default_factory=_none(1))
    to_sizes: NDArray[np.int64] = field(default_factory=lambda: np.zeros(3, np.int64))
    outs: _Reals = field(default_factory=_none(4, 0))
    #: From roots of linear light to device values of a matrix profile, which `matrix` then leads to.
    back: _Reals = field(default_factory=_none(3, 0))

    @property
    def to_lab(self) -> bool:
        """Whether it ends in L*a*b*."""
        return self.scales[0] == 0 and not self.back.size

    def __call__(self, codes: NDArray, out: NDArray) -> None:
        """Convert values (n, channels), of 8 or 16 bits or float32, into `out` (n, inks or 3) of the same type."""
        from fidele.kernels.transforms import transform

        kinds = (np.uint8, np.uint16, np.float32)
        transform(
            *(codes if codes.dtype == kind else np.empty((0, codes.shape[1]), kind) for kind in kinds),
            self.kind,
            self.firsts_eight if codes.dtype == np.uint8 else self.firsts,
            self.grid,
            self.sizes,
            self.lasts,
            self.matrix is not None,
            self.matrix if self.matrix is not None else np.zeros((3, 4), np.float32),
            self.to_lab,
            self.scales,
            self.ins,
            self.to_grid,
            self.to_sizes,
            self.outs,
            self.back,
            *(out if out.dtype == kind else np.empty((0, out.shape[1]), kind) for kind in kinds),
        )


#: Kept by content: building takes a tenth of a second.
_made: dict[tuple, FastTransform | None] = {}


def fast_transform(
    source: Profile, target: Profile, intent: int, blacks: tuple[float, float], reference: Reference
) -> FastTransform | None:
    """Return a fast transform of codes, or None where these profiles have none that agrees with LittleCMS.

    Parameters
    ----------
    blacks
        Luminance of the black to scale from and to (`icc.blackpoint`).
    reference
        What LittleCMS, with that scaling, makes of codes (n, channels) uint16: (n, inks) uint16.
    """

    def build() -> FastTransform | None:
        ends = _target(target, intent)
        start = _source(source, intent, _adapted(source, target, intent, blacks)) if ends else None
        return _agreeing(FastTransform(**_joined(start, ends)), source.channels, reference) if start and ends else None

    return _kept((source.content_id, target.content_id, intent, blacks), build)


def fast_to_lab(source: Profile, intent: int, reference: Reference) -> FastTransform | None:
    """Return a fast transform of float32 device values to D50 L*a*b*, or None; `reference` is LittleCMS's."""

    def build() -> FastTransform | None:
        start = _source(source, intent, _adapted(source, None, intent, (0.0, 0.0)))
        return _agreeing(FastTransform(**start), source.channels, reference) if start else None

    return _kept((source.content_id, "Lab", intent), build)


def fast_from_lab(target: Profile, intent: int, reference: Reference) -> FastTransform | None:
    """Return a fast transform of float32 D50 L*a*b* to device values, or None; `reference` is LittleCMS's."""

    def build() -> FastTransform | None:
        ends = _target(target, intent)
        if ends is None:
            return None
        start = {"kind": _LAB, "matrix": _scaling(_adapted(None, target, intent, (0.0, 0.0)))}
        return _agreeing(FastTransform(**_joined(start, ends)), 0, reference)

    return _kept(("Lab", target.content_id, intent), build)


def _kept(key: tuple, build: Callable[[], FastTransform | None]) -> FastTransform | None:
    if key in _made:
        return _made.get(key)
    try:
        made = build()
    except (ProfileError, ValueError, IndexError, np.linalg.LinAlgError):
        made = None
    if len(_made) > 24:
        _made.clear()
    _made[key] = made
    return made


def _adapted(
    source: Profile | None, target: Profile | None, intent: int, blacks: tuple[float, float]
) -> tuple[Floats, float] | None:
    """Return scale (3,) and offset of XYZ / white between the two, None where there is no telling."""
    if intent != _ABSOLUTE:
        into, out = blacks
        scale = (1 - out) / (1 - into)
        return np.full(3, scale), out - into * scale
    whites = [D50 if p is None or p.header.device_class == "mntr" else p.xyz("wtpt") for p in (source, target)]
    if any(w is None or min(w) <= 0 for w in whites):
        return None
    return np.asarray(whites[0]) / np.asarray(whites[1]), 0.0


def _scaling(adapted: tuple[Floats, float] | None) -> _Reals | None:
    """Return the adaptation as a matrix (3, 4), None where it changes nothing."""
    if adapted is None:
        raise ValueError
    scale, offset = adapted
    if offset == 0 and np.array_equal(scale, np.ones(3)):
        return None
    return np.hstack([np.diag(scale), np.full((3, 1), offset)]).astype(np.float32)


def _source(source: Profile, intent: int, adapted: tuple[Floats, float] | None) -> dict | None:
    """Return what a transform takes of its source: matrix and curves, or table; None for any other kind."""
    space = source.header.colour_space
    if adapted is None or space not in ("RGB", "CMYK"):
        return None
    signature = table_for(source, "A2B", {_ABSOLUTE: 1}.get(intent, intent))
    if signature is None:
        model = matrix_model(source)
        if model is None:
            return None
        scale, offset = adapted
        matrix = np.hstack([model.matrix / D50[:, None] * scale[:, None], np.full((3, 1), offset)])
        return {
            "kind": _MATRIX,
            "firsts_eight": _sampled(model.curves, 3, 256),
            "firsts": _sampled(model.curves, 3),
            "matrix": matrix.astype(np.float32),
        }
    lut = lut_of(source, signature) if source.header.pcs == "Lab" else None
    if lut is None or not _plain(lut) or lut.grid is None or lut.grid.shape[-1] != 3:
        return None
    legacy = 65535 / 65280 if lut.lab_encoding == "legacy" else 1.0
    grid, lasts = _folded(lut.grid, lut.last, np.array([100.0, 255, 255]) * legacy, np.array([0.0, 128, 128]))
    nodes = np.array(lut.grid.shape[:-1])[:, None] - 1
    return {
        "kind": _TABLE,
        "firsts_eight": _sampled(lut.middle_in, lut.inputs, 256, nodes),
        "firsts": _sampled(lut.middle_in, lut.inputs, None, nodes),
        "grid": grid,
        "sizes": np.array(lut.grid.shape[:-1], np.int64),
        "lasts": lasts,
        "matrix": _scaling(adapted),
    }


def _joined(start: dict, ends: dict) -> dict:
    """Put the two halves together: to a matrix profile one matrix leads, all the way to its linear light."""
    both = start | ends
    if "to_linear" in ends:
        given = start["matrix"] if start["matrix"] is not None else np.eye(3, 4)
        both["matrix"] = (both.pop("to_linear") @ given).astype(np.float32)
    return both


def _target(target: Profile, intent: int) -> dict | None:
    """Return what a transform takes of a target: its table from L*a*b*, or curves and matrix; None of any other."""
    signature = table_for(target, "B2A", {_ABSOLUTE: 1}.get(intent, intent))
    if signature is None and target.header.colour_space == "RGB":
        model = matrix_model(target)
        if model is None:
            return None
        roots, fine = np.linspace(0, 1, _FINE), np.linspace(0, 1, 5 * _FINE)
        back = np.stack([np.clip(curve.invert(roots**2), 0, 1) for curve in model.curves])
        for row, curve in zip(back, model.curves, strict=True):  # a curve may be steeper than its samples tell
            if np.abs(np.interp(fine, roots, row) - np.clip(curve.invert(fine**2), 0, 1)).max() > _LARGEST / 3:
                return None
        return {"to_linear": np.linalg.inv(model.matrix / D50[:, None]), "back": _pairs(back)}
    lut = lut_of(target, signature) if signature and target.header.pcs == "Lab" else None
    if lut is None or not _plain(lut) or lut.grid is None or lut.grid.shape[-1] not in (3, 4):
        return None
    legacy = 65280 / 65535 if lut.lab_encoding == "legacy" else 1.0
    channels = lut.grid.shape[-1]
    grid, outs = _folded(lut.grid, lut.last, np.ones(channels), np.zeros(channels))
    return {
        "scales": np.array([legacy / 100, legacy / 255], np.float32),
        "ins": _sampled(lut.middle_in, 3, None, np.array(lut.grid.shape[:3])[:, None] - 1),
        "to_grid": grid,
        "to_sizes": np.array(lut.grid.shape[:3], np.int64),
        "outs": outs,
    }


def _plain(lut: Lut) -> bool:
    """Tell whether a table is curves, grid, curves and nothing else."""
    return (
        lut.grid is not None
        and lut.inputs in (3, 4)
        and lut.first is None
        and lut.matrix_first is None
        and lut.matrix_last is None
        and lut.middle_out is None
    )


def _folded(grid: Floats, curves: tuple[Curve, ...] | None, scale: Floats, offset: Floats) -> tuple[_Reals, _Reals]:
    """Return a grid as nodes of four (flat), and the curves behind it as pairs, none where the grid can hold their end.

    What comes out is scaled, and the offset taken away.
    """
    channels = grid.shape[-1]
    outs = _samples(curves, channels, 16384)
    lines = [_straight(row) for row in outs]
    if all(line is not None for line in lines):
        slopes, starts = np.array([line for line in lines if line is not None]).T
        grid = (grid * slopes + starts) * scale - offset
        pairs = np.zeros((channels, 0), np.float32)
    else:
        pairs = _pairs(_samples(curves, channels, _own(curves)) * scale[:, None] - offset[:, None])
    nodes = np.zeros((grid.size // channels, 4), np.float32)
    nodes[:, :channels] = grid.reshape(-1, channels)
    return np.append(nodes.reshape(-1), np.zeros(8, np.float32)), pairs


def _straight(samples: Floats) -> tuple[float, float] | None:
    """Return slope and start of a curve that is a straight line cut off at 0 and 1, None for any other."""
    x = np.linspace(0, 1, len(samples))
    inside = np.flatnonzero((samples > 0) & (samples < 1)) if len(samples) > 2 else np.array([0, len(samples) - 1])
    if len(inside) < 2:
        return None
    first, last = inside[0], inside[-1]
    slope = (samples[last] - samples[first]) / (x[last] - x[first])
    start = samples[first] - slope * x[first]
    off = np.abs(np.clip(start + slope * x, 0, 1) - samples).max()
    return (float(slope), float(start)) if off < 3e-5 else None


def _samples(curves: tuple[Curve, ...] | None, channels: int, count: int) -> Floats:
    """Return curves as samples (channels, count) from 0 to 1."""
    axis = np.linspace(0, 1, count)
    return np.stack([np.clip(curve(axis), 0, 1) for curve in curves or (Curve(),) * channels])


def _sampled(
    curves: tuple[Curve, ...] | None, channels: int, count: int | None = None, scale: Floats | int = 1
) -> _Reals:
    return _pairs(_samples(curves, channels, count or _own(curves)) * scale)


def _own(curves: tuple[Curve, ...] | None) -> int:
    """Return how many samples curves are kept in: their own, which is exact, where they have as many each."""
    if curves is None:
        return 2
    counts = {len(c.samples) if c.samples is not None else 0 for c in curves}
    (count,) = counts if len(counts) == 1 else (0,)
    return count if 2 <= count <= _MOST else _FINE


def _pairs(samples: Floats) -> _Reals:
    """Return samples (channels, n) as pairs (channels, 2 n): each with the step to the next."""
    steps = np.diff(samples, axis=1, append=samples[:, -1:])
    return np.stack([samples, steps], axis=2).reshape(len(samples), -1).astype(np.float32)


@lru_cache(maxsize=3)
def _colours(channels: int) -> NDArray[np.uint16]:
    """Return codes to compare on: many at random, greys, and the corners of the cube."""
    rng = np.random.default_rng(12)
    greys = np.repeat(np.linspace(0, 65535, 257).astype(np.uint16)[:, None], channels, axis=1)
    corners = np.array(np.meshgrid(*[[0, 65535]] * channels)).reshape(channels, -1).T.astype(np.uint16)
    return np.concatenate([rng.integers(0, 65536, (3000, channels), dtype=np.uint16), greys, corners])


def _agreeing(made: FastTransform, channels: int, reference: Reference) -> FastTransform | None:
    """Return a transform that no number makes overflow, and that agrees with LittleCMS; else None."""
    matrix = made.matrix if made.matrix is not None else np.zeros(1)
    parts = (
        made.firsts,
        made.firsts_eight,
        made.grid,
        made.lasts,
        matrix,
        made.ins,
        made.to_grid,
        made.outs,
        made.back,
    )
    if not all(bool((np.abs(part) < 1e6).all()) for part in parts if part.size):
        return None
    # Where a sampled curve begins its cell: nothing is looked up before a table's beginning.
    if (made.kind == _TABLE and (made.firsts[:, ::2] < 0).any()) or (made.ins[:, ::2] < 0).any():
        return None
    if made.to_lab or made.kind == _LAB:
        shares = _colours(channels or 3) / 65535
        if made.kind == _LAB:
            shares = shares * [100, 200, 200] - [0, 100, 100]
        values: NDArray = shares.astype(np.float32)
        span, mean, largest = (1, _MEAN_LAB, _LARGEST_LAB) if made.to_lab else (1, _MEAN, _LARGEST)
    else:
        values, span, mean, largest = _colours(channels), 65535, _MEAN, _LARGEST
    wanted = reference(values)
    if wanted.dtype.kind == "f" and not made.to_lab:
        wanted = np.clip(wanted, 0, 1)  # of colours beyond a matrix profile
    found = np.empty(wanted.shape, wanted.dtype)
    made(values, found)
    off = np.abs(found.astype(float) - wanted) / span
    return made if off.mean() <= mean and off.max() <= largest else None
