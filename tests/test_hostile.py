"""Small files that were made to freeze, eat or cheat: each is refused or opened, within its bounds, in one sentence."""

from __future__ import annotations

import io
import os
import struct
import time
from pathlib import Path

import numpy as np
import pytest
import tifffile
from PIL import Image

from fidele.apart import ask, jail, process
from fidele.apart.ask import apart_in_parts, usage
from fidele.artwork.open import open_artwork
from fidele.chart.measured_file import read_any
from fidele.errors import FideleError
from fidele.icc.spaces import srgb
from fidele.papers.leaflet import read_leaflet
from fidele.session.customers import read_colours
from fidele.session.model import Session
from fidele.session.places import Places
from fidele.store.cards import holds_card
from fidele.store.parcel import open_parcel
from fidele.store.shelf import Shelf
from tests import children
from tests.hands import settle
from tests.known import bundle

SVG = '<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" width="{0}" height="{0}">'


def _directories(*entries: tuple[int, int, int, int], following: int = 8) -> bytes:
    """Return a TIFF of one directory, which is followed by the one at `following`: itself, by default."""
    made = b"II*\0" + struct.pack("<IH", 8, len(entries))
    return made + b"".join(struct.pack("<HHII", *e) for e in entries) + struct.pack("<I", following)


def _pdf(*objects: str) -> bytes:
    body, places = b"%PDF-1.7\n", []
    for number, text in enumerate(objects, 1):
        places.append(len(body))
        body += f"{number} 0 obj\n{text}\nendobj\n".encode()
    table = "".join(f"{p:010} 00000 n \n" for p in places)
    head = f"xref\n0 {len(objects) + 1}\n0000000000 65535 f \n{table}"
    return body + f"{head}trailer<</Size {len(objects) + 1}/Root 1 0 R>>\nstartxref\n{len(body)}\n%%EOF".encode()


def _page(box: str, content: str, resources: str = "<<>>") -> bytes:
    return _pdf(
        "<</Type/Catalog/Pages 2 0 R>>",
        "<</Type/Pages/Kids[3 0 R]/Count 1>>",
        f"<</Type/Page/Parent 2 0 R/MediaBox[{box}]/Contents 4 0 R/Resources{resources}>>",
        f"<</Length {len(content)}>>stream\n{content}\nendstream",
        "<</Type/Pattern/PatternType 1/PaintType 1/TilingType 1/BBox[0 0 1 1]/XStep .01/YStep .01/Resources<<>>"
        "/Length 15>>stream\n0 0 .005 .005 re f\nendstream",
        "<</Type/XObject/Subtype/Image/Width 30000/Height 30000/ColorSpace/DeviceRGB/BitsPerComponent 8/Length 0>>"
        "stream\n\nendstream",
    )


def nested(depth: int, inner: str, name: str = "g") -> str:
    return f"<{name}>" * depth + inner + f"</{name}>" * depth


