"""Notices what turned bad on the way to the ink, each thing once, so that it can be told on whatever desk one works."""

from __future__ import annotations

from collections.abc import Iterable

from fidele.judge.finding import Finding


class TurnedBad:
    """Keeps which stops of the hand-off are known; of each condition the first look tells nothing."""

    def __init__(self) -> None:
        self._card = ""
        self._known: set[str] = set()

    def new(self, card: str, stops: Iterable[Finding], in_front: bool) -> list[Finding]:
        """Return the stops that came since the last look; none while the hand-off itself is `in_front`."""
        bad = {f.code: f for f in stops if f.desk == "hand-off"}
        came = [] if in_front or card != self._card else [f for code, f in bad.items() if code not in self._known]
        self._card, self._known = card, set(bad)
        return came
