"""Fields for numbers, with their unit."""

from __future__ import annotations

from PySide6.QtCore import QLocale
from PySide6.QtGui import QValidator
from PySide6.QtWidgets import QAbstractSpinBox, QDoubleSpinBox, QLineEdit, QSpinBox, QWidget

from fidele import units
from fidele.desk.theme import font, px
from fidele.errors import FideleError
from fidele.language import decimals, tr


class Decimal(QDoubleSpinBox):
    """A field for a number as it is written anywhere: 1.5 and 1,5 are the same, nothing groups thousands."""

    def __init__(self) -> None:
        super().__init__()
        self.setLocale(QLocale(QLocale.Language.C))
        self.setFont(font(9))

    def validate(self, text: str, place: int) -> tuple[QValidator.State, str, int]:
        # The text stays as it is written: what is returned here is what the field shows from then on.
        state, _, at = super().validate(text.replace(",", "."), place)
        return state, text, at

    def valueFromText(self, text: str) -> float:
        return super().valueFromText(text.replace(",", "."))

    def textFromValue(self, value: float) -> str:
        return decimals(super().textFromValue(value))


class Quantity(Decimal):
    """A field for a length, a temperature or a pressure: its value is mm, °C or bar, its text the chosen unit.

    What is typed may name another unit, '8,27 in' where mm are shown.
    """

    def __init__(self, kind: units.Kind, digits: int) -> None:
        self.kind, self._digits = kind, digits  # asked for while the field is made
        super().__init__()
        self.dress()

    def dress(self) -> None:
        """Show the value in the unit that is chosen now."""
        known = self.value()
        unit = units.unit_of(self.kind)
        # Rounded to the text's last decimal it would be another value: more are kept than are shown.
        self.setDecimals(self._digits if unit == units.choices(self.kind)[0] else self._digits + 4)
        self.setSuffix(f" {unit}")
        self.setSingleStep(abs(units.inside(unit, 1.0) - units.inside(unit, 0.0)) if unit != "in" else units.INCH / 20)
        self.setValue(known)
        self.lineEdit().setText(f"{self.prefix()}{self.textFromValue(known)}{self.suffix()}")

    def textFromValue(self, value: float) -> str:
        return tr(
            "{shown:.{decimals}f}",
            shown=units.shown(self.kind, value),
            decimals=units.decimals(self.kind, self._digits),
        )

    def _bare(self, text: str) -> str:
        """Return what was typed: the field's own unit stays behind it, another one too."""
        return text.removeprefix(self.prefix()).strip().removesuffix(self.suffix().strip()).strip()

    def _read(self, text: str) -> float | None:
        bare = self._bare(text)
        if bare == self.specialValueText():
            return self.minimum()
        try:
            return units.read(bare, self.kind)
        except FideleError:
            return None

    def validate(self, text: str, place: int) -> tuple[QValidator.State, str, int]:
        value, step = self._read(text), 10.0**-self._digits
        fits = value is not None and self.minimum() - step <= value <= self.maximum() + step
        state = QValidator.State.Acceptable if fits else QValidator.State.Intermediate
        return state, text, place

    def valueFromText(self, text: str) -> float:
        value = self._read(text)
        if value is None:
            return self.value()
        shown = self.textFromValue(self.value())
        typed = self._bare(text).removesuffix(units.unit_of(self.kind)).strip()
        # Its own text says no more than the value that stands behind it.
        return self.value() if typed == shown else min(max(value, self.minimum()), self.maximum())


#: What a field's unit says of its kind.
_KINDS: dict[str, units.Kind] = {" mm": "length", " °C": "heat", " bar": "pressure"}


def dress_all(window: QWidget) -> None:
    """Show every field of a window in the units that are chosen now."""
    for field in window.findChildren(Quantity):
        field.dress()


def typed_mm(field: QDoubleSpinBox, known: float) -> float:
    """Return what a field of a length says, in mm; `known` where it says no other than that, to its last decimal."""
    return known if abs(field.value() - known) < 0.06 else field.value()


def number(low: float, high: float, tip: str, decimals: int = 1, unit: str = " mm", width: int = 84) -> QDoubleSpinBox:
    """Return a field for a number; it speaks when the number is complete, not at every key.

    Its value is in `unit`; lengths, temperatures and pressures are shown and typed in the units that are chosen.
    """
    kind = _KINDS.get(unit)
    field = Quantity(kind, decimals) if kind is not None else Decimal()
    field.setRange(low, high)
    if kind is None:
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
    field.setFixedWidth(px(width))
    edit.setTextMargins(5, 0, 0, 0)
