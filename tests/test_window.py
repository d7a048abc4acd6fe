"""The real window, driven as an operator does."""

from __future__ import annotations

import sys

import numpy as np
import pytest
from hands import choose, click, comes, drop, keys, look, settle
from PySide6.QtCore import QEventLoop, QPoint, QSettings, Qt, QTimer
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton, QComboBox, QLabel, QPushButton

from fidele.demo.prepare import SUPPLIER_ZIP
from fidele.desk.application import open_window
from fidele.desk.card_desk import FieldLine
from fidele.desk.desk import Desk
from fidele.desk.findings import Pair
from fidele.desk.proof_desk import LossRow
from fidele.desk.setting_table import SettingLine
from fidele.desk.thread import STATIONS
from fidele.desk.window import Window
from fidele.icc.transform import Intent
from fidele.session.model import Session
from fidele.session.news import ConditionsChanged
from fidele.session.places import Places
from tests.hands import go, machine_of


def knots(window: Window) -> tuple[str, ...]:
    """The layers on which the thread draws a knot."""
    return window.thread_view.state.chain.knots


def control(desk: Desk, label: str) -> QComboBox:
    """The driver's control in a row of the hand-off's table."""

    def found() -> list[QComboBox]:
        lines = [x for x in desk.findChildren(SettingLine) if x.isVisibleTo(desk)]
        return [x.findChildren(QComboBox)[0] for x in lines if any(w.text() == label for w in x.findChildren(QLabel))]

    assert comes(found), label
    return found()[0]


def print_press_and_read(window: Window, qtbot) -> None:
    """Take the control chart through print, press and scanner."""
    session = window.session
    go(window, "Check")
    click(window.desk, "Take the control chart")
    settle(window, qtbot)
    assert window.desk.station == "Print"
    if session.stops:
        assert not window.desk.print_it.isEnabled()
        QTest.keyClicks(window.desk.reason, "to see what it does")
        click(window.desk, "Print all the same")
    else:
        click(window.desk, "Print")
    settle(window, qtbot)
    click(window.desk, "Go on to the press")
    click(window.desk, "Done already")
    settle(window, qtbot)
    click(window.desk, "Go on to the check")
    click(window.desk, "Scan and read")
    settle(window, qtbot)


