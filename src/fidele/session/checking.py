"""Checks in the session: by which limits and against what, prints beside each other, the trend, the scanner."""

from __future__ import annotations

import datetime
import json
from dataclasses import replace
from pathlib import Path

from fidele.arrays import Codes, Floats
from fidele.characterise.scanner import ScannerFit, fit_scanner, scanner_error
from fidele.chart.cgats import read as read_table
from fidele.chart.definition import from_table as from_chart_table
from fidele.chart.measurement import Measurement, averaged, from_table
from fidele.chart.read import read_scan
from fidele.check.tolerance import TOLERANCES, Tolerance, kept_tolerances
from fidele.devices.devices import Devices
from fidele.language import tr, trn
from fidele.route.condition import Card
from fidele.route.differences import LOTS
from fidele.run.beside import PrintMeasured
from fidele.run.job import Printed
from fidele.run.probes import Corrections
from fidele.run.reader import RUN, Reader, measured_file
from fidele.run.reading import Checked
from fidele.run.trial import verified
from fidele.session.charts import Charts
from fidele.session.live import Live
from fidele.session.news import LogChanged
from fidele.session.person import person
from fidele.session.places import Places
from fidele.session.profiles import Profiles
from fidele.session.state import CheckTaken
from fidele.store.logbook import Logbook
from fidele.store.records import Check, Verdict
from fidele.store.scanners import ScannerRecord, ScannerSeen


