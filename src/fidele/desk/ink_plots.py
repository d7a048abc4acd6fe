"""Pictures of inks: how far each ramp comes, how dark all inks become together, and what greys are printed by."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from fidele.arrays import Floats
from fidele.characterise.ink_setup import InkSetup, alone, together
from fidele.chart.ink_set import InkSet
from fidele.desk.theme import LIGHT, Theme, font, px
from fidele.language import tr
from fidele.proof.soft import show
from fidele.session.ink_profiles import Greys

#: Lines of inks, on light and on dark ground; black is the colour of text. Letters stand beside the lines, and lighter
#: inks are drawn in dashes.
_LIGHT_GROUND = {
    "cyan": (0, 120, 165), "magenta": (190, 20, 120), "yellow": (140, 115, 0), "orange": (190, 90, 0),
    "red": (190, 30, 30), "green": (0, 120, 60), "blue": (40, 70, 190), "violet": (110, 50, 170),
}  # fmt: skip
_DARK_GROUND = {
    "cyan": (0, 190, 235), "magenta": (255, 110, 205), "yellow": (240, 220, 60), "orange": (255, 165, 60),
    "red": (255, 120, 110), "green": (90, 215, 130), "blue": (140, 170, 255), "violet": (200, 150, 255),
}  # fmt: skip


class _InkPlot(QWidget):
    """Lines over per cent, one for each ink, with its letter at its end."""

    def __init__(self, name: str) -> None:
        super().__init__()
        self.theme: Theme = LIGHT
        self.setMinimumSize(px(250), px(170))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName(name)

    def pens(self, inks: InkSet) -> list[QPen]:
        """A pen for each ink that is told from the ground in either theme."""
        ground, pens = (_LIGHT_GROUND if self.theme.name == "light" else _DARK_GROUND), []
        for name in inks.names:
            of = name.removeprefix("light ")
            colour = self.theme.colour("text") if of == "black" else QColor(*ground[of])
            pens.append(QPen(colour, 1.8, Qt.PenStyle.SolidLine if of == name else Qt.PenStyle.DashLine))
        return pens

    def room(self) -> QRectF:
        """Return where the lines are."""
        return QRectF(px(46), px(22), self.width() - px(70), self.height() - px(64))

    def axes(
        self,
        painter: QPainter,
        room: QRectF,
        across: tuple[float, ...],
        up: tuple[float, ...],
        most: Floats,
        first: float = 0.0,
    ) -> None:
        """Draw lines and figures at values across, from a first one, and up; `most` (2,) are what is shown of them."""
        painter.setFont(font(7.5))
        for value in across:
            x = room.left() + (value - first) / most[0] * room.width()
            painter.setPen(QPen(self.theme.colour("line"), 1))
            painter.drawLine(QPointF(x, room.top()), QPointF(x, room.bottom()))
            painter.setPen(self.theme.colour("dim"))
            box = QRectF(x - px(24), room.bottom() + px(3), px(48), px(14))
            painter.drawText(box, Qt.AlignmentFlag.AlignHCenter, f"{value:.0f}")
        for value in up:
            y = room.bottom() - value / most[1] * room.height()
            painter.setPen(QPen(self.theme.colour("line"), 1))
            painter.drawLine(QPointF(room.left(), y), QPointF(room.right(), y))
            painter.setPen(self.theme.colour("dim"))
            right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
            painter.drawText(QRectF(0, y - px(8), room.left() - px(5), px(16)), right, f"{value:.0f}")

    def letters(self, painter: QPainter, room: QRectF, ends: Floats, inks: InkSet) -> None:
        """Write the inks' letters beside the ends (k,) of their lines, shares of the height, none on another."""
        painter.setFont(font(8, font().Weight.DemiBold))
        below = -1e9
        for channel in np.argsort(ends):
            below = max(float(ends[channel]) * room.height(), below + px(11))
            painter.setPen(self.pens(inks)[channel].color())
            painter.drawText(QPointF(room.right() + px(5), room.bottom() - below + px(4)), inks.letters[channel])

    def named(self, painter: QPainter, room: QRectF, upward: str, along: str) -> None:
        """Name both axes."""
        painter.setFont(font(7.5))
        painter.setPen(self.theme.colour("dim"))
        painter.drawText(QRectF(px(4), px(3), self.width() - px(8), px(16)), Qt.AlignmentFlag.AlignLeft, upward)
        box = QRectF(room.left(), self.height() - px(18), room.width(), px(16))
        painter.drawText(box, Qt.AlignmentFlag.AlignHCenter, along)


