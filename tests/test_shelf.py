"""The shelf: how profiles get in, from whatever they come in, and how it follows its folders."""

from __future__ import annotations

import bz2
import gzip
import io
import lzma
import multiprocessing
import os
import stat
import subprocess
import sys
import tarfile
import tempfile
import zipfile
from email.message import EmailMessage
from pathlib import Path

import pytest
from known import PROFILES, bundle

from benchmarks.shelf import generated
from fidele.demo.prepare import SUPPLIER_ZIP
from fidele.errors import FideleError
from fidele.icc.profile import Profile
from fidele.icc.spaces import oprgb, srgb
from fidele.store.lost import find_lost
from fidele.store.parcel import open_parcel
from fidele.store.shelf import Shelf
from fidele.tiles import CancelledError


def redated(profile: Profile, year: int = 2027) -> bytes:
    """Another version of a profile: the same but for its date."""
    made = bytearray(profile.data)
    made[24:26] = year.to_bytes(2, "big")
    return bytes(made)


def files_in(folder: Path) -> list[str]:
    return sorted(p.name for p in folder.iterdir()) if folder.exists() else []


# Getting in ----------------------------------------------------------------------------------------------------------


def test_a_suppliers_zip_lands_on_the_shelf_once(tmp_path, demo, printer):
    shelf = Shelf(tmp_path / "icc")
    source = demo.data / "from the supplier" / SUPPLIER_ZIP
    (first,) = shelf.install(source)
    assert (first.status, first.id) == ("installed", printer.content_id)
    assert first.title == "Velm Wren, Fen 100, ceramic tile"
    (again,) = shelf.install(source)
    assert again.status == "already"
    assert [e.id for e in shelf.entries()] == [printer.content_id]
    assert shelf.load(printer.content_id).data == printer.data
    with pytest.raises(FideleError, match="not on the shelf; drop it"):
        shelf.load("0" * 16)


def test_several_and_other_versions_are_asked_for(tmp_path, demo, printer):
    shelf = Shelf(tmp_path / "icc")
    several = shelf.install(demo.data / "downloads" / "fen-100-profiles.zip")
    assert [r.status for r in several] == ["choose"] * 3
    assert all("holds 3 profiles" in r.reason for r in several)
    assert files_in(shelf.own) == []
    assert [r.status for r in shelf.install(demo.data / "downloads" / "fen-100-profiles.zip", every=True)] == [
        "installed"
    ] * 3
    (tmp_path / "one.icc").write_bytes(printer.data)
    (tmp_path / "same bytes, other name.icm").write_bytes(printer.data)
    (tmp_path / "newer.icc").write_bytes(redated(printer))
    assert shelf.install(tmp_path / "one.icc")[0].status == "installed"
    assert shelf.install(tmp_path / "same bytes, other name.icm")[0].status == "already"
    (other,) = shelf.install(tmp_path / "newer.icc")
    assert other.status == "choose"
    assert "this one was made 2027-" in other.reason
    assert len(shelf.entries()) == 4
    (kept,) = shelf.install(tmp_path / "newer.icc", keep_both=True)
    assert kept.status == "installed"
    assert shelf.load(printer.content_id).data == printer.data  # nothing was overwritten
    assert shelf.load(kept.id).data == redated(printer)


def test_a_folder_is_looked_through(tmp_path, demo, printer):
    shelf = Shelf(tmp_path / "icc")
    delivery = shelf.look(demo.data / "downloads")
    statuses = {a.title: a.status for a in delivery.arrivals}
    assert statuses.pop("tarn-120-wren.icc") == "refused"
    assert set(statuses.values()) == {"new"}
    assert len(statuses) >= 4
    assert {Path(one.name).suffix for one in delivery.leaflets} >= {".pdf", ".eml"}
    (tmp_path / "empty").mkdir()
    (nothing,) = shelf.install(tmp_path / "empty")
    assert (nothing.status, "holds no ICC profile" in nothing.reason) == ("refused", True)


