"""Mapping of colours that a printer cannot hold: perceptual and saturation, both with an inverse.

After white is on white and black on a neutral as dark as the printer's black (the scaling of ISO 18619), a colour is
a place in the leaf of its hue: a direction and a distance from a middle on the grey axis. Only the distance changes.
Up to a knee nothing moves, which keeps what can be printed (a colorimetric core); beyond it the rest of the source
gamut, as far as it reaches in that direction, is squeezed evenly into what is left of the printer's, so that steps
survive. Hue is kept in Oklab, where blue stays blue. Perceptual moves nothing else; saturation first lifts chroma and
leans the leaf until the source's tips lie near the lightness of the printer's. Where a printer's black is tinted no
neutral is as dark: the darkest greys lean toward it, so that prints keep their depth, and all that is lighter is
neutral.

Sources: CIE 156:2004, 'Guidelines for the evaluation of gamut mapping algorithms' (how such mappings are described
and judged; its SGCK scales lightness and has a knee at nine tenths, as here, along lines to one point of the axis).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Floats
from fidele.characterise.detail import Detail, detail_of, lines
from fidele.colour.cie import D50, lab_to_xyz, xyz_to_lab
from fidele.colour.difference import delta_e_2000
from fidele.colour.oklab import lab_to_oklab, oklab_to_lab
from fidele.dataclass import dataclass
from fidele.icc.solid import Solid, cube_solid
from fidele.icc.spaces import srgb
from fidele.icc.tables import device_to_pcs_lab, interpolate

#: Nodes in which boundaries are kept: hues (closed), and directions from straight down to straight up.
_HUES, _RISES = 144, 91
#: The core within which nothing moves is at least and at most so large a share of what the printer holds.
_LEAST, _MOST = 0.55, 0.93
#: Half of the stretch over which the knee is rounded, as a share of the room beyond it.
_ROUND = 0.5
#: Of so much chroma in Oklab, some 12 in L*a*b*, a colour is no grey: a tinted black moves it outward alone.
_COLOURED = 0.04
#: What is of the tint's own hue is moved by all of it up to some such chroma, in times the tint's.
_OUTWARD = 4.0
#: How evenly what comes nearest to neutral is followed, in fortieths of the way.
_EVEN = 3.0
#: Saturation: what chroma is multiplied by, and how far tips go toward the lightness of tips.
_LIFT, _LEAN = 1.12, 0.7
#: By how much L* is to rise at least from one direction to the next: what tables of 33 nodes make of level is not.
_CLIMB = 0.07
#: What reaches beyond the source by so much has no say in how evenly a surface goes round.
_BEYOND = 1.15
#: Cells along an edge of the device cube whose surface is measured.
_CELLS = 36


@dataclass(frozen=True)
class Shape:
    """What a mapping is made by; `mappings` tries several where a printer asks for it.

    Attributes
    ----------
    kept
        A step outside the core is to keep this share of its length.
    above
        How far above the darkest neutral a tinted black has given way to neutral, in times what is below it.
    bend
        How it does so: with lightness to this power; or, where that is 0, along what comes nearest to neutral.
    beside
        Over so many hues, of 2.5° each, the printer's surface is drawn in to where it is lowest.
    """

    kept: float = 0.22
    above: float = 1.0
    bend: float = 1.5
    beside: int = 1


#: What is tried, the first first: until one holds all that is asked of it (`detail`).
SHAPES = (
    Shape(),
    Shape(above=3.0, bend=1.0),
    Shape(beside=3),
    Shape(above=0.25, bend=0.0),
    Shape(above=3.0, bend=1.0, beside=3),
    Shape(above=0.25, bend=0.0, beside=3),
    Shape(kept=0.12),
    Shape(kept=0.12, beside=3),
    Shape(kept=0.45, above=0.25, bend=0.0),
)


@dataclass(frozen=True)
class Leaves:
    """How far a gamut reaches in Oklab, from a middle on the grey axis of each hue.

    Attributes
    ----------
    middle
        (145,) Oklab lightness of the middle, by hue.
    reach
        (145, 91) distance to the surface, by hue and rise (-90° to 90°).
    """

    middle: Floats
    reach: Floats

    def reach_at(self, hue: Floats, rise: Floats) -> Floats:
        """Return the distance (n,) to the surface in directions given in radians."""
        place = np.stack([(hue / (2 * np.pi)) % 1.0, rise / np.pi + 0.5], axis=1)
        return interpolate(self.reach[..., None], np.clip(place, 0, 1), tetrahedral=False)[:, 0]


@dataclass(frozen=True)
class Tint:
    """How a printer's darkest greys are tinted: a and b in Oklab (m, 2) at Oklab lightness (m,), rising to neutral.

    Greys and what is all but grey are moved by the whole tint; what has colour only outward along its own hue, the
    more the nearer that is to the tint's. So no colour turns its hue, and none falls onto another.
    """

    levels: Floats
    ab: Floats

    @staticmethod
    def of(printer: Solid, black: Floats, shape: Shape) -> Tint:
        """Lead from the printer's black (3,), in Oklab, to neutral."""
        top = max(_neutral_black(printer), black[0] + 0.01)
        levels = np.linspace(black[0], top + shape.above * (top - black[0]), 40)
        if shape.bend:
            return Tint(levels, black[1:] * (np.linspace(1, 0, 40) ** shape.bend)[:, None])
        return Tint(levels, _nearest_to_neutral(printer, black, levels, top))

    def put(self, ok: Floats) -> Floats:
        """Tint colours (n, 3) in Oklab that were neutral to the printer; the more colour they have the less."""
        return np.concatenate([ok[:, :1], _tinted(ok[:, 1:], self._at(ok[:, 0]))], axis=1)

    def taken(self, ok: Floats) -> Floats:
        """Take the tint from colours (n, 3) in Oklab, by Newton's steps."""
        tint, wanted, by = self._at(ok[:, 0]), ok[:, 1:], 1e-5
        bare = wanted - tint * (np.hypot(*wanted.T) < 2 * _COLOURED)[:, None]
        for _ in range(30):
            here = _tinted(bare, tint)
            off = wanted - here
            if np.abs(off).max(initial=0) < 1e-7:
                break
            right, up = ((_tinted(bare + by * axis, tint) - here) / by for axis in np.eye(2))
            span = np.maximum(_cross(right, up), 0.05)
            step = np.stack([_cross(off, up), _cross(right, off)], axis=1) / span[:, None]
            long = np.hypot(*step.T) / (0.3 * _COLOURED)  # where the rule bends, long steps would overshoot
            bare = bare + step / np.maximum(long, 1)[:, None]
        return np.concatenate([ok[:, :1], bare], axis=1)

    def _at(self, levels: Floats) -> Floats:
        """Return the tint (n, 2) of what is neutral at lightnesses (n,)."""
        return np.stack([np.interp(levels, self.levels, channel) for channel in self.ab.T], axis=1)


