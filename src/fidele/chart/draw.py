"""Draw a chart's page: patches, machine-readable corner marks, and a label that says what it is."""

from __future__ import annotations

from importlib import resources

import numpy as np
from numpy.typing import NDArray

from fidele.chart.definition import Chart
from fidele.chart.marks import mark_bitmap


def draw_page(chart: Chart, page: int, label: str, ppi: int = 300) -> NDArray[np.uint16]:
    """Return a page as RGB (h, w, 3) uint16, white where nothing stands.

    `label` is printed at the foot in small print; the patch values are the chart's own.
    """
    scale = ppi / 25.4
    width, height = (round(mm * scale) for mm in chart.layout.page)
    canvas = np.full((height, width, 3), 65535, np.uint16)
    half = chart.layout.patch / 2
    values = np.round(chart.rgb * 65535).astype(np.uint16)
    for index, centre in zip(chart.on_page(page), chart.centres(page), strict=True):
        x0, y0 = np.round((centre - half) * scale).astype(int)
        x1, y1 = np.round((centre + half) * scale).astype(int)
        canvas[y0:y1, x0:x1] = values[index]
    for number, corners in enumerate(chart.layout.mark_corners()):
        x0, y0 = np.round(corners[0] * scale).astype(int)
        size = round(chart.layout.mark * scale)
        bitmap = mark_bitmap(4 * (chart.mark_set + page) + number, size)
        canvas[y0 : y0 + size, x0 : x0 + size] = np.where(bitmap[..., None], np.uint16(65535), np.uint16(0))
    left, _, _, bottom = chart.layout.frame
    _write(
        canvas,
        f"{chart.title}, page {page + 1} of {chart.pages}. {label}",
        left + chart.layout.mark + 4,
        bottom - 4,
        scale,
    )
    return canvas


def _write(canvas: NDArray[np.uint16], text: str, x: float, y: float, scale: float) -> None:
    from PIL import Image, ImageDraw, ImageFont

    font_file = resources.files("fidele") / "data" / "fonts" / "Inter-Regular.otf"
    with resources.as_file(font_file) as path:
        font = ImageFont.truetype(str(path), max(8, round(2.6 * scale)), layout_engine=ImageFont.Layout.BASIC)
    room = canvas.shape[1] - round((2 * x - 8) * scale)
    while text and font.getlength(text) > room:
        text = text[:-2]
    picture = Image.new("L", (round(font.getlength(text)) + 4, round(4 * scale)), 255)
    ImageDraw.Draw(picture).text((0, 0), text, font=font, fill=0)
    ink = np.asarray(picture, np.uint16) * 257
    top, left = round(y * scale) - ink.shape[0] // 2, round(x * scale)
    canvas[top : top + ink.shape[0], left : left + ink.shape[1]] = ink[..., None]
