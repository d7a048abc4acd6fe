"""A form: a printer that cannot be reached, as somebody describes it."""

from __future__ import annotations

import re
from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QFormLayout, QWidget

from fidele import units
from fidele.desk.kit import SPRING, across, ask, choice, down, entry, fill
from fidele.desk.labels import button, label, section
from fidele.devices.described import DESCRIBED, Called, Description, SheetSize
from fidele.errors import FideleError
from fidele.language import tr
from fidele.route.layers import MEANINGS

#: A sheet's name, its width, its height, and the unit of both.
_SHEET = re.compile(r"(.+?)\s+([\d.,]+)\s*[x×]\s*([\d.,]+)\s*(\S*)")


class DescribePage(QWidget):
    """Asks what there is to know of a printer; what is left open can be added later."""

    done = Signal(object)
    left = Signal()

    def __init__(self) -> None:
        super().__init__()
        box = down(space=8, margins=(0, 0, 8, 0), on=self)
        fill(box, section(tr("A printer that cannot be reached from here")))
        form = QFormLayout()
        self.name = entry(tr("Name"), hint=tr("what you call it"))
        self.process = choice(
            tr("Process"), [("transfer", tr("pressed on a piece")), ("direct", tr("straight on its paper"))]
        )
        self.program = entry(
            tr("Printed from"), hint=tr("the program that prints on it"), tip=tr("It gets finished files")
        )
        self.ink = entry(tr("Ink"), hint=tr("the ink set, where you know it"))
        self.ppi = entry(tr("Resolution"), hint="300")
        self.sheets = entry(
            tr("Sheets"), hint=tr("A4 210 x 297 mm; roll 610 x 1000 mm"), tip=tr("Name, width and height of each")
        )
        for words, field in (
            (tr("Name"), self.name),
            (tr("Prints are"), self.process),
            (tr("Printed from"), self.program),
            (tr("Ink"), self.ink),
            (tr("Pixels per inch"), self.ppi),
            (tr("Sheets"), self.sheets),
        ):
            ask(form, words, field)
        box.addLayout(form)
        fill(box, 6, section(tr("What its driver calls things")), label(_WORDS, 8.5, dim=True, wrap=True))
        words_form = QFormLayout()
        self.words = {}
        for meaning in DESCRIBED:
            field = entry(MEANINGS[meaning], hint=tr("its name there › choices, parted by commas"))
            self.words[meaning] = field
            ask(words_form, MEANINGS[meaning], field)
        box.addLayout(words_form)
        self.wrong = label("", 9.0, wrap=True)
        keep = button(tr("Keep it"), self._keep, "", main=True)
        fill(box, self.wrong, across(keep, button(tr("Leave it"), self.left.emit, ""), SPRING), SPRING)
        self._id = ""
        self._sheets: tuple[SheetSize, ...] = ()

    def begin(self, says: Description | None) -> None:
        """Ask anew, or change what was described."""
        says_or: Any = says or Description(id="new", name="?")
        self._id = says.id if says is not None else ""
        self.name.setText(says.name if says is not None else "")
        self.process.setCurrentIndex(self.process.findData(says_or.process))
        self.program.setText(says.program if says is not None else "")
        self.ink.setText(says_or.ink)
        self.ppi.setText(str(says_or.ppi))
        self._sheets = says_or.sheets
        self.sheets.setText("; ".join(map(_written, self._sheets)))
        for meaning, field in self.words.items():
            called = says_or.words.get(meaning)
            field.setText(f"{called.name} › {', '.join(called.choices)}" if called is not None else "")
        self.wrong.setText("")
        self.name.setFocus()

    def _keep(self) -> None:
        try:
            self.done.emit(self.described())
        except FideleError as error:
            self.wrong.setText(str(error))

    def described(self) -> Description:
        """Return what was typed.

        Raises
        ------
        FideleError
            When the name is missing, or something cannot be understood.
        """
        name = self.name.text().strip()
        if not name:
            raise FideleError(tr("Give it a name."))
        ppi = self.ppi.text().strip() or "300"
        if not ppi.isdigit() or not 72 <= int(ppi) <= 2400:
            raise FideleError(tr("Pixels per inch: a number from 72 to 2400."))
        kept = {_written(sheet): sheet for sheet in self._sheets}  # what was not touched stays to the last decimal
        sheets = [
            kept[part] if part in kept else _sheet(part)
            for part in filter(None, (p.strip() for p in self.sheets.text().split(";")))
        ]
        words = {}
        for meaning, field in self.words.items():
            called, _, offered = field.text().partition("›")
            if called.strip():
                choices = tuple(c.strip() for c in offered.split(",") if c.strip())
                words[meaning] = Called(name=called.strip(), choices=choices)
        made = re.sub(r"[^a-z0-9]+", "-", name.casefold()).strip("-")[:60] or "printer"
        said = Description(
            id=self._id or made,
            name=name,
            process=self.process.currentData(),
            program=self.program.text().strip() or tr("its own program"),
            ink=self.ink.text().strip(),
            ppi=int(ppi),
            words=words,
        )
        return said.model_copy(update={"sheets": tuple(sheets)}) if sheets else said


def _written(sheet: SheetSize) -> str:
    digits = units.decimals("length", 1)
    sides = (tr("{side:g}", side=round(units.shown("length", mm), digits)) for mm in (sheet.width, sheet.height))
    return f"{sheet.name} {' x '.join(sides)} {units.unit_of('length')}"


def _sheet(part: str) -> SheetSize:
    """Read one sheet: its name, width and height, in the chosen unit where none is said."""
    found = _SHEET.fullmatch(part)
    wrong = FideleError(
        tr(
            "“{part}” is no sheet: write a name, width and height, as in {example}.",
            part=part,
            example=f"A4 {units.size(210, 297)}",
        )
    )
    if found is None:
        raise wrong
    wide, high = (units.read(f"{found[n]} {found[4]}", "length") for n in (2, 3))
    if not (10 < wide <= 5000 and 10 < high <= 20000):
        raise wrong
    return SheetSize(name=found[1], width=wide, height=high)


_WORDS = tr(
    "As it stands in its own dialog. What you write here becomes part of its conditions, and of the instruction sheet."
)
