"""A print that no profile says anything of: held against the picture on the screen, on this material."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Codes
from fidele.chart.cgats import Table
from fidele.chart.definition import Chart
from fidele.chart.measurement import Measurement, from_table, matched, to_table
from fidele.chart.read import Reading
from fidele.check.cause import Cause
from fidele.check.ramps import ramps_of
from fidele.check.statistics import Comparison, compare
from fidele.check.tolerance import Tolerance
from fidele.check.words import in_words
from fidele.icc.profile import Profile
from fidele.language import tr
from fidele.run.reading import Checked, patch_table, without_doubtful
from fidele.trials.aim import relative, screen_aim

#: What it was compared with, in words.
AGAINST = tr("the picture on the screen, between this print's own white and black")
#: What can be concluded from a scanner that nobody characterised.
NOT_CHARACTERISED = tr(
    "The scanner is not characterised: how these prints differ from each other counts, how far "
    "each is from what was wanted does not."
)


def scan_unprofiled(
    chart: Chart,
    reading: Reading,
    scan: Codes,
    tolerance: Tolerance,
    scanner: Profile | None,
    uncertainty: float,
    names: dict[str, str],
    code: str = "no-profile",
) -> Checked:
    """Say what a reading of a chart shows that was printed without a profile; no limits apply to it."""
    kept, doubts = without_doubtful(chart, reading)
    table = patch_table(chart, kept, scanner, names)
    made = _made(chart, kept.index, from_table(table, tr("the scan")), tolerance, uncertainty, table, code)
    cautions = (*doubts, *(() if scanner is not None else (NOT_CHARACTERISED,)))
    return replace(made, reading=kept, scan=scan, cautions=cautions)


def measured_unprofiled(
    chart: Chart, measured: Measurement, tolerance: Tolerance, uncertainty: float, code: str = "no-profile"
) -> Checked:
    """Say what a measurement of a chart shows that was printed without a profile; no limits apply to it."""
    measured = matched(measured, chart.ids, chart.rgb)
    known = {sample: row for row, sample in enumerate(chart.ids)}
    ids = tuple(s for s in measured.ids if s in known)
    index = np.array([known[s] for s in ids], np.int64)
    mine = measured.rows(ids)
    made = _made(chart, index, mine, tolerance, uncertainty, to_table(mine, chart.title), code)
    return replace(made, cautions=tuple(measured.cautions))


def _made(
    chart: Chart,
    index: NDArray[np.int64],
    measured: Measurement,
    tolerance: Tolerance,
    uncertainty: float,
    table: Table,
    code: str,
) -> Checked:
    rgb = chart.rgb[index]
    seen = relative(measured.Lab, rgb)
    wanted = screen_aim(rgb, float(seen[:, 0].min()))
    compared = compare(measured.ids, wanted, seen, tolerance, tuple(chart.families[i] for i in index))
    comparison: Comparison = replace(compared, judged=False)
    ramps = tuple(ramps_of(rgb, wanted, seen))
    words = (*in_words(comparison), *(w for ramp in ramps for w in ramp.words(max(0.5, uncertainty))))
    return Checked(
        chart, index, measured, comparison, Cause(code, ()), ramps, words, uncertainty, table, against=AGAINST
    )
