"""The nearest printable colours to one that is wanted: by ΔE00, with the same hue, or with the same lightness."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from fidele.arrays import Floats
from fidele.colour.difference import delta_e_2000
from fidele.colour.uniform import lab_to_din99o
from fidele.errors import FideleError
from fidele.icc.profile import Profile
from fidele.icc.solve import solve
from fidele.icc.transform import to_lab
from fidele.proof.gamut import OUT_OF_GAMUT, forward_of
from fidele.proof.losses import LOST, shift_in_words

#: How much more than the rest a hue or lightness that is to stay counts.
_STAYS = 12.0
#: So many of the best places on a lattice are followed up.
_STARTS = 12


@dataclass(frozen=True)
class Nearest:
    """A printable colour: which flavour, device values (0 to 1), L*a*b*, ΔE00 from the wanted one, and which way."""

    flavour: str
    device: tuple[float, ...]
    Lab: tuple[float, float, float]
    de00: float
    words: str


def nearest_printable(wanted: Floats, printer: Profile) -> tuple[Nearest, ...]:
    """Return the nearest colours that an RGB printer can print to L*a*b* (3,), media-relative, in three flavours.

    Every device value is looked at on a lattice of 33³, and the best of them are followed to the bottom.

    Raises
    ------
    FideleError
        When the profile is not for RGB values.
    """
    if printer.channels != 3:
        raise FideleError(f"{printer.name} is for {printer.header.colour_space} values; nearest colours need RGB.")
    axis = np.linspace(0, 1, 33)
    nodes = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1).reshape(-1, 3)
    forward = forward_of(printer)
    reached = forward(nodes)
    found = []
    for flavour, metric in _metrics(wanted).items():
        far = ((metric(reached) - metric(wanted[None])) ** 2).sum(axis=1)
        starts = nodes[np.argsort(far)[:_STARTS]]
        target = np.repeat(wanted[None], len(starts), axis=0)
        done = solve(forward, target, starts, metric=metric).device
        Lab = to_lab(done.astype(np.float32), printer).astype(float)
        cost = ((metric(Lab) - metric(wanted[None])) ** 2).sum(axis=1)
        device = done[int(np.argmin(cost))]
        if flavour == "least ΔE00":  # DIN99o is near to it, not the same, above all among blues
            off = delta_e_2000(reached, np.broadcast_to(wanted, reached.shape))
            ways = [_polished(start, wanted, forward) for start in (device, nodes[int(np.argmin(off))])]
            device = min(ways, key=lambda way: way[1])[0]
        seen = to_lab(device.astype(np.float32)[None], printer)[0].astype(float)
        found.append(
            Nearest(
                flavour,
                tuple(round(float(v), 5) for v in device),
                (round(float(seen[0]), 2), round(float(seen[1]), 2), round(float(seen[2]), 2)),
                float(delta_e_2000(seen, wanted)),
                shift_in_words(wanted, seen),
            )
        )
    return tuple(found)


def _polished(device: Floats, wanted: Floats, forward: Callable[[Floats], Floats]) -> tuple[Floats, float]:
    """Return the device values around some at which ΔE00 is least, and that ΔE00: ever smaller steps all around."""
    around = np.stack(np.meshgrid(*[[-1.0, 0.0, 1.0]] * 3), axis=-1).reshape(-1, 3)
    step, best = 1 / 32, float("inf")
    while step > 1e-4:
        near = np.clip(device + step * around, 0, 1)
        off = delta_e_2000(forward(near), np.broadcast_to(wanted, near.shape))
        at = int(np.argmin(off))
        if off[at] < best - 1e-6:
            device, best = near[at], float(off[at])
        else:
            step /= 2
    return device, best


def verdict(de00: float) -> str:
    """Say whether a colour can be held, from the least ΔE00 that can be had."""
    return "holds" if de00 <= OUT_OF_GAMUT else "close" if de00 <= LOST else "cannot be held"


def _metrics(wanted: Floats) -> dict[str, Callable[[Floats], Floats]]:
    hue = float(np.arctan2(wanted[2], wanted[1]))
    turn = np.array([[np.cos(hue), np.sin(hue)], [-np.sin(hue), np.cos(hue)]])

    def same_hue(Lab: Floats) -> Floats:
        along = Lab[:, 1:] @ turn.T
        return np.stack([Lab[:, 0], along[:, 0], along[:, 1] * _STAYS], axis=1)

    def same_lightness(Lab: Floats) -> Floats:
        return Lab * np.array([_STAYS, 1.0, 1.0])

    return {"least ΔE00": lab_to_din99o, "same hue": same_hue, "same lightness": same_lightness}
