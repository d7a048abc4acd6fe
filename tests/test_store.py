"""Shelf, cards and logbook on disk, with hostile and broken files."""

from __future__ import annotations

import resource
import sqlite3
import subprocess
import sys
import tempfile
from pathlib import Path

import pytest

from fidele.demo.prepare import demo_card
from fidele.errors import FideleError
from fidele.files import read_bytes, write_bytes
from fidele.statefile import damaged
from fidele.store.cards import CardStore
from fidele.store.logbook import Logbook
from fidele.store.records import Verdict


def test_cards_are_kept_and_broken_ones_told(tmp_path):
    store = CardStore(tmp_path)
    store.save(demo_card("abc"))
    assert store.cards()[0] == demo_card("abc")
    (tmp_path / "broken.json").write_text('{"id": "x", "name":')
    (tmp_path / "nonsense.json").write_text('{"id": "x", "name": "y", "owner": "everybody"}')
    assert len(store.cards()) == 1
    said = [sentence for _, sentence in damaged(tmp_path)]
    assert len(said) == 2
    assert all("cannot be read" in s and "\n" not in s for s in said)
    assert len(list(tmp_path.iterdir())) == 3  # nothing was thrown away


def test_the_logbook_keeps_runs_and_verdicts(tmp_path):
    book = Logbook(tmp_path / "log.sqlite")
    card = demo_card("abc").model_dump_json()
    one = book.add_run("Chart", card, "p", {"Blend": "x"}, {"ok": 1}, "")
    two = book.add_run("Tiles", card, None, {}, {}, "a proof for the customer")
    book.add_press(one, {"temperature": 200})
    book.add_verdict(one, Verdict(7.0, 15.0, 20.0, "fail", "converted-twice", ("dull",), chart="control"))
    book.add_verdict(one, Verdict(1.0, 2.0, 3.0, "pass", "right"))
    assert [(c.run, c.verdict.cause, c.verdict.words) for c in book.checks()] == [
        (one, "converted-twice", ("dull",)),
        (one, "right", ()),
    ]
    runs = Logbook(tmp_path / "log.sqlite").runs()
    assert [(r.id, r.title, r.verdict, r.cause) for r in runs] == [
        (two, "Tiles", "", ""),
        (one, "Chart", "pass", "right"),
    ]
    with sqlite3.connect(tmp_path / "log.sqlite") as db:
        assert db.execute("SELECT overridden FROM run WHERE id = ?", (two,)).fetchone() == ("a proof for the customer",)
        db.execute("PRAGMA user_version = 99")
        db.execute("ALTER TABLE run ADD COLUMN scent TEXT")
    # A newer Fidele's logbook is read where it has what we know, and never written.
    newer = Logbook(tmp_path / "log.sqlite")
    assert [r.id for r in newer.runs()] == [two, one]
    before = (tmp_path / "log.sqlite").read_bytes()
    with pytest.raises(FideleError, match="it can be read, but nothing is added"):
        newer.add_run("Tiles", card, None, {}, {}, "")
    assert newer.interrupted() == []
    assert (tmp_path / "log.sqlite").read_bytes() == before
    with sqlite3.connect(tmp_path / "log.sqlite") as db:
        db.execute("ALTER TABLE run RENAME COLUMN title TO name")
    with pytest.raises(FideleError, match="written by a newer Fidele"):
        Logbook(tmp_path / "log.sqlite")


def test_a_damaged_logbook_is_kept_aside(tmp_path):
    (tmp_path / "log.sqlite").write_bytes(b"this is no database" * 100)
    book = Logbook(tmp_path / "log.sqlite")
    assert book.rescued is not None
    assert book.rescued.read_bytes().startswith(b"this is no database")
    assert book.runs() == []


def test_writing_leaves_the_old_file_or_the_new_one(tmp_path):
    target = tmp_path / "thing.bin"
    write_bytes(target, b"old")

    def limited() -> None:
        resource.setrlimit(resource.RLIMIT_FSIZE, (4096, 4096))

    code = (
        "import signal, sys; from pathlib import Path\n"
        "from fidele.files import write_bytes; from fidele.errors import FideleError\n"
        "signal.signal(signal.SIGXFSZ, signal.SIG_IGN)\n"
        f"try: write_bytes(Path({str(target)!r}), b'x' * 100_000)\n"
        "except FideleError as error: sys.exit(str(error))"
    )
    done = subprocess.run([sys.executable, "-c", code], preexec_fn=limited, capture_output=True, text=True, check=False)
    assert done.returncode == 1
    assert "cannot be written: file too large" in done.stderr
    assert target.read_bytes() == b"old"
    assert list(tmp_path.iterdir()) == [target]
    with pytest.raises(FideleError, match="more than the 0 MiB allowed"):
        read_bytes(target, 2)


def test_a_folder_without_rights_is_told():
    """As root everything can be written, so an unprivileged child tries."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        folder.chmod(0o555)
        code = (
            "import os, tempfile\nfrom pathlib import Path\nfrom fidele.files import write_bytes\n"
            "from fidele.errors import FideleError\n"
            "if os.getuid() == 0: os.setgroups([]); os.setgid(65534); os.setuid(65534)\n"
            f"try: write_bytes(Path({name!r}) / 'x.bin', b'x')\n"
            "except FideleError as error: print(error)"
        )
        done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=False)
        assert done.stdout.strip() == f"{folder / 'x.bin'} cannot be written: permission denied.", done.stderr
        assert list(folder.iterdir()) == []
        folder.chmod(0o755)
