"""What a screen reader gets through the accessibility bus: names, parts of drawn views, values, actions."""

from __future__ import annotations

import os
import shutil

import pytest

from fidele.desk.thread import STATIONS
from tests.reader import GONE, LAUNCHER, reading

pytestmark = pytest.mark.skipif(
    not (shutil.which("Xvfb") and shutil.which("dbus-daemon") and LAUNCHER.exists()),
    reason="Xvfb or at-spi2-core is not installed",
)
#: Roles of what a person works with; each must be called something.
_WORKED = ("push button", "check box", "radio button", "combo box", "spin box", "slider", "text", "list", "table")


def test_every_desk_of_the_thread_is_told_and_worked_through_the_bus(places):
    try:
        walk(places, 60 + os.getpid() % 900)
    except OSError:  # a bus that was not up in time, on a machine that is busy
        walk(places, 61 + os.getpid() % 900)


def walk(places, display: int) -> None:
    """Go through every desk of the thread, and work what is drawn."""
    with reading(places.data, display) as reader:
        app = reader.application("Fidele")
        thread = reader.find(app, "filler", "Thread: ")
        assert "Mirrored once" in thread.name, "the verdict is told"
        reader.find(app, "label", "signal-flags.png, as it was sent")
        nameless, seen = [], set()
        for station in STATIONS:
            reader.press(reader.find(app, "radio button", station))
            if station == "Proof":  # the teeth of the comb
                reader.press(reader.find(app, "", "Media-relative"))
                assert "chosen" in reader.find(app, "", "Media-relative").name
            if station == "Sheet":  # what lies on it
                copy = reader.find(app, "", "signal-flags.png, copy 1: 135 x 76 mm")
                reader.press(copy)
            everything = list(reader.every(app))
            seen |= {node.role for node in everything}
            nameless += [f"{station}: {n.role}" for n in everything if n.role in _WORKED and not reader.called(n)]
            for box in (n for n in everything if n.role == "combo box"):
                assert reader.called(box, by_label=True), f"{station}: '{box.name}' is called by its value alone"
            for field in (n for n in everything if n.role == "spin box" and reader.called(n) != GONE):
                assert reader.value(field) >= 0
        assert nameless == []
        assert {"combo box", "spin box", "check box", "push button"} <= seen
