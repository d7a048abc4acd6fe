"""Balance without a profile: curves that make greys neutral and tones even, from a page printed as the driver does it.

What the page says is fitted around the grey axis; at each level those numbers are looked for that print the wanted
grey. A second page, printed through the first curves, is added to the first: the fit is then best where it matters.
"""

from __future__ import annotations

import numpy as np

from fidele.arrays import Floats
from fidele.characterise.fit import fit
from fidele.dataclass import dataclass
from fidele.icc.solve import solve
from fidele.icc.spaces import srgb
from fidele.icc.transform import to_lab
from fidele.tuning.balance import Balance

#: Levels of the curves, from 0 to 1.
NODES = 33
#: Below this share of tone a grey may lean toward the printer's black, which is what its inks make of it.
_DARK = 0.16
#: Numbers of a curve may turn by no more than so much from level to level: what a page says of one is noisy.
_SMOOTH = 0.6


@dataclass(frozen=True, eq=False)
class Balanced:
    """Curves, and what they are expected to print.

    Attributes
    ----------
    greys
        (n, 3) L*a*b*, relative to the media's white, of greys at even levels through the curves, as the fit has it.
    wanted
        (n, 3) what was aimed at.
    before
        (n, 3) what the same greys print without curves.
    error
        The fit's own error, mean ΔE00, from patches that took no part.
    """

    balance: Balance
    greys: Floats
    wanted: Floats
    before: Floats
    error: float


def aimed(levels: Floats, black: Floats) -> Floats:
    """Return the L*a*b* (n, 3) wanted of greys at levels (n,): neutral, with the steps of the picture on the screen.

    `black` (3,) is the darkest that the printer has; the greys next to it lean as it does.
    """
    seen = to_lab(np.repeat(np.asarray(levels, np.float32)[:, None], 3, 1), srgb())[:, 0].astype(float)
    lean = np.clip(1 - np.asarray(levels) / _DARK, 0, 1)[:, None] ** 2
    return np.concatenate([(black[0] + seen * (100 - black[0]) / 100)[:, None], lean * black[1:]], axis=1)


def balance(rgb: Floats, Lab: Floats) -> Balanced:
    """Find curves from what was sent, RGB (n, 3), and what it printed, L*a*b* (n, 3) relative to the media's white.

    Pages that were printed through earlier curves are added with what was really sent for each patch.

    Raises
    ------
    FideleError
        When there are too few patches.
    """
    model = fit(rgb, Lab)
    levels = np.linspace(0, 1, NODES)
    black = Lab[int(rgb.sum(axis=1).argmin())]
    wanted = aimed(levels, black)
    # The level that prints the wanted lightness already is where the search begins.
    ramp = np.linspace(0, 1, 256)
    light = np.maximum.accumulate(model(np.repeat(ramp[:, None], 3, 1))[:, 0])
    start = np.repeat(np.interp(wanted[:, 0], light, ramp)[:, None], 3, 1)
    found = solve(model, wanted, start, iterations=40).device
    found[0], found[-1] = 0.0, 1.0
    curves = np.stack([_even(levels, found[:, c]) for c in range(3)], axis=1)
    made = Balance(red=tuple(curves[:, 0]), green=tuple(curves[:, 1]), blue=tuple(curves[:, 2]))
    fine = np.linspace(0, 1, 33)
    neutral = np.repeat(fine[:, None], 3, 1)
    return Balanced(made, model(made(neutral)), aimed(fine, black), model(neutral), model.stated.mean)


def _even(levels: Floats, values: Floats) -> Floats:
    """Return a curve through noisy values (n,) that rises, keeps its ends, and turns no more than it must."""
    count = len(levels)
    second = np.diff(np.eye(count), 2, axis=0)
    weight = np.ones(count)
    weight[[0, -1]] = 1e4
    smooth = np.linalg.solve(np.diag(weight) + _SMOOTH * second.T @ second, weight * values)
    smooth[0], smooth[-1] = values[0], values[-1]
    return np.minimum(np.maximum.accumulate(np.clip(smooth, 0, 1)), values[-1])
