"""What mending a profile from thirty patches is worth, where one ink drifts, beside the whole target anew."""

from __future__ import annotations

import datetime
from dataclasses import replace

import numpy as np

from fidele.characterise.fit import fit
from fidele.characterise.mend import mend
from fidele.chart.family import made
from fidele.colour.cie import D50, lab_to_xyz, xyz_to_lab
from fidele.colour.difference import delta_e_2000
from fidele.icc.profile import Profile
from fidele.icc.write import LabGrid, OutputTables, device_lut, dictionary_tag, lab_lut, output_profile
from tests.street.fitted import ANYWHERE, NOISES, measured, patches
from tests.street.kinds import Stranger

#: Patches of the target that the profile was made of, and is made of anew.
WHOLE = 400
#: How much of each ink is laid down at first, so that there is room for more.
_ROOM = 0.92


def drifted(stranger: Stranger, rng: np.random.Generator) -> tuple[Stranger, Stranger, int, float]:
    """Return a printer with room for more ink, itself later on, which ink drifted, and by how much."""
    some = stranger.separation(np.zeros((1, 3))).shape[1]
    ink, by = int(rng.integers(some)), float(rng.choice([-1, 1]) * rng.uniform(0.03, 0.08))
    later = np.ones(some)
    later[ink] += by
    before = replace(stranger, separation=lambda rgb: _ROOM * stranger.separation(rgb))
    after = replace(stranger, separation=lambda rgb: _ROOM * later * stranger.separation(rgb))
    return before, after, ink, by


def profile_of(stranger: Stranger, noise: float, seed: int) -> tuple[Profile, np.ndarray]:
    """Return a profile of a printer by its whole target, and its L*a*b* at the nodes of a grid of 33.

    Its tables to the device are empty: they play no part here.
    """
    rgb = patches(WHOLE)
    made_of = fit(rgb, relative(rgb, measured(stranger, rgb, noise, seed)))
    axis = np.linspace(0, 1, 33)
    nodes = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), -1).reshape(-1, 3)
    grid = made_of(nodes).reshape(33, 33, 33, 3)
    none = device_lut(np.zeros((5, 5, 5, 3)), LabGrid(5))
    white = stranger.xyz(np.ones((1, 3)))[0]
    states = dictionary_tag({"quality.mean_de00": f"{made_of.stated.mean:.3f}"})
    tables = OutputTables("before", white, white * 0.01, {1: lab_lut(grid)}, {1: none}, extra={"meta": states})
    return Profile.parse(output_profile(tables, datetime.datetime(2026, 1, 1))), grid


def relative(rgb: np.ndarray, Lab: np.ndarray) -> np.ndarray:
    """Return L*a*b* (n, 3) of patches relative to the bare media among them."""
    XYZ = lab_to_xyz(Lab)
    return xyz_to_lab(XYZ / XYZ[rgb.min(axis=1).argmax()] * D50)


def judged(stranger: Stranger, noises: tuple[float, ...] = NOISES) -> list[dict]:
    """Return the true errors before, mended and remade, and what was stated."""
    rows = []
    # Each printer has an instrument of its own: with the same noise for all, a few draws would stand for many.
    own = int.from_bytes(stranger.kind.encode(), "little") % 10**6 + 100 * stranger.seed
    for noise in noises:
        rng = np.random.default_rng([stranger.seed, round(noise * 10), *stranger.kind.encode()])
        before, after, ink, by = drifted(stranger, rng)
        old, grid = profile_of(before, noise, own)
        _, anew = profile_of(after, noise, own + 1)
        truth = after.lab(ANYWHERE)
        rgb = made("mend").rgb
        done = mend(old, rgb, lab_to_xyz(measured(after, rgb, noise, own + 2)))

        def off(table: np.ndarray, truth: np.ndarray = truth) -> float:
            from fidele.icc.tables import interpolate

            return float(delta_e_2000(interpolate(table, ANYWHERE, tetrahedral=True), truth).mean())

        mended = off(done.model.grid.astype(float))
        rows.append(
            {
                "kind": stranger.kind,
                "noise": noise,
                "ink": ink,
                "by": round(by, 3),
                "before": off(grid),
                "remade": off(anew),
                "mended": mended,
                "stated": done.model.fit.stated.mean,
                "within": bool(done.model.fit.stated.low <= mended <= done.model.fit.stated.high),
                "advice": str(done.advice),
            }
        )
    return rows


def summed(rows: list[dict]) -> list[dict]:
    """Return by noise: the ratio of mended to remade, how often 1.3 is reached, how often what is stated holds."""
    table = []
    for noise in NOISES:
        some = [r for r in rows if r["noise"] == noise]
        ratio = np.array([r["mended"] / r["remade"] for r in some])
        table.append(
            {
                "noise": noise,
                "printers": len(some),
                "ratio": [round(float(np.percentile(ratio, q)), 2) for q in (50, 95)],
                "mean ratio": round(sum(r["mended"] for r in some) / sum(r["remade"] for r in some), 2),
                "reached": round(float((ratio <= 1.3).mean()), 2),
                "within": round(sum(r["within"] for r in some) / len(some), 2),
                "stated": round(float(np.median([r["stated"] / r["mended"] for r in some])), 2),
            }
        )
    return table
