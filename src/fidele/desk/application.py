"""Start the interface."""

from __future__ import annotations

import gc
import logging
import os
import sys
from pathlib import Path
from types import TracebackType
from typing import TYPE_CHECKING

from PySide6.QtCore import QLibraryInfo, QSettings, Qt, QTimer, QTranslator
from PySide6.QtGui import QFont
from PySide6.QtWidgets import QApplication

from fidele.desk.preferences import wanted_scale
from fidele.desk.theme import font, load_fonts, set_scale
from fidele.errors import FideleError
from fidele.kernels import compile_beside
from fidele.language import LANGUAGE, tr
from fidele.logs import keep_log
from fidele.session.places import Places

if TYPE_CHECKING:
    from fidele.desk.window import Window
    from fidele.devices.devices import Devices
    from fidele.tiles import Progress

_log = logging.getLogger(__name__)
#: The exit code that asks for the program to be started anew, as it was.
ANEW = 75
#: So many milliseconds after it is shown the window stands, and has been painted.
_STANDING = 400
#: The desktop's own font, before the bundled one takes its place.
_desktop_font = [QFont()]


def application() -> QApplication:
    """Return the application, made once, with the bundled font."""
    found = QApplication.instance()
    if isinstance(found, QApplication):
        return found
    made = QApplication(sys.argv[:1])
    made.setApplicationName("Fidele")
    made.setDesktopFileName("fidele")
    made.setStyle("Fusion")
    _desktop_font[0] = QFont(made.font())
    load_fonts()
    made.setFont(font())
    if LANGUAGE != "en":  # the toolkit's own words, in its dialogs and menus
        words = QTranslator(made)
        if words.load(f"qtbase_{LANGUAGE}", QLibraryInfo.path(QLibraryInfo.LibraryPath.TranslationsPath)):
            made.installTranslator(words)
    return made


def open_window(places: Places, devices: Devices | None = None) -> Window:
    """Open a window on a workshop, with its own devices or others; its settings are kept beside the workshop's data."""
    application()
    keep_log(places.state)
    # What a start makes stays: looking for garbage in it meanwhile takes a tenth of the start, and later of each look.
    collecting = gc.isenabled()
    gc.disable()
    try:
        from fidele.desk.window import Window
        from fidele.session.model import Session

        kept = QSettings(str(places.data / "window.ini"), QSettings.Format.IniFormat)
        set_scale(wanted_scale(kept, _desktop_font[0]))
        application().setFont(font())
        return Window(Session(places, devices), kept)
    finally:
        if collecting:
            gc.enable()


def _load_for_pictures(_told: Progress) -> None:
    """Load, and compile where that was never done, what painting would wait for otherwise."""
    import cv2  # noqa: F401

    from fidele.kernels.grids import tetrahedral3  # noqa: F401
    from fidele.kernels.rasters import ready_to_draw

    ready_to_draw()


def run_window(places: Places, files: list[Path], devices: Devices | None = None) -> int:
    """Open the window, take files as if they had been dropped, and stay until it is closed; return the exit code."""
    if not any(os.environ.get(name) for name in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")):
        raise FideleError(
            tr("There is no display for the window; 'fidele demo --headless' and the other commands need none.")
        )
    from fidele.desk.instance import Door, hand_over
    from fidele.store.backup import restored_at_start

    app = application()
    restored = restored_at_start(places.data, places.profiles)
    door = Door(places.data)
    if not door.taken:
        if not hand_over(places.data, files):
            raise FideleError(
                tr("Fidele is open already on {data}, but its window does not answer; look at it.", data=places.data)
            )
        print(tr("Fidele is open already; its window has them."), file=sys.stderr)
        return 0
    window = open_window(places, devices)
    door.listen()
    if restored:
        window.session.say(restored)

    def unforeseen(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        """Say what no desk caught; what is not in a sentence of ours is told on the console too."""
        if isinstance(error, FideleError):
            window.session.warn(str(error))
            return
        _log.critical("unforeseen", exc_info=error)
        window.session.say(
            tr("Something unexpected went wrong ({name}: {error}). It is in the log.", name=kind.__name__, error=error)
        )
        sys.__excepthook__(kind, error, trace)

    sys.excepthook = unforeseen

    def came(more: list[Path]) -> None:
        window.closing.back()
        for file in more:
            window.take_file(file)
        window.setWindowState(window.windowState() & ~Qt.WindowState.WindowMinimized)
        window.raise_()
        window.activateWindow()

    door.came.connect(came)
    for file in files:
        window.take_file(file)
    window.show()
    gc.freeze()
    beside: list[object] = []
    QTimer.singleShot(0, lambda: beside.append(compile_beside(places.state / "kernels")))
    # Once the window stands: what pictures are painted by is loaded by the time that there is one.
    QTimer.singleShot(_STANDING, lambda: window.work.quietly("libraries", _load_for_pictures, lambda _: None))
    code = app.exec()
    door.close()
    return ANEW if window.again else code
