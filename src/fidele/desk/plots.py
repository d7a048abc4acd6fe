"""The pictures of a check: eyes, vectors in a*b*, suspects, grey ramp. A patch picked in one is marked in all."""

from __future__ import annotations

from functools import partial

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import QColor, QFontMetrics, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent
from PySide6.QtWidgets import QSizePolicy, QToolTip, QWidget

from fidele.chart.definition import Chart
from fidele.check.cause import Cause, Suspect
from fidele.check.statistics import Comparison
from fidele.desk.spots import Part, Spots
from fidele.desk.theme import LIGHT, Theme, font, px
from fidele.language import tr
from fidele.proof.soft import show


def _colours(Lab: NDArray[np.float64]) -> list[QColor]:
    return [QColor(int(r), int(g), int(b)) for r, g, b in show(Lab.astype(np.float32)).reshape(-1, 3)]


class Plot(QWidget):
    """A picture of a comparison."""

    picked = Signal(int)

    def __init__(self, name: str) -> None:
        super().__init__()
        self.theme: Theme = LIGHT
        self.comparison: Comparison | None = None
        self.pick = -1
        self.setAccessibleName(name)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def show_comparison(self, comparison: Comparison | None) -> None:
        """Show another comparison."""
        self.comparison = comparison
        self._prepare()
        self.setAccessibleDescription(self._told())
        self.update()

    def _prepare(self) -> None:
        """Compute what drawing needs."""

    def _told(self) -> str:
        """Return what the picture says, in words, for those who do not see it: the whole, or the picked patch."""
        c = self.comparison
        if c is None:
            return tr("Nothing is shown yet.")
        if 0 <= self.pick < len(c.ids):
            wanted, got = (" ".join(tr("{v:.0f}", v=v) for v in lab[self.pick]) for lab in (c.wanted, c.measured))
            return tr(
                "Patch {ids}: ΔE00 {de00:.1f}, wanted L*a*b* {wanted}, measured {got}",
                ids=c.ids[self.pick],
                de00=c.de00[self.pick],
                wanted=wanted,
                got=got,
            )
        worst = int(c.de00.argmax())
        return tr(
            "{n} patches: ΔE00 mean {mean:.1f}, 95 of 100 within {p95:.1f}, the worst {ids} with {de00:.1f}",
            n=len(c.ids),
            mean=c.mean,
            p95=c.p95,
            ids=c.ids[worst],
            de00=c.de00[worst],
        )

    def mark(self, index: int) -> None:
        """Mark a patch that was picked anywhere."""
        self.pick = index
        self.setAccessibleDescription(self._told())
        self.update()

    def _ink(self) -> QColor:
        return self.theme.colour("text")


#: So many patches of the eyes, those that are furthest off, are controls of their own; arrow keys reach all.
_NAMED = 24


