"""Another program that prints what Fidele has finished: what it must leave alone, and what a probe says it does."""

from __future__ import annotations

import datetime
from dataclasses import dataclass

from fidele.route.condition import Card
from fidele.route.layers import Evidence, Layer, SettingRow
from fidele.route.probe import ProbeResult

#: What the other program must be set to, by meaning.
WANTED = {"program_colour": "left alone", "program_size": "as in the file", "program_mirroring": "none"}
#: Where such things stand in a program of which nothing is known.
PLACES = {
    "program_colour": "in its print settings, where colour is",
    "program_size": "in its print settings, where size or fit is",
    "program_mirroring": "in its print settings, where mirroring is",
}


@dataclass(frozen=True)
class ProgramProbe:
    """What a finished file's numbers became in the other program alone, and what became of its page."""

    passes: bool
    mirrored: bool
    turned: bool
    scale: float
    when: datetime.datetime

    @property
    def true_size(self) -> bool:
        """Whether the size stays, as far as a probe can tell."""
        return abs(self.scale - 1) <= 0.004

    @property
    def found(self) -> dict[str, str]:
        """What was found, by meaning, in the words of `WANTED` where it is as it should be."""
        return {
            "program_colour": WANTED["program_colour"] if self.passes else "changed",
            "program_size": WANTED["program_size"] if self.true_size else f"{self.scale * 100:.1f} %",
            "program_mirroring": WANTED["program_mirroring"] if not self.mirrored else "mirrored",
        }


def compare_probes(through: ProbeResult, direct: ProbeResult) -> ProgramProbe:
    """Return what the program did: the difference between a probe through it and one that went to the printer."""
    return ProgramProbe(
        passes=float(abs(through.table - direct.table).max()) * 255 < 0.5,
        mirrored=through.mirrored != direct.mirrored,
        turned=through.turned != direct.turned,
        scale=round(through.scale / direct.scale, 3),
        when=through.when,
    )


def program_rows(card: Card, places: dict[str, str], probed: ProgramProbe | None) -> tuple[SettingRow, ...]:
    """Return what must be set in the program that prints, as probed, confirmed by hand, or not known."""
    rows = []
    for meaning, wanted in WANTED.items():
        if probed is not None:
            found = probed.found[meaning]
            rows.append(
                SettingRow(meaning, wanted, found, places[meaning], found == wanted, Evidence.PROBED, settable=False)
            )
            continue
        said, place = card.confirmed.get(meaning), places[meaning]
        if said is None:
            rows.append(SettingRow(meaning, wanted, None, place, None, Evidence.NOT_KNOWN, False))
        else:
            agrees = said.value == wanted
            rows.append(
                SettingRow(meaning, wanted, str(said.value), place, agrees, Evidence.BY_HAND, False, when=said.when)
            )
    return tuple(rows)


def program_layer(card: Card, rows: tuple[SettingRow, ...], probed: ProgramProbe | None, probeable: bool) -> Layer:
    """Return the other program's layer: as probed, else as confirmed by hand, else not known."""
    name = card.printed_from
    if probed is not None:
        how = f"{name} passes the file on" if probed.passes else f"{name} changes the file's colours"
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
        return Layer("program", False, f"{name} passes the file on", Evidence.BY_HAND, when=first.when, who=who)
    how = f"what {name} does is not known"
    return Layer("program", None, how, Evidence.NOT_KNOWN, None, None, None, probeable=probeable)
