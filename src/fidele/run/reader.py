"""What scans and measurements are judged by, as it is at a moment: to be used beside the interface."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Codes, Floats
from fidele.chart.cgats import read as read_table
from fidele.chart.cgats import write as write_table
from fidele.chart.definition import Chart
from fidele.chart.measured_file import read_any
from fidele.chart.measurement import Measurement, from_table, matched
from fidele.chart.read import Reading, read_all, read_scan
from fidele.chart.visual import VISUAL
from fidele.check.cause import Cause
from fidele.check.statistics import compare, relative_to_white
from fidele.check.suspects import MEASURED
from fidele.check.tolerance import Tolerance
from fidele.check.words import in_words
from fidele.dataclass import dataclass
from fidele.devices.devices import Devices
from fidele.errors import FideleError
from fidele.icc.describe import describe
from fidele.icc.profile import Profile
from fidele.icc.transform import Intent
from fidele.language import tr
from fidele.route.as_measured import as_measured
from fidele.route.condition import Card
from fidele.run.beside import PrintMeasured
from fidele.run.job import Job, Lying, Patches, Printed
from fidele.run.probes import Corrections
from fidele.run.reading import Aim, Checked, check_measured, check_reading, uncertainty_of, verdict_of
from fidele.run.unprofiled import NOT_CHARACTERISED, measured_unprofiled, scan_unprofiled
from fidele.sheet.arc import arc_of
from fidele.sheet.shapes import within
from fidele.store.cards import card_of
from fidele.store.logbook import Logbook
from fidele.store.records import Verdict
from fidele.store.scanners import ScannerRecord

if TYPE_CHECKING:
    from fidele.piece.check import PieceAim, PieceChecked

#: Nearer to the edge of a blank than this share of it nothing is measured: no piece lies quite true.
_EDGE = 0.02
#: So many of a condition's last pieces tell of its press.
_PIECES = 12
#: What stands before the number of a run with which a print is compared, in place of a reference file.
RUN = "run "
#: How many other profiles are suspected of having been used by mistake.
_OTHERS = 24


@dataclass(frozen=True)
class Reader:
    """Judges what is measured, and keeps it in the logbook.

    Attributes
    ----------
    tolerance, relative
        The limits; whether white is the substrate's.
    against
        What prints are compared with: '' for the profile's prediction, a file, or 'run 12'.
    others
        Id, title and path of output profiles that may have been used by mistake.
    card, profile
        The condition in force, by which prints are judged that do not say which is theirs.
    folder
        Where measurements are kept.
    """

    tolerance: Tolerance
    relative: bool
    against: str
    others: tuple[tuple[str, str, Path], ...]
    scanner: ScannerRecord
    devices: Devices
    corrections: Corrections
    logbook: Logbook
    folder: Path
    card: Card | None = None
    profile: Profile | None = None
    #: Patches, by id, that a person left out.
    left_out: frozenset[str] = frozenset()

    def aim(self, job: Job) -> Aim:
        """Return what a job's print is judged by: its own profile, and its own printer where that is here."""
        profile = job.profile
        if profile is None or job.card.profile is None:
            raise FideleError(tr("Without a profile there is nothing to check the print against."))
        driver = self.corrections.of(self.devices.find(job.card.printer))
        return Aim(job.card, profile, self.tolerance, driver, self._others(profile), self.relative)

    def _others(self, mine: Profile) -> list[tuple[str, str, Profile]]:
        found: list[tuple[str, str, Profile]] = []
        for profile_id, title, path in self.others:
            if profile_id != mine.content_id and len(found) < _OTHERS:
                try:
                    found.append((profile_id, title, Profile.open(path)))
                except FideleError:
                    continue
        return found

    def check(self, printed: Printed, scan: Codes, ppi: float = 0.0, corners: Floats | None = None) -> Checked:
        """Read a scan of a run's chart and find out what it says; kept in the logbook.

        `ppi` is the scan's resolution, by which the print's size is judged; 0 where it is not known.
        """
        chart = patches_of(printed.job).chart
        return self._keep(printed, self.judged(chart, read_scan(scan, chart, corners), printed.job, scan, ppi))

    def measure(self, printed: Printed, measured: Measurement) -> Checked:
        """Judge an instrument's measurement of a run's chart; kept in the logbook."""
        chart = patches_of(printed.job).chart
        uncertainty = uncertainty_of(measured, self.scanner.residual_mean)
        return self._keep(printed, self._measured(chart, measured, printed.job, uncertainty))

    def _measured(self, chart: Chart, measured: Measurement, job: Job, uncertainty: float) -> Checked:
        if self.left_out:
            every = matched(measured, chart.ids, chart.rgb)
            kept = every.rows(_all_but(every.ids, self.left_out))
            made = replace(self, left_out=frozenset())._measured(chart, kept, job, uncertainty)
            return self._saying_so(made, measured)
        if job.profile is None or job.card.profile is None or job.bare:
            code = "bare" if job.bare else "no-profile"
            return self.finished(measured_unprofiled(chart, measured, self.tolerance, uncertainty, code))
        return self.finished(check_measured(chart, measured, self.aim(job), uncertainty))

    def piece(self, printed: Printed, scan: Codes, photo: bool = False) -> PieceChecked:
        """Judge the finished piece of a run by its artwork, on a scan or photograph; kept in the logbook.

        Raises
        ------
        FideleError
            When its artwork is not found on it, holds too little to measure, or was printed without a profile.
        """
        from fidele.piece.check import check_piece

        checked = check_piece(scan, self.piece_aim(printed.job), *self.seen_through(photo), photo)
        checked = self._with_earlier(printed, checked)
        c = checked.comparison
        self.logbook.add_verdict(
            printed.number,
            Verdict(
                c.mean,
                c.p95,
                c.largest,
                checked.verdict,
                checked.cause.code,
                (*c.failures, *checked.words),
                tr("the piece itself"),
                c.tolerance.name,
                tr("what the proof promised"),
                checked.trust,
                checked.uncertainty,
            ),
        )
        return checked

    def _with_earlier(self, printed: Printed, checked: PieceChecked) -> PieceChecked:
        """Keep where a piece is off, and lay the last pieces of its condition over it: what is alike is the press's."""
        if printed.job.card.process != "transfer":
            return checked
        from fidele.piece.press_map import keep_map, kept_map, press_map

        keep_map(map_file(self.folder, printed.number), checked.map)
        runs = [printed.number, *(n for n in self.logbook.runs_of(printed.job.card.id) if n != printed.number)]
        maps = [kept for n in runs if (kept := kept_map(map_file(self.folder, n))) is not None]
        return replace(checked, press=press_map(maps[:_PIECES]))

    def seen_through(self, photo: bool) -> tuple[Profile | None, float]:
        """Return the scanner's profile, None for a camera or where there is none, and by how much that is off."""
        known = self.scanner.path is not None and not photo
        return (self.scanner.profile() if known else None), self.scanner.residual_mean

    def piece_aim(self, job: Job) -> PieceAim:
        """Return what the first piece of a job is judged by."""
        one = job.lying[0]
        if one.profile is None:
            raise FideleError(tr("Without a profile there is nothing to judge the piece by."))
        # The print system converts for every program alike, whatever this card says.
        system = one.card.owner == "system"
        how = replace(one.how, intent=Intent.PERCEPTUAL, bpc=False) if system else one.how
        from fidele.piece.check import PieceAim

        if one.card.profile is None:  # by what measured pages of this print tell
            how = replace(one.how, way=as_measured(one.card), keep="")
            pixels, source, transfer = one.artwork.laid, one.artwork.profile, one.card.process == "transfer"
            off = describe(one.profile).stated_error or 0.0
            return PieceAim(
                pixels, source, one.profile, how, self.tolerance, transfer, MEASURED, visible=shown_by(one), off=off
            )
        return PieceAim(
            one.artwork.laid,
            one.artwork.profile,
            one.profile,
            how,
            self.tolerance,
            one.card.process == "transfer",
            "driver" if one.card.owner == "driver" else "fidele",
            self.corrections.of(self.devices.find(one.card.printer)),
            self._others(one.profile),
            shown_by(one),
        )

    def again(self, checked: Checked, job: Job) -> Checked:
        """Judge what was measured anew, by what is chosen now."""
        whole = checked.whole
        if checked.reading is not None and checked.scan is not None:
            reading = whole if isinstance(whole, Reading) else checked.reading
            return self.judged(checked.chart, reading, job, checked.scan, 0.0)
        measured = whole if isinstance(whole, Measurement) else checked.measured
        return self._measured(checked.chart, measured, job, checked.uncertainty)

    def judged(self, chart: Chart, reading: Reading, job: Job, scan: Codes, ppi: float) -> Checked:
        """Judge a reading of a job's chart."""
        if self.left_out:
            kept = _all_but(tuple(chart.ids[i] for i in reading.index), self.left_out)
            mine = np.array([chart.ids[i] in kept for i in reading.index])
            made = replace(self, left_out=frozenset()).judged(chart, reading.rows(mine), job, scan, ppi)
            return self._saying_so(made, reading)
        if job.profile is None or job.card.profile is None or job.bare:
            return self.finished(self._unprofiled(chart, reading, scan, "bare" if job.bare else "no-profile"))
        record = self.scanner
        names = {"instrument": self.devices.scanner_name, "profile": record.title}
        scanner, placing = record.profile(), patches_of(job).placing
        aim = self.aim(job)
        made = check_reading(chart, reading, aim, scanner, record.residual_mean, names, placing, ppi, scanner)
        return self.finished(replace(made, scan=scan))

    def _saying_so(self, checked: Checked, whole: Reading | Measurement) -> Checked:
        there = [sample for sample in checked.chart.ids if sample in self.left_out]
        said = tr(
            "Left out by hand: {there}{value}.", there=", ".join(there[:12]), value=(" …" if len(there) > 12 else "")
        )
        return replace(checked, cautions=(*checked.cautions, said) if there else checked.cautions, whole=whole)

    def finished(self, checked: Checked) -> Checked:
        """Compare with what was chosen instead of the profile, where something was."""
        if not self.against:
            return checked
        reference, words = self._reference()
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

    def _reference(self) -> tuple[Measurement, str]:
        if self.against.startswith(RUN):
            number = int(self.against.removeprefix(RUN))
            path = measured_file(self.folder, number)
            return from_table(read_table(path), str(path)), tr("the print of run {number}", number=number)
        path = Path(self.against)
        return read_any(path), tr("the reference {name}", name=path.name)

    def _keep(self, printed: Printed, checked: Checked) -> Checked:
        self.logbook.add_verdict(printed.number, verdict_of(checked))
        write_table(measured_file(self.folder, printed.number), checked.table)
        return checked

    def prints(self, scan: Codes, known: Sequence[Chart]) -> list[PrintMeasured]:
        """Read every print of a known chart on one scan, to be compared with each other.

        Raises
        ------
        FideleError
            When none is found, with the reason for the first that was seen.
        """
        found, refused = read_all(scan, known)
        if not found:
            raise FideleError(refused[0] if refused else tr("No chart was found on the scan."))
        prints = []
        for number, (chart, reading) in enumerate(found):
            run = reading.code.run if reading.code is not None else 0
            label = tr("run {run}", run=run) if run else tr("print {chr}", chr=chr(65 + number))
            try:  # whatever it was printed by, whether it was ever checked or not
                card = card_of(self.logbook.run(run).card.encode(), label) if run else self.card
            except FideleError:
                card = self.card
            prints.append(PrintMeasured(label, run, card, self._relatively(chart, reading, card, scan)))
        return prints

    def _relatively(self, chart: Chart, reading: Reading, card: Card | None, scan: Codes) -> Checked:
        """Judge a print for comparison with others; without a scanner's profile the scan is taken for sRGB."""
        if card is None or card.profile is None or self.profile is None:
            return self._unprofiled(chart, reading, scan)
        record = self.scanner
        scanner = record.profile() if record.path else None
        names = {"instrument": self.devices.scanner_name, "profile": record.title}
        aim = Aim(card, self.profile, self.tolerance, None, (), self.relative)
        uncertainty = record.residual_mean if scanner is not None else 3.0
        made = check_reading(chart, reading, aim, scanner, uncertainty, names)
        if scanner is None:
            unjudged = replace(made.comparison, judged=False)
            cautions = (*made.cautions, NOT_CHARACTERISED)
            made = replace(made, comparison=unjudged, cause=Cause("scanner-bare", ()), cautions=cautions)
        return replace(made, scan=scan)

    def _unprofiled(self, chart: Chart, reading: Reading, scan: Codes, code: str = "no-profile") -> Checked:
        record = self.scanner
        scanner = record.profile() if record.path else None
        names = {"instrument": self.devices.scanner_name, "profile": record.title}
        uncertainty = record.residual_mean if scanner is not None else 3.0
        return scan_unprofiled(chart, reading, scan, self.tolerance, scanner, uncertainty, names, code)


