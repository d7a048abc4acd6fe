"""Two printing conditions side by side: what differs, in plain words."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from fidele import units
from fidele.route.condition import OWNER_WORDS, Card
from fidele.route.layers import MEANINGS

#: What each field of a card is called.
LABELS = {
    "process": "Process",
    "printer_name": "Printer",
    "ink": "Ink",
    "media": "Media",
    "size": "Size",
    "substrate": "Piece",
    "seen_from": "Seen from",
    "profile": "Profile",
    "intent": "Intent",
    "bpc": "Black point compensation",
    "sends": "Sent in",
    "bake": "Tunings worked into what is sent",
    "page_ppi": "Page resolution",
    "owner": "Who converts",
    "mirror_by": "Who mirrors",
    "printed_from": "Printed from",
    "file_says": "The finished file says",
    "artwork_ppi": "Artwork, ppi",
    "notes": "Notes",
}
#: Lots that a card can name, by field.
LOTS = {"ink": "Lot of the ink", "media": "Lot of the media", "substrate": "Lot of the piece"}
#: What each of the press's settings is called.
PRESS = {
    "temperature": "Press temperature",
    "seconds": "Press time, s",
    "pressure": "Press pressure",
    "preheat": "Preheat, s",
}
#: What else is said of the press, and of the sheets and runs of a condition.
STACK = {"on_top": "Nearer to the plate", "lint": "Lint is taken off", "cover": "Cover sheet"}
HABITS = {
    "gap": "Between pieces",
    "may_turn": "Pieces may be turned",
    "identity": "Identity line",
    "cut": "Cut marks",
    "fold": "Fold marks",
    "press": "Press marks",
    "strip": "Control strip",
    "hold": "Runs wait for your word",
    "readiness_hours": "Readiness page after, h",
}


@dataclass(frozen=True)
class Difference:
    """One thing in which two cards differ."""

    label: str
    one: str
    other: str


#: How values are said that are measured in a unit.
_MEASURED: dict[str, Callable[[Any], str]] = {
    "temperature": units.temperature,
    "pressure": units.pressure,
    "gap": lambda mm: units.length(mm, 1),
}


def differences(one: Card, other: Card) -> list[Difference]:
    """Return in what two cards differ, in the order in which people think of it; names and history do not count."""
    found = [
        Difference(label, said(one, field), said(other, field))
        for field, label in LABELS.items()
        if getattr(one, field) != getattr(other, field)
    ]
    for field, label in LOTS.items():
        mine_lot, their_lot = one.lots.get(field, ""), other.lots.get(field, "")
        if mine_lot != their_lot:
            found.append(Difference(label, plain(mine_lot), plain(their_lot)))
    for meaning in MEANINGS:
        a, b = one.driver.get(meaning), other.driver.get(meaning)
        if a != b:
            found.append(Difference(MEANINGS[meaning], plain(a), plain(b)))
    for control in sorted({*one.hand, *other.hand}):
        a, b = one.hand.get(control), other.hand.get(control)
        if a != b:
            found.append(
                Difference(
                    f"{control}, by hand",
                    plain(a) if a is not None else "at rest",
                    plain(b) if b is not None else "at rest",
                )
            )
    if one.balance != other.balance:
        a, b = ("curves" if c.balance is not None else "none" for c in (one, other))
        found.append(Difference("Own balance", a, b if a != b else "other curves"))
    for mine, theirs, labels in ((one.press, other.press, PRESS | STACK), (one.sheet, other.sheet, HABITS)):
        for field, label in labels.items():
            a, b = getattr(mine, field), getattr(theirs, field)
            if a != b:
                say = _MEASURED.get(field, plain)
                found.append(Difference(label, say(a), say(b)))
    return found


def said(card: Card, field: str) -> str:
    """Return what a field of a card says, in plain words."""
    value = getattr(card, field)
    if field == "profile":
        return card.profile_title or value or "none"
    if field == "owner":
        return OWNER_WORDS[value].rstrip(",")
    if field == "mirror_by":
        return {"fidele": "Fidele", "driver": "the driver", "nobody": "nobody"}[value]
    if field == "printed_from":
        return value or "Fidele"
    if field == "page_ppi":
        return f"{value} ppi" if value else "the printer's usual one"
    if field == "intent":
        return card.intent.words
    return plain(value)


def plain(value: object) -> str:
    """Return a setting's value in plain words."""
    if value is None:
        return "as the driver has it"
    if isinstance(value, bool):
        return "on" if value else "off"
    return f"{value:g}" if isinstance(value, float) else str(value) or "none"
