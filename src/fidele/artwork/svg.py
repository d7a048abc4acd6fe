"""Draw an SVG (W3C SVG 1.1 and 2, as far as QtSvg goes), with nothing fetched from files or the network.

QtSvg serves as a drawing library here, without any window; colours in SVG are sRGB by definition.
"""

from __future__ import annotations

import re
import zlib
from pathlib import Path
from xml.etree import ElementTree

import numpy as np

from fidele.artwork.limits import bounded
from fidele.artwork.picture import Decoded
from fidele.errors import FideleError
from fidele.files import read_bytes
from fidele.markup import parsed

_LARGEST = 64 << 20
_MOST_ELEMENTS = 500_000
_XLINK = "{http://www.w3.org/1999/xlink}href"
_SVG = "{http://www.w3.org/2000/svg}"
_INSIDE = re.compile(r"\s*(#|data:)", re.I)
_OUTSIDE = re.compile(r"url\(\s*['\"]?(?!\s*['\"]?(?:#|data:))[^)]*\)", re.I)


def read_svg(path: Path, ppi: float) -> Decoded:
    """Draw an SVG or compressed SVG at a resolution; transparent where nothing is drawn.

    Raises
    ------
    FideleError
        When it is damaged, without end, or larger than Fidele opens.
    """
    data = read_bytes(path, _LARGEST)
    if data[:2] == b"\x1f\x8b":
        data = zlib.decompressobj(31).decompress(data, _LARGEST)
    tree = parsed(data, path)
    if tree.tag.rsplit("}", 1)[-1] != "svg":
        raise FideleError(f"{path} is not an SVG picture.")
    outside = _cut_off(tree)
    _count(tree, path)
    doubts = (
        (
            f"{path.name} refers to {outside} thing{'s' if outside > 1 else ''} outside itself (files or the network), "
            "not fetched and so missing.",
        )
        if outside
        else ()
    )
    pixels = _drawn(ElementTree.tostring(tree), path, ppi)
    alpha = pixels[..., 3]
    return Decoded(
        np.ascontiguousarray(pixels[..., :3]),
        "RGB",
        None if (alpha == 255).all() else np.ascontiguousarray(alpha),
        ppi=ppi,
        says="sRGB",
        doubts=doubts,
        drawing=True,
    )


def _cut_off(tree: ElementTree.Element) -> int:
    """Take every reference to the outside away; return how many there were."""
    count = 0
    for element in tree.iter():
        kind = element.tag.rsplit("}", 1)[-1] if isinstance(element.tag, str) else ""
        for key in (_XLINK, "href"):
            if kind != "a" and key in element.attrib and not _INSIDE.match(element.attrib[key]):
                del element.attrib[key]
                count += 1
                if kind == "image":
                    element.tag = f"{_SVG}g"
        for key, value in list(element.attrib.items()):
            kept, cut = _OUTSIDE.subn("none", value)
            if cut:
                element.attrib[key] = kept
                count += cut
        if kind == "style" and element.text:
            kept, cut = _OUTSIDE.subn("none", re.sub(r"@import[^;]*;?", "url(outside:)", element.text))
            element.text = kept
            count += cut
        if kind in ("script", "foreignObject"):
            element.clear()
    return count


def _count(tree: ElementTree.Element, path: Path) -> None:
    """Refuse drawings whose repeated parts, each using others, grow without end."""
    by_id = {e.attrib["id"]: e for e in tree.iter() if "id" in e.attrib}
    known: dict[int, int] = {}

    def size(element: ElementTree.Element, above: tuple[int, ...]) -> int:
        key = id(element)
        if key in above or len(above) > 200:
            raise FideleError(f"{path} uses parts of itself inside themselves, without end.")
        if key not in known:
            inside = (*above, key)
            total = 1 + sum(size(child, inside) for child in element)
            if element.tag == f"{_SVG}use":
                used = by_id.get((element.attrib.get("href") or element.attrib.get(_XLINK) or "")[1:])
                total += size(used, inside) if used is not None else 0
            known[key] = total
        return known[key]

    if size(tree, ()) > _MOST_ELEMENTS:
        raise FideleError(f"{path} draws more than {_MOST_ELEMENTS:,} shapes.")


def _drawn(data: bytes, path: Path, ppi: float) -> np.ndarray:
    from PySide6.QtCore import QByteArray, QCoreApplication, QRectF
    from PySide6.QtGui import QGuiApplication, QImage, QPainter
    from PySide6.QtSvg import QSvgRenderer

    if QCoreApplication.instance() is None:  # text needs an application for its fonts, though no display
        _keep.append(QGuiApplication(["fidele", "-platform", "offscreen"]))
    renderer = QSvgRenderer(QByteArray(data))
    if not renderer.isValid():
        raise FideleError(f"{path} is damaged and cannot be drawn.")
    size = renderer.defaultSize()
    scale = ppi / 96  # CSS: 96 to the inch
    width, height = round(size.width() * scale), round(size.height() * scale)
    bounded(width, height, path, 200_000_000)
    image = QImage(width, height, QImage.Format.Format_RGBA8888_Premultiplied)
    image.fill(0)
    painter = QPainter(image)
    renderer.render(painter, QRectF(0, 0, width, height))
    painter.end()
    straight = image.convertToFormat(QImage.Format.Format_RGBA8888)
    rows = np.frombuffer(straight.constBits(), np.uint8).reshape(height, straight.bytesPerLine())
    return rows[:, : width * 4].reshape(height, width, 4).copy()


#: The application that lives as long as the process, where no window has made one.
_keep: list[object] = []
