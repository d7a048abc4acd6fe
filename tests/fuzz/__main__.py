"""Fuzz for some minutes: `./run fuzz [minutes] [kind …]`; `./run fuzz again KIND NUMBER` does one case again.

`./run fuzz kills [N]` kills a working window so many times (`tests.fuzz.killed`).
`./run fuzz guided [minutes] [kind …]` fuzzes our own parsers by coverage, each for so long.
"""

from __future__ import annotations

import collections
import faulthandler
import os
import resource
import subprocess
import sys
import tempfile
import time
import traceback
from pathlib import Path

from tests.fuzz import killed
from tests.fuzz.targets import Fuzz

#: Seconds of this process that a case may take, and of waiting for its children beside.
_OWN, _ALL = 5.0, 20.0


def guided(arguments: list[str], folder: Path) -> int:
    """Fuzz parsers by coverage, each for some minutes, in a process of its own; return 0 where nothing was found."""
    minutes, found = (arguments or ["2"])[0], 0
    kinds = arguments[1:] or ["measured", "colours", "cxf", "profile", "packed", "parcel", "card"]
    environment = os.environ | {"PYTHONPATH": str(Path(__file__).parents[2])}
    for kind in kinds:
        (folder / kind).mkdir()
        done = subprocess.run(
            [sys.executable, "-m", "tests.fuzz.guided", kind, minutes, str(folder / kind)],
            capture_output=True,
            text=True,
            check=False,
            env=environment,
        )
        runs = [line.split()[-1] for line in done.stderr.splitlines() if "number_of_executed_units" in line]
        wrong = "" if done.returncode == 0 else "; WRONG"
        print(f"{kind}: {runs[0] if runs else 'no'} cases by coverage{wrong}", flush=True)
        if wrong:
            found += 1
            print(done.stdout[-2000:], done.stderr[-2000:])
    return 1 if found else 0


def main(arguments: list[str]) -> int:
    """Return 0 where everything held."""
    faulthandler.enable()
    os.chdir(tempfile.mkdtemp(prefix="fidele-fuzz-"))  # where odd names land
    fuzz = Fuzz(Path.cwd() / "fuzz")
    if arguments[:1] == ["kills"]:
        return killed.main(arguments[1:])
    if arguments[:1] == ["guided"]:
        return guided(arguments[1:], Path.cwd())
    if arguments[:1] == ["again"]:
        fuzz.case(int(arguments[2]), arguments[1])
        return 0
    minutes = float(arguments[0]) if arguments else 5.0
    kinds = arguments[1:] or list(fuzz.targets)
    begun, number, wrong = time.monotonic(), int(time.time()) if not os.environ.get("SEED") else 0, 0
    done: collections.Counter[str] = collections.Counter()
    slowest: dict[str, float] = {}
    while time.monotonic() - begun < minutes * 60:
        for kind in kinds:
            number += 1
            own, start = time.thread_time(), time.monotonic()
            try:
                fuzz.case(number, kind)
                took = time.thread_time() - own
                assert took < _OWN, f"{took:.1f} s"
                assert time.monotonic() - start < _ALL, f"{time.monotonic() - start:.1f} s of waiting"
                slowest[kind] = max(slowest.get(kind, 0.0), time.monotonic() - start)
            except BaseException as error:
                if isinstance(error, KeyboardInterrupt):
                    return 1
                wrong += 1
                print(f"\n{kind} {number}: {type(error).__name__}: {str(error)[:300]}", flush=True)
                traceback.print_exc(limit=-3)
            done[kind] += 1
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss >> 10
    longest = ", ".join(f"{k} {v:.1f} s" for k, v in slowest.items())
    print(f"{sum(done.values()):,} cases ({dict(done)}), {wrong} wrong; at most {peak} MiB here; slowest: {longest}")
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
