"""Printers that take inks: what ramps tell, a fit and a separation that hold on strangers, pages, shell and desk."""

from __future__ import annotations

import json
from dataclasses import replace

import numpy as np
import pytest
import tifffile
from click.testing import CliRunner
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLabel
from scipy.interpolate import RBFInterpolator

from fidele.characterise.ink_setup import setup_of
from fidele.characterise.inks import InkInverse, Separation
from fidele.characterise.printer import Sizes
from fidele.chart.cgats import Table, read, write
from fidele.chart.cxf import read_measurement, write_measurement
from fidele.chart.definition import from_table
from fidele.chart.draw import draw_page
from fidele.chart.ink_set import InkSet
from fidele.chart.ink_target import ink_target, ramp_page
from fidele.chart.measured_file import read_any
from fidele.chart.read import read_scan
from fidele.cli import cli
from fidele.colour.cie import D50, lab_to_xyz, xyz_to_lab
from fidele.colour.difference import delta_e_2000
from fidele.icc.conform import conformance
from fidele.icc.profile import Profile
from fidele.icc.transform import Intent
from tests.hands import click, comes, drop, go, keys, settle
from tests.lcms import LAB, littlecms
from tests.street import inked, seal


@pytest.fixture(scope="module")
def trapping():
    """A printer of four inks that nobody here made, its setup, and its fit by 300 patches."""
    stranger = seal.stranger(seal.INKS, "trapping", 1)
    setup = inked.set_up(stranger, 0.1)
    return stranger, setup, inked.fitted(stranger, setup, 300, 0.1)


def measurements(folder, chart, Lab, name, amounts=True):
    columns = {f"CMYK_{n}": chart.inks[:, i] * 100 for i, n in enumerate("CMYK")} if amounts else {}
    columns |= {f"LAB_{n}": Lab[:, i] for i, n in enumerate("LAB")}
    write(folder / name, Table(chart.ids, columns, {"INSTRUMENTATION": "somebody's"}))
    return folder / name


def test_ramps_tell_how_much_ink_is_of_use():
    """Past the end that is told, nobody sees more ink. One that stops to show, or bronzes and goes back, ends there."""

    def ending(amounts):
        amounts = amounts.copy()
        amounts[:, 0] = np.minimum(amounts[:, 0], 0.7)
        amounts[:, 2] -= 1.6 * np.clip(amounts[:, 2] - 0.8, 0, None)
        return amounts

    for kind in ("blooming", "trapping", "wide"):
        stranger = seal.stranger(seal.INKS, kind, 2)
        if kind == "trapping":
            physics = stranger.physics
            stranger = replace(stranger, physics=lambda amounts, physics=physics: physics(ending(amounts)))
        setup = inked.set_up(stranger, 0.1)
        even = np.linspace(0, 1, 11)[:, None]
        for ink in range(4):
            line = np.eye(4)[ink]
            ends = inked.lab(stranger, np.array([setup.most[ink] * line, line]))
            if (kind, ink) != ("trapping", 2):
                assert np.linalg.norm(ends[0] - ends[1]) < 1.6, (kind, ink)
            steps = np.linalg.norm(np.diff(inked.lab(stranger, setup.laid(even * line)), axis=0), axis=1)
            assert steps.max() < 2 * steps.min(), kind  # even to the eye
        black = np.array([[(total - 1) / 3] * 3 + [1.0] for total in (setup.total, 4.0)])
        L = inked.lab(stranger, black)[:, 0]
        assert L[0] - L[1] < 1.6 or setup.total == 2, kind
        if kind == "trapping":
            assert setup.most.tolist() == pytest.approx([0.7, 1, 0.8, 1], abs=0.04)
    amounts = np.random.default_rng(3).random((50, 4)) * setup.most
    assert np.abs(setup.laid(setup.places(amounts)) - amounts).max() < 2e-3
    assert setup.laid(setup.limited(np.ones((1, 4)))).sum() == pytest.approx(setup.total, abs=0.01)


