"""Reading an ICC profile: header, tag table, and each tag's bytes, every offset checked.

Source of all layouts: ICC.1:2022 (profile version 4.4) and ICC.1:2001-04 (version 2.4).
"""

from __future__ import annotations

import hashlib
import struct
from dataclasses import field
from functools import cached_property
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.files import read_bytes
from fidele.language import tr

#: More than any profile of the trade; keeps a mislabelled film from being read into memory.
LARGEST = 256 * 2**20

CHANNELS = {
    "GRAY": 1,
    "RGB": 3,
    "CMYK": 4,
    "CMY": 3,
    "Lab": 3,
    "XYZ": 3,
    "Luv": 3,
    "YCbr": 3,
    "Yxy": 3,
    "HSV": 3,
    "HLS": 3,
} | {f"{n:X}CLR": n for n in range(1, 16)}


class ProfileError(FideleError):
    """The file is not a usable ICC profile; the message says why."""


@dataclass(frozen=True)
class Tag:
    """One row of the tag table: signature, type signature, and where its bytes lie."""

    signature: str
    kind: str
    offset: int
    size: int


@dataclass(frozen=True)
class Header:
    """The 128-byte profile header (ICC.1:2022, 7.2), strings stripped of padding."""

    size: int
    cmm: str
    version: str
    device_class: str
    colour_space: str
    pcs: str
    created: tuple[int, int, int, int, int, int]
    signature: str
    manufacturer: str
    model: str
    intent: int
    illuminant: tuple[float, float, float]
    creator: str
    profile_id: bytes


def size_fault(said: int, there: int) -> str:
    """Return the sentence for a file of another size than its header says, both in bytes."""
    return tr("The header says {size} bytes, the file has {n}.", size=said, n=there)


def _name(raw: bytes) -> str:
    return raw.decode("latin-1").rstrip("\0 ")


def fixed(raw: bytes) -> NDArray[np.float64]:
    """Decode a run of s15Fixed16Number."""
    return np.frombuffer(raw[: len(raw) // 4 * 4], ">i4").astype(float) / 65536


@dataclass(frozen=True)
class Profile:
    """A profile whose header and tag table could be read; its tags may still be damaged.

    Use `Profile.parse` or `Profile.open`; what a tag holds is decoded by `fidele.icc.tables` and `fidele.icc.text`.
    """

    data: bytes = field(repr=False)
    name: str
    header: Header
    tags: dict[str, Tag] = field(repr=False)
    #: Faults of the tag table that did not keep it from being read, as sentences.
    faults: tuple[str, ...] = ()

    @staticmethod
    def open(path: Path) -> Profile:
        """Read the profile in a file.

        Raises
        ------
        FideleError
            When the file cannot be read; `ProfileError` when it is no ICC profile.
        """
        return Profile.parse(read_bytes(path, LARGEST), str(path))

    @staticmethod
    def parse(data: bytes, name: str = "profile") -> Profile:
        """Read a profile from memory; `name` is how messages call it.

        Raises
        ------
        ProfileError
            When the header or tag table is not that of an ICC profile.
        """
        if len(data) == 0:
            raise ProfileError(tr("{name} is empty (0 bytes), not an ICC profile.", name=name))
        if len(data) < 132 or data[36:40] != b"acsp":
            raise ProfileError(tr("{name} is not an ICC profile: the signature 'acsp' is missing.", name=name))
        header = _header(data)
        count = struct.unpack_from(">I", data, 128)[0]
        if count > 1000 or 132 + 12 * count > len(data):
            raise ProfileError(
                tr(
                    "{name} is damaged: its tag table claims {count} entries, more than the file can hold.",
                    name=name,
                    count=count,
                )
            )
        faults = []
        if header.size != len(data):
            faults.append(size_fault(header.size, len(data)))
        tags: dict[str, Tag] = {}
        for row in range(count):
            raw, offset, size = struct.unpack_from(">4sII", data, 132 + 12 * row)
            signature = _name(raw)
            if size < 8 or offset < 128 or offset + size > len(data):
                faults.append(tr("Tag '{signature}' lies outside the file.", signature=signature))
            elif signature in tags:
                faults.append(tr("Tag '{signature}' is listed twice.", signature=signature))
            else:
                tags[signature] = Tag(signature, _name(data[offset : offset + 4]), offset, size)
        return Profile(data, name, header, tags, tuple(faults))

    def colorants(self) -> tuple[str, ...]:
        """Return the names of its inks, where it states them (ICC.1:2022, 10.5); () where it does not."""
        if "clrt" not in self.tags:
            return ()
        data = self.raw("clrt")
        count = min(int.from_bytes(data[8:12], "big"), (len(data) - 12) // 38) if len(data) >= 12 else 0
        each = (data[12 + 38 * n : 44 + 38 * n] for n in range(count))
        return tuple(one.split(b"\0")[0].decode("ascii", "replace") for one in each)

    def raw(self, signature: str) -> bytes:
        """Return the bytes of a tag, type signature included; KeyError when it is not there."""
        tag = self.tags[signature]
        return self.data[tag.offset : tag.offset + tag.size]

    def xyz(self, signature: str) -> NDArray[np.float64] | None:
        """Return the first XYZ (3,) of an XYZType tag, or None when it is missing or damaged."""
        tag = self.tags.get(signature)
        if tag is None or tag.kind != "XYZ" or tag.size < 20:
            return None
        return fixed(self.raw(signature)[8:20])

    @property
    def channels(self) -> int:
        """How many device channels; 0 for a colour space that is not known."""
        return CHANNELS.get(self.header.colour_space, 0)

    @cached_property
    def content_id(self) -> str:
        """Hex digest of the bytes: two files with the same one are the same profile, whatever their names."""
        return hashlib.sha256(self.data).hexdigest()[:16]

    @cached_property
    def for_littlecms(self) -> bytes:
        """The bytes as LittleCMS is given them: float tables (D2Bx, B2Dx), which we do not check, are hidden."""
        data = bytearray(self.data)
        for row in range(struct.unpack_from(">I", data, 128)[0]):
            place = 132 + 12 * row
            if bytes(data[place : place + 3]) in (b"D2B", b"B2D"):
                data[place : place + 1] = b"x"
        return bytes(data)


def _header(data: bytes) -> Header:
    major, minor = data[8], data[9]
    return Header(
        size=struct.unpack_from(">I", data, 0)[0],
        cmm=_name(data[4:8]),
        version=f"{major}.{minor >> 4}",
        device_class=_name(data[12:16]),
        colour_space=_name(data[16:20]),
        pcs=_name(data[20:24]),
        created=struct.unpack_from(">6H", data, 24),
        signature=_name(data[36:40]),
        manufacturer=_name(data[48:52]),
        model=_name(data[52:56]),
        intent=struct.unpack_from(">I", data, 64)[0],
        illuminant=tuple(fixed(data[68:80]).tolist()),
        creator=_name(data[80:84]),
        profile_id=data[84:100],
    )
