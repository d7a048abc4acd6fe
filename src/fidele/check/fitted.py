"""Faults of a strength that is not known, fitted to what was measured: of inks, of numbers, of the measuring.

How much a fit may gain by its freedom alone is held against it in `evidence`.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np

from fidele.arrays import Floats
from fidele.check.inks import INKS, InkModel, yellowed
from fidele.check.suspects import Suspicions
from fidele.colour.cie import D50, lab_to_xyz, xyz_to_lab
from fidele.colour.uniform import lab_to_din99o
from fidele.dataclass import dataclass

#: How much of what is common to all inks is black, and how fast it grows: every one is tried.
_SHARES = ((0.35, 1.0), (0.5, 2.0), (0.7, 1.0), (0.8, 2.0))
_BLACKS = (*_SHARES, (0.2, 1.0), (0.95, 3.0), (0.5, 0.5))
#: Where black begins on the way to black, and how fast it grows.
_BEGINS, _GROWS = (0.0, 0.15, 0.3, 0.45, 0.6), (1.0, 1.8, 3.0)
#: A share of the dye at which patches are seen to be paler; how far a damp spot reaches, in mm; from what spread on.
_PALER, _BLOT, _UNEVEN = 0.8, 16.0, 0.06
#: Tristimulus values of what a brightener gives off, a band about 440 nm (CIE 1931, relative to its Z).
_GLOW = np.array([0.2, 0.02, 1.0])
#: An ink below this share is weak or missing; all of them below the second hardly take.
_WEAK, _NONE = 0.8, 0.4


@dataclass(frozen=True, eq=False)
class Fitted:
    """A fault with its strength: what it predicts (n, 3), its parameters, and how many of them were free."""

    code: str
    Lab: Floats
    strength: tuple[float, ...]
    free: float


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
    """Return the faults whose strength is fitted to measured L*a*b* (n, 3); some codes several times, by other models.

    Of the driver's conversion, where it was never probed, a general one is fitted.
    """
    found = [*_of_inks(suspicions, measured), *_of_black(suspicions, measured), *_of_numbers(suspicions, measured)]
    if suspicions.transfer:
        found += _of_press(suspicions, measured)
    return [*found, *_of_measuring(suspicions, measured)]


def _of_inks(suspicions: Suspicions, measured: Floats) -> Iterator[Fitted]:
    models = [InkModel(suspicions, share, steep) for share, steep in _SHARES]
    device, one = suspicions.device, np.ones(4)
    level, Lab = _best(models, lambda m, p: m.printed(np.full(4, p[0])), one[:1], measured)
    yield Fitted(_all_of_them(level[0]), Lab, tuple(level), 1)
    level, Lab = fit(lambda p: suspicions.predict(1 - (1 - device) * p[0]), one[:1], measured)
    yield Fitted(_all_of_them(level[0]), Lab, tuple(level), 1)
    for number, ink in enumerate(INKS[:3]):
        mine = np.arange(4) == number

        def only(m: InkModel, p: Floats, mine: Floats = mine) -> Floats:
            return m.printed(np.where(mine, p[0], 1.0))

        def numbers(p: Floats, mine: Floats = mine[:3]) -> Floats:
            return suspicions.predict(1 - (1 - device) * np.where(mine, p[0], 1.0))

        for level, Lab in (_best(models, only, 0.6 * one[:1], measured, 7), fit(numbers, 0.6 * one[:1], measured, 7)):
            # Somewhat weak, and it is an ink that fails or a unit that has drifted: nobody can tell.
            if level[0] < _WEAK + 0.1:
                yield Fitted(f"ink-weak:{ink}", Lab, tuple(level), 1)
            if _WEAK - 0.1 < level[0] < 0.97:
                yield Fitted("unit", Lab, tuple(level), 1)
    level, Lab = _best(models, lambda m, p: m.printed(p), one, measured)
    yield Fitted(_kind(level), Lab, tuple(level), 4)
    level, Lab = _best(models, lambda m, p: m.printed(p[:4], 0.0, p[4]), np.ones(5), measured)
    yield Fitted(_kind(level[:4]), Lab, tuple(level), 5)
    level, Lab = fit(
        lambda p: suspicions.predict(np.clip(1 - (1 - device) * p[:3], 1e-6, 1) ** p[3]), np.ones(4), measured
    )
    # All alike but for the tones between: no ink, but numbers that somebody bent.
    tones = np.ptp(level[:3]) < 0.06 and abs(level[:3].mean() - 1) < 0.05
    yield Fitted("by-hand" if tones else _kind(level[:3]), Lab, tuple(level), 4)


def _of_black(suspicions: Suspicions, measured: Floats) -> Iterator[Fitted]:
    """Black alone weak: as the ink model has it, and as greys give way toward black whatever the driver does."""
    models = [InkModel(suspicions, share, steep) for share, steep in _BLACKS]

    def only(m: InkModel, p: Floats) -> Floats:
        return m.printed(np.array([1.0, 1.0, 1.0, p[0]]))

    level, Lab = _best(models, only, np.array([0.6]), measured, 7)
    if level[0] < 0.97:
        yield Fitted("ink-weak:black", Lab, tuple(level), 1)
    depth, right = (1 - suspicions.device).min(axis=1), lab_to_xyz(suspicions.Lab["right"])
    for begins in _BEGINS:
        for grows in _GROWS:
            share = (np.clip((depth - begins) / (1 - begins), 0, 1) ** grows)[:, None]

            def lighter(p: Floats, share: Floats = share) -> Floats:
                return xyz_to_lab(right * 10.0 ** (p[0] * share))

            level, Lab = fit(lighter, np.array([0.3]), measured, 6)
            if level[0] > 0.02:
                yield Fitted("ink-weak:black", Lab, tuple(level), 2)


def _of_press(suspicions: Suspicions, measured: Floats) -> Iterator[Fitted]:
    models = [InkModel(suspicions, share, steep) for share, steep in _SHARES]
    one = np.ones(4)
    level, Lab = _best(models, lambda m, p: m.printed(one, p[0], p[1]), np.array([0.05, 1.0]), measured)
    if level[0] > 0.01:
        yield Fitted("over-pressed", Lab, tuple(level), 2)
    level, Lab = _best(models, lambda m, p: m.printed(np.full(4, p[1]), p[0]), np.array([0.05, 1.0]), measured)
    if level[0] > 0.01:
        yield Fitted("over-pressed", Lab, tuple(level), 2)
    less = 1 - suspicions.device

    def spread(p: Floats) -> Floats:
        return yellowed(suspicions.predict(1 - np.clip(less, 1e-6, 1) ** p[1]), p[0])

    level, Lab = fit(spread, np.array([0.05, 0.9]), measured)
    if level[0] > 0.01:
        yield Fitted("over-pressed", Lab, tuple(level), 2)
    level, Lab = _best(models, lambda m, p: m.pressed(p[0]), np.array([0.2]), measured)
    if level[0] > 0.03:
        yield Fitted("under-pressed", Lab, tuple(level), 1)
    if len(suspicions.places) == len(measured):
        yield from _uneven(models[1], suspicions.places, measured)


def _uneven(model: InkModel, places: Floats, measured: Floats) -> Iterator[Fitted]:
    """Less dye in some places than in others, as their neighbours tell: a patch never speaks for itself."""
    full = lab_to_din99o(model.right)
    less = lab_to_din99o(model.uneven(np.full(len(places), _PALER))) - full
    weight = (less**2).sum(axis=1)
    missing = ((lab_to_din99o(measured) - full) * less).sum(axis=1) / np.maximum(weight, 1e-6)
    near = np.exp(-((places[:, None] - places[None]) ** 2).sum(axis=2) / (2 * _BLOT**2)) * weight
    np.fill_diagonal(near, 0.0)
    # Twice, the second time without patches that their neighbours contradict.
    for _ in range(2):
        there = near @ missing / np.maximum(near.sum(axis=1), 1e-6)
        near = near * np.clip(1.5 - np.abs(missing - there), 0.0, 1.0)
    share = np.clip(1 - (1 - _PALER) * there, 0.02, 1.1)
    if np.ptp(np.percentile(share, (10, 90))) > _UNEVEN:
        yield Fitted("uneven", model.uneven(share), (float(share.min()), float(share.max())), 5)


def _of_numbers(suspicions: Suspicions, measured: Floats) -> Iterator[Fitted]:
    if not suspicions.driver_known:
        for code, numbers in (("converted-twice", suspicions.device), ("driver-only", suspicions.rgb)):
            less = 1 - numbers
            mixed = [less[:, [i]] * less[:, [j]] for i, j in ((0, 1), (0, 2), (1, 2))]
            terms = np.concatenate([less, less * less, *mixed], axis=1)

            def converted(p: Floats, numbers: Floats = numbers, terms: Floats = terms) -> Floats:
                return suspicions.predict(np.clip(numbers + terms @ p.reshape(9, 3), 0, 1))

            _, Lab = fit(converted, np.zeros(27), measured)
            yield Fitted(code, Lab, (), 10)
    # People move one slider, or a few.
    for bend, count in ((bent, 4), (balanced, 6)):
        for number in range(count):

            def one(p: Floats, bend: Callable = bend, count: int = count, number: int = number) -> Floats:
                return suspicions.predict(bend(suspicions.device, p[0] * np.eye(count)[number]))

            level, Lab = fit(one, np.zeros(1), measured)
            yield Fitted("by-hand", Lab, tuple(level), 1.5)
    level, Lab = fit(lambda p: suspicions.predict(bent(suspicions.device, p)), np.zeros(4), measured)
    yield Fitted("by-hand", Lab, tuple(level), 4)
    level, Lab = fit(lambda p: suspicions.predict(balanced(suspicions.device, p)), np.zeros(6), measured)
    yield Fitted("by-hand", Lab, tuple(level), 6)


def _of_measuring(suspicions: Suspicions, measured: Floats) -> Iterator[Fitted]:
    XYZ = lab_to_xyz(suspicions.Lab["right"])
    white = XYZ[suspicions.Lab["right"][:, 0].argmax()]
    yield Fitted("measured-relative", xyz_to_lab(XYZ / white * D50), (), 0)
    level, Lab = fit(lambda p: xyz_to_lab(XYZ * (1 - p[0]) + p[0] * D50), np.array([0.02]), measured)
    if level[0] > 0.003:
        yield Fitted("veiled", Lab, tuple(level), 1)
    share, light = XYZ / D50, white / D50
    # What ink lets through of ultraviolet comes back blue: as much as it lets through of light, twice.
    let_in = np.exp(np.log(np.clip(XYZ / white, 1e-4, 1)).mean(axis=1, keepdims=True))
    level, Lab = fit(lambda p: xyz_to_lab(np.clip(XYZ + p[0] * let_in * _GLOW, 1e-6, None)), np.zeros(1), measured)
    yield Fitted("brightener", Lab, tuple(level), 1)

    def seen(p: Floats) -> Floats:
        """Another light or observer mixes the three, and leaves the paper's white alone."""
        mix = p.reshape(3, 3)
        mix = mix - np.outer(light, light @ mix) / (light @ light)
        return xyz_to_lab(np.clip(share @ (np.eye(3) + mix), 1e-5, None) * D50)

    level, Lab = fit(seen, np.zeros(9), measured)
    yield Fitted("measured-otherwise", Lab, tuple(level), 6)
    if not suspicions.ordered:
        return
    right, count = suspicions.Lab["right"], len(XYZ)
    even, aim = lab_to_din99o(right), lab_to_din99o(measured)
    by = min(range(1, count), key=lambda k: float(np.linalg.norm(np.roll(even, k, axis=0) - aim, axis=1).mean()))
    yield Fitted("mixed-up:shifted", np.roll(right, by, axis=0), (float(by),), 1)
    yield Fitted("mixed-up:reversed", right[::-1], (), 0)


