"""Every eye: contrast in both themes, and no text cut at small windows, at large type and with long names."""

from __future__ import annotations

import itertools

import pytest
from PySide6.QtCore import QPoint, QRect, QSettings, Qt
from PySide6.QtGui import QFont, QPalette
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QLabel,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QSplitter,
    QWidget,
)

from fidele.desk import theme
from fidele.desk.application import open_window
from fidele.desk.by_any_hand import Folding
from fidele.desk.foot import Messages, Steps
from fidele.desk.kit import Choice
from fidele.desk.labels import ElidedLabel
from fidele.desk.loss_row import LossRow
from fidele.desk.preferences import Preferences, desktop_scale, wanted_scale
from fidele.desk.spots import _Spot
from fidele.desk.theme import BOOTH, LIGHT
from fidele.desk.thread import _Station
from tests.hands import choose, go, keys, machine_of, opened


def luminance(level: int) -> float:
    """Relative luminance of a grey (WCAG 2.2)."""
    c = level / 255
    return c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4


def contrast(one: int, other: int) -> float:
    a, b = sorted((luminance(one), luminance(other)))
    return (b + 0.05) / (a + 0.05)


@pytest.mark.parametrize("of", [LIGHT, BOOTH])
def test_text_and_borders_stand_out_in_both_themes(of):
    grounds = [of.thread, of.shelf, of.desk, of.panel, of.card, of.field]
    for text, ground in itertools.product((of.text, of.dim), grounds):
        assert contrast(text, ground) >= 4.5, (of.name, text, ground)
    assert contrast(of.press_text, of.press) >= 4.5
    for ground in grounds:
        assert contrast(of.strong, ground) >= 3 - 0.06, (of.name, "border", ground)
        assert contrast(of.text, ground) >= 3, "the focus ring is of the text's grey"


def cut(window) -> list[str]:
    """Return every text of a window that has less room than it needs, and is not elided with all of it on hover."""
    found = []
    for one in window.findChildren(QLabel):
        if not one.isVisible() or not one.text() or isinstance(one, ElidedLabel):
            continue
        if one.wordWrap():
            if one.heightForWidth(one.width()) > one.height() + 2:
                found.append(one.text())
        elif one.sizeHint().width() > one.width() + 1:
            found.append(one.text())
    for press in window.findChildren(QAbstractButton):
        drawn = isinstance(press, (_Spot, _Station, LossRow))  # they elide by themselves
        needed = QPushButton.sizeHint(press) if isinstance(press, Folding) else press.sizeHint()
        if press.isVisible() and press.text() and not drawn and needed.width() > press.width() + 1:
            found.append(press.text())
    for box in (one for one in window.findChildren(QComboBox) if not isinstance(one, Choice)):
        needed = box.fontMetrics().horizontalAdvance(box.currentText()) + theme.px(30)
        if box.isVisible() and needed > box.width() + theme.px(6) and not box.toolTip():
            found.append(f"list: {box.currentText()}")
    kinds = QLabel | QAbstractButton | QComboBox | QLineEdit
    for one in (w for w in window.findChildren(QWidget) if isinstance(w, kinds) and w.isVisible()):
        seen = one.visibleRegion().boundingRect()
        if seen.height() > 2 and seen.width() < one.width() - 1:
            found.append(f"{type(one).__name__} “{one.accessibleName() or one.toolTip()}” is cut at its side")
    for area in window.findChildren(QScrollArea):
        inside = area.widget()
        over = inside.width() - area.viewport().width() if area.isVisible() and inside is not None else 0
        if over > 1:
            found.append(f"{over} pixels of {type(inside.parent().parent()).__name__} lie beyond its right edge")
    for holder in {one.parentWidget() for one in window.findChildren(QLabel) if one.isVisible()}:
        shown = [c for c in holder.children() if isinstance(c, kinds) and c.isVisible()]
        if holder.layout() is not None:
            pairs = itertools.combinations(shown, 2)
            found += [f"{a.text()} lies on another" for a, b in pairs if _meet(a, b) and isinstance(a, QLabel)]
    return found


