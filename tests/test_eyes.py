"""Every eye: contrast in both themes, and no text cut at small windows, at large type and with long names."""

from __future__ import annotations

import itertools

import pytest
from PySide6.QtCore import QSettings
from PySide6.QtGui import QFont, QPalette
from PySide6.QtWidgets import QAbstractButton, QApplication, QComboBox, QLabel

from fidele.desk import theme
from fidele.desk.application import open_window
from fidele.desk.kit import Choice
from fidele.desk.labels import ElidedLabel
from fidele.desk.loss_row import LossRow
from fidele.desk.preferences import Preferences, desktop_scale, wanted_scale
from fidele.desk.spots import _Spot
from fidele.desk.theme import BOOTH, LIGHT
from fidele.desk.thread import _Station
from tests.hands import choose, opened


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
        if press.isVisible() and press.text() and not drawn and press.sizeHint().width() > press.width() + 1:
            found.append(press.text())
    for box in (one for one in window.findChildren(QComboBox) if not isinstance(one, Choice)):
        needed = box.fontMetrics().horizontalAdvance(box.currentText()) + theme.px(30)
        if box.isVisible() and needed > box.width() + theme.px(6) and not box.toolTip():
            found.append(f"list: {box.currentText()}")
    return found


@pytest.mark.parametrize(("size", "percent"), [((1024, 700), 100), ((1280, 800), 150)])
def test_no_text_is_cut_at_small_windows_and_at_large_type(places, qtbot, size, percent):
    kept = QSettings(str(places.data / "window.ini"), QSettings.Format.IniFormat)
    kept.setValue("type size", percent)
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
            window.show_desk(station)
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
