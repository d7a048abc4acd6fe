"""Pick from a swatch book that was printed and measured: which input values print a colour nearest."""

from __future__ import annotations

import numpy as np

from fidele.arrays import Floats
from fidele.colour.difference import delta_e_2000
from fidele.colour.uniform import lab_to_din99o
from fidele.dataclass import dataclass

#: A blend is of so many neighbouring patches.
_NEAR = 5


@dataclass(frozen=True, eq=False)
class Pick:
    """A printable colour: the patch ('' where it lies between patches), input RGB 0 to 1, L*a*b* and ΔE00."""

    patch: str
    rgb: Floats
    Lab: Floats
    de00: float


def nearest_patches(wanted: Floats, ids: tuple[str, ...], rgb: Floats, Lab: Floats, count: int = 4) -> list[Pick]:
    """Return the patches (n) that print nearest to a wanted L*a*b* (3,), the nearest first.

    `rgb` (n, 3) are input values, `Lab` (n, 3) what was measured of them.
    """
    off = delta_e_2000(np.broadcast_to(wanted, Lab.shape), Lab)
    return [Pick(ids[i], rgb[i], Lab[i], float(off[i])) for i in np.argsort(off)[:count]]


def between_patches(wanted: Floats, rgb: Floats, Lab: Floats) -> Pick:
    """Return what a blend of neighbouring patches' input values is likely to print nearest to a wanted L*a*b* (3,).

    Near the wanted colour, how the print follows the input is taken for even: it is fitted to the patches about it,
    weighed by how near they are, and solved for the input; that stays within the neighbours' own values.
    """
    there, aim = lab_to_din99o(Lab), lab_to_din99o(wanted)
    away = np.linalg.norm(there - aim, axis=1)
    near = np.argsort(away)[: max(_NEAR, min(12, len(rgb)))]
    weight = 1 / (away[near] + 2.0)
    design = np.hstack([rgb[near], np.ones((len(near), 1))]) * weight[:, None]
    slope, *_ = np.linalg.lstsq(design, there[near] * weight[:, None], rcond=None)
    centre = near[0]
    step, *_ = np.linalg.lstsq(slope[:3].T, aim - there[centre], rcond=None)
    low, high = rgb[near].min(axis=0), rgb[near].max(axis=0)
    values = np.clip(rgb[centre] + step, low, high)
    # The same fit, held to the nearest patch, says what these values print.
    moved = Lab[centre] + _slope_lab(rgb[near], Lab[near], weight) @ (values - rgb[centre])
    off = float(delta_e_2000(wanted, moved))
    nearest = float(delta_e_2000(wanted, Lab[centre]))
    return Pick("", values, moved, off) if off < nearest else Pick("", rgb[centre], Lab[centre], nearest)


def _slope_lab(rgb: Floats, Lab: Floats, weight: Floats) -> Floats:
    design = np.hstack([rgb, np.ones((len(rgb), 1))]) * weight[:, None]
    fit, *_ = np.linalg.lstsq(design, Lab * weight[:, None], rcond=None)
    return np.asarray(fit[:3].T)
