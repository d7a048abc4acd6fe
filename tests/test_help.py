"""Help: every desk has its own, every command is found by any word and shown, every shortcut is listed."""

from __future__ import annotations

import re
import runpy
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QFileDialog

from fidele.desk.foot import Messages
from fidele.desk.help import GUIDE, Help, chapter, commands, guide_page, matching, of_desk, words
from tests.hands import comes, go, keys, settle


def _dialog(kind):
    return next((w for w in QApplication.topLevelWidgets() if isinstance(w, kind) and w.isVisible()), None)


def test_help_is_there_for_every_desk_and_finds_every_command(window):
    for station in window.desks:
        about, steps = of_desk(station)
        assert about.endswith((".", "?")), station
        assert len(steps) == 3, station
    known = commands(window.desks)
    assert len(known) > 150
    assert {c.station for c in matching(known, "nest")} >= {"Sheet"}
    assert matching(known, "qqxyz") == []
    assert {"thread", "knot", "twist"} <= set(words())
    go(window, "Proof")
    keys(window, Qt.Key.Key_F1)
    assert comes(lambda: _dialog(Help) is not None)
    shown = _dialog(Help)
    assert shown.tabs.tabText(0) == "This desk"
    # The chapter that the desk belongs to, with its picture; every link and picture of the guide leads somewhere.
    shown.tabs.setCurrentIndex(1)
    assert shown.guide.toPlainText().startswith("Pictures, and what will become of their colours")
    for page in GUIDE.rglob("*.html"):
        text = page.read_text("utf-8")
        for target in re.findall(r'(?:href|src)="([^"#:]+)', text):
            assert (page.parent / target).exists(), (page, target)
    for station in window.desks:
        assert (GUIDE / f"{chapter(station)}.html").exists()
    shown.tabs.setCurrentIndex(2)
    QTest.keyClicks(shown.typed, "print blank without profile readiness")
    assert shown.found.count() == 0
    shown.typed.clear()
    QTest.keyClicks(shown.typed, "read back")
    assert shown.found.count() >= 1
    QTest.keyClick(shown.typed, Qt.Key.Key_Return)
    assert window.desk.station == "Hand-off"
    assert ("F6", "a new printing condition") in window.shortcuts


def test_messages_stay_and_findings_of_other_desks_lead_there(window):
    window.session.say("The folder cannot be written.")
    window.session.say("6 runs are written.")
    assert [m.sentence for m in window.foot.messages][:2] == ["6 runs are written.", "The folder cannot be written."]
    window.foot.show_messages()
    assert comes(lambda: _dialog(Messages) is not None)
    assert "The folder cannot be written." in _dialog(Messages).list.item(1).text()
    _dialog(Messages).reject()
    go(window, "Logbook")

    def elsewhere():
        presses = window.findings_view.findChildren(type(window.foot.undo))
        return [b for b in presses if b.text().endswith(" more") and b.isVisible()]

    assert comes(elsewhere)  # what is beside the desk follows it a moment later
    station = elsewhere()[0].text().partition(":")[0]
    elsewhere()[0].click()
    assert window.desk.station == station


def test_what_could_not_be_written_is_not_said_to_be(window, qtbot, monkeypatch, tmp_path):
    """The folder is a file: each desk says so, and nothing else after it."""
    (tmp_path / "file").write_bytes(b"")
    there = tmp_path / "file" / "out.csv"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(there), ""))
    window.session.open_artwork(window.session.places.data / "artwork" / "signal-flags.png")
    window.session.print_job(window.session.job(), overridden="to have a run")
    window.session.jobs.settled()
    job = window.session.jobs.all()[0]
    for station, press in (
        ("Logbook", lambda desk: desk.save.click()),
        ("Charts", lambda desk: desk.save.click()),
        ("Jobs", lambda desk: desk.export(job, there, True)),
    ):
        go(window, station)
        settle(window, qtbot)
        window.foot.messages.clear()
        press(window.desk)
        settle(window, qtbot)
        assert [m.sentence for m in window.foot.messages] == [f"{there} cannot be written: not a directory."]


def test_the_guide_that_is_shipped_is_the_one_that_is_written(tmp_path, monkeypatch):
    build = Path(__file__).parents[1] / "docs" / "guide" / "build.py"
    runpy.run_path(str(build))["build"](tmp_path)
    made = {p.relative_to(tmp_path): p.read_text("utf-8") for p in tmp_path.rglob("*.html")}
    kept = {p.relative_to(GUIDE): p.read_text("utf-8") for p in GUIDE.rglob("*.html")}
    assert made == kept, "./run guide builds it anew"
    for spoken, began in (("en", "Is the print right"), ("de", "Stimmt der Druck"), ("es", "¿Está bien la impresión")):
        monkeypatch.setattr("fidele.desk.help.LANGUAGE", spoken)
        page = Path(guide_page("check").toLocalFile()).read_text("utf-8")
        assert f'<html lang="{spoken}">' in page
        assert f"<h1>{began}" in page
