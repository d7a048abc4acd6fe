"""The way to a first good print: seven steps, each with how it stands, told from what is here."""

from __future__ import annotations

import json
from typing import Literal

from fidele.dataclass import dataclass
from fidele.devices.devices import Devices
from fidele.language import lowered, quoted, tr
from fidele.session.live import Live
from fidele.session.news import LogChanged, News, QueueChanged
from fidele.session.profiles import Profiles
from fidele.store.cards import CardStore
from fidele.store.logbook import Logbook
from fidele.store.records import KeptRun

Stand = Literal["done", "now", "later"]
#: So many runs are looked through for one of the condition in force.
_RUNS = 60


@dataclass(frozen=True)
class Lead:
    """A button of a step: its words, and the desk that it opens; 'open a picture' opens no desk."""

    words: str
    desk: str


@dataclass(frozen=True)
class Step:
    """A step of the way: what it is, how it stands, what is to be done or was found, and what leads on."""

    title: str
    stand: Stand
    sentence: str
    leads: tuple[Lead, ...]


@dataclass(frozen=True)
class Here:
    """Something of this machine: what kind of thing, and which."""

    what: str
    which: str


class FirstPrint:
    """Tells how far a workshop is on its way to a first print that is right."""

    def __init__(self, live: Live, devices: Devices, profiles: Profiles, cards: CardStore, logbook: Logbook) -> None:
        self._live, self._devices, self._profiles = live, devices, profiles
        self._cards, self._logbook = cards, logbook
        #: The condition whose runs are known, and those: the disk is asked anew when the log has changed.
        self._known: tuple[str, list[KeptRun]] | None = None
        live.listen(self._heard)

    @property
    def untouched(self) -> bool:
        """Whether nothing was made here yet: no condition, no run."""
        return not self._cards.cards() and not self._logbook.runs(1)

    def here(self) -> tuple[Here, ...]:
        """Return what is on this machine: printers, profiles that print, scanner, the screen's profile."""
        printers = [p.name for p in self._devices.printers]
        rows = [r for r in self._profiles.rows() if r.entry.description.usable_as_output]
        screen, scanner = self._live.state.screen, self._devices.scanner
        told = {
            tr("Printers"): _few(printers) or self._devices.missing() or tr("none yet"),
            tr("Profiles that print"): f"{len(rows):,}: {_few([r.title for r in rows])}" if rows else tr("none yet"),
            tr("Scanner"): str(getattr(scanner, "name", "") or tr("found when it is needed"))
            if scanner
            else tr("none found"),
            tr("Screen"): screen.how,
        }
        return tuple(Here(what, which) for what, which in told.items())

    @property
    def right(self) -> bool:
        """Whether a print of the condition in force was found right."""
        return any(run.verdict == "pass" for run in self._runs())

    def _runs(self) -> list[KeptRun]:
        card = self._live.state.card
        if card is None:
            return []
        if self._known is None or self._known[0] != card.id:
            mine = [r for r in self._logbook.runs(_RUNS) if json.loads(r.card or "{}").get("id") == card.id]
            self._known = card.id, mine
        return self._known[1]

    def _heard(self, news: News) -> None:
        if isinstance(news, LogChanged | QueueChanged):
            self._known = None

    def steps(self) -> tuple[Step, ...]:
        """Return the steps; the first that is not done is the one to do now."""
        made = (self._printer(), self._paper(), self._profile(), self._set(), self._picture(), *self._printed())
        now = next((k for k, (_, done, _, _) in enumerate(made) if not done), len(made))
        return tuple(
            Step(title, "done" if done else "now" if k == now else "later", sentence, leads)
            for k, (title, done, sentence, leads) in enumerate(made)
        )

    def _printer(self) -> _Made:
        printers = self._devices.printers
        if printers:
            count = tr("one printer is") if len(printers) == 1 else tr("{n} printers are", n=len(printers))
            words = tr(
                "{count}{count2} here: {few}.",
                count=count[0].upper(),
                count2=count[1:],
                few=_few([p.name for p in printers]),
            )
        else:
            words = self._devices.missing() or tr("No printer is set up on this machine yet.")
            words += tr(" Set one up with the system's tools, or describe one that prints elsewhere.")
        return tr("Printer"), bool(printers), words, (Lead(tr("Printers"), "Printers"),)

    def _paper(self) -> _Made:
        card = self._live.state.card
        if card is None:
            words = tr("Say what you print on and with which printer: that is a printing condition, and it is kept.")
            return tr("Paper and piece"), False, words, (Lead(tr("Start a condition"), "New condition"),)
        on = tr(" on {substrate}", substrate=card.substrate) if card.process == "transfer" else ""
        words = f"{quoted(card.name)}: {card.printer_name}, {card.media}{on}, {card.size}."
        return (
            tr("Paper and piece"),
            True,
            words,
            (Lead(tr("Condition"), "Condition"), Lead(tr("Another"), "New condition")),
        )

    def _profile(self) -> _Made:
        card, profile = self._live.state.card, self._live.state.profile
        ways = (Lead(tr("Find a profile"), "Profiles"), Lead(tr("Trial prints"), "Trial prints"))
        if card is None:
            words = tr("Drop the supplier's zip or .icc on the window at any time. Without one, the driver converts.")
            return tr("Profile, or none"), False, words, ways
        if profile is not None:
            title = self._profiles.title_in_force
            return (
                tr("Profile, or none"),
                True,
                tr("“{title}” says how this printer prints.", title=title),
                (Lead(tr("Profiles"), "Profiles"),),
            )
        if card.profile:
            words = tr("The condition's profile is not on this machine: find it, or choose another.")
            return tr("Profile, or none"), False, words, ways
        words = tr(
            "None: the driver converts. Trial prints find its best settings, one page makes greys neutral, "
            "a target makes a profile."
        )
        own = (Lead(tr("Neutral greys"), "Balance"), Lead(tr("Make its profile"), "Own profile"))
        return tr("Profile, or none"), True, words, (*ways, *own)

    def _set(self) -> _Made:
        chain, stops = self._live.state.chain, self._live.state.stops
        lead = (Lead(tr("Hand-off"), "Hand-off"),)
        if chain is None:
            return (
                tr("Set the driver"),
                False,
                tr("What the driver must be set to, and whether colour is converted once."),
                lead,
            )
        mine = [f for f in stops if f.desk == "hand-off"]
        if mine:
            return tr("Set the driver"), False, f"{mine[0].title}. {mine[0].remedy}", lead
        return tr("Set the driver"), True, f"{chain.headline}: {chain.sentence}", lead

    def _picture(self) -> _Made:
        artwork = self._live.state.artwork
        words = tr("Drop a picture anywhere on the window, or open one.")
        leads = [Lead(tr("Open a picture …"), "")]
        if artwork is not None and self._live.state.chart is not None:
            words = tr("{title} is in hand.", title=self._live.state.chart.title)
        elif artwork is not None:
            words = tr("{name} is in hand. Look at what it will lose before you print.", name=artwork.path.name)
            leads = [Lead(tr("Proof"), "Proof"), Lead(tr("Sheet"), "Sheet")]
        return tr("Picture"), artwork is not None or bool(self._runs()), words, tuple(leads)

    def _printed(self) -> tuple[_Made, _Made]:
        card, stops = self._live.state.card, self._live.state.stops
        runs = [run for run in self._runs() if run.state == "printed"]
        words = tr("Print one piece and look at it before you print many.")
        if runs:
            words = tr("Run {id} was printed {at:%d.%m.%Y %H:%M}.", id=runs[0].id, at=runs[0].at)
        elif stops and card is not None:
            words = tr("Held: {title}.", title=lowered(stops[0].title))
        pressed = card is None or card.process == "transfer"
        leads = (Lead(tr("Print"), "Print"), *((Lead(tr("Press"), "Press"),) if pressed and runs else ()))
        judged = next((run for run in runs if run.verdict), None)
        right = tr("Scan the piece, or judge it by eye: it is compared with what was promised.")
        if self.right:
            right = tr("A print of this condition was checked, and is right.")
        elif judged is not None and judged.verdict == "fail":
            right = tr("Run {id} is not right yet: see what happened.", id=judged.id)
        return (tr("Print"), bool(runs), words, leads), (tr("Right?"), self.right, right, (Lead(tr("Check"), "Check"),))


_Made = tuple[str, bool, str, tuple[Lead, ...]]


def _few(names: list[str], most: int = 3) -> str:
    """Return some names, and that there are more."""
    return ", ".join(names[:most]) + (tr(" and {n} more", n=len(names) - most) if len(names) > most else "")
