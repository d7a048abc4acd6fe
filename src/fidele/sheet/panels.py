"""Print a piece larger than the media in panels: how many, where their seams fall, and which is which."""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import pairwise

from fidele import units
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.language import tr

#: Seams are tried at places so many millimetres apart, but at no more than so many.
_STEP, _PLACES = 1.0, 100

Area = tuple[float, float, float, float]


@dataclass(frozen=True)
class Panel:
    """One part of a large piece: column and row counted from 0, and its rectangle on the piece in mm.

    The rectangle takes the overlap with its neighbours in.
    """

    column: int
    row: int
    x: float
    y: float
    width: float
    height: float

    @property
    def name(self) -> str:
        """What it is called on its sign: column letter and row."""
        return f"{chr(65 + self.column)}{self.row + 1}"


@dataclass(frozen=True)
class Panels:
    """All panels of a piece, row by row, and where the seams lie across and down, mm on the piece."""

    panels: tuple[Panel, ...]
    across: tuple[float, ...]
    down: tuple[float, ...]
    #: Seams that run through an area that was to be kept clear, because there was no other way.
    through: tuple[str, ...] = ()
    #: What a panel may measure at most (height 0 for no limit), and what neighbours share, mm.
    room: tuple[float, float] = (0.0, 0.0)
    overlap: float = 0.0

    def reach(self, size: tuple[float, float], axis: int, number: int) -> tuple[float, float]:
        """Return from where to where a seam can be moved, mm on a piece of `size`, its neighbours staying.

        `axis` 0 is a seam across, 1 one down; every panel stays within its room and wider than the overlap.
        """
        seams, half = (self.across, self.down)[axis], self.overlap / 2
        ends = (0.0, *seams, size[axis])
        before, after = ends[number], ends[number + 2]
        least = max(self.overlap, _STEP)
        low, high = before + least, after - least
        if room := self.room[axis]:
            high = min(high, before + room - half - (half if number else 0.0))
            low = max(low, after - room + half + (half if number < len(seams) - 1 else 0.0))
        return low, max(low, high)


def panels(
    width: float,
    height: float,
    room: tuple[float, float],
    overlap: float = 0.0,
    keep_clear: Sequence[Area] = (),
    count: tuple[int, int] = (0, 0),
    pinned: tuple[Sequence[float], Sequence[float]] = ((), ()),
) -> Panels:
    """Part a piece of `width` x `height` mm into panels that go into `room` (width, height; height 0 is a roll).

    Neighbours share `overlap` mm; the seam lies in its middle. Seams keep clear of areas (x, y, width, height) where
    that is possible. `count` asks for so many columns and rows; 0 for as few as will do. `pinned` are seams that were
    put across and down by hand: where there are any they are all that there are.

    Raises
    ------
    FideleError
        When the overlap leaves nothing of the room, or the panels asked for would be too large.
    """
    if min(width, height) <= 0 or overlap < 0:
        raise FideleError(tr("A piece of no size cannot be parted into panels."))
    clear_x, clear_y = [(x, x + w) for x, _, w, _ in keep_clear], [(y, y + h) for _, y, _, h in keep_clear]
    if pinned[0]:
        across, wrong_x = _pinned(width, room[0], overlap, clear_x, pinned[0], tr("wide"))
    else:
        across, wrong_x = _seams(width, room[0], overlap, clear_x, count[0], tr("wide"))
    if pinned[1]:
        down, wrong_y = _pinned(height, room[1], overlap, clear_y, pinned[1], tr("high"))
    else:
        down, wrong_y = _seams(height, room[1], overlap, clear_y, count[1], tr("high"))
    edges = [_spans(width, across, overlap), _spans(height, down, overlap)]
    made = tuple(
        Panel(column, row, x0, y0, x1 - x0, y1 - y0)
        for row, (y0, y1) in enumerate(edges[1])
        for column, (x0, x1) in enumerate(edges[0])
    )
    through = [tr("the seam at {length} across", length=units.length(x)) for x in wrong_x] + [
        tr("the seam at {length} down", length=units.length(y)) for y in wrong_y
    ]
    return Panels(made, tuple(across), tuple(down), tuple(through), room, overlap)


