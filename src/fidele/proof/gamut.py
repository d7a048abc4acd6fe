"""How far a colour is from the nearest one that a printer can print."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from fidele.arrays import Floats
from fidele.colour.difference import delta_e_2000
from fidele.colour.uniform import lab_to_din99o
from fidele.icc.profile import Profile
from fidele.icc.solve import solve
from fidele.icc.transform import Intent, from_lab, to_lab

#: ΔE00 beyond which a colour counts as out of gamut.
OUT_OF_GAMUT = 1.0


def distance_to_gamut(Lab: Floats, printer: Profile) -> Floats:
    """Return ΔE00 (n,) from media-relative colours (n, 3) to the nearest printable one, without black compensation.

    The profile's own colorimetric table gives a first answer, which is kept where it is within reach. The rest is
    searched for among all device values, since a profile's idea of 'nearest' is its maker's.
    """
    device = from_lab(Lab, printer, Intent.RELATIVE).astype(float)
    distance = delta_e_2000(Lab, to_lab(device, printer).astype(float))
    far = np.flatnonzero(distance > OUT_OF_GAMUT * 0.9)
    if len(far) and printer.channels in (3, 4):
        forward, starts = forward_of(printer), starts_for(printer)
        for start in (np.clip(device[far], 0, 1), starts(Lab[far])):
            found = solve(forward, Lab[far], start).device
            nearest = delta_e_2000(Lab[far], to_lab(found, printer).astype(float))
            distance[far] = np.minimum(distance[far], nearest)
    return distance


def starts_for(printer: Profile) -> Callable[[Floats], Floats]:
    """Return what finds, for colours (n, 3), device values (n, channels) on a lattice that come near them."""
    return _ways(printer)[1]


def forward_of(printer: Profile) -> Callable[[Floats], Floats]:
    """Return what turns device values (n, channels) into media-relative L*a*b*; of RGB fast, by a table of 33³."""
    return _ways(printer)[0]


def lattice(size: int, channels: int) -> Floats:
    """Return all nodes (size ** channels, channels) of a lattice from 0 to 1."""
    axis = np.linspace(0, 1, size)
    return np.stack(np.meshgrid(*[axis] * channels, indexing="ij"), axis=-1).reshape(-1, channels)


_Way = Callable[[Floats], Floats]
#: Both ways by profile: making them takes a tenth of a second.
_kept: dict[str, tuple[_Way, _Way]] = {}


def _ways(printer: Profile) -> tuple[_Way, _Way]:
    made = _kept.get(printer.content_id)
    if made is None:
        if len(_kept) > 4:
            _kept.clear()
        made = _kept[printer.content_id] = (_forward(printer), _starts(printer))
    return made


def _forward(printer: Profile) -> _Way:
    from fidele.kernels.grids import tetrahedral3

    if printer.channels != 3:
        return lambda device: to_lab(device.astype(np.float32), printer).astype(float)
    nodes = lattice(33, 3).astype(np.float32).reshape(33, 33, 33, 3)
    table = np.ascontiguousarray(to_lab(nodes, printer), dtype=np.float32)

    def forward(device: Floats) -> Floats:
        out = np.empty((len(device), 3), np.float32)
        tetrahedral3(np.ascontiguousarray(device, dtype=np.float32), table, out)
        return out.astype(float)

    return forward


def _starts(printer: Profile) -> _Way:
    from scipy.spatial import cKDTree

    nodes = lattice(33 if printer.channels == 3 else 11, printer.channels)
    tree = cKDTree(lab_to_din99o(to_lab(nodes.astype(np.float32), printer)))

    def starts(Lab: Floats) -> Floats:
        _, nearest = tree.query(lab_to_din99o(Lab))
        return nodes[nearest]

    return starts
