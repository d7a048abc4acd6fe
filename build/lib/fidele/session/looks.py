"""How pictures look on the screen, as sent or as printed: one table for each way, made once and shared by all desks."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Codes
from fidele.icc.profile import Profile
from fidele.icc.transform import Intent
from fidele.proof.soft import ProofLink, ProofSettings, as_sent, soft_proof
from fidele.route.condition import Card
from fidele.tuning.model import Tuning
from fidele.tuning.way import Way

#: Shows source pixels (h, w, channels) as 8-bit pixels of the screen (h, w, 3).
Show = Callable[[Codes], NDArray[np.uint8]]

_MOST = 32


class Looks:
    """Ways to show pictures of a source space through the printer's profile and the screen's."""

    def __init__(self, printer: Callable[[], Profile | None], screen: Callable[[], Profile | None]) -> None:
        self._printer, self._screen = printer, screen
        self._made: dict[tuple[object, ...], Show] = {}

    def as_sent(self, source: Profile) -> Show:
        """Return what shows a picture unprinted."""
        return self._look(source, None, ProofSettings(), 33)

    def printed(self, source: Profile, settings: ProofSettings, quick: bool = False) -> Show:
        """Return what shows a picture as printed through the profile in force, unprinted where there is none.

        `quick` makes do with a coarser table, for as long as something is being dragged.
        """
        return self._look(source, self._printer(), settings, 17 if quick else 33)

    def through(self, source: Profile, printer: Profile, settings: ProofSettings) -> Show:
        """Return what shows a picture as printed through a profile that need not be the one in force."""
        return self._look(source, printer, settings, 33)

    def on_sheet(
        self,
        source: Profile,
        printer: Profile,
        card: Card,
        tuning: Tuning | None,
        keep: str,
        way: Way | None = None,
        paper_white: bool = False,
    ) -> Show:
        """Return what shows a picture as printed by a condition that need not be the one in force.

        With `paper_white` the substrate's own white is kept, as it lies in the light. `way` is needed where another
        one than Fidele converts.
        """
        return self._look(source, printer, settings_for(card, way, tuning, keep, paper_white), 33)

    def _look(self, source: Profile, printer: Profile | None, settings: ProofSettings, nodes: int) -> Show:
        screen = self._screen()
        shown = screen.content_id if screen else ""
        key = (source.content_id, printer.content_id if printer else "", settings, shown, nodes)
        if key not in self._made:
            while len(self._made) >= _MOST:
                self._made.pop(next(iter(self._made)))
            if source.channels == 3:
                self._made[key] = ProofLink(source, printer, settings, screen, nodes)
            elif printer is None:
                self._made[key] = lambda pixels: as_sent(pixels, source, screen)
            else:
                self._made[key] = lambda pixels: soft_proof(pixels, source, printer, settings, screen)
        return self._made[key]


def settings_for(
    card: Card,
    way: Way | None,
    tuning: Tuning | None,
    keep: str,
    paper_white: bool = False,
    intent: Intent | None = None,
) -> ProofSettings:
    """Return how a picture is converted and shown by a card: by its own intent, or another, or by its owner's way.

    Where another one converts, its intent counts, pure colours are not kept, and a tuning only where it is worked in.
    """
    if way is None:
        return ProofSettings(intent or card.intent, card.bpc, tuning, keep, paper_white=paper_white)
    return ProofSettings(way.intent, card.bpc, tuning if way.baked else None, "", way, paper_white)
