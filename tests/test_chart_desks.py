"""The chart maker and the check desk as a person drives them: bare charts, instruments, files, by eye, side by side."""

from __future__ import annotations

import datetime
import json
import sqlite3

import numpy as np
import pytest
from PySide6.QtWidgets import QPushButton

from fidele.artwork.save import save_picture
from fidele.chart.cgats import read, write
from fidele.chart.definition import from_table, to_table
from fidele.chart.draw import draw_page
from fidele.chart.family import control_chart, made
from fidele.chart.measured_file import read_any
from fidele.chart.swatch import between_patches, nearest_patches
from fidele.colour.cie import xyz_to_lab
from fidele.colour.difference import delta_e_2000
from fidele.colour.spectra import spectra_to_xyz
from fidele.desk.columns import ColumnsDialog
from fidele.errors import FideleError
from fidele.run.chart_page import on_piece
from fidele.session.charts import ChartOrder
from fidele.session.state import RunTaken
from tests.hands import comes, go, take


def settle(window, qtbot) -> None:
    qtbot.waitUntil(lambda: window.work.idle, timeout=60_000)
    qtbot.wait(40)


def click(parent, text: str) -> None:
    next(b for b in parent.findChildren(QPushButton) if b.text() == text and b.isVisibleTo(parent)).click()


def codes(session, weight: str = "stop") -> set[str]:
    return {f.code for f in session.findings if f.weight == weight}


def printed(window, qtbot, chart: str = "quick"):
    """Print and press a chart as everything stands."""
    session = window.session
    session.open_chart(chart)
    why = "test" if session.stops else ""
    session.take_run(session.press_run(session.print_job(session.job(), overridden=why)))
    settle(window, qtbot)
    return session.run


def test_a_bare_chart_goes_down_a_route_without_any_conversion(session):
    chart = session.charts.made(ChartOrder("full-400"))
    session.charts.take(chart, bare=True)
    assert session.chain.knots == ()
    assert not codes(session) & {"no-conversion", "converts-a-bare-chart"}
    session.device.choose("Blend", "Velm natural")
    session.refresh()
    assert session.chain.knots == ("driver",)
    assert "converts-a-bare-chart" in codes(session)
    with pytest.raises(FideleError, match="Held"):
        session.print_job(session.job())
    # Through the condition the same driver makes two conversions, and that is a stop as well.
    session.charts.take(chart)
    assert "two-conversions" in codes(session)
    session.handoff.bring()
    session.charts.take(chart, bare=True)
    run = session.print_job(session.job())
    # What reached the ink are the chart's own numbers: the patches print as the profile says of bare numbers.
    piece = session.devices.press.press(run.sheet, run.job.card.substrate, run.job.card.press)
    places = on_piece(chart.centres(0), chart, run.job.placing)
    Lab = xyz_to_lab(spectra_to_xyz(session.devices.instrument.measure(piece, places)))
    from fidele.icc.transform import Intent, to_lab

    predicted = to_lab(chart.rgb.astype(np.float32), session.profile, Intent.ABSOLUTE).astype(float)
    assert delta_e_2000(Lab, predicted).mean() < 1.0


def test_the_chart_maker_lays_what_is_chosen_on_the_sheet(window, qtbot, tmp_path):
    session = window.session
    session.handoff.bring()
    go(window, "Charts")
    desk = window.desk
    assert desk.made.digest == control_chart().digest
    desk.kind.setCurrentIndex(desk.kind.findData("ramps"))
    desk.kind.activated.emit(desk.kind.currentIndex())
    desk.page.setCurrentIndex(desk.page.findData("A5"))
    desk.page.activated.emit(desk.page.currentIndex())
    desk.patch.setValue(6.0)
    assert (desk.made.name, desk.made.layout.page, desk.made.layout.patch) == ("ramps", (148.0, 210.0), 6.0)
    desk.patch.setValue(60.0)
    assert desk.made is None
    assert "too large" in desk.state.text()
    desk.patch.setValue(6.0)
    session.charts.export(desk.made, tmp_path / "ramps.txt")
    out = read(tmp_path / "ramps.txt")
    assert from_table(out, "x").digest == desk.made.digest
    assert out.Lab[:, 0].min() < 30  # the reference is what the profile predicts
    click(desk, "Lay it on the sheet")
    settle(window, qtbot)
    assert window.desk.station == "Print"
    assert session.chart.name == "ramps"
    assert session.chart.digest in {c.digest for c in session.charts.known()}
    # Somebody's definition, that says nothing of marks or places.
    theirs = to_table(made("quick"))
    theirs.keywords.clear()
    write(tmp_path / "theirs.txt", theirs)
    go(window, "Charts")
    take(window, tmp_path / "theirs.txt")
    assert window.desk.made.name == "others"
    assert np.allclose(window.desk.made.rgb, made("quick").rgb)


