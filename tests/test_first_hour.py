"""The first hour: from an empty home to a printed piece that checks right, by what is written on the window alone."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import QSettings, Qt

from fidele.artwork.save import save_picture
from fidele.desk.window import Window
from fidele.devices.bench.bench import Bench
from fidele.devices.bench.serving import can_serve
from fidele.session.model import Session
from fidele.session.places import Places
from tests.hands import ByName

pytestmark = pytest.mark.skipif(not can_serve(), reason="cups-daemon is not installed")


@pytest.fixture
def empty(served, tmp_path, qtbot):
    """A window in an empty home, on a machine with the served queues."""
    root = tmp_path / "home"
    session = Session(Places(root / "data", root / "icc", (), root / "data/bench", root / "state"))
    window = Window(session, QSettings(str(root / "window.ini"), QSettings.Format.IniFormat))
    qtbot.addWidget(window)
    window.show()
    return window


def scan_of(window, served, tmp_path):
    """What stands outside: the sheet that came out of the queue is pressed and scanned, by somebody's hands."""
    session = window.session
    run = session.logbook.runs(1)[0]
    bench = Bench(served._prints.parent)
    sheet = served.sheet("wren", int(session.run.receipt["job"]))
    scan = bench.scanner.scan(bench.press.press(sheet, "ceramic tile", session.card.press), run.id)
    file = tmp_path / "scan of the piece.tif"
    save_picture(file, (scan.pixels >> 8).astype(np.uint8), None, scan.ppi)
    return file


@pytest.mark.parametrize("scanner", ["nobody knows how it sees", "described by its profile"])
def test_from_an_empty_home_to_a_right_piece_in_fifteen_clicks(scanner, empty, served, demo, tmp_path, qtbot):
    hands = ByName(empty, qtbot)
    session = empty.session
    assert [s.stand for s in session.first_print.steps()][:3] == ["done", "now", "later"]
    if scanner.startswith("described"):  # by whoever sold it, as printers are
        hands.drop(demo.data / "scanner" / "scanner.icc")
        hands.press("Use for the scanner")
    hands.drop(next((demo.data / "from the supplier").glob("*.zip")))
    hands.press("Start a condition with it")
    assert session.card.printer == "queue/wren", "not just any printer that is here"
    hands.press("Set everything to the card")
    for words in ("I looked: it is left alone", "I looked: it is true size", "I looked: it is not mirrored"):
        hands.press(words)
    hands.drop(demo.data / "artwork" / "signal-flags.png")
    hands.press("Print")
    hands.press("Print the sheet")
    assert session.logbook.runs(1)[0].state == "printed"
    hands.press("Go on to the press")
    hands.press("Done already")
    hands.press("Go on to the check")
    hands.drop(scan_of(empty, served, tmp_path))
    if scanner.startswith("nobody"):  # it is held beside the picture, and no verdict is made up
        assert session.logbook.runs(1)[0].verdict == "none"
        hands.press("It looks right")
    assert session.logbook.runs(1)[0].verdict == "pass"
    assert hands.presses <= 15
    assert session.first_print.right
    assert [s.stand for s in session.first_print.steps()] == ["done"] * 7


def test_the_same_by_keyboard_alone(empty, served, demo, tmp_path, qtbot):
    hands = ByName(empty, qtbot)
    session = empty.session
    hands.paste(next((demo.data / "from the supplier").glob("*.zip")))
    hands.tab_to("Start a condition with it")
    hands.tab_to("Set everything to the card")
    for words in ("I looked: it is left alone", "I looked: it is true size", "I looked: it is not mirrored"):
        hands.tab_to(words)
    hands.paste(demo.data / "artwork" / "signal-flags.png")
    hands.key(Qt.Key.Key_5, Qt.KeyboardModifier.AltModifier)
    hands.tab_to("Print the sheet")
    hands.tab_to("Go on to the press")
    hands.tab_to("Done already")
    hands.tab_to("Go on to the check")
    hands.paste(scan_of(empty, served, tmp_path))
    hands.tab_to("It looks right")
    assert session.logbook.runs(1)[0].verdict == "pass"
    assert hands.presses == 0
