"""The simulated devices do what real ones do; here, and only here, their physics is looked at from inside."""

from __future__ import annotations

import dataclasses
import json

import numpy as np
import pytest

from fidele.bench import inks, wren
from fidele.bench.driver import Driver
from fidele.bench.press import Piece, PressSettings, press, transferred, unpressed
from fidele.bench.printer import FULL, Machine, Print, device_table
from fidele.bench.queue import PrintQueue
from fidele.bench.scanner import Scanner, response
from fidele.bench.separation import separate
from fidele.bench.spectrophotometer import Spectrophotometer
from fidele.colour.cie import xyz_to_lab
from fidele.colour.difference import delta_e_2000
from fidele.colour.spectra import spectra_to_xyz
from fidele.errors import FideleError
from fidele.icc.spaces import srgb
from fidele.icc.transform import Intent, convert
from fidele.tiles import CancelledError

BARE = {
    "Polish": "off",
    "Stock": "Dull heavy",
    "Passes": 3,
    "Carriage": "there",
    "Fit": "as it is",
    "Blend": "Untouched",
}
#: The machine as it is sold; the other tests print at half its resolution.
FULL_SIZE = dataclasses.replace(wren.MODEL, resolution=300)


@pytest.fixture
def machine(tmp_path):
    made = Machine(tmp_path, FULL_SIZE, "W-0417")
    for name, value in BARE.items():
        made.driver.change(name, value)
    return made


def tile_model(machine):
    return inks.InkModel(inks.sublimation_densities(), inks.ceramic_tile(), machine.unit.gain)


def test_whole_pages_agree_with_the_spectra(machine):
    model = tile_model(machine)
    amounts = np.random.default_rng(0).random((20_000, 4)) ** 1.5
    exact = xyz_to_lab(spectra_to_xyz(model.spectra(amounts)))
    page = model.page_table()(np.rint(amounts * FULL).astype(np.uint16)[None])[0]
    off = delta_e_2000(exact, xyz_to_lab(page))
    assert off.mean() < 0.03
    assert np.percentile(off, 99.5) < 0.1


def test_ink_obeys_its_limits_and_more_ink_is_darker(machine):
    rgb = np.random.default_rng(1).random((5000, 3))
    amounts = separate(rgb)
    assert amounts.min() >= 0
    assert amounts.sum(axis=1).max() <= 2.4 + 0.95
    model = tile_model(machine)
    ramp = np.linspace(0, 1, 40)[:, None] * np.ones(4)
    for ink in range(4):
        one = np.zeros((40, 4))
        one[:, ink] = ramp[:, ink]
        lightness = xyz_to_lab(spectra_to_xyz(model.spectra(one)))[:, 0]
        assert (np.diff(lightness) < 0).all()
    greys = spectra_to_xyz(model.spectra(separate(np.repeat(np.linspace(0, 1, 60)[:, None], 3, 1))))
    assert (np.diff(greys[:, 1]) > 0).all()


def test_the_driver_keeps_its_quirks(tmp_path):
    driver = Driver(tmp_path / "wren.json", wren.MODEL)
    assert driver.values()["Blend"] == "Velm natural"  # the maker's correction is on by default
    with pytest.raises(FideleError, match="does not offer 'Untouched'"):
        driver.change("Blend", "Untouched")
    driver.change("Polish", "off")
    driver.change("Blend", "Untouched")
    driver.change("Stock", "Dull heavy")
    assert driver.values()["Blend"] == "Velm natural"  # a change of stock brings it back
    with pytest.raises(FideleError, match="does not offer '1'"):
        driver.change("Passes", 1)  # not on heavy stock
    assert "Thrift" not in driver.read_back()
    with pytest.raises(FideleError, match="at the printer"):
        driver.change("Thrift", "on")
    driver.at_the_panel("Thrift", "on")
    assert driver.values()["Thrift"] == "on"
    driver.change("Blend", "Untouched")
    driver.change("Polish", "on")  # hides what was chosen
    assert driver.values()["Blend"] == "Velm natural"
    assert "mirror" not in " ".join(wren.SETTINGS).lower()


