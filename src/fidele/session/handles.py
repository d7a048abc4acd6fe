"""The driver's own handles, learned and set: pages with one moved at a time, and the values that make greys neutral."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

import numpy as np

from fidele.chart.family import made
from fidele.dataclass import dataclass
from fidele.devices.devices import Devices
from fidele.errors import FideleError
from fidele.language import tr
from fidele.route.condition import Card
from fidele.run.kept import job_of
from fidele.run.reader import measured_file
from fidele.session.balancing import CHART, BalancePage, read_page
from fidele.session.in_force import InForce
from fidele.session.live import Live
from fidele.session.places import Places
from fidele.session.print_trials import PrintTrials
from fidele.store.logbook import Logbook
from fidele.tiles import CancelledError, Progress
from fidele.trials.record import TrialRecord
from fidele.values import Value

if TYPE_CHECKING:
    from fidele.characterise.handles import Found, Page

#: A handle is moved by so large a share of its range for its page: enough to be seen, not so much that it bends.
_MOVED = 0.3
#: What a page must have in common with the condition in force to tell of its handles.
_SAME = ("printer", "media", "substrate", "driver", "press", "sends")


@dataclass(frozen=True)
class Handle:
    """A control of the driver that shapes colour in steps: its name, all values, and where it stands on the card."""

    name: str
    offered: tuple[float, ...]
    value: float
    rest: float

    @property
    def other(self) -> float:
        """The value that its page is printed with."""
        span = max(self.offered) - min(self.offered)
        up = self.value + _MOVED * span
        goal = up if up <= max(self.offered) else self.value - _MOVED * span
        return min((v for v in self.offered if v != self.value), key=lambda v: abs(v - goal))


class Handles:
    """Learns and sets the handles of the driver of the condition in force."""

    def __init__(
        self, live: Live, in_force: InForce, devices: Devices, trials: PrintTrials, logbook: Logbook, places: Places
    ) -> None:
        self._live, self._in_force, self._devices = live, in_force, devices
        self._trials, self._logbook, self._work = trials, logbook, places.work
        #: What was computed last, with the condition that it is for.
        self.found: tuple[str, Found] | None = None

    def all(self) -> list[Handle]:
        """Return the handles of the driver that go in steps, as the card has them."""
        card = self._live.state.card
        if card is None or card.owner != "driver":
            return []
        device, found = self._devices.of(card), []
        rest = device.at_rest("sliders")
        for control in device.handles():
            numbers = [float(v) for v in control.offered if isinstance(v, (int, float)) and not isinstance(v, bool)]
            if len(numbers) == len(control.offered) >= 3 and isinstance(rest, (int, float)):
                value = card.hand.get(control.name, rest)
                found.append(Handle(control.name, tuple(numbers), float(value), float(rest)))  # type: ignore[arg-type]
        return found

    def fields(self) -> TrialRecord:
        """Make the pages that teach what the handles do: one for each, with that one moved alone.

        Raises
        ------
        FideleError
            When the driver has no such handles.
        """
        handles = self.all()
        if not handles:
            raise FideleError(tr("This driver has no handles of colour that go in steps: its curves do it all."))
        device = self._devices.of(self._live.state.need_card())
        known = {type(c.offered[0]) for c in device.handles() if c.offered}
        whole = int in known
        return self._trials.make_fields({h.name: int(h.other) if whole else h.other for h in handles})

    def pages(self) -> list[tuple[BalancePage, dict[str, Value]]]:
        """Return the measured pages that tell of the handles, with the hand values that each was printed under.

        Those of the condition in force as it stands, and those of trials that differ from it in hand values alone.
        """
        card = self._live.state.card
        if card is None:
            return []
        found = self._own(card)
        for trial in self._trials.store.all():
            if trial.chart != CHART:
                continue
            for one in trial.prints:
                if one.run and _tells(one.card, card):
                    page = read_page(one.card, measured_file(self._work, one.run), one.run)
                    if page.Lab is not None:
                        found.append((page, dict(one.card.hand)))
        return found

    def _own(self, card: Card) -> list[tuple[BalancePage, dict[str, Value]]]:
        """Return the measured pages of the condition itself, whatever its handles stood at then."""
        found, digest = [], made(CHART).digest
        for run in self._logbook.printed_of(card.id, digest):
            job, by = job_of(run), Card.model_validate_json(run.card)
            if job.chart == digest and not job.bare and _tells(by, card):
                page = read_page(by, measured_file(self._work, run.id), run.id)
                if page.Lab is not None:
                    found.append((page, dict(by.hand)))
        return found

    def known(self) -> set[str]:
        """Return the names of the handles of which a page tells."""
        from fidele.characterise.handles import learned

        handles = self.all()
        pages = [page for one, hand in self.pages() if (page := _greys(one, hand)) is not None]
        return learned(pages, [h.name for h in handles], {h.name: h.rest for h in handles})

    def computing(self) -> Callable[[Progress], Found]:
        """Return the work of finding the best values, beside the interface.

        Raises
        ------
        FideleError
            When the page under the present values, or every page of a handle, is missing.
        """
        handles, given = self.all(), self.pages()
        present = {h.name: h.value for h in handles}
        if not any(all(float(hand.get(h.name, h.rest)) == h.value for h in handles) for _, hand in given):  # type: ignore[arg-type]
            raise FideleError(tr("Print and measure the page as the driver does it now first."))
        if not self.known():
            raise FideleError(tr("Nothing tells yet what the handles do: print their pages, and measure them."))

        def work(progress: Progress) -> Found:
            from fidele.characterise.handles import best

            if not progress(0.2):
                raise CancelledError
            pages = [page for one, hand in given if (page := _greys(one, hand)) is not None]
            offered, rest = {h.name: h.offered for h in handles}, {h.name: h.rest for h in handles}
            return best(pages, offered, present, rest)

        return work

    def take(self, found: Found) -> None:
        """Remember what was computed for the condition in force."""
        self.found = (self._live.state.need_card().id, found)

    def keep(self) -> None:
        """Set the card's hand values to what was found, as a step that can be undone.

        Raises
        ------
        FideleError
            When nothing was computed for this condition.
        """
        card = self._live.state.need_card()
        if self.found is None or self.found[0] != card.id:
            raise FideleError(tr("Compute the handles first: nothing is known of this condition yet."))
        device = self._devices.of(card)
        rest, whole = device.at_rest("sliders"), {c.name: c.offered for c in device.handles()}
        hand = dict(card.hand)
        for name, value in self.found[1].values.items():
            hand.pop(name, None)
            said = next((v for v in whole.get(name, ()) if v == value), value)
            if said != rest:
                hand[name] = said
        self._in_force.change(tr("Handles set from printed pages"), hand=hand)
        self.found = None  # what was expected of them is to be proved by the next page now
        self._live.say(
            tr("The handles are on the card. Set the driver to it, and print the page once more: it proves them.")
        )


def _tells(by: Card, card: Card) -> bool:
    """Whether a page that was printed by a card differs from what another would print by its handles alone."""
    alike = all(getattr(by, name) == getattr(card, name) for name in _SAME)
    return alike and by.owner == "driver" and by.balance is None


def _greys(page: BalancePage, hand: dict[str, Value]) -> Page | None:
    """Return the greys of a page by rising level, None where there are too few."""
    from fidele.characterise.handles import Page

    assert page.Lab is not None
    assert page.asked is not None
    grey = np.flatnonzero(np.ptp(page.asked, axis=1) < 1e-6)
    if len(grey) < 8:
        return None
    order = grey[np.argsort(page.asked[grey, 0])]
    levels, first = np.unique(page.asked[order, 0], return_index=True)
    values = {name: float(value) for name, value in hand.items() if isinstance(value, (int, float))}
    return Page(values, levels, page.Lab[order][first])
