"""Inks on media: a spectral Neugebauer model with a Yule-Nielsen factor.

Sources: Yule and Nielsen, 'The penetration of light into paper and its effect on halftone reproduction' (TAGA 1951);
Viggiano, 'Modeling the color of multi-colored halftones' (TAGA 1990). The spectra themselves are invented.
"""

from __future__ import annotations

import zlib
from dataclasses import replace
from functools import cached_property

import numpy as np
from numpy.typing import ArrayLike, NDArray

from fidele.arrays import Floats
from fidele.colour.spectra import spectra_to_xyz
from fidele.dataclass import dataclass

#: 380 to 730 nm in steps of 10 nm.
WAVELENGTHS = np.arange(380.0, 731.0, 10.0)
INKS = ("cyan", "magenta", "yellow", "black")


def _bell(centre: float, width: float, height: float) -> Floats:
    return height * np.exp(-0.5 * ((WAVELENGTHS - centre) / width) ** 2)


def sublimation_densities() -> Floats:
    """Return the optical densities (4, 36) of full cyan, magenta, yellow and black dye on a pressed piece."""
    cyan = _bell(648, 56, 2.30) + _bell(395, 30, 0.20) + 0.015
    magenta = _bell(541, 34, 2.05) + _bell(572, 18, 0.45) + _bell(400, 40, 0.24) + 0.01
    yellow = _bell(425, 42, 1.95) + _bell(470, 18, 0.55) + 0.005
    black = 1.78 + 0.10 * (WAVELENGTHS - 555) / 175 + _bell(600, 70, 0.12)
    return np.stack([cyan, magenta, yellow, black])


def pigment_densities(black: float = 1.0) -> Floats:
    """Return the optical densities (4, 36) of full cyan, magenta, yellow and black pigment, lying on paper.

    `black` is how deep the black of the ink set in use gets: the one for glossy surfaces is weak on rag.
    """
    cyan = _bell(640, 62, 1.90) + _bell(400, 34, 0.26) + 0.02
    magenta = _bell(548, 40, 1.85) + _bell(420, 44, 0.30) + 0.015
    yellow = _bell(430, 40, 1.80) + _bell(472, 16, 0.40) + 0.01
    return np.stack([cyan, magenta, yellow, black * (1.62 - 0.06 * (WAVELENGTHS - 555) / 175)])


DENSITIES = {"sublimation": sublimation_densities, "pigment": pigment_densities}


#: Of each dye alike.
_ALIKE = (1.0, 1.0, 1.0, 1.0)


@dataclass(frozen=True)
class Substrate:
    """What carries the dye.

    Attributes
    ----------
    reflectance
        (36,) its own.
    holds
        How much of the dye on offer it can hold, 0 to 1.
    scatter
        Share of the light that comes back from above most of the dye, and sees a third of it.
    takes
        How much of each dye it takes beside what it holds of all, four shares.
    surface
        Light that its surface throws back before it meets any dye: none from gloss that is looked at past its shine,
        a little from cloth and stone, whose black is never deep.
    """

    name: str
    reflectance: Floats
    holds: float
    scatter: float = 0.0
    takes: tuple[float, float, float, float] = _ALIKE
    surface: float = 0.0

    def of_lot(self, lot: str) -> Substrate:
        """Return it as another lot comes: white, tint, and what it takes are never quite the same; '' is the first."""
        if not lot:
            return self
        rng = np.random.default_rng(zlib.crc32(f"{self.name} {lot}".encode()))
        white = 1 + rng.normal(0, 0.012) + rng.normal(0, 0.01) * (WAVELENGTHS - 555) / 175
        c, m, y, k = (float(t) for t in np.clip(np.array(self.takes) * (1 + rng.normal(0, 0.015, 4)), 0, 1.1))
        holds = min(1.0, self.holds * (1 + rng.normal(0, 0.015)))
        return replace(self, reflectance=self.reflectance * white, holds=holds, takes=(c, m, y, k))


def ceramic_tile() -> Substrate:
    """A white coated ceramic tile, glossy, a little cool."""
    curve = 0.87 - 0.10 * np.exp(-(WAVELENGTHS - 380) / 22) - 0.018 * (WAVELENGTHS - 560) / 170
    return Substrate("ceramic tile", curve, 1.0)


def cotton() -> Substrate:
    """Plain cotton, which holds almost no sublimation dye."""
    return Substrate("cotton", 0.80 - 0.14 * np.exp(-(WAVELENGTHS - 380) / 40), 0.05)


def polyester() -> Substrate:
    """White polyester cloth, warm and matt; it holds less than a coating does, of yellow least."""
    curve = 0.82 - 0.16 * np.exp(-(WAVELENGTHS - 380) / 45) + 0.015 * (WAVELENGTHS - 560) / 170
    return Substrate("polyester cloth", curve, 0.82, 0.03, (0.97, 1.0, 0.88, 0.94), 0.012)


def slate() -> Substrate:
    """A slate coaster with a white coating: the stone greys it, and its rough surface takes less magenta."""
    curve = 0.68 - 0.07 * np.exp(-(WAVELENGTHS - 380) / 24) - 0.012 * (WAVELENGTHS - 560) / 170
    return Substrate("coated slate", curve, 0.9, 0.01, (1.0, 0.9, 1.0, 0.97), 0.006)


