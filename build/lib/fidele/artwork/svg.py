"""Draw an SVG (W3C SVG 1.1, and 2 as far as resvg goes), with nothing fetched from files or the network.

Colours in SVG are sRGB by definition.
"""

from __future__ import annotations

import base64
import io
import re
import struct
import zlib
from importlib.resources import files
from pathlib import Path
from urllib.parse import unquote_to_bytes
from xml.etree import ElementTree

import numpy as np
from numpy.typing import NDArray

from fidele.artwork.limits import bounded
from fidele.artwork.picture import Decoded
from fidele.errors import FideleError
from fidele.files import read_bytes
from fidele.language import tr, trn
from fidele.markup import parsed

_LARGEST = 64 << 20
_MOST_ELEMENTS = 500_000
_MOST_PIXELS = 200_000_000
_NUMBER = r"[-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?"
_UNITS = {"": 1.0, "px": 1.0, "in": 96.0, "mm": 96 / 25.4, "cm": 96 / 2.54, "pt": 96 / 72, "pc": 16.0}
#: Text in a font that this machine does not have is drawn in ours.
_FONT = files("fidele") / "data" / "fonts" / "Inter-Regular.otf"
_XLINK = "{http://www.w3.org/1999/xlink}href"
_SVG = "{http://www.w3.org/2000/svg}"
_INSIDE = ("#", "data:")
#: What lies deeper is left out by the renderer without a word.
_DEEPEST = 32
#: No length or number that a person wrote is longer.
_LONGEST = 100


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
        raise FideleError(tr("{path} is not an SVG picture.", path=path))
    outside = _cut_off(tree)
    _count(tree, path)
    doubts = (
        (
            trn(
                "{name} refers to {outside} thing outside itself (files or the network), not fetched and so missing.",
                "{name} refers to {outside} things outside itself (files or the network), not fetched and so missing.",
                outside,
                name=path.name,
                outside=outside,
            ),
        )
        if outside
        else ()
    )
    _whole(tree, path)
    pixels = _drawn(tree, path, ppi)
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
            if kind != "a" and key in element.attrib and not _inside(element.attrib[key]):
                del element.attrib[key]
                count += 1
                if kind == "image":
                    element.tag = f"{_SVG}g"
        for key, value in list(element.attrib.items()):
            kept, cut = _cut(value)
            if cut:
                element.attrib[key] = kept
                count += cut
        if kind == "style" and element.text:
            kept, cut = _cut(re.sub(r"@import[^;]*;?", "url(outside:)", element.text))
            element.text = kept
            count += cut
        if kind in ("script", "foreignObject"):
            element.clear()
    return count


def _inside(reference: str) -> bool:
    return reference.strip("\t\n\f\r '\"").lower().startswith(_INSIDE)


def _cut(text: str) -> tuple[str, int]:
    """Put 'none' for every url(…) that leads outside; return the text and how many they were."""
    low, kept, at, count = text.lower(), [], 0, 0
    while (start := low.find("url(", at)) >= 0:
        end = low.find(")", start)
        end = len(text) if end < 0 else end + 1
        outside = not _inside(text[start + 4 : end].removesuffix(")"))
        kept += [text[at:start], "none" if outside else text[start:end]]
        count += outside
        at = end
    return "".join([*kept, text[at:]]), count


def _whole(tree: ElementTree.Element, path: Path) -> None:
    """Refuse what the renderer would leave out without a word: groups too deep, embedded pictures it cannot read."""
    level, deep = [tree], 0
    while level:
        level = [child for element in level for child in element]
        deep += 1
    if deep > _DEEPEST:
        raise FideleError(
            tr(
                "{path} has parts inside each other {deep} deep; flatten them to {deepest} at most.",
                path=path,
                deep=deep,
                deepest=_DEEPEST,
            )
        )
    for element in tree.iter(f"{_SVG}image"):
        reference = element.attrib.get("href") or element.attrib.get(_XLINK) or ""
        if reference.strip().lower().startswith("data:") and not _readable(reference.strip(), path):
            raise FideleError(tr("{path} holds an embedded picture that is damaged; ask for another copy.", path=path))


