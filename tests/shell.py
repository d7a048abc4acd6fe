"""The command line in processes of its own that have everything loaded already: forked, where a person starts one.

`fidele` runs a command as `subprocess.run` would.
"""

from __future__ import annotations

import atexit
import json
import os
import subprocess
import sys
import tempfile
from pathlib import Path

FIDELE = Path(sys.executable).parent / "fidele"

_SERVER = """
import importlib, json, os, pkgutil, sys
import fidele.cli, fidele.commands, fidele.kernels.grids, fidele.kernels.transforms
for module in pkgutil.iter_modules(fidele.commands.__path__, "fidele.commands."):
    importlib.import_module(module.name)
for name in ("session.model", "session.facts", "run.page", "run.queue", "demo.prepare", "characterise.printer",
             "check.cause", "chart.read", "icc.transform", "proof.soft", "devices.bench.bench", "piece.find"):
    try:
        importlib.import_module("fidele." + name)
    except ImportError:
        pass
print("ready", flush=True)
for line in sys.stdin:
    asked = json.loads(line)
    child = os.fork()
    if child:
        _, status = os.waitpid(child, 0)
        print(os.waitstatus_to_exitcode(status), flush=True)
        continue
    if asked["largest"]:
        import resource, signal
        signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
        resource.setrlimit(resource.RLIMIT_FSIZE, (asked["largest"],) * 2)
    os.environ.clear()
    os.environ.update(asked["env"])
    os.chdir(asked["cwd"])
    for number, name in enumerate(("in", "out", "err")):
        flags = os.O_RDONLY if name == "in" else os.O_WRONLY | os.O_CREAT | os.O_TRUNC
        os.dup2(os.open(asked[name], flags, 0o600), number)
    sys.stdin, sys.stdout, sys.stderr = (os.fdopen(os.dup(n), "rw"[n > 0]) for n in range(3))
    sys.argv = [asked["program"], *asked["arguments"]]
    sys.orig_argv = [sys.executable, *sys.argv]
    code = 0
    try:
        fidele.cli.main()
    except SystemExit as leaving:
        code = leaving.code if isinstance(leaving.code, int) else 0 if leaving.code is None else 1
    except BaseException:
        import traceback
        traceback.print_exc()
        code = 1
    try:
        sys.stdout.flush()
        sys.stderr.flush()
    finally:
        import atexit
        atexit._run_exitfuncs()
        os._exit(code)
"""

_server: list[subprocess.Popen[str]] = []


def _served() -> subprocess.Popen[str]:
    if not _server or _server[0].poll() is not None:
        _server[:] = [
            subprocess.Popen(
                [sys.executable, "-c", _SERVER], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True, cwd="/"
            )
        ]
        assert _server[0].stdout is not None
        assert _server[0].stdout.readline() == "ready\n"
        atexit.register(_server[0].kill)
    return _server[0]


def fidele(
    *arguments: object, env: dict[str, str] | None = None, cwd: Path | None = None, largest: int = 0
) -> subprocess.CompletedProcess[str]:
    """Run a command; return its exit code and what it said. No file gets larger than `largest` bytes: a full disk."""
    words = [str(one) for one in arguments]
    with tempfile.TemporaryDirectory(prefix="fidele-shell-") as folder:
        said = {name: f"{folder}/{name}" for name in ("out", "err")}
        asked = said | {
            "in": os.devnull,
            "program": str(FIDELE),
            "arguments": words,
            "env": dict(os.environ if env is None else env),
            "cwd": str(cwd or Path.cwd()),
            "largest": largest,
        }
        server = _served()
        assert server.stdin is not None
        assert server.stdout is not None
        server.stdin.write(json.dumps(asked) + "\n")
        server.stdin.flush()
        code = int(server.stdout.readline())
        out, err = (Path(said[name]).read_text("utf-8", "surrogateescape") for name in ("out", "err"))
    return subprocess.CompletedProcess([str(FIDELE), *words], code, out, err)
