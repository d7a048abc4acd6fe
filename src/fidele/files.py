"""Writing files so that nobody ever sees half of one, and nobody else sees what is this user's alone."""

from __future__ import annotations

import contextlib
import errno
import os
import re
import tempfile
import time
from collections.abc import Iterator
from dataclasses import field
from pathlib import Path

from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.language import tr

#: Temporary files are called so, with the process that writes them.
_PART = re.compile(r"\.fidele-(\d+)-")


@dataclass
class _Own:
    """What this process keeps to itself: folders that are this user's alone, and the umask for everything else."""

    umask: int = -1
    folders: tuple[Path, ...] = ()
    journal: Path | None = None
    written_to: set[Path] = field(default_factory=set)


_own = _Own()


def keep_private(folder: Path, journal: Path) -> None:
    """Let what lies below a folder be this user's alone from now on, and sweep what killed processes left elsewhere.

    `journal` is a file below it in which the folders are noted that files are written to. Whatever the program writes
    is private; what is written elsewhere by `replacing` follows the user's own umask.
    """
    if _own.umask < 0:
        _own.umask = os.umask(0o077)
    with contextlib.suppress(OSError):  # not there yet, or to be read only
        if folder.stat().st_mode & 0o077:
            folder.chmod(0o700)
    _own.folders = (*(f for f in _own.folders if f != folder), folder)
    _own.journal = journal
    _own.written_to.clear()
    with contextlib.suppress(OSError, ValueError):
        for line in journal.read_bytes().splitlines()[-1000:]:
            _sweep(Path(os.fsdecode(line)))
        journal.unlink()


def in_work(path: Path) -> bool:
    """Whether a file is one that a process is writing at this moment."""
    found = _PART.match(path.name)
    return found is not None and Path(f"/proc/{found[1]}").exists()


def _sweep(folder: Path) -> None:
    """Remove the temporary files of processes that are not there any more."""
    with contextlib.suppress(OSError):
        for path in folder.iterdir():
            if _PART.match(path.name) and not in_work(path):
                path.unlink(missing_ok=True)


def _note(folder: Path) -> None:
    """Note that a temporary file is about to lie in a folder."""
    if _own.journal is not None and folder not in _own.written_to:
        _own.written_to.add(folder)
        with contextlib.suppress(OSError):
            _own.journal.parent.mkdir(parents=True, exist_ok=True)
            with _own.journal.open("ab") as journal:
                journal.write(os.fsencode(folder) + b"\n")


@contextlib.contextmanager
def replacing(target: Path) -> Iterator[Path]:
    """Give a temporary path beside `target`; on success it is renamed over it, on any error it is removed.

    A link to a file stays one: the file is replaced where it is.

    Raises
    ------
    FideleError
        When the folder cannot be written, the disk is full, or the target is there and no file.
    """
    try:
        asked, target = target, target.absolute() if not target.is_symlink() else target.resolve()
        if target.exists() and not target.is_file():
            raise FideleError(tr("{path} is not a file, and is not written over.", path=asked))
        private = any(target.is_relative_to(folder) for folder in _own.folders)
        umask = _own.umask if _own.umask >= 0 else _umask()
        for folder in reversed([f for f in target.parents if not f.exists()]):
            folder.mkdir(exist_ok=True)
            folder.chmod(0o700 if private else 0o777 & ~umask)
        _note(target.parent)
        suffix = target.suffix if len(target.suffix.encode()) < 20 else ""
        handle, name = tempfile.mkstemp(prefix=f".fidele-{os.getpid()}-", suffix=suffix, dir=target.parent)
        os.close(handle)
    except OSError as error:
        raise FideleError(tr("{path} cannot be written: {reason}.", path=asked, reason=reason(error))) from error
    temporary = Path(name)
    try:
        yield temporary
        with temporary.open("rb+") as written:
            os.fsync(written.fileno())
        temporary.chmod(0o600 if private else 0o666 & ~umask)
        temporary.replace(target)
        _sync_folder(target.parent)
    except OSError as error:
        raise FideleError(tr("{path} cannot be written: {reason}.", path=target, reason=reason(error))) from error
    finally:
        temporary.unlink(missing_ok=True)


def _umask() -> int:
    umask = os.umask(0)
    os.umask(umask)
    return umask


def _sync_folder(folder: Path) -> None:
    """Let a new name outlive a power cut, where the file system can."""
    with contextlib.suppress(OSError):
        handle = os.open(folder, os.O_RDONLY | os.O_DIRECTORY)
        try:
            os.fsync(handle)
        finally:
            os.close(handle)


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
    written, number = folder / f".fidele-{os.getpid()}-{time.monotonic_ns()}.part", 1
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
        raise FideleError(tr("{path} cannot be written: {reason}.", path=target, reason=reason(error))) from error
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
            raise FideleError(
                tr("{path} is not a file.", path=path) if path.exists() else tr("{path} does not exist.", path=path)
            )
        size = path.stat().st_size
        if size > at_most:
            raise FideleError(
                tr(
                    "{path} is {size:,.0f} MiB, more than the {at_most:,.0f} MiB allowed here.",
                    path=path,
                    size=size / 2**20,
                    at_most=at_most / 2**20,
                )
            )
        with path.open("rb") as source:
            return source.read(size)  # not `at_most`: so much would be asked of the memory before a byte is read
    except OSError as error:
        raise FideleError(tr("{path} cannot be read: {reason}.", path=path, reason=reason(error))) from error


def stamp_of(path: Path) -> tuple[int, int]:
    """Return size and time of change of a file, (0, 0) where it is not there."""
    try:
        found = path.stat()
    except OSError:
        return 0, 0
    return found.st_size, found.st_mtime_ns


_REASONS = {
    errno.EACCES: tr("permission denied"),
    errno.EPERM: tr("operation not permitted"),
    errno.ENOENT: tr("no such file or directory"),
    errno.EEXIST: tr("file exists"),
    errno.EISDIR: tr("is a directory"),
    errno.ENOTDIR: tr("not a directory"),
    errno.ENOTEMPTY: tr("directory not empty"),
    errno.ENOSPC: tr("no space left on device"),
    errno.EDQUOT: tr("disk quota exceeded"),
    errno.EROFS: tr("read-only file system"),
    errno.EIO: tr("input/output error"),
    errno.ENAMETOOLONG: tr("file name too long"),
    errno.EMFILE: tr("too many open files"),
    errno.ENODEV: tr("no such device"),
    errno.EBUSY: tr("device or resource busy"),
}


def reason(error: OSError) -> str:
    """Return the system's reason in a few lower-case words."""
    if error.errno in _REASONS:  # the system says it in English, whatever the user speaks
        return _REASONS[error.errno]
    return (error.strerror or str(error) or type(error).__name__).lower()
