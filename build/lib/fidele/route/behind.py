"""What lies behind the last page that can be seen: a driver that cannot be asked, as a person vouches for it."""

from __future__ import annotations

from collections.abc import Iterable

from fidele.language import named, tr
from fidele.route.condition import Card
from fidele.route.layers import Evidence, Layer, SettingRow

#: What such a driver must be found to do, by meaning.
BEHIND = {
    "driver_colour": named("left alone"),
    "driver_size": named("true size"),
    "driver_mirroring": named("not mirrored"),
}
#: And what it must do to colour where it is the one that converts.
CONVERTS = named("the maker's colours")

_SAID = {"left alone": tr("leaves the numbers alone"), CONVERTS: tr("converts by its maker's correction")}


def looked_up(card: Card, meaning: str, wanted: str, place: str) -> SettingRow:
    """Return a setting that only a person can see: as the card's confirmation has it, or not known."""
    said = card.confirmed.get(meaning)
    if said is None:
        return SettingRow(meaning, wanted, None, place, None, Evidence.NOT_KNOWN, settable=False)
    found, agrees = str(said.value), str(said.value) == wanted
    return SettingRow(meaning, wanted, found, place, agrees, Evidence.BY_HAND, settable=False, when=said.when)


def behind_rows(card: Card, meanings: Iterable[str], place: str) -> tuple[SettingRow, ...]:
    """Return what must be known of it, as confirmed by hand or not known."""
    wanted = BEHIND | ({"driver_colour": CONVERTS} if card.owner == "driver" else {})
    return tuple(looked_up(card, meaning, wanted[meaning], place) for meaning in meanings)


def behind_layer(card: Card, meanings: Iterable[str]) -> Layer:
    """Return it as a layer; of meanings that are not asked for, that nothing is done."""
    asked = set(meanings)
    said = {m: card.confirmed.get(m) for m in asked}
    colour, size, mirror = (said.get(m) for m in BEHIND)
    known = [s for s in said.values() if s is not None]
    converts = False if "driver_colour" not in asked else None if colour is None else colour.value == CONVERTS
    scale = 1.0 if "driver_size" not in asked or (size is not None and size.value == BEHIND["driver_size"]) else None
    mirrors = (
        False
        if "driver_mirroring" not in asked
        else None
        if mirror is None
        else mirror.value != BEHIND["driver_mirroring"]
    )
    return Layer(
        "driver",
        converts,
        tr("what it does to colour is not known")
        if colour is None
        else _SAID.get(str(colour.value), str(colour.value)),
        Evidence.NOT_KNOWN if len(known) < len(said) else Evidence.BY_HAND if known else Evidence.READ_BACK,
        mirrors=mirrors,
        scale=scale,
        expects="sRGB" if converts else "",
        when=min((s.when for s in known), default=None),
        who=known[0].who if known else "",
    )
