"""What a profile of the same printer on another media is worth: small targets that begin from it, and from nothing."""

from __future__ import annotations

import numpy as np

from fidele.characterise.fit import fit
from fidele.chart.family import target_chart
from fidele.colour.cie import xyz_to_lab
from fidele.colour.difference import delta_e_2000
from fidele.icc.tables import interpolate
from tests.street.fitted import ANYWHERE, NOISES, measured, patches
from tests.street.kinds import Stranger

COUNTS = (100, 150)
#: What a small target is to reach.
EVEN = 400


def known(stranger: Stranger, noise: float):
    """What a profile of 900 patches knows of a printer: L*a*b* of device values, from a grid of 33 nodes."""
    rgb = target_chart().rgb
    made = fit(rgb, measured(stranger, rgb, noise, stranger.seed))
    axis = np.linspace(0, 1, 33)
    grid = made(np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), -1).reshape(-1, 3)).reshape(33, 33, 33, 3)
    return lambda device: interpolate(grid, np.asarray(device, float), tetrahedral=True)


def judged(stranger: Stranger) -> list[dict]:
    """Return the true errors on another media, with and without what is known, and what was stated."""
    other = stranger.elsewhere(np.random.default_rng([stranger.seed, *stranger.kind.encode()]))
    truth, rows = xyz_to_lab(other.xyz(ANYWHERE)), []

    def off(count: int, noise: float, like=None):
        rgb = patches(count)
        made = fit(rgb, measured(other, rgb, noise, stranger.seed), like=like)
        return float(delta_e_2000(made(ANYWHERE), truth).mean()), made.stated

    for noise in NOISES:
        like, (even, _) = known(stranger, noise), off(EVEN, noise)
        for count in COUNTS:
            (alone, _), (mean, stated) = off(count, noise), off(count, noise, like)
            rows.append(
                {
                    "kind": stranger.kind,
                    "count": count,
                    "noise": noise,
                    "even": even,
                    "alone": alone,
                    "mean": mean,
                    "within": bool(stated.low <= mean <= stated.high),
                }
            )
    return rows


def summed(rows: list[dict]) -> list[dict]:
    """Return the figures of many strangers by count and noise: the middle, and 19 in 20."""

    def middle(values: list[float]) -> list[float]:
        return [round(float(np.percentile(values, q)), 3) for q in (50, 95)]

    table = []
    for count in COUNTS:
        for noise in NOISES:
            some = [r for r in rows if (r["count"], r["noise"]) == (count, noise)]
            table.append(
                {
                    "patches": count,
                    "noise": noise,
                    "begun from it": middle([r["mean"] for r in some]),
                    "from nothing": middle([r["alone"] for r in some]),
                    "400 from nothing": middle([r["even"] for r in some]),
                    "beside nothing": round(float(np.mean([r["mean"] / r["alone"] for r in some])), 3),
                    "beside 400": round(float(np.mean([r["mean"] / r["even"] for r in some])), 3),
                    "worse than nothing by 5 %": sum(r["mean"] > 1.05 * r["alone"] for r in some),
                    "stated holds": round(float(np.mean([r["within"] for r in some])), 3),
                }
            )
    return table
