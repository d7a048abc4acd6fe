"""Which condition holds a picture best: its predicted prints under each of them, by what each loses."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace

from fidele.arrays import Codes
from fidele.devices.devices import Devices
from fidele.errors import FideleError
from fidele.icc.profile import Profile
from fidele.proof.losses import Losses, losses
from fidele.proof.soft import ProofSettings
from fidele.route.condition import Card
from fidele.run.probes import Corrections
from fidele.session.looks import settings_for
from fidele.session.way import way_of


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
            return f"all of it is held, mean ΔE00 {found.mean_de00:.1f}"
        worst = found.groups[0]
        return f"{found.lost * 100:.0f} % lost, mean ΔE00 {found.mean_de00:.1f}; worst its {worst.name}: {worst.words}"


def candidates(
    cards: Iterable[Card], load: Callable[[str], Profile], devices: Devices, corrections: Corrections
) -> list[Candidate]:
    """Return each condition with what its prints are predicted by."""
    found = []
    for card in cards:
        try:
            if card.profile is None:
                raise FideleError("no profile says what it prints")
            profile = load(card.profile)
            way = way_of(card, devices.find(card.printer), profile, corrections)
            found.append(Candidate(card, profile, settings_for(card, way, None, "")))
        except FideleError as error:
            found.append(Candidate(card, missing=str(error)))
    return found


def ranked(pixels: Codes, source: Profile, among: Iterable[Candidate]) -> list[Holding]:
    """Return what each condition makes of a picture (h, w, channels), the one that loses least first."""
    held = []
    for one in among:
        try:
            if one.profile is None or one.settings is None:
                raise FideleError(one.missing)
            held.append(Holding(one, losses(pixels, source, one.profile, one.settings)))
        except FideleError as error:
            held.append(Holding(replace(one, missing=str(error)), None))
    return sorted(held, key=lambda h: (h.losses is None, h.losses.mean_de00 if h.losses is not None else 0.0))
