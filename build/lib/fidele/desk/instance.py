"""One window for each workshop: a second start hands its files to the window that is open.

A lock on a file in the workshop says whether a window is open, whatever it is busy with. It is spoken to by a socket in
a folder that is this user's alone, and both sides ask the kernel who the other one is.
"""

from __future__ import annotations

import contextlib
import fcntl
import hashlib
import json
import os
import socket
import stat
import struct
import time
from collections.abc import Iterator
from pathlib import Path

from PySide6.QtCore import QObject, QSocketNotifier, Signal

from fidele.errors import FideleError
from fidele.files import reason
from fidele.language import tr

#: Seconds that a second start waits for a window that is open but busy, and for each answer of it.
_PATIENCE, _ANSWER = 20.0, 5.0
_LARGEST = 1 << 20


def _folder(data: Path) -> Path:
    """Return a folder that nobody else can write to or look into: the session's own, else the workshop itself."""
    run = os.environ.get("XDG_RUNTIME_DIR", "")
    with contextlib.suppress(OSError):
        kind = os.lstat(run) if run else None
        if kind and stat.S_ISDIR(kind.st_mode) and kind.st_uid == os.getuid() and not kind.st_mode & 0o077:
            return Path(run)
    return data


@contextlib.contextmanager
def _address(data: Path) -> Iterator[str]:
    """Give the socket's address, short enough for any folder: named by way of the folder's handle."""
    name = f"fidele-{hashlib.sha256(str(data.absolute()).encode()).hexdigest()[:16]}.socket"
    handle = os.open(_folder(data), os.O_PATH | os.O_DIRECTORY)
    try:
        yield f"/proc/self/fd/{handle}/{name}"
    finally:
        os.close(handle)


def _is_mine(other: socket.socket) -> bool:
    """Ask the kernel whether the other side belongs to this user."""
    _, user, _ = struct.unpack("3i", other.getsockopt(socket.SOL_SOCKET, socket.SO_PEERCRED, 12))
    return bool(user == os.getuid())


def hand_over(data: Path, files: list[Path], patience: float = _PATIENCE) -> bool:
    """Give files to the window that is open on a workshop, busy or not; False when it does not answer for so long."""
    told = json.dumps([str(f.absolute()) for f in files]).encode(errors="surrogateescape") + b"\n"
    until = time.monotonic() + patience
    while True:
        with contextlib.suppress(OSError), _address(data) as address, socket.socket(socket.AF_UNIX) as door:
            door.settimeout(_ANSWER)
            door.connect(address)
            if _is_mine(door):
                door.sendall(told)
                if door.recv(16).startswith(b"taken"):
                    return True
        if time.monotonic() > until:
            return False
        time.sleep(0.1)


class Door(QObject):
    """Holds a workshop for one window, and listens for files that later starts hand over.

    `came` carries their paths, none to just show the window. `taken` is False where another window is open there.
    """

    came = Signal(list)

    def __init__(self, data: Path) -> None:
        """Raises FideleError where the workshop's folder cannot be written."""
        super().__init__()
        self._data = data
        self._server: socket.socket | None = None
        self._told: dict[socket.socket, tuple[QSocketNotifier, bytearray]] = {}
        try:
            data.mkdir(parents=True, exist_ok=True, mode=0o700)
            self._lock = os.open(data / "window.lock", os.O_RDWR | os.O_CREAT | os.O_CLOEXEC | os.O_NOFOLLOW, 0o600)
        except OSError as error:
            if not data.is_dir():
                raise FideleError(
                    tr("The workshop in {data} cannot be made: {reason}.", data=data, reason=reason(error))
                ) from error
            self._lock = os.open(data, os.O_RDONLY | os.O_CLOEXEC)  # it can be looked at; its folder can be locked too
        try:
            fcntl.flock(self._lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
            self.taken = True
        except OSError:
            self.taken = False
            os.close(self._lock)

    def listen(self) -> None:
        """Listen from now on; where no socket can be had, later starts are told that a window is open."""
        made = socket.socket(socket.AF_UNIX)
        with contextlib.suppress(OSError), _address(self._data) as address:
            Path(address).unlink(missing_ok=True)  # what a crash left behind: the lock says that nobody else listens
            made.bind(address)
            Path(address).chmod(0o600)
            made.listen(8)
            made.setblocking(False)
            self._server = made
            self._ear = QSocketNotifier(made.fileno(), QSocketNotifier.Type.Read, self)
            self._ear.activated.connect(self._open)
            return
        made.close()

    def _open(self) -> None:
        if self._server is None:
            return
        with contextlib.suppress(OSError):
            other, _ = self._server.accept()
            if not _is_mine(other) or len(self._told) > 16:
                other.close()
                return
            other.setblocking(False)
            ear = QSocketNotifier(other.fileno(), QSocketNotifier.Type.Read, self)
            ear.activated.connect(lambda: self._read(other))
            self._told[other] = ear, bytearray()

    def _read(self, other: socket.socket) -> None:
        ear, held = self._told[other]
        with contextlib.suppress(OSError, ValueError):
            part = other.recv(1 << 16)
            held += part
            if part and not held.endswith(b"\n") and len(held) < _LARGEST:
                return
            if held.endswith(b"\n"):
                paths = json.loads(held)
                other.send(b"taken\n")
                if isinstance(paths, list):
                    self.came.emit([Path(p) for p in paths if isinstance(p, str)])
        ear.setEnabled(False)
        ear.deleteLater()
        other.close()
        del self._told[other]

    def close(self) -> None:
        """Listen no more, and let another window open on the workshop."""
        if self._server is not None:
            self._ear.setEnabled(False)
            self._server.close()
            with contextlib.suppress(OSError), _address(self._data) as address:
                Path(address).unlink(missing_ok=True)
            self._server = None
        if self.taken:
            os.close(self._lock)
            self.taken = False
