"""Findings on the printer itself: whether it can print a card now."""

from __future__ import annotations

from collections.abc import Iterator

from fidele.judge.finding import Finding
from fidele.judge.table import finding
from fidele.language import tr
from fidele.route.condition import Card
from fidele.route.layers import PrinterStatus

#: Below this share of a tank a long run may end in the middle; below the second it is empty.
_LOW, _EMPTY = 0.1, 0.005


def printer_findings(status: PrinterStatus, card: Card) -> Iterator[Finding]:
    """Whether the printer can print this card now: on, filled, with the right ink, the right sheet in it."""
    if not status.online:
        yield finding("printer-offline", printer=card.printer_name)
    elif status.says:
        yield finding("printer-says", printer=card.printer_name, says=status.says)
    if card.ink and status.ink and status.ink != card.ink:
        yield finding("wrong-ink", found=status.ink, wanted=card.ink)
    for tank, left in status.inks.items():
        if left < _LOW:
            code = "ink-empty" if left <= _EMPTY else "ink-low"
            yield finding(code, tank=tr(tank).capitalize(), fresh=tr(tank), left=left * 100)
    if status.loaded and status.loaded != card.size:
        way = tr(" in the {feed}", feed=card.feed) if card.feed else tr(" in it")
        yield finding("wrong-sheet-loaded", loaded=status.loaded, way=way, size=card.size)
    if card.driver_version and status.version and status.version != card.driver_version:
        yield finding("driver-updated", before=card.driver_version, now=status.version)
