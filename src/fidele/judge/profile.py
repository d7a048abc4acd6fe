"""Findings on the card's profile: whether it is there, fits, and is used as it was made."""

from __future__ import annotations

from collections.abc import Iterator

from fidele import units
from fidele.icc.transform import Intent
from fidele.judge.facts import Facts, ProfileFacts
from fidele.judge.finding import Finding
from fidele.judge.table import COMPARED, finding
from fidele.language import lowered, quoted, tr
from fidele.papers.model import MADE, NEEDED
from fidele.route.condition import Card


def missing_profile(facts: Facts) -> Iterator[Finding]:
    """Whether the card's profile is on the shelf: gone, or changed since, where another has the same title."""
    if facts.missing:
        title = facts.card.profile_title
        name = quoted(title) if title else tr("The profile")
        yield finding("profile-changed" if facts.instead else "profile-missing", name=name, instead=facts.instead)


def profile_findings(facts: Facts) -> Iterator[Finding]:
    """Whether the card's profile fits the card, and is used as it was made."""
    card, profile = facts.card, facts.profile
    if profile is None:
        return
    seen = profile.papers.on(profile.unit)
    proven = seen is not None and seen.passed
    yield from _fit(profile, proven)
    yield from _made(profile, card)
    if card.process != "direct":
        yield from _press(profile, card)
    yield from _use(profile, card)
    if seen is not None and not seen.passed:
        yield finding("check-failed-here", sentence=seen.sentence, when=seen.when)
    elif seen is None and profile.papers.value("unit") != profile.unit:
        yield finding("never-verified", profile=profile.title)
    yield from _not_stated(profile, card, proven)
    yield from _guessed(profile, card)


def _fit(profile: ProfileFacts, proven: bool) -> Iterator[Finding]:
    fit, said = profile.fit, profile.papers.said
    if fit.grade != "not":
        return
    certain = all(said[f].certain for f in ("printer", "media") if f in said)
    yield finding(
        "profile-does-not-fit",
        "note" if proven else "stop" if certain else "caution",
        says=tr("says it is") if proven else tr("is"),
        profile=quoted(profile.title),
        words=lowered(fit.words[:1]) + fit.words[1:],
        proven=tr(" A chart on this printer says that it holds all the same.") if proven else "",
    )


def _made(profile: ProfileFacts, card: Card) -> Iterator[Finding]:
    for meaning in COMPARED:
        said = profile.papers.said.get(meaning)
        asked = card.driver.get(meaning, profile.now.get(meaning))
        valid = profile.valid.get(meaning)
        if said is None or not valid or asked is None or str(asked) in valid:
            continue
        yield finding(
            f"made-with-other-{meaning.replace('_', '-')}",
            "stop" if meaning == "stand_in" and said.certain else "",
            label=MADE[meaning],
            asked=asked,
            said=said.value,
            profile=profile.title,
            who=tr("was made") if said.certain else tr("was made, as its leaflet says,"),
            first=said.values[0],
        )


def _press(profile: ProfileFacts, card: Card) -> Iterator[Finding]:
    off = []
    for name, found, say in (
        ("press_temperature", card.press.temperature, units.temperature),
        ("press_seconds", card.press.seconds, lambda seconds: tr("{seconds:g} s", seconds=seconds)),
        ("press_pressure", card.press.pressure, units.pressure),
    ):
        try:
            wanted = float(profile.papers.value(name))
        except ValueError:
            continue
        if abs(wanted - found) > 0.02 * wanted:
            off.append(tr("{say} instead of {split}", say=say(found), split=say(wanted).split(" ")[0]))
    if off:
        yield finding("made-with-other-press", off=", ".join(off))


def _use(profile: ProfileFacts, card: Card) -> Iterator[Finding]:
    """Whether the profile has what the card asks of it, and the driver is not set below what the media allows."""
    if profile.intents and card.intent.value not in profile.intents:
        other = "relative" if "relative" in profile.intents else profile.intents[0]
        yield finding("intent-missing", intent=card.intent.words, instead=Intent(other).words, value=other)
    best, asked = profile.best, card.driver.get("quality")
    if "quality" not in profile.papers.said and isinstance(best, int) and isinstance(asked, int) and asked < best:
        yield finding("quality-below-media", asked=asked, best=best)


def _guessed(profile: ProfileFacts, card: Card) -> Iterator[Finding]:
    """What stands on the card because a leaflet or a name says so, and nobody has confirmed it."""
    press = {
        "press_temperature": card.press.temperature,
        "press_seconds": card.press.seconds,
        "press_pressure": card.press.pressure,
    }
    taken = []
    for meaning, said in profile.papers.said.items():
        if said.certain or meaning not in MADE:
            continue
        valid = profile.valid.get(meaning, frozenset())
        if str(card.driver.get(meaning)) in valid or (
            meaning in press and card.process != "direct" and f"{press[meaning]:g}" == said.value
        ):
            taken.append(f"{lowered(MADE[meaning])} {said.value}")
    if taken:
        yield finding("set-by-guess", profile=profile.title, taken=", ".join(taken))


def _not_stated(profile: ProfileFacts, card: Card, proven: bool) -> Iterator[Finding]:
    said = profile.papers.said
    missing = [
        lowered(MADE[n])
        for n in NEEDED
        if (n in profile.controls or n.startswith("press"))  # what this driver has no control for need not be stated
        and not (n in said and said[n].certain)
        and not (n.startswith("press") and card.process == "direct")
    ]
    if not missing:
        return
    guessed = any(n in said and not said[n].certain for n in NEEDED)
    start = tr("A chart on this printer has shown that it holds. ") if proven else _UNTRUE
    guesses = tr(" Its leaflet offers guesses to confirm.") if guessed else ""
    yield finding("made-not-stated", "note" if proven else "", start=start, missing=", ".join(missing), guesses=guesses)


_UNTRUE = tr("With other settings than its own it is not true. ")
