"""The logbook: every run with the card as it was, and every check."""

from __future__ import annotations

import contextlib
import datetime
import json
import sqlite3
from collections.abc import Iterator, Sequence
from contextlib import closing
from dataclasses import asdict
from pathlib import Path

from fidele.errors import FideleError
from fidele.files import reason
from fidele.language import tr
from fidele.store.processes import is_alive, this_process
from fidele.store.records import BUSY, WAITING, Check, KeptRun, Queued, Verdict
from fidele.store.rescue import back_up, rescued_in_place
from fidele.store.sound import document_fault, fault, moment, verdict_fault
from fidele.values import Document, Settings

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
    """
    ALTER TABLE run ADD COLUMN thumbnail BLOB;
    ALTER TABLE run ADD COLUMN place REAL NOT NULL DEFAULT 0;
    ALTER TABLE run ADD COLUMN why TEXT NOT NULL DEFAULT '';
    ALTER TABLE run ADD COLUMN passed TEXT NOT NULL DEFAULT '[]';
    ALTER TABLE run ADD COLUMN target TEXT NOT NULL DEFAULT '';
    ALTER TABLE run ADD COLUMN not_before TEXT NOT NULL DEFAULT '';
    ALTER TABLE run ADD COLUMN media_mm2 REAL NOT NULL DEFAULT 0;
    CREATE TABLE profile (id TEXT PRIMARY KEY, title TEXT NOT NULL, data BLOB NOT NULL);
    CREATE TABLE photo (
        id INTEGER PRIMARY KEY, run INTEGER NOT NULL REFERENCES run(id), at TEXT NOT NULL, path TEXT NOT NULL
    );
    """,
    # Times were kept by the clock of this machine, whatever its zone was.
    """
    UPDATE run SET at = in_utc(at);
    UPDATE verdict SET at = in_utc(at);
    UPDATE photo SET at = in_utc(at);
    """,
)

#: What is read of a run; a newer Fidele's logbook that has it can be read.
_COLUMNS = (
    *("id", "at", "title", "card", "profile", "settings", "receipt", "overridden", "press", "state", "job", "why"),
    *("passed", "target", "not_before", "media_mm2", "place", "thumbnail"),
)
#: From this version on a logbook can be read as it is.
_READABLE = 4
#: Larger files are not looked through at every start.
_LOOKED_THROUGH = 256 << 20


def _of_card(name: str) -> str:
    """Return the expression for a field of a run's card; '' where the card cannot be read."""
    return f"CASE WHEN json_valid(card) THEN COALESCE(json_extract(card, '$.{name}'), '') ELSE '' END"


#: What is kept of a run, and what its last check said, by the names of `KeptRun`; its thumbnail is asked for apart.
_KEPT = f"""
    SELECT run.id, run.at, title, card, profile, settings, receipt, overridden, press, state, job, why, passed, target,
    not_before, media_mm2, {_of_card("name")} AS card_name,
    COALESCE(verdict.verdict, '') AS verdict, mean, COALESCE(cause, '') AS cause FROM run
    LEFT JOIN verdict ON verdict.id = (SELECT MAX(v.id) FROM verdict v WHERE v.run = run.id)
"""


