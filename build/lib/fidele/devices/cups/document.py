"""A page as the document that is sent to a queue: a raster past every filter, or a PDF in the printer's own colours."""

from __future__ import annotations

import zlib
from collections.abc import Iterator

import numpy as np

from fidele.arrays import Codes
from fidele.icc.transform import Intent
from fidele.ipp.raster import RGB, SRGB, RasterPage, raster_parts

RASTER, PWG, PDF = "application/vnd.cups-raster", "image/pwg-raster", "application/pdf"
_ROWS = 256
_POINT = 72 / 25.4
#: What a PDF calls the intents (ISO 32000-1, table 70).
_INTENTS = {
    Intent.PERCEPTUAL: "Perceptual",
    Intent.RELATIVE: "RelativeColorimetric",
    Intent.SATURATION: "Saturation",
    Intent.ABSOLUTE: "AbsoluteColorimetric",
}


def as_raster(
    page: Codes,
    ppi: int,
    size: tuple[float, float],
    margins: tuple[float, float, float, float],
    words: dict[str, str],
    pwg: bool = False,
) -> Iterator[bytes]:
    """Give a page (h, w, 3) as a raster, in parts.

    Parameters
    ----------
    size, margins
        Of the media and its unprintable left, top, right and bottom, in mm. A CUPS raster holds the printable area
        alone, as drivers expect; a PWG raster the whole page.
    """
    left, top, right, bottom = (0.0, 0.0, 0.0, 0.0) if pwg else margins
    scale = ppi / 25.4
    x0, y0 = round(left * scale), round(top * scale)
    x1, y1 = round((size[0] - right) * scale), round((size[1] - bottom) * scale)
    edges = (left * _POINT, bottom * _POINT, right * _POINT, top * _POINT)
    points = (size[0] * _POINT, size[1] * _POINT)
    yield from raster_parts(RasterPage(page[y0:y1, x0:x1], (ppi, ppi), SRGB if pwg else RGB, points, edges, words), pwg)


def as_pdf(page: Codes, ppi: int, intent: Intent = Intent.RELATIVE) -> Iterator[bytes]:
    """Give a page (h, w, 3) as a PDF of one picture at true size, in parts.

    Its colours are the device's own: who converts nothing leaves them alone, who converts takes them for sRGB.
    """
    height, width, channels = page.shape
    bits = page.dtype.itemsize * 8
    points = (width * 72 / ppi, height * 72 / ppi)
    places: list[int] = []
    written = 0

    def part(data: bytes, starts: bool = False) -> bytes:
        nonlocal written
        if starts:
            places.append(written)
        written += len(data)
        return data

    box = f"{points[0]:.4f} {points[1]:.4f}"
    yield part(b"%PDF-1.5\n%\xe2\xe3\xcf\xd3\n")
    yield part(b"1 0 obj\n<</Type/Catalog/Pages 2 0 R>>\nendobj\n", True)
    yield part(b"2 0 obj\n<</Type/Pages/Kids[3 0 R]/Count 1>>\nendobj\n", True)
    yield part(
        f"3 0 obj\n<</Type/Page/Parent 2 0 R/MediaBox[0 0 {box}]/Contents 4 0 R"
        "/Resources<</XObject<</P 5 0 R>>>>>>\nendobj\n".encode(),
        True,
    )
    draw = f"/{_INTENTS[intent]} ri q {points[0]:.4f} 0 0 {points[1]:.4f} 0 0 cm /P Do Q\n".encode()
    yield part(b"4 0 obj\n<</Length %d>>\nstream\n%sendstream\nendobj\n" % (len(draw), draw), True)
    space = {1: "DeviceGray", 3: "DeviceRGB", 4: "DeviceCMYK"}[channels]
    yield part(
        f"5 0 obj\n<</Type/XObject/Subtype/Image/Width {width}/Height {height}/ColorSpace/{space}"
        f"/BitsPerComponent {bits}/Filter/FlateDecode/Intent/{_INTENTS[intent]}/Length 6 0 R>>\nstream\n".encode(),
        True,
    )
    packer, length = zlib.compressobj(1), 0
    for start in range(0, height, _ROWS):
        rows = np.ascontiguousarray(page[start : start + _ROWS])
        packed = packer.compress(rows.astype(rows.dtype.newbyteorder(">")).tobytes())
        length += len(packed)
        yield part(packed)
    packed = packer.flush()
    yield part(packed)
    yield part(b"\nendstream\nendobj\n")
    yield part(b"6 0 obj\n%d\nendobj\n" % (length + len(packed)), True)
    table = "".join(f"{at:010d} 00000 n \n" for at in places)
    end = f"xref\n0 {len(places) + 1}\n0000000000 65535 f \n{table}trailer\n<</Size {len(places) + 1}/Root 1 0 R>>\n"
    yield f"{end}startxref\n{written}\n%%EOF\n".encode()
