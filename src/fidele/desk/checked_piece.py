"""The finished piece as its own chart: what was promised beside what is there, where it is off, and why."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QImage, QPainter, QPaintEvent, QPen, QPolygonF

from fidele.desk.check_pages import Page
from fidele.desk.kit import across, down, fill
from fidele.desk.labels import button, heading, label, section
from fidele.desk.picture import to_image
from fidele.desk.plots import Plot, Suspects
from fidele.desk.theme import font
from fidele.language import lowered, named, tr
from fidele.piece.check import PieceChecked

#: L* from which on a cell of the map bears a sign, and at which the sign is at its largest.
_SIGN, _LARGE = 1.2, 6.0


class PieceView(Plot):
    """Promised above, the piece below, in one frame; signs say where it is paler (up) or darker (down)."""

    def __init__(self) -> None:
        super().__init__(tr("The piece, with signs where it is paler or darker than the rest"))
        self._checked: PieceChecked | None = None
        self._pair: tuple[QImage, QImage] | None = None
        self.setMinimumSize(300, 260)

    def show_piece(self, checked: PieceChecked) -> None:
        """Show a piece that was judged."""
        self._checked = checked
        self._pair = to_image(checked.promised), to_image(checked.seen)
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        if self._pair is None or self._checked is None:
            return
        with QPainter(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            half = self.height() / 2
            for number, (image, words) in enumerate(zip(self._pair, (tr("Promised"), tr("The piece")), strict=True)):
                painter.setPen(self._ink())
                painter.setFont(font(8.5))
                painter.drawText(QRectF(0, number * half, self.width(), 16), Qt.AlignmentFlag.AlignLeft, words)
                room = QRectF(0, number * half + 18, self.width(), half - 24)
                scale = min(room.width() / image.width(), room.height() / image.height())
                box = QRectF(room.x(), room.y(), image.width() * scale, image.height() * scale)
                painter.drawImage(box, image)
                if number:
                    self._signs(painter, box)

    def _signs(self, painter: QPainter, box: QRectF) -> None:
        assert self._checked is not None
        off = self._checked.map.off
        rows, columns = off.shape
        wide, high = box.width() / columns, box.height() / rows
        for row, column in np.argwhere(np.isfinite(off) & (np.abs(off) >= _SIGN)):
            by = float(off[row, column])
            size = 0.42 * min(wide, high) * min(1.0, abs(by) / _LARGE)
            middle = QPointF(box.x() + (column + 0.5) * wide, box.y() + (row + 0.5) * high)
            tip = -size if by > 0 else size
            shape = QPolygonF(
                [middle + QPointF(0, tip), middle + QPointF(-size, -tip / 2), middle + QPointF(size, -tip / 2)]
            )
            painter.setPen(QPen(QColor(0, 0, 0), 1))
            painter.setBrush(QColor(255, 255, 255))
            painter.drawPolygon(shape)


class CheckedPiecePage(Page):
    """Verdict, cause and map of a finished piece, from its artwork alone."""

    title, tip = named("Piece"), tr("The finished piece, judged by its artwork: no chart is needed")
    #: Somebody looked at the piece: whether it looks right.
    seen = Signal(bool)

    def __init__(self) -> None:
        super().__init__()
        self._run = 0
        self.view = PieceView()
        self.plots = [self.view]
        self.name = heading("")
        self.said = label(tr("Scan the finished piece: it is judged here by its artwork."), 9.5, wrap=True)
        self.where, self.trust = label("", 9.0, wrap=True), label("", 8.5, dim=True, wrap=True)
        self.suspects = Suspects()
        self.plots.append(self.suspects)
        right = down(space=6)
        fill(right, self.name, self.said, section(tr("Where")), self.where)
        self.suspected = section(tr("Suspects"))
        fill(right, self.suspected, (self.suspects, 1), self.trust)
        tip = tr("Kept in the logbook, with your name: the piece in even light, beside the picture on the screen")
        self.looks = button(tr("It looks right"), lambda: self.seen.emit(True), tip)
        self.off = button(tr("It looks wrong"), lambda: self.seen.emit(False), tip)
        self.eye = label("", 8.5, dim=True, wrap=True)
        fill(right, section(tr("By eye")), across(self.looks, self.off, (self.eye, 1)))
        self.box.addLayout(across((self.view, 1), (right, 1), space=16), 1)

    def ask(self, run: int) -> None:
        """Ask what somebody sees on the piece of a run; 0 where there is none to look at."""
        if run != self._run:
            self._run = run
            self.eye.setText("")
        for press in (self.looks, self.off):
            press.setEnabled(bool(run))

    def show_eye(self, said: str) -> None:
        """Show what somebody saw."""
        self.eye.setText(said)

    def show_piece(self, checked: PieceChecked) -> None:
        """Show a piece that was judged."""
        self.view.show_piece(checked)
        c, cause = checked.comparison, checked.cause
        wrong = checked.verdict == "fail"
        self.name.setText(
            {"pass": tr("Right"), "none": cause.title}.get(
                checked.verdict, tr("Wrong: {title}", title=lowered(cause.title))
            )
        )
        sure = (
            tr(" Named so, it is right in {sure:.0f} of 100 cases.", sure=cause.sure * 100)
            if wrong and cause.sure
            else ""
        )
        figures = (
            tr("{n} areas, mean ΔE00 {mean:.1f}, 95 % within {p95:.1f}. ", n=len(c.ids), mean=c.mean, p95=c.p95)
            if c.judged
            else ""
        )
        self.said.setText(
            f"{figures}{cause.sentence}{sure}"
            + (tr(" Next: {next_step}", next_step=cause.next_step) if cause.code != "right" else "")
        )
        self.suspected.setVisible(bool(cause.suspects))
        press = checked.press.words() if checked.press is not None else []
        self.where.setText("\n".join([*(checked.words or [tr("It is alike everywhere.")]), *press]))
        self.suspects.show_cause(cause)
        self.trust.setText(
            (
                tr(
                    "Seen by {trust}, ±{uncertainty:.1f} ΔE00. {cautions}",
                    trust=checked.trust,
                    uncertainty=checked.uncertainty,
                    cautions=" ".join(checked.cautions),
                )
                if c.judged
                else tr("Seen by {trust}. {cautions}", trust=checked.trust, cautions=" ".join(checked.cautions))
            ).strip()
        )
