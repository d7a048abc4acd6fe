"""Whether detail survives a mapping: ramps and hue circles of sRGB, and what a printer makes of them.

What is asked: along ramps L* does not turn back where the source rises, no step all but vanishes, hue stays (CIE 156
names these as what mappings are judged by), and what can be printed stays where it is.
"""

from __future__ import annotations

import colorsys
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Floats
from fidele.colour.difference import delta_e_2000
from fidele.colour.oklab import lab_to_oklab
from fidele.dataclass import dataclass
from fidele.icc.spaces import srgb
from fidele.icc.tables import device_to_pcs_lab

#: What a mapping is to hold, with some room for what its table adds: L* turned back, the smallest step as a share of
#: the source's, degrees in Oklab, and ΔE00 by which the 95th percentile of printable colours moves.
_BACK, _STEP, _TURN, _MOVE = 0.1, 0.13, 2.5, 2.25
#: By how much more than that counts as one whole fault.
_BY = (0.5, 0.06, 3.0, 0.3)
#: So much L* turned back counts as one whole fault of what is not a table yet.
_MENDED = 5.0
#: A step of the source under so much ΔE00 is not looked at.
_SEEN = 0.2
#: Steps under this share of the source's are looked after.
_SMALL = 0.17
#: Below this chroma in Oklab, some 12 in L*a*b*, hue is not judged.
_GREY = 0.04


@dataclass(frozen=True, eq=False)
class Lines:
    """Ramps and circles, one behind the other.

    Attributes
    ----------
    Lab
        (n, 3) L*a*b* of their sRGB colours.
    joined
        (n - 1,) whether a colour and the next are of one line.
    ramp
        (n - 1,) whether that line leads from black or white to a full colour; False on circles and on its last step.
    """

    Lab: Floats
    joined: NDArray[np.bool_]
    ramp: NDArray[np.bool_]

    def beside(self, Lab: Floats) -> Lines:
        """Return them with one more line (n, 3), which is no ramp."""
        more = np.arange(len(Lab)) > 0
        ramp = np.append(self.ramp, np.zeros(len(Lab), bool))
        return Lines(np.concatenate([self.Lab, Lab]), np.append(self.joined, more), ramp)


@lru_cache(maxsize=4)
def lines(hues: int, steps: int) -> Lines:
    """Return greys, ramps from black and white to so many hues, in so many steps, and circles at three lightnesses."""
    t = np.linspace(0, 1, steps + 1)[:, None]
    # Greys as well, and the dark ones once more: what black is estimated from, and what is seen first.
    found = [t * np.ones(3), t**2 * np.ones(3)]
    for hue in np.arange(hues) / hues:
        full = np.array(colorsys.hsv_to_rgb(float(hue), 1, 1))
        found += [t * full, 1 - t * (1 - full)]
    circle = np.array([colorsys.hsv_to_rgb(float(h), 1, 1) for h in np.linspace(0, 1, 3 * steps + 1)])
    parts = [*found, 0.5 * circle, circle, 0.5 + 0.5 * circle]
    ends = np.cumsum([len(part) for part in parts])
    joined = np.ones(ends[-1] - 1, bool)
    joined[ends[:-1] - 1] = False
    ramp = joined.copy()
    ramp[ends[len(found) - 1] - 1 :] = False
    return Lines(device_to_pcs_lab(srgb(), np.concatenate(parts)), joined, ramp)


@dataclass(frozen=True)
class Detail:
    """What became of it: L* turned back, smallest step, hue turned in degrees, and how far printable colours move."""

    back: float
    step: float
    turn: float
    move: float

    @property
    def short(self) -> float:
        """By how much it falls short of what is asked, all faults together; 0 where it does not."""
        return self._short(_BY)

    @property
    def short_before(self) -> float:
        """The same before a table is drawn straight: what turns back is mended there, as long as it is not much."""
        return self._short((_MENDED, *_BY[1:]))

    def _short(self, tolerances: tuple[float, ...]) -> float:
        over = (self.back - _BACK, _STEP - self.step, self.turn - _TURN, self.move - _MOVE)
        return float(sum(max(0.0, o) / by for o, by in zip(over, tolerances, strict=True)))


def detail_of(known: Lines, wanted: Floats, printed: Floats, move: float) -> Detail:
    """Compare lines as they were wanted (n, 3), black on black, with how they are printed (n, 3)."""
    back, top = 0.0, 0.0
    level = 0.0
    for step, inside in zip(_climb(known, printed), known.joined, strict=True):
        level = level + step if inside else 0.0
        top = max(top, level) if inside else 0.0
        back = max(back, top - level)
    least = min(float(_shares(known, printed, over).min()) for over in (1, 2))
    return Detail(back, least, float(turned(wanted, printed).max(initial=0)), move)


def turned(wanted: Floats, printed: Floats) -> Floats:
    """Return by how many degrees in Oklab the hues of colours (n, 3) have turned; 0 where one is all but grey."""
    ok, got = lab_to_oklab(wanted), lab_to_oklab(printed)
    turn = np.degrees(np.arctan2(got[:, 2], got[:, 1]) - np.arctan2(ok[:, 2], ok[:, 1]))
    seen = np.minimum(np.hypot(*ok[:, 1:].T), np.hypot(*got[:, 1:].T)) > _GREY
    return np.where(seen, np.abs((turn + 180) % 360 - 180), 0.0)


def lost(known: Lines, printed: Floats, least: float = _SMALL) -> NDArray[np.bool_]:
    """Tell of each step (n - 1,) whether it turns back, or is under this share of the source's, or lies beside one."""
    from scipy.ndimage import binary_dilation

    small = _shares(known, printed, 1) < least
    two = _shares(known, printed, 2) < least
    small[:-1] |= two
    small[1:] |= two
    return binary_dilation(small | (_climb(known, printed) < -0.01), np.ones(3, bool))


def levelled(known: Lines, Lab: Floats) -> Floats:
    """Return colours (n, 3) along lines whose L* turns back on no ramp: where it did, midway between its bounds."""
    out, rises = Lab.copy(), np.sign(np.diff(known.Lab[:, 0]))
    ends = np.flatnonzero(~known.joined) + 1
    for first, end in zip(np.append(0, ends), np.append(ends, len(Lab)), strict=True):
        if end - first > 2 and known.ramp[first]:
            up = rises[first]
            L = up * Lab[first:end, 0]
            highest, lowest = np.maximum.accumulate(L), np.minimum.accumulate(L[::-1])[::-1]
            out[first:end, 0] = up * (highest + lowest) / 2
    return out


def _climb(known: Lines, printed: Floats) -> Floats:
    """Return by how much L* rises (n - 1,) where it rises in the source, and falls where it falls."""
    climb: Floats = np.diff(printed[:, 0]) * np.sign(np.diff(known.Lab[:, 0])) * known.ramp
    return climb


def _shares(known: Lines, printed: Floats, over: int) -> Floats:
    """Return the length of each so many steps (n - over,) as a share of the source's; 1 where they are not judged."""
    source = delta_e_2000(known.Lab[:-over], known.Lab[over:])
    # The last step of a ramp, some 3 %, belongs to the very tip; what nobody could see in the source is none.
    judged = known.joined & ~(known.ramp & ~np.append(known.ramp[1:], False))
    if over == 2:
        judged = judged[:-1] & judged[1:]
    share = delta_e_2000(printed[:-over], printed[over:]) / np.maximum(source, 1e-6)
    return np.where(judged & (source > _SEEN), share, 1.0)