def _all_of_them(level: float) -> str:
    return "no-dye" if level < _NONE else "less-ink" if level < 1 else "more-ink"


def _kind(level: Floats) -> str:
    """Return what amounts of inks come to: one is weak, all are weaker or stronger alike, or it is another unit."""
    order = np.argsort(level)
    if level[order[0]] < _WEAK - 0.05 and level[order[1]] - level[order[0]] > 0.2:
        return f"ink-weak:{INKS[order[0]]}"
    alike = np.ptp(level) < 0.13
    if level.max() < 0.85 or (level.max() < 0.95 and alike):
        return "less-ink"
    return "more-ink" if level.min() > 1.15 or (level.min() > 1.04 and alike) else "unit"


def _best(
    models: list[InkModel],
    printed: Callable[[InkModel, Floats], Floats],
    start: Floats,
    measured: Floats,
    rounds: int = 5,
) -> tuple[Floats, Floats]:
    """Fit with each model; return the parameters and the prediction of the one that comes closer."""
    tried = [fit(lambda p, m=model: printed(m, p), start, measured, rounds) for model in models]  # type: ignore[misc]
    return min(tried, key=lambda t: float(np.abs(lab_to_din99o(t[1]) - lab_to_din99o(measured)).mean()))


def bent(numbers: Floats, how: Floats) -> Floats:
    """Return numbers (n, 3) as sliders bend them: lightness, colour, warmth and contrast (4,), 0 leaves them alone."""
    lightness, colour, warmth, contrast = how
    grey = numbers.mean(axis=1, keepdims=True)
    numbers = np.clip(grey + (numbers - grey) * (1 + colour), 0, 1)
    numbers = numbers ** np.exp(-lightness)
    numbers = numbers ** np.exp(-warmth * np.array([1.0, 0.0, -1.0]))
    return np.clip(numbers + contrast * (numbers - 0.5) * 4 * numbers * (1 - numbers), 0, 1)


def balanced(numbers: Floats, how: Floats) -> Floats:
    """Return numbers (n, 3) as more sliders bend them: lightness, colour, red, blue, contrast and shadows (6,)."""
    lightness, colour, red, blue, contrast, shadows = how
    grey = numbers.mean(axis=1, keepdims=True)
    numbers = np.clip(grey + (numbers - grey) * (1 + colour), 0, 1)
    numbers = numbers ** np.exp(-lightness)
    numbers = numbers ** np.exp(-np.array([red, 0.0, blue]))
    numbers = np.clip(numbers + contrast * (numbers - 0.5) * 4 * numbers * (1 - numbers), 0, 1)
    return np.clip(numbers + 1.2 * shadows * numbers * (1 - numbers) * np.exp(-3 * numbers), 0, 1)
