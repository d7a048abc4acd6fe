"""A profile of a printer that takes inks, step by step: ramps, target, how much ink and black, and onto the shelf.

Such a printer stands behind a program of its own, which is sent cyan, magenta, yellow and black; no driver of RGB is
set and nothing is printed from here. Pages are written as files, and what was measured of them comes back as files.
"""

from __future__ import annotations

import datetime
import json
import re
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from fidele.arrays import Floats
from fidele.artwork.save import save_picture
from fidele.chart.cgats import write as write_table
from fidele.chart.definition import Chart
from fidele.chart.definition import to_table as definition
from fidele.chart.draw import draw_page
from fidele.chart.ink_set import InkSet, ink_set
from fidele.chart.ink_target import FEWEST, MOST, TARGET, ink_target, ramp_page
from fidele.chart.measured_file import read_any
from fidele.chart.measurement import Measurement, to_table
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.language import tr, trn
from fidele.session.live import Live
from fidele.session.news import LogChanged
from fidele.session.own_profiles import shelved
from fidele.session.places import Places
from fidele.session.profiles import Profiles
from fidele.statefile import StateFile
from fidele.tiles import CancelledError, Progress

if TYPE_CHECKING:
    from fidele.characterise.gathered import Gathered
    from fidele.characterise.ink_setup import InkSetup
    from fidele.characterise.inks import InkPrinter

#: Sizes of target that are offered, with what they leave on printers that nobody here made: mean ΔE00 by an
#: instrument, the middle and nineteen in twenty (docs/own-profiles.md).
SIZES = {300: (0.21, 0.34), 600: (0.15, 0.29), 1000: (0.12, 0.26)}
#: The same of more than four inks, over what a separation prints: targets of them are no smaller.
SIZES_OF_MORE = {600: (0.21, 0.42), 1000: (0.16, 0.34)}
#: How much black is taken where nobody says.
BLACK = 0.5
#: Greys in so many steps are shown.
_GREYS = 41


@dataclass(frozen=True)
class InkWork:
    """What is kept of the work in hand.

    Attributes
    ----------
    limit
        The most of all inks together that the media holds, 1 for one full ink; None for what the ramps tell.
    black
        How much of the black that could be is taken, 0 to 1.
    ramps, pages
        Files of measurements in the workshop's folder, '' and () before there are any.
    further
        The inks beside cyan, magenta, yellow and black.
    """

    title: str = ""
    patches: int = 600
    limit: float | None = None
    black: float = BLACK
    ramps: str = ""
    pages: tuple[str, ...] = ()
    further: tuple[str, ...] = ()

    @property
    def inks(self) -> InkSet:
        """All its inks."""
        return ink_set(self.further)

    @property
    def sizes(self) -> dict[int, tuple[float, float]]:
        """Sizes of target that are offered, with what they leave."""
        return SIZES_OF_MORE if self.further else SIZES


@dataclass(frozen=True, eq=False)
class Fitted:
    """A printer of inks, as its measured pages tell it."""

    found: Gathered
    setup: InkSetup
    printer: InkPrinter

    def left_out(self) -> list[str]:
        """Say which patches were exchanged or left out."""
        from fidele.characterise.own import left_out

        return left_out(self.printer.fit, self.found)


@dataclass(frozen=True, eq=False)
class Greys:
    """What greys are printed by: L* (n,), and amounts (n, k) of each ink, from white to the darkest."""

    L: Floats
    inks: Floats
    of: InkSet

    @property
    def words(self) -> str:
        """The same for a reader of the screen: three greys."""
        rows = [int(np.abs(self.L - level).argmin()) for level in (75, 50, 25)]
        return "; ".join(
            tr(
                "L* {L:.0f}: {amounts} %",
                L=self.L[row],
                amounts=", ".join(
                    f"{tr(name)} {100 * amount:.0f}" for name, amount in zip(self.of.names, self.inks[row], strict=True)
                ),
            )
            for row in rows
        )


@dataclass(frozen=True, eq=False)
class Taken:
    """A file of measurements that was read: what it was called, as what it is kept, and what it holds."""

    file: str
    name: str
    of_ramps: bool
    patches: int
    put_right: tuple[str, ...]
    measured: Measurement
    #: What its ramps tell, with the limit that was set when they were read.
    setup: InkSetup | None = None


