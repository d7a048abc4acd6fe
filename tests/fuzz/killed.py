"""A working session in a real window that is killed at any moment, and what the next start must find.

`./run fuzz kills [N]` kills so many (100) in a row, each going on with what the one before left.
"""

from __future__ import annotations

import dataclasses
import hashlib
import json
import os
import shutil
import signal
import sys
import tempfile
import time
import traceback
from collections.abc import Callable
from pathlib import Path

import numpy as np
from pydantic import BaseModel

from fidele.demo.prepare import prepare
from fidele.session.model import Session
from fidele.session.piece import Piece
from fidele.session.places import Places
from fidele.sheet.placing import Placing
from fidele.tuning.model import Tuning

#: Seconds of work that may be lost.
MOST_LOST = 2.0


def worth(piece: Piece) -> dict:
    """What of a piece must come back; numbers that only tell pieces apart are left out."""
    plain = {f.name: getattr(piece, f.name) for f in dataclasses.fields(piece)}
    for name in ("opened", "artwork", "number", "stamp", "sheet", "chart"):
        plain.pop(name)
    pixels = np.asarray(piece.artwork.pixels)
    return plain | {
        "pixels": (pixels.shape, int(pixels[::7, ::7].astype(np.int64).sum())),
        "space": piece.artwork.profile.content_id,
        "slip": piece.artwork.slip.words,
        "chart": piece.chart.digest if piece.chart is not None else "",
    }


def again(places: Places) -> Session:
    """What another process makes of the workshop as it lies on disk."""
    session = Session(Places.under(places.data))
    if session.jobs.left:
        session.jobs.take(session.jobs.opening(session.jobs.left)(lambda _share: True))
    return session


def plain(value: object) -> object:
    """A value as nothing but lists, words and rounded numbers, however it was kept."""
    if dataclasses.is_dataclass(value) and not isinstance(value, type):
        return [plain(getattr(value, f.name)) for f in dataclasses.fields(value)]
    if isinstance(value, BaseModel):
        return plain(value.model_dump())
    if isinstance(value, dict):
        return [[key, plain(one)] for key, one in sorted(value.items())]
    if isinstance(value, (set, frozenset)):
        return sorted(str(plain(one)) for one in value)
    if isinstance(value, (list, tuple, np.ndarray)):
        return [plain(one) for one in value]
    if isinstance(value, (int, float, np.number)):
        return round(float(value), 6)
    return str(value)


def digest(session: Session) -> str:
    """Everything in hand, as one short word."""
    pieces = session.pieces
    at = pieces.all.index(pieces.current) if pieces.current is not None else -1
    return hashlib.sha256(repr([plain([worth(p) for p in pieces.all]), at]).encode()).hexdigest()[:16]


def work(places: Places, seed: int, log: Path) -> None:
    """Work in a window until killed; each state of what is in hand is told to `log`, with when."""
    from PySide6.QtTest import QTest

    from fidele.desk.application import open_window
    from fidele.session.state import PiecesChanged, Touched

    window = open_window(places)
    session, rng = window.session, np.random.default_rng(seed)

    def told(news: object) -> None:
        if isinstance(news, PiecesChanged) and news.touched is not Touched.DRAGGED:
            line = json.dumps([time.monotonic(), digest(session), len(session.pieces.all)])
            os.write(out, f"{line}\n".encode())

    out = os.open(log, os.O_WRONLY | os.O_CREAT | os.O_APPEND)
    session.live._listeners.insert(0, told)  # before the job hears of it and can be saved
    window.show()
    while window.work.under_way("opening"):
        QTest.qWait(5)
    os.write(out, b'[0, "ready", 0]\n')
    while True:
        step(window, rng)
        QTest.qWait(int(rng.integers(0, 40)))


