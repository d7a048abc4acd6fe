"""A whole workshop in one file, and back: conditions, papers, logbook, jobs, profiles of the user's shelf.

A backup is a zip: `backup.json` says what it is, `workshop/…` holds the workshop's folder, `icc/…` the user's profiles.
What is made anew by itself (caches, locks, pages under way, the bench) is not in it.
"""

from __future__ import annotations

import contextlib
import datetime
import fcntl
import json
import os
import shutil
import sqlite3
import stat
import tempfile
import zipfile
import zlib
from collections.abc import Callable, Iterator
from pathlib import Path, PurePosixPath

from fidele import __version__
from fidele.errors import FideleError
from fidele.files import reason, replacing, write_bytes
from fidele.language import tr, trn

#: The form of a backup; one that a later form wrote is refused.
FORM = 1
_SAYS = "backup.json"
_WORKSHOP, _PROFILES = "workshop", "icc"
#: Folders and files of a workshop that are made anew by themselves.
_NOT_KEPT = {"bench", "state", "icc", "downloads", "pages", "shelf.index", "shelf.lock", "window.lock", "restore-next"}
_DATABASE = "logbook.sqlite"
#: No backup of a workshop holds more, nor a file that is larger.
_MOST_FILES, _LARGEST = 200_000, 4 << 30
#: Names a backup that takes the workshop's place at the next start.
_NEXT = "restore-next"

Progress = Callable[[float], object]


def _files(folder: Path) -> Iterator[Path]:
    """Yield what of a workshop is kept, as paths below it; links lead elsewhere, and are left out."""
    for here, folders, names in os.walk(folder):
        top = Path(here) == folder
        folders[:] = sorted(f for f in folders if not (top and f in _NOT_KEPT))
        for name in sorted(names):
            skipped = (
                (top and name in _NOT_KEPT) or name.startswith(".fidele-") or name.endswith((".socket", "-wal", "-shm"))
            )
            path = Path(here) / name
            if not skipped and stat.S_ISREG(path.lstat().st_mode):
                yield path.relative_to(folder)


def write_backup(data: Path, profiles: Path, path: Path, progress: Progress = lambda _: None) -> int:
    """Write a workshop and the user's profiles into one file, and return how many files are in it.

    The logbook is copied as it stands at one moment, whoever writes to it.

    Raises
    ------
    FideleError
        When something cannot be read or the file cannot be written; what was there before is then still there.
    """
    if path.resolve().is_relative_to(data.resolve()):
        raise FideleError(tr("{path} lies in the workshop itself: put the backup somewhere else.", path=path))
    kept = list(_files(data)) if data.is_dir() else []
    icc = [p for p in sorted(profiles.glob("*.ic[cm]")) if p.is_file() and not p.is_symlink()]
    total = max(1, len(kept) + len(icc))
    says = {"fidele": __version__, "form": FORM, "made": datetime.datetime.now(datetime.UTC).isoformat()}
    try:
        with replacing(path) as made, zipfile.ZipFile(made, "w", zipfile.ZIP_DEFLATED, compresslevel=3) as bundle:
            bundle.writestr(_SAYS, json.dumps(says, indent=1))
            for number, name in enumerate(kept):
                with contextlib.suppress(FileNotFoundError):  # it went while the others were written
                    if name.name == _DATABASE:
                        _add_database(bundle, data / name, f"{_WORKSHOP}/{name.as_posix()}")
                    else:
                        bundle.write(data / name, f"{_WORKSHOP}/{name.as_posix()}")
                progress((number + 1) / total)
            for number, profile in enumerate(icc, len(kept)):
                bundle.write(profile, f"{_PROFILES}/{profile.name}")
                progress((number + 1) / total)
    except (OSError, sqlite3.Error) as error:
        why = reason(error) if isinstance(error, OSError) else str(error)
        raise FideleError(tr("The backup {path} cannot be written: {reason}.", path=path, reason=why)) from error
    return len(kept) + len(icc)


def _add_database(bundle: zipfile.ZipFile, path: Path, name: str) -> None:
    with tempfile.TemporaryDirectory() as folder:
        copy = Path(folder) / path.name
        with (
            contextlib.closing(sqlite3.connect(f"file:{path}?mode=ro", uri=True, timeout=30)) as book,
            contextlib.closing(sqlite3.connect(copy)) as into,
        ):
            book.backup(into)
        bundle.write(copy, name)


def _sound(bundle: zipfile.ZipFile, name: str) -> list[zipfile.ZipInfo]:
    """Return what a backup holds, after a look at all of it.

    Raises
    ------
    FideleError
        When it is no backup, of a later form, damaged, or would write somewhere else.
    """
    every = bundle.infolist()
    if _SAYS not in bundle.NameToInfo or bundle.getinfo(_SAYS).file_size > 1 << 16:
        raise FideleError(tr("{name} is no backup of a workshop.", name=name))
    try:
        form = int(json.loads(bundle.read(_SAYS))["form"])
    except (ValueError, KeyError, TypeError) as error:
        raise FideleError(tr("{name} is no backup of a workshop.", name=name)) from error
    if form > FORM:
        raise FideleError(tr("{name} was made by a newer Fidele: update it, then restore.", name=name))
    if len(every) > _MOST_FILES or any(one.file_size > _LARGEST for one in every):
        raise FideleError(tr("{name} holds more than a workshop can.", name=name))
    for one in every:
        way = PurePosixPath(one.filename)
        kind = one.external_attr >> 16
        strange = way.is_absolute() or ".." in way.parts or "\\" in one.filename or stat.S_ISLNK(kind)
        if strange or (one.filename != _SAYS and way.parts[0] not in (_WORKSHOP, _PROFILES)):
            raise FideleError(tr("{name} would write outside of the workshop, and is not restored.", name=name))
    return every


