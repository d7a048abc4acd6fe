"""Plots of a profile's behaviour: grey axis, tone curves, round trip."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen
from PySide6.QtWidgets import QSizePolicy

from fidele.arrays import Floats
from fidele.desk.drawn import Drawn
from fidele.desk.theme import font
from fidele.icc.behaviour import Behaviour
from fidele.language import tr
from fidele.proof.soft import show


class _Plot(Drawn):
    """A small plot of a behaviour, with a title in its corner."""

    def __init__(self, title: str, tip: str) -> None:
        super().__init__()
        self.title = title
        self.found: Behaviour | None = None
        self.setAccessibleName(title)
        self.setToolTip(tip)
        self.setMinimumSize(120, 96)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def show_behaviour(self, found: Behaviour | None) -> None:
        """Show another profile's behaviour."""
        self.found = found
        self.setAccessibleDescription(self._told())
        self.update()

    def _told(self) -> str:
        """Return what the plot shows, in words, for those who do not see it."""
        raise NotImplementedError

    def draw(self, painter: QPainter) -> None:
        """Draw everything."""
        painter.setPen(QPen(self.theme.colour("line"), 1))
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        said = self._plot(painter, QRectF(self.rect()).adjusted(10, 22, -10, -10)) if self.found else ""
        painter.setFont(font(8, font().Weight.DemiBold))
        painter.setPen(self.theme.colour("text"))
        painter.drawText(QPointF(8, 15), self.title)
        painter.setFont(font(7.5))
        painter.setPen(self.theme.colour("dim"))
        painter.drawText(QRectF(0, 3, self.width() - 8, 16), Qt.AlignmentFlag.AlignRight, said)

    def _plot(self, painter: QPainter, room: QRectF) -> str:
        """Draw the data; return what is said at the right of the title."""
        raise NotImplementedError

    def _line(self, painter: QPainter, room: QRectF, x: Floats, y: Floats, pen: QPen) -> None:
        """Draw a line through points whose coordinates run from 0 to 1."""
        painter.setPen(pen)
        px = room.left() + np.clip(x, 0, 1) * room.width()
        py = room.bottom() - np.clip(y, -0.05, 1.05) * room.height()
        painter.drawPolyline([QPointF(a, b) for a, b in zip(px.tolist(), py.tolist(), strict=True)])


class GreyPlot(_Plot):
    """How far printed greys lean: a* and b* over lightness."""

    def __init__(self) -> None:
        super().__init__(
            tr("Greys"),
            tr(
                "What becomes of neutral greys, dark to light: a* (solid, red above green) and b* (dashed, "
                "yellow above blue). Flat lines in the middle are neutral. Left of the mark the printer is at "
                "its black."
            ),
        )

    def _told(self) -> str:
        grey = self.found.grey if self.found else None
        return (
            tr("Greys lean by {largest_cast:.1f} at most", largest_cast=grey.largest_cast)
            if grey is not None
            else tr("cannot be told")
        )

    def _plot(self, painter: QPainter, room: QRectF) -> str:
        grey = self.found.grey if self.found else None
        if grey is None:
            return tr("cannot be told")
        reach = 6.0
        painter.setPen(QPen(self.theme.colour("strong"), 1))
        middle = room.center().y()
        painter.drawLine(QPointF(room.left(), middle), QPointF(room.right(), middle))
        black = room.left() + grey.printed[:, 0].min() / 100 * room.width()
        painter.setPen(QPen(self.theme.colour("line"), 1))
        painter.drawLine(QPointF(black, room.top()), QPointF(black, room.bottom()))
        for axis, style in ((1, Qt.PenStyle.SolidLine), (2, Qt.PenStyle.DashLine)):
            value = 0.5 + grey.printed[:, axis] / reach / 2
            self._line(painter, room, grey.wanted / 100, value, QPen(self.theme.colour("text"), 1.6, style))
        painter.setFont(font(7))
        painter.setPen(self.theme.colour("dim"))
        painter.drawText(QPointF(room.left(), room.top() + 4), tr("+{reach:.0f}", reach=reach))
        painter.drawText(QPointF(room.left(), room.bottom() + 4), tr("−{reach:.0f}", reach=reach))
        return tr("at most {largest_cast:.1f}", largest_cast=grey.largest_cast)


