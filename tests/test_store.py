"""Shelf, cards and logbook on disk, with hostile and broken files."""

from __future__ import annotations

import resource
import sqlite3
import subprocess
import sys
import tempfile
import zipfile
from pathlib import Path

import pytest

from fidele.demo.prepare import SUPPLIER_ZIP, demo_card
from fidele.errors import FideleError
from fidele.files import read_bytes, write_bytes
from fidele.icc.spaces import srgb
from fidele.store.cards import CardStore
from fidele.store.logbook import Logbook
from fidele.store.shelf import Shelf


def bundle(path: Path, files: dict[str, bytes]) -> Path:
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as made:
        for name, data in files.items():
            made.writestr(name, data)
    return path


def test_a_suppliers_zip_lands_on_the_shelf_once(tmp_path, demo, printer):
    shelf = Shelf(tmp_path / "icc")
    source = demo.data / "from the supplier" / SUPPLIER_ZIP
    (first,) = shelf.install(source)
    assert (first.status, first.id, first.title) == (
        "installed",
        printer.content_id,
        "Velm Wren, Fen 100, ceramic tile",
    )
    (again,) = shelf.install(source)
    assert again.status == "already"
    assert [e.id for e in shelf.entries()] == [printer.content_id]
    assert shelf.load(printer.content_id).data == printer.data
    removed = shelf.remove(printer.content_id)
    assert shelf.entries() == []
    shelf.put_back(removed)
    assert shelf.find(printer.content_id) is not None
    with pytest.raises(FideleError, match="not on the shelf; drop it"):
        shelf.load("0" * 16)


def test_names_do_not_overwrite_and_cannot_climb_out(tmp_path, printer):
    shelf = Shelf(tmp_path / "in" / "icc")
    other = srgb().data
    results = shelf.install(
        bundle(
            tmp_path / "two.zip",
            {
                "a/same name.icc": printer.data,
                "b/same name.icc": other,
                "../../../climb.icc": printer.data[:80] + b"x" + printer.data[81:],
                "READ ME.txt": b"hello",
                "empty.icc": b"",
                "/absolute.icm": b"junk" * 90,
            },
        ),
        every=True,
        keep_both=True,
    )
    assert [r.status for r in results] == ["installed", "installed", "installed", "refused", "refused"]
    assert sorted(p.name for p in shelf.own.iterdir()) == ["climb.icc", "same name (2).icc", "same name.icc"]
    assert {p for p in tmp_path.rglob("*.ic*") if p.is_file()} == set(shelf.own.iterdir())
    assert "0 bytes" in results[3].reason
    (nothing,) = shelf.install(bundle(tmp_path / "none.zip", {"a.txt": b""}))
    assert "holds no ICC profile" in nothing.reason


def test_bombs_and_broken_zips_are_refused(tmp_path, printer, monkeypatch):
    shelf = Shelf(tmp_path / "icc")
    monkeypatch.setattr("fidele.store.parcel._BYTES", 2 << 20)
    (bomb,) = shelf.install(bundle(tmp_path / "bomb.zip", {"big.icc": b"\0" * (64 << 20)}))
    assert "unfolds to more than 2 MiB" in bomb.reason
    whole = bundle(tmp_path / "whole.zip", {"p.icc": printer.data}).read_bytes()
    for cut in (10, len(whole) // 2, len(whole) - 30):
        (tmp_path / "cut.zip").write_bytes(whole[:cut])
        (result,) = shelf.install(tmp_path / "cut.zip")
        assert result.status == "refused"
        assert "\n" not in result.reason
    for place in range(40, 400, 40):
        flipped = bytearray(whole)
        flipped[place] ^= 0xFF
        (tmp_path / "flip.zip").write_bytes(bytes(flipped))
        assert shelf.install(tmp_path / "flip.zip")[0].status in ("refused", "installed", "already")
    assert shelf.install(tmp_path / "nothing.icc")[0].reason.endswith("does not exist.")


def test_the_shelf_follows_its_folders(tmp_path, printer):
    system = tmp_path / "system"
    system.mkdir()
    shelf = Shelf(tmp_path / "own", (system,))
    assert shelf.entries() == []
    (system / "theirs.icc").write_bytes(printer.data)
    (system / "broken.icc").write_bytes(b"nothing")
    (entry,) = shelf.entries()
    assert not entry.own
    with pytest.raises(FideleError, match="only an administrator"):
        shelf.remove(entry.id)
    (system / "theirs.icc").write_bytes(srgb().data)
    assert shelf.entries()[0].id == srgb().content_id
    (system / "theirs.icc").unlink()
    assert shelf.entries() == []


def test_cards_are_kept_and_broken_ones_told(tmp_path):
    store = CardStore(tmp_path)
    store.save(demo_card("abc"))
    assert store.cards()[0] == demo_card("abc")
    (tmp_path / "broken.json").write_text('{"id": "x", "name":')
    (tmp_path / "nonsense.json").write_text('{"id": "x", "name": "y", "owner": "everybody"}')
    assert len(store.cards()) == 1
    said = store.damaged()
    assert len(said) == 2
    assert all("cannot be read" in s and "\n" not in s for s in said)
    assert len(list(tmp_path.iterdir())) == 3  # nothing was thrown away


def test_the_logbook_keeps_runs_and_verdicts(tmp_path):
    book = Logbook(tmp_path / "log.sqlite")
    one = book.add_run("Chart", "{}", "p", {"Blend": "x"}, {"ok": 1}, "")
    two = book.add_run("Tiles", "{}", None, {}, {}, "a proof for the customer")
    book.add_press(one, {"temperature": 200})
    book.add_verdict(one, 7.0, 15.0, 20.0, "fail", "converted-twice", ["dull"])
    book.add_verdict(one, 1.0, 2.0, 3.0, "pass", "right", [])
    runs = Logbook(tmp_path / "log.sqlite").runs()
    assert [(r.id, r.title, r.verdict, r.cause) for r in runs] == [
        (two, "Tiles", "", ""),
        (one, "Chart", "pass", "right"),
    ]
    with sqlite3.connect(tmp_path / "log.sqlite") as db:
        assert db.execute("SELECT overridden FROM run WHERE id = ?", (two,)).fetchone() == ("a proof for the customer",)
        db.execute("PRAGMA user_version = 99")
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
