"""Read colours from CxF3 (ISO 17972-1): objects with their L*a*b*, XYZ or sRGB values."""

from __future__ import annotations

from pathlib import Path
from xml.etree import ElementTree

import numpy as np
from numpy.typing import NDArray

from fidele.colour.cie import xyz_to_lab
from fidele.errors import FideleError
from fidele.files import read_bytes
from fidele.icc.spaces import srgb
from fidele.icc.transform import to_lab
from fidele.markup import parsed

_LARGEST = 64 << 20


def read_cxf(path: Path) -> list[tuple[str, NDArray[np.float64]]]:
    """Return names and L*a*b* (3,), D50, of the colours in a CxF3 file.

    Raises
    ------
    FideleError
        When it is damaged, of another kind, or holds no colour that can be used.
    """
    tree = parsed(read_bytes(path, _LARGEST), path)
    if _plain(tree.tag) != "CxF":
        raise FideleError(f"{path} is not a CxF file.")
    found: list[tuple[str, NDArray[np.float64]]] = []
    for thing in tree.iter():
        if _plain(thing.tag) == "Object":
            Lab = _colour(thing)
            if Lab is not None:
                name = thing.attrib.get("Name") or thing.attrib.get("Id") or f"colour {len(found) + 1}"
                found.append((name[:80], Lab))
    if not found:
        raise FideleError(f"{path} holds no colour with L*a*b*, XYZ or sRGB values.")
    return found


def _colour(thing: ElementTree.Element) -> NDArray[np.float64] | None:
    """Return the L*a*b* of an object; values for another white than D50 are left aside."""
    by_kind: dict[str, NDArray[np.float64]] = {}
    for child in thing.iter():
        kind = _plain(child.tag)
        names = {"ColorCIELab": "LAB", "ColorCIEXYZ": "XYZ", "ColorSRGB": "RGB"}.get(kind)
        if names is None:
            continue
        fields = {_plain(v.tag)[0].upper(): v.text for v in child if _plain(v.tag)[:1].upper() in names}
        try:
            by_kind.setdefault(kind, np.array([float(str(fields[n]).replace(",", ".")) for n in names]))
        except (KeyError, ValueError):
            continue
    if "ColorCIELab" in by_kind:
        return by_kind["ColorCIELab"]
    if "ColorCIEXYZ" in by_kind:
        return xyz_to_lab(by_kind["ColorCIEXYZ"] / 100)
    if "ColorSRGB" in by_kind:
        return to_lab((by_kind["ColorSRGB"] / 255).astype(np.float32)[None], srgb())[0].astype(float)
    return None


def _plain(tag: object) -> str:
    return str(tag).rsplit("}", 1)[-1]
