"""From placed pictures to the page that a printer takes. Resampling happens once, at 16 bit, before the conversion.

A page is made band by band, so that a roll of metres needs no more memory than a sheet.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import field

import numpy as np
from numpy.typing import NDArray

from fidele.artwork.picture import Artwork
from fidele.dataclass import dataclass
from fidele.icc.profile import Profile
from fidele.icc.spaces import srgb
from fidele.sheet.arc import arc_of
from fidele.sheet.placing import INCH, Media, Placing
from fidele.sheet.resample import resampled_rows
from fidele.sheet.shapes import Shape, inside
from fidele.sheet.turned import turned_rows
from fidele.tiles import CancelledError, Progress, in_tiles
from fidele.tuning.balance import Balance
from fidele.tuning.conversion import Conversion, device_values, sent_values
from fidele.tuning.tuner import Tuner

#: A band of a page holds about so many pixels, and so many are bent by a balance at a time.
_BAND, _TILE = 4 << 20, 1 << 16

#: A rectangle on a piece before it is turned: left, top, width, height in mm from the upper left of its placing.
Behind = tuple[float, float, float, float]

#: Something drawn on a finished band: the band, its first row, and pixels per mm.
Sign = Callable[[NDArray[np.uint16], int, float], None]


@dataclass(frozen=True, eq=False)
class Laid:
    """A picture on the sheet: where, as it will look on the piece.

    Attributes
    ----------
    printer
        None leaves the conversion to another one.
    sends, tuner
        The space in which another one is sent the picture, and the tuning that is worked into its numbers.
    behind
        Where the whole picture lies behind its placing, of which then only a part is seen: a panel, or a picture that
        is larger than the blank it goes on. None where the picture is its placing.
    shape
        Outline within the placing; outside it nothing is printed.
    """

    artwork: Artwork
    placing: Placing
    printer: Profile | None
    how: Conversion
    behind: Behind | None = None
    shape: Shape = "rectangle"
    sends: Profile = field(default_factory=srgb)
    tuner: Tuner | None = None
    #: Curves that bend what another one is sent, None for none.
    balance: Balance | None = None


def box_of(placing: Placing, ppi: float) -> tuple[int, int, int, int]:
    """Return left, top, width and height of what a placing covers, in whole pixels of a printer."""
    x0, y0, x1, y1 = placing.bounds
    return _box((x0, y0, x1 - x0, y1 - y0), ppi / INCH)


def _box(rectangle: Behind, scale: float) -> tuple[int, int, int, int]:
    x, y, width, height = rectangle
    return round(x * scale), round(y * scale), max(1, round(width * scale)), max(1, round(height * scale))


def render_bands(
    laid: Sequence[Laid],
    media: Media,
    ppi: int,
    mirror: bool,
    progress: Progress | None = None,
    signs: Sequence[Sign] = (),
) -> Iterator[tuple[int, NDArray[np.uint16]]]:
    """Yield first row and pixels (rows, width, 3) uint16 of each band of a sheet, as it will lie on the paper.

    Bare paper is 65535. What reaches beyond the sheet is cut; of two pictures that overlap the later one is on top,
    and `signs` on top of all.

    Raises
    ------
    CancelledError
        When `progress` returned False.
    """
    scale = ppi / INCH
    wide, high = round(media.width * scale), round(media.height * scale)
    rows = max(16, _BAND // max(1, wide))
    for first in range(0, high, rows):
        last = min(high, first + rows)
        band = np.full((last - first, wide, 3), 65535, np.uint16)
        for one in laid:
            _lay(band, one, first, scale)
        for sign in signs:
            sign(band, first, scale)
        if progress is not None and not progress(last / high):
            raise CancelledError
        yield first, np.ascontiguousarray(band[:, ::-1]) if mirror else band


def _lay(band: NDArray[np.uint16], one: Laid, first: int, scale: float) -> None:
    """Lay the part of a picture that falls into a band, whose first row is `first` of the sheet."""
    x0, y0, width, height = box_of(one.placing, scale * INCH)
    top, bottom = max(y0, first), min(y0 + height, first + len(band))
    left, right = max(0, x0), min(band.shape[1], x0 + width)
    if bottom <= top or right <= left:
        return
    arc = arc_of(one.shape)
    if one.placing.quarters is None or arc is not None:
        pixels, cover = turned_rows(one.artwork.laid, one.placing, one.behind, scale, (left, top, right, bottom), arc)
        if one.shape != "rectangle" and arc is None:
            cover = cover * inside(one.shape, one.placing, scale, (left, top, right, bottom))
        done = _converted(pixels, one)
        paper = np.float32(65535)
        mixed = paper + (done.astype(np.float32) - paper) * cover[..., None]
        target = band[top - first : bottom - first, left:right]
        seen = cover[..., None] > 0
        np.copyto(target, np.rint(mixed).astype(np.uint16), where=seen)
        return
    source = np.rot90(one.artwork.laid, one.placing.quarters) if one.placing.quarters else one.artwork.laid
    px, py, wide, high = (x0, y0, width, height) if one.behind is None else _behind(one, scale)
    top, bottom = max(top, py), min(bottom, py + high)
    left, right = max(left, px), min(right, px + wide)
    if bottom <= top or right <= left:
        return
    pixels = resampled_rows(source, wide, high, top - py, bottom - py)[:, left - px : right - px]
    done = _converted(pixels, one)
    target = band[top - first : bottom - first, left:right]
    if one.shape == "rectangle":
        target[:] = done
    else:
        mask = inside(one.shape, one.placing, scale, (left, top, right, bottom))
        np.copyto(target, done, where=mask[..., None])


def _behind(one: Laid, scale: float) -> tuple[int, int, int, int]:
    """Return left, top, width and height, in whole pixels of the sheet, of the picture behind a placing.

    Its left and top follow the placing's own, so that a panel is the whole picture moved by whole pixels.
    """
    assert one.behind is not None
    x, y, wide, high = one.behind
    w, h = one.placing.width, one.placing.height
    for _ in range(one.placing.quarters or 0):  # counter-clockwise, (u, v) goes to (v, w - u)
        x, y, wide, high = y, w - x - wide, high, wide
        w, h = h, w
    left, top, _, _ = box_of(one.placing, scale * INCH)
    dx, dy, width, height = _box((x, y, wide, high), scale)
    return left + dx, top + dy, width, height


def _converted(pixels: NDArray[np.uint16], one: Laid) -> NDArray[np.uint16]:
    profile = one.artwork.profile
    if one.printer is not None:
        return device_values(np.ascontiguousarray(pixels), profile, one.printer, one.how)
    sent = sent_values(np.ascontiguousarray(pixels), profile, one.sends, one.tuner)
    balance = one.balance
    if balance is None:
        return sent
    flat = sent.reshape(-1, 3)
    bent = np.empty_like(flat)

    def work(some: slice) -> None:
        bent[some] = np.rint(balance(flat[some] / 65535.0) * 65535)

    in_tiles(work, len(flat), _TILE)
    return bent.reshape(sent.shape)
