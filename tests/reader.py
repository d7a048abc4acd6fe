"""What a screen reader meets: the window's controls as the accessibility bus (AT-SPI) has them, in another process."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from pathlib import Path

from jeepney import DBusAddress, new_method_call
from jeepney.io.blocking import open_dbus_connection

_ROOT = "/org/a11y/atspi/accessible/root"
_ACCESSIBLE, _ACTION = "org.a11y.atspi.Accessible", "org.a11y.atspi.Action"
_COMPONENT, _VALUE = "org.a11y.atspi.Component", "org.a11y.atspi.Value"
LAUNCHER = Path("/usr/libexec/at-spi-bus-launcher")
#: What a control is called that is not there any more.
GONE = "(gone)"
#: Opens a workshop's window and stays.
_PROGRAM = """
import sys
from pathlib import Path
from fidele.desk.application import application, open_window
from fidele.session.places import Places
app = application()
window = open_window(Places.under(Path(sys.argv[1])))
window.take_file(Path(sys.argv[1]) / "artwork" / "signal-flags.png")
window.show()
app.exec()
"""


@dataclass(frozen=True)
class Node:
    """A control: where it is on the bus, its role as a number, its name and description."""

    bus: str
    path: str
    role: str
    name: str
    states: int

    @property
    def showing(self) -> bool:
        """Whether it is on the screen (ATSPI_STATE_SHOWING)."""
        return bool(self.states >> 25 & 1)


class Reader:
    """Walks the tree of an application on the accessibility bus."""

    def __init__(self, address: str) -> None:
        self._bus = open_dbus_connection(address)

    def _call(self, bus: str, path: str, interface: str, method: str, signature: str = "", body: tuple = ()):  # type: ignore[no-untyped-def]
        message = new_method_call(DBusAddress(path, bus, interface), method, signature or None, body)
        reply = self._bus.send_and_get_reply(message, timeout=20)
        if reply.header.message_type.name == "error":
            raise OSError(f"{method}: {reply.body}")
        return reply.body

    def _property(self, bus: str, path: str, interface: str, name: str):  # type: ignore[no-untyped-def]
        body = self._call(bus, path, "org.freedesktop.DBus.Properties", "Get", "ss", (interface, name))
        return body[0][1]

    def node(self, bus: str, path: str) -> Node:
        """Return what is known of one control."""
        low, high = self._call(bus, path, _ACCESSIBLE, "GetState")[0]
        role = self._call(bus, path, _ACCESSIBLE, "GetRoleName")[0]
        return Node(bus, path, role, self._property(bus, path, _ACCESSIBLE, "Name"), low | high << 32)

    def children(self, node: Node) -> list[Node]:
        """Return what lies in a control."""
        found = self._call(node.bus, node.path, _ACCESSIBLE, "GetChildren")[0]
        return [self.node(bus, path) for bus, path in found if bus and not path.endswith("/null")]

    def application(self, name: str, seconds: float = 120.0) -> Node:
        """Return an application once it is there."""
        until = time.monotonic() + seconds
        while time.monotonic() < until:
            root = self.node("org.a11y.atspi.Registry", _ROOT)
            for one in self.children(root):
                if one.name == name and self.children(one):
                    return one
            time.sleep(0.3)
        raise OSError(f"{name} is not on the accessibility bus")

    def every(self, node: Node) -> Iterator[Node]:
        """Yield a control and all that are shown in it."""
        yield node
        try:
            children = self.children(node)
        except OSError:
            return
        for child in children:
            if child.showing or node.role in ("application", "desktop frame"):
                yield from self.every(child)

    def called(self, node: Node, by_label: bool = False) -> str:
        """Return what a control is called: by the label that names it (ATSPI_RELATION_LABELLED_BY), else its name."""
        try:
            relations = self._call(node.bus, node.path, _ACCESSIBLE, "GetRelationSet")[0]
        except OSError:  # it was made anew meanwhile, with all that is beside the desk
            return GONE
        for kind, targets in relations:
            if kind == 2 and targets:
                return self.node(*targets[0]).name
        return "" if by_label else node.name

    def find(self, node: Node, role: str, words: str) -> Node:
        """Return the control of a role (any for '') whose name begins with these words, once it is shown."""
        until = time.monotonic() + 90
        while time.monotonic() < until:
            for one in self.every(node):
                if role in ("", one.role) and one.name.startswith(words):
                    return one
            time.sleep(0.2)
        raise OSError(f"no {role} is called '{words}'")

    def press(self, node: Node) -> None:
        """Do a control's first action, as a screen reader's user does."""
        self._call(node.bus, node.path, _ACTION, "DoAction", "i", (0,))

    def value(self, node: Node) -> float:
        """Return the value of a slider or a field for a number."""
        return float(self._property(node.bus, node.path, _VALUE, "CurrentValue"))


@contextmanager
def reading(workshop: Path, display: int) -> Iterator[Reader]:
    """Open a workshop's window on a screen of its own, and a reader beside it."""
    started: list[subprocess.Popen] = []
    quiet = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL, "start_new_session": True}
    try:
        screen = f":{display}"
        started.append(subprocess.Popen(["Xvfb", screen, "-screen", "0", "1280x800x24"], **quiet))
        command = ["dbus-daemon", "--session", "--print-address", "--nofork"]
        daemon = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True)
        started.append(daemon)
        assert daemon.stdout is not None
        session = daemon.stdout.readline().strip()
        env = os.environ | {
            "DISPLAY": screen,
            "DBUS_SESSION_BUS_ADDRESS": session,
            "QT_QPA_PLATFORM": "xcb",
            "QT_LINUX_ACCESSIBILITY_ALWAYS_ON": "1",
            "XDG_RUNTIME_DIR": str(workshop),
        }
        started.append(subprocess.Popen([LAUNCHER, "--launch-immediately"], env=env, **quiet))
        bus = open_dbus_connection(session)
        ask = new_method_call(DBusAddress("/org/a11y/bus", "org.a11y.Bus", "org.a11y.Bus"), "GetAddress")
        address = ""
        for _ in range(60):
            reply = bus.send_and_get_reply(ask, timeout=20)
            if reply.header.message_type.name == "method_return":
                address = reply.body[0]
                break
            time.sleep(0.2)
        program = [sys.executable, "-X", "faulthandler", "-c", _PROGRAM, str(workshop)]
        with (workshop / "told").open("w") as told:
            started.append(subprocess.Popen(program, env=env, stdout=subprocess.DEVNULL, stderr=told))
        yield Reader(address)
    finally:
        for process in reversed(started):
            # With what it started: the launcher runs a bus and a registry of its own.
            with suppress(ProcessLookupError, PermissionError):
                os.killpg(process.pid, signal.SIGKILL)
            process.kill()
            process.wait()
