"""The foot: the last thing done and all messages before it, progress of long work with a cancel, undo, the theme."""

from __future__ import annotations

import datetime
from collections import deque
from collections.abc import Iterable

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QDialog, QDialogButtonBox, QListWidget, QProgressBar, QWidget

from fidele.desk.kit import across, down
from fidele.desk.labels import button, line
from fidele.desk.theme import font, px

#: So many messages are kept.
_KEPT = 300


class Messages(QDialog):
    """What was said, the newest first."""

    def __init__(self, messages: Iterable[tuple[datetime.datetime, str]], parent: QWidget) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle("Messages")
        self.resize(720, 420)
        self.list = QListWidget()
        self.list.setAccessibleName("Messages, the newest first")
        self.list.setWordWrap(True)
        self.list.setFont(font(9.0))
        self.list.addItems([f"{when:%H:%M:%S}   {sentence}" for when, sentence in messages])
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.reject)
        down(self.list, buttons, on=self)


class Foot(QWidget):
    """Shows what was said last and what is under way."""

    cancelled = Signal()
    undone = Signal()
    theme_changed = Signal()
    bench_wanted = Signal()
    report_wanted = Signal()
    help_wanted = Signal()
    settings_wanted = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("foot")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(px(32))
        box = across(space=10, margins=(16, 2, 12, 2), on=self)
        #: What was said, the newest first, with when.
        self.messages: deque[tuple[datetime.datetime, str]] = deque(maxlen=_KEPT)
        self.list = button("Messages", self.show_messages, "Everything that was said, the newest first", quiet=True)
        self.list.setEnabled(False)
        box.addWidget(self.list)
        self.said = line("", 8.5)
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
        tip = "What this desk is for, every command by any word, shortcuts, words (F1)"
        self.help = button("Help", self.help_wanted.emit, tip, quiet=True)
        box.addWidget(self.help)
        tip = "Size of type, theme, units (F12)"
        self.settings = button("Settings", self.settings_wanted.emit, tip, quiet=True)
        box.addWidget(self.settings)
        self.theme = button(
            "Booth grey", self.theme_changed.emit, "Mid-grey all around, for judging colour (F9)", quiet=True
        )
        box.addWidget(self.theme)
        self.end()

    def show_bench(self, there: bool) -> None:
        """Offer the bench where there is one."""
        self.bench.setVisible(there)

    def say(self, sentence: str) -> None:
        """Show the last thing done, and keep it among the messages."""
        self._show(sentence)
        if sentence and (not self.messages or self.messages[0][1] != sentence):
            self.messages.appendleft((datetime.datetime.now(), sentence))
            self.list.setEnabled(True)

    def _show(self, sentence: str) -> None:
        self.said.setText(sentence)
        self.said.setToolTip(sentence)

    def show_messages(self) -> None:
        """Open the list of messages."""
        Messages(self.messages, self).open()

    def show_undo(self, name: str) -> None:
        """Show what would be undone, '' for nothing."""
        self.undo.setEnabled(bool(name))
        self.undo.setToolTip(f"Undo: {name or 'nothing to undo'} (Ctrl+Z)")

    def begin(self, title: str) -> None:
        """Show that something is under way."""
        self._show(f"{title} …")
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
