"""A whole workshop in one file and back: what was there, while somebody writes, from bad files, with a full disk."""

from __future__ import annotations

import json
import shutil
import sqlite3
import zipfile
from contextlib import closing
from pathlib import Path

import pytest
from PySide6.QtWidgets import QFileDialog

from fidele.desk.application import open_window
from fidele.desk.instance import Door
from fidele.errors import FideleError
from fidele.session.model import Session
from fidele.session.places import Places
from fidele.store.backup import restore, restore_next, restored_at_start, write_backup
from tests.shell import fidele


def _told(places: Places) -> dict[str, object]:
    """Return what a workshop says of itself."""
    session = Session(places)
    return {
        "cards": sorted(c.model_dump_json() for c in session.cards.cards()),
        "runs": [(r.id, r.title, r.state) for r in session.logbook.everything()],
        "profiles": sorted(e.id for e in session.profiles.shelf.known()),
        "colours": [c.name for c in session.customers.colours],
    }


def test_a_workshop_comes_back_as_it_was_elsewhere_while_its_logbook_is_written(places, tmp_path):
    before = _told(places)
    with closing(sqlite3.connect(places.logbook)) as other, other:
        other.execute("CREATE TABLE IF NOT EXISTS scratch (x)")
        other.commit()
        other.execute("INSERT INTO scratch VALUES (1)")  # not committed yet: no part of this moment
        kept = tmp_path / "kept.zip"
        assert write_backup(places.data, places.profiles, kept) > 5
        other.rollback()
    there = Places.under(tmp_path / "elsewhere" / "workshop")
    count, aside = restore(kept, there.data, there.profiles)
    assert (count > 5, aside) == (True, None)
    assert _told(there) == before
    # Over a workshop that went on: that one is kept beside, the bench and what is lost of profiles comes back.
    (there.data / "conditions" / "new.json").write_text("{}")
    gone = next(there.profiles.glob("*.icc"))
    gone.unlink()
    _, aside = restore(kept, there.data, there.profiles)
    assert aside is not None
    assert (aside / "conditions" / "new.json").exists()
    assert _told(there) == before
    assert (there.data / "icc").is_dir()
    assert not (aside / "icc").exists(), "what is no part of it stays where it was"


def _bad(path: Path, **files: bytes) -> Path:
    with zipfile.ZipFile(path, "w") as bundle:
        for name, data in files.items():
            bundle.writestr(name, data)
    return path


@pytest.mark.parametrize(
    ("files", "said"),
    [
        ({"a.txt": b"x"}, "is no backup"),
        ({"backup.json": b"[]"}, "is no backup"),
        ({"backup.json": b'{"form": 99}'}, "made by a newer Fidele"),
        ({"backup.json": b'{"form": 1}', "workshop/../../evil": b"x"}, "outside of the workshop"),
        ({"backup.json": b'{"form": 1}', "/etc/evil": b"x"}, "outside of the workshop"),
        ({"backup.json": b'{"form": 1}', "elsewhere/x": b"x"}, "outside of the workshop"),
    ],
)
def test_what_is_no_backup_changes_nothing(places, tmp_path, files, said):
    before = _told(places)
    bad = _bad(tmp_path / "bad.zip", **files)
    with pytest.raises(FideleError, match=said):
        restore(bad, places.data, places.profiles)
    with pytest.raises(FideleError, match=said):
        restore_next(bad, places.data)
    assert _told(places) == before
    assert not list(places.data.parent.glob("evil"))
    assert not list(places.data.parent.glob(".*restored*"))


def test_cut_off_damaged_and_full(places, tmp_path, monkeypatch):
    before = _told(places)
    kept = tmp_path / "kept.zip"
    write_backup(places.data, places.profiles, kept)
    data = kept.read_bytes()
    cut = tmp_path / "cut.zip"
    for size in (0, 10, len(data) // 2, len(data) - 5):
        cut.write_bytes(data[:size])
        with pytest.raises(FideleError, match="damaged"):
            restore(cut, places.data, places.profiles)
    cut.write_bytes(data[: len(data) // 3] + bytes(64) + data[len(data) // 3 + 64 :])
    with pytest.raises(FideleError, match="damaged"):
        restore(cut, places.data, places.profiles)
    with pytest.raises(FideleError, match="lies in the workshop itself"):
        write_backup(places.data, places.profiles, places.data / "me.zip")

    def full(*_: object) -> None:
        raise OSError(28, "No space left on device")

    with monkeypatch.context() as patched:
        patched.setattr(shutil, "copyfileobj", full)
        with pytest.raises(FideleError, match="no space left"):
            restore(kept, places.data, places.profiles)
    with monkeypatch.context() as patched:
        patched.setattr(zipfile.ZipFile, "write", full)
        with pytest.raises(FideleError, match="no space left"):
            write_backup(places.data, places.profiles, kept)
    assert kept.read_bytes() == data, "the backup before is still there"
    assert _told(places) == before
    assert not list(places.data.parent.glob(".*restored*"))


def test_an_open_window_keeps_its_workshop_and_restores_at_its_next_start(places, tmp_path, qtbot, monkeypatch):
    kept = tmp_path / "kept.zip"
    door = Door(places.data)
    window = open_window(places)
    qtbot.addWidget(window)
    window.show()
    for asks in ("getSaveFileName", "getOpenFileName"):
        monkeypatch.setattr(QFileDialog, asks, lambda *_, **__: (str(kept), ""))
    window._back_up()
    qtbot.waitUntil(kept.exists, timeout=20_000)
    qtbot.waitUntil(lambda: window.work.idle, timeout=20_000)
    assert str(kept) in window.session.said
    with pytest.raises(FideleError, match="close it first"):
        restore(kept, places.data, places.profiles)
    before = _told(places)
    for card in places.cards.glob("*.json"):
        card.unlink()
    window._put_back()
    assert window.again, "the window opens anew"
    window.close()
    door.close()
    said = restored_at_start(places.data, places.profiles)
    assert said.startswith("kept.zip is restored")
    assert "What was there before lies in" in said
    assert _told(places) == before
    assert restored_at_start(places.data, places.profiles) == "", "once"


def test_from_a_shell(places, tmp_path):
    kept = tmp_path / "kept.zip"
    env = {"XDG_DATA_HOME": str(tmp_path / "share"), "XDG_STATE_HOME": str(tmp_path / "state")}
    own = tmp_path / "share" / "fidele"
    shutil.copytree(places.data / "conditions", own / "conditions")
    assert fidele("backup", kept, env=env).returncode == 0
    assert json.loads(zipfile.ZipFile(kept).read("backup.json"))["form"] == 1
    asked = fidele("restore", kept, env=env)
    assert (asked.returncode, "--yes" in asked.stderr) == (2, True)
    assert fidele("restore", kept, "--yes", env=env).returncode == 0
    assert list((own / "conditions").glob("*.json"))
