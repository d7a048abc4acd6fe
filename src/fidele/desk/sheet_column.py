"""The column beside the sheet: what lies on it, its size and place, its blank, its copies, its panels."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtGui import QAction
from PySide6.QtWidgets import (
    QComboBox,
    QDoubleSpinBox,
    QGridLayout,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QMenu,
    QScrollArea,
    QWidget,
)

from fidele import units
from fidele.desk.flow import Flow
from fidele.desk.kit import SPRING, across, choice, down, fill
from fidele.desk.labels import button, label, menu_button, section
from fidele.desk.numbers import number, typed_mm, whole
from fidele.desk.panels_box import PanelsBox
from fidele.desk.theme import font, px
from fidele.language import tr
from fidele.session.laying import ALIGN, Key
from fidele.session.model import Session
from fidele.session.piece import Piece
from fidele.sheet.placing import Placing

_FIELDS = (
    ("width", tr("width"), tr("Printed width")),
    ("height", tr("height"), tr("Printed height")),
    ("x", tr("from left"), tr("From the sheet's left edge")),
    ("y", tr("from top"), tr("From the sheet's upper edge")),
)


#: However long a name is, the column stays as wide as it is.
_SHORT = QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon


class SheetColumn(QScrollArea):
    """Numbers and lists for what is chosen on the sheet."""

    def __init__(
        self,
        session: Session,
        selection: Callable[[], set[Key]],
        choose: Callable[[set[Key]], None],
        do: Callable[..., None],
    ) -> None:
        super().__init__()
        self.session, self._selection, self._choose, self._do = session, selection, choose, do
        self._filling = False
        self.setWidgetResizable(True)
        self.setFixedWidth(px(246))
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        inside = QWidget()
        inside.setObjectName("inside")
        # Many small buttons stand close here: they are a little narrower than elsewhere.
        inside.setStyleSheet("QPushButton { padding: 4px 7px; } QPushButton:focus { padding: 3px 6px; }")
        self.column = down(space=5, margins=(2, 0, 8, 0), on=inside)
        self.setWidget(inside)
        self._pieces()
        self._size()
        # Where a piece lies and how often: nothing to decide while it is parted into panels.
        self.loose = QWidget()
        self._loose = down(space=5, margins=(0, 0, 0, 0), on=self.loose)
        self.column.addWidget(self.loose)
        self._place()
        self._many()
        self.panels = PanelsBox(session, do)
        fill(self.column, self.panels, SPRING)

    # Making ------------------------------------------------------------------------------------------------------

    def _pieces(self) -> None:
        self.column.addWidget(section(tr("Pictures in hand")))
        self.list = QListWidget()
        self.list.setFont(font(8.5))
        self.list.setAccessibleName(tr("Pictures on this sheet"))
        self.list.setToolTip(tr("Tick what lies on this sheet together; click a picture to choose it"))
        self.list.itemChanged.connect(self._ticked)
        self.list.itemClicked.connect(self._clicked)
        self.column.addWidget(self.list)
        row = QHBoxLayout()
        self.press_as = choice(
            tr("Pressed by the condition"),
            tip=tr(
                "By which condition this piece is converted and pressed. Pieces of several conditions share a "
                "sheet when their printing sides agree"
            ),
            chosen=self._pressed_as,
            letters=10,
            points=8.5,
        )
        fill(row, label(tr("pressed by"), 8.5, dim=True), (self.press_as, 1))
        self.column.addLayout(row)
        self.why = label("", 8, dim=True, wrap=True)
        self.column.addWidget(self.why)

    def _size(self) -> None:
        head = across(section(tr("Printed size")), SPRING)
        self.unit = button("mm", self._change_unit, tr("Change between millimetres and inches"), quiet=True)
        head.addWidget(self.unit)
        self.column.addLayout(head)
        grid = QGridLayout()
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(6)
        grid.setVerticalSpacing(4)
        self.fields: dict[str, QDoubleSpinBox] = {}
        for index, (name, words, tip) in enumerate(_FIELDS[:2]):
            self._field(grid, index // 2, index % 2, name, words, tip)
        self.column.addLayout(grid)
        row = QHBoxLayout()
        self.blank = choice(
            tr("Blank that it goes on"),
            tip=tr("The blank gives the printed size: the picture covers it and its bleed"),
            chosen=self._blank,
            letters=10,
            points=8.5,
        )
        fill(row, label(tr("on blank"), 8.5, dim=True), (self.blank, 1))
        self.column.addLayout(row)
        sizes = Flow(space=6)
        self.own = button(tr("Original size"), self._own, tr("The size that the file's own resolution gives"))
        self.largest = button(tr("Largest"), self._largest, tr("As large as the sheet allows, with this border free"))
        self.border = number(0, 500, tr("Border that stays free around the largest"), width=72)
        border = QWidget()
        across(label(tr("border"), 8.5, dim=True), self.border, space=6, margins=(0, 0, 0, 0), on=border)
        for made in (self.own, self.largest, border):
            sizes.addWidget(made)
        self.column.addLayout(sizes)

    def _field(self, grid: QGridLayout, row: int, place: int, name: str, words: str, tip: str) -> None:
        box = down(label(words, 8, dim=True), space=0, margins=(0, 0, 0, 0))
        field = number(-5000 if name in ("x", "y") else 0, 20_000, tip, width=110)
        field.editingFinished.connect(partial(self._typed, name))
        self.fields[name] = field
        box.addWidget(field)
        grid.addLayout(box, row, place)

    def _place(self) -> None:
        self._loose.addWidget(section(tr("Place")))
        grid = QGridLayout()
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(6)
        grid.setVerticalSpacing(4)
        for index, (name, words, tip) in enumerate(_FIELDS[2:]):
            self._field(grid, 0, index, name, words, tip)
        self._loose.addLayout(grid)
        row = across(space=4)
        self.angle = number(-360, 360, tr("Turned by, counter-clockwise"), 1, "°", 70)
        self.angle.editingFinished.connect(self._angle_typed)
        row.addWidget(self.angle)
        self.turn_left = button("+90°", lambda: self.turn(90), tr("Turn counter-clockwise (R)"))
        self.turn_right = button("−90°", lambda: self.turn(-90), tr("Turn clockwise (Shift+R)"))
        for made in (self.turn_left, self.turn_right):
            made.setFixedWidth(px(56))
            row.addWidget(made)
        row.addStretch()
        self._loose.addLayout(row)
        lines = Flow(space=4)
        self.align = menu_button(tr("Line up"), tr("Line up what is chosen; a single piece on the sheet"))
        menu = QMenu(self.align)
        for how, words in ALIGN.items():
            action = QAction(words, menu)
            action.triggered.connect(partial(self._align, how))
            menu.addAction(action)
        menu.addSeparator()
        for words, sideways in ((tr("Spread evenly across"), True), (tr("Spread evenly down"), False)):
            action = QAction(words, menu)
            action.triggered.connect(partial(self._spread, sideways))
            menu.addAction(action)
        self.align.setMenu(menu)
        lines.addWidget(self.align)
        self.lock = button(tr("Lock"), self.toggle_lock, tr("It stays where it is, also when the rest is nested (L)"))
        self.off = button(tr("Take off"), self.remove, tr("Take it off this sheet (Delete)"))
        for made in (self.lock, self.off):
            lines.addWidget(made)
        self._loose.addLayout(lines)

    def _many(self) -> None:
        self._loose.addWidget(section(tr("Copies")))
        row = Flow(space=4)
        self.copies = whole(1, 2000, tr("Copies of this piece"))
        self.copies.editingFinished.connect(self._copies)
        self.across, self.down = (
            whole(0, 200, tr("Columns; 0 for as many as fit"), 38),
            whole(0, 200, tr("Rows; 0 for as many as fit"), 38),
        )
        by, times = label(tr("or"), 8.5, dim=True), label("x", 8.5, dim=True)
        for made in (self.copies, by, self.across, times, self.down):
            row.addWidget(made)
        self.repeat = button(
            tr("Repeat"),
            self._repeat,
            tr("Step and repeat: columns and rows from the upper left; 0 for as many as fit"),
        )
        row.addWidget(self.repeat)
        self._loose.addLayout(row)

    # What is chosen ----------------------------------------------------------------------------------------------

    def keys(self) -> set[Key]:
        """Return what is chosen; nothing chosen means the current picture's first copy."""
        chosen = self._selection()
        current = self.session.pieces.current
        return chosen or ({(current.number, 0)} if current is not None else set())

    def one(self) -> tuple[Piece, int] | None:
        """Return the piece and copy whose numbers are shown: the first that is chosen."""
        mine = {p.number: p for p in self.session.sheet.pieces}
        for number_, index in sorted(self.keys()):
            if number_ in mine and index < len(mine[number_].copies):
                return mine[number_], index
        return None

    # Doing -------------------------------------------------------------------------------------------------------

    def _typed(self, name: str) -> None:
        one = self.one()
        if self._filling or one is None:
            return
        piece, index = one
        placing, field = piece.copies[index].placing, self.fields[name]
        if name in ("width", "height"):
            known = getattr(placing, name)
            if (value := typed_mm(field, known)) == known:
                return
            wide, high = placing.width, placing.height
            width = value if name == "width" else value * wide / high
            self._do(
                self.session.laying.size,
                piece.number,
                width,
                width * high / wide,
                f"{name.capitalize()} {units.length(value, 1)}",
            )
            return
        x0, y0, _, _ = placing.bounds
        known = x0 if name == "x" else y0
        if by := typed_mm(field, known) - known:
            moved: Placing = placing.moved(by, 0) if name == "x" else placing.moved(0, by)
            self._do(self.session.laying.place, {(piece.number, index): moved}, tr("Move on the sheet"))

    def _angle_typed(self) -> None:
        one = self.one()
        if self._filling or one is None:
            return
        piece, index = one
        placing = piece.copies[index].placing
        angle = self.angle.value() % 360
        if abs((angle - placing.angle + 180) % 360 - 180) > 0.04:
            self._do(
                self.session.laying.place,
                {(piece.number, index): replace(placing, angle=angle)},
                tr("Turn to {angle:g}°", angle=angle),
            )

    def turn(self, by: float) -> None:
        """Turn what is chosen."""
        self._do(self.session.laying.turn, self.keys(), by)

    def toggle_lock(self) -> None:
        """Lock what is chosen in its place, or free it."""
        one = self.one()
        if one is not None:
            self._do(self.session.laying.lock, self.keys(), not one[0].copies[one[1]].locked)

    def remove(self) -> None:
        """Take what is chosen off the sheet."""
        self._do(self.session.laying.remove, self.keys())
        self._choose(set())

    def _align(self, how: str) -> None:
        self._do(self.session.laying.align, self.keys(), how)

    def _spread(self, across: bool) -> None:
        self._do(self.session.laying.spread, self.keys(), across)

    def _own(self) -> None:
        if (one := self.one()) is not None:
            self._do(self.session.laying.own_size, one[0].number)

    def _largest(self) -> None:
        if (one := self.one()) is not None:
            self._do(self.session.laying.largest, one[0].number, self.border.value())

    def _blank(self) -> None:
        name = str(self.blank.currentData())
        one = self.one()
        if name in ("new", "new round"):
            from fidele.desk.own_sizes import ask_blank, ask_round

            self._do(ask_blank if name == "new" else ask_round, self, self.session.sheet.blanks)
            self.refresh()
        elif name == "forget" and one is not None:
            forgotten = one[0].blank
            self._do(self.session.laying.on_blank, one[0].number, "")
            self._do(self.session.sheet.blanks.remove, forgotten)
        elif one is not None and name != one[0].blank:
            self._do(self.session.laying.on_blank, one[0].number, name)

    def _copies(self) -> None:
        one = self.one()
        if not self._filling and one is not None and self.copies.value() != len(one[0].copies):
            self._do(self.session.laying.copies, one[0].number, self.copies.value())

    def _repeat(self) -> None:
        if (one := self.one()) is not None:
            self._do(self.session.laying.repeat, one[0].number, self.across.value(), self.down.value())

    def _ticked(self, item: QListWidgetItem) -> None:
        if self._filling:
            return
        number_ = int(item.data(Qt.ItemDataRole.UserRole))
        if item.checkState() == Qt.CheckState.Checked:
            self._do(self.session.laying.gather, [number_])
        else:
            self._do(self.session.laying.apart, number_)

    def _clicked(self, item: QListWidgetItem) -> None:
        number_ = int(item.data(Qt.ItemDataRole.UserRole))
        piece = next((p for p in self.session.sheet.pieces if p.number == number_), None)
        self.session.pieces.select(number_)
        if piece is not None:
            self._choose({(number_, i) for i in range(len(piece.copies))})

    def _pressed_as(self) -> None:
        if (one := self.one()) is not None:
            self._do(self.session.laying.press_as, one[0].number, str(self.press_as.currentData()))

    def _change_unit(self) -> None:
        mm = units.chosen().length == "mm"
        self._do(lambda: self.session.measures.choose(length="in" if mm else "mm"))

    # Showing -----------------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show everything as it is."""
        self._filling = True
        try:
            self._show_pieces()
            self._show_numbers()
            self.panels.refresh()
        finally:
            self._filling = False

    def _show_pieces(self) -> None:
        session, current = self.session, self.session.pieces.current
        mine = {p.number for p in session.sheet.pieces}
        pieces = [p for p in session.pieces.all if p.chart is None]
        self.list.clear()
        for piece in pieces:
            times = f"  x {len(piece.copies)}" if len(piece.copies) > 1 else ""
            item = QListWidgetItem(piece.opened.path.stem + times)
            item.setData(Qt.ItemDataRole.UserRole, piece.number)
            item.setToolTip(piece.opened.path.name)
            item.setFlags(Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable)
            if piece is not current and current is not None and current.chart is None and current.panels is None:
                item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
                item.setCheckState(Qt.CheckState.Checked if piece.number in mine else Qt.CheckState.Unchecked)
            else:
                item.setFont(font(8.5, font().Weight.DemiBold))
            self.list.addItem(item)
            if piece is current:
                self.list.setCurrentItem(item)
        self.list.setFixedHeight(8 + px(23) * max(1, min(5, len(pieces))))
        one = self.one()
        card, piece_card = session.card, None
        self.press_as.clear()
        self.why.setText("")
        if card is None or one is None or one[0].chart is not None:
            self.press_as.setEnabled(False)
            self.why.setVisible(False)
            return
        piece_card = session.sheet.card_of(one[0])
        self.press_as.addItem(card.name, card.id)
        reasons = []
        for other, why in session.sheet.sharing():
            if not why:
                self.press_as.addItem(other.name, other.id)
            else:
                reasons.append(f"{other.name}: {why[0]}")
        self.press_as.setCurrentIndex(max(0, self.press_as.findData(piece_card.id)))
        for words in reasons:  # seen, but not to be chosen
            self.press_as.addItem(words)
            item = self.press_as.model().item(self.press_as.count() - 1)  # type: ignore[attr-defined]
            item.setEnabled(False)
        self.press_as.setEnabled(self.press_as.count() > 1)
        self.press_as.setToolTip(
            tr("By which condition this piece is converted and pressed.")
            + (tr(" These cannot share the sheet:\n") + "\n".join(reasons) if reasons else "")
        )
        cannot = [f"{p.name}: {why[0]}." for p, why in session.sheet.disagreements()]
        self.why.setText(cannot[0] if cannot else "")
        self.why.setVisible(bool(cannot))

    def _show_numbers(self) -> None:
        one, chart = self.one(), self.session.chart is not None
        self.unit.setText("mm" if units.chosen().length == "mm" else tr("inches"))
        piece = self.session.pieces.current
        parted = piece is not None and piece.panels is not None
        self.loose.setVisible(not parted)
        there = one is not None and not chart
        on_blank = one is not None and bool(one[0].blank)
        for name, field in self.fields.items():
            field.setEnabled(
                there and not (name in ("width", "height") and on_blank) and not (name in ("x", "y") and parted)
            )
        for control in (self.own, self.largest, self.border, self.blank):
            control.setEnabled(there and not parted)
        for control in (self.angle, self.turn_left, self.turn_right, self.align, self.lock, self.off):
            control.setEnabled(there and not parted)
        many: tuple[QWidget, ...] = (self.copies, self.across, self.down, self.repeat)
        for widget in many:
            widget.setEnabled(there and not parted)
        if one is None:
            return
        placing = one[0].copies[one[1]].placing
        x0, y0, _, _ = placing.bounds
        for name, mm in (("width", placing.width), ("height", placing.height), ("x", x0), ("y", y0)):
            self.fields[name].setValue(mm)
        self.angle.setValue(placing.angle if placing.angle <= 180 else placing.angle - 360)
        self.copies.setValue(len(one[0].copies))
        self.lock.setText(tr("Unlock") if one[0].copies[one[1]].locked else tr("Lock"))
        self.blank.clear()
        self.blank.addItem(tr("none"), "")
        for blank in self.session.sheet.blanks.blanks:
            self.blank.addItem(blank.name, blank.name)
        self.blank.addItem(tr("Another blank …"), "new")
        self.blank.addItem(tr("Mug, bottle or glass …"), "new round")
        if one[0].blank:
            self.blank.addItem(tr("Forget this blank"), "forget")
        self.blank.setCurrentIndex(max(0, self.blank.findData(one[0].blank)))
