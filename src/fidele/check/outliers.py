"""Single patches that differ from all that is known of their print: swapped ones, dust and scratches, slips."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Floats
from fidele.colour.difference import delta_e_2000
from fidele.dataclass import dataclass

#: A patch is out where it is off by so many ΔE00, and by so many times what the others are.
_FAR, _TIMES = 5.0, 4.0
#: More than this share of patches out is no matter of single patches.
_FEW = 0.08


@dataclass(frozen=True, eq=False)
class Outliers:
    """Patches that are out, by index, worst first; and pairs of them that fit where they are exchanged."""

    index: NDArray[np.int64]
    swapped: tuple[tuple[int, int], ...] = ()

    @property
    def spots(self) -> NDArray[np.int64]:
        """Those that were not exchanged with another one."""
        taken = {i for pair in self.swapped for i in pair}
        return np.array([i for i in self.index if int(i) not in taken], dtype=np.int64)


def outliers(predicted: Floats, measured: Floats) -> Outliers:
    """Find the patches of a print that are out, given what it should be (n, 3) or what else explains the others."""
    off = delta_e_2000(measured, predicted)
    usual = float(np.median(off))
    limit = max(_FAR, _TIMES * usual)
    found = np.flatnonzero(off > limit)
    found = found[np.argsort(-off[found])]
    if len(found) == 0 or len(found) > max(2, _FEW * len(off)):
        return Outliers(np.zeros(0, np.int64))
    pairs = []
    free = [int(i) for i in found]
    while len(free) > 1:
        one = free.pop(0)
        other = min(free, key=lambda j: _exchanged(one, j, predicted, measured))
        if _exchanged(one, other, predicted, measured) < max(0.5 * limit, 0.35 * max(off[one], off[other])):
            free.remove(other)
            pairs.append((min(one, other), max(one, other)))
    return Outliers(found, tuple(pairs))


def _exchanged(one: int, other: int, predicted: Floats, measured: Floats) -> float:
    """Return the larger difference of two patches where each is taken for the other."""
    return float(delta_e_2000(measured[[one, other]], predicted[[other, one]]).max())
