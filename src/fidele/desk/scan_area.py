"""What lies on the glass, seen coarsely, and the part of it that is to be scanned."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPoint, QRect, QSize, Qt
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPixmap
from PySide6.QtWidgets import QDialog, QDialogButtonBox, QWidget

from fidele.desk.kit import down, fill
from fidele.desk.labels import label
from fidele.desk.picture import to_image
from fidele.devices.protocol import Scan
from fidele.language import tr

#: Longest side of the picture on the screen; a part smaller than the second, in mm, is a slip of the hand.
_SIDE, _LEAST = 620, 8.0
Area = tuple[float, float, float, float]


class Glass(QWidget):
    """The glass, and a frame on it that the mouse draws and the arrow keys move."""

    def __init__(self, scan: Scan) -> None:
        super().__init__()
        eight = scan.pixels if scan.pixels.dtype == np.uint8 else (scan.pixels >> 8).astype(np.uint8)
        self._picture = QPixmap.fromImage(to_image(np.ascontiguousarray(eight)))
        height, width = eight.shape[:2]
        self._scale = _SIDE / max(height, width)
        self._mm = scan.ppi / 25.4 * self._scale
        self.frame = QRect(QPoint(0, 0), QSize(round(width * self._scale), round(height * self._scale)))
        self.setFixedSize(self.frame.size())
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.CrossCursor)
        self.setAccessibleName(tr("What lies on the glass"))
        self.setToolTip(tr("Draw a frame about what is to be scanned; the arrow keys move it, with Shift they size it"))
        self._from: QPoint | None = None

    def area(self) -> Area | None:
        """Return left, top, width and height of the frame in mm; None for all of the glass."""
        if self.frame == self.rect() or min(self.frame.width(), self.frame.height()) < _LEAST * self._mm:
            return None
        f = self.frame
        return f.x() / self._mm, f.y() / self._mm, f.width() / self._mm, f.height() / self._mm

    def paintEvent(self, _event: QPaintEvent) -> None:
        with QPainter(self) as painter:
            painter.drawPixmap(self.rect(), self._picture)
            for shade, width in ((Qt.GlobalColor.white, 4), (Qt.GlobalColor.black, 2)):
                painter.setPen(QPen(shade, width))
                painter.drawRect(self.frame.adjusted(1, 1, -2, -2))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._from = event.position().toPoint()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._from is not None:
            self.frame = QRect(self._from, event.position().toPoint()).normalized() & self.rect()
            self.update()

    def mouseReleaseEvent(self, _event: QMouseEvent) -> None:
        self._from = None
        if self.area() is None:
            self.frame = self.rect()
            self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {Qt.Key.Key_Left: (-4, 0), Qt.Key.Key_Right: (4, 0), Qt.Key.Key_Up: (0, -4), Qt.Key.Key_Down: (0, 4)}
        step = steps.get(Qt.Key(event.key()))
        if step is None:
            super().keyPressEvent(event)
            return
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self.frame.setSize(self.frame.size() + QSize(*step))
        else:
            self.frame.translate(*step)
        self.frame &= self.rect()
        self.update()


class ScanArea(QDialog):
    """Shows the glass and asks for a part of it."""

    def __init__(self, scan: Scan, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Scan which part?"))
        box = down(label(tr("Draw a frame about the print, its marks inside; or scan all of the glass."), 9.5), on=self)
        self.glass = Glass(scan)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        buttons.button(QDialogButtonBox.StandardButton.Ok).setText(tr("Scan"))
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        fill(box, self.glass, buttons)
