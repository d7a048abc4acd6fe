"""Findings on the settings of driver, panel and other programs: what differs from the card, and what is not known."""

from __future__ import annotations

import datetime
from collections.abc import Iterator
from functools import partial

from fidele.judge.facts import Facts
from fidele.judge.finding import Action, Deed, Finding
from fidele.judge.table import TABLE, finding, wrong
from fidele.language import filled, lowered, tr
from fidele.route.condition import Card
from fidele.route.layers import Evidence, SettingRow

#: From so many settings on it is one finding: somebody, or an update, has thrown all of them over.
_PRESET = 4
#: A look at what cannot be read back is believed for so many days.
_BELIEVED = 30
_IF_NOT = {
    "driver_colour": tr(
        "What the driver does behind the last page that can be seen cannot be asked. Where it converts "
        "as well, colours are converted twice."
    ),
    "driver_size": tr("A driver can scale a page on its way, and tell nobody."),
    "driver_mirroring": tr("A driver can mirror a page on its way, and tell nobody."),
    "ink_saving": tr(
        "It cannot be read back. Where it is on, the printer lays down less ink and the piece will be pale."
    ),
}


def _lost(rows: tuple[SettingRow, ...]) -> list[str]:
    return [lowered(row.label) for row in rows if row.agrees is False and row.settable]


def preset_findings(rows: tuple[SettingRow, ...]) -> Iterator[Finding]:
    """Where many settings differ, the driver has lost its preset: one finding, and one press for all of it."""
    lost = _lost(rows)
    if len(lost) >= _PRESET:
        yield finding("preset-lost", count=len(lost), lost=", ".join(lost))


def setting_findings(rows: tuple[SettingRow, ...]) -> Iterator[Finding]:
    """One finding for each setting that differs, unless `preset_findings` has said it of all of them."""
    many = len(_lost(rows)) >= _PRESET
    for row in rows:
        if (many and row.settable) or row.agrees is not False or wrong(row.meaning) not in TABLE:
            continue
        if row.evidence is Evidence.PROBED:  # what was measured shows in the chain, and is said there
            continue
        if row.meaning in ("input_space", "system"):  # they are said as what they do to the conversion
            continue
        # Read back, though only a person at the printer, or the administrator, can change it.
        told = row.meaning == "panel_media" or row.held
        button, act = None, None
        if not row.settable:
            button, act = ("", None) if told else (tr("It is put right"), Action(Deed.CONFIRM, row.meaning))
        locked = tr(" It is greyed out: an administrator has locked it.") if row.held else ""
        remedy = tr("Have {place} unlocked, then set it to {wanted}.") if row.held else tr("Set {place} to {wanted}.")
        wanted = tr(row.wanted)
        yield finding(
            wrong(row.meaning),
            button=button,
            act=act,
            label=row.label,
            found=row.found,
            wanted=wanted,
            locked=locked,
            remedy=filled(remedy, place=row.place, wanted=wanted),
        )


def card_findings(facts: Facts) -> Iterator[Finding]:
    """Whether what a card sets goes together: its media with the driver's name for it, and settings with each other."""
    card = facts.card
    if facts.same_name:
        asked = card.driver.get("stand_in", "")
        yield finding("media-set-as-another", media=card.media, asked=asked, own=facts.same_name)
    if facts.contradictions:
        said = ", ".join(f"{lowered(label)} {value}" for label, value in facts.contradictions)
        yield finding("settings-contradict", said=said, media=card.driver.get("stand_in", card.media))


def unknown_findings(rows: tuple[SettingRow, ...], card: Card, now: datetime.datetime) -> Iterator[Finding]:
    """What cannot be read back and nobody has confirmed, and what was confirmed long ago."""
    for row in rows:
        ask = partial(finding, label=row.label, wanted=tr(row.wanted), place=row.place, meaning=row.meaning)
        if row.when is not None and row.agrees and (now - row.when).days > _BELIEVED:
            yield ask("looked-long-ago", days=(now - row.when).days, who=card.confirmed[row.meaning].who)
        if row.found is None and not row.meaning.startswith("program_"):  # those are asked for in one
            why, claim = _IF_NOT.get(row.meaning, tr("It cannot be read back.")), card.claimed.get(row.meaning)
            if claim is not None:
                why += tr(
                    " {who} says to have seen {value} on {when:%d.%m.%Y}, on another machine.",
                    who=claim.who,
                    value=claim.value,
                    when=claim.when,
                )
            yield ask("not-known", why=why)
