"""The state of an open workshop: frozen, and changed by typed changes on one thread alone."""

from __future__ import annotations

import datetime
from dataclasses import field, fields, replace
from enum import Enum, auto

from fidele.artwork.picture import Artwork
from fidele.chart.definition import Chart
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.icc.describe import describe
from fidele.icc.profile import Profile
from fidele.judge.finding import Finding
from fidele.language import tr
from fidele.proof.contrast import ContrastLoss
from fidele.proof.losses import Losses
from fidele.route.condition import Card
from fidele.route.layers import Chain
from fidele.route.probe import ProbeResult
from fidele.route.program import ProgramProbe
from fidele.run.job import Printed
from fidele.run.reading import Checked
from fidele.run.route import Route
from fidele.session.display import ScreenFound
from fidele.session.piece import Piece


@dataclass(frozen=True)
class Probes:
    """What came out before ink: sent by Fidele itself, and through another program, and what that program did."""

    direct: ProbeResult
    through: ProbeResult | None = None
    program: ProgramProbe | None = None


@dataclass(frozen=True, eq=False)
class KnownPrint:
    """How a condition without a profile prints, by its measured pages.

    Attributes
    ----------
    card
        The id of the condition.
    profile
        What the driver is sent, and what comes out: to look at pictures by, not to convert them through.
    patches
        How many were measured.
    counting
        How many of them count toward a profile of one's own.
    """

    card: str
    profile: Profile
    patches: int
    counting: int = 0

    @property
    def error(self) -> float:
        """By how much it is off, mean ΔE00, as its fit estimates it."""
        return describe(self.profile).stated_error or 0.0

    @property
    def words(self) -> str:
        """What it is known by, and how well."""
        return tr(
            "by {n} patches of this print that were measured, within about ΔE00 {error:.1f}",
            n=self.patches,
            error=self.error,
        )


@dataclass(frozen=True)
class State:
    """Everything that a session knows at a moment and that is not on disk.

    Attributes
    ----------
    card, profile, kept
        The condition in force, its profile (None where it is not on the shelf), and its file as it was read.
    pieces, current
        The pictures in hand, and the number of the one that the desks show.
    page
        Which of several sheets is looked at.
    route, chain, read_at
        The way to the ink as it was read back, with Fidele's own layer before it, and when.
    run, table, checked
        The print in hand, those that lie on the table, and what the last chart says.
    probes
        What the last probe found, None where none was sent since something changed.
    known
        How the condition prints by its measured pages, where it has no profile.
    losses, contrast
        What the picture in hand loses, None while it is not known.
    """

    card: Card | None = None
    profile: Profile | None = None
    kept: bytes | None = None
    pieces: tuple[Piece, ...] = ()
    current: int = 0
    page: int = 0
    route: Route = field(default_factory=Route)
    chain: Chain | None = None
    read_at: datetime.datetime | None = None
    findings: tuple[Finding, ...] = ()
    probes: Probes | None = None
    run: Printed | None = None
    table: tuple[Printed, ...] = ()
    checked: Checked | None = None
    known: KnownPrint | None = None
    losses: Losses | None = None
    contrast: tuple[ContrastLoss, ...] = ()
    paper_white: bool = False
    screen: ScreenFound = field(default_factory=ScreenFound)

    @property
    def by_pages(self) -> KnownPrint | None:
        """What measured pages tell of the print of the condition in force; None where it has a profile."""
        card, known = self.card, self.known
        mine = card is not None and card.profile is None and card.owner == "driver"
        return known if known is not None and card is not None and mine and known.card == card.id else None

    @property
    def shown_by(self) -> Profile | None:
        """What prints are shown by: the condition's profile, or else what its measured pages tell."""
        return self.by_pages.profile if self.by_pages is not None else self.profile

    @property
    def piece(self) -> Piece | None:
        """The picture that the desks show."""
        return next((p for p in self.pieces if p.number == self.current), None)

    @property
    def artwork(self) -> Artwork | None:
        """The same, as it is worked on."""
        return self.piece.artwork if self.piece is not None else None

    @property
    def chart(self) -> Chart | None:
        """The chart that it is, None where it is none."""
        return self.piece.chart if self.piece is not None else None

    @property
    def bare(self) -> bool:
        """Whether it is to be printed with nothing converting."""
        return self.piece is not None and self.piece.bare

    @property
    def stops(self) -> tuple[Finding, ...]:
        """What holds the print. A verdict on the last print is no reason to hold the next."""
        return tuple(f for f in self.findings if f.weight == "stop" and f.desk != "check")

    def need_card(self) -> Card:
        """Return the card in force; `FideleError` where there is none."""
        if self.card is None:
            raise FideleError(tr("There is no printing condition yet."))
        return self.card

    def need_piece(self) -> Piece:
        """Return the current picture; `FideleError` where there is none."""
        if self.piece is None:
            raise FideleError(tr("There is no artwork yet: open a picture or drop one on the window."))
        return self.piece


