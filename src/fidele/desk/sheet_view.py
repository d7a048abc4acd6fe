"""The sheet to scale, with rulers and guides: what lies on it can be chosen, dragged, snapped and turned."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import replace
from functools import partial

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import (
    QBrush,
    QColor,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QPolygonF,
    QResizeEvent,
    QTransform,
    QWheelEvent,
)
from PySide6.QtWidgets import QSizePolicy, QWidget

from fidele import units
from fidele.dataclass import dataclass
from fidele.desk.spots import Part, Ringed, Spots, ring
from fidele.desk.theme import LIGHT, Theme, font
from fidele.language import tr
from fidele.session.laying import Key
from fidele.sheet.arc import Arc, arc_of
from fidele.sheet.page import Behind
from fidele.sheet.placing import INCH, Media, Placing
from fidele.sheet.shapes import Shape, outline

#: Widths of the rulers at the top and at the left, in screen pixels.
_TOP, _LEFT = 20, 34
#: Things snap to each other within so many screen pixels; a handle is grasped within so many.
_SNAP, _GRASP = 7, 9
#: The handle to turn by stands so far above a piece, in screen pixels.
_HANDLE = 22
#: A picture round a tapered piece is drawn in so many strips.
_STRIPS = 72
_INK, _PAPER = QColor(30, 30, 30), QColor(248, 248, 248)


@dataclass(frozen=True, eq=False)
class Shown:
    """One copy on the sheet, as it is drawn: see `fidele.session.pieces` for what its parts mean.

    `bleed` and `safe` are in mm: how far the print goes over the blank's edge, and how far from it nothing of weight
    should stand.
    """

    key: Key
    placing: Placing
    image: QImage | None
    name: str
    behind: Behind | None = None
    shape: Shape = "rectangle"
    bleed: float = 0.0
    safe: float = 0.0
    locked: bool = False


def shape_path(shape: Shape, width: float, height: float, inset: float = 0.0) -> QPainterPath:
    """Return a blank's outline in mm, `inset` mm within its rectangle on every side."""
    wide, high = width - 2 * inset, height - 2 * inset
    path = QPainterPath()
    if shape == "round":
        path.addEllipse(QRectF(inset, inset, wide, high))
    else:
        arc = arc_of(shape)
        line = width / arc.size[0] if arc is not None else 1.0
        if arc is not None:
            points = arc.outline(inset / line) * line + [width / 2, height / 2]
        else:
            points = outline(shape) * [wide, high] + inset
        path.addPolygon(QPolygonF([QPointF(x, y) for x, y in points]))
        path.closeSubpath()
    return path


def _draw_bent(painter: QPainter, image: QImage, arc: Arc, p: Placing, behind: QRectF) -> None:
    """Draw a picture as it goes round a tapered piece: strip by strip, each turned to where it lies."""
    line = p.width / arc.size[0]
    step = line / _STRIPS
    (outer, _), (_, high) = arc.radii, arc.size
    middle = (outer - high / 2) * line if arc.angle > 0 else (high / 2 - outer) * line
    for strip in range(_STRIPS):
        along = (strip + 0.5) / _STRIPS - 0.5
        painter.save()
        painter.translate(p.width / 2, p.height / 2 + middle)
        painter.rotate(along * arc.angle)
        top = -outer * line if arc.angle > 0 else (outer - arc.share) * line
        # As wide as it is at its longer edge: what laps over its neighbour is the same there.
        wide = step * (1 + arc.share * np.radians(abs(arc.angle)) / 2) + 0.2
        at = QRectF(-wide / 2, top, wide, arc.share * line)
        scale = image.width() / behind.width()
        left = (strip * step - (wide - step) / 2 - behind.x()) * scale
        of = QRectF(left, -behind.y() * scale, wide * scale, arc.share * line * scale)
        painter.drawImage(at, image, of)
        painter.restore()


