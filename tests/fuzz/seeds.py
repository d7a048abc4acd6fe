"""Sound files of every kind that comes from outside, small, made by other libraries where there are some."""

from __future__ import annotations

import email.message
import gzip
import io
import tarfile
import zipfile
from pathlib import Path

import numpy as np
import tifffile
from PIL import Image
from reportlab.pdfgen.canvas import Canvas

from fidele.icc.spaces import srgb

_RGB = np.random.default_rng(5).integers(0, 256, (24, 40, 3), dtype=np.uint8)
_SVG = b"""<svg xmlns="http://www.w3.org/2000/svg" width="60" height="40" viewBox="0 0 60 40">
<defs><linearGradient id="g"><stop offset="0" stop-color="#123"/><stop offset="1" stop-color="red"/></linearGradient>
<pattern id="p" width="4" height="4" patternUnits="userSpaceOnUse"><rect width="2" height="2"/></pattern></defs>
<g transform="rotate(10)"><path d="M0 0 L30 20 Q5 5 10 30 Z" fill="url(#g)"/><rect x="5" y="5" width="20" height="9"
fill="url(#p)" stroke="#00f" stroke-dasharray="2 1"/><text x="3" y="30" font-size="8">Tern</text></g></svg>"""
_CGATS = b"""CGATS.17
ORIGINATOR "nobody"
NUMBER_OF_FIELDS 7
BEGIN_DATA_FORMAT
SAMPLE_ID RGB_R RGB_G RGB_B LAB_L LAB_A LAB_B
END_DATA_FORMAT
NUMBER_OF_SETS 3
BEGIN_DATA
A1 0 0 0 12.5 0.1 -0.4
A2 255 255 255 95.1 0 -2
A3 255 0 0 48 64 40
END_DATA
"""
_CXF = b"""<?xml version="1.0"?><cc:CxF xmlns:cc="http://colorexchangeformat.com/CxF3-core"><cc:Resources>
<cc:ObjectCollection><cc:Object ObjectType="Standard" Name="Tern red" Id="c1"><cc:ColorValues>
<cc:ColorCIELab ColorSpecification="D50"><cc:L>48</cc:L><cc:A>64</cc:A><cc:B>40</cc:B></cc:ColorCIELab>
</cc:ColorValues></cc:Object></cc:ObjectCollection></cc:Resources></cc:CxF>"""


def _saved(kind: str, **options: object) -> bytes:
    held = io.BytesIO()
    Image.fromarray(_RGB).save(held, kind, **options)
    return held.getvalue()


def _tiff(pixels: np.ndarray, **options: object) -> bytes:
    held = io.BytesIO()
    tifffile.imwrite(held, pixels, **options)
    return held.getvalue()


def _pdf() -> bytes:
    held = io.BytesIO()
    page = Canvas(held, (120, 80))
    page.setFillColorRGB(0.2, 0.4, 0.9)
    page.rect(10, 10, 40, 30, fill=1)
    page.setFillColorCMYK(0.1, 0.9, 0.2, 0)
    page.circle(80, 40, 20, fill=1)
    page.drawString(10, 60, "Tern Harbour, 720 dpi")
    page.drawInlineImage(Image.fromarray(_RGB), 60, 5, 30, 20)
    page.save()
    return held.getvalue()


def _mail() -> bytes:
    mail = email.message.EmailMessage()
    mail["Subject"], mail["From"], mail["To"] = "Your profile", "a@tern.invalid", "b@tern.invalid"
    mail.set_content("Print at 720 dpi on Fen 100, 200 °C for 60 s.")
    mail.add_attachment(srgb().data, "application", "vnd.iccprofile", filename="tern.icc")
    return mail.as_bytes()


def _zip(files: dict[str, bytes]) -> bytes:
    held = io.BytesIO()
    with zipfile.ZipFile(held, "w", zipfile.ZIP_DEFLATED) as made:
        for name, data in files.items():
            made.writestr(name, data)
    return held.getvalue()


def _tar(files: dict[str, bytes]) -> bytes:
    held = io.BytesIO()
    with tarfile.open(fileobj=held, mode="w") as made:
        for name, data in files.items():
            member = tarfile.TarInfo(name)
            member.size = len(data)
            made.addfile(member, io.BytesIO(data))
    return held.getvalue()


def seeds(workshop: Path, parcel: Path) -> dict[str, list[tuple[str, bytes]]]:
    """Return names and bytes of sound files by kind; `workshop` and `parcel` are those of the earlier version."""
    icc = {"tern.icc": srgb().data, "leaflet.txt": b"Use the plain paper setting."}
    profiles = sorted(p for p in (workshop / "icc").glob("*.icc") if p.stat().st_size < 4 << 20)
    jpeg = _saved("JPEG", quality=90, icc_profile=srgb().data)
    return {
        "picture": [
            ("a.png", _saved("PNG", icc_profile=srgb().data)),
            ("p.png", _palette()),
            ("a.jpg", jpeg),
            ("b.jpg", _saved("JPEG", progressive=True)),
            ("a.webp", _saved("WEBP", lossless=True)),
            ("a.tif", _tiff(_RGB, photometric="rgb", compression="zlib", iccprofile=srgb().data)),
            ("b.tif", _tiff(_RGB.astype(np.uint16) * 257, photometric="rgb", tile=(16, 16), compression="lzw")),
            ("c.tif", _tiff(np.dstack([_RGB, _RGB[..., 0]]), photometric="separated", byteorder=">")),
            ("d.tif", _tiff(_RGB[..., 0] > 99, photometric="miniswhite", compression="packbits", bigtiff=True)),
            ("a.pdf", _pdf()),
            ("a.svg", _SVG),
            ("a.svgz", gzip.compress(_SVG)),
        ],
        "measured": [("a.txt", _CGATS), ("a.cxf", _CXF), ("a.csv", b"id;L;a;b\nA1;50;1,5;2\nA2;60;0;0\n")],
        "profile": [("a.icc", srgb().data), *((p.name, p.read_bytes()) for p in profiles[:2])],
        "packed": [
            ("a.zip", _zip(icc)),
            ("a.tar", _tar(icc)),
            ("a.tgz", gzip.compress(_tar(icc))),
            ("a.icc.gz", gzip.compress(srgb().data)),
            ("a.eml", _mail()),
            ("b.zip", _zip({"in.zip": _zip(icc), "a.eml": _mail()})),
        ],
        "leaflet": [
            ("a.pdf", _pdf()),
            ("a.eml", _mail()),
            ("a.html", b"<p>Print <b>720</b> dpi</p>"),
            ("a.txt", b"x" * 99),
        ],
        "parcel": [("a.zip", parcel.read_bytes())],
        "card": [(p.name, p.read_bytes()) for p in sorted((workshop / "conditions").glob("*.json"))],
    }


def _palette() -> bytes:
    """Return a PNG with a palette of four colours."""
    held = io.BytesIO()
    Image.fromarray(_RGB).quantize(4).save(held, "PNG", bits=2)
    return held.getvalue()
