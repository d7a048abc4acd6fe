"""The desks for profiles in the real window: in, understood, trusted where they fit."""

from __future__ import annotations

import re
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from hands import choose, click, comes, drop, go, keys, look, pause, settle
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton, QLabel, QPushButton

from benchmarks.shelf import generated
from fidele.desk.application import open_window
from fidele.desk.instance import Door, hand_over
from fidele.desk.window import Window
from fidele.icc.profile import Profile
from fidele.icc.spaces import oprgb
from fidele.judge.finding import Action, Deed
from fidele.session.places import Places


@pytest.fixture
def downloads(places: Places) -> Path:
    return places.data / "downloads"


class Clicks:
    """Counts what an operator has to press after a drop."""

    def __init__(self) -> None:
        self.count = 0

    def __call__(self, parent, text: str) -> None:
        click(parent, text)
        self.count += 1


def picture(widget) -> np.ndarray:
    """What a widget shows, as pixels (h, w, 3); some are drawn in an event of their own."""
    pause(20)
    image = widget.grab().toImage().convertToFormat(QImage.Format.Format_RGB888)
    flat = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.bytesPerLine())
    return flat[:, : image.width() * 3].reshape(image.height(), image.width(), 3).copy()


def words(parent) -> str:
    """All text that can be read."""
    return "\n".join(w.text() for w in parent.findChildren(QLabel) if w.isVisibleTo(parent))


def says(parent, text: str) -> bool:
    """Wait until a text can be read; what is laid out anew comes up with the event loop."""
    return comes(lambda: text in words(parent))


def test_from_a_suppliers_zip_to_a_condition_in_one_drop_and_two_clicks(window, downloads, qtbot):
    session, press = window.session, Clicks()
    for path in session.places.profiles.glob("*.icc"):
        path.unlink()
    qtbot.waitUntil(lambda: session.profile is None, timeout=5000)
    drop(window, downloads / "fen-100-profiles.zip")
    # Three at once: they are asked for, what fits is ticked, what does not says why.
    assert window.desk.station == "Arrivals"
    assert says(window.desk, "With them")
    said = words(window.desk)
    assert "Fits the printer, media and piece of the condition in force." in said
    assert "Was made for the Skarn Longship, not the Velm Wren." in said
    assert "Was made for coated slate, not ceramic tile." in said
    assert "leaflet Fen 100.pdf" in said
    assert sum(t.isChecked() for t in window.desk.ticks.values()) == 1
    press(window.desk, "Put 1 on the shelf")
    assert window.desk.station == "Profile"
    assert window.desk.title.text() == "Fen 100 ceramic Velm Wren"
    press(window.desk, "Use it here")
    assert press.count <= 3
    assert session.profile is not None
    assert session.profile.content_id == window.desk.profile_id == session.card.profile
    assert session.stops == () or {f.code for f in session.stops} == {"two-conversions"}
    # Used at once, everywhere: other programs find it in the user's folder.
    assert [p.name for p in session.places.profiles.iterdir()] == ["fen100_ceramic_wren.icc"]
    window.act(Action(Deed.DRIVER_PASS))
    look()
    assert window.thread_view.headline.text() == "Converted once"


def test_the_same_in_a_workshop_that_has_nothing_yet(tmp_path, demo, qtbot):
    window = open_window(Places.under(tmp_path / "new"))
    qtbot.addWidget(window)
    window.show()
    press = Clicks()
    drop(window, demo.data / "downloads" / "fen-100-profiles.zip")
    assert window.desk.station == "Arrivals"
    for profile_id, tick in window.desk.ticks.items():
        title = next(a.title for a in window.session.profiles.pending.arrivals if a.id == profile_id)
        if tick.isChecked() != (title == "Fen 100 ceramic Velm Wren"):
            tick.click()
            press.count += 1
    press(window.desk, "Put 1 on the shelf")
    press(window.desk, "Start a condition with it")
    assert press.count <= 3
    card = window.session.card
    assert card.profile == window.desks.profile.profile_id
    assert (card.media, card.substrate) == ("Fen 100", "ceramic tile")
    assert card.driver["stand_in"] == "Dull heavy"
    assert window.thread_view.state.chain is not None
    window.close()


