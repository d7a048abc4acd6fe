"""The bench's machines behind a real print service, for the demo, for tests, and for `fidele bench serve`."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from fidele.bench.service.served import DRIVERLESS, ServedBench
from fidele.bench.service.server import server_program
from fidele.devices.bench.bench import Bench
from fidele.devices.cups.queues import Queues
from fidele.devices.devices import Devices

__all__ = ["DRIVERLESS", "ServedBench", "can_serve", "served_bench", "served_devices"]


def can_serve() -> bool:
    """Whether this machine has what it takes."""
    return server_program() is not None


def served_bench(folder: Path) -> ServedBench:
    """Return the bench that keeps its things in a folder, to be served."""
    return ServedBench(Bench(folder).machines, folder / "prints")


def served_devices(served: ServedBench, bench_folder: Path, folder: Path) -> Devices:
    """Return the served queues as a workshop meets them, with the bench's press, scanner and table beside them."""
    found = Queues(folder, served.sheet)
    return replace(
        Bench(bench_folder).devices(),
        fixed=(),
        programs=(),
        catalogue=None,
        found=found.printers,
        look_again=found.look,
        missing=found.missing,
        learned=found.learned,
    )
