"""From a reading of a chart to a verdict and its cause. Plain functions of what they need."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import field, replace

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Codes, Floats
from fidele.chart.cgats import Table
from fidele.chart.definition import Chart
from fidele.chart.measurement import Measurement, from_table, matched, reordered
from fidele.chart.read import Reading, read_scan
from fidele.check.cause import Cause, Signs, find_cause
from fidele.check.ramps import Ramp, ramps_of
from fidele.check.statistics import Comparison, Tolerance, compare, relative_to_white
from fidele.check.suspects import Suspicions, suspicions
from fidele.check.words import in_words, run_into_end
from fidele.colour.difference import delta_e_2000
from fidele.dataclass import dataclass
from fidele.icc.profile import Profile
from fidele.icc.spaces import srgb
from fidele.icc.transform import Intent, convert, to_lab
from fidele.language import tr
from fidele.route.condition import Card
from fidele.sheet.placing import Placing
from fidele.store.records import Verdict


@dataclass(frozen=True, eq=False)
class Aim:
    """What a print is judged by: the profile of a condition, what the driver does, and what else is suspected."""

    card: Card
    printer: Profile
    tolerance: Tolerance
    #: What a probe of the driver's own correction returned.
    driver: Callable[[Floats], Floats] | None = None
    #: Id, title and profile of other output profiles that may have been used by mistake.
    others: Sequence[tuple[str, str, Profile]] = ()
    relative: bool = False


@dataclass(frozen=True, eq=False)
class Checked:
    """What was measured of a chart, and what it says. `reading` is there where it was read from a scan."""

    chart: Chart
    index: NDArray[np.int64]
    measured: Measurement
    comparison: Comparison
    cause: Cause
    ramps: tuple[Ramp, ...]
    words: tuple[str, ...]
    uncertainty: float
    table: Table
    reading: Reading | None = None
    scan: Codes | None = None
    cautions: tuple[str, ...] = field(default=())
    #: All that was read or measured, where a person left patches of it out.
    whole: Reading | Measurement | None = None
    #: What it was compared with, in words.
    against: str = tr("what the profile predicts")


def patch_table(chart: Chart, reading: Reading, scanner: Profile | None, names: dict[str, str]) -> Table:
    """Return a reading as a measurement table: scanner RGB, L*a*b* (absolute D50) and spread.

    Without a scanner profile the scan is taken for sRGB, and the table says so.
    """
    space = scanner or srgb()
    Lab = to_lab(reading.rgb.astype(np.float32), space).astype(float)
    keywords = {
        "ORIGINATOR": "Fidele",
        "DESCRIPTOR": chart.title,
        "FIDELE_CHART": chart.name,
        "INSTRUMENTATION": names.get("instrument", "scanner"),
        "FIDELE_SCANNER_PROFILE": names.get("profile", "none: taken for sRGB"),
        "FIDELE_KIND": "scan",
        "WEIGHTING_FUNCTION": "ILLUMINANT D50, OBSERVER 2 degree",
    }
    columns = {f"RGB_{c}": reading.rgb[:, i] * 255 for i, c in enumerate("RGB")}
    columns |= {f"LAB_{c}": Lab[:, i] for i, c in enumerate("LAB")}
    columns["STDEV_RGB"] = reading.spread * 255
    return Table(tuple(chart.ids[i] for i in reading.index), columns, keywords)


def out_of_gamut(rgb: Floats, printer: Profile) -> NDArray[np.bool_]:
    """Return which sRGB values (n, 3) the printer cannot reach within 1 ΔE00, media-relative, without compensation."""
    wanted = to_lab(rgb.astype(np.float32), srgb())
    device = convert(rgb.astype(np.float32), srgb(), printer, Intent.RELATIVE, False)
    return delta_e_2000(wanted.astype(float), to_lab(device, printer).astype(float)) > 1.0


def judged(
    chart: Chart, index: NDArray[np.int64], measured: Measurement, aim: Aim, uncertainty: float, signs: Signs
) -> tuple[Comparison, Cause, Suspicions]:
    """Compare a measurement with what the profile predicts, and look for the cause of what is off."""
    rgb = chart.rgb[index]
    card = aim.card
    # The print system converts for every program alike, whatever this card says.
    by_system = card.owner == "system"
    suspected = suspicions(
        rgb,
        aim.printer,
        Intent.PERCEPTUAL if by_system else card.intent,
        card.bpc and not by_system,
        aim.driver,
        aim.others,
        card.process == "transfer",
        "driver" if card.owner == "driver" else "fidele",
        places=_places(chart, index),
    )
    wanted, got = suspected.Lab["right"], measured.Lab
    if aim.relative:
        white = int(wanted[:, 0].argmax())
        wanted, got = relative_to_white(wanted, wanted[white]), relative_to_white(got, got[white])
    families = tuple(chart.families[i] for i in index)
    comparison = compare(measured.ids, wanted, got, aim.tolerance, families, out_of_gamut(rgb, aim.printer))
    return comparison, find_cause(measured.Lab, suspected, uncertainty, aim.tolerance, signs), suspected


def _places(chart: Chart, index: NDArray[np.int64]) -> Floats | None:
    """Return where patches stood (n, 2), in mm; None where they were spread over several pages."""
    page = np.unique(index // chart.per_page)
    return chart.layout.centre(index % chart.per_page) if len(page) == 1 else None


def check_reading(
    chart: Chart,
    reading: Reading,
    aim: Aim,
    scanner: Profile | None,
    uncertainty: float,
    names: dict[str, str],
    placing: Placing | None = None,
    scan_ppi: float = 0.0,
    known_scanner: Profile | None = None,
) -> Checked:
    """Judge a reading of a chart that was printed through a card.

    `placing` is where its page lay on the sheet, which says how large it should be; `scan_ppi` the scan's resolution.
    Where a scan comes without a profile, `known_scanner` is the one that it may have been made with.
    """
    reading, doubts = without_doubtful(chart, reading)
    table = patch_table(chart, reading, scanner, names)
    measured = from_table(table, tr("the scan"))
    through = None
    if scanner is None and known_scanner is not None:
        through = to_lab(reading.rgb.astype(np.float32), known_scanner).astype(float)
    scale = 1.0
    if placing is not None and scan_ppi > 0:
        meant = placing.width / chart.layout.page[0]
        scale = float(np.sqrt(np.prod(reading.pixels_per_mm))) * 25.4 / scan_ppi / meant
    signs = Signs(reading.mirrored, scale, reading.banding, through)
    comparison, cause, suspected = judged(chart, reading.index, measured, aim, uncertainty, signs)
    cautions = list(doubts)
    if reading.marks == 3:
        cautions.append(tr("One of the page's four corner marks was hidden."))
    if reading.bent > 0.7:
        cautions.append(tr("The page is bent, or moved: its marks are off by {bent:.1f} mm.", bent=reading.bent))
    if reading.clipped.any():
        cautions.append(run_into_end(int(reading.clipped.sum())))
    found = (comparison, cause, suspected)
    return _made(chart, reading.index, measured, found, uncertainty, table, tuple(cautions), reading)


#: Where more of a page than this is doubtful, leaving it out leaves too little: all of it is judged, and said.
_MOST_DOUBTFUL = 0.6


def without_doubtful(chart: Chart, reading: Reading) -> tuple[Reading, tuple[str, ...]]:
    """Return a reading without patches that were not lit, or do not lie, as their page; and a sentence on them."""
    said = _doubts(chart, reading)
    kept = reading if reading.doubtful.mean() > _MOST_DOUBTFUL else reading.rows(~reading.doubtful)
    return kept, (said,) if said else ()


def _doubts(chart: Chart, reading: Reading) -> str:
    """Say which patches were not lit, or do not lie, as the rest of their page; '' where all are."""
    doubtful = reading.doubtful
    if not doubtful.any():
        return ""
    ids = [chart.ids[i] for i in reading.index[doubtful]]
    named = ", ".join(ids[:6]) + (tr(" and {n} more", n=len(ids) - 6) if len(ids) > 6 else "")
    what = tr("{named}: a shadow, a gleam, a finger or a curl lies there", named=named)
    if doubtful.mean() > _MOST_DOUBTFUL:
        return tr("Most of the page cannot be trusted ({what}). Scan it again in even light.", what=what)
    return tr("{n} patches are left out ({what}). Scan the page again to judge them.", n=len(ids), what=what)


def _made(
    chart: Chart,
    index: NDArray[np.int64],
    measured: Measurement,
    found: tuple[Comparison, Cause, Suspicions],
    uncertainty: float,
    table: Table,
    cautions: tuple[str, ...],
    reading: Reading | None = None,
) -> Checked:
    comparison, cause, _ = found
    ramps = tuple(ramps_of(chart.rgb[index], comparison.wanted, comparison.measured))
    said = (*in_words(comparison), *(w for ramp in ramps for w in ramp.words(max(0.5, uncertainty))))
    return Checked(
        chart, index, measured, comparison, cause, ramps, said, uncertainty, table, reading, cautions=cautions
    )


def check_measured(chart: Chart, measured: Measurement, aim: Aim, uncertainty: float = 0.2) -> Checked:
    """Judge an instrument's measurement of a chart, patches matched by id."""
    from fidele.chart.measurement import to_table

    measured = matched(measured, chart.ids, chart.rgb)
    known = {sample: row for row, sample in enumerate(chart.ids)}
    ids = tuple(s for s in measured.ids if s in known)
    index = np.array([known[s] for s in ids] or range(len(chart.ids)))
    mine = measured.rows(ids or chart.ids)
    found = judged(chart, index, mine, aim, uncertainty, Signs())
    cautions = list(measured.cautions)
    order = reordered(mine.Lab, found[2].Lab["right"], chart.layout.columns)
    if order is not None:
        mine = Measurement(mine.ids, mine.Lab[order[1]], mine.conditions)
        found = judged(chart, index, mine, aim, uncertainty, Signs(order=order[0]))
        cautions.append(
            tr("The patches were measured in another order: {order}. They were put right.", order=tr(order[0]))
        )
    return _made(chart, index, mine, found, uncertainty, to_table(mine, chart.title), tuple(cautions))


