"""The chart that tells what a choice of a driver does: a coarse lattice, and ramps of single colours and greys."""

from __future__ import annotations

import numpy as np

from fidele.arrays import Floats

#: Steps of its ramps, and nodes along an edge of its lattice.
STEPS, NODES = 17, 5


def patches() -> dict[str, Floats]:
    """Return the chart's values by family: a lattice of 5 x 5 x 5, then seven ramps of 17, the last one of greys."""
    axis = np.linspace(0, 1, NODES)
    lattice = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1).reshape(-1, 3)
    ramps = []
    t = np.linspace(0, 1, STEPS)
    for channel in range(3):
        for start in (1.0, 0.0):
            ramp = np.full((STEPS, 3), start)
            ramp[:, channel] = t
            ramps.append(ramp)
    grey = np.repeat(t[:, None], 3, axis=1)
    return {"lattice": lattice, "ramp": np.concatenate(ramps), "grey": grey}