def restore(path: Path, data: Path, profiles: Path, progress: Progress = lambda _: None) -> tuple[int, Path | None]:
    """Put a workshop back as it was; return how many files came, and where what was there lies now, None for nothing.

    All of it is unpacked beside the workshop first; then the two change places. Profiles that are missing on the user's
    shelf come back, those that are there stay.

    Raises
    ------
    FideleError
        When it is no sound backup, a window is open on the workshop, or the disk is full; nothing has changed then.
    """
    try:
        data.parent.mkdir(parents=True, exist_ok=True)
        with zipfile.ZipFile(path) as bundle, _alone(data):
            every = _sound(bundle, path.name)
            fresh = Path(tempfile.mkdtemp(prefix=f".{data.name}-restored-", dir=data.parent))
            try:
                count = _unpack(bundle, every, fresh, profiles, progress)
                return count, _exchange(fresh, data)
            finally:
                shutil.rmtree(fresh, ignore_errors=True)
    except (zipfile.BadZipFile, zlib.error, EOFError, RuntimeError, NotImplementedError, UnicodeError) as error:
        raise FideleError(tr("{name} cannot be read as a backup: it is damaged.", name=path.name)) from error
    except OSError as error:
        raise FideleError(tr("{name} cannot be restored: {reason}.", name=path.name, reason=reason(error))) from error


@contextlib.contextmanager
def _alone(data: Path) -> Iterator[None]:
    """Hold the workshop as a window does, so that none is open meanwhile."""
    if not data.is_dir():
        yield
        return
    with (data / "window.lock").open("a+b") as lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as error:
            raise FideleError(tr("A window is open on this workshop: close it first.")) from error
        yield


def _unpack(
    bundle: zipfile.ZipFile, every: list[zipfile.ZipInfo], fresh: Path, profiles: Path, progress: Progress
) -> int:
    count = 0
    for number, one in enumerate(every):
        way = PurePosixPath(one.filename)
        if one.is_dir() or one.filename == _SAYS:
            continue
        if way.parts[0] == _PROFILES:
            there = profiles / way.name
            if not there.exists():
                write_bytes(there, bundle.read(one))
        else:
            there = fresh.joinpath(*way.parts[1:])
            there.parent.mkdir(parents=True, exist_ok=True)
            with bundle.open(one) as source, there.open("wb") as target:
                shutil.copyfileobj(source, target, 1 << 20)
        count += 1
        progress((number + 1) / len(every))
    return count


def _exchange(fresh: Path, data: Path) -> Path | None:
    """Put the unpacked workshop in the place of the present one, which is kept beside it; bench and state stay."""
    fresh.chmod(0o700)
    if not data.exists():
        fresh.rename(data)
        return None
    for name in ("bench", "state", "icc", "downloads"):
        if (data / name).exists():
            (data / name).rename(fresh / name)
    if not [one for one in data.iterdir() if one.name != "window.lock"]:  # there was no workshop yet
        shutil.rmtree(data)
        fresh.rename(data)
        return None
    aside = data.with_name(f"{data.name}-before-{datetime.datetime.now():%Y-%m-%d-%H%M%S}")
    data.rename(aside)
    fresh.rename(data)
    return aside


def restore_next(path: Path, data: Path) -> None:
    """Let a backup take the workshop's place when Fidele is started next: a window cannot change what it stands on.

    Raises
    ------
    FideleError
        When it is no sound backup, or that cannot be noted.
    """
    try:
        with zipfile.ZipFile(path) as bundle:
            _sound(bundle, path.name)
    except (OSError, zipfile.BadZipFile, zlib.error, EOFError, RuntimeError, NotImplementedError) as error:
        raise FideleError(tr("{name} cannot be read as a backup: it is damaged.", name=path.name)) from error
    write_bytes(data / _NEXT, os.fsencode(path.absolute()))


def restored_at_start(data: Path, profiles: Path) -> str:
    """Restore the backup that was chosen for this start, and say so in a sentence; '' where none was."""
    note = data / _NEXT
    if not note.is_file():
        return ""
    path = Path(os.fsdecode(note.read_bytes()))
    note.unlink()
    try:
        count, aside = restore(path, data, profiles)
    except FideleError as error:
        return str(error)
    return said(path, count, aside)


def said(path: Path, count: int, aside: Path | None) -> str:
    """Return what a restore did, in a sentence."""
    came = trn("{name} is restored: {n} file.", "{name} is restored: {n} files.", count, name=path.name, n=count)
    return came + (tr(" What was there before lies in {aside}.", aside=aside) if aside else "")
