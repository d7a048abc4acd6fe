"""Nest rectangles on sheets or on a roll, so that little media is wasted.

Best-fit on a skyline (Burke, Kendall and Whitwell, 'A new placement heuristic for the orthogonal stock-cutting
problem', Oper. Res. 52, 2004): the lowest gap is filled by the rectangle that fills it best; several rules are tried,
then the order is shaken for as long as there is time.
"""

from __future__ import annotations

import bisect
import time
from collections.abc import Mapping, Sequence

import numpy as np

from fidele.arrays import Floats
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.language import tr

#: Millimetres below which lengths are taken for equal.
_SAME = 1e-6
#: Seconds after which no further rule is tried.
_PATIENCE = 2.0
#: Share of the rectangles that is preferred otherwise in each further try, and how much, as a logarithm.
_SHAKEN, _HARD = 0.1, 0.1


@dataclass(frozen=True)
class Rectangle:
    """What is to be nested: width and height in mm, and whether it may be turned by 90°.

    With cloth the grain has a direction, and what is printed on it must not be turned.
    """

    width: float
    height: float
    may_turn: bool = True


@dataclass(frozen=True)
class Spot:
    """Where a rectangle came to lie: which one, on which sheet, its upper left corner in mm, and whether turned."""

    index: int
    sheet: int
    x: float
    y: float
    turned: bool


@dataclass(frozen=True)
class Nest:
    """Where everything lies; `length` of the last sheet is used, in mm, and `use` is the share of media that is ink."""

    spots: tuple[Spot, ...]
    sheets: int
    length: float
    use: float


Blocked = tuple[float, float, float, float]


def nest(
    rectangles: Sequence[Rectangle],
    width: float,
    height: float,
    gap: float = 0.0,
    locked: Mapping[int, Sequence[Blocked]] | None = None,
    seconds: float = 0.25,
    seed: int = 1,
) -> Nest:
    """Nest rectangles on sheets of `width` x `height` mm; height 0 is a roll, as long as is needed.

    `gap` mm stay free between any two. `locked` are areas (x, y, width, height) that are taken, by number of the sheet.
    Finds the same for the same input, if it has the same time.

    Raises
    ------
    FideleError
        When one of them does not go on the media at all.
    """
    for number, one in enumerate(rectangles):
        fits = _fits(one.width, one.height, width, height) or (
            one.may_turn and _fits(one.height, one.width, width, height)
        )
        if one.width <= 0 or one.height <= 0 or not fits:
            raise FideleError(
                tr(
                    "Piece {number} of {width:g} x {height:g} mm does not go on a roll {width2:g} mm wide; print "
                    "it in panels.",
                    number=number + 1,
                    width=one.width,
                    height=one.height,
                    width2=width,
                )
                if not height
                else tr(
                    "Piece {number} of {width:g} x {height:g} mm does not go on a sheet of {width2:g} x "
                    "{height2:g} mm; print it in panels.",
                    number=number + 1,
                    width=one.width,
                    height=one.height,
                    width2=width,
                    height2=height,
                )
            )
    grown = [(r.width + gap, r.height + gap, r.may_turn) for r in rectangles]
    room = (width + gap, height + gap if height else 0.0)
    taken = {n: [(x, y, w + gap, h + gap) for x, y, w, h in areas] for n, areas in (locked or {}).items() if areas}
    rng = np.random.default_rng(seed)
    end = time.perf_counter() + seconds
    plain = np.ones(len(rectangles))
    best: tuple[tuple[int, float], list[Spot]] | None = None
    kept = (0, 0, plain)
    tries = 0
    rules = [(key, side) for key in range(4) for side in range(3)]
    # All rules are tried, unless there is so much to lay that somebody would have to wait.
    patience = max(end, time.perf_counter() + _PATIENCE)
    while not tries or time.perf_counter() < (patience if tries < len(rules) else end):
        if tries < len(rules):
            key, side = rules[tries]
            taste = plain
        else:  # what was best so far, a little otherwise
            key, side, taste = kept
            some = rng.random(len(plain)) < _SHAKEN
            taste = np.where(some, taste * np.exp(rng.normal(0, _HARD, len(plain))), taste)
            side = int(rng.integers(3)) if rng.random() < _SHAKEN else side
        spots, sheets, length = _packed(grown, room, taken, key, side, taste)
        score = (sheets, length)
        if best is None or score <= best[0]:
            best, kept = (score, spots), (key, side, taste)
        tries += 1
        if not rectangles:
            break
    (sheets, length), spots = best if best is not None else ((0, 0.0), [])
    length = max(0.0, length - gap)
    area = sum(r.width * r.height for r in rectangles) + sum(
        w * h for areas in (locked or {}).values() for _, _, w, h in areas
    )
    media = width * ((sheets - 1) * height + (height or length)) if sheets else 1.0
    return Nest(tuple(sorted(spots, key=lambda s: s.index)), sheets, length, area / max(media, _SAME))


def _fits(wide: float, high: float, width: float, height: float) -> bool:
    return wide <= width + _SAME and (not height or high <= height + _SAME)


