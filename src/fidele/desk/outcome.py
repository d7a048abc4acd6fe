"""A predicted print with its title and a figure."""

from __future__ import annotations

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QImage, QPainter, QPaintEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from fidele.desk.theme import LIGHT, Theme, font
from fidele.language import tr


class Outcome(QWidget):
    """A predicted print with its title and figure."""

    def __init__(self) -> None:
        super().__init__()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(120)
        self.theme: Theme = LIGHT
        self.image: QImage | None = None
        self.title, self.words, self.more, self.bold = "", "", "", False

    def show_prediction(self, image: QImage | None, title: str, words: str, bold: bool, more: str = "") -> None:
        """Show a picture with its title, a line of words, and perhaps a second one."""
        self.image, self.title, self.words, self.bold, self.more = image, title, words, bold, more
        self.setAccessibleName(
            tr(
                "Predicted print: {title}, {words}{value}",
                title=title,
                words=words,
                value=(f", {more}" if more else ""),
            )
        )
        self.setToolTip(more)
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        if self.image is None and not self.title:
            return
        with QPainter(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            below = 57 if self.more else 40
            frame = QRectF(0, 0, self.width(), self.height() - below)
            painter.fillRect(frame, self.theme.colour("surround"))
            if self.image is not None:
                room = frame.adjusted(8, 8, -8, -8)
                scale = min(room.width() / self.image.width(), room.height() / self.image.height())
                wide, high = self.image.width() * scale, self.image.height() * scale
                painter.drawImage(
                    QRectF(room.center().x() - wide / 2, room.center().y() - high / 2, wide, high), self.image
                )
            painter.setPen(self.theme.colour("text"))
            painter.setFont(font(9.0, font().Weight.DemiBold if self.bold else font().Weight.Normal))
            painter.drawText(QRectF(0, frame.bottom() + 3, self.width(), 18), Qt.AlignmentFlag.AlignVCenter, self.title)
            painter.setPen(self.theme.colour("dim"))
            painter.setFont(font(8.5))
            for row, said in enumerate(filter(None, (self.words, self.more))):
                room = QRectF(0, frame.bottom() + 21 + 17 * row, self.width(), 18)
                shown = painter.fontMetrics().elidedText(said, Qt.TextElideMode.ElideRight, self.width())
                painter.drawText(room, Qt.AlignmentFlag.AlignVCenter, shown)
