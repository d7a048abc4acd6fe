"""The verdict on the last chart, its cause, and whether another one is due."""

from __future__ import annotations

from collections.abc import Iterator

from fidele.check.words import run_into_end
from fidele.judge.facts import CheckFacts, Facts
from fidele.judge.finding import Action, Deed, Finding
from fidele.judge.table import finding
from fidele.language import lowered, tr

#: A condition that was not checked for so many days is due.
DUE_DAYS = 28
_BRING = (tr("Set everything to the card"), Action(Deed.BRING))
_SHOW = (tr("Show the hand-off"), Action(Deed.SHOW, "hand-off"))
_MEND = (tr("Mend the profile"), Action(Deed.SHOW, "mending"))
#: The button that mends a cause: its words and what it does.
_MENDS = {
    "converted-twice": (tr("Let the driver pass numbers"), Action(Deed.DRIVER_PASS)),
    "twice-by-system": (tr("Take the profile off the print system"), Action(Deed.SYSTEM_PASS)),
    "not-converted": (tr("Let Fidele convert"), Action(Deed.FIDELE_CONVERT)),
    "by-hand": _BRING,
    "less-ink": _BRING,
    "more-ink": _BRING,
    "scaled": _BRING,
    "greys-only": _BRING,
    "wrong-intent": (tr("Show the proof"), Action(Deed.SHOW, "proof")),
    "wrong-source": (tr("Show the artwork"), Action(Deed.SHOW, "artwork")),
    "unit": _MEND,
    "wrong-profile": (tr("Show the profiles"), Action(Deed.SHOW, "profiles")),
}
#: What lots are of, as it stands in a sentence.
_LOT_OF = {"ink": tr("ink"), "media": tr("media"), "substrate": tr("piece")}


def check_findings(facts: Facts) -> Iterator[Finding]:
    """The verdict on the last chart and its cause; a condition that was checked once, and not for a while."""
    if facts.unchecked is not None and facts.unchecked >= DUE_DAYS:
        yield finding("check-due", days=facts.unchecked, card=facts.card.name)
    for what, lot in facts.new_lots:
        yield finding("new-lot", what=_LOT_OF[what], lot=lot, card=facts.card.name)
    if facts.curved:
        yield finding("curved-piece", name=facts.curved)
    check = facts.check
    if check is None:
        return
    c = check.comparison
    figures = tr(
        "Mean ΔE00 {mean:.1f}, 95th percentile {p95:.1f}; {name} allows {mean2:g} and {p952:g}.",
        mean=c.mean,
        p95=c.p95,
        name=tr(c.tolerance.name),
        mean2=c.tolerance.mean,
        p952=c.tolerance.p95,
    )
    if c.passed:
        yield finding("passed", figures=figures)
    elif c.judged:
        yield finding("out-of-tolerance", figures=" ".join(c.failures))
        yield _cause(check, mended=facts.chain is not None and len(facts.chain.knots) == 1)
    if check.mirrored:
        yield finding("seen-mirrored")
    if check.clipped:
        yield finding("clipped", count=check.clipped)
    if c.passed and check.cause.kind not in ("right", "undecided", "none"):
        cause = check.cause
        title, mends = tr("Within tolerance, but: {title}", title=lowered(cause.title)), _MENDS.get(cause.kind, _SHOW)
        yield Finding(f"small-{cause.kind}", "caution", title, cause.sentence, cause.next_step, *mends, "check")
    for words in check.cautions:
        if words != run_into_end(check.clipped):  # said above
            yield finding("about-the-reading", words=words)


def _cause(check: CheckFacts, mended: bool) -> Finding:
    """Return what happened, by the table of causes; `mended`: the settings read right by now."""
    cause = check.cause
    named = cause.code == cause.suspects[0].code and cause.code != "none"
    percent = tr(" (right in {sure:.0f} of 100 such cases)", sure=cause.sure * 100) if named else ""
    next_step = tr("The settings now read right: print it again.") if mended else cause.next_print or cause.next_step
    if cause.kind == "unit":  # what is set right does not help against it
        next_step, mended = cause.next_step, False
    mends = _SHOW if mended else _MENDS.get(cause.kind, _SHOW)
    why = f"{cause.sentence.rstrip('.')}{percent}."
    return Finding(f"cause-{cause.kind}", "stop", cause.title, why, next_step, *mends, "check")
