"""The charts that Fidele prints, and how each is made. All values are of a source RGB space, 0 to 1."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Floats
from fidele.chart.definition import Chart
from fidele.chart.driver import patches as driver_patches
from fidele.chart.layout import PAGES, Layout, a4_layout, laid_out
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.language import tr

#: What predicts the L*a*b* (n, 3) of device values (n, 3): the A2B side of a first profile.
Predicts = Callable[[Floats], Floats]


@dataclass(frozen=True)
class Kind:
    """A chart of the family: what it is for, in a sentence, and the patch width in mm that suits it."""

    name: str
    title: str
    purpose: str
    patch: float
    make: Callable[[Predicts | None], dict[str, Floats]]
    mark_set: int
    layout: Layout | None = None
    seed: int = 1
    scrambled: bool = True


def _lattice(axis: Floats) -> Floats:
    return np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1).reshape(-1, 3)


def _greys(levels: Floats) -> Floats:
    return np.repeat(np.asarray(levels, dtype=float)[:, None], 3, 1)


def _turned(level: float, by: float, angles: Sequence[float]) -> Floats:
    """Return greys of a level that lean `by` toward each angle in a ring."""
    angle = np.radians(np.asarray(angles, dtype=float))[:, None] + np.radians([0, 120, 240])
    return np.clip(level + by * np.cos(angle), 0, 1)


_SKIN = (
    np.array(
        [
            [244, 214, 196],
            [230, 190, 165],
            [214, 168, 140],
            [198, 148, 118],
            [180, 128, 98],
            [160, 108, 80],
            [140, 92, 68],
            [118, 76, 56],
            [92, 60, 46],
            [70, 46, 38],
        ]
    )
    / 255
)
_FULL = _lattice(np.array([0.0, 1.0]))[1:-1]


def _quick(_: Predicts | None) -> dict[str, Floats]:
    """30: white, a grey ramp, solids of primaries and secondaries in two strengths, near-neutrals."""
    near = np.concatenate([_turned(0.5, 0.06, [a]) for a in (0, 90, 180, 270)])
    return {
        "white": np.ones((1, 3)),
        "grey": _greys(np.array([16, 48, 80, 112, 144, 176, 208, 236]) / 255),
        "black": np.zeros((1, 3)),
        "ramp": np.concatenate([_FULL, 1 - (1 - _FULL) * 0.5]),
        "near-neutral": near,
        "skin": np.array([[230, 190, 165], [160, 108, 80], [92, 60, 46]]) / 255,
        "mixed": np.array([[0.75, 0.5, 0.2]]),
    }


#: Where a drift of any one ink shows best, white first: chosen one by one so that what is still unknown of a drift,
#: all over the device cube, became least; on eight printers that nobody here made (docs/own-profiles.md).
_MEND = (
    (255, 255, 255), (138, 75, 72), (39, 84, 188), (105, 220, 38), (253, 23, 135), (153, 153, 153), (223, 94, 17),
    (40, 10, 13), (93, 10, 215), (10, 187, 157), (39, 125, 1), (173, 139, 242), (178, 3, 26), (231, 201, 30),
    (25, 27, 103), (21, 251, 239), (187, 37, 180), (3, 252, 37), (217, 173, 137), (255, 0, 255), (70, 161, 118),
    (139, 153, 3), (121, 35, 114), (53, 134, 255), (148, 248, 144), (241, 39, 9), (1, 49, 172), (86, 44, 9),
    (243, 129, 183), (120, 92, 182),
)  # fmt: skip


def _mend(_: Predicts | None) -> dict[str, Floats]:
    """30: where a drift of any one ink shows best."""
    return {"white": np.array(_MEND[:1]) / 255, "drift": np.array(_MEND[1:]) / 255}


def _control(_: Predicts | None) -> dict[str, Floats]:
    """144: greys, ramps of primaries and secondaries, near-neutrals, skin-like tones, a coarse lattice."""
    ramps = []
    for full in _FULL:
        for strength in (0.2, 0.5, 0.8):
            ramps += [1 - (1 - full) * strength, full * strength]  # toward white, toward black
    levels = np.array([4, 12, 22, 34, 48, 64, 78, 100, 118, 134, 152, 186, 204, 220, 236, 248]) / 255
    return {
        "grey": _greys(levels),
        "ramp": np.array(ramps),
        "near-neutral": np.concatenate([_turned(level, 0.045, range(0, 360, 60)) for level in (0.3, 0.55, 0.8)]),
        "skin": _SKIN,
        "lattice": _lattice(np.array([0, 1, 2, 3]) / 3),
    }


def _target(_: Predicts | None) -> dict[str, Floats]:
    """900: a 9 x 9 x 9 lattice spaced for ink, a grey ramp of 33, near-neutrals, and shadows."""
    near = np.concatenate([_turned(level, 0.05, range(0, 360, 60)) for level in np.linspace(0.08, 0.94, 13)])
    return {
        "lattice": _lattice(np.array([0, 24, 52, 84, 118, 152, 186, 220, 255]) / 255),
        "grey": _greys(np.linspace(0, 1, 33)[1:-1]),
        "near-neutral": near,
        "shadow": np.random.default_rng(2).random((62, 3)) ** 2.2,
    }


def _full(count: int) -> Callable[[Predicts | None], dict[str, Floats]]:
    """Return what makes a characterisation of so many patches.

    Without a first profile: a lattice spaced for ink. With one: a third lies on the surface of the RGB cube, which is
    the gamut's edge, the rest inside, both spread evenly in L*a*b* by farthest-point choice; greys and their
    neighbours are added in either case.
    """

    def make(predicts: Predicts | None) -> dict[str, Floats]:
        near = np.concatenate([_turned(lv, 0.05, range(0, 360, 90)) for lv in np.linspace(0.1, 0.9, 5 + count // 250)])
        fixed = {"grey": _greys(np.linspace(0, 1, 17 + count // 60)), "near-neutral": near, "ramp": _FULL}
        rest = count - sum(len(v) for v in fixed.values())
        rng = np.random.default_rng(count)
        inside = rng.random((rest * 12, 3))
        edge = rng.random((rest * 6, 3))
        edge[np.arange(len(edge)), rng.integers(0, 3, len(edge))] = rng.integers(0, 2, len(edge))
        spread = predicts or (lambda rgb: 100 * rgb**0.7)
        taken = np.concatenate(list(fixed.values()))
        third = rest // 3
        at_edge = edge[farthest(spread(edge), spread(taken), third)]
        within = inside[farthest(spread(inside), spread(np.concatenate([taken, at_edge])), rest - third)]
        return fixed | {"edge": at_edge, "lattice": within}

    return make


def farthest(points: Floats, taken: Floats, count: int) -> NDArray[np.int64]:
    """Return the indices of `count` of the points (n, k), each the farthest from all chosen before and from `taken`.

    Source: Gonzalez, 'Clustering to minimize the maximum intercluster distance', Theor. Comput. Sci. 38 (1985).
    """
    columns = np.ascontiguousarray(np.asarray(points, float).T)  # column by column: many times faster than row by row
    away = np.full(len(points), np.inf)

    def near(one: Floats) -> None:
        square = (columns[0] - one[0]) ** 2
        for column, value in zip(columns[1:], one[1:], strict=True):
            square += (column - value) ** 2
        np.minimum(away, square, out=away)

    for one in taken:
        near(one)
    chosen = np.empty(count, np.int64)
    for number in range(count):
        chosen[number] = away.argmax()
        near(points[chosen[number]])
    return chosen


_TINTS = np.array([0, 1, 2, 3, 4, 5, 6, 8, 10, 12, 15, 20, 25, 30, 40, 50, 60, 70, 80, 90, 95, 100]) / 100
_SHADOWS = np.array([0, 1, 2, 3, 4, 5, 6, 8, 10, 12, 15, 20]) / 100


def _ramps(_: Predicts | None) -> dict[str, Floats]:
    """Greys in steps of 1 to 5 %, each single colour from its lightest tint to full, and the shadows of greys."""
    return {
        "grey": _greys(1 - _TINTS),
        "shadow": _greys(_SHADOWS[1:]),
        "ramp": np.concatenate([1 - (1 - full) * _TINTS[1:, None] for full in _FULL]),
    }


def _driver(_: Predicts | None) -> dict[str, Floats]:
    """A coarse lattice, ramps of single colours from white and to black, and greys."""
    return driver_patches()


def _balance(_: Predicts | None) -> dict[str, Floats]:
    """At five levels a grey, and around it a ring of greys that lean a little and a little more to twelve sides."""
    rows = []
    for level in (0.2, 0.35, 0.5, 0.65, 0.8):
        ring = [_turned(level, by, range(0, 360, 30)) for by in (0.02, 0.045)]
        rows.append(np.concatenate([_greys(np.array([level])), *ring]))
    return {"near-neutral": np.concatenate(rows)}


def _swatches(predicts: Predicts | None) -> dict[str, Floats]:
    """Colours in planes of equal L*: 12 hues in 4 steps of chroma, and a grey, on each of 8 planes.

    With a profile the planes are those of the print: each plane is sought among device values by their prediction.
    """
    from fidele.icc.spaces import srgb
    from fidele.icc.transform import to_lab

    nodes = _lattice(np.linspace(0, 1, 26))
    Lab = predicts(nodes) if predicts else to_lab(nodes.astype(np.float32), srgb()).astype(float)
    black, white = Lab[:, 0].min(), Lab[:, 0].max()
    hue = np.degrees(np.arctan2(Lab[:, 2], Lab[:, 1])) % 360
    chroma = np.hypot(Lab[:, 1], Lab[:, 2])
    planes = []
    for level in np.linspace(black + 0.1 * (white - black), white - 0.08 * (white - black), 8):
        near = np.abs(Lab[:, 0] - level)
        row = [nodes[(near * 2 + chroma).argmin()]]
        for angle in range(0, 360, 30):
            off = np.abs((hue - angle + 180) % 360 - 180)
            here = (near < 3.5) & (off < 16)
            most = chroma[here].max() if here.any() else 0.0
            for share in (0.25, 0.5, 0.75, 1.0):
                far = near**2 * 2 + (chroma - share * most) ** 2 + (off * np.maximum(chroma, 8) / 57) ** 2
                row.append(nodes[far.argmin()])
        planes.append(np.array(row))
    return {"swatch": np.concatenate(planes)}


#: Colours of a family in a row, from light to dark or pure to broken: an eye goes along it.
_REDS = ((244, 178, 168), (250, 140, 40), (226, 72, 44), (214, 22, 44), (196, 52, 92), (122, 24, 30))
_GREENS = ((252, 222, 60), (206, 206, 70), (140, 184, 60), (50, 140, 60), (60, 160, 140), (26, 74, 44))
_BLUES = ((150, 186, 226), (40, 150, 210), (24, 80, 176), (52, 40, 140), (120, 60, 150), (176, 110, 180))


def _families(_: Predicts | None) -> dict[str, Floats]:
    """42: a row of six for each family that people judge in; greys with white and black."""
    rows = {"red": _REDS, "green": _GREENS, "blue": _BLUES}
    return {
        "grey": _greys(np.array([1, 0.85, 0.65, 0.45, 0.25, 0])),
        "tint": 1 - (1 - _FULL) * 0.16,
        "dark": _FULL * 0.28,
        "skin": _SKIN[[0, 2, 4, 5, 7, 9]],
    } | {name: np.array(row) / 255 for name, row in rows.items()}


def _neutral(_: Predicts | None) -> dict[str, Floats]:
    """87: white, greys, what leans a little from them in six directions, black, and the full colours."""
    levels = np.linspace(0, 1, 21)[1:-1]
    near = [_turned(level, 0.07, range(0, 360, 60)) for level in (0.06, *np.linspace(0.15, 0.95, 9))]
    return {
        "white": np.ones((1, 3)),
        "grey": _greys(levels),
        "black": np.zeros((1, 3)),
        "near-neutral": np.concatenate(near),
        "solid": _FULL,
    }


KINDS = {
    k.name: k
    for k in (
        Kind(
            "quick",
            tr("Quick chart"),
            tr("30 patches: is it about right?"),
            26.0,
            _quick,
            3,
            a4_layout(6, 5, 30.0, 4.0),
            5,
        ),
        Kind(
            "control",
            tr("Control chart"),
            tr("144 patches: is the print right, and if not, why?"),
            13.0,
            _control,
            0,
            a4_layout(12, 12, 15.0, 2.0),
        ),
        Kind(
            "target",
            tr("Characterisation target"),
            tr("900 patches on a lattice, for a first profile"),
            8.2,
            _target,
            1,
            a4_layout(18, 25, 10.0, 1.8),
            3,
        ),
        Kind(
            "full-400",
            tr("Characterisation, 400"),
            tr("400 patches, even in L*a*b* once a profile is known"),
            8.2,
            _full(400),
            4,
        ),
        Kind(
            "full-900",
            tr("Characterisation, 900"),
            tr("900 patches, even in L*a*b* once a profile is known"),
            8.2,
            _full(900),
            4,
        ),
        Kind(
            "full-1500",
            tr("Characterisation, 1500"),
            tr("1,500 patches, even in L*a*b* once a profile is known"),
            7.0,
            _full(1500),
            4,
        ),
        Kind(
            "mend",
            tr("Mending chart"),
            tr("30 patches: bring a profile up to what the printer prints now"),
            26.0,
            _mend,
            4,
            a4_layout(6, 5, 30.0, 4.0),
        ),
        Kind(
            "ramps",
            tr("Ramps"),
            tr("Greys, single colours, light tints and shadows: the first and last steps"),
            10.0,
            _ramps,
            8,
            scrambled=False,
        ),
        Kind(
            "driver",
            tr("Driver chart"),
            tr("244 patches: printed under two choices of a driver, which of them leaves the numbers alone?"),
            8.2,
            _driver,
            10,
        ),
        Kind(
            "neutral",
            tr("Neutral page"),
            tr("87 patches: curves for neutral greys and even tones, where there is no profile"),
            13.0,
            _neutral,
            11,
            a4_layout(10, 9, 18.0, 2.0),
        ),
        Kind(
            "families",
            tr("Families"),
            tr("42 large patches: greys, tints, darks, skin, reds, greens and blues in rows, to judge trials by"),
            26.0,
            _families,
            6,
            a4_layout(6, 7, 30.0, 4.0),
            scrambled=False,
        ),
        Kind(
            "balance",
            tr("Balance"),
            tr("Greys tinted in rings, to read off a cast"),
            11.0,
            _balance,
            9,
            scrambled=False,
        ),
        Kind(
            "swatches",
            tr("Swatch book"),
            tr("Colours in planes of equal L*, to pick a printable colour from"),
            11.0,
            _swatches,
            5,
            scrambled=False,
        ),
    )
}


def made(
    name: str,
    page: str = "",
    patch: float = 0.0,
    scrambled: bool | None = None,
    own: tuple[tuple[str, Floats], ...] = (),
    predicts: Predicts | None = None,
) -> Chart:
    """Make a chart of the family.

    Parameters
    ----------
    page, patch
        Name of a size in `PAGES` and width of a patch in mm; where neither is given, the chart's usual layout.
    scrambled
        Scrambled evens out banding and position on the page; None for what suits the chart.
    own
        Names and RGB (3,) of customer colours that are added.
    predicts
        L*a*b* that a first profile predicts for device values.

    Raises
    ------
    FideleError
        When there is no such chart or page, or the patches are too large for it.
    """
    if name not in KINDS:
        raise FideleError(tr("There is no chart '{name}'; there is {kinds}.", name=name, kinds=", ".join(KINDS)))
    if page and page not in PAGES:
        raise FideleError(tr("There is no page '{page}'; there is {pages}.", page=page, pages=", ".join(PAGES)))
    if not own and predicts is None:
        return _usual(name, page, patch, scrambled)
    return _laid(name, page, patch, scrambled, own, predicts)


@lru_cache(maxsize=32)
def _usual(name: str, page: str, patch: float, scrambled: bool | None) -> Chart:
    """Make a chart that takes nothing from a workshop: the same each time, so it is made once."""
    return _laid(name, page, patch, scrambled, (), None)


def _laid(
    name: str,
    page: str,
    patch: float,
    scrambled: bool | None,
    own: tuple[tuple[str, Floats], ...],
    predicts: Predicts | None,
) -> Chart:
    kind = KINDS[name]
    parts = kind.make(predicts)
    if own:
        parts = parts | {"customer": np.array([rgb for _, rgb in own])}
    rgb = np.concatenate(list(parts.values()))
    families = [family for family, values in parts.items() for _ in values]
    layout = kind.layout
    if layout is None or page or patch or own:
        width, height, is_round = PAGES[page or "A4"]
        wide = patch or kind.patch
        layout = laid_out((width, height), len(rgb), wide, max(1.2, 0.15 * wide), is_round)
    shuffle = kind.scrambled if scrambled is None else scrambled
    order = np.random.default_rng(kind.seed).permutation(len(rgb)) if shuffle else np.arange(len(rgb))
    ids = named_by_place(len(rgb), layout)
    eight = np.round(rgb[order] * 255) / 255
    return Chart(name, kind.title, ids, eight, tuple(families[i] for i in order), layout, kind.mark_set)


def chosen_patches(title: str, rgb: Floats, mark: str = "+") -> Chart:
    """Return a chart of device values (n, 3) that were chosen for one workshop, laid out as the larger targets are.

    The names of its samples begin with `mark`, apart from those of any target and of other charts so chosen: their
    measurements can be put together.
    """
    kind = KINDS["full-400"]
    eight = np.round(np.asarray(rgb, float) * 255) / 255
    layout = laid_out(PAGES["A4"][:2], len(eight), kind.patch, max(1.2, 0.15 * kind.patch), False)
    order = np.random.default_rng(kind.seed).permutation(len(eight))
    ids = tuple(mark + sample for sample in named_by_place(len(eight), layout))
    return Chart("further", title, ids, eight[order], ("lattice",) * len(eight), layout, kind.mark_set)


def named_by_place(count: int, layout: Layout) -> tuple[str, ...]:
    """Return names of samples: a letter for the column, and the row, which counts on over the pages."""
    return tuple(f"{_letters(i % layout.columns)}{i // layout.columns + 1}" for i in range(count))


def _letters(column: int) -> str:
    """Return the column's letter; after Z follow AA, AB and on."""
    return chr(65 + column) if column < 26 else chr(64 + column // 26) + chr(65 + column % 26)


def control_chart() -> Chart:
    """Return the control chart: 144 patches on one A4 page."""
    return made("control")


def quick_chart() -> Chart:
    """Return the quick chart: 30 patches on one A4 page."""
    return made("quick")


def target_chart() -> Chart:
    """Return the characterisation target: 900 patches on two A4 pages."""
    return made("target")
