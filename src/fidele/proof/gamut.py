"""How far a colour is from the nearest one that a printer can print."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from fidele.arrays import Floats
from fidele.colour.difference import delta_e_2000
from fidele.icc.profile import Profile
from fidele.icc.solve import solve
from fidele.icc.transform import Intent, from_lab, to_lab

#: ΔE00 beyond which a colour counts as out of gamut.
OUT_OF_GAMUT = 1.0


def distance_to_gamut(Lab: Floats, printer: Profile) -> Floats:
    """Return ΔE00 (n,) from media-relative colours (n, 3) to the nearest printable one, without black compensation.

    The profile's own colorimetric table gives a first answer, which is kept where it is within reach; for RGB
    printers the rest is searched for along the gamut's surface, since a profile's idea of 'nearest' is its maker's.
    """
    device = from_lab(Lab, printer, Intent.RELATIVE).astype(float)
    distance = delta_e_2000(Lab, to_lab(device, printer).astype(float))
    if printer.channels != 3:
        return distance
    far = np.flatnonzero(distance > OUT_OF_GAMUT * 0.9)
    if len(far):
        grid = forward_of(printer)
        found = solve(grid, Lab[far], np.clip(device[far], 0, 1)).device
        nearest = delta_e_2000(Lab[far], to_lab(found, printer).astype(float))
        distance[far] = np.minimum(distance[far], nearest)
    return distance


def forward_of(printer: Profile) -> Callable[[Floats], Floats]:
    """Return what turns device values (n, 3) of an RGB printer into media-relative L*a*b*, fast: a table of 33³."""
    from fidele.kernels import tetrahedral3

    axis = np.linspace(0, 1, 33, dtype=np.float32)
    nodes = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1)
    table = np.ascontiguousarray(to_lab(nodes, printer), dtype=np.float32)

    def forward(device: Floats) -> Floats:
        out = np.empty((len(device), 3), np.float32)
        tetrahedral3(np.ascontiguousarray(device, dtype=np.float32), table, out)
        return out.astype(float)

    return forward
