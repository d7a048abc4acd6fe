"""Charts in the session: made to order, kept so that their scans are known again, laid on the sheet page by page."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from fidele.artwork.picture import Artwork
from fidele.chart.cgats import read as read_table
from fidele.chart.cgats import write as write_table
from fidele.chart.definition import Chart, from_table, to_table
from fidele.chart.family import KINDS, made
from fidele.chart.layout import PAGES
from fidele.chart.readiness import READINESS, readiness_chart
from fidele.chart.strip import STRIP, strip_chart
from fidele.chart.visual import VISUAL
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.files import stamp_of
from fidele.icc.spaces import srgb
from fidele.icc.transform import Intent, from_lab, to_lab
from fidele.language import tr
from fidele.run.chart_page import chart_page, visual_chart
from fidele.session.customers import Customers
from fidele.session.live import Live
from fidele.session.pieces import Pieces
from fidele.tiles import Progress

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

    def __init__(self, live: Live, customers: Customers, pieces: Pieces, folder: Path) -> None:
        self._live, self._customers, self._pieces, self._folder = live, customers, pieces, folder
        #: Definitions that were read, by their files, with size and time of these.
        self._read: dict[Path, tuple[tuple[int, int], Chart | None]] = {}

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
        if order.kind == VISUAL:
            return visual_chart()
        own: tuple[tuple[str, NDArray[np.float64]], ...] = ()
        if order.customers:
            own = tuple(
                (c.name, np.clip(from_lab(np.asarray(c.Lab, np.float32)[None], srgb(), Intent.RELATIVE)[0], 0, 1))
                for c in self._customers.colours
            )
            if not own:
                raise FideleError(tr("There are no customer colours yet; list some on the colours desk."))
        predicts = None
        profile = self._live.state.profile
        if order.even and profile is not None and profile.channels == 3:
            even_by = profile

            def predicts(rgb: NDArray[np.float64]) -> NDArray[np.float64]:
                return to_lab(rgb.astype(np.float32), even_by, Intent.RELATIVE).astype(float)

        usual = order.scrambled == KINDS[order.kind].scrambled
        return made(order.kind, order.page, order.patch, None if usual else order.scrambled, own, predicts)

    def drawing(self, chart: Chart, page: int = 0, bare: bool = False) -> Callable[[Progress], Artwork]:
        """Return what draws a page of a chart beside the interface, as the condition in force prints it."""
        card = self._live.state.need_card()
        return lambda _: chart_page(chart, page, card, 0, bare)

    def take(self, chart: Chart, page: int = 0, bare: bool = False, drawn: Artwork | None = None) -> None:
        """Lay a page of a chart on the sheet as the artwork: through the condition, or with nothing converting.

        `drawn` is that page where it was drawn already.
        """
        card = self._live.state.need_card()
        self.keep(chart)
        self._pieces.adopt(drawn or chart_page(chart, page, card, 0, bare), chart, bare, page)
        of = tr(", page {page} of {pages}", page=page + 1, pages=chart.pages) if chart.pages > 1 else ""
        how = tr("with nothing converting") if bare else tr("through the condition")
        self._live.say(
            tr("{title}{of}: {n} patches, to be printed {how}.", title=chart.title, of=of, n=len(chart.ids), how=how)
        )

    def keep(self, chart: Chart) -> None:
        """Keep a chart's definition, so that a scan of it is known again."""
        path = self._folder / f"{chart.digest}.txt"
        if chart.name not in (VISUAL, READINESS, STRIP) and not path.exists():
            write_table(path, to_table(chart))

    def known(self) -> list[Chart]:
        """Return the charts whose scans are known: the family as it is, and those that were made here, newest first.

        Reads nothing but its folder: it can be asked beside the interface.
        """
        family = ("control", "quick", "families", "target", "ramps", "balance", "neutral")
        found = {c.digest: c for c in map(made, family)}
        found[strip_chart().digest] = strip_chart()
        found[readiness_chart().digest] = readiness_chart()
        files = sorted(self._folder.glob("*.txt"), key=lambda p: -p.stat().st_mtime) if self._folder.is_dir() else []
        for path in files[:_KNOWN]:
            chart = self._definition(path)
            if chart is not None:
                found.setdefault(chart.digest, chart)
        return list(found.values())

    def _definition(self, path: Path) -> Chart | None:
        """Return the chart of a file, read again where that has changed; None where it is none."""
        stamp = stamp_of(path)
        if self._read.get(path, (None, None))[0] != stamp:
            try:
                self._read[path] = stamp, from_table(read_table(path), str(path))
            except FideleError:
                self._read[path] = stamp, None
        return self._read[path][1]

    def export(self, chart: Chart, path: Path) -> None:
        """Write a chart's definition as CGATS, with the L*a*b* that the condition in force predicts."""
        reference = chart.reference
        card, profile = self._live.state.card, self._live.state.profile
        if reference is None and profile is not None and card is not None:
            from fidele.check.suspects import suspicions

            reference = suspicions(chart.rgb, profile, card.intent, card.bpc).Lab["right"]
        write_table(path, to_table(replace(chart, reference=reference)))

    def bring(self, path: Path, across: int = 0) -> Chart:
        """Read somebody's definition: ours, or any CGATS or CxF3 reference with RGB values.

        Raises
        ------
        FideleError
            When it cannot be read or holds nothing to print.
        """
        from fidele.chart.measured_file import kind_of, read_any
        from fidele.chart.measurement import to_table as as_table

        if kind_of(path) == "CxF":
            return from_table(as_table(read_any(path)), str(path), across)
        return from_table(read_table(path), str(path), across)
