"""Signs that stand on a sheet beside its pieces: the identity line, and signs to cut, fold and press by.

All are drawn in device black on the finished page, so that nothing converts them.
"""

from __future__ import annotations

import itertools
import re
from importlib import resources
from typing import Any

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Codes
from fidele.dataclass import dataclass
from fidele.sheet.page import Sign
from fidele.sheet.placing import Placing

#: The identity line: its height, and its distance from the piece, in mm.
LINE, APART = 9.4, 1.0
#: Signs to cut: their length, and their distance from the piece, in mm.
TICK, AWAY = 4.0, 1.0
_STROKE = 0.2
_MODULE = 0.42
#: Codes are read at these resolutions, to which coarser scans are brought.
_READ_AT = (600.0, 750.0)
#: Levels of 255 between the darkest and the lightest of what holds a code, at least.
_CONTRAST = 40
#: How often per mm dark and light change where a code may be, both across and down: in it 1.2 times, less where the
#: scan is coarse or the dye has spread. Pictures and patches mostly stay below 0.4.
_DENSE = (0.45, 0.3)
#: Levels of 255 that dark is darker than what is around it.
_DARKER = 10
_FORM = re.compile(r"FI1:(\d{1,7}):(\d{1,4}):([0-9A-F]{4})")


@dataclass(frozen=True)
class Identity:
    """What the identity line says to a machine: run, which piece of its sheet from 1, and four digits of the card."""

    run: int
    piece: int
    condition: str

    def words(self) -> str:
        """Return what the code holds: few enough letters for the smallest QR code (ISO/IEC 18004, 1-M)."""
        return f"FI1:{self.run}:{self.piece}:{self.condition.upper()}"

    @staticmethod
    def parse(words: str) -> Identity | None:
        """Understand what a code held; None where it is none of ours."""
        found = _FORM.fullmatch(words.strip())
        return Identity(int(found[1]), int(found[2]), found[3].lower()) if found else None


def read_identities(scan: Codes, ppi: float = 300.0) -> list[Identity]:
    """Return the identity lines on a scan (h, w, 3), each once, by run and piece; a mirrored scan is read as well.

    `ppi` is the scan's resolution; 150 is enough.
    """
    import cv2

    green = scan[..., 1] if scan.ndim == 3 else scan
    grey = np.ascontiguousarray((green if green.dtype == np.uint8 else green >> 8).astype(np.uint8, copy=False))
    found: set[Identity] = set()
    for density in _DENSE:
        for part in _likely(grey, ppi, density):
            # What one misses another mostly sees; and what lies between the pixels at one size does not at another.
            for at, make in itertools.product(_READ_AT, (cv2.QRCodeDetector, cv2.QRCodeDetectorAruco)):
                found |= _read(part, ppi, at, make())
        if found:
            break
    return sorted(found, key=lambda i: (i.run, i.piece))


def _read(part: NDArray[np.uint8], ppi: float, at: float, detector: Any) -> set[Identity]:
    """Return what a detector reads on a part of a scan at a resolution."""
    import cv2

    factor = max(1.0, at / ppi)
    seen = cv2.resize(part, None, fx=factor, fy=factor, interpolation=cv2.INTER_CUBIC) if factor > 1 else part
    found: set[Identity] = set()
    for tile in _tiles(seen, round(ppi * factor * 3), round(ppi * factor * 0.5)):
        low, high = np.percentile(tile[::4, ::4], (1, 95))
        if high - low < _CONTRAST:  # bare paper, or one colour: a code is black on white
            continue
        clear = np.clip((tile.astype(np.float32) - low) / max(high - low, 1) * 255, 0, 255).astype(np.uint8)
        try:
            done, words, _, _ = detector.detectAndDecodeMulti(clear)
        except cv2.error:  # its geometry can fail on noise
            continue
        found |= {i for w in (words if done else ()) if (i := Identity.parse(w)) is not None}
    return found


