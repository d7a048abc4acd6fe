"""The sheet desk: the picture at its true size on its media."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QBrush, QColor, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QTransform
from PySide6.QtWidgets import QDoubleSpinBox, QGridLayout, QHBoxLayout, QSizePolicy, QWidget

from fidele.desk.desk import Desk
from fidele.desk.labels import button, heading, label
from fidele.desk.picture import to_image
from fidele.desk.strip import small
from fidele.desk.theme import LIGHT, Theme, font
from fidele.desk.work import Work
from fidele.session.model import Session
from fidele.sheet.placing import Media, Placing, fitted


class SheetView(QWidget):
    """Draws the sheet to scale with rulers in mm; the picture can be dragged or moved by arrow keys."""

    moved = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(260, 240)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Sheet")
        self.setToolTip("Drag the picture, or move it by arrow keys: 1 mm, with Shift 10 mm")
        self.theme: Theme = LIGHT
        self.media: Media | None = None
        self.placing: Placing | None = None
        self.image: QImage | None = None
        self.mirrored = False
        self.margins_swapped = False
        self._drag: tuple[QPointF, Placing] | None = None

    def _scale(self) -> float:
        if self.media is None:
            return 1.0
        return min((self.width() - 70) / self.media.width, (self.height() - 60) / self.media.height)

    def _origin(self) -> QPointF:
        if self.media is None:
            return QPointF()
        s = self._scale()
        return QPointF((self.width() - self.media.width * s) / 2 + 14, (self.height() - self.media.height * s) / 2 + 12)

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.fillRect(self.rect(), self.theme.colour("surround"))
        media = self.media
        if media is None:
            return
        s, o = self._scale(), self._origin()
        paper = QRectF(o.x(), o.y(), media.width * s, media.height * s)
        painter.fillRect(paper.translated(3, 3), QColor(90, 90, 90))
        painter.fillRect(paper, QColor(248, 248, 248))
        left, top, right, bottom = media.printable
        if self.margins_swapped:  # on the piece the margins of mirrored paper have changed sides
            left, right = media.width - right, media.width - left
        inside = QRectF(o.x() + left * s, o.y() + top * s, (right - left) * s, (bottom - top) * s)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QBrush(QColor(175, 175, 175), Qt.BrushStyle.BDiagPattern))
        for strip in (
            QRectF(paper.left(), paper.top(), paper.width(), inside.top() - paper.top()),
            QRectF(paper.left(), inside.bottom(), paper.width(), paper.bottom() - inside.bottom()),
            QRectF(paper.left(), inside.top(), inside.left() - paper.left(), inside.height()),
            QRectF(inside.right(), inside.top(), paper.right() - inside.right(), inside.height()),
        ):
            painter.drawRect(strip)
        self._rulers(painter, paper, media, s)
        if self.placing is not None and self.image is not None:
            p = self.placing
            x = media.width - p.x - p.width if self.mirrored else p.x
            at = QRectF(o.x() + x * s, o.y() + p.y * s, p.width * s, p.height * s)
            image = self.image.transformed(QTransform().scale(-1, 1)) if self.mirrored else self.image
            painter.save()
            painter.setClipRect(paper)
            painter.drawImage(at, image)
            painter.restore()
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(
                QPen(QColor(40, 40, 40), 1, Qt.PenStyle.DashLine if self.hasFocus() else Qt.PenStyle.SolidLine)
            )
            painter.drawRect(at)

    def _rulers(self, painter: QPainter, paper: QRectF, media: Media, s: float) -> None:
        painter.setFont(font(7))
        painter.setPen(QColor(245, 245, 245))
        step = 10 if s > 1.2 else 20
        for mm in range(0, int(media.width) + 1, step):
            x = paper.left() + mm * s
            long = mm % 50 == 0
            painter.drawLine(QPointF(x, paper.top() - (9 if long else 5)), QPointF(x, paper.top() - 2))
            if long:
                painter.drawText(QRectF(x - 20, paper.top() - 24, 40, 14), Qt.AlignmentFlag.AlignCenter, str(mm))
        for mm in range(0, int(media.height) + 1, step):
            y = paper.top() + mm * s
            long = mm % 50 == 0
            painter.drawLine(QPointF(paper.left() - (9 if long else 5), y), QPointF(paper.left() - 2, y))
            if long:
                painter.drawText(
                    QRectF(paper.left() - 44, y - 8, 32, 16),
                    Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight,
                    str(mm),
                )

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.placing is not None:
            self._drag = (event.position(), self.placing)
            self.setCursor(Qt.CursorShape.ClosedHandCursor)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._drag is not None:
            start, placing = self._drag
            by = (event.position() - start) / self._scale()
            self.placing = placing.moved(-by.x() if self.mirrored else by.x(), by.y())
            self.update()

    def mouseReleaseEvent(self, _event: QMouseEvent) -> None:
        self.unsetCursor()
        if self._drag is not None and self.placing is not None and self.placing != self._drag[1]:
            # Half a millimetre is what a hand can mean.
            placing = replace(self.placing, x=round(self.placing.x * 2) / 2, y=round(self.placing.y * 2) / 2)
            self._drag = None
            self.moved.emit(placing)
        self._drag = None

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, -1), Qt.Key.Key_Down: (0, 1)}
        if event.key() in steps and self.placing is not None:
            far = 10 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1
            dx, dy = steps[Qt.Key(event.key())]
            self.moved.emit(self.placing.moved((-dx if self.mirrored else dx) * far, dy * far))
        else:
            super().keyPressEvent(event)


class SheetDesk(Desk):
    """Gives the picture its printed size, once; afterwards nothing scales."""

    station = "Sheet"

    def __init__(self, session: Session, work: Work) -> None:
        super().__init__(session, work)
        top = QHBoxLayout()
        self.title = heading("")
        top.addWidget(self.title)
        top.addStretch()
        self.paper_view = button(
            "As it lies on the paper", self.refresh, "Mirrored, as the printer puts it on the transfer paper"
        )
        self.paper_view.setCheckable(True)
        top.addWidget(self.paper_view)
        self.box.addLayout(top)
        self.view = SheetView()
        self.view.moved.connect(lambda placing: self.session.place(placing, "Move the picture"))
        self.box.addWidget(self.view, 1)
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(4)
        self.fields: dict[str, QDoubleSpinBox] = {}
        for index, (name, tip) in enumerate(
            (
                ("width", "Printed width"),
                ("height", "Printed height"),
                ("x", "From the left edge"),
                ("y", "From the upper edge"),
            )
        ):
            grid.addWidget(label(name, 9.0, dim=True), index // 2, index % 2 * 2)
            self.fields[name] = self._field(name, tip)
            grid.addWidget(self.fields[name], index // 2, index % 2 * 2 + 1)
        grid.setColumnStretch(4, 1)
        self.own = button("Own size", self._own, "The size that the file's own resolution gives")
        self.largest = button("Largest that fits", self._fit, "As large as the printable area allows")
        grid.addWidget(self.own, 0, 5)
        grid.addWidget(self.largest, 1, 5)
        self.box.addLayout(grid)
        self._image_for: tuple[object, ...] = ()

    def _field(self, name: str, tip: str) -> QDoubleSpinBox:
        field = QDoubleSpinBox()
        field.setFont(font(9))
        field.setRange(1 if name in ("width", "height") else -1000, 5000)
        field.setDecimals(1)
        field.setSuffix(" mm")
        field.setToolTip(tip)
        field.setAccessibleName(tip)
        field.setKeyboardTracking(False)
        field.setFixedWidth(86)
        field.lineEdit().setTextMargins(6, 0, 0, 0)
        field.valueChanged.connect(lambda value: self._typed(name, value))
        return field

    def _typed(self, name: str, value: float) -> None:
        placing = self.session.placing
        if placing is None or abs(getattr(placing, name) - value) < 0.05:
            return
        if name == "width":
            self.session.place(placing.resized(value), f"Width {value:.1f} mm")
        elif name == "height":
            self.session.place(placing.resized(value * placing.width / placing.height), f"Height {value:.1f} mm")
        else:
            self.session.place(replace(placing, **{name: value}), "Move the picture")

    def _own(self) -> None:
        if self.session.artwork is not None:
            self.session.place(Placing.centred(self.session.media, *self.session.artwork.own_mm), "Own size")

    def _fit(self) -> None:
        if self.session.placing is not None:
            p = self.session.placing
            self.session.place(fitted(self.session.media, p.width, p.height), "Largest that fits")

    def refresh(self) -> None:
        """Show the sheet as it is."""
        session = self.session
        media, placing, artwork, card = session.media, session.placing, session.artwork, session.card
        transfer = card is not None and card.process == "transfer"
        mirrors = session.chain is not None and session.chain.twists % 2 == 1
        self.title.setText(
            f"{media.name}, {media.width:g} x {media.height:g} mm" + ("" if artwork else ": nothing on it yet")
        )
        self.paper_view.setVisible(transfer)
        self.view.theme = self.theme
        self.view.media, self.view.placing = media, placing
        self.view.mirrored = self.paper_view.isChecked() and mirrors
        self.view.margins_swapped = mirrors and not self.view.mirrored
        chart = session.chart is not None
        for control in (*self.fields.values(), self.own, self.largest):
            control.setEnabled(artwork is not None and not chart)
        self.view.setEnabled(not chart)
        if artwork is None:
            self.view.image = None
            self.view.update()
            return
        key = (
            id(artwork.pixels),
            artwork.profile.content_id,
            card.profile if card else None,
            card.intent if card else None,
            card.bpc if card else None,
        )
        if key != self._image_for:
            self._image_for = key
            self._want_picture()
        if placing is not None:
            for name, field in self.fields.items():
                field.blockSignals(True)
                field.setValue(getattr(placing, name))
                field.blockSignals(False)
        self.view.update()

    def _want_picture(self) -> None:
        """Have the picture made beside the interface, as a predicted print where there is a profile."""
        session, artwork = self.session, self.session.artwork
        if artwork is None:
            return
        look = None
        if session.profile is not None and session.card is not None:
            look = session.looks.printed(artwork.profile, replace(session.proof_settings, paper_white=False))

        def show(image: QImage) -> None:
            self.view.image = image
            self.view.update()

        self.work.quietly("the sheet's picture", lambda _: to_image(small(artwork, 700, look)), show)

    def facts(self) -> list[tuple[str, str]]:
        """Return size, resolution and margins."""
        media, placing, artwork = self.session.media, self.session.placing, self.session.artwork
        left, top, right, bottom = media.margins
        rows = [
            ("Media", f"{media.name}, {media.width:g} x {media.height:g} mm"),
            ("Unprintable", f"{left:g} left, {top:g} top, {right:g} right, {bottom:g} bottom"),
        ]
        if placing is not None and artwork is not None:
            share = min(1.0, placing.width * placing.height / (media.width * media.height))
            rows += [
                ("Printed size", f"{placing.width:.1f} x {placing.height:.1f} mm"),
                ("Effective", f"{placing.ppi(artwork.width):.0f} ppi"),
                ("Use", f"{share * 100:.0f} % of the sheet"),
            ]
        return rows
