"""What decoders of JPEG (ITU-T T.81) do not notice: a hole of zeros, which comes out as bands of one colour."""

from __future__ import annotations

import re

#: So many zeros stand in no picture's code, unless its tables make flat areas of them.
_HOLE = re.compile(rb"\0{96,}")


def hole(data: bytes) -> int:
    """Return the length of the longest run of zeros inside the coded picture, 0 where there is none to speak of.

    Zeros mean something only where the shortest codes of both tables stand for no change at all; there a flat area
    may be nothing but zeros, and nothing is said.
    """
    at, first = 2, {0: set[int](), 1: set[int]()}
    while at + 4 <= len(data) and data[at] == 0xFF:
        marker, length = data[at + 1], int.from_bytes(data[at + 2 : at + 4], "big")
        if marker == 0xC4:
            _shortest(data[at + 4 : at + 2 + length], first)
        at += 2 + length
        if marker == 0xDA:
            break
    else:
        return 0
    if 0 in first[0] and 0 in first[1]:
        return 0
    return max((len(run.group()) for run in _HOLE.finditer(data, at)), default=0)


def _shortest(tables: bytes, first: dict[int, set[int]]) -> None:
    """Note the value of the shortest code of each Huffman table in a segment, by its class (DC or AC)."""
    at = 0
    while at + 17 <= len(tables):
        count = sum(tables[at + 1 : at + 17])
        if count and at + 17 < len(tables):
            first.setdefault(tables[at] >> 4, set()).add(tables[at + 17])
        at += 17 + count
