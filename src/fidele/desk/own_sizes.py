"""Ask for a blank, or for a sheet of one's own size."""

from __future__ import annotations

from PySide6.QtWidgets import (
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QDoubleSpinBox,
    QFormLayout,
    QLineEdit,
    QVBoxLayout,
    QWidget,
)

from fidele.desk.labels import label
from fidele.desk.numbers import number
from fidele.desk.theme import font
from fidele.session.blanks import Blank, Blanks, OwnSheet
from fidele.sheet.placing import Media
from fidele.sheet.shapes import SHAPES


def _mm(value: float, name: str) -> QDoubleSpinBox:
    field = number(0, 5000, name, width=110)
    field.setValue(value)
    return field


class SizeDialog(QDialog):
    """Asks for a name and a few sizes; `shapes` asks for an outline with bleed and safe distance as well."""

    def __init__(self, parent: QWidget, title: str, words: str, shapes: bool) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        box = QVBoxLayout(self)
        box.addWidget(label(words, 9.5, wrap=True))
        form = QFormLayout()
        self.name = QLineEdit()
        self.name.setFont(font(9))
        self.name.setAccessibleName("Name")
        form.addRow(label("Name", 9.5), self.name)
        self.width_field, self.height_field = _mm(100, "Width"), _mm(100, "Height")
        form.addRow(label("Width", 9.5), self.width_field)
        form.addRow(label("Height", 9.5), self.height_field)
        self.shape = QComboBox()
        self.shape.setFont(font(9))
        self.shape.addItems(list(SHAPES))
        self.shape.setAccessibleName("Outline")
        self.bleed, self.safe = (
            _mm(2, "Bleed: the print goes over the edge by"),
            _mm(4, "Nothing of weight nearer to the edge than"),
        )
        if shapes:
            form.addRow(label("Outline", 9.5), self.shape)
            form.addRow(label("Bleed", 9.5), self.bleed)
            form.addRow(label("Safe from edge", 9.5), self.safe)
        box.addLayout(form)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        box.addWidget(buttons)

    def blank(self) -> Blank:
        """Return the blank that was described."""
        shape = SHAPES[self.shape.currentIndex()]
        size = (self.width_field.value(), self.height_field.value())
        return Blank(self.name.text().strip(), *size, shape, self.bleed.value(), self.safe.value())

    def sheet(self, carrier: str) -> OwnSheet:
        """Return the sheet that was described, fed as `carrier`."""
        return OwnSheet(self.name.text().strip(), self.width_field.value(), self.height_field.value(), carrier)


def ask_blank(parent: QWidget, blanks: Blanks) -> None:
    """Ask for a blank and keep it."""
    dialog = SizeDialog(parent, "Another blank", "The blank's own size; the print covers it and its bleed.", True)
    if dialog.exec() == QDialog.DialogCode.Accepted:
        blanks.add_blank(dialog.blank())


def ask_sheet(parent: QWidget, blanks: Blanks, carrier: Media) -> str:
    """Ask for a sheet of one's own size that is fed as `carrier`, and keep it; return its name, '' for none."""
    words = f"It is fed as {carrier.name}, in the middle of the way in: what lies beside it stays bare."
    dialog = SizeDialog(parent, "A sheet of its own size", words, False)
    if dialog.exec() != QDialog.DialogCode.Accepted:
        return ""
    made = dialog.sheet(carrier.name)
    blanks.add_sheet(made, carrier)
    return made.name
