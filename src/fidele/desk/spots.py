"""Parts of a drawn view as controls of their own: reached by Tab, pressed by Space, known to a screen reader."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

from PySide6.QtCore import QRect, Qt
from PySide6.QtGui import QFocusEvent, QKeyEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QAbstractButton, QWidget

from fidele.dataclass import dataclass
from fidele.desk.by_any_hand import ByAnyHand

if TYPE_CHECKING:
    _Widget = QWidget
else:
    _Widget = object


@dataclass(frozen=True)
class Part:
    """A part of a view: its name in full, where it is drawn, what pressing it does, whether it is the chosen one."""

    name: str
    place: QRect
    press: Callable[[], object]
    chosen: bool = False


def ring(painter: QPainter, inside: QRect) -> None:
    """Draw where the keyboard is, so that it is seen on any picture: dark dashes on light."""
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for shade, width in ((Qt.GlobalColor.white, 4), (Qt.GlobalColor.black, 2)):
        painter.setPen(QPen(shade, width, Qt.PenStyle.SolidLine if width > 2 else Qt.PenStyle.DashLine))
        painter.drawRect(inside.adjusted(2, 2, -3, -3))


class Ringed(_Widget):
    """To be mixed into a drawn view: knows whether the keyboard came to it by Tab. A ring is for those who use that."""

    _by_key = False

    def focusInEvent(self, event: QFocusEvent) -> None:
        tab = (Qt.FocusReason.TabFocusReason, Qt.FocusReason.BacktabFocusReason, Qt.FocusReason.ShortcutFocusReason)
        self._by_key = event.reason() in tab
        super().focusInEvent(event)

    @property
    def ringed(self) -> bool:
        """Whether a ring is to be drawn."""
        return self._by_key and self.hasFocus()


class _Spot(ByAnyHand, QAbstractButton):
    """Lies over a part, lets the mouse through, and is seen only while the keyboard is on it."""

    def __init__(self, view: QWidget) -> None:
        super().__init__(view)
        self.setCheckable(True)
        self.watch_toggles()
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.press: Callable[[], object] = lambda: None
        self.clicked.connect(lambda _=False: self.press())

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Space, Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.click()
        else:  # arrows, Delete and letters are the view's
            event.ignore()

    def paintEvent(self, _event: QPaintEvent) -> None:
        if self.hasFocus():
            with QPainter(self) as painter:
                ring(painter, self.rect())


class Spots:
    """Keeps the controls over a view's parts; as many are there as there are parts."""

    def __init__(self, view: QWidget) -> None:
        self._view = view
        self._spots: list[_Spot] = []

    def show(self, parts: Sequence[Part]) -> None:
        """Lay a control over each part; one that has the focus keeps it."""
        while len(self._spots) > len(parts):
            self._spots.pop().deleteLater()
        while len(self._spots) < len(parts):
            made = _Spot(self._view)
            made.show()
            self._spots.append(made)
        for spot, part in zip(self._spots, parts, strict=True):
            if spot.accessibleName() != part.name:
                spot.setAccessibleName(part.name)
                spot.setToolTip("")
            spot.press = part.press
            spot.setChecked(part.chosen)
            if spot.geometry() != part.place:
                spot.setGeometry(part.place)
