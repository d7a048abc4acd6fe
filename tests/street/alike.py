"""What printing like another unit is worth: two units of one model whose inks differ, each by its own profile."""

from __future__ import annotations

import datetime
from dataclasses import replace

import numpy as np

from fidele.characterise.alike import alike
from fidele.characterise.printer import SIZES, Sizes, fit_printer, make_profile
from fidele.colour.adaptation import media_relative
from fidele.colour.cie import D50, lab_to_xyz, xyz_to_lab
from fidele.colour.difference import delta_e_2000
from fidele.icc.profile import Profile
from fidele.icc.spaces import srgb
from fidele.icc.tables import device_to_pcs_lab, pcs_lab_to_device
from tests.street.fitted import measured, patches
from tests.street.kinds import Stranger

_ROOM, _APART = 0.9, 0.08
_DAY = datetime.datetime(2026, 1, 1)


def units(stranger: Stranger, rng: np.random.Generator) -> tuple[Stranger, Stranger]:
    """Return two units: each ink of the second lays down up to 8 % more or less."""
    inks = stranger.separation(np.zeros((1, 3))).shape[1]
    second = _ROOM * (1 + rng.uniform(-_APART, _APART, inks))
    return (
        replace(stranger, separation=lambda rgb: _ROOM * stranger.separation(rgb)),
        replace(stranger, separation=lambda rgb: second * stranger.separation(rgb)),
    )


def profile_of(unit: Stranger, noise: float, seed: int, sizes: Sizes = SIZES, count: int = 400) -> Profile:
    """Return a unit's profile by a target, measured with noise; it states its own error."""
    rgb = patches(count)
    model = fit_printer(rgb, lab_to_xyz(measured(unit, rgb, noise, seed)))
    said = {"quality.mean_de00": f"{model.fit.stated.mean:.3f}"}
    return Profile.parse(make_profile(model, f"unit {seed}", _DAY, states=said, sizes=sizes))


def printed(unit: Stranger, device: np.ndarray) -> np.ndarray:
    """Return what a unit truly prints, relative to its paper."""
    return xyz_to_lab(media_relative(unit.xyz(device), unit.xyz(np.ones((1, 3)))[0], D50))


def judged(stranger: Stranger, sizes: Sizes = SIZES, noise: float = 0.1) -> list[dict]:
    """Return how far apart the two units' prints truly are, in three ways, and what was expected."""
    rng = np.random.default_rng([stranger.seed, *stranger.kind.encode()])
    one, other = units(stranger, rng)
    first, second = (profile_of(unit, noise, n, sizes) for n, unit in enumerate((one, other), 1))
    data, cost = alike(first, second, "alike", _DAY, sizes=sizes)
    made = Profile.parse(data)
    pcs = device_to_pcs_lab(srgb(), rng.random((4000, 3)))
    rows = []
    for intent in (0, 1):
        device = [np.clip(pcs_lab_to_device(p, pcs, intent), 0, 1) for p in (first, second, made)]
        wanted = printed(one, device[0])
        same, own, like = (delta_e_2000(wanted, printed(other, d)) for d in device)
        same = delta_e_2000(wanted, printed(other, device[0]))
        rows.append({"intent": intent, "same": same.mean(), "own": own.mean(), "like": like.mean()})
        rows[-1]["p95"] = np.percentile(like, 95)
    # What was said beforehand is of everything that the first can print.
    device = rng.random((4000, 3))
    wanted = printed(one, device)
    truly = delta_e_2000(wanted, printed(other, np.clip(pcs_lab_to_device(made, wanted, 1), 0, 1))).mean()
    said = {"kind": stranger.kind, "expected": cost.expected, "truly": truly}
    return [{k: float(v) if not isinstance(v, str) else v for k, v in (row | said).items()} for row in rows]


def summed(rows: list[dict]) -> list[dict]:
    """Return by intent the middle of all printers and the worst."""
    found = []
    for intent in (0, 1):
        some = [row for row in rows if row["intent"] == intent]
        figures: dict = {"intent": intent, "printers": len(some)}
        for key in ("same", "own", "like", "p95", "expected", "truly"):
            values = [row[key] for row in some]
            figures[key] = [round(float(np.median(values)), 2), round(float(max(values)), 2)]
        figures["halved"] = round(float(np.mean([row["like"] <= row["same"] / 2 for row in some])), 2)
        found.append(figures)
    return found
