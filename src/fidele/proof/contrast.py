"""Contrast that is lost between neighbours: two colours that will look alike, gradients that block up."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Floats, Pixels, distinct
from fidele.colour.difference import delta_e_2000
from fidele.colour.words import colour_name
from fidele.dataclass import dataclass
from fidele.icc.profile import Profile
from fidele.language import tr
from fidele.proof.losses import wanted_and_printed
from fidele.proof.soft import ProofSettings
from fidele.tuning.conversion import device_values

_SIDE = 640
#: Neighbours that are wanted further apart than this, and come out nearer than that, are lost to each other.
_APART, _ALIKE = 3.0, 1.2
#: A gradient of which less than this is left blocks up.
_LEFT = 0.35
#: Gradients are looked at over so many of the sampled pixels.
_REACH = 12


@dataclass(frozen=True)
class ContrastLoss:
    """Neighbours that lose what sets them apart.

    Attributes
    ----------
    one, other
        Wanted L*a*b* of the two sides; of a gradient its ends.
    wanted, printed
        ΔE00 between them.
    area
        Share of the places looked at, 0 to 1.
    """

    kind: str
    one: tuple[float, float, float]
    other: tuple[float, float, float]
    wanted: float
    printed: float
    area: float

    @property
    def words(self) -> str:
        """What becomes of them, in a sentence."""
        first, second = colour_name(self.one), colour_name(self.other)
        names = (
            tr("Two tones of {first}", first=first)
            if first == second
            else tr("{first} and {second}", first=first.capitalize(), second=second)
        )
        if self.kind == "alike":
            return tr(
                "{names} will look alike: ΔE00 {wanted:.1f} apart, {printed:.1f} as printed.",
                names=names,
                wanted=self.wanted,
                printed=self.printed,
            )
        return tr(
            "Gradients in {first} block up: {printed:.0f} % of their steps are left.",
            first=first,
            printed=self.printed / self.wanted * 100,
        )


def contrast_lost(
    pixels: Pixels, source: Profile, printer: Profile, settings: ProofSettings, most: int = 4
) -> tuple[ContrastLoss, ...]:
    """Find neighbouring colours of a picture (h, w, channels) that the print no longer tells apart, heaviest first."""
    stride = max(1, -(-max(pixels.shape[:2]) // _SIDE))
    sample = np.ascontiguousarray(pixels[::stride, ::stride])
    height, width = sample.shape[:2]
    flat = sample.reshape(-1, sample.shape[2])
    colours, index = distinct(flat)
    index = index.reshape(height, width)
    device = device_values(colours, source, printer, settings)
    wanted, printed = wanted_and_printed(colours, device, source, printer, settings)
    pairs = _edges(index, wanted, printed) + _gradients(index, wanted, printed)
    return tuple(sorted(pairs, key=lambda p: -(p.wanted - p.printed) * min(1.0, p.area * 50))[:most])


def _neighbours(index: NDArray[np.int64], reach: int) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    across = (index[:, :-reach].ravel(), index[:, reach:].ravel())
    down = (index[:-reach].ravel(), index[reach:].ravel())
    return np.concatenate([across[0], down[0]]), np.concatenate([across[1], down[1]])


def _edges(index: NDArray[np.int64], wanted: Floats, printed: Floats) -> list[ContrastLoss]:
    one, other = _neighbours(index, 1)
    one, other = np.minimum(one, other), np.maximum(one, other)
    pairs, counts = np.unique(one * len(wanted) + other, return_counts=True)
    a, b = pairs // len(wanted), pairs % len(wanted)
    apart, left = delta_e_2000(wanted[a], wanted[b]), delta_e_2000(printed[a], printed[b])
    lost = (apart >= _APART) & (left < _ALIKE) & (left < _LEFT * apart)
    found: list[ContrastLoss] = []
    total = counts.sum()
    rest = lost.copy()
    while rest.any() and len(found) < 6:
        seed = int(np.argmax(np.where(rest, counts * (apart - left), 0)))
        near = rest & (np.linalg.norm(wanted[a] - wanted[a[seed]], axis=1) < 12)
        near &= np.linalg.norm(wanted[b] - wanted[b[seed]], axis=1) < 12
        weight = counts[near] / counts[near].sum()
        area = float(counts[near].sum() / total)
        if area > 2e-4:
            found.append(
                ContrastLoss(
                    "alike",
                    _triple(weight @ wanted[a[near]]),
                    _triple(weight @ wanted[b[near]]),
                    float(weight @ apart[near]),
                    float(weight @ left[near]),
                    area,
                )
            )
        rest &= ~near
    return found


def _gradients(index: NDArray[np.int64], wanted: Floats, printed: Floats) -> list[ContrastLoss]:
    if min(index.shape) <= _REACH * 2:
        return []
    one, other = _neighbours(index, _REACH)
    half = _REACH // 2
    between = np.concatenate([index[:, half : -_REACH + half].ravel(), index[half : -_REACH + half].ravel()])
    step = max(1, len(one) // 120_000)
    one, other, between = one[::step], other[::step], between[::step]
    apart, left = delta_e_2000(wanted[one], wanted[other]), delta_e_2000(printed[one], printed[other])
    # Both halves of the way go on, else it is an edge.
    goes_on = delta_e_2000(wanted[one], wanted[between]) > 0.25 * apart
    goes_on &= delta_e_2000(wanted[between], wanted[other]) > 0.25 * apart
    smooth = (apart > 0.6) & (apart < 8) & goes_on
    if smooth.sum() < 200:
        return []
    cells = np.rint((wanted[one] + wanted[other]) / 2 / 18).astype(int)
    keys = (cells[:, 0] * 64 + cells[:, 1] + 20) * 64 + cells[:, 2] + 20
    cell_names = {key: colour_name(cells[np.argmax(keys == key)] * 18.0) for key in np.unique(keys[smooth])}
    found = []
    for name in sorted(set(cell_names.values())):
        here = smooth & np.isin(keys, [key for key, called in cell_names.items() if called == name])
        area = float(here.sum() / len(one))
        if area < 0.01:
            continue
        before, after = float(apart[here].mean()), float(left[here].mean())
        if after < _LEFT * before:
            ends = wanted[one[here]].mean(axis=0), wanted[other[here]].mean(axis=0)
            found.append(ContrastLoss("gradient", _triple(ends[0]), _triple(ends[1]), before, after, area))
    return found


def _triple(values: Floats) -> tuple[float, float, float]:
    return (round(float(values[0]), 2), round(float(values[1]), 2), round(float(values[2]), 2))
