"""An own profile in the session: its target printed bare, measured page by page, fitted, judged, taken into use."""

from __future__ import annotations

import datetime
import json
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from fidele.arrays import Floats
from fidele.characterise.gathered import Gathered, gathered
from fidele.chart.cgats import write as write_table
from fidele.chart.definition import Chart
from fidele.chart.family import chosen_patches, made
from fidele.chart.measured_file import read_any
from fidele.chart.measurement import Conditions, Measurement, to_table
from fidele.colour.cie import xyz_to_lab
from fidele.colour.difference import delta_e_2000
from fidele.colour.spectra import spectra_to_xyz
from fidele.dataclass import dataclass
from fidele.devices.devices import Devices
from fidele.errors import FideleError
from fidele.files import write_bytes
from fidele.icc.conform import created
from fidele.icc.describe import describe
from fidele.icc.profile import Profile
from fidele.icc.transform import Intent, to_lab
from fidele.language import lowered, tr, trn
from fidele.papers.guess import plain
from fidele.papers.model import Verified
from fidele.route.condition import Card
from fidele.run.chart_page import chart_page, chart_placing, on_piece
from fidele.run.job import Job
from fidele.run.kept import job_of
from fidele.run.own_profile import stated
from fidele.run.page import prepare_page
from fidele.run.reader import measured_file
from fidele.session.charts import Charts
from fidele.session.handoff import Handoff
from fidele.session.in_force import InForce
from fidele.session.live import Live
from fidele.session.measured_again import Read, again, doubtful, is_again, replaced
from fidele.session.measured_pages import MeasuredPages
from fidele.session.news import LogChanged
from fidele.session.places import Places
from fidele.session.profiles import Profiles, Row
from fidele.statefile import StateFile, words_in
from fidele.store.logbook import Logbook
from fidele.tiles import CancelledError, Progress

if TYPE_CHECKING:
    from fidele.characterise.mend import Mended
    from fidele.characterise.own import OwnProfile

#: Charts that a profile is made of, the smallest first, with what they leave on printers that nobody here made: mean
#: ΔE00 by an instrument, the middle and nineteen in twenty (docs/own-profiles.md; of the smallest chart what 100
#: patches leave, of the largest what 900 do: neither was measured itself).
TARGETS = {
    "control": (0.27, 1.3),
    "full-400": (0.13, 0.38),
    "full-900": (0.10, 0.25),
    "full-1500": (0.10, 0.25),
    # For a profile that is there: what thirty patches leave of one that 400 were measured for, where one ink drifted.
    "mend": (0.15, 0.43),
}
#: What so many patches leave, mean ΔE00 by an instrument: the middle of printers, and nineteen in twenty.
ACCURACY = ((100, 0.27, 1.3), (200, 0.17, 0.56), (400, 0.13, 0.38), (900, 0.10, 0.25))
MEND = "mend"
#: The target of which a part is measured anew, beginning from the profile in force.
PART = "control"
#: So many patches are chosen for a further page.
FURTHER = 120
#: The same where a profile of the same printer and inks is begun from: what 150 patches leave on another media.
_BEGUN = {"control": (0.17, 0.4)}


@dataclass(frozen=True)
class PageState:
    """A page of the target: the run that it was printed by (0 for none), and its measurements (None for none)."""

    page: int
    run: int = 0
    measured: Path | None = None
    #: Whether it was measured before the profile in force was made, which therefore knows of it.
    known: bool = False
    #: The chart that it is a page of where its patches were chosen after the target, None for the target's own.
    chosen: Chart | None = None

    @property
    def words(self) -> str:
        """How it stands."""
        if self.known:
            return tr("run {run}, measured before the profile in force was made", run=self.run)
        if self.measured is not None:
            return tr("run {run}, measured", run=self.run)
        return (
            tr("run {run}, printed: press it, then scan or measure it", run=self.run)
            if self.run
            else tr("not printed yet")
        )


