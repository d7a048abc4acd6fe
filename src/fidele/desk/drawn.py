"""A picture that takes its time to draw: drawn in an event of its own, and shown from then on as it is."""

from __future__ import annotations

from PySide6.QtCore import QTimer
from PySide6.QtGui import QPainter, QPaintEvent, QPixmap
from PySide6.QtWidgets import QWidget

from fidele.desk.theme import LIGHT, Theme


class Drawn(QWidget):
    """Draws itself (`draw`) when `update` was called or its size has changed, after the window has been painted."""

    def __init__(self) -> None:
        super().__init__()
        self.theme: Theme = LIGHT
        self._picture: QPixmap | None = None
        self._of: tuple[object, ...] | None = None
        self._soon = QTimer(self, singleShot=True, interval=0)
        self._soon.timeout.connect(self._draw)

    def draw(self, painter: QPainter) -> None:
        """Draw everything."""
        raise NotImplementedError

    def update(self) -> None:  # type: ignore[override]
        """Have it drawn anew."""
        self._of = None
        super().update()

    def _key(self) -> tuple[object, ...]:
        return (self.size().toTuple(), self.devicePixelRatioF(), self.theme.name, self.hasFocus())

    def _draw(self) -> None:
        ratio = self.devicePixelRatioF()
        picture = QPixmap(max(1, round(self.width() * ratio)), max(1, round(self.height() * ratio)))
        picture.setDevicePixelRatio(ratio)
        with QPainter(picture) as painter:
            painter.fillRect(self.rect(), self.theme.colour("field"))
            self.draw(painter)
        self._picture, self._of = picture, self._key()
        super().update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        with QPainter(self) as painter:
            if self._picture is None:
                painter.fillRect(self.rect(), self.theme.colour("field"))
            else:
                painter.drawPixmap(0, 0, self._picture)
        if self._of != self._key():
            self._soon.start()
