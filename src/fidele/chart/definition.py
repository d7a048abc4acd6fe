"""What a chart is: patches with ids and RGB values, and where each stands on which page."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from fidele.chart.cgats import Table
from fidele.errors import FideleError

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Layout:
    """A page's geometry in millimetres: `columns` x `rows` patches at `pitch`, each `patch` wide, white between.

    `left` and `top` are the upper left corner of the first patch; marks are squares of `mark` at the four corners of
    the page's frame.
    """

    page: tuple[float, float]
    columns: int
    rows: int
    pitch: float
    patch: float
    left: float
    top: float
    mark: float
    frame: tuple[float, float, float, float]  # left, top, right, bottom edge of the marks

    def centre(self, place: NDArray[np.int64]) -> Floats:
        """Return the centres (n, 2) of places on a page, counted by rows from the upper left."""
        column, row = place % self.columns, place // self.columns
        return np.stack([column, row], axis=1) * self.pitch + self.patch / 2 + np.array([self.left, self.top])

    def mark_corners(self) -> Floats:
        """Return the corners (4 marks, 4, 2) of the marks: marks and corners clockwise from the upper left."""
        left, top, right, bottom = self.frame
        m = self.mark
        square = np.array([[0, 0], [m, 0], [m, m], [0, m]], dtype=float)
        places = np.array([[left, top], [right - m, top], [right - m, bottom - m], [left, bottom - m]])
        return places[:, None] + square

    def white_places(self) -> Floats:
        """Return places (n, 2) of bare substrate: where the gaps between patches cross."""
        gap = self.pitch - self.patch
        x = self.left - gap / 2 + self.pitch * np.arange(self.columns + 1)
        y = self.top - gap / 2 + self.pitch * np.arange(self.rows + 1)
        return np.stack(np.meshgrid(x, y), axis=-1).reshape(-1, 2)


def a4_layout(columns: int, rows: int, pitch: float, gap: float) -> Layout:
    """Centre a grid on A4 between the marks, inside 8 mm margins."""
    mark = 14.0
    frame = (12.0, 9.0, 198.0, 286.0)
    left = round(105 - (columns * pitch - gap) / 2, 2)
    top = round((frame[1] + frame[3]) / 2 - (rows * pitch - gap) / 2, 2)
    return Layout((210.0, 297.0), columns, rows, pitch, pitch - gap, left, top, mark, frame)


@dataclass(frozen=True)
class Chart:
    """A named chart. Patch i stands on page i // per_page, at place i % per_page.

    Attributes
    ----------
    rgb
        (n, 3) values from 0 to 1: of a source space when the chart is printed through a condition, of the device
        when nothing converts.
    families
        What each patch is for: 'grey', 'ramp', 'near-neutral', 'skin', 'lattice'.
    mark_set
        Number of the first page's set of four marks; each page has its own.
    """

    name: str
    title: str
    ids: tuple[str, ...]
    rgb: Floats
    families: tuple[str, ...]
    layout: Layout
    mark_set: int

    @property
    def per_page(self) -> int:
        """Patches that a page holds."""
        return self.layout.columns * self.layout.rows

    @property
    def pages(self) -> int:
        """How many pages it takes."""
        return -(-len(self.ids) // self.per_page)

    def on_page(self, page: int) -> NDArray[np.int64]:
        """Return the indices of the patches on a page, counted from 0."""
        return np.arange(page * self.per_page, min((page + 1) * self.per_page, len(self.ids)))

    def centres(self, page: int) -> Floats:
        """Return the centres (n, 2) in millimetres of the patches on a page."""
        return self.layout.centre(self.on_page(page) - page * self.per_page)


#: Sets of four marks: the family of charts that Fidele prints.
MARK_SETS = 6


def _ordered(name: str, title: str, parts: dict[str, Floats], layout: Layout, mark_set: int, seed: int) -> Chart:
    """Scramble patches, which evens out banding and position, and give them ids by place."""
    rgb = np.concatenate(list(parts.values()))
    families = [family for family, values in parts.items() for _ in values]
    order = np.random.default_rng(seed).permutation(len(rgb))
    ids = tuple(f"{chr(65 + i % layout.columns)}{i // layout.columns + 1}" for i in range(len(rgb)))  # rows count on
    return Chart(
        name, title, ids, np.round(rgb[order] * 255) / 255, tuple(families[i] for i in order), layout, mark_set
    )


def _lattice(axis: Floats) -> Floats:
    return np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1).reshape(-1, 3)


def control_chart() -> Chart:
    """Return the control chart: 144 patches on one A4 page.

    Greys, ramps of primaries and secondaries, near-neutrals, skin-like tones, and a coarse RGB lattice.
    """
    greys = np.repeat(
        np.array([4, 12, 22, 34, 48, 64, 78, 100, 118, 134, 152, 186, 204, 220, 236, 248])[:, None] / 255, 3, 1
    )
    ramps = []
    for full in _lattice(np.array([0.0, 1.0]))[1:-1]:
        for strength in (0.2, 0.5, 0.8):
            ramps.append(1 - (1 - full) * strength)  # toward white
            ramps.append(full * strength)  # toward black
    near = []
    for level in (0.3, 0.55, 0.8):
        for angle in range(0, 360, 60):
            turn = np.radians(angle + np.array([0, 120, 240]))
            near.append(level + 0.045 * np.cos(turn))
    skin = (
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
    parts = {
        "grey": greys,
        "ramp": np.array(ramps),
        "near-neutral": np.array(near),
        "skin": skin,
        "lattice": _lattice(np.array([0, 1, 2, 3]) / 3),
    }
    return _ordered("control", "Control chart", parts, a4_layout(12, 12, 15.0, 2.0), mark_set=0, seed=1)


def quick_chart() -> Chart:
    """Return the quick chart: 30 patches on one A4 page.

    White, a grey ramp, solids of primaries and secondaries in two strengths, near-neutrals.
    """
    greys = np.repeat(np.array([16, 48, 80, 112, 144, 176, 208, 236])[:, None] / 255, 3, 1)
    full = _lattice(np.array([0.0, 1.0]))[1:-1]
    near = np.array([0.5 + 0.06 * np.cos(np.radians(angle + np.array([0, 120, 240]))) for angle in (0, 90, 180, 270)])
    skin = np.array([[230, 190, 165], [160, 108, 80], [92, 60, 46]]) / 255
    parts = {
        "white": np.ones((1, 3)),
        "grey": greys,
        "black": np.zeros((1, 3)),
        "ramp": np.concatenate([full, 1 - (1 - full) * 0.5]),
        "near-neutral": near,
        "skin": skin,
        "mixed": np.array([[0.75, 0.5, 0.2]]),
    }
    return _ordered("quick", "Quick chart", parts, a4_layout(6, 5, 30.0, 4.0), mark_set=3, seed=5)


def target_chart() -> Chart:
    """Return the characterisation target: 900 patches on two A4 pages.

    A 9 x 9 x 9 lattice spaced for ink, a grey ramp of 33, near-neutrals, and shadows.
    """
    axis = np.array([0, 24, 52, 84, 118, 152, 186, 220, 255]) / 255
    greys = np.repeat(np.linspace(0, 1, 33)[:, None], 3, 1)[1:-1]
    near = []
    for level in np.linspace(0.08, 0.94, 13):
        for angle in range(0, 360, 60):
            turn = np.radians(angle + np.array([0, 120, 240]))
            near.append(np.clip(level + 0.05 * np.cos(turn), 0, 1))
    rng = np.random.default_rng(2)
    shadows = rng.random((62, 3)) ** 2.2
    parts = {"lattice": _lattice(axis), "grey": greys, "near-neutral": np.array(near), "shadow": shadows}
    return _ordered("target", "Characterisation target", parts, a4_layout(18, 25, 10.0, 1.8), mark_set=1, seed=3)


CHARTS = {"quick": quick_chart, "control": control_chart, "target": target_chart}


def to_table(chart: Chart) -> Table:
    """Return a chart's definition as a CGATS table; `from_table` reads it back."""
    layout = chart.layout
    numbers = (
        *layout.page,
        layout.columns,
        layout.rows,
        layout.pitch,
        layout.patch,
        layout.left,
        layout.top,
        layout.mark,
        *layout.frame,
    )
    keywords = {
        "ORIGINATOR": "Fidele",
        "DESCRIPTOR": chart.title,
        "FIDELE_CHART": chart.name,
        "FIDELE_MARK_SET": str(chart.mark_set),
        "FIDELE_LAYOUT_MM": " ".join(f"{n:g}" for n in numbers),
    }
    columns = {f"RGB_{c}": chart.rgb[:, i] * 255 for i, c in enumerate("RGB")}
    return Table(chart.ids, columns, keywords, {"SAMPLE_NAME": chart.families})


def from_table(table: Table, name: str) -> Chart:
    """Read a chart's definition.

    Raises
    ------
    FideleError
        When the table is not the definition of a chart.
    """
    try:
        n = [float(v) for v in table.keywords["FIDELE_LAYOUT_MM"].split()]
        layout = Layout((n[0], n[1]), int(n[2]), int(n[3]), n[4], n[5], n[6], n[7], n[8], (n[9], n[10], n[11], n[12]))
        mark_set = int(table.keywords["FIDELE_MARK_SET"])
        sane = 0 < layout.columns <= 200 and 0 < layout.rows <= 200 and 1 <= layout.patch <= layout.pitch <= 200
        if not sane or not 0 <= mark_set < MARK_SETS or not all(np.isfinite(n)):
            raise ValueError
    except (KeyError, ValueError, IndexError):
        raise FideleError(f"{name} is not a chart definition: it does not say how its patches are laid out.") from None
    families = table.texts.get("SAMPLE_NAME", ("",) * len(table.ids))
    title = table.keywords.get("DESCRIPTOR", "Chart")
    return Chart(
        table.keywords.get("FIDELE_CHART", "chart"), title, table.ids, table.RGB / 255, families, layout, mark_set
    )
