"""A condition without a profile in the session: what its measured pages tell of its print, found beside the interface.

Every chart that it printed while the driver converted as it does now counts: pages of Balance, trials, swatch books.
"""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np

from fidele.chart.definition import Chart
from fidele.chart.measured_file import read_any
from fidele.chart.measurement import matched
from fidele.errors import FideleError
from fidele.icc.spaces import SENDS, srgb
from fidele.language import tr
from fidele.route.condition import Card, prints_alike
from fidele.run.kept import job_of
from fidele.run.reader import measured_file
from fidele.session.charts import Charts
from fidele.session.live import Live
from fidele.session.places import Places
from fidele.session.state import KnownPrint, PrintKnown
from fidele.store.logbook import Logbook
from fidele.tuning.conversion import sent_values

#: What is missing where nobody knows how a condition prints, within a sentence, and how it is had.
MISSING = tr(
    "an output profile in the condition (drop one on the window), or a measured page of its print (Balance prints one)"
)
#: A page that was measured: the card as it was, the digest of its chart, and its file.
_Page = tuple[Card, str, Path]


class KnownPrints:
    """Finds what the measured pages of the condition in force tell, where it has no profile."""

    def __init__(self, live: Live, charts: Charts, logbook: Logbook, places: Places) -> None:
        self._live, self._charts, self._logbook, self._work = live, charts, logbook, places.work

    def finding(self) -> Callable[[], KnownPrint | None] | None:
        """Return what fits a print to the pages that were measured, to be called beside the interface.

        None where that is known already: the condition has a profile, or the same pages were fitted before.
        """
        card, known = self._live.state.card, self._live.state.known
        if card is None or card.profile is not None or card.owner != "driver":
            return self._nothing(card)
        pages = self._pages(card)
        stamp = tuple((str(path), path.stat().st_mtime_ns) for _, _, path in pages)
        if known is not None and (known.card, known.stamp) == (card.id, stamp):
            return None
        title, charts, card_id = tr("The measured pages of “{name}”", name=card.name), self._charts, card.id

        def find() -> KnownPrint | None:
            if not pages:
                return None
            by_digest = {chart.digest: chart for chart in charts.known()}
            read = [_read(by, by_digest[digest], path) for by, digest, path in pages if digest in by_digest]
            found = [one for one in read if one is not None]
            if not found:
                return None
            from fidele.characterise.known import known_print

            rgb, Lab = (np.concatenate(side) for side in zip(*found, strict=True))
            try:
                return KnownPrint(card_id, stamp, known_print(rgb, Lab, title), len(rgb))
            except FideleError:  # too few, or the bare media is not among them
                return None

        return find

    def _nothing(self, card: Card | None) -> Callable[[], KnownPrint | None] | None:
        known = self._live.state.known
        return (lambda: None) if known is not None and card is not None and known.card == card.id else None

    def take(self, found: KnownPrint | None) -> None:
        """Show pictures by what was found from now on, where its condition is still in force."""
        card, before = self._live.state.card, self._live.state.known
        if found is None and before is None:
            return
        if found is None or (card is not None and card.id == found.card):
            self._live.change(PrintKnown(found))
            self._live.judge()

    def find(self) -> None:
        """Find it at once and take it, for those who have no interface to do it beside."""
        finding = self.finding()
        if finding is not None:
            self.take(finding())

    def _pages(self, card: Card) -> list[_Page]:
        found = []
        for run in self._logbook.printed_of(card.id, '"chart":"'):
            job, by = job_of(run), Card.model_validate_json(run.card)
            path = measured_file(self._work, run.id)
            if not job.bare and job.chart and prints_alike(by, card) and path.exists():
                found.append((by, job.chart, path))
        return found


def _read(by: Card, chart: Chart, path: Path) -> tuple[np.ndarray, np.ndarray] | None:
    """Return what was sent for the patches of a page, RGB (n, 3), and their L*a*b* (n, 3); None where it is no page."""
    try:
        found = matched(read_any(path), chart.ids, chart.rgb)
    except FideleError:
        return None
    rows = {sample: row for row, sample in enumerate(found.ids)}
    index = [k for k, sample in enumerate(chart.ids) if sample in rows]
    if not index:
        return None
    sent = sent_values(chart.rgb[index].astype(np.float32), srgb(), SENDS[by.sends]()).astype(float)
    sent = by.balance(sent) if by.balance is not None else sent
    return sent, found.Lab[[rows[chart.ids[k]] for k in index]]
