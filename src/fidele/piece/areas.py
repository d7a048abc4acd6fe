"""Areas of an artwork that can be measured on a piece: even, large enough, of as many colours as it holds."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Floats
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.language import tr

#: Areas are squares of this share of the longer side; at most so many are measured.
_SHARE, _MOST = 0.014, 90
#: Within an area L*a*b* may differ by so much; two areas count as two colours from so much on.
_EVEN, _APART = 2.5, 4.0
#: So few colours tell nothing.
FEWEST = 6


@dataclass(frozen=True, eq=False)
class Areas:
    """Areas (n) of an artwork.

    Attributes
    ----------
    centres
        (n, 2) in pixels of the artwork.
    side
        Of each, in pixels.
    colour
        (n,) number of the colour that each holds: areas of one colour must look alike.
    """

    centres: Floats
    side: float
    colour: NDArray[np.int64]

    def outlines(self) -> Floats:
        """Return the outline (n, 4, 2) of what is measured of each area: its middle."""
        half = 0.33 * self.side
        return self.centres[:, None] + half * np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]])


def areas_of(Lab: Floats) -> Areas:
    """Return the areas of an artwork (h, w, 3) in L*a*b* that can be measured.

    Raises
    ------
    FideleError
        When it holds too few.
    """
    import cv2

    height, width = Lab.shape[:2]
    side = max(7, round(_SHARE * max(height, width)))
    floats = np.asarray(Lab, np.float32)
    mean = cv2.blur(floats, (side, side))
    # Even beyond its own edge, so that a hair's breadth in placing costs nothing.
    around = (round(1.8 * side),) * 2
    spread = np.sqrt(np.maximum(cv2.blur(floats**2, around) - cv2.blur(floats, around) ** 2, 0)).max(axis=2)
    rows = np.arange(side, height - side, max(1, side // 2))
    columns = np.arange(side, width - side, max(1, side // 2))
    y, x = (part.ravel() for part in np.meshgrid(rows, columns, indexing="ij"))
    even = spread[y, x] < _EVEN
    y, x = y[even], x[even]
    if len(y) < FEWEST:
        raise FideleError(tr("The artwork has too few even areas to measure: print a control strip beside it."))
    colours = mean[y, x].astype(float)
    picked, names = _picked(colours, np.stack([x, y], axis=1).astype(float), side)
    if len(set(names.tolist())) < FEWEST:
        raise FideleError(tr("The artwork holds too few colours to tell causes by: print a control strip beside it."))
    return Areas(np.stack([x[picked], y[picked]], axis=1).astype(float), float(side), names)


def _picked(colours: Floats, places: Floats, side: float) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Pick areas that are far apart in colour first, then the same colours elsewhere; return them and their colours."""
    far = np.full(len(colours), np.inf)
    first: list[int] = []
    now = int(np.abs(colours[:, 0] - np.median(colours[:, 0])).argmin())
    while len(first) < 2 * _MOST // 3 and (not first or far[now] > _APART):
        first.append(now)
        far = np.minimum(far, np.linalg.norm(colours - colours[now], axis=1))
        now = int(far.argmax())
    anchor = colours[first]
    nearest = np.linalg.norm(colours[:, None] - anchor[None], axis=2).argmin(axis=1)
    picked, names = list(first), list(range(len(first)))
    for name in np.argsort([-(nearest == k).sum() for k in range(len(first))]):
        mine = np.flatnonzero((nearest == name) & (np.linalg.norm(colours - anchor[name], axis=1) < _APART / 2))
        taken = places[[first[name]]]
        for _ in range(4):
            if not len(mine) or len(picked) >= _MOST:
                break
            away = np.linalg.norm(places[mine][:, None] - taken[None], axis=2).min(axis=1)
            if away.max() < 6 * side:
                break
            one = int(mine[away.argmax()])
            picked.append(one)
            names.append(int(name))
            taken = np.vstack([taken, places[one]])
    return np.array(picked), np.array(names)