class InkProfiles:
    """Makes profiles for printers that take inks."""

    def __init__(self, live: Live, profiles: Profiles, places: Places) -> None:
        self._live, self._profiles, self._work_folder = live, profiles, places.work
        self._folder = places.data / "inks"
        self._kept = StateFile[InkWork](self._folder / "work.json", _parsed, InkWork)
        self._setup: tuple[object, InkSetup] | None = None
        self._ramps: tuple[str, Measurement] | None = None
        #: What was fitted last, and of what.
        self._fitted: tuple[object, Fitted] | None = None

    # The work in hand --------------------------------------------------------------------------------------------

    @property
    def work(self) -> InkWork:
        """What is kept of it."""
        return self._kept.read()

    def change(self, name: str, **changes: Any) -> None:
        """Change the work in hand, as a step that can be undone."""
        before = self.work
        after = replace(before, **changes)
        if after == before:
            return
        self._live.history.do(name, lambda: self._write(after), lambda: self._write(before))

    def choose_inks(self, further: tuple[str, ...]) -> None:
        """Take other inks, as a step that can be undone: what was measured of others counts no more."""
        if further != self.work.further:
            sizes = replace(self.work, further=further).sizes
            patches = self.work.patches if self.work.patches in sizes else min(sizes)
            self.change(tr("Other inks"), further=further, ramps="", pages=(), patches=patches)

    def anew(self) -> None:
        """Begin with another printer; what was measured stays in the workshop's folder, and Undo takes it back."""
        before = self.work
        after = InkWork()
        self._live.history.do(tr("Begin another ink profile"), lambda: self._write(after), lambda: self._write(before))

    def _write(self, work: InkWork) -> None:
        data = {name: getattr(work, name) for name in InkWork.__dataclass_fields__}
        self._kept.write(json.dumps(data, indent=1, ensure_ascii=False).encode())
        self._live.tell(LogChanged())

    # Its pages ---------------------------------------------------------------------------------------------------

    def setup(self) -> InkSetup | None:
        """Return what the measured ramps tell; None before they are measured, or where they have gone.

        Raises
        ------
        FideleError
            When they are no ramps of inks.
        """
        from fidele.characterise.gathered import gathered
        from fidele.characterise.ink_setup import setup_of

        work = self.work
        key = (work.ramps, work.limit, work.further)
        if not work.ramps or not (self._folder / work.ramps).exists():
            return None
        if self._setup is None or self._setup[0] != key:
            found = gathered([(work.ramps, self._measured_ramps(work.ramps))], ramp_page(inks=work.inks))
            assert found.inks is not None  # the chart is of inks
            self._setup = key, setup_of(found.inks, found.Lab, work.limit, work.inks)
        return self._setup[1]

    def ramps(self) -> tuple[Floats, Floats] | None:
        """Return the amounts (n, k) and L*a*b* (n, 3) of the measured ramps."""
        work = self.work
        chart = ramp_page(inks=work.inks)
        if self.setup() is None or chart.inks is None:
            return None
        measured = self._measured_ramps(work.ramps)
        rows = {sample: row for row, sample in enumerate(chart.ids)}
        known = [i for i, sample in enumerate(measured.ids) if sample in rows]
        return chart.inks[[rows[measured.ids[i]] for i in known]], measured.Lab[known]

    def _measured_ramps(self, name: str) -> Measurement:
        if self._ramps is None or self._ramps[0] != name:
            self._ramps = name, read_any(self._folder / name)
        return self._ramps[1]

    def target(self) -> Chart:
        """Return the target, with no more ink than the ramps say is of use."""
        work, setup = self.work, self.setup()
        if setup is None:
            from fidele.chart.ink_target import within

            return ink_target(work.patches, within(work.limit) if work.limit else None, inks=work.inks)
        return ink_target(work.patches, lambda places: setup.laid(setup.limited(places)), inks=work.inks)

    def writing(self, which: str, folder: Path, as_pdf: bool) -> Callable[[Progress], list[Path]]:
        """Return what writes the pages of 'ramps' or 'target' and their definition into a folder.

        Raises
        ------
        FideleError
            When the folder cannot be written.
        """
        chart = ramp_page(inks=self.work.inks) if which == "ramps" else self.target()
        label = tr("print with nothing converting")

        def work(progress: Progress) -> list[Path]:
            written = []
            for page in range(chart.pages):
                one = chart.name if chart.pages == 1 else f"{chart.name}-page-{page + 1}"
                written.append(folder / f"{one}.{'pdf' if as_pdf else 'tif'}")
                save_picture(written[-1], draw_page(chart, page, label), None, 300, inks=chart.ink_names)
                _told(progress)((page + 1) / chart.pages)
            write_table(folder / f"{chart.name}.txt", definition(chart))
            self._keep(chart)
            return written

        return work

    def _keep(self, chart: Chart) -> None:
        """Keep a target's definition: measurements that state no amounts are read by it."""
        if chart.name == TARGET:
            write_table(self._folder / f"{chart.name}.txt", definition(chart))

    # What was measured of them -----------------------------------------------------------------------------------

    def reading(self, path: Path) -> Callable[[Progress], Taken]:
        """Return what reads a file of measurements, of the ramps or of the target, and keeps it in the workshop.

        Raises
        ------
        FideleError
            When it holds no measurements of inks, or cannot be kept.
        """
        from fidele.characterise.gathered import gathered
        from fidele.characterise.ink_setup import setup_of

        limit, inks = self.work.limit, self.work.inks

        def work(_: Progress) -> Taken:
            measured, ramps = read_any(path), ramp_page(inks=inks)
            if measured.inks is not None and measured.ink_names != inks.names:
                raise FideleError(
                    tr(
                        "{name} is of {inks}; this profile is of {inks2}: choose its inks first.",
                        name=path.name,
                        inks=InkSet(measured.ink_names).words,
                        inks2=inks.words,
                    )
                )
            of_ramps = len(set(measured.ids) & set(ramps.ids)) > 0.5 * len(ramps.ids)
            if of_ramps and measured.inks is None:
                measured = _amounts_from(ramps, measured)
            elif measured.inks is None:
                measured = self._with_amounts(path, measured)
            found = gathered([(path.name, measured)], ramps if of_ramps else None)
            setup = None
            if of_ramps and found.inks is not None:
                setup = setup_of(found.inks, found.Lab, limit, inks)
            name = f"{'ramps' if of_ramps else 'target'} {datetime.datetime.now():%Y-%m-%d %H.%M.%S.%f}.txt"
            write_table(self._folder / name, to_table(measured, path.name))
            return Taken(path.name, name, of_ramps, len(found.ids), found.put_right, measured, setup)

        return work

    def take(self, taken: Taken) -> None:
        """Let a file that was read count, as a step that can be undone."""
        before = self.work
        if taken.of_ramps:
            after = replace(before, ramps=taken.name)
            self._ramps = taken.name, taken.measured
            if taken.setup is not None:
                self._setup = (taken.name, before.limit, before.further), taken.setup
        else:
            after = replace(before, pages=(*before.pages, taken.name))
        self._live.history.do(
            tr("Add {name}", name=taken.file), lambda: self._write(after), lambda: self._write(before)
        )
        count = taken.patches
        said = (
            trn("{name}: {n} patch of the ramps.", "{name}: {n} patches of the ramps.", count, name=taken.file, n=count)
            if taken.of_ramps
            else trn(
                "{name}: {n} patch of the target.",
                "{name}: {n} patches of the target.",
                count,
                name=taken.file,
                n=count,
            )
        )
        self._live.say(" ".join((said, *taken.put_right)))

    def _with_amounts(self, path: Path, measured: Measurement) -> Measurement:
        from fidele.chart.cgats import read
        from fidele.chart.definition import from_table

        kept = self._folder / f"{TARGET}.txt"
        if kept.exists():
            chart = from_table(read(kept), kept.name)
            if chart.inks is not None and len(set(measured.ids) & set(chart.ids)) > 0.5 * len(measured.ids):
                return _amounts_from(chart, measured)
        raise FideleError(
            tr(
                "{name} states no amounts of ink (CMYK), and its samples are not those of the pages that were written "
                "here.",
                name=path.name,
            )
        )

    def without(self, name: str) -> None:
        """Take a file out of the work again, as a step that can be undone."""
        work = self.work
        pages = tuple(page for page in work.pages if page != name)
        self.change(tr("Take it out"), ramps="" if name == work.ramps else work.ramps, pages=pages)

    def lines(self) -> list[tuple[str, str]]:
        """Return the files that count: their names, and what they are."""
        work = self.work
        said = [(work.ramps, tr("ramps"))] if work.ramps else []
        return said + [
            (page, tr("target, measured {when}", when=" ".join(page.split()[1:])[:16])) for page in work.pages
        ]

    # The profile -------------------------------------------------------------------------------------------------

    @property
    def fitted(self) -> Fitted | None:
        """What was fitted of the files that count now, None before that."""
        return self._fitted[1] if self._fitted is not None and self._fitted[0] == self._key() else None

    @property
    def made(self) -> bool:
        """Whether the shelf holds a profile of inks."""
        entries = self._profiles.shelf.entries()
        return any(
            e.description.usable_as_output
            and (e.description.colour_space == "CMYK" or e.description.colour_space.endswith("CLR"))
            for e in entries
        )

    def _key(self) -> object:
        work = self.work
        return work.ramps, work.pages, work.limit, work.further

    def fitting(self) -> Callable[[Progress], Fitted]:
        """Return what fits the files that count.

        Raises
        ------
        FideleError
            When nothing of a target was measured, or it is worthless for a profile.
        """
        from fidele.characterise.gathered import gathered
        from fidele.characterise.own_inks import fitted_inks

        work, key = self.work, self._key()
        if not work.pages:
            raise FideleError(tr("The target is not measured yet."))
        names = [*([work.ramps] if work.ramps else []), *work.pages]

        def do(progress: Progress) -> Fitted:
            found = gathered([(name, read_any(self._folder / name)) for name in names])
            _told(progress)(0.2)
            told = _told(progress)
            printer, setup = fitted_inks(found, total=work.limit, progress=lambda share: told(0.2 + 0.8 * share))
            made = Fitted(found, setup, printer)
            self._fitted = key, made
            return made

        return do

    @staticmethod
    def greys(fitted: Fitted, black: float) -> Callable[[Progress], Greys]:
        """Return what computes by which inks greys are printed, with so much of the black that could be."""
        from fidele.characterise.inks import InkInverse, Separation

        def do(progress: Progress) -> Greys:
            inverse = InkInverse(Separation(fitted.printer, black))
            progress(0.5)
            darkest = float(inverse.cube(np.zeros((1, 3)))[0, 0])
            L = np.linspace(100, darkest, _GREYS)
            device = inverse(np.stack([L, np.zeros_like(L), np.zeros_like(L)], axis=1))
            return Greys(inverse.model(device)[:, 0], fitted.setup.laid(1 - device), fitted.setup.inks)

        return do

    def making(self, fitted: Fitted) -> Callable[[Progress], bytes]:
        """Return what makes the profile of a printer that was fitted, with the black that is asked for now."""
        from fidele.characterise.own_inks import profile_of

        work = self.work
        title = work.title or tr("Printer of inks, {when:%d.%m.%Y}", when=datetime.date.today())
        now = datetime.datetime.now().replace(microsecond=0)

        def do(progress: Progress) -> bytes:
            return profile_of(fitted.printer, fitted.found, title, now, work.black, progress=_told(progress))

        return do

    def shelve(self, data: bytes) -> str:
        """Put a profile that was made on the shelf, and return its id.

        Raises
        ------
        FideleError
            When it cannot be kept or put there.
        """
        from fidele.icc.describe import describe
        from fidele.icc.profile import Profile

        title = describe(Profile.parse(data)).description
        profile_id = shelved(self._profiles, self._work_folder, title, data)
        self._live.say(tr("“{title}” is on the shelf: pictures can be converted to its inks.", title=title))
        return profile_id


