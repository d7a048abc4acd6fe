"""Sheets: how well and how fast pieces are nested, and how fluid the sheet desk is with many of them."""

from __future__ import annotations

import os
import shutil
import tempfile
import time
from itertools import product
from pathlib import Path

import numpy as np

from fidele.sheet.nest import Rectangle, nest

#: Width of the roll in mm, and of how many pieces.
_ROLL, _PIECES = 600.0, 200


def nesting() -> tuple[float, float, float, float, str]:
    """Nest 200 rectangles on a roll; return our use and seconds, the best preset's of rectpack, and its name.

    A preset of rectpack is an algorithm of packing with an order of sorting. Its bin is as long as the best of them
    needs: it is shortened until nothing fits any more.
    """
    import rectpack

    rng = np.random.default_rng(11)
    sizes = np.round(rng.uniform(30, 200, (_PIECES, 2)))
    area = float(sizes.prod(axis=1).sum())
    start = time.perf_counter()
    found = nest([Rectangle(*size) for size in sizes], _ROLL, 0)
    seconds = time.perf_counter() - start
    algorithms = (
        "SkylineBl",
        "SkylineBlWm",
        "SkylineMwf",
        "SkylineMwflWm",
        "MaxRectsBl",
        "MaxRectsBssf",
        "MaxRectsBaf",
    )
    orders = ("SORT_AREA", "SORT_SSIDE", "SORT_LSIDE", "SORT_PERI")
    best, best_seconds, best_name = 0.0, 0.0, ""
    for algorithm, order in product(algorithms, orders):
        start = time.perf_counter()
        packer = rectpack.newPacker(
            mode=rectpack.PackingMode.Offline,
            pack_algo=getattr(rectpack, algorithm),
            sort_algo=getattr(rectpack, order),
            rotation=True,
        )
        for width, height in sizes:
            packer.add_rect(int(width), int(height))
        packer.add_bin(int(_ROLL), int(area / _ROLL * 1.6))
        packer.pack()
        took = time.perf_counter() - start
        if len(packer[0]) < _PIECES:
            continue
        use = area / (_ROLL * max(r.y + r.height for r in packer[0]))
        if use > best:
            best, best_seconds, best_name = use, took, f"{algorithm}, {order}"
    return found.use, seconds, best, best_seconds, best_name


def desk(demo: Path) -> dict[str, float]:
    """Lay 200 pieces on a roll in the real window; return the milliseconds of each deed."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from PySide6.QtCore import QPoint, QPointF, Qt
    from PySide6.QtTest import QTest

    from fidele.desk.application import open_window
    from fidele.session.places import Places
    from tests.hands import pause

    with tempfile.TemporaryDirectory() as folder:
        shutil.copytree(demo, Path(folder) / "workshop")
        window = open_window(Places.under(Path(folder) / "workshop"))
        window.resize(1280, 800)
        window.show()
        session = window.session
        roll = session.devices.printers[2]
        session.put_in_force(roll.starter_card())
        for name in ("harbour-at-dusk.png", "signal-flags.png", "lantern-parade-16bit.tif", "lighthouse-engraving.tif"):
            session.open_artwork(session.places.data / "artwork" / name)
            number = session.pieces.need().number
            session.laying.width(number, 70)
            session.laying.copies(number, _PIECES // 4)
        window.show_desk("Sheet")
        session.laying.gather([p.number for p in session.pieces.all])
        session.laying.nest()
        window.desk.refresh()
        while not window.work.idle:
            pause(20)
        view = window.desk.view
        one = view.shown[_PIECES // 2]
        at = view.transform().map(QPointF(*one.placing.centre)).toPoint()
        times: dict[str, float] = {}

        def timed(name: str, call) -> None:  # type: ignore[no-untyped-def]
            start = time.perf_counter()
            call()
            times[name] = max(times.get(name, 0.0), (time.perf_counter() - start) * 1000)

        QTest.mousePress(view, Qt.MouseButton.LeftButton, pos=at)
        for step in range(30):
            timed("drag by a step", lambda k=step: (QTest.mouseMove(view, at + QPoint(k, k)), view.repaint()))
        timed("let go", lambda: QTest.mouseRelease(view, Qt.MouseButton.LeftButton, pos=at + QPoint(29, 29)))
        for _ in range(10):
            timed("zoom", lambda: (view.zoom(1.25), view.repaint()))
        timed("undo", session.undo)
        window.close()
    return times
