"""What is done to a seed: seeded, so that a case can be had again from its number alone."""

from __future__ import annotations

import random
import re
import struct

_NUMBERS = [b"nan", b"inf", b"-1", b"0", b"1e20", b"1e-320", b"99999999999", b"", b"[]", b"{}", b"null", b'"x"', b"1,5"]
_TOKENS = [
    b"\0" * 64,
    b"\xff" * 16,
    b"../../../x",
    b"/etc/passwd",
    b"\n" * 50,
    b"," * 200,
    b"(" * 300,
    b"<a>" * 200,
    b"%s%n",
]
_WORDS = [0, 1, 0x7F, 0x80, 0xFF, 0x7FFF, 0xFFFF, 0x7FFFFFFF, 0x80000000, 0xFFFFFFFF]


def mutated(seed: bytes, other: bytes, rng: random.Random) -> bytes:
    """Return a seed after one to six changes; `other` is what it may be spliced with."""
    data = bytearray(seed)
    for _ in range(rng.choice((1, 1, 1, 2, 3, 6))):
        _CHANGES[rng.randrange(len(_CHANGES))](data, other, rng)
    return bytes(data[: 4 << 20])


def _flip(data: bytearray, _other: bytes, rng: random.Random) -> None:
    for _ in range(rng.choice((1, 1, 4, 32)) if data else 0):
        data[rng.randrange(len(data))] ^= 1 << rng.randrange(8)


def _word(data: bytearray, _other: bytes, rng: random.Random) -> None:
    kind = rng.choice(("<I", ">I", "<H", ">H", "B"))
    size = struct.calcsize(kind)
    if len(data) >= size:
        at = rng.randrange(len(data) - size + 1)
        struct.pack_into(kind, data, at, rng.choice(_WORDS) & (256**size - 1))


def _cut(data: bytearray, _other: bytes, rng: random.Random) -> None:
    del data[rng.randrange(len(data) + 1) :]


def _drop(data: bytearray, _other: bytes, rng: random.Random) -> None:
    if data:
        at = rng.randrange(len(data))
        del data[at : at + rng.choice((1, 4, 64, 1024))]


def _twice(data: bytearray, _other: bytes, rng: random.Random) -> None:
    if data:
        at = rng.randrange(len(data))
        data[at:at] = data[at : at + rng.choice((4, 64, 4096))] * rng.choice((1, 2, 50))


def _put(data: bytearray, _other: bytes, rng: random.Random) -> None:
    at = rng.randrange(len(data) + 1)
    data[at:at] = rng.choice(_TOKENS)


def _number(data: bytearray, _other: bytes, rng: random.Random) -> None:
    """Put something else in the place of a number in a text, or of a value in a JSON."""
    places = list(re.finditer(rb'-?\d+\.?\d*|"[^"]{0,40}"|true|false|null', bytes(data[:200_000])))
    if places:
        place = rng.choice(places)
        data[place.start() : place.end()] = rng.choice(_NUMBERS)


def _splice(data: bytearray, other: bytes, rng: random.Random) -> None:
    if data and other:
        at = rng.randrange(len(other))
        data[rng.randrange(len(data)) :] = other[at : at + (1 << 16)]


_CHANGES = (_flip, _flip, _word, _word, _cut, _drop, _twice, _put, _number, _number, _splice)