def _likely(grey: NDArray[np.uint8], ppi: float, density: float) -> list[NDArray[np.uint8]]:
    """Return the parts of a scan where dark and light change as often, across and down, as in a code of our size."""
    import cv2

    if ppi * _MODULE / 25.4 < 1 or min(grey.shape) < 21 * _MODULE * ppi / 25.4:
        return []  # a scan so coarse, or so small, holds no code
    step = max(1, round(ppi / 200))
    small, scale = cv2.resize(grey, None, fx=1 / step, fy=1 / step, interpolation=cv2.INTER_AREA), ppi / step / 25.4
    side = round(21 * _MODULE * scale) | 1
    dark = small < cv2.blur(small, (side, side)).astype(np.int16) - _DARKER
    across, down = np.zeros(small.shape, np.float32), np.zeros(small.shape, np.float32)
    across[:, 1:] = dark[:, 1:] != dark[:, :-1]
    down[1:] = dark[1:] != dark[:-1]
    often = np.minimum(cv2.blur(across, (side, side)), cv2.blur(down, (side, side))) * scale > density
    wide = cv2.dilate(often.astype(np.uint8), np.ones((2 * side + 1,) * 2, np.uint8))
    _, _, boxes, _ = cv2.connectedComponentsWithStats(wide)
    return [grey[y * step : (y + h) * step, x * step : (x + w) * step] for x, y, w, h, _ in boxes[1:].tolist()]


def _tiles(grey: NDArray[np.uint8], side: int, over: int) -> list[NDArray[np.uint8]]:
    """Return overlapping parts: a small code is not found among everything else on a large scan."""
    height, width = grey.shape
    rows = range(0, max(1, height - over), side - over)
    columns = range(0, max(1, width - over), side - over)
    return [grey[y : y + side, x : x + side] for y in rows for x in columns]


def identity_sign(placing: Placing, identity: Identity, words: str, apart: float = APART) -> Sign:
    """Return the identity line `apart` mm beneath a piece, turned with it by right angles; else beneath its bounds."""
    quarters = placing.quarters
    left, top, right, bottom = placing.bounds
    upright = quarters is None
    wide = right - left if upright or not (quarters or 0) % 2 else bottom - top
    drawn: dict[float, NDArray[np.bool_]] = {}

    def draw(band: NDArray[np.uint16], first: int, scale: float) -> None:
        if scale not in drawn:
            line = _line(identity, words, wide, scale)
            drawn[scale] = line if upright else np.rot90(line, quarters or 0)
        line = drawn[scale]
        high, across = (n / scale for n in line.shape)
        x, y = {
            0: (left, bottom + apart),
            1: (right + apart, bottom - high),
            2: (right - across, top - apart - high),
            3: (left - apart - across, top),
        }[quarters or 0]
        _stamp(band, line, round(x * scale), round(y * scale) - first)

    return draw


def _line(identity: Identity, words: str, wide: float, scale: float) -> NDArray[np.bool_]:
    """Return the identity line as booleans (h, w), True for ink: the code, then the words in small print."""
    import cv2
    from PIL import Image, ImageDraw, ImageFont

    parameters = cv2.QRCodeEncoder.Params()
    parameters.version = 1
    parameters.mode = cv2.QRCodeEncoder_MODE_ALPHANUMERIC
    parameters.correction_level = cv2.QRCodeEncoder_CORRECT_LEVEL_M
    modules = cv2.QRCodeEncoder.create(parameters).encode(identity.words())
    modules = modules[2:-2, 2:-2] if modules.shape[0] > 21 else modules
    each = max(2, round(_MODULE * scale))
    code = np.kron(modules < 128, np.ones((each, each), bool))
    height, width = round(LINE * scale), max(code.shape[1], round(wide * scale))
    picture = Image.new("1", (width, height), 0)
    with resources.as_file(resources.files("fidele") / "data" / "fonts" / "Inter-Regular.otf") as path:
        font = ImageFont.truetype(str(path), max(7, round(2.0 * scale)), layout_engine=ImageFont.Layout.BASIC)
    pen, x, y = ImageDraw.Draw(picture), code.shape[1] + round(1.2 * scale), 0.0
    step, said = LINE / 3 * scale, ""
    for word in [*words.split(" "), ""]:
        longer = f"{said} {word}".strip()
        if word and x + font.getlength(longer) <= width:
            said = longer
            continue
        if y + step > height + 1:
            break
        pen.text((x, y), said.strip("· "), font=font, fill=1)
        y, said = y + step, word
    line = np.array(picture, bool)
    line[:, : code.shape[1]] = False
    rows = min(height, code.shape[0])
    line[:rows, : code.shape[1]] = code[:rows]
    return line


