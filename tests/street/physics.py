"""Ways in which ink amounts (n, k), 0 to 1, become reflectance (n, 36), 380 to 730 nm: none is the bench's own."""

from __future__ import annotations

import itertools
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

WAVELENGTHS = np.arange(380.0, 731.0, 10.0)
Physics = Callable[[np.ndarray], np.ndarray]


def bell(centre: float, width: float, height: float) -> np.ndarray:
    return height * np.exp(-0.5 * ((WAVELENGTHS - centre) / width) ** 2)


def step(edge: float, width: float, below: float, above: float) -> np.ndarray:
    return below + (above - below) / (1 + np.exp(-(WAVELENGTHS - edge) / width))


def ink_set(rng: np.random.Generator, strength: float = 1.0) -> np.ndarray:
    """Return optical densities (4, 36) of cyan, magenta, yellow and black: edges where they happen to lie."""
    shift = rng.normal(0, 7, 6)
    cyan = step(585 + shift[0], 16, 0.10, 1.9) - bell(720, 40, 0.5) + bell(385, 22, 0.25)
    magenta = bell(535 + shift[1], 36, 1.75) + bell(565 + shift[2], 14, 0.5) + bell(390, 30, 0.3) + 0.03
    yellow = step(490 + shift[3], 11, 1.75, 0.02) + bell(400, 20, 0.1)
    black = 1.75 + rng.normal(0, 0.12) + (rng.normal(0, 0.10) * (WAVELENGTHS - 555) / 175)
    dirt = rng.uniform(0.0, 0.12, (4, 1))  # what an ink swallows everywhere
    return np.clip(np.stack([cyan, magenta, yellow, black]) * strength + dirt, 0, None)


def extra_ink(edge: float, width: float, low: float, high: float) -> np.ndarray:
    """Return the densities (36,) of an ink beside the four, as orange, green or violet are."""
    return np.clip(step(edge, width, low, high), 0.02, None)


def neugebauer(solids: np.ndarray, n: float) -> Callable[[np.ndarray], np.ndarray]:
    """Return the Yule-Nielsen mixture of overprints (2^k, 36), bit i of the index meaning ink i."""
    roots = solids ** (1 / n)
    count = int(np.log2(len(solids)))

    def mix(area: np.ndarray) -> np.ndarray:
        weights = np.ones((len(area), len(solids)))
        for ink in range(count):
            on = (np.arange(len(solids)) >> ink & 1).astype(bool)
            weights[:, on] *= area[:, ink : ink + 1]
            weights[:, ~on] *= 1 - area[:, ink : ink + 1]
        return (weights @ roots) ** n

    return mix


def overprints(densities: np.ndarray, paper: np.ndarray, trapping: float = 1.0, floor: float = 0.0) -> np.ndarray:
    """Return reflectance (2^k, 36) of all solids over each other; later inks take hold less where `trapping` < 1."""
    solids = []
    for on in itertools.product((0, 1), repeat=len(densities)):
        bits = on[::-1]
        total, under = np.zeros(len(WAVELENGTHS)), 0
        for ink, there in enumerate(bits):
            if there:
                total = total + densities[ink] * trapping**under
                under += 1
        solids.append(paper * 10**-total)
    return np.array(solids) * (1 - floor) + floor


@dataclass(frozen=True)
class Cellular:
    """Cellular Yule-Nielsen: three levels an ink, each with a density that is not the sum of its parts."""

    densities: np.ndarray
    paper: np.ndarray
    n: float
    middle: np.ndarray  # (k,): share of the solid's density that half an ink has
    gain: float
    failing: float  # how much overprints fall short of additivity

    def __call__(self, amounts: np.ndarray) -> np.ndarray:
        count = amounts.shape[1]
        area = np.clip(amounts, 0, 1) ** self.gain
        cell, part = (area >= 0.5).astype(int), np.where(area >= 0.5, 2 * area - 1, 2 * area)
        out = np.zeros((len(amounts), len(WAVELENGTHS)))
        for corner in itertools.product((0, 1), repeat=count):
            bits = np.array(corner)
            weight = np.where(bits, part, 1 - part).prod(axis=1)
            level = cell + bits
            share = np.select([level == 0, level == 1], [0.0, self.middle], 1.0)
            density = share @ self.densities
            crowd = share.sum(axis=1, keepdims=True)
            density = density * (1 - self.failing * np.clip(crowd - 1, 0, None) / count)
            out += weight[:, None] * (self.paper * 10**-density) ** (1 / self.n)
        return out**self.n


@dataclass(frozen=True)
class ClapperYule:
    """Clapper and Yule, 'The effect of multiple internal reflections' (1953): light goes round in the paper."""

    densities: np.ndarray
    paper: np.ndarray
    gain: float
    surface: float = 0.03
    inside: float = 0.55

    def __call__(self, amounts: np.ndarray) -> np.ndarray:
        half = 10 ** (-overdensity(self.densities) / 2)
        area = np.clip(amounts, 0, 1) ** self.gain
        weights = demichel(area)
        once, twice = weights @ half, weights @ half**2
        loop = 1 - self.paper * self.inside * twice
        return self.surface + (1 - self.surface) * self.paper * (1 - self.inside) * once**2 / loop


@dataclass(frozen=True)
class KubelkaMunk:
    """Pigments that scatter: K and S add up over an opaque ground (Kubelka and Munk, 1931)."""

    densities: np.ndarray
    paper: np.ndarray
    scatter: np.ndarray  # (k,)
    gain: float

    def __call__(self, amounts: np.ndarray) -> np.ndarray:
        load = np.clip(amounts, 0, 1) ** self.gain
        ground = (1 - self.paper) ** 2 / (2 * self.paper)
        ratio = (ground + load @ (self.densities * 2.2)) / (1 + load @ self.scatter)[:, None]
        return 1 + ratio - np.sqrt(ratio**2 + 2 * ratio)


@dataclass(frozen=True)
class Dye:
    """Dye in a clear layer, no dots at all: densities add up (Beer and Lambert), light is lost at the surface."""

    densities: np.ndarray
    paper: np.ndarray
    curve: float
    surface: float

    def __call__(self, amounts: np.ndarray) -> np.ndarray:
        density = np.clip(amounts, 0, 1) ** self.curve @ self.densities
        return self.surface + (1 - self.surface) * self.paper * 10**-density


@dataclass(frozen=True)
class Glowing:
    """Another model on paper with a brightener: what the ink lets through of ultraviolet comes back blue."""

    under: Physics
    inks: np.ndarray
    strength: float

    def __call__(self, amounts: np.ndarray) -> np.ndarray:
        let_in = 10 ** -(np.clip(amounts, 0, 1) @ self.inks[:, :3].mean(axis=1))
        return self.under(amounts) + let_in[:, None] * bell(440, 18, self.strength)


def overdensity(densities: np.ndarray) -> np.ndarray:
    """Return the summed densities (2^k, 36) of all overprints."""
    bits = (np.arange(1 << len(densities))[:, None] >> np.arange(len(densities))) & 1
    return bits @ densities


def demichel(area: np.ndarray) -> np.ndarray:
    """Return Demichel's weights (n, 2^k) of coverages (n, k)."""
    count = area.shape[1]
    weights = np.ones((len(area), 1 << count))
    for ink in range(count):
        on = (np.arange(1 << count) >> ink & 1).astype(bool)
        weights[:, on] *= area[:, ink : ink + 1]
        weights[:, ~on] *= 1 - area[:, ink : ink + 1]
    return weights