def _readable(reference: str, path: Path) -> bool:
    """Tell whether an embedded picture (RFC 2397) is whole; embedded drawings are the renderer's business."""
    from PIL import Image

    kind, _, data = reference[5:].partition(",")
    held = unquote_to_bytes(data)
    if "svg" in kind.lower():
        return True
    try:
        if kind.lower().rstrip().endswith("base64"):
            held = base64.b64decode(b"".join(held.split()), validate=True)
        with Image.open(io.BytesIO(held)) as picture:
            bounded(picture.width, picture.height, path, _MOST_PIXELS)
            picture.load()
    except FideleError:
        raise
    except (OSError, ValueError, SyntaxError, struct.error):
        return False
    return True


def _count(tree: ElementTree.Element, path: Path) -> None:
    """Refuse drawings whose repeated parts, each using others, grow without end."""
    by_id = {e.attrib["id"]: e for e in tree.iter() if "id" in e.attrib}
    known: dict[int, int] = {}

    def size(element: ElementTree.Element, above: tuple[int, ...]) -> int:
        key = id(element)
        if key in above or len(above) > 200:
            raise FideleError(tr("{path} uses parts of itself inside themselves, without end.", path=path))
        if key not in known:
            inside = (*above, key)
            total = 1 + sum(size(child, inside) for child in element)
            if element.tag == f"{_SVG}use":
                used = by_id.get((element.attrib.get("href") or element.attrib.get(_XLINK) or "")[1:])
                total += size(used, inside) if used is not None else 0
            known[key] = total
        return known[key]

    if size(tree, ()) > _MOST_ELEMENTS:
        raise FideleError(
            tr("{path} draws more than {most_elements:,} shapes.", path=path, most_elements=_MOST_ELEMENTS)
        )


def _drawn(tree: ElementTree.Element, path: Path, ppi: float) -> NDArray[np.uint8]:
    """Return a drawing (h, w, 4), straight alpha, at a resolution: CSS has 96 pixels to the inch."""
    import imagecodecs
    from resvg_py import svg_to_bytes

    width, height = _size(tree)
    bounded(round(width * ppi / 96), round(height * ppi / 96), path, _MOST_PIXELS)
    text = ElementTree.tostring(tree, encoding="unicode")
    try:
        png = svg_to_bytes(svg_string=text, zoom=ppi / 96, font_files=[str(_FONT)], font_family="Inter")
        return np.ascontiguousarray(imagecodecs.png_decode(bytes(png)), np.uint8)
    except (ValueError, RuntimeError, imagecodecs.PngError) as error:
        raise FideleError(tr("{path} is damaged and cannot be drawn.", path=path)) from error


def _size(tree: ElementTree.Element) -> tuple[float, float]:
    """Return width and height in CSS pixels, as the root states them, else those of its view box, else 100."""
    box = [float(v) for v in re.findall(_NUMBER, tree.attrib.get("viewBox", "")[:_LONGEST])]
    inside = (box[2], box[3]) if len(box) == 4 else (100.0, 100.0)
    stated = [_length(tree.attrib.get(name, "")) for name in ("width", "height")]
    if stated[0] is not None and stated[1] is None and inside[0] > 0:
        return stated[0], stated[0] * inside[1] / inside[0]
    if stated[1] is not None and stated[0] is None and inside[1] > 0:
        return stated[1] * inside[0] / inside[1], stated[1]
    return (inside[0] if stated[0] is None else stated[0]), (inside[1] if stated[1] is None else stated[1])


def _length(text: str) -> float | None:
    """Return a length in CSS pixels, None where it states none of its own."""
    found = re.fullmatch(rf"\s*({_NUMBER})\s*(px|in|mm|cm|pt|pc|)\s*", text[:_LONGEST])
    return float(found[1]) * _UNITS[found[2]] if found else None
