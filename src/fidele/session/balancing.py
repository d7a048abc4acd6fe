"""Balance in the session: a page printed as the driver does it, measured, and curves computed that make greys neutral.

Each further page, printed through the curves so far, makes them better and proves them.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from fidele.arrays import Floats
from fidele.chart.definition import Chart
from fidele.chart.family import made
from fidele.chart.measured_file import read_any
from fidele.chart.measurement import matched
from fidele.colour.difference import delta_e_2000
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.icc.spaces import SENDS, srgb
from fidele.icc.transform import Intent, convert, to_lab
from fidele.language import tr
from fidele.route.condition import Card, prints_alike
from fidele.run.kept import job_of
from fidele.run.reader import measured_file
from fidele.session.charts import Charts
from fidele.session.handoff import Handoff
from fidele.session.in_force import InForce
from fidele.session.live import Live
from fidele.session.measured_pages import rough
from fidele.session.pairs import SHOWN_RGB, Pairs
from fidele.session.places import Places
from fidele.session.profiles import Profiles
from fidele.store.cards import CardStore
from fidele.store.logbook import Logbook
from fidele.tiles import CancelledError, Progress
from fidele.trials.aim import relative
from fidele.tuning.conversion import sent_values

if TYPE_CHECKING:
    from fidele.characterise.aims import Look
    from fidele.characterise.balance import Balanced

#: The chart that is printed, and from what level on greys are judged: the darkest are as their inks are.
CHART, JUDGED_FROM = "neutral", 0.1
#: So much chroma in greys, and so much L* off in tones, is what a good print has at most.
CHROMA, TONE = 3.0, 2.0
#: Looks of a screen that can be the aim, by what a card says of them (no card's id is so), and how lively they are.
SCREEN, LIVELIER = "*screen", "*livelier"
_SCREENS = {SCREEN: (tr("the picture on a screen"), 1.0), LIVELIER: (tr("the picture on a screen, livelier"), 1.3)}


@dataclass(frozen=True, eq=False)
class BalancePage:
    """A page of the condition in force: its run, whether it went through curves, what was sent and printed.

    `Lab` (n, 3) is relative to its own white, None while nothing is measured; `rough` where by a scanner that nobody
    characterised.
    """

    run: int
    curved: bool
    sent: Floats
    Lab: Floats | None = None
    asked: Floats | None = None
    rough: bool = False
    #: What it is to look like, within a sentence, and that look; '' and None where greys are to be neutral and even.
    like: str = ""
    look: Look | None = None

    @property
    def apart(self) -> float:
        """Mean ΔE00 between this page and what it is to look like."""
        assert self.Lab is not None
        assert self.asked is not None
        assert self.look is not None
        black = self.Lab[int(self.sent.sum(axis=1).argmin())]
        return float(delta_e_2000(self.look.wanted(self.asked, black), self.Lab).mean())

    @property
    def figures(self) -> tuple[float, float]:
        """Chroma of its greys (95th percentile), and by how much their lightness is off the aim at most."""
        assert self.Lab is not None
        assert self.asked is not None
        grey = (np.ptp(self.asked, axis=1) < 1e-6) & (self.asked[:, 0] >= JUDGED_FROM)
        black = self.Lab[int(self.sent.sum(axis=1).argmin())]
        from fidele.characterise.aims import aimed

        wanted = aimed(self.asked[grey, 0], black)
        off = self.Lab[grey]
        return float(np.percentile(np.hypot(*off[:, 1:].T), 95)), float(np.abs(off[:, 0] - wanted[:, 0]).max())

    @property
    def words(self) -> str:
        """How it stands, in words."""
        how = tr("through the curves") if self.curved else tr("as the driver does it")
        if self.Lab is None:
            return tr("run {run}, printed {how}: press it, then scan or measure it", run=self.run, how=how)
        seen = tr(", as this scanner sees it") if self.rough else ""
        chroma, tone = self.figures
        if self.look is not None:
            return tr(
                "run {run}, {how}: off from {name} by a mean ΔE00 of {apart:.1f}, greys lean by {chroma:.1f}{seen}",
                run=self.run,
                how=how,
                name=self.like,
                apart=self.apart,
                chroma=chroma,
                seen=seen,
            )
        good = tr("neutral and even") if chroma <= CHROMA and tone <= TONE else tr("not yet neutral and even")
        return tr(
            "run {run}, {how}: greys lean by {chroma:.1f}, tones are off by L* {tone:.1f}{seen}: {good}",
            run=self.run,
            how=how,
            chroma=chroma,
            tone=tone,
            seen=seen,
            good=good,
        )


class Balancing:
    """Finds the own balance of the condition in force."""

    def __init__(
        self,
        live: Live,
        in_force: InForce,
        handoff: Handoff,
        profiles: Profiles,
        cards: CardStore,
        charts: Charts,
        logbook: Logbook,
        places: Places,
    ) -> None:
        self._live, self._in_force, self._handoff, self._charts = live, in_force, handoff, charts
        self._profiles, self._cards = profiles, cards
        #: How the page looks through profiles, by profile and intent.
        self._looks: dict[tuple[object, ...], Look] = {}
        self._logbook, self._work = logbook, places.work
        #: What was computed last and is not kept yet, with the condition that it is for.
        self.found: tuple[str, Balanced] | None = None

    def chart(self) -> Chart:
        """Return the page's chart, kept so that its scans are known again."""
        chart = made(CHART)
        self._charts.keep(chart)
        return chart

    def ready(self) -> Chart:
        """Return the page's chart, with all made ready to print it as the condition prints pictures: by the driver."""
        if self._live.state.need_card().owner != "driver":
            self._handoff.choose_owner("driver")
        return self.chart()

    def pages(self) -> list[BalancePage]:
        """Return the pages that were printed by the condition as it is set now, the newest first."""
        card, chart = self._live.state.card, made(CHART)
        if card is None:
            return []
        like, look = self.aim()
        return [replace(page, like=like, look=look) for page in self._pages_of(card, chart)]

    def _pages_of(self, card: Card, chart: Chart) -> list[BalancePage]:
        found = []
        for run in self._logbook.printed_of(card.id, chart.digest):
            job, by = job_of(run), Card.model_validate_json(run.card)
            if job.chart == chart.digest and not job.bare and prints_alike(by, card):
                found.append(read_page(by, measured_file(self._work, run.id), run.id))
        return found

    # What it is to look like -------------------------------------------------------------------------------------

    def others(self) -> list[Card]:
        """Return the other conditions that can be the aim: they print through a profile, or their page was measured."""
        mine = self._live.state.card
        return [c for c in self._cards.cards() if (mine is None or c.id != mine.id) and self._look_of(c) is not None]

    def aims(self) -> list[tuple[str, str]]:
        """Return the aims that there are: what the card says of each, and its words."""
        screens = [(key, words) for key, (words, _) in _SCREENS.items()]
        return [("", tr("neutral and even")), *screens, *((c.id, _quoted(c)) for c in self.others())]

    def aim(self) -> tuple[str, Look | None]:
        """Return what the condition in force is to look like: in words, and that look; None for neutral and even."""
        from fidele.characterise.aims import Screen

        card = self._live.state.card
        if card is None or not card.balance_like:
            return "", None
        if card.balance_like in _SCREENS:
            words, lively = _SCREENS[card.balance_like]
            return words, Screen(lively)
        other = next((c for c in self._cards.cards() if c.id == card.balance_like), None)
        look = self._look_of(other) if other is not None else None
        return (_quoted(other), look) if other is not None and look is not None else ("", None)

    def look_like(self, aim: str) -> None:
        """Take another aim, one of `aims`, as a step that can be undone."""
        words = tr("Balance aims at: {aim}", aim=dict(self.aims())[aim])
        self._in_force.change(words, balance_like=aim)
        self.found = None

    def _look_of(self, card: Card) -> Look | None:
        """Return how the page looks by a condition: by its profile, or as measured last; None where nobody knows."""
        from fidele.characterise.aims import OtherPrint

        chart = made(CHART)
        if card.profile is not None and card.owner == "fidele":
            entry = self._profiles.shelf.find(card.profile)
            if entry is None or entry.description.colour_space != "RGB" or not entry.description.usable_as_output:
                return None
            key = (entry.id, card.intent, card.bpc)
            if key not in self._looks:
                profile = self._profiles.shelf.load(entry.id)
                device = convert(chart.rgb.astype(np.float32), srgb(), profile, card.intent, card.bpc)
                Lab = to_lab(device.astype(np.float32), profile, Intent.RELATIVE).astype(float)
                self._looks[key] = OtherPrint(chart.rgb, Lab)
            return self._looks[key]
        page = next((p for p in self._pages_of(card, chart) if p.Lab is not None and p.asked is not None), None)
        return OtherPrint(page.asked, page.Lab) if page is not None else None  # type: ignore[arg-type]

    def computing(self, given: list[BalancePage] | None = None) -> Callable[[Progress], Balanced]:
        """Return the work of computing curves from all pages that were measured, or those given, beside the interface.

        Raises
        ------
        FideleError
            When none was measured yet.
        """
        pages = [p for p in (self.pages() if given is None else given) if p.Lab is not None]
        card, (_, look) = self._live.state.need_card(), self.aim()
        if not pages:
            raise FideleError(tr("Nothing was measured yet: print the page, press it, and scan or measure it."))

        def work(progress: Progress) -> Balanced:
            if not progress(0.1):
                raise CancelledError
            rgb = np.concatenate([p.sent for p in pages])
            Lab = np.concatenate([p.Lab for p in pages if p.Lab is not None])
            from fidele.characterise.balance import balance

            return balance(rgb, Lab, look, partial(_as_sent, by=card))

        return work

    def pairs(self) -> Pairs | None:
        """Return how colours come out now and through what was computed, beside what the aim wants of them."""
        card = self._live.state.card
        if card is None or self.found is None or self.found[0] != card.id:
            return None
        from fidele.characterise.aims import Screen

        found, look = self.found[1], self.aim()[1] or Screen()
        sent, black = _as_sent(SHOWN_RGB, card), found.prints(np.zeros((1, 3)))[0]
        return Pairs(look.wanted(SHOWN_RGB, black), found.prints(sent), found.prints(found.balance(sent)))

    def take(self, found: Balanced) -> None:
        """Remember what was computed for the condition in force."""
        self.found = (self._live.state.need_card().id, found)

    def keep(self) -> None:
        """Keep the curves on the card, as a step that can be undone."""
        card = self._live.state.need_card()
        if self.found is None or self.found[0] != card.id:
            raise FideleError(tr("Compute the curves first: nothing is known of this condition yet."))
        self._in_force.change(tr("Own balance: curves from a printed page"), balance=self.found[1].balance)
        self._live.say(
            tr("The curves are on the card. Print the page once more through them: it proves and improves them.")
        )

    def forget(self) -> None:
        """Send numbers to the driver as they are again, as a step that can be undone."""
        self._in_force.change(tr("No balance of its own"), balance=None)


