"""The queue of runs, like work together: what is held, waits, is under way; its order is changed by dragging."""

from __future__ import annotations

import datetime
from collections.abc import Callable

from PySide6.QtCore import QMimeData, Qt, Signal
from PySide6.QtGui import QDropEvent, QKeyEvent
from PySide6.QtWidgets import QAbstractItemView, QListWidget, QListWidgetItem

from fidele.desk.desk import clock
from fidele.desk.theme import font
from fidele.language import tr
from fidele.store.records import WAITING, Queued

_NUMBER = Qt.ItemDataRole.UserRole


class QueueView(QListWidget):
    """Runs that are yet to be printed, under a heading for each condition."""

    #: A run is to go before another one, by their numbers; 0 for the end.
    moved = Signal(int, int)
    #: Another run was chosen; one is to be cancelled; one is to be held or released.
    picked = Signal(int)
    cancelled = Signal(int)
    toggled = Signal(int)

    def __init__(self) -> None:
        super().__init__()
        self.setFont(font(9))
        self.setAccessibleName(tr("Queue of runs"))
        self.setToolTip(
            tr("Drag runs into another order. Space holds or releases, Delete cancels, Alt+up and Alt+down move")
        )
        self.setDragDropMode(QAbstractItemView.DragDropMode.InternalMove)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.currentItemChanged.connect(lambda item: self.picked.emit(self._number(item)) if item is not None else None)
        self._shown: object = None

    @staticmethod
    def _number(item: QListWidgetItem | None) -> int:
        return int(item.data(_NUMBER) or 0) if item is not None else 0

    @property
    def current(self) -> int:
        """Number of the run that is chosen, 0 for none."""
        return self._number(self.currentItem())

    def show_entries(self, entries: list[Queued], progress: Callable[[Queued], str]) -> None:
        """Show the queue; `progress` says how far a run under way is."""
        lines = [(e, _words(e, progress(e))) for e in entries]
        if lines == self._shown:
            return
        self._shown = lines
        chosen = self.current
        self.blockSignals(True)
        self.clear()
        group, metrics = None, self.fontMetrics()
        for entry, words in lines:
            if entry.card != group:
                group = entry.card
                head = QListWidgetItem(entry.card_name)
                head.setFont(font(8.5, font().Weight.DemiBold))
                head.setFlags(Qt.ItemFlag.NoItemFlags)
                self.addItem(head)
            room = max(80, self.viewport().width() - 44)
            title = metrics.elidedText(f"{entry.id}  {entry.title}", Qt.TextElideMode.ElideRight, room)
            said = metrics.elidedText(words, Qt.TextElideMode.ElideRight, room - 12)
            item = QListWidgetItem(f"   {title}\n        {said}")
            item.setData(_NUMBER, entry.id)
            item.setToolTip(tr("Run {id}, ordered {clock}: {words}", id=entry.id, clock=clock(entry.at), words=words))
            flags = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
            item.setFlags(flags | Qt.ItemFlag.ItemIsDragEnabled if entry.state in WAITING else flags)
            self.addItem(item)
            if entry.id == chosen:
                self.setCurrentItem(item)
        if not lines:
            item = QListWidgetItem(tr("Nothing waits."))
            item.setFlags(Qt.ItemFlag.NoItemFlags)
            self.addItem(item)
        self.blockSignals(False)

    def mimeData(self, items: list[QListWidgetItem]) -> QMimeData:  # type: ignore[override]
        data = super().mimeData(items)
        data.setText(str(self._number(items[0])) if items else "")
        return data

    def dropEvent(self, event: QDropEvent) -> None:
        """Ask for the new order; the list shows it when it is kept."""
        number = self.current
        under = self.itemAt(event.position().toPoint())
        row = self.row(under) if under is not None else self.count()
        if self.dropIndicatorPosition() == QAbstractItemView.DropIndicatorPosition.BelowItem:
            row += 1
        before = next((n for k in range(row, self.count()) if (n := self._number(self.item(k))) not in (0, number)), 0)
        event.ignore()
        if number:
            self.moved.emit(number, before)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, number = Qt.Key(event.key()), self.current
        if number and key == Qt.Key.Key_Delete:
            self.cancelled.emit(number)
        elif number and key == Qt.Key.Key_Space:
            self.toggled.emit(number)
        elif number and event.modifiers() & Qt.KeyboardModifier.AltModifier and key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self.step(-1 if key == Qt.Key.Key_Up else 1)
        else:
            super().keyPressEvent(event)

    def step(self, by: int) -> None:
        """Move the chosen run one place up or down."""
        numbers = [n for k in range(self.count()) if (n := self._number(self.item(k)))]
        if self.current not in numbers:
            return
        at = numbers.index(self.current)
        rest = [n for n in numbers if n != self.current]
        to = max(0, min(len(rest), at + by))
        self.moved.emit(self.current, rest[to] if to < len(rest) else 0)


def _words(entry: Queued, progress: str) -> str:
    if entry.state in ("preparing", "printing"):
        return ", ".join(filter(None, (tr(entry.state), progress)))
    where = tr(", into {rpartition}", rpartition=entry.target.rpartition("/")[2]) if entry.target else ""
    if entry.state == "held":
        return tr("held: {why}{where}", why=entry.why or tr("by you"), where=where)
    if entry.not_before is not None and entry.not_before > datetime.datetime.now():
        return tr("waits until {clock}{where}", clock=clock(entry.not_before), where=where)
    return tr("waiting{where}", where=where)