class Checking:
    """How what is measured is judged, for a session."""

    def __init__(
        self,
        live: Live,
        profiles: Profiles,
        charts: Charts,
        devices: Devices,
        corrections: Corrections,
        logbook: Logbook,
        places: Places,
    ) -> None:
        self._live, self._profiles, self._charts, self._devices = live, profiles, charts, devices
        self._corrections, self._logbook, self._places = corrections, logbook, places
        #: Name of the set of limits in use; whether white is the substrate's.
        self.limits = "everyday"
        self.relative = False
        #: What prints are compared with: '' for the profile's prediction, a file, or 'run 12'.
        self.against = ""
        #: Patches, by id, that a person left out of the print in hand.
        self.left_out: frozenset[str] = frozenset()
        #: Prints that lie beside each other, at most six.
        self.beside: tuple[PrintMeasured, ...] = ()
        #: Measurements of the run in hand that are averaged.
        self.repeats: tuple[Measurement, ...] = ()
        self.repeatability = 0.0
        self.last_scan: Codes | None = None

    # Limits ------------------------------------------------------------------------------------------------------

    def tolerances(self) -> dict[str, Tolerance]:
        """Return the sets of limits, ours and those in the workshop's folder; what is wrong with a file is said."""
        found, wrong = kept_tolerances(self._places.data / "tolerances")
        if wrong:
            self._live.say(wrong[0])
        return found

    @property
    def tolerance(self) -> Tolerance:
        """The set of limits in use."""
        return self.tolerances().get(self.limits, TOLERANCES["everyday"])

    @property
    def scanner(self) -> ScannerRecord:
        """The profile that scans are read through."""
        return self._profiles.scanner(self._places.data)

    def choose(self, limits: str | None = None, relative: bool | None = None, against: str | None = None) -> None:
        """Judge by other limits, relative to the substrate's white or not, or against something else: a step."""
        before = (self.limits, self.relative, self.against)
        wanted = (
            self.limits if limits is None else limits,
            self.relative if relative is None else relative,
            self.against if against is None else against,
        )
        if wanted == before:
            return

        def take(how: tuple[str, bool, str]) -> None:
            self.limits, self.relative, self.against = how
            self._again()

        if limits is not None:
            name = tr("Judge by the limits “{limits}”", limits=limits)
        elif against is not None:
            number = against.removeprefix(RUN)
            said = tr("run {number}", number=number) if number != against else against
            name = tr("Compare with {against}", against=said or tr("the profile’s prediction"))
        else:
            name = tr("Judge relative to the white") if relative else tr("Judge as measured")
        self._live.history.do(name, lambda: take(wanted), lambda: take(before))

    def leave_out(self, *ids: str) -> None:
        """Leave patches out of the check in hand, a step that can be undone; none takes all in again."""
        before, now = self.left_out, self.left_out | set(ids) if ids else frozenset()
        if before == now:
            return

        def take(which: frozenset[str]) -> None:
            self.left_out = which
            self._again()

        name = (
            tr("Leave out {ids}{value}", ids=", ".join(ids[:3]), value=(" …" if len(ids) > 3 else ""))
            if ids
            else tr("Take all patches in again")
        )
        self._live.history.do(name, lambda: take(now), lambda: take(before))

    def _again(self) -> None:
        state = self._live.state
        if state.checked is not None and state.run is not None:
            reader = replace(self.reader(), left_out=self.left_out)
            self._live.change(CheckTaken(reader.again(state.checked, state.run.job)))
            self._live.judge()

    # Judging -----------------------------------------------------------------------------------------------------

    def reader(self) -> Reader:
        """Return what scans and measurements are judged by now, to be used beside the interface."""
        rows = (row.entry for row in self._profiles.rows())
        others = tuple(
            (e.id, e.title, e.path)
            for e in rows
            if e.description.usable_as_output and e.description.colour_space == "RGB"
        )
        state = self._live.state
        return Reader(
            self.tolerance,
            self.relative,
            self.against,
            others,
            self.scanner,
            self._devices,
            self._corrections,
            self._logbook,
            self._places.work,
            state.card,
            state.profile,
        )

    def check_run(self, printed: Printed, scan: Codes, ppi: float = 0.0, corners: Floats | None = None) -> Checked:
        """Read a scan of a run's chart, at once. See `Reader.check`."""
        self.last_scan = scan
        return self.reader().check(printed, scan, ppi, corners)

    def measure_run(self, printed: Printed, measured: Measurement) -> Checked:
        """Judge an instrument's measurement of a run's chart, at once. See `Reader.measure`."""
        return self.reader().measure(printed, measured)

    def read_prints(self, scan: Codes) -> list[PrintMeasured]:
        """Read every print on one scan, at once. See `Reader.prints`."""
        return self.reader().prints(scan, self._charts.known())

    def take(self, checked: Checked) -> None:
        """Show a check that was made elsewhere; what it says of the profile on its printer is kept with both."""
        live, run = self._live, self._live.state.run
        self.left_out = frozenset()
        live.change(CheckTaken(checked))
        tells = checked.comparison.passed or checked.cause.code in ("right", "none")
        if run is not None and run.job.chart is not None and run.job.card.owner == "fidele" and tells:
            card, device = run.job.card, self._devices.find(run.job.card.printer)
            if card.profile and device is not None:
                found = verified(checked, device, run.job.chart.title, run.number, self.scanner.residual_mean)
                self._profiles.verified(card.profile, found)
        live.judge()
        live.tell(LogChanged())
        reading = checked.reading
        how = (
            tr(
                "read, page turned by {turned:.1f}°, light evened by {unevenness:.0f} %",
                turned=reading.turned,
                unevenness=reading.unevenness * 100,
            )
            if reading is not None
            else tr("measured with {words}", words=checked.measured.conditions.words())
        )
        count = len(checked.comparison.ids)
        live.say(trn("{n} patch {how}.", "{n} patches {how}.", count, n=count, how=how))

    def file_of(self, run: int) -> Path:
        """Return where the measurements of a run are kept."""
        return measured_file(self._places.work, run)

    def repeat(self, measured: Measurement) -> Measurement:
        """Add a measurement of the print in hand; return the mean of all."""
        self.repeats = (*self.repeats, measured)
        mean, self.repeatability = averaged(list(self.repeats))
        return mean

    def lay_beside(self, one: PrintMeasured) -> None:
        """Lay a print beside the others; of the same run it takes the place, and the oldest gives way to a seventh."""
        kept = [p for p in self.beside if p.run != one.run or p.run == 0]
        self.beside = tuple([*kept, one][-6:])
        self._live.change(CheckTaken(self._live.state.checked))

    # Over time ---------------------------------------------------------------------------------------------------

    def trend(self, card_id: str) -> list[Check]:
        """Return the checks of a condition, oldest first."""
        return [c for c in self._logbook.checks() if json.loads(c.card).get("id") == card_id]

    def due(self, card: Card, today: datetime.date) -> int | None:
        """Return for how many days a condition has not been checked, None where it never was."""
        last = self._logbook.last_check(card.id)
        return (today - last.date()).days if last is not None else None

    def new_lots(self, card: Card) -> tuple[tuple[str, str], ...]:
        """Return what is of another lot than when a condition was checked last, with that lot."""
        then = self._logbook.lots_checked(card.id) if card.lots else None
        if then is None:
            return ()
        return tuple((k, lot) for k, lot in card.lots.items() if k in LOTS and then.get(k, "") != lot)

    # The scanner -------------------------------------------------------------------------------------------------

    def characterise_scanner(self, scan: Codes, reference: Path) -> ScannerFit:
        """Make the scanner's profile from a scan of a target with known values. Can run beside the interface.

        Raises
        ------
        FideleError
            When the target is not found on the scan, or its reference lacks values.
        """
        table = read_table(reference)
        chart, known = from_chart_table(table, str(reference)), from_table(table, str(reference))
        reading = read_scan(scan, chart)
        now = datetime.datetime.now()
        return fit_scanner(reading.rgb, known.Lab[reading.index], f"{self._devices.scanner_name}, {now:%Y-%m-%d}", now)

    def verify_scanner(self, scan: Codes, reference: Path) -> ScannerSeen:
        """Read a scan of a target with known values through the scanner's profile, and tell how far it is off.

        Raises
        ------
        FideleError
            When the scanner has no profile, the target is not found on the scan, or its reference lacks values.
        """
        table, profile = read_table(reference), self.scanner.profile()
        chart, known = from_chart_table(table, str(reference)), from_table(table, str(reference))
        reading = read_scan(scan, chart)
        off = scanner_error(reading.rgb, known.Lab[reading.index], profile)
        return ScannerSeen(datetime.datetime.now().replace(microsecond=0), float(off.mean()))

    def keep_verified(self, seen: ScannerSeen) -> None:
        """Keep what a scan of the target said of the scanner; verdicts claim no more than that from now on."""
        before = self.scanner
        now = before.add(self._places.data, seen)
        if not before.known:
            self._live.say(
                tr(
                    "On the target the scanner is off by a mean of {mean:.2f} ΔE00. Verdicts claim no more than that.",
                    mean=seen.mean,
                )
            )
            self._live.change(CheckTaken(self._live.state.checked))
            return
        words = tr(
            "On the target the scanner is off by a mean of {mean:.2f} ΔE00; {made:.2f} when it was made.",
            mean=seen.mean,
            made=before.made_mean,
        )
        drifted = tr(" It has drifted: clean the glass, scan again, and characterise it anew if that does not help.")
        self._live.say(words + (drifted if now.drifted else tr(" It sees as it did.")))
        self._live.change(CheckTaken(self._live.state.checked))

    def keep_scanner(self, fit: ScannerFit) -> None:
        """Take a fit as the scanner's profile: what is read from now on goes through it."""
        record = ScannerRecord.keep(self._places.data, fit)
        self._profiles.roles.choose("scanner", "")
        if record.path is not None:
            self._profiles.install(record.path)
        self._live.say(
            tr(
                "The scanner was characterised from {patches} patches: off by {residual_mean:.2f} ΔE00 on "
                "those held out. Verdicts claim no more than that.",
                patches=fit.patches,
                residual_mean=fit.residual_mean,
            )
        )
        self._live.change(CheckTaken(self._live.state.checked))

    # By eye ------------------------------------------------------------------------------------------------------

    def keep_seen(self, run: int, right: bool) -> str:
        """Keep that somebody looked at a piece and found it right or wrong; return that in a sentence."""
        words = (
            tr("{person} looked at the piece of run {run}: it looks right.", person=person(), run=run)
            if right
            else tr("{person} looked at the piece of run {run}: it looks wrong.", person=person(), run=run)
        )
        said = "pass" if right else "fail"
        self._logbook.add_verdict(
            run, Verdict(0, 0, 0, said, "by-eye", (words,), tr("the piece"), "", tr("the eye"), tr("by eye"))
        )
        self._live.tell(LogChanged())
        return words

    def keep_answers(self, run: int, answers: dict[str, int], words: tuple[str, ...]) -> None:
        """Keep what somebody saw on the visual page: a measurement of a lower class."""
        said = "fail" if any(a > 0 for a in answers.values()) else "pass"
        verdict = Verdict(0, 0, 0, said, "by-eye", words, tr("Visual page"), "", tr("the eye"), tr("by eye"))
        self._logbook.add_verdict(run, verdict)
        self._live.tell(LogChanged())
