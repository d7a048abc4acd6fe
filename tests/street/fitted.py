"""How well printers are fitted: the product's fit beside a plain thin-plate spline, against colours without noise."""

from __future__ import annotations

import numpy as np
from scipy.interpolate import RBFInterpolator

from fidele.characterise.fit import fit
from fidele.chart.family import farthest
from fidele.colour.cie import xyz_to_lab
from fidele.colour.difference import delta_e_2000
from tests.street.kinds import Stranger

COUNTS, NOISES = (100, 200, 400, 900), (0.1, 0.3)
ANYWHERE = np.random.default_rng(77).random((2000, 3))


def patches(count: int) -> np.ndarray:
    """So many device values (count, 3): the corners and greys among them, the rest spread evenly."""
    corners = np.stack(np.meshgrid([0, 1], [0, 1], [0, 1], indexing="ij"), -1).reshape(-1, 3).astype(float)
    greys = np.repeat(np.linspace(0, 1, max(5, count // 25))[1:-1, None], 3, axis=1)
    fixed = np.concatenate([corners, greys])
    some = np.random.default_rng(0).random((4000, 3))
    return np.concatenate([fixed, some[farthest(100 * some**0.7, 100 * fixed**0.7, count - len(fixed))]])


def measured(stranger: Stranger, rgb: np.ndarray, noise: float, seed: int) -> np.ndarray:
    """L*a*b* (n, 3) of patches as an instrument with such noise measures them."""
    rng = np.random.default_rng([seed, len(rgb), round(noise * 100)])
    return xyz_to_lab(stranger.xyz(rgb)) + rng.normal(0, noise, rgb.shape) * [0.6, 1, 1]


def judged(stranger: Stranger) -> list[dict]:
    """Return for each count and noise the true errors of both fits, and what was stated."""
    truth, rows = xyz_to_lab(stranger.xyz(ANYWHERE)), []
    for count in COUNTS:
        rgb = patches(count)
        for noise in NOISES:
            Lab = measured(stranger, rgb, noise, stranger.seed)
            ours = fit(rgb, Lab)
            plain = RBFInterpolator(rgb, Lab, kernel="thin_plate_spline")
            off, usual = delta_e_2000(ours(ANYWHERE), truth), delta_e_2000(plain(ANYWHERE), truth)
            rows.append(
                {
                    "kind": stranger.kind,
                    "count": count,
                    "noise": noise,
                    "mean": round(float(off.mean()), 4),
                    "p95": round(float(np.percentile(off, 95)), 4),
                    "plain mean": round(float(usual.mean()), 4),
                    "plain p95": round(float(np.percentile(usual, 95)), 4),
                    "stated": round(ours.stated.mean, 4),
                    "within": bool(ours.stated.low <= off.mean() <= ours.stated.high),
                    "out": len(ours.out),
                }
            )
    return rows


def _middle(values: list[float]) -> list[float]:
    """The median and the 95th percentile."""
    return [round(float(np.percentile(values, q)), 3) for q in (50, 95)]


def summed(rows: list[dict]) -> dict:
    """Return the figures of many strangers, by count and noise, and of each kind over all of them."""
    table = []
    for count in COUNTS:
        for noise in NOISES:
            some = [r for r in rows if (r["count"], r["noise"]) == (count, noise)]
            if not some:
                continue
            mean, p95 = (np.array([r[k] / r[f"plain {k}"] for r in some]) for k in ("mean", "p95"))
            table.append(
                {
                    "patches": count,
                    "noise": noise,
                    "mean": _middle([r["mean"] for r in some]),
                    "plain mean": [
                        round(float(np.percentile([r["plain mean"] for r in some], q)), 3) for q in (50, 95)
                    ],
                    "mean beside plain": round(float(mean.mean()), 3),
                    "p95 beside plain": round(float(p95.mean()), 3),
                    "stated holds": round(float(np.mean([r["within"] for r in some])), 3),
                    "left out": sum(r["out"] for r in some),
                }
            )
    kinds = {r["kind"] for r in rows}
    beside = {}
    for kind in sorted(kinds):
        ratios = [r["mean"] / r["plain mean"] for r in rows if r["kind"] == kind]
        beside[kind] = [round(float(np.mean(ratios)), 3), round(float(np.max(ratios)), 3)]
    return {"table": table, "kinds": beside, "prints": len(rows)}
