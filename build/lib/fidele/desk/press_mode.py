"""The press on a tablet beside it: a clock to be read from across the room, and buttons for a gloved hand."""

from __future__ import annotations

from typing import Protocol

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QLabel, QPushButton, QWidget

from fidele.desk.clock_view import ClockView
from fidele.desk.kit import across, down
from fidele.desk.labels import label
from fidele.desk.theme import Theme, font, sheet
from fidele.language import tr
from fidele.route.condition import Card, PressData

#: Height of a button: twice the least that a finger hits (WCAG 2.2, 2.5.8 asks for 24 px).
_TALL = 88
_LOOK = 150


class AtThePress(Protocol):
    """What the large view mirrors of the press desk."""

    theme: Theme
    face: ClockView
    title: QLabel
    state: QLabel
    start: QPushButton
    warm: QPushButton
    press_it: QPushButton
    stop: QPushButton

    @property
    def card(self) -> Card | None:
        """The condition by which the pieces at hand are pressed."""
        ...

    @property
    def press(self) -> PressData | None:
        """What the press is set to this time."""
        ...

    def in_words(self, press: PressData) -> str:
        """Return what the press is set to, in words."""
        ...


class PressMode(QWidget):
    """Mirrors the press desk, large: whatever is pressed here is pressed there."""

    def __init__(self, desk: AtThePress, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Window)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setObjectName("desk")
        self.setWindowTitle(tr("Fidele: press"))
        self.setStyleSheet(sheet(desk.theme))
        self._desk = desk
        self.title = label("", 20.0, bold=True, wrap=True)
        self.state = label("", 14.0, wrap=True)
        self.face = ClockView()
        self.face.theme = desk.theme
        self.start = self._button("", desk.start.click, main=True)
        self.warm = self._button("", desk.warm.click)
        self.done = self._button(tr("Done already"), desk.press_it.click)
        self.stop = self._button(tr("Stop"), desk.stop.click)
        self.leave = self._button(tr("Leave large view"), self.close)
        row = across(self.warm, self.done, self.stop, self.leave, space=14)
        down(self.title, self.state, (self.face, 1), self.start, row, space=14, margins=(28, 22, 28, 22), on=self)
        self._timer = QTimer(self, interval=_LOOK)
        self._timer.timeout.connect(self.follow)
        self._timer.start()
        self.follow()

    @staticmethod
    def _button(words: str, press: object, main: bool = False) -> QPushButton:
        made = QPushButton(words)
        made.setFont(font(18.0, font().Weight.DemiBold))
        made.setMinimumHeight(_TALL)
        made.setProperty("main", main)
        made.clicked.connect(press)
        return made

    def follow(self) -> None:
        """Show what the press desk shows; without its window there is nothing to show."""
        parent = self.parentWidget()
        if parent is None or not parent.window().isVisible():
            self.close()
            return
        desk, face = self._desk, self._desk.face
        self.face.show_time(face.face, face.words, face.share, face.over)
        self.title.setText(desk.title.text())
        card, press = desk.card, desk.press
        asked = "" if card is None or press is None else desk.in_words(press)
        self.state.setText(f"{desk.state.text()} {asked}".strip())
        for mine, theirs in ((self.start, desk.start), (self.warm, desk.warm), (self.done, desk.press_it)):
            mine.setText(theirs.text())
            mine.setEnabled(theirs.isEnabled())
            mine.setVisible(not theirs.isHidden())
        self.stop.setVisible(not desk.stop.isHidden())

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.close()
        else:
            super().keyPressEvent(event)
