"""The logbook: every run with the card as it was, and every check."""

from __future__ import annotations

import datetime
import json
import os
import sqlite3
from contextlib import closing
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

from fidele.errors import FideleError

#: Each step takes the file from one version to the next.
_MIGRATIONS = (
    """
    CREATE TABLE run (
        id INTEGER PRIMARY KEY, at TEXT NOT NULL, title TEXT NOT NULL, card TEXT NOT NULL, profile TEXT,
        settings TEXT NOT NULL, receipt TEXT NOT NULL, overridden TEXT NOT NULL DEFAULT '', press TEXT
    );
    CREATE TABLE verdict (
        id INTEGER PRIMARY KEY, run INTEGER NOT NULL REFERENCES run(id), at TEXT NOT NULL, mean REAL NOT NULL,
        p95 REAL NOT NULL, largest REAL NOT NULL, verdict TEXT NOT NULL, cause TEXT NOT NULL, words TEXT NOT NULL
    );
    """,
    """
    ALTER TABLE run ADD COLUMN state TEXT NOT NULL DEFAULT 'printed';
    ALTER TABLE verdict ADD COLUMN chart TEXT NOT NULL DEFAULT '';
    ALTER TABLE verdict ADD COLUMN tolerance TEXT NOT NULL DEFAULT '';
    ALTER TABLE verdict ADD COLUMN against TEXT NOT NULL DEFAULT '';
    ALTER TABLE verdict ADD COLUMN instrument TEXT NOT NULL DEFAULT '';
    ALTER TABLE verdict ADD COLUMN uncertainty REAL NOT NULL DEFAULT 0;
    """,
    """
    ALTER TABLE run ADD COLUMN job TEXT NOT NULL DEFAULT '';
    """,
)


@dataclass(frozen=True)
class Verdict:
    """What a check said: ΔE00 figures, 'pass' or 'fail', the cause's code, and by what it was judged."""

    mean: float
    p95: float
    largest: float
    verdict: str
    cause: str
    words: tuple[str, ...] = ()
    chart: str = ""
    tolerance: str = ""
    against: str = ""
    instrument: str = ""
    uncertainty: float = 0.0


@dataclass(frozen=True)
class Check:
    """A check of a run, as the logbook keeps it: when, which run, and the card as it was, as JSON."""

    at: datetime.datetime
    run: int
    card: str
    settings: str
    verdict: Verdict


@dataclass(frozen=True)
class Run:
    """A print as it was sent, with its last verdict ('pass', 'fail' or '' when not checked)."""

    id: int
    at: datetime.datetime
    title: str
    card: str
    verdict: str
    mean: float | None
    cause: str
    state: str = "printed"


@dataclass(frozen=True)
class KeptRun:
    """Everything that is kept of a run; `settings`, `receipt` and `press` as JSON."""

    id: int
    at: datetime.datetime
    title: str
    card: str
    profile: str | None
    settings: str
    receipt: str
    overridden: str
    press: str | None
    state: str
    job: str


