"""What lies in the press, seen from the side."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from fidele.desk.theme import LIGHT, Theme, font, px
from fidele.language import tr

#: How each layer is drawn: height in pixels, grey, and pattern.
_LOOKS = {
    "hot plate": (30, 90, Qt.BrushStyle.SolidPattern),
    "cover sheet": (5, 235, Qt.BrushStyle.SolidPattern),
    "silicone pad": (16, 130, Qt.BrushStyle.Dense4Pattern),
}


class StackView(QWidget):
    """Draws the layers from the hot plate down, each with its name beside it."""

    def __init__(self) -> None:
        super().__init__()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(px(150))
        self.theme: Theme = LIGHT
        self.layers: tuple[str, ...] = ()

    def show_layers(self, layers: tuple[str, ...]) -> None:
        """Show other layers."""
        self.layers = layers
        self.setAccessibleName(tr("In the press, from above: ") + ", ".join(map(tr, layers)))
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        with QPainter(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            text, dim = self.theme.colour("text"), self.theme.colour("dim")
            painter.setFont(font(8.5))
            longest = max((painter.fontMetrics().horizontalAdvance(tr(name)) for name in self.layers), default=0)
            wide = max(60.0, min(170.0, self.width() * 0.36, self.width() - longest - 28))
            heights = [px(100) / 100 * self._look(name)[0] for name in self.layers]
            gap = px(70) / 10
            y = max(4.0, (self.height() - sum(heights) - gap * (len(heights) - 1)) / 2)
            for name, height in zip(self.layers, heights, strict=True):
                _, grey, pattern = self._look(name)
                inset = 0.0 if name in ("hot plate", "silicone pad") else 14.0
                box = QRectF(6 + inset, y, wide - 2 * inset, height)
                painter.setPen(QPen(QColor(30, 30, 30), 1))
                painter.setBrush(QBrush(QColor(grey, grey, grey), pattern))
                painter.drawRect(box)
                if "print" in name:
                    self._ink(painter, box, down="down" in name)
                painter.setPen(QPen(dim, 1, Qt.PenStyle.DotLine))
                painter.drawLine(QPointF(box.right() + 4, box.center().y()), QPointF(wide + 18, box.center().y()))
                painter.setPen(text)
                room = QRectF(wide + 22, box.center().y() - px(9), self.width() - wide - 24, px(18))
                said = painter.fontMetrics().elidedText(tr(name), Qt.TextElideMode.ElideRight, int(room.width()))
                painter.drawText(room, Qt.AlignmentFlag.AlignVCenter, said)
                y += height + gap

    @staticmethod
    def _look(name: str) -> tuple[int, int, Qt.BrushStyle]:
        if "paper" in name and "cover" not in name:
            return 6, 250, Qt.BrushStyle.SolidPattern
        return _LOOKS.get(name, (18, 200, Qt.BrushStyle.SolidPattern))

    @staticmethod
    def _ink(painter: QPainter, box: QRectF, down: bool) -> None:
        """Draw small teeth on the printed side of the paper."""
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(20, 20, 20))
        edge, tip = (box.bottom(), box.bottom() + 4) if down else (box.top(), box.top() - 4)
        x = box.left() + 5
        while x < box.right() - 6:
            painter.drawPolygon(QPolygonF([QPointF(x, edge), QPointF(x + 5, edge), QPointF(x + 2.5, tip)]))
            x += 10