_MARKER = (
    '<marker id="m{0}" markerWidth="9" markerHeight="9"><path d="M0 0L1 1L2 0L3 3" marker-mid="url(#m{1})"/></marker>'
)
_PATTERN = '<pattern id="p{0}" width=".01" height=".01"><rect width="9" height="9" fill="url(#p{1})"/></pattern>'
HOSTILE: dict[str, bytes] = {
    "itself.tif": _directories((256, 4, 1, 9), (257, 4, 1, 9)),
    "huge.tif": _directories((256, 4, 1, 200_000), (257, 4, 1, 200_000), (262, 3, 1, 1), (273, 4, 1, 8)),
    "growing.tif": _directories((256, 4, 1, 2**31 - 1), (273, 4, 2**30, 8), (279, 4, 2**30, 8), following=0),
    "tiles.pdf": _page("0 0 2000 2000", "/Pattern cs /P scn 0 0 2000 2000 re f", "<</Pattern<</P 5 0 R>>>>"),
    "eater.pdf": _page("0 0 99 99", "/X Do " * 400, "<</XObject<</X 6 0 R>>>>"),
    "nested.pdf": _page("0 0 99 99", "q " * 200_000),
    "wide.pdf": _page("0 0 14400 14400", "0 0 9 9 re f"),
    "url.svg": (SVG.format(9) + f'<rect fill="url({" " * 400_000}" style="{"url(" * 200_000}"/></svg>').encode(),
    "markers.svg": (SVG.format(99) + "".join(_MARKER.format(i, i + 1) for i in range(40)) + '<path d="M0 0'
                    + "L9 9" * 2000 + '" marker-mid="url(#m0)"/></svg>').encode(),
    "patterns.svg": (SVG.format(900) + "".join(_PATTERN.format(i, i + 1) for i in range(30))
                     + '<rect width="900" height="900" fill="url(#p0)"/></svg>').encode(),
    "filter.svg": (SVG.format(4000) + '<filter id="f">' + "<feTurbulence numOctaves='99'/>" * 200
                   + '</filter><rect width="4000" height="4000" filter="url(#f)"/></svg>').encode(),
    "giant.svg": (SVG.format("99999in") + "</svg>").encode(),
    "blank.txt": b"CGATS.17\n" + b"\n" * 50_000 + b"BEGIN_DATA_FORMAT\nSAMPLE_ID\n" + b"\r" * 50_000,
    "commas.csv": b"," * 3_000_000,
    "digits.csv": b"name,L,a,b\nx," + b"9" * 2_000_000 + b",1,1",
    "twice.txt": b"CGATS.17\nBEGIN_DATA_FORMAT\nSAMPLE_ID LAB_L LAB_A LAB_B\nEND_DATA_FORMAT\nBEGIN_DATA\n"
    + b"A1 50 1 1\n" * 100_000 + b"END_DATA\n",
    "deep.cxf": ("<CxF>" + nested(200_000, "", "a") + "</CxF>").encode(),
    "head.eml": b"Subject: " + b"=?utf-8?q?a?= " * 20_000 + b"\n\nbody",
    "parts.eml": b"MIME-Version: 1.0\nContent-Type: multipart/mixed; boundary=b\n\n"
    + b"--b\nContent-Type: multipart/mixed; boundary=b\n\n" * 5000,
}  # fmt: skip
READERS = {".eml": open_parcel, ".txt": read_any, ".csv": read_any, ".cxf": read_any}


@pytest.mark.parametrize("name", HOSTILE)
def test_small_files_neither_freeze_nor_eat(name, tmp_path, monkeypatch):
    monkeypatch.setattr(ask, "SECONDS", 1.5)
    path = tmp_path / name
    path.write_bytes(HOSTILE[name])
    usage.peak, own, begun = 0, time.thread_time(), time.monotonic()
    for read in (READERS.get(path.suffix, open_artwork), *((read_colours,) if path.suffix == ".csv" else ())):
        try:
            read(path)
        except FideleError as error:
            assert "\n" not in str(error)
            assert len(str(error)) < 1000
    if path.suffix in (".eml", ".pdf"):
        read_leaflet(name, path.read_bytes())
    assert usage.peak < 1 << 30
    assert time.thread_time() - own < 0.5  # what waits has its own time
    assert time.monotonic() - begun < 60


def test_three_thousand_profiles_in_a_zip(tmp_path, monkeypatch):
    """They are looked at once; the folder is not searched anew for each that is put there or taken away."""
    looks = []
    monkeypatch.setattr(Shelf, "snapshot", lambda self, real=Shelf.snapshot: looks.append(1) or real(self))
    head = srgb().data
    files = {f"{n}.icc": head[:44] + struct.pack(">I", n) + head[48:] for n in range(3000)}
    own = time.thread_time()
    session = Session(Places.under(tmp_path / "workshop"))
    delivery = session.shelf.look(bundle(tmp_path / "many.zip", files))
    session.profiles.receive(delivery)
    assert len(session.profiles.settle({a.id: "put" for a in delivery.arrivals})) == 3000
    assert len(session.shelf.known()) == len(list((tmp_path / "workshop" / "icc").iterdir())) == 3000
    session.undo()
    assert session.shelf.known() == []
    assert len(looks) < 20
    assert time.thread_time() - own < 60


# What a child may -----------------------------------------------------------------------------------------------------


def test_a_child_can_do_nothing_but_read_its_file(tmp_path):
    path, other = tmp_path / "a", tmp_path / "b"
    for file in (path, other, tmp_path / "bx"):
        file.write_bytes(b"x")
    other.unlink()
    found = children.tries(path, other)
    assert found.pop("read") == found.pop("thread") == "done"
    assert set(found.values()) <= {"PermissionError", "OSError"}, found
    assert path.read_bytes() == b"x"
    assert not process.inside
    assert not (tmp_path / "a.new").exists()


