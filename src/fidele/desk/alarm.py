"""What must be noticed now, also from another room: a sound, and a notification of the desktop."""

from __future__ import annotations

import shutil
import subprocess
import threading
from importlib import resources

from PySide6.QtWidgets import QApplication

from fidele.language import tr

#: What can play a sound here, and what can show a notification: the first that is there.
_PLAYERS = ("pw-play", "paplay", "aplay")
_SHOWERS = {
    "notify-send": ("--app-name=Fidele", "--icon=fidele", "--urgency=critical", tr("{title}"), "{words}"),
    "kdialog": ("--title", tr("{title}"), "--passivepopup", "{words}", "20"),
}


def announce(title: str, words: str) -> None:
    """Say something with a sound and a notification of the desktop, as far as this machine has them; else beep."""
    notify(title, words)
    player = next((found for name in _PLAYERS if (found := shutil.which(name))), None)
    sound = resources.files("fidele") / "data" / "sounds" / "press.wav"
    if player is None or not _start(player, str(sound)):
        QApplication.beep()


def notify(title: str, words: str) -> bool:
    """Let the desktop show a notification; False where nothing here can."""
    for name, arguments in _SHOWERS.items():
        if found := shutil.which(name):
            filled = [one.format(title=title, words=words) for one in arguments]
            return _start(found, *filled)
    return False


def _start(*command: str) -> bool:
    """Start a program that goes on by itself; False where that cannot be.

    Not Qt's way: that copies the whole process for a moment, which holds the window up for a fifth of a second.
    """
    nowhere = subprocess.DEVNULL
    try:
        begun = subprocess.Popen(command, stdin=nowhere, stdout=nowhere, stderr=nowhere, start_new_session=True)
    except OSError:
        return False
    threading.Thread(target=begun.wait, daemon=True).start()
    return True
