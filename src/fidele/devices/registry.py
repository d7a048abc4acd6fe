"""Which devices this machine has: a line for each kind."""

from __future__ import annotations

from collections.abc import Callable
from functools import reduce
from pathlib import Path

from fidele.devices.bench.bench import bench
from fidele.devices.devices import Devices

#: What finds the devices of one kind; a kind that has none here gives an empty `Devices`.
KINDS: list[Callable[[Path], Devices]] = [bench]


def devices_here(folder: Path) -> Devices:
    """Return the devices of this machine; those kinds that keep something of their own keep it in `folder`.

    Raises
    ------
    FideleError
        When the folder cannot be made.
    """
    return reduce(Devices.joined, (kind(folder) for kind in KINDS), Devices())
