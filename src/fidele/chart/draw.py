"""Draw a chart's page: patches, machine-readable corner marks and code, and small print that says what it is."""

from __future__ import annotations

from importlib import resources
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from fidele.chart.code import PageCode, code_bitmap
from fidele.chart.definition import Chart
from fidele.chart.ink_set import BLACK
from fidele.chart.layout import Layout
from fidele.chart.marks import mark_bitmap
from fidele.language import tr

if TYPE_CHECKING:
    from PIL import ImageFont

#: The chart whose patches carry the numbers to type for them.
SWATCHES = "swatches"
#: How high they stand, in mm, at the foot of a patch: below what is measured of it.
_NUMBERS = 1.35


def draw_page(chart: Chart, page: int, label: str, ppi: int = 300, code: PageCode | None = None) -> NDArray[np.uint16]:
    """Return a page as RGB (h, w, 3), or amounts of ink (h, w, k), uint16; nothing where nothing stands.

    `label` is printed at the foot in small print, lines between ' · ' broken where there is room; `code` is what the
    page says of itself to a machine. The patch values are the chart's own.
    """
    scale = ppi / 25.4
    canvas = blank_page(chart.layout, chart.marks_of(page), code or PageCode(chart.digest, page), ppi)
    small_print(
        canvas,
        tr(
            "{title}, page {page} of {pages} · {label}",
            title=chart.title,
            page=page + 1,
            pages=chart.pages,
            label=label,
        ),
        chart.layout.text_box(),
        scale,
    )
    if chart.inks is not None:  # all that is not a patch stands in black alone
        grey, canvas = canvas[..., 0], np.zeros((*canvas.shape[:2], chart.inks.shape[1]), np.uint16)
        canvas[..., BLACK] = 65535 - grey
    half = chart.layout.patch / 2
    values = np.round((chart.rgb if chart.inks is None else chart.inks) * 65535).astype(np.uint16)
    for index, centre in zip(chart.on_page(page), chart.centres(page), strict=True):
        x0, y0 = np.round((centre - half) * scale).astype(int)
        x1, y1 = np.round((centre + half) * scale).astype(int)
        canvas[y0:y1, x0:x1] = values[index]
        if chart.name == SWATCHES:
            _numbers(canvas[y0:y1, x0:x1], chart.rgb[index], scale)
    return canvas


def _numbers(patch: NDArray[np.uint16], rgb: NDArray[np.float64], scale: float) -> None:
    """Write a patch's values, 0 to 255, along its foot, light on dark and dark on light."""
    from PIL import Image, ImageDraw

    high, wide = patch.shape[:2]
    tall = round((_NUMBERS + 0.35) * scale)
    if tall < 9 or tall > high // 4:
        return
    picture = Image.new("L", (wide, tall), 0)
    words = " ".join(f"{value * 255:.0f}" for value in rgb)
    ImageDraw.Draw(picture).text((wide // 2, 0), words, font=_font(_NUMBERS * scale), fill=255, anchor="ma")
    mask = (np.asarray(picture, np.float64) / 255)[..., None]
    ink = 0.0 if rgb @ (0.3, 0.59, 0.11) > 0.45 else 65535.0
    foot = patch[high - tall :]
    foot[:] = np.round(foot * (1 - mask) + ink * mask).astype(np.uint16)


def _font(pixels: float) -> ImageFont.FreeTypeFont:
    from PIL import ImageFont

    with resources.as_file(resources.files("fidele") / "data" / "fonts" / "Inter-Regular.otf") as path:
        return ImageFont.truetype(str(path), max(8, round(pixels)), layout_engine=ImageFont.Layout.BASIC)


def blank_page(layout: Layout, mark_set: int, code: PageCode, ppi: int) -> NDArray[np.uint16]:
    """Return a white page (h, w, 3) with its corner marks and its code."""
    scale = ppi / 25.4
    width, height = (round(mm * scale) for mm in layout.page)
    canvas = np.full((height, width, 3), 65535, np.uint16)
    for number, corners in enumerate(layout.mark_corners()):
        x0, y0 = np.round(corners[0] * scale).astype(int)
        size = round(layout.mark * scale)
        stamp(canvas, mark_bitmap(4 * mark_set + number, size), x0, y0)
    left, top, right, _ = layout.code_box()
    stamp(canvas, code_bitmap(code, round((right - left) * scale)), round(left * scale), round(top * scale))
    return canvas


def stamp(canvas: NDArray[np.uint16], bitmap: NDArray[np.bool_], x: int, y: int) -> None:
    """Put a bitmap, True for white, on a page."""
    high, wide = bitmap.shape
    canvas[y : y + high, x : x + wide] = np.where(bitmap[..., None], np.uint16(65535), np.uint16(0))


def small_print(
    canvas: NDArray[np.uint16], text: str, box: tuple[float, float, float, float], scale: float, height: float = 2.3
) -> None:
    """Write text into a box (left, top, right, bottom, in mm), broken at ' · ' and at blanks, cut off at its foot."""
    from PIL import Image, ImageDraw

    font = _font(height * scale)
    left, top, right, bottom = (round(mm * scale) for mm in box)
    if right - left < 20 or bottom - top < 8:
        return
    line = font.getbbox("Ég")[3] + 2
    picture = Image.new("L", (right - left, bottom - top), 255)
    pen, y, said = ImageDraw.Draw(picture), 0.0, ""
    for word in [*text.split(" "), ""]:
        longer = f"{said} {word}".strip()
        if word and font.getlength(longer) <= right - left:
            said = longer
            continue
        if y + line > bottom - top:
            break
        pen.text((0, y), said.strip("· "), font=font, fill=0)
        y, said = y + line, word
    ink = np.asarray(picture, np.uint16) * 257
    canvas[top:bottom, left:right] = np.minimum(canvas[top:bottom, left:right], ink[..., None])
