"""Sheet, queue, press and logbook in the real window."""

from __future__ import annotations

import datetime
import json

import numpy as np
import pytest
from hands import click, look, settle
from PySide6.QtCore import QPoint, QPointF, Qt, QTime
from PySide6.QtGui import QDropEvent
from PySide6.QtTest import QTest

from fidele.artwork.save import save_picture
from fidele.desk.later import LaterDialog
from fidele.icc.spaces import srgb
from fidele.judge.finding import Action, Deed
from fidele.run.page import prepare_page
from fidele.session.piece import PanelPlan
from tests.hands import go, take


@pytest.fixture
def customers(tmp_path):
    """Three pictures of two customers."""
    rng = np.random.default_rng(2)
    paths = []
    for name, shape in (("quay-crest", (4, 6)), ("quay-pennant", (3, 8)), ("mill-lamp", (5, 5))):
        path = tmp_path / f"{name}.png"
        blocks = np.kron(rng.integers(0, 256, (*shape, 3)), np.ones((120, 120, 1)))
        save_picture(path, blocks.astype(np.uint8), srgb(), 300)
        paths.append(path)
    return paths


def on_the_roll(session):
    """Put two conditions of the roll printer in the workshop that differ at the press alone; the first is in force."""
    roll = session.devices.printers[2]
    card = roll.starter_card().model_copy(update={"name": "Quay pennants", "id": "quay"})
    mill = card.model_copy(
        update={
            "name": "Mill tiles",
            "id": "mill",
            "substrate": "ceramic tile",
            "press": card.press.model_copy(update={"seconds": 170.0}),
        }
    )
    session.cards.save(card)
    session.cards.save(mill)
    session.put_in_force(card)
    session.handoff.bring()
    session.handoff.confirm("ink_saving", "off")
    session.act(Action(Deed.LAY_IN))