def test_measured_by_instrument_files_and_in_a_wrong_order(window, qtbot, tmp_path):
    session = window.session
    session.handoff.bring()
    session.handoff.confirm("ink_saving", "off")
    run = printed(window, qtbot)
    go(window, "Check")
    desk = window.desk
    desk.show_page("Measure")
    desk.measuring._start()
    qtbot.waitUntil(desk.measuring.take.isEnabled, timeout=30_000)
    desk.measuring._pick(3)
    click(desk.measuring, "This patch again")
    assert "moved by ΔE00 0." in desk.measuring.said.text()
    click(desk.measuring, "Take the measurement")
    assert comes(lambda: session.checked is not None)
    assert session.checked.comparison.passed
    assert session.checked.reading is None
    assert session.checked.measured.conditions.mode == "M1"
    # A colour that was picked from a picture is looked for among what was printed.
    session.customers.add("lantern red", "#c04030")
    window.desk.show_page("Swatches")
    window.desk.swatches.customers.activated.emit(1)
    assert window.desk.swatches.said.text().startswith("Between patches: input RGB")
    assert window.desk.swatches.typed.text().startswith("Lab ")
    desk.show_page("Measure")
    kept = read_any(session.checking.file_of(run.number))
    assert kept.spectra.shape == (30, 36)
    # A second measurement is averaged with the first.
    click(desk.measuring, "Average with those before")
    desk.measuring._start()
    qtbot.wait(50)
    qtbot.waitUntil(lambda: desk.measuring._next >= 30 and not desk.measuring._timer.isActive(), timeout=30_000)
    click(desk.measuring, "Average with those before")
    assert 0 < session.checking.repeatability < 0.5
    assert ("Repeated", f"2 times, ±{session.checking.repeatability:.2f}") in desk.facts()
    # Measured upside down by somebody: told, and put right.
    table = read(session.checking.file_of(run.number))
    for name, column in table.columns.items():
        table.columns[name] = column[::-1].copy()
    write(tmp_path / "down.txt", table)
    take(window, tmp_path / "down.txt")
    assert session.checked.cause.code == "mixed-up"
    assert session.checked.comparison.passed
    assert "upside down" in session.checked.cautions[0]
    # Two exchanged while measuring: named, and left out by wish; a step that can be undone.
    table = read(session.checking.file_of(run.number))
    one, other = (list(table.ids).index(name) for name in ("B2", "E4"))
    for column in table.columns.values():
        column[[one, other]] = column[[other, one]]
    write(tmp_path / "swapped.txt", table)
    take(window, tmp_path / "swapped.txt")
    assert session.checked.cause.code == "patches-swapped"
    assert not session.checked.comparison.passed
    (leave,) = [call for words, call, _ in desk.check_actions() if words == "Leave out what does not fit: B2, E4"]
    leave()
    assert session.checked.comparison.passed
    assert len(session.checked.comparison.ids) == 28
    assert "Left out by hand: B2, E4." in session.checked.cautions
    session.undo()
    assert len(session.checked.comparison.ids) == 30
    desk.patches.mark(one)
    desk.patches.without.click()
    assert len(session.checked.comparison.ids) == 29
    # Nonsense is one sentence.
    (tmp_path / "cat.txt").write_text("miaow\n")
    take(window, tmp_path / "cat.txt")
    assert "cat.txt" in session.said
    dialog = ColumnsDialog(window, ["f", "x"], [["A1", "3"]])
    dialog.choices["f"].setCurrentText("the patch")
    dialog.choices["x"].setCurrentText("L*")
    assert dialog.columns() == {"f": "SAMPLE_ID", "x": "LAB_L"}


def test_prints_on_one_scan_limits_references_and_corners(window, qtbot, tmp_path):
    session = window.session
    session.handoff.bring()
    run = printed(window, qtbot)
    scan = session.scan_run(run).scan
    go(window, "Check")
    desk = window.desk
    save_picture(tmp_path / "scan.tif", scan, None, 150)
    take(window, tmp_path / "scan.tif")
    settle(window, qtbot)
    assert session.checked.comparison.passed
    first = session.checked.comparison.mean
    session.checking.choose(limits="tight", relative=True)
    assert session.checked.comparison.tolerance.name == "tight"
    assert session.checked.comparison.mean != first
    session.checking.choose(limits="everyday", relative=False, against=str(session.checking.file_of(run.number)))
    assert session.checked.comparison.largest < 1e-3
    assert "reference" in session.checked.against
    session.checking.choose(against="")
    # Marks hidden: the corners are placed by hand.
    torn = scan.copy()
    for corner in session.checked.reading.frame[:3]:
        x, y = (int(v) for v in corner)
        reach = 14 / 25.4 * 150
        torn[max(0, int(y - reach)) : int(y + reach), max(0, int(x - reach)) : int(x + reach)] = 52000
    corners = session.checked.reading.frame
    desk.read_scan(torn, 150)
    settle(window, qtbot)
    assert "place its corners" in desk.scans.said.text()
    session.checking.last_scan = torn
    desk.scans.view.placed.emit(np.roll(corners, 2, axis=0))
    settle(window, qtbot)
    assert session.checked.reading.marks == 0
    assert session.checked.comparison.mean < first + 1
    # Two prints on one scan, no run in hand: they are compared with each other.
    both = np.full((scan.shape[0] + 20, 2 * scan.shape[1] + 60, 3), 40000, np.uint16)
    both[: scan.shape[0], : scan.shape[1]] = scan
    both[: scan.shape[0], scan.shape[1] + 40 : 2 * scan.shape[1] + 40] = scan[::-1, ::-1]
    session.live.change(RunTaken(None, ()))
    desk.read_scan(both)
    settle(window, qtbot)
    assert [p.run for p in session.checking.beside] == [run.number]  # both say that they are the same run
    assert desk.stack.currentWidget() is desk.beside
    desk.read_scan(np.full((900, 700, 3), 200, np.uint8))
    settle(window, qtbot)
    assert "No chart was found" in session.said


