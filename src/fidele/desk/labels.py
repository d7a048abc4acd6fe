"""Text and buttons in the few forms that the window uses."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtGui import QFont, QPainter, QPaintEvent
from PySide6.QtWidgets import QFrame, QLabel, QLayout, QPushButton, QSizePolicy, QWidget

from fidele.desk.by_any_hand import Folding, Press
from fidele.desk.theme import font


def label(
    text: str = "",
    points: float = 9.0,
    bold: bool = False,
    dim: bool = False,
    wrap: bool = False,
    parent: QWidget | None = None,
) -> QLabel:
    """Return a label; plain text only, whatever it holds."""
    made = QLabel(text, parent)
    made.setTextFormat(Qt.TextFormat.PlainText)
    made.setFont(font(points, QFont.Weight.DemiBold if bold else QFont.Weight.Normal))
    made.setProperty("dim", dim)
    return wrapped(made) if wrap else made


def say_steadily(label: QLabel, text: str) -> None:
    """Say something in a label that does not get lower by it, so that what stands above does not jump."""
    label.setText(text)
    if label.width() != label.property("steady_for"):
        label.setMinimumHeight(0)
        label.setProperty("steady_for", label.width())
    label.setMinimumHeight(max(label.minimumHeight(), label.heightForWidth(label.width())))


class ElidedLabel(QLabel):
    """A line that ends in an ellipsis where it has too little room; all of it is in its tooltip."""

    def paintEvent(self, _event: QPaintEvent) -> None:
        with QPainter(self) as painter:
            said = self.fontMetrics().elidedText(self.text(), Qt.TextElideMode.ElideRight, self.width())
            align = Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft
            self.style().drawItemText(
                painter, self.rect(), int(align), self.palette(), self.isEnabled(), said, self.foregroundRole()
            )


def line(text: str, points: float = 9.0, bold: bool = False, dim: bool = False, tip: str = "") -> ElidedLabel:
    """Return a label of one line that takes what room there is."""
    made = ElidedLabel(text)
    made.setTextFormat(Qt.TextFormat.PlainText)
    made.setFont(font(points, QFont.Weight.DemiBold if bold else QFont.Weight.Normal))
    made.setProperty("dim", dim)
    made.setToolTip(tip or text)
    made.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
    return made


def heading(text: str) -> QLabel:
    """Return a desk's heading."""
    return label(text, 11.0, bold=True)


def wrapped(made: QLabel) -> QLabel:
    """Return a label that goes on in further lines where it has no room."""
    made.setWordWrap(True)
    made.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Minimum)
    return made


def section(text: str) -> QLabel:
    """Return the heading of a section."""
    return label(text, 9.5, bold=True)


def button(
    text: str, press: Callable[[], object], tip: str = "", main: bool = False, quiet: bool = False
) -> QPushButton:
    """Return a push button."""
    return _dressed(Press(text), press, tip, main, quiet)


def folding(text: str, press: Callable[[], object], tip: str = "", main: bool = False) -> QPushButton:
    """Return a push button whose words go on in a second line where a column is too narrow for them."""
    return _dressed(Folding(text), press, tip, main, False)


def _dressed(made: Press, press: Callable[[], object], tip: str, main: bool, quiet: bool) -> QPushButton:
    made.setFont(font(9.0, QFont.Weight.DemiBold if not quiet else QFont.Weight.Normal))
    made.setProperty("main", main)
    made.setProperty("quiet", quiet)
    made.setToolTip(tip)
    made.setAccessibleName(made.text())
    made.clicked.connect(lambda: press())
    made.setCursor(Qt.CursorShape.PointingHandCursor)
    return made


def menu_button(text: str, tip: str) -> QPushButton:
    """Return a button that opens the menu it is given."""
    made = button(text, lambda: None, tip)
    made.clicked.disconnect()
    return made


def rule() -> QFrame:
    """Return a thin line between sections."""
    made = QFrame()
    made.setObjectName("rule")
    made.setFixedHeight(1)
    return made


def clear(layout: QLayout) -> None:
    """Take everything out of a layout."""
    while (item := layout.takeAt(0)) is not None:
        widget, inner = item.widget(), item.layout()
        if widget is not None:
            widget.hide()
            widget.deleteLater()
        elif inner is not None:
            clear(inner)
