"""What decoders of JPEG (ITU-T T.81) do not notice: a hole of zeros, which comes out as bands of one colour."""

from __future__ import annotations

import re

#: So many zeros stand in no picture's code, unless its tables make flat areas of them.
_HOLE = re.compile(rb"\0{96,}")
#: A marker within the code: what follows 0xFF is neither a stuffed zero nor a restart.
_MARKER = re.compile(rb"\xff[\x01-\xcf\xd8-\xfe]")
_BLOCK = 512
_TABLES, _SCAN, _ARITHMETIC = 0xC4, 0xDA, range(0xC9, 0xD0)


def hole(data: bytes) -> int:
    """Return the length of the longest run of zeros inside the coded picture, 0 where there is none to speak of.

    Zeros mean something only where the shortest codes of a scan's tables stand for no change at all, and where a scan
    refines; there a flat area may be nothing but zeros, and only whole blocks of a disk are told.
    """
    at, first, longest = 2, dict[tuple[int, int], int](), 0
    while at + 4 <= len(data) and data[at] == 0xFF:
        marker, length = data[at + 1], int.from_bytes(data[at + 2 : at + 4], "big")
        segment = data[at + 4 : at + 2 + length]
        at += 2 + max(2, length)
        if marker in _ARITHMETIC:
            return 0
        if marker == _TABLES:
            _shortest(segment, first)
        elif marker == _SCAN:
            found = _MARKER.search(data, at)
            end = found.start() if found else len(data)
            doubtful = _may_be_zeros(segment, first)
            for run in _HOLE.finditer(data, at, end):
                if not doubtful or _is_of_blocks(*run.span()):
                    longest = max(longest, len(run.group()))
            at = end
    return longest


def _is_of_blocks(start: int, end: int) -> bool:
    """Tell whether a run of zeros begins and ends where blocks of a disk do, give or take a zero that belongs there."""
    return end - start >= 2 * _BLOCK and -start % _BLOCK <= 2 and end % _BLOCK <= 2


def _may_be_zeros(scan: bytes, first: dict[tuple[int, int], int]) -> bool:
    """Tell whether a scan's code may be nothing but zeros: each of its tables begins with 'no change'."""
    if not scan or len(scan) < 4 + 2 * scan[0] or scan[-1] >> 4:
        return True
    tables = [scan[2 + 2 * k] for k in range(scan[0])]
    start, end = scan[1 + 2 * scan[0]], scan[2 + 2 * scan[0]]
    dc = [first.get((0, t >> 4), 0) for t in tables] if start == 0 else []
    ac = [first.get((1, t & 15), 0) & 15 for t in tables] if end > 0 else []
    return not any(dc) and not any(ac)


def _shortest(tables: bytes, first: dict[tuple[int, int], int]) -> None:
    """Note the value of the shortest code of each Huffman table in a segment, by its class (0 DC, 1 AC) and number."""
    at = 0
    while at + 17 < len(tables):
        first[tables[at] >> 4, tables[at] & 15] = tables[at + 17]
        at += 17 + sum(tables[at + 1 : at + 17])
