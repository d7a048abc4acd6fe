"""Sizes that a driver takes though it does not list them: sheets of one's own, and rolls cut where a page ends."""

from __future__ import annotations

import math
import re

from fidele.devices.cups.ppd import Ppd
from fidele.language import tr
from fidele.sheet.placing import Media

#: A driver whose longest size of one's own is so many times its longest sheet prints on rolls.
_ROLL = 1.5
#: Narrower than this, in mm, nothing is sold as a roll.
_NARROWEST = 200.0
_NAMED = re.compile(r"Roll (\d{2,4}(?:\.\d+)?) mm|(\d{2,4}(?:\.\d+)?) x (\d{2,5}(?:\.\d+)?) mm")


def rolls(ppd: Ppd) -> tuple[str, ...]:
    """Return the rolls that a driver takes, by name, widest first: as wide as its sheets, and as wide as it can."""
    if ppd.custom is None or ppd.custom[3] < _ROLL * max(s.height for s in ppd.sheets.values()):
        return ()
    least, most = ppd.custom[:2]
    widths = {round(s.width, 1) for s in ppd.sheets.values()} | {round(most, 1)}
    kept = sorted((w for w in widths if max(least, _NARROWEST) <= w <= most + 0.1), reverse=True)
    return tuple(tr("Roll {w:g} mm", w=w) for w in kept)


def own_size(ppd: Ppd, width: float, height: float) -> str:
    """Return the name of a sheet of one's own size in mm, '' where the driver takes none so large or small."""
    name = tr("{width:g} x {height:g} mm", width=width, height=height)
    return name if own_media(ppd, name) is not None else ""


def own_media(ppd: Ppd, name: str) -> Media | None:
    """Return a roll or a sheet of one's own size by its name; None where it is no such name or out of bounds."""
    said = _NAMED.fullmatch(name)
    if said is None or ppd.custom is None:
        return None
    narrow, wide, short, long = ppd.custom
    width, height = float(said[1] or said[2]), float(said[3] or long)
    # A driver states its bounds in points: half of one is none too many.
    if not (narrow - 0.2 <= width <= wide + 0.2 and short - 0.2 <= height <= long + 0.2):
        return None
    return Media(name, width, height, ppd.own_margins, bool(said[1]))


def as_choice(media: Media, length: float) -> str:
    """Return the choice of the option for the size that stands for a sheet so long (mm), in whole points.

    Filters round a page's length to whole points, and lay what is on it from its lower edge.
    """
    return f"Custom.{media.width / 25.4 * 72:.2f}x{math.ceil(length / 25.4 * 72 - 0.01)}"


def from_choice(choice: str) -> tuple[float, float] | None:
    """Return width and length in mm of such a choice, None where it is another."""
    if not choice.startswith("Custom."):
        return None
    width, _, length = choice.removeprefix("Custom.").partition("x")
    return float(width) / 72 * 25.4, float(length) / 72 * 25.4
