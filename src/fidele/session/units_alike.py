"""A second printer like the first, in the session: which units there are, the profile, its cost, and into use."""

from __future__ import annotations

import datetime
from collections.abc import Callable
from typing import TYPE_CHECKING

import numpy as np

from fidele.arrays import Floats
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.icc.profile import Profile
from fidele.icc.spaces import srgb
from fidele.icc.tables import device_to_pcs_lab, pcs_lab_to_device
from fidele.language import tr
from fidele.papers.guess import plain
from fidele.route.condition import Card
from fidele.run.own_profile import stated
from fidele.session.in_force import InForce
from fidele.session.live import Live
from fidele.session.own_profiles import need_in_force, shelved, taken_into_use
from fidele.session.pairs import SHOWN_RGB, Pairs
from fidele.session.places import Places
from fidele.session.profiles import Profiles, Row
from fidele.tiles import CancelledError, Progress

if TYPE_CHECKING:
    from fidele.characterise.alike import Both, Cost


@dataclass(frozen=True, eq=False)
class MadeAlike:
    """A profile that makes units alike and is not in use yet: for which condition, what it costs, how it looks."""

    card: Card
    title: str
    profile: bytes
    found: Cost | Both
    pairs: Pairs

    @property
    def lines(self) -> list[str]:
        """What is to be known before it is taken."""
        return self.found.words


class UnitsAlike:
    """Makes the unit of the condition in force print like another."""

    def __init__(self, live: Live, in_force: InForce, profiles: Profiles, places: Places) -> None:
        self._live, self._in_force, self._profiles, self._work = live, in_force, profiles, places.work
        #: What was made last and waits to be taken.
        self.made: MadeAlike | None = None

    def others(self) -> list[Row]:
        """Return the profiles of other units, or other media, that this one can print like: the nearest kin first."""
        card = self._live.state.card
        if card is None or card.profile is None:
            return []
        found = []
        for row in self._profiles.rows():
            what = row.entry.description
            if what.usable_as_output and what.colour_space == "RGB" and row.entry.id != card.profile:
                found.append(row)

        def order(row: Row) -> tuple[bool, bool, bool, str]:
            meta = row.entry.description.meta
            said = {key: plain(row.papers.value(key)) for key in ("printer", "media")}
            return (
                meta.get("about.unit", "") in ("", card.printer),  # another unit of the same model comes first
                said["printer"] != plain(card.printer_name),
                said["media"] != plain(card.media),
                row.title.casefold(),
            )

        return sorted(found, key=order)

    def making(self, other: str, both: bool = False) -> Callable[[Progress], MadeAlike]:
        """Return the work of making the profile, beside the interface: this unit like another, or one for both.

        Raises
        ------
        FideleError
            When the condition has no profile, or the other one is gone.
        """
        card, mine = self._live.state.need_card(), self._live.state.profile
        if mine is None:
            raise FideleError(tr("This unit needs a profile of its own first."))
        row = self._profiles.row(self._profiles.need(other))
        first, now = self._profiles.shelf.load(other), datetime.datetime.now().replace(microsecond=0)
        words = tr("for both") if both else tr("like {title}", title=row.title)
        title = f"{card.printer_name}, {card.media}, {words}, {now:%Y-%m-%d %H:%M}"[:110]
        said = stated(card)

        def work(progress: Progress) -> MadeAlike:
            from fidele.characterise.alike import alike, for_both

            def told(share: float) -> bool:
                if not progress(share):
                    raise CancelledError
                return True

            if both:
                one = for_both(first, mine, title, now, said, told)
                return MadeAlike(card, title, one.profile, one, _pairs(first, mine, one.profile, own=True))
            data, cost = alike(first, mine, title, now, said, told)
            return MadeAlike(card, title, data, cost, _pairs(first, mine, data))

        return work

    def take(self, done: MadeAlike) -> str:
        """Put the profile on the shelf and into its condition, as one step; return its id.

        Raises
        ------
        FideleError
            When another condition is in force by now, or the profile cannot be kept.
        """
        need_in_force(self._live, done.card)
        profile_id = shelved(self._profiles, self._work, done.title, done.profile)
        taken_into_use(self._live, self._in_force, done.title, profile_id)
        self.made = None
        return profile_id


def _pairs(first: Profile, mine: Profile, made: bytes, own: bool = False) -> Pairs:
    """Return how the shown colours come out; with `own` the other unit prints through the made profile, too."""
    pcs = device_to_pcs_lab(srgb(), SHOWN_RGB)
    new = Profile.parse(made, "made")

    def printed(through: Profile, unit: Profile) -> Floats:
        return device_to_pcs_lab(unit, np.clip(pcs_lab_to_device(through, pcs, 0), 0, 1))

    return Pairs(printed(new if own else first, first), printed(first, mine), printed(new, mine))
