"""What a print without a profile is to look like: neutral and even, like another print, or like the screen."""

from __future__ import annotations

from functools import cached_property
from typing import Protocol

import numpy as np

from fidele.arrays import Floats
from fidele.characterise.fit import Fit, fit
from fidele.chart.family import made
from fidele.dataclass import dataclass
from fidele.icc.spaces import srgb
from fidele.icc.tables import device_to_pcs_lab

#: Below this share of tone a grey may lean toward the printer's black, which is what its inks make of it.
_DARK = 0.16
#: From so much chroma on a livelier look is as lively as it says; greys stay greys.
_COLOURED = 15.0


class Look(Protocol):
    """A look of a print, of greys and of colours.

    Attributes
    ----------
    rgb
        (n, 3) numbers, before any curves, whose colours are to come near.
    greys
        What a grey counts beside a colour.
    """

    @property
    def rgb(self) -> Floats: ...

    @property
    def greys(self) -> float: ...

    def aimed(self, levels: Floats, black: Floats) -> Floats:
        """Return the L*a*b* (n, 3) wanted of greys at levels (n,), as deep as `black` (3,) allows."""

    def wanted(self, rgb: Floats, black: Floats) -> Floats:
        """Return the L*a*b* (n, 3) wanted of numbers (n, 3)."""


@dataclass(frozen=True, eq=False)
class OtherPrint:
    """Another print that is the aim: the page's L*a*b* (n, 3) by its RGB (n, 3), relative to its own white."""

    rgb: Floats
    Lab: Floats
    greys: float = 1.0

    @cached_property
    def printed(self) -> Fit:
        """What it makes of RGB (n, 3), L*a*b* (n, 3)."""
        return fit(self.rgb, self.Lab)

    def aimed(self, levels: Floats, black: Floats) -> Floats:
        """Return the L*a*b* (n, 3) wanted of greys at levels (n,): the other's, as deep as `black` (3,) allows."""
        seen = self.printed(np.repeat(np.asarray(levels, float)[:, None], 3, 1))
        deepest = self.printed(np.zeros((1, 3)))[0]
        if deepest[0] >= black[0]:
            return seen
        lifted = black[0] + (seen[:, 0] - deepest[0]) * (100 - black[0]) / (100 - deepest[0])
        lean = _lean(levels)
        return np.concatenate([lifted[:, None], (1 - lean) * seen[:, 1:] + lean * black[1:]], axis=1)

    def wanted(self, rgb: Floats, black: Floats) -> Floats:
        """Return what the other makes of RGB (n, 3), however light its black is."""
        return self.printed(rgb)


@dataclass(frozen=True, eq=False)
class Screen:
    """The picture on a screen that shows its numbers rightly, as deep as the print's black allows.

    `lively` is how much chroma colours are to have beside the screen's.
    """

    lively: float = 1.0
    greys: float = 5.0

    @cached_property
    def rgb(self) -> Floats:
        """Greys and what leans from them, and colours that pictures are made of."""
        return np.concatenate([made("neutral").rgb, made("families").rgb])

    def aimed(self, levels: Floats, black: Floats) -> Floats:
        """Return the L*a*b* (n, 3) wanted of greys at levels (n,): neutral and even."""
        return aimed(levels, black)

    def wanted(self, rgb: Floats, black: Floats) -> Floats:
        """Return what RGB (n, 3) looks like, from the print's black to its white."""
        seen = on_screen(rgb)
        coloured = np.minimum(np.hypot(*seen[:, 1:].T) / _COLOURED, 1)[:, None]
        livelier = seen[:, 1:] * (1 + (self.lively - 1) * coloured)
        lean = _lean(seen[:, 0] / 100)
        return np.concatenate([_lifted(seen[:, :1], black), livelier + lean * black[1:]], axis=1)


def aimed(levels: Floats, black: Floats) -> Floats:
    """Return the L*a*b* (n, 3) wanted of greys at levels (n,): neutral, with the steps of the picture on the screen.

    `black` (3,) is the darkest that the printer has; the greys next to it lean as it does.
    """
    seen = on_screen(np.repeat(np.asarray(levels, float)[:, None], 3, 1))[:, :1]
    return np.concatenate([_lifted(seen, black), _lean(levels) * black[1:]], axis=1)


def on_screen(rgb: Floats) -> Floats:
    """Return what RGB (n, 3) looks like on a screen that shows it rightly, L*a*b* (n, 3)."""
    return device_to_pcs_lab(srgb(), rgb)


def _lifted(lightness: Floats, black: Floats) -> Floats:
    return np.asarray(black[0] + lightness * (100 - black[0]) / 100)


def _lean(levels: Floats) -> Floats:
    return np.asarray(np.clip(1 - np.asarray(levels) / _DARK, 0, 1)[:, None] ** 2)