class Logbook:
    """Runs and checks in an SQLite file."""

    def __init__(self, path: Path) -> None:
        self.path = path
        path.parent.mkdir(parents=True, exist_ok=True)
        try:
            with closing(self._open()) as db:
                version = db.execute("PRAGMA user_version").fetchone()[0]
                if version > len(_MIGRATIONS):
                    raise FideleError(f"The logbook {path} was written by a newer Fidele; update to read it.")
                for step in _MIGRATIONS[version:]:
                    version += 1
                    db.executescript(f"BEGIN; {step} PRAGMA user_version = {version}; COMMIT;")
        except sqlite3.DatabaseError as error:
            aside = path.with_suffix(".damaged")
            if aside.exists():
                raise FideleError(f"The logbook {path} is damaged; move it away to start a new one.") from error
            path.replace(aside)
            self.__init__(path)  # type: ignore[misc]
            self.rescued: Path | None = aside
            return
        self.rescued = None

    def _open(self) -> sqlite3.Connection:
        db = sqlite3.connect(self.path, timeout=10)
        db.execute("PRAGMA foreign_keys = ON")
        return db

    def add_run(
        self,
        title: str,
        card: str,
        profile: str | None,
        settings: dict[str, Any],
        receipt: dict[str, Any],
        overridden: str,
        state: str = "printed",
        job: str = "",
    ) -> int:
        """Keep a run; return its number. `card` is the card's JSON as it was; `overridden` why stops were passed.

        `state` is 'printing' for one that is only about to be printed: its number can then stand on the print; `job`
        is what is needed to print it again.
        """
        row = (_now(), title, card, profile, json.dumps(settings), json.dumps(receipt), overridden, state, job)
        with closing(self._open()) as db, db:
            cursor = db.execute(
                "INSERT INTO run (at, title, card, profile, settings, receipt, overridden, state, job) "
                "VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
                row,
            )
            return int(cursor.lastrowid or 0)

    def end_run(self, run: int, state: str, receipt: dict[str, Any]) -> None:
        """Keep how a run ended: 'printed' with the driver's receipt, 'cancelled' or 'failed'."""
        with closing(self._open()) as db, db:
            db.execute("UPDATE run SET state = ?, receipt = ? WHERE id = ?", (state, json.dumps(receipt), run))

    def add_press(self, run: int, press: dict[str, Any]) -> None:
        """Keep what was done at the press."""
        with closing(self._open()) as db, db:
            db.execute("UPDATE run SET press = ? WHERE id = ?", (json.dumps(press), run))

    def add_verdict(self, run: int, verdict: Verdict) -> None:
        """Keep a check of a run."""
        kept = asdict(verdict) | {"words": json.dumps(verdict.words), "run": run, "at": _now()}
        with closing(self._open()) as db, db:
            names = ", ".join(kept)
            db.execute(f"INSERT INTO verdict ({names}) VALUES ({', '.join('?' * len(kept))})", tuple(kept.values()))

    def last_check(self, card_id: str) -> datetime.datetime | None:
        """Return when a condition was checked last, None where it never was."""
        query = """
            SELECT MAX(verdict.at) FROM verdict JOIN run ON run.id = verdict.run
            WHERE json_extract(run.card, '$.id') = ?
        """
        with closing(self._open()) as db:
            (at,) = db.execute(query, (card_id,)).fetchone()
        return datetime.datetime.fromisoformat(at) if at else None

    def checks(self, limit: int = 500) -> list[Check]:
        """Return the last checks, oldest first."""
        query = """
            SELECT verdict.at, run.id, run.card, run.settings, mean, p95, largest, verdict.verdict, cause, words, chart,
            tolerance, against, instrument, uncertainty FROM verdict JOIN run ON run.id = verdict.run
            ORDER BY verdict.id DESC LIMIT ?
        """
        with closing(self._open()) as db:
            rows = db.execute(query, (limit,)).fetchall()
        return [
            Check(
                datetime.datetime.fromisoformat(r[0]),
                r[1],
                r[2],
                r[3],
                Verdict(r[4], r[5], r[6], r[7], r[8], tuple(json.loads(r[9])), r[10], r[11], r[12], r[13], r[14]),
            )
            for r in reversed(rows)
        ]

    def run(self, number: int) -> KeptRun:
        """Return everything that is kept of a run.

        Raises
        ------
        FideleError
            When there is none of this number.
        """
        names = "id, at, title, card, profile, settings, receipt, overridden, press, state, job"
        with closing(self._open()) as db:
            row = db.execute(f"SELECT {names} FROM run WHERE id = ?", (number,)).fetchone()
        if row is None:
            raise FideleError(f"There is no run {number} in the logbook.")
        return KeptRun(row[0], datetime.datetime.fromisoformat(row[1]), *row[2:])

    def interrupted(self) -> list[int]:
        """Mark runs that were under way when their Fidele ended as interrupted; return their numbers."""
        with closing(self._open()) as db, db:
            rows = db.execute("SELECT id, receipt FROM run WHERE state = 'printing'").fetchall()
            gone = [number for number, receipt in rows if not _alive(json.loads(receipt).get("pid", 0))]
            db.executemany("UPDATE run SET state = 'interrupted' WHERE id = ?", [(n,) for n in gone])
        return gone

    def runs(self, limit: int = 50) -> list[Run]:
        """Return the last runs, newest first."""
        query = """
            SELECT run.id, run.at, title, card, COALESCE(verdict.verdict, ''), mean, COALESCE(cause, ''), state FROM run
            LEFT JOIN verdict ON verdict.id = (SELECT MAX(v.id) FROM verdict v WHERE v.run = run.id)
            ORDER BY run.id DESC LIMIT ?
        """
        with closing(self._open()) as db:
            rows = db.execute(query, (limit,)).fetchall()
        return [Run(r[0], datetime.datetime.fromisoformat(r[1]), *r[2:]) for r in rows]


def _alive(pid: int) -> bool:
    """Whether a process of this number is there."""
    try:
        os.kill(pid, 0)
    except ProcessLookupError:
        return False
    except PermissionError:
        return True
    return pid > 0


def _now() -> str:
    return datetime.datetime.now().isoformat(timespec="seconds")
