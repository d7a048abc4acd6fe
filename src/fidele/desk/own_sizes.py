"""Ask for a blank, or for a sheet of one's own size."""

from __future__ import annotations

from PySide6.QtWidgets import QDialog, QDialogButtonBox, QDoubleSpinBox, QFormLayout, QWidget

from fidele import units
from fidele.desk.kit import ask, choice, down, entry
from fidele.desk.labels import label
from fidele.desk.numbers import number
from fidele.devices.protocol import Printer
from fidele.errors import FideleError
from fidele.language import tr
from fidele.session.blanks import Blank, Blanks, OwnSheet
from fidele.sheet.arc import Round
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
        box = down(label(words, 9.5, wrap=True), on=self)
        form = QFormLayout()
        self.name = entry(tr("Name"))
        ask(form, tr("Name"), self.name)
        self.width_field, self.height_field = _mm(100, tr("Width")), _mm(100, tr("Height"))
        ask(form, tr("Width"), self.width_field)
        ask(form, tr("Height"), self.height_field)
        self.shape = choice(tr("Outline"))
        self.shape.addItems(list(SHAPES))
        self.bleed, self.safe = (
            _mm(2, tr("Bleed: the print goes over the edge by")),
            _mm(4, tr("Nothing of weight nearer to the edge than")),
        )
        if shapes:
            ask(form, tr("Outline"), self.shape)
            ask(form, tr("Bleed"), self.bleed)
            ask(form, tr("Safe from edge"), self.safe)
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


class RoundDialog(QDialog):
    """Asks for what a round piece measures, and says which area is printed for it."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Mug, bottle or glass"))
        words = tr(
            "Measure what is printed: its diameters above and below, its height, and what stays free around it for the "
            "handle or the seam. A tapered piece gets a bent print, which then lies straight around it."
        )
        box = down(label(words, 9.5, wrap=True), on=self)
        form = QFormLayout()
        self.name = entry(tr("Name"))
        ask(form, tr("Name"), self.name)
        self.top, self.bottom = _mm(82, tr("Diameter above")), _mm(82, tr("Diameter below"))
        self.high, self.gap = _mm(90, tr("Height")), _mm(45, tr("Stays free around"))
        self.stretch = number(0, 10, tr("The paper gives, in per cent"), width=110)
        self.stretch.setSuffix(" %")
        self.bleed, self.safe = _mm(1, tr("Bleed")), _mm(4, tr("Safe from edge"))
        for words, field in (
            (tr("Diameter above"), self.top),
            (tr("Diameter below"), self.bottom),
            (tr("Height"), self.high),
            (tr("Stays free around"), self.gap),
            (tr("Paper gives"), self.stretch),
            (tr("Bleed"), self.bleed),
            (tr("Safe from edge"), self.safe),
        ):
            ask(form, words, field)
            field.valueChanged.connect(lambda _: self._say())
        box.addLayout(form)
        self.said = label("", 9.5, bold=True, wrap=True)
        box.addWidget(self.said)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        box.addWidget(buttons)
        self._ok = buttons.button(QDialogButtonBox.StandardButton.Ok)
        self._say()

    def blank(self) -> Blank:
        """Return the blank that was described; `FideleError` where it cannot be printed for."""
        piece = Round(self.top.value(), self.bottom.value(), self.high.value(), self.gap.value(), self.stretch.value())
        return Blank.of_round(self.name.text().strip(), piece, self.bleed.value(), self.safe.value())

    def _say(self) -> None:
        try:
            made = self.blank()
        except FideleError as error:
            self.said.setText(str(error))
            self._ok.setEnabled(False)
            return
        said = tr("Printed for it: {size}.", size=units.size(made.width, made.height, 1))
        if made.bend:
            wide, high = made.printed
            said += " " + tr(
                "Bent by {angle:.0f}°, it takes {size} of the sheet.",
                angle=abs(made.bend),
                size=units.size(wide, high, 0),
            )
        self.said.setText(said)
        self._ok.setEnabled(True)


def ask_round(parent: QWidget, blanks: Blanks) -> None:
    """Ask for a round piece and keep it as a blank."""
    dialog = RoundDialog(parent)
    if dialog.exec() == QDialog.DialogCode.Accepted:
        blanks.add_blank(dialog.blank())


def ask_blank(parent: QWidget, blanks: Blanks) -> None:
    """Ask for a blank and keep it."""
    dialog = SizeDialog(
        parent, tr("Another blank"), tr("The blank's own size; the print covers it and its bleed."), True
    )
    if dialog.exec() == QDialog.DialogCode.Accepted:
        blanks.add_blank(dialog.blank())


def ask_sheet(parent: QWidget, blanks: Blanks, carrier: Media, device: Printer) -> tuple[str, str]:
    """Ask for a sheet of one's own size; return the name under which the driver takes it, and that of a kept sheet.

    Where the driver takes such a size itself the first is set, else the sheet is fed as `carrier` and kept; both are
    '' where nothing was chosen.
    """
    words = (
        tr("The driver takes sizes of one's own. One that is too large or small for it is fed as ")
        if _takes_own(device, carrier)
        else tr("It is fed as ")
    ) + tr("{name}, in the middle of the way in: what lies beside it stays bare.", name=carrier.name)
    dialog = SizeDialog(parent, tr("A sheet of its own size"), words, False)
    if dialog.exec() != QDialog.DialogCode.Accepted:
        return "", ""
    made = dialog.sheet(carrier.name)
    named = device.own_size(made.width, made.height)
    if named:
        return named, ""
    if carrier.roll:
        raise FideleError(tr("The driver takes no sheet of {size}.", size=units.size(made.width, made.height, 1)))
    blanks.add_sheet(made, carrier)
    return "", made.name


def _takes_own(device: Printer, carrier: Media) -> bool:
    return bool(device.own_size(carrier.width, carrier.height))
