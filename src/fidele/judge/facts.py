"""What is known at a moment: all that the judge goes by. Frozen, so that it can be judged anywhere."""

from __future__ import annotations

import datetime
from dataclasses import field

from fidele.artwork.picture import Artwork
from fidele.artwork.quality import Quality
from fidele.check.cause import Cause
from fidele.check.statistics import Comparison
from fidele.dataclass import dataclass
from fidele.icc.profile import Profile
from fidele.papers.fit import Fit
from fidele.papers.model import Papers
from fidele.proof.contrast import ContrastLoss
from fidele.proof.losses import Losses
from fidele.route.condition import Card
from fidele.route.layers import Chain, PrinterStatus, SettingRow
from fidele.sheet.placing import Media, Placing
from fidele.tuning.way import Way
from fidele.values import Value


@dataclass(frozen=True)
class ProfileFacts:
    """The card's profile: its title, papers, whether it fits, the intents that it has, and what the printer adds.

    Attributes
    ----------
    unit
        Id of the printer.
    valid
        By meaning, the driver's values under which the profile says it was made.
    controls
        Meanings that this driver has a control for, so that they need to be stated.
    now
        By meaning, what the driver is set to at this moment, where it tells.
    best
        The best quality that the card's media allows, None where that is not known.
    """

    title: str
    papers: Papers
    fit: Fit
    intents: tuple[str, ...]
    unit: str
    valid: dict[str, frozenset[str]]
    controls: frozenset[str]
    best: Value | None
    now: dict[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class PictureFacts:
    """The picture in hand: why its space is in doubt, '' where it is not; how good it is, None while not known; where
    it lies, None for a chart; and whether it is fine work."""

    artwork: Artwork
    printer: Profile | None
    doubt: str = ""
    quality: Quality | None = None
    placing: Placing | None = None
    fine: bool = False


@dataclass(frozen=True)
class OnSheet:
    """One copy that lies on a sheet: its piece's name, which of several sheets, its middle and what it covers in mm."""

    name: str
    page: int
    placing: Placing
    covers: tuple[float, float, float, float]


@dataclass(frozen=True)
class SheetFacts:
    """What lies on the sheet.

    Attributes
    ----------
    larger
        The first size of this printer's that holds the first piece that this one does not hold, '' for none.
    turns
        That piece goes on this sheet if it is turned by 90°.
    stretched
        Name, number and share of each piece that is wider (or narrower, negative) than its file's proportions.
    apart
        Name, number and reasons of each piece that cannot share the sheet.
    strip
        The media that the control strip does not go on, '' where it does or none is asked for.
    alone
        It is a chart, which is laid out as it must be.
    unparted, through
        Why the piece cannot be parted as it was asked for; which seams run through what was to be kept clear.
    """

    media: Media
    mirrored: bool = False
    copies: tuple[OnSheet, ...] = ()
    larger: str = ""
    turns: bool = False
    stretched: tuple[tuple[str, int, float], ...] = ()
    apart: tuple[tuple[str, int, tuple[str, ...]], ...] = ()
    strip: str = ""
    alone: bool = False
    parted: bool = False
    unparted: str = ""
    through: tuple[str, ...] = ()


@dataclass(frozen=True)
class CheckFacts:
    """The last chart: how far it is off, why, and what is to be said of its reading."""

    comparison: Comparison
    cause: Cause
    mirrored: bool = False
    clipped: int = 0
    cautions: tuple[str, ...] = ()


@dataclass(frozen=True)
class Facts:
    """Everything that is known of a card's route and of the work in hand.

    Attributes
    ----------
    here
        Whether the card's own printer is here.
    bare
        Nothing is to convert what is in hand: a chart to make a profile from.
    missing
        The card's profile is not on the shelf; `instead` is the id of one of the same title, '' for none.
    way, way_unknown
        How numbers go where another one than Fidele converts, and why that is not known.
    contradictions
        Label and value of each setting of the card that this driver does not offer beside the others.
    same_name
        The driver's name for the card's media, where it has that and the card sets another one; '' otherwise.
    tuned, purified
        Names of the pictures that are tuned, and of those whose pure colours are to be kept.
    chart
        What is in hand is a chart.
    lost
        Name of each picture whose file cannot be read any more, and why.
    unchecked
        For how many days the condition was not checked, None where it never was.
    new_lots
        What is of another lot than when the condition was checked last ('ink', 'media', 'substrate'), with that lot.
    readiness
        Why a readiness page is due, '' where it is not.
    not_ready
        What the printer's last readiness page found wanting, an ink each with what is wrong.
    receipt
        The last run's number, and in what its receipt differs from what was sent.
    damaged
        A sentence for each kept thing of the workshop that cannot be read, and the folder of each.
    known
        It is known how the condition prints: by its profile, or by pages that were measured.
    known_off
        By how much what measured pages tell of its print is off, mean ΔE00; 0 where it has a profile.
    counting
        How many patches were measured that count toward a profile of one's own where there is none.
    curved
        The name of the round blank that the picture in hand goes on, '' where it goes on none.
    """

    card: Card
    chain: Chain | None = None
    rows: tuple[SettingRow, ...] = ()
    status: PrinterStatus | None = None
    here: bool = True
    bare: bool = False
    missing: bool = False
    instead: str = ""
    way: Way | None = None
    way_unknown: str = ""
    contradictions: tuple[tuple[str, str], ...] = ()
    same_name: str = ""
    tuned: tuple[str, ...] = ()
    purified: tuple[str, ...] = ()
    profile: ProfileFacts | None = None
    chart: bool = False
    picture: PictureFacts | None = None
    lost: tuple[tuple[str, str], ...] = ()
    sheet: SheetFacts | None = None
    losses: Losses | None = None
    contrast: tuple[ContrastLoss, ...] = ()
    unchecked: int | None = None
    new_lots: tuple[tuple[str, str], ...] = ()
    readiness: str = ""
    not_ready: tuple[str, ...] = ()
    receipt: tuple[int, tuple[str, ...]] | None = None
    check: CheckFacts | None = None
    damaged: tuple[tuple[str, str], ...] = ()
    known: bool = False
    known_off: float = 0.0
    counting: int = 0
    curved: str = ""
    now: datetime.datetime = field(default_factory=datetime.datetime.now)
