"""Trials: a profile on the printer that stands here; one chart by several routes. The driver is left as it is."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from fidele.arrays import Codes
from fidele.chart.family import quick_chart
from fidele.check.statistics import Comparison
from fidele.devices.devices import Devices
from fidele.errors import FideleError
from fidele.route.condition import OWNER_WORDS
from fidele.run.reading import Aim, Checked, check_scan, verdict_of
from fidele.run.trial import Trial, grey_words, pressed_and_scanned, run_trial, trial_card, verified
from fidele.session.checking import Checking
from fidele.session.live import Live
from fidele.session.news import LogChanged
from fidele.session.profiles import Profiles
from fidele.store.logbook import Logbook
from fidele.tiles import CancelledError, Progress

#: What each route is called on its print.
ROUTES = {owner: f"{words} converts" for owner, words in OWNER_WORDS.items()}


@dataclass(frozen=True)
class Tried:
    """A trial of a profile that was made: the card, what the chart says, and the run's number."""

    trial: Trial
    checked: Checked
    number: int


@dataclass(frozen=True)
class Leg:
    """One route of a trial: who converts, its run in the logbook, its scan (h, w, 3), and what the chart says."""

    owner: str
    number: int
    scan: Codes
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


class Trials:
    """Makes trials for a session and keeps the last one of routes."""

    def __init__(self, live: Live, profiles: Profiles, checking: Checking, devices: Devices, logbook: Logbook) -> None:
        self._live, self._profiles, self._checking = live, profiles, checking
        self._devices, self._logbook = devices, logbook
        self.legs: tuple[Leg, ...] = ()

    # A profile ---------------------------------------------------------------------------------------------------

    def of_profile(self, profile_id: str) -> Trial:
        """Return what 'try it' needs.

        Raises
        ------
        FideleError
            When the profile cannot serve as an output profile here.
        """
        state, devices = self._live.state, self._devices
        row = self._profiles.row(self._profiles.need(profile_id))
        what, device = row.entry.description, devices.of(state.card)
        if not what.usable_as_output or what.colour_space != device.format.space:
            raise FideleError(f"“{row.title}” cannot be tried on the {device.name}: {row.fit.words}")
        self._checking.scanner.profile()  # a clear word now rather than after the print
        card = trial_card(device, row.papers, state.card)
        if card.process == "transfer" and devices.substrates and card.substrate not in devices.substrates:
            base = state.card.substrate if state.card else devices.substrates[0]
            card = card.model_copy(update={"substrate": base})
        return Trial(card, self._profiles.shelf.load(profile_id), row.title)

    def trying(self, trial: Trial) -> Callable[[Progress | None], Tried]:
        """Return the work of a trial: print, press, scan and read a quick chart, beside the interface."""
        devices, logbook, device = self._devices, self._logbook, self._devices.of(self._live.state.card)
        scanner, limits = self._checking.scanner, self._checking.tolerance

        def work(progress: Progress | None) -> Tried:
            title, card = f"Quick chart, to try “{trial.title}”", trial.card
            settings = device.settings_for(card)
            number = logbook.add_run(title, card.model_dump_json(), card.profile, settings, {}, "")
            checked = run_trial(trial, device, devices, scanner, limits, number, progress)
            logbook.add_verdict(number, verdict_of(checked))
            return Tried(trial, checked, number)

        return work

    def take(self, done: Tried) -> None:
        """Keep and say what a trial found."""
        device = self._devices.of(self._live.state.card)
        found = verified(done.checked, device, "Quick chart", done.number, self._checking.scanner.residual_mean)
        self._profiles.verified(done.trial.card.profile or "", found)
        self._live.tell(LogChanged())
        self._live.say(f"“{done.trial.title}”: {found.sentence}")

    # Routes ------------------------------------------------------------------------------------------------------

    def routes(self) -> tuple[str, ...]:
        """Return the routes that can be tried: an output profile is needed to compare by."""
        state = self._live.state
        if state.card is None or state.profile is None:
            return ()
        return tuple(o for o in ROUTES if o in self._devices.of(state.card).owners())

    def trying_routes(self, owners: tuple[str, ...]) -> Callable[[Progress], tuple[Leg, ...]]:
        """Return the work of a trial of routes, which can be done beside the interface.

        Raises
        ------
        FideleError
            When fewer than two routes are asked for, or there is nothing to compare by.
        """
        state = self._live.state
        card, profile = state.need_card(), state.profile
        if profile is None:
            raise FideleError("Routes are compared by what the output profile predicts; choose one first.")
        if len(owners) < 2:
            raise FideleError("One route is no trial: choose two or three.")
        devices, scanner, logbook = self._devices, self._checking.scanner, self._logbook
        device, tolerance = devices.of(card), self._checking.tolerance
        entry = self._profiles.shelf.find(profile.content_id)
        path: Path | None = entry.path if entry is not None else None
        names = {"instrument": devices.scanner_name, "profile": scanner.title}
        wanted = card.model_copy(update={"owner": "fidele"})

        def one(owner: str, told: Callable[[float], bool]) -> Leg:
            mine = card.model_copy(update={"owner": owner, "printed_from": ""})
            settings = device.settings_for(mine)
            sending = device.sending(settings, path if owner == "system" else None)
            converting = [x.name for x in sending.layers(mine, None) if x.converts]
            if converting != ([] if owner == "fidele" else [mine.owner_layer]):
                raise FideleError(f"The route on which {ROUTES[owner]} cannot be set up here: nothing was compared.")
            title = f"Quick chart, {ROUTES[owner]}"
            number = logbook.add_run(title, mine.model_dump_json(), profile.content_id, settings, {}, "")
            label = f"Route trial · {ROUTES[owner]} · run {number} · {card.name}"
            scan = pressed_and_scanned(mine, profile, label, sending, devices, number, told)
            aim = Aim(wanted, profile, tolerance)
            checked = check_scan(scan, quick_chart(), aim, scanner.profile(), scanner.residual_mean, names)
            logbook.add_verdict(number, verdict_of(checked))
            return Leg(owner, number, scan, checked, nearness(checked.comparison, scanner.residual_mean))

        def work(progress: Progress) -> tuple[Leg, ...]:
            legs = []
            for index, owner in enumerate(owners):

                def told(share: float, done: int = index) -> bool:
                    if not progress((done + share) / len(owners)):
                        raise CancelledError
                    return True

                legs.append(one(owner, told))
            return tuple(legs)

        return work

    def take_routes(self, legs: tuple[Leg, ...]) -> None:
        """Keep what a trial of routes found, and say which comes nearest."""
        self.legs = legs
        best = min(legs, key=lambda leg: leg.checked.comparison.mean)
        self._live.tell(LogChanged())
        self._live.refresh()
        self._live.say(f"{len(legs)} routes tried. Nearest to what the profile predicts: {best.title}.")
