"""Which process does something, told from a later one that got the same number."""

from __future__ import annotations

import json
import os
from pathlib import Path

from fidele.values import Document


def this_process() -> Document:
    """Return how this process is told from others: its number, and when it began."""
    return {"pid": os.getpid(), "began": _began(os.getpid())}


def is_alive(kept: str) -> bool:
    """Whether the process that `this_process` told of, kept as JSON, is still there."""
    try:
        said = json.loads(kept)
        pid = int(said["pid"])
        os.kill(pid, 0)
    except PermissionError:
        pass
    except (ValueError, KeyError, TypeError, OSError, OverflowError):
        return False
    return pid > 0 and said.get("began") in (None, _began(pid))


def _began(pid: int) -> str:
    """Return when a process began, in the kernel's ticks since a boot, and which boot that was; '' where not known."""
    try:
        ticks = Path(f"/proc/{pid}/stat").read_text(errors="replace").rpartition(")")[2].split()[19]
        return f"{ticks} {Path('/proc/sys/kernel/random/boot_id').read_text().strip()}"
    except (OSError, IndexError):
        return ""
