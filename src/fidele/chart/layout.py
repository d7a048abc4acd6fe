"""Where things stand on a chart's page, in millimetres."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Floats
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.language import tr

#: Sizes of sheets, and of flat blanks, that charts can be laid out for: width and height in mm, and whether round.
PAGES: dict[str, tuple[float, float, bool]] = {
    "A5": (148.0, 210.0, False),
    "A4": (210.0, 297.0, False),
    "A3": (297.0, 420.0, False),
    "tile 200 x 150": (200.0, 150.0, False),
    "tile 108": (108.0, 108.0, False),
    "coaster 100, round": (100.0, 100.0, True),
    "mug 200 x 85": (200.0, 85.0, False),
}


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

    def numbers(self) -> tuple[float, ...]:
        """Return all of it as thirteen numbers."""
        sizes = (self.columns, self.rows, self.pitch, self.patch, self.left, self.top, self.mark)
        return (*self.page, *sizes, *self.frame)

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

    def outer_corners(self) -> Floats:
        """Return the four outer corners (4, 2) of the frame, clockwise from the upper left."""
        left, top, right, bottom = self.frame
        return np.array([[left, top], [right, top], [right, bottom], [left, bottom]])

    def code_box(self) -> tuple[float, float, float, float]:
        """Return left, top, right and bottom edge of the square code that says which page it is."""
        left, _, _, bottom = self.frame
        return left + self.mark + 3, bottom - self.mark, left + 2 * self.mark + 3, bottom

    def text_box(self) -> tuple[float, float, float, float]:
        """Return left, top, right and bottom edge of where the small print stands."""
        _, _, right, bottom = self.frame
        return self.code_box()[2] + 2, bottom - self.mark, right - self.mark - 2, bottom

    def white_places(self) -> Floats:
        """Return places (n, 2) of bare substrate: where the gaps between patches cross."""
        gap = self.pitch - self.patch
        x = self.left - gap / 2 + self.pitch * np.arange(self.columns + 1)
        y = self.top - gap / 2 + self.pitch * np.arange(self.rows + 1)
        return np.stack(np.meshgrid(x, y), axis=-1).reshape(-1, 2)


def laid_out(page: tuple[float, float], count: int, patch: float, gap: float, round_blank: bool = False) -> Layout:
    """Lay out patches of `patch` mm with `gap` mm of white between them, as many on a page as it holds.

    On a round blank they stand in the square that it holds; the marks stand in that square's corners.

    Raises
    ------
    FideleError
        When not even six patches go on a page.
    """
    small = min(page) < 130
    mark = 9.0 if small else 14.0
    edge = (5.0, 5.0) if small else (12.0, 9.0)
    if round_blank:
        inset = min(page) / 2 * (1 - 0.5**0.5) + 1.5
        edge = (inset, inset)
    whole = (edge[0], edge[1], page[0] - edge[0], page[1] - edge[1] - (0 if small else 2))
    frame = (round(whole[0], 2), round(whole[1], 2), round(whole[2], 2), round(whole[3], 2))
    pitch = patch + gap
    wide, high = frame[2] - frame[0], frame[3] - frame[1] - 2 * (mark + 2.5)
    columns, most = int((wide + gap + 1e-6) // pitch), int((high + gap + 1e-6) // pitch)
    if columns < 2 or columns * most < 6:
        raise FideleError(
            tr(
                "Patches of {patch:g} mm are too large for a page of {page:g} x {page2:g} mm; choose smaller ones.",
                patch=patch,
                page=page[0],
                page2=page[1],
            )
        )
    pages = -(-count // (columns * most))
    on_one = -(-count // pages)
    rows = min(most, -(-on_one // columns))
    left = round((frame[0] + frame[2]) / 2 - (columns * pitch - gap) / 2, 2)
    top = round((frame[1] + frame[3]) / 2 - (rows * pitch - gap) / 2, 2)
    return Layout(page, columns, rows, pitch, patch, left, top, mark, frame)


def a4_layout(columns: int, rows: int, pitch: float, gap: float) -> Layout:
    """Centre a grid on A4 between the marks, inside 8 mm margins."""
    frame = (12.0, 9.0, 198.0, 286.0)
    left = round(105 - (columns * pitch - gap) / 2, 2)
    top = round((frame[1] + frame[3]) / 2 - (rows * pitch - gap) / 2, 2)
    return Layout((210.0, 297.0), columns, rows, pitch, pitch - gap, left, top, 14.0, frame)
