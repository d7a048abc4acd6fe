"""Sheets of many pieces: copies, nesting, panels, and the file that comes of it. Plain functions of what they need."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from fidele.artwork.picture import Artwork
from fidele.errors import FideleError
from fidele.icc.profile import Profile
from fidele.output.device import PrintDevice
from fidele.route.condition import Card
from fidele.sheet.nest import Rectangle, nest
from fidele.sheet.page import Laid, render_bands
from fidele.sheet.panels import Panels, panels
from fidele.sheet.placing import Media, Placing
from fidele.sheet.write import write_sheet
from fidele.tiles import Progress
from fidele.tuning.conversion import Conversion


@dataclass(frozen=True, eq=False)
class Wanted:
    """A piece that is to be printed: its picture, printed size in mm, and how often."""

    artwork: Artwork
    width: float
    height: float
    copies: int = 1


@dataclass(frozen=True, eq=False)
class Sheet:
    """What lies on one sheet, on media that is cut to the length that is used."""

    media: Media
    laid: tuple[Laid, ...]
    use: float


def sheets_of(
    wanted: Sequence[Wanted],
    card: Card,
    device: PrintDevice,
    profile: Profile | None,
    gap: float = 3.0,
    may_turn: bool = True,
) -> list[Sheet]:
    """Nest pieces on as many sheets of the card's media as they need.

    Raises
    ------
    FideleError
        When the media is smaller than its margins, or a piece does not go on it.
    """
    media = device.media(card.size, card.feed)
    # Mirrored, the margins change sides: what is free both ways can be used.
    side, end = max(media.margins[0], media.margins[2]), max(media.margins[1], media.margins[3])
    room = (media.width - 2 * side, 0.0 if media.roll else media.height - 2 * end)
    if room[0] <= 0 or (not media.roll and room[1] <= 0):
        raise FideleError(f"{media.name} is smaller than its margins: nothing can be printed on it.")
    pieces = [w for w in wanted for _ in range(w.copies)]
    found = nest([Rectangle(w.width, w.height, may_turn) for w in pieces], *room, gap)
    printer = profile if card.owner == "fidele" else None
    how = Conversion(card.intent, card.bpc)
    made = []
    for number in range(found.sheets):
        laid = []
        for spot in found.spots:
            if spot.sheet == number:
                piece = pieces[spot.index]
                size = (piece.height, piece.width) if spot.turned else (piece.width, piece.height)
                placing = Placing(side + spot.x, end + spot.y, *size)
                laid.append(Laid(piece.artwork, placing, printer, how, 1 if spot.turned else 0))
        long = end * 2 + max(p.placing.y + p.placing.height - end for p in laid) if media.roll else media.height
        area = sum(p.placing.width * p.placing.height for p in laid)
        made.append(Sheet(replace(media, height=long), tuple(laid), area / (media.width * long)))
    return made


def panel_sheets(
    piece: Wanted, card: Card, device: PrintDevice, profile: Profile | None, overlap: float
) -> tuple[Panels, list[Sheet]]:
    """Part a piece that is larger than the card's media into panels, one on each sheet.

    Raises
    ------
    FideleError
        When the overlap leaves nothing of the media.
    """
    media = device.media(card.size, card.feed)
    side, end = max(media.margins[0], media.margins[2]), max(media.margins[1], media.margins[3])
    room = (media.width - 2 * side, 0.0 if media.roll else media.height - 2 * end)
    parted = panels(piece.width, piece.height, room, overlap)
    printer = profile if card.owner == "fidele" else None
    how = Conversion(card.intent, card.bpc)
    made = []
    for panel in parted.panels:
        cut = _cut(piece, (panel.x, panel.y, panel.width, panel.height))
        long = panel.height + 2 * end if media.roll else media.height
        placing = Placing(side, end, panel.width, panel.height)
        area = panel.width * panel.height / (media.width * long)
        made.append(Sheet(replace(media, height=long), (Laid(cut, placing, printer, how),), area))
    return parted, made


def _cut(piece: Wanted, area: tuple[float, float, float, float]) -> Artwork:
    """Return the part of a picture under an area of the printed piece, in mm, to whole pixels."""
    high, wide = piece.artwork.pixels.shape[:2]
    x0, x1 = (round(v / piece.width * wide) for v in (area[0], area[0] + area[2]))
    y0, y1 = (round(v / piece.height * high) for v in (area[1], area[1] + area[3]))
    cut = np.s_[y0 : max(y1, y0 + 1), x0 : max(x1, x0 + 1)]
    alpha = piece.artwork.alpha
    return replace(piece.artwork, pixels=piece.artwork.pixels[cut], alpha=None if alpha is None else alpha[cut])


def write(sheet: Sheet, card: Card, device: PrintDevice, path: Path, progress: Progress | None = None) -> None:
    """Write a sheet as a file for its printer: converted, mirrored as the card says, at true size."""
    scale = device.ppi / 25.4
    size = (round(sheet.media.width * scale), round(sheet.media.height * scale))
    bands = render_bands(sheet.laid, sheet.media, device.ppi, card.mirror_by == "fidele", progress)
    says = sheet.laid[0].printer if sheet.laid else None
    write_sheet(path, bands, size, says, device.ppi)


def use_of(sheets: Sequence[Sheet]) -> float:
    """Return the share of all media that is covered."""
    area = sum(s.media.width * s.media.height for s in sheets)
    return sum(s.use * s.media.width * s.media.height for s in sheets) / max(area, 1e-9)