def step(window, rng: np.random.Generator) -> None:  # type: ignore[no-untyped-def]
    """Do one of the things that people do in a window, by its desks."""
    session, stations = window.session, list(window.thread_view.stations)
    pieces, which = session.pieces, int(rng.integers(14))
    current = pieces.current
    if which == 0 or current is None or len(pieces.all) < 2:
        names = ("harbour-at-dusk.png", "signal-flags.png", "lanterns-no-space-stated.png")
        window.take_file(session.places.data / "artwork" / names[int(rng.integers(3))])
    elif which == 1 and len(pieces.all) > 3:
        pieces.lay_aside(current.number)
    elif which == 2:
        pieces.tune(Tuning(lift=float(rng.uniform(0, 0.4)), contrast=float(rng.uniform(-20, 20))))
    elif which == 3:
        pieces.keep(("", "black", "primaries")[int(rng.integers(3))])
    elif which == 4:
        pieces.step(1)
    elif which == 5 and current.chart is None:
        pieces.came_mirrored(bool(rng.integers(2)))
    elif which == 6:
        session.undo()
    elif which == 7:
        session.redo()
    elif which == 8:
        session.laying.move([(current.number, 0)], *rng.uniform(-20, 20, 2))
    elif which == 9:
        session.laying.turn([(current.number, 0)], float(rng.uniform(-90, 90)))
    elif which == 10 and current.chart is None:
        session.place(Placing(*rng.uniform(5, 40, 2), *rng.uniform(40, 120, 2)))
    else:
        window.show_desk(stations[int(rng.integers(len(stations)))])


def kill_one(places: Places, seed: int, log: Path, most: int = 25) -> str:
    """Let a session work in a process of its own and kill it; return what was wrong with what it left, or ''."""
    rng = np.random.default_rng(seed)
    steps, wait = int(rng.integers(1, most)), float(rng.uniform(0, 0.25))
    was = digest(again(places))
    log.unlink(missing_ok=True)
    child = os.fork()
    if child == 0:
        try:
            work(places, seed, log)
        except BaseException:
            traceback.print_exc()
        finally:
            os._exit(1)
    lines, end = _lines(log, lambda found: sum(line[1] != "ready" for line in found) >= steps, child)
    time.sleep(wait)
    killed = time.monotonic()
    if end:
        return f"seed {seed}: {end}"
    os.kill(child, signal.SIGKILL)
    os.waitpid(child, 0)
    lines, _ = _lines(log, lambda _: True, child)
    states = [(when, state) for when, state, _ in lines if state != "ready"]
    before = [state for when, state in states if when < killed - MOST_LOST][-1:] or [was]
    allowed = {*before, *(state for when, state in states if when >= killed - MOST_LOST)}
    found = digest(again(places))
    if found in allowed:
        return ""
    older = [f"{killed - when:.1f} s before the kill" for when, state in states if state == found]
    return f"seed {seed}: what was found is {older[-1] if older else 'no state that there ever was'}"


def _lines(log: Path, enough: Callable[[list], bool], child: int) -> tuple[list, str]:
    """Return what was told so far once it is enough, and what went wrong meanwhile."""
    until = time.monotonic() + 60
    while time.monotonic() < until:
        text = log.read_text() if log.exists() else ""
        found = [json.loads(line) for line in text.split("\n")[:-1]]
        if enough(found):
            return found, ""
        if os.waitpid(child, os.WNOHANG)[0]:
            return found, "it ended by itself"
        time.sleep(0.01)
    os.kill(child, signal.SIGKILL)
    os.waitpid(child, 0)
    return [], "it did nothing for a minute"


def main(arguments: list[str]) -> int:
    """Return 0 where nothing was lost; `FIDELE_DEMO` may name a workshop of the demo, of which a copy is worked on."""
    import fidele.desk.application  # noqa: F401 - the children find everything imported

    count, most = int(arguments[0]) if arguments else 100, int(arguments[1]) if len(arguments) > 1 else 25
    with tempfile.TemporaryDirectory(prefix="fidele-kills-") as name:
        folder = Path(name)
        if made := os.environ.get("FIDELE_DEMO"):
            shutil.copytree(made, folder / "workshop")
        else:
            prepare(folder / "workshop")
        places = Places.under(folder / "workshop")
        wrong = []
        for seed in range(count):
            if said := kill_one(places, seed, folder / "log", most):
                wrong.append(said)
            if (seed + 1) % 10 == 0:
                print(f"  {seed + 1} of {count}: {len(wrong)} lost work", file=sys.stderr, flush=True)
    print(f"{count} kills: {len(wrong)} lost work", *wrong, sep="\n")
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