class SheetView(Ringed, QWidget):
    """Draws a sheet to scale. Wheel zooms, dragging beside the sheet with the middle button moves it.

    Dragging a piece moves it and snaps to guides, edges and middles; Alt lets it slide freely. Guides are dragged out
    of the rulers, and back into them.
    """

    #: Copies were put elsewhere: key to placing, and the step's name.
    moved = Signal(object, str)
    #: Another choice: a set of keys.
    chosen = Signal(object)
    #: What is chosen is to be taken off, turned by degrees, or locked.
    removed = Signal()
    turned = Signal(float)
    lock_wanted = Signal()
    nest_wanted = Signal()
    #: A copy was let go in a place of the jig: its key, and which place.
    dropped = Signal(object, int)
    #: It was zoomed: finer pictures may be wanted.
    closer = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(260, 240)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName(tr("Sheet"))
        self.setToolTip(
            tr(
                "Drag pieces; arrow keys move by 1 mm, with Shift 10, with Alt 0.1. R turns by 90°, L locks, "
                "Delete takes off. Wheel zooms, 0 shows all. Drag guides out of the rulers"
            )
        )
        self.theme: Theme = LIGHT
        self.media: Media | None = None
        self.shown: list[Shown] = []
        #: Places of the jig: what a print there covers, the blank's outline, bleed and name.
        self.places: list[tuple[Placing, Shape, float, str]] = []
        self.selection: set[Key] = set()
        self._spots = Spots(self)
        self._parted: object = None
        self.guides: list[tuple[str, float]] = []
        self.inches = False
        self.mirrored = self.half_turned = self.margins_swapped = False
        #: Where the control strip stands, and whether each piece has an identity line beneath and signs to cut by.
        self.strip: Placing | None = None
        self.identity = self.ticks = False
        self.empty = ""
        self._zoom: float | None = None
        self._centre = QPointF()
        self._drag: tuple[str, QPointF] | None = None
        self._start: dict[Key, Placing] = {}
        self._now: dict[Key, Placing] = {}
        self._lines: list[tuple[str, float]] = []
        self._band: QRectF | None = None
        self._guide = -1

    # Geometry ----------------------------------------------------------------------------------------------------

    def fit(self) -> None:
        """Show the whole sheet."""
        self._zoom = None
        self.update()

    @property
    def scale(self) -> float:
        """Screen pixels per mm."""
        if self.media is None:
            return 1.0
        fits = min(
            (self.width() - _LEFT - 36) / self.media.width, (self.height() - _TOP - 36) / max(self.media.height, 1.0)
        )
        return self._zoom if self._zoom is not None else max(fits, 0.02)

    def _origin(self) -> QPointF:
        if self.media is None:
            return QPointF()
        s = self.scale
        middle = QPointF((self.width() + _LEFT) / 2, (self.height() + _TOP) / 2)
        if self._zoom is None:
            return middle - QPointF(self.media.width * s / 2, self.media.height * s / 2)
        return middle - self._centre * s

    def transform(self) -> QTransform:
        """Return what takes mm on the piece to the screen."""
        s, o = self.scale, self._origin()
        made = QTransform().translate(o.x(), o.y()).scale(s, s)
        if self.media is not None:
            if self.mirrored:
                made = QTransform().scale(-1, 1) * QTransform().translate(self.media.width, 0) * made
            if self.half_turned:
                turn = QTransform().rotate(180) * QTransform().translate(self.media.width, self.media.height)
                made = turn * made
        return made

    def _mm(self, at: QPointF) -> QPointF:
        back, _ = self.transform().inverted()
        return back.map(at)

    def _placing(self, one: Shown) -> Placing:
        return self._now.get(one.key, one.placing)

    def _at(self, mm: QPointF) -> Shown | None:
        return next((one for one in reversed(self.shown) if one.placing.holds(mm.x(), mm.y())), None)

    def _only(self) -> Shown | None:
        """Return the single chosen piece that can be turned."""
        if len(self.selection) != 1:
            return None
        (key,) = self.selection
        return next((one for one in self.shown if one.key == key and not one.locked), None)

    def _handle(self, one: Shown) -> QPointF:
        """Return where on the screen the handle stands by which a piece is turned."""
        p = self._placing(one)
        cx, cy = p.centre
        turn = math.radians(p.angle)
        reach = p.height / 2 + _HANDLE / self.scale
        return self.transform().map(QPointF(cx - math.sin(turn) * reach, cy - math.cos(turn) * reach))

    # Drawing -----------------------------------------------------------------------------------------------------

    def paintEvent(self, _event: QPaintEvent) -> None:
        with QPainter(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.fillRect(self.rect(), self.theme.colour("surround"))
            drawn = (tuple(self.shown), self.selection.copy(), self.transform() if self.media is not None else None)
            if drawn != self._parted:  # no widget is made while another is painted
                self._parted = drawn
                QTimer.singleShot(0, self, self._show_parts)
            if self.media is None:
                return
            mapped = self.transform()
            self._paper(painter, mapped, self.media)
            for at, shape, bleed, name in self.places:
                self._jig_place(painter, mapped, at, shape, bleed, name)
            for one in self.shown:
                self._piece(painter, mapped, one)
            if self.strip is not None:
                self._strip(painter, mapped, self.strip)
            self._guides(painter, mapped)
            if (only := self._only()) is not None:
                end = self._handle(only)
                painter.setPen(QPen(_INK, 1))
                painter.setBrush(_PAPER)
                painter.drawEllipse(end, 5, 5)
            if self._band is not None:
                painter.setPen(QPen(_INK, 1, Qt.PenStyle.DotLine))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRect(self._band)
            self._rulers(painter, mapped)
            if self.ringed:
                ring(painter, self.rect().adjusted(_LEFT, _TOP, 0, 0))
            if self.empty:
                painter.setPen(QColor(20, 20, 20))
                painter.setFont(font(10))
                place = mapped.mapRect(QRectF(0, 0, self.media.width, self.media.height)).adjusted(16, 16, -16, -16)
                painter.drawText(place, Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, self.empty)

    def _paper(self, painter: QPainter, mapped: QTransform, media: Media) -> None:
        paper = mapped.mapRect(QRectF(0, 0, media.width, media.height))
        painter.fillRect(paper.translated(3, 3), QColor(90, 90, 90))
        painter.fillRect(paper, _PAPER)
        left, top, right, bottom = media.printable
        if self.margins_swapped:  # on the piece the margins of mirrored paper have changed sides
            left, right = media.width - right, media.width - left
        inside = mapped.mapRect(QRectF(left, top, right - left, bottom - top))
        edge = QPainterPath()
        edge.addRect(paper)
        hole = QPainterPath()
        hole.addRect(inside)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QBrush(QColor(175, 175, 175), Qt.BrushStyle.BDiagPattern))
        painter.drawPath(edge - hole)
        if media.roll:  # where it is cut off
            painter.setPen(QPen(_INK, 1, Qt.PenStyle.DashDotLine))
            painter.drawLine(paper.bottomLeft(), paper.bottomRight())

    def _piece(self, painter: QPainter, mapped: QTransform, one: Shown) -> None:
        p = self._placing(one)
        if not mapped.mapRect(QRectF(*_rect(p.bounds))).intersects(QRectF(self.rect())):
            return
        cx, cy = p.centre
        local = QTransform().translate(-p.width / 2, -p.height / 2)
        local = local * QTransform().rotate(-p.angle) * QTransform().translate(cx, cy) * mapped
        painter.save()
        painter.setTransform(local)
        whole = shape_path(one.shape, p.width, p.height)
        painter.save()
        painter.setClipPath(whole)
        x, y, wide, high = one.behind or (0.0, 0.0, p.width, p.height)
        if one.image is not None and (arc := arc_of(one.shape)) is not None:
            _draw_bent(painter, one.image, arc, p, QRectF(x, y, wide, high))
        elif one.image is not None:
            painter.drawImage(QRectF(x, y, wide, high), one.image)
        else:
            painter.fillRect(QRectF(0, 0, p.width, p.height), QColor(205, 205, 205))
        painter.restore()
        painter.setBrush(Qt.BrushStyle.NoBrush)
        chosen = one.key in self.selection
        pen = QPen(QColor(20, 20, 20), 2.5 if chosen else 1)
        pen.setCosmetic(True)
        painter.setPen(pen)
        painter.drawPath(whole)
        if one.bleed or one.safe:
            self._blank(painter, one, p)
        painter.restore()
        self._beside(painter, local, p)
        if one.locked:
            at = local.map(QPointF(p.width, 0))
            painter.fillRect(QRectF(at.x() - 44, at.y() + 3, 41, 15), QColor(40, 40, 40))
            painter.setPen(QColor(250, 250, 250))
            painter.setFont(font(7.5))
            painter.drawText(QRectF(at.x() - 44, at.y() + 3, 41, 15), Qt.AlignmentFlag.AlignCenter, "locked")

    def _jig_place(
        self, painter: QPainter, mapped: QTransform, p: Placing, shape: Shape, bleed: float, name: str
    ) -> None:
        """Draw where a blank lies in the jig, with its name."""
        cx, cy = p.centre
        local = QTransform().translate(-p.width / 2, -p.height / 2)
        local = local * QTransform().rotate(-p.angle) * QTransform().translate(cx, cy) * mapped
        painter.save()
        painter.setTransform(local)
        pen = QPen(QColor(110, 110, 110), 1.2, Qt.PenStyle.DashLine)
        pen.setCosmetic(True)
        painter.setPen(pen)
        painter.setBrush(QColor(228, 228, 228))
        painter.drawPath(shape_path(shape, p.width, p.height, bleed))
        painter.restore()
        box = mapped.mapRect(QRectF(*_rect(p.bounds)))
        painter.setPen(QColor(70, 70, 70))
        painter.setFont(font(8))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, name)

    def _place_under(self, now: dict[Key, Placing]) -> int | None:
        """Return the place of the jig that the middle of what was dragged is let go in, None for none."""
        if len(now) != 1:
            return None
        (placing,) = now.values()
        cx, cy = placing.centre
        held = [k for k, (p, _, _, _) in enumerate(self.places) if p.holds(cx, cy)]
        return held[0] if held else None

    @staticmethod
    def _blank(painter: QPainter, one: Shown, p: Placing) -> None:
        """Draw the blank's edge, and the area in which nothing of weight is cut off."""
        for inset, style in ((one.bleed, Qt.PenStyle.DashLine), (one.bleed + one.safe, Qt.PenStyle.DotLine)):
            if inset and min(p.width, p.height) > 2 * inset:
                for shade, width in ((250, 2.2), (30, 1.0)):
                    pen = QPen(QColor(shade, shade, shade), width, style)
                    pen.setCosmetic(True)
                    painter.setPen(pen)
                    painter.drawPath(shape_path(one.shape, p.width, p.height, inset))

    def _beside(self, painter: QPainter, local: QTransform, p: Placing) -> None:
        """Draw where identity line and signs to cut stand, in the piece's own frame."""
        from fidele.sheet.signs import APART, AWAY, LINE, TICK

        if not (self.identity or self.ticks):
            return
        painter.save()
        painter.setTransform(local)
        pen = QPen(QColor(60, 60, 60), 1)
        pen.setCosmetic(True)
        painter.setPen(pen)
        if self.ticks:
            for x, along in ((0.0, -1), (p.width, 1)):
                for y, down in ((0.0, -1), (p.height, 1)):
                    painter.drawLine(QPointF(x + along * AWAY, y), QPointF(x + along * (AWAY + TICK), y))
                    painter.drawLine(QPointF(x, y + down * AWAY), QPointF(x, y + down * (AWAY + TICK)))
        if self.identity and p.quarters is not None:
            painter.fillRect(QRectF(0, p.height + APART, LINE, LINE), QColor(60, 60, 60))
            for row in range(3):
                y = p.height + APART + (row + 0.5) * LINE / 3
                painter.drawLine(QPointF(LINE + 1.2, y), QPointF(max(LINE + 2, p.width * (1, 1, 0.6)[row]), y))
        painter.restore()

    def _strip(self, painter: QPainter, mapped: QTransform, place: Placing) -> None:
        box = mapped.mapRect(QRectF(place.x, place.y, place.width, place.height))
        painter.setPen(QPen(QColor(60, 60, 60), 1))
        painter.setBrush(QColor(235, 235, 235))
        painter.drawRect(box)
        for corner in (0.0, place.width - 9.0):
            for down in (0.0, place.height - 9.0):
                painter.fillRect(mapped.mapRect(QRectF(place.x + corner, place.y + down, 9, 9)), QColor(60, 60, 60))
        painter.setFont(font(7.5))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, tr("control strip"))

    def _guides(self, painter: QPainter, mapped: QTransform) -> None:
        for axis, mm in [*self.guides, *self._lines]:
            snapped = (axis, mm) in self._lines
            painter.setPen(QPen(QColor(20, 20, 20), 1.4 if snapped else 1, Qt.PenStyle.DashLine))
            if axis == "x":
                x = mapped.map(QPointF(mm, 0)).x()
                painter.drawLine(QPointF(x, _TOP), QPointF(x, self.height()))
            else:
                y = mapped.map(QPointF(0, mm)).y()
                painter.drawLine(QPointF(_LEFT, y), QPointF(self.width(), y))

    def _rulers(self, painter: QPainter, mapped: QTransform) -> None:
        back = self.theme.colour("panel")
        painter.fillRect(0, 0, self.width(), _TOP, back)
        painter.fillRect(0, 0, _LEFT, self.height(), back)
        painter.setPen(self.theme.colour("dim"))
        painter.setFont(font(7))
        s = self.scale * (INCH if self.inches else 1.0)
        steps = (0.125, 0.25, 0.5, 1, 2, 5, 10, 20) if self.inches else (1, 2, 5, 10, 20, 50, 100, 200, 500)
        step = next((v for v in steps if v * s >= 42), steps[-1])
        unit = INCH if self.inches else 1.0
        back_map, _ = mapped.inverted()
        for along in (True, False):
            length = self.width() if along else self.height()
            ends = [back_map.map(QPointF(v, 0) if along else QPointF(0, v)) for v in (0.0, float(length))]
            low, high = sorted((e.x() if along else e.y()) / unit for e in ends)
            first = math.floor(low / (step / 5))
            for k in range(first, math.ceil(high / (step / 5)) + 1):
                value = k * step / 5
                at = mapped.map(QPointF(value * unit, 0) if along else QPointF(0, value * unit))
                long = k % 5 == 0
                if along and at.x() > _LEFT:
                    painter.drawLine(QPointF(at.x(), _TOP - (8 if long else 3)), QPointF(at.x(), _TOP))
                    if long:
                        painter.drawText(
                            QRectF(at.x() - 25, 0, 50, 12), Qt.AlignmentFlag.AlignCenter, tr("{value:g}", value=value)
                        )
                elif not along and at.y() > _TOP:
                    painter.drawLine(QPointF(_LEFT - (8 if long else 3), at.y()), QPointF(_LEFT, at.y()))
                    if long:
                        painter.drawText(
                            QRectF(0, at.y() - 7, _LEFT - 10, 14),
                            Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
                            tr("{value:g}", value=value),
                        )
        painter.fillRect(0, 0, _LEFT, _TOP, back)
        painter.drawText(
            QRectF(0, 0, _LEFT - 3, _TOP), Qt.AlignmentFlag.AlignCenter, tr("inch") if self.inches else "mm"
        )

    # By the mouse ------------------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        at, mm = event.position(), self._mm(event.position())
        if event.button() == Qt.MouseButton.MiddleButton:
            self._begin_panning(at)
            return
        if event.button() != Qt.MouseButton.LeftButton or self.media is None:
            return
        if at.y() < _TOP or at.x() < _LEFT:
            self.guides.append(("y", mm.y()) if at.y() < _TOP else ("x", mm.x()))
            self._guide = len(self.guides) - 1
            self._drag = ("guide", at)
            return
        only = self._only()
        if only is not None and (self._handle(only) - at).manhattanLength() < _GRASP:
            self._drag, self._start = ("turn", at), {only.key: only.placing}
            return
        for index, (axis, where) in enumerate(self.guides):
            place = self.transform().map(QPointF(where, 0) if axis == "x" else QPointF(0, where))
            if abs((place.x() - at.x()) if axis == "x" else (place.y() - at.y())) < 3 and self._at(mm) is None:
                self._guide, self._drag = index, ("guide", at)
                return
        self._begin_choosing(at, mm, bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier))

    def _begin_choosing(self, at: QPointF, mm: QPointF, more: bool) -> None:
        one = self._at(mm)
        if one is None:
            self._drag, self._band = ("band", at), QRectF(at, at)
            if not more:
                self._choose(set())
            return
        if more:
            self._choose(self.selection ^ {one.key})
        elif one.key not in self.selection:
            self._choose({one.key})
        self._drag = ("move", at)
        self._start = {o.key: o.placing for o in self.shown if o.key in self.selection and not o.locked}
        self.setCursor(Qt.CursorShape.ClosedHandCursor)

    def _begin_panning(self, at: QPointF) -> None:
        self._drag = ("pan", at)
        if self._zoom is None and self.media is not None:
            self._zoom, self._centre = self.scale, QPointF(self.media.width / 2, self.media.height / 2)

    def _show_parts(self) -> None:
        """Let every copy on the sheet be reached and chosen by keyboard and screen reader."""
        parts = []
        mapped = self.transform() if self.media is not None else QTransform()
        for one in self.shown if self.media is not None else ():
            x0, y0, x1, y1 = one.placing.bounds
            place = mapped.mapRect(QRectF(x0, y0, x1 - x0, y1 - y0)).toRect()
            size = units.size(one.placing.width, one.placing.height)
            at = units.size(x0, y0)
            name = (
                tr("{name}, copy {key}: {size}, at {at}, locked", name=one.name, key=one.key[1] + 1, size=size, at=at)
                if one.locked
                else tr("{name}, copy {key}: {size}, at {at}", name=one.name, key=one.key[1] + 1, size=size, at=at)
            )
            parts.append(Part(name, place, partial(self._choose, (one.key,)), one.key in self.selection))
        self._spots.show(parts)

    def _choose(self, keys: Iterable[Key]) -> None:
        self.selection = set(keys)
        self.chosen.emit(set(self.selection))
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._drag is None:
            return
        what, start = self._drag
        at = event.position()
        if what == "pan":
            self._centre -= (at - start) / self.scale
            self._drag = ("pan", at)
        elif what == "guide":
            mm = self._mm(at)
            axis = self.guides[self._guide][0]
            self.guides[self._guide] = (axis, round(mm.x() if axis == "x" else mm.y(), 1))
        elif what == "band":
            self._band = QRectF(start, at).normalized()
        elif what == "turn":
            self._turn_to(at, bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier))
        else:
            free = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
            by = self._mm(at) - self._mm(start)
            self._now = self.snapped(by.x(), by.y(), free)
        self.update()

    def snapped(self, dx: float, dy: float, free: bool = False) -> dict[Key, Placing]:
        """Return where what is dragged would lie, moved by so many mm and snapped unless `free`."""
        self._lines = []
        if self._start and not free:
            bounds = np.array([p.bounds for p in self._start.values()])
            box = [*bounds[:, :2].min(axis=0), *bounds[:, 2:].max(axis=0)]
            dx = self._snap("x", dx, box[0], box[2])
            dy = self._snap("y", dy, box[1], box[3])
        return {key: p.moved(dx, dy) for key, p in self._start.items()}

    def _snap(self, axis: str, by: float, low: float, high: float) -> float:
        """Return a move along one axis, changed by as little as brings an edge or the middle to something."""
        assert self.media is not None
        left, top, right, bottom = self.media.printable
        if self.margins_swapped:
            left, right = self.media.width - right, self.media.width - left
        size = self.media.width if axis == "x" else self.media.height
        targets = [left, right, size / 2] if axis == "x" else [top, bottom, size / 2]
        targets += [mm for a, mm in self.guides if a == axis]
        near, far = (0, 2) if axis == "x" else (1, 3)
        for one in self.shown:
            if one.key not in self._start:
                b = one.placing.bounds
                targets += [b[near], b[far], (b[near] + b[far]) / 2]
        goals = np.array(targets)
        mine = np.array([low, (low + high) / 2, high]) + by
        away = goals[:, None] - mine[None, :]
        at = np.unravel_index(int(np.abs(away).argmin()), away.shape)
        if abs(away[at]) * self.scale > _SNAP:
            # Half a millimetre, or a tenth when it is looked at closely, is what a hand can mean.
            step = 0.5 if self.scale < 8 else 0.1
            return round((low + by) / step) * step - low
        self._lines.append((axis, float(goals[at[0]])))
        return by + float(away[at])

    def _turn_to(self, at: QPointF, stepped: bool) -> None:
        ((key, placing),) = self._start.items()
        cx, cy = placing.centre
        mm = self._mm(at)
        angle = math.degrees(math.atan2(-(mm.x() - cx), -(mm.y() - cy)))
        step = 15 if stepped else 0.5
        near = round(angle / 90) * 90
        angle = near if abs(angle - near) < 2 else round(angle / step) * step
        self._now = {key: replace(placing, angle=angle % 360)}

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self.unsetCursor()
        drag, self._drag = self._drag, None
        if drag is None:
            return
        if drag[0] == "guide":
            at = event.position()
            if at.y() < _TOP or at.x() < _LEFT:
                del self.guides[self._guide]
        elif drag[0] == "band" and self._band is not None:
            back, _ = self.transform().inverted()
            box = back.mapRect(self._band)
            inside = {o.key for o in self.shown if box.intersects(QRectF(*_rect(o.placing.bounds)))}
            self._band = None
            if box.width() * self.scale > 3 or box.height() * self.scale > 3:
                self._choose(self.selection | inside)
        now, self._now, self._lines, start = self._now, {}, [], self._start
        self._start = {}
        if now and now != start:
            place = self._place_under(now) if drag[0] == "move" else None
            if place is not None and not event.modifiers() & Qt.KeyboardModifier.AltModifier:
                self.dropped.emit(next(iter(now)), place)
            else:
                name = tr("Turn on the sheet") if drag[0] == "turn" else tr("Move on the sheet")
                self.moved.emit(now, name)
        self.update()

    def wheelEvent(self, event: QWheelEvent) -> None:
        self.zoom(1.2 ** (event.angleDelta().y() / 120), event.position())

    def zoom(self, factor: float, at: QPointF | None = None) -> None:
        """Zoom by a factor about a place on the screen, the middle where None."""
        if self.media is None:
            return
        middle = QPointF((self.width() + _LEFT) / 2, (self.height() + _TOP) / 2)
        at = at or middle
        o, s = self._origin(), self.scale
        under = (at - o) / s
        wanted = min(max(s * factor, 0.02), 200.0)
        self._zoom = None
        if wanted > self.scale:
            self._zoom = wanted
            self._centre = under - (at - middle) / wanted
        self.update()
        self.closer.emit()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.update()

    # By the keyboard ---------------------------------------------------------------------------------------------

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, -1), Qt.Key.Key_Down: (0, 1)}
        held = event.modifiers()
        key = Qt.Key(event.key())
        if key in steps and self.selection:
            far = (
                10 if held & Qt.KeyboardModifier.ShiftModifier else 0.1 if held & Qt.KeyboardModifier.AltModifier else 1
            )
            dx, dy = steps[key]
            if self.mirrored:
                dx = -dx
            if self.half_turned:
                dx, dy = -dx, -dy
            chosen = [o for o in self.shown if o.key in self.selection and not o.locked]
            self.moved.emit({o.key: o.placing.moved(dx * far, dy * far) for o in chosen}, tr("Move on the sheet"))
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace) and self.selection:
            self.removed.emit()
        elif key == Qt.Key.Key_R and self.selection:
            self.turned.emit(-90.0 if held & Qt.KeyboardModifier.ShiftModifier else 90.0)
        elif key == Qt.Key.Key_L and self.selection:
            self.lock_wanted.emit()
        elif key == Qt.Key.Key_N:
            self.nest_wanted.emit()
        elif key == Qt.Key.Key_A and held & Qt.KeyboardModifier.ControlModifier:
            self._choose({o.key for o in self.shown})
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            self.zoom(1.25)
        elif key == Qt.Key.Key_Minus:
            self.zoom(0.8)
        elif key == Qt.Key.Key_0:
            self.fit()
        else:
            super().keyPressEvent(event)


def _rect(bounds: tuple[float, float, float, float]) -> tuple[float, float, float, float]:
    """Return left, top, width and height of left, top, right and bottom."""
    x0, y0, x1, y1 = bounds
    return x0, y0, x1 - x0, y1 - y0