def test_by_eye_the_scanner_and_what_is_due(window, qtbot, tmp_path, places):
    session = window.session
    session.handoff.bring()
    session.charts.take(session.charts.made(ChartOrder("visual")))
    run = session.press_run(session.print_job(session.job(), overridden="x" if session.stops else ""))
    session.take_run(run)
    go(window, "Check")
    window.desk.show_page("By eye")
    eye = window.desk.eye
    click(eye, "Keep the answers")
    assert "Answer at least one" in eye.said.text()
    eye.answers["A"].setCurrentIndex(4)
    eye.answers["B"].setCurrentIndex(1)
    click(eye, "Keep the answers")
    last = session.logbook.checks()[-1].verdict
    assert (last.cause, last.verdict, last.instrument) == ("by-eye", "fail", "by eye")
    assert last.words[0] == "greys lean yellow"
    with pytest.raises(FideleError, match="judged by eye"):
        session.checking.check_run(run, np.zeros((300, 300, 3), np.uint8))
    # The scanner, from a target whose values are known.
    target = made("ramps")
    page = draw_page(target, 0, "x", 150)
    save_picture(tmp_path / "target.tif", page, None, 150)
    from fidele.icc.spaces import srgb
    from fidele.icc.transform import Intent, to_lab

    known = to_table(target)
    Lab = to_lab(target.rgb.astype(np.float32), srgb(), Intent.ABSOLUTE)
    known.columns.update({f"LAB_{c}": Lab[:, i].astype(float) for i, c in enumerate("LAB")})
    write(tmp_path / "target.txt", known)
    window.desk.scanner.characterise(tmp_path / "target.tif", tmp_path / "target.txt")
    settle(window, qtbot)
    assert session.checking.scanner.residual_mean < 1.0
    assert "claim no more" in session.said
    # It sees as it did, and says so; through a dirty glass it does not, and verdicts claim as much less.
    window.desk.scanner.verify(tmp_path / "target.tif", tmp_path / "target.txt")
    settle(window, qtbot)
    assert "sees as it did" in session.said
    trusted = session.checking.scanner.residual_mean
    dull = (page * np.array([0.86, 0.9, 0.8])).astype(page.dtype) + np.iinfo(page.dtype).max // 12
    save_picture(tmp_path / "dirty.tif", dull.astype(page.dtype), None, 150)
    window.desk.scanner.verify(tmp_path / "dirty.tif", tmp_path / "target.txt")
    settle(window, qtbot)
    assert "It has drifted" in session.said
    assert session.checking.scanner.residual_mean > trusted + 2
    assert any("drifted" in value for _, value in window.desk.facts())
    # A condition that was not checked for a while is due.
    when = (datetime.datetime.now() - datetime.timedelta(days=40)).isoformat()
    with sqlite3.connect(session.logbook.path) as db:
        db.execute("UPDATE verdict SET at = ?", (when,))
    session.refresh()
    assert "check-due" in codes(session, "note")
    assert json.loads(session.logbook.checks()[0].card)["id"] == session.card.id


def test_a_colour_is_picked_between_patches(printer):
    """The values that are offered print nearer than the nearest patch, by the profile that stands for the print."""
    from fidele.check.suspects import suspicions
    from fidele.icc.transform import Intent

    book = made("control")
    rng = np.random.default_rng(4)
    asked = rng.random((40, 3)) * 0.8 + 0.1

    def prints(rgb):
        return suspicions(rgb, printer, Intent.RELATIVE, True).Lab["right"]

    Lab, wanted = prints(book.rgb), prints(asked)
    picks = [between_patches(w, book.rgb, Lab) for w in wanted]
    nearest = np.array([nearest_patches(w, book.ids, book.rgb, Lab)[0].de00 for w in wanted])
    real = delta_e_2000(wanted, prints(np.array([p.rgb for p in picks])))
    assert np.median(real) < 0.6 * np.median(nearest)
    assert (real < nearest + 0.5).mean() >= 0.9
    exact = nearest_patches(Lab[7], book.ids, book.rgb, Lab)[0]
    assert (exact.patch, exact.de00) == (book.ids[7], 0)
