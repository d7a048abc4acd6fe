"""Findings where another one than Fidele converts: what it leaves out, and what is not known of it."""

from __future__ import annotations

from collections.abc import Iterator

from fidele.judge.facts import Facts
from fidele.judge.finding import Action, Deed, Finding
from fidele.judge.table import finding
from fidele.language import tr
from fidele.route.condition import OWNER_WORDS


def way_findings(facts: Facts) -> Iterator[Finding]:
    """Whether what was worked on is printed, and whether the proof can be made."""
    card = facts.card
    if card.owner == "fidele" or facts.bare:
        return
    who = OWNER_WORDS[card.owner].strip(",")
    who = who[:1].upper() + who[1:]
    if facts.way_unknown:
        yield finding("way-not-known", why=facts.way_unknown)
    if facts.tuned and not card.bake:
        # Where nobody knows how it prints there is nothing that a tuning could be measured by, nor worked in with.
        able = facts.known
        ways = tr(" Or work the tuning into what is sent.") if able else ""
        yield finding(
            "work-not-printed",
            button=tr("Work it into what is sent") if able else None,
            act=Action(Deed.BAKE) if able else None,
            what=tr("The tuning of {named}", named=_named(facts.tuned)),
            who=who,
            remedy=tr("Let Fidele convert.{ways}", ways=ways)
            if card.profile is not None or not able
            else tr("Work the tuning into what is sent."),
        )
    if facts.purified:
        what = tr("What is to stay pure in {named}", named=_named(facts.purified))
        yield finding("work-not-printed", what=what, who=who, remedy=tr("Let Fidele convert, or give it up."))
    way = facts.way
    its_own = not any(row.meaning == "given_intent" for row in facts.rows)  # else the difference is said of that
    if way is not None and way.profile is not None and way.intent != card.intent and its_own:
        yield finding("intent-not-used", who=who, used=way.intent.words, asked=card.intent.words)


def _named(names: tuple[str, ...]) -> str:
    first = list(dict.fromkeys(names))
    return first[0] if len(first) == 1 else tr("{first} and {n} more", first=first[0], n=len(first) - 1)
