"""Fields for numbers, with their unit."""

from __future__ import annotations

from PySide6.QtCore import QLocale
from PySide6.QtGui import QValidator
from PySide6.QtWidgets import QAbstractSpinBox, QDoubleSpinBox, QLineEdit, QSpinBox

from fidele.desk.theme import font
from fidele.sheet.placing import INCH


class Lengths:
    """Lengths as they are shown and typed: in millimetres or in inches. Everything else thinks in millimetres."""

    def __init__(self, inches: bool = False) -> None:
        self.inches = inches

    def dress(self, field: QDoubleSpinBox) -> None:
        """Give a field the unit and as many decimals as it needs."""
        field.setDecimals(3 if self.inches else 1)
        field.setSuffix(" in" if self.inches else " mm")

    def show(self, field: QDoubleSpinBox, mm: float) -> None:
        """Show so many mm."""
        field.setValue(self.of(mm))

    def of(self, mm: float) -> float:
        """Return what so many mm are in the unit that is shown."""
        return mm / INCH if self.inches else mm

    def read(self, field: QDoubleSpinBox, known: float = float("nan")) -> float:
        """Return what a field says, in mm; `known` where it says no other than that, to its last decimal."""
        mm = field.value() * (INCH if self.inches else 1.0)
        return known if abs(mm - known) < (0.0006 * INCH if self.inches else 0.06) else mm


class Decimal(QDoubleSpinBox):
    """A field for a number as it is written anywhere: 1.5 and 1,5 are the same, nothing groups thousands."""

    def __init__(self) -> None:
        super().__init__()
        self.setLocale(QLocale(QLocale.Language.C))
        self.setFont(font(9))

    def validate(self, text: str, place: int) -> tuple[QValidator.State, str, int]:
        return super().validate(text.replace(",", "."), place)

    def valueFromText(self, text: str) -> float:
        return super().valueFromText(text.replace(",", "."))


def number(low: float, high: float, tip: str, decimals: int = 1, unit: str = " mm", width: int = 84) -> QDoubleSpinBox:
    """Return a field for a number; it speaks when the number is complete, not at every key."""
    field = Decimal()
    field.setRange(low, high)
    field.setDecimals(decimals)
    field.setSuffix(unit)
    _dress(field, field.lineEdit(), tip, width)
    return field


def whole(low: int, high: int, tip: str, width: int = 50) -> QSpinBox:
    """Return a field for a whole number."""
    field = QSpinBox()
    field.setRange(low, high)
    _dress(field, field.lineEdit(), tip, width)
    return field


def _dress(field: QAbstractSpinBox, edit: QLineEdit, tip: str, width: int) -> None:
    field.setFont(font(9))
    field.setToolTip(tip)
    field.setAccessibleName(tip)
    field.setKeyboardTracking(False)
    field.setFixedWidth(width)
    edit.setTextMargins(5, 0, 0, 0)
