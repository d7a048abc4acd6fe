"""Daily work: how long the window is not to be talked to, event by event, and a logbook of many years."""

from __future__ import annotations

import os
import shutil
import sqlite3
import tempfile
import time
from pathlib import Path

#: So many runs are a logbook of many years; so many pictures are dropped at once.
RUNS, PICTURES = 20_000, 50


def _window(demo: Path):  # type: ignore[no-untyped-def]
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from fidele.desk.application import open_window
    from fidele.session.places import Places
    from tests.events import Watched  # the application that times its events

    app = Watched.instance() or Watched([])
    window = open_window(Places.under(demo))
    window.show()
    return app, window


def events(demo: Path) -> list[tuple[float, str]]:
    """Drop pictures, go through every desk in both themes, tune, undo; return each event's own seconds, with its kind.

    Time is that of the interface's own thread: what other threads and programs take is not in it.
    """
    from fidele.tuning.model import Tuning
    from tests.events import Watched
    from tests.hands import pause

    app, window = _window(demo)
    names = ("harbour-at-dusk.png", "signal-flags.png", "lantern-parade-16bit.tif")
    for number in range(PICTURES):
        source = demo / "artwork" / names[number % 3]
        shutil.copy(source, demo / "artwork" / f"many-{number}{source.suffix}")
    Watched.times = times = []
    window.incoming.take_all(sorted((demo / "artwork").glob("many-*")))
    until = time.monotonic() + 120
    while (window.work.under_way("opening") or not window.work.idle) and time.monotonic() < until:
        pause(20)
    for _ in range(2):
        for station in window.desks:
            window.show_desk(station)
            pause(120)
        window.toggle_theme()
    for lift in (0.1, 0.2):
        window.session.pieces.tune(Tuning(lift=lift))
        pause(100)
    window.session.undo()
    window.close()
    app.processEvents()
    return times


def logbook(demo: Path) -> tuple[float, float]:
    """Open the logbook's desk on many runs; return its seconds, and those of reading the rows alone."""
    from fidele.session.model import Session
    from fidele.session.places import Places
    from tests.hands import pause

    session = Session(Places.under(demo))
    session.open_artwork(demo / "artwork" / "signal-flags.png")
    session.print_job(session.job(), overridden="for the logbook")
    file = demo / "logbook.sqlite"
    with sqlite3.connect(file) as book:
        columns = [row[1] for row in book.execute("PRAGMA table_info(run)") if row[1] != "id"]
        have = book.execute("SELECT count(*) FROM run").fetchone()[0]
        listed = ", ".join(columns)
        while have < RUNS:
            book.execute(f"INSERT INTO run ({listed}) SELECT {listed} FROM run LIMIT ?", (RUNS - have,))
            have = book.execute("SELECT count(*) FROM run").fetchone()[0]
    _, window = _window(demo)
    pause(1500)
    began = time.perf_counter()
    window.show_desk("Logbook")
    window.grab()
    ours = time.perf_counter() - began
    pause(1000)
    window.work.wait()
    with sqlite3.connect(file) as book:
        began = time.perf_counter()
        book.execute("SELECT id, at, title, card, state FROM run").fetchall()
        rows = time.perf_counter() - began
    window.close()
    return ours, rows


def first_picture(demo: Path) -> tuple[float, float]:
    """Drop a picture on a window as soon as it can be used; return the seconds until it is shown, and of decoding."""
    import shiboken6

    from fidele.artwork.open import open_artwork

    path = demo / "artwork" / "harbour-at-dusk.png"
    app, window = _window(demo)
    app.processEvents()
    began = time.perf_counter()
    window.take_file(path)
    shown = window.desks.artwork.view
    while shown._pixels is None and time.perf_counter() < began + 60:
        app.processEvents()
    shown.grab()
    ours = time.perf_counter() - began
    window.work.wait()
    app.processEvents()  # what follows from the work that has ended
    window.close()
    app.processEvents()
    shiboken6.delete(window)  # it would go on looking at a folder that is gone
    began = time.perf_counter()
    open_artwork(path)
    return ours, time.perf_counter() - began


def copied(demo: Path, call):  # type: ignore[no-untyped-def]
    """Do something on a copy of the demo."""
    with tempfile.TemporaryDirectory() as folder:
        root = Path(folder) / "demo"
        shutil.copytree(demo, root)
        return call(root)
