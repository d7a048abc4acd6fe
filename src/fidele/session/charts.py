"""Charts in the session: made to order, kept so that their scans are known again, laid on the sheet page by page."""

from __future__ import annotations

import datetime
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from fidele.artwork.picture import Artwork, SourceSlip
from fidele.chart.cgats import read as read_table
from fidele.chart.cgats import write as write_table
from fidele.chart.code import PageCode
from fidele.chart.definition import Chart, from_table, to_table
from fidele.chart.family import KINDS, made
from fidele.chart.layout import PAGES
from fidele.chart.readiness import READINESS, draw_readiness, readiness_chart
from fidele.chart.strip import STRIP, strip_chart
from fidele.chart.visual import LAYOUT, VISUAL, VISUAL_SET
from fidele.errors import FideleError
from fidele.icc.spaces import srgb
from fidele.icc.transform import Intent, from_lab, to_lab
from fidele.route.condition import Card
from fidele.session.job import Job
from fidele.session.runs import chart_artwork

if TYPE_CHECKING:
    from fidele.session.model import Session

_VISUAL_TITLE = "Visual page"
#: So many charts that were made are known again.
_KNOWN = 60


@dataclass(frozen=True)
class ChartOrder:
    """What a chart is to be: kind, page, width of a patch in mm (0: what suits it), order, and added colours.

    `even` spreads a characterisation evenly in L*a*b* by the profile of the condition in force; `customers` adds the
    customer colours in hand; `bare` prints it with nothing converting.
    """

    kind: str = "control"
    page: str = ""
    patch: float = 0.0
    scrambled: bool = True
    even: bool = True
    customers: bool = False
    bare: bool = False


class Charts:
    """Makes charts for a session and knows those that were made."""

    def __init__(self, session: Session) -> None:
        self._session = session
        self._folder = session.places.data / "charts"

    @staticmethod
    def pages() -> tuple[str, ...]:
        """Return the names of sheets and blanks that charts can be laid out for."""
        return tuple(PAGES)

    def made(self, order: ChartOrder) -> Chart:
        """Return the chart that an order comes to.

        Raises
        ------
        FideleError
            When its patches are too large for the page.
        """
        session = self._session
        if order.kind == VISUAL:
            return visual_chart()
        own: tuple[tuple[str, NDArray[np.float64]], ...] = ()
        if order.customers:
            own = tuple(
                (c.name, np.clip(from_lab(np.asarray(c.Lab, np.float32)[None], srgb(), Intent.RELATIVE)[0], 0, 1))
                for c in session.customers.colours
            )
            if not own:
                raise FideleError("There are no customer colours yet; list some on the colours desk.")
        predicts = None
        profile = session.profile
        if order.even and profile is not None and profile.channels == 3:
            even_by = profile

            def predicts(rgb: NDArray[np.float64]) -> NDArray[np.float64]:
                return to_lab(rgb.astype(np.float32), even_by, Intent.RELATIVE).astype(float)

        usual = order.scrambled == KINDS[order.kind].scrambled
        return made(order.kind, order.page, order.patch, None if usual else order.scrambled, own, predicts)

    def take(self, chart: Chart, page: int = 0, bare: bool = False) -> None:
        """Lay a page of a chart on the sheet as the artwork: through the condition, or with nothing converting."""
        session = self._session
        card = session.need_card()
        self.keep(chart)
        session.pieces.adopt(chart_page(chart, page, card, 0, bare), chart, bare, page)
        of = f", page {page + 1} of {chart.pages}" if chart.pages > 1 else ""
        how = "with nothing converting" if bare else "through the condition"
        session.say(f"{chart.title}{of}: {len(chart.ids)} patches, to be printed {how}.")

    def keep(self, chart: Chart) -> None:
        """Keep a chart's definition, so that a scan of it is known again."""
        path = self._folder / f"{chart.digest}.txt"
        if chart.name not in (VISUAL, READINESS, STRIP) and not path.exists():
            write_table(path, to_table(chart))

    def known(self) -> list[Chart]:
        """Return the charts whose scans are known: the family as it is, and those that were made here, newest first."""
        found = {c.digest: c for c in (made(name) for name in ("control", "quick", "target", "ramps", "balance"))}
        found[strip_chart().digest] = strip_chart()
        found[readiness_chart().digest] = readiness_chart()
        files = sorted(self._folder.glob("*.txt"), key=lambda p: -p.stat().st_mtime) if self._folder.is_dir() else []
        for path in files[:_KNOWN]:
            try:
                chart = from_table(read_table(path), str(path))
            except FideleError:
                continue
            found.setdefault(chart.digest, chart)
        return list(found.values())

    def export(self, chart: Chart, path: Path) -> None:
        """Write a chart's definition as CGATS, with the L*a*b* that the condition in force predicts."""
        session = self._session
        reference = chart.reference
        if reference is None and session.profile is not None and session.card is not None:
            from fidele.check.suspects import suspicions

            card = session.card
            reference = suspicions(chart.rgb, session.profile, card.intent, card.bpc).Lab["right"]
        write_table(path, to_table(replace(chart, reference=reference)))

    def bring(self, path: Path, across: int = 0) -> Chart:
        """Read somebody's definition: ours, or any CGATS or CxF3 reference with RGB values.

        Raises
        ------
        FideleError
            When it cannot be read or holds nothing to print.
        """
        from fidele.chart.measurement import read_any
        from fidele.chart.measurement import to_table as as_table

        if path.suffix.lower() in (".cxf", ".xml"):
            return from_table(as_table(read_any(path)), str(path), across)
        return from_table(read_table(path), str(path), across)


