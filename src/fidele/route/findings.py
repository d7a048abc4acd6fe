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
        *_preset(rows),
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
        yield _too_many(chain, card)
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
            f"{_cap(_LAYER[knots[0]])} converts, not {_LAYER[card.owner_layer]}",
            "One layer converts, but it is not the one that this condition is for: the colours will be others.",
            "Set everything to the card.",
            "Set everything to the card",
            "bring",
        )
    yield from _input_space(chain)


_CONVERT = {
    "fidele": ("fidele-convert", "Let Fidele convert"),
    "system": ("system-convert", "Assign the profile to the printer"),
    "driver": ("driver-convert", "Let the driver convert"),
    "driver-profile": ("driver-convert", "Let the driver convert"),
}


def _too_many(chain: Chain, card: Card) -> Finding:
    """More than one layer converts: name the first pair, and silence the last that is not the owner."""
    knots = chain.knots
    system = next((x for x in chain.layers if x.name == "system"), None)
    insists = system is not None and system.insists
    off = "Give the print system a pass-through" if insists else "Take the profile off the print system"
    others = [k for k in knots if k != card.owner_layer]
    # The system stands before every program, so it is silenced first.
    wrong = "system" if "system" in others else others[-1]
    action, button = {"driver": ("driver-pass", "Let the driver pass numbers"), "system": ("system-pass", off)}.get(
        wrong, ("", "")
    )
    return Finding(
        "two-conversions",
        "stop",
        "Two conversions" if len(knots) == 2 else "Three conversions",
        f"{_cap(_LAYER[knots[-1]])} converts again what {_LAYER[knots[0]]} has converted. "
        "Colours and greys will come out wrong.",
        "Leave the conversion to one of them.",
        button,
        action,
    )


def _input_space(chain: Chain) -> Iterator[Finding]:
    """The first layer that converts takes the page for a space; where Fidele passes the artwork on, that is sRGB."""
    first = next((layer for layer in chain.layers if layer.converts), None)
    if first is None or first.name == "Fidele" or first.expects in ("", "sRGB"):
        return
    yield Finding(
        "wrong-input-space",
        "stop",
        f"{_cap(_LAYER[first.name])} takes the picture for {first.expects}",
        "It is sent sRGB. Taken for a larger space, all colours come out too strong.",
        "Let it expect sRGB.",
        "Let it expect sRGB" if first.name == "driver" else "",
        "set:input_space" if first.name == "driver" else "",
    )


def _mirroring(chain: Chain, card: Card) -> Iterator[Finding]:
    needed, twists = chain.twists_needed, chain.twists
    driver = next((x for x in chain.layers if x.name == "driver"), None)
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
            "driver-mirror-off" if driver is not None and driver.mirrors else "mirror-off",
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


#: Why a setting that differs from the card matters, and whether it holds the print.
_WHY = {
    "stand_in": ("stop", "The media name decides how much ink is laid down. With another one the profile is not true."),
    "panel_media": ("stop", "The printer was told of another media: it lays down ink, heats and feeds for that one."),
    "quality": ("caution", "The profile was made at another quality: ink load and grain differ."),
    "direction": ("caution", "The profile was made printing one way; both ways leave bands."),
    "fast": ("caution", "The profile was made without it: fast printing is coarser and leaves bands."),
    "black_ink": ("stop", "The other black is weak on this surface: dark parts come out grey."),
    "density": ("stop", "The profile was made at the calibrated ink density. With another one every tone is off."),
    "colour_mode": ("stop", "All colour will be printed as grey."),
    "improvement": ("caution", "The driver changes contrast on its own, after the conversion."),
    "purpose": ("caution", "The driver shifts tones for what it thinks the picture is, after the conversion."),
    "sliders": ("caution", "Sliders moved by hand tint every print."),
    "size": ("stop", "The driver expects another sheet than the card."),
    "feed": ("stop", "The sheet goes in another way: margins and place on the sheet differ."),
    "borderless": ("stop", "The picture is enlarged over the edge: no longer at true size, and cut off all around."),
    "two_sided": ("caution", "The next page would be printed on the back of this one."),
    "watermark": ("stop", "The driver prints a word over every page."),
    "copies": ("caution", "The driver prints another number of copies than was asked for."),
    "ink_saving": ("stop", "The printer lays down less ink than the profile was made with. The piece will be pale."),
}


#: From so many settings on it is one finding: somebody, or an update, has thrown all of them over.
_PRESET = 4

_IF_NOT = {
    "ink_saving": "It cannot be read back. Where it is on, the printer lays down less ink and the piece will be pale."
}


def _lost(rows: tuple[SettingRow, ...]) -> list[str]:
    return [row.label.lower() for row in rows if row.agrees is False and row.settable]


def _preset(rows: tuple[SettingRow, ...]) -> Iterator[Finding]:
    """Where many settings differ, the driver has lost its preset: one finding, and one press for all of it."""
    lost = _lost(rows)
    if len(lost) >= _PRESET:
        yield Finding(
            "preset-lost",
            "stop",
            f"{len(lost)} settings of the driver are not the card's",
            f"Its preset was lost, or an update brought the maker's settings back: {', '.join(lost)}.",
            "Set the driver to the card; it is then read back.",
            "Set everything to the card",
            "bring",
        )


def _settings(rows: tuple[SettingRow, ...]) -> Iterator[Finding]:
    """One finding for each setting that differs, unless `_preset` has said it of all of them."""
    many = len(_lost(rows)) >= _PRESET
    for row in rows:
        if many and row.settable:
            continue
        if row.agrees is not False or row.meaning not in _WHY:
            continue
        weight, why = _WHY[row.meaning]
        told = row.meaning == "panel_media"  # read back, though only a person at the printer can change it
        yield Finding(
            f"wrong-{row.meaning.replace('_', '-')}",
            weight,
            f"{row.label}: {row.found} instead of {row.wanted}",
            why,
            f"Set {row.place} to {row.wanted}.",
            "Set it to the card" if row.settable else "" if told else "It is put right",
            f"set:{row.meaning}" if row.settable else "" if told else f"confirm:{row.meaning}",
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