def _told(progress: Progress) -> Progress:
    """Return what tells how far it is, and stops where nobody wants it any more."""

    def told(share: float) -> bool:
        if not progress(share):
            raise CancelledError
        return True

    return told


def _amounts_from(chart: Chart, measured: Measurement) -> Measurement:
    """Return the samples of a chart that were measured, with its amounts of ink."""
    rows = {sample: row for row, sample in enumerate(chart.ids)}
    known = tuple(sample for sample in measured.ids if sample in rows)
    assert chart.inks is not None
    amounts = chart.inks[[rows[sample] for sample in known]]
    return replace(measured.rows(known), inks=amounts, ink_names=chart.ink_names)


def buys(work: InkWork) -> str:
    """Say what the patches of a target are expected to leave."""
    patches, sizes = work.patches, work.sizes
    middle, most = sizes[min(sizes, key=lambda n: abs(n - patches))]
    return trn(
        "{n} patch: off by a mean ΔE00 of {middle:g} on most printers, up to {most:g} on difficult ones.",
        "{n} patches: off by a mean ΔE00 of {middle:g} on most printers, up to {most:g} on difficult ones.",
        patches,
        n=patches,
        middle=middle,
        most=most,
    )


def _parsed(data: bytes) -> InkWork:
    kept = json.loads(data)
    limit, pages = kept["limit"], kept["pages"]
    work = InkWork(
        str(kept["title"]), int(kept["patches"]), None if limit is None else float(limit), float(kept["black"]),
        str(kept["ramps"]), tuple(str(p) for p in pages), tuple(str(name) for name in kept.get("further", ())),
    )  # fmt: skip
    names = [name for name in (work.ramps, *work.pages) if name]
    sane = FEWEST <= work.patches <= MOST and 0 <= work.black <= 1 and (work.limit is None or 1 <= work.limit <= 4)
    try:
        known = work.inks.names[4:] == work.further
    except FideleError:
        known = False
    if not sane or not known or not all(re.fullmatch(r"(ramps|target) [\d .-]+\.txt", name) for name in names):
        raise ValueError(tr("its content is not what it should hold"))
    return work
