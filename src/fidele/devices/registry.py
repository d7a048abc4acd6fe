"""Which devices this machine has: a line for each kind."""

from __future__ import annotations

from collections.abc import Callable
from functools import reduce
from pathlib import Path

from fidele.devices.bench.bench import bench
from fidele.devices.cups.queues import queues
from fidele.devices.described import DescribedStore
from fidele.devices.devices import Devices


def described(folder: Path) -> Devices:
    """Return the printers that were described by hand."""
    store = DescribedStore(folder)
    return Devices(found=store.printers, described=store)


#: What finds the devices of one kind; a kind that has none here gives an empty `Devices`.
KINDS: dict[str, Callable[[Path], Devices]] = {"bench": bench, "queues": queues, "described": described}


def devices_here(folders: dict[str, Path]) -> Devices:
    """Return the devices of some kinds; those that keep something of their own keep it in the folder named for them.

    Raises
    ------
    FideleError
        When a folder cannot be made.
    """
    return reduce(Devices.joined, (find(folders[kind]) for kind, find in KINDS.items() if kind in folders), Devices())