def test_names_do_not_overwrite_and_cannot_climb_out(tmp_path, printer):
    shelf = Shelf(tmp_path / "in" / "icc")
    link = zipfile.ZipInfo("link.icc")
    link.external_attr = (stat.S_IFLNK | 0o777) << 16
    path = bundle(
        tmp_path / "two.zip",
        {
            "a/same name.icc": printer.data,
            "b/same name.icc": srgb().data,
            "../../../climb.icc": redated(printer),
            "..\\..\\back.icc": redated(printer, 2028),
            "READ ME.txt": b"hello",
            "empty.icc": b"",
            "/absolute.icm": b"junk" * 90,
            "bell\x07\x1b[31m.icc": redated(printer, 2029),
        },
    )
    with zipfile.ZipFile(path, "a") as made:
        made.writestr(link, "/etc/passwd")
    results = shelf.install(path, every=True, keep_both=True)
    assert [r.status for r in results] == ["refused", *["installed"] * 4, "refused", "refused", "installed"]
    assert "is a link to elsewhere" in results[0].reason
    assert "0 bytes" in results[5].reason
    assert files_in(shelf.own) == [
        "back.icc",
        "bell__[31m.icc".replace("[", "_"),
        "climb.icc",
        "same name (2).icc",
        "same name.icc",
    ]
    assert {p for p in tmp_path.rglob("*.ic*") if p.is_file()} == set(shelf.own.iterdir())
    (nothing,) = shelf.install(bundle(tmp_path / "none.zip", {"a.txt": b""}))
    assert "holds no ICC profile" in nothing.reason


def test_names_in_odd_encodings(tmp_path, printer):
    """As old tools wrote them: bytes of a code page, without the mark for Unicode."""
    path = bundle(tmp_path / "odd.zip", {"Mowe A.icc": printer.data, "Mowe B.icc": srgb().data})
    raw = (
        path.read_bytes()
        .replace(b"Mowe A.icc", b"M\x94we A.icc"[:10])
        .replace(b"Mowe B.icc", "Mö B.icc.".encode()[:10])
    )
    path.write_bytes(raw)
    shelf = Shelf(tmp_path / "icc")
    results = shelf.install(path, every=True)
    assert "installed" in {r.status for r in results}
    assert all("\n" not in r.reason for r in results)
    assert any("Möwe" in n for n in files_in(shelf.own)), files_in(shelf.own)


def test_a_password_is_told(tmp_path, printer):
    path = bundle(tmp_path / "locked.zip", {"p.icc": printer.data})
    data = bytearray(path.read_bytes())
    central = data.index(b"PK\x01\x02")
    data[6] |= 1
    data[central + 8] |= 1
    path.write_bytes(bytes(data))
    (result,) = Shelf(tmp_path / "icc").install(path)
    assert result.status == "refused"
    assert "protected by a password" in result.reason


