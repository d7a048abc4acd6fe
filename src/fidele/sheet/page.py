"""From a placed picture to the page that a printer takes. Resampling happens once, at 16 bit, before the conversion."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from fidele.artwork.convert import over_white
from fidele.artwork.picture import Artwork
from fidele.icc.profile import Profile
from fidele.icc.spaces import srgb
from fidele.icc.transform import Intent, convert
from fidele.sheet.placing import Media, Placing
from fidele.tiles import Progress


def sixteen(pixels: NDArray[Any]) -> NDArray[np.uint16]:
    """Return pixels at 16 bit; 255 becomes 65535."""
    return pixels if pixels.dtype == np.uint16 else pixels.astype(np.uint16) * np.uint16(257)


def resample(pixels: NDArray[np.uint16], width: int, height: int) -> NDArray[np.uint16]:
    """Resample (h, w, channels) to another number of pixels; the same number leaves them untouched."""
    import cv2

    if pixels.shape[:2] == (height, width):
        return pixels
    shrinks = width < pixels.shape[1]
    done = cv2.resize(pixels, (width, height), interpolation=cv2.INTER_AREA if shrinks else cv2.INTER_CUBIC)
    return done.reshape(height, width, pixels.shape[2])


def render_page(
    artwork: Artwork,
    placing: Placing,
    media: Media,
    ppi: int,
    printer: Profile | None,
    intent: Intent,
    bpc: bool,
    mirror: bool,
    progress: Progress | None = None,
) -> NDArray[np.uint16]:
    """Return the sheet as RGB (h, w, 3) uint16 at the printer's resolution, as it will lie on the paper.

    `printer` None leaves the numbers as they are, in sRGB. Bare paper is 65535. What reaches beyond the sheet is cut.

    Raises
    ------
    CancelledError
        When `progress` returned False.
    """
    scale = ppi / 25.4
    sheet = np.full((round(media.height * scale), round(media.width * scale), 3), 65535, np.uint16)
    x0, y0 = round(placing.x * scale), round(placing.y * scale)
    width, height = max(1, round(placing.width * scale)), max(1, round(placing.height * scale))
    laid = (
        sixteen(over_white(artwork.pixels, artwork.alpha)) if artwork.pixels.shape[2] != 4 else sixteen(artwork.pixels)
    )
    pixels = resample(laid, width, height)
    if printer is not None:
        pixels = convert(pixels, artwork.profile, printer, intent, bpc, progress)
    elif artwork.profile.content_id != srgb().content_id:
        # A change between source spaces, not a conversion for the printer: what converts later expects sRGB.
        pixels = convert(pixels, artwork.profile, srgb(), Intent.RELATIVE, True, progress)
    left, top = max(0, x0), max(0, y0)
    right, bottom = min(sheet.shape[1], x0 + width), min(sheet.shape[0], y0 + height)
    if right > left and bottom > top:
        sheet[top:bottom, left:right] = pixels[top - y0 : bottom - y0, left - x0 : right - x0]
    return np.ascontiguousarray(sheet[:, ::-1]) if mirror else sheet


def to_eight(page: NDArray[np.uint16]) -> NDArray[np.uint8]:
    """Reduce a page to 8 bit by a dither that depends on position alone.

    The same page gives the same numbers each time, flat colours keep their mean to a hundredth of a step, and values
    that 8 bit can hold stay exactly what they are.
    """
    height, width = page.shape[:2]
    out = np.empty(page.shape, np.uint8)
    threshold = _thresholds()
    for row in range(0, height, 256):
        block = page[row : row + 256].astype(np.uint32)
        rows = (np.arange(row, row + len(block)) % 64)[:, None]
        columns = (np.arange(width) % 64)[None, :]
        out[row : row + 256] = (block + threshold[rows, columns][..., None]) // 257
    return out


def _thresholds() -> NDArray[np.uint32]:
    """Return an ordered 64 x 64 matrix of 0 to 256 (Bayer, 'An optimum method for two-level rendition', 1973)."""
    matrix = np.array([[0]])
    for _ in range(6):
        matrix = np.block([[4 * matrix, 4 * matrix + 2], [4 * matrix + 3, 4 * matrix + 1]])
    return (matrix * 257 // matrix.size).astype(np.uint32)
