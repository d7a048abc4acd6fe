"""Findings on profile, sheet and check; those of the route and of the picture lie beside."""

from __future__ import annotations

from fidele.icc.transform import Intent
from fidele.output.device import PrintDevice
from fidele.papers.model import MADE, Papers
from fidele.route.condition import Card
from fidele.route.finding import Finding
from fidele.route.layers import Chain
from fidele.session.checks import Checked
from fidele.session.profiles import NEEDED, Row
from fidele.store.shelf import Entry


def missing_printer(card: Card) -> Finding:
    """The card's printer is not here: nothing can be known of its route."""
    return Finding(
        "printer-missing",
        "stop",
        f"The {card.printer_name} is not here",
        f"This condition is for one machine, {card.printer}, and no such printer answers on this machine. "
        "Another one of the same model needs a condition, and a check, of its own.",
        "Connect it, or copy the condition for another printer.",
        "Make a new condition",
        "show:New condition",
    )


def missing_profile(card: Card, shelf: list[Entry]) -> Finding:
    """The card's profile is not on the shelf: gone, or changed since, when another has the same description."""
    name = f"“{card.profile_title}”" if card.profile_title else "The profile"
    same = [e for e in shelf if card.profile_title and e.title == card.profile_title]
    if same:
        return Finding(
            "profile-changed",
            "stop",
            "The profile was changed",
            f"{name} is there, but its content is another one than this condition was made with.",
            "Try the new one, or bring the old one back.",
            "Use the new one",
            f"use:{same[0].id}",
        )
    return Finding(
        "profile-missing",
        "stop",
        "The profile is not on the shelf",
        f"{name}, through which this condition converts, is not there any more.",
        "Drop the profile on the window, or choose another one.",
        "Show what fits",
        "show:profiles",
    )


def profile_findings(row: Row, card: Card, device: PrintDevice) -> list[Finding]:
    """Whether the card's profile fits it, and is used as it was made. Few words: most suppliers state little."""
    papers = row.papers
    proven = (seen := papers.on(device.id)) is not None and seen.passed
    found = []
    against = row.fit.grade == "not"
    if against:
        certain = all(papers.said[f].certain for f in ("printer", "media") if f in papers.said)
        found.append(
            Finding(
                "profile-does-not-fit",
                "note" if proven else "stop" if certain else "caution",
                "The profile is for something else" if not proven else "The profile says it is for something else",
                f"“{row.title}” {row.fit.words[:1].lower()}{row.fit.words[1:]}"
                + (" A chart on this printer says that it holds all the same." if proven else ""),
                "Choose one that fits, or say in its papers what it is for.",
                "Show what fits",
                "show:profiles",
            )
        )
    wanted = device.settings_of({n: s.values for n, s in papers.said.items()})
    for meaning in ("stand_in", "quality", "direction"):
        said = papers.said.get(meaning)
        valid = (
            {str(v) for value in said.values for v in device.settings_of({meaning: (value,)}).values()}
            if said
            else set()
        )
        if said is None or meaning not in wanted or str(card.driver.get(meaning)) in valid:
            continue
        who = "was made" if said.certain else "was made, as its leaflet says,"
        found.append(
            Finding(
                f"made-with-other-{meaning.replace('_', '-')}",
                "stop" if meaning == "stand_in" and said.certain else "caution",
                f"{MADE[meaning]}: the card asks for {card.driver.get(meaning)}, the profile for {said.value}",
                f"“{row.title}” {who} with {said.value}. With another one it is not true.",
                "Set the card as the profile was made.",
                f"Set it to {said.values[0]}",
                f"made:{meaning}",
            )
        )
    found += _press_findings(papers, card)
    found += _use_findings(row, card, device)
    found += _verified_findings(row, device)
    has = device.vocabulary().values  # what this driver has no control for need not be stated
    missing = [
        MADE[n].lower()
        for n in NEEDED
        if (n in has or n.startswith("press"))
        and not (n in papers.said and papers.said[n].certain)
        and not (n.startswith("press") and card.process == "direct")
    ]
    if missing:
        guessed = sum(n in papers.said and not papers.said[n].certain for n in NEEDED)
        found.append(
            Finding(
                "made-not-stated",
                "note" if proven else "caution",
                "How the profile was made is not certain",
                (
                    "A chart on this printer has shown that it holds. "
                    if proven
                    else "With other settings than its own it is not true. "
                )
                + f"Not stated: {', '.join(missing)}."
                + (" Its leaflet offers guesses to confirm." if guessed else ""),
                "Confirm its papers: a passed chart settles it as well.",
                "Look at its papers",
                "show:profile",
            )
        )
    return found


