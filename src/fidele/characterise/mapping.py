"""Mapping of colours that a printer cannot hold: perceptual and saturation, both with an exact inverse.

Hue is kept. In each hue the source gamut's leaf is bent onto the printer's leaf, tip onto tip, so that a bright pure
colour becomes the printer's pure colour of that hue instead of a pale one of the same lightness; then chroma is
eased in under a knee. Colours near grey hardly move.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from fidele.arrays import Floats
from fidele.colour.cie import lab_to_lch, lch_to_lab
from fidele.icc.spaces import srgb
from fidele.icc.tables import device_to_pcs_lab

_HUES, _LEVELS = 144, 101


@dataclass(frozen=True)
class Boundary:
    """Largest chroma of a gamut, by hue (rows, every 2.5 degrees) and lightness (columns, 0 to 100); and its tips."""

    chroma: Floats  # (144, 101)
    tip: Floats  # (144, 2): lightness and chroma of the largest chroma in each hue
    black_lab: Floats  # (3,): the darkest colour

    @property
    def black(self) -> float:
        """The lightness of the darkest colour."""
        return float(self.black_lab[0])

    @staticmethod
    def of_device(forward: Callable[[Floats], Floats]) -> Boundary:
        """Trace the surface of an RGB device given as a function from device values (n, 3) to L*a*b* (n, 3)."""
        axis = np.linspace(0, 1, 301)
        u, v = (m.ravel() for m in np.meshgrid(axis, axis))
        faces = []
        for side in (0.0, 1.0):
            fixed = np.full_like(u, side)
            faces += [np.stack(f, axis=1) for f in ((fixed, u, v), (u, fixed, v), (u, v, fixed))]
        LCh = lab_to_lch(forward(np.concatenate(faces)))
        black_lab = lch_to_lab(LCh[LCh[:, 0].argmin()])
        black = black_lab[0]
        hue = np.rint(LCh[:, 2] / (360 / _HUES)).astype(int) % _HUES
        level = LCh[:, 0] / 100 * (_LEVELS - 1)
        chroma = np.zeros((_HUES, _LEVELS))
        np.maximum.at(chroma, (hue, np.rint(level).astype(int).clip(0, _LEVELS - 1)), LCh[:, 1])
        chroma = _filled(chroma)
        chroma = _smooth(chroma)
        # The neutral end points carry no chroma.
        lightness = np.linspace(0, 100, _LEVELS)
        chroma[:, lightness <= black] = 0
        chroma[:, -1] = 0
        # The tips from the samples themselves: smoothing would pull a sharp one, like that of yellow, down.
        tip = np.zeros((_HUES, 2))
        order = np.argsort(LCh[:, 1])
        tip[hue[order]] = LCh[order, :2]
        tip[:, 0] = _ring(tip[:, 0])
        return Boundary(chroma, tip, black_lab)

    def at(self, lightness: Floats, hue: Floats) -> Floats:
        """Return the largest chroma (n,) at lightness and hue (degrees).

        At least 8: near white and black, where a gamut closes, faint casts are to stay what they are.
        """
        x = (hue % 360) / (360 / _HUES)
        y = np.clip(lightness, 0, 100) / 100 * (_LEVELS - 1)
        i, j = np.floor(x).astype(int) % _HUES, np.minimum(np.floor(y).astype(int), _LEVELS - 2)
        s, t = x - np.floor(x), y - j
        k = (i + 1) % _HUES
        c = self.chroma
        value = (c[i, j] * (1 - s) + c[k, j] * s) * (1 - t) + (c[i, j + 1] * (1 - s) + c[k, j + 1] * s) * t
        return np.maximum(value, 8.0)

    def tip_at(self, hue: Floats) -> Floats:
        """Return the lightness (n,) of the tip at a hue."""
        x = (hue % 360) / (360 / _HUES)
        i = np.floor(x).astype(int) % _HUES
        s = x - np.floor(x)
        return self.tip[i, 0] * (1 - s) + self.tip[(i + 1) % _HUES, 0] * s


def _filled(chroma: Floats) -> Floats:
    """Fill cells that no sample fell into from their neighbours in lightness."""
    levels = np.arange(chroma.shape[1])
    for row in chroma:
        seen = row > 0
        if seen.sum() >= 2:
            row[:] = np.interp(levels, levels[seen], row[seen], left=0, right=0)
    return chroma


def _ring(values: Floats) -> Floats:
    kernel = np.array([1, 2, 1]) / 4
    return np.convolve(np.concatenate([values[-1:], values, values[:1]]), kernel, "valid")


def _smooth(chroma: Floats) -> Floats:
    ringed = np.stack([_ring(column) for column in chroma.T], axis=1)
    padded = np.pad(ringed, ((0, 0), (1, 1)), mode="edge")
    return 0.25 * padded[:, :-2] + 0.5 * padded[:, 1:-1] + 0.25 * padded[:, 2:]


def source_boundary() -> Boundary:
    """Return the boundary of sRGB: most artwork is in it or near it, and what lies beyond is eased in as well."""
    return Boundary.of_device(lambda rgb: device_to_pcs_lab(srgb(), rgb))


@dataclass(frozen=True)
class GamutMapping:
    """A mapping from the source gamut to the printer's, and back.

    `knee` is the share of the printer's chroma up to which nothing is eased; `lift` draws chroma out toward the
    printer's tips (saturation); `bend` is how far tips go onto tips.
    """

    source: Boundary
    target: Boundary
    knee: float
    lift: float
    bend: float

    @staticmethod
    def perceptual(target: Boundary) -> GamutMapping:
        """Keep the relations between colours: ease in from 60 % of what the printer holds."""
        return GamutMapping(source_boundary(), target, knee=0.60, lift=0.0, bend=0.8)

    @staticmethod
    def saturation(target: Boundary) -> GamutMapping:
        """Make the most of the printer's pure colours, for charts and signs."""
        return GamutMapping(source_boundary(), target, knee=0.85, lift=0.35, bend=1.0)

    def _level(self, lightness: Floats) -> Floats:
        """Compress lightness from 0 to 100 to black to 100, tenderly near white."""
        black = self.target.black
        t = np.clip(lightness, 0, 100) / 100
        return lightness + black * (1 - t) ** 1.6

    def _shape(self, lightness: Floats, chroma: Floats, hue: Floats) -> tuple[Floats, Floats]:
        level = self._level(lightness)
        far = np.clip(chroma / self.source.at(lightness, hue), 0, 1.5)
        tip_from, tip_to = self._level(self.source.tip_at(hue)), self.target.tip_at(hue)
        black = self.target.black
        below = black + (level - black) * (tip_to - black) / (tip_from - black)
        above = 100 - (100 - level) * (100 - tip_to) / (100 - tip_from)
        bent = np.where(level <= tip_from, below, above)
        weight = self.bend * np.minimum(far, 1) ** 2
        new_level = level + weight * (bent - level)
        reach = self.target.at(new_level, hue)
        wide = np.maximum(self.source.at(lightness, hue), 1.0)
        return new_level, self._ease(chroma, wide, reach)

    def _ease(self, chroma: Floats, wide: Floats, reach: Floats) -> Floats:
        """Bring chroma 0 … wide to 0 … reach: straight up to the knee, then along a curve that ends at reach."""
        lifted = chroma * (1 + self.lift * np.clip(reach / wide - 0.6, 0, 0.6) * np.clip(chroma / wide, 0, 1))
        knee = self.knee * np.minimum(reach, wide)
        room, load = reach - knee, np.maximum(wide * (1 + 0.1 * self.lift) - knee, 1e-3)
        over = np.maximum(lifted - knee, 0)
        squeezed = np.maximum(load / np.maximum(room, 1e-3), 1.0)
        # u / (1 + (s - 1) u / load') starts with slope 1 and reaches `room` at `load`.
        eased = over / (1 + (squeezed - 1) * over / load)
        return np.where(lifted <= knee, lifted, knee + eased)

    def _lean(self, level: Floats) -> Floats:
        """Return how far greys lean (n, 3) at a mapped lightness: the darkest lean to the printer's own black."""
        black = self.target.black_lab
        depth = np.clip((100 - level) / (100 - black[0]), 0, 1) ** 5
        return depth[:, None] * np.array([0, black[1], black[2]])

    def forward(self, Lab: Floats) -> Floats:
        """Map colours (n, 3) of the source into the printer's gamut."""
        LCh = lab_to_lch(Lab)
        level, chroma = self._shape(LCh[:, 0], LCh[:, 1], LCh[:, 2])
        return lch_to_lab(np.stack([level, chroma, LCh[:, 2]], axis=1)) + self._lean(level)

    def inverse(self, Lab: Floats) -> Floats:
        """Find the source colours (n, 3) that `forward` maps to given ones; hue stays, so it is a plane search."""
        LCh = lab_to_lch(Lab - self._lean(Lab[:, 0]))
        hue = LCh[:, 2]
        lightness, chroma = LCh[:, 0].copy(), LCh[:, 1].copy()
        best, best_cost = np.stack([lightness, chroma]), np.full(len(LCh), np.inf)
        damping = np.full(len(LCh), 1e-2)
        for _ in range(18):
            level, got = self._shape(lightness, chroma, hue)
            error = np.stack([level - LCh[:, 0], got - LCh[:, 1]], axis=1)
            cost = (error**2).sum(axis=1)
            better = cost < best_cost
            best[:, better] = np.stack([lightness, chroma])[:, better]
            best_cost = np.where(better, cost, best_cost)
            damping = np.where(better, damping / 3, damping * 5).clip(1e-8, 1e6)
            at, residual = best.T, np.empty_like(error)
            level, got = self._shape(at[:, 0], at[:, 1], hue)
            residual[:] = np.stack([level - LCh[:, 0], got - LCh[:, 1]], axis=1)
            jacobian = np.empty((len(LCh), 2, 2))
            for axis, step in enumerate((0.05, 0.05)):
                moved = at.copy()
                moved[:, axis] += step
                l2, c2 = self._shape(moved[:, 0], moved[:, 1], hue)
                jacobian[:, 0, axis], jacobian[:, 1, axis] = (l2 - level) / step, (c2 - got) / step
            normal = np.einsum("nki,nkj->nij", jacobian, jacobian)
            normal[:, range(2), range(2)] += damping[:, None]
            move = np.linalg.solve(normal, np.einsum("nij,ni->nj", jacobian, residual)[..., None])[..., 0]
            lightness = np.clip(at[:, 0] - move[:, 0], 0, 100)
            chroma = np.clip(at[:, 1] - move[:, 1], 0, 180)
        return lch_to_lab(np.stack([best[0], best[1], hue], axis=1))
