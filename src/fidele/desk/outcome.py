"""A predicted print with its title and a figure."""

from __future__ import annotations

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QFontMetricsF, QImage, QPainter, QPaintEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from fidele.desk.theme import LIGHT, Theme, font, px
from fidele.language import tr

#: Pixels of a picture that words below it leave at least: with less, each of their lines ends in an ellipsis.
_LEAST = 80
_WRAPPED = Qt.TextFlag.TextWordWrap | Qt.AlignmentFlag.AlignTop


class Outcome(QWidget):
    """A predicted print with its title and figure."""

    def __init__(self) -> None:
        super().__init__()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(px(105))
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
        self.setToolTip("\n".join(filter(None, (title, words, more))))
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        if self.image is None and not self.title:
            return
        # Pictures side by side are of one size, whatever is said below them.
        beside = [one for one in (self.parentWidget() or self).children() if isinstance(one, Outcome)]
        wrapped = max(sum(one._heights()) for one in (self, *beside))
        title, plain = QFontMetricsF(font(9.0)).height() + 4, QFontMetricsF(font(8.5)).height()
        wraps = self.height() - title - wrapped >= px(_LEAST)
        below = title + (wrapped if wraps else plain * max(len(one._heights()) for one in (self, *beside))) + 2
        with QPainter(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            frame = QRectF(0, 0, self.width(), self.height() - below)
            painter.fillRect(frame, self.theme.colour("surround"))
            if self.image is not None:
                room = frame.adjusted(8, 8, -8, -8)
                scale = max(0.0, min(room.width() / self.image.width(), room.height() / self.image.height()))
                wide, high = self.image.width() * scale, self.image.height() * scale
                painter.drawImage(
                    QRectF(room.center().x() - wide / 2, room.center().y() - high / 2, wide, high), self.image
                )
            painter.setPen(self.theme.colour("text"))
            painter.setFont(font(9.0, font().Weight.DemiBold if self.bold else font().Weight.Normal))
            line = QRectF(0, frame.bottom() + 2, self.width(), title)
            shown = painter.fontMetrics().elidedText(self.title, Qt.TextElideMode.ElideRight, self.width())
            painter.drawText(line, Qt.AlignmentFlag.AlignVCenter, shown)
            painter.setPen(self.theme.colour("dim"))
            painter.setFont(font(8.5))
            y = line.bottom()
            for said, needed in zip(filter(None, (self.words, self.more)), self._heights(), strict=True):
                room = QRectF(0, y, self.width(), needed if wraps else plain)
                if wraps:
                    painter.drawText(room, int(_WRAPPED), said)
                else:
                    shown = painter.fontMetrics().elidedText(said, Qt.TextElideMode.ElideRight, self.width())
                    painter.drawText(room, Qt.AlignmentFlag.AlignVCenter, shown)
                y = room.bottom()

    def _heights(self) -> list[float]:
        """Return how much room each line of words takes, in as many lines as it needs."""
        metrics, wide = QFontMetricsF(font(8.5)), self.width()
        texts = filter(None, (self.words, self.more))
        return [metrics.boundingRect(QRectF(0, 0, wide, 200), int(_WRAPPED), said).height() for said in texts]
