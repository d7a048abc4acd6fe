"""A condition without a profile in the session: what its measured pages tell of its print, found beside the interface.

Every chart that it printed while the driver converted as it does now counts: pages of Balance, trials, swatch books.
"""

from __future__ import annotations

import threading
from collections.abc import Callable
from pathlib import Path

import numpy as np

from fidele.chart.definition import Chart
from fidele.chart.measured_file import read_any
from fidele.chart.measurement import matched
from fidele.errors import FideleError
from fidele.files import stamp_of
from fidele.icc.spaces import SENDS, srgb
from fidele.language import tr
from fidele.route.condition import Card, prints_alike
from fidele.run.kept import job_of
from fidele.run.reader import measured_file
from fidele.session.charts import Charts
from fidele.session.live import Live
from fidele.session.places import Places
from fidele.session.state import KnownPrint, PrintKnown
from fidele.store.cards import card_of
from fidele.store.logbook import Logbook
from fidele.tuning.conversion import sent_values

#: What is missing where nobody knows how a condition prints, within a sentence, and how it is had.
MISSING = tr(
    "an output profile in the condition (drop one on the window), or a measured page of its print (Balance prints one)"
)
#: So many prints are kept in mind, the last ones: conditions change, and change back.
_KEPT = 8
#: A page that was measured: the card as it was, the digest of its chart, and its file.
_Page = tuple[Card, str, Path]


class KnownPrints:
    """Finds what the measured pages of the condition in force tell, where it has no profile."""

    def __init__(self, live: Live, charts: Charts, logbook: Logbook, places: Places) -> None:
        self._live, self._charts, self._logbook, self._work = live, charts, logbook, places.work
        self._found: dict[object, KnownPrint | None] = {}
        #: Whoever asks while pages are being fitted waits for that, and does not fit them a second time.
        self._fitting = threading.Lock()

    def finding(self) -> Callable[[], KnownPrint | None] | None:
        """Return what fits a print to the pages that were measured, to be called beside the interface.

        The same pages are fitted once. None where there is nothing to find: the condition has a profile.
        """
        card = self._live.state.card
        if card is None or card.profile is not None or card.owner != "driver":
            return None
        return lambda: self._told(card)

    def take(self, found: KnownPrint | None) -> None:
        """Show pictures by what was found from now on, where its condition is still in force."""
        card, before = self._live.state.card, self._live.state.known
        if found is before or (found is not None and (card is None or card.id != found.card)):
            return
        self._live.change(PrintKnown(found))
        self._live.judge()

    def find(self) -> None:
        """Find it at once and take it, for those who have no interface to do it beside."""
        finding = self.finding()
        if finding is not None:
            self.take(finding())

    def _told(self, card: Card) -> KnownPrint | None:
        with self._fitting:
            pages = self._pages(card)
            key = (card.id, tuple((path, stamp_of(path)) for _, _, path in pages))
            if key not in self._found:
                while len(self._found) >= _KEPT:
                    self._found.pop(next(iter(self._found)))
                self._found[key] = self._fitted(card, pages)
            return self._found[key]

    def _fitted(self, card: Card, pages: list[_Page]) -> KnownPrint | None:
        charts = {chart.digest: chart for chart in self._charts.known()} if pages else {}
        read = [_read(by, charts[digest], path) for by, digest, path in pages if digest in charts]
        found = [one for one in read if one is not None]
        if not found:
            return None
        from fidele.characterise.known import known_print

        rgb, Lab = (np.concatenate(side) for side in zip(*found, strict=True))
        try:
            profile = known_print(rgb, Lab, tr("The measured pages of “{name}”", name=card.name))
        except FideleError:  # too few, or the bare media is not among them
            return None
        return KnownPrint(card.id, profile, len(rgb))

    def _pages(self, card: Card) -> list[_Page]:
        found = []
        for run in self._logbook.printed_of(card.id, '"chart":"'):
            job, path = job_of(run), measured_file(self._work, run.id)
            if job.bare or not job.chart or not path.exists():
                continue
            try:
                by = card_of(run.card.encode(), tr("run {id}", id=run.id))
            except FideleError:  # of a later Fidele, or damaged: it is said elsewhere
                continue
            if prints_alike(by, card):
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
