"""The demo from the window: made by a process of its own with progress and cancel, then opened in a second window."""

from __future__ import annotations

import re
import subprocess
import sys
from collections.abc import Callable

from PySide6.QtCore import QProcess

from fidele.desk.work import Work
from fidele.errors import FideleError
from fidele.tiles import CancelledError, Progress

#: How the demo is started from this very installation.
COMMAND = (sys.executable, "-c", "from fidele.cli import main; main()", "demo")
_TOLD = re.compile(r"\s*(\d+) %  (.*)")


def start_demo(work: Work, say: Callable[[str], None]) -> None:
    """Make the demo's workshop beside the interface, then open its window; what goes wrong is said."""

    def make(told: Progress) -> None:
        running = subprocess.Popen(
            [*COMMAND, "--only-make"], stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, text=True
        )
        assert running.stderr is not None
        last = ""
        try:
            for row in running.stderr:
                found = _TOLD.match(row)
                last = row.strip() or last
                if found and not told(int(found.group(1)) / 100):
                    raise CancelledError
            if running.wait() != 0:
                raise FideleError(f"The demo could not be made: {last.rstrip('.') or 'no reason was given'}.")
        finally:
            running.kill()
            running.wait()

    def opened(_: object) -> None:
        QProcess.startDetached(COMMAND[0], list(COMMAND[1:]))
        say("The demo opens in a window of its own; its printers, press and scanner are invented.")

    work.run("Making the demo", make, opened)
