"""Panels of a large piece: how many and how large, and which of them are printed."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QDoubleSpinBox, QFrame, QListWidget, QListWidgetItem, QWidget

from fidele import units
from fidele.desk.flow import Flow
from fidele.desk.kit import SPRING, across, down
from fidele.desk.labels import button, clear, label, section
from fidele.desk.numbers import number, typed_mm, whole
from fidele.desk.theme import font, px
from fidele.errors import FideleError
from fidele.language import tr
from fidele.session.model import Session
from fidele.session.piece import PanelPlan
from fidele.sheet.panels import Panels

#: So many seams have a field each; there is no room for more.
_SEAMS = 4


class PanelsBox(QWidget):
    """Parts the current picture into panels; `do` does what a person asked for, and says what goes wrong."""

    def __init__(self, session: Session, do: Callable[..., None]) -> None:
        super().__init__()
        self.session, self._do = session, do
        self._filling = False
        self._whole = down(margins=(0, 0, 0, 0), on=self)
        head = across(section(tr("Panels")), SPRING)
        self.part = button(
            tr("Split into panels"),
            self._part,
            tr("Split a piece that is larger than its media into panels"),
            quiet=True,
        )
        head.addWidget(self.part)
        self._whole.addLayout(head)
        self.parted: QFrame | None = None

    def _make(self) -> QFrame:
        """Make the fields, once a piece is parted: most never are."""
        self.parted = QFrame()
        box = down(margins=(0, 0, 0, 0), on=self.parted)
        self.overlap = number(0, 500, tr("Overlap of neighbours"), width=78)
        self.columns = whole(0, 99, tr("Columns of panels; 0 for as few as will do"), 44)
        self.rows = whole(0, 99, tr("Rows of panels; 0 for as few as will do"), 44)
        self.most_wide = number(0, 20_000, tr("A panel's greatest width; 0 for as much as the media holds"), width=78)
        self.most_high = number(0, 20_000, tr("A panel's greatest height; 0 for as much as the media holds"), width=78)
        for fields in (
            (label(tr("overlap"), 8.5, dim=True), self.overlap),
            (label(tr("number"), 8.5, dim=True), self.columns, label("x", 8.5, dim=True), self.rows),
            (label(tr("at most"), 8.5, dim=True), self.most_wide, label("x", 8.5, dim=True), self.most_high),
        ):
            row = across(space=4)
            for widget in fields:
                row.addWidget(widget)
            row.addStretch()
            box.addLayout(row)
        for field in (self.overlap, self.columns, self.rows, self.most_wide, self.most_high):
            field.editingFinished.connect(self._plan)
        self.list = QListWidget()
        self.list.setFont(font(8.5))
        self.list.setAccessibleName(tr("Panels to print"))
        self.list.setToolTip(tr("Tick the panels that are to be printed, or printed again"))
        self.list.itemChanged.connect(self._ticked)
        box.addWidget(self.list)
        self.seams = Flow(space=4)
        box.addLayout(self.seams)
        self._fields: list[tuple[int, int, QDoubleSpinBox]] = []
        self.even = button(
            tr("Seams by themselves"), self._even, tr("Let all seams fall where they are best"), quiet=True
        )
        box.addWidget(self.even, alignment=Qt.AlignmentFlag.AlignLeft)
        self._whole.addWidget(self.parted)
        return self.parted

    def _part(self) -> None:
        piece = self.session.pieces.current
        if piece is not None:
            self._do(self.session.laying.part, None if piece.panels is not None else PanelPlan())

    def _plan(self) -> None:
        piece = self.session.pieces.current
        if self._filling or piece is None or piece.panels is None:
            return
        before = piece.panels
        plan = replace(
            before,
            overlap=typed_mm(self.overlap, before.overlap),
            columns=self.columns.value(),
            rows=self.rows.value(),
            across=before.across if self.columns.value() == before.columns else (),
            down=before.down if self.rows.value() == before.rows else (),
            largest=(typed_mm(self.most_wide, before.largest[0]), typed_mm(self.most_high, before.largest[1])),
        )
        if plan != before:
            self._do(self.session.laying.part, plan)

    def _ticked(self, item: QListWidgetItem) -> None:
        if not self._filling:
            self.toggle(str(item.data(Qt.ItemDataRole.UserRole)))

    def toggle(self, name: str) -> None:
        """Leave a panel out, or take it in again."""
        piece = self.session.pieces.current
        if piece is not None and piece.panels is not None:
            self._do(self.session.laying.part, replace(piece.panels, skip=piece.panels.skip ^ {name}))

    def _even(self) -> None:
        piece = self.session.pieces.current
        if piece is not None and piece.panels is not None:
            self._do(self.session.laying.part, replace(piece.panels, across=(), down=()))

    def _show_seams(self, parted: Panels | None) -> None:
        """Show a field for each seam, to be moved without a mouse."""
        seams = [] if parted is None else [(0, n, at) for n, at in enumerate(parted.across)]
        seams += [] if parted is None else [(1, n, at) for n, at in enumerate(parted.down)]
        wanted = [(axis, n) for axis, n, _ in seams[:_SEAMS]]
        if wanted != [(axis, n) for axis, n, _ in self._fields]:
            clear(self.seams)
            self._fields = []
            self.seams.addWidget(label(tr("seams at"), 8.5, dim=True))
            for axis, n in wanted:
                field = number(
                    0,
                    100_000,
                    (tr("Seam {n} across", n=n + 1) if axis == 0 else tr("Seam {n} down", n=n + 1)),
                    width=72,
                )
                field.editingFinished.connect(partial(self._typed, axis, n, field))
                self._fields.append((axis, n, field))
                self.seams.addWidget(field)
        for (_, _, field), (_, _, at) in zip(self._fields, seams, strict=False):
            field.setValue(at)

    def _typed(self, axis: int, n: int, field: QDoubleSpinBox) -> None:
        parted = self.session.sheet.panels if not self._filling else None
        if parted is not None:
            at = (parted.across, parted.down)[axis][n]
            if (to := typed_mm(field, at)) != at:
                self._do(self.session.laying.move_seam, axis, n, to)

    def refresh(self) -> None:
        """Show the panels as they are."""
        self._filling = True
        try:
            self._show()
        finally:
            self._filling = False

    def _show(self) -> None:
        piece = self.session.pieces.current
        plan = piece.panels if piece is not None else None
        self.part.setText(tr("One piece again") if plan is not None else tr("Split into panels"))
        self.part.setEnabled(piece is not None and piece.chart is None)
        if plan is None:
            if self.parted is not None:
                self.parted.hide()
            return
        (self.parted or self._make()).show()
        self.overlap.setValue(plan.overlap)
        self.columns.setValue(plan.columns)
        self.rows.setValue(plan.rows)
        self.most_wide.setValue(plan.largest[0])
        self.most_high.setValue(plan.largest[1])
        self.list.clear()
        self.even.setVisible(bool(plan.across or plan.down))  # also where the panels cannot be had so
        try:
            parted = self.session.sheet.panels
        except FideleError:
            self._show_seams(None)
            return
        self._show_seams(parted)
        for panel in parted.panels if parted else ():
            mm = (panel.x, panel.y, panel.x + panel.width, panel.y + panel.height)
            x, y, wide, high = (units.shown("length", each) for each in mm)
            item = QListWidgetItem(
                tr("{name}  {x:.4g}–{wide:.4g} x {y:.4g}–{high:.4g}", name=panel.name, x=x, wide=wide, y=y, high=high)
            )
            item.setData(Qt.ItemDataRole.UserRole, panel.name)
            item.setFlags(Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(Qt.CheckState.Unchecked if panel.name in plan.skip else Qt.CheckState.Checked)
            self.list.addItem(item)
        self.list.setFixedHeight(8 + px(23) * max(1, min(6, self.list.count())))
