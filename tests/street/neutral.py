"""What becomes of a stranger's print without a profile: its greys page by page, and looks that can be aimed at."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from scipy.spatial import cKDTree

from fidele.bench.inks import WAVELENGTHS as BENCH_WAVELENGTHS
from fidele.bench.scanner import response
from fidele.characterise.aims import OtherPrint, Screen, aimed
from fidele.characterise.balance import balance
from fidele.chart.family import made
from fidele.colour.cie import D50, xyz_to_lab
from fidele.colour.difference import delta_e_2000
from fidele.icc.solve import solve
from fidele.icc.spaces import srgb
from fidele.icc.transform import to_lab
from tests.street.kinds import KINDS, Stranger
from tests.street.kinds import made as stranger
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


def _seen(one: Stranger, rng: np.random.Generator | None) -> Prints:
    """What a scanner that does not see as the eye does makes of it: numbers taken for sRGB, beside its own white.

    Without `rng` as it sees on average: one scan's noise is no cast of a grey.
    """
    sees = np.stack([np.interp(WAVELENGTHS, BENCH_WAVELENGTHS, c) for c in response().T], axis=1)

    def scanned(rgb: np.ndarray) -> np.ndarray:
        linear = one.physics(one.separation(one.again(rgb))) @ sees
        return linear + rng.normal(0, 0.002, linear.shape) if rng is not None else linear

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
        "chroma": _chroma(Lab[judged]),
        "tone": float(np.percentile(off, 95)),
        "mean": float(delta_e_2000(Lab[judged], wanted[judged]).mean()),
    }


def _chroma(Lab: np.ndarray) -> float:
    return float(np.percentile(np.hypot(*Lab[:, 1:].T), 95))


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

    sees, scanned = _seen(one, None), _seen(one, rng)
    blind = [
        _figures(true, np.clip(_GREYS**gamma * (1 + warm * np.array([1, 0, -1])), 0, 1))["mean"]
        for gamma, warm in _BLIND
    ]
    return {
        "kind": one.kind,
        "seed": one.seed,
        "instrument": _worked(true, true, PAGES, measured),
        "scanner": _worked(sees, true, SCANNED, scanned),
        "best of nine blind": min(blind),
        "least chroma": _chroma(_nearest(true, aimed(_LEVELS, true(np.zeros((1, 3)))[0])[_LEVELS >= FROM])),
        "like another": _like(true, measured, one),
        "like the screen": _on_screen(true, measured, one.seed),
    }


def _nearest(true: Prints, wanted: np.ndarray) -> np.ndarray:
    """Return the L*a*b* (n, 3) that these inks print nearest to what is wanted: searched from twelve places each."""
    steps = np.linspace(0, 1, 26) ** 1.3
    device = np.stack(np.meshgrid(steps, steps, steps, indexing="ij"), axis=-1).reshape(-1, 3)
    starts = device[cKDTree(true(device)).query(wanted, 12)[1]].reshape(-1, 3)
    found = true(solve(true, wanted.repeat(12, axis=0), starts, iterations=40).device).reshape(-1, 12, 3)
    best = delta_e_2000(found, wanted[:, None]).argmin(axis=1)
    return found[np.arange(len(wanted)), best]


def _like(true: Prints, measured: Prints, one: Stranger) -> dict[str, float]:
    """Return how far its page is from that of another kind's printer: before, after one page, as said, at best."""
    kinds, page = list(KINDS), made("neutral").rgb
    other = stranger(kinds[(kinds.index(one.kind) + 4) % len(kinds)], one.seed)
    theirs, rng = _true(other), np.random.default_rng(one.seed + 1)
    look = OtherPrint(page, theirs(page) + rng.normal(0, one.noise, (len(page), 3)) * [0.6, 1, 1])
    found = balance(page, measured(page), look)
    before, after = (float(delta_e_2000(theirs(page), true(sent)).mean()) for sent in (page, found.balance(page)))
    best = delta_e_2000(_nearest(true, theirs(page)), theirs(page)).mean()
    assert found.apart is not None
    return {"before": before, "after": after, "said": found.apart[0] - found.apart[1], "best": float(best)}


def _on_screen(true: Prints, measured: Prints, seed: int) -> dict[str, float]:
    """Return how far pictures' colours are from the screen: by default, with neutral greys, with that as the aim."""
    colours = np.random.default_rng(seed + 2).random((300, 3))
    colours = 0.7 * colours + 0.3 * colours.mean(axis=1, keepdims=True)
    page, look = made("neutral").rgb, Screen()
    Lab, wanted = measured(page), look.wanted(colours, true(np.zeros((1, 3)))[0])
    ways = {"before": colours, "neutral": balance(page, Lab).balance(colours)}
    found = balance(page, Lab, look)
    ways["after"] = found.balance(colours)
    off = {name: float(delta_e_2000(wanted, true(sent)).mean()) for name, sent in ways.items()}
    return off | {"chroma": _figures(true, found.balance(_GREYS))["chroma"]}


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
        "like another print: halved, or within a sixth of what the inks have": sum(
            _had(r["like another"]) for r in rows
        ),
        "said beforehand within a fifth": sum(
            abs(f["said"] - (f["before"] - f["after"])) <= 0.2 * abs(f["before"] - f["after"])
            for f in (r["like another"] for r in rows)
        ),
        "like the screen: by default, neutral, aimed at it (middle)": [
            round(float(np.median([r["like the screen"][name] for r in rows])), 1)
            for name in ("before", "neutral", "after")
        ],
        "nearer to the screen than with neutral greys": sum(
            r["like the screen"]["after"] < r["like the screen"]["neutral"] for r in rows
        ),
        "greys within chroma 3 meanwhile, after one page": sum(r["like the screen"]["chroma"] <= 3 for r in rows),
        "cannot be neutral by their inks": [
            f"{r['kind']} {r['seed']}: chroma {r['least chroma']:.1f} at least" for r in rows if r["least chroma"] > 3
        ],
        "better than the best of nine blind": sum(r["instrument"][-1]["mean"] < r["best of nine blind"] for r in rows),
        "missed": [
            f"{r['kind']} {r['seed']}: chroma {f['chroma']:.1f}, tone {f['tone']:.1f}"
            for r, f in zip(rows, last, strict=True)
            if f["chroma"] > 3 or f["tone"] > 2
        ],
    }


def _had(one: dict[str, float]) -> bool:
    return one["after"] <= max(one["before"] / 2, 7 / 6 * one["best"])


def _of(figures: list[dict]) -> dict:
    chroma, tone = (np.array([f[name] for f in figures]) for name in ("chroma", "tone"))
    return {
        "reach chroma 3": int((chroma <= 3).sum()),
        "reach tone 2": int((tone <= 2).sum()),
        "chroma, middle and worst": [round(float(np.median(chroma)), 2), round(float(chroma.max()), 2)],
        "tone, middle and worst": [round(float(np.median(tone)), 2), round(float(tone.max()), 2)],
    }
