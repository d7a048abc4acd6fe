"""Checks in the session: scans and measurement files judged, kept in the logbook, averaged, compared, followed."""

from __future__ import annotations

import datetime
import json
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from fidele.characterise.scanner import ScannerFit, fit_scanner
from fidele.chart.cgats import read as read_table
from fidele.chart.cgats import write as write_table
from fidele.chart.definition import Chart
from fidele.chart.definition import from_table as from_chart_table
from fidele.chart.measurement import Measurement, averaged, from_table, read_any
from fidele.chart.read import Reading, read_all, read_scan
from fidele.chart.visual import VISUAL
from fidele.check.statistics import Comparison, compare, relative_to_white
from fidele.check.tolerance import TOLERANCES, Tolerance, kept_tolerances
from fidele.check.words import in_words
from fidele.errors import FideleError
from fidele.icc.profile import Profile
from fidele.route.condition import Card
from fidele.session.checks import Aim, Checked, check_measured, check_reading, uncertainty_of, verdict_of
from fidele.session.job import Job, Patches, Printed
from fidele.session.scanners import ScannerRecord
from fidele.store.records import Check, Verdict

if TYPE_CHECKING:
    from fidele.session.model import Session

Floats = NDArray[np.float64]

#: How many other profiles are suspected of having been used by mistake.
_OTHERS = 24


#: What can be concluded from a scanner that nobody characterised.
NOT_CHARACTERISED = (
    "The scanner is not characterised: how these prints differ from each other counts, how far each is from what was "
    "wanted does not."
)


@dataclass(frozen=True, eq=False)
class PrintMeasured:
    """A print of a chart as it was measured: its label, run, card, and what was found."""

    label: str
    run: int
    card: Card | None
    checked: Checked


