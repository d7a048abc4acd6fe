"""One run from page to verdict: print, press, scan, read, check. Plain functions of what they need."""

from __future__ import annotations

import datetime
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from fidele.artwork.convert import record_of
from fidele.artwork.depth import to_eight
from fidele.artwork.open import open_artwork
from fidele.artwork.picture import Artwork, SourceSlip
from fidele.artwork.replace import replaced
from fidele.artwork.save import save_picture
from fidele.chart.code import PageCode
from fidele.chart.definition import Chart
from fidele.chart.draw import draw_page
from fidele.chart.visual import VISUAL, draw_visual_page
from fidele.icc.profile import Profile
from fidele.icc.spaces import srgb
from fidele.output.device import PrintDevice
from fidele.output.program import Program
from fidele.route.condition import Card
from fidele.route.layers import fingerprint
from fidele.route.probe import ProbeResult, lattice_page, read_lattice
from fidele.route.program import ProgramProbe, compare_probes
from fidele.session.job import Job, Lying, Patches
from fidele.session.signs import signs_of
from fidele.sheet.page import Laid, render_bands
from fidele.sheet.placing import INCH, Media, Placing, fitted
from fidele.tiles import Progress
from fidele.tuning.conversion import Conversion

Floats = NDArray[np.float64]


def chart_artwork(chart: Chart, page: int, label: str, code: PageCode | None = None) -> Artwork:
    """Return a chart's page as artwork in sRGB, 300 ppi, to be printed like any other picture."""
    drawn = draw_visual_page(label, code) if chart.name == VISUAL else draw_page(chart, page, label, 300, code)
    name = Path(f"{chart.title}{f', page {page + 1}' if chart.pages > 1 else ''}")
    return Artwork(name, drawn, None, srgb(), SourceSlip("stated", "sRGB, stated by the chart"), 300.0)


def chart_placing(chart: Chart, media: Media) -> Placing:
    """Place a chart's page at its own size, or smaller where this sheet's margins would cut into its marks."""
    width, height = chart.layout.page
    placing = Placing.centred(media, width, height)
    x0, y0, x1, y1 = chart.layout.frame
    marks = Placing(placing.x + x0, placing.y + y0, x1 - x0, y1 - y0)
    cut = marks.crosses(media, mirrored=False) or marks.crosses(media, mirrored=True)
    return fitted(media, width, height) if cut else placing


def on_piece(places: Floats, chart: Chart, placing: Placing) -> Floats:
    """Return places (n, 2) of a chart's page, in mm, on the piece that the page was placed on."""
    return places * (placing.width / chart.layout.page[0]) + [placing.x, placing.y]


def on_patches(patches: Patches) -> Floats:
    """Return the middles (n, 2), in mm on the piece, of the patches that can be read on a print."""
    return on_piece(patches.chart.centres(patches.page), patches.chart, patches.placing)


def page_bands(
    job: Job, device: PrintDevice, progress: Progress | None = None
) -> tuple[tuple[int, int], Iterator[tuple[int, NDArray[Any]]]]:
    """Return width and height, in pixels, of the page that goes to the printer, and its bands (first row, pixels).

    Sized, converted where Fidele does it, mirrored, with its signs, in the printer's depth.
    """
    card = job.card
    media = media_of(job, device)
    drawn: dict[tuple[object, ...], Artwork] = {}
    laid = [_laid(one, card, job.bare, device.ppi, drawn) for one in job.lying]
    strip = job.patches if job.chart is None else None
    if strip is not None:
        code = PageCode(strip.chart.digest, 0, job.number, card.digits, f"{datetime.date.today():%y%m%d}")
        artwork = chart_artwork(strip.chart, 0, f"run {job.number} · {card.name}", code)
        printer = job.profile if card.owner == "fidele" else None
        laid.append(Laid(artwork, strip.placing, printer, Conversion(card.intent, card.bpc)))
    scale = device.ppi / INCH
    size = (round(media.width * scale), round(media.height * scale))
    bands = render_bands(laid, media, device.ppi, card.mirror_by == "fidele", progress, signs_of(job, media))
    eight = device.bits == 8
    return size, ((first, to_eight(band, first) if eight else band) for first, band in bands)


