"""Save what can still be read of a damaged logbook, and keep copies of a sound one."""

from __future__ import annotations

import contextlib
import shutil
import sqlite3
from collections.abc import Callable, Iterator
from contextlib import closing
from pathlib import Path

from fidele.files import replacing, stamp_of
from fidele.language import tr

#: So many copies are kept; the youngest is called 1.
_GENERATIONS = 3
_TABLES = ("run", "verdict", "profile", "photo")
#: Rows that cannot be read are passed over one number at a time, at most so many in a row and in all.
_MISSES, _ALL_MISSES = 2000, 20_000


def copies(path: Path) -> list[Path]:
    """Return where the copies of a logbook lie, the youngest first."""
    return [path.with_suffix(f".{n}.copy") for n in range(1, _GENERATIONS + 1)]


def back_up(db: sqlite3.Connection, path: Path) -> None:
    """Keep a copy of a sound logbook if it is another one than the youngest copy; the oldest goes.

    Raises
    ------
    FideleError
        When it cannot be written.
    """
    first, *older = copies(path)
    if stamp_of(first)[1] > stamp_of(path)[1]:
        return
    with replacing(path.with_suffix(".copy")) as fresh:
        with closing(sqlite3.connect(fresh)) as target:
            db.backup(target)
            (sound,) = target.execute("PRAGMA quick_check(1)").fetchone()
        if sound != "ok":
            raise sqlite3.DatabaseError(sound)
    for younger, elder in reversed(list(zip([first, *older[:-1]], older, strict=True))):
        with contextlib.suppress(FileNotFoundError):
            younger.replace(elder)
    path.with_suffix(".copy").replace(first)


def rescued_in_place(path: Path, begin: Callable[[Path], None]) -> tuple[int, Path]:
    """Put what can be read of a damaged logbook, and of its copies, in its place; return how many runs that is.

    The damaged one stays where it is until the new one is whole, so that whoever is killed meanwhile begins anew.
    Returns where it is kept then, too. `begin` makes an empty logbook at a path.
    """
    aside = next(p for n in range(1000) if not (p := path.with_suffix(f".damaged{f'-{n}' if n else ''}")).exists())
    with replacing(path) as fresh:
        fresh.unlink()
        begin(fresh)
        sources = [path, *(copy for copy in copies(path) if copy.is_file())]
        saved = sum(_copied(source, fresh) for source in sources)
        shutil.copyfile(path, aside)
    for journal in (path.with_name(path.name + "-journal"), path.with_name(path.name + "-wal")):
        journal.unlink(missing_ok=True)
    return saved, aside


def _copied(damaged: Path, sound: Path) -> int:
    """Copy what can be read and is not there yet, row by row; return how many runs that is."""
    saved = 0
    try:
        source = sqlite3.connect(f"{damaged.absolute().as_uri()}?mode=ro&immutable=1", uri=True)
        source.row_factory = sqlite3.Row
        source.text_factory = lambda data: data.decode("utf-8", "replace")
        with closing(source), closing(sqlite3.connect(sound)) as target, target:
            for table in _TABLES:
                known = {r[1] for r in target.execute(f"PRAGMA table_info({table})")}
                for row in _readable(source, table):
                    kept = {k: row[k] for k in row.keys() if k in known}  # noqa: SIM118 (a Row is no mapping)
                    marks = ", ".join("?" * len(kept))
                    query = f"INSERT OR IGNORE INTO {table} ({', '.join(kept)}) VALUES ({marks})"
                    count = target.execute(query, tuple(kept.values())).rowcount
                    saved += count if table == "run" else 0
    except sqlite3.DatabaseError:
        pass  # its head is gone: what was copied so far is what there is
    return saved


def _readable(source: sqlite3.Connection, table: str) -> Iterator[sqlite3.Row]:
    """Yield the rows of a table that can be read, past those that cannot; it ends, whatever the file holds."""
    at, misses, all_misses = -1, 0, 0
    while misses < _MISSES and all_misses < _ALL_MISSES:
        try:
            row = source.execute(f"SELECT rowid AS _at, * FROM {table} WHERE rowid > ? LIMIT 1", (at,)).fetchone()
            if row is None:
                return
            if not isinstance(row["_at"], int) or row["_at"] <= at:  # pages that point to each other
                raise sqlite3.DatabaseError(tr("out of order"))
            at, misses = row["_at"], 0
        except (sqlite3.DatabaseError, OverflowError):
            at, misses, all_misses = at + 1, misses + 1, all_misses + 1
            continue
        yield row
