"""The entry in the desktop's menu, by which a file manager opens profiles with Fidele (freedesktop.org)."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from contextlib import suppress
from importlib.resources import files
from pathlib import Path

from fidele.errors import FideleError
from fidele.files import read_bytes, reason, write_bytes
from fidele.language import tr

#: What double clicks in a file manager hand over.
MIME = (
    "application/vnd.iccprofile",
    "image/png",
    "image/jpeg",
    "image/tiff",
    "image/webp",
    "image/svg+xml",
    "application/pdf",
)
_ENTRY = "applications/fidele.desktop"
_ICON = "icons/hicolor/scalable/apps/fidele.svg"
_TYPES = "mime/packages/fidele.xml"


def data_home() -> Path:
    """Return the user's data folder (XDG base directory specification)."""
    return Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share")


def _command() -> str:
    """Return how this very Fidele is started."""
    beside = Path(sys.executable).with_name("fidele")
    return str(beside if beside.exists() else shutil.which("fidele") or beside)


def entry() -> bytes:
    """Return the desktop entry (Desktop Entry Specification 1.4) that starts this very Fidele."""
    # The specification's quoting of Exec: these four are escaped inside double quotes, and each backslash once more
    # because the value is a string; a per cent sign is doubled.
    quoted = _command()
    for mark in '\\"`$':
        quoted = quoted.replace(mark, "\\" + mark)
    quoted = quoted.replace("\\", "\\\\").replace("%", "%%")
    lines = (
        "[Desktop Entry]",
        "Type=Application",
        "Version=1.4",
        "Name=Fidele",
        "Comment=Profiles, proof and check for sublimation and desktop prints",
        f'Exec="{quoted}" open %F',
        "Icon=fidele",
        "Terminal=false",
        "Categories=Graphics;Publishing;",
        "Keywords=colour;profile;ICC;proof;sublimation;",
        f"MimeType={';'.join(MIME)};",
        "StartupWMClass=fidele",
    )
    return ("\n".join(lines) + "\n").encode()


def state() -> str:
    """Return 'there', 'other' (an entry that starts another Fidele) or 'none'."""
    with suppress(FideleError):
        return "there" if read_bytes(data_home() / _ENTRY, 1 << 16) == entry() else "other"
    return "none"


def install() -> list[Path]:
    """Write entry, icon and file types, and make Fidele what opens profiles; return what was written.

    Raises
    ------
    FideleError
        When a folder cannot be written.
    """
    home, ours = data_home(), files("fidele") / "data" / "desktop"
    written = []
    for name, data in (
        (_ENTRY, entry()),
        (_ICON, (ours / "fidele.svg").read_bytes()),
        (_TYPES, (ours / "fidele.xml").read_bytes()),
    ):
        write_bytes(home / name, data)
        written.append(home / name)
    _update()
    # Only profiles: what opens pictures is the user's own choice.
    _tool("xdg-mime", "default", "fidele.desktop", MIME[0])
    return written


def remove() -> list[Path]:
    """Take entry, icon and file types away again; return what was removed.

    Raises
    ------
    FideleError
        When a file cannot be removed.
    """
    gone = []
    for name in (_ENTRY, _ICON, _TYPES):
        path = data_home() / name
        try:
            if path.exists():
                path.unlink()
                gone.append(path)
        except OSError as error:
            raise FideleError(tr("{path} cannot be removed: {reason}.", path=path, reason=reason(error))) from error
    if gone:
        _update()
    return gone


def _update() -> None:
    """Let the desktop's caches follow, where it has any."""
    _tool("update-desktop-database", str(data_home() / "applications"))
    _tool("update-mime-database", str(data_home() / "mime"))


def _tool(name: str, *arguments: str) -> None:
    found = shutil.which(name)
    if found is not None:
        with suppress(OSError, subprocess.TimeoutExpired):
            subprocess.run([found, *arguments], check=False, capture_output=True, timeout=20)