def read_page(by: Card, file: Path, number: int = 0) -> BalancePage:
    """Return a page that was printed by a card, with what a file of measurements says of it, where there is one."""
    chart = made(CHART)
    asked = chart.rgb
    sent = _as_sent(asked, by)
    sent = by.balance(sent) if by.balance is not None else sent
    if not file.exists():
        return BalancePage(number, by.balance is not None, sent)
    try:
        found = matched(read_any(file), chart.ids, chart.rgb)
    except FideleError:
        return BalancePage(number, by.balance is not None, sent)
    rows = {sample: row for row, sample in enumerate(found.ids)}
    index = [k for k, sample in enumerate(chart.ids) if sample in rows]
    if len(index) < len(chart.ids) // 2:  # another chart, or hardly a page
        return BalancePage(number, by.balance is not None, sent)
    Lab = found.Lab[[rows[chart.ids[k]] for k in index]]
    seen = relative(Lab, asked[index])
    return BalancePage(number, by.balance is not None, sent[index], seen, asked[index], rough(found))


def _as_sent(rgb: Floats, by: Card) -> Floats:
    return np.clip(sent_values(rgb.astype(np.float32), srgb(), SENDS[by.sends]()), 0, 1).astype(float)


def _quoted(card: Card) -> str:
    return tr("“{name}”", name=card.name)
