"""A row of the losses: wanted beside printed, with figures and words."""

from __future__ import annotations

from PySide6.QtCore import QRect, QSize, Qt
from PySide6.QtGui import QColor, QFont, QFontMetrics, QPainter, QPaintEvent, QPalette, QPen
from PySide6.QtWidgets import QAbstractButton, QSizePolicy

from fidele.desk.theme import font
from fidele.language import tr
from fidele.proof.losses import Loss

_TIP = tr("Left: wanted. Right: as it will print. The share is that of the picture's area. Press to see where it sits.")
#: Width of one patch, left edge of the words, and what stays free around them, in pixels.
_PATCH, _WORDS, _EDGE = 27, 62, 4
_WRAPPED = Qt.TextFlag.TextWordWrap | Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop


class LossRow(QAbstractButton):
    """Wanted beside printed, as the screen shows them, with figures and words; pressed, it shows where they sit.

    It paints its own words: labels inside would double the time that the findings take to follow a change.
    """

    def __init__(self, loss: Loss, chosen: bool, colours: tuple[QColor, QColor]) -> None:
        super().__init__()
        self._colours = colours
        self._words = loss.words
        self.setText(tr("ΔE00 {de00:.1f} · {area:.1f} %", de00=loss.de00, area=loss.area * 100))
        self.setCheckable(True)
        self.setChecked(chosen)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        policy = QSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)
        policy.setHeightForWidth(True)
        self.setSizePolicy(policy)
        self.setToolTip(_TIP)
        self.setAccessibleName(
            tr(
                "{area:.1f} % of the picture, ΔE00 {de00:.1f}, {words}",
                area=loss.area * 100,
                de00=loss.de00,
                words=loss.words,
            )
        )

    def paintEvent(self, _event: QPaintEvent) -> None:
        with QPainter(self) as painter:
            for x, colour in zip((0, _PATCH), self._colours, strict=True):
                painter.fillRect(x, 2, _PATCH, min(36, self.height() - 4), colour)
            line = QFontMetrics(font(9.0, QFont.Weight.DemiBold)).height()
            wide = self.width() - _WORDS - _EDGE
            painter.setFont(font(9.0, QFont.Weight.DemiBold))
            painter.setPen(self.palette().color(QPalette.ColorRole.WindowText))
            painter.drawText(QRect(_WORDS, _EDGE, wide, line), Qt.AlignmentFlag.AlignLeft, self.text())
            painter.setFont(font(8.5))
            painter.setPen(self.palette().color(QPalette.ColorRole.PlaceholderText))
            painter.drawText(QRect(_WORDS, _EDGE + line, wide, self.height() - _EDGE - line), _WRAPPED, self._words)
            if self.isChecked() or self.hasFocus():
                painter.setPen(QPen(self.palette().windowText().color(), 2 if self.isChecked() else 1))
                painter.drawRect(1, 1, self.width() - 2, self.height() - 2)

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        metrics = QFontMetrics(font(8.5))
        words = metrics.boundingRect(QRect(0, 0, max(60, width - _WORDS - _EDGE), 999), _WRAPPED, self._words)
        return max(40, 2 * _EDGE + QFontMetrics(font(9.0, QFont.Weight.DemiBold)).height() + words.height())

    def sizeHint(self) -> QSize:
        return QSize(200, self.heightForWidth(200))
