"""One A4 page of PDF with a title and sections: what goes to somebody's hand beside a print or a file."""

from __future__ import annotations

import datetime
import io
from pathlib import Path

from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.files import write_bytes
from fidele.language import tr

#: Widths of a table's columns in mm, by how many it has.
_COLUMNS = {2: (50, 120), 3: (48, 54, 68), 4: (9, 45, 50, 66)}


@dataclass(frozen=True)
class Section:
    """A heading with numbered steps, plain sentences, or a table of rows (2 to 4 columns) beneath it."""

    head: str
    steps: tuple[str, ...] = ()
    lines: tuple[str, ...] = ()
    rows: tuple[tuple[str, ...], ...] = ()


def write_leaf(title: str, sections: list[Section], path: Path, full: str) -> None:
    """Write the page.

    Raises
    ------
    FideleError
        When it does not fit (in the words of `full`), or the file cannot be written.
    """
    from reportlab.lib.pagesizes import A4
    from reportlab.lib.styles import ParagraphStyle
    from reportlab.lib.units import mm
    from reportlab.platypus import Paragraph, SimpleDocTemplate, Table

    name = "Helvetica"
    plain = ParagraphStyle("plain", fontName=name, fontSize=10, leading=13.5)
    small = ParagraphStyle("small", parent=plain, fontSize=9, leading=11.5)
    large = ParagraphStyle("large", parent=plain, fontSize=15, leading=19, spaceAfter=2 * mm)
    head = ParagraphStyle("head", parent=plain, fontSize=11.5, leading=15, spaceBefore=4 * mm, spaceAfter=1.5 * mm)

    def text(words: str, style: ParagraphStyle = plain) -> Paragraph:
        return Paragraph(words.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;"), style)

    story = [text(title, large), text(tr("Made by Fidele on {today:%d.%m.%Y}.", today=datetime.date.today()), small)]
    for section in sections:
        story.append(text(section.head, head))
        story += [text(f"{number}. {step}") for number, step in enumerate(section.steps, 1)]
        story += [text(line) for line in section.lines]
        if section.rows:
            rows = [[text(part, small) for part in row] for row in section.rows]
            widths = [w * mm for w in _COLUMNS[len(rows[0])]]
            story.append(Table(rows, colWidths=widths, hAlign="LEFT", style=[("VALIGN", (0, 0), (-1, -1), "TOP")]))
    out = io.BytesIO()
    sides = dict.fromkeys(("leftMargin", "rightMargin", "topMargin", "bottomMargin"), 20 * mm)
    document = SimpleDocTemplate(out, pagesize=A4, title=title, author="Fidele", **sides)
    document.build(story)
    if document.page > 1:
        raise FideleError(full)
    write_bytes(path, out.getvalue())