def _tinted(bare: Floats, tint: Floats) -> Floats:
    """Move a and b (n, 2) by tints (n, 2): greys by all of it, colours outward alone."""
    chroma, most = np.hypot(*bare.T), np.hypot(*tint.T)
    hue, toward = bare / np.maximum(chroma, 1e-9)[:, None], tint / np.maximum(most, 1e-9)[:, None]
    share = np.minimum(chroma / _COLOURED, 1)
    grey = (1 - share) ** 2 * (1 + 2 * share)
    slow = np.exp(-((chroma / np.maximum(_OUTWARD * most, 1e-6)) ** 2))
    out = most * np.maximum(slow - grey, 0) * np.maximum((hue * toward).sum(axis=1), 0) ** 2
    return bare + tint * grey[:, None] + hue * out[:, None]


def _cross(one: Floats, other: Floats) -> Floats:
    return one[:, 0] * other[:, 1] - one[:, 1] * other[:, 0]


def _nearest_to_neutral(printer: Solid, black: Floats, levels: Floats, top: float) -> Floats:
    """Follow what comes nearest to neutral from the printer's black (3,), in Oklab, up to its first neutral."""
    from scipy.ndimage import gaussian_filter1d

    ab = np.zeros((len(levels), 2))
    for row, level in enumerate(levels):
        if level < top:
            ab[row] = _nearest_to_grey(printer.slice_at(max(level, black[0] + 1e-3)))
    ab = gaussian_filter1d(ab, _EVEN, axis=0, mode="nearest")
    ab += (black[1:] - ab[0]) * np.exp(-np.arange(len(levels)) / 5)[:, None]  # black itself stays what it is
    return ab * np.minimum(1, np.arange(len(levels))[::-1] / 5)[:, None]