_PENS = {
    "RGB": (QColor(200, 40, 40), QColor(30, 140, 50), QColor(40, 70, 200)),
    "CMYK": (QColor(0, 140, 190), QColor(200, 30, 120), QColor(190, 160, 0), QColor(90, 90, 90)),
}


class TonePlot(_Plot):
    """Device values along the grey axis."""

    def __init__(self) -> None:
        super().__init__(
            tr("Tone curves"), tr("The values that are sent for neutral greys, dark at the left to light at the right.")
        )

    def _told(self) -> str:
        grey = self.found.grey if self.found else None
        if grey is None:
            return tr("cannot be told")
        middle = grey.device[int(np.abs(grey.wanted - 50).argmin())]
        return tr("A middle grey, L* 50, is sent as {value} %", value=" ".join(f"{v * 100:.0f}" for v in middle))

    def _plot(self, painter: QPainter, room: QRectF) -> str:
        grey = self.found.grey if self.found else None
        if grey is None:
            return tr("cannot be told")
        count = grey.device.shape[1]
        names = {3: "RGB", 4: "CMYK"}.get(count, "")
        pens = _PENS.get(names, (self.theme.colour("text"),) * count)
        painter.setPen(QPen(self.theme.colour("line"), 1))
        painter.drawLine(room.bottomLeft(), room.topRight())
        for channel in range(count):
            self._line(painter, room, grey.wanted / 100, grey.device[:, channel], QPen(pens[channel], 1.6))
        painter.setFont(font(7.5, font().Weight.DemiBold))
        for channel, letter in enumerate(names):
            painter.setPen(pens[channel])
            painter.drawText(QPointF(room.right() - 30 + channel * 10, room.bottom()), letter)
        return ""


class TripPlot(_Plot):
    """The round trip over a* and b*: each colour as a dot, the larger the more it is off."""

    def __init__(self) -> None:
        super().__init__(
            tr("Round trip"),
            tr(
                "Each dot is a colour sent to the printer's values and back; the larger, the more it is off "
                "(ΔE00). The worst is ringed."
            ),
        )
        self._colours: NDArray[np.uint8] | None = None

    def show_behaviour(self, found: Behaviour | None) -> None:
        self._colours = None
        if found is not None and found.round_trip is not None:
            Lab = found.round_trip.Lab.copy()
            Lab[:, 0] = np.clip(Lab[:, 0], 30, 80)
            self._colours = show(Lab.astype(np.float32))
        super().show_behaviour(found)

    def _told(self) -> str:
        trip = self.found.round_trip if self.found else None
        return (
            tr("ΔE00 mean {mean:.2f}, worst {largest:.1f}", mean=trip.mean, largest=trip.largest)
            if trip is not None
            else tr("cannot be told")
        )

    def _plot(self, painter: QPainter, room: QRectF) -> str:
        trip = self.found.round_trip if self.found else None
        if trip is None or self._colours is None:
            return tr("cannot be told")
        reach = max(30.0, float(np.abs(trip.Lab[:, 1:]).max())) * 1.05
        scale = min(room.width(), room.height()) / 2 / reach
        middle = np.array([room.center().x(), room.center().y()])
        places = middle + trip.Lab[:, 1:] * np.array([scale, -scale])
        every = max(1, len(places) // 1300)
        shown = np.unique(np.concatenate([np.arange(0, len(places), every), np.argsort(-trip.de00)[:60]]))
        radius = 0.7 + np.minimum(trip.de00, 6) * 1.1
        painter.setPen(Qt.PenStyle.NoPen)
        for index in shown[np.argsort(trip.de00[shown])]:
            r, g, b = (int(v) for v in self._colours[index])
            painter.setBrush(QColor(r, g, b))
            painter.drawEllipse(QPointF(*places[index]), radius[index], radius[index])
        worst = int(trip.de00.argmax())
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(self.theme.colour("text"), 1.2))
        painter.drawEllipse(QPointF(*places[worst]), radius[worst] + 4, radius[worst] + 4)
        return tr("mean {mean:.2f}, worst {largest:.1f}", mean=trip.mean, largest=trip.largest)