def test_a_child_is_ended_at_its_limits_and_the_next_one_is_sound(tmp_path, monkeypatch):
    monkeypatch.setattr(ask, "SECONDS", 1.0)
    path = tmp_path / "a.bin"
    path.write_bytes(b"x")
    own = time.thread_time()
    with pytest.raises(FideleError, match=r"a\.bin was given up: it takes more than 1 seconds"):
        children.spin(path)
    with pytest.raises(FideleError, match=r"a\.bin needs more memory"):
        children.eat(path)
    assert time.thread_time() - own < 0.2
    assert children.eat.__wrapped__ is not children.eat
    picture = tmp_path / "b.png"
    Image.new("RGB", (40, 30), "red").save(picture)
    assert open_artwork(picture).width == 40


def test_parts_come_one_by_one_and_a_reader_can_go_away(tmp_path):
    path = tmp_path / "a"
    path.write_bytes(b"")
    assert [int(p[0, 0, 0]) for p in apart_in_parts(children.counting, path, files=[path])] == list(range(50))
    parts = apart_in_parts(children.counting, path, files=[path])
    assert next(parts)[9, 9, 1] == 0
    parts.close()


def test_an_answer_can_hold_nothing_that_acts():
    import pickle

    from fidele.apart.wire import _Plain

    class Acting:
        def __reduce__(self):
            return os.system, ("true",)

    for value in (Acting(), os.path.join, open_artwork, Path):
        with pytest.raises(pickle.UnpicklingError, match="may hold"):
            _Plain(io.BytesIO(pickle.dumps(value))).load()


def test_modules_in_the_folder_that_one_works_in_are_not_ours(tmp_path, monkeypatch):
    for name in ("numpy", "imagecodecs", "tifffile", "struct"):
        (tmp_path / f"{name}.py").write_text(f"open({str(tmp_path / 'ran')!r}, 'w')\n")
    Image.new("RGB", (40, 30), "red").save(tmp_path / "a.png")
    monkeypatch.chdir(tmp_path)
    monkeypatch.setattr(ask, "_zygote", ask._Zygote())
    assert open_artwork(tmp_path / "a.png").width == 40
    ask._zygote.end()
    assert not (tmp_path / "ran").exists()


def test_without_a_zygote_another_is_started(tmp_path):
    picture = tmp_path / "b.png"
    Image.new("RGB", (40, 30), "red").save(picture)
    open_artwork(picture)
    ask._zygote._process.kill()
    ask._zygote._process.wait()
    assert open_artwork(picture).width == 40
    assert jail._CALLS["x86_64"][1]


# What would be lost without a word ---------------------------------------------------------------------------------


def test_artwork_with_holes_is_refused(tmp_path):
    rng = np.random.default_rng(1)
    pixels = rng.integers(0, 256, (512, 512, 3), dtype=np.uint8)
    tifffile.imwrite(tmp_path / "a.tif", pixels, photometric="rgb", rowsperstrip=64)
    with tifffile.TiffFile(tmp_path / "a.tif", mode="r+b") as tiff:
        counts = list(tiff.pages[0].tags["StripByteCounts"].value)
        tiff.pages[0].tags["StripByteCounts"].overwrite([0, *counts[1:]])
    with pytest.raises(FideleError, match="has gaps: 1 of its 8 parts"):
        open_artwork(tmp_path / "a.tif")

    smooth = np.asarray(Image.fromarray(pixels[:64, :64]).resize((900, 900)))
    for options in ({}, {"progressive": True}):
        Image.fromarray(smooth).save(tmp_path / "b.jpg", quality=95, **options)
        whole = bytearray((tmp_path / "b.jpg").read_bytes())
        assert open_artwork(tmp_path / "b.jpg").width == 900
        at = len(whole) // 1024 * 512
        whole[at : at + 4096] = bytes(4096)
        (tmp_path / "b.jpg").write_bytes(whole)
        with pytest.raises(FideleError, match="has a hole of 4,09"):
            open_artwork(tmp_path / "b.jpg")
    Image.new("RGB", (4000, 4000), "white").save(tmp_path / "flat.jpg", optimize=True)
    assert open_artwork(tmp_path / "flat.jpg").pixels.min() > 250

    (tmp_path / "none.pdf").write_bytes(_page("0 0 0 0", "0 0 9 9 re f"))
    with pytest.raises(FideleError, match="page 1 has no size"):
        open_artwork(tmp_path / "none.pdf")
    rect = '<rect width="9" height="9"/>'
    (tmp_path / "deep.svg").write_text(SVG.format(9) + nested(29, rect) + "</svg>")
    assert (open_artwork(tmp_path / "deep.svg").pixels == 0).all()
    (tmp_path / "deep.svg").write_text(SVG.format(9) + nested(33, rect) + "</svg>")
    with pytest.raises(FideleError, match="inside each other"):
        open_artwork(tmp_path / "deep.svg")
    (tmp_path / "in.svg").write_text(SVG.format(9) + '<image xlink:href="data:image/png;base64,iVBORw0KGgo="/></svg>')
    with pytest.raises(FideleError, match="embedded picture that is damaged"):
        open_artwork(tmp_path / "in.svg")