def gallery_paper() -> Substrate:
    """Uncoated rag for printing straight on."""
    return Substrate("gallery rag", 0.91 - 0.07 * np.exp(-(WAVELENGTHS - 380) / 30), 0.78)


def transfer_paper() -> Substrate:
    """Transfer paper before pressing: the dye lies undeveloped and dull in the coating."""
    return Substrate("transfer paper", 0.83 - 0.08 * np.exp(-(WAVELENGTHS - 380) / 25), 0.62, scatter=0.10)


SUBSTRATES = {"ceramic tile": ceramic_tile, "polyester cloth": polyester, "coated slate": slate, "cotton": cotton}


@dataclass(frozen=True)
class InkModel:
    """Dye amounts to reflectance: the 16 overprints mixed by Demichel's weights in 1/n-power space.

    Attributes
    ----------
    densities
        (4, 36) optical densities of full coverage.
    substrate
        What the dye sits in.
    gain
        (4,) exponents of the tone value increase: effective coverage = amount ** gain.
    n
        Yule-Nielsen factor.
    """

    densities: Floats
    substrate: Substrate
    gain: Floats
    n: float = 2.0

    @cached_property
    def _roots(self) -> Floats:
        """The 16 overprints' reflectance to the power 1/n: (16, 36), bit i of the index meaning ink i."""
        bits = (np.arange(16)[:, None] >> np.arange(4)) & 1
        what = self.substrate
        density = bits @ (self.densities * np.array(what.takes)[:, None]) * what.holds
        through = (1 - what.scatter) * 10**-density + what.scatter * 10 ** (-0.35 * density)
        solid = what.surface + (what.reflectance - what.surface) * through
        return solid ** (1 / self.n)

    def effective(self, amounts: ArrayLike) -> Floats:
        """Return effective coverages 0 to 1 of ink amounts (…, 4)."""
        return np.clip(np.asarray(amounts, dtype=float), 0, 1) ** self.gain

    def spectra(self, amounts: ArrayLike) -> Floats:
        """Return reflectance (…, 36) of ink amounts (…, 4), each 0 to 1."""
        return self._mix(self.effective(amounts))

    def _mix(self, coverage: Floats) -> Floats:
        # The share of each overprint, two inks at a time: bit i of its number is ink i.
        each = np.stack([1 - coverage, coverage], axis=-1)
        low, high = (each[..., k + 1, :, None] * each[..., k, None, :] for k in (0, 2))
        pairs = (*coverage.shape[:-1], 4)
        weights = high.reshape(pairs)[..., :, None] * low.reshape(pairs)[..., None, :]
        mixed = weights.reshape(*coverage.shape[:-1], 16) @ self._roots
        return mixed * mixed if self.n == 2 else mixed**self.n

    def page_table(self, response: NDArray | None = None, size: int = 21) -> PageTable:
        """Make the table for whole pages: XYZ, or the response (36, k) of another observer.

        The table stands in effective coverage and holds square roots, where the mixture is almost linear, so that
        interpolation stays within 0.1 ΔE00 of the spectra.
        """
        key = (self._roots.tobytes(), self.gain.tobytes(), None if response is None else response.tobytes(), size)
        if key not in _TABLES:
            while len(_TABLES) >= 6:
                _TABLES.pop(next(iter(_TABLES)), None)
            _TABLES[key] = self._make_table(response, size)
        return _TABLES[key]

    def _make_table(self, response: NDArray | None, size: int) -> PageTable:
        axis = np.linspace(0, 1, size)
        nodes = np.stack(np.meshgrid(axis, axis, axis, axis, indexing="ij"), axis=-1).reshape(-1, 4)
        spectra = self._mix(nodes)
        values = spectra_to_xyz(spectra) if response is None else spectra @ response
        grid = np.zeros((len(values) + 2, 4), np.float32)  # a node of the kernel has four numbers
        grid[: len(values), : values.shape[-1]] = np.sqrt(values)
        codes = np.linspace(0, 1, 65536)[None, :] ** self.gain[:, None]
        axes = np.ascontiguousarray((codes * (size - 1)).astype(np.float32))
        return PageTable(axes, grid.reshape(-1), size, values.shape[-1])


#: The tables in use, by all that they depend on.
_TABLES: dict[tuple, PageTable] = {}


@dataclass(frozen=True)
class PageTable:
    """A 4-D table from 16-bit ink amounts to `count` (at most four) linear responses of whole pages."""

    axes: NDArray[np.float32]
    grid: NDArray[np.float32]
    size: int
    count: int

    def __call__(self, ink: NDArray[np.uint16]) -> NDArray[np.float32]:
        """Evaluate ink (h, w, 4) uint16 to (h, w, k) float32."""
        from fidele.kernels.grids import multilinear4
        from fidele.tiles import in_tiles

        flat = np.ascontiguousarray(ink).reshape(-1, 4)
        out = np.empty((len(flat), self.count), np.float32)

        def work(piece: slice) -> None:
            multilinear4(flat[piece], self.axes, self.grid, self.size, out[piece])

        in_tiles(work, len(flat), 1 << 19)
        return out.reshape((*ink.shape[:-1], -1))
