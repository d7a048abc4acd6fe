"""What is printed in one go: pictures as they lie on a sheet, the condition, and what stands beside them."""

from __future__ import annotations

import datetime
from dataclasses import field, replace
from pathlib import Path

from fidele.arrays import Codes
from fidele.artwork.picture import Artwork
from fidele.artwork.replace import Replacement
from fidele.chart.definition import Chart
from fidele.chart.strip import SIZE as STRIP_SIZE
from fidele.chart.strip import strip_chart
from fidele.dataclass import dataclass
from fidele.devices.protocol import Lies
from fidele.icc.profile import Profile
from fidele.language import tr
from fidele.route.condition import Card
from fidele.sheet.page import Behind
from fidele.sheet.placing import Media, Placing
from fidele.sheet.shapes import Shape
from fidele.tuning.conversion import Conversion
from fidele.tuning.model import Tuning
from fidele.values import Document


@dataclass(frozen=True, eq=False)
class Lying:
    """One picture on a sheet.

    Attributes
    ----------
    card
        The condition it is converted for and pressed by: the sheet's, or one whose printing side agrees with it.
    replacements
        Colours that are replaced in the artwork already; a drawing is drawn again without them.
    mirrored
        The file came mirrored, and the artwork is turned back.
    behind, shape
        See `fidele.sheet.page.Laid`.
    copy, copies, panel
        Which of how many this is, and the name of the panel, '' for a whole piece.
    """

    artwork: Artwork
    placing: Placing
    card: Card
    profile: Profile | None
    tuning: Tuning | None = None
    keep: str = ""
    replacements: tuple[Replacement, ...] = ()
    behind: Behind | None = None
    shape: Shape = "rectangle"
    copy: int = 1
    copies: int = 1
    panel: str = ""
    mirrored: bool = False

    @property
    def how(self) -> Conversion:
        """How the picture is converted: as its card says, tuned and with pure colours kept as the picture asks."""
        return Conversion(self.card.intent, self.card.bpc, self.tuning, self.keep)

    @property
    def name(self) -> str:
        """File, and panel where it is one."""
        return self.artwork.path.name + (tr(", panel {panel}", panel=self.panel) if self.panel else "")


@dataclass(frozen=True, eq=False)
class Patches:
    """Patches on a print that can be read: of which chart, which page of it, and where that lies on the sheet."""

    chart: Chart
    page: int
    placing: Placing


@dataclass(frozen=True, eq=False)
class Job:
    """A sheet that is to be printed by a card, by whoever converts.

    Attributes
    ----------
    chart, page
        The chart that it is, and which page of it.
    bare
        Nothing is to convert it: a chart to characterise by.
    media
        What it is printed on, cut to length; None for what the card calls for.
    number
        Of the run, 0 while it is none.
    """

    lying: tuple[Lying, ...]
    card: Card
    chart: Chart | None = None
    page: int = 0
    bare: bool = False
    media: Media | None = None
    number: int = 0

    @staticmethod
    def of(
        artwork: Artwork,
        placing: Placing,
        card: Card,
        profile: Profile | None,
        chart: Chart | None = None,
        page: int = 0,
        bare: bool = False,
    ) -> Job:
        """Return a job of one picture."""
        return Job((Lying(artwork, placing, card, profile),), card, chart, page, bare)

    def showing(self, artwork: Artwork) -> Job:
        """Return the job with another picture in place of its first."""
        return replace(self, lying=(replace(self.lying[0], artwork=artwork), *self.lying[1:]))

    @property
    def artwork(self) -> Artwork:
        """The first picture."""
        return self.lying[0].artwork

    @property
    def placing(self) -> Placing:
        """Where the first picture lies."""
        return self.lying[0].placing

    @property
    def profile(self) -> Profile | None:
        """The profile of the job's own card."""
        return next((one.profile for one in self.lying if one.card.id == self.card.id), self.lying[0].profile)

    @property
    def how(self) -> Conversion:
        """How the first picture is converted."""
        return self.lying[0].how

    @property
    def title(self) -> str:
        """What it is called in the logbook."""
        if self.chart is not None:
            return self.artwork.path.stem
        names = list(dict.fromkeys(one.name for one in self.lying))
        copies = tr(", {n} pieces", n=len(self.lying)) if len(self.lying) > 1 else ""
        more = tr(" and {n} more", n=len(names) - 1) if len(names) > 1 else ""
        return f"{names[0]}{more}{copies}"

    @property
    def patches(self) -> Patches | None:
        """What can be read on the print: the chart that it is, or the control strip on its edge; None for neither."""
        if self.chart is not None:
            return Patches(self.chart, self.page, self.placing)
        place = strip_placing(self.media) if self.card.sheet.strip and self.media is not None else None
        return Patches(strip_chart(), 0, place) if place is not None else None


@dataclass(frozen=True)
class Printed:
    """A run that was printed, and what has become of the sheet since."""

    number: int
    job: Job
    sheet: Lies | None
    receipt: Document
    at: datetime.datetime
    piece: Lies | None = None
    pressed_at: datetime.datetime | None = None
    #: What was pressed, by the id of its condition: pieces of several can lie on a sheet. None: out of our reach.
    pieces: dict[str, Lies | None] = field(default_factory=dict)
    scan: Codes | None = None
    #: What of the scanner could not be put to rest, in words.
    scan_cautions: tuple[str, ...] = ()
    ppi: float = 0.0
    #: The file that it went to, None where it went to a printer.
    file: Path | None = None

    @property
    def elsewhere(self) -> bool:
        """Whether another program prints the file that it went to: a sheet and a piece come of it all the same."""
        return self.file is not None and bool(self.job.card.printed_from)

    @property
    def only_file(self) -> bool:
        """Whether it went to a file and nothing more."""
        return self.file is not None and not self.elsewhere


#: Millimetres between the control strip and what lies above it.
STRIP_GAP = 3.0


def strip_placing(media: Media) -> Placing | None:
    """Return where the control strip stands: along the lower edge, None where the media is too narrow for it."""
    side, end = media.inset
    wide, high = STRIP_SIZE
    if media.width - 2 * side < wide or (not media.roll and media.room[1] < 2 * high):
        return None
    # A roll may be cut off right behind it.
    return Placing((media.width - wide) / 2, media.height - max(end, 2.0) - high, wide, high)
