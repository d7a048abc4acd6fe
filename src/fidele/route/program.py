"""Another program that prints what Fidele has finished: what it must leave alone, and what a probe says it does."""

from __future__ import annotations

import datetime

from fidele.arrays import Floats
from fidele.dataclass import dataclass
from fidele.language import named, tr
from fidele.route.behind import looked_up
from fidele.route.condition import Card
from fidele.route.layers import Evidence, Layer, SettingRow
from fidele.route.probe import ProbeResult

#: What the other program must be set to, by meaning.
WANTED = {
    "program_colour": named("left alone"),
    "program_size": named("as in the file"),
    "program_mirroring": named("none"),
}
#: Where such things stand in a program of which nothing is known.
PLACES = {
    "program_colour": tr("in its print settings, where colour is"),
    "program_through": tr("in its print settings, where the output profile is chosen"),
    "program_size": tr("in its print settings, where size or fit is"),
    "program_mirroring": tr("in its print settings, where mirroring is"),
}


#: Mean distance in 8-bit code values up to which numbers were converted as they were to be.
_AS_ASKED = 2.5


def wanted_of(card: Card, title: str) -> dict[str, str]:
    """Return what the other program must be set to, by meaning; `title` is that of the card's profile."""
    if card.owner != "program":
        return WANTED
    black = tr(", black point compensated") if card.bpc and card.intent.value != "absolute" else ""
    return WANTED | {
        "program_colour": tr("through “{title}”, {words}{black}", title=title, words=card.intent.words, black=black)
    }


@dataclass(frozen=True)
class ProgramProbe:
    """What a finished file's numbers became in the other program alone, and what became of its page.

    `as_asked`: it converted them as it was to.
    """

    passes: bool
    mirrored: bool
    turned: bool
    scale: float
    when: datetime.datetime
    as_asked: bool = False

    @property
    def true_size(self) -> bool:
        """Whether the size stays, as far as a probe can tell."""
        return abs(self.scale - 1) <= 0.004

    def found(self, wanted: dict[str, str]) -> dict[str, str]:
        """Return what was found, by meaning, in the words of `wanted` where it is as it should be."""
        colour = WANTED["program_colour"] if self.passes else named("changed")
        return {
            "program_colour": wanted["program_colour"] if self.as_asked else colour,
            "program_size": WANTED["program_size"] if self.true_size else tr("{scale:.1f} %", scale=self.scale * 100),
            "program_mirroring": WANTED["program_mirroring"] if not self.mirrored else named("mirrored"),
        }


def compare_probes(through: ProbeResult, direct: ProbeResult, asked: Floats | None = None) -> ProgramProbe:
    """Return what the program did: the difference between a probe through it and one that went to the printer.

    `asked` are the lattice's values (4913, 3) as it was to convert them.
    """
    as_asked = False
    if asked is not None:
        off = direct(asked) - through.table.reshape(-1, 3)
        as_asked = float(abs(off).mean()) * 255 < _AS_ASKED
    return ProgramProbe(
        passes=float(abs(through.table - direct.table).max()) * 255 < 0.5,
        mirrored=through.mirrored != direct.mirrored,
        turned=through.turned != direct.turned,
        scale=round(through.scale / direct.scale, 3),
        when=through.when,
        as_asked=as_asked,
    )


def program_rows(card: Card, title: str, places: dict[str, str], probed: ProgramProbe | None) -> tuple[SettingRow, ...]:
    """Return what must be set in the program that prints, as probed, confirmed by hand, or not known.

    `title` is that of the card's profile.
    """
    rows, every = [], wanted_of(card, title)
    for meaning, wanted in every.items():
        place = places[meaning]
        if meaning == "program_colour" and card.owner == "program":
            place = places.get("program_through", place)
        if probed is not None:
            found = probed.found(every)[meaning]
            rows.append(SettingRow(meaning, wanted, found, place, found == wanted, Evidence.PROBED, settable=False))
            continue
        rows.append(looked_up(card, meaning, wanted, place))
    return tuple(rows)


def program_layer(card: Card, rows: tuple[SettingRow, ...], probed: ProgramProbe | None, probeable: bool) -> Layer:
    """Return the other program's layer: as probed, else as confirmed by hand, else not known."""
    name, converting = card.printed_from, card.owner == "program"
    asked = next((r.wanted for r in rows if r.meaning == "program_colour"), "")
    if probed is not None:
        how = (
            tr("{name} passes the file on", name=name)
            if probed.passes
            else tr("{name} changes the file's colours", name=name)
        )
        if probed.as_asked:
            how = tr("{name} converts {asked}", name=name, asked=asked)
        return Layer(
            "program",
            not probed.passes,
            how,
            Evidence.PROBED,
            mirrors=probed.mirrored,
            turned=probed.turned,
            scale=1.0 if probed.true_size else probed.scale,
            when=probed.when,
        )
    mine = [r for r in rows if r.meaning in WANTED]
    if mine and all(r.agrees for r in mine):
        first = min(mine, key=lambda r: r.when or datetime.datetime.max)
        who = card.confirmed[first.meaning].who
        how = (
            tr("{name} converts {asked}", name=name, asked=asked)
            if converting
            else tr("{name} passes the file on", name=name)
        )
        return Layer("program", converting, how, Evidence.BY_HAND, when=first.when, who=who)
    how = tr("what {name} does is not known", name=name)
    return Layer("program", None, how, Evidence.NOT_KNOWN, None, None, None, probeable=probeable)
