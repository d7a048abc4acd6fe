"""Pages for printers that take inks: ramps that tell how much ink is of use, and a target of four inks.

Amounts are area coverages of cyan, magenta, yellow and black, 0 to 1, as files state them.
"""

from __future__ import annotations

from collections.abc import Callable
from itertools import product

import numpy as np

from fidele.arrays import Floats
from fidele.chart.definition import Chart
from fidele.chart.family import farthest, named_by_place
from fidele.chart.layout import PAGES, Layout, laid_out
from fidele.errors import FideleError
from fidele.language import tr

#: Places of inks (n, 4), 0 to 1, to amounts (n, 4) that may be printed: `characterise.ink_setup`.
Allowed = Callable[[Floats], Floats]
#: Names in `Chart.name`.
RAMPS, TARGET = "ink-ramps", "ink-target"
#: Steps of each ink alone: closer in the lights, where dots grow, and at the end, where more ink stops to show.
_STEPS = np.array([3, 6, 10, 15, 20, 30, 40, 50, 60, 70, 80, 85, 90, 95, 100]) / 100
#: So many are a target, and so many the largest.
FEWEST, MOST = 200, 2000
#: Where a target is not told better, so much of all inks together is printed.
_TOTAL = 3.0
#: Of what is chosen from a target's patches so many times as many are there.
_AMONG = 9


def ramp_page(page: str = "A4") -> Chart:
    """Return the page that is printed first: each ink alone, and all of them together up to 400 %.

    Raises
    ------
    FideleError
        When there is no such page, or it is too small.
    """
    even = np.linspace(0, 1, 15)[:, None]
    parts = [np.zeros((3, 4))] + [_STEPS[:, None] * np.eye(4)[ink] for ink in range(4)]
    parts += [np.concatenate([np.repeat(even, 3, axis=1), np.full_like(even, black)], axis=1) for black in (0.0, 1.0)]
    return _chart(RAMPS, tr("Ink ramps"), np.concatenate(parts), page, 11.0, 7)


def ink_target(count: int, allowed: Allowed | None = None, page: str = "A4") -> Chart:
    """Return a target of so many patches.

    Ramps of each ink and of greys, all inks on and off, and the rest spread evenly, the edges of what inks can do
    among them. `allowed` says what may be printed; without it all inks together stay within 300 %.

    Raises
    ------
    FideleError
        When the count is out of range, or there is no such page.
    """
    if not FEWEST <= count <= MOST:
        raise FideleError(
            tr("{count} patches: a target of inks has {fewest} to {most}.", count=count, fewest=FEWEST, most=MOST)
        )
    may = allowed or within(_TOTAL)
    step = np.linspace(0, 1, 11)[1:, None]
    parts = [np.zeros((4, 4)), np.array(list(product((0.0, 1.0), repeat=4)))]
    parts += [step * np.eye(4)[ink] for ink in range(4)]
    parts += [np.concatenate([np.repeat(step, 3, axis=1), np.full_like(step, black)], axis=1) for black in (0.0, 1.0)]
    fixed = np.concatenate(parts)
    rng = np.random.default_rng(count)
    inside, edge = rng.random((_AMONG * count * 2 // 3, 4)), rng.random((_AMONG * count // 3, 4))
    # Most colours of pictures have no black, or little.
    inside[:, 3] = np.where(rng.random(len(inside)) < 0.35, 0, inside[:, 3] ** 1.3)
    edge = np.where(rng.random(edge.shape) < 0.4, np.round(edge), edge)
    known, some = (np.unique(np.round(may(values), 4), axis=0) for values in (fixed, np.concatenate([inside, edge])))
    # The bare media stands three times more: it is what all else is held against.
    known = np.concatenate([known, np.zeros((3, 4))])
    rest = some[farthest(some, known, count - len(known))]
    return _chart(TARGET, tr("Ink target"), np.concatenate([known, rest]), page, 8.2, 8)


def within(total: float) -> Allowed:
    """Return what reduces colours alike until all inks together are within a total, 1 for one full ink."""

    def allowed(places: Floats) -> Floats:
        room = (total - places[:, 3:]) / np.maximum(places[:, :3].sum(axis=1, keepdims=True), 1e-9)
        return np.concatenate([places[:, :3] * np.minimum(room, 1), places[:, 3:]], axis=1)

    return allowed


def _chart(name: str, title: str, amounts: Floats, page: str, patch: float, seed: int) -> Chart:
    if page not in PAGES:
        raise FideleError(tr("There is no page '{page}'; there is {pages}.", page=page, pages=", ".join(PAGES)))
    width, height, is_round = PAGES[page]
    layout: Layout = laid_out((width, height), len(amounts), patch, max(1.2, 0.15 * patch), is_round)
    order = np.random.default_rng(seed).permutation(len(amounts))
    inks = np.round(amounts[order] * 10_000) / 10_000
    families = ("ramp",) * len(amounts) if name == RAMPS else ("lattice",) * len(amounts)
    # Apart from those of the target: both are measurements of one printer, and can be put together.
    mark = "R." if name == RAMPS else ""
    ids = tuple(mark + sample for sample in named_by_place(len(inks), layout))
    return Chart(name, title, ids, on_screen(inks), families, layout, 2, inks=inks)


def on_screen(amounts: Floats) -> Floats:
    """Return RGB (n, 3) that stands for amounts of ink (n, 4) in a list: what light they leave, no more."""
    return np.asarray((1 - amounts[:, :3]) * (1 - amounts[:, 3:]))
