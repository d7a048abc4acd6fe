"""Whether pieces of different conditions can lie on one sheet: when everything on the printing side agrees."""

from __future__ import annotations

from fidele.language import lowered, tr
from fidele.route.condition import OWNER_WORDS, Card
from fidele.route.layers import MEANINGS


def why_not(sheet: Card, other: Card) -> list[str]:
    """Return in what the printing side of two conditions differs, in words; nothing where they can share a sheet.

    How they are pressed, and on what, may differ; so may profile and intent where Fidele converts each piece by itself.
    """
    reasons = []
    plain = (
        ("printer", tr("it is printed on"), sheet.printer_name, other.printer_name, sheet.printer, other.printer),
        ("media", tr("its media is"), sheet.media, other.media, sheet.media, other.media),
        ("size", tr("its sheet is"), sheet.size, other.size, sheet.size, other.size),
        ("ink", tr("its ink is"), sheet.ink, other.ink, sheet.ink, other.ink),
    )
    for _, words, mine, theirs, one, two in plain:
        if one != two:
            reasons.append(
                tr(
                    "{words} {theirs}, not {mine}",
                    words=words,
                    theirs=theirs or tr("not said"),
                    mine=mine or tr("not said"),
                )
            )
    for meaning in sorted({*sheet.driver, *other.driver}):
        a, b = sheet.driver.get(meaning), other.driver.get(meaning)
        if a != b:
            name = lowered(MEANINGS.get(meaning, meaning))
            reasons.append(
                tr(
                    "{name} is {b}, not {a}",
                    name=name,
                    b=(b if b is not None else tr("not said")),
                    a=(a if a is not None else tr("not said")),
                )
            )
    for control in sorted({*sheet.hand, *other.hand}):
        if sheet.hand.get(control) != other.hand.get(control):
            reasons.append(tr("{control} is set otherwise by hand", control=control))
    if sheet.balance != other.balance:
        reasons.append(tr("its own balance is another"))
    if sheet.owner != other.owner:
        mine, theirs = OWNER_WORDS[sheet.owner].strip(","), OWNER_WORDS[other.owner].strip(",")
        reasons.append(tr("{theirs} converts it, not {mine}", theirs=theirs, mine=mine))
    elif sheet.owner != "fidele":
        if sheet.profile != other.profile:
            reasons.append(tr("it is converted through another profile, for the whole sheet at once"))
        if sheet.intent != other.intent:
            reasons.append(tr("its intent is {words}, for the whole sheet at once", words=other.intent.words))
    if sheet.twists_needed != other.twists_needed or sheet.mirror_by != other.mirror_by:
        reasons.append(tr("it is mirrored otherwise"))
    if sheet.printed_from != other.printed_from:
        reasons.append(tr("it is printed from {printed_from}", printed_from=other.printed_from or "Fidele"))
    return reasons
