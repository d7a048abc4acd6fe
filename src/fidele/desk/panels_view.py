"""A piece larger than its media, whole, with the seams of its panels and the areas that are to be kept clear."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QBrush, QColor, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from fidele import units
from fidele.desk.spots import Ringed, ring
from fidele.desk.theme import LIGHT, Theme, font
from fidele.language import tr
from fidele.sheet.panels import Area, Panels

#: A seam is taken hold of so many pixels beside it.
_NEAR = 6


class PanelsView(Ringed, QWidget):
    """Shows where seams fall, and lets them be dragged.

    Dragging elsewhere marks an area that they are to keep clear of; a click on one takes it away.
    """

    #: The areas to keep clear of, in mm on the piece, are others now.
    marked = Signal(object)
    #: A panel was clicked: it is to be printed, or not.
    toggled = Signal(str)
    #: A seam was dragged: 0 across or 1 down, which of them, and where to in mm.
    seamed = Signal(int, int, float)

    def __init__(self) -> None:
        super().__init__()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(260, 240)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Piece in panels"))
        self.setToolTip(
            tr(
                "Drag a seam to move it. Drag over what no seam may run through; click such an area, or press "
                "Delete, to free it again. Click a panel to leave it out or take it in"
            )
        )
        self.theme: Theme = LIGHT
        self.image: QImage | None = None
        self.size_mm = (1.0, 1.0)
        self.panels: Panels | None = None
        self.skip: frozenset[str] = frozenset()
        self.clear: tuple[Area, ...] = ()
        self._from: QPointF | None = None
        self._to = QPointF()
        self._seam: tuple[int, int] | None = None
        self._at = 0.0
        self._busy: tuple[int, tuple[NDArray[np.float64], NDArray[np.float64]]] | None = None
        self.setMouseTracking(True)

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
        with QPainter(self) as painter:
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
            if self._seam is not None:
                self._dragged(painter, *self._seam)
            if self.ringed:
                ring(painter, self.rect())

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
            said = tr("{name}, left out", name=panel.name) if panel.name in self.skip else panel.name
            wide = painter.fontMetrics().horizontalAdvance(said) + 14
            label = QRectF(corner.x() + 8, corner.y() + 8, wide, 22)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(250, 250, 250))
            painter.drawRoundedRect(label, 4, 4)
            painter.setPen(QColor(20, 20, 20))
            painter.drawText(label, Qt.AlignmentFlag.AlignCenter, said)

    def _dragged(self, painter: QPainter, axis: int, number: int) -> None:
        """Draw the seam where it is dragged to, and say what it crosses there."""
        place, at = self._place(), self._at * self._scale()
        line = (
            (QPointF(place.x() + at, place.top() - 14), QPointF(place.x() + at, place.bottom() + 14))
            if axis == 0
            else (QPointF(place.left() - 14, place.y() + at), QPointF(place.right() + 14, place.y() + at))
        )
        for shade, width in ((250, 6.0), (20, 3.0)):
            painter.setPen(QPen(QColor(shade, shade, shade), width))
            painter.drawLine(*line)
        said = self.crossing(axis, self._at)
        painter.setFont(font(9.5))
        wide = painter.fontMetrics().horizontalAdvance(said) + 16
        x = min(max(line[0].x() + 8, 4.0), self.width() - wide - 4)
        box = QRectF(x, max(4.0, line[0].y() - 4 if axis else place.top() + 34), wide, 24)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(250, 250, 250))
        painter.drawRoundedRect(box, 4, 4)
        painter.setPen(QColor(20, 20, 20))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, said)

    def crossing(self, axis: int, at: float) -> str:
        """Return in words where a seam lies, mm on the piece, and what it runs through there."""
        spans = [(a[axis], a[axis] + a[axis + 2]) for a in self.clear]
        said = [units.length(at)]
        if any(low < at < high for low, high in spans):
            said.append(tr("through what is to be kept clear"))
        rank = self._busyness(axis, at)
        if rank is not None:
            detail = tr("through detail") if rank > 0.75 else tr("through an even part") if rank < 0.25 else ""
            said += [detail] if detail else []
        return ", ".join(said)

    def _busyness(self, axis: int, at: float) -> float | None:
        """Return how much changes across a seam, as a share of all other places with less, None without a picture."""
        if self.image is None:
            return None
        if self._busy is None or self._busy[0] != self.image.cacheKey():
            grey = self.image.convertToFormat(QImage.Format.Format_Grayscale8)
            rows = np.frombuffer(grey.constBits(), np.uint8).reshape(grey.height(), grey.bytesPerLine())
            shades = rows[:, : grey.width()].astype(float)
            # Along a seam, what counts is how different its two sides are.
            steps = (np.abs(np.diff(shades, axis=1)).mean(0), np.abs(np.diff(shades, axis=0)).mean(1))
            self._busy = (self.image.cacheKey(), steps)
        changes = self._busy[1][axis]
        if changes.size < 8 or np.ptp(changes) < 0.5:
            return None
        here = min(changes.size - 1, int(at / self.size_mm[axis] * changes.size))
        return float((changes < changes[max(0, here - 1) : here + 2].mean()).mean())

    def _seam_at(self, at: QPointF) -> tuple[int, int] | None:
        """Return the seam at a point of the widget, as axis and number."""
        if self.panels is None:
            return None
        place, s = self._place(), self._scale()
        for axis, (start, where) in enumerate(((place.x(), at.x()), (place.y(), at.y()))):
            for number, seam in enumerate((self.panels.across, self.panels.down)[axis]):
                if abs(start + seam * s - where) <= _NEAR:
                    return axis, number
        return None

    def _drag(self, at: QPointF) -> None:
        if self._seam is None or self.panels is None:
            return
        place, axis = self._place(), self._seam[0]
        mm = ((at.x() - place.x()), (at.y() - place.y()))[axis] / self._scale()
        low, high = self.panels.reach(self.size_mm, *self._seam)
        self._at = min(max(mm, low), high)
        self.update()

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
        painter.drawText(said, Qt.AlignmentFlag.AlignCenter, tr("keep clear"))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton:
            return
        self._seam = self._seam_at(event.position())
        if self._seam is not None:
            self._drag(event.position())
        else:
            self._from = self._to = event.position()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._seam is not None:
            self._drag(event.position())
        elif self._from is not None:
            self._to = event.position()
            self.update()
        else:
            over = self._seam_at(event.position())
            shapes = (Qt.CursorShape.SplitHCursor, Qt.CursorShape.SplitVCursor)
            self.setCursor(Qt.CursorShape.CrossCursor if over is None else shapes[over[0]])

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        seam, self._seam = self._seam, None
        if seam is not None:
            self.seamed.emit(*seam, self._at)
            self.update()
            return
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
