"""Pictures too large for memory, and how long the window keeps a person waiting while a large one is moved."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

import numpy as np

_CONVERT = """
import sys, time
from pathlib import Path
from fidele.artwork.convert_files import Order, convert_file
from fidele.icc.profile import Profile
from fidele.icc.transform import Intent
from fidele.tuning.conversion import Conversion
source, out, profile = map(Path, sys.argv[1:])
convert_file(source, out, Order(Profile.open(profile), Conversion(Intent.RELATIVE, False)))
print(next(line.split()[1] for line in open("/proc/self/status") if line.startswith("VmHWM")))
"""

_VIPS = """
import sys, pyvips
source, out, profile = sys.argv[1:]
image = pyvips.Image.new_from_file(source, access="sequential")
done = image.icc_transform(profile, embedded=True, intent="relative", depth=8)
done.tiffsave(out, compression="deflate", level=1, predictor="horizontal", bigtiff=True)
print(0)
"""


def drawn(path: Path, side: int, tile: int | None) -> None:
    """Write a photo-like 8-bit RGB BigTIFF of so many pixels on each side, in strips or tiles, part by part."""
    import imagecodecs
    import tifffile

    from fidele.demo.pictures import harbour
    from fidele.icc.spaces import srgb

    part = np.rint(harbour(2048, 2048) * 255).astype(np.uint8)
    across = np.tile(part, (1, -(-side // 2048), 1))[:, :side]

    def strips() -> Iterator[bytes]:
        for row in range(0, side, 64):
            yield imagecodecs.zlib_encode(np.ascontiguousarray(across[row % 2048 : row % 2048 + 64]), level=1)

    def tiles() -> Iterator[np.ndarray]:
        for row in range(0, side, tile or 1):
            for column in range(0, side, tile or 1):
                yield np.ascontiguousarray(across[row % 2048 :, column:][:tile, :tile])

    shape = {"tile": (tile, tile)} if tile else {"rowsperstrip": 64}
    tifffile.imwrite(
        path,
        tiles() if tile else strips(),
        shape=(side, side, 3),
        dtype=np.uint8,
        photometric="rgb",
        compression="zlib",
        compressionargs={"level": 1},
        bigtiff=True,
        iccprofile=srgb().data,
        maxworkers=1,
        **shape,
    )


def convert_in(code: str, *arguments: Path) -> tuple[float, float]:
    """Run a conversion in a process of its own; return its seconds and its largest memory in MB.

    The child says its own high-water mark: what wait4 says of it begins with the memory of the process that started it.
    """
    start = time.perf_counter()
    child = subprocess.run([sys.executable, "-c", code, *map(str, arguments)], stdout=subprocess.PIPE, check=True)
    return time.perf_counter() - start, int(child.stdout) / 1024


def gigapixel(profile: Path, side: int = 32_000) -> list[tuple[str, float, float, float]]:
    """Convert a picture of about a gigapixel in strips and one in tiles; (kind, seconds, MB, seconds of libvips)."""
    done = []
    with tempfile.TemporaryDirectory() as folder:
        for kind, tile in (("strips", None), ("tiles", 256)):
            source, out = Path(folder) / "large.tif", Path(folder) / "out.tif"
            drawn(source, side, tile)
            seconds, memory = convert_in(_CONVERT, source, out, profile)
            out.unlink()
            theirs, _ = convert_in(_VIPS, source, out, profile)
            out.unlink()
            done.append((kind, seconds, memory, theirs))
    return done


_ROLL = """
import dataclasses, sys
from pathlib import Path
from fidele.session.model import Session
from fidele.session.places import Places
from fidele.session.state import PiecesChanged
root, picture, profile = map(Path, sys.argv[1:])
session = Session(Places.under(root))
device = session.devices.printers[2]
(entry,) = session.shelf.install(profile)
card = device.starter_card().model_copy(update={"owner": "fidele", "profile": entry.id})
session.put_in_force(card)
session.open_artwork(picture)
first = session.pieces.need()
pieces = []
for k in range(40):
    width, height = 170 + 3 * k, 120 + 2 * k
    copy = dataclasses.replace(first.copies[0], placing=first.placing.sized(width, height))
    pieces.append(dataclasses.replace(first, number=1000 + k, sheet=1, copies=(copy,)))