def test_another_version_is_asked_for_and_may_take_the_place(window, tmp_path, printer, qtbot):
    newer = bytearray(printer.data)
    newer[24:26] = (2027).to_bytes(2, "big")
    (tmp_path / "newer.icc").write_bytes(newer)
    drop(window, tmp_path / "newer.icc")
    assert window.desk.title.text() == "Another version"
    assert says(window.desk, "this one was made 2027-")
    (box,) = window.desk.choices.values()
    choose(box, f"instead:{printer.content_id}")
    click(window.desk, "Put 1 on the shelf")
    new_id = Profile.parse(bytes(newer)).content_id
    assert window.session.card.profile == new_id
    assert window.desks.profile.profile_id == new_id
    keys(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert window.session.card.profile == printer.content_id
    # Left alone, nothing changes; the same bytes again are told.
    drop(window, tmp_path / "newer.icc")
    click(window.desk, "Leave them all")
    assert window.session.shelf.find(new_id) is None
    (tmp_path / "same.icc").write_bytes(printer.data)
    drop(window, tmp_path / "same.icc")
    assert "is on the shelf already" in window.foot.said.text()


def test_the_search_for_a_lost_one_mends_it(window, downloads, qtbot):
    keys(window, Qt.Key.Key_F7)
    assert window.desk.station == "Profiles"
    click(window.desk, "Find a lost profile")
    click(window.desk, "Search")
    settle(window, qtbot)
    found = {lost.title: lost for lost in window.desk.found}
    assert {lost.obstacle for lost in found.values()} == {"in-zip", "in-mail", "wrong-name", "in-trash", "damaged"}
    count = len(found)
    assert says(window.desk, "inside a zip")
    said = words(window.desk)
    assert "thrown away" in said
    assert f"{count} found in {downloads}" in said
    tiles = [b for b in window.desk.findChildren(QPushButton) if b.text() == "Put it on the shelf" and b.isVisible()]
    wanted = next(b for b in tiles if "Tarn" in b.toolTip())
    QTest.mouseClick(wanted, Qt.MouseButton.LeftButton)
    entry = next(e for e in window.session.shelf.entries() if "Tarn" in e.title)
    assert entry.own
    assert entry.path.suffix == ".icc"
    assert says(window.desks.lost, f"{count - 1} found")
    # What was hidden shows up there too, with a button that shows it again.
    window.session.profiles.hide(entry.id, True)
    go(window, "Lost")
    click(window.desk, "Show it again")
    assert not window.session.profiles.row(window.session.shelf.find(entry.id)).papers.hidden


def test_a_profile_is_fetched_and_tried(window, qtbot):
    go(window, "Makers")
    fetch = [b for b in window.desk.findChildren(QPushButton) if b.toolTip() == "Fetch Velm_Wren_Tarn_light_60.icc"]
    QTest.mouseClick(fetch[0], Qt.MouseButton.LeftButton)
    settle(window, qtbot)
    assert window.desk.station == "Profile"
    assert window.desk.title.text() == "Velm_Wren_Tarn_light_60"
    assert says(window.findings_view, "Never verified on this unit")
    window.session.profiles.say(window.desk.profile_id, "stand_in", "Everyday")
    settle(window, qtbot)
    click(window.desk, "Try it on this printer")
    assert window.foot.bar.isVisible()
    settle(window, qtbot)
    assert "your printer" in window.foot.said.text()
    last = window.session.profiles.row(window.session.shelf.find(window.desk.profile_id)).papers.verified[-1]
    assert says(window.findings_view, last.sentence)
    assert "Never verified" not in words(window.findings_view)
    assert "to try" in window.shelf_view.log.item(0).text()


def test_the_profile_desk_shows_what_is_computed(window, printer, qtbot):
    window.resize(1280, 800)
    window.show_profile(printer.content_id, 0)
    look()
    settle(window, qtbot)
    desk = window.desk
    assert desk.state.text().startswith("Sound. Greys run slightly blue in the shadows.")
    volume = int(re.search(r"Gamut volume ([\d,]+)", desk.said.text()).group(1).replace(",", ""))
    assert volume == pytest.approx(390_000, rel=0.005)  # of the demo's printer, as a triangulated surface
    facts = words(window.findings_view)
    assert "900 measured patches" in facts
    assert "RGB to Lab" in facts
    alone = picture(desk.solid)
    # Turned by dragging, and by key.
    QTest.mousePress(desk.solid, Qt.MouseButton.LeftButton, pos=QPoint(150, 150))
    QTest.mouseMove(desk.solid, QPoint(220, 170))
    QTest.mouseRelease(desk.solid, Qt.MouseButton.LeftButton, pos=QPoint(220, 170))
    turned = picture(desk.solid)
    assert (turned != alone).mean() > 0.02
    QTest.keyClick(desk.solid, Qt.Key.Key_Left)
    assert (picture(desk.solid) != turned).any()
    # The slice: its fill is the colours that stand there.
    level = desk.level.value()
    cut = picture(desk.slice)
    coloured = np.ptp(cut.astype(int), axis=2) > 40
    assert coloured.mean() > 0.05
    desk.level.setValue(level + 30)
    assert (picture(desk.slice) != cut).mean() > 0.02
    # A working space over it: volumes and shares.
    choose(desk.over, "sRGB")
    settle(window, qtbot)
    assert "volume 832," in desk.said.text()
    assert "Covers 45 % of sRGB" in desk.said.text()
    # The artwork's colours over it.
    window.session.open_artwork(window.session.places.data / "artwork" / "signal-flags.png")
    window.show_profile(printer.content_id)
    look()
    choose(desk.over, "artwork")
    settle(window, qtbot)
    assert "% of the picture's colours" in desk.said.text()
    for plot in desk.plots:
        assert len(np.unique(picture(plot).reshape(-1, 3), axis=0)) > 3


def test_papers_are_read_confirmed_and_written_by_hand(window, downloads, tmp_path, printer, qtbot):
    window.session.install(downloads / "fen-100-profiles.zip")
    click(window.desk, "Put 1 on the shelf")
    profile_id = window.desks.profile.profile_id
    click(window.desk, "Its papers")
    assert comes(lambda: "leaflet: “" in words(window.desk))
    said = words(window.desk)
    assert "guessed from its description" in said
    fields = window.desk.papers.fields
    assert fields["stand_in"].edit.currentText() == "Dull heavy"
    right = [b for b in fields["stand_in"].findChildren(QAbstractButton) if b.text() == "Confirm"]
    QTest.mouseClick(right[0], Qt.MouseButton.LeftButton)
    papers = window.session.profiles.papers(window.session.shelf.find(profile_id))
    assert papers.said["stand_in"].certain
    line = window.desk.papers.fields["title"].edit.lineEdit()
    line.setFocus()
    QTest.keyClicks(line, "Tile white")
    QTest.keyClick(line, Qt.Key.Key_Return)
    look()
    assert window.desk.title.text() == "Tile white"
    assert any(r.title == "Tile white" for r in window.shelf_view.profiles.rows())
    (tmp_path / "mail from Fen.txt").write_text("Please print with 720 dpi.")
    drop(window, tmp_path / "mail from Fen.txt")
    assert "it says 1 thing to confirm" in window.foot.said.text()
    assert comes(lambda: any(b.text() == "mail from Fen.txt" for b in window.desk.findChildren(QPushButton)))
    confirm = next(b for b in window.desk.findChildren(QPushButton) if b.text().startswith("Confirm all"))
    QTest.mouseClick(confirm, Qt.MouseButton.LeftButton)
    papers = window.session.profiles.papers(window.session.shelf.find(profile_id))
    assert all(s.certain for s in papers.said.values())
    assert papers.said["resolution"].value == "720"


def test_pins_defaults_and_roles_are_set_at_the_desk(window, printer, tmp_path, qtbot):
    (tmp_path / "op.icc").write_bytes(oprgb().data)
    drop(window, tmp_path / "op.icc")
    assert window.desk.station == "Profile"
    assert says(window.findings_view, "Not for printing")
    assert not window.desk.use.isVisible()
    click(window.desk, "Use for the screen")
    assert window.session.screen().data == oprgb().data
    window.session.open_artwork(window.session.places.data / "artwork" / "signal-flags.png")
    go(window, "Proof")
    settle(window, qtbot)
    title = window.session.profiles.row(window.session.shelf.find(oprgb().content_id)).title
    assert dict(window.desk.facts())["Shown through"].startswith(f"“{title}”, chosen by you")
    through = picture(window.desk.view)
    keys(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    settle(window, qtbot)
    assert (picture(window.desk.view) != through).mean() > 0.1  # other numbers for another screen
    window.show_profile(printer.content_id)
    look()
    click(window.desk, "Make it the default")
    assert window.session.profiles.defaults.of(window.session.device.id, "Fen 100") == printer.content_id
    assert says(window.findings_view, "Default for")
    click(window.desk, "No longer the default")
    click(window.desk, "Pin")
    assert window.shelf_view.profiles.rows()[0].entry.id == printer.content_id
    click(window.desk, "Take it off")
    assert comes(lambda: window.desk.title.text() == "No profile")
    keys(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert comes(lambda: window.desk.title.text() == "Velm Wren, Fen 100, ceramic tile")


def test_the_hand_off_offers_what_fits_first(window, downloads, qtbot):
    window.session.install(downloads / "fen-100-profiles.zip")
    window.session.profiles.settle({a.id: "put" for a in window.session.profiles.pending.arrivals})
    go(window, "Hand-off")
    # What if somebody took the wrong one? Predicted beside the right print.
    window.session.open_artwork(window.session.places.data / "artwork" / "signal-flags.png")
    settle(window, qtbot)
    wrong = window.desk.what_if
    assert wrong.count() >= 6
    assert window.desk.outcomes[2].title == "not converted"
    wrong.setCurrentIndex(wrong.findText("through “Fen 100 slate Velm Wren”"))
    wrong.activated.emit(wrong.currentIndex())
    assert window.desk.outcomes[2].title == "through “Fen 100 slate Velm Wren”"
    assert window.desk.outcomes[2].words.startswith("mean ΔE00")
    box = window.desk.profile
    items = [box.itemText(i) for i in range(box.count())]
    assert items == [
        "Fen 100 ceramic Velm Wren",
        "Velm Wren, Fen 100, ceramic tile",
        "",
        "2 more, and why they do not fit …",
    ]
    choose(box, box.itemData(0))
    assert window.session.profiles.title_in_force == "Fen 100 ceramic Velm Wren"
    box = window.desk.profile
    choose(box, box.itemData(box.count() - 1))
    assert window.desk.station == "Profiles"
    assert any("Does not fit" in line for line in window.desk.list._model.lines if isinstance(line, str))


def test_two_thousand_profiles_are_listed_searched_and_scrolled(window, tmp_path, qtbot, monkeypatch):
    """They come in behind our back, are read beside the interface, and only what is seen is drawn."""
    system = tmp_path / "system"
    system.mkdir()
    generated(system, 2000)
    window.session.shelf.others = (system,)
    qtbot.waitUntil(lambda: window.work.busy, timeout=5000)
    settle(window, qtbot)
    assert "2,001 profiles are on this machine" in window.foot.said.text()
    assert window.shelf_view.profiles.count() == 1
    drawn: list[int] = []
    from fidele.desk import profile_list

    paint = profile_list._Painter.paint
    monkeypatch.setattr(
        profile_list._Painter, "paint", lambda self, p, o, i: (drawn.append(i.row()), paint(self, p, o, i))[1]
    )
    keys(window, Qt.Key.Key_F7)
    assert window.desk.list.count() == 2001
    bar = window.desk.list.verticalScrollBar()
    for place in range(0, bar.maximum(), bar.maximum() // 20):
        bar.setValue(place)

        def shows() -> bool:
            drawn.clear()
            window.desk.list.viewport().repaint()
            return len(drawn) > 3

        assert comes(shows)  # a window that was not exposed yet draws nothing
        assert len(drawn) < 60
    QTest.keyClicks(window.desk.search, "orrin rag 1")
    assert window.desk.list.count() == 0
    assert says(window.desk, "No profile has all of these words")
    window.desk.search.clear()
    QTest.keyClicks(window.desk.search, "orrin cotton mug")
    found = window.desk.list.rows()
    assert found
    assert all(all(w in r.title.casefold() for w in ("orrin", "cotton", "mug")) for r in found)
    window.desk.group.setCurrentText("media")
    window.desk.fill()
    assert [line for line in window.desk.list._model.lines if isinstance(line, str)] == [f"Moor cotton  ({len(found)})"]
    # Chosen by key.
    window.desk.list.setFocus()
    QTest.keyClick(window.desk.list, Qt.Key.Key_Down)
    QTest.keyClick(window.desk.list, Qt.Key.Key_Return)
    assert window.desk.station == "Profile"
    # The shelf's own search finds all of them.
    QTest.keyClicks(window.shelf_view.search, "skarn glint")
    assert window.shelf_view.profiles.count() > 5


def test_a_folder_and_several_files_are_dropped(window, downloads, qtbot):
    drop(window, downloads)
    settle(window, qtbot)
    assert window.desk.station == "Arrivals"
    assert len(window.desk.ticks) >= 4
    assert says(window.desk, "refused")
    click(window.desk, "Leave them all")
    assert window.desk.station != "Arrivals"


def test_a_second_start_hands_its_files_to_the_open_window(places, qtbot):
    assert not hand_over(places.data, [], 0)
    door = Door(places.data)
    assert door.taken
    assert not Door(places.data).taken
    door.listen()
    came: list[list[Path]] = []
    door.came.connect(came.append)
    code = (
        "import sys; from pathlib import Path; from PySide6.QtCore import QCoreApplication\n"
        "from fidele.desk.instance import hand_over\n"
        "app = QCoreApplication([]); data = Path(sys.argv[1])\n"
        "sys.exit(0 if hand_over(data, [data / 'a b.icc']) else 7)"
    )
    other = subprocess.Popen([sys.executable, "-c", code, str(places.data)])
    qtbot.waitUntil(lambda: other.poll() is not None, timeout=20_000)
    assert other.returncode == 0
    assert came == [[places.data / "a b.icc"]]
    door.close()
    assert not hand_over(places.data, [], 0)
    assert Door(places.data).taken


def test_every_profile_desk_works_in_both_themes_and_small(window: Window, printer, qtbot):
    window.resize(1024, 700)
    for _ in range(2):
        for name in ("Profiles", "Arrivals", "Lost", "Makers", "Profile"):
            go(window, name)
            if name == "Profile":
                window.show_profile(printer.content_id)
                look()
            settle(window, qtbot)
            for made in window.desk.findChildren(QPushButton):
                if made.isVisible():
                    wide = made.fontMetrics().horizontalAdvance(made.text())
                    assert made.width() >= wide, (name, made.text())
            shown = picture(window.desk)
            assert len(np.unique(shown.reshape(-1, 3), axis=0)) > 8, name
        window.toggle_theme()
