"""A route trial: the same labelled chart by several routes, pressed and scanned, to be compared side by side."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from fidele.chart.family import quick_chart
from fidele.check.statistics import Comparison
from fidele.errors import FideleError
from fidele.route.condition import OWNER_WORDS
from fidele.session.checks import Aim, Checked, check_scan, verdict_of
from fidele.session.trial import grey_words, pressed_and_scanned
from fidele.tiles import CancelledError, Progress

if TYPE_CHECKING:
    from fidele.session.model import Session

#: What each route is called on its print.
ROUTES = {owner: f"{words} converts" for owner, words in OWNER_WORDS.items()}


@dataclass(frozen=True)
class Leg:
    """One route of a trial: who converts, its run in the logbook, its scan (h, w, 3), and what the chart says."""

    owner: str
    number: int
    scan: NDArray[np.uint16]
    checked: Checked
    sentence: str

    @property
    def title(self) -> str:
        """What stands on its print."""
        return ROUTES[self.owner]


def nearness(c: Comparison, residual: float) -> str:
    """Say in a sentence how near a route comes to the proof. 'Within' holds for nineteen patches of twenty."""
    floor = ", as near as this scanner can see" if c.p95 < 3 * residual else ""
    worst = c.ids[int(c.worst(1)[0])]
    greys = grey_words(c)
    return (
        f"Comes within {c.p95:.1f} of what the profile predicts{floor}{f'; {greys}' if greys else ''}. "
        f"The largest step is {c.largest:.1f}, patch {worst}."
    )


class RouteTrial:
    """Makes route trials for a session's card and keeps the last one."""

    def __init__(self, session: Session) -> None:
        self._session = session
        self.legs: tuple[Leg, ...] = ()

    def possible(self) -> tuple[str, ...]:
        """Return the routes that can be tried: an output profile is needed to compare by."""
        session = self._session
        if session.card is None or session.profile is None:
            return ()
        return tuple(o for o in ROUTES if o in session.device.owners())

    def prepare(self, owners: tuple[str, ...]) -> Callable[[Progress], tuple[Leg, ...]]:
        """Return the work of a trial, which can run beside the interface; everything is left as it was found.

        Raises
        ------
        FideleError
            When fewer than two routes are asked for, or there is nothing to compare by.
        """
        session = self._session
        card, profile = session.need_card(), session.profile
        if profile is None:
            raise FideleError("Routes are compared by what the output profile predicts; choose one first.")
        if len(owners) < 2:
            raise FideleError("One route is no trial: choose two or three.")
        device, workshop, scanner = session.device, session.workshop, session.scanner
        tolerance, log = session.checking.tolerance, session.logbook
        names = {"instrument": workshop.scanner_name, "profile": scanner.title}
        wanted = card.model_copy(update={"owner": "fidele"})

        def one(owner: str, told: Callable[[float], bool]) -> Leg:
            mine = card.model_copy(update={"owner": owner, "printed_from": ""})
            device.assign_system_profile(
                session.handoff.profile_path(profile.content_id) if owner == "system" else None
            )
            device.bring(mine)
            converting = [x.name for x in device.layers(mine, None) if x.converts]
            if converting != ([] if owner == "fidele" else [mine.owner_layer]):
                raise FideleError(f"The route on which {ROUTES[owner]} cannot be set up here: nothing was compared.")
            title = f"Quick chart, {ROUTES[owner]}"
            number = log.add_run(title, mine.model_dump_json(), profile.content_id, device.settings(), {}, "")
            label = f"Route trial · {ROUTES[owner]} · run {number} · {card.name}"
            scan = pressed_and_scanned(mine, profile, label, device, workshop, number, told)
            aim = Aim(wanted, profile, tolerance)
            checked = check_scan(scan, quick_chart(), aim, scanner.profile(), scanner.residual_mean, names)
            log.add_verdict(number, verdict_of(checked))
            return Leg(owner, number, scan, checked, nearness(checked.comparison, scanner.residual_mean))

        def work(progress: Progress) -> tuple[Leg, ...]:
            before, system = device.settings(), device.system_profile
            try:
                legs = []
                for index, owner in enumerate(owners):

                    def told(share: float, done: int = index) -> bool:
                        if not progress((done + share) / len(owners)):
                            raise CancelledError
                        return True

                    legs.append(one(owner, told))
                return tuple(legs)
            finally:
                device.assign_system_profile(system[1], system[0])
                device.restore(before)

        return work

    def take(self, legs: tuple[Leg, ...]) -> None:
        """Keep what a trial found, and say which route comes nearest."""
        self.legs = legs
        session = self._session
        best = min(legs, key=lambda leg: leg.checked.comparison.mean)
        session.tell("log")
        session.refresh()
        session.say(f"{len(legs)} routes tried. Nearest to what the profile predicts: {best.title}.")