@dataclass(frozen=True)
class GamutMapping:
    """A mapping from the source gamut to the printer's, and back.

    Attributes
    ----------
    black
        The lightness Y (0 to 1) of the printer's black, onto which black is scaled.
    tint
        How the darkest greys lean toward that black.
    chroma
        What chroma is multiplied by before anything else.
    lean
        (145,) by how much the leaf of each hue is tilted: Oklab lightness for each unit of chroma.
    kept
        What share of its length a step outside the core is to keep.
    """

    source: Leaves
    target: Leaves
    black: float
    tint: Tint
    chroma: float
    lean: Floats
    kept: float

    def forward(self, Lab: Floats) -> Floats:
        """Map colours (n, 3) of the source into the printer's gamut."""
        L, a, b = lab_to_oklab(blackened(Lab, self.black)).T
        hue, chroma = np.arctan2(b, a), np.hypot(a, b) * self.chroma
        L = L + chroma * _around(self.lean, hue)
        middle = _around(self.target.middle, hue)
        rise, far = np.arctan2(L - middle, chroma), np.hypot(L - middle, chroma)
        far = self._squeezed(far, hue, rise)
        return oklab_to_lab(self.tint.put(_leaf(middle + far * np.sin(rise), far * np.cos(rise), hue)))

    def inverse(self, Lab: Floats) -> Floats:
        """Find the source colours (n, 3) that `forward` maps to given ones."""
        L, a, b = self.tint.taken(lab_to_oklab(Lab)).T
        hue, chroma = np.arctan2(b, a), np.hypot(a, b)
        middle = _around(self.target.middle, hue)
        rise, far = np.arctan2(L - middle, chroma), np.hypot(L - middle, chroma)
        far = self._squeezed(far, hue, rise, back=True)
        L, chroma = middle + far * np.sin(rise), far * np.cos(rise)
        scaled = oklab_to_lab(_leaf(L - chroma * _around(self.lean, hue), chroma / self.chroma, hue))
        XYZ = (lab_to_xyz(scaled) - self.black * D50) / (1 - self.black)
        return xyz_to_lab(np.maximum(XYZ, 0))

    def _squeezed(self, far: Floats, hue: Floats, rise: Floats, back: bool = False) -> Floats:
        """Bring distances 0 … source's reach to 0 … printer's, or back: straight, a rounded knee, straight again."""
        held = np.maximum(self.target.reach_at(hue, rise), 1e-3)
        wide = np.maximum(self.source.reach_at(hue, rise), held) / held
        core = np.clip((1 - self.kept * wide) / (1 - self.kept), _LEAST, _MOST)
        slope = (1 - core) / np.maximum(wide - core, 1e-9)
        # Rounded on both sides of the knee by the same stretch, so that both straight parts stay what they are.
        half = _ROUND * (1 - core)
        u = far / held - core
        if not back:
            bent = u - (1 - slope) * (u + half) ** 2 / (4 * half)
            out = np.where(u <= -half, u, np.where(u >= half, slope * u, bent))
            return np.minimum(out + core, 1.0) * held
        # The rounded part solved for u: q u² - (1 - 2 q half) u + (q half² + v) = 0 with q = (1 - slope) / (4 half).
        q = (1 - slope) / (4 * half)
        linear = 1 - 2 * q * half
        root = np.sqrt(np.maximum(linear**2 - 4 * q * (q * half**2 + u), 0))
        bent = 2 * (q * half**2 + u) / np.maximum(linear + root, 1e-12)
        out = np.where(u <= -half, u, np.where(u >= slope * half, u / np.maximum(slope, 1e-9), bent))
        return np.minimum(out + core, wide) * held


def blackened(Lab: Floats, black: float) -> Floats:
    """Scale colours (n, 3) in XYZ so that black comes onto the neutral of lightness Y = `black`; white stays."""
    return xyz_to_lab(lab_to_xyz(Lab) * (1 - black) + black * D50)


def mappings(
    target: Callable[[Floats], Floats], printed: Callable[[Floats], Floats]
) -> tuple[GamutMapping, GamutMapping]:
    """Return the perceptual and the saturation mapping of a printer.

    Perceptual keeps what can be printed, and of all else hue and steps. Saturation makes the most of the printer's
    pure colours, for charts and signs. Shapes are tried until detail survives; the one is taken that comes closest.

    Parameters
    ----------
    target
        Device values (n, 3), 0 to 1, to media-relative L*a*b* (n, 3).
    printed
        The printable colours (n, 3) nearest to given L*a*b* (n, 3).
    """
    ground = _Ground.of(target)
    judge, tried = _Judge(printed, ground.Y), []
    for shape in SHAPES:
        made = ground.mapped(shape)
        found = judge(made[0])
        tried.append((found.short_before, made))
        if found.short == 0:
            break
    return min(tried, key=lambda one: one[0])[1]