@dataclass(frozen=True, eq=False)
class Made:
    """A profile that was made and is not in use yet: what it was made of, and how far the one in force is off."""

    card: Card
    title: str
    found: Gathered
    own: OwnProfile
    #: The target.
    chart: Chart
    #: Mean ΔE00 between the measured patches and what the profile in force says of them, None without one.
    before: float | None
    #: What the profile is called that it began from; '' where it began from nothing.
    like: str = ""
    #: What mending says, where it is the profile in force, mended.
    mended: Mended | None = None
    #: The measurements that it was made of.
    files: tuple[Path, ...] = ()

    @property
    def lines(self) -> list[str]:
        """What is to be known before it is taken, in sentences."""
        if self.mended is not None:
            return [self.mended.words, *self.found.put_right, *self.own.words(self.found), *self.found.cautions]
        said = [self.own.fit.stated.words, *self._begun, *self.found.put_right, *self.own.words(self.found)]
        if self.before is not None:
            said.append(
                tr(
                    "The profile in force is off by a mean ΔE00 of {before:.2f} on the same patches.",
                    before=self.before,
                )
            )
        return [*said, *self.found.cautions]

    @property
    def _begun(self) -> list[str]:
        if not self.like:
            return []
        if self.own.fit.follows < 0.5:
            return [tr("What “{title}” knows of these inks did not fit here and was not followed.", title=self.like)]
        return [tr("It begins from what “{title}” knows of these inks.", title=self.like)]


@dataclass(frozen=True, eq=False)
class Further:
    """Patches that were chosen to be measured next, as a chart; and the share of the error that is expected to stay."""

    chart: Chart
    left: float


@dataclass(frozen=True)
class Version:
    """A profile that was made for a condition: its id and title, what it states of itself, and whether it is in use."""

    id: str
    title: str
    #: Day and time, as ISO 8601 has them: they sort.
    made: str
    #: What it stated of its own error when it was made, mean ΔE00.
    mean: float
    meta: dict[str, str]
    in_use: bool

    @property
    def words(self) -> str:
        """How good it says it is, and what it came from."""
        mean, count = self.mean, self.meta.get("quality.patches", "")
        if "mended.from" in self.meta:
            return tr(
                "mended from “{title}” by {n} patches, off by about ΔE00 {mean:.2f} when it was made",
                title=self.meta["mended.from"],
                n=count,
                mean=mean,
            )
        return tr("made from {n} patches, off by about ΔE00 {mean:.2f} when it was made", n=count, mean=mean)