session.live.change(PiecesChanged(tuple(pieces), 1000))
session.laying.nest()
job = session.sheet.job()
session.queue.spool.prepare(1, job, device)
high = next(line.split()[1] for line in open("/proc/self/status") if line.startswith("VmHWM"))
print(job.media.height, session.sheet.use(), high)
"""


def roll(profile: Path) -> tuple[float, float, float, float]:
    """Prepare a roll of 61 cm with 40 nested pieces at 300 ppi; return its length in mm, use, MB and seconds."""
    from fidele.artwork.save import save_picture
    from fidele.demo.pictures import harbour
    from fidele.icc.spaces import srgb

    with tempfile.TemporaryDirectory() as folder:
        picture = Path(folder) / "harbour.png"
        save_picture(picture, np.rint(harbour(1772, 1181) * 255).astype(np.uint8), srgb(), 300)
        arguments = [Path(folder) / "workshop", picture, profile]
        start = time.perf_counter()
        child = subprocess.run(
            [sys.executable, "-c", _ROLL, *map(str, arguments)], stdout=subprocess.PIPE, check=True, text=True
        )
        seconds = time.perf_counter() - start
    length, use, memory = map(float, child.stdout.split())
    return length, use, memory / 1024, seconds


def gaps(root: Path) -> dict[str, list[float]]:
    """Drive the window on a 24 megapixel picture; return the milliseconds between turns of its event loop, by deed.

    A timer that fires as often as it can measures how long the interface was not to be talked to.
    """
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from PySide6.QtCore import QEventLoop, QPoint, QPointF, Qt, QTimer
    from PySide6.QtGui import QWheelEvent
    from PySide6.QtTest import QTest
    from PySide6.QtWidgets import QApplication

    from fidele.artwork.save import save_picture
    from fidele.demo.pictures import harbour
    from fidele.desk.application import open_window
    from fidele.icc.spaces import srgb
    from fidele.session.places import Places

    window = open_window(Places.under(root))
    window.resize(1280, 800)
    window.show()
    ticks: list[float] = []

    def wait(milliseconds: int) -> None:
        loop = QEventLoop()
        QTimer.singleShot(milliseconds, loop.quit)
        loop.exec()

    def settle() -> None:
        wait(100)
        while not window.work.idle:
            wait(20)
        wait(100)

    path = root / "artwork" / "large.png"
    save_picture(path, np.rint(harbour(6000, 4000) * 255).astype(np.uint8), srgb(), 300)
    window.take_file(path)
    settle()
    window.show_desk("Proof")
    settle()
    beat = QTimer(window, interval=0)
    beat.timeout.connect(lambda: ticks.append(time.perf_counter()))
    found: dict[str, list[float]] = {}

    def measured(name: str, deed) -> None:  # type: ignore[no-untyped-def]
        ticks.clear()
        beat.start()
        deed()
        beat.stop()
        found[name] = (np.diff(ticks) * 1000).tolist()

    def pan() -> None:
        QTest.mousePress(window.desk.view, Qt.MouseButton.LeftButton, pos=QPoint(200, 150))
        for step in range(60):
            at = QPoint(200 + (step % 30 if step % 60 < 30 else 30 - step % 30) * 6, 150 + step * 2)
            QTest.mouseMove(window.desk.view, at)
            wait(8)

        QTest.mouseRelease(window.desk.view, Qt.MouseButton.LeftButton, pos=at)
        wait(200)

    def zoom() -> None:
        view = window.desk.view
        for step in range(24):
            turn = QPoint(0, 120 if step < 12 else -120)
            at, none = QPointF(300, 200), Qt.MouseButton.NoButton
            event = QWheelEvent(
                at, at, QPoint(), turn, none, Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False
            )
            QApplication.sendEvent(view, event)
            wait(12)
        wait(200)

    def switch() -> None:
        for index in (2, 1, 3, 1):
            window.desk.view.tooth_chosen.emit(index)
            wait(250)

    def desks() -> None:
        for key in (Qt.Key.Key_1, Qt.Key.Key_2, Qt.Key.Key_3, Qt.Key.Key_2):
            QTest.keyClick(window, key, Qt.KeyboardModifier.AltModifier)
            wait(150)

    measured("panning the comb", pan)
    measured("zooming", zoom)
    measured("switching the intent", switch)
    measured("switching desks", desks)
    settle()
    window.close()
    path.unlink()
    return found
