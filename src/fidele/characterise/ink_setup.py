"""What a page of ink ramps tells: how much of each ink is of use, how much of all together, and even steps of each.

Amounts are area coverages as files state them, 0 to 1. A *place* of an ink, 0 to 1, is how far its ramp has come on
its way from the bare media to its last useful amount, in L*a*b*: even places are even steps to the eye.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import field
from math import comb

import numpy as np

from fidele.arrays import Floats
from fidele.chart.ink_set import BLACK, InkSet
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.language import tr

#: More ink that moves a colour less than this, in L*a*b*, is of no use: it cannot be seen.
_UNSEEN = 0.8
#: A ramp has so many steps at least.
_STEPS = 4
#: Less than this of all inks spoils two inks over each other, whatever black would do with.
_LEAST_TOTAL = 2.0
#: Within so much an ink is not there.
_NONE = 1e-3
#: Entries of a curve.
_ENTRIES = 257
#: Draws a curve through steps of a ramp, and returns it where it is asked for: amounts, how far it came, where.
_Curve = Callable[[Floats, Floats, Floats], Floats]


@dataclass(frozen=True, eq=False)
class InkSetup:
    """How much ink a press is to be given.

    Attributes
    ----------
    most
        (k,) the last useful amount of each.
    total
        The most of all together; 1 is one full ink.
    curves
        (k, 257) amounts of each ink at even places from 0 to 1.
    measured
        Whether a ramp of all inks over each other told the total.
    inks
        Which inks they are.
    """

    most: Floats
    total: float
    curves: Floats
    measured: bool = False
    inks: InkSet = field(default_factory=InkSet)

    def laid(self, places: Floats) -> Floats:
        """Return amounts (n, k) at places (n, k); what lies beyond 0 and 1 is cut off."""
        at = np.linspace(0, 1, _ENTRIES)
        return np.stack([np.interp(p, at, curve) for p, curve in zip(places.T, self.curves, strict=True)], axis=1)

    def places(self, amounts: Floats) -> Floats:
        """Return the places (n, k) of amounts (n, k); beyond the last useful amount nothing changes."""
        at = np.linspace(0, 1, _ENTRIES)
        return np.stack([np.interp(a, curve, at) for a, curve in zip(amounts.T, self.curves, strict=True)], axis=1)

    def limited(self, places: Floats) -> Floats:
        """Return places (n, k) of which colours are reduced alike until all together are within the total."""
        amounts = self.laid(places)
        black = amounts[:, BLACK].copy()
        room = np.maximum(self.total - black, 0) / np.maximum(amounts.sum(axis=1) - black, 1e-9)
        amounts *= np.minimum(room, 1)[:, None]
        amounts[:, BLACK] = black
        return self.places(amounts)

    def words(self) -> list[str]:
        """Say what is of use."""
        said = []
        for name, most in zip(self.inks.names, self.most, strict=True):
            if most < 0.995:
                said.append(
                    tr("Of {ink} {most:.0f} % is all that shows: more changes nothing.", ink=tr(name), most=100 * most)
                )
        if self.measured:
            said.append(tr("All inks together: no darker above {total:.0f} %.", total=100 * self.total))
        return said


def setup_of(amounts: Floats, Lab: Floats, total: float | None = None, inks: InkSet | None = None) -> InkSetup:
    """Read a setup from what was printed of amounts (n, k) and measured, L*a*b* (n, 3); of CMYK where nobody says.

    Ramps of each ink alone and, where black lies under equal amounts of the others, of all of them, are looked for
    among the patches. `total` is what the media holds, where somebody knows it; the smaller one counts.

    Raises
    ------
    FideleError
        When the bare media or the ramp of an ink is missing.
    """
    bare = amounts.max(axis=1) < _NONE
    if not bare.any():
        raise FideleError(tr("The bare media (no ink at all) was not measured: it is the white of the profile."))
    white = Lab[bare].mean(axis=0)
    of = inks or InkSet()
    most, curves = np.ones(len(of)), np.empty((len(of), _ENTRIES))
    for ink, name in enumerate(of.names):
        others = np.delete(amounts, ink, axis=1).max(axis=1) < _NONE
        rows = np.flatnonzero(others & ~bare)
        if len(np.unique(np.round(amounts[rows, ink], 3))) < _STEPS or amounts[rows, ink].max(initial=0) < 0.85:
            raise FideleError(
                tr("There is no ramp of {ink} alone, from little to full: print a target that has one.", ink=tr(name))
            )
        at, way, line = _ramp(amounts[rows, ink], Lab[rows], white)
        # A ramp that goes back in the end, as bronzing inks do, is one up to where it turns.
        last = int(way.argmax()) if way.max() > way[-1] + _UNSEEN else len(way) - 1
        at, way = at[: last + 1], _pooled(way[: last + 1])
        most[ink] = _enough(at, line[: last + 1])
        curves[ink] = _even(at, way, most[ink])
    told = _darkest(amounts, Lab)
    known = [value for value in (total, told) if value is not None]
    limit = max(min(known), min(known) if total is not None else _LEAST_TOTAL) if known else amounts.sum(axis=1).max()
    return InkSetup(most, float(limit), curves, told is not None, of)


def alone(amounts: Floats, Lab: Floats) -> list[tuple[Floats, Floats]]:
    """Return for each ink its amounts, 0 first, and how far its ramp has come from the bare media at each."""
    bare = amounts.max(axis=1) < _NONE
    white = Lab[bare].mean(axis=0)
    found = []
    for ink in range(amounts.shape[1]):
        rows = np.flatnonzero((np.delete(amounts, ink, axis=1).max(axis=1) < _NONE) & ~bare)
        at, way, _ = _ramp(amounts[rows, ink], Lab[rows], white)
        found.append((at, way))
    return found


def together(amounts: Floats, Lab: Floats) -> tuple[Floats, Floats]:
    """Return the totals (m,) of black under equal amounts of the others, and L* (m,) at each."""
    process = (np.ptp(amounts[:, :BLACK], axis=1) < 0.02) & (amounts[:, BLACK + 1 :].max(axis=1, initial=0) < _NONE)
    rows = np.flatnonzero((amounts[:, BLACK] > 1 - _NONE) & process)
    total, which = np.unique(np.round(amounts[rows].sum(axis=1), 3), return_inverse=True)
    return total, np.bincount(which, Lab[rows, 0]) / np.maximum(np.bincount(which), 1)


def _ramp(amounts: Floats, Lab: Floats, white: Floats) -> tuple[Floats, Floats, Floats]:
    """Return amounts (m,), each once and 0 first, how far (m,) the ramp is from the media at each, and its L*a*b*."""
    at, which = np.unique(np.round(amounts, 4), return_inverse=True)
    mean = np.stack([np.bincount(which, Lab[:, k]) / np.bincount(which) for k in range(3)], axis=1)
    line = np.vstack([white, mean])
    return np.concatenate([[0.0], at]), np.linalg.norm(line - white, axis=1), line


def _pooled(values: Floats) -> Floats:
    """Return the nearest values that never fall, least squares (Ayer and others, 1955: adjacent violators pooled)."""
    from scipy.optimize import isotonic_regression

    return np.asarray(isotonic_regression(values).x)


def _enough(at: Floats, line: Floats) -> float:
    """Return the amount from which on more of it is not seen: no later colour of the ramp is another one."""
    later = [float(np.linalg.norm(line[k:] - line[k], axis=1).max()) for k in range(len(at))]
    seen = int(np.flatnonzero(np.array(later) > _UNSEEN)[-1])
    share = (later[seen] - _UNSEEN) / max(later[seen] - later[seen + 1], 1e-9)
    found = at[seen] + share * (at[seen + 1] - at[seen])
    # Where the last step itself is a large one the ramp rises to its end.
    return float(at[-1] if found > 0.94 * at[-1] else found)


def _even(at: Floats, way: Floats, most: float) -> Floats:
    """Return the amounts (257,) at even places up to the last useful one.

    What a measurement errs by must not bend the places by which a whole printer is fitted, and where a ramp itself
    bends they have to follow: of several curves that one is taken by which steps that are left out are told best.
    """
    inside = at <= most + 1e-9
    there, come = at[inside] / most, way[inside]
    amount = np.linspace(0, 1, 4 * _ENTRIES)
    drawn = min(_CURVES, key=lambda curve: _missed(curve, there, come))(there, come, amount)
    # Where a ramp stands still its curve would jump: a little of the straight way keeps it going.
    drawn = 0.97 * drawn / drawn[-1] + 0.03 * amount
    return np.interp(np.linspace(0, 1, _ENTRIES), drawn, amount * most)


def _missed(curve: _Curve, at: Floats, way: Floats) -> float:
    """Return how far off steps are told by the others, mean square; both ends are always there."""
    off = []
    for step in range(1, len(at) - 1):
        others = np.arange(len(at)) != step
        off.append(float(curve(at[others], way[others], at[step : step + 1])[0] - way[step]))
    return float(np.mean(np.square(off)))


def _rising(degree: int) -> _Curve:
    """Return what draws a polynomial that rises everywhere through a ramp: Bernstein's, its coefficients in order."""

    def shares(at: Floats) -> Floats:
        each = [comb(degree, k) * at**k * (1 - at) ** (degree - k) for k in range(1, degree + 1)]
        return np.cumsum(np.stack(each, axis=1)[:, ::-1], axis=1)[:, ::-1]

    def drawn(at: Floats, way: Floats, where: Floats) -> Floats:
        from scipy.optimize import nnls

        return np.asarray(shares(where) @ nnls(shares(at), way)[0])

    return drawn


def _through(at: Floats, way: Floats, where: Floats) -> Floats:
    """Draw a curve through all steps of a ramp, which it never leaves (Fritsch and Butland, 1984)."""
    from scipy.interpolate import PchipInterpolator

    return np.asarray(PchipInterpolator(at, _pooled(way))(where))


#: Curves that a ramp is drawn by, the smoothest first.
_CURVES: tuple[_Curve, ...] = (_rising(5), _rising(8), _rising(14), _through)


def _darkest(amounts: Floats, Lab: Floats) -> float | None:
    """Return the total from which on more ink is no darker; None where no patches tell."""
    total, L = together(amounts, Lab)
    if len(total) < _STEPS:
        return None
    dark = _pooled(-L)
    wanted = dark[-1] - _UNSEEN
    over = int(np.argmax(dark >= wanted))
    if over == 0:
        return float(total[0])
    share = (wanted - dark[over - 1]) / max(dark[over] - dark[over - 1], 1e-9)
    return float(total[over - 1] + share * (total[over] - total[over - 1]))