def check_scan(
    scan: Codes,
    chart: Chart,
    aim: Aim,
    scanner: Profile,
    uncertainty: float,
    names: dict[str, str],
    placing: Placing | None = None,
    scan_ppi: float = 0.0,
    corners: Floats | None = None,
) -> Checked:
    """Read a scan of a chart that was printed through a card and compare it with what the profile predicts."""
    reading = read_scan(scan, chart, corners)
    made = check_reading(chart, reading, aim, scanner, uncertainty, names, placing, scan_ppi)
    return replace(made, scan=scan)


def verdict_of(checked: Checked) -> Verdict:
    """Return a check as the logbook keeps it."""
    c = checked.comparison
    return Verdict(
        c.mean,
        c.p95,
        c.largest,
        c.verdict,
        checked.cause.code,
        checked.words,
        checked.chart.title,
        c.tolerance.name,
        checked.against,
        checked.measured.conditions.instrument,
        checked.uncertainty,
    )


def uncertainty_of(measured: Measurement, scanner_residual: float) -> float:
    """Return how far a measurement is to be trusted, mean ΔE00."""
    if measured.conditions.kind != "scan":
        return 0.2 if measured.conditions.kind == "instrument" else 0.0
    stated = measured.keywords.get("FIDELE_SCANNER_RESIDUAL", "")
    return float(stated) if re.fullmatch(r"\d+(\.\d+)?", stated) else scanner_residual
