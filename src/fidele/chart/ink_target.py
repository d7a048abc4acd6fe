"""Pages for printers that take inks: ramps that tell how much ink is of use, and a target of all of them.

Amounts are area coverages of cyan, magenta, yellow, black and further inks, 0 to 1, as files state them.
"""

from __future__ import annotations

from collections.abc import Callable
from itertools import product

import numpy as np

from fidele.arrays import Floats
from fidele.chart.definition import Chart
from fidele.chart.family import farthest, named_by_place
from fidele.chart.ink_set import BLACK, PROCESS, InkSet
from fidele.chart.layout import PAGES, Layout, laid_out
from fidele.errors import FideleError
from fidele.language import tr

#: Places of inks (n, k), 0 to 1, to amounts (n, k) that may be printed: `characterise.ink_setup`.
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


def ramp_page(page: str = "A4", inks: InkSet | None = None) -> Chart:
    """Return the page that is printed first: each ink alone, and all of them together up to 400 %.

    Raises
    ------
    FideleError
        When there is no such page, or it is too small.
    """
    of, even = inks or InkSet(), np.linspace(0, 1, 15)[:, None]
    parts = [np.zeros((3, len(of)))] + [_STEPS[:, None] * one for one in np.eye(len(of))]
    parts += [_together(even, black, len(of)) for black in (0.0, 1.0)]
    return _chart(RAMPS, tr("Ink ramps"), np.concatenate(parts), page, 11.0, 7, of)


def _together(even: Floats, black: float, count: int) -> Floats:
    """Return equal amounts (n, 1) of cyan, magenta and yellow with so much black, of so many inks (n, count)."""
    amounts = np.zeros((len(even), count))
    amounts[:, :BLACK], amounts[:, BLACK] = even, black
    return amounts


def ink_target(count: int, allowed: Allowed | None = None, page: str = "A4", inks: InkSet | None = None) -> Chart:
    """Return a target of so many patches.

    Ramps of each ink and of greys, all of CMYK on and off, and the rest spread evenly, the edges of what inks can do
    among them. Of further inks what a separation uses is spread: those that stand for two others are printed with
    each of them and with the third, lighter ones beneath the ink that they are lighter than. `allowed` says what may
    be printed; without it all inks together stay within 300 %.

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
    of, step = inks or InkSet(), np.linspace(0, 1, 11)[1:, None]
    on = np.zeros((16, len(of)))
    on[:, : len(PROCESS)] = list(product((0.0, 1.0), repeat=4))
    parts = [np.zeros((4, len(of))), on] + [step * one for one in np.eye(len(of))]
    parts += [_together(step, black, len(of)) for black in (0.0, 1.0)]
    if len(of) > len(PROCESS):
        parts.append(_further(of))
    fixed = np.concatenate(parts)
    rng = np.random.default_rng(count)
    inside, edge = rng.random((_AMONG * count * 2 // 3, 4)), rng.random((_AMONG * count // 3, 4))
    # Most colours of pictures have no black, or little.
    inside[:, BLACK] = np.where(rng.random(len(inside)) < 0.35, 0, inside[:, BLACK] ** 1.3)
    edge = np.where(rng.random(edge.shape) < 0.4, np.round(edge), edge)
    if len(of) > len(PROCESS):
        inside, edge = (_among(of, values, rng) for values in (inside, edge))
    known, some = (np.unique(np.round(may(values), 4), axis=0) for values in (fixed, np.concatenate([inside, edge])))
    # The bare media stands three times more: it is what all else is held against.
    known = np.concatenate([known, np.zeros((3, len(of)))])
    rest = some[farthest(some, known, count - len(known))]
    return _chart(TARGET, tr("Ink target"), np.concatenate([known, rest]), page, 8.2, 8, of)


def _further(of: InkSet) -> Floats:
    """Return places (n, k) of each further ink full beside each other ink, half and full."""
    parts = []
    for ink in range(len(PROCESS), len(of)):
        for other in range(len(of)):
            if other != ink:
                both = np.zeros((2, len(of)))
                both[:, ink], both[:, other] = 1, (0.5, 1)
                parts.append(both)
    return np.concatenate(parts)


def _among(of: InkSet, cmyk: Floats, rng: np.random.Generator) -> Floats:
    """Return places (n, k) of all inks, from ones (n, 4) of four: as a separation uses them, and around that.

    A third prints with the four alone. No more than four inks, and lighter ones, meet anywhere.
    """
    colour, black = cmyk[:, :BLACK], cmyk[:, BLACK]
    # What three inks have in common is black's to print; a separation with little of it takes what is left of them.
    common = colour.min(axis=1, keepdims=True)
    pure = of.spread(np.where(rng.random((len(cmyk), 1)) < 0.5, colour - common, colour))
    out = np.zeros((len(cmyk), len(of)))
    out[:, :BLACK] = colour
    some = rng.random(len(cmyk)) < 0.67
    out[some] = np.clip(pure[some] * rng.uniform(0.4, 1.6, (int(some.sum()), len(of))), 0, 1)
    # Beside them what a change of black is made up for with.
    more = rng.random(out.shape) * (rng.random(out.shape) < 0.15)
    out[some] = np.maximum(out, more)[some]
    out[:, BLACK] = black
    return out


def within(total: float) -> Allowed:
    """Return what reduces colours alike until all inks together are within a total, 1 for one full ink."""

    def allowed(places: Floats) -> Floats:
        black = places[:, BLACK]
        room = (total - black) / np.maximum(places.sum(axis=1) - black, 1e-9)
        within = places * np.minimum(room, 1)[:, None]
        within[:, BLACK] = black
        return within

    return allowed


def _chart(name: str, title: str, amounts: Floats, page: str, patch: float, seed: int, of: InkSet) -> Chart:
    if page not in PAGES:
        raise FideleError(tr("There is no page '{page}'; there is {pages}.", page=page, pages=", ".join(PAGES)))
    width, height, is_round = PAGES[page]
    layout: Layout = laid_out((width, height), len(amounts), patch, max(1.2, 0.15 * patch), is_round)
    order = np.random.default_rng(seed).permutation(len(amounts))
    inks = np.round(amounts[order] * 10_000) / 10_000
    families = ("ramp",) * len(amounts) if name == RAMPS else ("lattice",) * len(amounts)
    # Apart from those of the target: both are measurements of one printer, and can be put together.
    mark = ("R." if name == RAMPS else "") + (f"{len(of)}." if len(of) > len(PROCESS) else "")
    ids = tuple(mark + sample for sample in named_by_place(len(inks), layout))
    return Chart(name, title, ids, of.on_screen(inks), families, layout, 2, inks=inks, ink_names=of.names)
