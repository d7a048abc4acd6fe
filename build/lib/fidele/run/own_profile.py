"""What an own profile states of the condition that its target was printed by."""

from __future__ import annotations

from fidele.route.condition import Card

#: Settings of the driver that a profile is true for, by their meaning.
_MADE = ("stand_in", "quality", "direction", "resolution", "dithering", "density", "black_ink", "colour_mode", "feed")


def stated(card: Card) -> dict[str, str]:
    """Return what a profile made under a card states of itself, for its metadata tag."""
    about = {
        "about.printer": card.printer_name,
        "about.unit": card.printer,
        "about.ink": card.ink,
        "about.media": card.media,
        "about.substrate": card.substrate,
    }
    made = {f"made.{m}": str(card.driver[m]) for m in _MADE if m in card.driver}
    made |= {"made.colour": "off", "made.ink_saving": "off"}
    if card.process == "transfer":
        made |= {
            "made.mirroring": "once",
            "made.press_temperature": f"{card.press.temperature:g}",
            "made.press_seconds": f"{card.press.seconds:g}",
            "made.press_pressure": f"{card.press.pressure:g}",
        }
    return {name: words for name, words in (about | made).items() if words}