def test_a_fit_of_inks_is_better_than_a_plain_spline_and_says_how_good_it_is():
    better, within = [], []
    for kind, count, noise in (("brightened", 300, 0.1), ("opaque", 300, 0.3), ("cellular", 600, 0.1)):
        stranger = seal.stranger(seal.INKS, kind, 1)
        setup = inked.set_up(stranger, noise)
        amounts = setup.laid(setup.limited(inked.ANYWHERE))
        truth = xyz_to_lab(inked.xyz(stranger, amounts))
        ours, inks, Lab = inked.fitted(stranger, setup, count, noise)
        colours = lab_to_xyz(ours(1 - setup.places(amounts))) * ours.white_XYZ / D50
        off = delta_e_2000(xyz_to_lab(colours), truth).mean()
        once = np.unique(np.round(inks, 6), axis=0, return_index=True)[1]
        plain = RBFInterpolator(inks[once], Lab[once], kernel="thin_plate_spline")(amounts)
        better.append(off / delta_e_2000(plain, truth).mean())
        within.append(ours.fit.stated.low <= off <= ours.fit.stated.high)
    assert max(better) < 0.85
    assert sum(within) >= 2


def test_a_separation_prints_the_same_with_more_black_and_with_less(trapping):
    stranger, setup, (printer, _, _) = trapping
    amounts = setup.laid(setup.limited(np.random.default_rng(4).random((2000, 4))))
    wanted, black = printer(1 - setup.places(amounts)), []
    for share in (0.0, 0.5, 1.0):
        inverse = InkInverse(Separation(printer, share))
        inks = setup.laid(1 - inverse(wanted))
        off = delta_e_2000(inked.lab(stranger, inks), inked.lab(stranger, amounts))
        assert (off.mean() < 0.25, np.percentile(off, 99) < 1) == (True, True), share
        assert inks.sum(axis=1).max() < setup.total
        black.append(inks[:, 3].mean())
        L = np.linspace(100, inverse.cube(np.zeros((1, 3)))[0, 0], 40)
        greys = setup.laid(1 - inverse(np.stack([L, 0 * L, 0 * L], axis=1)))
        assert (np.diff(greys[:, 3]) > -0.03).all()  # more black the darker
        assert greys[0].max() < 0.004  # the bare media stays bare
    assert black[0] * 1.4 < black[1] < black[2] / 1.2


def test_pages_carry_amounts_and_are_read_from_a_scan(tmp_path, trapping):
    stranger, setup, _ = trapping
    target = ink_target(300, lambda places: setup.laid(setup.limited(places)))
    assert target.inks is not None
    assert target.inks.sum(axis=1).max() <= setup.total + 0.002
    kept = from_table(read(_written(tmp_path / "t.txt", target)), "t.txt")
    assert kept.digest == target.digest
    assert np.abs(kept.inks - target.inks).max() < 1e-6
    page = draw_page(target, 0, "", 150)
    assert page.shape[2] == 4
    # Printed by the stranger, and seen by a scanner that is no colorimeter.
    flat = np.unique(page.reshape(-1, 4), axis=0, return_inverse=True)
    seen = np.clip(inked.xyz(stranger, flat[0] / 65535) / [0.97, 1, 0.83], 0, 1) ** (1 / 2.2)
    scan = np.round(seen[flat[1].ravel()] * 65535).astype(np.uint16).reshape(page.shape[:2] + (3,))
    reading = read_scan(np.pad(np.rot90(scan), ((40, 20), (30, 50), (0, 0)), constant_values=60000), target)
    on_page = target.on_page(reading.page)
    expected = np.clip(inked.xyz(stranger, target.inks[on_page]) / [0.97, 1, 0.83], 0, 1) ** (1 / 2.2)
    assert np.abs(reading.rgb - expected).max() < 0.02
    # Other formats carry the amounts as well.
    found = read_any(measurements(tmp_path, target, inked.lab(stranger, target.inks), "m.txt"))
    write_measurement(tmp_path / "m.cxf", found, "inks")
    assert np.abs(read_measurement(tmp_path / "m.cxf").inks - target.inks).max() < 1e-5
    rows = [f"A{i};{c};{m};{y};{k};50;1;{i}" for i, (c, m, y, k) in enumerate((target.inks[:5] * 100).round(2))]
    (tmp_path / "m.csv").write_text("\n".join(["id;C;M;Y;K;L*;a*;b*", *rows]))
    assert np.abs(read_any(tmp_path / "m.csv").inks - target.inks[:5]).max() < 1e-4


