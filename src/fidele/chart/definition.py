"""What a chart is: patches with ids and RGB values, and where each stands on which page; to CGATS and back."""

from __future__ import annotations

import hashlib

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Floats
from fidele.chart.cgats import Table, amounts_of, ink_columns, inks_of
from fidele.chart.ink_set import PROCESS
from fidele.chart.layout import Layout
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.language import tr

#: Sets of four corner marks; a chart's pages take them in turn.
MARK_SETS = 12
#: A layout may not be beyond these: patches across or down, and millimetres.
_MOST, _LARGEST_PAGE = 200, 2000.0


@dataclass(frozen=True, eq=False)
class Chart:
    """A named chart. Patch i stands on page i // per_page, at place i % per_page.

    Attributes
    ----------
    rgb
        (n, 3) values from 0 to 1: of a source space when the chart is printed through a condition, of the device
        when nothing converts.
    families
        What each patch is for: 'grey', 'ramp', 'near-neutral', 'skin', 'lattice', 'shadow', 'tint', 'customer'.
    mark_set
        Number of the first page's set of four marks.
    reference
        (n, 3) L*a*b* that the patches should have, where the definition states it.
    inks
        (n, k) amounts of ink, 0 to 1, of a chart that is printed in inks; `rgb` then only stands for them on a screen.
    ink_names
        (k,) which inks: cyan, magenta, yellow and black, and perhaps further ones.
    """

    name: str
    title: str
    ids: tuple[str, ...]
    rgb: Floats
    families: tuple[str, ...]
    layout: Layout
    mark_set: int
    reference: Floats | None = None
    inks: Floats | None = None
    ink_names: tuple[str, ...] = PROCESS

    @property
    def device(self) -> Floats:
        """Device values (n, k), 0 to 1, of which 1 is no ink: RGB, or what inks leave."""
        return self.rgb if self.inks is None else 1 - self.inks

    @property
    def per_page(self) -> int:
        """Patches that a page holds."""
        return self.layout.columns * self.layout.rows

    @property
    def pages(self) -> int:
        """How many pages it takes."""
        return -(-len(self.ids) // self.per_page)

    @property
    def digest(self) -> str:
        """Eight hexadecimal digits that tell this chart from any other, and from another version of itself."""
        values = np.rint(self.device * 65535).astype("<u2").tobytes()
        places = " ".join(f"{n:.2f}" for n in self.layout.numbers())
        return hashlib.sha256(values + places.encode() + "\n".join(self.ids).encode()).hexdigest()[:8]

    def marks_of(self, page: int) -> int:
        """Return the set of marks of a page, counted from 0."""
        return (self.mark_set + page) % MARK_SETS

    def on_page(self, page: int) -> NDArray[np.int64]:
        """Return the indices of the patches on a page, counted from 0."""
        return np.arange(page * self.per_page, min((page + 1) * self.per_page, len(self.ids)))

    def centres(self, page: int) -> Floats:
        """Return the centres (n, 2) in millimetres of the patches on a page."""
        return self.layout.centre(self.on_page(page) - page * self.per_page)


def to_table(chart: Chart) -> Table:
    """Return a chart's definition as a CGATS table; `from_table` reads it back."""
    keywords = {
        "ORIGINATOR": "Fidele",
        "DESCRIPTOR": chart.title,
        "FIDELE_CHART": chart.name,
        "FIDELE_MARK_SET": str(chart.mark_set),
        "FIDELE_LAYOUT_MM": " ".join(f"{n:g}" for n in chart.layout.numbers()),
    }
    columns = {f"RGB_{c}": chart.rgb[:, i] * 255 for i, c in enumerate("RGB")}
    if chart.inks is not None:
        columns, which = ink_columns(chart.inks, chart.ink_names)
        keywords |= which
    if chart.reference is not None:
        columns |= {f"LAB_{c}": chart.reference[:, i] for i, c in enumerate("LAB")}
    return Table(chart.ids, columns, keywords, {"SAMPLE_NAME": chart.families})


def from_table(table: Table, name: str, across: int = 0) -> Chart:
    """Read a chart's definition.

    Definitions of others say neither where patches stand nor which marks are theirs. Where `across` is given, or the
    file says LAYOUT_ROWS and LAYOUT_COLUMNS or numbers its samples by row and column (SAMPLE_LOC), their values are
    laid out anew on a page of ours in that order.

    Raises
    ------
    FideleError
        When the table is not the definition of a chart.
    """
    if "FIDELE_LAYOUT_MM" not in table.keywords:
        return _of_others(table, name, across)
    try:
        n = [float(v) for v in table.keywords["FIDELE_LAYOUT_MM"].split()]
        layout = Layout((n[0], n[1]), int(n[2]), int(n[3]), n[4], n[5], n[6], n[7], n[8], (n[9], n[10], n[11], n[12]))
        mark_set = int(table.keywords["FIDELE_MARK_SET"])
        sane = 0 < layout.columns <= _MOST and 0 < layout.rows <= _MOST and 1 <= layout.patch <= layout.pitch <= 200
        fits = all(np.isfinite(n)) and 0 < n[0] <= _LARGEST_PAGE and 0 < n[1] <= _LARGEST_PAGE and n[8] > 0
        if not sane or not fits or not 0 <= mark_set < MARK_SETS:
            raise ValueError
    except (KeyError, ValueError, IndexError, OverflowError):
        raise FideleError(
            tr("{name} is not a chart definition: its layout of patches makes no sense.", name=name)
        ) from None
    families = table.texts.get("SAMPLE_NAME", ("",) * len(table.ids))
    title = table.keywords.get("DESCRIPTOR", "Chart")
    reference = table.Lab if "LAB_L" in table.columns else None
    inks, which = amounts_of(table, name), inks_of(table, name)
    if inks is not None and which is not None:
        return Chart(
            table.keywords.get("FIDELE_CHART", "chart"),
            title,
            table.ids,
            which.on_screen(inks),
            families,
            layout,
            mark_set,
            reference,
            inks,
            which.names,
        )
    return Chart(
        table.keywords.get("FIDELE_CHART", "chart"),
        title,
        table.ids,
        table.RGB / 255,
        families,
        layout,
        mark_set,
        reference,
    )


def _of_others(table: Table, name: str, across: int) -> Chart:
    from fidele.chart.layout import a4_layout, laid_out

    if not all(f"RGB_{c}" in table.columns for c in "RGB"):
        raise FideleError(tr("{name} is not a chart definition: it has no RGB values to print.", name=name))
    places = table.texts.get("SAMPLE_LOC")
    columns = across or int(table.columns.get("LAYOUT_COLUMNS", np.zeros(1))[0])
    declared = table.keywords.get("LAYOUT_COLUMNS", "")
    columns = columns or (int(declared) if declared.isdigit() else 0)
    if not columns and places is not None:
        columns = len({"".join(c for c in place if c.isalpha()) for place in places})
    if columns and not 1 <= columns <= 60:
        raise FideleError(tr("{name} says {columns} patches across; 1 to 60 go on a page.", name=name, columns=columns))
    values = table.RGB
    # Tone values of others run to 100 as often as to 255.
    scale = 255.0 if values.max() > 100.5 else 100.0
    if values.min() < -0.5 or values.max() > 255.5:
        raise FideleError(tr("{name} has RGB values outside 0 to 255.", name=name))
    count = len(table.ids)
    if columns:
        patch = min(15.0, 186.0 / columns)
        rows = min(-(-count // columns), int(240 // patch))
        layout = a4_layout(columns, max(1, rows), patch, min(2.0, patch * 0.18))
    else:
        layout = laid_out((210.0, 297.0), count, 8.0, 1.5)
    families = table.texts.get("SAMPLE_NAME", ("",) * count)
    reference = table.Lab if "LAB_L" in table.columns else None
    title = table.keywords.get("DESCRIPTOR", "") or tr("Chart of others")
    return Chart("others", title[:60], table.ids, np.clip(values / scale, 0, 1), families, layout, 10, reference)
