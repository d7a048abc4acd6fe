"""Fields for numbers, with their unit."""

from __future__ import annotations

from PySide6.QtWidgets import QAbstractSpinBox, QDoubleSpinBox, QLineEdit, QSpinBox

from fidele.desk.theme import font


def number(low: float, high: float, tip: str, decimals: int = 1, unit: str = " mm", width: int = 84) -> QDoubleSpinBox:
    """Return a field for a number; it speaks when the number is complete, not at every key."""
    field = QDoubleSpinBox()
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
