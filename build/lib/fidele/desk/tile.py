"""A tile: one thing with a title, some lines about it, and what can be done with it at the right."""

from __future__ import annotations

from PySide6.QtWidgets import QFrame, QScrollArea, QWidget

from fidele.desk.kit import across, down
from fidele.desk.labels import label, line


class Tile(QFrame):
    """Shows one thing; `right` takes its buttons."""

    def __init__(self, title: str, lines: list[str], mark: str = "", before: QWidget | None = None) -> None:
        super().__init__()
        self.setObjectName("card")
        row = across(space=12, margins=(12, 8, 12, 9), on=self)
        if before is not None:
            row.addWidget(before)
        words = down(space=2)
        top = across((line(title, 9.5, bold=True), 1))
        if mark:
            top.addWidget(label(mark, 8.5, dim=True))
        words.addLayout(top)
        for text in lines:
            if text:
                words.addWidget(label(text, 8.5, dim=True, wrap=True))
        row.addLayout(words, 1)
        self.right = down(space=4)
        row.addLayout(self.right)
        self.setAccessibleName(f"{title}. {' '.join(lines)}")


def scrolled(inside: QWidget) -> QScrollArea:
    """Return a frameless area that scrolls `inside` up and down."""
    inside.setObjectName("inside")
    area = QScrollArea()
    area.setWidgetResizable(True)
    area.setFrameShape(QFrame.Shape.NoFrame)
    area.setWidget(inside)
    return area
