"""Units and numbers: chosen once, the same everywhere, comma and point alike, never ten-fold wrong."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st
from PySide6.QtCore import QSettings, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton
from scipy import constants

from fidele import units
from fidele.desk.numbers import Quantity, number
from fidele.desk.window import Window
from fidele.errors import FideleError
from fidele.session.model import Session
from tests.hands import comes, go


@pytest.fixture(autouse=True)
def as_made():
    """Every test begins and ends with mm, °C and bar."""
    units.use(units.Units())
    yield
    units.use(units.Units())


@given(st.floats(-50, 5000), st.sampled_from([("length", "in"), ("heat", "°F"), ("pressure", "psi")]))
def test_units_agree_with_the_constants_of_nature(value, which):
    kind, unit = which
    independent = {
        "in": value * constants.inch * 1000,
        "°F": constants.convert_temperature(value, "F", "C"),
        "psi": value * constants.psi / constants.bar,
    }[unit]
    assert units.inside(unit, value) == pytest.approx(independent, rel=1e-9, abs=1e-9)
    units.use(units.Units("in", "°F", "psi"))
    assert units.shown(kind, independent) == pytest.approx(value, rel=1e-9, abs=1e-9)
    assert units.read(f"{value:.6f}".replace(".", ","), kind) == pytest.approx(independent, abs=1e-4)


@pytest.mark.parametrize(
    ("typed", "kind", "inside"),
    [
        ("12,5", "length", 12.5),
        ("12.5 mm", "length", 12.5),
        ("8,27 in", "length", 210.058),
        ('8.27"', "length", 210.058),
        ("1.2cm", "length", 12.0),
        ("392 °F", "heat", 200.0),
        ("392f", "heat", 200.0),
        ("36.26 psi", "pressure", 2.5),
        (",5", "length", 0.5),
    ],
)
def test_what_people_type_is_understood(typed, kind, inside):
    assert units.read(typed, kind) == pytest.approx(inside, abs=1e-3)


@pytest.mark.parametrize("typed", ["", "wide", "12 °C", "1.234.5", "12 furlongs", "1e9999x"])
def test_what_is_no_length_is_refused_in_a_sentence(typed):
    with pytest.raises(FideleError, match=r"no number|no unit"):
        units.read(typed, "length")


def typed(field, text: str) -> float:
    """Type into a field and leave it; return what it then means."""
    field.lineEdit().selectAll()
    QTest.keyClicks(field.lineEdit(), text)
    QTest.keyClick(field.lineEdit(), Qt.Key.Key_Return)
    return field.value()


def test_fields_read_both_commas_and_any_unit(qtbot):
    field = number(0, 500, "Width")
    heat, plain = number(20, 240, "Heat", 0, " °C"), number(0, 100, "Time", 1, " s")
    for one in (field, heat, plain):
        qtbot.addWidget(one)
    assert typed(field, "12,5") == typed(field, "12.5") == 12.5
    assert typed(field, "2 in") == pytest.approx(50.8)
    assert typed(field, "900") == 50.8, "what is out of range leaves it as it was"
    assert typed(plain, "1,5") == 1.5
    field.setValue(210.0)
    heat.setValue(200.0)
    units.use(units.Units("in", "°F", "psi"))
    for one in (field, heat):
        one.dress()
    assert (field.text(), heat.text()) == ("8.268 in", "392 °F")
    assert (field.value(), heat.value()) == (210.0, 200.0), "shown otherwise, it is the same"
    assert typed(field, "8.268 in") == 210.0, "its own text changes nothing"
    assert typed(field, "8,5") == pytest.approx(215.9)
    assert typed(heat, "400") == pytest.approx(204.44, abs=0.01)
    field.stepUp()
    assert field.value() == pytest.approx(215.9 + 1.27)
    assert isinstance(field, Quantity)


def test_one_choice_holds_for_every_desk_and_the_next_start(window, places, qtbot):
    session = window.session
    session.open_artwork(places.data / "artwork" / "signal-flags.png")
    go(window, "Sheet")
    width = window.desk.column.fields["width"]
    mm = session.placing.width
    session.measures.choose(length="in", heat="°F", pressure="psi")
    assert width.text().endswith(" in")
    assert session.placing.width == mm, "nothing moves by being shown in another unit"
    assert " in" in window.thread_view.stations["Sheet"].state
    go(window, "Press")
    assert "°F" in window.thread_view.stations["Press"].state
    assert window.desk.fields["temperature"].text().endswith("°F")
    assert window.desk.fields["temperature"].value() == session.card.press.temperature
    go(window, "Condition")
    (said,) = [b for b in window.desk.findChildren(QAbstractButton) if b.accessibleName().startswith("Press pressure")]
    assert comes(lambda: said.text().endswith("psi"))  # once it is laid out, and has room for it
    said.click()  # it is changed in its place
    (field,) = window.desk.findChildren(Quantity)
    field.setValue(2.0)
    assert session.card.press.pressure == 2.0
    session.undo()
    assert session.card.press.pressure == 2.5
    session.undo()
    assert units.chosen() == units.Units()
    session.redo()
    units.use(units.Units())
    again = Window(Session(places), QSettings(str(places.data / "again.ini"), QSettings.Format.IniFormat))
    qtbot.addWidget(again)
    assert units.chosen() == units.Units("in", "°F", "psi")