def cut_sign(placing: Placing) -> Sign:
    """Return ticks that go on from the edges of a piece, at each of its corners."""
    return _strokes(placing, [(s, t) for s in (0, 1) for t in (0, 1)])


def fold_sign(placing: Placing) -> Sign:
    """Return broken ticks at the middle of each side of a piece."""
    return _strokes(placing, [(0.5, 0), (0.5, 1), (0, 0.5), (1, 0.5)], broken=True)


def _strokes(placing: Placing, at: list[tuple[float, float]], broken: bool = False) -> Sign:
    lines = []
    (x0, y0), (x1, y1), _, (x3, y3) = placing.corners
    across = np.array([x1 - x0, y1 - y0]) / placing.width
    down = np.array([x3 - x0, y3 - y0]) / placing.height
    origin = np.array([x0, y0])
    for s, t in at:
        corner = origin + across * s * placing.width + down * t * placing.height
        ways = []
        if s != 0.5:
            ways.append(across * (1 if s else -1))
        if t != 0.5:
            ways.append(down * (1 if t else -1))
        for way in ways:
            parts = [(0.0, 0.4), (0.6, 1.0)] if broken else [(0.0, 1.0)]
            lines += [(corner + way * (AWAY + TICK * a), corner + way * (AWAY + TICK * b)) for a, b in parts]
    return _drawn(lines)


def press_sign(width: float, height: float, inset: float) -> Sign:
    """Return a ring with a cross at the middle of the left and right side of a sheet, to lay it on the press by."""
    lines: list[tuple[Any, Any]] = []
    turn = np.linspace(0, 2 * np.pi, 25)
    ring = np.stack([np.cos(turn), np.sin(turn)], axis=1) * 2.5
    for x in (inset + 4, width - inset - 4):
        centre = np.array([x, height / 2])
        lines += list(zip(centre + ring[:-1], centre + ring[1:], strict=True))
        arms = np.array([[3.5, 0.0], [0.0, 3.5]])
        lines += [(centre - arm, centre + arm) for arm in arms]
    return _drawn(lines)


def _drawn(lines: list[tuple[Any, Any]]) -> Sign:
    """Return straight strokes between points in mm as a sign."""

    def draw(band: NDArray[np.uint16], first: int, scale: float) -> None:
        import cv2

        high = len(band)
        thick = max(1, round(_STROKE * scale))
        for a, b in lines:
            reach = (min(a[1], b[1]) * scale - thick, max(a[1], b[1]) * scale + thick)
            if reach[1] < first or reach[0] > first + high:
                continue
            ends = [(round(p[0] * scale), round(p[1] * scale) - first) for p in (a, b)]
            cv2.line(band, ends[0], ends[1], (0, 0, 0), thick)

    return draw


def _stamp(band: NDArray[np.uint16], ink: NDArray[np.bool_], x: int, y: int) -> None:
    """Put black where `ink` is, on white paper around it, of what of it falls on a band."""
    top, left = max(0, -y), max(0, -x)
    bottom, right = min(ink.shape[0], band.shape[0] - y), min(ink.shape[1], band.shape[1] - x)
    if bottom > top and right > left:
        part = ink[top:bottom, left:right]
        target = band[y + top : y + bottom, x + left : x + right]
        target[:] = np.where(part[..., None], np.uint16(0), np.uint16(65535))


def room_for(identity: bool, cut: bool) -> tuple[float, float]:
    """Return how many mm a piece needs around it for its signs: on each side, and in addition beneath."""
    around = AWAY + TICK if cut else 0.0
    return around, LINE + line_apart(cut) - around if identity else 0.0


def line_apart(cut: bool) -> float:
    """Return how far from a piece its identity line stands: beyond the signs to cut or fold by."""
    return AWAY + TICK + 0.6 if cut else APART
