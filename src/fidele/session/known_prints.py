"""A condition without a profile in the session: what its measured pages tell of its print, found beside the interface.

Every chart that it printed while the driver converted as it does now counts: pages of Balance, trials, swatch books.
"""

from __future__ import annotations

import threading
from collections.abc import Callable

import numpy as np

from fidele.errors import FideleError
from fidele.files import stamp_of
from fidele.language import tr
from fidele.route.condition import Card
from fidele.session.live import Live
from fidele.session.measured_pages import MeasuredPage, MeasuredPages, rough
from fidele.session.state import KnownPrint, PrintKnown

#: What is missing where nobody knows how a condition prints, within a sentence, and how it is had.
MISSING = tr(
    "an output profile in the condition (drop one on the window), or a measured page of its print (Balance prints one)"
)
#: So many prints are kept in mind, the last ones: conditions change, and change back.
_KEPT = 8


class KnownPrints:
    """Finds what the measured pages of the condition in force tell, where it has no profile."""

    def __init__(self, live: Live, pages: MeasuredPages) -> None:
        self._live, self._pages = live, pages
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
            pages = self._pages.of(card)
            counting = frozenset(page.run for page in self._pages.counting(card))
            key = (card.id, counting, tuple((page.path, stamp_of(page.path)) for page in pages))
            if key not in self._found:
                while len(self._found) >= _KEPT:
                    self._found.pop(next(iter(self._found)))
                self._found[key] = self._fitted(card, pages, counting)
            return self._found[key]

    def _fitted(self, card: Card, pages: list[MeasuredPage], counting: frozenset[int]) -> KnownPrint | None:
        found = self._pages.read(pages)
        if not found:
            return None
        from fidele.characterise.known import known_print

        rgb, Lab = np.concatenate([sent for *_, sent in found]), np.concatenate([one.Lab for _, one, _ in found])
        count = sum(len(one.ids) for page, one, _ in found if page.run in counting and not rough(one))
        try:
            profile = known_print(rgb, Lab, tr("The measured pages of “{name}”", name=card.name))
        except FideleError:  # too few, or the bare media is not among them
            return None
        return KnownPrint(card.id, profile, len(rgb), count)
