"""Prints of strangers with a fault each, as a check meets them: what was measured, and what may be called right."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from functools import cache

import numpy as np

from fidele.chart.family import control_chart
from fidele.colour.cie import D50, lab_to_xyz, xyz_to_lab
from fidele.icc.profile import Profile
from fidele.icc.spaces import oprgb, srgb
from fidele.icc.transform import Intent, convert
from tests.street.kinds import Stranger, ink_set
from tests.street.physics import WAVELENGTHS, Glowing

#: Units of a model differ by so much in each ink; within that a print is right.
SPREAD = 0.012


@cache
def _weights_a() -> np.ndarray:
    """Weights (36, 3) of illuminant A and the 2 degree observer, by colour-science."""
    import colour

    shape = colour.SpectralShape(380, 730, 10)
    light = colour.SDS_ILLUMINANTS["A"].copy().align(shape).values
    eye = colour.MSDS_CMFS["CIE 1931 2 Degree Standard Observer"].copy().align(shape).values
    weights: np.ndarray = light[:, None] * eye
    return weights / weights[:, 1].sum()


@dataclass(frozen=True)
class Case:
    """A print with a fault, measured.

    Attributes
    ----------
    name
        What was done.
    kinds
        Codes of causes that name it rightly; 'right' where nothing is wrong.
    Lab
        (n, 3) as measured, absolute.
    uncertainty
        Mean ΔE00 by which whoever measured it is off.
    seen
        ΔE00 (n,) of the fault itself, without noise: what a person would see.
    """

    name: str
    kinds: tuple[str, ...]
    Lab: np.ndarray
    uncertainty: float
    seen: np.ndarray
    known_driver: bool
    by_scanner: bool


@dataclass(frozen=True)
class Workshop:
    """A stranger with its profile, and another media of its shelf with that one's."""

    mine: Stranger
    profile: Profile
    other: Stranger
    others_profile: Profile
    driver: Callable[[np.ndarray], np.ndarray]
    measured_driver: Callable[[np.ndarray], np.ndarray] | None = None

    def wanted(self, intent: Intent = Intent.RELATIVE, bpc: bool = True, space: Profile | None = None) -> np.ndarray:
        rgb = control_chart().rgb.astype(np.float32)
        return convert(rgb, space or srgb(), self.profile, intent, bpc).astype(float)


def with_separation(stranger: Stranger, change: Callable[[np.ndarray], np.ndarray]) -> Stranger:
    """Return a stranger whose ink amounts (n, k) are changed on their way to the paper."""
    return replace(stranger, separation=lambda rgb, under=stranger.separation: np.clip(change(under(rgb)), 0, 1))


def _scale(number: int, by: float) -> Callable[[np.ndarray], np.ndarray]:
    def change(ink: np.ndarray) -> np.ndarray:
        made = ink.copy()
        made[:, number] *= by
        return made

    return change


def _yellowed(stranger: Stranger, by: float, gain: float) -> Stranger:
    filter_ = 10.0 ** -(by * np.exp(-(WAVELENGTHS - 380) / 60))
    physics = stranger.physics
    return replace(stranger, physics=lambda ink: physics(ink**gain) * filter_)


