"""The whole bench behind a print service: server, colour daemon, machines behind their queues, one driverless."""

from __future__ import annotations

import contextlib
import os
import shutil
import subprocess
import time
from pathlib import Path
from typing import Self

from fidele.bench.printer import Machine, Print
from fidele.bench.service.bus import PrivateBus
from fidele.bench.service.carrying import Carrying
from fidele.bench.service.driverless import DriverlessPrinter
from fidele.bench.service.server import PrintServer, Queue
from fidele.errors import FideleError
from fidele.ipp.raster import RasterPage
from fidele.language import tr

#: The machine that is also reached without a driver, as a queue of this name.
DRIVERLESS = "gannet-by-itself"
_NOWHERE = "unix:path=/nonexistent/bus"


class ServedBench:
    """Machines of the bench as queues; use it as a context, or call `start` and `stop`."""

    def __init__(self, machines: tuple[Machine, ...], prints: Path) -> None:
        self._machines = {m.model.name.lower(): m for m in machines}
        self._prints = prints
        self._driverless: DriverlessPrinter | None = None
        self.server = PrintServer(tuple(Queue(name, m.model.title, m.model) for name, m in self._machines.items()))
        self._bus: PrivateBus | None = None
        self._carrying: Carrying | None = None

    def __enter__(self) -> Self:
        self.start()
        return self

    def __exit__(self, *_: object) -> None:
        self.stop()

    @property
    def environment(self) -> dict[str, str]:
        """What a program needs to be told to meet these queues, and this colour daemon."""
        address = self._bus.address if self._bus is not None else ""
        return {"CUPS_SERVER": self.server.address, "DBUS_SYSTEM_BUS_ADDRESS": address or _NOWHERE}

    @property
    def has_colour_daemon(self) -> bool:
        """Whether a colour daemon could be started beside the server."""
        return self._bus is not None and bool(self._bus.address)

    def start(self) -> None:
        """Start everything.

        Raises
        ------
        FideleError
            When there is no print server to be had, or it does not start.
        """
        self.server.prepare()
        try:
            self._bus = PrivateBus(self.server.root / "bus")
            self._bus.start()
            self.server.start({"DBUS_SYSTEM_BUS_ADDRESS": self._bus.address or _NOWHERE})
            self._carrying = Carrying(self.server.drop, self._machines, self._prints)
            self._carrying.start()
            gannet = self._machines.get("gannet")
            if gannet is not None:
                self._driverless = DriverlessPrinter(gannet, DRIVERLESS, self._prints)
                self._driverless.start()
                self._add(self._driverless)
        except BaseException:
            self.stop()
            raise

    def _add(self, printer: DriverlessPrinter) -> None:
        """Have the server make a queue for a printer that speaks IPP, as an administrator would."""
        lpadmin = shutil.which("lpadmin") or "/usr/sbin/lpadmin"
        arguments = ["-h", self.server.address, "-p", DRIVERLESS, "-E", "-v", printer.uri, "-m", "everywhere"]
        said = ["-D", f"{printer.title}, driverless"]
        with contextlib.suppress(OSError, subprocess.TimeoutExpired):
            environment = os.environ | {"CUPS_SERVER": self.server.address}
            subprocess.run([lpadmin, *arguments, *said], check=False, timeout=20, capture_output=True, env=environment)
        ppd, until = self.server.root / "etc/ppd" / f"{DRIVERLESS}.ppd", time.monotonic() + 10
        while not ppd.exists() and time.monotonic() < until:
            time.sleep(0.05)

    def stop(self) -> None:
        """Stop everything, and clear what it kept away; what was printed stays."""
        if self._carrying is not None:
            self._carrying.stop()
        if self._driverless is not None:
            self._driverless.stop()
        self.server.stop()
        if self._bus is not None:
            self._bus.stop()
        self.server.clear()

    def alive(self) -> bool:
        """Whether the server runs."""
        return self.server.alive()

    def sheet(self, queue: str, job: int) -> Print | None:
        """Return what a job of a queue printed, where it lies here."""
        if queue == DRIVERLESS and self._driverless is not None:
            return self._driverless.last_sheet()
        return self._carrying.sheet(queue, job) if self._carrying is not None else None

    def arrived(self, queue: str) -> RasterPage:
        """Return the raster of the last job of a queue, as it arrived at the printer."""
        if queue == DRIVERLESS and self._driverless is not None and self._driverless.arrived is not None:
            return self._driverless.arrived
        if self._carrying is None or queue not in self._carrying.arrived:
            raise FideleError(tr("Nothing has arrived at {queue}.", queue=queue))
        return self._carrying.arrived[queue]
