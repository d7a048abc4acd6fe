"""One window for each workshop: a second start hands its files to the window that is open."""

from __future__ import annotations

import hashlib
import json
import os
from pathlib import Path

from PySide6.QtCore import QObject, Signal
from PySide6.QtNetwork import QLocalServer, QLocalSocket

_WAIT = 800  # milliseconds; an open window that is busy longer than that is not waited for


def _name(data: Path) -> str:
    return f"fidele-{os.getuid()}-{hashlib.sha256(str(data.absolute()).encode()).hexdigest()[:16]}"


def hand_over(data: Path, files: list[Path]) -> bool:
    """Give files to the window that is open on a workshop; False when there is none."""
    socket = QLocalSocket()
    socket.connectToServer(_name(data))
    if not socket.waitForConnected(_WAIT):
        return False
    socket.write(json.dumps([str(f.absolute()) for f in files]).encode() + b"\n")
    socket.flush()
    while socket.bytesToWrite() and socket.waitForBytesWritten(_WAIT):
        pass
    taken = socket.waitForReadyRead(_WAIT * 5)
    socket.disconnectFromServer()
    return taken


class Door(QObject):
    """Listens for files that a second start hands over; `came` carries their paths, none to just show the window."""

    came = Signal(list)

    def __init__(self, data: Path) -> None:
        super().__init__()
        self._server = QLocalServer(self)
        self._server.setSocketOptions(QLocalServer.SocketOption.UserAccessOption)
        QLocalServer.removeServer(_name(data))  # what a crash left behind; a living one has answered before
        self._server.listen(_name(data))
        self._server.newConnection.connect(self._open)

    def _open(self) -> None:
        socket = self._server.nextPendingConnection()
        if socket is not None:
            socket.readyRead.connect(lambda: self._read(socket))
            socket.disconnected.connect(socket.deleteLater)

    def _read(self, socket: QLocalSocket) -> None:
        if not socket.canReadLine():
            return
        try:
            told = json.loads(bytes(socket.readLine().data()))
        except ValueError:
            return
        socket.write(b"taken\n")
        socket.flush()
        if isinstance(told, list):
            self.came.emit([Path(t) for t in told if isinstance(t, str)])

    def close(self) -> None:
        """Listen no more."""
        self._server.close()
