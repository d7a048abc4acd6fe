"""Balance without a profile: curves that make greys neutral and tones even, from a page printed as the driver does it.

What the page says is fitted around the grey axis; at each level those numbers are looked for that print the wanted
grey. A second page, printed through the first curves, is added to the first: the fit is then best where it matters.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import cached_property

import numpy as np

from fidele.arrays import Floats
from fidele.characterise.fit import Fit, fit
from fidele.colour.difference import delta_e_2000
from fidele.colour.uniform import lab_to_din99o
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
#: Knots of a curve that is drawn toward another print, and what its bends count beside colours.
_KNOTS, _CALM = 9, 0.3


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
    #: Where another print is the aim: mean ΔE00 of the page beside it, without curves and as is to be expected.
    apart: tuple[float, float] | None = None


@dataclass(frozen=True, eq=False)
class Other:
    """Another print that is the aim: the page's L*a*b* (n, 3) by its RGB (n, 3), relative to its own white."""

    rgb: Floats
    Lab: Floats

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
        lean = np.clip(1 - np.asarray(levels) / _DARK, 0, 1)[:, None] ** 2
        return np.concatenate([lifted[:, None], (1 - lean) * seen[:, 1:] + lean * black[1:]], axis=1)

    def apart(self, prints: Callable[[Floats], Floats]) -> float:
        """Return the mean ΔE00 between this print of the page and another printer's (RGB to L*a*b*)."""
        return float(delta_e_2000(self.printed(self.rgb), prints(self.rgb)).mean())


def aimed(levels: Floats, black: Floats) -> Floats:
    """Return the L*a*b* (n, 3) wanted of greys at levels (n,): neutral, with the steps of the picture on the screen.

    `black` (3,) is the darkest that the printer has; the greys next to it lean as it does.
    """
    seen = to_lab(np.repeat(np.asarray(levels, np.float32)[:, None], 3, 1), srgb())[:, 0].astype(float)
    lean = np.clip(1 - np.asarray(levels) / _DARK, 0, 1)[:, None] ** 2
    return np.concatenate([(black[0] + seen * (100 - black[0]) / 100)[:, None], lean * black[1:]], axis=1)


def balance(rgb: Floats, Lab: Floats, like: Other | None = None) -> Balanced:
    """Find curves from what was sent, RGB (n, 3), and what it printed, L*a*b* (n, 3) relative to the media's white.

    Pages that were printed through earlier curves are added with what was really sent for each patch. The aim is
    neutral, with the picture's own steps, or `like` another print.

    Raises
    ------
    FideleError
        When there are too few patches.
    """
    model = fit(rgb, Lab)
    levels = np.linspace(0, 1, NODES)
    black = Lab[int(rgb.sum(axis=1).argmin())]
    aim = aimed if like is None else like.aimed
    wanted = aim(levels, black)
    # The level that prints the wanted lightness already is where the search begins.
    ramp = np.linspace(0, 1, 256)
    light = np.maximum.accumulate(model(np.repeat(ramp[:, None], 3, 1))[:, 0])
    start = np.repeat(np.interp(wanted[:, 0], light, ramp)[:, None], 3, 1)
    found = solve(model, wanted, start, iterations=40).device
    found[0], found[-1] = 0.0, 1.0
    curves = np.stack([_even(levels, found[:, c]) for c in range(3)], axis=1)
    if like is not None:
        curves = _nearest(curves, model, like)
    made = Balance(red=tuple(curves[:, 0]), green=tuple(curves[:, 1]), blue=tuple(curves[:, 2]))
    fine = np.linspace(0, 1, 33)
    neutral = np.repeat(fine[:, None], 3, 1)
    apart = None
    if like is not None:
        now, then = like.apart(model), like.apart(lambda page: model(made(page)))
        apart = now, float(np.hypot(then, model.stated.mean))
    return Balanced(made, model(made(neutral)), aim(fine, black), model(neutral), model.stated.mean, apart)


def _nearest(curves: Floats, model: Fit, like: Other) -> Floats:
    """Return rising curves (n, 3) by which the whole page comes nearest to another print; begun from given ones.

    Another printer's colours lie elsewhere than its greys alone tell, and its black may be lighter than this one's.
    """
    from scipy.interpolate import PchipInterpolator
    from scipy.optimize import least_squares

    levels, knots = np.linspace(0, 1, len(curves)), np.linspace(0, 1, _KNOTS)
    aim = lab_to_din99o(like.printed(like.rgb))

    def curved(steps: Floats) -> Floats:
        rises = np.cumsum(np.exp(steps.reshape(_KNOTS, 3)), axis=0)  # the first one is where the curve begins
        at = rises / rises[-1]
        made = np.stack([PchipInterpolator(knots, at[:, c])(levels) for c in range(3)], axis=1)
        return np.asarray(np.clip(made, 0, 1))

    def off(steps: Floats) -> Floats:
        made = curved(steps)
        sent = np.stack([np.interp(like.rgb[:, c], levels, made[:, c]) for c in range(3)], axis=1)
        bends = np.diff(steps.reshape(_KNOTS, 3)[1:], axis=0)
        return np.concatenate([(lab_to_din99o(model(sent)) - aim).ravel(), _CALM * bends.ravel()])

    best, start = curves, None
    plain = np.linspace(0, 1, len(curves))[:, None] * np.ones(3)
    for given in (curves, plain):
        at = np.stack([np.interp(knots, levels, given[:, c]) for c in range(3)], axis=1)
        rises = np.diff(np.concatenate([np.zeros((1, 3)), at]), axis=0)
        found = least_squares(off, np.log(np.maximum(rises, 1e-4)).ravel(), max_nfev=40)
        if start is None or found.cost < start:
            best, start = curved(found.x), found.cost
    return np.maximum.accumulate(best)


def _even(levels: Floats, values: Floats) -> Floats:
    """Return a curve through noisy values (n,) that rises, keeps its ends, and turns no more than it must."""
    count = len(levels)
    second = np.diff(np.eye(count), 2, axis=0)
    weight = np.ones(count)
    weight[[0, -1]] = 1e4
    smooth = np.linalg.solve(np.diag(weight) + _SMOOTH * second.T @ second, weight * values)
    smooth[0], smooth[-1] = values[0], values[-1]
    return np.minimum(np.maximum.accumulate(np.clip(smooth, 0, 1)), values[-1])