class OwnProfiles:
    """Makes profiles of one's own for the condition in force."""

    def __init__(
        self,
        live: Live,
        in_force: InForce,
        handoff: Handoff,
        profiles: Profiles,
        charts: Charts,
        devices: Devices,
        logbook: Logbook,
        pages: MeasuredPages,
        places: Places,
    ) -> None:
        self._measured_pages = pages
        self._handoff = handoff
        self._live, self._in_force, self._profiles, self._charts = live, in_force, profiles, charts
        self._devices, self._logbook, self._work = devices, logbook, places.work
        #: Files of measurements that were added by hand, by id of the condition.
        self._added: dict[str, tuple[Path, ...]] = {}
        #: Digests of the charts whose patches were chosen, by id of the condition.
        self._further = StateFile[dict[str, str]](places.data / "further-pages.json", words_in, dict)
        #: The profile that was made last and waits to be taken.
        self.made: Made | None = None

    # The target --------------------------------------------------------------------------------------------------

    @staticmethod
    def expected(kind: str, begun: bool = False) -> str:
        """Say what a target buys, before it is printed; `begun` from a profile of the same printer and inks."""
        middle, most = TARGETS[kind]
        if kind == MEND:
            return tr(
                "Where inks have drifted, and with an instrument, the profile in force is then off by about ΔE00 "
                "{middle:.2f} on average on most printers, {most:.2f} on difficult ones, if it was that good before.",
                middle=middle,
                most=most,
            )
        if begun and kind in _BEGUN:
            middle, most = _BEGUN[kind]
            return tr(
                "Begun from that profile, and with an instrument, a profile of it is off by about ΔE00 {middle:.2f} on "
                "average on most printers, {most:.2f} on difficult ones; a scanner adds its own error to that.",
                middle=middle,
                most=most,
            )
        return tr(
            "With an instrument a profile of it is off by about ΔE00 {middle:.2f} on average on most "
            "printers, {most:.2f} on difficult ones; a scanner adds its own error to that.",
            middle=middle,
            most=most,
        )

    def chosen(self) -> list[Chart]:
        """Return the charts whose patches were chosen for the condition in force, the first first."""
        card = self._live.state.card
        digests = self._further.read().get(card.id, "").split() if card is not None else []
        known = {c.digest: c for c in self._charts.known()} if digests else {}
        return [known[digest] for digest in digests if digest in known]

    def choosing(self, done: Made, count: int = FURTHER) -> Callable[[Progress], Further]:
        """Return the work of choosing what to measure next: where a profile that was made knows least."""
        fit, found = done.own.fit, done.found
        used = np.setdiff1d(np.arange(len(found.ids)), fit.out)

        def work(progress: Progress) -> Further:
            from fidele.characterise.further import further

            def told(share: float) -> bool:
                if not progress(share):
                    raise CancelledError
                return True

            made = further(fit, found.device[used], count, told)
            number, mark = self._next()
            return Further(chosen_patches(tr("Chosen page {number}", number=number), made.rgb, mark), made.left)

        return work

    def _next(self) -> tuple[int, str]:
        """Return the number of the next page that is chosen, and what its samples' names begin with."""
        number = len(self.chosen()) + 1
        return number, "+" if number == 1 else f"{number}+"

    def doubtful(self, done: Made) -> Floats:
        """Return the device values (n, 3) of what is doubtful or missing in what a profile was made of."""
        return doubtful(done.found, done.own.fit, done.chart, self.chosen())

    def measure_again(self, done: Made) -> None:
        """Add a page of what is doubtful or missing: what is measured of it takes the place of what there is."""
        values = self.doubtful(done)
        number, mark = self._next()
        self._add(again(tr("Measured again {number}", number=number), values, mark))
        self._live.say(
            trn(
                "{n} patch is on a page of its own, twice: what is measured of it takes the place of what there is.",
                "{n} patches are on a page of their own, twice each: what is measured of them takes the place of what "
                "there is.",
                len(values),
                n=len(values),
            )
        )

    def add_chosen(self, further: Further) -> None:
        """Take a chart of chosen patches among the pages of the target, as a step that can be undone."""
        self._add(further.chart)
        self._live.say(
            tr(
                "{n} more patches were chosen where the profile knows least: with them about {left:.0f} % of its error "
                "is expected to be left.",
                n=len(further.chart.ids),
                left=100 * further.left,
            )
        )

    def _add(self, chart: Chart) -> None:
        card, before = self._live.state.need_card(), self._further.read()
        self._charts.keep(chart)
        after = before | {card.id: f"{before.get(card.id, '')} {chart.digest}".strip()}

        def keep(which: dict[str, str]) -> None:
            self._further.write(json.dumps(which, indent=1).encode())
            self._live.tell(LogChanged())

        self._live.history.do(tr("Add a chosen page"), lambda: keep(after), lambda: keep(before))

    def chart(self, kind: str) -> Chart:
        """Return the chart of a target, kept so that its scans are known again."""
        chart = made(kind)
        self._charts.keep(chart)
        return chart

    def anew(self, kind: str, like: str = "") -> bool:
        """Whether only what is measured after the profile in force was made counts: it prints otherwise by now.

        So it is where that is mended, and where a part of a target is measured anew, beginning from it.
        """
        card = self._live.state.card
        return kind == MEND or (card is not None and like == card.profile and bool(like))

    def pages(self, kind: str, like: str = "") -> list[PageState]:
        """Return how each page of a target stands for the condition in force: by its last bare print.

        `like` is the id of the profile that is begun from, as in `making`.
        """
        card, chart = self._live.state.card, made(kind)
        mine = [(chart, page) for page in range(chart.pages)]
        if kind != MEND:
            mine += [(one, page) for one in self.chosen() for page in range(one.pages)]
        states = {(one.digest, page): PageState(page, chosen=one if one is not chart else None) for one, page in mine}
        if card is None:
            return list(states.values())
        runs = [r for one in dict.fromkeys(d for d, _ in states) for r in self._logbook.printed_of(card.id, one)]
        for run in runs:
            number, job = run.id, job_of(run)
            if not job.bare:
                continue
            known, file = states.get((job.chart, job.page)), measured_file(self._work, number)
            if known is None or known.measured is not None or (known.run and not file.exists()):
                continue
            states[job.chart, job.page] = replace(known, run=number, measured=file if file.exists() else None)
        for page, state in states.items():
            if state.measured is not None and self.anew(kind, like):
                states[page] = replace(state, known=self._known(state.measured))
        return [state for state in states.values() if kind == MEND or state.chosen is None or not state.known]

    def ready(self, kind: str) -> Chart:
        """Return the chart of a target, with all made ready to print it with nothing converting.

        The driver passes numbers from now on, as it will with the profile; the page says so by the condition's digits.
        """
        if self._live.state.need_card().owner != "fidele":
            self._handoff.choose_owner("fidele")
        return self.chart(kind)

    # Measurements ------------------------------------------------------------------------------------------------

    def files(self, kind: str, pages: list[PageState] | None = None, like: str = "") -> list[Path]:
        """Return the measurements that there are: of the target's pages (where they are known), and those added.

        For mending, and for a part made anew, only what the profile in force cannot know of: the rest would hide that
        the printer has drifted. What mending was measured for counts toward the part as well.
        """
        card, anew = self._live.state.card, self.anew(kind, like)
        states = self.pages(kind, like) if pages is None else pages
        states = [*states, *(self.pages(MEND) if anew and kind != MEND else ())]
        mine = [p.measured for p in states if p.measured is not None and not p.known]
        added = self._added.get(card.id, ()) if card is not None else ()
        return [*mine, *(path for path in added if not (anew and self._known(path)))]

    def counting(self, kind: str, like: str = "") -> list[Path]:
        """Return the measurements of pages that the driver converted, which count toward a target's profile as well.

        A profile is not mended by them: what the driver makes of numbers is no part of what thirty patches tell.
        """
        card = self._live.state.card
        if card is None or self.anew(kind, like):
            return []
        return [page.path for page in self._measured_pages.counting(card)]

    def _known(self, measured: Path) -> bool:
        """Whether a file of measurements was there before the profile in force was made."""
        profile = self._live.state.profile
        made_at = created(profile) if profile is not None else None
        if made_at is None or not measured.exists():
            return False
        return datetime.datetime.fromtimestamp(int(measured.stat().st_mtime)) <= made_at

    def add(self, path: Path) -> None:
        """Add a file of measurements, as a step that can be undone.

        Raises
        ------
        FideleError
            When it holds no measurements.
        """
        read_any(path)  # a clear word now
        card = self._live.state.need_card()
        before = self._added.get(card.id, ())
        if path in before:
            return

        def take(which: tuple[Path, ...]) -> None:
            self._added[card.id] = which
            self._live.tell(LogChanged())

        self._live.history.do(tr("Add {name}", name=path.name), lambda: take((*before, path)), lambda: take(before))
        self._live.say(tr("{name} counts among the measurements of “{name2}”.", name=path.name, name2=card.name))

    @property
    def by_itself(self) -> bool:
        """Whether stand-ins for table, press and instrument are here that do it all."""
        d = self._devices
        return d.table is not None and d.press is not None and d.instrument is not None

    def doing(self, kind: str, like: str = "") -> Callable[[Progress], int]:
        """Return the work of printing the target bare, pressing it flat, and measuring it, beside the interface.

        Raises
        ------
        FideleError
            When a person must do it, or something would convert.
        """
        devices, card = self._devices, self._live.state.need_card()
        table, press, instrument = devices.table, devices.press, devices.instrument
        if table is None or press is None or instrument is None:
            raise FideleError(
                tr("Print the pages, press and dry them, and scan or measure them: nothing here does that.")
            )
        device, chart = devices.printer_of(card.printer), self.chart(kind)
        bare = card.model_copy(update={"owner": "fidele", "printed_from": ""})
        sending = device.sending(device.settings_for(bare))
        also = [x.name for x in sending.layers(bare, None) if x.converts]
        if also:
            raise FideleError(
                tr("A bare target passes no conversion: set driver and print system to leave the numbers alone first.")
            )
        logbook, work, media = self._logbook, self._work, device.media(card.size, card.feed)
        states = self.pages(kind, like)
        # What was measured already stays; where all was, all of it is done again.
        left = [s for s in states if s.measured is None or s.known] or states
        todo = [(s.chosen or chart, s.page) for s in left]

        def do(progress: Progress) -> int:
            from fidele.run.kept import kept_job

            for index, (chart, page) in enumerate(todo):

                def told(share: float, done: int = index) -> bool:
                    if not progress((done + share) / len(todo)):
                        raise CancelledError
                    return True

                placing = chart_placing(chart, media)

                job = Job.of(chart_page(chart, page, bare, 0, True), placing, bare, None, chart, page, True)
                title = tr("{title}, page {page}, with nothing converting", title=chart.title, page=page + 1)
                settings = device.settings_for(bare)
                number = logbook.add_run(
                    title, card.model_dump_json(), card.profile, settings, {}, "", "printing", kept_job(job)
                )
                prepared = prepare_page(job, sending, lambda share, told=told: told(0.4 * share))  # type: ignore[misc]
                sent = sending.print_page(prepared, lambda share, told=told: told(0.4 + 0.2 * share))  # type: ignore[misc]
                logbook.end_run(number, "printed", sent.receipt)
                if sent.sheet is None:
                    raise FideleError(
                        tr("The {name} has printed page {page}: press and measure it.", name=device.name, page=page + 1)
                    )
                transfer = card.process != "direct"
                piece = (
                    press.press(sent.sheet, card.substrate, card.press) if transfer else table.as_printed(sent.sheet)
                )
                told(0.75)
                spectra = instrument.measure(piece, on_piece(chart.centres(page), chart, placing))
                ids = tuple(chart.ids[i] for i in chart.on_page(page))
                Lab = xyz_to_lab(spectra_to_xyz(spectra))
                measured = Measurement(ids, Lab, Conditions("M1", "D50", "2", "", instrument.name, "instrument"))
                write_table(measured_file(work, number), to_table(measured, chart.title))
                told(1.0)
            return len(todo)

        return do

    # Making ------------------------------------------------------------------------------------------------------

    def kin(self) -> list[Row]:
        """Return the profiles of the same printer and inks, for other media: a new one can begin from what they know.

        One's own come first, then those that were tried here.
        """
        card = self._live.state.card
        if card is None:
            return []
        found = []
        for row in self._profiles.rows():
            said = {key: plain(row.papers.value(key)) for key in ("printer", "ink")}
            same = said["printer"] == plain(card.printer_name) and said["ink"] in ("", plain(card.ink))
            what = row.entry.description
            if same and what.usable_as_output and what.colour_space == "RGB":
                found.append(row)
        return sorted(found, key=lambda row: (not row.entry.own, not row.papers.verified, row.title))

    def making(self, kind: str, without: frozenset[str] = frozenset(), like: str = "") -> Callable[[Progress], Made]:
        """Return the work of fitting and building the profile from what was measured, beside the interface.

        `like` is the id of a profile of the same printer and inks to begin from.

        Raises
        ------
        FideleError
            When nothing was measured yet.
        """
        files, card, chart = self.files(kind, like=like), self._live.state.need_card(), made(kind)
        chosen = self.chosen()
        of = {page.measured: made(MEND) for page in self.pages(MEND)}
        of |= {page.measured: page.chosen or chart for page in self.pages(kind, like)}
        once_more = [one for n, one in enumerate(chosen) if is_again(one, [chart, *chosen[:n]])]
        if not files:
            raise FideleError(tr("Nothing was measured yet: print the target bare, press it, and scan or measure it."))
        before, known = self._live.state.profile, self._profiles.shelf.load(like) if like else None
        if kind == MEND:
            return self._mending(files, chart, card, without)
        begun = describe(known).description if known is not None else ""
        now = datetime.datetime.now().replace(microsecond=0)
        title = f"{card.printer_name}, {card.media}, {card.substrate}, {now:%Y-%m-%d %H:%M}"

        counting = self.counting(kind, like)
        pages = self._measured_pages if counting else None

        def work(progress: Progress) -> Made:
            read = [_read(path, of.get(path), chart, chosen) for path in files]
            kinds = {one.measured.conditions.kind for one in read}
            mine = [(one.name, one.measured) for one in replaced(read, once_more)]
            found = gathered(mine + (pages.as_patches(card, kinds) if pages is not None else []), chart)
            if not progress(0.05):
                raise CancelledError

            def told(share: float) -> bool:
                if not progress(0.2 + 0.8 * share):
                    raise CancelledError
                return True

            from fidele.characterise.own import made_from

            own = made_from(found, title, now, stated(card), without, like=known, progress=told)
            return Made(card, title, found, own, chart, _off(before, found), begun, files=(*files, *counting))

        return work

    def _mending(
        self, files: list[Path], chart: Chart, card: Card, without: frozenset[str]
    ) -> Callable[[Progress], Made]:
        old = self._live.state.profile
        if old is None:
            raise FideleError(tr("There is no profile in force to mend: print a whole target."))
        now = datetime.datetime.now().replace(microsecond=0)
        title = f"{card.printer_name}, {card.media}, {card.substrate}, {now:%Y-%m-%d %H:%M}, {tr('mended')}"

        def work(progress: Progress) -> Made:
            found = gathered([(path.name, read_any(path)) for path in files], chart, old)

            def told(share: float) -> bool:
                if not progress(0.2 + 0.8 * share):
                    raise CancelledError
                return True

            from fidele.characterise.own import mended_from

            own, mended = mended_from(found, title, now, old, stated(card), without, progress=told)
            return Made(card, title, found, own, chart, _off(old, found), mended=mended, files=tuple(files))

        return work

    # Versions ----------------------------------------------------------------------------------------------------

    def versions(self) -> list[Version]:
        """Return the profiles that were made here for the condition in force, the newest first."""
        card = self._live.state.card
        if card is None:
            return []
        found = []
        for row in self._profiles.rows():
            meta, mean = row.entry.description.meta, row.entry.description.stated_error
            about = {"about.unit": card.printer, "about.media": card.media, "about.substrate": card.substrate}
            if mean is not None and all(meta.get(k) == v for k, v in about.items() if v):
                made_at = row.entry.description.made
                found.append(Version(row.entry.id, row.title, made_at, mean, meta, row.entry.id == card.profile))
        return sorted(found, key=lambda v: (v.made, v.title), reverse=True)

    def take_version(self, version: Version) -> None:
        """Put another version of the profile into the condition in force, as a step that can be undone."""
        self._in_force.change(
            tr("Take “{title}”", title=version.title), profile=version.id, profile_title=version.title, owner="fidele"
        )
        self._live.say(tr("“{title}” is in use again. Try it: print and check the quick chart.", title=version.title))

    def take(self, done: Made) -> str:
        """Put a profile that was made on the shelf and into its condition, as one step; return its id.

        Raises
        ------
        FideleError
            When another condition is in force by now, or the profile cannot be kept.
        """
        card = need_in_force(self._live, done.card)
        profile_id = shelved(self._profiles, self._work, done.title, done.own.profile)
        said = done.own.fit.stated
        found = Verified(
            unit=card.printer,
            printer=card.printer_name,
            when=datetime.datetime.now().replace(microsecond=0),
            mean=round(said.mean, 2),
            p95=round(said.p95, 2),
            passed=True,
            sentence=tr(
                "Made from this printer's own target; {words}{words2}",
                words=lowered(said.words[0]),
                words2=said.words[1:],
            ),
            chart=tr("its own target"),
            run=0,
        )
        self._profiles.verified(profile_id, found)
        taken_into_use(self._live, self._in_force, done.title, profile_id)
        self.made = None
        return profile_id


