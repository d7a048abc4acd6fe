"""IPP messages as bytes, both ways (RFC 8010): attributes in groups, collections within collections."""

from __future__ import annotations

import struct
from dataclasses import field
from typing import Any, NamedTuple

from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.language import tr

#: Groups of attributes.
OPERATION, JOB, PRINTER, UNSUPPORTED, END = 1, 2, 4, 5, 3
#: Kinds of value (RFC 8010, 3.5.2).
INTEGER, BOOLEAN, ENUM, RESOLUTION, RANGE = 0x21, 0x22, 0x23, 0x32, 0x33
TEXT, NAME, KEYWORD, URI, CHARSET, LANGUAGE, MIME = 0x41, 0x42, 0x44, 0x45, 0x47, 0x48, 0x49
COLLECTION, _END_COLLECTION, _MEMBER = 0x34, 0x37, 0x4A
_MOST, _DEEPEST = 4 << 20, 8


class Typed(NamedTuple):
    """One attribute: the kind of its values, and the values.

    Values are int, bool, str, (across, down) pixels per inch, (least, most), or a dict of such attributes.
    """

    kind: int
    values: tuple[Any, ...]


Attributes = dict[str, Typed]


def one(kind: int, *values: Any) -> Typed:
    """Return an attribute of these values."""
    return Typed(kind, values)


@dataclass
class Message:
    """A request (`code` the operation) or an answer (`code` the status); groups in their order."""

    code: int
    number: int
    groups: list[tuple[int, Attributes]] = field(default_factory=list)
    version: tuple[int, int] = (2, 0)

    def first(self, name: str, otherwise: Any = None) -> Any:
        """Return the first value of an attribute in any group."""
        for _, group in self.groups:
            if name in group and group[name].values:
                return group[name].values[0]
        return otherwise

    def encode(self) -> bytes:
        """Return its bytes."""
        out = bytearray(struct.pack(">BBHI", *self.version, self.code, self.number))
        for tag, group in self.groups:
            out.append(tag)
            for name, attribute in group.items():
                _put(out, name, attribute)
        out.append(END)
        return bytes(out)


def _put(out: bytearray, name: str, attribute: Typed) -> None:
    for at, value in enumerate(attribute.values):
        called = name.encode() if at == 0 else b""
        out += struct.pack(">BH", attribute.kind, len(called)) + called
        if attribute.kind != COLLECTION:
            data = _bytes(attribute.kind, value)
            out += struct.pack(">H", len(data)) + data
            continue
        out += b"\0\0"
        for member, inner in value.items():
            said = member.encode()
            out += struct.pack(">BHH", _MEMBER, 0, len(said)) + said
            _put(out, "", inner)
        out += struct.pack(">BHH", _END_COLLECTION, 0, 0)


def _bytes(kind: int, value: Any) -> bytes:
    if kind in (INTEGER, ENUM):
        return struct.pack(">i", value)
    if kind == BOOLEAN:
        return bytes([bool(value)])
    if kind == RESOLUTION:
        return struct.pack(">iiB", *value, 3)
    if kind == RANGE:
        return struct.pack(">ii", *value)
    return bytes(value) if isinstance(value, (bytes, bytearray)) else str(value).encode()


def decode(data: bytes) -> tuple[Message, int]:
    """Return a message, and where its bytes end: a document may follow.

    Raises
    ------
    FideleError
        When it breaks off or is none.
    """
    try:
        major, minor, code, number = struct.unpack_from(">BBHI", data)
        reader = _Reader(data[:_MOST], 8)
        message = Message(code, number, reader.groups(), (major, minor))
    except (struct.error, IndexError, UnicodeDecodeError, ValueError) as error:
        raise FideleError(tr("This is no IPP message, or it breaks off.")) from error
    return message, reader.at


class _Reader:
    def __init__(self, data: bytes, at: int) -> None:
        self._data, self.at = data, at

    def groups(self) -> list[tuple[int, Attributes]]:
        found: list[tuple[int, Attributes]] = []
        name = ""
        while (tag := self._data[self.at]) != END:
            if tag < 0x10:
                found.append((tag, {}))
                self.at += 1
                continue
            kind, called, raw = self._field()
            if not found:
                raise ValueError("an attribute outside every group")
            name = called or name
            value = self._collection(0) if kind == COLLECTION else _value(kind, raw)
            known = found[-1][1].get(name)
            found[-1][1][name] = Typed(kind, (*(known.values if known is not None else ()), value))
        self.at += 1
        return found

    def _field(self) -> tuple[int, str, bytes]:
        kind, length = struct.unpack_from(">BH", self._data, self.at)
        self.at += 3
        called = self._take(length).decode()
        (size,) = struct.unpack_from(">H", self._data, self.at)
        self.at += 2
        return kind, called, self._take(size)

    def _take(self, count: int) -> bytes:
        part = self._data[self.at : self.at + count]
        if len(part) < count:
            raise IndexError
        self.at += count
        return part

    def _collection(self, depth: int) -> Attributes:
        if depth > _DEEPEST:
            raise ValueError("collections too deep")
        found: Attributes = {}
        member = ""
        while True:
            kind, _, raw = self._field()
            if kind == _END_COLLECTION:
                return found
            if kind == _MEMBER:
                member = raw.decode()
                continue
            value = self._collection(depth + 1) if kind == COLLECTION else _value(kind, raw)
            known = found.get(member)
            found[member] = Typed(kind, (*(known.values if known is not None else ()), value))


def _value(kind: int, raw: bytes) -> Any:
    if kind in (INTEGER, ENUM):
        return struct.unpack(">i", raw)[0]
    if kind == BOOLEAN:
        return raw != b"\0"
    if kind == RESOLUTION:
        return struct.unpack(">iiB", raw)[:2]
    if kind == RANGE:
        return struct.unpack(">ii", raw)
    return raw.decode("utf-8", "replace")
