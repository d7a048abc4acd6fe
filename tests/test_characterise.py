"""The demo's profile and scanner, made by our code from bench measurements, against the noiseless bench."""

from __future__ import annotations

import datetime

import numpy as np
import pytest

from fidele.bench import inks, wren
from fidele.bench.press import PressSettings, transferred
from fidele.bench.printer import Unit
from fidele.bench.separation import separate
from fidele.characterise.scanner import fit_scanner
from fidele.chart.cgats import parse
from fidele.chart.family import control_chart, target_chart
from fidele.chart.read import read_scan
from fidele.colour.cie import D50, xyz_to_lab
from fidele.colour.difference import delta_e_2000
from fidele.colour.spectra import spectra_to_xyz
from fidele.demo.prepare import demo_card
from fidele.devices.bench.bench import Bench
from fidele.errors import FideleError
from fidele.icc.transform import Intent, from_lab, to_lab
from fidele.run.chart_page import chart_artwork, chart_placing
from fidele.run.job import Job
from fidele.run.page import prepare_page
from fidele.store.scanners import ScannerRecord


def noiseless(device: np.ndarray) -> np.ndarray:
    """XYZ of device values on the demo's unit, stock and tile, straight from the physics."""
    unit = Unit.of("W-0417", 20260613)
    amounts = separate(device) * wren.STOCKS["Dull heavy"].load * unit.load * transferred(PressSettings())
    return spectra_to_xyz(inks.InkModel(inks.sublimation_densities(), inks.ceramic_tile(), unit.gain).spectra(amounts))


def test_profile_predicts_the_noiseless_bench(printer):
    held_out = np.random.default_rng(99).random((200, 3))
    truth = noiseless(held_out)
    absolute = to_lab(held_out, printer, Intent.ABSOLUTE).astype(float)
    off = delta_e_2000(absolute, xyz_to_lab(truth))
    assert off.mean() <= 1.0
    assert off.max() < 2.0
    # The colours were held out: none of them is in the target.
    assert np.abs(target_chart().rgb[:, None] - held_out).max(axis=2).min() > 1e-4
    white = noiseless(np.ones(3))
    assert delta_e_2000(xyz_to_lab(printer.xyz("wtpt")), xyz_to_lab(white)) < 0.3


def test_profile_was_made_from_measurements_with_noise(printer):
    table = parse(printer.raw("targ")[8:].rstrip(b"\0").decode(), "targ")
    assert len(table.ids) == 900
    off = delta_e_2000(table.Lab, xyz_to_lab(noiseless(table.RGB / 255)))
    assert 0.02 < off.mean() < 0.5  # an instrument's noise, and a print's grain


def test_colorimetric_table_gives_the_printable_colour(printer):
    """What B2A1 prints for printable colours is what was asked for, by the physics and not by the profile's word."""
    asked = np.random.default_rng(7).random((300, 3))
    white = noiseless(np.ones(3))
    wanted = xyz_to_lab(noiseless(asked) / white * D50)
    device = from_lab(wanted, printer, Intent.RELATIVE)
    printed = xyz_to_lab(noiseless(device.astype(float)) / white * D50)
    off = delta_e_2000(wanted, printed)
    assert off.mean() < 0.5
    assert np.percentile(off, 95) < 1.0


def test_scanner_is_characterised_and_says_how_well(demo, tmp_path):
    record = ScannerRecord.load(demo.data)
    assert 0 < record.residual_mean <= 0.7
    assert record.residual_p95 < 1.5
    # Again, from another seed of the page's place on the glass, on patches that the profile has not seen.
    workshop = Bench(tmp_path)
    card = demo_card(None)
    workshop.printers[0].bring(card)
    chart, device = control_chart(), workshop.printers[0]
    job = Job.of(chart_artwork(chart, 0, "bare"), chart_placing(chart, device.media("A4")), card, None, chart)
    sheet = device.print_page(prepare_page(job, device)).sheet
    piece = workshop.press.press(sheet, card.substrate, card.press)
    known = xyz_to_lab(spectra_to_xyz(workshop.instrument.measure(piece, chart.centres(0))))
    reading = read_scan(workshop.scanner.scan(piece, 77).pixels, chart)
    seen = to_lab(reading.rgb, record.profile()).astype(float)
    assert delta_e_2000(seen, known).mean() <= 0.7


def test_too_few_patches_are_refused():
    with pytest.raises(FideleError, match="at least 60 patches; the target gave 10"):
        fit_scanner(np.random.default_rng(0).random((10, 3)), np.zeros((10, 3)), "x", datetime.datetime(2026, 1, 1))


def test_an_outdated_demo_gives_way(tmp_path):
    from fidele.demo.prepare import clear_outdated

    for name in ("icc", "conditions", "mine"):
        (tmp_path / name).mkdir()
        (tmp_path / name / "x").write_text("")
    (tmp_path / "demo.json").write_text("{}")
    clear_outdated(tmp_path)
    assert [p.name for p in tmp_path.iterdir()] == ["mine"]


def test_the_demo_is_repeatable(demo, printer):
    """The drawn pictures and the profile's measurements carry the same bytes each time, on this machine."""
    from fidele.demo.pictures import flags, harbour

    assert np.array_equal(harbour(60, 40), harbour(60, 40))
    assert np.array_equal(flags(), flags())
    assert printer.header.created == (2026, 6, 13, 9, 0, 0)
