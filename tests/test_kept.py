"""What a workshop keeps, for years: nothing from elsewhere writes in it, and one bad file loses nothing else."""

from __future__ import annotations

import contextlib
import datetime
import json
import os
import shutil
import sqlite3
import stat
import subprocess
import sys
import time
from contextlib import closing
from pathlib import Path

import pytest
from click.testing import CliRunner

from fidele.cli import cli
from fidele.errors import FideleError
from fidele.files import keep_private, replacing, write_bytes
from fidele.session.model import Session
from fidele.session.places import Places
from fidele.statefile import below
from fidele.store.cards import read_export
from fidele.store.logbook import Logbook
from fidele.store.processes import is_alive, this_process
from tests.fuzz.targets import SAMPLE
from tests.hands import go
from tests.known import bundle, unpacked


@pytest.fixture(scope="module")
def earlier(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """What lies beside a workshop of the earlier version, unpacked once."""
    made = tmp_path_factory.mktemp("earlier")
    unpacked(SAMPLE, made)
    return made


@pytest.fixture
def workshop(earlier: Path, tmp_path: Path) -> Path:
    """A workshop of the earlier version, with everything that one keeps."""
    shutil.copytree(earlier, tmp_path, dirs_exist_ok=True)
    return tmp_path / "workshop"


def opened(workshop: Path) -> Session:
    return Session(Places.under(workshop))


def parcel(path: Path, **changes: object) -> Path:
    """Return a condition that was sent, with some fields of its card changed: by `__` into what lies deeper."""
    source = path.parent / "parcel.condition.zip"
    import zipfile

    with zipfile.ZipFile(source) as sent:
        files = {name: sent.read(name) for name in sent.namelist()}
    card = json.loads(files["condition.json"])
    for name, value in changes.items():
        *way, last = name.split("__")
        place = card
        for step in way:
            place = place.setdefault(step, {})
        place[last] = value
    return bundle(path, files | {"condition.json": json.dumps(card).encode()})


# What comes from elsewhere ------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    "name", ["../../../config/app/settings", "/etc/passwd", "..", ".hidden", "a/b", "", "a\0b", "x" * 300, "a\nb"]
)
def test_a_parcel_writes_nowhere_but_where_cards_lie(workshop, name):
    before = {p: p.stat().st_mtime_ns for p in workshop.parent.rglob("*") if p.is_file()}
    sent = parcel(workshop.parent / "bad.zip", id=name)
    with pytest.raises(FideleError, match="cannot be read: id"):
        read_export(sent)
    with pytest.raises(FideleError, match="cannot be the name"):
        below(workshop, name)
    sent.unlink()
    assert {p: p.stat().st_mtime_ns for p in workshop.parent.rglob("*") if p.is_file()} == before


@pytest.mark.parametrize(
    "changes",
    [
        {"driver__turn": []},
        {"profile": "../x"},
        {"press__temperature": "hot"},
        {"history": [{"when": 5}]},
        {"size": None},
    ],
)
def test_a_poisoned_parcel_is_refused(workshop, changes):
    with pytest.raises(FideleError, match="cannot be read"):
        read_export(parcel(workshop.parent / "bad.zip", **changes))


def test_what_others_confirmed_is_a_claim(workshop):
    said = {"value": "off", "who": "Ansa", "when": "2026-11-01T10:00:00+09:00"}
    session = opened(workshop)
    card = session.conditions.take_in(read_export(parcel(workshop.parent / "b.zip", confirmed={"ink_saving": said})))
    assert card.confirmed == {}
    assert card.claimed["ink_saving"].who == "Ansa"
    assert card.claimed["ink_saving"].when.tzinfo is None
    session.put_in_force(session.cards.read(card.id))
    (asked,) = [f for f in session.findings if f.code == "not-known" and f.action.on == "ink_saving"]
    assert "Ansa says to have seen off on" in asked.why
    session.handoff.confirm("ink_saving", "off")
    assert not [f for f in session.findings if f.code == "not-known" and f.action.on == "ink_saving"]
    assert opened(workshop).cards.read(card.id).claimed


# Damaged files ------------------------------------------------------------------------------------------------------


def kept_files(workshop: Path) -> list[Path]:
    found = [p for p in workshop.rglob("*.json") if not {"bench", "icc"} & set(p.parts) and p.name != "demo.json"]
    return sorted(p.relative_to(workshop) for p in found)


