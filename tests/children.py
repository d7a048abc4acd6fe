"""What tests let children do that decode; in a module of its own, for they must find it by its name."""

from __future__ import annotations

import os
import socket
import threading
from pathlib import Path

import numpy as np

from fidele.apart.ask import outside


@outside
def spin(path: Path) -> None:
    while True:
        pass


@outside
def eat(path: Path) -> int:
    return len(np.ones(3 << 30, np.uint8))


@outside
def tries(path: Path, other: Path) -> dict[str, str]:
    """Do what nothing that decodes has to do; return what came of it."""

    def of(call) -> str:
        try:
            call()
        except BaseException as error:
            return type(error).__name__
        return "done"

    return {
        "read": of(lambda: Path(os.fspath(path)).read_bytes()),
        "read another": of(lambda: open(os.fspath(other) + "x").read()),
        "write": of(lambda: Path(f"{path}.new").write_bytes(b"x")),
        "unlink": of(path.unlink),
        "network": of(lambda: socket.create_connection(("127.0.0.1", 9), 1)),
        "fork": of(os.fork),
        "run": of(lambda: os.execv("/bin/true", ["true"])),
        "kill": of(lambda: os.kill(os.getppid(), 0)),
        "thread": of(lambda: threading.Thread(target=int).start()),
    }


def counting(path: Path):
    for number in range(50):
        yield np.full((300, 300, 3), number, np.uint8)
