"""The readiness page: whether every nozzle of every ink prints. A pattern of fine lines for the eye, steps for a scan.

It is printed with nothing converting; its colours are the purest that three numbers can ask a printer for.
"""

from __future__ import annotations

from functools import cache

import numpy as np
from numpy.typing import NDArray

from fidele.chart.code import PageCode
from fidele.chart.definition import Chart
from fidele.chart.draw import blank_page, small_print
from fidele.chart.layout import Layout
from fidele.language import tr

READINESS = "readiness"
#: The inks by name, and the numbers that ask for each alone.
INKS = {"cyan": (0.0, 1.0, 1.0), "magenta": (1.0, 0.0, 1.0), "yellow": (1.0, 1.0, 0.0), "black": (0.0, 0.0, 0.0)}
STEPS = (1.0, 0.75, 0.5, 0.25)
PAGE = (180.0, 120.0)
#: The pattern of lines: where it stands (left, top, right, bottom), in mm; lines are so thin and so far apart.
_PATTERN, _LINE, _STAIR = (72.0, 16.0, 168.0, 94.0), 0.26, 9


@cache
def readiness_chart() -> Chart:
    """Return the steps of the readiness page as a chart: a row for each ink, full strength first."""
    rgb = np.array([1 - (1 - np.array(ink)) * step for ink in INKS.values() for step in STEPS])
    layout = Layout(PAGE, len(STEPS), len(INKS), 12.0, 10.0, 16.0, 30.0, 9.0, (5.0, 5.0, 175.0, 115.0))
    ids = tuple(f"{name[0].upper()}{round(step * 100)}" for name in INKS for step in STEPS)
    return Chart(READINESS, tr("Readiness page"), ids, rgb, tuple(n for n in INKS for _ in STEPS), layout, 11)


def draw_readiness(label: str, ppi: int, code: PageCode) -> NDArray[np.uint16]:
    """Return the page as RGB (h, w, 3) uint16: steps at the left, a stair of fine lines for each ink at the right."""
    chart, scale = readiness_chart(), ppi / 25.4
    canvas = blank_page(chart.layout, chart.marks_of(0), code, ppi)
    half = chart.layout.patch / 2
    for index, centre in enumerate(chart.centres(0)):
        x0, y0 = np.round((centre - half) * scale).astype(int)
        x1, y1 = np.round((centre + half) * scale).astype(int)
        canvas[y0:y1, x0:x1] = np.round(chart.rgb[index] * 65535)
    left, top, right, bottom = _PATTERN
    high = (bottom - top) / len(INKS)
    for row, (name, ink) in enumerate(INKS.items()):
        y0 = top + row * high
        _stair(canvas, np.round(np.array(ink) * 65535), (left, y0 + 5, right, y0 + high - 3), scale)
        small_print(canvas, name, (left, y0, right, y0 + 4.5), scale)
    small_print(canvas, tr("Readiness page · {label}", label=label), chart.layout.text_box(), scale)
    return canvas


def _stair(
    canvas: NDArray[np.uint16], ink: NDArray[np.float64], box: tuple[float, float, float, float], scale: float
) -> None:
    """Draw short lines that go down step by step: each is printed by other nozzles than its neighbours."""
    left, top, right, bottom = box
    thin = max(1, round(_LINE * scale))
    rows = int((bottom - top) * scale) // (2 * thin)
    wide = (right - left) / _STAIR
    for line in range(rows):
        column = line % _STAIR
        x0, x1 = round((left + column * wide) * scale), round((left + (column + 0.94) * wide) * scale)
        y = round(top * scale) + line * 2 * thin
        canvas[y : y + thin, x0:x1] = ink
