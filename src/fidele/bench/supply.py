"""What a machine of the bench lives on: current, ink in its tanks, and the sheet or roll that lies in it."""

from __future__ import annotations

import json
from dataclasses import asdict, replace
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from fidele.dataclass import dataclass
from fidele.files import read_bytes, write_bytes

#: The tanks, in the order of the separation.
TANKS = ("cyan", "magenta", "yellow", "black")
#: What a square metre of full coverage takes out of a tank, of the whole.
_PER_SQUARE_METRE = 0.05
#: What a full tank holds, in ml.
TANK_ML = 120.0


@dataclass(frozen=True)
class Supply:
    """Whether the machine answers, what is left in each tank (0 to 1), what lies in it (size by way of feeding), and
    what share of each ink its nozzles let through."""

    online: bool
    inks: dict[str, float]
    loaded: dict[str, str]
    flow: dict[str, float]


class Store:
    """The supply of one machine, kept in a file beside its driver."""

    def __init__(self, path: Path, loaded: dict[str, str]) -> None:
        self._path = path
        self._first = Supply(True, dict.fromkeys(TANKS, 1.0), dict(loaded), dict.fromkeys(TANKS, 1.0))

    def read(self) -> Supply:
        """Return how things stand; a machine whose file is not there yet, or is damaged, is as it was delivered."""
        if not self._path.exists():
            return self._first
        try:
            kept: Any = json.loads(read_bytes(self._path, 1 << 16))
            inks = {t: float(kept["inks"].get(t, 1.0)) for t in TANKS}
            loaded = {w: str(kept["loaded"].get(w, size)) for w, size in self._first.loaded.items()}
            flow = {t: float(kept.get("flow", {}).get(t, 1.0)) for t in TANKS}
            return Supply(bool(kept["online"]), inks, loaded, flow)
        except (ValueError, LookupError, TypeError, AttributeError):
            return self._first

    def write(self, supply: Supply) -> None:
        """Keep how things stand."""
        kept = asdict(supply)
        write_bytes(self._path, json.dumps(kept, indent=2).encode())

    def switch(self, on: bool) -> None:
        """Switch the machine on or off."""
        self.write(replace(self.read(), online=on))

    def fill(self, tank: str, level: float) -> None:
        """Set what is in a tank, 0 to 1."""
        now = self.read()
        self.write(replace(now, inks=now.inks | {tank: level}))

    def clog(self, tank: str, flow: float) -> None:
        """Let the nozzles of a tank pass only a share of their ink, 0 to 1."""
        now = self.read()
        self.write(replace(now, flow=now.flow | {tank: flow}))

    def lay_in(self, size: str, way: str = "") -> None:
        """Put another sheet or roll in."""
        now = self.read()
        self.write(replace(now, loaded=now.loaded | {way: size}))

    def use(self, ink: NDArray[np.uint16], ppi: int) -> dict[str, float]:
        """Take out of the tanks what a print (h, w, 4) of ink amounts has used; return it in ml, by tank."""
        now = self.read()
        square_metre = (25.4 / ppi / 1000) ** 2
        # Every eighth pixel will do: a tank is not read to the drop.
        used = ink[::8, ::8].reshape(-1, 4).mean(axis=0) / 65535 * ink.shape[0] * ink.shape[1] * square_metre
        left = {t: max(0.0, now.inks[t] - float(u) * _PER_SQUARE_METRE) for t, u in zip(TANKS, used, strict=True)}
        self.write(replace(now, inks=left))
        return {t: round(float(u) * _PER_SQUARE_METRE * TANK_ML, 3) for t, u in zip(TANKS, used, strict=True)}
