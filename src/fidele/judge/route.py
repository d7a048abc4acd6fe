"""What is wrong or doubtful on a route, why it matters, and how to mend it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from fidele.judge.facts import Facts
from fidele.judge.finding import Action, Deed, Finding
from fidele.judge.printer import printer_findings
from fidele.judge.settings import preset_findings, setting_findings, unknown_findings
from fidele.judge.table import finding
from fidele.language import tr
from fidele.route.condition import Card
from fidele.route.layers import LAYER_WORDS, Chain, Evidence, SettingRow

#: What is no fault where nothing is to convert.
_NOT_BARE = {"no-conversion", "wrong-owner", "two-conversions", "wrong-input-space", "wrong-system-profile"}


def route_findings(facts: Facts) -> Iterator[Finding]:
    """Return the findings of a route."""
    chain, card, rows = facts.chain, facts.card, facts.rows
    if not facts.here:
        yield finding("printer-missing", printer=card.printer_name, id=card.printer)
    if chain is None:
        return
    if facts.bare and chain.knots:
        names = {"system": tr("the print system"), "driver": tr("the driver")}
        yield finding("converts-a-bare-chart", who=tr(" and ").join(names.get(k, k) for k in chain.knots))
    asked = any(r.meaning == "driver_colour" and r.found is None for r in rows)
    yield from _unreadable(chain, facts.here, asked)
    if facts.status is not None:
        yield from printer_findings(facts.status, card)
    yield from preset_findings(rows)
    yield from (f for f in _conversions(chain, card, rows) if not (facts.bare and f.code in _NOT_BARE))
    yield from _mirroring(chain, card, rows)
    yield from _size(chain, card)
    yield from setting_findings(rows)
    yield from unknown_findings(rows, card, facts.now)


def _unreadable(chain: Chain, here: bool, asked: bool) -> Iterator[Finding]:
    for layer in chain.layers:
        if layer.name == "program" and layer.evidence is Evidence.NOT_KNOWN:
            if layer.probeable:
                yield finding("program-not-known", button=tr("Probe it without ink"), act=Action(Deed.PROBE))
            else:
                yield finding("program-not-known")
        elif (
            layer.converts is None and here and not (asked and layer.name == "driver")
        ):  # what is asked for is no fault
            button = None if layer.name == "driver" else ""
            yield finding("layer-unreadable", button=button, layer=_cap(LAYER_WORDS[layer.name]))


def _conversions(chain: Chain, card: Card, rows: tuple[SettingRow, ...]) -> Iterator[Finding]:
    knots = chain.knots
    held = next((r for r in rows if r.meaning == "colour" and r.held and r.agrees is False), None)
    if held is not None:
        button = None if card.owner != "driver" and "driver" in knots else ""
        yield finding("owner-greyed-out", button=button, found=held.found, wanted=held.wanted, place=held.place)
    if len(knots) >= 2:
        yield _too_many(chain, card, held is not None)
    elif not knots and all(layer.converts is False for layer in chain.layers):
        if card.owner != "driver" and card.profile is None:
            yield finding("no-conversion", remedy=tr("Choose an output profile for this condition."))
        else:
            button, deed = _CONVERT[card.owner]
            wanted = next((r.wanted for r in rows if r.meaning == "program_colour"), "")
            remedy = tr("Let exactly one layer convert.")
            if card.owner == "program":
                remedy = tr(
                    "Set colour in {printed_from}: {wanted}. Then probe again, or confirm it.",
                    printed_from=card.printed_from,
                    wanted=wanted,
                )
            yield finding("no-conversion", button=button, act=Action(deed), remedy=remedy)
    elif knots and knots[0] != card.owner_layer:
        converts, owner = _cap(LAYER_WORDS[knots[0]]), LAYER_WORDS[card.owner_layer]
        yield finding("wrong-owner", converts=converts, owner=owner)
    otherwise = next((r for r in rows if r.meaning == "program_colour" and r.found == "changed"), None)
    if card.owner == "program" and otherwise is not None:
        yield finding("program-converts-otherwise", program=card.printed_from, wanted=otherwise.wanted)
    yield from _input_space(chain, card)
    other = next((r for r in rows if r.meaning == "system" and r.agrees is False), None)
    if card.owner == "system" and "system" in knots and other is not None:
        yield finding("wrong-system-profile", found=other.found, wanted=card.profile_title or other.wanted)


_CONVERT = {
    "fidele": (tr("Let Fidele convert"), Deed.FIDELE_CONVERT),
    "system": (tr("Assign the profile to the printer"), Deed.SYSTEM_CONVERT),
    "driver": (tr("Let the driver convert"), Deed.DRIVER_CONVERT),
    "driver-profile": (tr("Let the driver convert"), Deed.DRIVER_CONVERT),
    "program": (tr("Probe it again"), Deed.PROBE),
}


def _too_many(chain: Chain, card: Card, held: bool) -> Finding:
    """More than one layer converts: name the first pair, and silence the last that is not the owner.

    `held`: the driver's is greyed out, so it cannot be silenced.
    """
    knots = chain.knots
    system = next((x for x in chain.layers if x.name == "system"), None)
    insists = system is not None and system.insists
    others = [k for k in knots if k != card.owner_layer]
    # The system stands before every program, so it is silenced first.
    silent = "system" if "system" in others else others[-1]
    button, act = "", None
    if silent == "driver" and not held:
        button, act = tr("Let the driver pass numbers"), Action(Deed.DRIVER_PASS)
    elif silent == "system":
        button = tr("Give the print system a pass-through") if insists else tr("Take the profile off the print system")
        act = Action(Deed.SYSTEM_PASS)
    made = finding(
        "two-conversions",
        button=button,
        act=act,
        count=tr("Two") if len(knots) == 2 else tr("Three"),
        last=_cap(LAYER_WORDS[knots[-1]]),
        first=LAYER_WORDS[knots[0]],
    )
    return _there(made, card) if silent == "program" else made


def _there(made: Finding, card: Card) -> Finding:
    """Return a finding as it is mended where Fidele cannot reach: in the other program, and then probed."""
    remedy = tr(
        "Set it right in {printed_from}, where the table says that it stands, then probe again.",
        printed_from=card.printed_from,
    )
    if made.code == "two-conversions" and card.file_says == "nothing":
        remedy += tr(" Or let the finished file say on the card that it is sRGB: some programs leave only that alone.")
    return replace(made, remedy=remedy, button=tr("Probe it again"), action=Action(Deed.PROBE))


def _input_space(chain: Chain, card: Card) -> Iterator[Finding]:
    """The first layer that converts takes the page for a space, which must be the one that Fidele sends it in."""
    first = next((layer for layer in chain.layers if layer.converts), None)
    sent = card.sends if first is not None and first.name == "driver" else "sRGB"
    if first is None or first.name == "Fidele" or first.expects in ("", sent):
        return
    button = None if first.name == "driver" else ""
    layer = _cap(LAYER_WORDS[first.name])
    yield finding("wrong-input-space", button=button, layer=layer, space=first.expects, sent=sent)


def _mirroring(chain: Chain, card: Card, rows: tuple[SettingRow, ...]) -> Iterator[Finding]:
    needed, twists = chain.twists_needed, chain.twists
    driver = next((x for x in chain.layers if x.name == "driver"), None)
    there = any(x.name == "program" and x.mirrors for x in chain.layers)
    if twists >= 2:
        made = finding("mirrored-twice")
    elif needed and not twists and card.mirror_by == "driver" and any(_cannot_mirror(row) for row in rows):
        yield finding("driver-cannot-mirror")
        return
    elif needed and not twists:
        yield finding("turned-not-mirrored" if chain.turned else "not-mirrored")
        return
    elif twists and not needed:
        why = (
            tr("This piece is seen from the back: it needs no mirroring.")
            if card.process == "transfer"
            else tr("Printed straight on paper, it will read backwards.")
        )
        by = "driver" if driver is not None and driver.mirrors else "fidele"
        made = finding("mirrored-needlessly", act=Action(Deed.MIRROR_NOT, by), why=why)
    else:
        return
    yield _there(made, card) if there else made


def _cannot_mirror(row: SettingRow) -> bool:
    return row.meaning == "mirroring" and not row.settable and not row.held


def _size(chain: Chain, card: Card) -> Iterator[Finding]:
    if not chain.true_size:
        name = next((layer.name for layer in chain.layers if layer.scale not in (None, 1.0)), "driver")
        percent = chain.scale * 100
        cut = tr(", and edges are cut off.") if percent > 100 else "."
        made = finding("scaled", percent=percent, by=_cap(LAYER_WORDS[name]), cut=cut)
        yield _there(made, card) if name == "program" else made
    if chain.turned:
        yield finding("turned")


def _cap(words: str) -> str:
    return words[:1].upper() + words[1:]