def test_three_pieces_of_two_customers_on_a_roll(window, customers, qtbot):
    """Nested on a roll, printed, one cancelled, pressed with the clock, repeated exactly from the logbook."""
    session, thread = window.session, window.thread_view
    on_the_roll(session)
    for path in customers:
        take(window, path)
    thread.stations["Sheet"].click()
    look()
    desk = window.desk
    click(desk, "All on one sheet")
    settle(window, qtbot)
    lamp = session.pieces.all[2]
    assert session.sheet.media().roll
    assert {p.together for p in session.pieces.all} == {lamp.together}
    # The mill's piece is pressed otherwise and shares the roll all the same; the tile printer's cannot: it is said why.
    desk._choose({(lamp.number, 0)})
    column = desk.column
    assert "House-number tiles: it is printed on Velm Wren" in column.press_as.toolTip()
    column.press_as.setCurrentIndex(column.press_as.findData("mill"))
    column.press_as.activated.emit(column.press_as.currentIndex())
    assert session.sheet.card_of(session.pieces.current).id == "mill"
    column.copies.setValue(2)
    column.copies.editingFinished.emit()
    assert "overlap" in {f.code for f in session.findings}
    click(desk, "Nest")
    settle(window, qtbot)
    assert "overlap" not in {f.code for f in session.findings}
    assert not session.stops, session.stops
    # Printed; a second run is ordered, held, and cancelled.
    thread.stations["Print"].click()
    look()
    desk = window.desk
    click(desk, "Print")
    settle(window, qtbot)
    first = session.run
    assert len(first.job.lying) == 4
    assert session.logbook.run(first.number).state == "printed"
    desk.ways["hold"].trigger()
    settle(window, qtbot)
    (waiting,) = session.queue.entries()
    assert (waiting.state, waiting.card_name) == ("held", "Quay pennants")
    desk.queue.setCurrentRow(1)
    assert desk.queue.current == waiting.id
    click(desk, "Cancel")
    assert session.queue.entries() == []
    assert session.logbook.run(waiting.id).state == "cancelled"
    # Pressed with the clock: the two customers' pieces apart, each by its own condition.
    thread.stations["Press"].click()
    look()
    desk = window.desk
    time = [0.0]
    desk.clock._now = lambda: time[0]
    assert [desk.group.itemData(k) for k in range(desk.group.count())] == ["quay", "mill"]
    desk.group.setCurrentIndex(1)
    desk.group.activated.emit(1)
    click(desk, "Warm 10 s")
    time[0] = 12.0
    qtbot.waitUntil(lambda: desk.face.over)
    click(desk, "Press closed, start timer")
    time[0] += 50
    qtbot.waitUntil(lambda: desk.face.face == "2:00")
    assert desk.face.digit_height > 60
    time[0] += 121
    qtbot.waitUntil(lambda: desk.face.over)
    assert desk.face.words == "Open the press now"
    click(desk, "Press opened")
    settle(window, qtbot)
    assert set(session.run.pieces) == {"mill"}
    (record,) = json.loads(session.logbook.run(first.number).press)
    assert (record["condition"], record["seconds"], record["preheat"]) == ("Mill tiles", 171.0, 12.0)
    assert record["substrate"] == "ceramic tile"
    click(desk, "At the press")
    desk.group.setCurrentIndex(0)
    desk.group.activated.emit(0)
    click(desk, "Done already")
    settle(window, qtbot)
    assert set(session.run.pieces) == {"mill", "quay"}
    assert len(json.loads(session.logbook.run(first.number).press)) == 2
    # Other settings since; the logbook prints it again as it was, from one press.
    session.change_card("else", bpc=not session.card.bpc)
    session.device.choose("Sun", 4)
    window._show_run(first.number)
    look()
    desk = window.desk
    assert [r.id for r in desk.chosen()] == [first.number]
    click(desk, "Print again")
    assert window.desk.station == "Print"
    settle(window, qtbot)
    again = session.run
    assert again.number > first.number
    assert np.array_equal(
        prepare_page(session_job(again), session.device), prepare_page(session_job(first), session.device)
    )
    assert {k: v for k, v in again.receipt.items() if k != "ink ml"} == {
        k: v for k, v in first.receipt.items() if k != "ink ml"
    }
    go(window, "Logbook")
    desk = window.desk
    desk.tree.selectAll()
    desk.search.setText("quay printed")
    assert {r.id for r in desk._runs} == {first.number, again.number}
    desk.tree.selectAll()
    rows = [desk.details.topLevelItem(k).text(0) for k in range(desk.details.topLevelItemCount())]
    assert rows
    assert all(row.startswith("Pressed") for row in rows)  # the second has not been pressed yet; else they are alike


def session_job(run):
    """Return a run's job without its number, which stands on the sheet."""
    from dataclasses import replace

    return replace(run.job, number=0)


