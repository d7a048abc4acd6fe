"""Find the profile of the screen that a window is on: from the X server, the Wayland compositor, or colord.

Under Wayland a compositor that manages colour converts for the screen itself; the screen's profile on top of that would
convert twice.
"""

from __future__ import annotations

import ctypes
import ctypes.util
import os
import socket
import struct
from pathlib import Path

from PySide6.QtGui import QGuiApplication, QScreen

from fidele.errors import FideleError
from fidele.icc.describe import require_sound
from fidele.icc.profile import LARGEST, Profile
from fidele.language import tr
from fidele.session.display import ScreenFound


def screen_profile(screen: QScreen | None) -> ScreenFound:
    """Return what can be found out about a screen."""
    platform = QGuiApplication.platformName()
    if screen is None or platform not in ("xcb", "wayland"):
        return ScreenFound()
    if platform == "wayland":
        if "wp_color_manager_v1" in wayland_globals(_wayland_socket()):
            return ScreenFound(None, tr("for the desktop converts to this screen's profile itself"), True)
        return colord_profile(screen.name())
    screens = QGuiApplication.screens()
    found = x11_profile(os.environ.get("DISPLAY", ""), screens.index(screen) if screen in screens else 0)
    return found if found.profile is not None else colord_profile(screen.name())


def _sound(data: bytes, how: str) -> ScreenFound:
    """Return a screen's profile from its bytes, or why it cannot be used."""
    try:
        profile = Profile.parse(data, tr("The screen's profile"))
        require_sound(profile)
    except FideleError as error:
        return ScreenFound(None, tr("its profile is damaged ({error})", error=error))
    if profile.header.colour_space != "RGB":
        return ScreenFound(None, tr("its profile is none for a screen"))
    return ScreenFound(profile, how)


# X11 -------------------------------------------------------------------------------------------------------------


def x11_profile(display: str, number: int) -> ScreenFound:
    """Read a screen's profile from the X server (ICC Profiles In X Specification 0.4: property _ICC_PROFILE_n)."""
    data = _x11_property(display, "_ICC_PROFILE" if number == 0 else f"_ICC_PROFILE_{number}")
    return _sound(data, tr("this screen's own")) if data else ScreenFound()


def _x11_property(display: str, name: str) -> bytes:
    """Return the bytes of a property of the root window, b'' where there is none."""
    library = ctypes.util.find_library("X11")
    if library is None:
        return b""
    x11 = ctypes.CDLL(library)
    x11.XOpenDisplay.restype = ctypes.c_void_p
    x11.XOpenDisplay.argtypes = [ctypes.c_char_p]
    x11.XDefaultRootWindow.restype = ctypes.c_ulong
    x11.XDefaultRootWindow.argtypes = [ctypes.c_void_p]
    x11.XInternAtom.restype = ctypes.c_ulong
    x11.XInternAtom.argtypes = [ctypes.c_void_p, ctypes.c_char_p, ctypes.c_int]
    x11.XCloseDisplay.argtypes = [ctypes.c_void_p]
    x11.XFree.argtypes = [ctypes.c_void_p]
    x11.XGetWindowProperty.argtypes = (
        *(ctypes.c_void_p, ctypes.c_ulong, ctypes.c_ulong, ctypes.c_long, ctypes.c_long, ctypes.c_int, ctypes.c_ulong),
        *(ctypes.c_void_p,) * 5,
    )
    connection = x11.XOpenDisplay(display.encode())
    if not connection:
        return b""
    try:
        atom = x11.XInternAtom(connection, name.encode(), 1)
        if not atom:
            return b""
        kind, form = ctypes.c_ulong(), ctypes.c_int()
        count, left = ctypes.c_ulong(), ctypes.c_ulong()
        data = ctypes.c_void_p()
        status = x11.XGetWindowProperty(
            connection,
            x11.XDefaultRootWindow(connection),
            atom,
            0,
            LARGEST // 4,
            0,
            0,
            *(ctypes.byref(v) for v in (kind, form, count, left, data)),
        )
        if status != 0 or not data.value or form.value != 8:
            return b""
        read = ctypes.string_at(data.value, count.value)
        x11.XFree(data)
        return read
    finally:
        x11.XCloseDisplay(connection)


# Wayland ---------------------------------------------------------------------------------------------------------


def _wayland_socket() -> Path:
    name = os.environ.get("WAYLAND_DISPLAY", "wayland-0")
    return Path(name) if name.startswith("/") else Path(os.environ.get("XDG_RUNTIME_DIR", "/run")) / name


def wayland_globals(path: Path, patience: float = 0.5) -> set[str]:
    """Return the interfaces that a compositor offers: asked for once, over its socket (Wayland wire protocol)."""
    found: set[str] = set()
    try:
        with socket.socket(socket.AF_UNIX, socket.SOCK_STREAM) as line:
            line.settimeout(patience)
            line.connect(str(path))
            # wl_display.get_registry as object 2, wl_display.sync as object 3
            line.sendall(struct.pack("<IHHI", 1, 1, 12, 2) + struct.pack("<IHHI", 1, 0, 12, 3))
            held = b""
            while len(held) < 1 << 20:
                data = line.recv(65536)
                if not data:
                    return found
                held += data
                while len(held) >= 8:
                    who, code, size = struct.unpack_from("<IHH", held)
                    if size < 8 or len(held) < size:
                        break
                    body, held = held[8:size], held[size:]
                    if who == 3:  # everything has been told
                        return found
                    if who == 2 and code == 0 and len(body) >= 8:  # wl_registry.global: name, interface, version
                        length = struct.unpack_from("<I", body, 4)[0]
                        found.add(body[8 : 8 + max(0, length - 1)].decode("latin-1"))
    except OSError:
        return found
    return found


# colord ----------------------------------------------------------------------------------------------------------


def colord_profile(output: str) -> ScreenFound:
    """Ask colord for the default profile of a screen by the name of its output (colord D-Bus interface 1.4)."""
    from PySide6.QtDBus import QDBusConnection, QDBusInterface, QDBusMessage

    bus = QDBusConnection.systemBus()
    if not bus.isConnected():
        return ScreenFound()
    service = "org.freedesktop.ColorManager"

    def ask(path: str, interface: str, method: str, *arguments: object) -> list[object]:
        there = QDBusInterface(service, path, interface, bus)
        there.setTimeout(500)
        reply = there.call(method, *arguments)
        return reply.arguments() if reply.type() == QDBusMessage.MessageType.ReplyMessage else []

    def read(path: str, interface: str, name: str) -> object:
        said = ask(path, "org.freedesktop.DBus.Properties", "Get", interface, name)
        value = said[0] if said else None
        return value.variant() if hasattr(value, "variant") else value

    device = ask("/org/freedesktop/ColorManager", service, "FindDeviceByProperty", "OutputName", output) or ask(
        "/org/freedesktop/ColorManager", service, "FindDeviceByProperty", "XRANDR_name", output
    )
    if not device:
        return ScreenFound()
    profiles = read(_path(device[0]), f"{service}.Device", "Profiles")
    first = profiles[0] if isinstance(profiles, list) and profiles else None
    file = read(_path(first), f"{service}.Profile", "Filename") if first is not None else None
    if not isinstance(file, str) or not file:
        return ScreenFound()
    try:
        return _sound(Path(file).read_bytes()[:LARGEST], tr("this screen's own, by colord"))
    except OSError:
        return ScreenFound(None, tr("its profile cannot be read"))


def _path(value: object) -> str:
    return str(value.path()) if hasattr(value, "path") else str(value)