def _packed(
    grown: list[tuple[float, float, bool]],
    room: tuple[float, float],
    taken: Mapping[int, list[Blocked]],
    key: int,
    side: int,
    taste: Floats,
) -> tuple[list[Spot], int, float]:
    """Fill sheet after sheet; return the spots, how many sheets, and the length that is used of the last.

    `taste` (n,) is how much wider each is taken to be than it is, where the widest is looked for.
    """

    def weight(index: int) -> float:
        wide, high, _ = grown[index]
        return (max(wide, high), wide * high, wide, high)[key]

    left = sorted(range(len(grown)), key=lambda i: -weight(i))
    spots: list[Spot] = []
    sheet, length = 0, 0.0
    while left:
        blocked = taken.get(sheet, [])
        done, length = _filled(left, grown, room, blocked, side, taste)
        spots += [Spot(i, sheet, x, y, turned) for i, x, y, turned in done]
        placed = {i for i, *_ in done}
        left = [i for i in left if i not in placed]
        sheet += 1
    last = max(taken, default=-1)
    if last >= sheet:
        sheet, length = last + 1, 0.0
    length = max([length, *(y + h for _, y, _, h in taken.get(sheet - 1, []))])
    return spots, sheet, length


def _filled(
    left: list[int],
    grown: list[tuple[float, float, bool]],
    room: tuple[float, float],
    blocked: list[Blocked],
    side: int,
    taste: Floats,
) -> tuple[list[tuple[int, float, float, bool]], float]:
    """Fill one sheet from a skyline of (x, y, width); return what was placed, and how far down it reaches."""
    width, height = room
    line: list[list[float]] = [[0.0, 0.0, width]]
    ways, gone, most = _ways(left, grown, taste), set[int](), float(taste.max())
    placed: list[tuple[int, float, float, bool]] = []
    reach = 0.0
    while len(placed) < len(left):
        at = min(range(len(line)), key=lambda k: (line[k][1], line[k][0]))
        x, y, free = line[at]
        if height and y >= height - _SAME:
            break
        found = _best(ways, gone, (x, y, free), most, height, blocked)
        if found is None:
            _raise(line, at, blocked, height)
            continue
        index, turned = found
        wide, high = grown[index][1::-1] if turned else grown[index][:2]
        before = line[at - 1][1] if at else float("inf")
        after = line[at + 1][1] if at + 1 < len(line) else float("inf")
        to_right = (side == 1 and after > before) or (side == 2 and after < before)
        where = x + free - wide if to_right else x
        if to_right and _hits(where, y, wide, high, blocked):
            where = x
        placed.append((index, where, y, turned))
        reach = max(reach, y + high)
        gone.add(index)
        if len(gone) % 32 == 0:  # what lies is not looked at again and again
            ways = _ways([i for i in left if i not in gone], grown, taste)
        pieces = [[where, y + high, wide]]
        if where - x > _SAME:
            pieces.insert(0, [x, y, where - x])
        if x + free - where - wide > _SAME:
            pieces.append([where + wide, y, x + free - where - wide])
        line[at : at + 1] = pieces
        _join(line)
    return placed, reach


#: A way to lay a rectangle: its width and height so, which one it is, and whether it is turned.
_Way = tuple[float, float, int, bool]


def _ways(left: list[int], grown: list[tuple[float, float, bool]], taste: Floats) -> tuple[list[_Way], list[float]]:
    """Return all ways to lay what is left, the widest to our taste first, alike ones in their order; and how wide."""
    ways: list[tuple[float, _Way]] = []
    for index, wider in zip(left, taste[left].tolist(), strict=True):
        wide, high, may_turn = grown[index]
        ways.append((-wide * wider, (wide, high, index, False)))
        if may_turn and abs(wide - high) > _SAME:
            ways.append((-high * wider, (high, wide, index, True)))
    ways.sort(key=lambda way: round(way[0] / _SAME))
    return [way for _, way in ways], [wide for wide, _ in ways]


def _best(
    ways: tuple[list[_Way], list[float]],
    placed: set[int],
    gap: tuple[float, float, float],
    most: float,
    height: float,
    blocked: list[Blocked],
) -> tuple[int, bool] | None:
    """Return the rectangle that fills a gap (x, y, width) best, and whether it is turned: the widest that goes in.

    None is taken to be more than `most` times as wide as it is.
    """
    x, y, free = gap
    choices, widths = ways
    for at in range(bisect.bisect_left(widths, -free * most - _SAME), len(choices)):
        wide, high, index, turned = choices[at]
        if wide > free + _SAME or index in placed or (height and y + high > height + _SAME):
            continue
        if blocked and _hits(x, y, wide, high, blocked):
            continue
        return index, turned
    return None


def _hits(x: float, y: float, wide: float, high: float, blocked: list[Blocked]) -> bool:
    return any(
        x < bx + bw - _SAME and bx < x + wide - _SAME and y < by + bh - _SAME and by < y + high - _SAME
        for bx, by, bw, bh in blocked
    )


def _raise(line: list[list[float]], at: int, blocked: list[Blocked], height: float) -> None:
    """Give a gap up into which nothing fits: lift it to its lower neighbour, or past what blocks it."""
    x, y, free = line[at]
    beside = [line[k][1] for k in (at - 1, at + 1) if 0 <= k < len(line)]
    steps = [v for v in beside if v > y + _SAME]
    steps += [by + bh for bx, by, bw, bh in blocked if bx < x + free and x < bx + bw and by + bh > y + _SAME]
    if blocked and not steps:
        steps = [by + bh for _, by, _, bh in blocked if by + bh > y + _SAME]
    line[at][1] = min(steps) if steps else (height or y + 1e9)
    _join(line)


def _join(line: list[list[float]]) -> None:
    """Make one of neighbours at the same height."""
    k = 0
    while k + 1 < len(line):
        if abs(line[k][1] - line[k + 1][1]) < _SAME:
            line[k][2] += line[k + 1][2]
            del line[k + 1]
        else:
            k += 1
