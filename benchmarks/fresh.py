"""How long a fresh machine takes from a clone to the demo, what is downloaded being there."""

from __future__ import annotations

import os
import shutil
import subprocess
import tempfile
import time
from pathlib import Path

ROOT = Path(__file__).parents[1]


def run() -> tuple[float, float, float]:
    """Return seconds of setting up from pip's cache, of making the demo, and of copying what was set up."""
    with tempfile.TemporaryDirectory() as folder:
        clone = Path(folder) / "clone"
        subprocess.run(["git", "clone", "-q", str(ROOT), str(clone)], check=True)
        environment = {k: v for k, v in os.environ.items() if k not in ("PYTHONPATH", "VIRTUAL_ENV")}
        environment["XDG_DATA_HOME"] = str(Path(folder) / "data")

        def timed(*command: str) -> float:
            began = time.perf_counter()
            subprocess.run(command, cwd=clone, env=environment, check=True, capture_output=True)
            return time.perf_counter() - began

        timed("sh", "run", "setup")  # fills the cache
        shutil.rmtree(clone / ".venv")
        setting = timed("sh", "run", "setup")
        code = (
            "from pathlib import Path; from fidele.demo.prepare import prepare\n"
            f"prepare(Path({str(Path(folder) / 'demo')!r}))"
        )
        making = timed(str(clone / ".venv/bin/python"), "-c", code)
        began = time.perf_counter()
        shutil.copytree(clone / ".venv", Path(folder) / "copy", symlinks=True)
        return setting, making, time.perf_counter() - began
