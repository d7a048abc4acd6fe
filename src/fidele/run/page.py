"""The page of a job as it goes to the printer, band by band; and as a finished file for another program."""

from __future__ import annotations

import datetime
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import numpy as np

from fidele.arrays import Codes
from fidele.artwork.convert import record_of
from fidele.artwork.depth import to_eight
from fidele.artwork.open import open_artwork
from fidele.artwork.picture import Artwork
from fidele.artwork.replace import worked
from fidele.artwork.save import save_picture
from fidele.chart.code import PageCode
from fidele.devices.protocol import Printer
from fidele.icc.profile import Profile
from fidele.icc.spaces import SENDS, srgb
from fidele.language import tr
from fidele.route.condition import Card
from fidele.run.chart_page import chart_artwork
from fidele.run.job import Job, Lying
from fidele.run.signs import signs_of
from fidele.sheet.page import Laid, render_bands
from fidele.sheet.placing import INCH, Media
from fidele.tiles import Progress
from fidele.tuning.conversion import Conversion
from fidele.tuning.tuner import Tuner


def page_bands(
    job: Job, device: Printer, progress: Progress | None = None
) -> tuple[tuple[int, int], Iterator[tuple[int, Codes]]]:
    """Return width and height, in pixels, of the page that goes to the printer, and its bands (first row, pixels).

    Sized, converted where Fidele does it, mirrored, with its signs, in the printer's depth.
    """
    card = job.card
    media = media_of(job, device)
    drawn: dict[tuple[object, ...], Artwork] = {}
    ppi = device.format.page_ppi(card.page_ppi)
    laid = [_laid(one, card, job.bare, ppi, drawn) for one in job.lying]
    strip = job.patches if job.chart is None and not job.bare else None
    if strip is not None:
        code = PageCode(strip.chart.digest, 0, job.number, card.digits, f"{datetime.date.today():%y%m%d}")
        artwork = chart_artwork(strip.chart, 0, tr("run {number} · {name}", number=job.number, name=card.name), code)
        printer = job.profile if card.owner == "fidele" else None
        laid.append(Laid(artwork, strip.placing, printer, Conversion(card.intent, card.bpc)))
    scale = ppi / INCH
    size = (round(media.width * scale), round(media.height * scale))
    bands = render_bands(laid, media, ppi, card.mirror_by == "fidele", progress, signs_of(job, media))
    eight = device.format.bits == 8
    return size, ((first, to_eight(band, first) if eight else band) for first, band in bands)


def media_of(job: Job, device: Printer) -> Media:
    """Return what a job is printed on."""
    return job.media or device.media(job.card.size, job.card.feed)


def prepare_page(job: Job, device: Printer, progress: Progress | None = None) -> Codes:
    """Return the page that goes to the printer, whole."""
    _, bands = page_bands(job, device, progress)
    return np.concatenate([band for _, band in bands])


def _laid(one: Lying, card: Card, bare: bool, ppi: float, drawn: dict[tuple[object, ...], Artwork]) -> Laid:
    """Return a piece as it is laid on the page; `drawn` are drawings that were drawn for it already, for copies."""
    converts = card.owner == "fidele" and one.profile is not None and not bare
    artwork = one.artwork
    if artwork.drawing:
        key = (artwork.path, artwork.page, one.placing.width, one.behind, one.replacements, one.mirrored)
        if key not in drawn:
            drawn[key] = _drawn_again(one, ppi)
        artwork = drawn[key]
    if converts:
        return Laid(artwork, one.placing, one.profile, one.how, one.behind, one.shape)
    if bare:  # sent in the very space that it is said to be in: its numbers stay
        return Laid(artwork, one.placing, None, one.how, one.behind, one.shape, artwork.profile)
    tuner = None
    if card.bake and one.profile is not None and one.tuning is not None and one.tuning.moves:
        tuner = Tuner(one.tuning, artwork.profile, one.profile, card.intent, card.bpc)
    sends, bent = SENDS[card.sends](), card.balance if card.owner == "driver" else None
    return Laid(artwork, one.placing, None, one.how, one.behind, one.shape, sends, tuner, bent)


def _drawn_again(one: Lying, ppi: float) -> Artwork:
    """Return a drawing at the resolution at which it is printed, as it was worked on."""
    artwork = one.artwork
    printed = one.behind[2] if one.behind is not None else one.placing.width
    needed = ppi * printed / artwork.own_mm[0]
    again = open_artwork(artwork.path, page=max(0, artwork.page), ppi=min(needed, 4 * ppi))
    again = worked(again, one.replacements, one.mirrored)
    return replace(again, profile=artwork.profile, slip=artwork.slip)


def says_of(card: Card) -> Profile | None:
    """Return the space that a finished file says it is in, None where it is to say nothing."""
    if card.owner == "program":
        return SENDS[card.sends]()
    return srgb() if card.file_says == "sRGB" else None


def finished_file(job: Job, device: Printer, path: Path, progress: Progress | None = None) -> None:
    """Write the page of a job as a finished file for another program: whole sheet, 8 bit, at true size.

    It says of its colours what the card wants it to: mostly nothing, so that nobody converts it a second time. Where
    that program is to convert, it says what its numbers mean.

    Raises
    ------
    FideleError
        When the ending is neither .png nor .tif, or the file cannot be written.
    """
    page = prepare_page(job, device, progress)
    eight = page if page.dtype == np.uint8 else to_eight(page)
    card, record = job.card, None
    if card.owner == "fidele" and job.profile is not None:
        mirrored = card.mirror_by == "fidele"
        record = record_of(job.artwork, job.profile, job.how, eight, mirrored, card.name)
    save_picture(path, eight, says_of(card), device.format.page_ppi(card.page_ppi), record=record)