def test_every_wrapping_is_unfolded(tmp_path, printer):
    data = printer.data
    tar = io.BytesIO()
    with tarfile.open(fileobj=tar, mode="w") as made:
        member = tarfile.TarInfo("../deep/in.icc")
        member.size = len(data)
        made.addfile(member, io.BytesIO(data))
        device = tarfile.TarInfo("dev.icc")
        device.type = tarfile.CHRTYPE
        made.addfile(device)
    mail = EmailMessage()
    mail["Subject"] = "Ihr Profil"
    mail.set_content("Anbei.")
    mail.add_attachment(data, maintype="application", subtype="octet-stream", filename="Profil für Möwe.icc")
    zipped = bundle(tmp_path / "inner.zip", {"p.icc": data}).read_bytes()
    for name, wrapped, inner in (
        ("p.icc.gz", gzip.compress(data), "p.icc"),
        ("p.icc.bz2", bz2.compress(data), "p.icc"),
        ("p.icc.xz", lzma.compress(data), "p.icc"),
        ("p.tar", tar.getvalue(), "in.icc"),
        ("p.tgz", gzip.compress(tar.getvalue()), "in.icc"),
        ("p.tar.xz", lzma.compress(tar.getvalue()), "in.icc"),
        ("mail.eml", mail.as_bytes(), "Profil für Möwe.icc"),
        ("all.mbox", b"From x\n" + mail.as_bytes() + b"\nFrom y\n" + mail.as_bytes(), "Profil für Möwe.icc"),
        ("renamed.bin", gzip.compress(data), "renamed.bin"),
        ("outer.zip", bundle(tmp_path / "o.zip", {"x/inner.zip": zipped}).read_bytes(), "p.icc"),
    ):
        (tmp_path / name).write_bytes(wrapped)
        parcel = open_parcel(tmp_path / name)
        assert {p.name for p in parcel.profiles} == {inner}, name
        assert all(p.data == data for p in parcel.profiles), name
    assert any("is a link to elsewhere" in why for _, why in open_parcel(tmp_path / "p.tar").refused)
    deep = zipped
    for _ in range(6):
        deep = bundle(tmp_path / "deep.zip", {"again.zip": deep}).read_bytes()
    (result,) = Shelf(tmp_path / "icc").install(tmp_path / "deep.zip")
    assert "wrapped more than 3 times" in result.reason


