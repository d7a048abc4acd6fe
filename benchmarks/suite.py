"""How long the whole suite takes from a clean clone, lint and types with it, what it needs being set up."""

from __future__ import annotations

import os
import subprocess
import tempfile
import time
from pathlib import Path

ROOT = Path(__file__).parents[1]


def run() -> tuple[float, str]:
    """Return seconds, and the last line that the suite says."""
    # What would spare it work, or change what it measures, is not passed on.
    left_out = {"PYTHONPATH", "VIRTUAL_ENV", "QT_QPA_PLATFORM", "OMP_NUM_THREADS", "OPENBLAS_NUM_THREADS"}
    environment = {k: v for k, v in os.environ.items() if k not in left_out and not k.startswith("FIDELE_")}
    with tempfile.TemporaryDirectory() as folder:
        clone, home = Path(folder) / "clone", Path(folder) / "home"
        home.mkdir()
        subprocess.run(["git", "clone", "-q", str(ROOT), str(clone)], check=True)
        subprocess.run(["sh", "run", "guide"], cwd=clone, env=environment, check=True, capture_output=True)
        began = time.perf_counter()
        at_home = environment | {"HOME": str(home)}
        said = subprocess.run(
            ["sh", "run", "test"], cwd=clone, env=at_home, capture_output=True, text=True, check=False
        )
        took = time.perf_counter() - began
    last = said.stdout.strip().splitlines()[-1].strip("= ") if said.stdout.strip() else "nothing was said"
    if said.returncode:
        raise SystemExit(f"The suite fails: {last}\n{said.stdout[-3000:]}")
    return took, last
