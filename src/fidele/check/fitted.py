"""Faults of a strength that is not known: more or less ink, one ink weak, yellowed, numbers bent after the conversion.

The strength is fitted to what was measured; how much a fit may gain by that alone is held against it in `cause`.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from fidele.arrays import Floats
from fidele.check.suspects import Suspicions
from fidele.colour.adaptation import BRADFORD
from fidele.colour.cie import lab_to_xyz, xyz_to_lab
from fidele.colour.uniform import lab_to_din99o

#: Yule-Nielsen factor of the plain ink model: light that spreads in the substrate.
_N = 2.0
INKS = ("cyan", "magenta", "yellow", "black")


@dataclass(frozen=True, eq=False)
class Fitted:
    """A fault with its strength: what it predicts (n, 3), its parameters, and how many of them were free."""

    code: str
    Lab: Floats
    strength: tuple[float, ...]
    free: int


class InkModel:
    """How the colour of patches changes with the amounts of inks, from a profile alone.

    Three broad bands (Bradford cone responses relative to the paper) give densities; what the solids of cyan, magenta
    and yellow have in them parts a patch's density into inks; what is common to all in dark patches is taken for black.
    In each band light that passes dots goes with reflectance to the power 1/n (Yule and Nielsen, Proc. TAGA 3, 1951).
    """

    def __init__(self, suspicions: Suspicions, black_share: float, steep: float) -> None:
        solids = np.array([[1, 1, 1], [0, 1, 1], [1, 0, 1], [1, 1, 0]], dtype=float)
        Lab = suspicions.predict(solids)
        self.white = lab_to_xyz(Lab[0]) @ BRADFORD.T
        self.right = suspicions.Lab["right"]
        density = self.density(self.right)
        of_solids = np.maximum(self.density(Lab[1:]), 0.0)
        amounts = np.maximum(density @ np.linalg.pinv(of_solids), 0.0)
        common = amounts.min(axis=1, keepdims=True)
        black = black_share * common * np.clip(common, 0, 1) ** steep
        amounts = amounts - black
        parts = [amounts[:, [i]] * of_solids[i] for i in range(3)]
        parts.append(black * of_solids.sum(axis=0))
        densities = np.stack(parts)  # (4, n, 3)
        self.rest = density - densities.sum(axis=0)
        solid = np.concatenate([of_solids, of_solids.sum(axis=0, keepdims=True) * black_share])
        self.dark = 1 - 10.0 ** (-np.maximum(densities.max(axis=1), solid) / _N)[:, None]
        self.covered = np.clip((1 - 10.0 ** (-densities / _N)) / np.maximum(self.dark, 1e-6), 0, None)

    def density(self, Lab: Floats) -> Floats:
        """Return densities (…, 3) over the paper in three bands."""
        response = lab_to_xyz(Lab) @ BRADFORD.T / self.white
        return -np.log10(np.clip(response, 1e-4, None))

    def printed(self, inks: Floats, yellowed: float = 0.0, gain: float = 1.0) -> Floats:
        """Return L*a*b* (n, 3) with inks (4,) of so much of their right amount, on a substrate yellowed so much.

        `gain` is the exponent by which dots differ from what they should be; less than 1 spreads them.
        """
        covered = self.covered if gain == 1.0 else self.covered ** max(gain, 0.2)
        less = np.clip(1 - inks[:, None, None] * covered * self.dark, 10.0 ** (-4 / _N), None)
        density = self.rest - _N * np.log10(less).sum(axis=0) + yellowed * np.array([0.05, 0.3, 1.0])
        return xyz_to_lab(10.0**-density * self.white @ np.linalg.inv(BRADFORD).T)


def fit(predict: Callable[[Floats], Floats], start: Floats, measured: Floats, rounds: int = 5) -> tuple[Floats, Floats]:
    """Fit parameters (k,) so that predicted L*a*b* (n, 3) come close to measured; return both.

    Damped Gauss-Newton steps (Levenberg, Q. Appl. Math. 2, 1944) on differences in DIN99o.
    """
    aim = lab_to_din99o(measured).ravel()
    at = np.array(start, dtype=float)
    Lab = predict(at)
    off = aim - lab_to_din99o(Lab).ravel()
    damping = 1e-2
    for _ in range(rounds):
        slopes = np.empty((len(off), len(at)))
        for k in range(len(at)):
            moved = at.copy()
            moved[k] += 0.01
            slopes[:, k] = (lab_to_din99o(predict(moved)).ravel() - (aim - off)) / 0.01
        square = slopes.T @ slopes
        step = np.linalg.solve(square + damping * np.diag(np.diag(square) + 1e-9), slopes.T @ off)
        tried = at + np.clip(step, -0.4, 0.4)
        there = predict(tried)
        left = aim - lab_to_din99o(there).ravel()
        if left @ left < off @ off:
            better = 1 - (left @ left) / (off @ off)
            at, Lab, off, damping = tried, there, left, damping * 0.3
            if better < 1e-3:
                break
        else:
            damping *= 10
    return at, Lab


def fitted_faults(suspicions: Suspicions, measured: Floats) -> list[Fitted]:
    """Return the faults whose strength is fitted to measured L*a*b* (n, 3)."""
    found = []
    models = [InkModel(suspicions, share, steep) for share, steep in ((0.35, 1.0), (0.7, 1.0), (0.8, 2.0))]
    one = np.ones(4)
    level, Lab = _best(models, lambda m, p: m.printed(np.full(4, p[0])), one[:1], measured)
    found.append(Fitted("less-ink" if level[0] < 1 else "more-ink", Lab, tuple(level), 1))
    for number, ink in enumerate(INKS):

        def only(m: InkModel, p: Floats, number: int = number) -> Floats:
            return m.printed(np.where(np.arange(4) == number, p[0], 1.0))

        level, Lab = _best(models, only, one[:1], measured)
        if level[0] < 1:
            found.append(Fitted(f"ink-weak:{ink}", Lab, tuple(level), 1))
    level, Lab = _best(models, lambda m, p: m.printed(p), one, measured)
    found.append(Fitted(_kind(level), Lab, tuple(level), 4))
    start = np.ones(5)
    level, Lab = _best(models, lambda m, p: m.printed(p[:4], 0.0, p[4]), start, measured)
    if abs(level[4] - 1) > 0.05:
        found.append(Fitted("unit", Lab, tuple(level), 5))
    if suspicions.transfer:
        level, Lab = _best(models, lambda m, p: m.printed(np.full(4, p[0]), p[1]), np.array([1.0, 0.0]), measured)
        if level[1] > 0.01:
            found.append(Fitted("over-pressed", Lab, tuple(level), 2))
    level, Lab = fit(lambda p: suspicions.predict(bent(suspicions.device, p)), np.zeros(4), measured, 4)
    found.append(Fitted("by-hand", Lab, tuple(level), 4))
    return found


def _kind(level: Floats) -> str:
    """Return what amounts of the four inks come to: one is weak, all are weaker or stronger, or it is another unit."""
    order = np.argsort(level)
    if level[order[1]] - level[order[0]] > 0.15:
        return f"ink-weak:{INKS[order[0]]}"
    if level.max() < 0.95:
        return "less-ink"
    return "more-ink" if level.min() > 1.04 else "unit"


def _best(
    models: list[InkModel], printed: Callable[[InkModel, Floats], Floats], start: Floats, measured: Floats
) -> tuple[Floats, Floats]:
    """Fit with each model; return the parameters and the prediction of the one that comes closer."""
    tried = [fit(lambda p, m=model: printed(m, p), start, measured) for model in models]  # type: ignore[misc]
    return min(tried, key=lambda t: float(np.abs(lab_to_din99o(t[1]) - lab_to_din99o(measured)).mean()))


def bent(numbers: Floats, how: Floats) -> Floats:
    """Return numbers (n, 3) as sliders bend them: lightness, colour, warmth and contrast (4,), 0 leaves them alone."""
    lightness, colour, warmth, contrast = how
    grey = numbers.mean(axis=1, keepdims=True)
    numbers = np.clip(grey + (numbers - grey) * (1 + colour), 0, 1)
    numbers = numbers ** np.exp(-lightness)
    numbers = numbers ** np.exp(-warmth * np.array([1.0, 0.0, -1.0]))
    return np.clip(numbers + contrast * (numbers - 0.5) * 4 * numbers * (1 - numbers), 0, 1)
