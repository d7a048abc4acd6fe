"""Which patches to measure next: where a fit knows least of what it is asked for, by its own kernel.

What a fit does not know of a colour is the variance that its kernel leaves there. Patches are taken one by one so that
its sum over the whole device cube becomes least (integrated mean square error; Sacks, Welch, Mitchell and Wynn,
Statistical Science 4, 1989).
"""

from __future__ import annotations

import numpy as np
from scipy.stats import qmc

from fidele.arrays import Floats
from fidele.characterise.fit import Fit, distance
from fidele.dataclass import dataclass
from fidele.tiles import CancelledError, Progress

#: So many device values stand for the cube, and so many can be chosen (a power of two; a third on faces and edges).
_STAND, _CHOICES = 512, 512
#: The trend of a fit is known so badly beside its kernel.
_TREND = 5.0
#: A kernel without a reach of its own is taken for one of this.
_REACH = 0.8
#: No two patches that are chosen lie nearer to each other than this share of a channel.
_APART = 1 / 255


@dataclass(frozen=True, eq=False)
class Chosen:
    """Device values (n, 3) to be measured next, and the share of its error that a fit is expected to keep."""

    rgb: Floats
    left: float


def _choices() -> Floats:
    some = qmc.Sobol(3, seed=3).random(_CHOICES)
    faces = qmc.Sobol(3, seed=4).random(_CHOICES // 2)
    row = np.arange(len(faces))
    faces[row, row % 3] = row // 3 % 2
    edges = qmc.Sobol(3, seed=5).random(_CHOICES // 4)
    row = np.arange(len(edges))
    edges[row, row % 3], edges[row, (row + 1) % 3] = row // 3 % 2, row // 6 % 2
    greys = np.linspace(0, 1, 35)[1:-1, None] * np.ones(3)
    return np.unique(np.round(np.concatenate([some, faces, edges, greys]) * 255) / 255, axis=0)


def further(made: Fit, rgb: Floats, count: int, progress: Progress | None = None) -> Chosen:
    """Choose `count` device values to be measured beside those (n, 3) that a fit was made of.

    Raises
    ------
    CancelledError
        When `progress` returned False.
    """
    from scipy.spatial import cKDTree

    part = made.parts[0]
    form = part.form
    stand, choices = qmc.Sobol(3, seed=9).random(_STAND), _choices()
    away, _ = cKDTree(rgb).query(choices)
    choices = choices[away > _APART]

    def kernel(one: Floats, other: Floats) -> Floats:
        far = distance(form.bend(one), form.bend(other))
        near = form.kernel(far / form.reach)
        if form.kernel(np.zeros((1, 1)))[0, 0] != 1:  # a spline's grows with distance
            near = np.exp(-((far / _REACH) ** 2) / 2)
        trends = [np.concatenate([np.ones((len(x), 1)), form.bend(x)], axis=1) for x in (one, other)]
        return np.asarray(near + _TREND * trends[0] @ trends[1].T)

    noise = max(part.smoothing, 1e-4)
    known = np.linalg.solve(
        kernel(rgb, rgb) + noise * np.eye(len(rgb)), np.concatenate([kernel(rgb, choices), kernel(rgb, stand)], axis=1)
    )
    mine, theirs = known[:, : len(choices)], known[:, len(choices) :]
    across = kernel(rgb, choices)
    among = kernel(choices, choices) - across.T @ mine
    toward = kernel(choices, stand) - across.T @ theirs
    unknown = np.array([kernel(p[None], p[None])[0, 0] for p in stand]) - (kernel(rgb, stand) * theirs).sum(axis=0)
    before, taken = float(unknown.sum()), list[int]()
    for turn in range(min(count, len(choices))):
        gain = (toward**2).sum(axis=1) / (np.diag(among) + noise)
        gain[taken] = -1
        best = int(gain.argmax())
        taken.append(best)
        scale = np.sqrt(among[best, best] + noise)
        moved, seen = among[:, best] / scale, toward[best] / scale
        unknown = unknown - seen**2
        among = among - moved[:, None] * moved
        toward = toward - moved[:, None] * seen
        if progress is not None and not progress((turn + 1) / count):
            raise CancelledError
    return Chosen(choices[taken], float(np.sqrt(max(0.0, unknown.sum()) / before)))