class Checking:
    """Judges what is measured, for a session."""

    def __init__(self, session: Session) -> None:
        self._session = session
        self._folder = session.places.data / "tolerances"
        #: Name of the set of limits in use; whether white is the substrate's.
        self.limits = "everyday"
        self.relative = False
        #: What prints are compared with: '' for the profile's prediction, a file, or 'run 12'.
        self.against = ""
        #: Prints that lie beside each other, at most six.
        self.beside: tuple[PrintMeasured, ...] = ()
        #: Measurements of the run in hand that are averaged.
        self.repeats: tuple[Measurement, ...] = ()
        self.repeatability = 0.0
        self.last_scan: NDArray[Any] | None = None

    # Limits ------------------------------------------------------------------------------------------------------

    def tolerances(self) -> dict[str, Tolerance]:
        """Return the sets of limits, ours and those in the workshop's folder; what is wrong with a file is said."""
        found, wrong = kept_tolerances(self._folder)
        if wrong:
            self._session.say(wrong[0])
        return found

    @property
    def tolerance(self) -> Tolerance:
        """The set of limits in use."""
        return self.tolerances().get(self.limits, TOLERANCES["everyday"])

    def choose(self, limits: str | None = None, relative: bool | None = None, against: str | None = None) -> None:
        """Judge by other limits, relative to the substrate's white or not, or against something else."""
        if limits is not None:
            self.limits = limits
        if relative is not None:
            self.relative = relative
        if against is not None:
            self.against = against
        session = self._session
        if session.checked is not None and session.run is not None:
            session.checked = self._again(session.checked, session.run.job)
            session.judge_again()
            session.tell("check")

    # Judging -----------------------------------------------------------------------------------------------------

    def aim(self, job: Job) -> Aim:
        """Return what a job's print is judged by."""
        session = self._session
        if job.profile is None:
            raise FideleError("Without a profile there is nothing to check the print against.")
        return Aim(
            job.card,
            job.profile,
            self.tolerance,
            session.handoff.correction(),
            self._others(job.profile),
            self.relative,
        )

    def _others(self, mine: Profile) -> list[tuple[str, str, Profile]]:
        found: list[tuple[str, str, Profile]] = []
        for row in self._session.profiles.rows():
            entry = row.entry
            if len(found) >= _OTHERS:
                break
            usable = entry.description.usable_as_output and entry.description.colour_space == "RGB"
            if usable and entry.id != mine.content_id:
                try:
                    found.append((entry.id, row.title, self._session.shelf.load(entry.id)))
                except FideleError:
                    continue
        return found

    def check_run(
        self, printed: Printed, scan: NDArray[Any], ppi: float = 0.0, corners: Floats | None = None
    ) -> Checked:
        """Read a scan of a run's chart and find out what it says; kept in the logbook. Can run beside the interface.

        `ppi` is the scan's resolution, by which the print's size is judged; 0 where it is not known.
        """
        self.last_scan = scan
        chart = self._patches_of(printed.job).chart
        return self._keep(printed, self._judged(chart, read_scan(scan, chart, corners), printed.job, scan, ppi))

    def measure_run(self, printed: Printed, measured: Measurement) -> Checked:
        """Judge an instrument's measurement of a run's chart; kept in the logbook."""
        chart = self._patches_of(printed.job).chart
        uncertainty = uncertainty_of(measured, self._session.scanner.residual_mean)
        return self._keep(printed, self._finished(check_measured(chart, measured, self.aim(printed.job), uncertainty)))

    @staticmethod
    def _patches_of(job: Job) -> Patches:
        if job.patches is None:
            raise FideleError("This run is no chart and has no control strip: print the control chart to check it.")
        if job.patches.chart.name == VISUAL:
            raise FideleError("The visual page is judged by eye; a chart with patches is scanned.")
        return job.patches

    def _judged(self, chart: Chart, reading: Reading, job: Job, scan: NDArray[Any], ppi: float) -> Checked:
        session = self._session
        record = session.scanner
        names = {"instrument": session.workshop.scanner_name, "profile": record.title}
        scanner = record.profile()
        made = check_reading(
            chart,
            reading,
            self.aim(job),
            scanner,
            record.residual_mean,
            names,
            self._patches_of(job).placing,
            ppi,
            scanner,
        )
        return self._finished(replace(made, scan=scan))

    def _finished(self, checked: Checked) -> Checked:
        """Compare with what was chosen instead of the profile, where something was."""
        if not self.against:
            return checked
        reference, words = self._reference(checked)
        ids = tuple(s for s in checked.measured.ids if s in set(reference.ids))
        rows = [checked.measured.ids.index(s) for s in ids]
        wanted, got = reference.rows(ids).Lab, checked.measured.Lab[rows]
        if self.relative:
            white = int(wanted[:, 0].argmax())
            wanted, got = relative_to_white(wanted, wanted[white]), relative_to_white(got, got[white])
        families = tuple(checked.chart.families[int(checked.index[r])] for r in rows)
        against = compare(ids, wanted, got, checked.comparison.tolerance, families)
        mixed = tuple(reference.conditions.mixed_with(checked.measured.conditions))
        return replace(
            checked,
            index=checked.index[rows],
            comparison=against,
            words=tuple(in_words(against)),
            against=words,
            ramps=(),
            cautions=(*checked.cautions, *mixed),
        )

    def _reference(self, checked: Checked) -> tuple[Measurement, str]:
        if self.against.startswith("run "):
            path = self.file_of(int(self.against[4:]))
            return from_table(read_table(path), str(path)), f"the print of {self.against}"
        path = Path(self.against)
        return read_any(path), f"the reference {path.name}"

    def _again(self, checked: Checked, job: Job) -> Checked:
        """Judge what was measured anew, by what is chosen now."""
        if checked.reading is not None and checked.scan is not None:
            return self._judged(checked.chart, checked.reading, job, checked.scan, 0.0)
        return self._finished(check_measured(checked.chart, checked.measured, self.aim(job), checked.uncertainty))

    def _keep(self, printed: Printed, checked: Checked) -> Checked:
        self._session.logbook.add_verdict(printed.number, verdict_of(checked))
        write_table(self.file_of(printed.number), checked.table)
        return checked

    def file_of(self, run: int) -> Path:
        """Return where the measurements of a run are kept."""
        return self._session.places.work / f"run-{run}.txt"

    def repeat(self, measured: Measurement) -> Measurement:
        """Add a measurement of the print in hand; return the mean of all."""
        self.repeats = (*self.repeats, measured)
        mean, self.repeatability = averaged(list(self.repeats))
        return mean

    # Prints beside each other ------------------------------------------------------------------------------------

    def lay_beside(self, one: PrintMeasured) -> None:
        """Lay a print beside the others; of the same run it takes the place, and the oldest gives way to a seventh."""
        kept = [p for p in self.beside if p.run != one.run or p.run == 0]
        self.beside = tuple([*kept, one][-6:])
        self._session.tell("check")

    def read_prints(self, scan: NDArray[Any]) -> list[PrintMeasured]:
        """Read every print on one scan, to be compared with each other. Can run beside the interface.

        Raises
        ------
        FideleError
            When none is found, with the reason for the first that was seen.
        """
        session = self._session
        found, refused = read_all(scan, session.charts.known())
        if not found:
            raise FideleError(refused[0] if refused else "No chart was found on the scan.")
        cards = {c.run: c for c in session.logbook.checks()}
        prints = []
        for number, (chart, reading) in enumerate(found):
            run = reading.code.run if reading.code is not None else 0
            label = f"run {run}" if run else f"print {chr(65 + number)}"
            card = Card.model_validate_json(cards[run].card) if run in cards else session.card
            prints.append(PrintMeasured(label, run, card, self._relatively(chart, reading, card, scan)))
        return prints

    def _relatively(self, chart: Chart, reading: Reading, card: Card | None, scan: NDArray[Any]) -> Checked:
        """Judge a print for comparison with others; without a scanner's profile the scan is taken for sRGB."""
        session = self._session
        record = session.scanner
        scanner = record.profile() if record.path else None
        names = {"instrument": session.workshop.scanner_name, "profile": record.title}
        profile = session.profile
        if card is None or profile is None:
            raise FideleError("A printing condition with a profile is needed to judge prints by.")
        aim = Aim(card, profile, self.tolerance, None, (), self.relative)
        uncertainty = record.residual_mean if scanner is not None else 3.0
        made = check_reading(chart, reading, aim, scanner, uncertainty, names)
        if scanner is None:
            made = replace(made, cautions=(*made.cautions, NOT_CHARACTERISED))
        return replace(made, scan=scan)

    # Over time ---------------------------------------------------------------------------------------------------

    def trend(self, card_id: str) -> list[Check]:
        """Return the checks of a condition, oldest first."""
        return [c for c in self._session.logbook.checks() if json.loads(c.card).get("id") == card_id]

    def due(self, card: Card, today: datetime.date) -> int | None:
        """Return for how many days a condition has not been checked, None where it never was."""
        last = self._session.logbook.last_check(card.id)
        return (today - last.date()).days if last is not None else None

    # The scanner -------------------------------------------------------------------------------------------------

    def characterise_scanner(self, scan: NDArray[Any], reference: Path) -> ScannerFit:
        """Make the scanner's profile from a scan of a target with known values; it goes on the shelf with its date.

        Raises
        ------
        FideleError
            When the target is not found on the scan, or its reference lacks values.
        """
        table = read_table(reference)
        chart, known = from_chart_table(table, str(reference)), from_table(table, str(reference))
        reading = read_scan(scan, chart)
        now = datetime.datetime.now()
        name = f"{self._session.workshop.scanner_name}, {now:%Y-%m-%d}"
        return fit_scanner(reading.rgb, known.Lab[reading.index], name, now)

    def keep_scanner(self, fit: ScannerFit) -> None:
        """Take a fit as the scanner's profile: what is read from now on goes through it."""
        session = self._session
        record = ScannerRecord.keep(session.places.data, fit)
        session.roles.choose("scanner", "")
        if record.path is not None:
            session.install(record.path)
        session.say(
            f"The scanner was characterised from {fit.patches} patches: off by {fit.residual_mean:.2f} ΔE00 on those "
            "held out. Verdicts claim no more than that."
        )
        session.tell("check")

    # By eye ------------------------------------------------------------------------------------------------------

    def keep_answers(self, run: int, answers: dict[str, int], words: tuple[str, ...]) -> None:
        """Keep what somebody saw on the visual page: a measurement of a lower class."""
        wrong = sum(a > 0 for a in answers.values())
        self._session.logbook.add_verdict(
            run, Verdict(0, 0, 0, "fail" if wrong else "pass", "by-eye", words, "Visual page", "", "the eye", "by eye")
        )
        self._session.tell("log")


