"""A guard: whatever changes the state, hears of it, or is a widget belongs to the thread that made the session.

And no part of the window is shown before it lies in it.
"""

from __future__ import annotations

import functools
import sys
import threading
import traceback

from PySide6.QtGui import QImage
from PySide6.QtWidgets import (
    QAbstractButton,
    QComboBox,
    QDialog,
    QFrame,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QMainWindow,
    QMenu,
    QProgressBar,
    QTreeWidget,
    QVBoxLayout,
    QWidget,
)

from fidele.session.live import Live, WrongThreadError

#: What of Qt is watched: making widgets, and what changes them.
WATCHED = {
    QWidget: ("__init__", "setVisible", "setEnabled", "update", "show", "hide", "setToolTip", "setStyleSheet"),
    QFrame: ("__init__",),
    QLabel: ("__init__", "setText", "setPixmap"),
    QAbstractButton: ("setText", "setChecked"),
    QComboBox: ("__init__", "addItem", "clear", "setCurrentIndex"),
    QLineEdit: ("__init__", "setText", "clear"),
    QListWidget: ("__init__", "addItem", "clear"),
    QTreeWidget: ("__init__", "addTopLevelItem", "clear"),
    QProgressBar: ("setValue",),
    QHBoxLayout: ("__init__", "addWidget", "addLayout"),
    QVBoxLayout: ("__init__", "addWidget", "addLayout"),
}

offences: list[str] = []
_main = threading.main_thread().ident


def _watch(what: str) -> None:
    if threading.get_ident() != _main:
        where = "".join(traceback.format_stack(limit=8)[:-2])
        offences.append(f"{what} on thread {threading.current_thread().name}\n{where}")
        raise WrongThreadError(what)


def _alone(widget: QWidget, by: str) -> None:
    """A part of a desk that is shown before it lies in it is a window for a moment: it flickers and takes the focus."""
    if by.startswith("fidele.") and widget.parent() is None and not isinstance(widget, (QMainWindow, QDialog, QMenu)):
        offences.append(f"{by} shows a {type(widget).__name__} '{widget.accessibleName()}' that lies nowhere yet")


def _guarded(owner: type, name: str) -> None:
    original = getattr(owner, name)

    @functools.wraps(original)
    def watched(*arguments, **named):
        _watch(f"{owner.__name__}.{name}")
        if name == "setVisible" and arguments[1:] == (True,):
            _alone(arguments[0], sys._getframe(1).f_globals["__name__"])
        return original(*arguments, **named)

    setattr(owner, name, watched)


def install() -> None:
    """Watch from now on."""
    for owner, names in WATCHED.items():
        for name in names:
            _guarded(owner, name)
    _guarded(Live, "change")
    decode = QImage.fromData

    def decoded(*arguments, **named):
        _watch("QImage.fromData")  # two threads that decode by Qt stand still for good
        return decode(*arguments, **named)

    QImage.fromData = staticmethod(decoded)
    listen = Live.listen

    def listening(live: Live, listener) -> None:
        def heard(news) -> None:
            _watch(f"{getattr(listener, '__qualname__', listener)} heard {type(news).__name__}")
            listener(news)

        listen(live, heard)

    Live.listen = listening
