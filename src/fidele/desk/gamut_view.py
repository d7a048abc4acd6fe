"""The gamut as a solid that can be turned, and cut open at a lightness."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QLineF, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QImage, QKeyEvent, QMouseEvent, QPainter, QPen, QWheelEvent
from PySide6.QtWidgets import QSizePolicy

from fidele.arrays import Floats
from fidele.dataclass import dataclass
from fidele.desk.drawn import Drawn
from fidele.desk.theme import font
from fidele.icc.solid import Solid
from fidele.language import tr
from fidele.proof.soft import show


@dataclass(frozen=True)
class Gamuts:
    """What is shown: a solid, perhaps another laid over it, perhaps the artwork's colours (n, 3)."""

    name: str
    solid: Solid | None
    other_name: str = ""
    other: Solid | None = None
    points: Floats | None = None


def _shown(Lab: Floats) -> NDArray[np.uint8]:
    return show(np.ascontiguousarray(Lab, np.float32))


def _draw(painter: QPainter, lines: Floats) -> None:
    """Draw lines (n, 2, 2) of places on the widget."""
    painter.drawLines([QLineF(*ends) for ends in lines.reshape(-1, 4).tolist()])


class SolidView(Drawn):
    """A gamut in L*a*b*, turned by dragging or with the arrow keys; another one over it as a wire frame."""

    def __init__(self) -> None:
        super().__init__()
        self.gamuts = Gamuts("", None)
        self.turn, self.tilt, self.zoom = 0.7, 0.42, 1.0
        self.level = 50.0
        self._radius = 100.0
        self._colours = np.zeros((0, 3), np.uint8)
        self._held: QPointF | None = None
        self.setMinimumSize(240, 220)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.OpenHandCursor)
        self.setAccessibleName(tr("Gamut as a solid; drag or use the arrow keys to turn it, plus and minus to zoom"))
        self.setToolTip(tr("Drag to turn, wheel to zoom. All colours that can be printed, in L*a*b*."))

    def show_gamuts(self, gamuts: Gamuts) -> None:
        """Show other gamuts."""
        self.gamuts = gamuts
        solids = [s for s in (gamuts.solid, gamuts.other) if s is not None]
        reach = [np.linalg.norm(s.vertices - [50, 0, 0], axis=1).max() for s in solids]
        self._radius = float(max([60.0, *reach])) * 1.05
        if gamuts.solid is not None:
            middle = gamuts.solid.vertices[gamuts.solid.triangles].mean(axis=1)
            self._colours = np.ascontiguousarray(_shown(middle), np.uint8)
        self.update()

    def cut_at(self, level: float) -> None:
        """Mark another lightness."""
        self.level = level
        self.update()

    def _projected(self, Lab: Floats) -> tuple[Floats, Floats]:
        """Return places on the widget (n, 2) and depth (n,), nearer being larger."""
        x, y, up = Lab[:, 1], Lab[:, 2], Lab[:, 0] - 50
        across = x * np.cos(self.turn) - y * np.sin(self.turn)
        away = x * np.sin(self.turn) + y * np.cos(self.turn)
        high = up * np.cos(self.tilt) + away * np.sin(self.tilt)
        depth = up * np.sin(self.tilt) - away * np.cos(self.tilt)
        scale = min(self.width() / 2, self.height() / 1.72) / self._radius * self.zoom
        return np.stack([self.width() / 2 + across * scale, self.height() / 2 - high * scale], axis=1), depth

    def draw(self, painter: QPainter) -> None:
        """Draw everything."""
        painter.setPen(QPen(self.theme.colour("line"), 1))
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
        solid = self.gamuts.solid
        if solid is None:
            painter.setPen(self.theme.colour("dim"))
            painter.setFont(font(9))
            words = tr("A profile of this kind has no gamut.") if self.gamuts.name else ""
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, words)
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._axes(painter)
        places, depth = self._projected(solid.vertices)
        corners = places[solid.triangles]
        side, along = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
        facing = side[:, 0] * along[:, 1] - side[:, 1] * along[:, 0] < 0
        order = np.flatnonzero(facing)
        order = order[np.argsort(depth[solid.triangles[order]].mean(axis=1))]
        painter.drawImage(QPointF(0, 0), self._surface(corners, order))
        self._net(painter, solid, places, facing)
        self._ring(painter, solid)
        if self.gamuts.other is not None:
            self._wires(painter, self.gamuts.other)
        if self.gamuts.points is not None:
            self._cloud(painter, self.gamuts.points)
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(self.theme.colour("text"), 1, Qt.PenStyle.DotLine))
            painter.drawRect(self.rect().adjusted(2, 2, -3, -3))

    def _surface(self, corners: Floats, order: NDArray[np.int64]) -> QImage:
        """Return the surface as a picture of the widget's size, in the screen's own pixels."""
        from fidele.kernels.rasters import fill_triangles

        ratio = self.devicePixelRatioF()
        wide, high = max(1, round(self.width() * ratio)), max(1, round(self.height() * ratio))
        pixels = np.zeros((high, wide, 4), np.uint8)
        fill_triangles(np.ascontiguousarray(corners) * ratio, self._colours, order, pixels)
        image = QImage(pixels.tobytes(), wide, high, wide * 4, QImage.Format.Format_RGBA8888).copy()
        image.setDevicePixelRatio(ratio)
        return image

    def _axes(self, painter: QPainter) -> None:
        ends = np.array([[0, 0, 0], [100, 0, 0], [50, -95, 0], [50, 95, 0], [50, 0, -95], [50, 0, 95.0]])
        places, _ = self._projected(ends)
        painter.setPen(QPen(self.theme.colour("strong"), 1))
        for a, b in ((0, 1), (2, 3), (4, 5)):
            painter.drawLine(QPointF(*places[a]), QPointF(*places[b]))
        painter.setFont(font(7.5))
        painter.setPen(self.theme.colour("dim"))
        for place, name in zip(places[[1, 3, 5]], ("L*", "a*", "b*"), strict=True):
            painter.drawText(QPointF(place[0] + 3, place[1] - 3), name)

    def _ring(self, painter: QPainter, solid: Solid) -> None:
        """Draw where the slice cuts the surface, on the side that is seen."""
        cut = solid.slice_at(self.level)
        if len(cut) == 0:
            return
        flat = cut.reshape(-1, 2)
        Lab = np.column_stack([np.full(len(flat), self.level), flat])
        places, _ = self._projected(Lab)
        ink = QColor(255, 255, 255) if self.level < 55 else QColor(20, 20, 20)
        painter.setPen(QPen(ink, 1.4))
        _draw(painter, places.reshape(-1, 2, 2))

    def _wires(self, painter: QPainter, other: Solid) -> None:
        """Draw the net of another solid over everything: what lies outside shows as a cage around it."""
        places, _ = self._projected(other.vertices)
        painter.setPen(QPen(self.theme.colour("text"), 0.7))
        _draw(painter, places[other.wires])

    def _net(self, painter: QPainter, solid: Solid, places: Floats, facing: NDArray[np.bool_]) -> None:
        """Draw the solid's own net faintly on the side that is seen: it tells the shape."""
        seen = np.zeros(len(solid.vertices), bool)
        seen[solid.triangles[facing]] = True
        painter.setPen(QPen(QColor(20, 20, 20, 70), 0.7))
        pairs = solid.wires
        _draw(painter, places[pairs[seen[pairs].all(axis=1)]])

    def _cloud(self, painter: QPainter, points: Floats) -> None:
        places, depth = self._projected(points)
        colours = _shown(points)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for index in np.argsort(depth):
            r, g, b = (int(v) for v in colours[index])
            painter.setPen(QPen(self.theme.colour("text"), 0.5))
            painter.setBrush(QColor(r, g, b))
            painter.drawEllipse(QPointF(*places[index]), 2.0, 2.0)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._held = event.position()
        self.setCursor(Qt.CursorShape.ClosedHandCursor)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._held is not None:
            moved = event.position() - self._held
            self._held = event.position()
            self._turn(moved.x() * 0.01, moved.y() * 0.01)

    def mouseReleaseEvent(self, _event: QMouseEvent) -> None:
        self._held = None
        self.setCursor(Qt.CursorShape.OpenHandCursor)

    def wheelEvent(self, event: QWheelEvent) -> None:
        self._zoom(1.15 ** (event.angleDelta().y() / 120))

    def _turn(self, by: float, up: float) -> None:
        self.turn = (self.turn + by) % (2 * np.pi)
        self.tilt = float(np.clip(self.tilt + up, -np.pi / 2, np.pi / 2))
        self.update()

    def _zoom(self, factor: float) -> None:
        self.zoom = float(np.clip(self.zoom * factor, 0.4, 6))
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        turns = {Qt.Key.Key_Left: (-0.12, 0), Qt.Key.Key_Right: (0.12, 0), Qt.Key.Key_Up: (0, 0.1)}
        turns[Qt.Key.Key_Down] = (0, -0.1)
        key = Qt.Key(event.key())
        if key in turns:
            self._turn(*turns[key])
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal, Qt.Key.Key_Minus):
            self._zoom(0.87 if key == Qt.Key.Key_Minus else 1.15)
        elif key == Qt.Key.Key_0:
            self.turn, self.tilt, self.zoom = 0.7, 0.42, 1.0
            self.update()
        else:
            super().keyPressEvent(event)


