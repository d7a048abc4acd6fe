"""Where on a piece colours are off, apart from what they are off by everywhere: the press's own map."""

from __future__ import annotations

import numpy as np

from fidele.arrays import Floats
from fidele.dataclass import dataclass
from fidele.language import named, tr

#: Cells along the longer side of the map.
_CELLS = 24
#: L* by which a part must be off to be named.
_NAMED = 2.5
#: Cells are of one colour within so much; of fewer of them it cannot be told what is usual.
_LIKE, _SOME = 6.0, 5
_PARTS = {
    named("upper left corner"): (0, 0),
    named("upper edge"): (0, 1),
    named("upper right corner"): (0, 2),
    named("left edge"): (1, 0),
    named("middle"): (1, 1),
    named("right edge"): (1, 2),
    named("lower left corner"): (2, 0),
    named("lower edge"): (2, 1),
    named("lower right corner"): (2, 2),
}


@dataclass(frozen=True, eq=False)
class PieceMap:
    """A coarse map of a piece.

    Attributes
    ----------
    off
        (rows, columns) L*, measured less promised, what is alike everywhere taken out; nan where nothing is known.
    """

    off: Floats

    def words(self) -> list[str]:
        """Name the parts that are paler or darker than the rest, the strongest first."""
        found = [(float(np.median(known)), name) for name, known in parts_of(self.off) if len(known)]
        said = [
            (
                tr("The {name} is {by:.0f} paler than the rest.", name=name, by=abs(by))
                if by > 0
                else tr("The {name} is {by:.0f} darker than the rest.", name=name, by=abs(by))
            )
            for by, name in sorted(found, key=lambda f: -abs(f[0]))
            if abs(by) >= _NAMED
        ]
        return said[:3]


def parts_of(off: Floats) -> list[tuple[str, Floats]]:
    """Return the corners, edges and middle of a map (rows, columns), each with what is known of it; nothing of some."""
    rows, columns = off.shape
    found = []
    for name, (down, across) in _PARTS.items():
        part = off[_third(rows, down), _third(columns, across)]
        known = part[np.isfinite(part)]
        found.append((tr(name), known if len(known) >= max(3, part.size // 3) else known[:0]))
    return found


def _third(count: int, which: int) -> slice:
    edges = (0, max(1, count // 4), max(2, count - count // 4), count)
    return slice(edges[which], edges[which + 1])


def piece_map(promised: Floats, measured: Floats) -> PieceMap:
    """Return where lightness differs from what was promised, both (h, w, 3) L*a*b* in the artwork's frame."""
    import cv2

    height, width = promised.shape[:2]
    cell = max(height, width) / _CELLS
    rows, columns = max(3, round(height / cell)), max(3, round(width / cell))
    known = np.asarray(np.isfinite(measured).all(axis=2))
    share = cv2.resize(known.astype(np.float32), (columns, rows), interpolation=cv2.INTER_AREA)
    filled = np.where(known[..., None], measured, promised).astype(np.float32)
    seen, wanted = (
        cv2.resize(np.asarray(one, np.float32), (columns, rows), interpolation=cv2.INTER_AREA).astype(float)
        for one in (filled, promised)
    )
    off = seen[..., 0] - wanted[..., 0]
    use = share > 0.9
    if use.sum() < 12:
        return PieceMap(np.full((rows, columns), np.nan))
    # What a colour is off by everywhere says nothing of where: of each cell what its like in colour are off by, in the
    # middle, is taken out.
    colours, values = wanted[use], off[use]
    apart = np.linalg.norm(colours[:, None] - colours[None], axis=2)
    usual = np.full(len(values), np.nan)
    for one, near in enumerate(apart):
        like = near < _LIKE
        if like.sum() >= _SOME:
            usual[one] = np.median(values[like])
    made = np.full((rows, columns), np.nan)
    made[use] = values - usual
    return PieceMap(made)
