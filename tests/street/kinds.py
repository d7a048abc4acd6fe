"""Fifteen kinds of printer behind an RGB driver, each from a seed: other inks, halves, papers, separations, drivers."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from fidele.colour.cie import D50, xyz_to_lab
from fidele.colour.spectra import spectra_to_xyz
from tests.street import physics
from tests.street.physics import WAVELENGTHS, Physics, bell, ink_set

Separation = Callable[[np.ndarray], np.ndarray]


@dataclass(frozen=True)
class Stranger:
    """One printer, its media and its driver.

    Attributes
    ----------
    separation
        RGB (n, 3), 0 to 1, to ink amounts (n, k).
    physics
        Ink amounts to reflectance (n, 36).
    again
        What its driver makes of RGB where it converts by itself.
    noise
        Standard deviation of its instrument, in units of L*a*b*.
    """

    kind: str
    seed: int
    separation: Separation
    physics: Physics
    again: Separation
    noise: float

    def xyz(self, rgb: np.ndarray) -> np.ndarray:
        """XYZ (n, 3) of device values (n, 3), without noise."""
        parts = np.array_split(np.atleast_2d(rgb), max(1, len(rgb) // 20_000))
        return np.concatenate([spectra_to_xyz(self.physics(self.separation(part))) for part in parts])

    def lab(self, rgb: np.ndarray) -> np.ndarray:
        """Media-relative L*a*b* (n, 3) of device values (n, 3), without noise."""
        return xyz_to_lab(self.xyz(rgb) / self.xyz(np.ones((1, 3))) * D50)

    def measured(self, rgb: np.ndarray, rng: np.random.Generator) -> np.ndarray:
        """XYZ (n, 3) as its instrument tells them."""
        from fidele.colour.cie import lab_to_xyz

        Lab = xyz_to_lab(self.xyz(rgb))
        return lab_to_xyz(Lab + rng.normal(0, self.noise, Lab.shape) * [0.6, 1, 1])

    def elsewhere(self, rng: np.random.Generator) -> Stranger:
        """Return the same printer and inks on another media: other gain and hold, another shine and tint."""
        some = self.separation(np.zeros((1, 3))).shape[1]
        gain, strength, shine = rng.uniform(0.8, 1.25, some), rng.uniform(0.85, 1.1, some), rng.uniform(0, 0.03)
        along = (WAVELENGTHS - 380) / 350
        warm = rng.normal(0, 0.05) * (along - 0.5) - rng.uniform(0, 0.15) * np.exp(-along / 0.12)
        paper, own = np.clip(rng.uniform(0.88, 1.03) + warm, 0.3, 1.1), self.physics

        def prints(amounts: np.ndarray) -> np.ndarray:
            held = np.clip(amounts**gain * strength, 0, 1)
            return np.clip(shine + (1 - shine) * own(held) * paper, 1e-4, None)

        return replace(self, physics=prints)

    def unit(self, rng: np.random.Generator, spread: float) -> Stranger:
        """Return another unit of its kind, or itself weeks later: each ink lays down a little more or less."""
        some = self.separation(np.zeros((1, 3))).shape[1]
        laid = 1 + rng.normal(0, spread, some)
        return replace(self, separation=lambda rgb: np.clip(self.separation(rgb) * laid, 0, 1))


def _cmyk(gcr: float, start: float, limit: float, curve: float = 1.0) -> Separation:
    def separate(rgb: np.ndarray) -> np.ndarray:
        cmy = np.clip(1 - rgb, 0, 1) ** curve
        grey = cmy.min(axis=1, keepdims=True)
        black = gcr * np.clip((grey - start) / (1 - start), 0, 1) ** 1.8
        ink = np.concatenate([np.clip(cmy - 0.6 * black, 0, 1), black], axis=1)
        return ink * np.minimum(1, limit / np.maximum(ink.sum(axis=1, keepdims=True), 1e-9))

    return separate


def _cmy(rgb: np.ndarray) -> np.ndarray:
    return np.clip(1 - rgb, 0, 1)


def _light(under: Separation) -> Separation:
    """Light cyan and light magenta carry the lights, and give way to the full inks past the middle."""

    def separate(rgb: np.ndarray) -> np.ndarray:
        full = under(rgb)
        heavy = np.clip((full[:, :2] - 0.35) / 0.65, 0, 1) ** 1.2
        pale = np.clip(np.minimum(full[:, :2] / 0.35, 1) - 0.7 * heavy, 0, 1)
        return np.concatenate([heavy, full[:, 2:], pale], axis=1)

    return separate


def _six(under: Separation) -> Separation:
    """Orange takes over where magenta and yellow meet, green where cyan and yellow do."""

    def separate(rgb: np.ndarray) -> np.ndarray:
        ink = under(rgb).copy()
        orange, green = np.minimum(ink[:, 1], ink[:, 2]) ** 2, np.minimum(ink[:, 0], ink[:, 2]) ** 2
        ink[:, 1] -= 0.5 * orange
        ink[:, 0] -= 0.5 * green
        ink[:, 2] -= 0.3 * np.maximum(orange, green)
        return np.clip(np.concatenate([ink, np.stack([orange, green], axis=1)], axis=1), 0, 1)

    return separate


def _paper(rng: np.random.Generator, white: float, warm: float) -> np.ndarray:
    return np.clip(white - warm * np.exp(-(WAVELENGTHS - 380) / (40 + 20 * rng.random())), 0.05, 0.99)


def _driver(rng: np.random.Generator, way: str) -> Separation:
    """What another maker's driver does to colour: curves, a hue twist, a lift of chroma, or a table of its own."""
    bend, twist, lift = 0.75 + 0.2 * rng.random(), rng.normal(0, 0.12), 1.1 + 0.3 * rng.random()
    table = np.clip(_lattice(5) + rng.normal(0, 0.05, (5, 5, 5, 3)), 0, 1)

    def convert(rgb: np.ndarray) -> np.ndarray:
        if way == "curves":
            return np.asarray(rgb**bend)
        middle = rgb.mean(axis=1, keepdims=True)
        if way == "lift":
            return np.clip(middle + (rgb - middle) * lift, 0, 1)
        if way == "twist":
            turned = np.roll(rgb, 1, axis=1) * twist + np.roll(rgb, 2, axis=1) * -twist
            return np.clip(rgb + (turned - turned.mean(axis=1, keepdims=True)), 0, 1)
        from fidele.icc.tables import interpolate

        return interpolate(table, rgb, tetrahedral=True)

    return convert


