"""A dozen colours that an eye goes by, as they are wanted, as they come out now, and as they will."""

from __future__ import annotations

import numpy as np

from fidele.arrays import Floats
from fidele.dataclass import dataclass
from fidele.language import tr

#: Colours that are shown, in sRGB.
SHOWN = (
    (tr("skin"), (224, 172, 140)),
    (tr("sky"), (120, 170, 215)),
    (tr("leaf"), (90, 130, 60)),
    (tr("red"), (205, 30, 40)),
    (tr("orange"), (240, 140, 30)),
    (tr("yellow"), (245, 215, 40)),
    (tr("green"), (0, 150, 80)),
    (tr("blue"), (30, 60, 160)),
    (tr("violet"), (110, 50, 140)),
    (tr("light grey"), (190, 190, 190)),
    (tr("dark grey"), (70, 70, 70)),
    (tr("black"), (0, 0, 0)),
)
#: The same, (n, 3) from 0 to 1.
SHOWN_RGB = np.array([rgb for _, rgb in SHOWN]) / 255.0


@dataclass(frozen=True, eq=False)
class Pairs:
    """L*a*b* (n, 3) of the shown colours: what they are to look like, as they come out now, and as they then will."""

    wanted: Floats
    now: Floats
    then: Floats