class SliceView(Drawn):
    """A cut through the gamut at a lightness, filled with its own colours; another one over it as an outline."""

    level_wanted = Signal(float)

    def __init__(self) -> None:
        super().__init__()
        self.gamuts = Gamuts("", None)
        self.level = 50.0
        self._image: tuple[tuple[object, ...], QImage] | None = None
        self.setMinimumSize(200, 200)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName(tr("Slice of the gamut in a* and b* at one lightness"))
        self.setToolTip(tr("The cut at the lightness chosen below. Wheel to go up and down."))

    def show_gamuts(self, gamuts: Gamuts) -> None:
        """Show other gamuts."""
        self.gamuts, self._image = gamuts, None
        self.update()

    def cut_at(self, level: float) -> None:
        """Show another lightness."""
        self.level = level
        self.update()

    def _reach(self) -> float:
        solids = [s for s in (self.gamuts.solid, self.gamuts.other) if s is not None]
        return max([60.0, *(float(np.abs(s.vertices[:, 1:]).max()) for s in solids)]) * 1.04

    def _place(self, ab: Floats) -> Floats:
        scale = min(self.width(), self.height()) / 2 / self._reach()
        return np.array([self.width() / 2, self.height() / 2]) + ab * np.array([scale, -scale])

    def _filled(self) -> QImage | None:
        solid = self.gamuts.solid
        if solid is None:
            return None
        side = max(40, min(self.width(), self.height()))
        key = (id(solid), self.level, side, self.theme.name, self._reach())
        if self._image is None or self._image[0] != key:
            axis = (np.arange(side) + 0.5) / side * 2 - 1
            a = axis * self._reach()
            inside = solid.raster(a, a, np.array([self.level]))[:, :, 0].T[::-1]
            grid = np.stack(np.meshgrid(a, a[::-1]), axis=-1)
            Lab = np.concatenate([np.full((side, side, 1), self.level), grid], axis=2)
            pixels = np.full((side, side, 4), 0, np.uint8)
            pixels[inside, :3] = _shown(Lab[inside]) if inside.any() else 0
            pixels[inside, 3] = 255
            image = QImage(pixels.tobytes(), side, side, side * 4, QImage.Format.Format_RGBA8888).copy()
            self._image = (key, image)
        return self._image[1]

    def draw(self, painter: QPainter) -> None:
        """Draw everything."""
        painter.setPen(QPen(self.theme.colour("line"), 1))
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        image = self._filled()
        if image is not None:
            side = image.width()
            painter.drawImage(QRectF((self.width() - side) / 2, (self.height() - side) / 2, side, side), image)
        painter.setPen(QPen(self.theme.colour("strong"), 0.8))
        zero = self._place(np.array([0.0, 0.0]))
        painter.drawLine(QPointF(0, zero[1]), QPointF(self.width(), zero[1]))
        painter.drawLine(QPointF(zero[0], 0), QPointF(zero[0], self.height()))
        for solid, dashed in ((self.gamuts.solid, False), (self.gamuts.other, True)):
            if solid is not None:
                self._outline(painter, solid, dashed)
        if self.gamuts.points is not None:
            self._dots(painter, self.gamuts.points)
        painter.setPen(self.theme.colour("dim"))
        painter.setFont(font(7.5))
        painter.drawText(QPointF(self.width() - 16, zero[1] - 4), "a*")
        painter.drawText(QPointF(zero[0] + 4, 12), "b*")
        tick = self._place(np.array([50.0, 0.0]))
        painter.drawLine(QPointF(tick[0], zero[1] - 3), QPointF(tick[0], zero[1] + 3))
        painter.drawText(QPointF(tick[0] - 6, zero[1] + 14), "50")
        painter.setPen(self.theme.colour("text"))
        painter.drawText(QPointF(8, self.height() - 8), tr("cut at L* {level:.0f}", level=self.level))

    def _outline(self, painter: QPainter, solid: Solid, dashed: bool) -> None:
        cut = solid.slice_at(self.level)
        pen = QPen(self.theme.colour("text"), 1.6 if dashed else 1.0)
        painter.setPen(pen)
        _draw(painter, self._place(cut.reshape(-1, 2)).reshape(-1, 2, 2))

    def _dots(self, painter: QPainter, points: Floats) -> None:
        near = points[np.abs(points[:, 0] - self.level) < 4]
        if len(near) == 0:
            return
        painter.setPen(QPen(self.theme.colour("text"), 0.7))
        for place, (r, g, b) in zip(self._place(near[:, 1:]), _shown(near), strict=True):
            painter.setBrush(QColor(int(r), int(g), int(b)))
            painter.drawEllipse(QPointF(*place), 2.6, 2.6)

    def wheelEvent(self, event: QWheelEvent) -> None:
        self.level_wanted.emit(float(np.clip(self.level + np.sign(event.angleDelta().y()), 1, 99)))