def known(session: Session) -> dict[str, object]:
    """Return what a person would miss."""
    return {
        "cards": [c.id for c in session.cards.cards()],
        "runs": [r.id for r in session.logbook.everything()],
        "colours": [c.name for c in session.customers.colours],
        "rules": len(session.sources.rules.all()),
        "defaults": session.profiles.defaults.all(),
        "papers": sorted(i for i in session.profiles.store.ids() if session.profiles.store.read(i).said),
        "blanks": [b.name for b in session.sheet.blanks.blanks],
    }


DAMAGE = {
    "damaged": lambda data: data[: len(data) // 3] + b"\0\xff" + data[len(data) // 3 + 2 :],
    "cut off": lambda data: data[: len(data) // 2],
    "wrong kind": lambda data: b'{"version": [], "id": {}, "blanks": 5, "name": null}',
    "empty": lambda data: b"",
    "deep": lambda data: b"[" * 100_000,
}


@pytest.mark.parametrize("how", DAMAGE)
def test_one_damaged_file_loses_nothing_else(workshop, tmp_path, how):
    session = opened(workshop)
    session.customers.add("Tern red", "#aa2233")
    session.profiles.roles.choose("screen", "abc")
    before = known(session)
    names = kept_files(workshop)
    assert len(names) >= 6, names
    for name in names:
        here = tmp_path / "again"
        shutil.rmtree(here, ignore_errors=True)
        shutil.copytree(workshop, here)
        bad = DAMAGE[how]((here / name).read_bytes())
        (here / name).write_bytes(bad)
        again = opened(here)
        now = known(again)
        assert sum(now[k] != before[k] for k in before) <= 1, name
        told = [s for s in again.damaged() if name.name in s]
        if name.parts[0] not in ("profiles", "readiness", "tolerances", "tunings"):  # read where they are needed
            assert len(told) == 1, (name, again.damaged())
        # Something is written over each of them, and what was there is still there.
        again.customers.add("Tern blue", "#2233aa")
        again.profiles.roles.choose("screen", "def")
        again.profiles.defaults.choose("a", "b", "abc")
        again.sources.rules.save(())
        again.inbox.watch(tmp_path)
        for profile_id in again.profiles.store.ids():
            again.profiles.store.save(again.profiles.store.read(profile_id))
        if name.parts[0] == "conditions":
            again.cards.save(again.cards.cards()[0].model_copy(update={"id": name.stem}))
        held = [p.read_bytes() for p in (here / name).parent.iterdir() if p.is_file()]
        assert bad in held, name
        opened(here)


def test_a_card_that_was_copied_by_hand_is_another_card(workshop):
    card = opened(workshop).cards.cards()[0]
    folder = workshop / "conditions"
    original = (folder / f"{card.id}.json").read_bytes()
    shutil.copy(folder / f"{card.id}.json", folder / f"{card.id} (copy).json")
    session = opened(workshop)
    copied = session.cards.read(f"{card.id} (copy)")
    assert copied.id != card.id
    session.cards.save(copied.model_copy(update={"notes": "mine"}))
    assert (folder / f"{card.id}.json").read_bytes() == original


def test_the_shell_says_what_it_set_aside(workshop, monkeypatch):
    places = Places.under(workshop)
    monkeypatch.setattr("fidele.commands.common.places", lambda: places)
    (workshop / "customer-colours.json").write_bytes(b"{")
    done = CliRunner().invoke(cli, ["condition", "list"])
    assert done.exit_code == 0
    (line,) = done.stderr.splitlines()
    assert "customer-colours.json is damaged" in line


def test_what_cannot_be_read_or_written_is_said(workshop):
    (workshop / "house-rules.json").unlink(missing_ok=True)
    (workshop / "house-rules.json").mkdir()
    session = opened(workshop)
    assert any("house-rules.json is damaged" in s and "not a file" in s for s in session.damaged())
    (told,) = [f for f in session.findings if f.code == "kept-damaged"]
    assert told.why in session.damaged()
    assert Path(told.action.on) == workshop
    (workshop / "roles.json").symlink_to(workshop / "nowhere")
    assert opened(workshop).profiles.roles.all() == {}


# The logbook --------------------------------------------------------------------------------------------------------


def change(workshop: Path, query: str, *values: object) -> None:
    with closing(sqlite3.connect(workshop / "logbook.sqlite")) as db, db:
        db.execute(query, values)


@pytest.mark.parametrize(
    "column", ["at", "card", "settings", "receipt", "state", "passed", "media_mm2", "job", "title"]
)
@pytest.mark.parametrize("value", ["x", b"\xff\xfe", -1.5, '{"name": []}', "[1"])
def test_one_strange_row_keeps_no_other_from_being_read(workshop, column, value):
    whole = [r.id for r in Logbook(workshop / "logbook.sqlite").everything()]
    assert len(whole) > 3
    change(workshop, f"UPDATE run SET {column} = ? WHERE id = ?", value, whole[1])
    session = opened(workshop)
    rest = [r.id for r in session.logbook.everything()]
    assert rest in (whole, [i for i in whole if i != whole[1]])
    if rest != whole:
        with pytest.raises(FideleError, match=rf"Run {whole[1]} in the logbook is damaged: "):
            session.logbook.run(whole[1])
        assert any(f"Run {whole[1]} of the logbook is left out" in s for s in session.damaged())
    change(workshop, "UPDATE run SET title = title")  # the row is there still
    with closing(sqlite3.connect(workshop / "logbook.sqlite")) as db:
        assert db.execute("SELECT COUNT(*) FROM run").fetchone() == (len(whole),)


def test_a_zeroed_sector_is_rescued_from_copies_and_told(workshop):
    book = Logbook(workshop / "logbook.sqlite")
    whole = {r.id for r in book.everything()}
    book.back_up()
    book.add_run("after the copy", "{}", None, {}, {}, "")
    data = bytearray(book.path.read_bytes())
    size = int.from_bytes(data[16:18], "big")
    for at in range(size, len(data) // 2, 3 * size):
        data[at : at + size] = bytes(size)
    book.path.write_bytes(data)
    begun = time.thread_time()
    session = opened(workshop)
    assert time.thread_time() - begun < 20
    assert whole <= {r.id for r in session.logbook.everything()}
    assert session.logbook.rescued is not None
    assert session.logbook.rescued.read_bytes() == bytes(data)
    assert any("The logbook was damaged" in s for s in session.damaged())


def test_who_is_killed_while_it_rescues_begins_anew(workshop, monkeypatch):
    path = workshop / "logbook.sqlite"
    count = len(Logbook(path).everything())
    data = bytearray(path.read_bytes())
    data[-4096:] = bytes(4096)
    data[4096 * 2 : 4096 * 2 + 512] = b"\xff" * 512
    path.write_bytes(data)

    def killed(*_: object) -> None:
        raise KeyboardInterrupt

    with monkeypatch.context() as patch:
        patch.setattr("fidele.store.rescue._copied", killed)
        with pytest.raises(KeyboardInterrupt):
            Logbook(path)
    assert path.read_bytes() == bytes(data)
    again = Logbook(path)
    assert again.rescued is not None
    assert 0 < len(again.everything()) <= count


def test_three_copies_are_kept_and_the_same_is_not_copied_twice(workshop):
    book = Logbook(workshop / "logbook.sqlite")
    for number in range(5):
        book.set_place(1, number)
        os.utime(book.path)
        book.back_up()
        book.back_up()
    places = [float(closing_place(p)) for p in sorted(workshop.glob("logbook.*.copy"))]
    assert places == [4, 3, 2]


def closing_place(path: Path) -> float:
    with closing(sqlite3.connect(path)) as db:
        return db.execute("SELECT place FROM run WHERE id = 1").fetchone()[0]


def test_flying_west_sets_no_clock_back(workshop):
    code = (
        "import sys; from pathlib import Path; from fidele.store.logbook import Logbook\n"
        "book = Logbook(Path(sys.argv[1]) / 'logbook.sqlite')\n"
        "if sys.argv[2] == 'add': book.add_run('far east', '{}', None, {}, {}, '')\n"
        "print(book.clock_behind())"
    )

    def run(zone: str, what: str) -> str:
        command = [sys.executable, "-c", code, str(workshop), what]
        done = subprocess.run(command, env=os.environ | {"TZ": zone}, capture_output=True, check=True)
        return done.stdout.decode().strip()

    assert run("Pacific/Auckland", "add") == "None"
    assert run("Pacific/Honolulu", "look") == "None"
    future = datetime.datetime.now(datetime.UTC) + datetime.timedelta(hours=3)
    change(workshop, "UPDATE run SET at = ? WHERE id = (SELECT MAX(id) FROM run)", future.isoformat())
    assert run("Pacific/Honolulu", "look") != "None"


def test_a_number_used_anew_is_another_process():
    mine = json.dumps(this_process())
    assert is_alive(mine)
    assert not is_alive(mine.replace('"began": "', '"began": "1'))
    assert is_alive(json.dumps({"pid": os.getpid()}))  # as an earlier Fidele kept it
    for strange in ("{}", "[]", "x", '{"pid": -1}', '{"pid": 1e400}', '{"pid": "x"}', '{"pid": 99999999999999999999}'):
        assert not is_alive(strange), strange


# Files that are written ----------------------------------------------------------------------------------------------


def test_a_workshop_is_private_and_what_is_exported_follows_the_umask(workshop, tmp_path):
    session = opened(workshop)
    session.customers.add("Tern red", "#aa2233")
    assert stat.S_IMODE(workshop.stat().st_mode) == 0o700
    assert stat.S_IMODE((workshop / "customer-colours.json").stat().st_mode) == 0o600
    write_bytes(tmp_path / "new folder" / "export.txt", b"x")
    from fidele.files import _own

    assert stat.S_IMODE((tmp_path / "new folder" / "export.txt").stat().st_mode) == 0o666 & ~_own.umask
    assert stat.S_IMODE((tmp_path / "new folder").stat().st_mode) == 0o777 & ~_own.umask


def test_only_files_are_written_over(tmp_path):
    real, link = tmp_path / "real.txt", tmp_path / "link.txt"
    real.write_bytes(b"old")
    link.symlink_to(real)
    write_bytes(link, b"new")
    assert link.is_symlink()
    assert real.read_bytes() == b"new"
    os.mkfifo(tmp_path / "pipe")
    for target in (Path("/dev/full"), Path("/dev/null"), tmp_path / "pipe", tmp_path):
        before = target.lstat()
        with pytest.raises(FideleError, match="is not a file, and is not written over"):
            write_bytes(target, b"x")
        assert stat.S_IFMT(target.lstat().st_mode) == stat.S_IFMT(before.st_mode)
    for name in ("x" * 251 + ".txt", "印" * 80 + ".tif", "a\nb.txt", os.fsdecode(b"\xff\xfe.txt"), "a." + "y" * 240):
        write_bytes(tmp_path / name, b"x")
        assert (tmp_path / name).read_bytes() == b"x"


def test_what_a_killed_process_left_is_swept_at_the_next_start(workshop, tmp_path):
    code = (
        "import os, sys, signal; from pathlib import Path; from fidele.files import keep_private, replacing\n"
        "keep_private(Path(sys.argv[1]), Path(sys.argv[1]) / 'state' / 'written-to')\n"
        "with replacing(Path(sys.argv[2]) / 'big.tif') as part:\n"
        "    part.write_bytes(bytes(5000)); os.kill(os.getpid(), signal.SIGKILL)"
    )
    out = tmp_path / "out"
    out.mkdir()
    subprocess.run([sys.executable, "-c", code, str(workshop), str(out)], check=False)
    assert [p.stat().st_size for p in out.iterdir()] == [5000]
    with replacing(tmp_path / "other.tif") as mine:
        keep_private(workshop, workshop / "state" / "written-to")
        assert list(out.iterdir()) == []
        assert mine.exists()


STRANGE = ("x", b"\xff\xfe", -1.5, 10**15, '{"name": []}', "[1", "", "null", "2026-02-31T00:00:00")


def test_the_window_shows_a_logbook_of_strange_rows(workshop, qtbot, caplog):
    """Every column holds everything that it should not: the desks show what is sound, and nothing is unexpected."""
    from fidele.desk.application import open_window

    path = workshop / "logbook.sqlite"
    with closing(sqlite3.connect(path)) as db, db:
        names = [r[1] for r in db.execute("PRAGMA table_info(run)") if r[1] != "id"]
        copied = ", ".join(names)
        for column in names:
            for value in STRANGE:
                db.execute(f"INSERT INTO run ({copied}) SELECT {copied} FROM run WHERE id = 1")
                with contextlib.suppress(sqlite3.IntegrityError):
                    db.execute(f"UPDATE run SET {column} = ? WHERE id = (SELECT MAX(id) FROM run)", (value,))
        for column in [r[1] for r in db.execute("PRAGMA table_info(verdict)") if r[1] not in ("id", "run")]:
            for value in STRANGE:
                with contextlib.suppress(sqlite3.IntegrityError):
                    db.execute(f"UPDATE verdict SET {column} = ? WHERE id = (SELECT MIN(id) FROM verdict)", (value,))
    window = open_window(Places.under(workshop))
    qtbot.addWidget(window)
    window.show()
    for desk in ("Logbook", "Print", "Check", "Press"):
        go(window, desk)
        qtbot.wait(50)
    logbook = window.desks.logbook
    for run in window.session.logbook.everything():
        logbook.choose(run.id)
        qtbot.wait(1)
    assert len(window.session.logbook.unreadable) > 40
    assert "unexpected" not in window.session.said
    assert not [r for r in caplog.records if r.levelname in ("ERROR", "CRITICAL")], caplog.records[0]
    window.close()
