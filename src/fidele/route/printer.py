"""Findings on the printer itself: whether it can print a card now."""

from __future__ import annotations

from collections.abc import Iterator

from fidele.route.condition import Card
from fidele.route.finding import Finding
from fidele.route.layers import PrinterStatus

#: Below this share of a tank a long run may end in the middle.
_LOW = 0.1


def printer_findings(status: PrinterStatus, card: Card) -> Iterator[Finding]:
    """Whether the printer can print this card now: on, filled, with the right ink, the right sheet in it."""
    name = card.printer_name
    if not status.online:
        yield Finding(
            "printer-offline",
            "stop",
            f"The {name} does not answer",
            "It is switched off or unplugged, so nothing can be printed and its sensors say nothing.",
            "Switch it on; it is asked again by itself.",
        )
    if card.ink and status.ink != card.ink:
        yield Finding(
            "wrong-ink",
            "stop",
            f"Ink: {status.ink} instead of {card.ink}",
            "The profile is true for its own ink set: with another one every colour is off.",
            "Put the right ink in, or choose a profile for this one.",
        )
    for tank, left in status.inks.items():
        if left < _LOW:
            yield Finding(
                "ink-empty" if left <= 0.005 else "ink-low",
                "stop" if left <= 0.005 else "caution",
                f"{tank.capitalize()} ink is {'used up' if left <= 0.005 else f'at {left * 100:.0f} %'}",
                "A tank that runs dry within a print spoils the sheet.",
                f"Have a fresh {tank} at hand, or change it before a long run.",
            )
    if status.loaded and status.loaded != card.size:
        way = f" in the {card.feed}" if card.feed else " in it"
        yield Finding(
            "wrong-sheet-loaded",
            "stop",
            f"{status.loaded} lies{way}, the card is for {card.size}",
            "The picture would be printed beside the sheet, or cut off at its edge.",
            f"Lay {card.size}{way}.",
            f"{card.size} is laid in",
            "lay-in",
        )
    if card.driver_version and status.version != card.driver_version:
        yield Finding(
            "driver-updated",
            "caution",
            f"The driver was changed from version {card.driver_version} to {status.version}",
            "A change of version brings its maker's settings back, and may treat the same settings in another way.",
            "Set everything to the card again, then print a chart.",
            "Set everything to the card",
            "bring",
        )