def _slid(numbers: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """Return numbers as hand sliders of some driver bend them: gamma, colour balance or saturation, one or two."""
    out = numbers.copy()
    which = rng.choice(4, 1 + rng.integers(2), replace=False)
    if 0 in which:
        out = out ** rng.choice([0.8, 0.86, 1.15, 1.25])
    if 1 in which:
        grey = out.mean(axis=1, keepdims=True)
        out = grey + (out - grey) * rng.choice([0.75, 1.2, 1.35])
    if 2 in which:
        out = np.clip(out, 0, 1) ** (1 + rng.choice([-0.18, 0.18, 0.12]) * np.eye(3)[rng.integers(3)])
    if 3 in which:
        out = out + rng.choice([-0.1, 0.12]) * np.sin(2 * np.pi * out) / 2
    return np.clip(out, 0, 1)


def scanner_error(Lab: np.ndarray, rng: np.random.Generator, mean: float) -> np.ndarray:
    """Return readings as a characterised scanner is off: smoothly, by hue and depth, more in the darks."""
    a, b, L = Lab[:, 1] / 60, Lab[:, 2] / 60, (Lab[:, 0] - 50) / 50
    terms = np.stack([np.ones_like(L), L, a, b, L * L, a * a, b * b, a * b, L * a, L * b], axis=1)
    off = terms @ rng.normal(0, 1, (10, 3)) * (1.3 - 0.5 * L)[:, None]
    return Lab + off * mean / max(1e-6, float(np.linalg.norm(off, axis=1).mean()))


def cases(shop: Workshop, rng: np.random.Generator) -> Iterator[Case]:
    """Give prints of a workshop: right ones, and one of each fault."""
    mine = shop.mine.unit(rng, SPREAD)
    chart = control_chart()
    rgb, right = chart.rgb, shop.wanted()
    truth = xyz_to_lab(shop.mine.xyz(right))
    count = mine.separation(np.zeros((1, 3))).shape[1]

    def made(name: str, kinds: tuple[str, ...], stranger: Stranger, numbers: np.ndarray, after=None) -> Case:  # type: ignore[no-untyped-def]
        from fidele.colour.difference import delta_e_2000

        clean = xyz_to_lab(stranger.xyz(numbers))
        Lab, scanner = clean, bool(rng.integers(2))
        if after is not None:
            Lab, scanner = after(Lab), False
        seen = delta_e_2000(truth, Lab)
        noise = shop.mine.noise
        Lab = Lab + rng.normal(0, noise, Lab.shape) * [0.6, 1, 1]
        off = float(rng.uniform(0.25, 0.8))
        if scanner:
            Lab = scanner_error(Lab, rng, off)
        uncertainty = off if scanner else max(0.1, noise)
        return Case(name, kinds, Lab, uncertainty, seen, bool(rng.random() < 0.7), scanner)

    again = shop.driver
    yield made("right", ("right",), mine, right)
    yield made("right, another unit", ("right",), shop.mine.unit(rng, SPREAD), right)
    yield made("converted twice", ("converted-twice",), mine, again(right))
    twice = convert(right.astype(np.float32), srgb(), shop.profile, Intent.RELATIVE, True).astype(float)
    yield made("twice by system", ("twice-by-system", "converted-twice"), mine, twice)
    yield made("not converted", ("not-converted",), mine, rgb)
    yield made("driver only", ("driver-only",), mine, again(rgb))
    for intent in (Intent.SATURATION, Intent.ABSOLUTE):
        yield made(
            f"intent {intent.value}", ("wrong-intent",), mine, shop.wanted(intent, intent is not Intent.ABSOLUTE)
        )
    yield made("source", ("wrong-source",), mine, shop.wanted(space=oprgb()))
    through = convert(rgb.astype(np.float32), srgb(), shop.others_profile, Intent.RELATIVE, True).astype(float)
    yield made("other profile", ("wrong-profile",), mine, through)
    yield made("other media", ("other-media",), shop.other.unit(rng, SPREAD), right)
    less = float(rng.uniform(0.7, 0.86))
    yield made("less ink", ("less-ink", "under-pressed"), with_separation(mine, lambda i: i * less), right)
    more = float(rng.uniform(1.14, 1.3))
    yield made("more ink", ("more-ink",), with_separation(mine, lambda i: i * more), right)
    under = float(rng.uniform(0.2, 0.4))
    pressed = with_separation(mine, lambda i: i * (1 - under * i.sum(axis=1, keepdims=True) / 2.5))
    yield made("under-pressed", ("under-pressed", "less-ink"), pressed, right)
    for number in range(min(4, count)):
        ink = ("cyan", "magenta", "yellow", "black")[number]
        yield made(f"no {ink}", (f"ink-weak:{ink}",), with_separation(mine, _scale(number, 0.0)), right)
    number = int(rng.integers(min(4, count)))
    ink = ("cyan", "magenta", "yellow", "black")[number]
    yield made(f"weak {ink}", (f"ink-weak:{ink}",), with_separation(mine, _scale(number, rng.uniform(0.4, 0.7))), right)
    one, two = rng.choice(3, 2, replace=False)
    order = np.arange(count)
    order[[one, two]] = order[[two, one]]
    yield made("inks exchanged", ("ink-exchanged",), with_separation(mine, lambda i: i[:, order]), right)
    yield made("over-pressed", ("over-pressed",), _yellowed(mine, rng.uniform(0.05, 0.12), 0.85), right)
    yield made("sliders", ("by-hand",), mine, _slid(right, rng))
    yield made("greys", ("greys-only",), mine, right @ np.array([0.3, 0.59, 0.11])[:, None] @ np.ones((1, 3)))
    drift = 1 + np.where(rng.permutation(count) % 2, 1, -1) * rng.uniform(0.09, 0.16, count)
    yield made("another unit, far off", ("unit",), with_separation(mine, lambda i: i * drift), right)
    yield made("cotton", ("no-dye",), with_separation(mine, lambda i: 0.15 * i), right)

    places = chart.layout.centre(np.arange(len(rgb)))
    blots = places[rng.integers(len(places), size=5)] + rng.normal(0, 10, (5, 2))
    reach = rng.uniform(14, 40, 5)
    pale = 1 - np.prod(1 - rng.uniform(0.2, 0.5) * np.exp(-((places[:, None] - blots) ** 2).sum(2) / (2 * reach**2)), 1)
    yield made("damp", ("uneven",), with_separation(mine, lambda i: i * (1 - pale[:, None])), right)

    def relative(Lab: np.ndarray) -> np.ndarray:
        white = lab_to_xyz(Lab[rgb.sum(axis=1).argmax()])
        return xyz_to_lab(lab_to_xyz(Lab) / white * D50)

    yield made("measured relative", ("measured-relative",), mine, right, relative)

    def under_a(_Lab: np.ndarray) -> np.ndarray:
        spectra = mine.physics(mine.separation(right))
        XYZ = spectra @ _weights_a()
        return xyz_to_lab(XYZ / _weights_a().sum(axis=0) * D50)

    yield made("other illuminant", ("measured-otherwise",), mine, right, under_a)
    veil = float(rng.uniform(0.02, 0.05))
    yield made(
        "dirty glass", ("veiled",), mine, right, lambda Lab: xyz_to_lab(lab_to_xyz(Lab) * (1 - veil) + veil * D50)
    )
    some = rng.permutation(len(rgb))
    far = next((i, j) for i in some for j in some if np.abs(rgb[i] - rgb[j]).sum() > 0.8)

    def swapped(Lab: np.ndarray) -> np.ndarray:
        out = Lab.copy()
        out[[far[0], far[1]]] = Lab[[far[1], far[0]]]
        return out

    yield made("two swapped", ("patches-swapped",), mine, right, swapped)
    yield made("rows shifted", ("mixed-up",), mine, right, lambda Lab: np.roll(Lab, int(rng.integers(1, 5)), axis=0))
    yield made("reversed", ("mixed-up",), mine, right, lambda Lab: Lab[::-1])
    glow = float(rng.uniform(0.12, 0.25))
    absorbing = np.resize(ink_set(rng), (count, len(WAVELENGTHS)))
    bright = replace(mine, physics=Glowing(mine.physics, absorbing, glow))
    yield made("brightener", ("brightener",), bright, right)
