"""What an operator's hands do to the window."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QEventLoop, QMimeData, QPoint, QPointF, Qt, QTimer, QUrl
from PySide6.QtGui import QDragEnterEvent, QDropEvent, QGuiApplication
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton, QApplication, QComboBox, QWidget

from fidele.bench.printer import Machine
from fidele.desk.window import Window
from fidele.devices.bench.bench import Bench
from fidele.session.model import Session
from fidele.session.places import Places


def pause(milliseconds: int) -> None:
    """Let the event loop run for a moment, and all other threads with it: waiting of QTest's own would hold them up."""
    loop = QEventLoop()
    QTimer.singleShot(milliseconds, loop.quit)
    loop.exec()


def look() -> None:
    """Let the open windows show what has changed: that takes a few turns of the event loop."""
    windows = [w for w in QApplication.topLevelWidgets() if isinstance(w, Window)]
    for _ in range(200):
        if not any(w.outdated for w in windows):
            return
        pause(1)


def go(window: Window, station: str) -> None:
    """Open a desk, and wait until it is in front."""
    window.show_desk(station)
    look()


def settle(window: Window, qtbot) -> None:
    """Wait until nothing is under way any more."""
    qtbot.waitUntil(lambda: window.work.idle, timeout=90_000)
    qtbot.wait(30)
    qtbot.waitUntil(lambda: window.work.idle, timeout=90_000)


def drop(window: Window, *paths: Path) -> None:
    """Drop files on the middle of the window."""
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(p)) for p in paths])
    at, buttons, keys = QPoint(600, 400), Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    enter = QDragEnterEvent(at, Qt.DropAction.CopyAction, data, buttons, keys)
    window.dragEnterEvent(enter)
    assert enter.isAccepted()
    window.dropEvent(QDropEvent(QPointF(at), Qt.DropAction.CopyAction, data, buttons, keys))
    opened(window)


def take(window: Window, path: Path) -> None:
    """Hand the window a file as a second start does, and wait until it is opened."""
    window.take_file(path)
    opened(window)


def opened(window: Window) -> None:
    """Wait until nothing is being opened any more."""
    pause(1)
    assert comes(lambda: not window.work.under_way("opening")), "the file was not opened in time"
    look()


def comes(found) -> bool:
    """Wait a little for something that the event loop brings up."""
    for _ in range(1500):
        if found():
            return True
        pause(20)
    return False


def click(parent, text: str) -> None:
    """Click the visible, enabled button with this text, once the event loop has brought it up."""

    def found() -> list[QAbstractButton]:
        buttons = parent.findChildren(QAbstractButton)
        return [b for b in buttons if b.text() == text and b.isVisibleTo(parent) and b.isEnabled()]

    assert comes(found), f"no button '{text}' to press"
    QTest.mouseClick(found()[0], Qt.MouseButton.LeftButton)
    look()


def keys(window: Window, key: Qt.Key, modifier: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:
    """Press a shortcut of the window."""
    window.activateWindow()
    assert QTest.qWaitForWindowActive(window)
    QTest.keyClick(window, key, modifier)
    look()


def choose(box: QComboBox, value: object) -> None:
    """Choose an entry as a person does."""
    index = box.findData(value)
    assert index >= 0, [box.itemText(i) for i in range(box.count())]
    box.setCurrentIndex(index)
    box.activated.emit(index)
    look()


def machine_of(session: Session, printer_id: str) -> Machine:
    """Return a machine of the bench itself, as somebody who stands before it."""
    return Bench(session.places.bench).machine(printer_id)


def ready(places: Places) -> Session:
    """Open a workshop whose first printer has a condition without a profile, to which everything is set."""
    session = Session(places)
    card = session.devices.printers[0].starter_card()
    session.cards.save(card)
    session.put_in_force(card)
    session.handoff.bring()
    for row in session.rows:
        if row.found is None:
            session.handoff.confirm(row.meaning, row.wanted)
    return session


def name_of(widget: QWidget) -> str:
    """Return what a screen reader calls a control."""
    text = widget.text() if isinstance(widget, QAbstractButton) else ""
    return widget.accessibleName() or text


class ByName:
    """A person who knows nothing but what is written on controls; counts every press of the mouse and every key."""

    def __init__(self, window: Window, qtbot) -> None:
        self.window, self._qtbot, self.presses, self.keys = window, qtbot, 0, 0

    def _found(self, words: str) -> list[QWidget]:
        everything = [w for top in QApplication.topLevelWidgets() if top.isVisible() for w in top.findChildren(QWidget)]
        return [w for w in everything if name_of(w).startswith(words) and w.isVisible() and w.isEnabled()]

    def press(self, words: str) -> None:
        """Click what these words begin to name, once it is there."""
        assert comes(lambda: bool(self._found(words))), f"nothing to press is called '{words}'"
        QTest.mouseClick(self._found(words)[0], Qt.MouseButton.LeftButton)
        self.presses += 1
        settle(self.window, self._qtbot)

    def drop(self, *paths: Path) -> None:
        """Drag files onto the window: a press as well."""
        drop(self.window, *paths)
        self.presses += 1
        settle(self.window, self._qtbot)

    def paste(self, *paths: Path) -> None:
        """Copy files elsewhere and paste them."""
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(p)) for p in paths])
        QGuiApplication.clipboard().setMimeData(data)
        self.key(Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
        opened(self.window)
        settle(self.window, self._qtbot)

    def key(self, key: Qt.Key, modifier: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:
        """Press a key, wherever the focus is."""
        if not self.window.isActiveWindow() and QApplication.activeWindow() is None:
            self.window.activateWindow()
            assert QTest.qWaitForWindowActive(self.window)
        QTest.keyClick(QApplication.focusWidget() or self.window, key, modifier)
        self.keys += 1
        pause(1)
        look()

    def tab_to(self, words: str, most: int = 160) -> None:
        """Go on with Tab until the focus is on what these words begin to name, and press it with the space bar."""
        assert comes(lambda: bool(self._found(words))), f"nothing to reach is called '{words}'"
        for _ in range(most):
            here = QApplication.focusWidget()
            if here is not None and name_of(here).startswith(words):
                self.key(Qt.Key.Key_Space)
                settle(self.window, self._qtbot)
                return
            self.key(Qt.Key.Key_Tab)
        raise AssertionError(f"the focus never comes to '{words}'")