@dataclass(frozen=True)
class Changed:
    """A change of the state: what its fields hold takes the place of what the state's fields of these names held."""

    def applied(self, state: State) -> State:
        """Return the state after the change."""
        own = {f.name for f in fields(State)}
        return replace(state, **{f.name: getattr(self, f.name) for f in fields(self) if f.name in own})


@dataclass(frozen=True)
class CardTaken(Changed):
    """Another condition is in force, or none; what was probed for the one before says nothing of it."""

    card: Card | None
    profile: Profile | None
    kept: bytes | None
    probes: Probes | None = None


@dataclass(frozen=True)
class CardChanged(Changed):
    """The condition in force says something else."""

    card: Card
    profile: Profile | None
    kept: bytes | None


class Touched(Enum):
    """What of the pictures in hand a change touches."""

    #: Which they are, or how they look: what was found out about the print of one of them says nothing any more.
    LOOK = auto()
    #: Where they lie on the sheet.
    SHEET = auto()
    #: The tuning, for as long as a slider is dragged.
    DRAGGED = auto()


@dataclass(frozen=True)
class PiecesChanged(Changed):
    """The pictures in hand are others, or lie elsewhere."""

    pieces: tuple[Piece, ...]
    current: int
    touched: Touched = Touched.LOOK
    #: Whether the print in hand is still one of them.
    same_print: bool = True

    def applied(self, state: State) -> State:
        """Return the state after the change; losses, print and check go where they are of other pictures."""
        after = super().applied(state)
        if self.touched is Touched.LOOK:
            after = replace(after, losses=None, contrast=())
        return after if self.same_print else replace(after, run=None, checked=None)


@dataclass(frozen=True)
class SheetChosen(Changed):
    """Another one of several sheets is looked at."""

    page: int


@dataclass(frozen=True)
class RouteRead(Changed):
    """The route was read back."""

    route: Route
    chain: Chain | None
    read_at: datetime.datetime | None


@dataclass(frozen=True)
class Judged(Changed):
    """The findings are others."""

    findings: tuple[Finding, ...]


@dataclass(frozen=True)
class Probed(Changed):
    """Known numbers were sent down the route, or what they told is not true any more."""

    probes: Probes | None


@dataclass(frozen=True)
class RunTaken(Changed):
    """Another print is in hand."""

    run: Printed | None
    table: tuple[Printed, ...]


@dataclass(frozen=True)
class CheckTaken(Changed):
    """A chart was judged."""

    checked: Checked | None


@dataclass(frozen=True)
class PrintKnown(Changed):
    """What measured pages tell of a print without a profile is known, or is known no more."""

    known: KnownPrint | None


@dataclass(frozen=True)
class LossesFound(Changed):
    """What the picture in hand loses is known."""

    losses: Losses | None
    contrast: tuple[ContrastLoss, ...]


@dataclass(frozen=True)
class WhiteChosen(Changed):
    """Proofs show the substrate's own white, or not."""

    paper_white: bool


@dataclass(frozen=True)
class ScreenSeen(Changed):
    """The window is on another screen, or its profile is another one."""

    screen: ScreenFound