def _meet(one: QWidget, other: QWidget) -> bool:
    both = one.geometry() & other.geometry()
    return both.width() > 2 and both.height() > 2


@pytest.mark.parametrize(("size", "percent"), [((1024, 700), 100), ((1280, 800), 150)])
def test_no_text_is_cut_at_small_windows_and_at_large_type(places, qtbot, size, percent):
    kept = QSettings(str(places.data / "window.ini"), QSettings.Format.IniFormat)
    kept.setValue("type size", percent)
    drawn = QSplitter()  # the shelf as narrow as it may be at the designed size of type
    for least in (180, 420, 230):
        drawn.addWidget(made := QWidget())
        made.setMinimumWidth(least)
    drawn.setSizes([180, 800, 300])
    if percent > 100:
        kept.setValue("splitter", drawn.saveState())
    kept.sync()
    try:
        window = open_window(places)
        qtbot.addWidget(window)
        window.resize(*size)
        window.show()
        window.take_file(places.data / "artwork" / "signal-flags.png")
        opened(window)
        long = f"{'Banners and pennants for the harbour club of Tern, ' * 2}autumn"[:80]
        window.session.change_card("A long name", name=long)
        wrong = {}
        for station in window.desks:
            go(window, station)
            for _ in range(10):  # what is beside the desk follows a moment later
                qtbot.wait(120)
                if not (found := cut(window)):
                    break
            else:
                wrong[station] = found
        assert (window.width(), window.height()) == size, "the window does not grow beyond the screen"
        assert wrong == {}
    finally:
        theme.set_scale(1.0)


def _by_tab(window) -> list[QWidget]:
    """Return what the keyboard reaches in the window as it stands."""
    found = []
    for one in window.findChildren(QWidget):
        inner = isinstance(one, QLineEdit) and isinstance(one.parent(), (QAbstractSpinBox, QComboBox))
        tab = one.focusPolicy() & Qt.FocusPolicy.TabFocus
        if tab and not inner and one.isVisible() and one.isEnabled() and not one.visibleRegion().isEmpty():
            found.append(one)
    return found


def _shows(window, one: QWidget) -> bool:
    """Whether the window looks different with the keyboard on a control."""
    above = one.parentWidget()
    while above is not None:  # Tab brings into sight what it comes to
        if isinstance(above, QScrollArea):
            above.ensureWidgetVisible(one)
        above = above.parentWidget()
    place = QRect(one.mapTo(window, QPoint()), one.size()).adjusted(-3, -3, 3, 3)
    window.setFocus()
    without = window.grab(place).toImage()
    one.setFocus(Qt.FocusReason.TabFocusReason)
    return bool(window.grab(place).toImage() != without)


def test_the_keyboard_is_seen_wherever_it_is(window, qtbot):
    session = window.session
    window.take_file(session.places.data / "artwork" / "signal-flags.png")
    opened(window)
    unseen, looked = [], set()
    for station in window.desks:
        go(window, station)
        qtbot.wait(60)
        window.activateWindow()
        for one in _by_tab(window):
            try:
                inside = window.stack.isAncestorOf(one)
                if not inside and one in looked:
                    continue
                looked.add(one)
                # What was laid out or filled anew meanwhile is looked at once more.
                if not any(qtbot.wait(again) or _shows(window, one) for again in (0, 0, 300)) and one.isVisible():
                    unseen.append(f"{station}: {type(one).__name__} {one.accessibleName()}")
            except RuntimeError:  # a desk was filled anew meanwhile
                continue
    assert len(looked) > 300
    assert unseen == []


