"""Each protection that nothing else would miss: one test that fails when it goes."""

from __future__ import annotations

import gzip
import os
import socket
import struct
import subprocess
import sys
import zlib
from pathlib import Path

import numpy as np
import pytest

from fidele.artwork import png
from fidele.artwork.open import open_artwork
from fidele.check.report import Picture, Report
from fidele.check.statistics import compare
from fidele.check.tolerance import TOLERANCES
from fidele.desk import instance
from fidele.desk.instance import Door, hand_over
from fidele.errors import FideleError
from fidele.files import write_new
from fidele.run.spool import Spool

FIDELE = Path(sys.executable).parent / "fidele"
SVG = '<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" width="9" height="9">'


def chunk(kind: bytes, body: bytes) -> bytes:
    return struct.pack(">I", len(body)) + kind + body + struct.pack(">I", zlib.crc32(kind + body))


def drawn(width: int, height: int, *chunks: bytes) -> bytes:
    """Return a PNG that says a size; its pixels are all nought and packed as small as can be."""
    pixels = zlib.compress(bytes(min(width * height * 3 + height, 1 << 22)))
    head = chunk(b"IHDR", struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0))
    return png.SIGNATURE + head + b"".join(chunks) + chunk(b"IDAT", pixels) + chunk(b"IEND", b"")


@pytest.mark.parametrize(
    ("size", "words"),
    [
        ((30_000, 30_000), "more than Fidele opens"),
        ((400_000, 10), "sides up to 300,000"),
        ((20_000, 20_000), "more than its [0-9,]+ bytes can hold"),
        ((0, 5), "has no pixels"),
    ],
)
def test_pixels_and_sides_are_bounded_before_a_pixel_is_decoded(tmp_path, size, words):
    (tmp_path / "a.png").write_bytes(drawn(*size))
    with pytest.raises(FideleError, match=words):
        open_artwork(tmp_path / "a.png")


def test_shapes_are_counted_with_all_their_uses(tmp_path):
    uses = "".join(f'<g id="a{n}">' + f'<use xlink:href="#a{n + 1}"/>' * 10 + "</g>" for n in range(6))
    (tmp_path / "a.svg").write_text(f'{SVG}<defs>{uses}<rect id="a6" width="1" height="1"/></defs></svg>')
    with pytest.raises(FideleError, match="draws more than 500,000 shapes"):
        open_artwork(tmp_path / "a.svg")


def test_what_unfolds_inside_a_picture_is_bounded(tmp_path):
    bomb = zlib.compress(bytes(200 << 20), 9)
    (tmp_path / "a.png").write_bytes(drawn(5, 5, chunk(b"iCCP", b"x\0\0" + bomb)))
    assert png.facts((tmp_path / "a.png").read_bytes()).icc is not None
    assert len(png.facts((tmp_path / "a.png").read_bytes()).icc) <= 64 << 20
    assert open_artwork(tmp_path / "a.png").width == 5
    (tmp_path / "a.svgz").write_bytes(gzip.compress(SVG.encode() + b" " * (80 << 20) + b"</svg>"))
    with pytest.raises(FideleError, match="damaged"):
        open_artwork(tmp_path / "a.svgz")


def test_the_spool_sweeps_what_belongs_to_nobody_and_nothing_else(tmp_path):
    names = {"run-1.npy": True, "run-2.npy": False, "x.tmp": False, f".fidele-{os.getpid()}-a.npy": True}
    names[".fidele-99999999-b.npy"] = False
    (tmp_path / "spool").mkdir()
    for name in names:
        (tmp_path / "spool" / name).write_bytes(b"x")
    spool = Spool(tmp_path / "spool")
    spool.sweep({1})
    left = {p.name for p in (tmp_path / "spool").iterdir()}
    assert left == {name for name, stays in names.items() if stays}


def test_the_door_is_this_users_alone(tmp_path, qtbot, monkeypatch):
    run = tmp_path / "run"
    run.mkdir(mode=0o700)
    monkeypatch.setenv("XDG_RUNTIME_DIR", str(run))
    door = Door(tmp_path)
    door.listen()
    came: list[object] = []
    door.came.connect(came.append)
    (made,) = run.iterdir()
    assert made.stat().st_mode & 0o777 == 0o600
    # Whoever comes as another user is not heard, and whoever listens as another user is told nothing.
    monkeypatch.setattr(instance, "_is_mine", lambda other: False)
    with socket.socket(socket.AF_UNIX) as other:
        other.connect(str(made))
        other.sendall(b'["/secret"]\n')
        qtbot.wait(200)
        with pytest.raises(ConnectionResetError):
            other.recv(9)
    assert came == []
    monkeypatch.undo()
    with socket.socketpair()[0] as one:
        assert instance._is_mine(one)
        monkeypatch.setattr(os, "getuid", lambda: 12345)
        assert not instance._is_mine(one)
    door.close()


def test_a_predictable_socket_of_somebody_else_is_not_spoken_to(tmp_path, monkeypatch):
    run = tmp_path / "run"
    run.mkdir(mode=0o777)
    run.chmod(0o777)  # not a folder of one's own
    monkeypatch.setenv("XDG_RUNTIME_DIR", str(run))
    assert instance._folder(tmp_path) == tmp_path
    listening = socket.socket(socket.AF_UNIX)
    with instance._address(tmp_path) as address:
        listening.bind(address)
    listening.listen()
    monkeypatch.setattr(instance, "_is_mine", lambda other: False)
    assert not hand_over(tmp_path, [Path("/secret")], 0.2)
    other, _ = listening.accept()
    other.settimeout(1)
    assert other.recv(100) == b""


def test_a_broken_pipe_is_no_error(tmp_path):
    command = f"{FIDELE} chart list | true; echo ${{PIPESTATUS[0]}}"  # it has gone long before a word is said
    done = subprocess.run(["bash", "-c", command], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "0"
    assert done.stderr == ""


def test_folders_without_hard_links_keep_names_apart(tmp_path, monkeypatch):
    def none(*_: object) -> None:
        raise OSError(1, "no links here")

    monkeypatch.setattr(os, "link", none)
    (tmp_path / "a.icc").write_bytes(b"old")
    assert write_new(tmp_path, "a", ".icc", b"new").name == "a (2).icc"
    assert write_new(tmp_path, "a", ".icc", b"newer").name == "a (3).icc"
    assert [(tmp_path / f"a{n}.icc").read_bytes() for n in ("", " (2)", " (3)")] == [b"old", b"new", b"newer"]


def test_reports_hold_names_not_markup():
    """Every text of a report that comes from files or people: none of it becomes an element."""
    evil = "<script>alert(1)</script>\"'&"
    Lab = np.array([[50.0, 0, 0], [60, 1, 1], [70, 2, 2]])
    comparison = compare((evil, "b", "c"), Lab, Lab + 1, TOLERANCES["tight"], (evil, "greys", "greys"))
    report = Report(evil, evil, (evil,), comparison, ((evil, evil),), (Picture(evil, b"x"),), (evil,))
    document = report.document()
    assert "<script" not in document
    assert document.count("&lt;script&gt;") >= 8
