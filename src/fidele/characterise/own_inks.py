"""An own profile of a printer that takes inks: setup, fit, separation, and what is to be said of it."""

from __future__ import annotations

import datetime
from collections.abc import Collection
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Floats
from fidele.characterise.gathered import Gathered
from fidele.characterise.ink_setup import InkSetup, setup_of
from fidele.characterise.inks import InkPrinter, Separation, fit_inks
from fidele.characterise.own import OwnProfile, finished, quality, table
from fidele.characterise.printer import Sizes, make_profile
from fidele.chart.cgats import dump
from fidele.chart.ink_set import InkSet
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.language import tr
from fidele.tiles import Progress

#: Nodes along an edge, by the number of inks, and fewer where colours are mapped: with more a table would outgrow what
#: readers hold.
SIZES = {
    4: Sizes(a2b=17, a2b_mapped=11),
    5: Sizes(a2b=11, a2b_mapped=7),
    6: Sizes(a2b=8, a2b_mapped=5),
    7: Sizes(a2b=6, a2b_mapped=4),
}


@dataclass(frozen=True)
class InkWish:
    """What is asked of a separation.

    Attributes
    ----------
    total
        The most that the media holds of all inks together, 1 for one full ink; None for what was measured.
    black
        How much of the black that could be is taken in dark colours, 0 (least) to 1 (most).
    """

    total: float | None = None
    black: float = 0.5

    def __post_init__(self) -> None:
        if self.total is not None and not 1 <= self.total <= 4:
            raise FideleError(tr("All inks together can be limited to 100 to 400 %."))
        if not 0 <= self.black <= 1:
            raise FideleError(tr("Black is 0 (least) to 100 % (most) of what it could be."))


def fitted_inks(
    found: Gathered,
    without: Collection[str] = (),
    keep_all: bool = False,
    total: float | None = None,
    progress: Progress | None = None,
) -> tuple[InkPrinter, InkSetup]:
    """Fit what was gathered of a printer of inks; the indices of its fit are those of `found`.

    Ramps of single inks are looked for among the patches: they tell how much of each is of use.

    Raises
    ------
    FideleError
        When too few patches are left, the ramp of an ink is missing, or these are of an RGB printer.
    """
    amounts = found.inks
    if amounts is None:
        raise FideleError(tr("These are measurements of a printer that takes RGB, not inks."))
    chosen = np.array([s not in without for s in found.ids])
    back = np.flatnonzero(chosen)
    inks = InkSet(found.ink_names)
    setup = _held_to(setup_of(amounts[chosen], found.Lab[chosen], total, inks), amounts[chosen])
    keep = np.ones(len(back), bool) if keep_all else None
    model = fit_inks(amounts[chosen], found.XYZ[chosen], setup, keep, progress)
    pairs = tuple((int(back[a]), int(back[b])) for a, b in model.fit.swapped)
    return replace(model, fit=replace(model.fit, out=back[model.fit.out], swapped=pairs)), setup


def profile_of(
    printer: InkPrinter,
    found: Gathered,
    title: str,
    created: datetime.datetime,
    black: float = 0.5,
    states: dict[str, str] | None = None,
    without: Collection[str] = (),
    progress: Progress | None = None,
) -> bytes:
    """Return the output profile of a fitted printer of inks, its measurements and its true error inside.

    Raises
    ------
    CancelledError
        When `progress` returned False.
    """
    used = _used(printer, found, without)
    said = quality(printer.fit, len(used)) | {
        "inks.total_percent": f"{100 * printer.setup.total:.0f}",
        "inks.black_percent": f"{100 * black:.0f}",
        "inks.names": ", ".join(printer.inks.names),
        "inks.most_percent": " ".join(f"{100 * most:.0f}" for most in printer.setup.most),
    }
    text = dump(table(found, used, title, created))
    sizes = SIZES[len(printer.inks)]
    return make_profile(Separation(printer, black), title, created, text, progress, (states or {}) | said, sizes)


def made_of_inks(
    found: Gathered,
    title: str,
    created: datetime.datetime,
    states: dict[str, str] | None = None,
    without: Collection[str] = (),
    keep_all: bool = False,
    build: bool = True,
    wish: InkWish | None = None,
    progress: Progress | None = None,
) -> tuple[OwnProfile, InkSetup]:
    """Fit what was gathered of a printer of inks and make its output profile; see `own.made_from`.

    Raises
    ------
    FideleError
        As `fitted_inks` does.
    CancelledError
        When `progress` returned False.
    """
    asked = wish or InkWish()
    model, setup = fitted_inks(found, without, keep_all, asked.total)
    data = profile_of(model, found, title, created, asked.black, states, without, progress) if build else b""
    chosen = np.array([s not in without for s in found.ids])
    ids = [sample for sample, one in zip(found.ids, chosen, strict=True) if one]
    return finished(data, model, len(_used(model, found, without)), ids, found.XYZ[chosen]), setup


def _used(printer: InkPrinter, found: Gathered, without: Collection[str]) -> NDArray[np.int64]:
    chosen = np.flatnonzero([s not in without for s in found.ids])
    return np.setdiff1d(chosen, printer.fit.out)


def _held_to(setup: InkSetup, amounts: Floats) -> InkSetup:
    """Return a setup whose total is no more than what was printed: beyond that nothing is known."""
    return replace(setup, total=min(setup.total, float(amounts.sum(axis=1).max())))
