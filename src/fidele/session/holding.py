"""Which condition holds a picture best: its predicted prints under each of them, by what each loses."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

from fidele.arrays import Codes
from fidele.dataclass import dataclass
from fidele.devices.devices import Devices
from fidele.errors import FideleError
from fidele.icc.profile import Profile
from fidele.language import tr
from fidele.proof.losses import Losses, losses
from fidele.proof.soft import ProofSettings
from fidele.route.condition import Card
from fidele.run.probes import Corrections
from fidele.session.looks import settings_for
from fidele.session.way import way_of
from fidele.tiles import CancelledError, Progress


@dataclass(frozen=True)
class Candidate:
    """A condition, the profile that describes its printer, and how a picture is converted by it.

    `missing` says why nothing can be said of it, '' where something can.
    """

    card: Card
    profile: Profile | None = None
    settings: ProofSettings | None = None
    missing: str = ""


@dataclass(frozen=True)
class Holding:
    """What a condition makes of a picture; no losses where nothing can be said."""

    candidate: Candidate
    losses: Losses | None

    @property
    def words(self) -> str:
        """What is lost, and of what most, in a sentence."""
        found = self.losses
        if found is None:
            return self.candidate.missing
        if not found.groups:
            return tr("all of it is held, mean ΔE00 {mean_de00:.1f}", mean_de00=found.mean_de00)
        worst = found.groups[0]
        return tr(
            "{lost:.0f} % lost, mean ΔE00 {mean_de00:.1f}; worst its {name}: {words}",
            lost=found.lost * 100,
            mean_de00=found.mean_de00,
            name=worst.name,
            words=worst.words,
        )


def candidate(card: Card, load: Callable[[str], Profile], devices: Devices, corrections: Corrections) -> Candidate:
    """Return a condition with what its prints are predicted by; its driver may be asked, which takes time."""
    try:
        if card.profile is None:
            raise FideleError(tr("no profile says what it prints"))
        profile = load(card.profile)
        way = way_of(card, devices.find(card.printer), profile, corrections)
    except FideleError as error:
        return Candidate(card, missing=str(error))
    return Candidate(card, profile, settings_for(card, way, None, ""))


def ranked(
    pixels: Codes,
    source: Profile,
    cards: Sequence[Card],
    find: Callable[[Card], Candidate],
    progress: Progress | None = None,
) -> list[Holding]:
    """Return what each condition makes of a picture (h, w, channels), the one that loses least first.

    Raises
    ------
    CancelledError
        When `progress` returned False.
    """
    held = []
    for done, card in enumerate(cards, 1):
        held.append(_held(pixels, source, find(card)))
        if progress and not progress(done / len(cards)):
            raise CancelledError
    return sorted(held, key=lambda h: (h.losses is None, h.losses.mean_de00 if h.losses is not None else 0.0))


def _held(pixels: Codes, source: Profile, one: Candidate) -> Holding:
    if one.profile is None or one.settings is None:
        return Holding(one, None)
    try:
        return Holding(one, losses(pixels, source, one.profile, one.settings))
    except FideleError as error:
        return Holding(replace(one, missing=str(error)), None)
