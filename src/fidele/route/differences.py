"""Two printing conditions side by side: what differs, in plain words."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from fidele import units
from fidele.dataclass import dataclass
from fidele.language import tr
from fidele.route.condition import OWNER_WORDS, Card
from fidele.route.layers import MEANINGS

#: What each field of a card is called.
LABELS = {
    "process": tr("Process"),
    "printer_name": tr("Printer"),
    "ink": tr("Ink"),
    "media": tr("Media"),
    "size": tr("Size"),
    "substrate": tr("Piece"),
    "seen_from": tr("Seen from"),
    "profile": tr("Profile"),
    "intent": tr("Intent"),
    "bpc": tr("Black point compensation"),
    "sends": tr("Sent in"),
    "bake": tr("Tunings worked into what is sent"),
    "page_ppi": tr("Page resolution"),
    "owner": tr("Who converts"),
    "mirror_by": tr("Who mirrors"),
    "printed_from": tr("Printed from"),
    "file_says": tr("The finished file says"),
    "artwork_ppi": tr("Artwork, ppi"),
    "notes": tr("Notes"),
}
#: Lots that a card can name, by field.
LOTS = {"ink": tr("Lot of the ink"), "media": tr("Lot of the media"), "substrate": tr("Lot of the piece")}
#: What each of the press's settings is called.
PRESS = {
    "temperature": tr("Press temperature"),
    "seconds": tr("Press time, s"),
    "pressure": tr("Press pressure"),
    "preheat": tr("Preheat, s"),
}
#: What else is said of the press, and of the sheets and runs of a condition.
STACK = {"on_top": tr("Nearer to the plate"), "lint": tr("Lint is taken off"), "cover": tr("Cover sheet")}
HABITS = {
    "gap": tr("Between pieces"),
    "may_turn": tr("Pieces may be turned"),
    "identity": tr("Identity line"),
    "cut": tr("Cut marks"),
    "fold": tr("Fold marks"),
    "press": tr("Press marks"),
    "strip": tr("Control strip"),
    "hold": tr("Runs wait for your word"),
    "readiness_hours": tr("Readiness page after, h"),
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
                    tr("{control}, by hand", control=control),
                    plain(a) if a is not None else tr("neutral"),
                    plain(b) if b is not None else tr("neutral"),
                )
            )
    if one.balance != other.balance:
        a, b = (tr("curves") if c.balance is not None else tr("none") for c in (one, other))
        found.append(Difference(tr("Own balance"), a, b if a != b else tr("other curves")))
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
        return card.profile_title or value or tr("none")
    if field == "owner":
        return OWNER_WORDS[value].rstrip(",")
    if field == "mirror_by":
        return {"fidele": "Fidele", "driver": tr("the driver"), "nobody": tr("nobody")}[value]
    if field == "printed_from":
        return value or "Fidele"
    if field == "page_ppi":
        return tr("{value} ppi", value=value) if value else tr("the printer's usual one")
    if field == "intent":
        return card.intent.words
    if field in ("process", "seen_from", "file_says"):
        return _SAID.get(str(value), str(value))
    return plain(value)


def plain(value: object) -> str:
    """Return a setting's value in plain words."""
    if value is None:
        return tr("as the driver has it")
    if isinstance(value, bool):
        return tr("on") if value else tr("off")
    return tr("{value:g}", value=value) if isinstance(value, float) else str(value) or tr("none")


_SAID = {
    "transfer": tr("transfer"),
    "direct": tr("direct"),
    "front": tr("front"),
    "back": tr("back"),
    "nothing": tr("nothing"),
}
