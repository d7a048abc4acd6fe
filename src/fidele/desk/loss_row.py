"""A row of the losses: wanted beside printed, with figures and words."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QAbstractButton, QHBoxLayout, QVBoxLayout

from fidele.desk.labels import label, line
from fidele.proof.losses import Loss


class LossRow(QAbstractButton):
    """Wanted beside printed, as the screen shows them, with figures and words; pressed, it shows where they sit."""

    def __init__(self, loss: Loss, chosen: bool, colours: tuple[QColor, QColor]) -> None:
        super().__init__()
        self._colours = colours
        self.setCheckable(True)
        self.setChecked(chosen)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        tip = (
            "Left: wanted. Right: as it will print. The share is that of the picture's area. "
            "Press to see where it sits."
        )
        row = QHBoxLayout(self)
        row.setContentsMargins(62, 3, 6, 3)
        words = QVBoxLayout()
        words.setSpacing(1)
        words.addWidget(line(f"ΔE00 {loss.de00:.1f} · {loss.area * 100:.1f} %", 9.0, bold=True, tip=tip))
        words.addWidget(label(loss.words, 8.5, dim=True, wrap=True))
        row.addLayout(words, 1)
        self.setMinimumHeight(38)
        self.setToolTip(tip)
        self.setAccessibleName(f"{loss.area * 100:.1f} % of the picture, ΔE00 {loss.de00:.1f}, {loss.words}")

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        for x, colour in zip((0, 27), self._colours, strict=True):
            painter.fillRect(x, 2, 27, min(36, self.height() - 4), colour)
        if self.isChecked() or self.hasFocus():
            painter.setPen(QPen(self.palette().windowText().color(), 2 if self.isChecked() else 1))
            painter.drawRect(1, 1, self.width() - 2, self.height() - 2)

    def sizeHint(self) -> QSize:
        wanted = super().sizeHint() if self.layout() is None else self.layout().sizeHint()  # type: ignore[union-attr]
        return QSize(wanted.width(), max(40, wanted.height()))
