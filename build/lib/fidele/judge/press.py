"""What is wrong with the press half of a condition."""

from __future__ import annotations

from collections.abc import Iterator

from fidele.judge.facts import Facts
from fidele.judge.finding import Finding
from fidele.judge.table import finding
from fidele.route.substrates import holds_dye


def press_findings(facts: Facts) -> Iterator[Finding]:
    """Whether the substrate can hold the dye, the warming drives out damp, and a chart goes on a flat piece."""
    card = facts.card
    if card.process != "transfer":
        return
    if holds_dye(card.substrate) is False:
        yield finding("holds-no-dye", substrate=card.substrate.capitalize())
    if card.press.preheat < 5:
        yield finding("no-preheat", seconds=card.press.preheat)
    if facts.chart:
        yield finding("flat-piece", substrate=card.substrate)