class Logbook:
    """Runs and checks in an SQLite file."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self.rescued: Path | None = None
        self.saved = 0
        #: Runs whose rows cannot be read, and why; they are left as they are, and out of every list.
        self.unreadable: dict[int, str] = {}
        #: Runs that were read, by their number, with the row that they were made of.
        self._known: dict[int, tuple[tuple[object, ...], KeptRun]] = {}
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            self._look_through()
        except OSError as error:
            raise FideleError(
                tr("The logbook {path} cannot be made: {reason}.", path=path, reason=reason(error))
            ) from error
        except sqlite3.OperationalError as error:  # locked, full, not to be written: not its own fault
            raise FideleError(tr("The logbook {path} cannot be opened: {error}.", path=path, error=error)) from error
        except sqlite3.DatabaseError:
            self.saved, self.rescued = rescued_in_place(path, lambda fresh: _opened(fresh).close())

    def _look_through(self) -> None:
        with closing(self._open()) as db:
            if self.path.stat().st_size < _LOOKED_THROUGH:
                (sound,) = db.execute("PRAGMA quick_check(1)").fetchone()
                if sound != "ok":
                    raise sqlite3.DatabaseError(sound)

    def back_up(self) -> None:
        """Keep a copy of the logbook, whole and looked through, if it was changed since the last one.

        Raises
        ------
        FideleError
            When it cannot be written.
        """
        with self._reading() as db:
            back_up(db, self.path)

    def _open(self) -> sqlite3.Connection:
        """Return a connection to a logbook of this version; one that was taken away meanwhile is begun anew."""
        return _opened(self.path)

    def add_run(
        self,
        title: str,
        card: str,
        profile: str | None,
        settings: Settings,
        receipt: Document,
        overridden: str,
        state: str = "printed",
        job: str = "",
        thumbnail: bytes | None = None,
        passed: Sequence[tuple[str, str]] = (),
        target: str = "",
        why: str = "",
        not_before: str = "",
        media_mm2: float = 0.0,
    ) -> int:
        """Keep a run; return its number. `card` is the card's JSON as it was; `overridden` why stops were passed.

        `state` is 'printing' for one that is only about to be printed: its number can then stand on the print; `job`
        is what is needed to print it again. `passed` are code and title of the findings that were passed over; `target`
        is a file where it goes to one. In the queue it comes behind the last of its condition.
        """
        kept = {
            "at": _now(),
            "title": title,
            "card": card,
            "profile": profile,
            "settings": json.dumps(settings),
            "receipt": json.dumps(receipt),
            "overridden": overridden,
            "state": state,
            "job": job,
            "thumbnail": thumbnail,
            "passed": json.dumps(list(passed)),
            "target": target,
            "why": why,
            "not_before": not_before,
            "media_mm2": media_mm2,
        }
        with self._writing() as db:
            kept["place"] = self._place_for(db, card) if state in WAITING else 0
            names = ", ".join(kept)
            query = f"INSERT INTO run ({names}) VALUES ({', '.join('?' * len(kept))})"
            return int(db.execute(query, tuple(kept.values())).lastrowid or 0)

    @staticmethod
    def _place_for(db: sqlite3.Connection, card: str) -> float:
        """Return a place in the queue behind the last run of a condition, so that like work is printed together."""
        rows = db.execute(
            f"SELECT place, {_of_card('id')} FROM run WHERE state IN ('held', 'waiting') ORDER BY place"
        ).fetchall()
        mine = json.loads(card).get("id")
        last = max((k for k, (_, one) in enumerate(rows) if one == mine), default=len(rows) - 1)
        if last < 0:
            return 1.0
        here = float(rows[last][0])
        return (here + float(rows[last + 1][0])) / 2 if last + 1 < len(rows) else here + 1.0

    @contextlib.contextmanager
    def _reading(self) -> Iterator[sqlite3.Connection]:
        """Give a connection to read by; what cannot be read is said."""
        try:
            with closing(self._open()) as db:
                yield db
        except sqlite3.DatabaseError as error:
            raise FideleError(
                tr(
                    "The logbook {path} cannot be read: {error}. At the next start what can be read of it is saved.",
                    path=self.path,
                    error=error,
                )
            ) from error

    @property
    def is_newer(self) -> bool:
        """Whether a newer Fidele wrote it: it is read, and nothing is written into it."""
        with self._reading() as db:
            (version,) = db.execute("PRAGMA user_version").fetchone()
        return bool(version > len(_MIGRATIONS))

    @contextlib.contextmanager
    def _writing(self) -> Iterator[sqlite3.Connection]:
        """Give a connection; what is done is kept whole, or not at all and said."""
        try:
            with closing(self._open()) as db, db:
                yield db
        except sqlite3.DatabaseError as error:
            if "readonly" in str(error) and self.is_newer:
                said = tr("it can be read, but nothing is added; update Fidele")
                raise FideleError(
                    tr("A newer Fidele wrote the logbook {path}: {said}.", path=self.path, said=said)
                ) from error
            raise FideleError(
                tr("The logbook {path} cannot be written: {error}.", path=self.path, error=error)
            ) from error

    def end_run(self, run: int, state: str, receipt: Document, why: str = "") -> None:
        """Keep how a run ended: 'printed' with the driver's receipt, 'cancelled' or 'failed' and `why`."""
        with self._writing() as db:
            values = (state, json.dumps(receipt), why, run)
            db.execute("UPDATE run SET state = ?, receipt = ?, why = ? WHERE id = ?", values)

    def set_state(self, run: int, state: str, why: str = "", not_before: str = "") -> None:
        """Keep what a run of the queue is doing, and why it is held; one under way belongs to this process."""
        receipt = json.dumps(this_process() if state in BUSY else {})
        with self._writing() as db:
            values = (state, why, not_before, receipt, run)
            db.execute("UPDATE run SET state = ?, why = ?, not_before = ?, receipt = ? WHERE id = ?", values)

    def begin(self, run: int) -> bool:
        """Take a run that waits or is held into work; False where another process was first."""
        with self._writing() as db:
            query = "UPDATE run SET state = 'preparing', why = '', receipt = ? WHERE id = ? AND state IN (?, ?)"
            return db.execute(query, (json.dumps(this_process()), run, *WAITING)).rowcount == 1

    def set_place(self, run: int, place: float) -> None:
        """Keep where a run stands in the queue."""
        with self._writing() as db:
            db.execute("UPDATE run SET place = ? WHERE id = ?", (place, run))

    def queued(self) -> list[Queued]:
        """Return what is yet to be printed, in its order; what is under way comes first."""
        query = f"""
            SELECT run.*, {_of_card("id")} AS card_id, {_of_card("name")} AS card_name
            FROM run WHERE state IN ('held', 'waiting', 'preparing', 'printing')
            ORDER BY state IN ('held', 'waiting'), place, id
        """
        sound = [row for row in self._rows(query) if self._is_sound(row)]
        kept = ("id", "title", "card_name", "state", "why", "place", "target")
        return [
            Queued(
                **{name: row[name] for name in kept},
                card=row["card_id"],
                at=moment(row["at"]),
                not_before=moment(row["not_before"]) if row["not_before"] else None,
            )
            for row in sound
        ]

    def keep_profile(self, profile_id: str, title: str, data: bytes) -> None:
        """Keep a profile's content, once, so that a run can be printed again through it."""
        with self._writing() as db:
            db.execute("INSERT OR IGNORE INTO profile VALUES (?, ?, ?)", (profile_id, title, data))

    def profile(self, profile_id: str) -> bytes | None:
        """Return the content of a profile that a run was printed through, None where it was not kept."""
        with self._reading() as db:
            row = db.execute("SELECT data FROM profile WHERE id = ?", (profile_id,)).fetchone()
        return row[0] if row and isinstance(row[0], bytes) else None

    def add_photo(self, run: int, path: str) -> None:
        """Keep that a photo or scan of a piece lies at a path."""
        with self._writing() as db:
            db.execute("INSERT INTO photo (run, at, path) VALUES (?, ?, ?)", (run, _now(), path))

    def photos(self, run: int) -> list[str]:
        """Return the paths of the photos of a run, oldest first."""
        with self._reading() as db:
            return [str(p) for (p,) in db.execute("SELECT path FROM photo WHERE run = ? ORDER BY id", (run,))]

    def clock_behind(self) -> datetime.datetime | None:
        """Return the time of the last run where that lies in the future: the clock was set back. Else None."""
        with self._reading() as db:
            rows = db.execute("SELECT at FROM run ORDER BY id DESC LIMIT 100").fetchall()
        last = max(_moments(rows), default=None)
        return last if last is not None and last > datetime.datetime.now() + datetime.timedelta(minutes=2) else None

    def last_printed(self, printer: str, title: str) -> tuple[datetime.datetime | None, datetime.datetime | None]:
        """Return when a printer printed last at all, and a run of this title; None for never."""
        query = f"SELECT at, title FROM run WHERE state = 'printed' AND {_of_card('printer')} = ? ORDER BY id DESC"
        rows = self._rows(f"{query} LIMIT 500", printer)
        of_title = self._rows(query.replace("ORDER", "AND title = ? ORDER") + " LIMIT 20", printer, title)
        return max(_moments(rows), default=None), max(_moments(of_title), default=None)

    def runs_of(self, card_id: str, most: int = 60) -> list[int]:
        """Return the numbers of the last runs of a condition, the newest first."""
        query = f"SELECT id FROM run WHERE {_of_card('id')} = ? ORDER BY id DESC LIMIT ?"
        return [int(row["id"]) for row in self._rows(query, card_id, most)]

    def printed_of(self, card_id: str, naming: str, most: int = 200) -> list[KeptRun]:
        """Return those of the last runs of a condition that were printed and whose job names something, newest first.

        `naming` is a chart's digest or a part of an artwork's path, as it stands in the kept job.
        """
        last = f"SELECT id FROM run WHERE {_of_card('id')} = ? ORDER BY id DESC LIMIT ?"
        query = f"{_KEPT} WHERE run.id IN ({last}) AND state = 'printed' AND instr(job, ?) > 0 ORDER BY run.id DESC"
        return self._sound(self._rows(query, card_id, most, naming))

    def everything(self) -> list[KeptRun]:
        """Return all runs with everything that is kept of them, the newest first."""
        return self._sound(self._rows(f"{_KEPT} ORDER BY run.id DESC"))

    def thumbnails(self, runs: Sequence[int]) -> dict[int, bytes]:
        """Return the small pictures of some runs, of those that have one."""
        marks = ", ".join("?" * len(runs))
        query = f"SELECT id, thumbnail FROM run WHERE thumbnail IS NOT NULL AND id IN ({marks})"
        found = {row["id"]: row["thumbnail"] for row in self._rows(query, *runs)}
        return {number: data for number, data in found.items() if isinstance(data, bytes)}

    def checks_of(self, run: int) -> list[tuple[datetime.datetime, Verdict]]:
        """Return the checks of a run, oldest first."""
        rows = self._rows(f"SELECT {_VERDICT} FROM verdict WHERE run = ? ORDER BY id", run)
        return [(moment(row["at"]), _verdict(row)) for row in rows if not verdict_fault(dict(row))]

    def add_press(self, run: int, press: Document) -> None:
        """Keep what was done at the press, behind what was done before with the same run."""
        with self._writing() as db:
            (kept,) = db.execute("SELECT press FROM run WHERE id = ?", (run,)).fetchone() or (None,)
            try:
                before = json.loads(kept) if kept else []
            except (ValueError, TypeError):
                before = []
            records = [*(before if isinstance(before, list) else [before]), press]
            db.execute("UPDATE run SET press = ? WHERE id = ?", (json.dumps(records), run))

    def add_verdict(self, run: int, verdict: Verdict) -> None:
        """Keep a check of a run."""
        kept = asdict(verdict) | {"words": json.dumps(verdict.words), "run": run, "at": _now()}
        with self._writing() as db:
            names = ", ".join(kept)
            db.execute(f"INSERT INTO verdict ({names}) VALUES ({', '.join('?' * len(kept))})", tuple(kept.values()))

    def last_check(self, card_id: str) -> datetime.datetime | None:
        """Return when a condition was checked last, None where it never was."""
        query = f"""
            SELECT verdict.at FROM verdict JOIN run ON run.id = verdict.run
            WHERE {_of_card("id")} = ? ORDER BY verdict.id DESC LIMIT 20
        """
        return max(_moments(self._rows(query, card_id)), default=None)

    def last_verdict(self, printer: str, chart: str) -> tuple[int, str, str] | None:
        """Return run, verdict and cause of the last check of a chart, by its title, on a printer; None for none."""
        query = f"""
            SELECT said.run, said.verdict, said.cause
            FROM (SELECT id, run, verdict, cause FROM verdict WHERE chart = ? ORDER BY id DESC LIMIT 200) AS said
            JOIN run ON run.id = said.run WHERE {_of_card("printer")} = ? ORDER BY said.id DESC LIMIT 1
        """
        for row in self._rows(query, chart, printer):
            return int(row["run"]), str(row["verdict"]), str(row["cause"] or "")
        return None

    def lots_checked(self, card_id: str) -> dict[str, str] | None:
        """Return the lots that a condition named when it was checked last, None where it never was."""
        query = f"""
            SELECT json_extract(run.card, '$.lots') AS lots FROM verdict JOIN run ON run.id = verdict.run
            WHERE json_valid(run.card) AND {_of_card("id")} = ? ORDER BY verdict.id DESC LIMIT 1
        """
        for row in self._rows(query, card_id):
            try:
                said = json.loads(row["lots"] or "{}")
            except ValueError:
                said = {}
            return {str(k): str(v) for k, v in said.items()} if isinstance(said, dict) else {}
        return None

    def checks(self, limit: int = 500) -> list[Check]:
        """Return the last checks, oldest first."""
        query = f"""
            SELECT {_VERDICT}, run.id AS of_run, run.card, run.settings FROM verdict JOIN run ON run.id = verdict.run
            ORDER BY verdict.id DESC LIMIT ?
        """
        return [
            Check(moment(row["at"]), row["of_run"], row["card"], row["settings"], _verdict(row))
            for row in reversed(self._rows(query, limit))
            if not verdict_fault(dict(row)) and not document_fault(row["card"], row["settings"])
        ]

    def run(self, number: int) -> KeptRun:
        """Return everything that is kept of a run.

        Raises
        ------
        FideleError
            When there is none of this number.
        """
        rows = self._rows(f"{_KEPT} WHERE run.id = ?", number)
        if not rows:
            raise FideleError(tr("There is no run {number} in the logbook.", number=number))
        if not (sound := self._sound(rows)):
            raise FideleError(
                tr(
                    "Run {number} in the logbook is damaged: {unreadable}.",
                    number=number,
                    unreadable=self.unreadable[number],
                )
            )
        return sound[0]

    def _sound(self, rows: Sequence[sqlite3.Row]) -> list[KeptRun]:
        """Return the runs of those rows that are sound; the others are noted. What has not changed is made once."""
        found = []
        for row in rows:
            known, kept = self._known.get(row["id"]), tuple(row)
            if known is None or known[0] != kept:
                if not self._is_sound(row):
                    self._known.pop(row["id"], None)
                    continue
                known = kept, KeptRun(**dict(row) | {"at": moment(row["at"])})
                self._known[row["id"]] = known
            found.append(known[1])
        return found

    def _is_sound(self, row: sqlite3.Row) -> bool:
        if why := fault(dict(row)):
            self.unreadable[row["id"]] = why
        else:
            self.unreadable.pop(row["id"], None)
        return not why

    def interrupted(self) -> list[int]:
        """Mark runs that were under way when their Fidele ended as interrupted; return their numbers."""
        with self._writing() as db:
            rows = db.execute("SELECT id, receipt FROM run WHERE state IN ('preparing', 'printing')").fetchall()
            gone = [number for number, receipt in rows if not is_alive(receipt)]
            for number in gone:
                db.execute("UPDATE run SET state = 'interrupted' WHERE id = ?", (number,))
        return gone

    def runs(self, limit: int = 50) -> list[KeptRun]:
        """Return the last runs that are not yet to be printed, newest first."""
        query = f"{_KEPT} WHERE state NOT IN ('held', 'waiting') ORDER BY run.id DESC LIMIT ?"
        return self._sound(self._rows(query, limit))

    def _rows(self, query: str, *values: object) -> list[sqlite3.Row]:
        """Return the rows that a query finds."""
        with self._reading() as db:
            try:  # sound text is read several times as fast as text that may be anything
                db.text_factory = str
                return db.execute(query, values).fetchall()
            except sqlite3.OperationalError as error:
                if "decode" not in str(error):
                    raise
            db.text_factory = _any_text
            return db.execute(query, values).fetchall()