def test_what_decoders_warn_of_is_a_doubt(tmp_path, capfd):
    pixels = np.zeros((64, 64, 3), np.uint8)
    tifffile.imwrite(tmp_path / "a.tif", pixels, photometric="rgb")
    data = bytearray((tmp_path / "a.tif").read_bytes())
    at = int.from_bytes(data[4:8], "little")
    count = int.from_bytes(data[at : at + 2], "little")
    for k in range(count):
        if data[at + 2 + 12 * k : at + 4 + 12 * k] == struct.pack("<H", 305):  # Software: a string far outside
            data[at + 10 + 12 * k : at + 14 + 12 * k] = struct.pack("<I", 10**8)
    (tmp_path / "a.tif").write_bytes(data)
    doubts = open_artwork(tmp_path / "a.tif").doubts
    assert any("is not quite sound" in d for d in doubts), doubts
    assert capfd.readouterr() == ("", "")


def test_pipes_and_devices_are_not_waited_for(tmp_path):
    os.mkfifo(tmp_path / "pipe.zip")
    for path in (tmp_path / "pipe.zip", Path("/dev/zero"), tmp_path):
        assert not holds_card(path)
        for read in (open_artwork, read_any, read_colours):
            with pytest.raises(FideleError):
                read(path)


@pytest.mark.eager
def test_what_is_given_up_in_the_window_is_said_and_holds_nothing_up(window, qtbot, tmp_path, monkeypatch):
    """A file that would spin for ever, dropped beside a sound one: no event takes long (`tests.events`)."""
    monkeypatch.setattr(ask, "SECONDS", 1.0)
    for name in ("filter.svg", "itself.tif", "tiles.pdf"):
        (tmp_path / name).write_bytes(HOSTILE[name])
    Image.new("RGB", (60, 40), "red").save(tmp_path / "sound.png")
    window.incoming.take_all([tmp_path / "sound.png"])
    settle(window, qtbot)
    qtbot.waitUntil(lambda: len(window.desks.made()) == len(window.desks), timeout=20_000)
    for name in ("filter.svg", "itself.tif", "tiles.pdf"):
        window.incoming.take_all([tmp_path / name])
        settle(window, qtbot)
        assert "given up" in window.session.said or "damaged" in window.session.said
    window.incoming.take_all([tmp_path / name for name in ("filter.svg", "sound.png")])
    settle(window, qtbot)
    assert [p.opened.path.name for p in window.session.pieces.all] == ["sound.png"]


def test_a_watched_folder_is_not_blinded(window, qtbot, tmp_path):
    """A dangling link, a pipe and a broken picture lie there: what is sound still arrives, and what is not is said."""
    (tmp_path / "in").mkdir()
    window.session.inbox.watch(tmp_path / "in")
    (tmp_path / "in" / "gone.png").symlink_to(tmp_path / "nowhere")
    os.mkfifo(tmp_path / "in" / "pipe.png")
    (tmp_path / "in" / "broken.png").write_bytes(b"no picture")
    qtbot.waitUntil(lambda: "broken.png is not a PNG" in window.session.said, timeout=20_000)
    Image.new("RGB", (60, 40), "red").save(tmp_path / "in" / "sound.png")
    qtbot.waitUntil(lambda: "sound.png arrived in in" in window.session.said, timeout=20_000)
    assert [p.opened.path.name for p in window.session.pieces.all] == ["sound.png"]
