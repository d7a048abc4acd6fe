"""A row that goes on in the next line where there is no room: no button is cut at any size of type."""

from __future__ import annotations

from PySide6.QtCore import QPoint, QRect, QSize, Qt
from PySide6.QtWidgets import QLayout, QLayoutItem, QWidget


class Flow(QLayout):
    """Lays items in lines from the left; each is as wide as it asks to be, a line as high as its highest."""

    def __init__(self, *widgets: QWidget, space: int = 8) -> None:
        super().__init__()
        self._items: list[QLayoutItem] = []
        self._space = space
        self.setContentsMargins(0, 0, 0, 0)
        for widget in widgets:
            self.addWidget(widget)

    def addItem(self, item: QLayoutItem) -> None:
        self._items.append(item)

    def count(self) -> int:
        return len(self._items)

    def itemAt(self, index: int) -> QLayoutItem | None:  # type: ignore[override]
        return self._items[index] if 0 <= index < len(self._items) else None

    def takeAt(self, index: int) -> QLayoutItem | None:  # type: ignore[override]
        return self._items.pop(index) if 0 <= index < len(self._items) else None

    def expandingDirections(self) -> Qt.Orientation:
        return Qt.Orientation(0)

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        return self._lay(QRect(0, 0, width, 0), really=False)

    def setGeometry(self, rect: QRect) -> None:
        super().setGeometry(rect)
        self._lay(rect, really=True)

    def sizeHint(self) -> QSize:
        shown = [item.sizeHint() for item in self._items if not item.isEmpty()]
        wide = sum(size.width() for size in shown) + self._space * max(0, len(shown) - 1)
        return QSize(wide, max((size.height() for size in shown), default=0))

    def minimumSize(self) -> QSize:
        shown = [item.minimumSize() for item in self._items if not item.isEmpty()]
        return QSize(max((s.width() for s in shown), default=0), max((s.height() for s in shown), default=0))

    def _lay(self, rect: QRect, really: bool) -> int:
        """Lay the items into a rectangle of any height; return how high it must be."""
        x, y = rect.x(), rect.y()
        line: list[tuple[int, QLayoutItem, QSize]] = []

        def end() -> int:
            """Lay a line, each item in the middle of its height; return where the next one begins."""
            high = max((size.height() for _, _, size in line), default=0)
            for at, item, size in line if really else ():
                room = QSize(min(size.width(), rect.width()), size.height())
                item.setGeometry(QRect(QPoint(at, y + (high - size.height()) // 2), room))
            line.clear()
            return y + high

        for item in self._items:
            if item.isEmpty():  # a hidden widget takes no room
                continue
            size = item.sizeHint()
            if line and x + size.width() > rect.x() + rect.width():
                x, y = rect.x(), end() + self._space // 2
            line.append((x, item, size))
            x += size.width() + self._space
        return end() - rect.y()
