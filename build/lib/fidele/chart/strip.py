"""The control strip: a row of patches along the edge of a sheet, read by the same marks and code as any chart."""

from __future__ import annotations

from functools import cache

import numpy as np

from fidele.chart.definition import Chart
from fidele.chart.layout import Layout
from fidele.language import tr

STRIP = "strip"
#: Width and height of the strip in mm.
SIZE = (186.0, 20.0)
_MARK, _PITCH, _PATCH = 9.0, 6.6, 5.4


@cache
def strip_chart() -> Chart:
    """Return the control strip: greys, solids, half tones of primaries and secondaries, skin-like tones.

    Its patches stand in one row between the upper marks; code and small print stand beneath.
    """
    greys = np.array([255, 232, 200, 160, 112, 64, 0])[:, None].repeat(3, axis=1)
    solids = np.array([[0, 0, 255], [0, 255, 0], [255, 0, 0], [0, 255, 255], [255, 0, 255], [255, 255, 0]])
    halves = 255 - (255 - solids) // 2
    skin = np.array([[230, 190, 165], [160, 108, 80]])
    near = np.array([[128, 120, 120], [120, 120, 128], [120, 128, 120]])
    families = ["white", *["grey"] * 5, "black", *["ramp"] * 12, *["skin"] * 2, *["near-neutral"] * 3]
    rgb = np.concatenate([greys, solids, halves, skin, near]) / 255
    # Neighbours differ, so that a shift by a patch cannot be taken for a cast.
    order = np.random.default_rng(11).permutation(len(rgb))
    columns = len(rgb)
    left = (SIZE[0] - columns * _PITCH + _PITCH - _PATCH) / 2
    frame = (0.0, 0.0, *SIZE)
    layout = Layout(SIZE, columns, 1, _PITCH, _PATCH, round(left, 2), 1.6, _MARK, frame)
    ids = tuple(f"S{i + 1}" for i in range(columns))
    return Chart(STRIP, tr("Control strip"), ids, rgb[order], tuple(families[i] for i in order), layout, 10)
