"""What is wrong with what lies on the sheet."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from fidele import units
from fidele.judge.facts import Facts, SheetFacts
from fidele.judge.finding import Action, Deed, Finding
from fidele.judge.table import finding
from fidele.language import tr
from fidele.sheet.placing import Placing


def sheet_findings(facts: Facts) -> Iterator[Finding]:
    """Whether everything goes on the sheet, and can share it."""
    sheet = facts.sheet
    if sheet is None:
        return
    media = sheet.media
    if media.room[0] <= 0 or (not media.roll and media.room[1] <= 0):
        yield finding("media-too-small", media=media.name)
    elif sheet.parted:
        if sheet.unparted:
            yield finding("no-panels", why=sheet.unparted)
        if sheet.through:
            yield finding("seam-through", through=", ".join(sheet.through))
    elif not sheet.alone:
        for name, number, reasons in sheet.apart:
            yield finding("cannot-share", name=name, number=number, reasons="; ".join(reasons[:3]))
        yield from _places(sheet)
        yield from _overlaps(sheet)
        for name, number, by in sheet.stretched:
            how = tr("{by:.0f} % wider", by=abs(by) * 100) if by > 0 else tr("{by:.0f} % narrower", by=abs(by) * 100)
            yield finding("stretched", name=name, number=number, how=how)
        if sheet.strip:
            yield finding("no-room-for-strip", media=sheet.strip)


def too_large(sheet: SheetFacts) -> list[Placing]:
    """Return where the copies lie that are larger than the printable area, at whatever place."""
    media = sheet.media
    left, top, right, bottom = media.printable
    return [
        one.placing
        for one in sheet.copies
        if one.covers[2] - one.covers[0] > right - left + 0.05
        or (not media.roll and one.covers[3] - one.covers[1] > bottom - top + 0.05)
    ]


def _places(sheet: SheetFacts) -> Iterator[Finding]:
    media = sheet.media
    left, top, right, bottom = media.printable
    if larger := too_large(sheet):
        x0, y0, x1, y1 = larger[0].bounds
        size = sheet.larger
        button: str | None = tr("Turn it by 90°") if sheet.turns else tr("Take {size}", size=size) if size else None
        act = Action(Deed.TURN) if sheet.turns else Action(Deed.SIZE, size) if size else None
        first = tr("Turn it by 90°, ") if sheet.turns else tr("Take {size}, ", size=size) if size else ""
        ways = tr("{first}part it into panels, or print it smaller.", first=first)
        yield finding(
            "sheet-too-small",
            button=button,
            act=act,
            media=media.name,
            what=tr("it") if len(larger) == 1 else tr("{n} pieces", n=len(larger)),
            size=units.size(x1 - x0, y1 - y0),
            across=units.length(right - left),
            along=tr("any length") if media.roll else units.length(bottom - top),
            remedy=ways[:1].upper() + ways[1:],
        )
    crossing: list[str] = []
    edges: dict[str, None] = {}
    for one in (c for c in sheet.copies if c.placing not in larger):
        x0, y0, x1, y1 = one.covers
        if crossed := Placing(x0, y0, x1 - x0, y1 - y0).crosses(media, sheet.mirrored):
            crossing.append(one.name)
            edges |= dict.fromkeys(crossed)
    if crossing:
        names, several = list(dict.fromkeys(crossing)), len(sheet.copies) > 1
        which = tr(": {n} of {names}", n=len(crossing), names=names[0]) if several else ""
        which += tr(" and {n} more", n=len(names) - 1) if len(names) > 1 else ""
        yield finding(
            "crosses-margin",
            button=tr("Nest the pieces") if several else None,
            act=Action(Deed.NEST) if several else None,
            edges=", ".join(map(tr, edges)),
            which=which,
            remedy=tr("Nest the pieces, or move them.") if several else tr("Make the picture smaller or move it."),
        )


def _overlaps(sheet: SheetFacts) -> Iterator[Finding]:
    """Whether pieces lie on each other: what is beneath would not be printed."""
    count, names = 0, ""
    for page in {one.page for one in sheet.copies}:
        lain = [one for one in sheet.copies if one.page == page]
        boxes = np.array([one.covers for one in lain])
        low = np.maximum(boxes[:, None, :2], boxes[None, :, :2])
        high = np.minimum(boxes[:, None, 2:], boxes[None, :, 2:])
        over = np.triu(((high - low) > 0.05).all(axis=2), 1)
        if over.any():
            a, b = np.argwhere(over)[0]
            names = names or tr("{name} and {name2}", name=lain[a].name, name2=lain[b].name)
            count += int(over.sum())
    if count:
        yield finding("overlap", many=tr("Pieces") if count > 1 else tr("Two pieces"), names=names)
