"""What a tuning makes of colours.

Lightness moves in L*; hue and chroma move in Oklab, where a hue stays itself while its chroma changes, and L* is put
back afterwards.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Floats, Pixels
from fidele.colour.cie import D50, lab_to_lch, lab_to_xyz, lch_to_lab, xyz_to_lab
from fidele.colour.oklab import lab_to_oklab, oklab_to_lab
from fidele.icc.blackpoint import blacks
from fidele.icc.profile import Profile
from fidele.icc.transform import Intent, as_float, to_lab
from fidele.tuning.model import Region, Tuning

_HUES = 72
_LEVELS = 26
#: Oklab chroma at which a colour counts as one of its hue, no more as a grey.
_COLOURED = 0.035
_NODES = 65


class ChromaLimits:
    """The purest that a printer holds: Oklab chroma by L* and Oklab hue, from the surface of its gamut."""

    def __init__(self, printer: Profile) -> None:
        side = np.linspace(0, 1, 65, dtype=np.float32)
        u, v = (m.reshape(-1) for m in np.meshgrid(side, side, indexing="ij"))
        if printer.channels == 3:
            faces = [np.insert(np.stack([u, v], 1), axis, end, axis=1) for axis in range(3) for end in (0, 1)]
        else:  # of inks: what two of them print at most
            faces = [np.insert(np.stack([u, v], 1), axis, 0, axis=1) for axis in range(3)]
            faces = [np.hstack([f, np.zeros((len(f), printer.channels - 3), np.float32)]) for f in faces]
        Lab = to_lab(np.concatenate(faces).astype(np.float32), printer).astype(float)
        ok = lab_to_oklab(Lab)
        chroma, hue = np.hypot(ok[:, 1], ok[:, 2]), np.degrees(np.arctan2(ok[:, 2], ok[:, 1])) % 360
        level = np.clip(np.rint(Lab[:, 0] / 100 * (_LEVELS - 1)), 0, _LEVELS - 1).astype(int)
        place = np.rint(hue / 360 * _HUES).astype(int) % _HUES
        table = np.zeros((_LEVELS, _HUES))
        np.maximum.at(table, (level, place), chroma)
        for _ in range(4):  # a place that no sample met has what its neighbours along the hue have
            empty = table == 0
            table[empty] = np.maximum(np.roll(table, 1, 1), np.roll(table, -1, 1))[empty]
        self._table = np.hstack([table, table[:, :1]])

    def __call__(self, L: Floats, hue: Floats) -> Floats:
        """Return the greatest Oklab chroma at L* and Oklab hue in degrees, both (n,)."""
        y = np.clip(L / 100 * (_LEVELS - 1), 0, _LEVELS - 1 - 1e-9)
        x = (hue % 360) / 360 * _HUES
        i, j = y.astype(int), np.minimum(x.astype(int), _HUES - 1)
        fy, fx = y - i, x - j
        t = self._table
        low = t[i, j] * (1 - fx) + t[i, j + 1] * fx
        return low * (1 - fy) + (t[i + 1, j] * (1 - fx) + t[i + 1, j + 1] * fx) * fy


_limits: dict[str, ChromaLimits] = {}


def limits_of(printer: Profile) -> ChromaLimits:
    """Return the chroma limits of a printer, made once."""
    key = printer.content_id
    if key not in _limits:
        if len(_limits) > 8:
            _limits.clear()
        _limits[key] = ChromaLimits(printer)
    return _limits[key]


def tuned_lab(Lab: Floats, tuning: Tuning, limits: ChromaLimits) -> Floats:
    """Return what a tuning makes of media-relative colours (n, 3)."""
    Lab = np.asarray(Lab, dtype=float)
    L = _tones(tuning)(Lab[:, 0])
    if tuning.greys != "as they are":
        return _monochrome(L, tuning)
    ok = lab_to_oklab(Lab)
    chroma, hue = np.hypot(ok[:, 1], ok[:, 2]), np.degrees(np.arctan2(ok[:, 2], ok[:, 1])) % 360
    turn, factor, lighter = np.zeros(len(Lab)), np.ones(len(Lab)), np.zeros(len(Lab))
    for region in tuning.regions:
        weight = _within(region, hue, chroma)
        turn += weight * region.turn
        factor *= 1 + weight * region.chroma / 100
        lighter += weight * region.lightness
    chroma, hue = chroma * factor, hue + turn
    if tuning.lift:
        share = np.clip(chroma / np.maximum(limits(Lab[:, 0], hue), 1e-4), 0, 1)
        wanted = tuning.lift * (1 - _skin_like(Lab))
        chroma = chroma * (1 + wanted * (1 - share))  # x + lift x (1 - x): nothing at grey, nothing at the limit
    angle = np.radians(hue)
    moved = oklab_to_lab(np.stack([ok[:, 0], chroma * np.cos(angle), chroma * np.sin(angle)], axis=1))
    # L* is kept by moving along lines of equal L*; a* and b* change a little with it, which Oklab accounts for.
    moved[:, 0] = np.clip(L + lighter, 0, 100)
    return moved


def _tones(tuning: Tuning) -> Any:
    """Return the tone curve in L*, never reversing."""
    if not (tuning.shadows or tuning.middle or tuning.lights or tuning.contrast):
        return lambda L: L
    from scipy.interpolate import PchipInterpolator

    at = np.array([0, 25, 50, 75, 100.0])
    bent = tuning.contrast / 100 * 25
    to = at + np.array([0, tuning.shadows - bent, tuning.middle, tuning.lights + bent, 0])
    to = np.maximum.accumulate(np.clip(to, 0, 100) + np.arange(5) * 1e-6)
    curve = PchipInterpolator(at, to)
    return lambda L: np.clip(curve(np.clip(L, 0, 100)), 0, 100)


def _monochrome(L: Floats, tuning: Tuning) -> Floats:
    if tuning.greys == "neutral":
        return np.stack([L, np.zeros_like(L), np.zeros_like(L)], axis=1)
    share = np.clip(4 * (L / 100) * (1 - L / 100), 0, 1)  # white and black stay what they are
    return lch_to_lab(np.stack([L, tuning.tone_chroma * share, np.full_like(L, tuning.tone_hue)], axis=1))


def _within(region: Region, hue: Floats, chroma: Floats) -> Floats:
    """Return how far colours belong to a region, 0 to 1: a raised cosine over its width, nothing at grey."""
    away = np.abs((hue - _ok_hue(region.hue) + 180) % 360 - 180) / (region.width / 2)
    return np.where(away < 1, 0.5 + 0.5 * np.cos(np.pi * away), 0) * np.clip(chroma / _COLOURED, 0, 1)


@lru_cache(maxsize=64)
def _ok_hue(hue: float) -> float:
    """Return the Oklab hue of a hue angle in a*b*, taken at a middle colour."""
    ok = lab_to_oklab(lch_to_lab(np.array([60.0, 40.0, hue])))
    return float(np.degrees(np.arctan2(ok[2], ok[1])) % 360)


def _skin_like(Lab: Floats) -> Floats:
    """Return how skin-like colours are, 0 to 1: hue 30 to 75 degrees, chroma 8 to 45, L* 30 to 92, with soft edges."""
    L, C, h = lab_to_lch(Lab).T

    def between(x: Floats, low: float, high: float, soft: float) -> Floats:
        return np.clip((x - low) / soft + 1, 0, 1) * np.clip((high - x) / soft + 1, 0, 1)

    return between(L, 30, 92, 8) * between(C, 8, 45, 8) * between(h, 30, 75, 12)


class Tuner:
    """Turns source values into tuned L*a*b*, by a table of 65³ for sources of three channels and many pixels."""

    def __init__(self, tuning: Tuning, source: Profile, printer: Profile, intent: Intent, bpc: bool) -> None:
        self._tuning, self._source, self._limits = tuning, source, limits_of(printer)
        # The absolute intent compares with the source's own white; what is tuned is always relative to the media.
        self._intent = Intent.RELATIVE if intent is Intent.ABSOLUTE else intent
        self._table: NDArray[np.float32] | None = None
        # Tuned colours are converted from L*a*b*, whose black is none: the source's own is taken out before.
        self._black, _ = blacks(source, printer, intent.code, bpc)

    def exact(self, values: Pixels) -> NDArray[np.float32]:
        """Return tuned L*a*b* (n, 3) of source values (n, channels), computed for each."""
        Lab = to_lab(values, self._source, self._intent).astype(float)
        if self._black:
            Lab = xyz_to_lab(np.maximum((lab_to_xyz(Lab) - self._black * D50) / (1 - self._black), 0))
        return tuned_lab(Lab, self._tuning, self._limits).astype(np.float32)

    def __call__(self, values: Pixels) -> NDArray[np.float32]:
        """Return tuned L*a*b* (n, 3) of source values (n, channels)."""
        if values.shape[1] != 3 or (len(values) < 50_000 and self._table is None):
            return self.exact(values)
        from fidele.kernels.grids import tetrahedral3

        if self._table is None:
            axis = np.linspace(0, 1, _NODES, dtype=np.float32)
            nodes = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1).reshape(-1, 3)
            self._table = self.exact(nodes).reshape(_NODES, _NODES, _NODES, 3)
        out = np.empty((len(values), 3), np.float32)
        tetrahedral3(np.ascontiguousarray(as_float(values)), self._table, out)
        return out
