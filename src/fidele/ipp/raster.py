"""Pages as CUPS raster and PWG raster: a header of 1,796 bytes, then the rows.

Sources: PWG 5102.4-2012 'PWG Raster Format'; the raster format of CUPS, of which that is a subset. Streams that are
read may come from anywhere: what the header says is checked against what is there before anything is made of it.
"""

from __future__ import annotations

import struct
from collections.abc import Iterator
from dataclasses import field
from typing import BinaryIO

import numpy as np

from fidele.arrays import Codes
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.language import tr

#: First bytes, and whether rows are packed and numbers big-endian: PWG (and CUPS 2), CUPS 3 as written here.
_PWG, _PLAIN = b"RaS2", b"RaS3"
_HEADER = 1796
#: Colour spaces of the header's number: how many channels, and whether more ink has the larger number.
GREY, RGB, BLACK, CMYK, S_GREY, SRGB, OPRGB = 0, 1, 3, 6, 18, 19, 20
_CHANNELS = {GREY: 1, RGB: 3, BLACK: 1, CMYK: 4, S_GREY: 1, SRGB: 3, OPRGB: 3}
#: Rows in a part of what is written.
_ROWS = 256
#: No page that is read is larger than this many bytes.
_MOST = 1 << 31
#: Places of numbers in the header.
_RESOLUTION, _BOX, _PAGE, _WIDTH, _BITS = 276, 284, 352, 372, 384
_SPACE, _COLOURS, _SIZE, _IMAGING = 400, 420, 428, 436


@dataclass(frozen=True)
class RasterPage:
    """One page of a raster.

    Attributes
    ----------
    pixels
        (h, w, k) uint8 or uint16.
    ppi
        Pixels per inch, across and down.
    space
        Number of the colour space, as the format counts them.
    points
        Width and height of the media in points.
    words
        Media type, rendering intent and page size name as the header has them.
    margins
        Left, bottom, right and top of what the rows cover, in points.
    """

    pixels: Codes
    ppi: tuple[int, int]
    space: int
    points: tuple[float, float]
    margins: tuple[float, float, float, float] = (0, 0, 0, 0)
    words: dict[str, str] = field(default_factory=dict)


def raster_parts(page_says: RasterPage, pwg: bool = False) -> Iterator[bytes]:
    """Give a raster of one page, in parts of some hundred rows.

    Parameters
    ----------
    page_says
        The page; its pixels may be read from disk as they are used.
    pwg
        As PWG raster, packed; else as CUPS raster, plain rows in this machine's order of bytes.
    """
    page, order = page_says.pixels, ">" if pwg else "="
    yield (_PWG if pwg else _PLAIN[::-1] if np.little_endian else _PLAIN) + _header(page, page_says, order, pwg)
    for start in range(0, len(page), _ROWS):
        part = np.ascontiguousarray(page[start : start + _ROWS])
        if not pwg:
            yield part.tobytes()
            continue
        wide = part.astype(part.dtype.newbyteorder(">"))
        rows = wide.reshape(len(part), -1).view(np.uint8).reshape(*part.shape[:2], -1)
        yield b"".join(_packed(row) for row in rows)