def test_enter_presses_escape_leaves_and_every_step_can_be_gone_back_to(window, qtbot):
    session = window.session
    go(window, "Proof")
    keys(window, Qt.Key.Key_F3)
    assert window.desk.station == "Tuning"
    keys(window, Qt.Key.Key_Escape)
    assert window.desk.station == "Proof"
    (press,) = [b for b in window.shelf_view.findChildren(QAbstractButton) if b.text() == "Printers"]
    press.setFocus(Qt.FocusReason.TabFocusReason)
    QTest.keyClick(press, Qt.Key.Key_Return)
    assert window.desk.station == "Printers"
    keys(window, Qt.Key.Key_P, Qt.KeyboardModifier.ControlModifier)
    assert window.desk.station == "Print"
    session.show_white(True)
    session.checking.choose(limits="strict")
    keys(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier)
    (steps,) = [w for w in QApplication.topLevelWidgets() if isinstance(w, Steps)]
    said = [steps.list.item(k).text() for k in range(steps.list.count())]
    assert said[:2] == ["Take back: Judge by the limits “strict”", "Take back: Show the piece's white"]
    steps.list.itemActivated.emit(steps.list.item(1))
    assert (session.checking.limits, session.state.paper_white) == ("everyday", False)
    session.undo_to(-2)
    assert (session.checking.limits, session.state.paper_white) == ("strict", True)


def test_a_way_that_turns_bad_is_told_once_and_stays_before_what_goes_well(window, qtbot):
    session = window.session
    session.handoff.bring()
    session.handoff.confirm("ink_saving", "off")
    go(window, "Tuning")
    assert session.stops == ()
    machine_of(session, session.device.id).driver.reset()
    told = "The way to the ink has changed"
    qtbot.waitUntil(lambda: session.said.startswith(told), timeout=6000)
    session.say("All is saved.")
    session.refresh()
    assert [m.sentence.startswith(told) for m in window.foot.messages].count(True) == 1
    assert window.foot.said.text().startswith(told)
    assert window.foot.said.text().endswith("Then: All is saved.")
    window.foot.show_messages()
    (messages,) = [w for w in QApplication.topLevelWidgets() if isinstance(w, Messages)]
    go(window, "Proof")
    messages.list.itemActivated.emit(messages.list.item(1))
    assert window.desk.station == "Tuning"


def test_type_follows_the_desktop_until_somebody_sets_it(window, places, qtbot):
    assert [desktop_scale(QFont("x", points)) for points in (9, 10, 11)] == [1.0, 1.0, 1.0]
    assert desktop_scale(QFont("x", 15)) == 1.5
    settings = window.settings
    assert wanted_scale(settings, QFont("x", 20)) == 2.0
    window.show_settings()
    (dialog,) = [w for w in QApplication.topLevelWidgets() if isinstance(w, Preferences) and w.isVisible()]
    choose(dialog.type, 125)
    assert dialog.again.isEnabled()
    assert wanted_scale(settings, QFont("x", 20)) == 1.25
    choose(dialog.units["heat"], "°F")
    assert "°F" in window.thread_view.stations["Press"].state
    choose(dialog.units["heat"], "°C")
    choose(dialog.theme, "booth")
    assert window.theme is BOOTH
    # What is painted dim by hand, and hints in fields, are as strong as the theme says: a style sheet halves them.
    hint = window.shelf_view.search.palette().color(QPalette.ColorRole.PlaceholderText)
    assert hint == BOOTH.colour("dim")
    dialog.again.click()
    assert window.again
    assert not window.isVisible()


def test_the_bench_is_worked_on_its_pictures(window, qtbot):
    """A switch by the mouse, a tank by its menu, nozzles by keyboard: the machine follows."""
    go(window, "Bench")
    session, machine = window.session, window.desk.machines["Velm Wren"]
    parts = {c.name: place for place, c in machine._places}
    QTest.mouseClick(machine, Qt.MouseButton.LeftButton, pos=parts["power"].center().toPoint())
    assert "printer-offline" in {f.code for f in session.findings}
    tank = next(c for c in machine.controls if c.name == "cyan ink")
    menu = machine.menu(tank)
    next(a for a in menu.actions() if a.text() == "8 %").trigger()
    assert next(c for c in machine.controls if c.name == "cyan ink").value == 0.08
    (jets,) = [s for s in machine.findChildren(_Spot) if "black nozzles" in s.accessibleName()]
    assert jets.accessibleName().endswith("let through: 100 %")
    QTest.keyClick(jets, Qt.Key.Key_Return)
    popup = QApplication.activePopupWidget()
    assert [a.text() for a in popup.actions()] == ["100 %", "90 %", "70 %", "40 %", "0 %"]
    popup.close()
