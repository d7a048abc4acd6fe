"""Writing files so that nobody ever sees half of one."""

from __future__ import annotations

import contextlib
import os
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

from fidele.errors import FideleError


@contextlib.contextmanager
def replacing(target: Path) -> Iterator[Path]:
    """Give a temporary path beside `target`; on success it is renamed over it, on any error it is removed.

    Raises
    ------
    FideleError
        When the folder cannot be written or the disk is full.
    """
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        handle, name = tempfile.mkstemp(prefix=f".{target.name[:40]}.", suffix=target.suffix, dir=target.parent)
        os.close(handle)
    except OSError as error:
        raise FideleError(f"{target} cannot be written: {reason(error)}.") from error
    temporary = Path(name)
    try:
        yield temporary
        with temporary.open("rb+") as written:
            os.fsync(written.fileno())
        umask = os.umask(0)
        os.umask(umask)
        temporary.chmod(0o666 & ~umask)
        temporary.replace(target)
    except OSError as error:
        raise FideleError(f"{target} cannot be written: {reason(error)}.") from error
    finally:
        temporary.unlink(missing_ok=True)


def write_bytes(target: Path, data: bytes) -> None:
    """Write `data` to `target` whole or not at all."""
    with replacing(target) as temporary:
        temporary.write_bytes(data)


def write_new(folder: Path, stem: str, suffix: str, data: bytes) -> Path:
    """Write `data` to a new file in `folder`; where the name is taken, by whomever, it gets a number.

    Raises
    ------
    FideleError
        When the folder cannot be written or the disk is full.
    """
    written, number = folder / f".{stem[:40]}.{os.getpid()}-{time.monotonic_ns()}.part", 1
    write_bytes(written, data)
    try:
        while True:
            target = folder / (f"{stem}{suffix}" if number == 1 else f"{stem} ({number}){suffix}")
            try:
                _take_name(written, target)
                return target
            except FileExistsError:
                number += 1
    except OSError as error:
        raise FideleError(f"{target} cannot be written: {reason(error)}.") from error
    finally:
        written.unlink(missing_ok=True)


def _take_name(written: Path, target: Path) -> None:
    """Give a file its name unless that is taken; FileExistsError when it is."""
    try:
        os.link(written, target)
    except FileExistsError:
        raise
    except OSError:  # a file system without links: the name is taken first, then filled
        target.open("x").close()
        written.replace(target)


def read_bytes(path: Path, at_most: int) -> bytes:
    """Read a file of at most `at_most` bytes.

    Raises
    ------
    FideleError
        When it is missing, unreadable, not a file, or larger.
    """
    try:
        if not path.is_file():
            raise FideleError(f"{path} is not a file." if path.exists() else f"{path} does not exist.")
        size = path.stat().st_size
        if size > at_most:
            raise FideleError(
                f"{path} is {size / 2**20:,.0f} MiB, more than the {at_most / 2**20:,.0f} MiB allowed here."
            )
        with path.open("rb") as source:
            return source.read(size)  # not `at_most`: so much would be asked of the memory before a byte is read
    except OSError as error:
        raise FideleError(f"{path} cannot be read: {reason(error)}.") from error


def stamp_of(path: Path) -> tuple[int, int]:
    """Return size and time of change of a file, (0, 0) where it is not there."""
    try:
        found = path.stat()
    except OSError:
        return 0, 0
    return found.st_size, found.st_mtime_ns


def reason(error: OSError) -> str:
    """Return the system's reason in a few lower-case words."""
    return (error.strerror or str(error) or type(error).__name__).lower()
