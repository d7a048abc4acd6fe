"""A picture that can be zoomed and dragged, shown through a table from its own space to the screen."""

from __future__ import annotations

import contextlib
from dataclasses import field
from functools import partial

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRect, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import QColor, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent, QWheelEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from fidele.arrays import Codes
from fidele.dataclass import dataclass
from fidele.desk.pyramid import Pyramid
from fidele.desk.spots import Part, Ringed, Spots, ring
from fidele.desk.theme import LIGHT, Theme, font
from fidele.language import tr
from fidele.session.looks import Show

#: So many pixels are worked out in one event: a large screen's are more.
_AT_ONCE = 1_500_000


def to_image(pixels: NDArray[np.uint8]) -> QImage:
    """Return 8-bit RGB pixels (h, w, 3) as an image that owns its memory."""
    pixels = np.ascontiguousarray(pixels)
    height, width = pixels.shape[:2]
    return QImage(pixels.data, width, height, 3 * width, QImage.Format.Format_RGB888).copy()


@dataclass(frozen=True)
class Tooth:
    """One strip of the comb: its name, how it shows the picture, and a line or two beneath it."""

    name: str
    show: Show
    beneath: tuple[str, ...] = ()
    chosen: bool = False
    #: Other pixels of the same shape that this tooth shows, None for the picture's own.
    pixels: Codes | None = field(default=None, repr=False, compare=False)


