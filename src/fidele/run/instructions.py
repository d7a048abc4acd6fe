"""The sheet that goes with a finished file: what to set where, in order, and what to confirm afterwards."""

from __future__ import annotations

from pathlib import Path

from fidele import units
from fidele.dataclass import dataclass
from fidele.language import tr
from fidele.route.condition import Card
from fidele.route.layers import SettingRow
from fidele.run.leaf import Section, write_leaf

#: Rows that say how the page itself is to be treated, in words for somebody at another program.
_PAGE = {
    "program_colour": tr("Colour in the program"),
    "program_size": tr("Size in the program"),
    "program_mirroring": tr("Mirroring in the program"),
    "driver_colour": tr("Colour in the driver"),
    "driver_size": tr("Size in the driver"),
    "driver_mirroring": tr("Mirroring in the driver"),
}


@dataclass(frozen=True)
class Instructions:
    """What a person at another program is to do.

    Attributes
    ----------
    steps
        In order.
    settings
        What each is called, what it is to be, and where that stands.
    after
        What to say to Fidele once it is done.
    """

    title: str
    steps: tuple[str, ...]
    settings: tuple[tuple[str, str, str], ...]
    after: tuple[str, ...]


def instructions_of(card: Card, rows: tuple[SettingRow, ...], file: str, run: int = 0) -> Instructions:
    """Return the instructions for a finished file of a condition; `run` is its number, 0 while it has none."""
    program = card.printed_from or tr("the program that prints")
    number = tr("run {run}, ", run=run) if run else ""
    mirrored = tr("The picture in it is mirrored already: mirror it nowhere.") if card.mirror_by == "fidele" else ""
    steps = [
        tr(
            "Open {file} in {program}, on the machine that prints on the {printer_name}.",
            file=file,
            program=program,
            printer_name=card.printer_name,
        ),
        tr("Lay in {media}, {size}.", media=card.media, size=card.size),
        tr("Set what stands in the table below, each where it says; leave everything else as it is."),
        tr("Print it once, at its own size (100 %), in the middle of the sheet. ") + mirrored,
    ]
    press = card.press
    if card.process == "transfer":
        steps.append(
            tr(
                "Press it on {substrate}: {pressing}.",
                substrate=card.substrate,
                pressing=units.pressing(press.temperature, press.seconds, press.pressure),
            )
        )
    settings = tuple(
        (_PAGE.get(row.meaning, row.label), row.wanted, row.place)
        for row in rows
        if row.meaning not in ("system", "way_in") and not row.found == row.wanted == "passes"
    )
    after = (
        tr("Tell Fidele that it is printed, and when ({number}logbook).", number=number),
        tr("Confirm on the hand-off desk what you saw set."),
        tr("Scan the piece, or bring its measurements: the code on the page finds its run."),
    )
    return Instructions(f"{card.name}: {file}", tuple(s.strip() for s in steps), settings, after)


def write_instructions(made: Instructions, path: Path) -> None:
    """Write instructions as one A4 page of PDF.

    Raises
    ------
    FideleError
        When they do not fit on a page, or the file cannot be written.
    """
    sections = [Section(tr("What to do"), made.steps)]
    if made.settings:
        sections.append(Section(tr("What to set"), rows=tuple(("[  ]", *row) for row in made.settings)))
    sections.append(Section(tr("Afterwards"), made.after))
    full = tr("There is more to set than one page holds: shorten the description of the printer.")
    write_leaf(made.title, sections, path, full)
