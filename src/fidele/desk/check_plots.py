"""Further pictures of a check: distribution, ramps, the scan as it was read, the trend of a condition."""

from __future__ import annotations

import datetime
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QLineF, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QFontMetrics, QImage, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF, QTransform
from PySide6.QtWidgets import QSizePolicy, QWidget

from fidele.arrays import Codes, Floats
from fidele.chart.read import Reading
from fidele.check.ramps import Ramp
from fidele.desk.picture import to_image
from fidele.desk.plots import Plot
from fidele.desk.theme import LIGHT, Theme, font
from fidele.language import tr
from fidele.proof.soft import show
from fidele.store.records import Check

#: The scan is shown at most so many pixels long.
_SHOWN = 1400


class Distribution(Plot):
    """Share of patches within a ΔE00, over the histogram, with the tolerance's limits."""

    def __init__(self) -> None:
        super().__init__(tr("Share of patches by their difference, with the tolerance"))
        self.setMinimumSize(240, 150)
        self.setToolTip(
            tr("The line: how many patches are within a ΔE00. The bars: how many have it. Dashed: the limits.")
        )

    def paintEvent(self, _event: QPaintEvent) -> None:
        with QPainter(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.fillRect(self.rect(), self.theme.colour("field"))
            c = self.comparison
            if c is None:
                return
            left, top, right, bottom = 40, 12, self.width() - 12, self.height() - 26
            most = max(c.tolerance.p95 * 1.6, c.largest * 1.05, 1.0)

            def at(de: float, share: float) -> QPointF:
                return QPointF(left + de / most * (right - left), bottom - share * (bottom - top))

            counts, edges = np.histogram(c.de00, bins=min(40, max(10, len(c.ids) // 5)), range=(0, most))
            for count, (a, b) in zip(counts, pairwise(edges), strict=True):
                high = count / max(1, counts.max())
                painter.fillRect(QRectF(at(a, high * 0.9), at(b, 0)).adjusted(1, 0, -1, 0), self.theme.colour("line"))
            painter.setFont(font(7.5))
            for limit, words in ((c.tolerance.mean, tr("mean")), (c.tolerance.p95, "95 %")):
                painter.setPen(QPen(self.theme.colour("strong"), 1.2, Qt.PenStyle.DashLine))
                painter.drawLine(at(limit, 0.0), at(limit, 1.0))
                painter.setPen(self.theme.colour("dim"))
                painter.drawText(QPointF(at(limit, 1).x() + 3, top + 8), words)
            painter.setPen(QPen(self._ink(), 2))
            ordered = np.sort(c.de00)
            points = [at(0, 0), *(at(float(de), (n + 1) / len(ordered)) for n, de in enumerate(ordered))]
            painter.drawPolyline(QPolygonF(points))
            painter.setPen(self.theme.colour("dim"))
            for share in (0.0, 0.5, 0.95):
                painter.drawText(
                    QRectF(0, at(0, share).y() - 7, 34, 14),
                    Qt.AlignmentFlag.AlignRight,
                    tr("{share:.0f} %", share=share * 100),
                )
            step = 1 if most < 8 else 2 if most < 16 else 5
            for tick in range(0, int(most * 0.93) + 1, step):
                painter.drawText(
                    QRectF(at(tick, 0).x() - 12, bottom + 4, 24, 14), Qt.AlignmentFlag.AlignCenter, str(tick)
                )
            painter.drawText(QRectF(right - 40, bottom + 4, 52, 14), Qt.AlignmentFlag.AlignRight, "ΔE00")
            if 0 <= self.pick < len(c.ids):
                de = float(c.de00[self.pick])
                painter.setBrush(self._ink())
                painter.drawEllipse(at(de, float((c.de00 <= de).mean())), 4.5, 4.5)


def _ramp_told(ramp: Ramp) -> str:
    """Return what a ramp shows, in words."""
    off = ramp.measured[:, 0] - ramp.wanted[:, 0]
    worst = int(np.abs(off).argmax())
    found = "; ".join(ramp.words()) or tr("its steps are even")
    return tr(
        "{n} steps, at {tone:.0f} % L* {off:+.1f} off, the most; {found}",
        n=len(off),
        tone=ramp.tone[worst] * 100,
        off=off[worst],
        found=found,
    )


def _cast_told(ramp: Ramp) -> str:
    """Return how the greys of a ramp lean, in words."""
    worst = int(np.hypot(*ramp.cast.T).argmax())
    a, b = ramp.cast[worst]
    return tr("At L* {wanted:.0f} greys lean most: a* {a:+.1f}, b* {b:+.1f}", wanted=ramp.wanted[worst, 0], a=a, b=b)


class RampPlot(QWidget):
    """A ramp: its patches, measured lightness over tone with the wanted line, and the distance of each step."""

    picked = Signal(int)

    def __init__(self) -> None:
        super().__init__()
        self.theme: Theme = LIGHT
        self.ramp: Ramp | None = None
        self.pick = -1
        self.seen = 0.5
        self.setMinimumSize(240, 180)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName(tr("Ramp"))

    def show_ramp(self, ramp: Ramp | None, seen: float) -> None:
        """Show another ramp; `seen` is the ΔE00 below which steps cannot be told apart."""
        self.ramp, self.seen = ramp, seen
        self.setAccessibleDescription("" if ramp is None else _ramp_told(ramp))
        self.update()

    @property
    def _left(self) -> int:
        """Where the plot begins, beside the longest of its words."""
        metrics = QFontMetrics(font(7.5))
        return max(metrics.horizontalAdvance(words) for words in (tr("wanted"), tr("print"), tr("step"))) + 6

    def _x(self, tone: float) -> float:
        return self._left + tone * (self.width() - self._left - 16)

    def paintEvent(self, _event: QPaintEvent) -> None:
        with QPainter(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.fillRect(self.rect(), self.theme.colour("field"))
            ramp = self.ramp
            if ramp is None:
                return
            high = self.height()
            strip, curve, bars = (8, 34), (48, high * 0.62), (high * 0.68, high - 22)
            for lab, y in ((ramp.wanted, strip[0]), (ramp.measured, strip[0] + 13)):
                colours = show(lab.astype(np.float32)).reshape(-1, 3)
                edges = [0.0, *((a + b) / 2 for a, b in pairwise(ramp.tone)), 1.0]
                for (a, b), (red, green, blue) in zip(pairwise(edges), colours, strict=True):
                    cell = QRectF(self._x(a), y, self._x(b) - self._x(a), 13)
                    painter.fillRect(cell, QColor(int(red), int(green), int(blue)))

            def at(tone: float, L: float) -> QPointF:
                return QPointF(self._x(tone), curve[1] - L / 100 * (curve[1] - curve[0]))

            painter.setFont(font(7.5))
            painter.setPen(self.theme.colour("dim"))
            beside = ((strip[0], tr("wanted")), (strip[0] + 13, tr("print")), (curve[0], "L*"), (bars[0], tr("step")))
            for top, words in beside:
                painter.drawText(QRectF(0, top, self._left - 4, 13), Qt.AlignmentFlag.AlignRight, words)
            for lab, pen in (
                (ramp.wanted, QPen(self.theme.colour("strong"), 1.2)),
                (ramp.measured, QPen(self.theme.colour("text"), 2)),
            ):
                painter.setPen(pen)
                painter.drawPolyline(
                    QPolygonF([at(float(t), float(v[0])) for t, v in zip(ramp.tone, lab, strict=True)])
                )
            wanted, got = ramp.steps
            most = max(4.0, float(np.percentile(np.concatenate([wanted, got]), 90)) * 1.3)
            for number, (a, b) in enumerate(pairwise(ramp.tone)):
                size = bars[1] - bars[0]
                for de, part in ((wanted[number], "line"), (got[number], "text")):
                    tall = min(1.0, float(de) / most) * size
                    inset = 1.0 if part == "line" else max(2.0, (self._x(b) - self._x(a)) * 0.28)
                    cell = QRectF(self._x(a) + inset, bars[1] - tall, self._x(b) - self._x(a) - 2 * inset, tall)
                    painter.fillRect(cell, self.theme.colour(part))
            seen = bars[1] - min(1.0, self.seen / most) * (bars[1] - bars[0])
            painter.setPen(QPen(self.theme.colour("strong"), 1, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(self._x(0), seen), QPointF(self._x(1), seen))
            painter.setPen(self.theme.colour("dim"))
            for tone in (0, 25, 50, 75, 100):
                painter.drawText(
                    QRectF(self._x(tone / 100) - 16, high - 18, 32, 14), Qt.AlignmentFlag.AlignCenter, f"{tone} %"
                )
            place = np.flatnonzero(ramp.index == self.pick)
            if len(place):
                painter.setBrush(self.theme.colour("text"))
                painter.drawEllipse(at(float(ramp.tone[place[0]]), float(ramp.measured[place[0], 0])), 5, 5)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.ramp is not None:
            tone = (event.position().x() - self._left) / max(1, self.width() - self._left - 16)
            self.picked.emit(int(self.ramp.index[np.abs(self.ramp.tone - tone).argmin()]))


class CastPlot(QWidget):
    """How the greys of a ramp lean: a* and b* off what was wanted, over lightness."""

    def __init__(self) -> None:
        super().__init__()
        self.theme: Theme = LIGHT
        self._ramp: Ramp | None = None
        self.setMinimumSize(200, 100)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName(tr("Cast of the greys over lightness"))
        self.setToolTip(tr("Full line: a*, above is redder. Dashed: b*, above is yellower."))

    def show_ramp(self, ramp: Ramp | None) -> None:
        """Show the greys of another chart."""
        self._ramp = ramp
        self.setAccessibleDescription("" if ramp is None else _cast_told(ramp))
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        with QPainter(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.fillRect(self.rect(), self.theme.colour("field"))
            ramp = self._ramp
            if ramp is None:
                return
            reach = max(3.0, float(np.abs(ramp.cast).max()) * 1.15)
            middle, left = self.height() / 2, 40

            def at(L: float, off: float) -> QPointF:
                return QPointF(left + L / 100 * (self.width() - left - 12), middle - off / reach * (middle - 14))

            painter.setPen(QPen(self.theme.colour("line"), 1))
            painter.drawLine(at(0, 0), at(100, 0))
            painter.setFont(font(7.5))
            painter.setPen(self.theme.colour("dim"))
            painter.drawText(QRectF(0, 4, 36, 13), Qt.AlignmentFlag.AlignRight, tr("+{reach:.0f}", reach=reach))
            painter.drawText(
                QRectF(0, self.height() - 17, 36, 13), Qt.AlignmentFlag.AlignRight, tr("−{reach:.0f}", reach=reach)
            )
            for axis, style in ((0, Qt.PenStyle.SolidLine), (1, Qt.PenStyle.DashLine)):
                painter.setPen(QPen(self.theme.colour("text"), 1.8, style))
                lean = zip(ramp.wanted[:, 0], ramp.cast[:, axis], strict=True)
                painter.drawPolyline(QPolygonF([at(float(L), float(off)) for L, off in lean]))


class RampsOver(QWidget):
    """The grey ramps of several prints over each other: how much lighter or darker each is than wanted."""

    def __init__(self) -> None:
        super().__init__()
        self.theme: Theme = LIGHT
        self._ramps: list[tuple[str, Ramp]] = []
        self.setMinimumSize(220, 120)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName(tr("Grey ramps of the prints over each other"))
        self.setToolTip(tr("Above the line a print is lighter than wanted, below it is darker."))

    def show_ramps(self, ramps: list[tuple[str, Ramp]]) -> None:
        """Show other ramps, with their prints' labels."""
        self._ramps = ramps
        self.setAccessibleDescription(". ".join(f"{name}: {_ramp_told(ramp)}" for name, ramp in ramps))
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        with QPainter(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.fillRect(self.rect(), self.theme.colour("field"))
            if not self._ramps:
                return
            off = [r.measured[:, 0] - r.wanted[:, 0] for _, r in self._ramps]
            reach = max(3.0, max(float(np.abs(o).max()) for o in off) * 1.15)
            middle, left, right = self.height() / 2, 40, 64

            def at(tone: float, L: float) -> QPointF:
                return QPointF(left + tone * (self.width() - left - right), middle - L / reach * (middle - 12))

            painter.setFont(font(7.5))
            painter.setPen(self.theme.colour("dim"))
            painter.drawText(QRectF(0, 4, 36, 13), Qt.AlignmentFlag.AlignRight, tr("L* +{reach:.0f}", reach=reach))
            painter.drawText(
                QRectF(0, self.height() - 17, 36, 13), Qt.AlignmentFlag.AlignRight, tr("−{reach:.0f}", reach=reach)
            )
            painter.setPen(QPen(self.theme.colour("line"), 1))
            painter.drawLine(at(0, 0), at(1, 0))
            styles = (Qt.PenStyle.SolidLine, Qt.PenStyle.DashLine, Qt.PenStyle.DotLine, Qt.PenStyle.DashDotLine)
            for number, ((name, ramp), lighter) in enumerate(zip(self._ramps, off, strict=True)):
                painter.setPen(QPen(self.theme.colour("text"), 1.8, styles[number % 4]))
                points = [at(float(t), float(o)) for t, o in zip(ramp.tone, lighter, strict=True)]
                painter.drawPolyline(QPolygonF(points))
                painter.drawText(QPointF(self.width() - right + 4, points[-1].y() + 4), name)


def _line(one: Floats, other: Floats) -> QLineF:
    return QLineF(float(one[0]), float(one[1]), float(other[0]), float(other[1]))


def _around(outline: Floats) -> list[QLineF]:
    """Return the sides of an outline (n, 2)."""
    return [_line(one, other) for one, other in zip(outline, np.roll(outline, -1, axis=0), strict=True)]


class ScanView(QWidget):
    """The scan, and on it what was read: each patch outlined, and marked where it is off or clipped."""

    picked = Signal(int)
    #: Four corners that a person placed, in pixels of the scan.
    placed = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self.theme: Theme = LIGHT
        self.setMinimumSize(260, 220)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName(tr("The scan as it was read"))
        self._image = QImage()
        self._factor = 1.0
        self._reading: Reading | None = None
        self._outlines: list[QLineF] = []
        self._crosses: list[QLineF] = []
        self.pick = -1
        self._corners: list[tuple[float, float]] | None = None

    def show_scan(self, scan: Codes | None) -> None:
        """Show a scan."""
        self._reading = None
        if scan is None:
            self._image = QImage()
        else:
            step = max(1, max(scan.shape[:2]) // _SHOWN)
            small = scan[::step, ::step, :3]
            eight = small if small.dtype == np.uint8 else (small >> 8).astype(np.uint8)
            self._image, self._factor = to_image(np.ascontiguousarray(eight)), 1.0 / step
        self.update()

    def show_reading(self, reading: Reading | None, de00: NDArray[np.float64], limit: float) -> None:
        """Show what was read on the scan; patches beyond `limit` are marked."""
        self._reading = reading
        self._outlines, self._crosses = [], []
        for row, outline in enumerate(() if reading is None else reading.corners * self._factor):
            self._outlines += _around(outline)
            if (row < len(de00) and de00[row] > limit) or bool(reading is not None and reading.clipped[row]):
                self._crosses += [_line(outline[0], outline[2]), _line(outline[1], outline[3])]
        self.update()

    def place_corners(self) -> None:
        """Let a person place the page's four corners by clicking on them."""
        self._corners = []
        self.setCursor(Qt.CursorShape.CrossCursor)
        self.update()

    def mark(self, index: int) -> None:
        """Mark a patch that was picked anywhere."""
        self.pick = index
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(500, 500)

    def _fit(self) -> tuple[QTransform, float]:
        if self._image.isNull():
            return QTransform(), 1.0
        scale = min(self.width() / self._image.width(), self.height() / self._image.height())
        x, y = (self.width() - self._image.width() * scale) / 2, (self.height() - self._image.height() * scale) / 2
        return QTransform.fromTranslate(x, y).scale(scale, scale), scale

    def paintEvent(self, _event: QPaintEvent) -> None:
        with QPainter(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.fillRect(self.rect(), self.theme.colour("surround"))
            if self._image.isNull():
                painter.setPen(QColor(245, 245, 245))
                painter.setFont(font(10))
                painter.drawText(
                    self.rect(), Qt.AlignmentFlag.AlignCenter, tr("No scan to show: it was measured by instrument.")
                )
                return
            fit, scale = self._fit()
            painter.setTransform(fit)
            painter.drawImage(0, 0, self._image)
            thin = 1.0 / scale
            if self._reading is not None:
                # All at once: a page has a thousand patches.
                for colour, wide in ((QColor(255, 255, 255), 2.4), (QColor(0, 0, 0), 1.0)):
                    painter.setPen(QPen(colour, wide * thin))
                    painter.drawLines(self._outlines)
                    if 0 <= self.pick < len(self._reading.corners):
                        painter.setPen(QPen(colour, (4.0 if wide > 2 else 2.0) * thin))
                        painter.drawLines(_around(self._reading.corners[self.pick] * self._factor))
                painter.setPen(QPen(QColor(0, 0, 0), thin))
                painter.drawLines(self._crosses)
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.setPen(QPen(QColor(0, 0, 0), 1.5 * thin, Qt.PenStyle.DashLine))
                painter.drawPolygon(QPolygonF([QPointF(*p) for p in self._reading.frame * self._factor]))
            for number, corner in enumerate(self._corners or ()):
                point = QPointF(corner[0] * self._factor, corner[1] * self._factor)
                painter.setPen(QPen(QColor(0, 0, 0), 2 * thin))
                painter.setBrush(QColor(255, 255, 255))
                painter.drawEllipse(point, 7 * thin, 7 * thin)
                painter.drawText(point + QPointF(9 * thin, 0), str(number + 1))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        fit, _ = self._fit()
        inverse, possible = fit.inverted()
        if not possible or self._image.isNull():
            return
        at = inverse.map(event.position())
        where = np.array([at.x(), at.y()]) / self._factor
        if self._corners is not None:
            self._corners.append((float(where[0]), float(where[1])))
            self.update()
            if len(self._corners) == 4:
                corners = np.array(self._corners)
                self._corners = None
                self.unsetCursor()
                self.placed.emit(corners)
        elif self._reading is not None:
            away = np.linalg.norm(self._reading.corners.mean(axis=1) - where, axis=1)
            self.picked.emit(int(away.argmin()))


class TrendPlot(QWidget):
    """The checks of a condition over time: mean and 95th percentile, with the limits of the last one."""

    chosen = Signal(int)

    def __init__(self) -> None:
        super().__init__()
        self.theme: Theme = LIGHT
        self.checks: list[Check] = []
        self.limits = (2.5, 5.0)
        self.pick = -1
        self.setMinimumSize(260, 160)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName(tr("Checks of this condition over time"))

    def show_checks(self, checks: list[Check], limits: tuple[float, float]) -> None:
        """Show checks, oldest first, with the limits of mean and 95th percentile."""
        self.checks, self.limits = [c for c in checks if c.verdict.cause != "by-eye"], limits
        self.pick = len(self.checks) - 1
        told = [
            tr(
                "{at:%d.%m.%Y}: ΔE00 mean {mean:.1f}, 95 of 100 {p95:.1f}",
                at=c.at,
                mean=c.verdict.mean,
                p95=c.verdict.p95,
            )
            for c in self.checks
        ]
        self.setAccessibleDescription("; ".join(told[-8:]) or tr("No checks yet"))
        self.update()

    def _place(self, number: int) -> float:
        """Return where a check stands: by time where that spreads them, else one after the other."""
        count = len(self.checks)
        even = number / max(1, count - 1)
        first, last = self.checks[0].at, self.checks[-1].at
        span = (last - first) / datetime.timedelta(days=1)
        share = ((self.checks[number].at - first) / datetime.timedelta(days=1)) / span if span > 2 else even
        return 66 + (0.6 * share + 0.4 * even) * (self.width() - 120)

    def paintEvent(self, _event: QPaintEvent) -> None:
        with QPainter(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.fillRect(self.rect(), self.theme.colour("field"))
            if not self.checks:
                return
            most = max(self.limits[1] * 1.3, *(c.verdict.p95 * 1.1 for c in self.checks))
            top, bottom = 12, self.height() - 30

            def y(de: float) -> float:
                return bottom - de / most * (bottom - top)

            painter.setFont(font(7.5))
            for limit, words in zip(self.limits, (tr("mean"), "95 %"), strict=True):
                painter.setPen(QPen(self.theme.colour("strong"), 1, Qt.PenStyle.DashLine))
                painter.drawLine(QPointF(60, y(limit)), QPointF(self.width() - 12, y(limit)))
                painter.setPen(self.theme.colour("dim"))
                painter.drawText(
                    QRectF(0, y(limit) - 7, 56, 14),
                    Qt.AlignmentFlag.AlignRight,
                    tr("{words} {limit:g}", words=words, limit=limit),
                )
            for value, pen in (
                ("p95", QPen(self.theme.colour("strong"), 1.4)),
                ("mean", QPen(self.theme.colour("text"), 2)),
            ):
                painter.setPen(pen)
                points = [QPointF(self._place(n), y(getattr(c.verdict, value))) for n, c in enumerate(self.checks)]
                painter.drawPolyline(QPolygonF(points))
            for number, check in enumerate(self.checks):
                point = QPointF(self._place(number), y(check.verdict.mean))
                # A pass is an open ring, a failure a full square: told by shape.
                painter.setPen(QPen(self.theme.colour("text"), 2.6 if number == self.pick else 1.6))
                if check.verdict.verdict == "pass":
                    painter.setBrush(self.theme.colour("field"))
                    painter.drawEllipse(point, 5, 5)
                else:
                    painter.setBrush(self.theme.colour("text"))
                    painter.drawRect(QRectF(point.x() - 4.5, point.y() - 4.5, 9, 9))
            painter.setPen(self.theme.colour("dim"))
            for number in {0, len(self.checks) - 1, max(0, self.pick)}:
                room = QRectF(self._place(number) - 45, bottom + 8, 90, 14)
                painter.drawText(room, Qt.AlignmentFlag.AlignCenter, f"{self.checks[number].at:%d.%m. %H:%M}")

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.checks:
            away = [abs(self._place(n) - event.position().x()) for n in range(len(self.checks))]
            self.pick = int(np.argmin(away))
            self.update()
            self.chosen.emit(self.pick)
