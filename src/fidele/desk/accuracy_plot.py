"""How good profiles get by how many patches they are made of; the chosen target, and the profile that was made."""

from __future__ import annotations

import math

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from fidele.characterise.fit import Stated
from fidele.desk.theme import LIGHT, Theme, font, px
from fidele.language import decimals, tr
from fidele.session.own_profiles import ACCURACY

_FEWEST, _MOST, _HIGH, _LOW = 90, 1700, 1.5, 0.03


class AccuracyPlot(QWidget):
    """Mean ΔE00 over the number of patches, both in steps of equal ratio."""

    def __init__(self) -> None:
        super().__init__()
        self.theme: Theme = LIGHT
        self._count = 0
        self._made: tuple[int, Stated] | None = None
        self.setMinimumSize(px(320), px(130))
        self.setMaximumHeight(px(150))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(tr("Accuracy against the number of patches"))

    def show_target(self, count: int, made: tuple[int, Stated] | None) -> None:
        """Mark a target of so many patches, and a profile that was made: patches, and what it states."""
        self._count, self._made = count, made
        said = [
            tr("{n} patches: off by {middle:g} on most printers, {most:g} on difficult ones", n=n, middle=a, most=b)
            for n, a, b in ACCURACY
        ]
        if made is not None:
            said.append(tr("made from {n}: off by {mean:.2f}", n=made[0], mean=made[1].mean))
        self.setAccessibleDescription("; ".join(said))
        self.setToolTip("\n".join([tr("Mean ΔE00 by an instrument, on printers of many kinds"), *said]))
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        with QPainter(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.fillRect(self.rect(), self.theme.colour("field"))
            room = QRectF(px(48), px(16), self.width() - px(48) - px(150), self.height() - px(42))

            def at(count: float, error: float) -> QPointF:
                across = math.log(count / _FEWEST) / math.log(_MOST / _FEWEST)
                up = math.log(min(max(error, _LOW), _HIGH) / _LOW) / math.log(_HIGH / _LOW)
                return QPointF(room.left() + across * room.width(), room.bottom() - up * room.height())

            painter.setFont(font(7.5))
            painter.setPen(self.theme.colour("dim"))
            painter.drawText(QRectF(px(4), 0, px(120), px(14)), Qt.AlignmentFlag.AlignLeft, "ΔE00")
            for error in (0.05, 0.1, 0.2, 0.5, 1.0):
                y = at(_FEWEST, error).y()
                painter.setPen(QPen(self.theme.colour("line"), 1))
                painter.drawLine(QPointF(room.left(), y), QPointF(room.right(), y))
                painter.setPen(self.theme.colour("dim"))
                right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
                painter.drawText(QRectF(0, y - 8, room.left() - 5, 16), right, decimals(f"{error:g}"))
            for count in (100, 200, 400, 900, 1500):
                x = at(count, 1).x()
                painter.setPen(self.theme.colour("text" if count == self._count else "dim"))
                box = QRectF(x - px(40), room.bottom() + 2, px(80), px(14))
                painter.drawText(box, Qt.AlignmentFlag.AlignHCenter, f"{count}")
            ends = QRectF(0, room.bottom() + px(12), room.right(), px(14))
            painter.drawText(ends, Qt.AlignmentFlag.AlignHCenter, tr("patches"))
            for which, words, style in (
                (1, tr("most printers"), Qt.PenStyle.SolidLine),
                (2, tr("difficult printers"), Qt.PenStyle.DashLine),
            ):
                points = [at(row[0], row[which]) for row in ACCURACY]
                painter.setPen(QPen(self.theme.colour("text"), 1.6, style))
                painter.drawPolyline(QPolygonF(points))
                painter.drawText(
                    QRectF(room.right() + px(6), points[-1].y() - 8, px(140), 16), Qt.AlignmentFlag.AlignVCenter, words
                )
            if self._count:
                x = at(min(max(self._count, _FEWEST), _MOST), 1).x()
                painter.setPen(QPen(self.theme.colour("faint"), 1.2))
                painter.drawLine(QPointF(x, room.top()), QPointF(x, room.bottom()))
            if self._made is not None:
                count, stated = self._made
                count = min(max(count, _FEWEST), _MOST)
                painter.setPen(QPen(self.theme.colour("text"), 2))
                painter.drawLine(at(count, stated.low), at(count, stated.high))
                painter.setBrush(self.theme.colour("text"))
                painter.drawEllipse(at(count, stated.mean), px(4), px(4))
