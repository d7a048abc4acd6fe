"""What a profile's tables do to artwork, judged by LittleCMS and by searches of their own."""

from __future__ import annotations

import colorsys
import datetime

import numpy as np
from scipy.spatial import cKDTree

from fidele.characterise.mapping import blackened
from fidele.characterise.printer import fit_printer, make_profile
from fidele.chart.family import target_chart
from fidele.colour.cie import lab_to_lch, lab_to_xyz
from fidele.colour.difference import delta_e_2000
from fidele.colour.oklab import lab_to_oklab
from fidele.icc.profile import Profile
from fidele.icc.solve import solve
from fidele.icc.spaces import srgb
from fidele.icc.tables import device_to_pcs_lab, encode_lab, lut_of
from fidele.icc.transform import Intent, from_lab, to_lab
from tests.street.kinds import Stranger, _lattice

HUES = [(1, 0, 0), (1, 0.5, 0), (1, 1, 0), (0.5, 1, 0), (0, 1, 0), (0, 1, 0.5)]
HUES += [(0, 1, 1), (0, 0.5, 1), (0, 0, 1), (0.5, 0, 1), (1, 0, 1), (1, 0, 0.5)]


class Truth:
    """A printer as its profile describes it, and the nearest that it can do, searched for from a lattice of 41³."""

    def __init__(self, profile: Profile) -> None:
        self.profile = profile
        self._known = _lattice(41).reshape(-1, 3)
        self._tree = cKDTree(self.lab(self._known))

    def lab(self, device: np.ndarray) -> np.ndarray:
        return device_to_pcs_lab(self.profile, np.clip(device, 0, 1))

    def printed(self, Lab: np.ndarray, intent: Intent) -> np.ndarray:
        return self.lab(from_lab(Lab, self.profile, intent).astype(float))

    def off(self, Lab: np.ndarray) -> np.ndarray:
        """ΔE00 (n,) to the nearest printable colour."""
        _, near = self._tree.query(Lab)
        return delta_e_2000(Lab, self.lab(solve(self.lab, Lab, self._known[near]).device))

    def black(self) -> float:
        """L* of a neutral as dark as the darkest colorant (ISO 18619)."""
        return float(self.lab(np.zeros((1, 3)))[0, 0])


def figures(profile: Profile) -> dict[str, float]:
    """Judge the perceptual, saturation and gamut tables of a profile; every figure in ΔE00 unless it says otherwise."""
    truth = Truth(profile)
    black = float(lab_to_xyz(np.array([truth.black(), 0, 0]))[1])
    rgb = _lattice(13).reshape(-1, 3)
    source = device_to_pcs_lab(srgb(), rgb)
    wanted = blackened(source, black)
    printable = truth.off(wanted) <= 1
    move = delta_e_2000(wanted, truth.printed(source, Intent.PERCEPTUAL))[printable]
    lively = delta_e_2000(wanted, truth.printed(source, Intent.SATURATION))
    chroma = lab_to_lch(source)[:, 1]
    strong = chroma > 40
    out = {
        "printable share": printable.mean(),
        "perceptual move, mean": move.mean(),
        "perceptual move, 95th": np.percentile(move, 95),
        "saturation, mean ΔE00": lively.mean(),
    }
    for intent in (Intent.PERCEPTUAL, Intent.SATURATION):
        kept = lab_to_lch(truth.printed(source, intent))[strong, 1].sum() / chroma[strong].sum()
        out[f"{intent.value}, chroma kept"] = kept
    return {k: round(float(v), 3) for k, v in (out | _detail(truth, black) | _trips(profile) | _gamut(truth)).items()}


