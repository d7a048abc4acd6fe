"""Which substrates take sublimation dye: it goes into polyester and other polymers, and nowhere else."""

from __future__ import annotations

import re

from fidele.language import tr

#: Words that name what holds no dye unless it is coated, or is a blend with much polyester.
_NONE = (
    "cotton",
    "linen",
    "hemp",
    "jute",
    "wool",
    "silk",
    "viscose",
    "rayon",
    "leather",
    "cellulose",
    tr("felt of wool"),
)
#: Words that name what holds it, or was made to.
_HOLDS = ("polyester", "coated", "ceramic", "enamel", "polymer", "primed")


def holds_dye(substrate: str) -> bool | None:
    """Return whether a substrate can hold sublimation dye, by its name; None where the name does not tell."""
    words = substrate.casefold()
    if re.search(r"\b(un|not )coated\b|\buncoated\b", words):
        return False
    if any(word in words for word in _HOLDS):
        return True
    return False if any(word in words for word in _NONE) else None
