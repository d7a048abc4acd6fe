"""The sheet that goes with a finished file: what to set where, in order, and what to confirm afterwards."""

from __future__ import annotations

import datetime
import io
from pathlib import Path

from fidele import units
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.files import write_bytes
from fidele.language import tr
from fidele.route.condition import Card
from fidele.route.layers import SettingRow

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
    from reportlab.lib.pagesizes import A4
    from reportlab.lib.styles import ParagraphStyle
    from reportlab.lib.units import mm
    from reportlab.platypus import Paragraph, SimpleDocTemplate, Spacer, Table

    name = "Helvetica"
    plain = ParagraphStyle("plain", fontName=name, fontSize=10, leading=13.5)
    small = ParagraphStyle("small", parent=plain, fontSize=9, leading=11.5)
    large = ParagraphStyle("large", parent=plain, fontSize=15, leading=19, spaceAfter=2 * mm)
    head = ParagraphStyle("head", parent=plain, fontSize=11.5, leading=15, spaceBefore=4 * mm, spaceAfter=1.5 * mm)

    def text(words: str, style: ParagraphStyle = plain) -> Paragraph:
        return Paragraph(words.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;"), style)

    story = [
        text(made.title, large),
        text(tr("Made by Fidele on {today:%d.%m.%Y}.", today=datetime.date.today()), small),
    ]
    story.append(text(tr("What to do"), head))
    story += [text(f"{number}. {step}") for number, step in enumerate(made.steps, 1)]
    if made.settings:
        story.append(text(tr("What to set"), head))
        rows = [[text("[  ]"), *(text(part, small) for part in row)] for row in made.settings]
        story.append(
            Table(rows, colWidths=[9 * mm, 45 * mm, 50 * mm, 66 * mm], style=[("VALIGN", (0, 0), (-1, -1), "TOP")])
        )
    story += [Spacer(1, 1 * mm), text(tr("Afterwards"), head)]
    story += [text(f"{number}. {step}") for number, step in enumerate(made.after, 1)]
    out = io.BytesIO()
    margins = {tr("{side}Margin", side=side): 20 * mm for side in ("left", "right", "top", "bottom")}
    document = SimpleDocTemplate(out, pagesize=A4, title=made.title, author="Fidele", **margins)
    document.build(story)
    if document.page > 1:
        raise FideleError(tr("There is more to set than one page holds: shorten the description of the printer."))
    write_bytes(path, out.getvalue())