def _any_text(data: bytes) -> str:
    return data.decode("utf-8", "replace")


#: What is kept of a check.
_FIGURES = ("mean", "p95", "largest", "verdict", "cause", "words", "chart", "tolerance", "against", "instrument")
_VERDICT = ", ".join(f"verdict.{name}" for name in ("at", *_FIGURES, "uncertainty"))


def _verdict(row: sqlite3.Row) -> Verdict:
    kept = {name: row[name] for name in (*_FIGURES, "uncertainty")}
    return Verdict(**kept | {"words": tuple(json.loads(row["words"]))})


def _moments(rows: Sequence[sqlite3.Row]) -> list[datetime.datetime]:
    """Return the times of rows, of those that have one."""
    found = []
    for row in rows:
        with contextlib.suppress(ValueError, OverflowError):
            found.append(moment(row["at"]))
    return found


def _opened(path: Path) -> sqlite3.Connection:
    """Return a connection to a logbook, brought to this version.

    Raises
    ------
    FideleError
        When a newer Fidele wrote it.
    """
    db = sqlite3.connect(path, timeout=10, isolation_level="IMMEDIATE")
    try:
        db.row_factory = sqlite3.Row
        db.text_factory = _any_text
        db.execute("PRAGMA foreign_keys = ON")
        (version,) = db.execute("PRAGMA user_version").fetchone()
        if version > len(_MIGRATIONS):
            names = {row[1] for row in db.execute("PRAGMA table_info(run)")}
            if not set(_COLUMNS) <= names:
                raise FideleError(tr("The logbook {path} was written by a newer Fidele; update to read it.", path=path))
            db.execute("PRAGMA query_only = ON")
        if version < len(_MIGRATIONS):
            try:
                _migrate(db)
            except sqlite3.OperationalError:  # a workshop that can be read only
                if version < _READABLE:
                    raise
    except BaseException:
        db.close()
        raise
    return db


def _migrate(db: sqlite3.Connection) -> None:
    """Bring a logbook to this version, whole or not at all; of two processes that begin at once the second waits."""
    db.create_function("in_utc", 1, _in_utc, deterministic=True)
    db.execute("BEGIN IMMEDIATE")
    with db:
        (version,) = db.execute("PRAGMA user_version").fetchone()
        for step in _MIGRATIONS[version:]:
            for statement in step.split(";"):
                db.execute(statement)
        db.execute(f"PRAGMA user_version = {len(_MIGRATIONS)}")


def _in_utc(kept: str | float | bytes | None) -> str | float | bytes | None:
    """Return a time that was kept by this machine's clock in UTC; what is no time stays what it is."""
    try:
        return moment(kept).astimezone(datetime.UTC).isoformat(timespec="seconds")
    except (ValueError, OverflowError):
        return kept


def _now() -> str:
    """Return the time in UTC: a clock that is moved to another zone, or an hour in autumn, changes nothing."""
    return datetime.datetime.now(datetime.UTC).isoformat(timespec="seconds")
