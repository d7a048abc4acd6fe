"""At the press: what is done otherwise stays with the run, the clock is heard and seen, and a tablet serves as well."""

from __future__ import annotations

import json
import os

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from fidele.desk.press_mode import PressMode
from tests.hands import click, comes, go, look, settle


@pytest.fixture
def at_the_press(window, places, qtbot):
    """A window whose press desk has a fresh print before it."""
    session = window.session
    session.handoff.bring()
    session.handoff.confirm("ink_saving", "off")
    session.open_artwork(places.data / "artwork" / "signal-flags.png")
    session.take_run(session.print_job(session.job()))
    go(window, "Press")
    return window


def test_what_is_noted_at_the_press_never_rewrites_the_condition(at_the_press, qtbot):
    window, session, desk = at_the_press, at_the_press.session, at_the_press.desk
    asked = session.card.press
    desk.fields["temperature"].setValue(190)
    desk.cover.setChecked(not asked.cover)
    assert session.card.press == asked
    assert desk.keep_it.isVisible()
    click(desk, "Done already")
    settle(window, qtbot)
    kept = json.loads(session.logbook.run(session.run.number).press)[-1]
    assert (kept["temperature"], kept["asked"]) == (190, {"temperature": asked.temperature})
    assert "190 °C instead of 200" in window.foot.said.text()
    assert session.card.press == asked
    # The next print is pressed as the condition asks; only by a press of its own does the condition change.
    session.take_run(session.print_job(session.job()))
    look()
    assert desk.press == asked
    desk.fields["seconds"].setValue(170)
    click(desk, "As the condition says")
    assert desk.fields["seconds"].value() == asked.seconds
    desk.fields["seconds"].setValue(170)
    click(desk, "Keep in the condition")
    assert session.card.press.seconds == 170
    session.undo()
    assert session.card.press == asked


def test_the_clock_is_heard_and_seen_at_its_end_on_a_tablet_too(at_the_press, qtbot, tmp_path, monkeypatch):
    # Stand-ins for what plays sounds and shows notifications: each writes down how it was called.
    heard = tmp_path / "heard"
    for name in ("pw-play", "notify-send"):
        script = tmp_path / "bin" / name
        script.parent.mkdir(exist_ok=True)
        script.write_text(f'#!/bin/sh\nprintf "%s\\n" {name} "$@" >> "{heard}"\n')
        script.chmod(0o755)
    monkeypatch.setenv("PATH", f"{tmp_path / 'bin'}{os.pathsep}{os.environ['PATH']}")
    desk = at_the_press.desk
    click(desk, "Large view")
    (large,) = desk.findChildren(PressMode)
    assert all(b.height() >= 80 for b in (large.start, large.done, large.leave))
    desk.fields["seconds"].setValue(1)
    QTest.mouseClick(large.start, Qt.MouseButton.LeftButton)
    assert desk.clock.running
    assert comes(lambda: large.face.over and "Open the press now" in large.face.words)
    assert comes(
        lambda: heard.exists() and "press.wav" in heard.read_text() and "Open the press now" in heard.read_text()
    )
    assert large.start.text() == "Press opened"
    QTest.mouseClick(large.start, Qt.MouseButton.LeftButton)
    settle(at_the_press, qtbot)
    assert at_the_press.session.run.pressed_at is not None
    QTest.keyClick(large, Qt.Key.Key_Escape)
    assert comes(lambda: not desk.findChildren(PressMode))
