"""Findings on the settings of driver, panel and other programs: what differs from the card, and what is not known."""

from __future__ import annotations

import datetime
from collections.abc import Iterator

from fidele.route.condition import Card
from fidele.route.finding import Finding
from fidele.route.layers import Evidence, SettingRow

#: Why a setting that differs from the card matters, and whether it holds the print.
_WHY = {
    "stand_in": ("stop", "The media name decides how much ink is laid down. With another one the profile is not true."),
    "panel_media": ("stop", "The printer was told of another media: it lays down ink, heats and feeds for that one."),
    "quality": ("caution", "The profile was made at another quality: ink load and grain differ."),
    "direction": ("caution", "The profile was made printing one way; both ways leave bands."),
    "given_profile": ("stop", "The driver converts through another profile than the condition's: colours will be off."),
    "given_intent": ("caution", "What the profile cannot hold is treated in another way than in the proof."),
    "resolution": ("caution", "The profile was made at another resolution: dots are laid down in another way."),
    "dithering": ("caution", "The profile was made with another way of setting dots: light tints differ."),
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
    "program_colour": ("stop", "The other program changes the finished file's numbers before they are printed."),
    "program_size": ("stop", "The other program changes the size of the finished file, so the piece has another."),
    "program_mirroring": ("stop", "The other program mirrors what is mirrored rightly in the finished file."),
}


#: From so many settings on it is one finding: somebody, or an update, has thrown all of them over.
_PRESET = 4

_IF_NOT = {
    "ink_saving": "It cannot be read back. Where it is on, the printer lays down less ink and the piece will be pale."
}


def _lost(rows: tuple[SettingRow, ...]) -> list[str]:
    return [row.label.lower() for row in rows if row.agrees is False and row.settable]


def preset_findings(rows: tuple[SettingRow, ...]) -> Iterator[Finding]:
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


def setting_findings(rows: tuple[SettingRow, ...]) -> Iterator[Finding]:
    """One finding for each setting that differs, unless `preset_findings` has said it of all of them."""
    many = len(_lost(rows)) >= _PRESET
    for row in rows:
        if (many and row.settable) or row.agrees is not False or row.meaning not in _WHY:
            continue
        if row.evidence is Evidence.PROBED:  # what was measured shows in the chain, and is said there
            continue
        weight, why = _WHY[row.meaning]
        # Read back, though only a person at the printer, or the administrator, can change it.
        told = row.meaning == "panel_media" or row.held
        yield Finding(
            f"wrong-{row.meaning.replace('_', '-')}",
            weight,
            f"{row.label}: {row.found} instead of {row.wanted}",
            why + (" It is greyed out: an administrator has locked it." if row.held else ""),
            f"Have {row.place} unlocked, then set it to {row.wanted}."
            if row.held
            else f"Set {row.place} to {row.wanted}.",
            "Set it to the card" if row.settable else "" if told else "It is put right",
            f"set:{row.meaning}" if row.settable else "" if told else f"confirm:{row.meaning}",
        )


#: A look at what cannot be read back is believed for so many days.
_BELIEVED = 30


def unknown_findings(rows: tuple[SettingRow, ...], card: Card) -> Iterator[Finding]:
    """What cannot be read back and nobody has confirmed, and what was confirmed long ago."""
    today = datetime.datetime.now()
    for row in rows:
        if row.when is not None and row.agrees and (today - row.when).days > _BELIEVED:
            yield Finding(
                "looked-long-ago",
                "note",
                f"{row.label} was looked up {(today - row.when).days} days ago",
                f"{card.confirmed[row.meaning].who} saw then that it is {row.wanted}. It may have been changed since.",
                f"Look {row.place} again.",
                f"I looked: it is {row.wanted}",
                f"confirm:{row.meaning}",
            )
        if row.found is None and not row.meaning.startswith("program_"):  # those are asked for in one
            yield Finding(
                "not-known",
                "caution",
                f"{row.label} is not known",
                _IF_NOT.get(row.meaning, "It cannot be read back."),
                f"Look {row.place} and confirm that it is {row.wanted}.",
                f"I looked: it is {row.wanted}",
                f"confirm:{row.meaning}",
            )