def visual_chart() -> Chart:
    """Return the visual page as a chart that has no patches to measure."""
    return Chart(VISUAL, _VISUAL_TITLE, ("visual",), np.ones((1, 3)), ("visual",), LAYOUT, VISUAL_SET)


def chart_page(chart: Chart, page: int, card: Card | None, run: int, bare: bool = False, note: str = "") -> Artwork:
    """Return a chart's page as artwork in sRGB, 300 ppi, to be printed like any other picture.

    It says in small print and in its code which chart, page, condition, day and run it is.
    """
    if chart.name == READINESS and card is not None:
        return readiness_page(card, run)
    today = datetime.date.today()
    code = PageCode(chart.digest, page, run, fingerprint(card), today.strftime("%y%m%d"), not bare)
    words = [note] if note else []
    if card is not None:
        words += [card.name, card.printer_name, f"{card.media} on {card.substrate}"]
        words += [f"{card.driver[k]}" for k in ("stand_in", "quality") if k in card.driver]
        words.append("nothing converts" if bare else f"{card.intent.value}{', black point' if card.bpc else ''}")
    words += [today.isoformat(), *([f"run {run}"] if run else [])]
    label = " · ".join(words)
    return chart_artwork(chart, page, label, code)


def fingerprint(card: Card | None) -> str:
    """Return four hexadecimal digits of what a card sets: printer, media, driver settings, profile, press."""
    return card.digits if card is not None else "0000"


def numbered(job: Job, run: int) -> Job:
    """Return a job with its run's number, which stands on what is printed."""
    job = replace(job, number=run)
    if job.chart is None:
        return job
    return job.with_first(artwork=chart_page(job.chart, job.page, job.card, run, job.bare))


def readiness_page(card: Card, run: int) -> Artwork:
    """Return the page as artwork in sRGB, 300 ppi."""
    today = datetime.date.today()
    code = PageCode(readiness_chart().digest, 0, run, card.digits, f"{today:%y%m%d}", converts=False)
    label = f"{card.printer_name} · {today.isoformat()}" + (f" · run {run}" if run else "")
    drawn = draw_readiness(label, 300, code)
    return Artwork(
        Path(readiness_chart().title), drawn, None, srgb(), SourceSlip("stated", "sRGB, stated by the page"), 300.0
    )
