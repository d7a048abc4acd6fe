"""Somebody else's target, printed bare: whether its file can be, and whether its numbers leave as they stand in it."""

from __future__ import annotations

import numpy as np

from fidele.artwork.picture import Artwork
from fidele.dataclass import dataclass
from fidele.devices.protocol import Printer
from fidele.errors import FideleError
from fidele.language import tr
from fidele.run.job import Job
from fidele.run.page import media_of, prepare_page
from fidele.sheet.page import box_of
from fidele.sheet.placing import INCH
from fidele.tiles import Progress

#: A value of 8 bit may come out so many steps off: of 16 bits half a step is lost.
_STEP = 1
#: A target whose flat areas are less than this share of it has no patches, or is drawn with a raster.
_FLAT = 0.2


def of_kind(name: str, kind: str, space: str) -> None:
    """Raise `FideleError` where a file's numbers are of another kind than a printer takes."""
    if kind != space:
        raise FideleError(
            tr(
                "{name} is {kind}, and this printer's driver takes {space}: ask for a target of {space} numbers.",
                name=name,
                kind=kind,
                space=space,
            )
        )


def target_cautions(artwork: Artwork, space: str) -> list[str]:
    """Look whether a picture can be a target for a printer that takes `space`; return what is odd about it.

    Raises
    ------
    FideleError
        When it cannot: its numbers are of another kind, or were changed as it was opened.
    """
    name = artwork.path.name
    of_kind(name, artwork.profile.header.colour_space, space)
    if artwork.ppi is None:
        raise FideleError(
            tr("{name} states no size, so its patches cannot be printed at theirs: ask for one that does.", name=name)
        )
    if artwork.drawing and artwork.doubts:
        raise FideleError(
            tr(
                "{doubt} A target whose numbers are changed on the way is worth nothing: ask for a TIFF, or a PDF in "
                "plain RGB.",
                doubt=artwork.doubts[0],
            )
        )
    found = []
    if artwork.path.suffix.lower() in (".jpg", ".jpeg"):
        found.append(tr("{name} is a JPEG, which changes numbers a little: ask for a TIFF or PNG.", name=name))
    if artwork.alpha is not None:
        found.append(tr("{name} is transparent in places; they are printed as bare paper.", name=name))
    return found


@dataclass(frozen=True)
class Arrives:
    """How a target's numbers leave for the printer.

    Attributes
    ----------
    flat
        Share of its area that is flat colour, and was compared.
    worst
        The largest difference there, in steps of 8 bit.
    scale
        Printed size beside its own, 1 for true size.
    whole
        Whether all of it lies on what can be printed.
    """

    flat: float
    worst: float
    scale: float
    whole: bool

    @property
    def right(self) -> bool:
        """Whether it is fit to be printed."""
        return self.whole and self.worst <= _STEP and abs(self.scale - 1) < 0.005 and self.flat >= _FLAT

    @property
    def words(self) -> str:
        """What was found, in a sentence."""
        flat, scale = 100 * self.flat, 100 * self.scale
        if not self.whole:
            return tr("A part of the target does not lie on the sheet: take a larger one.")
        if abs(self.scale - 1) >= 0.005:
            return tr("It would be printed at {share:.1f} % of its size: set it to its own size.", share=scale)
        if self.flat < _FLAT:
            return tr(
                "Only {share:.0f} % of it is flat colour: these are no patches that could be measured.", share=flat
            )
        if self.worst > _STEP:
            return tr("Its numbers are changed on the way, by up to {steps:.0f} of 255.", steps=self.worst)
        return tr(
            "{share:.0f} % of it is flat colour, and all of that leaves for the printer with the file's own numbers, "
            "at true size.",
            share=flat,
        )


def arrives(job: Job, device: Printer, progress: Progress | None = None) -> Arrives:
    """Compare the page of a bare job with its first picture, wherever that is flat colour.

    Raises
    ------
    CancelledError
        When `progress` returned False.
    """
    import cv2

    artwork, placing, media = job.artwork, job.placing, media_of(job, device)
    page = prepare_page(job, device, progress)
    if job.card.mirror_by == "fidele":
        page = page[:, ::-1]
    x, y, wide, high = box_of(placing, device.format.page_ppi(job.card.page_ppi))
    whole = not placing.crosses(media, mirrored=job.card.mirror_by == "fidele")
    scale = placing.width / (artwork.width / (artwork.ppi or INCH) * INCH)
    part = page[max(0, y) : y + high, max(0, x) : x + wide]
    if part.shape[:2] != (high, wide) or placing.quarters is None:
        return Arrives(1.0, 0.0, scale, False)
    eight = np.ascontiguousarray(np.rot90(artwork.laid, placing.quarters)).astype(np.float32)
    eight *= 1.0 if artwork.laid.dtype == np.uint8 else 255 / 65535
    # What a printed pixel is made of: four of the file's where there are more of them than that, an area otherwise.
    reach = int(np.ceil(max(2.0, eight.shape[1] / wide, eight.shape[0] / high))) + 1
    kernel = np.ones((2 * reach + 1, 2 * reach + 1), np.uint8)
    flat = np.ones(eight.shape[:2], bool)
    for channel in np.moveaxis(eight, -1, 0):
        flat &= cv2.dilate(channel, kernel) - cv2.erode(channel, kernel) <= 0
    rows = ((np.arange(high) + 0.5) * eight.shape[0] / high).astype(int)
    columns = ((np.arange(wide) + 0.5) * eight.shape[1] / wide).astype(int)
    same = flat[np.ix_(rows, columns)]
    worst = 0.0
    for first in range(0, high, 256):  # a page in one go would take several times its memory
        some = slice(first, first + 256)
        sent = part[some].astype(np.float32) * (1.0 if part.dtype == np.uint8 else 255 / 65535)
        off = np.abs(sent - eight[np.ix_(rows[some], columns)]).max(axis=-1)
        worst = max(worst, float(off[same[some]].max(initial=0.0)))
    return Arrives(float(same.mean()), worst, scale, whole)
