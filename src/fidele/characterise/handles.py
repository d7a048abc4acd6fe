"""The best values of a driver's own handles: what each does to greys is learned from a print, and the sum looked for.

A driver that converts by itself has handles (lighter, warmer, more contrast …) of which nobody knows what they do. One
page under the present values, and one for each handle with that handle alone moved, tell how greys follow. Handles are
taken to add up, and each to go straight on; a print under the values that were found proves it, and is added: so are
all others that were printed by then.
"""

from __future__ import annotations

import itertools
from collections.abc import Callable

import numpy as np

from fidele.arrays import Floats
from fidele.characterise.aims import aimed
from fidele.dataclass import dataclass

#: Greys below this share of tone are as the inks make them.
_FROM = 0.1
#: Lightness counts so much beside a* and b*: the eye forgives tones sooner than casts.
_LIGHT = 0.8
#: What moving a handle over its whole range costs, in units of colour: what gains less is left alone.
_MOVING = 0.4
#: Values beyond what was printed are believed up to so many times as far from where the handle stood.
_BEYOND = 1.6


@dataclass(frozen=True, eq=False)
class Page:
    """Greys of a printed page: the handles' values (those that are not named rest), levels (n,) and L*a*b* (n, 3)."""

    values: dict[str, float]
    levels: Floats
    Lab: Floats


@dataclass(frozen=True, eq=False)
class Found:
    """The values that are proposed, and what greys are then expected to be.

    Attributes
    ----------
    values
        By handle, what it is to be set to; all that were learned.
    before, after
        L*a*b* (n, 3) of greys now and then; `wanted` is the aim.
    effects
        By handle, how far greys move when it goes over its whole range, mean of colour and lightness.
    """

    values: dict[str, float]
    levels: Floats
    before: Floats
    after: Floats
    wanted: Floats
    effects: dict[str, float]

    @staticmethod
    def figures(Lab: Floats, wanted: Floats) -> tuple[float, float]:
        """Return how greys lean (chroma, 95th percentile) and by how much L* is off at most."""
        return float(np.percentile(np.hypot(*Lab[:, 1:].T), 95)), float(np.abs(Lab[:, 0] - wanted[:, 0]).max())


def learned(pages: list[Page], names: list[str], rest: dict[str, float]) -> set[str]:
    """Return the handles of which the pages tell by themselves: those that were moved apart from all others."""
    if len(pages) < 2 or not names:
        return set()
    table = _table(pages, names, rest)
    table = table - table.mean(axis=0)
    scale = np.maximum(np.abs(table).max(axis=0), 1e-9)
    _, size, rows = np.linalg.svd(table / scale, full_matrices=False)
    told = rows[size > 1e-6 * max(size.max(), 1e-9)]
    return {name for k, name in enumerate(names) if np.abs(told[:, k] @ told - np.eye(len(names))[k]).max() < 1e-6}


def _table(pages: list[Page], names: list[str], rest: dict[str, float]) -> Floats:
    return np.array([[page.values.get(name, rest[name]) for name in names] for page in pages])


def best(
    pages: list[Page], offered: dict[str, tuple[float, ...]], now: dict[str, float], rest: dict[str, float]
) -> Found:
    """Find the handles' values under which greys are neutral and even.

    Parameters
    ----------
    pages
        Printed pages, one under the values of `now` among them.
    offered
        By handle, every value that the driver offers.
    rest
        By handle, the value that leaves colour alone: what a page does not name stands there.

    Raises
    ------
    ValueError
        When no page was printed under the present values.
    """
    here = {name: now.get(name, rest[name]) for name in offered}
    names = sorted(learned(pages, list(offered), rest))
    table, present = _table(pages, list(offered), rest), np.array([here[name] for name in offered])
    mine = np.flatnonzero((table == present).all(axis=1))
    if not len(mine):
        raise ValueError("no page under the present values")
    base = pages[int(mine[0])]
    judged = base.levels >= _FROM
    levels = base.levels[judged]
    wanted, before = aimed(levels, base.Lab[int(base.levels.argmin())]), base.Lab[judged]
    # A page of another day has other levels where a patch could not be read.
    seen = [np.stack([np.interp(levels, p.levels, p.Lab[:, c]) for c in range(3)], axis=1) for p in pages]
    change = np.stack(seen).reshape(len(pages), -1) - np.mean(seen, axis=0).ravel()
    moved = table - table.mean(axis=0)
    slopes = np.linalg.lstsq(moved, change, rcond=1e-6)[0].reshape(len(offered), *before.shape)
    slope = {name: slopes[list(offered).index(name)] for name in names}
    choices: dict[str, list[float]] = {}
    for name in names:
        tried = table[:, list(offered).index(name)]
        ends = min(tried.min(), here[name]), max(tried.max(), here[name])
        low, high = (here[name] + _BEYOND * (end - here[name]) for end in ends)
        if tried.min() >= here[name] or tried.max() <= here[name]:
            # The other way it is believed as far as this way was printed.
            far = float(np.abs(tried - here[name]).max())
            low, high = min(low, here[name] - far), max(high, here[name] + far)
        choices[name] = [v for v in offered[name] if low <= v <= high] or [here[name]]
    span = {name: max(offered[name]) - min(offered[name]) or 1.0 for name in names}

    def printed(chosen: dict[str, float]) -> Floats:
        return before + sum(((v - here[name]) * slope[name] for name, v in chosen.items()), np.zeros_like(before))

    def cost(chosen: dict[str, float]) -> float:
        off = printed(chosen) - wanted
        moving = sum(abs(v - here[name]) / span[name] for name, v in chosen.items())
        return float(np.sqrt((off**2 * [_LIGHT**2, 1, 1]).sum(axis=1)).mean() + _MOVING * moving)

    starts = [{name: here[name] for name in names}]
    # Two handles can undo each other: begin from where either of two has moved as well.
    starts += [starts[0] | {a: choices[a][0], b: choices[b][-1]} for a, b in itertools.permutations(names, 2)]
    chosen = min((_descended(start, choices, cost) for start in starts), key=cost)
    effects = {name: float(np.linalg.norm(slope[name], axis=1).mean()) * span[name] for name in names}
    return Found(here | chosen, levels, before, printed(chosen), wanted, effects)


def _descended(
    start: dict[str, float], choices: dict[str, list[float]], cost: Callable[[dict[str, float]], float]
) -> dict[str, float]:
    """Move one handle after the other to its best value until none moves any more."""
    here = dict(start)
    while True:
        before = dict(here)
        for name, some in choices.items():
            here[name] = min(some, key=lambda value, name=name: cost(here | {name: value}))  # type: ignore[misc]
        if here == before:
            return here
