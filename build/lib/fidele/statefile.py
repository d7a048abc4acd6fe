"""Small files that keep what a person set: damaged ones are told and kept aside, never written over."""

from __future__ import annotations

import json
import re
import threading
from collections.abc import Callable
from pathlib import Path
from typing import Generic, TypeVar

from fidele.errors import FideleError
from fidele.files import read_bytes, reason, write_bytes
from fidele.language import tr

_T = TypeVar("_T")
#: What parsing raises where a file is not what it should be.
WRONG = (FideleError, ValueError, KeyError, TypeError, AttributeError, OverflowError, RecursionError)
_ID = re.compile(r"[^\W_][\w .,+()'&-]{0,119}")

_lock = threading.Lock()
_damaged: dict[Path, str] = {}


def below(folder: Path, name: str, ending: str = "") -> Path:
    """Return the path of a file in a folder by its name, which may come from anywhere.

    Raises
    ------
    FideleError
        When the name could lead out of the folder, or is none that Fidele gives.
    """
    if not _ID.fullmatch(name) or len(f"{name}{ending}".encode()) > 200:
        raise FideleError(
            tr("“{printable}” cannot be the name of a file in {name}.", printable=printable(name), name=folder.name)
        )
    return folder / f"{name}{ending}"


def printable(text: str, most: int = 80) -> str:
    """Return a name from elsewhere as it can stand in a sentence."""
    clean = "".join(c if c.isprintable() else "?" for c in text)
    return clean if len(clean) <= most else f"{clean[:most]}…"


def complain(path: Path, why: str = "") -> None:
    """Note that a kept file is damaged, and why; without a reason, that it is sound again."""
    with _lock:
        if why:
            _damaged[path] = why
        else:
            _damaged.pop(path, None)


def damaged(folder: Path) -> list[tuple[Path, str]]:
    """Return each kept file below a folder that was found damaged and is still there, with a sentence on it."""
    with _lock:
        known = sorted(_damaged.items())
    return [
        (
            path,
            tr(
                "{path} is damaged ({why}) and was left out; it is kept aside before anything is written in its place.",
                path=path,
                why=why,
            ),
        )
        for path, why in known
        if path.is_relative_to(folder) and path.exists()
    ]


def put_aside(path: Path) -> Path:
    """Rename a damaged file so that nothing is written over it; return where it lies now.

    Raises
    ------
    FideleError
        When it cannot be renamed.
    """
    names = (path.with_name(f"{path.name}.damaged{f'-{n}' if n else ''}") for n in range(10_000))
    aside = next(p for p in names if not p.exists())
    try:
        path.rename(aside)
    except OSError as error:
        raise FideleError(
            tr("{path} is damaged and cannot be kept aside: {reason}.", path=path, reason=reason(error))
        ) from error
    complain(path)
    return aside


def words_in(data: bytes) -> dict[str, str]:
    """Return the words by name that a JSON file holds.

    Raises
    ------
    ValueError
        When it holds anything else.
    """
    kept = json.loads(data)
    if not isinstance(kept, dict) or not all(isinstance(v, str) for v in kept.values()):
        raise ValueError(tr("not words by name"))
    return kept


class StateFile(Generic[_T]):
    """One such file."""

    def __init__(self, path: Path, parse: Callable[[bytes], _T], empty: Callable[[], _T], largest: int = 1 << 20):
        self.path, self._parse, self._empty, self._largest = path, parse, empty, largest

    def read(self) -> _T:
        """Return what is kept; what there is without it where it is missing, or damaged, which is told (`damaged`)."""
        found = self._sound()
        return self._empty() if found is None else found

    def _sound(self) -> _T | None:
        if not self.path.exists() and not self.path.is_symlink():
            complain(self.path)
            return None
        try:
            found = self._parse(read_bytes(self.path, self._largest))
        except WRONG as error:
            complain(self.path, _short(error))
            return None
        complain(self.path)
        return found

    def write(self, data: bytes) -> None:
        """Write the file whole or not at all; a damaged one in its place is kept aside.

        Raises
        ------
        FideleError
            When the folder cannot be written.
        """
        if self._sound() is None and (self.path.exists() or self.path.is_symlink()):
            put_aside(self.path)
        write_bytes(self.path, data)


def _short(error: Exception) -> str:
    if isinstance(error, FideleError):
        return str(error).rstrip(".")
    if hasattr(error, "errors"):  # pydantic's
        first = error.errors()[0]
        return f"{'.'.join(map(str, first['loc'])) or tr('all of it')}: {printable(str(first['msg'])).lower()}"
    if isinstance(error, json.JSONDecodeError):
        return tr("broken off or garbled at its line {lineno}", lineno=error.lineno)
    return tr("its content is not what it should hold")
