"""The thread: the route of the numbers, drawn as one line across the top of the window."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QFocusEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QResizeEvent,
)
from PySide6.QtWidgets import QAbstractButton, QSizePolicy, QWidget

from fidele import units
from fidele.dataclass import dataclass
from fidele.desk.by_any_hand import ByAnyHand
from fidele.desk.labels import label
from fidele.desk.theme import LIGHT, Theme, font, px, scale
from fidele.language import tr
from fidele.route.layers import Chain, Evidence

STATIONS = ("Artwork", "Proof", "Sheet", "Hand-off", "Print", "Press", "Check")
TIPS = {
    "Artwork": tr("The picture, and what its colours mean"),
    "Proof": tr("What will print, and what will be lost"),
    "Sheet": tr("Size and place on the media"),
    "Hand-off": tr("Who converts, mirrors and scales on the way to the ink"),
    "Print": tr("Send it to the printer"),
    "Press": tr("Heat-press the print on its piece"),
    "Check": tr("Is the print right, and if not, why"),
}
#: Where the line runs, how high the thread is, and where its stations begin, at the designed size of type.
_LINE, _TALL, _STATION = 43.0, 112, 58
_STROKE = 3.0


def _line_y() -> float:
    return _LINE * scale()


def _height() -> int:
    return px(_TALL)


@dataclass(frozen=True)
class ThreadState:
    """What the thread shows: the chain, a state for each station, whether the print is held, and the verdict."""

    chain: Chain | None
    words: dict[str, str]
    held: bool
    headline: str
    sentence: str


class _Station(ByAnyHand, QAbstractButton):
    """A station's name and state; the chosen one opens downward into its desk."""

    def __init__(self, name: str, parent: ThreadView) -> None:
        super().__init__(parent)
        self.name = name
        #: What it is called in the user's language.
        self.shown = tr(name)
        self.state = ""
        #: A desk beside this station is open.
        self.aside = False
        self._view = parent
        self._by_key = False
        self.setCheckable(True)
        self.setAutoExclusive(True)
        self.watch_toggles()
        self.setAccessibleName(self.shown)
        number = STATIONS.index(name) + 1
        self.setToolTip(tr("{tips} (Alt+{number})", tips=TIPS[name], number=number))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def sizeHint(self) -> QSize:
        return QSize(px(100), px(56))

    def focusInEvent(self, event: QFocusEvent) -> None:
        # A ring is for those who move by keyboard.
        self._by_key = event.reason() in (Qt.FocusReason.TabFocusReason, Qt.FocusReason.BacktabFocusReason)
        super().focusInEvent(event)

    def paintEvent(self, _event: QPaintEvent) -> None:
        theme = self._view.theme
        with QPainter(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            if self.isChecked():
                path = QPainterPath()
                path.addRoundedRect(QRectF(0, 0, self.width(), self.height() + 8), 4, 4)
                painter.fillPath(path, theme.colour("desk"))
            elif self.aside:  # open all the same, with another desk in front
                painter.setPen(QPen(theme.colour("strong"), 1.4, Qt.PenStyle.DashLine))
                top = px(16) if self.name == "Hand-off" else 1  # the layers' names stand above it
                painter.drawRoundedRect(QRectF(1, top, self.width() - 2, self.height() + 8), 4, 4)
            name_font = font(11.0, font().Weight.DemiBold)
            painter.setFont(name_font)
            painter.setPen(theme.colour("text"))
            if self.name == "Hand-off":
                self._view.name_layers(painter, self.x())
                painter.setFont(name_font)
                painter.setPen(theme.colour("text"))
                wide = painter.fontMetrics().horizontalAdvance(self.shown)
                painter.setFont(font(8.5))
                gap = 10
                room = self.width() - wide - gap - 12
                said = painter.fontMetrics().elidedText(self.state, Qt.TextElideMode.ElideRight, int(room))
                total = wide + gap + painter.fontMetrics().horizontalAdvance(said)
                x = (self.width() - total) / 2
                painter.setPen(theme.colour("text" if self.isChecked() else "dim"))
                painter.drawText(QRectF(x + wide + gap, px(24), room + 8, px(26)), Qt.AlignmentFlag.AlignVCenter, said)
                painter.setFont(name_font)
                painter.setPen(theme.colour("text"))
                painter.drawText(QRectF(x, px(24), wide + 4, px(26)), Qt.AlignmentFlag.AlignVCenter, self.shown)
            else:
                painter.drawText(QRectF(0, px(4), self.width(), px(24)), Qt.AlignmentFlag.AlignCenter, self.shown)
                painter.setFont(font(8.5))
                painter.setPen(theme.colour("text" if self.isChecked() else "dim"))
                room, said = self.width() - 6, self.state
                if painter.fontMetrics().horizontalAdvance(said) > room:  # the unit of a size goes first
                    said = said.removesuffix(f" {units.unit_of('length')}")
                said = painter.fontMetrics().elidedText(said, Qt.TextElideMode.ElideRight, room)
                painter.drawText(QRectF(0, px(26), self.width(), px(20)), Qt.AlignmentFlag.AlignCenter, said)
            if self._by_key and self.hasFocus():
                painter.setPen(QPen(theme.colour("text"), 1, Qt.PenStyle.DotLine))
                painter.drawRoundedRect(QRectF(2.5, 1.5, self.width() - 5, self.height() - 5), 4, 4)


class ThreadView(QWidget):
    """Draws the thread from the route as it is known, and lets a person choose a station."""

    chosen = Signal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("thread")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(_height())
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.theme: Theme = LIGHT
        self.state = ThreadState(None, {}, False, "", "")
        self.stations = {name: _Station(name, self) for name in STATIONS}
        for name, station in self.stations.items():
            station.clicked.connect(lambda _=False, n=name: self.chosen.emit(n))
        self.headline = label("", 11.0, bold=True, parent=self)
        self.sentence = label("", 9.0, dim=True, wrap=True, parent=self)
        self.sentence.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.headline.setWordWrap(True)
        self.headline.setAlignment(Qt.AlignmentFlag.AlignBottom)

    def show_state(self, state: ThreadState) -> None:
        """Show another state of the route."""
        self.state = state
        for name, station in self.stations.items():
            station.state = state.words.get(name, "")
            station.setVisible(name in state.words)
            station.setAccessibleDescription(
                tr("{state}; a desk beside it is open", state=station.state) if station.aside else station.state
            )
            station.update()
        self.headline.setText(state.headline)
        self.sentence.setText(state.sentence)
        self.setAccessibleName(tr("Thread: {headline}. {sentence}", headline=state.headline, sentence=state.sentence))
        self._arrange()
        self.update()

    def choose(self, name: str, beside: str = "") -> None:
        """Mark a station as the open one; of any other desk mark the station that it stands `beside`."""
        for station, shown in self.stations.items():
            shown.aside = station == beside and name not in self.stations
            shown.setAutoExclusive(False)
            shown.setChecked(station == name)
            shown.setAutoExclusive(True)
        self.update()

    def _arrange(self) -> None:
        """Put the stations at their places: the hand-off takes a span, the verdict the right end."""
        verdict = min(px(252), max(px(196), round(self.width() * 0.20)))
        end = self.width() - verdict - 18
        start = 16
        names = [n for n in STATIONS if n in self.state.words] or list(STATIONS)
        weights = [2.95 if n == "Hand-off" else 1.0 for n in names]
        unit = (end - start) / sum(weights)
        x = float(start)
        self._span: dict[str, tuple[float, float]] = {}
        for name, weight in zip(names, weights, strict=True):
            width = unit * weight
            self._span[name] = (x, width)
            self.stations[name].setGeometry(round(x), px(_STATION), round(width), _height() - px(_STATION))
            x += width
        self._end = end
        self.headline.setGeometry(end + 22, px(14), verdict - 16, px(26))
        self.sentence.setGeometry(end + 22, px(44), verdict - 16, px(64))

    def resizeEvent(self, _event: QResizeEvent) -> None:
        self._arrange()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """The verdict, and what is drawn on the thread, lead to the desk that mends it."""
        x, start = event.position().x(), self._span.get("Hand-off", (0.0, 0.0))
        if x > self._end:
            self.chosen.emit("Print" if self.state.held else "Hand-off")
        elif start[0] <= x <= start[0] + start[1]:
            self.chosen.emit("Hand-off")

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            names = list(self._span)
            here = next((i for i, n in enumerate(names) if self.stations[n].isChecked()), 0)
            there = max(0, min(len(names) - 1, here + (1 if event.key() == Qt.Key.Key_Right else -1)))
            self.stations[names[there]].setFocus()
            self.stations[names[there]].click()
            return
        super().keyPressEvent(event)

    # Drawing -----------------------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        with QPainter(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setPen(QPen(self.theme.colour("line"), 1))
            painter.drawLine(0, _height() - 1, self.width(), _height() - 1)
            strong, pale = self.theme.colour("text"), self.theme.colour("faint")
            held = self.state.held
            x0, width = self._span.get("Hand-off", (0.0, 0.0))
            cut_at = x0 + width + 6 if held and width else None
            gaps: list[tuple[float, float]] = []
            layers = self._layer_places()
            chain = self.state.chain
            if chain is not None:
                for name, x in layers.items():
                    layer = chain.layer(name)
                    if layer.converts is None or layer.doubtful or layer.evidence is Evidence.NOT_KNOWN:
                        gaps.append((x - 26, x + 26))
            self._line(painter, 17, cut_at - 8 if cut_at else self._end, gaps, strong)
            if cut_at:
                self._line(painter, cut_at + 14, self._end, [], pale)
                self._fray(painter, cut_at, strong, pale)
            if chain is not None and width:
                self._layers(painter, layers, strong)
            for name, (x, wide) in self._span.items():
                if name == "Hand-off":
                    continue
                after = cut_at is not None and x > cut_at - 10
                self._stop(
                    painter,
                    QPointF(x + wide / 2, _line_y()),
                    self.stations[name].isChecked(),
                    pale if after else strong,
                )

    def _layer_places(self) -> dict[str, float]:
        if "Hand-off" not in self._span or self.state.chain is None:
            return {}
        x, width = self._span["Hand-off"]
        names = [layer.name for layer in self.state.chain.layers]
        step = width / (len(names) + 0.35)
        return {name: x + step * (i + 0.62) for i, name in enumerate(names)}

    def _line(
        self, painter: QPainter, start: float, end: float, gaps: list[tuple[float, float]], colour: QColor
    ) -> None:
        solid = QPen(colour, _STROKE, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap)
        x = start
        for a, b in sorted(gaps):
            if b > end:
                continue
            painter.setPen(solid)
            painter.drawLine(QPointF(x, _line_y()), QPointF(a, _line_y()))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(colour)
            for dot in range(5):
                painter.drawEllipse(QPointF(a + 9 + dot * (b - a - 18) / 4, _line_y()), 1.7, 1.7)
            x = b
        painter.setPen(solid)
        painter.drawLine(QPointF(x, _line_y()), QPointF(end, _line_y()))

    def _layers(self, painter: QPainter, places: dict[str, float], colour: QColor) -> None:
        chain = self.state.chain
        if chain is None:
            return
        for layer in chain.layers:
            x = places[layer.name]
            marks = [
                m
                for m, on in (
                    ("knot", layer.converts),
                    ("twist", layer.mirrors),
                    ("stretch", layer.scale not in (None, 1.0)),
                )
                if on
            ]
            spread = 40.0
            for index, mark in enumerate(marks):
                at = x + (index - (len(marks) - 1) / 2) * spread
                {"knot": self._knot, "twist": self._twist, "stretch": self._stretch}[mark](painter, at, colour)
            painter.setPen(QPen(colour, 1.5))
            painter.setBrush(self.theme.colour("thread"))
            painter.drawRect(QRectF(x - 2.5, _line_y() + 8, 5, 5))

    def name_layers(self, painter: QPainter, left: int) -> None:
        """Write the layers' names into the hand-off's own button, which lies over the thread there."""
        painter.setFont(font(7.5))
        painter.setPen(self.theme.colour("dim"))
        for name, x in self._layer_places().items():
            painter.drawText(
                QRectF(x - left - px(40), -3, px(80), px(16)), Qt.AlignmentFlag.AlignCenter, _LAYERS.get(name, name)
            )

    def _pen(self, colour: QColor, width: float = _STROKE) -> QPen:
        return QPen(colour, width, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap, Qt.PenJoinStyle.RoundJoin)

    def _knot(self, painter: QPainter, x: float, colour: QColor) -> None:
        y = _line_y()
        path = QPainterPath(QPointF(x - 20, y))
        path.cubicTo(x - 4, y, x + 13, y - 4, x + 11.5, y - 15)
        path.cubicTo(x + 10, y - 27, x - 10, y - 27, x - 11.5, y - 15)
        path.cubicTo(x - 13, y - 4, x + 4, y, x + 20, y)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(self._pen(colour))
        painter.drawPath(path)

    def _twist(self, painter: QPainter, x: float, colour: QColor) -> None:
        y = _line_y()
        painter.fillRect(QRectF(x - 16, y - 3, 32, 6), self.theme.colour("thread"))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(self._pen(colour, 2.2))
        for side in (1, -1):
            path = QPainterPath(QPointF(x - 17, y))
            path.cubicTo(x - 11, y - 13 * side, x - 6, y - 10 * side, x, y)
            path.cubicTo(x + 6, y + 10 * side, x + 11, y + 13 * side, x + 17, y)
            painter.drawPath(path)

    def _stretch(self, painter: QPainter, x: float, colour: QColor) -> None:
        y = _line_y()
        painter.fillRect(QRectF(x - 16, y - 3, 32, 6), self.theme.colour("thread"))
        path = QPainterPath(QPointF(x - 17, y))
        for index in range(8):
            path.lineTo(x - 14 + index * 4, y + (6 if index % 2 else -6))
        path.lineTo(x + 17, y)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(self._pen(colour, 2.4))
        painter.drawPath(path)

    def _fray(self, painter: QPainter, x: float, strong: QColor, pale: QColor) -> None:
        for end, way, colour in ((x - 8, 1, strong), (x + 14, -1, pale)):
            painter.setPen(self._pen(colour, 1.8))
            for spread in (-6, 0, 6):
                painter.drawLine(QPointF(end, _line_y()), QPointF(end + 8 * way, _line_y() + spread))

    def _stop(self, painter: QPainter, at: QPointF, filled: bool, colour: QColor) -> None:
        painter.setPen(QPen(colour, 2.2))
        painter.setBrush(colour if filled else self.theme.colour("thread"))
        painter.drawEllipse(at, 5, 5)


#: What layers are called on the line.
_LAYERS = {"program": tr("program"), "system": tr("system"), "driver": tr("driver"), "panel": tr("panel")}