@pytest.mark.parametrize("content", ["", "[1, 2", '"text"', '{"Blend": "Nonsense", "Passes": "many"}'])
def test_a_damaged_settings_file_is_said_or_mended(tmp_path, content):
    driver = Driver(tmp_path / "wren.json", wren.MODEL)
    driver.path.write_text(content)
    if content.startswith("{"):
        assert driver.values()["Blend"] == "Velm natural"
    else:
        with pytest.raises(FideleError, match="damaged; reset the driver"):
            driver.values()
    driver.reset()
    assert driver.values() == wren.DEFAULTS


def test_the_correction_really_converts_and_settings_act_on_the_numbers(machine):
    rgb = np.random.default_rng(2).random((500, 3))
    values = machine.driver.values()

    def numbers_before_ink(rgb, values):
        return wren.effect(values).numbers(rgb)

    assert np.allclose(numbers_before_ink(rgb, values), rgb)
    corrected = numbers_before_ink(rgb, values | {"Blend": "Velm natural"})
    brighter = numbers_before_ink(rgb, values | {"Blend": "Velm bright"})
    assert np.abs(corrected - rgb).mean() > 0.05
    assert not np.allclose(corrected, brighter)
    for name, value in (("Polish", "on"), ("Light", 5), ("Strength", -5), ("Warmth", 5)):
        assert np.abs(numbers_before_ink(rgb, values | {name: value}) - rgb).mean() > 0.003, name
    # The maker means well: on a typical unit and its own panel, greys of sRGB come out nearly grey.
    table = device_table(wren.effect(values | {"Blend": "Velm natural"}), machine.unit)
    greys = table[range(0, 33, 4), range(0, 33, 4), range(0, 33, 4)].astype(float) * transferred(PressSettings())
    Lab = xyz_to_lab(spectra_to_xyz(tile_model(machine).spectra(greys)))
    assert np.hypot(Lab[:, 1], Lab[:, 2]).max() < 8


