"""An own profile from gathered measurements: fitted, built, and what is to be said of it."""

from __future__ import annotations

import datetime
from collections.abc import Collection, Sequence
from dataclasses import replace

import numpy as np

from fidele.arrays import Floats
from fidele.characterise.fit import Fit
from fidele.characterise.gathered import Gathered, named
from fidele.characterise.inks import InkPrinter
from fidele.characterise.mend import Mended, mend
from fidele.characterise.printer import PrinterModel, fit_printer, make_profile
from fidele.chart.cgats import Table, dump, ink_columns
from fidele.check.statistics import TOLERANCES, Comparison, compare
from fidele.colour.adaptation import media_relative
from fidele.colour.cie import D50, xyz_to_lab
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.icc.describe import describe
from fidele.icc.profile import Profile
from fidele.language import tr
from fidele.tiles import Progress

#: Of so many patches at most every measurement goes into the profile: with more it would outgrow what PNG takes.
_ALL_INSIDE = 1600


@dataclass(frozen=True, eq=False)
class OwnProfile:
    """A profile that was made: its bytes (nothing where only the report was asked for), its fit, and its ends."""

    profile: bytes
    model: PrinterModel | InkPrinter
    used: int
    white_Lab: Floats
    black_Lab: Floats
    #: Each patch beside what all others say of it, relative to white.
    comparison: Comparison

    @property
    def fit(self) -> Fit:
        """What it was made from."""
        return self.model.fit

    def words(self, found: Gathered) -> list[str]:
        """Say which patches were exchanged or left out."""
        return left_out(self.fit, found)


def left_out(fit: Fit, found: Gathered) -> list[str]:
    """Say which patches of what was gathered a fit found exchanged, or left out."""
    said = [
        tr("{ids} and {ids2} were exchanged while measuring; both are left out.", ids=found.ids[a], ids2=found.ids[b])
        for a, b in fit.swapped
    ]
    pairs = {i for pair in fit.swapped for i in pair}
    alone = [int(i) for i in fit.out if int(i) not in pairs]
    if alone:
        which = "; ".join(named(found, alone[:8]))
        said.append(tr("Nothing around these prints so, and they are left out: {which}.", which=which))
    return said


def made_from(
    found: Gathered,
    title: str,
    created: datetime.datetime,
    states: dict[str, str] | None = None,
    without: Collection[str] = (),
    keep_all: bool = False,
    build: bool = True,
    like: Profile | None = None,
    progress: Progress | None = None,
) -> OwnProfile:
    """Fit what was gathered and make the output profile, its measurements and its true error inside.

    Parameters
    ----------
    states
        What it states of how it was made, for its metadata tag.
    without, keep_all
        Names of patches to leave out; whether no other patch is left out by itself.
    like
        A profile of the same printer and inks on another media.

    Raises
    ------
    FideleError
        When too few patches are left, or `like` is no profile of an RGB printer.
    CancelledError
        When `progress` returned False.
    """
    chosen = np.array([s not in without for s in found.ids])
    rgb, XYZ = found.device[chosen], found.XYZ[chosen]
    if like is not None:
        _check(like)
    model = fit_printer(rgb, XYZ, np.ones(len(rgb), bool) if keep_all else None, like)
    back = np.flatnonzero(chosen)
    fit = model.fit
    moved = Fit(
        fit.parts,
        fit.weights,
        fit.stated,
        back[fit.out],
        tuple((int(back[a]), int(back[b])) for a, b in fit.swapped),
        fit.expected,
    )
    model = PrinterModel(model.grid, model.white_XYZ, model.black_XYZ, moved)
    used = np.setdiff1d(back, moved.out)
    said = quality(fit, len(used))
    if like is not None:
        said["quality.begun_from"] = describe(like).description
    data = b""
    if build:
        text = dump(table(found, used, title, created)) if len(used) <= _ALL_INSIDE else ""
        data = make_profile(model, title, created, text, progress, (states or {}) | said)
    return finished(data, model, len(used), [found.ids[i] for i in back], XYZ)


def mended_from(
    found: Gathered,
    title: str,
    created: datetime.datetime,
    old: Profile,
    states: dict[str, str] | None = None,
    without: Collection[str] = (),
    build: bool = True,
    progress: Progress | None = None,
) -> tuple[OwnProfile, Mended]:
    """Mend a profile by what was gathered: the new one states which it came from, and carries these measurements.

    Raises
    ------
    FideleError
        When too few patches are left, or `old` is no profile of an RGB printer.
    CancelledError
        When `progress` returned False.
    """
    chosen = np.array([s not in without for s in found.ids])
    back = np.flatnonzero(chosen)
    rgb, XYZ = found.device[chosen], found.XYZ[chosen]
    mended = mend(old, rgb, XYZ)
    model = mended.model
    fit = replace(model.fit, out=back[model.fit.out])
    model = replace(model, fit=fit)
    used, what = np.setdiff1d(back, fit.out), describe(old)
    came_from = {
        "mended.from": what.description,
        "mended.from_id": old.content_id,
        "mended.times": str(1 + (int(times) if (times := what.meta.get("mended.times", "")).isdecimal() else 0)),
    }
    data = b""
    if build:
        text, said = dump(table(found, used, title, created)), quality(fit, len(used)) | came_from
        data = make_profile(model, title, created, text, progress, (states or {}) | said)
    return finished(data, model, len(used), [found.ids[i] for i in back], XYZ), mended


def quality(fit: Fit, used: int) -> dict[str, str]:
    """Return what a profile states of its own error, for its metadata tag."""
    return {
        "quality.mean_de00": f"{fit.stated.mean:.3f}",
        "quality.interval_de00": f"{fit.stated.low:.3f} {fit.stated.high:.3f}",
        "quality.p95_de00": f"{fit.stated.p95:.3f}",
        "quality.noise_de00": f"{fit.stated.noise:.3f}",
        "quality.patches": str(used),
    }


def finished(data: bytes, model: PrinterModel | InkPrinter, used: int, ids: Sequence[str], XYZ: Floats) -> OwnProfile:
    """Return a profile that was made, with what is to be said of it: its ends, and each patch beside all others."""
    ends = xyz_to_lab(np.stack([model.white_XYZ, model.black_XYZ]))
    seen = xyz_to_lab(media_relative(XYZ, model.white_XYZ, D50))
    left_out = compare(tuple(ids), model.fit.expected, seen, TOLERANCES["everyday"])
    return OwnProfile(data, model, used, ends[0], ends[1], left_out)


def _check(like: Profile) -> None:
    what = describe(like)
    if not what.usable_as_output:
        why = next((p.message for p in what.problems if p.weight == "stop"), "")
        if why:
            raise FideleError(tr("A profile cannot begin from “{title}”: {why}", title=what.description, why=why))
    if not what.usable_as_output or like.channels != 3:
        raise FideleError(tr("What to begin from has to be a profile of a printer that takes RGB."))


def table(found: Gathered, used: np.ndarray, title: str, created: datetime.datetime) -> Table:
    """Return the patches, by index, that went into a profile, as it carries them."""
    Lab, inks = found.Lab[used], found.inks
    which: dict[str, str] = {}
    if inks is None:
        columns = {f"RGB_{c}": found.device[used, i] * 255 for i, c in enumerate("RGB")}
    else:
        columns, which = ink_columns(inks[used], found.ink_names)
    columns |= {f"LAB_{c}": Lab[:, i] for i, c in enumerate("LAB")}
    keywords = {"ORIGINATOR": "Fidele", "DESCRIPTOR": title, "CREATED": created.date().isoformat()} | which
    return Table(tuple(found.ids[i] for i in used), columns, keywords)
