"""The foot: the last thing done, progress of long work with a cancel, undo, and the theme."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QProgressBar, QSizePolicy, QWidget

from fidele.desk.kit import across
from fidele.desk.labels import button, label


class Foot(QWidget):
    """Shows what was said last and what is under way."""

    cancelled = Signal()
    undone = Signal()
    theme_changed = Signal()
    bench_wanted = Signal()
    report_wanted = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("foot")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(32)
        box = across(space=10, margins=(16, 2, 12, 2), on=self)
        self.said = label("", 8.5)
        self.said.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.said.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        box.addWidget(self.said, 1)
        self.bar = QProgressBar()
        self.bar.setRange(0, 1000)
        self.bar.setTextVisible(False)
        self.bar.setFixedWidth(180)
        self.bar.setAccessibleName("Progress")
        box.addWidget(self.bar)
        self.cancel = button("Cancel", self.cancelled.emit, "Stop the work under way (Esc)", quiet=True)
        box.addWidget(self.cancel)
        self.undo = button("Undo", self.undone.emit, "Take the last step back (Ctrl+Z)", quiet=True)
        box.addWidget(self.undo)
        self.bench = button(
            "The bench", self.bench_wanted.emit, "The simulated devices, as your hands reach them (F4)", quiet=True
        )
        box.addWidget(self.bench)
        self.report = button(
            "Report a fault …", self.report_wanted.emit, "Versions, log and devices in one file; no artwork", quiet=True
        )
        box.addWidget(self.report)
        self.theme = button(
            "Booth grey", self.theme_changed.emit, "Mid-grey all around, for judging colour (F9)", quiet=True
        )
        box.addWidget(self.theme)
        self.end()

    def show_bench(self, there: bool) -> None:
        """Offer the bench where there is one."""
        self.bench.setVisible(there)

    def say(self, sentence: str) -> None:
        """Show the last thing done."""
        self.said.setText(sentence)
        self.said.setToolTip(sentence)

    def show_undo(self, name: str) -> None:
        """Show what would be undone, '' for nothing."""
        self.undo.setEnabled(bool(name))
        self.undo.setToolTip(f"Undo: {name or 'nothing to undo'} (Ctrl+Z)")

    def begin(self, title: str) -> None:
        """Show that something is under way."""
        self.say(f"{title} …")
        self.bar.setValue(0)
        self.bar.show()
        self.cancel.show()

    def progress(self, share: float) -> None:
        """Show how far it is."""
        self.bar.setValue(round(share * 1000))

    def end(self) -> None:
        """Show that nothing is under way."""
        self.bar.hide()
        self.cancel.hide()
