"""How pictures look on the screen, as sent or as printed: one table for each way, made once and shared by all desks."""

from __future__ import annotations

import threading
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
        self._keeping = threading.Lock()

    def as_sent(self, source: Profile) -> Show:
        """Return what shows a picture unprinted."""
        return self._look(source, None, ProofSettings(), 33)

    def printed(self, source: Profile, settings: ProofSettings, quick: bool = False) -> Show:
        """Return what shows a picture as printed through the profile in force, unprinted where there is none.

        `quick` makes do with a coarser table, for as long as something is being dragged.
        """
        return self._look(source, self._printer(), settings, 17 if quick else 33)

    def is_made(self, source: Profile, settings: ProofSettings) -> bool:
        """Whether `printed` has nothing left to make for these."""
        return source.channels != 3 or self._key(source, self._printer(), settings, 33) in self._made

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
        screen, key = self._screen(), self._key(source, printer, settings, nodes)
        made = self._made.get(key)
        if made is not None:
            return made
        if source.channels == 3:
            made = ProofLink(source, printer, settings, screen, nodes)
        elif printer is None:
            made = lambda pixels: as_sent(pixels, source, screen)  # noqa: E731
        else:
            made = lambda pixels: soft_proof(pixels, source, printer, settings, screen)  # noqa: E731
        with self._keeping:  # some are made beside the interface
            while len(self._made) >= _MOST:
                self._made.pop(next(iter(self._made)))
            self._made[key] = made
        return made

    def _key(self, source: Profile, printer: Profile | None, settings: ProofSettings, nodes: int) -> tuple[object, ...]:
        screen = self._screen()
        shown = screen.content_id if screen else ""
        return (source.content_id, printer.content_id if printer else "", settings, shown, nodes)


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
