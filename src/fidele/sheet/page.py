"""From a placed picture to the page that a printer takes. Resampling happens once, at 16 bit, before the conversion."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from fidele.artwork.depth import sixteen
from fidele.artwork.picture import Artwork
from fidele.icc.profile import Profile
from fidele.icc.spaces import srgb
from fidele.icc.transform import Intent, convert
from fidele.sheet.placing import Media, Placing
from fidele.tiles import Progress
from fidele.tuning.conversion import Conversion, device_values


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
    how: Conversion,
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
    laid = sixteen(artwork.laid)
    pixels = resample(laid, width, height)
    if printer is not None:
        pixels = device_values(pixels, artwork.profile, printer, how, progress)
    elif artwork.profile.content_id != srgb().content_id:
        # A change between source spaces, not a conversion for the printer: what converts later expects sRGB.
        pixels = convert(pixels, artwork.profile, srgb(), Intent.RELATIVE, True, progress)
    left, top = max(0, x0), max(0, y0)
    right, bottom = min(sheet.shape[1], x0 + width), min(sheet.shape[0], y0 + height)
    if right > left and bottom > top:
        sheet[top:bottom, left:right] = pixels[top - y0 : bottom - y0, left - x0 : right - x0]
    return np.ascontiguousarray(sheet[:, ::-1]) if mirror else sheet
