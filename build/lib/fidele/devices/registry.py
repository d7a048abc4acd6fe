"""Which devices this machine has: a line for each kind."""

from __future__ import annotations

from collections.abc import Callable
from functools import reduce
from pathlib import Path

from fidele.devices.bench.bench import bench
from fidele.devices.cups.queues import queues
from fidele.devices.described import DescribedStore
from fidele.devices.devices import Devices
from fidele.devices.sane import AnyScanner, program


def described(folder: Path) -> Devices:
    """Return the printers that were described by hand."""
    store = DescribedStore(folder)
    return Devices(found=store.printers, described=store)


def scanners(_folder: Path) -> Devices:
    """Return the scanner of this machine, where what it takes is installed."""
    return Devices(scanner=AnyScanner() if program() is not None else None)


#: What finds the devices of one kind; a kind that has none here gives an empty `Devices`.
KINDS: dict[str, Callable[[Path], Devices]] = {
    "bench": bench,
    "queues": queues,
    "described": described,
    "scanners": scanners,
}


def devices_here(folders: dict[str, Path]) -> Devices:
    """Return the devices of some kinds; those that keep something of their own keep it in the folder named for them.

    Raises
    ------
    FideleError
        When a folder cannot be made.
    """
    return reduce(Devices.joined, (find(folders[kind]) for kind, find in KINDS.items() if kind in folders), Devices())