class _Judge:
    """Tells what a printer makes of ramps, and of what it could print, through a mapping."""

    def __init__(self, printed: Callable[[Floats], Floats], black: float) -> None:
        self._printed, self._black, self._lines = printed, black, lines(24, 32)
        axis = np.linspace(0, 1, 11)
        cube = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1).reshape(-1, 3)
        self._some = device_to_pcs_lab(srgb(), cube)
        self._wanted = blackened(self._some, black)
        self._held = delta_e_2000(self._wanted, printed(self._wanted)) <= 1

    def __call__(self, mapping: GamutMapping) -> Detail:
        every = np.concatenate([self._lines.Lab, self._some[self._held]])
        printed = self._printed(mapping.forward(every))
        line, cube = printed[: len(self._lines.Lab)], printed[len(self._lines.Lab) :]
        move = float(np.percentile(delta_e_2000(self._wanted[self._held], cube), 95)) if len(cube) else 0.0
        return detail_of(self._lines, blackened(self._lines.Lab, self._black), line, move)


@dataclass(frozen=True, eq=False)
class _Ground:
    """What all shapes of a printer's mapping share: its surface and the source's, in Oklab.

    Attributes
    ----------
    wide, leant
        How far the source reaches, for perceptual and for saturation.
    """

    printer: Solid
    darkest: Floats
    Y: float
    middle: Floats
    wide: Leaves
    leant: Leaves
    lean: Floats

    @staticmethod
    def of(target: Callable[[Floats], Floats]) -> _Ground:
        darkest = target(np.zeros((1, 3)))[0]
        black = float(lab_to_oklab(np.array([darkest[0], 0.0, 0.0]))[0])
        Y = float(lab_to_xyz(darkest)[1])
        printer = cube_solid(lambda device: lab_to_oklab(target(device)), _CELLS)
        source = cube_solid(lambda rgb: lab_to_oklab(blackened(device_to_pcs_lab(srgb(), rgb), Y)), _CELLS)
        tip = _tips(printer)
        middle = np.clip(0.5 * tip + 0.5 * (1 + black) / 2, black + 0.15 * (1 - black), 0.9)
        own = _tips(source)
        lean = _LEAN * (tip - own) / np.maximum(_leaves(source, own).reach[:, _RISES // 2] * _LIFT, 1e-3)
        L, a, b = source.vertices.T
        moved = L + np.hypot(a, b) * _LIFT * _around(lean, np.arctan2(b, a))
        leant = Solid(np.stack([moved, a * _LIFT, b * _LIFT], axis=1), source.triangles, source.net)
        wide = _leaves(source, middle)
        return _Ground(printer, lab_to_oklab(darkest), Y, middle, wide, _leaves(leant, middle), lean)

    def mapped(self, shape: Shape) -> tuple[GamutMapping, GamutMapping]:
        """Return both mappings of one shape."""
        tint = Tint.of(self.printer, self.darkest, shape)
        bare = Solid(tint.taken(self.printer.vertices), self.printer.triangles, self.printer.net)
        held, wide, leant = _leaves(bare, self.middle), self.wide, self.leant
        even = _drawn_in(held, wide, shape.beside)
        perceptual = GamutMapping(wide, _rising(even, wide), self.Y, tint, 1.0, np.zeros(_HUES + 1), shape.kept)
        saturation = replace(perceptual, source=leant, target=_rising(held, leant), chroma=_LIFT, lean=self.lean)
        return perceptual, saturation


def _drawn_in(printer: Leaves, source: Leaves, hues: int) -> Leaves:
    """Draw the printer's surface in to its lowest among neighbouring hues, evenly, by its share of the source's.

    Ramps of artwork do not keep to one hue of Oklab: where the surface changes fast from hue to hue, L* turns back.
    """
    from scipy.ndimage import gaussian_filter1d, minimum_filter1d

    if hues <= 1:
        return printer
    reach, wide = printer.reach[:-1], np.maximum(source.reach[:-1], 1e-3)
    share = np.minimum(reach / wide, _BEYOND)
    low = gaussian_filter1d(minimum_filter1d(share, hues, axis=0, mode="wrap"), hues / 3, axis=0, mode="wrap")
    # What reaches far beyond the source is drawn in by as much, and stays beyond it.
    drawn = np.minimum(reach, np.where(share < _BEYOND, low * wide, low / _BEYOND * reach))
    return Leaves(printer.middle, np.concatenate([drawn, drawn[:1]]))


def _nearest_to_grey(cut: Floats) -> Floats:
    """Return the point (2,) of a slice's outline (n, 2, 2) that is nearest to grey, drawn in a little."""
    if not len(cut):
        return np.zeros(2)
    start, along = cut[:, 0], cut[:, 1] - cut[:, 0]
    share = -(start * along).sum(axis=1) / np.maximum((along**2).sum(axis=1), 1e-15)
    points = start + np.clip(share, 0, 1)[:, None] * along
    nearest: Floats = points[np.hypot(*points.T).argmin()]
    return 0.9 * nearest + 0.1 * cut.reshape(-1, 2).mean(axis=0)


def _neutral_black(solid: Solid) -> float:
    """Return the Oklab lightness of the darkest neutral in a solid in Oklab."""
    from fidele.kernels.solids import farthest

    far = np.empty(1)
    farthest(np.array([0.75, 0.0, 0.0]), np.array([[-1.0, 0, 0]]), solid.vertices, solid.triangles, far)
    return 0.75 - float(far[0])


def _leaf(L: Floats, chroma: Floats, hue: Floats) -> Floats:
    return np.stack([L, chroma * np.cos(hue), chroma * np.sin(hue)], axis=-1)


def _hues() -> Floats:
    return np.linspace(0, 2 * np.pi, _HUES + 1)


def _around(values: Floats, hue: Floats) -> Floats:
    return np.interp((hue / (2 * np.pi)) % 1.0, np.linspace(0, 1, _HUES + 1), values)


def _tips(solid: Solid) -> Floats:
    """Return Oklab lightness (145,) of the largest chroma in each hue, a little smoothed."""
    L, a, b = solid.vertices.T
    chroma, place = np.hypot(a, b), np.rint(np.arctan2(b, a) / (2 * np.pi) * _HUES).astype(int) % _HUES
    tip = np.full(_HUES, np.nan)
    order = np.argsort(chroma)
    tip[place[order]] = L[order]
    known = np.flatnonzero(~np.isnan(tip))
    tip = np.interp(np.arange(_HUES), known, tip[known], period=_HUES)
    kernel = np.hanning(9) / np.hanning(9).sum()
    tip = np.convolve(np.concatenate([tip[-4:], tip, tip[:4]]), kernel, "valid")
    return np.append(tip, tip[0])


def _leaves(solid: Solid, middle: Floats) -> Leaves:
    """Measure a solid in Oklab from the middles of its leaves."""
    from fidele.kernels.solids import leaf_reach

    reach = np.empty((_HUES + 1, _RISES))
    rise = np.linspace(-np.pi / 2, np.pi / 2, _RISES)
    leaf_reach(solid.vertices, solid.triangles, _hues()[:-1], np.ascontiguousarray(middle), rise, reach[:-1])
    reach[-1] = reach[0]
    return Leaves(middle, reach)


def _rising(printer: Leaves, source: Leaves) -> Leaves:
    """Draw hollows and bumps of the printer's surface in until L* rises all the way from black over the tip to white.

    It does so along the edge of the source's leaves, and is to go on doing so where the printer's edge takes over.
    """
    from scipy.ndimage import binary_dilation

    rise = np.linspace(-np.pi / 2, np.pi / 2, _RISES)
    hue = np.broadcast_to(_hues()[:, None], printer.reach.shape)

    def lightness(reach: Floats, at: NDArray[np.bool_]) -> Floats:
        middle = np.broadcast_to(printer.middle[:, None], hue.shape)[at]
        L = middle + reach * np.broadcast_to(np.sin(rise), hue.shape)[at]
        return oklab_to_lab(_leaf(L, reach * np.broadcast_to(np.cos(rise), hue.shape)[at], hue[at]))[..., 0]

    edge = np.minimum(printer.reach, source.reach)
    first = lightness(edge.ravel(), np.ones(hue.shape, bool)).reshape(hue.shape)
    climb = _CLIMB * np.arange(_RISES)
    below = np.maximum.accumulate(first - climb, axis=1) + climb
    above = np.minimum.accumulate((first - climb)[:, ::-1], axis=1)[:, ::-1] + climb
    wanted = np.where(rise < 0, below, above)
    broken = np.abs(wanted - first) > 1e-6
    low, high, goal = 0.2 * edge[broken], edge[broken], wanted[broken]
    downward = np.broadcast_to(rise < 0, hue.shape)[broken]
    for _ in range(30):
        half = (low + high) / 2
        found = lightness(half, broken)
        enough = np.where(downward, found >= goal, found <= goal)
        low, high = np.where(enough, half, low), np.where(enough, high, half)
    # Beside a mended place the edge itself stands, lest what lies between the two reach beyond both.
    beside = binary_dilation(broken, np.ones((3, 3), bool))
    mended = np.where(beside, edge, printer.reach)
    mended[broken] = low
    return Leaves(printer.middle, mended)