def _verified_findings(row: Row, device: PrintDevice) -> list[Finding]:
    """Whether a chart, or its making, has shown that the profile describes this very printer."""
    papers = row.papers
    seen = papers.on(device.id)
    if seen is not None and not seen.passed:
        return [
            Finding(
                "check-failed-here",
                "caution",
                "The last chart through this profile failed",
                f"{seen.sentence} That was on {seen.when:%d.%m.%Y}, on this printer.",
                "Set everything as its papers say and try it again, or choose another profile.",
                "Try it again",
                "try",
            )
        ]
    if seen is None and papers.value("unit") != device.id:
        return [
            Finding(
                "never-verified",
                "caution",
                "Never checked on this printer",
                f"Two printers of one model differ. Nothing has shown yet that “{row.title}” describes yours.",
                "Try it: a quick chart, printed and scanned, tells within minutes.",
                "Try it on this printer",
                "try",
            )
        ]
    return []


def _use_findings(row: Row, card: Card, device: PrintDevice) -> list[Finding]:
    """Whether the profile has what the card asks of it, and the driver is not set below what the media allows."""
    found = []
    what = row.entry.description
    if card.intent.value not in what.intents and what.intents:
        other = "relative" if "relative" in what.intents else what.intents[0]
        found.append(
            Finding(
                "intent-missing",
                "caution",
                f"The profile has no {card.intent.words} table",
                "It repeats another one under this name, so what comes out is not what was asked for.",
                "Choose an intent that it has.",
                f"Use {Intent(other).words}",
                f"intent:{other}",
            )
        )
    best, asked = device.best_quality(str(card.driver.get("stand_in"))), card.driver.get("quality")
    if "quality" not in row.papers.said and best is not None and isinstance(asked, int) and asked < best:
        found.append(
            Finding(
                "quality-below-media",
                "caution",
                f"Quality {asked}, though this media allows {best}",
                "The profile does not say at which quality it was made; most are made at the best one.",
                "Print at the best quality that the media allows.",
                f"Set it to {best}",
                f"quality:{best}",
            )
        )
    return found


def _press_findings(papers: Papers, card: Card) -> list[Finding]:
    if card.process == "direct":
        return []
    off = []
    for name, found, unit in (
        ("press_temperature", card.press.temperature, "°C"),
        ("press_seconds", card.press.seconds, "s"),
        ("press_pressure", card.press.pressure, "bar"),
    ):
        try:
            wanted = float(papers.value(name))
        except ValueError:
            continue
        if abs(wanted - found) > 0.02 * wanted:
            off.append(f"{found:g} {unit} instead of {wanted:g}")
    if not off:
        return []
    return [
        Finding(
            "made-with-other-press",
            "caution",
            f"Press: {', '.join(off)}",
            "The profile was made with other press settings: the piece will be paler or darker.",
            "Set the card as the profile was made.",
            "Set the press to it",
            "made:press",
        )
    ]


def _percent(share: float) -> str:
    return "over 99 %" if share > 0.99 else f"{share * 100:.0f} %"


#: What is no fault where nothing is to convert.
_NOT_BARE = {"no-conversion", "wrong-owner", "two-conversions", "wrong-input-space", "wrong-system-profile"}


def bare_findings(chain: Chain, found: list[Finding]) -> list[Finding]:
    """Return what is wrong with a route down which a chart goes with nothing converting: every knot is."""
    kept = [f for f in found if f.code not in _NOT_BARE]
    if chain.knots:
        names = {"system": "the print system", "driver": "the driver"}
        who = " and ".join(names.get(k, k) for k in chain.knots)
        kept.insert(
            0,
            Finding(
                "converts-a-bare-chart",
                "stop",
                "Something converts this chart",
                f"It is to be printed with nothing converting, but {who} does: a profile made from it would be wrong.",
                "Let the driver pass numbers, and take profiles away from the printer in the print system.",
                "Let the driver pass numbers",
                "set:colour",
                "hand-off",
            ),
        )
    return kept


