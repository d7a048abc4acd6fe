"""What is wrong or doubtful on a route, why it matters, and how to mend it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from fidele.route.condition import Card
from fidele.route.layers import Chain, SettingRow

WEIGHTS = ("stop", "caution", "note")


@dataclass(frozen=True)
class Finding:
    """One finding. `action` is the code of what mends it at a press, '' where only a person can; `button` its label.

    `desk` is the station where it belongs.
    """

    code: str
    weight: str
    title: str
    why: str
    remedy: str
    button: str = ""
    action: str = ""
    desk: str = "hand-off"


_LAYER = {"Fidele": "Fidele", "system": "the print system", "driver": "the driver", "panel": "the printer's panel"}


def route_findings(chain: Chain, card: Card, rows: tuple[SettingRow, ...]) -> list[Finding]:
    """Return the findings of a route, stops first.

    Parameters
    ----------
    chain
        The layers as they are known at this moment.
    card
        What is wanted.
    rows
        The driver's and panel's settings, found and wanted.
    """
    found = [
        *_unreadable(chain),
        *_conversions(chain, card),
        *_mirroring(chain, card),
        *_size(chain),
        *_settings(rows),
        *_unknown(rows),
    ]
    return sorted(found, key=lambda f: WEIGHTS.index(f.weight))


def _unreadable(chain: Chain) -> Iterator[Finding]:
    for layer in chain.layers:
        if layer.converts is None:
            yield Finding(
                "layer-unreadable",
                "stop",
                f"{_cap(_LAYER[layer.name])} cannot be read",
                "Whether it converts, mirrors or scales is not known. Its settings are damaged or gone.",
                "Reset it to its maker's defaults; it is then set to the card.",
                "Reset the driver, then set it to the card" if layer.name == "driver" else "",
                "driver-reset" if layer.name == "driver" else "",
            )


def _conversions(chain: Chain, card: Card) -> Iterator[Finding]:
    knots = chain.knots
    if len(knots) >= 2:
        first, second = knots[0], knots[-1]
        system = next((x for x in chain.layers if x.name == "system"), None)
        off = (
            "Give the print system a pass-through"
            if system is not None and system.insists
            else "Take the profile off the print system"
        )
        action, button = {"driver": ("driver-pass", "Let the driver pass numbers"), "system": ("system-pass", off)}.get(
            second, ("", "")
        )
        if second == "driver" and "system" in knots:
            action, button = "system-pass", off
        if card.owner == "driver" and "Fidele" not in knots:
            action, button = "system-pass", off
        yield Finding(
            "two-conversions",
            "stop",
            "Two conversions" if len(knots) == 2 else "Three conversions",
            f"{_cap(_LAYER[second])} converts again what {_LAYER[first]} has converted. "
            "Colours and greys will come out wrong.",
            "Leave the conversion to one of them.",
            button,
            action,
        )
    if not knots and all(layer.converts is False for layer in chain.layers):
        action, button = (
            ("fidele-convert", "Let Fidele convert")
            if card.owner == "fidele"
            else ("driver-convert", "Let the driver convert")
        )
        if card.owner == "fidele" and card.profile is None:
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


def _mirroring(chain: Chain, card: Card) -> Iterator[Finding]:
    needed, twists = chain.twists_needed, chain.twists
    if twists >= 2:
        yield Finding(
            "mirrored-twice",
            "stop",
            "Mirrored twice",
            "Two layers mirror, so the picture comes out unmirrored.",
            "Mirror in one place only.",
            "Mirror only in Fidele",
            "driver-no-mirror",
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
        yield Finding(
            "mirrored-needlessly",
            "stop",
            "Mirrored, though the piece needs none",
            "This piece is seen from the back: it needs no mirroring."
            if clear
            else "Printed straight on paper, it will read backwards.",
            "Do not mirror.",
            "Do not mirror",
            "mirror-off",
        )


def _size(chain: Chain) -> Iterator[Finding]:
    if not chain.true_size:
        by = next((_LAYER[layer.name] for layer in chain.layers if layer.scale not in (None, 1.0)), "A layer")
        percent = chain.scale * 100
        yield Finding(
            "scaled",
            "stop",
            f"Scaled to {percent:.1f} %",
            f"{_cap(by)} changes the size: 100 mm will print as {percent:.1f} mm"
            + (", and edges are cut off." if percent > 100 else "."),
            "Leave the size to the sheet.",
            "Print at true size",
            "driver-true-size",
        )
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


_WHY = {
    "stand_in": "The media name decides how much ink is laid down. With another one the profile is not true.",
    "quality": "The profile was made at another quality: ink load and grain differ.",
    "direction": "The profile was made printing one way; both ways leave bands.",
    "improvement": "The driver changes contrast on its own, after the conversion.",
    "sliders": "Sliders moved by hand tint every print.",
    "size": "The driver expects another sheet than the card.",
    "ink_saving": "The printer lays down less ink than the profile was made with. The piece will be pale.",
}


_IF_NOT = {
    "ink_saving": "It cannot be read back. Where it is on, the printer lays down less ink and the piece will be pale."
}


def _settings(rows: tuple[SettingRow, ...]) -> Iterator[Finding]:
    """One finding for the media, which is a stop, and one for each other setting that differs."""
    for row in rows:
        if row.agrees is not False or row.meaning not in _WHY:
            continue
        code = {"stand_in": "wrong-stand-in"}.get(row.meaning, f"wrong-{row.meaning.replace('_', '-')}")
        stop = row.meaning in ("stand_in", "size", "ink_saving")
        yield Finding(
            code,
            "stop" if stop else "caution",
            f"{row.label}: {row.found} instead of {row.wanted}",
            _WHY[row.meaning],
            f"Set {row.place} to {row.wanted}.",
            "Set it to the card" if row.settable else "It is put right",
            f"set:{row.meaning}" if row.settable else f"confirm:{row.meaning}",
        )


def _unknown(rows: tuple[SettingRow, ...]) -> Iterator[Finding]:
    for row in rows:
        if row.found is None:
            yield Finding(
                "not-known",
                "caution",
                f"{row.label} is not known",
                _IF_NOT.get(row.meaning, "It cannot be read back."),
                f"Look {row.place} and confirm that it is {row.wanted}.",
                f"I looked: it is {row.wanted}",
                f"confirm:{row.meaning}",
            )


def _cap(words: str) -> str:
    return words[:1].upper() + words[1:]
