"""A chart's page as artwork, where it lies on a sheet, and where its patches are on the print."""

from __future__ import annotations

import datetime
from dataclasses import replace
from pathlib import Path

import numpy as np

from fidele.arrays import Floats
from fidele.artwork.picture import Artwork, SourceSlip
from fidele.chart.code import PageCode
from fidele.chart.definition import Chart
from fidele.chart.draw import draw_page
from fidele.chart.readiness import READINESS, draw_readiness, readiness_chart
from fidele.chart.visual import LAYOUT, VISUAL, VISUAL_SET, draw_visual_page
from fidele.icc.spaces import srgb
from fidele.language import tr
from fidele.route.condition import Card
from fidele.run.job import Job, Patches
from fidele.sheet.placing import Media, Placing, fitted


def chart_artwork(chart: Chart, page: int, label: str, code: PageCode | None = None) -> Artwork:
    """Return a chart's page as artwork in sRGB, 300 ppi, to be printed like any other picture."""
    drawn = draw_visual_page(label, code) if chart.name == VISUAL else draw_page(chart, page, label, 300, code)
    name = Path(tr("{title}, page {page}", title=chart.title, page=page + 1) if chart.pages > 1 else chart.title)
    return Artwork(name, drawn, None, srgb(), SourceSlip("stated", tr("sRGB, stated by the chart")), 300.0)


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


def visual_chart() -> Chart:
    """Return the visual page as a chart that has no patches to measure."""
    return Chart(VISUAL, tr("Visual page"), ("visual",), np.ones((1, 3)), ("visual",), LAYOUT, VISUAL_SET)


def chart_page(chart: Chart, page: int, card: Card | None, run: int, bare: bool = False, note: str = "") -> Artwork:
    """Return a chart's page as artwork in sRGB, 300 ppi, to be printed like any other picture.

    It says in small print and in its code which chart, page, condition, day and run it is.
    """
    if chart.name == READINESS and card is not None:
        return readiness_page(card, run)
    today = datetime.date.today()
    digits = card.digits if card is not None else "0000"
    code = PageCode(chart.digest, page, run, digits, f"{today:%y%m%d}", not bare)
    words = [note] if note else []
    if card is not None:
        words += [
            card.name,
            card.printer_name,
            tr("{media} on {substrate}", media=card.media, substrate=card.substrate),
        ]
        words += [f"{card.driver[k]}" for k in ("stand_in", "quality") if k in card.driver]
        if bare or card.owner == "driver":
            words.append(tr("nothing converts") if bare else tr("the driver converts"))
        else:
            intent = card.intent.words
            words.append(tr("{value}, black point", value=intent) if card.bpc else intent)
    words += [today.isoformat(), *([tr("run {run}", run=run)] if run else [])]
    label = " · ".join(words)
    return chart_artwork(chart, page, label, code)


def numbered(job: Job, run: int) -> Job:
    """Return a job with its run's number, which stands on what is printed."""
    job = replace(job, number=run)
    if job.chart is None:
        return job
    return job.showing(chart_page(job.chart, job.page, job.card, run, job.bare))


def readiness_page(card: Card, run: int) -> Artwork:
    """Return the page as artwork in sRGB, 300 ppi."""
    today = datetime.date.today()
    code = PageCode(readiness_chart().digest, 0, run, card.digits, f"{today:%y%m%d}", converts=False)
    label = f"{card.printer_name} · {today.isoformat()}" + (tr(" · run {run}", run=run) if run else "")
    drawn = draw_readiness(label, 300, code)
    return Artwork(
        Path(readiness_chart().title), drawn, None, srgb(), SourceSlip("stated", tr("sRGB, stated by the page")), 300.0
    )