def _header(page: Codes, says: RasterPage, order: str, pwg: bool) -> bytes:
    height, width, channels = page.shape
    bits = page.dtype.itemsize * 8
    head = bytearray(_HEADER)
    put = struct.Struct

    def numbers(at: int, *values: int) -> None:
        put(f"{order}{len(values)}I").pack_into(head, at, *values)

    if pwg:
        head[:10] = b"PwgRaster\0"
    for name, at in (("type", 128), ("intent", 1668), ("size", 1732)):
        head[at : at + 63] = says.words.get(name, "").encode()[:63].ljust(63, b"\0")
    numbers(_RESOLUTION, *says.ppi)
    numbers(340, 1)
    numbers(_PAGE, round(says.points[0]), round(says.points[1]))
    numbers(_WIDTH, width, height)
    numbers(_BITS, bits, bits * channels, width * channels * bits // 8, 0, says.space)
    numbers(_COLOURS, channels)
    if pwg:
        numbers(452, 1, 1, 1)  # one page in all, fed and crossed the usual way
    else:
        left, bottom, right, top = says.margins
        put(f"{order}2f").pack_into(head, _SIZE, *says.points)
        box = (left, bottom, says.points[0] - right, says.points[1] - top)
        put(f"{order}4f").pack_into(head, _IMAGING, *box)
        numbers(_BOX, *(round(v) for v in box))
        numbers(312, round(left), round(bottom))
    return bytes(head)


def _packed(pixels: np.ndarray) -> bytes:
    """Return a row (w, bytes of a pixel) packed: one row, in runs of at most 128 pixels as they are."""
    out = bytearray(b"\0")
    for start in range(0, len(pixels), 128):
        part = pixels[start : start + 128]
        if len(part) == 1 or (part == part[0]).all():
            out += bytes([len(part) - 1]) + part[0].tobytes()
        else:
            out += bytes([257 - len(part)]) + part.tobytes()
    return bytes(out)


def read_raster(source: BinaryIO, most: int = _MOST) -> Iterator[RasterPage]:
    """Read the pages of a raster.

    Raises
    ------
    FideleError
        When it is none, breaks off, or its header asks for what cannot be.
    """
    start = source.read(4)
    if start in (_PLAIN, _PLAIN[::-1]):
        order, packed = (">" if start == _PLAIN else "<"), False
    elif start in (_PWG, _PWG[::-1]):
        order, packed = (">" if start == _PWG else "<"), True
    else:
        raise FideleError(tr("This is no raster that a printer takes."))
    while head := source.read(_HEADER):
        if len(head) < _HEADER:
            raise FideleError(tr("The raster breaks off in a page's header."))
        yield _page(head, source, order, packed, most)


def _page(head: bytes, source: BinaryIO, order: str, packed: bool, most: int) -> RasterPage:
    def numbers(at: int, count: int = 1) -> tuple[int, ...]:
        return struct.unpack_from(f"{order}{count}I", head, at)

    (width, height), (bits, depth, line) = numbers(_WIDTH, 2), numbers(_BITS, 3)
    space, told = numbers(_SPACE)[0], numbers(_COLOURS)[0]
    channels = _CHANNELS.get(space, told)
    sound = bits in (8, 16) and 1 <= channels <= 15 and depth == bits * channels and line == width * depth // 8
    if not sound or numbers(396)[0] != 0 or not 0 < width <= 1 << 20 or not 0 < height <= 1 << 22:
        raise FideleError(
            tr(
                "The raster says {width} × {height} pixels of {channels} × {bits} bits: no page that can be read.",
                width=width,
                height=height,
                channels=channels,
                bits=bits,
            )
        )
    if line * height > most:
        raise FideleError(tr("The raster says {size:,.0f} MB for a page: more than is read.", size=line * height / 1e6))
    if packed:
        flat = _unpacked(source, height, line, depth // 8)
    else:
        data = source.read(line * height)
        if len(data) < line * height:
            raise FideleError(
                tr("The raster breaks off after {rows} of {height} rows.", rows=len(data) // line, height=height)
            )
        flat = np.frombuffer(data, np.uint8)
    values = flat if bits == 8 else flat.view(np.dtype(f"{order}u2")).astype(np.uint16)
    points = struct.unpack_from(f"{order}2f", head, _SIZE)
    if not (np.isfinite(points).all() and min(points) > 0):
        points = tuple(float(v) for v in numbers(_PAGE, 2))
    left, bottom, right, top = struct.unpack_from(f"{order}4f", head, _IMAGING)
    margins = (left, bottom, points[0] - right, points[1] - top) if right > left and top > bottom else (0.0,) * 4
    words = {
        name: head[at : at + 64].split(b"\0")[0].decode("utf-8", "replace")
        for name, at in (("type", 128), ("intent", 1668), ("size", 1732))
    }
    ppi = numbers(_RESOLUTION, 2)
    return RasterPage(
        values.reshape(height, width, channels), (ppi[0], ppi[1]), space, (points[0], points[1]), margins, words
    )


def _unpacked(source: BinaryIO, height: int, line: int, pixel: int) -> np.ndarray:
    """Unpack rows that are packed in runs.

    A file ends where its rows do; what is read beyond them, of pages that follow, is put back where that can be done.
    """
    from fidele.kernels.rasters import unpack_rows

    data = np.frombuffer(_take(source, height, line), np.uint8)
    out = np.empty((height, line), np.uint8)
    rows, used = unpack_rows(data, out, pixel)
    if rows < height:
        raise FideleError(tr("The raster breaks off after {rows} of {height} rows.", rows=rows, height=height))
    if used < len(data) and source.seekable():
        source.seek(used - len(data), 1)
    return out.reshape(-1)


def _take(source: BinaryIO, height: int, line: int) -> bytes:
    """Read as much as packed rows can need at most."""
    return source.read(height * (line + line // 128 + 2))