#: A condition that was not checked for so many days is due.
DUE_DAYS = 28


def due_findings(card: Card, days: int | None) -> list[Finding]:
    """Remind of a condition that was checked once, and not for a while."""
    if days is None or days < DUE_DAYS:
        return []
    return [
        Finding(
            "check-due",
            "note",
            f"Not checked for {days} days",
            f"“{card.name}” was last checked {days} days ago. Inks, papers and heads drift.",
            "Print the control chart.",
            "Go to the check",
            "show:check",
            "check",
        )
    ]


#: The button that mends a cause: its words and what it does.
_MENDS = {
    "converted-twice": ("Let the driver pass numbers", "driver-pass"),
    "twice-by-system": ("Take the profile off the print system", "system-pass"),
    "not-converted": ("Let Fidele convert", "fidele-convert"),
    "by-hand": ("Set everything to the card", "bring"),
    "less-ink": ("Set everything to the card", "bring"),
    "more-ink": ("Set everything to the card", "bring"),
    "scaled": ("Set everything to the card", "bring"),
    "greys-only": ("Set everything to the card", "bring"),
    "wrong-intent": ("Show the proof", "show:proof"),
    "wrong-source": ("Show the artwork", "show:artwork"),
    "wrong-profile": ("Show the profiles", "show:profiles"),
}


def _mends(kind: str, mended: bool) -> tuple[str, str]:
    """Return words and deed of the button that mends a cause; the hand-off where there is none, or it is mended."""
    show = ("Show the hand-off", "show:hand-off")
    return show if mended else _MENDS.get(kind, show)


def check_findings(checked: Checked, chain: Chain | None) -> list[Finding]:
    """The verdict on the last chart and its cause."""
    c = checked.comparison
    found = []
    figures = (
        f"Mean ΔE00 {c.mean:.1f}, 95th percentile {c.p95:.1f}; "
        f"{c.tolerance.name} allows {c.tolerance.mean:g} and {c.tolerance.p95:g}."
    )
    if c.passed:
        found.append(
            Finding("passed", "note", "The print is right", figures, "Nothing needs to be done.", desk="check")
        )
    else:
        found.append(
            Finding("out-of-tolerance", "stop", "Out of tolerance", figures, "See what happened.", desk="check")
        )
        title, sentence = checked.cause.title, checked.cause.sentence
        share = (
            f" ({_percent(checked.cause.suspects[0].confidence)})"
            if checked.cause.code not in ("none", "undecided")
            else ""
        )
        mended = chain is not None and len(chain.knots) == 1
        found.append(
            Finding(
                f"cause-{checked.cause.kind}",
                "stop",
                title,
                sentence.rstrip(".") + f"{share}.",
                "The settings now read right: print it again." if mended else checked.cause.next_step,
                *_mends(checked.cause.kind, mended),
                "check",
            )
        )
    if checked.reading is not None and checked.reading.mirrored:
        found.append(
            Finding(
                "seen-mirrored",
                "stop",
                "The chart was seen mirrored",
                "The print was mirrored once too often or not at all.",
                "Look at the hand-off.",
                "Show the hand-off",
                "show:hand-off",
                "check",
            )
        )
    if checked.reading is not None and checked.reading.clipped.any():
        found.append(
            Finding(
                "clipped",
                "caution",
                f"{int(checked.reading.clipped.sum())} patches run into the scanner's end",
                "Their values are too dark to be true.",
                "Scan with less exposure.",
                desk="check",
            )
        )
    if checked.comparison.passed and checked.cause.kind not in ("right", "undecided", "none"):
        found.append(
            Finding(
                f"small-{checked.cause.kind}",
                "caution",
                f"Within tolerance, but: {checked.cause.title.lower()}",
                checked.cause.sentence,
                checked.cause.next_step,
                *_mends(checked.cause.kind, False),
                "check",
            )
        )
    found += [
        Finding("about-the-reading", "note", "About the reading", words, "", desk="check")
        for words in checked.cautions
        if "scanner's end" not in words
    ]
    return found
