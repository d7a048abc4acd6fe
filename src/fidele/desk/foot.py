"""The foot: the last thing done and all messages before it, progress of long work with a cancel, steps, the theme."""

from __future__ import annotations

import datetime
import time
from collections import deque
from collections.abc import Iterable, Sequence

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QAccessible, QAccessibleAnnouncementEvent
from PySide6.QtWidgets import QDialog, QDialogButtonBox, QListWidget, QListWidgetItem, QProgressBar, QWidget

from fidele.dataclass import dataclass
from fidele.desk.kit import across, down
from fidele.desk.labels import button, label, line
from fidele.desk.theme import font, px
from fidele.language import tr

#: So many messages are kept.
_KEPT = 300
#: For so many seconds what went wrong stays in the foot, with what went well afterwards behind it.
_STAYS = 20.0


@dataclass(frozen=True)
class Message:
    """What was said, when, on which desk, and whether it was that something went wrong."""

    when: datetime.datetime
    sentence: str
    station: str
    wrong: bool = False


class Messages(QDialog):
    """What was said, the newest first; one that is pressed leads to the desk that it was said on."""

    #: A desk is wanted, by its station.
    wanted = Signal(str)

    def __init__(self, messages: Iterable[Message], parent: QWidget) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle(tr("Messages"))
        self.resize(720, 420)
        self.list = QListWidget()
        self.list.setAccessibleName(tr("Messages, the newest first"))
        self.list.setWordWrap(True)
        self.list.setFont(font(9.0))
        for one in messages:
            item = QListWidgetItem(f"{one.when:%H:%M:%S}   {one.sentence}")
            item.setData(Qt.ItemDataRole.UserRole, one.station)
            if one.station:
                item.setToolTip(tr("Enter or a double click opens the desk “{station}”", station=tr(one.station)))
            item.setFont(font(9.0, font().Weight.DemiBold if one.wrong else font().Weight.Normal))
            self.list.addItem(item)
        self.list.itemActivated.connect(self._go)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.reject)
        down(self.list, buttons, on=self)

    def _go(self, item: QListWidgetItem) -> None:
        if station := item.data(Qt.ItemDataRole.UserRole):
            self.wanted.emit(station)
            self.accept()


class Steps(QDialog):
    """What was done, the last first, below what was undone; one that is pressed takes back or does again up to it."""

    #: So many steps are to be taken back; below zero, done again.
    wanted = Signal(int)

    def __init__(self, done: Sequence[str], undone: Sequence[str], parent: QWidget) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle(tr("Steps"))
        self.resize(460, 420)
        self.list = QListWidget()
        self.list.setAccessibleName(tr("Steps, the last first"))
        self.list.setFont(font(9.0))
        rows = [(tr("Do again: {name}", name=name), -n) for n, name in enumerate(undone, 1)][::-1]
        rows += [(tr("Take back: {name}", name=name), n) for n, name in enumerate(done, 1)]
        for words, steps in rows:
            item = QListWidgetItem(words)
            item.setData(Qt.ItemDataRole.UserRole, steps)
            self.list.addItem(item)
        self.list.setCurrentRow(len(undone) if done else len(undone) - 1)
        self.list.itemActivated.connect(self._go)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.reject)
        what = tr("Enter or a double click goes there, with all steps between.")
        down(label(what, 9.0, dim=True, wrap=True), self.list, buttons, on=self)

    def _go(self, item: QListWidgetItem) -> None:
        self.wanted.emit(item.data(Qt.ItemDataRole.UserRole))
        self.accept()


class Foot(QWidget):
    """Shows what was said last and what is under way."""

    cancelled = Signal()
    undone = Signal()
    steps_wanted = Signal()
    #: A desk is wanted, by its station.
    wanted = Signal(str)
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
        self.messages: deque[Message] = deque(maxlen=_KEPT)
        self._wrong, self._wrong_at = "", -_STAYS
        self.list = button(
            tr("Messages"), self.show_messages, tr("Everything that was said, the newest first"), quiet=True
        )
        self.list.setEnabled(False)
        box.addWidget(self.list)
        self.said = line("", 8.5)
        self.said.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        box.addWidget(self.said, 1)
        self.bar = QProgressBar()
        self.bar.setRange(0, 1000)
        self.bar.setTextVisible(False)
        self.bar.setFixedWidth(180)
        self.bar.setAccessibleName(tr("Progress"))
        box.addWidget(self.bar)
        self.cancel = button(tr("Cancel"), self.cancelled.emit, tr("Stop the work under way (Esc)"), quiet=True)
        box.addWidget(self.cancel)
        self.undo = button(tr("Undo"), self.undone.emit, tr("Take the last step back (Ctrl+Z)"), quiet=True)
        box.addWidget(self.undo)
        tip = tr("All that was done, to take back or do again (Ctrl+Alt+Z)")
        self.steps = button(tr("Steps"), self.steps_wanted.emit, tip, quiet=True)
        box.addWidget(self.steps)
        self.bench = button(
            tr("The bench"),
            self.bench_wanted.emit,
            tr("The simulated devices, as your hands reach them (F4)"),
            quiet=True,
        )
        box.addWidget(self.bench)
        self.report = button(
            tr("Report a fault …"),
            self.report_wanted.emit,
            tr("Versions, log and devices in one file; no artwork"),
            quiet=True,
        )
        box.addWidget(self.report)
        tip = tr("What this desk is for, every command by any word, shortcuts, words (F1)")
        self.help = button(tr("Help"), self.help_wanted.emit, tip, quiet=True)
        box.addWidget(self.help)
        tip = tr("Size of type, theme, units (F12)")
        self.settings = button(tr("Settings"), self.settings_wanted.emit, tip, quiet=True)
        box.addWidget(self.settings)
        self.theme = button(
            tr("Booth grey"), self.theme_changed.emit, tr("Mid-grey all around, for judging colour (F9)"), quiet=True
        )
        box.addWidget(self.theme)
        self.end()

    def show_bench(self, there: bool) -> None:
        """Offer the bench where there is one."""
        self.bench.setVisible(there)

    def say(self, sentence: str, station: str = "", wrong: bool = False) -> None:
        """Show the last thing done, or what went wrong, and keep it among the messages, with the desk in front."""
        if wrong:
            self._wrong, self._wrong_at = sentence, time.monotonic()
        still = not wrong and time.monotonic() - self._wrong_at < _STAYS and sentence != self._wrong
        self._show(
            tr("{wrong} Then: {sentence}", wrong=self._wrong, sentence=sentence) if still and sentence else sentence
        )
        if sentence and (not self.messages or self.messages[0].sentence != sentence):
            self.messages.appendleft(Message(datetime.datetime.now(), sentence, station, wrong))
            self.list.setEnabled(True)
            if QAccessible.isActive():
                heard = QAccessibleAnnouncementEvent(self.said, sentence)
                assertive = QAccessible.AnnouncementPoliteness.Assertive
                heard.setPoliteness(assertive if wrong else QAccessible.AnnouncementPoliteness.Polite)
                QAccessible.updateAccessibility(heard)

    def _show(self, sentence: str) -> None:
        self.said.setText(sentence)
        self.said.setToolTip(sentence)

    def show_messages(self) -> None:
        """Open the list of messages."""
        made = Messages(self.messages, self)
        made.wanted.connect(self.wanted)
        made.open()

    def show_undo(self, name: str) -> None:
        """Show what would be undone, '' for nothing."""
        self.undo.setEnabled(bool(name))
        self.undo.setToolTip(tr("Undo: {name} (Ctrl+Z)", name=name or tr("nothing to undo")))

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
