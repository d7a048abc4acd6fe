"""PNG chunks that imaging libraries lose or round: embedded profile, resolution, the sRGB mark (ISO/IEC 15948)."""

from __future__ import annotations

import struct
import zlib

from fidele.dataclass import dataclass
from fidele.language import tr

SIGNATURE = b"\x89PNG\r\n\x1a\n"
#: How a packet is called: keyword, no compression, no language, no translation.
_XMP = b"XML:com.adobe.xmp\0\0\0\0\0"
_LARGEST_PROFILE = 64 * 2**20


@dataclass(frozen=True)
class PngFacts:
    """What stands in a PNG before its pixels."""

    width: int
    height: int
    bits: int
    icc: bytes | None
    says_srgb: bool
    ppi: float | None
    xmp: bytes | None = None


def facts(data: bytes) -> PngFacts:
    """Read the chunks before the pixels.

    Raises
    ------
    ValueError
        When the file is cut off or no PNG.
    """
    if data[:8] != SIGNATURE or len(data) < 33 or data[12:16] != b"IHDR":
        raise ValueError(tr("it has no PNG header"))
    width, height, bits = struct.unpack_from(">IIB", data, 16)
    icc, says_srgb, ppi, xmp = None, False, None, None
    place = 8
    while place + 12 <= len(data):
        size, kind = struct.unpack_from(">I4s", data, place)
        body = data[place + 8 : place + 8 + size]
        if kind == b"IDAT":
            break
        if kind == b"iCCP" and b"\0" in body:
            unpack = zlib.decompressobj()
            try:
                icc = unpack.decompress(body[body.index(b"\0") + 2 :], _LARGEST_PROFILE)
            except zlib.error:
                icc = b""
        elif kind == b"sRGB":
            says_srgb = True
        elif kind == b"iTXt" and body.startswith(_XMP) and len(body) < 1 << 20:
            xmp = body[len(_XMP) :]
        elif kind == b"pHYs" and len(body) == 9 and body[8] == 1:
            ppi = struct.unpack_from(">I", body)[0] * 0.0254
        place += 12 + size
    return PngFacts(width, height, bits, icc, says_srgb, ppi, xmp)


def with_chunks(encoded: bytes, icc: bytes | None, ppi: float | None, xmp: bytes | None = None) -> bytes:
    """Return an encoded PNG with profile, resolution and XMP packet put after its header."""
    extra = b""
    if icc is not None:
        extra += _chunk(b"iCCP", b"ICC profile\0\0" + zlib.compress(icc, 9))
    if ppi:
        per_metre = round(ppi / 0.0254)
        extra += _chunk(b"pHYs", struct.pack(">IIB", per_metre, per_metre, 1))
    if xmp:
        extra += _chunk(b"iTXt", _XMP + xmp)
    return encoded[:33] + extra + encoded[33:]


def _chunk(kind: bytes, body: bytes) -> bytes:
    return struct.pack(">I", len(body)) + kind + body + struct.pack(">I", zlib.crc32(kind + body))
