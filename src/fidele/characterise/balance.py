"""Balance without a profile: curves that make greys neutral and tones even, from a page printed as the driver does it.

What the page says is fitted around the grey axis; at each level those numbers are looked for that print the wanted
grey. A second page, printed through the first curves, is added to the first: the fit is then best where it matters.
"""

from __future__ import annotations

import numpy as np

from fidele.arrays import Floats
from fidele.characterise.aims import Look, aimed, on_screen
from fidele.characterise.fit import CALM, Fit, Model, fit
from fidele.characterise.shifts import shifted_toward
from fidele.chart.family import made as family
from fidele.colour.difference import delta_e_2000
from fidele.colour.uniform import lab_to_din99o
from fidele.dataclass import dataclass
from fidele.icc.solve import solve
from fidele.tuning.balance import Balance

#: Levels of the curves, from 0 to 1.
NODES = 33
#: Numbers of a curve may turn by no more than so much from level to level: what a page says of one is noisy.
_SMOOTH = 0.6
#: Knots of a curve that is drawn toward a look, what its bends count beside colours, and what a mix counts.
_KNOTS, _CALM_CURVES, _CALM_MIX = 9, 0.3, 3.0
#: What colours count that lie between those of the page: both prints are guessed there.
_BETWEEN = 0.3
#: The shares of a mix that are free are those of the two other channels; each is no more than so much.
_MOST_MIX = 0.8
_OTHERS = ~np.eye(3, dtype=bool)


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
    prints
        What the printer makes of numbers that it is sent, as the fit has it: L*a*b* (n, 3) of RGB (n, 3).
    error
        Its own error, mean ΔE00, from patches that took no part.
    """

    balance: Balance
    greys: Floats
    wanted: Floats
    before: Floats
    prints: Fit
    error: float
    #: Where a look is the aim: mean ΔE00 of its colours from it, without curves and as is to be expected.
    apart: tuple[float, float] | None = None


def balance(rgb: Floats, Lab: Floats, look: Look | None = None, as_sent: Model = lambda rgb: rgb) -> Balanced:
    """Find curves from what was sent, RGB (n, 3), and what it printed, L*a*b* (n, 3) relative to the media's white.

    Pages that were printed through earlier curves are added with what was really sent for each patch. The aim is
    neutral, with the picture's own steps, or a `look`; colours are then turned as well. `as_sent` makes of a picture's
    sRGB the numbers of the space that is sent, before any curves.

    Raises
    ------
    FideleError
        When there are too few patches.
    """
    model = fit(rgb, Lab)
    levels, fine = np.linspace(0, 1, NODES), np.linspace(0, 1, 257)
    asked = np.interp(levels, as_sent(np.repeat(fine[:, None], 3, 1))[:, 1], fine)
    black = Lab[int(rgb.sum(axis=1).argmin())]
    aim = aimed if look is None else look.aimed
    wanted = aim(asked, black)
    # The level that prints the wanted lightness already is where the search begins.
    ramp = np.linspace(0, 1, 256)
    light = np.maximum.accumulate(model(np.repeat(ramp[:, None], 3, 1))[:, 0])
    start = np.repeat(np.interp(wanted[:, 0], light, ramp)[:, None], 3, 1)
    found = solve(model, wanted, start, iterations=40).device
    found[0], found[-1] = 0.0, 1.0
    made = _with_curves(np.stack([_even(levels, found[:, c]) for c in range(3)], axis=1))
    apart = None
    if look is not None:
        # Pages lie along greys: what colours become between them is asked of surfaces that do not run away.
        model = fit(rgb, Lab, like=on_screen, kernels=CALM)
        sent, goal = as_sent(look.rgb), look.wanted(look.rgb, black)
        counts = np.where(np.ptp(look.rgb, axis=1) < 1e-6, look.greys, 1.0)
        made = _nearest(made, model, sent, goal, counts)
        between = np.concatenate([family("families").rgb, _lattice(4)])
        made = shifted_toward(
            made,
            model,
            np.concatenate([sent, as_sent(between)]),
            np.concatenate([goal, look.wanted(between, black)]),
            np.append(counts, np.full(len(between), _BETWEEN)),
        )
        now, then = (float(delta_e_2000(goal, model(numbers)).mean()) for numbers in (sent, made(sent)))
        apart = now, float(np.hypot(then, model.stated.mean))
    neutral = np.repeat(levels[:, None], 3, 1)
    return Balanced(made, model(made(neutral)), wanted, model(neutral), model, model.stated.mean, apart)


def _lattice(size: int) -> Floats:
    axis = np.linspace(0, 1, size)
    return np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1).reshape(-1, 3)


def _with_curves(curves: Floats, mixing: Floats | None = None) -> Balance:
    red, green, blue = (tuple(curve) for curve in curves.T.tolist())
    return Balance(red=red, green=green, blue=blue, mixing=None if mixing is None else mixing.tolist())


def _nearest(given: Balance, model: Fit, sent: Floats, wanted: Floats, counts: Floats) -> Balance:
    """Return rising curves and a mix by which numbers (n, 3) come nearest to the L*a*b* (n, 3) wanted of them.

    Each of them counts so much (n,). Given curves are where it begins: another print's colours lie elsewhere than its
    greys alone tell, and its black may be lighter than this one's.
    """
    from scipy.interpolate import PchipInterpolator
    from scipy.optimize import least_squares

    levels, knots = np.linspace(0, 1, NODES), np.linspace(0, 1, _KNOTS)
    goal = lab_to_din99o(wanted)
    bent = 3 * _KNOTS

    def made(steps: Floats) -> Balance:
        rises = np.cumsum(np.exp(steps[:bent].reshape(_KNOTS, 3)), axis=0)  # the first one is where the curve begins
        at = rises / rises[-1]
        curves = np.stack([PchipInterpolator(knots, at[:, c])(levels) for c in range(3)], axis=1)
        mixing = np.zeros((3, 3))
        mixing[_OTHERS] = steps[bent:]
        mixing[np.diag_indices(3)] = 1 - mixing.sum(axis=1)
        return _with_curves(np.clip(curves, 0, 1), mixing)

    def off(steps: Floats) -> Floats:
        bends = np.diff(steps[:bent].reshape(_KNOTS, 3)[1:], axis=0)
        apart = counts[:, None] * (lab_to_din99o(model(made(steps)(sent))) - goal)
        return np.concatenate([apart.ravel(), _CALM_CURVES * bends.ravel(), _CALM_MIX * steps[bent:]])

    starts = []
    plain = np.linspace(0, 1, NODES)[:, None] * np.ones(3)
    for curves in (np.stack([given.red, given.green, given.blue], axis=1), plain):
        at = np.stack([np.interp(knots, levels, curves[:, c]) for c in range(3)], axis=1)
        rises = np.log(np.maximum(np.diff(at, axis=0, prepend=0.0), 1e-4))
        starts.append(np.append(rises.ravel(), np.zeros(6)))
    start = min(starts, key=lambda one: np.abs(off(one)).sum())
    most = np.append(np.full(bent, np.inf), np.full(6, _MOST_MIX))
    # Colours that this printer does not have are not to pull at those that it has.
    return made(least_squares(off, start, max_nfev=40, loss="soft_l1", bounds=(-most, most)).x)


def _even(levels: Floats, values: Floats) -> Floats:
    """Return a curve through noisy values (n,) that rises, keeps its ends, and turns no more than it must."""
    count = len(levels)
    second = np.diff(np.eye(count), 2, axis=0)
    weight = np.ones(count)
    weight[[0, -1]] = 1e4
    smooth = np.linalg.solve(np.diag(weight) + _SMOOTH * second.T @ second, weight * values)
    smooth[0], smooth[-1] = values[0], values[-1]
    return np.minimum(np.maximum.accumulate(np.clip(smooth, 0, 1)), values[-1])
