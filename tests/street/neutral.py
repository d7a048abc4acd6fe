"""How neutral and even greys end without a profile, on one stranger: from its driver's default, page by page."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from fidele.bench.inks import WAVELENGTHS as BENCH_WAVELENGTHS
from fidele.bench.scanner import response
from fidele.characterise.aims import aimed
from fidele.characterise.balance import balance
from fidele.chart.family import made
from fidele.colour.cie import D50, xyz_to_lab
from fidele.colour.difference import delta_e_2000
from fidele.icc.spaces import srgb
from fidele.icc.transform import to_lab
from tests.street.kinds import Stranger
from tests.street.physics import WAVELENGTHS

#: Pages by instrument, and by a scanner that nobody characterised; greys are judged from this level on.
PAGES, SCANNED, FROM = 3, 4, 0.1
#: What somebody tries who knows nothing: tones lighter and darker, warmer and cooler.
_BLIND = [(gamma, warm) for gamma in (0.85, 1.0, 1.18) for warm in (-0.04, 0.0, 0.04)]
_LEVELS = np.linspace(0, 1, 41)
_GREYS = np.repeat(_LEVELS[:, None], 3, 1)

Prints = Callable[[np.ndarray], np.ndarray]


def _true(one: Stranger) -> Prints:
    white = one.xyz(one.again(np.ones((1, 3))))
    return lambda rgb: np.asarray(xyz_to_lab(one.xyz(one.again(rgb)) / white * D50))


def _seen(one: Stranger, rng: np.random.Generator) -> Prints:
    """What a scanner that does not see as the eye does makes of it: numbers taken for sRGB, beside its own white."""
    sees = np.stack([np.interp(WAVELENGTHS, BENCH_WAVELENGTHS, c) for c in response().T], axis=1)

    def scanned(rgb: np.ndarray) -> np.ndarray:
        linear = one.physics(one.separation(one.again(rgb))) @ sees
        return linear + rng.normal(0, 0.002, linear.shape)

    white = one.physics(one.separation(one.again(np.ones((1, 3))))) @ sees

    def prints(rgb: np.ndarray) -> np.ndarray:
        linear = np.clip(scanned(rgb) / white, 1e-5, 1)
        coded = np.where(linear <= 0.0031308, 12.92 * linear, 1.055 * linear ** (1 / 2.4) - 0.055)
        return to_lab(coded.astype(np.float32), srgb()).astype(float)

    return prints


def _figures(prints: Prints, sent: np.ndarray) -> dict[str, float]:
    Lab, black, judged = prints(sent), prints(np.zeros((1, 3)))[0], _LEVELS >= FROM
    wanted = aimed(_LEVELS, black)
    off = np.abs(Lab[judged, 0] - wanted[judged, 0])
    return {
        "chroma": float(np.percentile(np.hypot(*Lab[judged, 1:].T), 95)),
        "tone": float(np.percentile(off, 95)),
        "mean": float(delta_e_2000(Lab[judged], wanted[judged]).mean()),
    }


def _worked(prints: Prints, true: Prints, pages: int, measured: Callable[[np.ndarray], np.ndarray]) -> list[dict]:
    page, rows = made("neutral").rgb, [_figures(true, _GREYS) | {"seen": _figures(prints, _GREYS)}]
    rgb, Lab, sent = np.empty((0, 3)), np.empty((0, 3)), page
    for _ in range(pages):
        rgb, Lab = np.concatenate([rgb, sent]), np.concatenate([Lab, measured(sent)])
        curves = balance(rgb, Lab).balance
        sent = curves(page)
        rows.append(_figures(true, curves(_GREYS)) | {"seen": _figures(prints, curves(_GREYS))})
    return rows


def judged(one: Stranger) -> dict:
    """Return the figures of a stranger's greys: before and after each page, by both ways, and of nine blind trials."""
    rng, true = np.random.default_rng(one.seed), _true(one)

    def measured(sent: np.ndarray) -> np.ndarray:
        return true(sent) + rng.normal(0, one.noise, (len(sent), 3)) * [0.6, 1, 1]

    seen = _seen(one, rng)
    blind = [
        _figures(true, np.clip(_GREYS**gamma * (1 + warm * np.array([1, 0, -1])), 0, 1))["mean"]
        for gamma, warm in _BLIND
    ]
    return {
        "kind": one.kind,
        "seed": one.seed,
        "instrument": _worked(true, true, PAGES, measured),
        "scanner": _worked(seen, true, SCANNED, seen),
        "best of nine blind": min(blind),
    }


def summed(rows: list[dict]) -> dict:
    """Return what the figures of many strangers say: how many reach what is asked, and by how much."""
    last, first = [r["instrument"][-1] for r in rows], [r["instrument"][1] for r in rows]
    seen, told = [r["scanner"][-1]["seen"] for r in rows], [r["scanner"][-1] for r in rows]
    return {
        "strangers": len(rows),
        "before": _of([r["instrument"][0] for r in rows]),
        "instrument, one page": _of(first),
        "instrument, three pages": _of(last),
        "scanner, four pages, as it sees them": _of(seen),
        "scanner, four pages, truly": _of(told),
        "better than the best of nine blind": sum(r["instrument"][-1]["mean"] < r["best of nine blind"] for r in rows),
        "missed": [
            f"{r['kind']} {r['seed']}: chroma {f['chroma']:.1f}, tone {f['tone']:.1f}"
            for r, f in zip(rows, last, strict=True)
            if f["chroma"] > 3 or f["tone"] > 2
        ],
    }


def _of(figures: list[dict]) -> dict:
    chroma, tone = (np.array([f[name] for f in figures]) for name in ("chroma", "tone"))
    return {
        "reach chroma 3": int((chroma <= 3).sum()),
        "reach tone 2": int((tone <= 2).sum()),
        "chroma, middle and worst": [round(float(np.median(chroma)), 2), round(float(chroma.max()), 2)],
        "tone, middle and worst": [round(float(np.median(tone)), 2), round(float(tone.max()), 2)],
    }