def test_bombs_and_damaged_wrappings_are_refused(tmp_path, printer, monkeypatch):
    monkeypatch.setattr("fidele.store.parcel._BYTES", 2 << 20)
    monkeypatch.setattr("fidele.store.parcel._FILES", 50)
    monkeypatch.setattr("fidele.apart.process.inside", True)  # with these bounds, in this process
    shelf = Shelf(tmp_path / "icc")
    zeros = b"\0" * (64 << 20)
    (tmp_path / "bomb.icc.gz").write_bytes(gzip.compress(zeros))
    (tmp_path / "bomb.xz").write_bytes(lzma.compress(zeros))
    bundle(tmp_path / "bomb.zip", {"big.icc": zeros})
    bundle(tmp_path / "parts.zip", {f"{i}.icc": b"\0" * (1 << 20) for i in range(5)})
    for name in ("bomb.zip", "bomb.icc.gz", "bomb.xz", "parts.zip"):
        (bomb,) = shelf.install(tmp_path / name)
        assert bomb.status == "refused"
        assert "unfolds to more than" in bomb.reason
    (many,) = shelf.install(bundle(tmp_path / "many.zip", {f"{i}.txt": b"" for i in range(60)}))
    assert "more than 50 files" in many.reason
    whole = {
        "zip": bundle(tmp_path / "whole.zip", {"p.icc": printer.data[:200_000]}).read_bytes(),
        "icc.gz": gzip.compress(printer.data[:200_000]),
        "icc.xz": lzma.compress(printer.data[:200_000]),
    }
    for ending, data in whole.items():
        path = tmp_path / f"broken.{ending}"
        for cut in (12, len(data) // 2, len(data) - 5):
            path.write_bytes(data[:cut])
            (result,) = shelf.install(path)
            assert result.status == "refused"
            assert "\n" not in result.reason
        for place in range(8, 400, 28):
            flipped = bytearray(data)
            flipped[place] ^= 0xFF
            path.write_bytes(bytes(flipped))
            assert all(r.status == "refused" or r.id for r in shelf.install(path))


def test_what_cannot_be_a_profile_says_why(tmp_path, printer):
    shelf = Shelf(tmp_path / "icc")
    huge = tmp_path / "huge.icc"
    with huge.open("wb") as made:
        made.write(printer.data[:200])
        made.truncate(500 << 20)
    fifo = tmp_path / "pipe.icc"
    os.mkfifo(fifo)
    (tmp_path / "cut.icc").write_bytes(printer.data[:4000])
    (tmp_path / "empty.icc").write_bytes(b"")
    (tmp_path / "dangling.icc").symlink_to(tmp_path / "nowhere")
    for name, words in (
        ("huge.icc", "is 500 MiB, more than the"),
        ("pipe.icc", "is not a file"),
        ("cut.icc", "table"),
        ("empty.icc", "0 bytes"),
        ("dangling.icc", "does not exist"),
        ("nothing.icc", "does not exist"),
    ):
        (result,) = shelf.install(tmp_path / name)
        assert result.status == "refused"
        assert words in result.reason, result.reason
        assert "\n" not in result.reason
    assert files_in(shelf.own) == []


# Following its folders -----------------------------------------------------------------------------------------------


def test_what_is_installed_while_the_shelf_is_read_beside_stays(tmp_path, demo):
    """The other shelf looked before it came: what it read is not all there is."""
    (tmp_path / "icc").mkdir()
    (tmp_path / "icc" / "other.icc").write_bytes(oprgb().data)
    shelf = Shelf(tmp_path / "icc")
    beside = shelf.beside()
    (one,) = beside.entries()
    (came,) = shelf.install(demo.data / "from the supplier" / SUPPLIER_ZIP)
    shelf.take_over(beside)
    assert {e.id for e in shelf.known()} == {one.id, came.id}
    # Nothing happened meanwhile: what was read is taken as it is.
    beside = shelf.beside()
    beside.entries()
    shelf.take_over(beside)
    assert shelf.known() == beside.known()


def test_the_shelf_follows_its_folders(tmp_path, printer):
    system = tmp_path / "system"
    system.mkdir()
    shelf = Shelf(tmp_path / "own", (system,))
    assert shelf.entries() == []
    (system / "deep").mkdir()
    (system / "deep" / "theirs.icc").write_bytes(printer.data)
    (system / "broken.icc").write_bytes(b"nothing")
    (entry,) = shelf.entries()
    assert not entry.own
    assert [p.name for p, _ in shelf.broken] == ["broken.icc"]
    with pytest.raises(FideleError, match="only an administrator"):
        shelf.remove(entry.id)
    (system / "deep" / "theirs.icc").write_bytes(srgb().data)
    assert shelf.entries()[0].id == srgb().content_id
    (system / "deep" / "theirs.icc").unlink()
    assert shelf.entries() == []


def test_the_index_remembers_but_is_never_trusted_against_the_file(tmp_path, monkeypatch):
    paths = generated(tmp_path, 60) if (tmp_path / "own").mkdir() is None else []
    for path in paths:
        path.rename(tmp_path / "own" / path.name)
    first = {e.id: e.description for e in Shelf(tmp_path / "own").entries()}
    assert len(first) == 60
    read = []
    opened = Profile.open
    monkeypatch.setattr("fidele.store.shelf.Profile.open", lambda path: read.append(path) or opened(path))
    again = Shelf(tmp_path / "own")
    assert {e.id: e.description for e in again.entries()} == first
    assert read == []
    # A change, a new file and a lost one are each noticed; nothing else is read.
    changed, lost = sorted((tmp_path / "own").glob("*.icc"))[:2]
    changed.write_bytes(oprgb().data)
    lost.unlink()
    (tmp_path / "own" / "new.icm").write_bytes(srgb().data)
    third = Shelf(tmp_path / "own")
    assert {srgb().content_id, oprgb().content_id} < {e.id for e in third.entries()}
    assert sorted(p.name for p in read) == sorted([changed.name, "new.icm"])
    # A damaged index is a forgotten one.
    (tmp_path / "fidele" / "shelf.index").write_bytes(b"fidele\n[[[")
    assert len(Shelf(tmp_path / "own").entries()) == 60
    told: list[float] = []
    (tmp_path / "fidele" / "shelf.index").unlink()
    with pytest.raises(CancelledError):
        Shelf(tmp_path / "own").entries(lambda share: told.append(share) or len(told) < 5)
    rest = Shelf(tmp_path / "own")
    assert rest.unread() == 55


def test_a_file_that_vanishes_while_it_is_read(tmp_path, printer, monkeypatch):
    own = tmp_path / "own"
    own.mkdir()
    for name in ("one.icc", "two.icc"):
        (own / name).write_bytes(redated(printer, 2000 + len(name) + ord(name[0])))
    opened = Profile.open

    def vanish(path: Path) -> Profile:
        if path.name == "one.icc":
            path.unlink()
        return opened(path)

    monkeypatch.setattr("fidele.store.shelf.Profile.open", vanish)
    shelf = Shelf(own)
    assert [e.path.name for e in shelf.entries()] == ["two.icc"]
    assert shelf.broken == ()


def test_removal_can_be_undone_even_when_the_name_is_taken(tmp_path, printer):
    shelf = Shelf(tmp_path / "own")
    (tmp_path / "p.icc").write_bytes(printer.data)
    shelf.install(tmp_path / "p.icc")
    removed = shelf.remove(printer.content_id)
    assert shelf.entries() == []
    assert removed.kept.read_bytes() == printer.data
    (shelf.own / "p.icc").write_bytes(srgb().data)
    shelf.put_back(removed)
    assert files_in(shelf.own) == ["p (2).icc", "p.icc"]
    assert shelf.load(printer.content_id).data == printer.data
    with pytest.raises(FideleError, match="not on the shelf any more"):
        shelf.remove("0" * 16)


def _install(own: str, path: str) -> str:
    return Shelf(Path(own)).install(Path(path), keep_both=True)[0].status


def test_two_fideles_at_once(tmp_path, printer):
    """Eight tries at the same moment: the profile is there once, and nobody fails."""
    (tmp_path / "p.icc").write_bytes(printer.data)
    with multiprocessing.get_context("spawn").Pool(4) as pool:
        statuses = pool.starmap(_install, [(str(tmp_path / "own"), str(tmp_path / "p.icc"))] * 8)
    assert sorted(statuses) == ["already"] * 7 + ["installed"]
    assert files_in(tmp_path / "own") == ["p.icc"]


@pytest.mark.parametrize("trouble", ["read-only", "full"])
def test_a_folder_that_cannot_take_it(trouble, printer):
    """As root everything can be written, so an unprivileged child tries; 'full' is a limit on the size of files."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        folder.chmod(0o755)
        own, data = folder / "icc", folder / "data"
        for made in (own, data):
            made.mkdir()
            made.chmod(0o777)
        (folder / "p.icc").write_bytes(printer.data)
        (folder / "p.icc").chmod(0o644)
        if trouble == "read-only":
            own.chmod(0o555)
        code = (
            "import os, resource, signal\nfrom pathlib import Path\nfrom fidele.store.shelf import Shelf\n"
            f"Shelf(Path('/nowhere'), (), Path({str(data)!r})).look(Path({str(folder / 'p.icc')!r}))\n"  # import it all
            "if os.getuid() == 0: os.setgroups([]); os.setgid(65534); os.setuid(65534)\n"
            + (
                "signal.signal(signal.SIGXFSZ, signal.SIG_IGN)\n"
                "resource.setrlimit(resource.RLIMIT_FSIZE, (8192, 8192))\n"
                if trouble == "full"
                else ""
            )
            + f"shelf = Shelf(Path({str(own)!r}), (), Path({str(data)!r}))\n"
            f"r = shelf.install(Path({str(folder / 'p.icc')!r}))[0]\nprint(r.status, r.reason)"
        )
        done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=False, cwd="/")
        words = "permission denied" if trouble == "read-only" else "file too large"
        assert done.stdout.startswith("refused "), done.stderr
        assert words in done.stdout
        assert done.stdout.count("\n") == 1
        assert list(own.iterdir()) == []
        own.chmod(0o755)


# The lost ------------------------------------------------------------------------------------------------------------


def test_the_search_says_what_keeps_each_from_being_used(tmp_path, demo, printer):
    home = tmp_path / "home"
    for name in ("Downloads", ".local/share/Trash/files", "Mail", "OldApp/Profiles", "node_modules"):
        (home / name).mkdir(parents=True)
    shelf = Shelf(tmp_path / "icc", (), tmp_path / "fidele")
    versions = iter(range(2030, 2060))

    def fresh() -> bytes:
        made = bytearray(redated(printer, next(versions)))
        at = made.index(b"Velm Wren, Fen 100")
        made[at : at + 4] = f"V{next(versions)}"[1:].encode()[-4:]
        return bytes(made)

    (home / "OldApp" / "Profiles" / "deep.icc").write_bytes(fresh())
    bundle(home / "Downloads" / "supplier.zip", {"x/in zip.icc": fresh(), "x/readme.txt": b"hello"})
    (home / "Downloads" / "named.icc.txt").write_bytes(fresh())
    (home / "Downloads" / "no ending").write_bytes(fresh())
    (home / "Downloads" / "packed.icc.gz").write_bytes(gzip.compress(fresh()))
    (home / ".local/share/Trash/files" / "thrown.icc").write_bytes(fresh())
    (home / "Downloads" / "cut.icc").write_bytes(printer.data[:3000])
    (home / "Downloads" / "empty.icc").write_bytes(b"")
    (home / "Downloads" / "picture.icc").write_bytes(b"\x89PNG\r\n\x1a\n" * 40)
    (home / "node_modules" / "skipped.icc").write_bytes(fresh())
    mail = (demo.data / "downloads" / "fen-140-polyester.eml").read_bytes()
    (home / "Mail" / "saved.eml").write_bytes(mail)
    shelf.own.mkdir()
    (shelf.own / "there.icc").write_bytes(printer.data)
    (shelf.own / "wrong.ending").write_bytes(fresh())
    (home / "copy of one on the shelf.icc").write_bytes(printer.data)
    (home / "Downloads" / "newer.icc").write_bytes(redated(printer, 2029))
    told: list[float] = []
    found = {
        Path(f.shown.split(": ")[0]).name: f
        for f in find_lost(shelf, (home, shelf.own), lambda s: told.append(s) is None)
    }
    assert {name: f.obstacle for name, f in found.items()} == {
        "deep.icc": "elsewhere",
        "supplier.zip": "in-zip",
        "saved.eml": "in-mail",
        "packed.icc.gz": "compressed",
        "named.icc.txt": "wrong-name",
        "no ending": "wrong-name",
        "wrong.ending": "wrong-name",
        "thrown.icc": "in-trash",
        "newer.icc": "other-version",
        "cut.icc": "damaged",
        "empty.icc": "damaged",
        "picture.icc": "damaged",
    }
    assert told == sorted(told)
    assert all(f.why.endswith((".", "?")) for f in found.values())
    assert "ends in .txt" in found["named.icc.txt"].why
    assert "the right folder" in found["wrong.ending"].why
    # Every button mends: after it, the profile is on the shelf, and the search no longer finds it.
    for lost in found.values():
        assert bool(lost.mend) == (lost.obstacle not in ("damaged",)), lost
        if lost.mend:
            assert shelf.put(lost.arrival).status == "installed"
    assert {f.obstacle for f in find_lost(shelf, (home, shelf.own))} == {"damaged"}
    with pytest.raises(FideleError, match="does not exist"):
        find_lost(shelf, (tmp_path / "none",))
    with pytest.raises(CancelledError):
        find_lost(shelf, (home,), lambda _: False)


def test_what_is_not_for_printing_is_said_in_a_search(tmp_path):
    display = next(p for p in PROFILES if p.name == "AdobeRGB1998.icc")
    (tmp_path / "home").mkdir()
    (tmp_path / "home" / "screen.icc").write_bytes(display.read_bytes())
    (lost,) = find_lost(Shelf(tmp_path / "icc"), (tmp_path / "home",))
    assert lost.obstacle == "elsewhere"
    assert "not for printing" in lost.why
