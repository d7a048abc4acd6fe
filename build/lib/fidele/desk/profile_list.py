"""A list of profiles that stays quick with thousands of rows: title and a line beneath, grouped under headings."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QAbstractListModel, QModelIndex, QPersistentModelIndex, QPoint, QRect, QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QPainter
from PySide6.QtWidgets import QAbstractItemView, QListView, QStyle, QStyledItemDelegate, QStyleOptionViewItem

from fidele.desk.theme import LIGHT, Theme, font
from fidele.language import named, tr
from fidele.session.profiles import Row

#: A row of the list: a heading, or a profile.
Line = str | Row

_Index = QModelIndex | QPersistentModelIndex

#: Headings of what is not stated, which come last.
_NOT_STATED = (tr("Printer not stated"), tr("Media not stated"))
GROUPS: dict[str, Callable[[Row], str]] = {
    named("what fits"): lambda r: (
        tr("Fits printer, media and piece"),
        tr("May fit: it does not say enough"),
        tr("Does not fit"),
    )[r.fit.rank],
    named("printer"): lambda r: r.papers.value("printer") or tr("Printer not stated"),
    named("media"): lambda r: r.papers.value("media") or tr("Media not stated"),
    named("kind"): lambda r: r.entry.description.class_words,
    named("nothing"): lambda _: "",
}


def lines_of(rows: list[Row], group: str, short: bool = False) -> list[Line]:
    """Return rows under the headings of their groups; pinned ones first in each."""
    name = GROUPS[group]

    def rank(row: Row) -> str:
        if group == "what fits":
            return str(row.fit.rank)
        return "~" if name(row) in _NOT_STATED else ""

    counts = Counter(map(name, rows))
    ordered = sorted(rows, key=lambda r: (rank(r), name(r).casefold(), not r.papers.pinned, r.title.casefold()))
    lines: list[Line] = []
    heading = ""
    for row in ordered:
        if name(row) != heading and not short:
            heading = name(row)
            lines.append(
                tr(
                    "{heading}{heading2}  ({counts:,})",
                    heading=heading[:1].upper(),
                    heading2=heading[1:],
                    counts=counts[heading],
                )
            )
        lines.append(row)
    return lines


class _Model(QAbstractListModel):
    def __init__(self) -> None:
        super().__init__()
        self.lines: list[Line] = []

    def show(self, lines: list[Line]) -> None:
        self.beginResetModel()
        self.lines = lines
        self.endResetModel()

    def rowCount(self, parent: _Index | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self.lines)

    def data(self, index: _Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        line = self.lines[index.row()]
        if role == Qt.ItemDataRole.UserRole:
            return line
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            return line if isinstance(line, str) else line.title
        if role == Qt.ItemDataRole.ToolTipRole and not isinstance(line, str):
            return f"{line.title}\n{line.entry.description.class_words}\n{line.fit.words}\n{line.entry.path}"
        return None

    def flags(self, index: _Index) -> Qt.ItemFlag:
        if isinstance(self.lines[index.row()], str):
            return Qt.ItemFlag.NoItemFlags
        return Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable


def beneath(row: Row, unit: str) -> str:
    """Return the line beneath a title: what it is for and whether it has been verified here."""
    what = row.entry.description
    if what.device_class != "prtr":
        return f"{what.class_words} · {what.colour_space}"
    parts = [row.papers.value(n) for n in ("printer", "media", "substrate") if row.papers.value(n)]
    last = row.papers.on(unit)
    if last is not None:
        parts.append(
            tr("within {p95:.1f} on this printer", p95=last.p95) if last.passed else tr("failed on this printer")
        )
    return " · ".join(parts) or tr(
        "output · {colour_space} · says nothing of printer and media", colour_space=what.colour_space
    )


class _Painter(QStyledItemDelegate):
    def __init__(self, view: ProfileList) -> None:
        super().__init__(view)
        self._view = view

    def sizeHint(self, _option: QStyleOptionViewItem, index: _Index) -> QSize:
        line = index.data(Qt.ItemDataRole.UserRole)
        if isinstance(line, str):
            return QSize(100, 26)
        return QSize(100, 24 if self._view.compact else 42)

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: _Index) -> None:
        line, theme = index.data(Qt.ItemDataRole.UserRole), self._view.theme
        rect = QRect(option.rect)  # type: ignore[attr-defined]
        painter.save()
        if isinstance(line, str):
            painter.setPen(theme.colour("dim"))
            painter.setFont(font(8.5, font().Weight.DemiBold))
            painter.drawText(rect.adjusted(6, 6, -6, 0), Qt.AlignmentFlag.AlignVCenter, line)
            painter.restore()
            return
        state = option.state  # type: ignore[attr-defined]
        if state & (QStyle.StateFlag.State_Selected | QStyle.StateFlag.State_MouseOver):
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour("card"))
            painter.drawRoundedRect(rect.adjusted(1, 1, -1, -1), 4, 4)
        in_force = line.entry.id == self._view.in_force
        if in_force:
            painter.fillRect(QRect(rect.left() + 1, rect.top() + 4, 3, rect.height() - 8), theme.colour("text"))
        bold = in_force or line.papers.pinned
        left, right = rect.left() + 9, rect.right() - 8
        mark = self._mark(line)
        painter.setFont(font(8))
        width = painter.fontMetrics().horizontalAdvance(mark) + 10 if mark else 0
        painter.setPen(theme.colour("dim"))
        high = rect.height() if self._view.compact else 23
        painter.drawText(
            QRect(right - width, rect.top() + (0 if self._view.compact else 2), width, high),
            Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight,
            mark,
        )
        painter.setFont(
            font(8.5 if self._view.compact else 9, font().Weight.DemiBold if bold else font().Weight.Normal)
        )
        painter.setPen(theme.colour("dim" if line.papers.hidden else "text"))
        room = QRect(left, rect.top() + (0 if self._view.compact else 2), right - left - width, high)
        title = painter.fontMetrics().elidedText(line.title, Qt.TextElideMode.ElideRight, room.width())
        painter.drawText(room, Qt.AlignmentFlag.AlignVCenter, title)
        if not self._view.compact:
            painter.setFont(font(8))
            painter.setPen(theme.colour("dim"))
            room = QRect(left, rect.top() + 22, right - left, 17)
            said = beneath(line, self._view.unit)
            if line.fit.grade == "not" and line.entry.description.device_class == "prtr":
                said = f"{', '.join(line.fit.off) or line.fit.words.rstrip('.')} · {said}"
                said = said[:1].upper() + said[1:]
            said = painter.fontMetrics().elidedText(said, Qt.TextElideMode.ElideRight, room.width())
            painter.drawText(room, Qt.AlignmentFlag.AlignVCenter, said)
        painter.restore()

    def _mark(self, row: Row) -> str:
        if self._view.compact:
            return tr("pinned") if row.papers.pinned else ""
        marks = [tr("hidden")] if row.papers.hidden else []
        if row.used:
            marks.append(row.used)
        return " · ".join(marks)


class ProfileList(QListView):
    """Shows profiles; `opened` carries the id of the one that was clicked or chosen by key."""

    opened = Signal(str)
    menu_wanted = Signal(str, QPoint)

    def __init__(self, name: str, compact: bool) -> None:
        super().__init__()
        self.compact = compact
        self.theme: Theme = LIGHT
        self.in_force = ""
        self.unit = ""
        self._model = _Model()
        self.setModel(self._model)
        self.setItemDelegate(_Painter(self))
        self.setAccessibleName(name)
        self.setMouseTracking(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.customContextMenuRequested.connect(self._menu)
        self.clicked.connect(self._open)
        self.activated.connect(self._open)

    def show_lines(self, lines: list[Line]) -> None:
        """Show other rows; the chosen one and the place stay where they can."""
        if lines == self._model.lines:
            self.viewport().update()
            return
        chosen, place = self.chosen(), self.verticalScrollBar().value()
        self._model.show(lines)
        for at, line in enumerate(lines):
            if isinstance(line, Row) and line.entry.id == chosen:
                self.setCurrentIndex(self._model.index(at))
                break
        self.verticalScrollBar().setValue(place)

    def rows(self) -> list[Row]:
        """Return the profiles that are shown."""
        return [line for line in self._model.lines if isinstance(line, Row)]

    def count(self) -> int:
        """Return how many profiles are shown."""
        return len(self.rows())

    def chosen(self) -> str:
        """Return the id of the chosen profile, or ''."""
        index = self.currentIndex()
        line = self._model.lines[index.row()] if index.isValid() and index.row() < len(self._model.lines) else ""
        return "" if isinstance(line, str) else line.entry.id

    def _open(self, index: QModelIndex) -> None:
        line = self._model.lines[index.row()]
        if isinstance(line, Row):
            self.opened.emit(line.entry.id)

    def _menu(self, at: QPoint) -> None:
        index = self.indexAt(at)
        line = self._model.lines[index.row()] if index.isValid() else ""
        if isinstance(line, Row):
            self.menu_wanted.emit(line.entry.id, self.viewport().mapToGlobal(at))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space) and self.currentIndex().isValid():
            self._open(self.currentIndex())
        else:
            super().keyPressEvent(event)
