"""The printers of this machine: every queue of its print service, found again as they come and go."""

from __future__ import annotations

import threading
from collections.abc import Callable
from pathlib import Path

from fidele.devices.cups.colour import ColourDaemon
from fidele.devices.cups.learned import LearnedStore
from fidele.devices.cups.printer import QueuePrinter
from fidele.devices.cups.service import PrintService
from fidele.devices.devices import Devices
from fidele.devices.protocol import Lies, Printer
from fidele.errors import FideleError
from fidele.language import tr

#: So many seconds a window waits for a service that hangs before it opens without its queues.
_WAIT = 1.0


class Queues:
    """Finds the queues; printers that are known stay the same objects."""

    def __init__(self, folder: Path, sheets: Callable[[str, int], Lies | None] | None = None) -> None:
        self._folder, self._sheets = folder, sheets
        self.service, self.daemon = PrintService(), ColourDaemon()
        self.learned = LearnedStore(folder / "drivers")
        self._known: dict[str, QueuePrinter] = {}
        self._order: tuple[str, ...] = ()
        self._said = ""
        self._looking = threading.Lock()
        first = threading.Thread(target=self.look, daemon=True, name="queues")
        first.start()
        first.join(_WAIT)

    def look(self) -> bool:
        """Ask which queues there are now, and tell whether that has changed."""
        with self._looking:
            before = (self._order, self._said)
            try:
                states = self.service.queues()
                self._said = ""
            except FideleError as error:
                states, self._said = (), str(error)
            for state in states:
                if state.name in self._known:
                    self._known[state.name].is_now(state)
                else:
                    known = QueuePrinter(self.service, self.daemon, state, self._folder, self.learned, self._sheets)
                    self._known[state.name] = known
            self._order = tuple(s.name for s in states)
            asking = [p for s in states if (p := self._known[s.name]).may_say_more]
            if asking:
                threading.Thread(target=_ask, args=(asking,), daemon=True, name=tr("driverless printers")).start()
            return (self._order, self._said) != before

    def printers(self) -> tuple[Printer, ...]:
        """Return the queues as they were when they were last looked for."""
        return tuple(self._known[name] for name in self._order)

    def missing(self) -> str:
        """Return why the service cannot be asked, '' where it can."""
        return self._said


def _ask(printers: list[QueuePrinter]) -> None:
    for printer in printers:
        if printer.may_say_more:  # another look may have asked meanwhile
            printer.ask_beyond()


def queues(folder: Path) -> Devices:
    """Return the printers of this machine; what is learned of their drivers is kept in `folder`."""
    found = Queues(folder)
    return Devices(found=found.printers, look_again=found.look, missing=found.missing, learned=found.learned)
