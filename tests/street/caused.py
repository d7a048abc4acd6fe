"""What the check says of strangers' prints, each with a fault: named rightly or not, and how sure it said that."""

from __future__ import annotations

from dataclasses import replace
from functools import cache

import numpy as np

from fidele.chart.family import control_chart
from fidele.check.cause import find_cause
from fidele.check.statistics import compare
from fidele.check.suspects import suspicions
from fidele.check.tolerance import TOLERANCES
from fidele.icc.profile import Profile
from fidele.icc.transform import Intent
from tests.street.faults import Case, Workshop, cases
from tests.street.judge import profile_of
from tests.street.kinds import made

#: A fault that moves nothing by so much, ΔE00, is none that anybody could find.
_SEEN, _MEAN = 3.0, 1.5
#: From so much on a solid, a grey or the black is seen to be off at once.
_APART = 5.0


@cache
def _profile(kind: str, seed: int) -> Profile:
    return profile_of(made(kind, seed))[0]


def workshop(kind: str, seed: int, other: int) -> Workshop:
    """A stranger with its profile, and one of another seed whose paper and inks are the other media of its shelf."""
    mine = made(kind, seed)
    return Workshop(mine, _profile(kind, seed), made(kind, other), _profile(kind, other), mine.again)


def _named(code: str, kinds: tuple[str, ...]) -> bool:
    return code in kinds or code.partition(":")[0] in kinds


def said_of(shop: Workshop, case: Case, some: np.ndarray | None = None) -> dict:
    """Return what the check says of one print; of `some` patches alone (indices), as of a strip or a piece."""
    rgb, places, ids = control_chart().rgb, control_chart().centres(0), control_chart().ids
    if some is not None:
        rgb, places, ids = rgb[some], places[some], tuple(ids[i] for i in some)
        case = replace(case, Lab=case.Lab[some], seen=case.seen[some])
    suspected = suspicions(
        rgb,
        shop.profile,
        Intent.RELATIVE,
        True,
        shop.driver if case.known_driver else None,
        (("other", "Other", shop.others_profile),),
        places=places,
    )
    found = find_cause(case.Lab, suspected, case.uncertainty)
    group = found.group if found.code == found.suspects[0].code else (found.code,)
    passed = compare(ids, suspected.Lab["right"], case.Lab, TOLERANCES["everyday"]).passed
    shown = _shown(rgb)
    return {
        "name": case.name,
        "good": _named(found.code, case.kinds) or any(_named(c, case.kinds) for c in group),
        "first": _named(found.code, case.kinds),
        "code": found.code,
        "sure": round(found.sure, 3),
        "passed": bool(passed),
        "visible": bool(case.seen.max() > _SEEN or case.seen.mean() > _MEAN),
        "shown": round(float(case.seen[shown].max(initial=0)), 2),
    }


def _shown(rgb: np.ndarray) -> np.ndarray:
    """Which patches are solids, greys or black."""
    return (np.minimum(rgb, 1 - rgb) < 0.01).all(axis=1) | (np.ptp(rgb, axis=1) < 0.01)


def judged(kind: str, seed: int, other: int) -> list[dict]:
    """Return what is said of one stranger's prints."""
    shop, rng = workshop(kind, seed, other), np.random.default_rng([7, seed, *kind.encode()])
    return [said_of(shop, case) for case in cases(replace(shop), rng)]


#: What is measured of a strip or a piece is not in any order that could be taken for another.
_OF_CHARTS = ("two swapped", "rows shifted", "reversed")


def judged_by_few(kind: str, seed: int, other: int, patches: int) -> list[dict]:
    """Return what is said of one stranger's prints by so many patches alone, others for every print."""
    shop, rng = workshop(kind, seed, other), np.random.default_rng([7, seed, *kind.encode()])
    draw, count = np.random.default_rng([8, seed, *kind.encode()]), len(control_chart().ids)
    chosen = [case for case in cases(replace(shop), rng) if case.name not in _OF_CHARTS]
    return [said_of(shop, case, np.sort(draw.permutation(count)[:patches])) for case in chosen]


def summed(rows: list[list[dict]]) -> dict:
    """Return the figures of many strangers, a list of prints each; intervals by resampling strangers, not prints."""
    flat = [r for one in rows for r in one]
    faulty = [[r for r in one if not r["name"].startswith("right") and r["visible"]] for one in rows]
    # What a unit's own spread moves so far that it is seen at once is neither right nor a fault: it is counted apart.
    whole = [r for r in flat if r["name"].startswith("right")]
    right, spread = [r for r in whole if r["shown"] <= _APART], [r for r in whole if r["shown"] > _APART]
    rng = np.random.default_rng(0)
    drawn = [rng.integers(0, len(faulty), len(faulty)) for _ in range(500)]
    shares = [np.mean([r["good"] for k in some for r in faulty[k]]) for some in drawn]
    every = [r for one in faulty for r in one]
    sure = [r for r in every if r["sure"] > 0.9]
    return {
        "strangers": len(rows),
        "faulty": len(every),
        "named": round(float(np.mean([r["good"] for r in every])), 4),
        "interval": [round(float(np.percentile(shares, q)), 4) for q in (2.5, 97.5)],
        "by the cause itself": round(float(np.mean([r["first"] for r in every])), 4),
        "said over 0.9": len(sure),
        "of these right": round(float(np.mean([r["good"] for r in sure])), 4) if sure else None,
        "right prints": len(right),
        "called wrong": sum(r["code"] != "right" for r in right),
        "not passed": sum(not r["passed"] for r in right),
        "over 5 by spread alone": len(spread),
        "of these failed": sum(not r["passed"] for r in spread),
        "over 5 in solids, greys, black": sum(r["shown"] > _APART for r in every),
        "of these called right": sum(r["shown"] > _APART and r["code"] == "right" for r in every),
        "of these called right or passed": sum(
            r["shown"] > _APART and (r["code"] == "right" or r["passed"]) for r in every
        ),
        "reliability": [
            [low, high, len(some), round(float(np.mean([r["good"] for r in some])), 3) if some else None]
            for low, high in ((0.0, 0.5), (0.5, 0.8), (0.8, 0.9), (0.9, 0.95), (0.95, 1.01))
            for some in ([r for r in every if low <= r["sure"] < high],)
        ],
        "missed": sorted({f"{r['name']}: said {r['code']}" for r in every if not r["good"]}),
    }
