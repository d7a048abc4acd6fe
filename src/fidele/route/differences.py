"""Two printing conditions side by side: what differs, in plain words."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from fidele.route.condition import Card
from fidele.route.layers import MEANINGS

_LABELS = {
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
    "owner": "Who converts",
    "mirror_by": "Who mirrors",
    "printed_from": "Printed from",
    "file_says": "The finished file says",
    "artwork_ppi": "Artwork, ppi",
    "notes": "Notes",
}
_PRESS = {
    "temperature": "Press temperature, °C",
    "seconds": "Press time, s",
    "pressure": "Press pressure, bar",
    "preheat": "Preheat, s",
}
_OWNERS = {
    "fidele": "Fidele",
    "system": "the print system",
    "driver": "the driver",
    "driver-profile": "the driver, by its given profile",
}


@dataclass(frozen=True)
class Difference:
    """One thing in which two cards differ."""

    label: str
    one: str
    other: str


def differences(one: Card, other: Card) -> list[Difference]:
    """Return in what two cards differ, in the order in which people think of it; names and history do not count."""
    found = [
        Difference(label, _said(one, field), _said(other, field))
        for field, label in _LABELS.items()
        if getattr(one, field) != getattr(other, field)
    ]
    for meaning in MEANINGS:
        a, b = one.driver.get(meaning), other.driver.get(meaning)
        if a != b:
            found.append(Difference(MEANINGS[meaning], _plain(a), _plain(b)))
    for field, label in _PRESS.items():
        a, b = getattr(one.press, field), getattr(other.press, field)
        if a != b:
            found.append(Difference(label, f"{a:g}", f"{b:g}"))
    return found


def _said(card: Card, field: str) -> str:
    value = getattr(card, field)
    if field == "profile":
        return card.profile_title or value or "none"
    if field == "owner":
        return _OWNERS[value]
    if field == "intent":
        return card.intent.words
    return _plain(value)


def _plain(value: Any) -> str:
    if value is None:
        return "as the driver has it"
    if isinstance(value, bool):
        return "on" if value else "off"
    return f"{value:g}" if isinstance(value, float) else str(value) or "none"