def test_the_operators_story(places, qtbot):
    """From a supplier's zip to a checked print, a fault on the way, and the cause named."""
    for path in places.profiles.glob("*.icc"):
        path.unlink()
    window = open_window(places)
    qtbot.addWidget(window)
    window.show()
    session, thread = window.session, window.thread_view
    # The profile is not installed, and the window says so.
    assert next(f.code for f in session.findings if f.weight == "stop") == "profile-missing"
    assert thread.state.held
    # One drop of the supplier's zip: it is in, live, and the condition uses it.
    drop(window, places.data / "from the supplier" / SUPPLIER_ZIP)
    assert window.shelf_view.profiles.count() == 1
    assert session.profile is not None
    assert "ready to use" in window.foot.said.text()
    # Now the thread shows what the operator could not see: two knots, one twist, and the print is held.
    assert knots(window) == ("Fidele", "driver")
    assert thread.headline.text() == "Converted twice"
    assert thread.state.words["Print"] == "held"
    assert session.chain.twists == 1
    # The artwork.
    drop(window, places.data / "artwork" / "harbour-at-dusk.png")
    assert window.desk.station == "Artwork"
    assert window.desk.slip.text() == "Source: sRGB (IEC 61966-2-1), stated by the file"
    # The proof: five teeth, figures beneath, and another intent at a click.
    keys(window, Qt.Key.Key_2, Qt.KeyboardModifier.AltModifier)
    assert window.desk.station == "Proof"
    settle(window, qtbot)
    view = window.desk.view
    assert [t.name for t in view._teeth] == ["as sent", "Perceptual", "Media-relative", "Saturation", "ICC-absolute"]
    assert all("% lost" in t.beneath[0] and "mean ΔE00" in t.beneath[1] for t in view._teeth[1:])
    assert "% lost" in thread.state.words["Proof"]
    # Where it is lost: one press, and one more on a loss shows where it alone sits; then the comb again.
    click(window.desk, "Where it is lost")
    assert [t.name for t in view._teeth] == ["where it is lost"]
    qtbot.wait(50)  # the list beside it was made anew
    window.findings_view.findChildren(LossRow)[0].click()
    assert [t.name for t in view._teeth] == ["where these are lost"]
    qtbot.wait(50)
    next(r for r in window.findings_view.findChildren(LossRow) if r.isChecked()).click()
    assert len(view._teeth) == 5
    before = view.grab().toImage()
    edges = view._edges()
    QTest.mouseClick(view, Qt.MouseButton.LeftButton, pos=QPoint((edges[2] + edges[3]) // 2, 16))
    assert session.card.intent is Intent.RELATIVE
    click(window.foot, "Undo")
    assert session.card.intent is Intent.PERCEPTUAL
    QTest.keyPress(window.desk, Qt.Key.Key_V)
    assert [t.name for t in view._teeth] == ["as sent"]
    assert view.grab().toImage() != before
    QTest.keyRelease(window.desk, Qt.Key.Key_V)
    assert len(view._teeth) == 5
    # The sheet: its size is typed once.
    thread.stations["Sheet"].click()
    look()
    field = window.desk.column.fields["width"]
    field.setFocus()
    field.selectAll()
    QTest.keyClicks(field, "120")
    QTest.keyClick(field, Qt.Key.Key_Return)
    assert session.placing.width == pytest.approx(120)
    assert session.placing.height == pytest.approx(80, abs=0.1)
    # The hand-off: changing the driver's colour moves the knots at once, both ways.
    thread.stations["Hand-off"].click()
    look()
    choose(control(window.desk, "Colour"), "Untouched")
    assert knots(window) == ("Fidele",)
    choose(control(window.desk, "Colour"), "Velm bright")
    assert knots(window) == ("Fidele", "driver")
    choose(control(window.desk, "Scaling"), "over the edge")
    assert not session.chain.true_size
    qtbot.waitUntil(lambda: "scaled" in {c.finding.code for c in window.findings_view.cards})
    settle(window, qtbot)
    assert window.desk.outcomes[0].words.startswith("mean ΔE00")
    assert "worst:" in window.desk.outcomes[0].more
    shown = {c.finding.code: c.findChildren(Pair) for c in window.findings_view.cards}
    assert {code for code, pairs in shown.items() if pairs} == {"two-conversions", "scaled"}
    click(window.findings_view, "Let the driver pass numbers")
    click(window.findings_view, "Print at true size")
    click(window.findings_view, "I looked: it is off")
    assert thread.headline.text() == "Converted once"
    assert thread.sentence.text() == "by Fidele. Mirrored once, true size."
    assert session.findings == tuple(f for f in session.findings if f.weight != "stop")
    click(window.desk, "Probe without ink")
    settle(window, qtbot)
    assert session.chain.layer("driver").evidence.value == "probed"
    # Print and press the piece.
    thread.stations["Print"].click()
    look()
    told = []
    window.work.progress.connect(told.append)
    click(window.desk, "Print")
    assert window.foot.bar.isVisible()
    settle(window, qtbot)
    assert told == sorted(told)
    assert len(told) > 5
    assert not window.foot.bar.isVisible()
    assert window.desk.view._pixels is not None
    click(window.desk, "Go on to the press")
    assert window.desk.fields["temperature"].text() == "200 °C"
    click(window.desk, "Done already")
    settle(window, qtbot)
    assert thread.state.words["Press"].startswith("pressed")
    # Check the condition: it passes.
    print_press_and_read(window, qtbot)
    checked = session.checked
    assert checked.comparison.passed
    assert checked.comparison.mean <= 2.0
    assert checked.cause.code == "right"
    assert "passed" in window.desk.title.text()
    QTest.mouseClick(window.desk.patches.eyes, Qt.MouseButton.LeftButton, pos=QPoint(10, 10))
    picks = [plot.pick for page in window.desk.pages.values() for plot in page.plots if hasattr(plot, "pick")]
    assert picks.count(0) >= 5  # eyes, both planes of vectors, distribution, ramp, scan
    assert window.desk.patches.said.text().startswith("A1: ΔE00")
    # Somebody brings the maker's colours back, behind our back; the thread shows it by itself.
    machine_of(session, session.device.id).driver.change("Blend", "Velm natural")
    qtbot.waitUntil(lambda: thread.headline.text() == "Converted twice", timeout=3000)
    print_press_and_read(window, qtbot)
    assert not session.checked.comparison.passed
    assert session.checked.cause.code == "converted-twice"
    titles = [c.finding.title for c in window.findings_view.cards]
    assert titles[:2] == ["Out of tolerance", "Converted twice"]
    failed = session.run.number
    assert session.checked.reading.code.run == failed  # the print says which run it is
    click(window.desk, "Cause")
    assert window.desk.cause.name.text() == "Converted twice"
    assert "Let the driver pass numbers" in window.desk.cause.next.text()
    act = next(a for a in window.desk.check_actions() if a[0] == "Lay this print beside others")
    act[1]()
    # The button mends it; printed again, it passes.
    click(window.findings_view, "Let the driver pass numbers")
    assert thread.headline.text() == "Converted once"
    print_press_and_read(window, qtbot)
    assert session.checked.comparison.passed
    assert session.checked.cause.code == "right"
    next(a for a in window.desk.check_actions() if a[0] == "Lay this print beside others")[1]()
    assert len(session.checking.beside) == 2
    assert "It is better everywhere" in window.desk.beside.said.text()
    click(window.desk, "Over time")
    assert [c.verdict.verdict for c in window.desk.trend.trend.checks] == ["pass", "fail", "pass"]
    assert "Blend: Velm natural → Untouched" in window.desk.trend.said.text()
    # The report and the numbers go out; the logbook has it all.
    for name in ("check.pdf", "check.html"):
        window.desk.out.write_report(places.data / name)
    assert (places.data / "check.pdf").read_bytes().startswith(b"%PDF")
    page = (places.data / "check.html").read_text()
    assert "Passed: mean" in page
    assert page.count("data:image/png;base64,") == 3
    assert "http" not in page.replace("https://www.w3.org", "")
    window.desk.out.write_numbers(places.data / "check.cxf")
    window.desk.out.write_numbers(places.data / "check.csv")
    numbers = (places.data / "check.csv").read_text().splitlines()
    assert len(numbers) == 145
    log = [window.shelf_view.log.item(i).text() for i in range(window.shelf_view.log.count())]
    words = ["Control chart: passed", "Control chart: failed", "Control chart: passed", "harbour-at-dusk.png"]
    assert log == [f"{4 - n}  {w}" for n, w in enumerate(words)]
    window.close()


def test_a_print_can_be_cancelled(window, places, qtbot):
    session = window.session
    session.handoff.bring()
    session.open_artwork(places.data / "artwork" / "signal-flags.png")
    go(window, "Print")
    window.work.started.connect(lambda _: window.work.cancel())
    click(window.desk, "Print")
    settle(window, qtbot)
    assert session.run is None
    assert [r.state for r in session.logbook.runs()] == ["cancelled"]
    assert "cancelled" in window.shelf_view.log.item(0).text()
    assert "cancelled" in window.foot.said.text()
    assert window.desk.print_it.isEnabled()


@pytest.mark.parametrize(
    ("wish", "state", "said"),
    [
        ("Close after this run", "printed", "was printed"),
        ("Go on without the window", "printed", "was printed"),
        ("Cancel it and close", "cancelled", "was cancelled"),
    ],
)
def test_closing_while_printing_asks_and_the_next_start_tells(window, places, qtbot, wish, state, said):
    window.session.open_artwork(places.data / "artwork" / "harbour-at-dusk.png")
    window.session.handoff.bring()
    window.session.handoff.confirm("ink_saving", "off")
    go(window, "Print")
    for _ in range(2):
        number = window.session.queue.order(window.session.job())
    first = number - 1
    window.desks.print.printing.begin(first)
    window.close()
    assert window.isVisible(), "it asks before it goes"
    click(window.closing.dialog, "Stay")
    assert window.isVisible()
    window.close()
    click(window.closing.dialog, wish)
    qtbot.waitUntil(lambda: not window.isVisible() and window.work.idle, timeout=60_000)
    qtbot.wait(500)
    runs = {run.id: run.state for run in (window.session.logbook.run(n) for n in (first, number))}
    assert runs[first] == state
    # What waits goes on where the window alone was to go, and stays queued where it was to end after this run.
    assert runs[number] == ("printed" if wish == "Go on without the window" else "waiting")
    again = Window(Session(places), QSettings(str(places.data / "window.ini"), QSettings.Format.IniFormat))
    qtbot.addWidget(again)
    told = [m.sentence for m in again.foot.messages]
    assert any(said in sentence and f"Run {first}" in sentence for sentence in told)


def test_what_is_dropped_goes_where_it_belongs(window, places, tmp_path, qtbot, printer):
    (tmp_path / "notes.docx").write_bytes(b"x")
    (tmp_path / "broken.icc").write_bytes(b"x" * 500)
    (tmp_path / "broken.png").write_bytes(b"\x89PNG\r\n\x1a\nbroken")
    for name, words in (
        ("notes.docx", "neither a picture"),
        ("broken.icc", "not an ICC profile"),
        ("broken.png", "damaged"),
    ):
        drop(window, tmp_path / name)
        assert words in window.foot.said.text()
        assert name in window.foot.said.text()
    assert window.session.artwork is None
    # Several at once, and a profile that another program puts into the folder.
    art = places.data / "artwork"
    drop(window, art / "tide-table-no-space-stated.png", art / "lighthouse-engraving.tif")
    assert window.session.artwork.path.name == "lighthouse-engraving.tif"
    settle(window, qtbot)
    from fidele.icc.spaces import oprgb

    (places.profiles / "from elsewhere.icc").write_bytes(oprgb().data)
    qtbot.waitUntil(lambda: window.shelf_view.profiles.count() == 2, timeout=5000)
    (places.profiles / "from elsewhere.icc").unlink()
    qtbot.waitUntil(lambda: window.shelf_view.profiles.count() == 1, timeout=5000)


def test_a_driver_that_breaks_while_the_window_is_open(window, places, qtbot):
    """Its file is damaged from outside: the thread shows dots and a cut, and one press puts it right."""
    window.session.open_artwork(places.data / "artwork" / "signal-flags.png")
    go(window, "Hand-off")
    settle(window, qtbot)
    next(places.bench.glob("wren-*.json")).write_text("{ broken")
    qtbot.waitUntil(lambda: "driver" in window.session.chain.unknown, timeout=3000)
    for name in window.desks:
        go(window, name)
        settle(window, qtbot)
        window.grab()
    assert window.thread_view.state.held
    go(window, "Hand-off")
    click(window.findings_view, "Reset the driver, then set it to the card")
    assert knots(window) == ("Fidele",)
    assert not window.thread_view.state.held


def test_every_desk_works_by_keyboard_in_both_themes(window, places, qtbot):
    window.session.open_artwork(places.data / "artwork" / "signal-flags.png")
    for number, name in enumerate(STATIONS, 1):
        keys(window, getattr(Qt.Key, f"Key_{number}"), Qt.KeyboardModifier.AltModifier)
        assert window.desk.station == name
        settle(window, qtbot)
        for made in window.desk.findChildren(QAbstractButton):
            assert made.accessibleName() or made.text(), made
            assert made.focusPolicy() != Qt.FocusPolicy.NoFocus
    keys(window, Qt.Key.Key_F9)
    assert window.theme.name == "booth"
    keys(window, Qt.Key.Key_F8)
    assert not window.shelf_view.isVisible()
    keys(window, Qt.Key.Key_F8)
    window.thread_view.stations["Check"].setFocus()
    QTest.keyClick(window.thread_view, Qt.Key.Key_Left)
    assert window.desk.station == "Press"


def test_window_theme_and_desk_are_remembered(places, qtbot):
    window = open_window(places)
    qtbot.addWidget(window)
    window.show()
    window.resize(1100, 720)
    window.toggle_theme()
    go(window, "Sheet")
    window.close()
    again = open_window(places)
    qtbot.addWidget(again)
    assert again.height() == 720  # the width is more than this test's screen has
    assert again.theme.name == "booth"
    assert again.desk.station == "Sheet"
    again.close()


def test_it_fits_small_and_large_screens(window, places, qtbot):
    window.session.open_artwork(places.data / "artwork" / "signal-flags.png")
    for size in ((1024, 700), (3840, 2160)):
        window.resize(*size)
        for name in window.desks:
            go(window, name)
            settle(window, qtbot)
            assert (window.width(), window.height()) == size
            for made in window.desk.findChildren(QPushButton):
                if made.isVisible():
                    assert made.width() >= made.fontMetrics().horizontalAdvance(made.text()), (name, size, made.text())


def test_an_empty_workshop_guides(tmp_path, demo, qtbot):
    window = open_window(Places.under(tmp_path / "new"))
    qtbot.addWidget(window)
    window.show()
    for name in window.desks:
        go(window, name)
    assert window.thread_view.headline.text() == "No printing condition"
    # A first condition: the driver converts. With a profile dropped and used, Fidele does.
    click(window.shelf_view, "Start one for the Velm Wren")
    assert window.session.card.owner == "driver"
    drop(window, demo.data / "from the supplier" / SUPPLIER_ZIP)
    click(window.desk, "Use it here")
    go(window, "Hand-off")
    click(window.desk, "Set the driver to the card")
    assert knots(window) == ("Fidele",)
    assert not window.thread_view.state.held
    window.close()


def test_none_keeps_its_references(window, qtbot):
    """Some Qt bindings lose a reference to None with every void call, and abort after a while."""

    def spin(times: int) -> int:
        for _ in range(times):
            loop = QEventLoop()
            QTimer.singleShot(0, loop.quit)
            loop.exec()
            loop.processEvents()
        return sys.getrefcount(None)

    desks = [window.desks[station] for station in window.desks]
    assert len(desks) > 20
    assert comes(lambda: all(desk.styled is window.theme for desk in desks))  # one in each turn
    spin(200)
    before = sys.getrefcount(None)
    assert abs(spin(3000) - before) < 300


def test_the_view_shows_pixels_where_they_belong(window, places, qtbot):
    """At one to one a picture's pixel is the screen's pixel, through the same colours as the exact proof."""
    from fidele.artwork.open import open_artwork
    from fidele.desk.picture import PictureView, Tooth

    view = PictureView()
    qtbot.addWidget(view)
    view.resize(500, 400)
    view.show()
    pixels = open_artwork(places.data / "artwork" / "signal-flags.png").pixels
    view.set_picture(pixels)
    view.set_teeth([Tooth("as it is", lambda p: p)])
    QTest.keyClick(view, Qt.Key.Key_1)
    place = view._visible()
    sample, shown = view._sample(pixels, place), view._shown()
    x, y = round(place.x() - shown.x()), round(place.y() - shown.y())
    assert np.abs(sample.astype(int) - pixels[y : y + sample.shape[0], x : x + sample.shape[1]]).mean() < 1.0
    QTest.keyClick(view, Qt.Key.Key_0)
    assert view._shown().width() <= view._frame().width() + 1


@pytest.mark.parametrize("printer_id", ["velm-wren/W-0417", "orrin-gannet/G-2209", "skarn-longship/L-0031"])
def test_a_lost_preset_is_seen_within_a_second_and_mended_by_one_press(window, places, qtbot, printer_id):
    """A card is put in force; the driver goes back to its maker's settings; one press, and the print goes ahead."""
    session = window.session
    device, machine = session.devices.printer_of(printer_id), machine_of(session, printer_id)
    if session.card.printer != printer_id:
        made = device.starter_card()
        session.cards.save(made)
        session.live.tell(ConditionsChanged())
        window._take_card(made.id)
    assert session.device is device
    for name in ("Laid in", "Reel aboard"):
        if name in machine.model.settings:
            machine.driver.at_the_panel(name, session.card.driver["stand_in"])
    session.handoff.bring()
    session.open_artwork(places.data / "artwork" / "signal-flags.png")
    go(window, "Hand-off")
    settle(window, qtbot)
    assert session.stops == ()
    machine.driver.reset()
    for name in ("Laid in", "Reel aboard"):
        if name in machine.model.settings:
            machine.driver.at_the_panel(name, session.card.driver["stand_in"])
    qtbot.waitUntil(lambda: "preset-lost" in {f.code for f in session.findings}, timeout=3000)
    look()
    assert window.thread_view.state.held
    click(window.findings_view, "Set everything to the card")
    assert session.stops == ()
    assert len(session.chain.knots) == 1
    go(window, "Print")
    settle(window, qtbot)
    assert window.desk.print_it.isEnabled()
    if device.name == "Skarn Longship":  # the others print in tests of their own
        click(window.desk, "Print")
        settle(window, qtbot)
        assert session.run.receipt["serial"] == printer_id.split("/")[1]


def test_conditions_are_copied_locked_compared_and_taken_in(window, tmp_path, qtbot):
    session, first = window.session, window.session.card

    def do(card_id: str, words: str) -> None:
        (call,) = [c for text, c, possible in window.card_actions(card_id) if text == words and possible]
        call()

    do(first.id, "Copy it")
    assert [c.name for c in session.cards.cards()] == ["House-number tiles", "House-number tiles, copy"]
    session.change_card("x", size="A5")
    assert {"Copy it in A5", "Unlock"} & {w for w, _, _ in window.card_actions(first.id)} == {"Copy it in A5"}
    do(first.id, "Lay it beside the one in force")
    assert window.desk.said.text() == "“House-number tiles” differs from it in 1 thing."
    (differs,) = [x for x in window.desk.findChildren(FieldLine) if x.property("strong")]
    assert comes(lambda: differs.isVisibleTo(window.desk))
    click(differs, "take it over")
    assert session.card.size == "A4"
    assert window.desk.said.text() == "“House-number tiles” says the same."
    session.undo()
    do(session.card.id, "Lock")
    go(window, "Hand-off")
    choose(window.desk.owner, "driver")
    assert "is locked" in window.foot.said.text()
    assert session.card.owner == "fidele"
    do(session.card.id, "Unlock")
    session.conditions.export(session.card.id, tmp_path / "tiles.zip")
    do(session.card.id, "Remove")
    assert session.card.id == first.id
    drop(window, tmp_path / "tiles.zip")
    assert "was taken in, with its profile" in window.foot.said.text()
    assert len(session.cards.cards()) == 2


def test_a_condition_is_made_by_answering(window, qtbot):
    keys(window, Qt.Key.Key_F6)
    desk = window.desk
    assert desk.station == "New condition"
    assert desk.fields["profile"].currentText() == "Velm Wren, Fen 100, ceramic tile"
    assert not desk.trials.isVisible()
    assert not desk.fields["stand_in"].isEnabled()  # the profile's papers say it
    choose(desk.fields["piece"], "the paper itself")
    assert desk.fields["printer"].currentText() == "Orrin Gannet"
    assert desk.fields["profile"].currentText().startswith("none yet")
    assert "Without a profile the driver converts" in desk.expect.text()
    choose(desk.fields["size"], "A3")
    QTest.keyClicks(desk.name, "Gallery A3")
    click(desk, "Put it in force")
    assert window.desk.station == "Hand-off"
    assert (window.session.card.name, window.session.card.size) == ("Gallery A3", "A3")
    click(window.desk, "Set the driver to the card")
    settle(window, qtbot)
    assert window.session.chain.knots == ("driver",)
    assert window.session.device.settings()["Sheet"] == "A3"
    window._begin_making()
    choose(window.desk.fields["piece"], "coated slate")
    click(window.desk, "Make one for each stand-in")
    assert len(window.session.cards.cards()) == 5
    assert "conditions to try" in window.foot.said.text()


def test_a_copy_for_another_media_is_a_press_away(window, places, qtbot):
    session = window.session
    (put,) = session.install(places.data / "downloads" / "fen-140-polyester.eml")
    session.profiles.say(put.id, "media", "Fen 140")
    session.profiles.say(put.id, "printer", "Velm Wren")
    session.profiles.choose_default(put.id, "Fen 140")
    (call,) = [c for words, c, _ in window.card_actions(session.card.id) if words == "Copy it for Fen 140"]
    call()
    assert (session.card.name, session.card.profile) == ("House-number tiles, Fen 140", put.id)
    assert session.card.driver["stand_in"] == "Board"
    assert "it differs in media" in window.foot.said.text()
