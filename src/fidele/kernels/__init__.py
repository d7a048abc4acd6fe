"""Compiled kernels for whole images. Each releases the interpreter's lock and is cached on disk.

They are compiled by ``python -m fidele.kernels`` at set-up, and where nothing was set up, beside the first window
(`compile_beside`); numba is slow to import, so callers import them late.
Wrappers with checks and documentation stand where the subject is: `fidele.colour.difference`, `fidele.icc.fast`,
`fidele.bench.inks`.
"""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path


def state() -> str:
    """Return what the compiled kernels depend on: the interpreter, and the files they are written in."""
    files = sorted(Path(__file__).parent.glob("*.py"))
    return "\n".join([sys.version, *(f"{f} {(found := f.stat()).st_size} {found.st_mtime_ns}" for f in files)])


def compile_beside(stamp: Path) -> subprocess.Popen[bytes] | None:
    """Compile them in a process that outlives this one, unless `stamp` says that it was done; return that process.

    Nobody waits for it: a kernel that is wanted sooner is compiled where it is wanted.
    """
    try:
        if stamp.read_text() == state():
            return None
    except (OSError, ValueError):
        pass
    try:
        return subprocess.Popen(
            [sys.executable, "-m", "fidele.kernels", str(stamp)],
            stdin=subprocess.DEVNULL,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
            start_new_session=True,
        )
    except OSError:
        return None
