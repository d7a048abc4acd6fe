"""A drawing program that opens a picture file and prints it, in its own way; it can convert, if it is told to.

The program is invented, and so is every word of it.
"""

from __future__ import annotations

import io
import json
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from fidele.bench.driver import Setting, always, anything
from fidele.errors import FideleError
from fidele.files import read_bytes, write_bytes
from fidele.icc.profile import Profile
from fidele.icc.spaces import oprgb, srgb
from fidele.icc.transform import Intent, convert
from fidele.language import tr

NAME = "Skerry Sketch"
_LARGEST = 1 << 28
#: Filling the leaf leaves so many millimetres around the picture.
_EDGE = 5.0

#: What it calls the intents.
AIMS = {
    "liking": Intent.PERCEPTUAL,
    "likeness": Intent.RELATIVE,
    "force": Intent.SATURATION,
    "sameness": Intent.ABSOLUTE,
}
SETTINGS = {
    s.name: s
    for s in (
        Setting("Colour notes", "Ink › Colour notes", always("heeded", "left unread", "guessed"), readable=False),
        Setting("Lay out", "Ink › Lay out", always("fill the leaf", "as drawn"), readable=False),
        Setting("Backwards", "Ink › Backwards", always("no", "yes"), readable=False),
        Setting("Inks by", "Ink › Inks by", anything, readable=False),
        Setting("Aims at", "Ink › Aims at", always(*AIMS), readable=False),
    )
}
#: A picture is blown up to the leaf, and one that says what its colours mean is changed to sRGB; where they are
#: 'guessed', one that says nothing is taken for opRGB and changed as well.
#: A path under 'Inks by' makes it convert through that profile by itself, from what the picture says of its colours.
DEFAULTS = {"Colour notes": "heeded", "Lay out": "fill the leaf", "Backwards": "no", "Inks by": "", "Aims at": "liking"}


class Sketch:
    """The program with its settings, which no other program can read."""

    def __init__(self, path: Path) -> None:
        self._path = path

    def values(self) -> dict[str, Any]:
        """Return what is really set; the maker's settings where the file is not there or damaged."""
        if not self._path.exists():
            return dict(DEFAULTS)
        try:
            kept: Any = json.loads(read_bytes(self._path, 1 << 16))
            return DEFAULTS | {k: v for k, v in kept.items() if k in SETTINGS and v in (SETTINGS[k].offers({}) or (v,))}
        except (ValueError, AttributeError):
            return dict(DEFAULTS)

    def set(self, name: str, value: str) -> None:
        """Change a setting, as a person in the program would.

        Raises
        ------
        FideleError
            When there is no such setting, or it does not offer the value.
        """
        offered = SETTINGS[name].offers({}) if name in SETTINGS else ()
        if offered is not None and value not in offered:
            raise FideleError(tr("{program} has no '{name}: {value}'.", program=NAME, name=name, value=value))
        write_bytes(self._path, json.dumps(self.values() | {name: value}, indent=2).encode())

    def page(self, file: Path, leaf: tuple[float, float], ppi: int) -> NDArray[np.uint8]:
        """Return the page (h, w, 3) that the program makes of a picture file, 8 bit, for a leaf in mm.

        Raises
        ------
        FideleError
            When the file is no picture that the program can read.
        """
        pixels, profile, own = _read(file)
        values = self.values()
        if profile is None and values["Colour notes"] == "guessed":
            profile = oprgb()
        through = _through(values["Inks by"])
        if through is not None:
            known = profile if values["Colour notes"] != "left unread" else None
            pixels, profile = convert(pixels, known or srgb(), through, AIMS[values["Aims at"]], True), None
        tagged = profile is not None and profile.content_id != srgb().content_id
        if profile is not None and tagged and values["Colour notes"] != "left unread":
            pixels = convert(pixels, profile, srgb(), Intent.RELATIVE)
        if values["Backwards"] == "yes":
            pixels = pixels[:, ::-1]
        per_mm = ppi / 25.4
        size = tuple(n / own * 25.4 for n in (pixels.shape[1], pixels.shape[0]))
        room = (leaf[0] - 2 * _EDGE, leaf[1] - 2 * _EDGE)
        factor = min(room[0] / size[0], room[1] / size[1]) if values["Lay out"] == "fill the leaf" else 1.0
        shape = tuple(max(1, round(n * factor * per_mm)) for n in size)
        if shape != (pixels.shape[1], pixels.shape[0]):
            pixels = _resized(pixels, shape)
        sheet = np.full((round(leaf[1] * per_mm), round(leaf[0] * per_mm), 3), 255, np.uint8)
        x, y = (sheet.shape[1] - shape[0]) // 2, (sheet.shape[0] - shape[1]) // 2
        x0, y0 = max(0, x), max(0, y)
        x1, y1 = min(sheet.shape[1], x + shape[0]), min(sheet.shape[0], y + shape[1])
        sheet[y0:y1, x0:x1] = pixels[y0 - y : y1 - y, x0 - x : x1 - x]
        return sheet


def _through(path: str) -> Profile | None:
    """Return the profile that it was told to convert through, None where there is none that it can use."""
    try:
        profile = Profile.open(Path(path)) if path else None
    except FideleError:
        return None
    return profile if profile is not None and profile.channels == 3 else None


def _resized(pixels: NDArray[np.uint8], shape: tuple[int, ...]) -> NDArray[np.uint8]:
    """Return pixels at another size, by the nearest ones, as simple programs do."""
    rows = np.minimum((np.arange(shape[1]) + 0.5) * pixels.shape[0] / shape[1], pixels.shape[0] - 1).astype(int)
    columns = np.minimum((np.arange(shape[0]) + 0.5) * pixels.shape[1] / shape[0], pixels.shape[1] - 1).astype(int)
    return np.ascontiguousarray(pixels[rows][:, columns])


def _read(file: Path) -> tuple[NDArray[np.uint8], Profile | None, float]:
    """Return a file's pixels (h, w, 3), what it says of its colours, and its pixels per inch."""
    from PIL import Image, UnidentifiedImageError

    try:
        with Image.open(io.BytesIO(read_bytes(file, _LARGEST))) as image:
            own = float(image.info.get("dpi", (72.0, 72.0))[0]) or 72.0
            icc = image.info.get("icc_profile")
            pixels = np.asarray(image.convert("RGB"))
    except (UnidentifiedImageError, OSError, ValueError, Image.DecompressionBombError) as error:
        raise FideleError(tr("{program} cannot open {file}.", program=NAME, file=file)) from error
    try:
        profile = Profile.parse(icc) if icc else None
    except FideleError:
        profile = None
    return pixels, profile if profile is not None and profile.channels == 3 else None, own