def shelved(profiles: Profiles, work: Path, title: str, data: bytes) -> str:
    """Keep a profile that was made here among the workshop's files, put it on the shelf, and return its id.

    Raises
    ------
    FideleError
        When it cannot be kept or put there.
    """
    profile_id = Profile.parse(data).content_id
    path = work / tr("own profiles") / f"{title.replace(':', '.').replace('/', '-')}.icc"
    write_bytes(path, data)
    profiles.install(path)
    if profiles.shelf.find(profile_id) is None:
        raise FideleError(tr("The profile could not be put on the shelf; it lies in {path}.", path=path))
    return profile_id


def need_in_force(live: Live, card: Card) -> Card:
    """Return the condition that a profile was made for, as it is now; `FideleError` where another is in force."""
    now = live.state.need_card()
    if now.id != card.id:
        raise FideleError(tr("The profile was made for “{name}”: put that in force first.", name=card.name))
    return now


def taken_into_use(live: Live, in_force: InForce, title: str, profile_id: str) -> None:
    """Let the condition in force print through a profile that was made here, as one step, and say so."""
    in_force.change(tr("Take “{title}”", title=title), profile=profile_id, profile_title=title, owner="fidele")
    live.say(tr("“{title}” is on the shelf and in use. Try it: print and check the quick chart.", title=title))


def _read(path: Path, chart: Chart | None, target: Chart, chosen: list[Chart]) -> Read:
    """Return a file of measurements with the chart that it is of, and, where that was chosen, its device values."""
    measured = read_any(path)
    if chart is None:  # added by hand
        ids = set(measured.ids)
        chart = next((one for one in (*chosen, target) if ids <= set(one.ids)), None)
    if chart is not None and chart is not target and measured.rgb is None:
        measured = replace(measured, rgb=Read(path.name, measured, chart).rgb)
        if chart.name == MEND and target.name != MEND:  # its samples are called like some of the target's
            measured, chart = replace(measured, ids=tuple(f"{MEND} {sample}" for sample in measured.ids)), None
    return Read(path.name, measured, chart)


def _off(profile: Profile | None, found: Gathered) -> float | None:
    if profile is None or profile.channels != 3:
        return None
    said = to_lab(found.device.astype(np.float32), profile, Intent.ABSOLUTE).astype(float)
    return float(delta_e_2000(said, found.Lab).mean())
