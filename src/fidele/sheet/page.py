"""From placed pictures to the page that a printer takes. Resampling happens once, at 16 bit, before the conversion.

A page is made band by band, so that a roll of metres needs no more memory than a sheet.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from fidele.artwork.picture import Artwork
from fidele.icc.profile import Profile
from fidele.icc.spaces import srgb
from fidele.icc.transform import Intent, convert
from fidele.sheet.placing import Media, Placing
from fidele.sheet.resample import resampled_rows
from fidele.tiles import CancelledError, Progress
from fidele.tuning.conversion import Conversion, device_values

#: A band of a page holds about so many pixels.
_BAND = 4 << 20


@dataclass(frozen=True, eq=False)
class Laid:
    """A picture on the sheet: where, as it will look on the piece; turned by so many quarters, counter-clockwise.

    `printer` None leaves the numbers as they are, in sRGB.
    """

    artwork: Artwork
    placing: Placing
    printer: Profile | None
    how: Conversion
    quarters: int = 0


def box_of(placing: Placing, ppi: float) -> tuple[int, int, int, int]:
    """Return left, top, width and height of a placing in whole pixels of a printer."""
    scale = ppi / 25.4
    width, height = max(1, round(placing.width * scale)), max(1, round(placing.height * scale))
    return round(placing.x * scale), round(placing.y * scale), width, height


def render_bands(
    laid: Sequence[Laid], media: Media, ppi: int, mirror: bool, progress: Progress | None = None
) -> Iterator[tuple[int, NDArray[np.uint16]]]:
    """Yield first row and pixels (rows, width, 3) uint16 of each band of a sheet, as it will lie on the paper.

    Bare paper is 65535. What reaches beyond the sheet is cut; of two pictures that overlap the later one is on top.

    Raises
    ------
    CancelledError
        When `progress` returned False.
    """
    scale = ppi / 25.4
    wide, high = round(media.width * scale), round(media.height * scale)
    rows = max(16, _BAND // max(1, wide))
    for first in range(0, high, rows):
        last = min(high, first + rows)
        band = np.full((last - first, wide, 3), 65535, np.uint16)
        for one in laid:
            _lay(band, one, first, ppi)
        if progress is not None and not progress(last / high):
            raise CancelledError
        yield first, np.ascontiguousarray(band[:, ::-1]) if mirror else band


def _lay(band: NDArray[np.uint16], one: Laid, first: int, ppi: int) -> None:
    """Lay the part of a picture that falls into a band, whose first row is `first` of the sheet."""
    x0, y0, width, height = box_of(one.placing, ppi)
    top, bottom = max(y0, first), min(y0 + height, first + len(band))
    left, right = max(0, x0), min(band.shape[1], x0 + width)
    if bottom <= top or right <= left:
        return
    source = np.rot90(one.artwork.laid, one.quarters) if one.quarters % 4 else one.artwork.laid
    pixels = resampled_rows(source, width, height, top - y0, bottom - y0)[:, left - x0 : right - x0]
    profile = one.artwork.profile
    if one.printer is not None:
        pixels = device_values(np.ascontiguousarray(pixels), profile, one.printer, one.how)
    elif profile.content_id != srgb().content_id:
        # A change between source spaces, not a conversion for the printer: what converts later expects sRGB.
        pixels = convert(np.ascontiguousarray(pixels), profile, srgb(), Intent.RELATIVE, True)
    band[top - first : bottom - first, left:right] = pixels


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
    """Return a sheet with one picture as RGB (h, w, 3) uint16 at the printer's resolution, as it will lie on the paper.

    Raises
    ------
    CancelledError
        When `progress` returned False.
    """
    bands = render_bands([Laid(artwork, placing, printer, how)], media, ppi, mirror, progress)
    return np.concatenate([band for _, band in bands])
