"""Ramps of a chart: tone curves, distances of steps, the first and the last step, reversals, the cast of greys."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Floats
from fidele.colour.difference import delta_e_2000
from fidele.dataclass import dataclass
from fidele.language import tr

#: The colours that ramps lead to, by their RGB.
_ENDS = {
    "black": (0, 0, 0),
    "red": (1, 0, 0),
    "green": (0, 1, 0),
    "blue": (0, 0, 1),
    "cyan": (0, 1, 1),
    "magenta": (1, 0, 1),
    "yellow": (1, 1, 0),
}


@dataclass(frozen=True, eq=False)
class Ramp:
    """Patches from white to a full colour.

    Attributes
    ----------
    name
        Of the full colour; 'black' for the greys.
    index
        (k,) which patches, lightest first.
    tone
        (k,) how much of the colour is asked for, 0 to 1.
    wanted, measured
        (k, 3) L*a*b*.
    """

    name: str
    index: NDArray[np.int64]
    tone: Floats
    wanted: Floats
    measured: Floats

    @property
    def steps(self) -> tuple[Floats, Floats]:
        """ΔE00 from each patch to the next (k - 1,), wanted and measured."""
        return delta_e_2000(self.wanted[:-1], self.wanted[1:]), delta_e_2000(self.measured[:-1], self.measured[1:])

    @property
    def cast(self) -> Floats:
        """By how much a* and b* of each patch differ from what was wanted (k, 2)."""
        return self.measured[:, 1:] - self.wanted[:, 1:]

    def words(self, seen: float = 0.5) -> list[str]:
        """Say what is wrong with it; `seen` is the ΔE00 below which two patches cannot be told apart."""
        said = []
        what = tr("grey" if self.name == "black" else self.name)
        wanted, got = self.steps
        if len(got) >= 3:
            gone = self._gone(got, wanted, seen)
            if gone:
                said.append(
                    tr(
                        "The lightest steps of {what}, below {gone:.0f} %, cannot be told from white.",
                        what=what,
                        gone=gone * 100,
                    )
                )
            blocked = self._gone(got[::-1], wanted[::-1], seen, from_end=True)
            if blocked:
                said.append(
                    tr(
                        "The darkest steps of {what}, above {blocked:.0f} %, have run together.",
                        what=what,
                        blocked=blocked * 100,
                    )
                )
        down = np.diff(self.measured[:, 0])
        back = (down > max(1.0, seen)) & (np.diff(self.wanted[:, 0]) < 0.5)
        if back.any():
            at = int(np.flatnonzero(back)[0])
            said.append(
                tr(
                    "The {what} ramp turns back at {tone:.0f} %: a darker step came out lighter.",
                    what=what,
                    tone=self.tone[at + 1] * 100,
                )
            )
        return said

    def _gone(self, got: Floats, wanted: Floats, seen: float, from_end: bool = False) -> float:
        """Return the tone up to which (or from which) steps are lost that should be seen; 0 where none are."""
        lost = 0
        while lost < len(got) - 1 and got[: lost + 1].sum() < seen:
            lost += 1
        if not lost or wanted[:lost].sum() < 2 * seen:  # nobody wanted them apart
            return 0.0
        return float(self.tone[-1 - lost] if from_end else self.tone[lost])


def ramps_of(rgb: Floats, wanted: Floats, measured: Floats) -> list[Ramp]:
    """Find the ramps among patches of RGB (n, 3), 0 to 1; at least four steps each."""
    found = []
    for name, end in _ENDS.items():
        away = 1 - np.asarray(end, dtype=float)
        tone = 1 - rgb @ away / away.sum()
        on_line = np.abs(rgb - (1 - tone[:, None] * away)).max(axis=1) < 1e-3
        member = np.flatnonzero(on_line)
        if name != "black" and len(member):
            member = member[(tone[member] > 0) | (rgb[member].min(axis=1) > 0.999)]
        order = member[np.argsort(tone[member], kind="stable")]
        _, first = np.unique(np.round(tone[order], 4), return_index=True)
        order = order[first]
        if len(order) >= 4:
            found.append(Ramp(name, order, tone[order], wanted[order], measured[order]))
    return found