class PictureView(Ringed, QWidget):
    """Shows source pixels through one way of seeing, or through several as the teeth of a comb.

    The picture is brought to the view's resolution first, so that a change of the way of seeing costs the same
    whatever the picture's size. Wheel or plus and minus zoom, dragging or arrow keys move, 0 shows all, 1 shows
    pixel for pixel, 2 shows it as large as it is printed.
    """

    tooth_chosen = Signal(int)
    #: A place in the picture was touched: column and row of the pixel.
    touched = Signal(int, int)
    _refined = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(240, 160)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Picture"))
        self.setToolTip(
            tr("Drag to move, wheel to zoom, 0 for all of it, 1 for pixel by pixel, 2 for its printed size")
        )
        self.theme: Theme = LIGHT
        self.empty = tr("Nothing to show yet.")
        self._pixels: Codes | None = None
        self._teeth: list[Tooth] = []
        self._spots = Spots(self)
        self._zoom: float | None = None  # screen pixels per picture pixel; None fits
        self._centre = QPointF(0.5, 0.5)
        self._drag: QPointF | None = None
        self._region: tuple[object, ...] | None = None
        #: Printed millimetres across the picture; 0 where that is not known.
        self.printed_width = 0.0
        self._samples: dict[int, Codes] = {}
        self._pyramids: dict[int, Pyramid] = {}
        self._pressed: QPointF | None = None
        #: While it is moved the picture is shown at half the screen's resolution, and finely once it rests.
        self._coarse = False
        self._rest = QTimer(self, singleShot=True, interval=120)
        self._rest.timeout.connect(self._settle)
        self._refined.connect(self._refine)
        #: What each tooth shows, and how many rows of it are worked out.
        self._images: dict[tuple[int, Show, int], tuple[QImage, int]] = {}
        self._count = 0
        self._surround: QColor | None = None

    def set_picture(self, pixels: Codes | None, keep: bool = False) -> None:
        """Show another picture, (h, w, channels), any depth; `keep` leaves the view where it is for the same one."""
        if keep and pixels is self._pixels:
            return
        same = keep and pixels is not None and self._pixels is not None and pixels.shape == self._pixels.shape
        self._pixels = pixels
        if same:
            self._forget(True)
            return
        self._zoom, self._centre = None, QPointF(0.5, 0.5)
        self._forget(True)

    def set_teeth(self, teeth: list[Tooth], surround: QColor | None = None) -> None:
        """Show the picture in these ways, side by side; `surround` is the colour around it."""
        self._teeth = teeth
        self._surround = surround
        alive = {id(self._pixels), *(id(t.pixels) for t in teeth if t.pixels is not None)}
        for key in [k for k in self._pyramids if k not in alive]:
            self._pyramids.pop(key).stop()
        # What is shown in the same way as before need not be made again.
        wanted = {self._key(index, tooth) for index, tooth in enumerate(teeth)} if len(teeth) == self._count else set()
        self._count = len(teeth)
        self._images = {key: image for key, image in self._images.items() if key in wanted}
        self._show_parts()
        self.update()

    def _show_parts(self) -> None:
        """Let the teeth of a comb be reached and pressed by keyboard and screen reader."""
        parts: list[Part] = []
        if self._comb and self._pixels is not None:
            edges = self._edges()
            for index, tooth in enumerate(self._teeth):
                name = ", ".join([tooth.name, *tooth.beneath, *([tr("chosen")] if tooth.chosen else [])])
                place = QRect(edges[index], 0, edges[index + 1] - edges[index], 34)
                parts.append(Part(name, place, partial(self.tooth_chosen.emit, index), tooth.chosen))
        self._spots.show(parts)

    @staticmethod
    def _key(index: int, tooth: Tooth) -> tuple[int, Show, int]:
        return index, tooth.show, id(tooth.pixels)

    def _forget(self, sample: bool) -> None:
        self._images.clear()
        if sample:
            self._region = None
        self.update()

    def _settle(self) -> None:
        """The picture rests: show it finely."""
        self._coarse = False
        self.update()

    def _moving(self) -> None:
        """The picture is being moved: coarse will do, where there is much of it to show."""
        frame = self._frame()
        self._coarse = frame.width() * frame.height() > 120_000
        self._rest.start()

    def _ratio(self) -> float:
        """Return how many samples are taken for each of the widget's own pixels, across and down."""
        return self.devicePixelRatioF() * (0.5 if self._coarse else 1.0)

    def _refine(self) -> None:
        """Show what is finer now."""
        self._forget(True)

    def _pyramid(self, pixels: Codes) -> Pyramid:
        key = id(pixels)
        if key not in self._pyramids:
            self._pyramids[key] = Pyramid(pixels, self._say_refined)
        return self._pyramids[key]

    def _say_refined(self) -> None:
        with contextlib.suppress(RuntimeError):  # the view may be gone by now
            self._refined.emit()

    # Geometry ----------------------------------------------------------------------------------------------------

    @property
    def _comb(self) -> bool:
        return len(self._teeth) > 1

    def _frame(self) -> QRect:
        """The part of the widget that the picture may use."""
        over = 36 if self._comb else 14
        lines = max((len(t.beneath) for t in self._teeth), default=0) if self._comb else 0
        under = 10 + 17 * lines if lines else 14
        return self.rect().adjusted(16, over, -16, -under)

    def _scale(self) -> float:
        if self._pixels is None:
            return 1.0
        height, width = self._pixels.shape[:2]
        frame = self._frame()
        fit = min(frame.width() / width, frame.height() / height)
        return self._zoom if self._zoom is not None else max(fit, 1e-4)

    def _shown(self) -> QRectF:
        """Where the whole picture lies in the widget, also where that reaches beyond the frame."""
        if self._pixels is None:
            return QRectF()
        height, width = self._pixels.shape[:2]
        scale = self._scale()
        frame = QRectF(self._frame())
        wide, high = width * scale, height * scale
        x = (
            frame.center().x() - self._centre.x() * wide
            if self._comb or wide > frame.width()
            else frame.center().x() - wide / 2
        )
        y = frame.center().y() - self._centre.y() * high if high > frame.height() else frame.center().y() - high / 2
        return QRectF(x, y, wide, high)

    def _visible(self) -> QRect | None:
        """Return where pixels appear, None where nothing does."""
        if self._pixels is None:
            return None
        shown = self._shown()
        place = shown.intersected(QRectF(self._frame())).toAlignedRect().intersected(self._frame())
        ratio = self._ratio()
        if place.width() < 2 or place.height() < 2:
            return None
        region = (shown.x(), shown.y(), shown.width(), place.getRect(), ratio)
        if region != self._region:
            self._region = region
            self._samples.clear()
            self._images.clear()
        return place

    def _sample(self, pixels: Codes, place: QRect) -> Codes:
        """Return pixels resampled to just so many as appear on the screen."""
        key = id(pixels)
        if key not in self._samples:
            self._samples[key] = self._resample(pixels, self._shown(), place, self._ratio())
        return self._samples[key]

    def _resample(self, pixels: Codes, shown: QRectF, place: QRect, ratio: float) -> Codes:
        import cv2

        scale = shown.width() / pixels.shape[1]
        x0, y0 = (place.x() - shown.x()) / scale, (place.y() - shown.y()) / scale
        x1, y1 = x0 + place.width() / scale, y0 + place.height() / scale
        size = (max(1, round(place.width() * ratio)), max(1, round(place.height() * ratio)))
        if scale * ratio < 1:
            return self._pyramid(pixels).part(x0, y0, x1, y1, *size)
        left, top = max(0, int(x0)), max(0, int(y0))
        right, bottom = min(pixels.shape[1], int(np.ceil(x1))), min(pixels.shape[0], int(np.ceil(y1)))
        part = pixels[top:bottom, left:right]
        step = 1 / (scale * ratio)
        matrix = np.array([[step, 0, x0 - left + step / 2 - 0.5], [0, step, y0 - top + step / 2 - 0.5]])
        done = cv2.warpAffine(
            part, matrix, size, flags=cv2.INTER_NEAREST | cv2.WARP_INVERSE_MAP, borderMode=cv2.BORDER_REPLICATE
        )
        return done.reshape(size[1], size[0], pixels.shape[2])

    # Drawing -----------------------------------------------------------------------------------------------------

    def paintEvent(self, _event: QPaintEvent) -> None:
        with QPainter(self) as painter:
            surround = self._surround or self.theme.colour("surround")
            painter.fillRect(self.rect(), surround)
            ink = QColor(255, 255, 255) if surround.lightness() < 150 else QColor(20, 20, 20)
            place = self._visible()
            if place is None or not self._teeth or self._pixels is None:
                painter.setPen(ink)
                painter.setFont(font(10))
                painter.drawText(
                    self.rect().adjusted(40, 0, -40, 0),
                    Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap,
                    self.empty,
                )
                if self.ringed:
                    ring(painter, self.rect())
                return
            frame = self._frame()
            edges = self._edges()
            room = _AT_ONCE
            for index, tooth in enumerate(self._teeth):
                left, right = max(place.left(), edges[index]), min(place.right() + 1, edges[index + 1])
                if right > left:
                    room = self._draw(painter, index, place, (left, right), room)
                if self._comb:
                    self._tooth(painter, tooth, index, edges, frame, ink)
            if room < 0:
                QTimer.singleShot(0, self, self.update)
            if self.ringed:
                ring(painter, self.rect())

    def _draw(self, painter: QPainter, index: int, place: QRect, across: tuple[int, int], room: int) -> int:
        """Draw a tooth between two places across; return for how many pixels more there is room in this event.

        What was not shown yet is worked out row by row as far as there is room, some in each event; the rest is left
        for the next one, which a number below zero asks for.
        """
        tooth, ratio, (left, right) = self._teeth[index], self._ratio(), across
        assert self._pixels is not None
        a, b = round((left - place.left()) * ratio), round((right - place.left()) * ratio)
        key = self._key(index, tooth)
        image, done = self._images.get(key, (None, 0))
        if image is None or done < image.height():
            sample = self._sample(tooth.pixels if tooth.pixels is not None else self._pixels, place)
            part = sample[:, a : max(b, a + 1)]
            if image is None:
                image = QImage(part.shape[1], part.shape[0], QImage.Format.Format_RGB888)
                image.fill(self._surround or self.theme.colour("surround"))
            more = max(room, 0) // part.shape[1]
            if room == _AT_ONCE:
                more = max(more, 1)
            band = part[done : done + more]
            if len(band):
                with QPainter(image) as inside:
                    inside.drawImage(0, done, to_image(tooth.show(band)))
            done += len(band)
            room -= band.shape[0] * band.shape[1]
            self._images[key] = (image, done)
        painter.drawImage(QRectF(left, place.top(), right - left, place.height()), image)
        return -1 if done < image.height() else room

    def _edges(self) -> list[int]:
        frame = self._frame()
        count = len(self._teeth)
        return [round(frame.left() + i * frame.width() / count) for i in range(count)] + [frame.right() + 1]

    def _tooth(self, painter: QPainter, tooth: Tooth, index: int, edges: list[int], frame: QRect, ink: QColor) -> None:
        x, width = edges[index], edges[index + 1] - edges[index]
        if index:
            painter.setPen(QPen(QColor(235, 235, 235), 1.5))
            painter.drawLine(x, frame.top() - 10, x, frame.bottom() + 10)
        painter.setPen(ink)
        painter.setFont(font(9.5, font().Weight.DemiBold if tooth.chosen else font().Weight.Normal))
        room = QRectF(x + 6, 6, width - 10, 22)
        said = painter.fontMetrics().elidedText(tooth.name, Qt.TextElideMode.ElideRight, int(room.width()))
        painter.drawText(room, Qt.AlignmentFlag.AlignVCenter, said)
        if tooth.chosen:
            painter.fillRect(QRectF(x + 6, 28, width - 14, 3), ink)
        painter.setFont(font(8.5))
        for line, text in enumerate(tooth.beneath):
            said = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, width - 10)
            painter.drawText(
                QRectF(x + 6, frame.bottom() + 6 + line * 17, width - 8, 18), Qt.AlignmentFlag.AlignVCenter, said
            )

    # Moving ------------------------------------------------------------------------------------------------------

    def wheelEvent(self, event: QWheelEvent) -> None:
        self._moving()
        self._zoom_by(1.25 ** (event.angleDelta().y() / 120), event.position())

    def _zoom_by(self, factor: float, at: QPointF | None = None) -> None:
        if self._pixels is None:
            return
        at = at or QRectF(self._frame()).center()
        shown = self._shown()
        under = QPointF((at.x() - shown.x()) / shown.width(), (at.y() - shown.y()) / shown.height())
        self._zoom = None
        fit = self._scale()
        wanted = (shown.width() / self._pixels.shape[1]) * factor
        self._zoom = None if wanted <= fit else min(wanted, 32.0)
        scale, frame = self._scale(), QRectF(self._frame())
        self._centre = QPointF(
            under.x() - (at.x() - frame.center().x()) / (self._pixels.shape[1] * scale),
            under.y() - (at.y() - frame.center().y()) / (self._pixels.shape[0] * scale),
        )
        self._keep_inside()

    def _keep_inside(self) -> None:
        if self._pixels is None:
            return
        scale, frame = self._scale(), self._frame()
        for axis, (size, room) in enumerate(
            ((self._pixels.shape[1], frame.width()), (self._pixels.shape[0], frame.height()))
        ):
            # In a comb the picture can be dragged so far that any part of it comes beneath any tooth.
            half = 0.0 if self._comb and axis == 0 else min(0.5, room / (2 * size * scale))
            value = min(max((self._centre.x(), self._centre.y())[axis], half), 1 - half)
            self._centre = QPointF(value, self._centre.y()) if axis == 0 else QPointF(self._centre.x(), value)
        self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        if self._comb and at.y() < 34:
            edges = self._edges()
            for index in range(len(self._teeth)):
                if edges[index] <= at.x() < edges[index + 1]:
                    self.tooth_chosen.emit(index)
            return
        self._drag = self._pressed = at
        self.setCursor(Qt.CursorShape.ClosedHandCursor)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._drag is not None and self._pixels is not None:
            moved = event.position() - self._drag
            self._drag = event.position()
            self._moving()
            self._move(moved.x(), moved.y())

    def _move(self, dx: float, dy: float) -> None:
        if self._pixels is None:
            return
        scale = self._scale()
        self._centre -= QPointF(dx / (self._pixels.shape[1] * scale), dy / (self._pixels.shape[0] * scale))
        self._keep_inside()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        at, pressed = event.position(), self._pressed
        if pressed is not None and (at - pressed).manhattanLength() < 4 and self._pixels is not None:
            shown, scale = self._shown(), self._scale()
            column, row = int((at.x() - shown.x()) / scale), int((at.y() - shown.y()) / scale)
            if 0 <= column < self._pixels.shape[1] and 0 <= row < self._pixels.shape[0]:
                self.touched.emit(column, row)
        self._drag = self._pressed = None
        self.unsetCursor()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = event.key()
        if key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            self._zoom_by(1.25)
        elif key == Qt.Key.Key_Minus:
            self._zoom_by(0.8)
        elif key == Qt.Key.Key_0:
            self._zoom, self._centre = None, QPointF(0.5, 0.5)
            self._keep_inside()
        elif key == Qt.Key.Key_1:
            self._zoom_by(1 / (self._scale() * self.devicePixelRatioF()))
        elif key == Qt.Key.Key_2:
            self.show_printed_size()
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Down):
            dx = {Qt.Key.Key_Left: 40, Qt.Key.Key_Right: -40}.get(Qt.Key(key), 0)
            dy = {Qt.Key.Key_Up: 40, Qt.Key.Key_Down: -40}.get(Qt.Key(key), 0)
            self._move(dx, dy)
        else:
            super().keyPressEvent(event)

    def show_printed_size(self) -> bool:
        """Show the picture as large as it is printed, by what the screen says of its own size; False where unknown."""
        screen = self.screen()
        if self._pixels is None or screen is None or not self.printed_width or screen.physicalDotsPerInchX() < 20:
            return False
        self._zoom_by(self.printed_width / 25.4 * screen.physicalDotsPerInchX() / self._pixels.shape[1] / self._scale())
        return True

    def resizeEvent(self, _event: QResizeEvent) -> None:
        self._keep_inside()
        self._show_parts()
