"""What desks are put together of: rows, columns, choices, ticks and fields. Desks say what, this says how."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import TypeVar

from PySide6.QtCore import QEvent, Qt
from PySide6.QtGui import QPaintEvent
from PySide6.QtWidgets import (
    QBoxLayout,
    QCheckBox,
    QComboBox,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QLayout,
    QLineEdit,
    QStyle,
    QStyleOptionComboBox,
    QStylePainter,
    QToolTip,
    QVBoxLayout,
    QWidget,
)

from fidele.dataclass import dataclass
from fidele.desk.labels import label
from fidele.desk.theme import font


@dataclass(frozen=True)
class Spring:
    """Room that grows, by its share of what is left."""

    share: int = 0


#: What stands in a row or column: a widget or layout, with its share of the room that is left; a spring; pixels of gap.
Item = QWidget | QLayout | tuple[QWidget | QLayout, int] | Spring | int
#: Pixels at the left, top, right and bottom.
Margins = tuple[int, int, int, int]
#: Takes all the room that is left; takes what nothing else wants.
REST, SPRING = Spring(1), Spring()
_Box = TypeVar("_Box", bound=QBoxLayout)


def across(
    *items: Item, space: int | None = None, margins: Margins | None = None, on: QWidget | None = None
) -> QHBoxLayout:
    """Return a row, with so many pixels between its items; `on` is the widget that it fills."""
    made = QHBoxLayout(on) if on is not None else QHBoxLayout()
    return _spaced(made, items, space, margins)


def down(
    *items: Item, space: int | None = None, margins: Margins | None = None, on: QWidget | None = None
) -> QVBoxLayout:
    """Return a column, with so many pixels between its items; `on` is the widget that it fills."""
    made = QVBoxLayout(on) if on is not None else QVBoxLayout()
    return _spaced(made, items, space, margins)


def fill(box: QBoxLayout, *items: Item) -> None:
    """Put items at the end of a row or column."""
    for item in items:
        what, share = item if isinstance(item, tuple) else (item, 0)
        if isinstance(what, QWidget):
            box.addWidget(what, share)
        elif isinstance(what, QLayout):
            box.addLayout(what, share)
        elif isinstance(what, Spring):
            box.addStretch(what.share)
        else:
            box.addSpacing(what)


def _spaced(box: _Box, items: tuple[Item, ...], space: int | None, margins: Margins | None) -> _Box:
    if space is not None:
        box.setSpacing(space)
    if margins is not None:
        box.setContentsMargins(*margins)
    fill(box, *items)
    return box


class Choice(QComboBox):
    """A list to choose from that a screen reader calls by its name, not by what is chosen.

    On this system a combo box's name is that of the label it is buddy of (AT-SPI, labelled-by): one that is never seen
    goes wherever it goes.
    """

    def __init__(self, name: str) -> None:
        super().__init__()
        self._label = QLabel(name)
        self._label.setVisible(False)
        self._label.setBuddy(self)
        self.setAccessibleName(name)
        self.destroyed.connect(self._label.deleteLater)

    def setAccessibleName(self, name: str) -> None:
        super().setAccessibleName(name)
        self._label.setText(name)

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.ToolTip and self._cut():  # what has no room is read on hover
            QToolTip.showText(self.mapToGlobal(self.rect().bottomLeft()), self.currentText(), self)
            return True
        if event.type() == QEvent.Type.ParentChange and self.parentWidget() is not None:
            self._label.setParent(self.parentWidget())
            self._label.setVisible(False)
        return bool(super().event(event))

    def paintEvent(self, _event: QPaintEvent) -> None:
        option = QStyleOptionComboBox()
        self.initStyleOption(option)
        painter = QStylePainter(self)
        painter.drawComplexControl(QStyle.ComplexControl.CC_ComboBox, option)
        option.currentText = self.fontMetrics().elidedText(  # type: ignore[attr-defined]
            self.currentText(), Qt.TextElideMode.ElideRight, self._room(option)
        )
        painter.drawControl(QStyle.ControlElement.CE_ComboBoxLabel, option)
        painter.end()

    def _room(self, option: QStyleOptionComboBox) -> int:
        part = QStyle.SubControl.SC_ComboBoxEditField
        field = self.style().subControlRect(QStyle.ComplexControl.CC_ComboBox, option, part, self)
        return int(field.width())

    def _cut(self) -> bool:
        option = QStyleOptionComboBox()
        self.initStyleOption(option)
        return self.fontMetrics().horizontalAdvance(self.currentText()) > self._room(option)


def choice(
    name: str,
    offered: Iterable[tuple[object, str]] = (),
    *,
    tip: str = "",
    chosen: Callable[..., object] | None = None,
    letters: int = 0,
    points: float = 9.0,
) -> QComboBox:
    """Return a list to choose from, of values and their words; `letters` it is wide, whatever it holds."""
    made = Choice(name)
    made.setFont(font(points))
    made.setToolTip(tip)
    for value, words in offered:
        made.addItem(words, value)
    if letters:
        made.setMinimumContentsLength(letters)
        made.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
    if chosen is not None:
        made.activated.connect(chosen)
    return made


def tick(
    text: str, *, tip: str = "", changed: Callable[..., object] | None = None, on: bool = False, points: float = 9.0
) -> QCheckBox:
    """Return a box to tick."""
    made = QCheckBox(text)
    made.setFont(font(points))
    made.setAccessibleName(text)
    made.setToolTip(tip)
    made.setChecked(on)
    if changed is not None:
        made.toggled.connect(changed)
    return made


def entry(name: str, *, hint: str = "", tip: str = "", points: float = 9.0) -> QLineEdit:
    """Return a field to type words in; `hint` stands in it while it is empty."""
    made = QLineEdit()
    made.setFont(font(points))
    made.setAccessibleName(name)
    made.setToolTip(tip)
    made.setPlaceholderText(hint)
    return made


def ask(form: QFormLayout, words: str, field: QWidget) -> None:
    """Add a row to a form: a field, and its label as its buddy."""
    made = label(words, 9.5)
    made.setBuddy(field)
    form.addRow(made, field)
