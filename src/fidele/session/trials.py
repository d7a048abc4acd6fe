"""Trials of a profile on the printer that stands here. The driver is left as it is."""

from __future__ import annotations

from collections.abc import Callable

from fidele.dataclass import dataclass
from fidele.devices.devices import Devices
from fidele.errors import FideleError
from fidele.language import quoted, tr
from fidele.run.reading import Checked, verdict_of
from fidele.run.trial import Trial, run_trial, trial_card, verified
from fidele.session.checking import Checking
from fidele.session.live import Live
from fidele.session.news import LogChanged
from fidele.session.profiles import Profiles
from fidele.store.logbook import Logbook
from fidele.tiles import Progress


@dataclass(frozen=True)
class Tried:
    """A trial of a profile that was made: the card, what the chart says, and the run's number."""

    trial: Trial
    checked: Checked
    number: int


class Trials:
    """Makes trials of profiles for a session."""

    def __init__(self, live: Live, profiles: Profiles, checking: Checking, devices: Devices, logbook: Logbook) -> None:
        self._live, self._profiles, self._checking = live, profiles, checking
        self._devices, self._logbook = devices, logbook

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
            raise FideleError(
                tr(
                    "“{title}” cannot be tried on the {name}: {words}",
                    title=row.title,
                    name=device.name,
                    words=row.fit.words,
                )
            )
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
            title, card = tr("Quick chart, to try “{title}”", title=trial.title), trial.card
            settings = device.settings_for(card)
            number = logbook.add_run(title, card.model_dump_json(), card.profile, settings, {}, "")
            checked = run_trial(trial, device, devices, scanner, limits, number, progress)
            logbook.add_verdict(number, verdict_of(checked))
            return Tried(trial, checked, number)

        return work

    def take(self, done: Tried) -> None:
        """Keep and say what a trial found."""
        device = self._devices.of(self._live.state.card)
        found = verified(done.checked, device, tr("Quick chart"), done.number, self._checking.scanner.residual_mean)
        self._profiles.verified(done.trial.card.profile or "", found)
        self._live.tell(LogChanged())
        self._live.say(f"{quoted(done.trial.title)}: {found.sentence}")
