"""What is wrong with what lies on the sheet."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

import numpy as np

from fidele.errors import FideleError
from fidele.route.finding import Finding
from fidele.session.job import strip_placing
from fidele.sheet.placing import Media, Placing
from fidele.sheet.shapes import covered

if TYPE_CHECKING:
    from fidele.session.pieces import Piece
    from fidele.session.sheet import Sheet


def on_sheet(sheet: Sheet, mirrored: bool, larger: Callable[[Placing], str]) -> list[Finding]:
    """Whether everything goes on the sheet, and can share it.

    `larger` names a size of this printer's that holds a picture where this one does not, '' for none.
    """
    pieces = sheet.pieces
    if not pieces:
        return []
    base = sheet.base
    if base.room[0] <= 0 or (not base.roll and base.room[1] <= 0):
        return [
            Finding(
                "media-too-small",
                "stop",
                f"{base.name} is smaller than its margins",
                "Nothing can be printed on it.",
                "Choose another sheet.",
                desk="sheet",
            )
        ]
    if pieces[0].chart is not None:
        return []
    if pieces[0].panels is not None:
        return _of_panels(sheet)
    placed = _places(sheet, mirrored, larger)
    return [*_sharing(sheet), *placed, *_overlaps(sheet), *_stretched(sheet), *_strip(sheet)]


def _places(sheet: Sheet, mirrored: bool, larger: Callable[[Placing], str]) -> list[Finding]:
    base = sheet.base
    left, top, right, bottom = base.printable
    too_large: list[tuple[str, Placing]] = []
    crossing: list[str] = []
    edges: dict[str, None] = {}
    for piece, _, copy in sheet.copies():
        x0, y0, x1, y1 = covered(piece.shape, copy.placing)
        if x1 - x0 > right - left + 0.05 or (not base.roll and y1 - y0 > bottom - top + 0.05):
            too_large.append((piece.name, copy.placing))
        elif crossed := Placing(x0, y0, x1 - x0, y1 - y0).crosses(base, mirrored):
            crossing.append(piece.name)
            edges |= dict.fromkeys(crossed)
    found = []
    if too_large:
        placing = too_large[0][1]
        size = larger(placing)
        alone = len(too_large) == 1
        x0, y0, x1, y1 = placing.bounds
        high = "any length" if base.roll else f"{bottom - top:.0f} mm"
        found.append(
            Finding(
                "sheet-too-small",
                "stop",
                f"{base.name} is too small for {'it' if alone else f'{len(too_large)} pieces'}",
                f"The picture is {x1 - x0:.0f} x {y1 - y0:.0f} mm; on this sheet "
                f"{right - left:.0f} mm x {high} can be printed. The rest would be cut off.",
                f"Take {size}, print it smaller, or in panels." if size else "Print it smaller, or in panels.",
                f"Take {size}" if size else "Part it into panels",
                f"size:{size}" if size else "part",
                "sheet",
            )
        )
    if crossing:
        names = list(dict.fromkeys(crossing))
        several = len(crossing) > 1 or sum(len(p.copies) for p in sheet.pieces) > 1
        found.append(
            Finding(
                "crosses-margin",
                "stop",
                f"Reaches beyond the printable area ({', '.join(edges)})",
                f"What lies there will be cut off{f': {len(crossing)} of {names[0]}' if several else ''}"
                f"{f' and {len(names) - 1} more' if len(names) > 1 else ''}.",
                "Nest the pieces, or move them." if several else "Make the picture smaller or move it.",
                "Nest the pieces" if several else "Fit it to the sheet",
                "nest" if several else "fit-sheet",
                "sheet",
            )
        )
    return found


def _overlaps(sheet: Sheet) -> list[Finding]:
    """Whether pieces lie on each other: what is beneath would not be printed."""
    count, names = 0, ""
    for page in range(sheet.pages):
        lain = [(piece.name, *covered(piece.shape, copy.placing)) for piece, _, copy in sheet.copies(page)]
        if len(lain) < 2:
            continue
        boxes = np.array([one[1:] for one in lain])
        low = np.maximum(boxes[:, None, :2], boxes[None, :, :2])
        high = np.minimum(boxes[:, None, 2:], boxes[None, :, 2:])
        over = np.triu(((high - low) > 0.05).all(axis=2), 1)
        if over.any():
            a, b = np.argwhere(over)[0]
            names = names or f"{lain[a][0]} and {lain[b][0]}"
            count += int(over.sum())
    if not count:
        return []
    return [
        Finding(
            "overlap",
            "caution",
            "Pieces lie on each other" if count > 1 else "Two pieces lie on each other",
            f"{names}: what lies beneath is not printed there.",
            "Nest the pieces, or move them apart.",
            "Nest the pieces",
            "nest",
            "sheet",
        )
    ]


def stretched(piece: Piece) -> float:
    """Return by how much a piece is wider than its file's proportions ask for; 0.1 for a tenth, 0 where it is not."""
    if piece.behind is not None:
        return 0.0
    by = piece.placing.width / piece.placing.height / (piece.artwork.width / piece.artwork.height) - 1
    return by if abs(by) > 0.01 else 0.0


def _stretched(sheet: Sheet) -> list[Finding]:
    """Whether pieces have other proportions than their files: circles become eggs."""
    found = []
    for piece in sheet.pieces:
        if by := stretched(piece):
            how = f"{abs(by) * 100:.0f} % {'wider' if by > 0 else 'narrower'}"
            found.append(
                Finding(
                    "stretched",
                    "caution",
                    f"{piece.name} is printed {how} than it is",
                    "Its printed size has other proportions than its file.",
                    "Keep its width and its own proportions.",
                    "Keep its proportions",
                    f"proportions:{piece.number}",
                    "sheet",
                )
            )
    return found


def _sharing(sheet: Sheet) -> list[Finding]:
    return [
        Finding(
            "cannot-share",
            "stop",
            f"{piece.name} cannot share this sheet",
            f"Its condition differs on the printing side: {'; '.join(reasons[:3])}.",
            "Give it a sheet of its own, or press it by another condition.",
            "Give it its own sheet",
            f"apart:{piece.number}",
            "sheet",
        )
        for piece, reasons in sheet.disagreements()
    ]


def _strip(sheet: Sheet) -> list[Finding]:
    media: Media = sheet.media(sheet.shown)
    if not sheet.wants_strip or strip_placing(media) is not None:
        return []
    return [
        Finding(
            "no-room-for-strip",
            "note",
            f"The control strip does not go on {media.name}",
            "It is 186 mm wide. Without it this sheet cannot be checked afterwards.",
            "Print the quick chart beside the work.",
            desk="sheet",
        )
    ]


def _of_panels(sheet: Sheet) -> list[Finding]:
    try:
        parted = sheet.panels
    except FideleError as error:
        return [Finding("no-panels", "stop", "It cannot be parted so", str(error), "Change the panels.", desk="sheet")]
    if parted is None or not parted.through:
        return []
    return [
        Finding(
            "seam-through",
            "caution",
            "A seam runs through what was to be kept clear",
            f"There is no other way with so many panels: {', '.join(parted.through)}.",
            "Ask for more panels, or less overlap.",
            desk="sheet",
        )
    ]
