"""What a session tells those who listen: a small frozen value for each thing that can happen."""

from __future__ import annotations

from fidele.dataclass import dataclass
from fidele.session.seen import Seen
from fidele.session.state import Changed


@dataclass(frozen=True)
class Said:
    """The last thing done, in a sentence; or what went wrong."""

    sentence: str
    wrong: bool = False


@dataclass(frozen=True)
class ConditionsChanged:
    """Printing conditions came, went, or were changed; the one in force may be another."""


@dataclass(frozen=True)
class PrintersChanged:
    """Printers came or went, or are called otherwise."""


@dataclass(frozen=True)
class ShelfChanged:
    """Profiles came or went."""


@dataclass(frozen=True)
class PapersChanged:
    """Something else is said of a profile, or it is a default now."""


@dataclass(frozen=True)
class Arrived:
    """Profiles are at the door, or were dealt with."""


@dataclass(frozen=True)
class QueueChanged:
    """Runs were ordered, held, moved, or ended."""


@dataclass(frozen=True)
class LogChanged:
    """The logbook has more to tell."""


@dataclass(frozen=True)
class ColoursChanged:
    """The customer's colours are others."""


@dataclass(frozen=True)
class RulesChanged:
    """House rules, the screen's profile or the watched folder are others: pictures may look otherwise."""


@dataclass(frozen=True)
class JobsChanged:
    """Jobs came, or are called otherwise; another one may be in hand."""


@dataclass(frozen=True)
class UnitsChanged:
    """Lengths, heat or pressure are shown in other units."""


@dataclass(frozen=True)
class WorldSeen:
    """What lies outside was looked at again."""

    seen: Seen


News = (
    Said
    | Changed
    | ConditionsChanged
    | PrintersChanged
    | ShelfChanged
    | PapersChanged
    | Arrived
    | QueueChanged
    | LogChanged
    | ColoursChanged
    | RulesChanged
    | JobsChanged
    | UnitsChanged
    | WorldSeen
)
