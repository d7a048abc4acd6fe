"""Chart pages that a condition printed without a profile and that were measured: of its own runs, and of trials.

They tell how its print looks. Where it is known what the driver makes of numbers, they are patches of the bare printer
as well, and count toward a profile of one's own.
"""

from __future__ import annotations

from collections.abc import Callable, Collection
from pathlib import Path

import numpy as np

from fidele.arrays import Floats
from fidele.chart.definition import Chart
from fidele.chart.family import made
from fidele.chart.measured_file import read_any
from fidele.chart.measurement import Measurement, matched
from fidele.dataclass import dataclass
from fidele.devices.devices import Devices
from fidele.errors import FideleError
from fidele.icc.spaces import SENDS, srgb
from fidele.language import tr
from fidele.route.condition import Card, prints_alike
from fidele.run.kept import job_of
from fidele.run.probes import Corrections
from fidele.run.reader import measured_file
from fidele.session.charts import Charts
from fidele.session.places import Places
from fidele.store.cards import card_of
from fidele.store.logbook import Logbook
from fidele.store.trials import TrialStore
from fidele.tuning.conversion import sent_values

#: Says of two states of a card, or two cards, whether they print alike.
Alike = Callable[[Card, Card], bool]


@dataclass(frozen=True)
class MeasuredPage:
    """A page that was measured: its run, the card as it was, the digest of its chart, and the file."""

    run: int
    by: Card
    chart: str
    path: Path


class MeasuredPages:
    """Finds them."""

    def __init__(
        self,
        charts: Charts,
        logbook: Logbook,
        trials: TrialStore,
        devices: Devices,
        corrections: Corrections,
        places: Places,
    ) -> None:
        self._charts, self._logbook, self._trials, self._work = charts, logbook, trials, places.work
        self._devices, self._corrections = devices, corrections

    def of(self, card: Card, alike: Alike = prints_alike) -> list[MeasuredPage]:
        """Return the pages that a card printed, or a trial by a card like it; the driver converted all of them."""
        found = []
        for run in self._logbook.printed_of(card.id, '"chart":"'):
            job, path = job_of(run), measured_file(self._work, run.id)
            if job.bare or not job.chart or not path.exists():
                continue
            try:
                by = card_of(run.card.encode(), tr("run {id}", id=run.id))
            except FideleError:  # of a later Fidele, or damaged: it is said elsewhere
                continue
            found.append(MeasuredPage(run.id, by, job.chart, path))
        for trial in self._trials.all():
            for one in trial.prints if trial.chart else ():
                path = measured_file(self._work, one.run)
                if one.run and one.card.printer == card.printer and path.exists():
                    found.append(MeasuredPage(one.run, one.card, made(trial.chart).digest, path))
        return [page for page in found if page.by.owner == "driver" and alike(page.by, card)]

    def read(self, pages: list[MeasuredPage]) -> list[tuple[MeasuredPage, Measurement, Floats]]:
        """Return what was measured of pages whose chart is known, and what was sent for it, RGB (n, 3)."""
        charts = {chart.digest: chart for chart in self._charts.known()} if pages else {}
        read = [(page, _read(page, charts[page.chart])) for page in pages if page.chart in charts]
        return [(page, *found) for page, found in read if found is not None]

    # Toward a profile of one's own -------------------------------------------------------------------------------

    def counting(self, card: Card) -> list[MeasuredPage]:
        """Return the pages whose patches count toward a profile for a card: they were printed by the same settings.

        Only what a probe tells of the maker's own correction is known; what hands set beside it is not.
        """
        return [page for page in self.of(card, _same_ink_and_paper) if not page.by.hand]

        device = self._devices.find(card.printer)
        if device is None or device.probing is None or not device.probing.knows_correction:
            return []  # what was measured of a driver by ink is too rough to tell a patch's numbers
        return [page for page in self.of(card, _same_ink_and_paper) if not page.by.hand]

    def as_patches(self, card: Card, kinds: Collection[str]) -> list[tuple[str, Measurement]]:
        """Return the counting pages as measurements of the bare printer, each with a name, to be called beside the
        interface.

        Only those that were read in one of these ways ('instrument', 'scan'): a target that was measured well is not
        made worse by pages that were scanned.
        """
        pages = self.counting(card)
        driver = self._corrections.of(self._devices.find(card.printer)) if pages else None
        if driver is None:
            return []
        found = []
        for page, measured, sent in self.read(pages):
            if measured.conditions.kind not in kinds or rough(measured):
                continue
            ids = tuple(f"{page.run}.{sample}" for sample in measured.ids)  # no patch of the target is called so
            bare = Measurement(ids, measured.Lab, measured.conditions, np.rint(driver(sent) * 255) / 255)
            found.append((tr("run {run}", run=page.run), bare))
        return found


def rough(measured: Measurement) -> bool:
    """Whether a page was read through a scanner that nobody characterised."""
    return measured.keywords.get("FIDELE_SCANNER_PROFILE", "").startswith("none:")


def _same_ink_and_paper(one: Card, other: Card) -> bool:
    """Whether two cards lay down ink alike on the same media, whoever converts."""
    return all(getattr(one, name) == getattr(other, name) for name in ("driver", "media", "press"))


def _read(page: MeasuredPage, chart: Chart) -> tuple[Measurement, Floats] | None:
    """Return what was measured of a page, and what was sent for it; None where it is no page."""
    try:
        found = matched(read_any(page.path), chart.ids, chart.rgb)
    except FideleError:
        return None
    rows = {sample: row for row, sample in enumerate(chart.ids)}
    ids = tuple(sample for sample in found.ids if sample in rows)
    if not ids:
        return None
    asked = chart.rgb[[rows[sample] for sample in ids]]
    sent = np.clip(sent_values(asked.astype(np.float32), srgb(), SENDS[page.by.sends]()), 0, 1).astype(float)
    return found.rows(ids), page.by.balance(sent) if page.by.balance is not None else sent
