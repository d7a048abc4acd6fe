"""Printers of more than four inks, of physics and inks that nobody here made: fitted, separated, printed through."""

from __future__ import annotations

import datetime
from dataclasses import replace

import numpy as np

from fidele.characterise.ink_setup import setup_of
from fidele.characterise.inks import Separation, fit_inks
from fidele.characterise.own_inks import SIZES
from fidele.characterise.printer import make_profile
from fidele.chart.ink_set import InkSet, ink_set
from fidele.chart.ink_target import ink_target, ramp_page
from fidele.colour.cie import lab_to_xyz
from fidele.colour.difference import delta_e_2000
from fidele.icc.profile import Profile
from fidele.icc.tables import pcs_lab_to_device
from tests.street import physics
from tests.street.inked import lab, measured
from tests.street.kinds import Stranger
from tests.street.physics import bell, extra_ink, overprints

COUNTS, NOISES = (600, 1000), (0.1, 0.3)
CUBE = np.random.default_rng(79).random((2000, 3))
#: What the further inks of a kind are; those that have none of their own are given some, on physics of their own.
_OWN = {"six inks": ("orange", "green"), "light inks": ("light cyan", "light magenta")}
_GIVEN = {
    "trapping": ("orange",),
    "dye": ("light cyan", "light magenta"),
    "wide": ("orange", "violet"),
    "round in paper": ("orange", "green", "violet"),
    "opaque": ("red", "blue"),
}


def inks_of(kind: str) -> InkSet | None:
    """Which inks a kind of printer has here; None for those that are not asked."""
    further = {**_OWN, **_GIVEN}.get(kind)
    return None if further is None else ink_set(further)


def _density(name: str, base: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """The optical density (36,) of a further ink."""
    shift = rng.normal(0, 6)
    if name.startswith("light "):
        return base[("cyan", "magenta", "yellow").index(name.split()[1])] * rng.uniform(0.22, 0.4)
    return {
        "orange": lambda: extra_ink(572 + shift, 12, 1.6, 0.03),
        "red": lambda: extra_ink(592 + shift, 13, 1.7, 0.03),
        "green": lambda: bell(420, 40, 1.2) + bell(675 + shift, 60, 1.6) + 0.03,
        "blue": lambda: bell(590 + shift, 55, 1.7) + bell(690, 40, 0.9) + 0.04,
        "violet": lambda: bell(565 + shift, 45, 1.7) + 0.04,
    }[name]()


def printer(stranger: Stranger) -> Stranger:
    """The same with its further inks, where they are given to it."""
    if (further := _GIVEN.get(stranger.kind)) is None:
        return stranger
    rng = np.random.default_rng([stranger.seed, 31, *stranger.kind.encode()])
    base = physics.ink_set(rng, 1.05)
    inks = np.concatenate([base, [_density(name, base, rng) for name in further]])
    paper = np.clip(0.9 - rng.uniform(0.02, 0.1) * np.exp(-(physics.WAVELENGTHS - 380) / 45), 0.05, 0.99)
    gain = rng.uniform(0.75, 0.95)
    mix = physics.neugebauer(overprints(inks, paper, rng.uniform(0.75, 1.0), 0.003), rng.uniform(1.5, 2.4))
    models = {
        "trapping": lambda amounts: mix(np.clip(amounts, 0, 1) ** gain),
        "dye": physics.Dye(inks, paper, rng.uniform(1.2, 1.8), 0.006),
        "wide": physics.Dye(inks * 1.3, paper, 1.4, 0.003),
        "round in paper": physics.ClapperYule(inks, paper, gain),
        "opaque": physics.KubelkaMunk(inks * 1.5, paper * 0.9, rng.uniform(0.02, 0.3, len(inks)), 1.5),
    }
    return replace(stranger, physics=models[stranger.kind])


def judged(stranger: Stranger) -> list[dict]:
    """Return how far off colours are that a separation uses, and those that are printed through the profile."""
    if (of := inks_of(stranger.kind)) is None:
        return []
    press, rows = printer(stranger), []
    for noise in NOISES:
        ramps = ramp_page(inks=of).inks
        setup = setup_of(ramps, measured(press, ramps, noise, stranger.seed), None, of)
        for count in COUNTS:
            inks = ink_target(count, lambda places, setup=setup: setup.laid(setup.limited(places)), inks=of).inks
            fitted = fit_inks(inks, lab_to_xyz(measured(press, inks, noise, stranger.seed)), setup)
            separation = Separation(fitted)
            device = separation.device(CUBE)
            off = delta_e_2000(fitted.fit(device), lab(press, setup.laid(1 - device)))
            stated = fitted.fit.stated
            row = {
                "kind": stranger.kind,
                "inks": len(of),
                "count": count,
                "noise": noise,
                "mean": round(float(off.mean()), 4),
                "p95": round(float(np.percentile(off, 95)), 4),
                "stated": round(stated.mean, 4),
                "within": bool(stated.low <= off.mean() <= stated.high),
                "out": len(fitted.fit.out),
            }
            if (count, noise) == (1000, 0.1):
                data = make_profile(separation, "", datetime.datetime(2026, 1, 1), sizes=SIZES[len(of)])
                wanted = lab(press, setup.laid(1 - separation._with_most(CUBE)))  # what it can print
                laid = pcs_lab_to_device(Profile.parse(data, "inks"), wanted)
                printed = delta_e_2000(lab(press, laid), wanted)
                row |= {
                    "printed": round(float(printed.mean()), 3),
                    "printed p95": round(float(np.percentile(printed, 95)), 3),
                    "over": round(float(laid.sum(axis=1).max() - setup.total), 3),
                }
            rows.append(row)
    return rows


def summed(rows: list[dict]) -> dict:
    """Return the figures of many strangers, by count and noise."""

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
                    "mean": middle([r["mean"] for r in some]),
                    "p95": middle([r["p95"] for r in some]),
                    "stated holds": round(float(np.mean([r["within"] for r in some])), 3),
                    "left out": sum(r["out"] for r in some),
                }
            )
    printed = [r for r in rows if "printed" in r]
    return {
        "table": table,
        "printed": middle([r["printed"] for r in printed]),
        "printed p95": middle([r["printed p95"] for r in printed]),
        "over": max(r["over"] for r in printed),
        "by kind": {f"{r['kind']}, {r['inks']} inks": [r["mean"], r["printed"]] for r in printed},
        "printers": len(printed),
    }