class RampsPlot(_InkPlot):
    """How far each ink alone has come from the bare media, over its amount; a tick where more of it stops to show."""

    def __init__(self) -> None:
        super().__init__(tr("Ramps of each ink: difference from the bare media over the amount"))
        self._found: tuple[InkSetup, list[tuple[Floats, Floats]]] | None = None

    def show_ramps(self, setup: InkSetup | None, ramps: tuple[Floats, Floats] | None) -> None:
        """Show what was measured of amounts (n, k): L*a*b* (n, 3)."""
        self._found = (setup, alone(*ramps)) if setup is not None and ramps is not None else None
        if self._found is not None:
            said = [
                tr("{ink}: ΔE {way:.0f} at full, useful up to {most:.0f} %", ink=letter, way=way[-1], most=100 * most)
                for letter, (_, way), most in zip(
                    self._found[0].inks.letters, self._found[1], self._found[0].most, strict=True
                )
            ]
            self.setAccessibleDescription("; ".join(said))
            self.setToolTip("\n".join(said))
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        with QPainter(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.fillRect(self.rect(), self.theme.colour("field"))
            room = self.room()
            if self._found is None:
                return
            setup, ramps = self._found
            most = np.array([100.0, 20 * np.ceil(max(way[-1] for _, way in ramps) / 20 + 0.1)])
            self.axes(painter, room, (0, 25, 50, 75, 100), tuple(np.arange(0, most[1] + 1, 40)), most)
            self.named(painter, room, tr("ΔE from the bare media"), tr("amount of one ink, %"))
            for (amounts, way), end, pen in zip(ramps, setup.most, self.pens(setup.inks), strict=True):
                x = room.left() + amounts * room.width()
                y = room.bottom() - way / most[1] * room.height()
                painter.setPen(pen)
                painter.drawPolyline(QPolygonF([QPointF(a, b) for a, b in zip(x, y, strict=True)]))
                if end < 0.995:
                    at = QPointF(room.left() + end * room.width(), float(np.interp(end, amounts, y)))
                    painter.drawLine(at + QPointF(0, -px(6)), at + QPointF(0, px(6)))
            ends = np.array([way[-1] for _, way in ramps]) / most[1]
            self.letters(painter, room, ends, setup.inks)


class TotalPlot(_InkPlot):
    """How dark all inks become together, over their total; a line at the total that is taken."""

    def __init__(self) -> None:
        super().__init__(tr("All inks together: how dark they become over their total"))
        self._found: tuple[InkSetup, Floats, Floats] | None = None

    def show_ramps(self, setup: InkSetup | None, ramps: tuple[Floats, Floats] | None) -> None:
        """Show what was measured of amounts (n, k): L*a*b* (n, 3)."""
        self._found = (setup, *together(*ramps)) if setup is not None and ramps is not None else None
        if self._found is not None:
            self.setAccessibleDescription(
                tr(
                    "L* {first:.1f} by black alone, {last:.1f} at {most:.0f} %; taken are {total:.0f} %",
                    first=self._found[2][0],
                    last=self._found[2].min(),
                    most=100 * self._found[1][-1],
                    total=100 * self._found[0].total,
                )
            )
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        with QPainter(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.fillRect(self.rect(), self.theme.colour("field"))
            room = self.room()
            if self._found is None or len(self._found[1]) < 2:
                return
            setup, total, L = self._found
            step = next(s for s in (2.0, 5.0, 10.0, 20.0) if 6 * s > L.max())
            top = step * np.ceil(L.max() / step + 0.1)
            most = np.array([300.0, top])
            painter.setFont(font(7.5))
            self.axes(painter, room, (100, 200, 300, 400), tuple(np.arange(0, top + 0.1, step)), most, 100.0)
            self.named(painter, room, tr("L* of black with all others"), tr("all inks together, %"))
            along = room.left() + (100 * total - 100) / 300 * room.width()
            down = room.bottom() - L / top * room.height()
            painter.setPen(QPen(self.theme.colour("text"), 1.8))
            painter.drawPolyline(QPolygonF([QPointF(a, b) for a, b in zip(along, down, strict=True)]))
            at = room.left() + (100 * setup.total - 100) / 300 * room.width()
            painter.setPen(QPen(self.theme.colour("text"), 1.2, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(at, room.top()), QPointF(at, room.bottom()))
            painter.setFont(font(8, font().Weight.DemiBold))
            right = at < room.center().x()
            box = QRectF(at + px(4) if right else at - px(84), room.top() + px(2), px(80), px(14))
            side = Qt.AlignmentFlag.AlignLeft if right else Qt.AlignmentFlag.AlignRight
            painter.drawText(box, side, tr("{total:.0f} %", total=100 * setup.total))


class GreysPlot(_InkPlot):
    """What greys are printed by, from white to the darkest: amounts of each ink, and the greys beneath."""

    def __init__(self) -> None:
        super().__init__(tr("Greys from light to dark: how much of each ink prints them"))
        self.setMinimumHeight(px(230))
        self._greys: Greys | None = None

    def show_greys(self, greys: Greys | None) -> None:
        """Show another separation."""
        self._greys = greys
        self.setAccessibleDescription(greys.words if greys is not None else tr("Nothing is shown yet."))
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        with QPainter(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.fillRect(self.rect(), self.theme.colour("field"))
            greys = self._greys
            if greys is None:
                return
            room = self.room()
            room.setBottom(room.bottom() - px(12))
            self.axes(painter, room, (), (0, 25, 50, 75, 100), np.array([100.0, 100.0]))
            self.named(painter, room, tr("amount of each ink, %"), tr("greys, L* 100 to {L:.0f}", L=greys.L[-1]))
            span = max(100 - float(greys.L[-1]), 1.0)
            x = room.left() + (100 - greys.L) / span * room.width()
            for channel, pen in enumerate(self.pens(greys.of)):
                y = room.bottom() - greys.inks[:, channel] * room.height()
                painter.setPen(pen)
                painter.drawPolyline(QPolygonF([QPointF(a, b) for a, b in zip(x, y, strict=True)]))
            self.letters(painter, room, greys.inks[-1], greys.of)
            shades = show(np.stack([greys.L, 0 * greys.L, 0 * greys.L], axis=1).astype(np.float32)).reshape(-1, 3)
            for index in range(len(x) - 1):
                r, g, b = (int(v) for v in shades[index])
                cell = QRectF(x[index], room.bottom() + px(4), x[index + 1] - x[index] + 0.6, px(12))
                painter.fillRect(cell, QColor(r, g, b))
