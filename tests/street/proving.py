"""Whether two prints of the driver chart tell which choice leaves the numbers alone, on a stranger."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from fidele.chart.driver import patches
from fidele.check.choice import Told, which_passes
from fidele.colour.cie import D50, lab_to_xyz, xyz_to_lab
from tests.street.kinds import Stranger


def told(stranger: Stranger) -> tuple[Told, bool]:
    """Have the chart printed under both choices, in either order, and read; return what is told, and what is so.

    Every other one is read by a scanner that nobody characterised: its channels see a little of each other's light.
    """
    rng = np.random.default_rng([stranger.seed, 77, *stranger.kind.encode()])
    rgb = np.concatenate(list(patches().values()))
    raw_first = bool(rng.integers(2))
    prints = [stranger.unit(rng, 0.01), stranger.unit(rng, 0.01)]  # two sheets are never the same
    raw, converted = (_read(one, rgb if n == 0 else stranger.again(rgb), rng) for n, one in enumerate(prints))
    return which_passes(*((raw, converted) if raw_first else (converted, raw))), raw_first


def _read(stranger: Stranger, rgb: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    Lab = stranger.lab(rgb) + rng.normal(0, stranger.noise, (len(rgb), 3)) * [0.6, 1, 1]
    if stranger.seed % 2:
        return Lab
    seen = np.random.default_rng(stranger.seed)
    mix = np.eye(3) + seen.normal(0, 0.04, (3, 3))
    mix /= mix.sum(axis=1, keepdims=True)
    XYZ = np.maximum(lab_to_xyz(Lab) / D50 @ mix.T, 0) ** seen.uniform(0.92, 1.08)
    return xyz_to_lab(XYZ * D50)


def more_ink(stranger: Stranger, by: float) -> tuple[Told, bool]:
    """Return what is told of two prints of which one has so much more ink, and whether that is the first."""
    rng = np.random.default_rng([stranger.seed, 78, *stranger.kind.encode()])
    rgb = np.concatenate(list(patches().values()))
    less = replace(stranger, separation=lambda numbers: stranger.separation(numbers) / by)
    first = bool(rng.integers(2))
    heavy, light = (_read(one.unit(rng, 0.01), rgb, rng) for one in (stranger, less))
    return which_passes(*((heavy, light) if first else (light, heavy))), first


def judged(stranger: Stranger) -> dict[str, float]:
    """Return whether it was named rightly (1), wrongly (0) or not at all (-1), and how sure that was said."""
    found, first = told(stranger)
    return {"named": -1.0 if found.first is None else float(found.first == first), "sure": round(found.sure, 3)}
