"""The demo from the window: made by a process of its own with progress and cancel, then opened in a second window."""

from __future__ import annotations

import os
import re
import subprocess
import sys
import time
from collections.abc import Callable

from PySide6.QtCore import QProcess

from fidele.desk.work import Work
from fidele.errors import FideleError
from fidele.language import tr
from fidele.tiles import CancelledError, Progress

#: How the demo is started from this very installation.
COMMAND = (sys.executable, "-c", "from fidele.cli import main; main()", "demo")
#: How often what it says is read, in seconds.
_LOOK = 0.1
_TOLD = re.compile(r"\s*(\d+) %  (.*)")


def start_demo(work: Work, say: Callable[[str], None]) -> None:
    """Make the demo's workshop beside the interface, then open its window; what goes wrong is said."""

    def make(told: Progress) -> None:
        running = subprocess.Popen(
            [*COMMAND, "--only-make"], stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, text=True
        )
        assert running.stderr is not None
        os.set_blocking(running.stderr.fileno(), False)
        last, share = "", 0.0
        try:
            while True:  # a cancel does not wait for the next word
                ended = running.poll() is not None
                for row in (running.stderr.read() or "").splitlines():
                    last = row.strip() or last
                    share = int(found.group(1)) / 100 if (found := _TOLD.match(row)) else share
                if not told(share):
                    raise CancelledError
                if ended:
                    break
                time.sleep(_LOOK)
            if running.returncode != 0:
                raise FideleError(
                    tr("The demo could not be made: {last}.", last=last.rstrip(".") or tr("no reason was given"))
                )
        finally:
            running.kill()
            running.wait()

    def opened(_: object) -> None:
        QProcess.startDetached(COMMAND[0], list(COMMAND[1:]))
        say(tr("The demo opens in a window of its own; its printers, press and scanner are invented."))

    work.run(tr("Making the demo"), make, opened)