def _lattice(size: int) -> np.ndarray:
    axis = np.linspace(0, 1, size)
    return np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1)


def _cellular(rng: np.random.Generator) -> tuple[Separation, Physics]:
    model = physics.Cellular(
        ink_set(rng), _paper(rng, 0.88, 0.05), 1.4 + rng.random(), rng.uniform(0.3, 0.6, 4), 0.85, rng.uniform(0, 0.3)
    )
    return _cmyk(0.8, 0.3, 3.0), model


def _trapping(rng: np.random.Generator) -> tuple[Separation, Physics]:
    solids = physics.overprints(ink_set(rng), _paper(rng, 0.85, 0.1), rng.uniform(0.6, 0.85), 0.004)
    mix = physics.neugebauer(solids, 1.7)
    return _cmyk(0.6, 0.4, 2.8), lambda amounts: mix(amounts**0.8)


def _light_inks(rng: np.random.Generator) -> tuple[Separation, Physics]:
    inks = ink_set(rng)
    solids = physics.overprints(np.concatenate([inks, inks[:2] * 0.3]), _paper(rng, 0.9, 0.04))
    return _light(_cmyk(0.9, 0.5, 2.6)), physics.neugebauer(solids, 2.2)


def _six_inks(rng: np.random.Generator) -> tuple[Separation, Physics]:
    more = np.stack([physics.extra_ink(575, 12, 1.6, 0.03), bell(420, 40, 1.2) + bell(680, 60, 1.6) + 0.03])
    solids = physics.overprints(np.concatenate([ink_set(rng), more]), _paper(rng, 0.9, 0.03))
    return _six(_cmyk(0.8, 0.4, 3.0)), physics.neugebauer(solids, 2.0)


def _black_early(rng: np.random.Generator) -> tuple[Separation, Physics]:
    solids = physics.overprints(ink_set(rng), _paper(rng, 0.86, 0.08), 0.95)
    mix = physics.neugebauer(solids, 1.5)
    return _cmyk(1.0, 0.02, 1.8), lambda amounts: mix(amounts**0.9)


def _dye(rng: np.random.Generator) -> tuple[Separation, Physics]:
    return _cmy, physics.Dye(ink_set(rng, 1.05)[:3], _paper(rng, 0.9, 0.05), rng.uniform(1.2, 2.0), 0.006)


def _round_in_paper(rng: np.random.Generator) -> tuple[Separation, Physics]:
    return _cmyk(0.7, 0.35, 3.0), physics.ClapperYule(ink_set(rng, 1.1), _paper(rng, 0.9, 0.05), 0.9)


