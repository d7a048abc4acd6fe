"""A picture in hand: as opened, as worked on, where its copies lie, and how it is parted."""

from __future__ import annotations

import itertools
from dataclasses import field, replace

from fidele.artwork.picture import Artwork
from fidele.artwork.replace import Replacement
from fidele.chart.definition import Chart
from fidele.dataclass import dataclass
from fidele.sheet.page import Behind
from fidele.sheet.panels import Area
from fidele.sheet.placing import Placing
from fidele.sheet.shapes import Shape
from fidele.tuning.model import Tuning

_numbers = itertools.count(1)


@dataclass(frozen=True)
class Copy:
    """One copy of a piece: where it lies, on which of several sheets (from 0), and whether it is to stay there."""

    placing: Placing
    page: int = 0
    locked: bool = False


@dataclass(frozen=True)
class PanelPlan:
    """How a piece larger than its media is parted: see `fidele.sheet.panels`.

    `largest` are the width and height that a panel may have, in mm, 0 for as much as the media holds; `skip` are panels
    that are not to be printed; `across` and `down` are seams that were put there by hand, in mm on the piece.
    """

    overlap: float = 10.0
    columns: int = 0
    rows: int = 0
    largest: tuple[float, float] = (0.0, 0.0)
    keep_clear: tuple[Area, ...] = ()
    skip: frozenset[str] = frozenset()
    across: tuple[float, ...] = ()
    down: tuple[float, ...] = ()


@dataclass(frozen=True)
class Piece:
    """A picture in hand.

    Attributes
    ----------
    opened
        As the file has it.
    artwork
        As it is worked on: its space chosen, its colours replaced. The file is never changed.
    keep
        Pure colours that are kept, see `fidele.tuning.keep`.
    copies
        Every copy, all of one size; the first is the one whose size the desks speak of.
    sheet
        Pieces of the same number lie on one sheet; 0 for one of its own.
    card
        Id of the condition that it is pressed by where that is not the one in force, '' where it is.
    blank, behind, shape
        Name of the blank that it goes on, and what follows of it: see `fidele.sheet.page.Laid`.
    panels
        How it is parted, None where it is not.
    stamp
        When its file was changed last, as it was read: see `fidele.session.watch`.
    """

    opened: Artwork
    artwork: Artwork
    copies: tuple[Copy, ...]
    chart: Chart | None = None
    replacements: tuple[Replacement, ...] = ()
    #: The file came mirrored: it is worked on turned back, and mirrored on its way as any other.
    mirrored: bool = False
    tuning: Tuning | None = None
    keep: str = ""
    #: A chart that is to be printed with nothing converting; and which of its pages this is.
    bare: bool = False
    chart_page: int = 0
    sheet: int = 0
    card: str = ""
    blank: str = ""
    behind: Behind | None = None
    shape: Shape = "rectangle"
    panels: PanelPlan | None = None
    stamp: tuple[int, int] = (0, 0)
    number: int = field(default_factory=lambda: next(_numbers))

    @property
    def placing(self) -> Placing:
        """Where its first copy lies."""
        return self.copies[0].placing

    @property
    def together(self) -> int:
        """Number of the sheet it lies on."""
        return self.sheet or self.number

    @property
    def name(self) -> str:
        """Chart or file."""
        return self.chart.title if self.chart is not None else self.opened.path.name

    @property
    def picture_width(self) -> float:
        """Printed width of the whole picture in mm, also where only a part of it is seen."""
        return self.behind[2] if self.behind is not None else self.placing.width

    def placed(self, placing: Placing) -> tuple[Copy, ...]:
        """Return its copies with the first placed here, all others of the same size where they are."""
        first, rest = self.copies[0], self.copies[1:]
        same = [replace(c, placing=c.placing.sized(placing.width, placing.height)) for c in rest]
        return (replace(first, placing=placing), *same)
