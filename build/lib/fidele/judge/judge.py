"""All findings, from all that is known."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from fidele.judge.check import check_findings
from fidele.judge.facts import Facts
from fidele.judge.finding import WEIGHTS, Finding
from fidele.judge.picture import picture_findings, proof_findings
from fidele.judge.press import press_findings
from fidele.judge.profile import missing_profile, profile_findings
from fidele.judge.route import route_findings
from fidele.judge.settings import card_findings
from fidele.judge.sheet import sheet_findings
from fidele.judge.table import finding
from fidele.judge.way import way_findings


def judge(facts: Facts) -> tuple[Finding, ...]:
    """Return what is wrong or doubtful, what holds the print first. Reads nothing but the facts."""
    found = [one for rule in _RULES for one in rule(facts)]
    return tuple(sorted(found, key=lambda f: WEIGHTS.index(f.weight)))


def _run_findings(facts: Facts) -> Iterator[Finding]:
    """Whether a readiness page is due, the workshop can be read, and the last run was printed as it was sent."""
    if facts.not_ready:
        yield finding("not-ready", what=", ".join(facts.not_ready))
    if facts.readiness:
        yield finding("readiness-due", why=facts.readiness)
    for sentence, folder in facts.damaged:
        yield finding("kept-damaged", sentence=sentence, folder=folder)
    if facts.receipt is not None and facts.receipt[1]:
        number, differs = facts.receipt
        yield finding("receipt-differs", number=number, differs="; ".join(differs[:4]))


_RULES: tuple[Callable[[Facts], Iterator[Finding]], ...] = (
    missing_profile,
    route_findings,
    way_findings,
    card_findings,
    profile_findings,
    picture_findings,
    sheet_findings,
    proof_findings,
    _run_findings,
    press_findings,
    check_findings,
)