def _pinned(
    length: float, room: float, overlap: float, clear: list[tuple[float, float]], seams: Sequence[float], what: str
) -> tuple[list[float], list[float]]:
    """Return seams as they were put by hand, and which of them run through what was to be kept clear."""
    placed = sorted(seams)
    for a, b in pairwise((0.0, *placed, length)):
        if b - a < 1e-6:
            raise FideleError(tr("A seam at {length} leaves no panel beside it.", length=units.length(b)))
    for a, b in _spans(length, placed, overlap):
        if room and b - a > room + 0.05:
            raise FideleError(
                tr(
                    "The panel from {length} to {length2} would be {length3} {what}; {length4} is the most.",
                    length=units.length(a),
                    length2=units.length(b),
                    length3=units.length(b - a),
                    what=what,
                    length4=units.length(room),
                )
            )
    return placed, _crossing(placed, clear)


def _crossing(seams: Sequence[float], clear: Sequence[tuple[float, float]]) -> list[float]:
    return [s for s in seams if any(a + 1e-9 < s < b - 1e-9 for a, b in clear)]


def _spans(length: float, seams: list[float], overlap: float) -> list[tuple[float, float]]:
    edges = [0.0, *seams, length]
    half = overlap / 2
    return [
        (max(0.0, a - (half if k else 0)), min(length, b + (half if k + 2 < len(edges) else 0)))
        for k, (a, b) in enumerate(pairwise(edges))
    ]


def _seams(
    length: float, room: float, overlap: float, clear: list[tuple[float, float]], count: int, what: str
) -> tuple[list[float], list[float]]:
    """Return where seams fall along one side, and which of them could not keep clear.

    Of all ways to part the side into the fewest parts that fit, the one whose seams cross least and lie most evenly.
    """
    if not room:
        room = max(length, 1.0)
    if overlap >= room:
        raise FideleError(
            tr(
                "An overlap of {length} leaves nothing of panels {length2} {what}.",
                length=units.length(overlap, 1),
                length2=units.length(room),
                what=what,
            )
        )
    fewest = max(1, math.ceil((length - overlap) / (room - overlap) - 1e-9)) if length > room + 1e-6 else 1
    parts = count or fewest
    if parts < fewest:
        raise FideleError(
            tr(
                "{parts} panels would be more than {length} {what}; it takes {fewest}.",
                parts=parts,
                length=units.length(room),
                what=what,
                fewest=fewest,
            )
        )
    if parts == 1:
        return [], []
    even = length / parts
    # Any part between two seams is at most so long, for half an overlap is added at each.
    inner, outer = room - overlap, room - overlap / 2
    even_places = [even * k for k in range(1, parts)]

    def places(number: int) -> list[float]:
        """Return where a seam can fall at all: a spread, the even place, the edges of areas."""
        low = max(length - outer - (parts - 2 - number) * inner, 1e-3)
        high = min(outer + number * inner, length - 1e-3)
        step = max(_STEP, (high - low) / _PLACES)
        spread = {low + k * step for k in range(int((high - low) / step) + 1)}
        edges = {edge for span in clear for edge in span if low <= edge <= high}
        return sorted(spread | edges | {high} | {v for v in even_places if low <= v <= high})

    def cost(place: float, number: int) -> float:
        crosses = any(a + 1e-9 < place < b - 1e-9 for a, b in clear)
        return 1e6 * crosses + abs(place - even_places[number])

    # Best ways to the place of each seam in turn.
    ways: dict[float, tuple[float, list[float]]] = {0.0: (0.0, [])}
    for number in range(parts - 1):
        reach = outer if number == 0 else inner
        following: dict[float, tuple[float, list[float]]] = {}
        for place in places(number):
            before = [(c, w) for at, (c, w) in ways.items() if at < place - 1e-9 and place - at <= reach + 1e-6]
            if before:
                so_far, way = min(before, key=lambda b: b[0])
                following[place] = (so_far + cost(place, number), [*way, place])
        ways = following
    last = [(c, w) for at, (c, w) in ways.items() if length - at <= outer + 1e-6]
    if not last:
        raise FideleError(
            tr(
                "{parts} panels would be more than {length} {what}; it takes more.",
                parts=parts,
                length=units.length(room),
                what=what,
            )
        )
    _, seams = min(last, key=lambda b: b[0])
    return seams, _crossing(seams, clear)
