"""The log: what happened and what was unforeseen, whole, in a file that never grows large."""

from __future__ import annotations

import contextlib
import logging
import sys
import threading
from logging.handlers import RotatingFileHandler
from pathlib import Path

#: Bytes of one file, and how many older ones are kept.
_LARGEST, _OLDER = 1 << 20, 3
_LINES = "%(asctime)s %(levelname)s %(threadName)s %(name)s: %(message)s"


def keep_log(folder: Path) -> None:
    """Write what the program logs into a folder from now on, and what nobody caught, on whatever thread.

    Where the folder cannot be written, nothing is kept and nothing is lost by it.
    """
    log = logging.getLogger("fidele")
    log.setLevel(logging.INFO)
    with contextlib.suppress(OSError):
        folder.mkdir(parents=True, exist_ok=True)
        handler = RotatingFileHandler(folder / "fidele.log", maxBytes=_LARGEST, backupCount=_OLDER, encoding="utf-8")
        handler.setFormatter(logging.Formatter(_LINES))
        for old in list(log.handlers):
            log.removeHandler(old)
            old.close()
        log.addHandler(handler)

    def uncaught(args: threading.ExceptHookArgs) -> None:
        if args.exc_value is not None:
            log.critical("uncaught", exc_info=args.exc_value)
        sys.__excepthook__(args.exc_type, args.exc_value or args.exc_type(), args.exc_traceback)

    threading.excepthook = uncaught


def log_files(folder: Path) -> list[Path]:
    """Return the files of the log, the newest first."""
    return sorted(folder.glob("fidele.log*")) if folder.is_dir() else []
