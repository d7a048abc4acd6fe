"""A piece larger than its media, whole, with the seams of its panels and the areas that are to be kept clear."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QBrush, QColor, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from fidele.desk.theme import LIGHT, Theme, font
from fidele.sheet.panels import Area, Panels


class PanelsView(QWidget):
    """Shows where seams fall. Dragging marks an area that they are to keep clear of; a click on one takes it away."""

    #: The areas to keep clear of, in mm on the piece, are others now.
    marked = Signal(object)
    #: A panel was clicked: it is to be printed, or not.
    toggled = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(260, 240)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Piece in panels")
        self.setToolTip(
            "Drag over what no seam may run through; click such an area, or press Delete, to free it again. "
            "Click a panel to leave it out or take it in"
        )
        self.theme: Theme = LIGHT
        self.image: QImage | None = None
        self.size_mm = (1.0, 1.0)
        self.panels: Panels | None = None
        self.skip: frozenset[str] = frozenset()
        self.clear: tuple[Area, ...] = ()
        self._from: QPointF | None = None
        self._to = QPointF()

    def _scale(self) -> float:
        return min((self.width() - 60) / self.size_mm[0], (self.height() - 60) / self.size_mm[1])

    def _place(self) -> QRectF:
        s = self._scale()
        wide, high = self.size_mm[0] * s, self.size_mm[1] * s
        return QRectF((self.width() - wide) / 2, (self.height() - high) / 2, wide, high)

    def _box(self, area: Area) -> QRectF:
        place, s = self._place(), self._scale()
        return QRectF(place.x() + area[0] * s, place.y() + area[1] * s, area[2] * s, area[3] * s)

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.fillRect(self.rect(), self.theme.colour("surround"))
        place = self._place()
        painter.fillRect(place.translated(3, 3), QColor(90, 90, 90))
        if self.image is not None:
            painter.drawImage(place, self.image)
        else:
            painter.fillRect(place, QColor(205, 205, 205))
        for area in self.clear:
            self._mark(painter, self._box(area))
        if self.panels is not None:
            self._seams(painter, self.panels)
        if self._from is not None:
            self._mark(painter, QRectF(self._from, self._to).normalized())

    def _seams(self, painter: QPainter, parted: Panels) -> None:
        for panel in parted.panels:
            box = self._box((panel.x, panel.y, panel.width, panel.height))
            if panel.name in self.skip:
                painter.fillRect(box, QBrush(QColor(70, 70, 70), Qt.BrushStyle.BDiagPattern))
            # Each panel's edge with its overlap: light beneath dark is seen on any picture.
            for shade, width in ((250, 2.4), (20, 1.0)):
                painter.setPen(QPen(QColor(shade, shade, shade), width, Qt.PenStyle.DotLine))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRect(box)
        place, s = self._place(), self._scale()
        for shade, width in ((250, 4.0), (20, 2.0)):
            painter.setPen(QPen(QColor(shade, shade, shade), width))
            for x in parted.across:
                painter.drawLine(
                    QPointF(place.x() + x * s, place.top() - 8), QPointF(place.x() + x * s, place.bottom() + 8)
                )
            for y in parted.down:
                painter.drawLine(
                    QPointF(place.left() - 8, place.y() + y * s), QPointF(place.right() + 8, place.y() + y * s)
                )
        painter.setFont(font(11, font().Weight.DemiBold))
        for panel in parted.panels:
            corner = self._box((panel.x, panel.y, panel.width, panel.height)).topLeft()
            said = f"{panel.name}, left out" if panel.name in self.skip else panel.name
            wide = painter.fontMetrics().horizontalAdvance(said) + 14
            label = QRectF(corner.x() + 8, corner.y() + 8, wide, 22)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(250, 250, 250))
            painter.drawRoundedRect(label, 4, 4)
            painter.setPen(QColor(20, 20, 20))
            painter.drawText(label, Qt.AlignmentFlag.AlignCenter, said)

    @staticmethod
    def _mark(painter: QPainter, box: QRectF) -> None:
        painter.setBrush(QBrush(QColor(255, 255, 255, 130), Qt.BrushStyle.DiagCrossPattern))
        painter.setPen(QPen(QColor(20, 20, 20), 1.5, Qt.PenStyle.DashLine))
        painter.drawRect(box)
        if box.width() < 76 or box.height() < 20:
            return
        painter.setPen(QColor(20, 20, 20))
        painter.setFont(font(8))
        said = QRectF(box.x() + 2, box.bottom() - 16, 70, 14)
        painter.fillRect(said, QColor(250, 250, 250))
        painter.drawText(said, Qt.AlignmentFlag.AlignCenter, "keep clear")

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self._from = self._to = event.position()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._from is not None:
            self._to = event.position()
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        start, self._from = self._from, None
        if start is None:
            return
        at = event.position()
        box = QRectF(start, at).normalized().intersected(self._place())
        place, s = self._place(), self._scale()
        if box.width() > 5 and box.height() > 5:
            mm = ((box.x() - place.x()) / s, (box.y() - place.y()) / s, box.width() / s, box.height() / s)
            x, y, wide, high = (round(v, 1) for v in mm)
            self.marked.emit((*self.clear, (x, y, wide, high)))
        else:
            hit = next((a for a in reversed(self.clear) if self._box(a).contains(at)), None)
            if hit is not None:
                self.marked.emit(tuple(a for a in self.clear if a is not hit))
            elif self.panels is not None:
                panels = [p for p in self.panels.panels if self._box((p.x, p.y, p.width, p.height)).contains(at)]
                if panels:
                    self.toggled.emit(panels[0].name)
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Delete and self.clear:
            self.marked.emit(self.clear[:-1])
        else:
            super().keyPressEvent(event)