def _written(path, chart):
    from fidele.chart.definition import to_table

    write(path, to_table(chart))
    return path


def fidele(*words: str):
    done = CliRunner().invoke(cli, list(words))
    return done.exit_code, done.output + str(done.exception or "")


@pytest.mark.usefixtures("quick_tables")
def test_from_a_shell_to_a_profile_by_which_littlecms_prints_what_is_asked(tmp_path):
    """What LittleCMS makes of colours is printed by the stranger's own physics."""
    stranger = seal.stranger(seal.INKS, "yellowish", 1)
    out = tmp_path / "pages"
    assert fidele("chart", "inks", "--out", str(out))[0] == 0
    ramps = from_table(read(out / "ink-ramps.txt"), "ramps")
    with tifffile.TiffFile(out / "ink-ramps.tif") as file:  # numbers, to be printed as they are
        assert (file.pages[0].photometric.name, 34675 in file.pages[0].tags) == ("SEPARATED", False)
        page = file.asarray()
    at = np.round(ramps.centres(0) * 300 / 25.4).astype(int)
    assert np.abs(page[at[:, 1], at[:, 0]] / 65535 - ramps.inks).max() < 1e-4
    first = measurements(tmp_path, ramps, inked.measured(stranger, ramps.inks, 0.1, 1), "ramps.txt", amounts=False)
    code, said = fidele("chart", "inks", "--out", str(out), "--ramps", str(first), "--patches", "300", "--pdf")
    assert (code, "no darker above" in said) == (0, True), said
    target = from_table(read(out / "ink-target.txt"), "target")
    Lab = inked.measured(stranger, target.inks, 0.1, 2)
    wild = int(np.argsort(target.inks.sum(axis=1))[100])
    Lab[wild] += [9, -14, 12]
    second = measurements(tmp_path, target, Lab, "target.txt")
    made = tmp_path / "inks.icc"
    words = ["profile", "make", str(first), str(second), "--out", str(made), "--ink-limit", "250", "--json"]
    code, said = fidele(*words)
    assert code == 0, said
    told = json.loads(said[: said.rindex("}") + 1])
    assert told["doubtful"] == [target.ids[wild]]
    assert told["inks"]["total"] == 2.5
    profile = Profile.open(made)
    assert profile.header.colour_space == "CMYK"
    assert not conformance(profile)
    setup = replace(inked.set_up(stranger, 0.1), total=2.5)
    amounts = setup.laid(setup.limited(np.random.default_rng(4).random((3000, 4))))
    wanted = inked.lab(stranger, amounts)
    inks = littlecms(wanted, LAB, profile, Intent.RELATIVE)
    off = delta_e_2000(inked.lab(stranger, inks), wanted)
    assert (off.mean() < 0.35, np.percentile(off, 99) < 2) == (True, True), (off.mean(), np.percentile(off, 99))
    assert inks.sum(axis=1).max() <= 2.5
    said = littlecms(amounts, profile, LAB, Intent.RELATIVE)
    assert delta_e_2000(said, wanted).mean() < 0.25
    back = littlecms(littlecms(said, LAB, profile, Intent.PERCEPTUAL), profile, LAB, Intent.PERCEPTUAL)
    assert delta_e_2000(back, said).mean() < 0.6
    greys = littlecms(np.array([[L, 0, 0] for L in range(100, 29, -5)], float), LAB, profile, Intent.RELATIVE)
    assert greys[0].max() < 0.004
    printed = inked.lab(stranger, greys)
    assert np.hypot(*printed[:, 1:].T).max() < 1.0
    assert (np.diff(printed[:, 0]) < -3).all()
    # What cannot be, in a sentence.
    mixed = tmp_path / "rgb.txt"
    rgb = InkSet().on_screen(target.inks)
    columns = {f"RGB_{c}": rgb[:, i] * 255 for i, c in enumerate("RGB")} | {
        f"LAB_{c}": Lab[:, i] for i, c in enumerate("LAB")
    }
    write(mixed, Table(target.ids, columns, {}))
    assert "one that takes inks" in fidele("profile", "make", str(second), str(mixed))[1]
    assert "of another kind of printer" in fidele("profile", "mend", str(made), str(mixed))[1]
    assert "100 to 400 %" in fidele("profile", "make", str(second), "--ink-limit", "900")[1]
    assert "200 to 2000" in fidele("chart", "inks", "--out", str(out), "--patches", "9000")[1]
    over = tmp_path / "over.txt"
    over.write_text(second.read_text().replace("100.0000", "140.0000"))
    assert "beyond 0 to 100 %" in fidele("profile", "make", str(over))[1]
    with pytest.raises(Exception, match="no ramp of"):
        setup_of(np.concatenate([np.zeros((1, 4)), np.random.default_rng(0).random((200, 4))]), np.zeros((201, 3)))
    assert list(tmp_path.glob("*.icc")) == [made]


