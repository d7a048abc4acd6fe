"""Buttons that stay down, pressed by any hand: a screen reader toggles them, which Qt does not tell as a click."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QSize
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QAbstractButton, QPushButton, QSizePolicy

if TYPE_CHECKING:
    _Base = QAbstractButton
else:
    _Base = object


class ByAnyHand(_Base):
    """To be mixed into a button: tells a toggle from outside (the accessibility bus) as the click that it is meant as.

    What our own code checks, and what a click changes, is known by its way in: neither is told twice.
    """

    _ours = False

    def watch_toggles(self) -> None:
        """To be called once the button is made."""
        self.toggled.connect(self._toggled)

    def setChecked(self, on: bool) -> None:
        self._ours = True
        super().setChecked(on)
        self._ours = False

    def nextCheckState(self) -> None:
        self._ours = True
        super().nextCheckState()
        self._ours = False

    def _toggled(self, on: bool) -> None:
        group = self.group()
        exclusive = self.autoExclusive() or (group is not None and group.exclusive())
        if not self._ours and (on or not exclusive):  # of several, the others go up by themselves
            self.clicked[bool].emit(on)  # type: ignore[index]


class Press(ByAnyHand, QPushButton):
    """The window's button."""

    def __init__(self, text: str) -> None:
        super().__init__(text)
        self.watch_toggles()


class Folding(Press):
    """A button whose words go on in further lines where they have no room in one."""

    def __init__(self, text: str) -> None:
        super().__init__(text)
        self._words = text
        self.setSizePolicy(QSizePolicy.Policy.Maximum, QSizePolicy.Policy.Fixed)

    def text(self) -> str:
        """Its words, on however many lines they stand."""
        return self._words

    def _around(self) -> int:
        """Return how much wider the button is than what stands on it."""
        lines = super().text().split("\n")
        return super().sizeHint().width() - max(self.fontMetrics().horizontalAdvance(line) for line in lines)

    def sizeHint(self) -> QSize:
        width = self.fontMetrics().horizontalAdvance(self._words) + self._around()
        return QSize(width, super().sizeHint().height())

    def minimumSizeHint(self) -> QSize:
        widest = max(self.fontMetrics().horizontalAdvance(word) for word in self._words.split())
        return QSize(widest + self._around(), super().sizeHint().height())

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        metrics, room, lines = self.fontMetrics(), self.width() - self._around(), [""]
        for word in self._words.split():
            longer = f"{lines[-1]} {word}".strip()
            if metrics.horizontalAdvance(longer) <= room:
                lines[-1] = longer
            else:
                lines.append(word)
        said = "\n".join(line for line in lines if line)
        if said != super().text():
            self.setText(said)
            self.updateGeometry()
