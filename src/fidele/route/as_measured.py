"""The way of numbers where the driver converts and what comes out of it is known by measured pages alone."""

from __future__ import annotations

from fidele.icc.spaces import SENDS
from fidele.language import tr
from fidele.route.condition import Card
from fidele.tuning.way import Way


def as_measured(card: Card) -> Way:
    """Return how numbers go by a card without a profile: what the driver makes of them is in the measured colours."""
    sends = SENDS[card.sends]()
    key = f"measured {card.id} {card.sends} {card.bake} {hash(card.balance)}"
    words = tr("the driver of the {name}, as measured pages of this print show", name=card.printer_name)
    return Way(key, words, sends, sends, balance=card.balance, baked=card.bake)