def test_a_page_is_placed_turned_and_scaled_as_the_driver_is_set(machine):
    page = np.full((3508, 2480, 3), 255, np.uint8)
    page[600:900, 400:1400] = 0
    sheet, receipt = machine.print_page(page)
    assert receipt["Blend"] == "Untouched"
    inked = np.argwhere(sheet.ink[..., 3] > FULL // 2)
    assert inked.min(axis=0).tolist() == [600, 400]
    assert inked.max(axis=0).tolist() == [899, 1399]
    for settings, where in (
        ({"Turn": "half"}, ([2608, 1080], [2907, 2079])),
        ({"Turn": "no", "Fit": "into the frame"}, None),
        ({"Fit": "over the edge"}, None),
    ):
        for name, value in settings.items():
            machine.driver.change(name, value)
        inked = np.argwhere(machine.print_page(page)[0].ink[..., 3] > FULL // 2)
        if where:
            assert (inked.min(axis=0).tolist(), inked.max(axis=0).tolist()) == where
        else:
            factor = {"into the frame": 0.971, "over the edge": 1.03}[settings["Fit"]]
            assert np.ptp(inked[:, 1]) / 999 == pytest.approx(factor, abs=0.003)
    machine.driver.change("Fit", "as it is")
    blank = np.zeros((3508, 2480, 3), np.uint8)
    ink = machine.print_page(blank)[0].ink
    assert ink[:35].max() == ink[-59:].max() == ink[:, :35].max() == ink[:, -35:].max() == 0  # margins stay bare
    with pytest.raises(CancelledError):
        machine.print_page(page, lambda share: False)
    with pytest.raises(FideleError, match="8-bit RGB"):
        machine.print_page(page.astype(np.uint16))


def test_prints_repeat_units_differ_and_are_kept_on_disk(machine, tmp_path):
    page = np.full((300, 200, 3), 90, np.uint8)
    one, _ = machine.print_page(page)
    again = Machine(tmp_path / "again", FULL_SIZE, "W-0417")
    for name, value in BARE.items():
        again.driver.change(name, value)
    assert np.array_equal(one.ink, again.print_page(page)[0].ink)
    other = Machine(tmp_path / "other", FULL_SIZE, "W-0418")
    assert not np.allclose(other.unit.load, machine.unit.load)
    assert np.abs(other.unit.load - 1).max() < 0.1
    one.save(tmp_path / "sheet.tif")
    back = Print.load(tmp_path / "sheet.tif")
    assert np.array_equal(back.ink, one.ink)
    assert back.paper == one.paper
    (tmp_path / "junk.tif").write_bytes(b"II*\0junk")
    with pytest.raises(FideleError, match="not a print of this bench"):
        Print.load(tmp_path / "junk.tif")


def test_pressing_moves_the_dye(machine):
    page = np.full((3508, 2480, 3), 255, np.uint8)
    page[800:2800, 400:1100] = (200, 30, 40)
    sheet, _ = machine.print_page(page)

    def seen(piece):
        return xyz_to_lab(Piece(piece.ink[::8, ::8].copy(), piece.ppi, piece.model).xyz())

    paper = unpressed(sheet, machine.unit)
    piece = press(sheet, machine.unit, "ceramic tile", PressSettings())
    # It lies mirrored on the piece, and only there it is bright.
    on_paper, on_piece = sheet.ink[..., 1].astype(int), piece.ink[..., 1].astype(int)
    column = np.argwhere(on_paper.max(axis=0) > FULL // 3).mean()
    assert np.argwhere(on_piece.max(axis=0) > FULL // 3).mean() == pytest.approx(on_paper.shape[1] - 1 - column, abs=3)
    chroma = [np.hypot(*seen(p)[200, 210, 1:] if p is piece else seen(p)[200, 90, 1:]) for p in (paper, piece)]
    assert chroma[1] > chroma[0] * 1.3
    weak = press(sheet, machine.unit, "ceramic tile", PressSettings(temperature=170, seconds=60))
    assert weak.ink.mean() < piece.ink.mean() * 0.8
    scorched = press(sheet, machine.unit, "ceramic tile", PressSettings(temperature=225, seconds=300))
    assert seen(scorched)[2, 2, 2] > seen(piece)[2, 2, 2] + 2  # yellowed
    cotton = press(sheet, machine.unit, "cotton", PressSettings())
    assert np.ptp(seen(cotton)[..., 0]) < 0.2 * np.ptp(seen(piece)[..., 0])
    for careless in (PressSettings(dried=False), PressSettings(dusted=False)):
        assert not np.array_equal(press(sheet, machine.unit, "ceramic tile", careless).ink, piece.ink)
    for bad in ("slate of the moon", None):
        with pytest.raises(FideleError):
            press(sheet, machine.unit, bad or "ceramic tile", PressSettings(temperature=900))


def flat_piece(machine, amounts, size=(700, 500)):
    ink = np.broadcast_to(np.rint(np.array(amounts) * FULL).astype(np.uint16), (*size, 4)).copy()
    return Piece(ink, 300, tile_model(machine))


def test_instruments_see_what_is_there(machine):
    piece = flat_piece(machine, (0.3, 0.1, 0.5, 0.05))
    exact = piece.model.spectra(np.array([0.3, 0.1, 0.5, 0.05]))
    measured = Spectrophotometer().measure(piece, [[20, 20], [25, 30], [20, 20]])
    assert measured.shape == (3, 36)
    off = delta_e_2000(xyz_to_lab(spectra_to_xyz(measured)), xyz_to_lab(spectra_to_xyz(exact)))
    assert 0 < off.max() < 0.4  # an instrument has noise, though little
    # The scanner's sensors are no linear mixture of the eye's: no matrix takes one to the other.
    from fidele.colour.spectra import _weights

    eye = _weights(380, 10, 36)
    fit, *_ = np.linalg.lstsq(response(), eye, rcond=None)
    assert np.abs(response() @ fit - eye).max() > 0.1 * eye.max()
    scan = Scanner().scan(piece, run=3)
    assert scan.dtype == np.uint16
    assert np.array_equal(scan, Scanner().scan(piece, run=3))
    assert not np.array_equal(scan.shape, Scanner().scan(piece, run=4).shape) or not np.array_equal(
        scan, Scanner().scan(piece, run=4)
    )


def test_the_queue_converts_for_every_program(tmp_path, profile_path, printer):
    queue = PrintQueue(tmp_path / "queue.json")
    page = np.random.default_rng(4).integers(0, 256, (40, 50, 3), dtype=np.uint8)
    assert queue.assigned is None
    assert np.array_equal(queue.passed_on(page), page)
    queue.assign(profile_path)
    assert PrintQueue(tmp_path / "queue.json").assigned == str(profile_path)
    assert np.array_equal(queue.passed_on(page), convert(page, srgb(), printer, Intent.PERCEPTUAL))
    (tmp_path / "queue.json").write_text(json.dumps([]))
    assert queue.assigned is None
