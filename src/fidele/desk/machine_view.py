"""A simulated device as it stands there: switch, trays, tanks, nozzles and panel, each to be pressed by hand."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from PySide6.QtCore import QPoint, QRectF, Qt, Signal
from PySide6.QtGui import QFontMetrics, QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent
from PySide6.QtWidgets import QMenu, QSizePolicy, QWidget

from fidele.desk.spots import Part, Spots
from fidele.desk.theme import LIGHT, Theme, font, px
from fidele.devices.protocol import Control
from fidele.language import tr

#: Height of a line on a panel, and of the parts of a printer, at the designed size of type.
_LINE, _HEAD, _TRAY, _TANK, _NOZZLES = 22, 34, 30, 62, 16
#: So many dots stand for a tank's nozzles.
_DOTS = 10
#: Points of what is written on a machine.
_SAID = 8.5


def words(control: Control, value: object) -> str:
    """Return how a value of a control is said: ink as percent, a pace as times, a path by its name, nothing as none."""
    if isinstance(value, float):
        return (
            tr("{value:.0f} %", value=value * 100)
            if control.part
            else tr("as they are")
            if value == 1
            else tr("{value:g} times as fast", value=value)
        )
    said = str(value).rpartition("/")[2] or tr("none")
    # Where a machine has words of its own for it they stand as they are; on and off, yes and no are ours.
    return tr(said) if control.said else said


def called(control: Control) -> str:
    """Return what a control is called."""
    return control.said or control.name


class MachineView(QWidget):
    """Draws one device from its controls; what is pressed offers what it can be."""

    #: A control was given a value.
    turned = Signal(object, object)

    def __init__(self, theme: Theme = LIGHT) -> None:
        super().__init__()
        self.theme = theme
        self.controls: tuple[Control, ...] = ()
        self._spots = Spots(self)
        self._places: list[tuple[QRectF, Control]] = []
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setMinimumWidth(px(300))

    def show_controls(self, controls: Sequence[Control], theme: Theme) -> None:
        """Show a device as it stands now."""
        self.controls, self.theme = tuple(controls), theme
        self.setAccessibleName(tr("{device}, as it stands on the bench", device=controls[0].device))
        self.setFixedHeight(round(self._arrange()))
        self._tell()
        self.update()

    def _of(self, *kinds: str) -> list[Control]:
        return [c for c in self.controls if c.part.partition(":")[0] in kinds]

    def _arrange(self) -> float:
        """Give every control its place; return the height that they take."""
        self._places = []
        wide, margin = float(self.width()), float(px(10))
        for power in self._of("power"):
            said = max(QFontMetrics(font(_SAID)).horizontalAdvance(words(power, v)) for v in ("on", "off"))
            room = px(40) + said + px(4)
            self._places.append((QRectF(wide - room - margin, px(6), room, px(24)), power))
        y = float(px(_HEAD))
        trays = self._of("tray")
        for number, tray in enumerate(trays):
            share = (wide - 2 * margin) / len(trays)
            self._places.append((QRectF(margin + number * share, y, share - px(8), px(_TRAY)), tray))
        y += px(_TRAY + 8) if trays else 0
        tanks, nozzles = self._of("tank"), self._of("nozzles")
        for number, (tank, jets) in enumerate(zip(tanks, nozzles, strict=True)):
            share = (wide - 2 * margin + px(8)) / len(tanks)
            x = margin + number * share
            self._places.append((QRectF(x, y, share - px(8), px(_TANK)), tank))
            self._places.append((QRectF(x, y + px(_TANK + 2), share - px(8), px(_NOZZLES)), jets))
        y += px(_TANK + _NOZZLES + 8) if tanks else 0
        lines = self._of("panel", "driver", "")
        for number, one in enumerate(lines):
            self._places.append((QRectF(margin, y + number * px(_LINE), wide - 2 * margin, px(_LINE)), one))
        return y + len(lines) * px(_LINE) + px(12)

    def _tell(self) -> None:
        """Let every control be reached and pressed by keyboard and screen reader."""
        self._spots.show(
            [
                Part(f"{c.device}, {called(c)}: {words(c, c.value)}", place.toRect(), partial(self.ask, c))
                for place, c in self._places
            ]
        )

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.setFixedHeight(round(self._arrange()))
        self._tell()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        hit = next((c for place, c in self._places if place.contains(event.position())), None)
        if hit is not None and event.button() == Qt.MouseButton.LeftButton:
            self.ask(hit)

    def ask(self, control: Control) -> None:
        """Change a switch at once; of several values let one be chosen."""
        if len(control.offered) == 2 and control.value in control.offered:
            self.turned.emit(control, control.offered[1 - control.offered.index(control.value)])
            return
        menu = self.menu(control)
        place = next(place for place, c in self._places if c is control)
        menu.popup(self.mapToGlobal(QPoint(round(place.x()), round(place.bottom()))))

    def menu(self, control: Control) -> QMenu:
        """Return the menu of what a control can be."""
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        for value in control.offered:
            action = menu.addAction(words(control, value), partial(self.turned.emit, control, value))
            action.setCheckable(True)
            action.setChecked(value == control.value)
        return menu

    # Drawing -----------------------------------------------------------------------------------------------------

    def paintEvent(self, _event: QPaintEvent) -> None:
        with QPainter(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            body = QRectF(self.rect()).adjusted(1, 1, -1, -1)
            painter.setPen(QPen(self.theme.colour("strong"), 1.4))
            painter.setBrush(self.theme.colour("card"))
            painter.drawRoundedRect(body, px(8), px(8))
            painter.setFont(font(10, font().Weight.DemiBold))
            painter.setPen(self.theme.colour("text"))
            if self.controls:
                painter.drawText(
                    QRectF(px(12), px(6), self.width(), px(24)), Qt.AlignmentFlag.AlignVCenter, self._title()
                )
            for place, control in self._places:
                kind = control.part.partition(":")[0]
                {"power": self._power, "tray": self._tray, "tank": self._tank, "nozzles": self._nozzles}.get(
                    kind, self._line
                )(painter, place, control)

    def _title(self) -> str:
        return tr(self.controls[0].device)

    def _power(self, painter: QPainter, place: QRectF, control: Control) -> None:
        """A switch that lies at the right when it is on."""
        on = control.value == "on"
        track = QRectF(place.x(), place.y() + px(3), px(34), px(18))
        painter.setPen(QPen(self.theme.colour("strong"), 1.4))
        painter.setBrush(self.theme.colour("press" if on else "field"))
        painter.drawRoundedRect(track, px(9), px(9))
        painter.setBrush(self.theme.colour("field" if on else "strong"))
        painter.drawEllipse(QRectF(track.x() + (px(18) if on else px(2)), track.y() + px(2), px(14), px(14)))
        self._say(painter, place.adjusted(px(40), 0, 0, 0), words(control, control.value))

    def _tray(self, painter: QPainter, place: QRectF, control: Control) -> None:
        """A tray with the sheet that lies in it."""
        painter.setPen(QPen(self.theme.colour("strong"), 1.4))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawLine(place.bottomLeft(), place.bottomRight())
        painter.drawLine(place.bottomLeft(), place.bottomLeft() - QPoint(0, px(9)))
        painter.drawLine(place.bottomRight(), place.bottomRight() - QPoint(0, px(9)))
        sheet = place.adjusted(px(8), px(2), -px(8), -px(3))
        painter.setPen(QPen(self.theme.colour("line"), 1))
        painter.setBrush(self.theme.colour("field"))
        painter.drawRect(sheet)
        _, _, way = control.part.partition(":")
        size = words(control, control.value)
        said = tr("{size}, in the {way}", size=size, way=way) if way else size
        self._say(painter, sheet.adjusted(px(8), 0, 0, 0), said)

    def _tank(self, painter: QPainter, place: QRectF, control: Control) -> None:
        """A tank with its ink, as high as it stands, and in words."""
        level = float(control.value)
        painter.setPen(QPen(self.theme.colour("strong"), 1.4))
        painter.setBrush(self.theme.colour("field"))
        tank = place.adjusted(0, 0, 0, -px(16))
        painter.drawRoundedRect(tank, px(4), px(4))
        ink = tank.adjusted(2, 2, -2, -2)
        ink.setTop(ink.bottom() - ink.height() * level)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(self.theme.colour("dim" if level > 0.1 else "text"))
        painter.drawRect(ink)
        painter.setPen(self.theme.colour("text"))
        painter.setFont(font(8, font().Weight.DemiBold if level <= 0.1 else font().Weight.Normal))
        top = QRectF(tank.x(), tank.y(), tank.width(), px(18)) if level < 0.7 else QRectF()
        inside = tank if top.isNull() else top
        if top.isNull():
            painter.setPen(self.theme.colour("field"))
        painter.drawText(inside, Qt.AlignmentFlag.AlignCenter, words(control, level))
        painter.setPen(self.theme.colour("text"))
        below = QRectF(place.x(), place.bottom() - px(16), place.width(), px(16))
        painter.drawText(below, Qt.AlignmentFlag.AlignCenter, tr(control.part.partition(":")[2]))

    def _nozzles(self, painter: QPainter, place: QRectF, control: Control) -> None:
        """Nozzles as dots: hollow ones let nothing through."""
        share = float(control.value)
        step, size = place.width() / _DOTS, min(px(6), place.width() / _DOTS * 0.75)
        painter.setPen(QPen(self.theme.colour("text"), 1.2))
        for dot in range(_DOTS):
            # Clogged ones lie scattered, not in a row.
            open_ = (dot * 7) % _DOTS < round(share * _DOTS)
            painter.setBrush(self.theme.colour("text") if open_ else Qt.BrushStyle.NoBrush)
            x = place.x() + (dot + 0.5) * step - size / 2
            painter.drawEllipse(QRectF(x, place.y() + px(4), size, size))

    def _line(self, painter: QPainter, place: QRectF, control: Control) -> None:
        """A line of a panel, or of the driver's administrator: what it is called, and how it stands."""
        kind = control.part or "driver"
        painter.setPen(QPen(self.theme.colour("line"), 1))
        painter.setBrush(self.theme.colour("thread" if kind == "panel" else "card"))
        painter.drawRect(place)
        value = words(control, control.value)
        painter.setFont(font(8.5, font().Weight.DemiBold))
        room = min(place.width() * 0.5, painter.fontMetrics().horizontalAdvance(value) + px(12))
        right = QRectF(place.right() - room, place.y(), room - px(6), place.height())
        painter.setPen(self.theme.colour("text"))
        said = painter.fontMetrics().elidedText(value, Qt.TextElideMode.ElideRight, int(right.width()))
        painter.drawText(right, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, said)
        self._say(painter, place.adjusted(px(6), 0, -room, 0), called(control), dim=True)

    def _say(self, painter: QPainter, place: QRectF, said: str, dim: bool = False) -> None:
        painter.setFont(font(_SAID))
        painter.setPen(self.theme.colour("dim" if dim else "text"))
        shown = painter.fontMetrics().elidedText(said, Qt.TextElideMode.ElideRight, int(place.width()))
        painter.drawText(place, Qt.AlignmentFlag.AlignVCenter, shown)
