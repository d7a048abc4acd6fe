"""Prints of a chart beside each other, and checks one after the other: what differs, and which is best."""

from __future__ import annotations

import json

from fidele.check.statistics import Comparison, compare
from fidele.dataclass import dataclass
from fidele.language import tr
from fidele.route.condition import Card
from fidele.run.reading import Checked
from fidele.store.records import Check


@dataclass(frozen=True, eq=False)
class PrintMeasured:
    """A print of a chart as it was measured: its label, run, card, and what was found."""

    label: str
    run: int
    card: Card | None
    checked: Checked


def changed_between(one: Check, other: Check) -> list[str]:
    """Say what differs between the conditions of two checks: card, driver settings, profile."""
    a, b = json.loads(one.card), json.loads(other.card)
    said = []
    for key, words in (
        ("profile_title", tr("profile")),
        ("media", tr("media")),
        ("substrate", tr("substrate")),
        ("ink", tr("ink")),
        ("intent", tr("intent")),
        ("driver_version", tr("driver version")),
    ):
        if a.get(key) != b.get(key):
            said.append(f"{words}: {a.get(key) or '–'} → {b.get(key) or '–'}")
    if a.get("profile") != b.get("profile") and a.get("profile_title") == b.get("profile_title"):
        said.append(tr("profile: another version"))
    before, after = json.loads(one.settings), json.loads(other.settings)
    for key in sorted(before.keys() | after.keys()):
        if before.get(key) != after.get(key):
            said.append(f"{key}: {before.get(key, '–')} → {after.get(key, '–')}")
    return said


def best_where(prints: tuple[PrintMeasured, ...]) -> list[str]:
    """Say which of several prints is best, and where: 'B keeps greys, A keeps light tints'."""
    if len(prints) < 2:
        return []
    overall = min(prints, key=lambda p: p.checked.comparison.mean)
    said = [
        tr(
            "{cap} comes nearest all in all, ΔE00 {mean:.1f}.",
            cap=_cap(overall.label),
            mean=overall.checked.comparison.mean,
        )
    ]
    sums = {p.label: p.checked.comparison.by_family() for p in prints}
    families = set.intersection(*(set(s) for s in sums.values()))
    wins: dict[str, list[str]] = {}
    for family in sorted(families):
        ranked = sorted(sums, key=lambda label: sums[label][family].mean)
        lead = sums[ranked[1]][family].mean - sums[ranked[0]][family].mean
        if lead > 0.3:
            wins.setdefault(ranked[0], []).append(family)
    if set(wins) == {overall.label} and len(wins[overall.label]) == len(families):
        return [*said, tr("It is better everywhere.")]
    said += [
        tr("{cap} is better in {won}.", cap=_cap(label), won=", ".join(map(tr, won))) for label, won in wins.items()
    ]
    return said


def _cap(words: str) -> str:
    return words[:1].upper() + words[1:]


def side_by_side(prints: tuple[PrintMeasured, ...]) -> Comparison | None:
    """Compare the first two prints of one chart with each other, None where they are of different charts."""
    if len(prints) < 2 or prints[0].checked.chart.digest != prints[1].checked.chart.digest:
        return None
    one, other = prints[0].checked.measured, prints[1].checked.measured
    shared = tuple(s for s in one.ids if s in set(other.ids))
    if not shared:
        return None
    return compare(shared, one.rows(shared).Lab, other.rows(shared).Lab, prints[0].checked.comparison.tolerance)
