"""The nearest printable colours to one that is wanted: by ΔE00, with the same hue, or with the same lightness."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from fidele.arrays import Floats
from fidele.colour.difference import delta_e_2000
from fidele.colour.uniform import lab_to_din99o
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.icc.profile import Profile
from fidele.icc.solve import solve
from fidele.icc.transform import to_lab
from fidele.language import tr
from fidele.proof.gamut import OUT_OF_GAMUT, forward_of, lattice, starts_for
from fidele.proof.losses import LOST, shift_in_words

#: So many of the best places on a lattice are followed up.
_STARTS, _FOLLOWED = 12, 5
#: So many places of a plane are tried at a time, from the nearest on; ΔE00 up to which one counts as printable.
_BATCH, _HELD = 100, 0.03


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

    Of the same hue or lightness is the one with the least ΔE00 among all printable colours of that hue (in L*a*b*)
    or lightness. All of them are looked at in steps, and the best are followed to the bottom.

    Raises
    ------
    FideleError
        When the profile is not for RGB values.
    """
    if printer.channels != 3:
        raise FideleError(
            tr(
                "{name} is for {colour_space} values; nearest colours need RGB.",
                name=printer.name,
                colour_space=printer.header.colour_space,
            )
        )
    forward, starts = forward_of(printer), starts_for(printer)
    ways = {
        "least ΔE00": _nearest(wanted, forward),
        "same hue": _in_plane(wanted, _same_hue(wanted), forward, starts),
        "same lightness": _in_plane(wanted, _same_lightness(wanted), forward, starts),
    }
    found = []
    for flavour, device in ways.items():
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


def _nearest(wanted: Floats, forward: Callable[[Floats], Floats]) -> Floats:
    """Return device values (3,) at which ΔE00 is least."""
    nodes = lattice(33, 3)
    reached = forward(nodes)
    far = ((lab_to_din99o(reached) - lab_to_din99o(wanted)) ** 2).sum(axis=1)
    starts = nodes[np.argsort(far)[:_STARTS]]
    done = solve(forward, np.repeat(wanted[None], len(starts), axis=0), starts)
    # DIN99o is near to ΔE00, not the same, above all among blues.
    off = delta_e_2000(reached, np.broadcast_to(wanted, reached.shape))
    begun = (done.device[int(np.argmin(done.residual))], nodes[int(np.argmin(off))])
    ways = [_polished(start, wanted, forward) for start in begun]
    return min(ways, key=lambda way: way[1])[0]


def _in_plane(
    wanted: Floats,
    plane: tuple[Callable[[Floats], Floats], tuple[Floats, Floats]],
    forward: Callable[[Floats], Floats],
    starts: Callable[[Floats], Floats],
) -> Floats:
    """Return device values (3,) of the printable colour of a plane at which ΔE00 is least.

    Parameters
    ----------
    plane
        What makes colours (n, 3) of places (n, 2), and the lowest and highest place.
    """
    colours, (low, high) = plane
    step = (high - low) / 48
    places = low + (high - low) * lattice(49, 2)
    best: list[tuple[float, Floats, Floats]] = []
    for _ in range(7):
        Lab = colours(places)
        off = delta_e_2000(Lab, np.broadcast_to(wanted, Lab.shape))
        order = np.argsort(off)
        kept: list[tuple[float, Floats, Floats]] = []
        for begin in range(0, len(order), _BATCH):
            some = order[begin : begin + _BATCH]
            device = solve(forward, Lab[some], starts(Lab[some])).device
            held = delta_e_2000(forward(device), Lab[some]) < _HELD
            kept += [(float(off[i]), places[i], d) for i, d in zip(some[held], device[held], strict=True)]
            if len(kept) >= _FOLLOWED:
                break
        best = sorted(best + kept, key=lambda one: one[0])[:_FOLLOWED]
        if not best:  # the plane passes the gamut by between the places: nothing of it can be printed so far
            break
        step = step / 3
        around = (lattice(7, 2) - 0.5) * 6 * step
        places = np.clip(np.concatenate([place + around for _, place, _ in best]), low, high)
    return best[0][2] if best else _nearest(wanted, forward)


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


#: What each verdict is called in a sentence.
VERDICTS = {"holds": tr("holds"), "close": tr("is close"), "cannot be held": tr("cannot be held")}


def verdict(de00: float) -> str:
    """Say whether a colour can be held, from the least ΔE00 that can be had."""
    return "holds" if de00 <= OUT_OF_GAMUT else "close" if de00 <= LOST else "cannot be held"


def _same_hue(wanted: Floats) -> tuple[Callable[[Floats], Floats], tuple[Floats, Floats]]:
    hue = float(np.arctan2(wanted[2], wanted[1]))

    def colours(places: Floats) -> Floats:
        L, C = places.T
        return np.stack([L, C * np.cos(hue), C * np.sin(hue)], axis=1)

    return colours, (np.array([0.0, 0.0]), np.array([100.0, 140.0]))


def _same_lightness(wanted: Floats) -> tuple[Callable[[Floats], Floats], tuple[Floats, Floats]]:
    def colours(places: Floats) -> Floats:
        return np.concatenate([np.full((len(places), 1), wanted[0]), places], axis=1)

    return colours, (np.full(2, -128.0), np.full(2, 128.0))
