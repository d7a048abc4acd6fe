"""Matrix profile to output profile in one compiled pass: what LittleCMS computes in float, at many times its speed.

The curves and the matrix of the source, the adaptation of white and black, and the table of the output profile are
put together from our own reading of both profiles. Before such a transform is used it is held against LittleCMS on a
few thousand colours; where the two differ, or a profile is built in another way, there is none, and LittleCMS does
the work.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Floats, Pixels, top_of
from fidele.colour.cie import D50
from fidele.icc.profile import Profile, ProfileError
from fidele.icc.tables import Curve, Lut, MatrixModel, lut_of, matrix_model, table_for

#: What LittleCMS makes of codes (n, 3) uint16: (n, inks) uint16.
Reference = Callable[[NDArray[np.uint16]], NDArray[np.uint16]]

#: Largest mean and single difference from LittleCMS, of the full range, that a fast transform may show.
_MEAN, _LARGEST = 1e-4, 3e-3
#: Samples of a curve of which the nearest one serves.
_FINE = 16384


@dataclass(frozen=True)
class FastTransform:
    """Everything that `kernels.matrix_to_table` needs, for codes of 8 and 16 bits."""

    eight: tuple[NDArray[np.float32], NDArray[np.int64]]
    sixteen: tuple[NDArray[np.float32], NDArray[np.int64]]
    matrix: NDArray[np.float32]
    scales: NDArray[np.float32]
    ins: NDArray[np.float32]
    sizes: NDArray[np.int64]
    grid: NDArray[np.float32]
    #: The output curves as codes of 16 bits, one sample where the grid holds the end values themselves.
    outs: NDArray[np.uint16]
    outs_eight: NDArray[np.uint8]

    def __call__(self, codes: Pixels, out: Pixels) -> None:
        """Convert codes (n, 3), 8 or 16 bit, into `out` (n, inks) of the same depth."""
        from fidele.kernels import matrix_to_table

        top = np.float32(top_of(codes))
        matrix_to_table(
            codes,
            *(self.eight if codes.dtype == np.uint8 else self.sixteen),
            self.matrix,
            self.scales,
            self.ins,
            self.sizes,
            self.grid,
            self.outs_eight if codes.dtype == np.uint8 else self.outs,
            top,
            out,
        )


#: Kept by content: building takes a tenth of a second.
_made: dict[tuple[str, str, int, tuple[float, float]], FastTransform | None] = {}


def fast_transform(
    source: Profile, target: Profile, intent: int, blacks: tuple[float, float], reference: Reference
) -> FastTransform | None:
    """Return a fast transform, or None where these profiles have none that agrees with LittleCMS.

    Parameters
    ----------
    blacks
        Luminance of the black to scale from and to (`icc.blackpoint`).
    reference
        What LittleCMS, with that scaling, makes of codes (n, 3) uint16: (n, inks) uint16.
    """
    key = (source.content_id, target.content_id, intent, blacks)
    if key in _made:
        return _made.get(key)
    try:
        made = _build(source, target, intent, blacks, reference)
    except (ProfileError, ValueError, IndexError):
        made = None
    if len(_made) > 16:
        _made.clear()
    _made[key] = made
    return made


def _build(
    source: Profile, target: Profile, intent: int, blacks: tuple[float, float], reference: Reference
) -> FastTransform | None:
    if source.header.colour_space != "RGB" or any(t in source.tags for t in ("A2B0", "A2B1", "A2B2")):
        return None
    model = matrix_model(source)
    signature = table_for(target, "B2A", {3: 1}.get(intent, intent))
    lut = lut_of(target, signature) if signature and target.header.pcs == "Lab" else None
    if model is None or lut is None or not _plain(lut) or lut.grid is None:
        return None
    rows = model.matrix / D50[:, None]
    offset = np.zeros(3)
    if intent == 3:
        white = target.xyz("wtpt")
        own = source.xyz("wtpt") if source.header.device_class != "mntr" else D50
        if white is None or own is None or min(white) <= 0:
            return None
        scale = np.asarray(own) / np.asarray(white)
    else:
        into, out = blacks
        scale = np.full(3, (1 - out) / (1 - into))
        offset = out - into * scale
    matrix = np.hstack([rows * scale[:, None], offset[:, None]]).astype(np.float32)
    made = _assemble(model, lut, matrix)
    return made if _bounded(made) and _agrees(made, reference) else None


def _bounded(made: FastTransform) -> bool:
    """Tell whether all numbers are such that no step can overflow: the kernel looks up tables by what it computes."""
    parts = (made.eight[0], made.sixteen[0], made.matrix, made.ins, made.grid)
    return all(bool((np.abs(part) < 1e6).all()) for part in parts) and bool((made.ins >= 0).all())


def _plain(lut: Lut) -> bool:
    """Tell whether a table is curves, grid, curves and nothing else."""
    return (
        lut.grid is not None
        and lut.grid.ndim == 4
        and lut.grid.shape[3] in (3, 4)
        and lut.first is None
        and lut.matrix_first is None
        and lut.matrix_last is None
        and lut.middle_out is None
    )


def _assemble(model: MatrixModel, lut: Lut, matrix: NDArray[np.float32]) -> FastTransform:
    grid = np.asarray(lut.grid)
    legacy = 65280 / 65535 if lut.lab_encoding == "legacy" else 1.0
    ins = _sampled(lut.middle_in, 3)
    positions = ins * (np.array(grid.shape[:3])[:, None] - 1)
    outs = _sampled(lut.last, grid.shape[3])
    lines = [_straight(row) for row in outs]
    codes = np.zeros((grid.shape[3], 1))
    if all(line is not None for line in lines):  # then the grid can hold the end values themselves
        grid = np.stack([grid[..., v] * line[0] + line[1] for v, line in enumerate(lines) if line is not None], axis=-1)
    else:
        grid, codes = grid * (_FINE - 1), np.clip(outs, 0, 1)
    nodes = np.zeros((grid.size // grid.shape[3], 4), np.float32)
    nodes[:, : grid.shape[3]] = grid.reshape(-1, grid.shape[3])
    return FastTransform(
        _codes(model.curves, 256),
        _codes(model.curves, 65536),
        matrix,
        np.array([legacy / 100, legacy / 255], np.float32),
        np.ascontiguousarray(positions, dtype=np.float32),
        np.array(grid.shape[:3], np.int64),
        nodes.reshape(-1),
        np.rint(codes * 65535).astype(np.uint16),
        np.rint(codes * 255).astype(np.uint8),
    )


def _codes(curves: tuple[Curve, ...], values: int) -> tuple[NDArray[np.float32], NDArray[np.int64]]:
    """Return the curves' values by code, one after another, and where each begins; alike ones stand but once."""
    codes = np.arange(values) / (values - 1)
    rows = [curve(codes) for curve in curves]
    if all(np.array_equal(row, rows[0]) for row in rows):
        return rows[0].astype(np.float32), np.zeros(3, np.int64)
    return np.concatenate(rows).astype(np.float32), np.arange(3, dtype=np.int64) * values


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


def _sampled(curves: tuple[Curve, ...] | None, channels: int) -> Floats:
    """Return curves as samples (channels, _FINE)."""
    axis = np.linspace(0, 1, _FINE)
    return np.stack([np.clip(curve(axis), 0, 1) for curve in curves or (Curve(),) * channels])


@lru_cache(maxsize=1)
def _sample() -> NDArray[np.uint16]:
    """Return colours to compare on: many at random, greys, and the corners of the cube."""
    rng = np.random.default_rng(12)
    greys = np.repeat(np.linspace(0, 65535, 257).astype(np.uint16)[:, None], 3, axis=1)
    corners = np.array(np.meshgrid(*[[0, 65535]] * 3)).reshape(3, -1).T.astype(np.uint16)
    return np.concatenate([rng.integers(0, 65536, (3000, 3), dtype=np.uint16), greys, corners])


def _agrees(made: FastTransform, reference: Reference) -> bool:
    codes = _sample()
    wanted = reference(codes).astype(float)
    found = np.empty(wanted.shape, np.uint16)
    made(codes, found)
    off = np.abs(found - wanted) / 65535
    return bool(off.mean() <= _MEAN and off.max() <= _LARGEST)
