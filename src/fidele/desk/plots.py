"""The pictures of a check: eyes, vectors in a*b*, suspects, grey ramp. A patch picked in one is marked in all."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QToolTip, QWidget

from fidele.chart.definition import Chart
from fidele.check.cause import WORDS, Cause
from fidele.check.statistics import Comparison
from fidele.desk.theme import LIGHT, Theme, font
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
        self.update()

    def _prepare(self) -> None:
        """Compute what drawing needs."""

    def mark(self, index: int) -> None:
        """Mark a patch that was picked anywhere."""
        self.pick = index
        self.update()

    def _ink(self) -> QColor:
        return self.theme.colour("text")


class Eyes(Plot):
    """The chart in its layout: each patch as wanted, with the measured colour as a disc in its middle."""

    def __init__(self) -> None:
        super().__init__("Patches: wanted colour with the measured one as an eye in its middle")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(260, 180)
        self.columns = 12
        self._wanted: list[QColor] = []
        self._measured: list[QColor] = []
        self.setMouseTracking(True)

    def set_chart(self, chart: Chart) -> None:
        """Take the chart's layout."""
        self.columns = chart.layout.columns

    def _prepare(self) -> None:
        if self.comparison is not None:
            self._wanted = _colours(self.comparison.wanted)
            self._measured = _colours(self.comparison.measured)

    def _cell(self) -> tuple[float, float, int]:
        count = len(self.comparison.ids) if self.comparison else 1
        rows = -(-count // self.columns)
        return self.width() / self.columns, self.height() / rows, rows

    def paintEvent(self, _event: QPaintEvent) -> None:
        if self.comparison is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        wide, high, _ = self._cell()
        for index in range(len(self._wanted)):
            x, y = (index % self.columns) * wide, (index // self.columns) * high
            cell = QRectF(x + 1, y + 1, wide - 2, high - 2)
            painter.fillRect(cell, self._wanted[index])
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(self._measured[index])
            radius = min(wide, high) * 0.29
            painter.drawEllipse(cell.center(), radius, radius)
            if index == self.pick:
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.setPen(QPen(self._ink(), 2.5))
                painter.drawRect(cell.adjusted(-0.5, -0.5, 0.5, 0.5))

    def _at(self, place: QPointF) -> int:
        wide, high, rows = self._cell()
        column, row = int(place.x() / wide), int(place.y() / high)
        index = row * self.columns + column
        inside = 0 <= column < self.columns and 0 <= row < rows
        return index if inside and self.comparison is not None and index < len(self.comparison.ids) else -1

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.picked.emit(self._at(event.position()))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        index = self._at(event.position())
        if index >= 0 and self.comparison is not None:
            QToolTip.showText(
                event.globalPosition().toPoint(),
                f"{self.comparison.ids[index]}: ΔE00 {self.comparison.de00[index]:.1f}",
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
    """From wanted to measured in the a*b* plane; each line in the colour that was wanted."""

    def __init__(self) -> None:
        super().__init__("Shifts in a*b*, from wanted to measured")
        self.setMinimumSize(170, 170)
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
        reach = max(30.0, float(np.abs(np.concatenate([c.wanted[:, 1:], c.measured[:, 1:]])).max()) * 1.06)
        middle = np.array([self.width() / 2, self.height() / 2])
        scale = (min(self.width(), self.height()) / 2 - 4) / reach
        flip = np.array([1.0, -1.0]) * scale
        return middle + c.wanted[:, 1:] * flip, middle + c.measured[:, 1:] * flip, scale

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), self.theme.colour("field"))
        painter.setPen(QPen(self.theme.colour("line"), 1))
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
        painter.drawLine(0, self.height() // 2, self.width(), self.height() // 2)
        painter.drawLine(self.width() // 2, 0, self.width() // 2, self.height())
        if self.comparison is None:
            return
        wanted, measured, scale = self._places()
        painter.setPen(self.theme.colour("dim"))
        painter.setFont(font(7))
        tick = 20 * scale
        painter.drawText(
            QRectF(self.width() / 2 + tick - 12, self.height() / 2 + 1, 24, 12), Qt.AlignmentFlag.AlignCenter, "20"
        )
        painter.drawText(QRectF(self.width() - 20, self.height() / 2 - 14, 18, 13), Qt.AlignmentFlag.AlignRight, "a*")
        painter.drawText(QRectF(self.width() / 2 + 4, 2, 18, 13), Qt.AlignmentFlag.AlignLeft, "b*")
        for index, (a, b) in enumerate(zip(wanted, measured, strict=True)):
            chosen = index == self.pick
            colour = self._ink() if chosen else self._line[index]
            painter.setPen(QPen(colour, 2.6 if chosen else 1.5))
            painter.drawLine(QPointF(*a), QPointF(*b))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(colour)
            painter.drawEllipse(QPointF(*b), 3.4 if chosen else 2.2, 3.4 if chosen else 2.2)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.comparison is not None:
            _, measured, _ = self._places()
            away = np.hypot(*(measured - np.array([event.position().x(), event.position().y()])).T)
            self.picked.emit(int(away.argmin()) if away.min() < 12 else -1)


class Suspects(QWidget):
    """What each suspected cause would leave unexplained: the less, the likelier."""

    def __init__(self) -> None:
        super().__init__()
        self.theme: Theme = LIGHT
        self.cause: Cause | None = None
        self.setMinimumHeight(88)
        self.setAccessibleName("Suspected causes")
        self.setToolTip(
            "For each suspect: the mean ΔE00 between what it predicts and what was measured. The best leaves least."
        )

    def show_cause(self, cause: Cause | None) -> None:
        """Show another cause."""
        self.cause = cause
        if cause is not None:
            self.setMinimumHeight(22 * len(cause.suspects))
            said = ", ".join(f"{WORDS[s.code][0]} leaves {s.fit_de00:.1f}" for s in cause.suspects)
            self.setAccessibleDescription(said)
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        if self.cause is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        left, right = 138, 92
        room = max(40, self.width() - left - right)
        for row, suspect in enumerate(self.cause.suspects):
            y = row * 22
            first = suspect.code == self.cause.suspects[0].code
            painter.setPen(self.theme.colour("text"))
            painter.setFont(font(9, font().Weight.DemiBold if first else font().Weight.Normal))
            painter.drawText(QRectF(0, y, left - 6, 20), Qt.AlignmentFlag.AlignVCenter, WORDS[suspect.code][0])
            bar = QRectF(left, y + 5, room, 10)
            painter.fillRect(bar, self.theme.colour("line"))
            # Length says how well a suspect explains the print: all of it at 0 left, nothing of it at 12 or more.
            share = max(0.01, 1 - suspect.fit_de00 / 12)
            painter.fillRect(QRectF(left, y + 5, room * share, 10), self.theme.colour("text" if first else "strong"))
            painter.setFont(font(8.5))
            painter.setPen(self.theme.colour("text" if first else "dim"))
            painter.drawText(
                QRectF(left + room + 8, y, right - 8, 20),
                Qt.AlignmentFlag.AlignVCenter,
                f"leaves {suspect.fit_de00:.1f}",
            )


class GreyRamp(Plot):
    """Measured lightness of the grey patches over wanted, dark to light, with the wanted line behind."""

    def __init__(self) -> None:
        super().__init__("Grey ramp: measured lightness over wanted")
        self.grey: NDArray[np.int64] = np.empty(0, np.int64)
        self.setMinimumHeight(80)

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), self.theme.colour("field"))
        painter.setPen(QPen(self.theme.colour("line"), 1))
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
        c = self.comparison
        if c is None:
            return
        if len(self.grey) < 3:
            return
        order = self.grey[np.argsort(c.wanted[self.grey, 0])]

        def at(x: float, y: float) -> QPointF:
            return QPointF(6 + x / 100 * (self.width() - 12), self.height() - 6 - y / 100 * (self.height() - 12))

        painter.setPen(QPen(self.theme.colour("strong"), 1.2))
        painter.drawLine(at(float(c.wanted[order[0], 0]), float(c.wanted[order[0], 0])), at(100, 100))
        painter.setPen(QPen(self._ink(), 2))
        points = [at(float(c.wanted[i, 0]), float(c.measured[i, 0])) for i in order]
        for a, b in pairwise(points):
            painter.drawLine(a, b)
        if self.pick in order:
            painter.setBrush(self._ink())
            painter.drawEllipse(points[list(order).index(self.pick)], 4, 4)