def shown_by(one: Lying) -> Callable[[Floats], NDArray[np.bool_]] | None:
    """Return which places of a picture its blank shows: what lies within its outline, and was not cropped away."""
    if one.behind is None and one.shape == "rectangle":
        return None
    arc, shape = arc_of(one.shape), one.shape
    wide, high = one.placing.width, one.placing.height
    if arc is not None:  # the picture is flat again on the piece
        wide, high, shape = wide / arc.size[0], wide / arc.size[0] * arc.share, "rectangle"
    left, top, across, down = one.behind or (0.0, 0.0, wide, high)

    def visible(places: Floats) -> NDArray[np.bool_]:
        u, v = (left + places[:, 0] * across) / wide - 0.5, (top + places[:, 1] * down) / high - 0.5
        return within(shape, u, v, _EDGE)

    return visible


def _all_but(ids: tuple[str, ...], left_out: frozenset[str]) -> tuple[str, ...]:
    kept = tuple(sample for sample in ids if sample not in left_out)
    if not kept:
        raise FideleError(tr("Every patch was left out: there is nothing to judge."))
    return kept


def by_artwork(printed: Printed | None) -> bool:
    """Whether the piece of a run can be judged by its artwork: it was printed through a profile, and is no chart."""
    job = printed.job if printed is not None else None
    return job is not None and job.chart is None and bool(job.lying) and job.lying[0].profile is not None


def patches_of(job: Job) -> Patches:
    """Return what can be read on a job's print; `FideleError` where nothing can."""
    if job.patches is None:
        raise FideleError(tr("This run is no chart and has no control strip: print the control chart to check it."))
    if job.patches.chart.name == VISUAL:
        raise FideleError(tr("The visual page is judged by eye; a chart with patches is scanned."))
    return job.patches


def map_file(folder: Path, run: int) -> Path:
    """Return where it is kept where the piece of a run is off."""
    return folder / f"run-{run}-piece.json"


def measured_file(folder: Path, run: int) -> Path:
    """Return where the measurements of a run are kept."""
    return folder / f"run-{run}.txt"