def changed_between(one: Check, other: Check) -> list[str]:
    """Say what differs between the conditions of two checks: card, driver settings, profile."""
    a, b = json.loads(one.card), json.loads(other.card)
    said = []
    for key, words in (
        ("profile_title", "profile"),
        ("media", "media"),
        ("substrate", "substrate"),
        ("ink", "ink"),
        ("intent", "intent"),
        ("driver_version", "driver version"),
    ):
        if a.get(key) != b.get(key):
            said.append(f"{words}: {a.get(key) or '–'} → {b.get(key) or '–'}")
    if a.get("profile") != b.get("profile") and a.get("profile_title") == b.get("profile_title"):
        said.append("profile: another version")
    before, after = json.loads(one.settings), json.loads(other.settings)
    for key in sorted(before.keys() | after.keys()):
        if before.get(key) != after.get(key):
            said.append(f"{key}: {before.get(key, '–')} → {after.get(key, '–')}")
    return said


def best_where(prints: tuple[PrintMeasured, ...]) -> list[str]:
    """Say which of several prints is best, and where: 'B keeps greys, A keeps light tints'."""
    if len(prints) < 2:
        return []
    overall = min(prints, key=lambda p: p.checked.comparison.mean)
    said = [f"{_cap(overall.label)} comes nearest all in all, ΔE00 {overall.checked.comparison.mean:.1f}."]
    sums = {p.label: p.checked.comparison.by_family() for p in prints}
    families = set.intersection(*(set(s) for s in sums.values()))
    wins: dict[str, list[str]] = {}
    for family in sorted(families):
        ranked = sorted(sums, key=lambda label: sums[label][family].mean)
        lead = sums[ranked[1]][family].mean - sums[ranked[0]][family].mean
        if lead > 0.3:
            wins.setdefault(ranked[0], []).append(family)
    if set(wins) == {overall.label} and len(wins[overall.label]) == len(families):
        return [*said, "It is better everywhere."]
    said += [f"{_cap(label)} is better in {', '.join(won)}." for label, won in wins.items()]
    return said


def _cap(words: str) -> str:
    return words[:1].upper() + words[1:]


def side_by_side(prints: tuple[PrintMeasured, ...]) -> Comparison | None:
    """Compare the first two prints of one chart with each other, None where they are of different charts."""
    if len(prints) < 2 or prints[0].checked.chart.digest != prints[1].checked.chart.digest:
        return None
    one, other = prints[0].checked.measured, prints[1].checked.measured
    shared = tuple(s for s in one.ids if s in set(other.ids))
    if not shared:
        return None
    return compare(shared, one.rows(shared).Lab, other.rows(shared).Lab, prints[0].checked.comparison.tolerance)