def media_of(job: Job, device: PrintDevice) -> Media:
    """Return what a job is printed on."""
    return job.media or device.media(job.card.size, job.card.feed)


def prepare_page(job: Job, device: PrintDevice, progress: Progress | None = None) -> NDArray[Any]:
    """Return the page that goes to the printer, whole."""
    _, bands = page_bands(job, device, progress)
    return np.concatenate([band for _, band in bands])


def _laid(one: Lying, card: Card, bare: bool, ppi: float, drawn: dict[tuple[object, ...], Artwork]) -> Laid:
    """Return a piece as it is laid on the page; `drawn` are drawings that were drawn for it already, for copies."""
    converts = card.owner == "fidele" and one.profile is not None and not bare
    artwork = one.artwork
    if artwork.drawing:
        key = (artwork.path, artwork.page, one.placing.width, one.behind, one.replacements)
        if key not in drawn:
            drawn[key] = _drawn_again(one, ppi)
        artwork = drawn[key]
    return Laid(artwork, one.placing, one.profile if converts else None, one.how, one.behind, one.shape)


def _drawn_again(one: Lying, ppi: float) -> Artwork:
    """Return a drawing at the resolution at which it is printed, as it was worked on."""
    artwork = one.artwork
    printed = one.behind[2] if one.behind is not None else one.placing.width
    needed = ppi * printed / artwork.own_mm[0]
    again = open_artwork(artwork.path, page=max(0, artwork.page), ppi=min(needed, 4 * ppi))
    worked = replaced(again.pixels, one.replacements)
    return replace(again, pixels=worked, profile=artwork.profile, slip=artwork.slip)


def probe(device: PrintDevice, media: Media, now: datetime.datetime) -> ProbeResult:
    """Send the lattice down the route as it is set, without ink, as if on a page of this media."""
    out = device.dry_run(lattice_page(), (media.width, media.height))
    return read_lattice(out, fingerprint(device.state()), now)


def probe_through(
    program: Program, device: PrintDevice, media: Media, folder: Path, says: Profile | None, direct: ProbeResult
) -> tuple[ProbeResult, ProgramProbe]:
    """Let another program send the lattice, on a page of this media, in a file in `folder` that says `says` of itself.

    Returns what came out before ink, and what the program did: how that differs from `direct`, the probe without it.
    """
    # Half the printer's resolution: cells become twice as large, and the page is sent in a quarter of the time.
    lattice, ppi = lattice_page(), device.ppi / 2
    shape = (round(media.height / 25.4 * ppi), round(media.width / 25.4 * ppi), 3)
    page = np.full(shape, 255, np.uint8)
    y, x = (shape[0] - lattice.shape[0]) // 2, (shape[1] - lattice.shape[1]) // 2
    page[y : y + lattice.shape[0], x : x + lattice.shape[1]] = lattice
    file = folder / "probe.png"
    save_picture(file, page, says, ppi)
    came = read_lattice(program.dry_run(file, device, media), direct.settings, direct.when)
    through = replace(came, scale=came.scale * ppi / device.ppi)
    return through, compare_probes(through, direct)


def finished_file(job: Job, device: PrintDevice, path: Path, progress: Progress | None = None) -> None:
    """Write the page of a job as a finished file for another program: whole sheet, 8 bit, at true size.

    It says of its colours what the card wants it to: mostly nothing, so that nobody converts it a second time.

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
    save_picture(path, eight, srgb() if card.file_says == "sRGB" else None, device.ppi, record=record)


def probe_correction(device: PrintDevice, now: datetime.datetime) -> ProbeResult:
    """Ask the driver what its own correction would make of the lattice, whatever it is set to."""
    return read_lattice(device.dry_run_corrected(lattice_page()), (), now)