def _opaque(rng: np.random.Generator) -> tuple[Separation, Physics]:
    model = physics.KubelkaMunk(ink_set(rng, 1.8), _paper(rng, 0.8, 0.06), rng.uniform(0.02, 0.35, 4), 1.6)
    return _cmyk(0.7, 0.3, 3.2), model


def _brightened(rng: np.random.Generator) -> tuple[Separation, Physics]:
    inks = ink_set(rng)
    mix = physics.neugebauer(physics.overprints(inks, _paper(rng, 0.88, 0.10)), 2.0)
    return _cmyk(0.8, 0.3, 3.0), physics.Glowing(lambda amounts: mix(amounts**0.85), inks, rng.uniform(0.08, 0.2))


def _yellowish(rng: np.random.Generator) -> tuple[Separation, Physics]:
    inks = ink_set(rng, 0.95)
    inks[3] += 0.18 * (600 - WAVELENGTHS) / 175  # a warm black
    solids = physics.overprints(inks, _paper(rng, 0.82, 0.35), 0.9, 0.01)
    return _cmyk(0.9, 0.3, 2.6), physics.neugebauer(solids, 1.8)


def _cloth(rng: np.random.Generator) -> tuple[Separation, Physics]:
    mix = physics.neugebauer(physics.overprints(ink_set(rng), _paper(rng, 0.82, 0.1)), 3.0)
    shine = rng.uniform(0.03, 0.06)  # threads that stand out of the dye
    return _cmyk(0.5, 0.4, 2.8), lambda amounts: shine + (1 - shine) * mix(amounts)


def _weak(rng: np.random.Generator) -> tuple[Separation, Physics]:
    mix = physics.neugebauer(physics.overprints(ink_set(rng, 0.42), _paper(rng, 0.8, 0.12)), 2.0)
    return _cmyk(0.9, 0.3, 3.0), mix


def _wide(rng: np.random.Generator) -> tuple[Separation, Physics]:
    inks = ink_set(rng, 1.6)
    inks[:3] = np.clip(inks[:3] - 0.12, 0.0, None)
    return _cmyk(0.8, 0.5, 3.4), physics.Dye(inks, _paper(rng, 0.93, 0.02), 1.5, 0.002)


def _stepped(rng: np.random.Generator) -> tuple[Separation, Physics]:
    mix = physics.neugebauer(physics.overprints(ink_set(rng), _paper(rng, 0.88, 0.05)), 1.8)
    bump = rng.uniform(0.03, 0.055)
    under = _cmyk(0.7, 0.3, 3.0)
    return lambda rgb: under(np.clip(rgb + bump * np.sin(rgb * 2 * np.pi * 2), 0, 1)), lambda a: mix(a**0.85)


def _blooming(rng: np.random.Generator) -> tuple[Separation, Physics]:
    """Bronzing: past nine tenths of an ink its density falls again."""
    inks = ink_set(rng)
    mix = physics.neugebauer(physics.overprints(inks, _paper(rng, 0.87, 0.06)), 1.8)
    drop = rng.uniform(0.2, 0.5)
    return _cmyk(0.7, 0.3, 3.2), lambda a: mix(a - drop * np.clip(a - 0.88, 0, None))


#: By kind: how it prints, and what its driver does where it converts.
KINDS: dict[str, tuple[Callable[[np.random.Generator], tuple[Separation, Physics]], str]] = {
    "cellular": (_cellular, "curves"),
    "trapping": (_trapping, "lift"),
    "light inks": (_light_inks, "table"),
    "black early": (_black_early, "twist"),
    "dye": (_dye, "curves"),
    "opaque": (_opaque, "lift"),
    "brightened": (_brightened, "table"),
    "yellowish": (_yellowish, "twist"),
    "wide": (_wide, "curves"),
    "stepped": (_stepped, "table"),
    "six inks": (_six_inks, "lift"),
    "round in paper": (_round_in_paper, "twist"),
    "cloth": (_cloth, "curves"),
    "weak": (_weak, "lift"),
    "blooming": (_blooming, "table"),
}


def made(kind: str, seed: int) -> Stranger:
    """Make a stranger, sealed or not: ask `seal.stranger` for those that may be looked at."""
    rng = np.random.default_rng([seed, *kind.encode()])
    build, way = KINDS[kind]
    separation, model = build(rng)
    return Stranger(kind, seed, separation, model, _driver(rng, way), float(rng.uniform(0.05, 0.5)))