def test_at_the_desk_from_ramps_to_a_profile_on_the_shelf(window, qtbot, tmp_path, trapping, monkeypatch):
    monkeypatch.setattr("fidele.characterise.own_inks.SIZES", {4: Sizes(9, 5, 17, 9, 9)})  # a quick one
    stranger, setup, (_, inks, Lab) = trapping
    go(window, "Ink profile")
    desk = window.desks.ink
    desk.write_into("ramps", tmp_path)
    settle(window, qtbot)
    ramps = from_table(read(tmp_path / "ink-ramps.txt"), "ramps")
    assert ramps.digest == ramp_page().digest
    drop(window, measurements(tmp_path, ramps, inked.measured(stranger, ramps.inks, 0.1, 1), "ramps.txt", False))
    settle(window, qtbot)
    assert "useful up to 100 %" in desk.ramps.accessibleDescription()
    assert f"{100 * desk.inks.setup().total:.0f} %" in desk.total.accessibleDescription()
    chart = ink_target(300, lambda places: setup.laid(setup.limited(places)))
    assert np.array_equal(chart.inks, inks)
    drop(window, measurements(tmp_path, chart, Lab, "target.txt"))
    assert comes(lambda: window.work.title == "Fitting the target")
    keys(window, Qt.Key.Key_Escape)  # stopped on the way, it is said, and can be begun again
    settle(window, qtbot)
    assert (desk.inks.fitted, desk.state.text()) == (None, "The target could not be fitted.")
    click(desk, "Fit it again")
    settle(window, qtbot)
    assert desk.inks.fitted is not None
    assert not desk.fit.isVisible()
    assert any("Off by a mean" in one.text() for one in desk.findChildren(QLabel))
    before = desk.greys.accessibleDescription()
    desk.black.setValue(100)
    settle(window, qtbot)
    assert desk.greys.accessibleDescription() != before
    click(window, "Undo")
    settle(window, qtbot)
    assert (desk.black.value(), desk.greys.accessibleDescription()) == (50, before)
    desk.name.setText("Drum on canvas")
    desk.name.editingFinished.emit()
    rows = len(window.session.profiles.rows())
    click(desk, "Make it and put it on the shelf")
    settle(window, qtbot)
    assert len(window.session.profiles.rows()) == rows + 1
    assert any(row.title == "Drum on canvas" for row in window.session.profiles.rows())
    # The work keeps itself; a picture, or another printer's numbers, are no measurements of it.
    assert desk.inks.work.ramps
    (tmp_path / "x.txt").write_text("SAMPLE_ID\tLAB_L\tLAB_A\tLAB_B\nA1\t50\t0\t0\nA2\t60\t0\t0\n")
    desk.take_file(tmp_path / "x.txt")
    settle(window, qtbot)
    assert "states no amounts of ink" in window.foot.said.text()
    click(desk, "Another printer")
    assert not desk.inks.work.ramps
    click(window, "Undo")
    assert desk.inks.work.ramps
