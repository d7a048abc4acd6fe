"""Save what can still be read of a damaged logbook."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from contextlib import closing
from pathlib import Path


def rescue(damaged: Path, sound: Path) -> int:
    """Copy what can still be read of a damaged logbook into a sound one, row by row; return how many runs that is."""
    saved = 0
    try:
        source = sqlite3.connect(f"{damaged.absolute().as_uri()}?mode=ro", uri=True)
        source.row_factory = sqlite3.Row
        with closing(source), closing(sqlite3.connect(sound)) as target, target:
            for table in ("run", "verdict", "profile", "photo"):
                known = {r[1] for r in target.execute(f"PRAGMA table_info({table})")}
                for row in _readable(source, table):
                    kept = {k: row[k] for k in row.keys() if k in known}  # noqa: SIM118 (a Row is no mapping)
                    marks = ", ".join("?" * len(kept))
                    query = f"INSERT OR IGNORE INTO {table} ({', '.join(kept)}) VALUES ({marks})"
                    saved += target.execute(query, tuple(kept.values())).rowcount if table == "run" else 0
                    if table != "run":
                        target.execute(query, tuple(kept.values()))
    except sqlite3.DatabaseError:
        pass  # its head is gone: what was copied so far is what there is
    return saved


def _readable(source: sqlite3.Connection, table: str) -> Iterator[sqlite3.Row]:
    """Yield the rows of a table that can be read, past those that cannot."""
    at, misses = 0, 0
    while misses < 2000:
        try:
            row = source.execute(f"SELECT rowid AS _at, * FROM {table} WHERE rowid > ? LIMIT 1", (at,)).fetchone()
            if row is None:
                return
            at, misses = row["_at"], 0
            yield row
        except sqlite3.DatabaseError:
            at, misses = at + 1, misses + 1