def _detail(truth: Truth, black: float) -> dict[str, float]:
    """Along 24 ramps and three hue circles: reversals of L*, the smallest step beside the source's, hue in Oklab."""
    back, least, turned = 0.0, np.inf, 0.0
    t = np.linspace(0, 1, 33)[:, None]
    ways = [w for hue in HUES for w in (t * np.array(hue, float), 1 - t * (1 - np.array(hue, float)))]
    circle = np.array([colorsys.hsv_to_rgb(h, 1, 1) for h in np.linspace(0, 1, 97)])
    for number, rgb in enumerate([*ways, 0.5 * circle, circle, 0.5 + 0.5 * circle]):
        source = device_to_pcs_lab(srgb(), rgb)
        wanted, printed = blackened(source, black), truth.printed(source, Intent.PERCEPTUAL)
        step = delta_e_2000(printed[:-1], printed[1:]) / delta_e_2000(source[:-1], source[1:])
        if number < len(ways):
            rising = np.cumsum(np.diff(printed[:, 0]) * np.sign(np.diff(source[:, 0])))
            back = max(back, float((np.maximum.accumulate(np.append(0, rising)) - np.append(0, rising)).max()))
            step = step[:-1]  # the last 3 % belong to the very tip
        least = min(least, float(step.min()))
        ok, got = lab_to_oklab(wanted), lab_to_oklab(printed)
        turn = np.degrees(np.arctan2(got[:, 2], got[:, 1]) - np.arctan2(ok[:, 2], ok[:, 1]))
        seen = np.minimum(np.hypot(*ok[:, 1:].T), np.hypot(*got[:, 1:].T)) > 0.04  # some 12 of chroma in L*a*b*
        turned = max(turned, float(np.abs((turn + 180) % 360 - 180)[seen].max(initial=0)))
    return {"ramps: L* back, worst": back, "ramps: smallest step": least, "hue turned, degrees": turned}


def _trips(profile: Profile) -> dict[str, float]:
    """B2A after A2B, of random printable colours."""
    device = np.random.default_rng(3).random((4000, 3)).astype(np.float32)
    found = {}
    for name, intent in (
        ("A2B0∘B2A0", Intent.PERCEPTUAL),
        ("A2B1∘B2A1", Intent.RELATIVE),
        ("A2B2∘B2A2", Intent.SATURATION),
    ):
        Lab = to_lab(device, profile, intent)
        off = delta_e_2000(Lab, to_lab(from_lab(Lab, profile, intent), profile, intent))
        found |= {f"{name}, mean": off.mean(), f"{name}, worst": off.max()}
    return found


def _gamut(truth: Truth) -> dict[str, float]:
    lut = lut_of(truth.profile, "gamt")
    assert lut is not None

    def flagged(Lab: np.ndarray) -> np.ndarray:
        return lut(encode_lab(Lab, lut.lab_encoding), tetrahedral=False)[:, 0] > 0

    rng = np.random.default_rng(4)
    beyond = rng.uniform([0, -90, -90], [100, 90, 90], (4000, 3))
    beyond = beyond[(off := truth.off(beyond)) > 3]
    near = beyond[off[off > 3] < 8]
    return {
        "gamt: printable flagged, share": flagged(truth.lab(rng.random((4000, 3)))).mean(),
        "gamt: beyond 3 missed, share": (~flagged(beyond)).mean(),
        "gamt: 3 to 8 beyond missed, share": (~flagged(near)).mean() if len(near) else 0.0,
    }


def profile_of(stranger: Stranger) -> tuple[Profile, dict[str, float]]:
    """Have a stranger's chart printed and measured, make its profile, and say how well it describes the printer."""
    chart = target_chart()
    model = fit_printer(chart.rgb, stranger.measured(chart.rgb, np.random.default_rng(stranger.seed)))
    profile = Profile.parse(make_profile(model, f"{stranger.kind} {stranger.seed}", datetime.datetime(2026, 1, 1)))
    held = np.random.default_rng(99).random((1000, 3))
    off = delta_e_2000(stranger.lab(held), device_to_pcs_lab(profile, held))
    return profile, {"fit, mean": round(float(off.mean()), 3), "instrument noise": round(stranger.noise, 2)}


def judged(stranger: Stranger) -> dict[str, float]:
    """Return every figure of a stranger."""
    profile, fit = profile_of(stranger)
    return fit | figures(profile)
