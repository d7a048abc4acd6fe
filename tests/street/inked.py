"""How well printers of four inks are fitted and separated, against colours without noise."""

from __future__ import annotations

import datetime

import numpy as np
from scipy.interpolate import RBFInterpolator

from fidele.characterise.ink_setup import InkSetup, setup_of
from fidele.characterise.inks import InkPrinter, Separation, fit_inks
from fidele.characterise.own_inks import SIZES
from fidele.characterise.printer import make_profile
from fidele.chart.ink_target import ink_target, ramp_page
from fidele.colour.cie import D50, lab_to_xyz, xyz_to_lab
from fidele.colour.difference import delta_e_2000
from fidele.colour.spectra import spectra_to_xyz
from fidele.icc.profile import Profile
from fidele.icc.tables import pcs_lab_to_device
from tests.street.kinds import Stranger

COUNTS, NOISES = (300, 600, 1000), (0.1, 0.3)
ANYWHERE = np.random.default_rng(78).random((3000, 4))


def takes_four(stranger: Stranger) -> bool:
    """Tell whether it has four inks: some have three, and some six."""
    return stranger.separation(np.zeros((1, 3))).shape[1] == 4


def xyz(stranger: Stranger, inks: np.ndarray) -> np.ndarray:
    """XYZ (n, 3) of amounts of ink (n, 4), without noise."""
    parts = np.array_split(inks, max(1, len(inks) // 20_000))
    return np.concatenate([spectra_to_xyz(stranger.physics(part)) for part in parts])


def lab(stranger: Stranger, inks: np.ndarray) -> np.ndarray:
    """Media-relative L*a*b* (n, 3) of amounts of ink (n, 4), without noise."""
    return xyz_to_lab(xyz(stranger, inks) / xyz(stranger, np.zeros((1, inks.shape[1]))) * D50)


def measured(stranger: Stranger, inks: np.ndarray, noise: float, seed: int) -> np.ndarray:
    """L*a*b* (n, 3) as an instrument with such noise measures them."""
    rng = np.random.default_rng([seed, len(inks), round(noise * 100)])
    return xyz_to_lab(xyz(stranger, inks)) + rng.normal(0, noise, (len(inks), 3)) * [0.6, 1, 1]


def set_up(stranger: Stranger, noise: float) -> InkSetup:
    """What its page of ramps tells."""
    ramps = ramp_page().inks
    assert ramps is not None
    return setup_of(ramps, measured(stranger, ramps, noise, stranger.seed))


def fitted(stranger: Stranger, setup: InkSetup, count: int, noise: float) -> tuple[InkPrinter, np.ndarray, np.ndarray]:
    """Its fit by so many patches, and what was measured of what."""
    inks = ink_target(count, lambda places: setup.laid(setup.limited(places))).inks
    assert inks is not None
    Lab = measured(stranger, inks, noise, stranger.seed)
    return fit_inks(inks, lab_to_xyz(Lab), setup), inks, Lab


def judged(stranger: Stranger) -> list[dict]:
    """Return for each count and noise the true errors of ours and of a plain spline, and what was stated."""
    if not takes_four(stranger):
        return []
    rows = []
    for noise in NOISES:
        setup = set_up(stranger, noise)
        places = setup.limited(ANYWHERE)
        amounts = setup.laid(places)
        truth, relative = xyz_to_lab(xyz(stranger, amounts)), lab(stranger, amounts)
        for count in COUNTS:
            ours, inks, Lab = fitted(stranger, setup, count, noise)
            off = delta_e_2000(xyz_to_lab(lab_to_xyz(ours(1 - places)) * ours.white_XYZ / D50), truth)
            once = np.unique(np.round(inks, 6), axis=0, return_index=True)[1]
            usual = delta_e_2000(RBFInterpolator(inks[once], Lab[once], kernel="thin_plate_spline")(amounts), truth)
            stated = ours.fit.stated
            rows.append(
                {
                    "kind": stranger.kind,
                    "count": count,
                    "noise": noise,
                    "mean": round(float(off.mean()), 4),
                    "p95": round(float(np.percentile(off, 95)), 4),
                    "plain mean": round(float(usual.mean()), 4),
                    "plain p95": round(float(np.percentile(usual, 95)), 4),
                    "stated": round(stated.mean, 4),
                    "within": bool(stated.low <= off.mean() <= stated.high),
                    "out": len(ours.fit.out),
                    "total": round(setup.total, 2),
                    "noise seen": round(stated.noise, 3),
                }
                | (_separated(stranger, ours, relative) if (count, noise) == (600, 0.1) else {})
            )
    return rows


def _separated(stranger: Stranger, printer: InkPrinter, truth: np.ndarray) -> dict:
    """Return how far printed colours are off from what the profile was asked for, and how much ink it asks for."""
    data = make_profile(Separation(printer), "", datetime.datetime(2026, 1, 1), sizes=SIZES[4])
    profile = Profile.parse(data, "inks")
    inks = pcs_lab_to_device(profile, truth)
    off = delta_e_2000(lab(stranger, inks), truth)
    return {
        "printed": round(float(off.mean()), 3),
        "printed p95": round(float(np.percentile(off, 95)), 3),
        "over": round(float(inks.sum(axis=1).max() - printer.setup.total), 3),
    }


def summed(rows: list[dict]) -> dict:
    """Return the figures of many strangers, by count and noise."""
    table = []
    for count in COUNTS:
        for noise in NOISES:
            some = [r for r in rows if (r["count"], r["noise"]) == (count, noise)]
            mean, p95 = (np.array([r[k] / r[f"plain {k}"] for r in some]) for k in ("mean", "p95"))
            table.append(
                {
                    "patches": count,
                    "noise": noise,
                    "printers": len(some),
                    "mean": [round(float(np.percentile([r["mean"] for r in some], q)), 3) for q in (50, 95)],
                    "mean beside plain": round(float(mean.mean()), 3),
                    "p95 beside plain": round(float(p95.mean()), 3),
                    "worst beside plain": round(float(mean.max()), 3),
                    "stated holds": round(float(np.mean([r["within"] for r in some])), 3),
                }
            )
    printed = [r for r in rows if "printed" in r]
    return {
        "table": table,
        "printed": [round(float(np.percentile([r["printed"] for r in printed], q)), 3) for q in (50, 95)],
        "printed p95": [round(float(np.percentile([r["printed p95"] for r in printed], q)), 3) for q in (50, 95)],
        "most over the total": round(max(r["over"] for r in printed), 3),
        "fits": len(rows),
    }
