"""Writing profiles: output (version 2.4, lut16), scanner (version 2.4, lut16), and matrix/TRC working spaces.

Why version 2.4 with lut16: every program and driver of the trade reads it.
"""

from __future__ import annotations

import datetime
import struct
from collections.abc import Callable, Sequence
from dataclasses import field

import numpy as np
from numpy.typing import ArrayLike, NDArray

from fidele.arrays import Floats
from fidele.colour.adaptation import adaptation_matrix
from fidele.colour.cie import D50
from fidele.dataclass import dataclass
from fidele.icc.tables import encode_lab

#: Entries of a lut16 curve into a grid. The format allows 4096; a quarter costs nothing that can be measured.
_CURVE = 1024
#: Entries of a curve that cuts off at 1/7 and 6/7: so many that both lie on an entry.
_CUT = 701
#: By how much device values in a table may reach beyond 0 and 1.
BEYOND = 0.2


def s15(values: ArrayLike) -> bytes:
    """Encode numbers as s15Fixed16Number."""
    return np.round(np.asarray(values, dtype=float).ravel() * 65536).astype(">i4").tobytes()


def text_tag(text: str) -> bytes:
    """Encode textType."""
    return b"text\0\0\0\0" + text.encode("ascii", "replace") + b"\0"


def description_tag(text: str) -> bytes:
    """Encode textDescriptionType (version 2): ASCII and Unicode, empty script part."""
    ascii_part = text.encode("ascii", "replace") + b"\0"
    wide = text.encode("utf-16-be") + b"\0\0"
    return (
        b"desc\0\0\0\0"
        + struct.pack(">I", len(ascii_part))
        + ascii_part
        + struct.pack(">II", 0, len(wide) // 2)
        + wide
        + b"\0" * 70
    )


def localised_tag(text: str) -> bytes:
    """Encode multiLocalizedUnicodeType with one English record."""
    wide = text.encode("utf-16-be")
    return b"mluc\0\0\0\0" + struct.pack(">II", 1, 12) + b"enUS" + struct.pack(">II", len(wide), 28) + wide


def dictionary_tag(values: dict[str, str]) -> bytes:
    """Encode dictType: names and values in Unicode."""
    place = 16 + 16 * len(values)
    rows, body = b"", b""
    for name, value in values.items():
        for text in (name, value):
            wide = text.encode("utf-16-be")
            rows += struct.pack(">II", place + len(body), len(wide))
            body += wide + b"\0" * (-len(wide) % 4)
    return b"dict\0\0\0\0" + struct.pack(">II", len(values), 16) + rows + body


def colorants_tag(names: Sequence[str], Lab: Floats) -> bytes:
    """Return a colorant table (ICC.1:2022, 10.5): the names of inks and the L*a*b* (k, 3) of each alone."""
    each = encode_lab(Lab, "legacy")
    parts = [struct.pack(">4sII", b"clrt", 0, len(names))]
    for name, colour in zip(names, each, strict=True):
        parts.append(name.encode("ascii")[:31].ljust(32, b"\0"))
        parts.append(np.round(np.clip(colour, 0, 1) * 65535).astype(">u2").tobytes())
    return b"".join(parts)


def xyz_tag(XYZ: ArrayLike) -> bytes:
    """Encode XYZType."""
    return b"XYZ \0\0\0\0" + s15(XYZ)


def curve_tag(samples: ArrayLike) -> bytes:
    """Encode curveType from samples of 0 to 1."""
    values = np.round(np.clip(np.asarray(samples, dtype=float), 0, 1) * 65535).astype(">u2")
    return b"curv\0\0\0\0" + struct.pack(">I", len(values)) + values.tobytes()


@dataclass(frozen=True)
class Lut16:
    """A lut16 of d channels: curves (d, m) into the grid, grid (g, … g, k), curves (k, m) out of it, all 0 to 1."""

    curves_in: Floats
    grid: Floats
    curves_out: Floats

    def encode(self) -> bytes:
        """Return the tag's bytes."""
        size, outputs = self.grid.shape[0], self.grid.shape[-1]
        head = struct.pack(">4sIBBBB", b"mft2", 0, self.grid.ndim - 1, outputs, size, 0) + s15(np.eye(3))
        head += struct.pack(">HH", self.curves_in.shape[1], self.curves_out.shape[1])
        parts = [
            np.round(np.clip(p, 0, 1) * 65535).astype(">u2").tobytes()
            for p in (self.curves_in, self.grid, self.curves_out)
        ]
        return head + b"".join(parts)


def straight(channels: int) -> Floats:
    """Return straight curves (channels, 2)."""
    return np.tile(np.array([0.0, 1.0]), (channels, 1))


def lab_lut(Lab: Floats, curves_in: Floats | None = None) -> Lut16:
    """Make an A2B table from L*a*b* on a device grid (g, … g, 3), in the encoding where FF00h is L* 100."""
    curves = straight(Lab.ndim - 1) if curves_in is None else curves_in
    return Lut16(curves, encode_lab(Lab, "legacy"), straight(3))


@dataclass(frozen=True)
class LabGrid:
    """Where the nodes of a B2A table lie in L*a*b*.

    Nodes stand closer near the grey axis, where the eye is keenest, and end at `reach`, beyond which no printer
    goes: the input curves carry the spacing, so that every reader of the profile gets it.
    """

    size: int = 33
    reach: float = 118.0
    bend: float = 0.8

    def axis(self) -> tuple[Floats, Floats]:
        """Return L* of the nodes (size,) and a* or b* of the nodes (size,)."""
        u = np.linspace(-1, 1, self.size)
        return np.linspace(0, 100, self.size), np.sign(u) * np.abs(u) ** (1 / self.bend) * self.reach

    def nodes(self) -> Floats:
        """Return L*a*b* of all nodes, (size, size, size, 3)."""
        lightness, chroma = self.axis()
        return np.stack(np.meshgrid(lightness, chroma, chroma, indexing="ij"), axis=-1)

    def place(self, Lab: Floats) -> tuple[NDArray[np.int64], Floats]:
        """Return which eight nodes (n, 8), counted in C order, surround colours (n, 3), and their weights (n, 8)."""
        lightness, chroma = self.axis()
        low, part = np.empty(Lab.shape, np.int64), np.empty(Lab.shape)
        for axis, values in enumerate((lightness, chroma, chroma)):
            at = np.interp(Lab[:, axis], values, np.arange(self.size))
            low[:, axis] = np.minimum(at.astype(np.int64), self.size - 2)
            part[:, axis] = at - low[:, axis]
        corners = (np.arange(8)[:, None] >> np.array([2, 1, 0])) & 1
        index = (low[:, None] + corners) @ np.array([self.size**2, self.size, 1])
        weight = np.where(corners, part[:, None], 1 - part[:, None]).prod(axis=2)
        return index, weight

    def curves(self) -> Floats:
        """Return the input curves (3, 4096) from encoded L*a*b* to grid position."""
        encoded = np.linspace(0, 1, _CURVE) * (65535 / 65280)
        places = np.linspace(0, 1, self.size)
        # Straight between nodes, so that the table is interpolated in L*a*b* and not along a curve.
        lightness, chroma = (
            np.interp(v, n, places) for v, n in zip((encoded * 100, encoded * 255 - 128), self.axis(), strict=True)
        )
        return np.stack([lightness, chroma, chroma])


def device_lut(device: Floats, grid: LabGrid, states: Callable[[Floats], Floats] | None = None) -> Lut16:
    """Make a B2A table from device values (g, g, g, k) at the nodes of `grid`.

    Values may reach beyond 0 and 1 by `BEYOND`, so that interpolation between a node in the gamut and one outside is
    right at the gamut's surface; the output curves cut off at 0 and 1. `states` says how files state device values
    (n, k); None for as they are.
    """
    whole = 1 + 2 * BEYOND
    out = np.clip(np.linspace(0, 1, _CUT) * whole - BEYOND, 0, 1)
    every = np.tile(out[:, None], (1, device.shape[-1]))
    return Lut16(grid.curves(), (device + BEYOND) / whole, (every if states is None else states(every)).T)


def gamut_lut(beyond: Floats, grid: LabGrid) -> Lut16:
    """Make a gamut table from how far (g³,) nodes of `grid` lie beyond the gamut, in ΔE00; less than 0 is within.

    ICC.1 wants 0 for what can be printed and anything else for what cannot. The grid holds the signed distance, and
    the curve behind it makes 0 of all below ΔE00 1.5: the table is then cut where the surface is, and not at nodes.
    """
    limit, span = 1.5, 10.0
    shape = (grid.size, grid.size, grid.size, 1)
    held = 0.5 + np.clip((beyond - limit) / (2 * span), -0.5, 0.5).reshape(shape)
    entries = np.linspace(0, 1, 4096)
    out = np.where(entries <= 0.5, 0, entries)
    return Lut16(grid.curves(), held, out[None])


@dataclass(frozen=True)
class OutputTables:
    """Everything that an output profile holds.

    `a2b` and `b2a` are keyed by intent: 0 perceptual, 1 colorimetric, 2 saturation.
    """

    description: str
    white_XYZ: Floats
    black_XYZ: Floats
    a2b: dict[int, Lut16]
    b2a: dict[int, Lut16]
    maker: str = "Fidele"
    model: str = ""
    characterisation: str = ""
    copyright: str = "No rights reserved."
    space: str = "RGB "
    extra: dict[str, bytes] = field(default_factory=dict)


def output_profile(tables: OutputTables, created: datetime.datetime) -> bytes:
    """Return the bytes of an output profile, version 2.4. L*a*b* is relative to `white_XYZ`."""
    tags = {
        "desc": description_tag(tables.description),
        "cprt": text_tag(tables.copyright),
        "dmnd": description_tag(tables.maker),
        "dmdd": description_tag(tables.model or tables.description),
        "wtpt": xyz_tag(tables.white_XYZ),
        "bkpt": xyz_tag(tables.black_XYZ),
    }
    tags |= {f"A2B{intent}": lut.encode() for intent, lut in sorted(tables.a2b.items())}
    tags |= {f"B2A{intent}": lut.encode() for intent, lut in sorted(tables.b2a.items())}
    if tables.characterisation:
        tags["targ"] = text_tag(tables.characterisation)
    return assemble(tags | tables.extra, "prtr", tables.space, "Lab ", created)


def scanner_profile(description: str, white_XYZ: ArrayLike, a2b: Lut16, created: datetime.datetime) -> bytes:
    """Return the bytes of an RGB input profile, version 2.4, with one device to L*a*b* table."""
    tags = {
        "desc": description_tag(description),
        "cprt": text_tag("No rights reserved."),
        "wtpt": xyz_tag(white_XYZ),
        "A2B0": a2b.encode(),
    }
    return assemble(tags, "scnr", "RGB ", "Lab ", created)


def matrix_profile(
    description: str, primaries: ArrayLike, white_xy: tuple[float, float], curve: bytes, created: datetime.datetime
) -> bytes:
    """Return the bytes of an RGB working space, version 4.4: chromaticities (3, 2) of R, G, B and an encoded curve."""
    xy = np.asarray(primaries, dtype=float)
    colorants = np.stack([xy[:, 0] / xy[:, 1], np.ones(3), (1 - xy.sum(axis=1)) / xy[:, 1]])
    white = np.array([white_xy[0] / white_xy[1], 1.0, (1 - sum(white_xy)) / white_xy[1]])
    colorants = colorants * np.linalg.solve(colorants, white)
    adaptation = adaptation_matrix(white, D50)
    adapted = adaptation @ colorants
    tags = {
        "desc": localised_tag(description),
        "cprt": localised_tag("No rights reserved."),
        "wtpt": xyz_tag(D50),
        "chad": b"sf32\0\0\0\0" + s15(adaptation),
    }
    for index, channel in enumerate("rgb"):
        tags[f"{channel}XYZ"] = xyz_tag(adapted[:, index])
        tags[f"{channel}TRC"] = curve
    return assemble(tags, "mntr", "RGB ", "XYZ ", created, version=0x04400000)


def assemble(
    tags: dict[str, bytes],
    device_class: str,
    space: str,
    pcs: str,
    created: datetime.datetime,
    version: int = 0x02400000,
) -> bytes:
    """Put header, tag table and tags together; equal tags share their bytes (ICC.1:2022, 7.3.1)."""
    body = b""
    table = struct.pack(">I", len(tags))
    start = 128 + 4 + 12 * len(tags)
    places: dict[bytes, int] = {}
    for signature, data in tags.items():
        if data not in places:
            places[data] = start + len(body)
            body += data + b"\0" * (-len(data) % 4)
        table += signature.encode() + struct.pack(">II", places[data], len(data))
    header = (
        struct.pack(
            ">I4sI4s4s4s6H4s4sI4s4sQI",
            start + len(body),
            b"\0\0\0\0",
            version,
            device_class.encode(),
            space.encode(),
            pcs.encode(),
            created.year,
            created.month,
            created.day,
            created.hour,
            created.minute,
            created.second,
            b"acsp",
            b"\0\0\0\0",
            0,
            b"\0\0\0\0",
            b"\0\0\0\0",
            0,
            0,
        )
        + s15(D50)
        + b"fdle"
    )
    return header.ljust(128, b"\0") + table + body
