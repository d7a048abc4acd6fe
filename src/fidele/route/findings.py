"""What is wrong or doubtful on a route, why it matters, and how to mend it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from fidele.route.condition import Card
from fidele.route.finding import WEIGHTS, Finding
from fidele.route.layers import LAYER_WORDS, Chain, Evidence, PrinterStatus, SettingRow
from fidele.route.printer import printer_findings
from fidele.route.settings import preset_findings, setting_findings, unknown_findings


def route_findings(
    chain: Chain, card: Card, rows: tuple[SettingRow, ...], status: PrinterStatus | None = None
) -> list[Finding]:
    """Return the findings of a route, stops first.

    Parameters
    ----------
    chain
        The layers as they are known at this moment.
    card
        What is wanted.
    rows
        The driver's and panel's settings, found and wanted.
    status
        What the printer says of itself, None where it cannot be asked.
    """
    found = [
        *_unreadable(chain),
        *(printer_findings(status, card) if status is not None else ()),
        *preset_findings(rows),
        *_conversions(chain, card, rows),
        *_mirroring(chain, card, rows),
        *_size(chain, card),
        *setting_findings(rows),
        *unknown_findings(rows, card),
    ]
    return sorted(found, key=lambda f: WEIGHTS.index(f.weight))


def _unreadable(chain: Chain) -> Iterator[Finding]:
    for layer in chain.layers:
        if layer.name == "program" and layer.evidence is Evidence.NOT_KNOWN:
            yield Finding(
                "program-not-known",
                "stop",
                "What the other program does is not known",
                "Most programs change the size or the colours of what they print, and none of them says so.",
                "Look there: what must be set, and where, stands in the table.",
                "Probe it without ink" if layer.probeable else "I looked: it is all set so",
                "probe" if layer.probeable else "confirm-program",
            )
        elif layer.converts is None:
            yield Finding(
                "layer-unreadable",
                "stop",
                f"{_cap(LAYER_WORDS[layer.name])} cannot be read",
                "Whether it converts, mirrors or scales is not known. Its settings are damaged or gone.",
                "Reset it to its maker's defaults; it is then set to the card.",
                "Reset the driver, then set it to the card" if layer.name == "driver" else "",
                "driver-reset" if layer.name == "driver" else "",
            )


def _conversions(chain: Chain, card: Card, rows: tuple[SettingRow, ...]) -> Iterator[Finding]:
    knots = chain.knots
    held = next((r for r in rows if r.meaning == "colour" and r.held and r.agrees is False), None)
    if held is not None:
        passes = card.owner != "driver"
        yield Finding(
            "owner-greyed-out",
            "stop",
            f"Who converts is greyed out in the driver: {held.found}",
            f"The card wants it to {held.wanted}, but this machine's administrator has locked {held.place}.",
            "Have it unlocked, or make a condition in which the driver converts.",
            "Let the driver convert in this condition" if passes and "driver" in knots else "",
            "owner:driver" if passes and "driver" in knots else "",
        )
    if len(knots) >= 2:
        yield _too_many(chain, card, held is not None)
    elif not knots and all(layer.converts is False for layer in chain.layers):
        action, button = _CONVERT[card.owner]
        if card.owner != "driver" and card.profile is None:
            action, button = "", ""
        yield Finding(
            "no-conversion",
            "stop",
            "Nothing converts",
            "The artwork's numbers reach the ink as they are. Greys will be tinted and colours wrong.",
            "Let exactly one layer convert." if action else "Choose an output profile for this condition.",
            button,
            action,
        )
    elif knots and knots[0] != card.owner_layer:
        yield Finding(
            "wrong-owner",
            "stop",
            f"{_cap(LAYER_WORDS[knots[0]])} converts, not {LAYER_WORDS[card.owner_layer]}",
            "One layer converts, but it is not the one that this condition is for: the colours will be others.",
            "Set everything to the card.",
            "Set everything to the card",
            "bring",
        )
    yield from _input_space(chain)
    other = next((r for r in rows if r.meaning == "system" and r.agrees is False), None)
    if card.owner == "system" and "system" in knots and other is not None:
        yield Finding(
            "wrong-system-profile",
            "stop",
            f"The print system converts {other.found}",
            f"The condition's profile is another one, {other.wanted.removeprefix('to ')}: all colours will be off.",
            "Assign the condition's profile to the printer.",
            "Assign the profile to the printer",
            "system-convert",
        )


_CONVERT = {
    "fidele": ("fidele-convert", "Let Fidele convert"),
    "system": ("system-convert", "Assign the profile to the printer"),
    "driver": ("driver-convert", "Let the driver convert"),
    "driver-profile": ("driver-convert", "Let the driver convert"),
}


def _too_many(chain: Chain, card: Card, held: bool) -> Finding:
    """More than one layer converts: name the first pair, and silence the last that is not the owner.

    `held`: the driver's is greyed out, so it cannot be silenced.
    """
    knots = chain.knots
    system = next((x for x in chain.layers if x.name == "system"), None)
    insists = system is not None and system.insists
    off = "Give the print system a pass-through" if insists else "Take the profile off the print system"
    others = [k for k in knots if k != card.owner_layer]
    # The system stands before every program, so it is silenced first.
    wrong = "system" if "system" in others else others[-1]
    action, button = {
        "driver": ("", "") if held else ("driver-pass", "Let the driver pass numbers"),
        "system": ("system-pass", off),
    }.get(wrong, ("", ""))
    made = Finding(
        "two-conversions",
        "stop",
        "Two conversions" if len(knots) == 2 else "Three conversions",
        f"{_cap(LAYER_WORDS[knots[-1]])} converts again what {LAYER_WORDS[knots[0]]} has converted. "
        "Colours and greys will come out wrong.",
        "Leave the conversion to one of them.",
        button,
        action,
    )
    return _there(made, card) if wrong == "program" else made


def _there(finding: Finding, card: Card) -> Finding:
    """Return a finding as it is mended where Fidele cannot reach: in the other program, and then probed."""
    remedy = f"Set it right in {card.printed_from}, where the table says that it stands, then probe again."
    if finding.code == "two-conversions" and card.file_says == "nothing":
        remedy += " Or let the finished file say on the card that it is sRGB: some programs leave only that alone."
    return replace(finding, remedy=remedy, button="Probe it again", action="probe")


def _input_space(chain: Chain) -> Iterator[Finding]:
    """The first layer that converts takes the page for a space; where Fidele passes the artwork on, that is sRGB."""
    first = next((layer for layer in chain.layers if layer.converts), None)
    if first is None or first.name == "Fidele" or first.expects in ("", "sRGB"):
        return
    yield Finding(
        "wrong-input-space",
        "stop",
        f"{_cap(LAYER_WORDS[first.name])} takes the picture for {first.expects}",
        "It is sent sRGB. Taken for a larger space, all colours come out too strong.",
        "Let it expect sRGB.",
        "Let it expect sRGB" if first.name == "driver" else "",
        "set:input_space" if first.name == "driver" else "",
    )


def _mirroring(chain: Chain, card: Card, rows: tuple[SettingRow, ...]) -> Iterator[Finding]:
    needed, twists = chain.twists_needed, chain.twists
    driver = next((x for x in chain.layers if x.name == "driver"), None)
    there = any(x.name == "program" and x.mirrors for x in chain.layers)
    if twists >= 2:
        twice = Finding(
            "mirrored-twice",
            "stop",
            "Mirrored twice",
            "Two layers mirror, so the picture comes out unmirrored.",
            "Mirror in one place only.",
            "Mirror only in Fidele",
            "driver-no-mirror",
        )
        yield _there(twice, card) if there else twice
    elif needed and not twists and card.mirror_by == "driver" and any(_cannot_mirror(row) for row in rows):
        yield Finding(
            "driver-cannot-mirror",
            "stop",
            "This driver cannot mirror",
            "The card leaves the mirroring to it, so nothing mirrors: the piece will read backwards.",
            "Let Fidele mirror.",
            "Mirror in Fidele",
            "mirror-on",
        )
    elif needed and not twists:
        turned = chain.turned
        yield Finding(
            "turned-not-mirrored" if turned else "not-mirrored",
            "stop",
            "Turned, not mirrored" if turned else "Not mirrored",
            ("Turning by 180° is not mirroring: " if turned else "")
            + "Pressed face down, the piece will read backwards.",
            "Mirror once before printing.",
            "Mirror in Fidele",
            "mirror-on",
        )
    elif twists and not needed:
        clear = card.process == "transfer"
        needless = Finding(
            "mirrored-needlessly",
            "stop",
            "Mirrored, though the piece needs none",
            "This piece is seen from the back: it needs no mirroring."
            if clear
            else "Printed straight on paper, it will read backwards.",
            "Do not mirror.",
            "Do not mirror",
            "driver-mirror-off" if driver is not None and driver.mirrors else "mirror-off",
        )
        yield _there(needless, card) if there else needless


def _cannot_mirror(row: SettingRow) -> bool:
    return row.meaning == "mirroring" and not row.settable and not row.held


def _size(chain: Chain, card: Card) -> Iterator[Finding]:
    if not chain.true_size:
        name = next((layer.name for layer in chain.layers if layer.scale not in (None, 1.0)), "driver")
        by = LAYER_WORDS[name]
        percent = chain.scale * 100
        scaled = Finding(
            "scaled",
            "stop",
            f"Scaled to {percent:.1f} %",
            f"{_cap(by)} changes the size: 100 mm will print as {percent:.1f} mm"
            + (", and edges are cut off." if percent > 100 else "."),
            "Leave the size to the sheet.",
            "Print at true size",
            "driver-true-size",
        )
        yield _there(scaled, card) if name == "program" else scaled
    if chain.turned:
        yield Finding(
            "turned",
            "caution",
            "Turned by 180°",
            "The page comes out upside down; the margins change sides.",
            "Switch the turn off.",
            "Switch the turn off",
            "driver-no-turn",
        )


def _cap(words: str) -> str:
    return words[:1].upper() + words[1:]
