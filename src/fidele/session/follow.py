"""Watches the world off the interface thread, whatever that is busy with: driver, card files, profiles, pictures."""

from __future__ import annotations

import logging
import threading
from contextlib import suppress
from pathlib import Path

from fidele.devices.devices import Devices
from fidele.errors import FideleError
from fidele.files import stamp_of
from fidele.language import tr
from fidele.run.probes import Corrections
from fidele.run.route import Route, read_route
from fidele.session.in_force import InForce
from fidele.session.inbox import Inbox
from fidele.session.live import Live
from fidele.session.news import News, PrintersChanged, WorldSeen
from fidele.session.piece import Piece
from fidele.session.profiles import Profiles
from fidele.session.seen import Seen
from fidele.session.state import State
from fidele.session.watch import Watch
from fidele.store.cards import CardStore

_log = logging.getLogger(__name__)

#: Seconds between two looks: what somebody changes elsewhere is to be seen within a second.
LOOK = 0.6
#: Every so many looks it is asked which printers there are.
_PRINTERS = 5


class Follow:
    """Looks at the world every now and then on a thread of its own, and follows it on the session's.

    Only a change is acted on. What takes long (pictures to read again, pictures that arrived, thousands of new
    profiles) is left in `due`, `arrived`, `measured` and `unread` to whoever can do it beside the interface.
    """

    def __init__(
        self,
        live: Live,
        devices: Devices,
        in_force: InForce,
        profiles: Profiles,
        cards: CardStore,
        watch: Watch,
        inbox: Inbox,
        measured: Inbox,
        corrections: Corrections,
    ) -> None:
        self._corrections = corrections
        self._live, self._devices, self._in_force, self._profiles = live, devices, in_force, profiles
        self._cards, self._watch, self._inbox, self._measured = cards, watch, inbox, measured
        self._thread: threading.Thread | None = None
        self._over = threading.Event()
        self._last: Seen | None = None
        self.due: list[Piece] = []
        self.arrived: list[Path] = []
        self.measured: list[Path] = []
        self.unread = False
        live.listen(self._heard)

    def start(self) -> None:
        """Begin to look."""
        self._last = self.look(self._live.state)
        self._thread = threading.Thread(target=self._run, name="follow", daemon=True)
        self._thread.start()

    def stop(self) -> None:
        """Look no more."""
        self._over.set()
        if self._thread is not None:
            self._thread.join(5)

    def _run(self) -> None:
        looks = 0
        while not self._over.wait(LOOK):
            try:
                looks += 1
                if looks % _PRINTERS == 0:
                    self._devices.look_again()
                # The state is frozen: whatever the interface does meanwhile, this is one moment of it.
                self._live.tell(WorldSeen(self.look(self._live.state)))
            except Exception:  # a look that fails is no reason to be blind from then on
                _log.exception(tr("the world could not be looked at"))

    def look(self, state: State) -> Seen:
        """Return what there is to be seen. Touches nothing of the session; can be called on any thread."""
        card, probes = state.card, state.probes
        route = Route()
        if card is not None:
            probed = probes.direct if probes is not None else None
            device = self._devices.find(card.printer)
            route = read_route(card, device, probed)
            if card.owner == "driver":
                with suppress(FideleError):  # who judges asks for it as well, and says why it cannot be told
                    self._corrections.of(device)
        pictures = {p.opened.path for p in state.pieces if p.chart is None}
        return Seen(
            self._profiles.shelf.snapshot(),
            self._cards.snapshot(),
            route,
            {path: stamp_of(path) for path in pictures},
            self._inbox.listing(),
            tuple((p.id, p.name) for p in self._devices.printers),
            self._measured.listing(),
        )

    def _heard(self, news: News) -> None:
        if isinstance(news, WorldSeen):
            self.take(news.seen)

    def take(self, seen: Seen) -> None:
        """Follow what was seen, on the session's own thread."""
        last, self._last = self._last, seen
        if last is None:
            return
        if seen.files != last.files:
            self.unread = True
        if seen.cards != last.cards:
            self._in_force.follow()
        if seen.printers != last.printers:
            self._live.tell(PrintersChanged())
        if seen.route != last.route or seen.printers != last.printers:
            self._live.refresh()
        self.due = self._watch.due(seen.pictures)
        self.arrived = self._inbox.arrived(seen.inbox)
        self.measured += self._measured.arrived(seen.measured)