class Eyes(Plot):
    """The chart in its layout: each patch as wanted, with the measured colour as a disc in its middle."""

    def __init__(self) -> None:
        super().__init__(tr("Patches: wanted colour with the measured one as an eye in its middle"))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(260, 180)
        self.columns = 12
        self._heat = False
        self._place: list[int] = []
        self._rows = 1
        self._shown = 0
        self._wanted: list[QColor] = []
        self._measured: list[QColor] = []
        self._spots = Spots(self)
        #: A hundred widgets are shown in an event of their own.
        self._soon = QTimer(self, singleShot=True, interval=0)
        self._soon.timeout.connect(self._show_parts)
        self.setMouseTracking(True)

    def set_chart(self, chart: Chart, index: NDArray[np.int64]) -> None:
        """Take the chart's layout; `index` says which of its patches were measured."""
        self.columns = chart.layout.columns
        self._place = [int(i) for i in index]
        self._rows = -(-(max(self._place, default=0) + 1) // self.columns)
        first = min(self._place, default=0) // self.columns
        self._place = [i - first * self.columns for i in self._place]
        self._rows -= first
        self._shown = min(self._rows * self.columns, len(chart.ids) - first * self.columns)

    def show_heat(self, heat: bool) -> None:
        """Show how far each patch is off, the darker the further, instead of its colours."""
        self._heat = heat
        self.update()

    def _prepare(self) -> None:
        if self.comparison is not None:
            self._wanted = _colours(self.comparison.wanted)
            self._measured = _colours(self.comparison.measured)
        self._soon.start()

    def _show_parts(self) -> None:
        """Let those patches that are furthest off be reached and picked by keyboard and screen reader."""
        c, parts = self.comparison, []
        wide, high, _ = self._cell()
        for index in np.argsort(-c.de00)[:_NAMED] if c is not None else ():
            if c is not None and index < len(self._place):
                at = self._place[index]
                cell = QRectF((at % self.columns) * wide, (at // self.columns) * high, wide, high).toRect()
                name = tr("Patch {ids}, ΔE00 {de00:.1f}", ids=c.ids[index], de00=c.de00[index])
                parts.append(Part(name, cell, partial(self.picked.emit, int(index)), int(index) == self.pick))
        self._spots.show(parts)

    def mark(self, index: int) -> None:
        super().mark(index)
        self._show_parts()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._show_parts()

    def _cell(self) -> tuple[float, float, int]:
        return self.width() / self.columns, self.height() / max(1, self._rows), self._rows

    def paintEvent(self, _event: QPaintEvent) -> None:
        if self.comparison is None:
            return
        with QPainter(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            wide, high, _ = self._cell()
            limit = self.comparison.tolerance.p95
            painter.setPen(QPen(self.theme.colour("dim"), 1.2))
            for place in set(range(self._shown)) - set(self._place):  # left out: not measured, or doubtful
                x, y = (place % self.columns) * wide, (place // self.columns) * high
                painter.drawLine(QPointF(x + 5, y + 5), QPointF(x + wide - 5, y + high - 5))
            for index, place in enumerate(self._place[: len(self._wanted)]):
                x, y = (place % self.columns) * wide, (place // self.columns) * high
                cell = QRectF(x + 1, y + 1, wide - 2, high - 2)
                if self._heat:
                    self._warm(painter, cell, float(self.comparison.de00[index]), limit)
                else:
                    painter.fillRect(cell, self._wanted[index])
                    painter.setPen(Qt.PenStyle.NoPen)
                    painter.setBrush(self._measured[index])
                    radius = min(wide, high) * 0.29
                    painter.drawEllipse(cell.center(), radius, radius)
                if index == self.pick:
                    painter.setBrush(Qt.BrushStyle.NoBrush)
                    painter.setPen(QPen(self._ink(), 2.5))
                    painter.drawRect(cell.adjusted(-0.5, -0.5, 0.5, 0.5))

    @staticmethod
    def _warm(painter: QPainter, cell: QRectF, de: float, limit: float) -> None:
        """Paint a patch of the heat map: white at 0, black at twice the limit, its figure where there is room."""
        level = round(245 - 225 * min(1.0, de / (2 * limit)))
        painter.fillRect(cell, QColor(level, level, level))
        if cell.width() > 26 and cell.height() > 15:
            painter.setPen(QColor(20, 20, 20) if level > 130 else QColor(245, 245, 245))
            painter.setFont(font(8, font().Weight.DemiBold if de > limit else font().Weight.Normal))
            painter.drawText(cell, Qt.AlignmentFlag.AlignCenter, tr("{de:.1f}", de=de))

    def _at(self, place: QPointF) -> int:
        wide, high, rows = self._cell()
        column, row = int(place.x() / wide), int(place.y() / high)
        inside = 0 <= column < self.columns and 0 <= row < rows
        there = row * self.columns + column
        return self._place.index(there) if inside and there in self._place else -1

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.picked.emit(self._at(event.position()))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        index = self._at(event.position())
        if index >= 0 and self.comparison is not None:
            QToolTip.showText(
                event.globalPosition().toPoint(),
                tr("{ids}: ΔE00 {de00:.1f}", ids=self.comparison.ids[index], de00=self.comparison.de00[index]),
                self,
            )

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_Up: -self.columns, Qt.Key.Key_Down: self.columns}
        if event.key() in steps and self.comparison is not None:
            there = max(0, self.pick) + steps[Qt.Key(event.key())] * (self.pick >= 0)
            if 0 <= there < len(self.comparison.ids):
                self.picked.emit(there)
        else:
            super().keyPressEvent(event)


class Vectors(Plot):
    """From wanted to measured in the a*b* plane, or by chroma and lightness; each line in the wanted colour."""

    def __init__(self, chroma: bool = False) -> None:
        super().__init__(
            tr("Shifts in L*C*, from wanted to measured") if chroma else tr("Shifts in a*b*, from wanted to measured")
        )
        self.setMinimumSize(150, 150)
        self._chroma = chroma
        self._line: list[QColor] = []

    def _prepare(self) -> None:
        if self.comparison is not None:
            Lab = self.comparison.wanted.copy()
            Lab[:, 0] = np.clip(Lab[:, 0], 35, 70)
            self._line = _colours(Lab)

    def _places(self) -> tuple[NDArray[np.float64], NDArray[np.float64], float]:
        c = self.comparison
        if c is None:
            return np.empty((0, 2)), np.empty((0, 2)), 1.0
        if self._chroma:
            LC = [np.stack([np.hypot(v[:, 1], v[:, 2]), 100 - v[:, 0]], axis=1) for v in (c.wanted, c.measured)]
            most = max(60.0, float(max(v[:, 0].max() for v in LC)) * 1.05)
            size = np.array([(self.width() - 8) / most, (self.height() - 8) / 100])
            return LC[0] * size + 4, LC[1] * size + 4, float(size[0])
        reach = max(30.0, float(np.abs(np.concatenate([c.wanted[:, 1:], c.measured[:, 1:]])).max()) * 1.06)
        middle = np.array([self.width() / 2, self.height() / 2])
        scale = (min(self.width(), self.height()) / 2 - 4) / reach
        flip = np.array([1.0, -1.0]) * scale
        return middle + c.wanted[:, 1:] * flip, middle + c.measured[:, 1:] * flip, scale

    def paintEvent(self, _event: QPaintEvent) -> None:
        with QPainter(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.fillRect(self.rect(), self.theme.colour("field"))
            painter.setPen(QPen(self.theme.colour("line"), 1))
            painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
            if self.comparison is None:
                return
            wanted, measured, scale = self._places()
            self._axes(painter, scale)
            for index, (a, b) in enumerate(zip(wanted, measured, strict=True)):
                chosen = index == self.pick
                colour = self._ink() if chosen else self._line[index]
                painter.setPen(QPen(colour, 2.6 if chosen else 1.5))
                painter.drawLine(QPointF(*a), QPointF(*b))
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(colour)
                painter.drawEllipse(QPointF(*b), 3.4 if chosen else 2.2, 3.4 if chosen else 2.2)

    def _axes(self, painter: QPainter, scale: float) -> None:
        middle = (self.width() // 2, self.height() // 2)
        painter.setFont(font(7))
        if self._chroma:
            painter.setPen(self.theme.colour("dim"))
            painter.drawText(QRectF(self.width() - 24, self.height() - 15, 20, 13), Qt.AlignmentFlag.AlignRight, "C*")
            painter.drawText(QRectF(4, 2, 18, 13), Qt.AlignmentFlag.AlignLeft, "L*")
            return
        painter.drawLine(0, middle[1], self.width(), middle[1])
        painter.drawLine(middle[0], 0, middle[0], self.height())
        painter.setPen(self.theme.colour("dim"))
        tick = 20 * scale
        painter.drawText(QRectF(middle[0] + tick - 12, middle[1] + 1, 24, 12), Qt.AlignmentFlag.AlignCenter, "20")
        painter.drawText(QRectF(self.width() - 20, middle[1] - 14, 18, 13), Qt.AlignmentFlag.AlignRight, "a*")
        painter.drawText(QRectF(middle[0] + 4, 2, 18, 13), Qt.AlignmentFlag.AlignLeft, "b*")

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.comparison is not None:
            _, measured, _ = self._places()
            away = np.hypot(*(measured - np.array([event.position().x(), event.position().y()])).T)
            self.picked.emit(int(away.argmin()) if away.min() < 12 else -1)


#: So many suspects are shown, the best first; and the height of a row.
_SHOWN, _ROW = 7, 21


class Suspects(QWidget):
    """What each suspected cause would leave unexplained: the less, the likelier."""

    def __init__(self, most: int = _SHOWN) -> None:
        super().__init__()
        self.theme: Theme = LIGHT
        self.cause: Cause | None = None
        self._most = most
        self.setMinimumHeight(88)
        self.setAccessibleName(tr("Suspected causes"))
        self.setToolTip(
            tr(
                "For each suspect: the mean ΔE00 between what it predicts and what was measured. The best "
                "leaves least; a bracket joins those that cannot be told apart."
            )
        )

    def show_cause(self, cause: Cause | None) -> None:
        """Show another cause."""
        self.cause = cause
        if cause is not None:
            shown = cause.suspects[: self._most]
            self.setMinimumHeight(px(_ROW) * len(shown))
            self.setAccessibleDescription(
                ", ".join(
                    tr("{title} leaves {fit_de00:.1f}", title=s.title, fit_de00=s.fit_de00)
                    for s in shown
                    if s.Lab is not None
                )
            )
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        if self.cause is None:
            return
        with QPainter(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            normal, bold = font().Weight.Normal, font().Weight.DemiBold
            shown, strong = self.cause.suspects[: self._most], QFontMetrics(font(9, bold))
            longest = max((strong.horizontalAdvance(s.title) for s in shown), default=0)
            left = min(longest + 24, self.width() * 45 // 100)
            right = max((QFontMetrics(font(8.5)).horizontalAdvance(_left(s)) for s in shown), default=0) + 14
            room = max(30, self.width() - left - right)
            for row, suspect in enumerate(shown):
                y, high = row * px(_ROW), px(_ROW) - 1
                first = suspect.code == self.cause.suspects[0].code
                painter.setPen(self.theme.colour("text"))
                painter.setFont(font(9, bold if first else normal))
                said = painter.fontMetrics().elidedText(suspect.title, Qt.TextElideMode.ElideRight, left - 12)
                painter.drawText(QRectF(6, y, left - 12, high), Qt.AlignmentFlag.AlignVCenter, said)
                if suspect.code in self.cause.group and len(self.cause.group) > 1:
                    painter.fillRect(QRectF(0, y + 1, 2.5, high - 1), self.theme.colour("strong"))
                painter.fillRect(QRectF(left, y + high / 4, room, high / 2), self.theme.colour("line"))
                # Length says how well a suspect explains the print: all of it at 0 left, nothing of it at 12 or more.
                share = max(0.01, 1 - suspect.fit_de00 / 12) if suspect.Lab is not None else 0.01
                painter.fillRect(
                    QRectF(left, y + high / 4, room * share, high / 2), self.theme.colour("text" if first else "strong")
                )
                painter.setFont(font(8.5))
                painter.setPen(self.theme.colour("text" if first else "dim"))
                beside = QRectF(left + room + 8, y, right - 8, high)
                painter.drawText(beside, Qt.AlignmentFlag.AlignVCenter, _left(suspect))


def _left(suspect: Suspect) -> str:
    if suspect.Lab is None:
        return ""
    return tr(
        "leaves {fit_de00:.1f}, {confidence:.0f} %", fit_de00=suspect.fit_de00, confidence=suspect.confidence * 100
    )