def test_pieces_are_moved_by_hand(window, customers, qtbot):
    session = window.session
    session.handoff.bring()
    take(window, customers[0])
    go(window, "Sheet")
    settle(window, qtbot)
    desk, view = window.desk, window.desk.view
    number = session.pieces.current.number
    desk.column.copies.setValue(3)
    desk.column.copies.editingFinished.emit()
    session.laying.repeat(number, 1, 3)
    desk.refresh()
    first = session.pieces.current.copies[0].placing

    def at(x: float, y: float) -> QPoint:
        return view.transform().map(QPointF(x, y)).toPoint()

    # Dragged by 12.3 mm it snaps to where its middle is the sheet's; with Alt it does not snap.
    start = at(*first.centre)
    wanted = at(105, first.centre[1] + 3)
    QTest.mousePress(view, Qt.MouseButton.LeftButton, pos=start)
    QTest.mouseMove(view, wanted + QPoint(3, 0))
    assert view._lines
    QTest.mouseRelease(view, Qt.MouseButton.LeftButton, pos=wanted + QPoint(3, 0))
    moved = session.pieces.current.copies[0].placing
    assert moved.centre[0] == pytest.approx(105)
    session.undo()
    assert session.pieces.current.copies[0].placing == first
    # By the keyboard: a millimetre, a tenth; turned, locked, taken off.
    view.selection = {(number, 0)}
    QTest.keyClick(view, Qt.Key.Key_Right)
    QTest.keyClick(view, Qt.Key.Key_Down, Qt.KeyboardModifier.AltModifier)
    now = session.pieces.current.copies[0].placing
    assert (now.x - first.x, now.y - first.y) == pytest.approx((1.0, 0.1))
    QTest.keyClick(view, Qt.Key.Key_R)
    assert session.pieces.current.copies[0].placing.angle == 90
    QTest.keyClick(view, Qt.Key.Key_L)
    QTest.keyClick(view, Qt.Key.Key_Right)
    locked = session.pieces.current.copies[0]
    assert locked.locked
    assert locked.placing == session.pieces.current.copies[0].placing
    session.laying.nest()
    assert session.pieces.current.copies[0] == locked
    assert len(session.pieces.current.copies) == 3
    # A guide is dragged out of the ruler, and things line up by it.
    QTest.mousePress(view, Qt.MouseButton.LeftButton, pos=QPoint(8, at(0, 150).y()))
    QTest.mouseMove(view, at(60, 150))
    QTest.mouseRelease(view, Qt.MouseButton.LeftButton, pos=at(60, 150))
    ((axis, mm),) = view.guides
    assert (axis, round(mm)) == ("x", 60)
    QTest.keyClick(view, Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
    assert len(view.selection) == 3
    session.laying.align(view.selection, "left")
    lefts = {round(c.placing.bounds[0], 6) for c in session.pieces.current.copies if not c.locked}
    assert len(lefts) == 1
    QTest.keyClick(view, Qt.Key.Key_Delete)
    # Numbers in inches are the same millimetres.
    desk.column.unit.click()
    assert desk.column.fields["width"].suffix() == " in"
    assert desk.column.fields["width"].value() == pytest.approx(session.placing.width, abs=1e-3)
    assert float(desk.column.fields["width"].text().split()[0]) == pytest.approx(session.placing.width / 25.4, abs=1e-3)
    desk.column.unit.click()
    # Panels: an area is marked by dragging, a panel is left out by a click.
    session.laying.size(session.pieces.current.number, 500, 333, "large")
    session.laying.part(PanelPlan())
    desk.refresh()
    parts = desk.panels
    assert desk.stack.currentWidget() is parts
    place, scale = parts._place(), parts._scale()
    mark = [QPoint(int(place.x() + mm * scale), int(place.y() + 60 * scale)) for mm in (150, 190)]
    QTest.mousePress(parts, Qt.MouseButton.LeftButton, pos=mark[0])
    QTest.mouseMove(parts, mark[1] + QPoint(0, 30))
    QTest.mouseRelease(parts, Qt.MouseButton.LeftButton, pos=mark[1] + QPoint(0, 30))
    (area,) = session.pieces.current.panels.keep_clear
    parted = session.sheet.panels
    assert not parted.through
    assert not any(area[0] < seam < area[0] + area[2] for seam in parted.across)
    QTest.mouseClick(parts, Qt.MouseButton.LeftButton, pos=QPoint(int(place.x()) + 20, int(place.y()) + 12))
    assert session.pieces.current.panels.skip == {"A1"}
    assert len(session.sheet.jobs()) == session.sheet.pages - 1
    # A seam is dragged into that area, which is said while it is dragged; as far as the panels fit, and back by undo.
    before, y = session.sheet.panels.across, int(place.bottom()) - 4
    held = QPoint(round(place.x() + before[0] * scale), y)
    QTest.mousePress(parts, Qt.MouseButton.LeftButton, pos=held)
    QTest.mouseMove(parts, QPoint(round(place.x() + (area[0] + area[2] / 2) * scale), y))
    assert "through what is to be kept clear" in parts.crossing(0, parts._at)
    QTest.mouseRelease(parts, Qt.MouseButton.LeftButton, pos=held)
    low, high = session.sheet.panels.reach((500, session.placing.height), 0, 0)
    moved = session.sheet.panels.across[0]
    assert moved == pytest.approx(min(max(area[0] + area[2] / 2, low), high), abs=1)
    assert moved != before[0]
    assert "seam-through" in {f.code for f in session.findings}
    field = desk.column.panels._fields[0][2]
    field.setValue(5000)
    field.editingFinished.emit()
    assert session.sheet.panels.across[0] == pytest.approx(high, abs=0.01)
    session.undo()
    assert session.sheet.panels.across[0] == moved
    click(desk, "Seams by themselves")
    assert session.sheet.panels.across == before


def test_artwork_changed_elsewhere_is_followed(window, customers, qtbot):
    session = window.session
    take(window, customers[0])
    before = session.artwork
    placing = session.placing
    save_picture(customers[0], np.full((480, 360, 3), 90, np.uint8), srgb(), 300)
    qtbot.waitUntil(lambda: session.artwork is not before, timeout=6000)
    assert session.placing.width == pytest.approx(placing.width)
    assert session.placing.height == pytest.approx(placing.width * 480 / 360)
    assert "changed elsewhere" in session.said
    customers[0].unlink()
    qtbot.waitUntil(lambda: "artwork-lost" in {f.code for f in session.stops}, timeout=6000)
    assert session.artwork is not None
    save_picture(customers[0], np.full((480, 360, 3), 120, np.uint8), srgb(), 300)
    qtbot.waitUntil(lambda: not session.watch.lost and session.artwork.pixels[0, 0, 0] == 120, timeout=6000)


def test_the_press_desk_says_what_matters(window, customers, tmp_path, qtbot):
    session = window.session
    session.handoff.bring()
    session.handoff.confirm("ink_saving", "off")
    session.change_card("cotton", substrate="unbleached cotton")
    assert "holds-no-dye" in {f.code for f in session.stops}
    session.undo()
    session.change_card("damp", press=session.card.press.model_copy(update={"preheat": 0.0}))
    window.act(Action(Deed.PREHEAT))
    assert session.card.press.preheat == 10
    take(window, customers[0])
    session.change_card("line", sheet=session.card.sheet.model_copy(update={"identity": True}))
    session.take_run(session.print_job(session.job()))
    go(window, "Press")
    desk = window.desk
    desk.on_top.setCurrentIndex(1)
    desk.on_top.activated.emit(1)
    assert desk.layers.layers[2:4] == ("ceramic tile", "transfer paper, print up")
    time = [0.0]
    desk.clock._now = lambda: time[0]
    click(desk, "Press closed, start timer")
    time[0] = 60.0  # opened far too early: the piece is pale, and it is kept that it was
    desk.note.setText("door bell")
    click(desk, "Press opened")
    settle(window, qtbot)
    assert "60 s instead of 180" in session.said
    (record,) = json.loads(session.logbook.run(1).press)
    assert (record["seconds"], record["asked"], record["note"]) == (60.0, {"seconds": 180.0}, "door bell")
    # The piece beside what was promised: one size, one light, and it is paler.
    promised, piece = desk.piece.view._teeth[0].pixels, desk.piece.view._pixels
    assert [t.name for t in desk.piece.view._teeth] == ["promised", "the piece"]
    assert promised.shape == piece.shape
    spot = np.s_[
        promised.shape[0] * 45 // 100 : promised.shape[0] * 55 // 100,
        promised.shape[1] * 40 // 100 : promised.shape[1] * 60 // 100,
    ]
    assert piece[spot].mean() > promised[spot].mean() + 10
    good = session.press_run(session.state.table[0])
    session.take_run(good)
    settle(window, qtbot)
    shown = [
        v[spot].astype(float).mean(axis=(0, 1)) for v in (desk.piece.view._teeth[0].pixels, desk.piece.view._pixels)
    ]
    assert np.abs(shown[0] - shown[1]).max() < 4
    # A photo is kept with the run; what is no picture is refused.
    desk.piece.attach_file(customers[1])
    assert len(session.logbook.photos(1)) == 1
    (tmp_path / "notes.png").write_text("no picture")
    desk.piece.attach_file(tmp_path / "notes.png")
    assert "notes.png" in session.said
    assert len(session.logbook.photos(1)) == 1
    # Scanned, the piece says by its identity line which run it is, and the logbook opens at it.
    window.desks.check.read_scan(session.devices.scanner.scan(session.run.piece, 8).pixels, 150)
    settle(window, qtbot)
    assert "This is run 1, piece 1: quay-crest.png" in session.said
    assert window.desk.station == "Logbook"
    look()
    assert [r.id for r in window.desk.chosen()] == [1]


def test_the_queue_is_put_in_order_by_hand(window, customers, tmp_path, qtbot):
    session = window.session
    session.handoff.bring()
    session.handoff.confirm("ink_saving", "off")
    take(window, customers[0])
    go(window, "Print")
    desk, queue = window.desk, window.desk.queue
    for _ in range(3):
        desk.ways["hold"].trigger()
    settle(window, qtbot)

    def order() -> list[int]:
        return [e.id for e in session.queue.entries()]

    def pick(number: int) -> None:
        queue.setCurrentRow(next(k for k in range(queue.count()) if queue._number(queue.item(k)) == number))

    assert order() == [1, 2, 3]
    assert "House-number tiles" in queue.item(0).text()
    # By the keyboard, and by dragging the first beneath the last.
    pick(3)
    QTest.keyClick(queue, Qt.Key.Key_Up, Qt.KeyboardModifier.AltModifier)
    assert order() == [1, 3, 2]
    pick(1)
    below = QPointF(20, queue.visualItemRect(queue.item(queue.count() - 1)).bottom() + 30)
    data = queue.mimeData([queue.currentItem()])
    left, none = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    queue.dropEvent(QDropEvent(below, Qt.DropAction.MoveAction, data, left, none))
    assert order() == [3, 2, 1]
    # Released by Space it is printed; the others stay held.
    pick(2)
    QTest.keyClick(queue, Qt.Key.Key_Space)
    settle(window, qtbot)
    assert order() == [3, 1]
    assert session.run.number == 2
    assert window.thread_view.state.words["Print"].startswith("printed")
    # Prepared already, it waits; later means later; into a file; standing still, nothing goes.
    pick(3)
    click(desk, "Prepare")
    settle(window, qtbot)
    assert session.queue.entries()[0].why == "prepared; waits for your word"
    dialog = LaterDialog(desk)
    dialog.time.setTime(QTime.currentTime().addSecs(-120))
    assert 23 < (dialog.when() - datetime.datetime.now()).total_seconds() / 3600 < 24
    session.queue.hold(1, dialog.when())
    desk.refresh()
    assert "waits until" in queue.item(queue.count() - 1).text()
    click(desk, "Pause queue")
    desk._order(target=tmp_path / "sheet.tif")
    qtbot.waitUntil(lambda: not window.work.under_way("ordering"))
    assert session.queue.paused
    assert [e.state for e in session.queue.entries()] == ["held", "waiting", "waiting"]
    click(desk, "Resume queue")
    settle(window, qtbot)
    assert (tmp_path / "sheet.tif").exists()
    assert session.logbook.run(4).target == str(tmp_path / "sheet.tif")
    for entry in session.queue.entries():
        pick(entry.id)
        QTest.keyClick(queue, Qt.Key.Key_Delete)
    assert order() == []
    assert queue.item(0).text() == "Nothing waits."
