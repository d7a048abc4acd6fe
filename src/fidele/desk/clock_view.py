"""A countdown that can be read from three metres."""

from __future__ import annotations

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QColor, QFont, QFontMetricsF, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from fidele.desk.theme import LIGHT, Theme, font


class ClockView(QWidget):
    """Digits as large as there is room, a bar that grows, and a few words; turned dark on light when it is over."""

    def __init__(self) -> None:
        super().__init__()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(200, 130)
        self.theme: Theme = LIGHT
        self.face, self.words, self.share, self.over = "0:00", "", 0.0, False

    def show_time(self, face: str, words: str, share: float, over: bool) -> None:
        """Show a time; `share` of it has run, and `over` says that the press is to be opened now."""
        if (face, words, share, over) != (self.face, self.words, self.share, self.over):
            self.face, self.words, self.share, self.over = face, words, share, over
            self.setAccessibleName(f"{words}: {face}")
            self.update()

    @property
    def digit_height(self) -> float:
        """Height of the digits in pixels."""
        return QFontMetricsF(self._font()).capHeight()

    def _font(self) -> QFont:
        made = font(10, font().Weight.Bold)
        made.setPixelSize(100)
        wide = QFontMetricsF(made).horizontalAdvance(max(self.face, "0:00", key=len))
        size = min((self.width() - 40) / max(wide, 1) * 100, (self.height() - 54) * 1.05)
        made.setPixelSize(max(20, int(size)))
        return made

    def paintEvent(self, _event: QPaintEvent) -> None:
        with QPainter(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            back, ink = (
                (QColor(250, 250, 250), QColor(10, 10, 10))
                if self.over
                else (QColor(24, 24, 24), QColor(250, 250, 250))
            )
            painter.setPen(QPen(ink, 4) if self.over else Qt.PenStyle.NoPen)
            painter.setBrush(back)
            painter.drawRoundedRect(QRectF(self.rect()).adjusted(2, 2, -2, -2), 6, 6)
            painter.setPen(ink)
            painter.setFont(self._font())
            painter.drawText(QRectF(0, 0, self.width(), self.height() - 34), Qt.AlignmentFlag.AlignCenter, self.face)
            painter.setFont(font(11, font().Weight.DemiBold))
            painter.drawText(QRectF(0, self.height() - 46, self.width(), 24), Qt.AlignmentFlag.AlignCenter, self.words)
            bar = QRectF(20, self.height() - 16, self.width() - 40, 6)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(128, 128, 128))
            painter.drawRoundedRect(bar, 3, 3)
            bar.setWidth(bar.width() * min(1.0, max(0.0, self.share)))
            painter.setBrush(ink)
            painter.drawRoundedRect(bar, 3, 3)
