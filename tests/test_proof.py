"""The proof and its losses against brute force and against LittleCMS called directly."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from lcms import LAB, compensated, littlecms

from fidele.colour.cie import D50, lab_to_xyz, xyz_to_lab
from fidele.colour.difference import delta_e_2000
from fidele.demo.pictures import flags
from fidele.errors import FideleError
from fidele.icc.profile import Profile
from fidele.icc.spaces import oprgb, srgb
from fidele.icc.tables import device_to_pcs_lab, pcs_lab_to_device
from fidele.icc.transform import Intent, as_float, convert, to_lab
from fidele.proof.gamut import distance_to_gamut
from fidele.proof.losses import losses, losses_of_each, shift_in_words, wanted_and_printed
from fidele.proof.nearest import nearest_printable, verdict
from fidele.proof.soft import ProofLink, ProofSettings, soft_proof
from fidele.proof.typed import colour_written
from fidele.proof.where import LossMap


@pytest.mark.parametrize("paper_white", [False, True])
@pytest.mark.parametrize(
    ("intent", "bpc"), [(Intent.PERCEPTUAL, True), (Intent.RELATIVE, True), (Intent.RELATIVE, False)]
)
def test_proof_agrees_with_a_direct_chain(printer, photo, intent, bpc, paper_white):
    pixels = photo[::3, ::3]
    values = pixels / 65535
    black = littlecms(np.zeros((1, 3)), printer, LAB, Intent.RELATIVE)[0, 0]
    if intent is Intent.RELATIVE and bpc:
        device = compensated(values, srgb(), printer, black)
    else:
        device = littlecms(values, srgb(), printer, intent)
    Lab = littlecms(device, printer, LAB, Intent.ABSOLUTE if paper_white else Intent.RELATIVE)
    shown = np.clip(littlecms(Lab, LAB, srgb(), Intent.RELATIVE), 0, 1) * 255
    settings = ProofSettings(intent, bpc, paper_white=paper_white)
    proof = soft_proof(pixels, srgb(), printer, settings)
    assert proof.dtype == np.uint8
    assert np.abs(proof - shown).max() <= 0.51 + 0.02  # rounding, and single precision
    link = ProofLink(srgb(), printer, settings)(pixels)
    off = delta_e_2000(device_to_pcs_lab(srgb(), link / 255), device_to_pcs_lab(srgb(), shown / 255))
    assert off.mean() <= 0.3
    assert np.percentile(off, 99) <= 1.0


def test_paper_white_is_shown_only_when_asked_for(printer):
    white = np.full((1, 1, 3), 255, np.uint8)
    assert soft_proof(white, srgb(), printer, ProofSettings()).min() == 255
    tile = soft_proof(white, srgb(), printer, ProofSettings(paper_white=True))[0, 0]
    assert tile.max() < 245


def test_losses_agree_with_brute_force(printer):
    """Every pixel by itself, through our own evaluator of the tables, without LittleCMS."""
    rng = np.random.default_rng(0)
    palette = rng.integers(0, 256, (60, 3), dtype=np.uint8)
    pixels = palette[rng.integers(0, 60, (50, 70))]
    found = losses(pixels, srgb(), printer, ProofSettings(Intent.RELATIVE, bpc=False))
    wanted = device_to_pcs_lab(srgb(), pixels / 255)
    printed = device_to_pcs_lab(printer, pcs_lab_to_device(printer, wanted))
    off = delta_e_2000(wanted, printed)
    assert found.lost == pytest.approx((off > 2).mean(), abs=0.01)
    assert found.mean_de00 == pytest.approx(off.mean(), abs=0.02)
    assert found.p95_de00 == pytest.approx(np.percentile(off, 95), abs=0.5)
    # Out of gamut by exhaustive search: the nearest of a fine lattice of prints.
    axis = np.linspace(0, 1, 61)
    prints = device_to_pcs_lab(printer, np.stack(np.meshgrid(axis, axis, axis), axis=-1).reshape(-1, 3))
    nearest = np.array([delta_e_2000(Lab, prints).min() for Lab in device_to_pcs_lab(srgb(), palette / 255)])
    mine = distance_to_gamut(device_to_pcs_lab(srgb(), palette / 255), printer)
    clear = (nearest < 0.6) | (nearest > 1.5)  # a lattice cannot tell nearer than its own step
    assert ((mine > 1) == (nearest > 1))[clear].all()
    assert np.abs(mine - nearest)[clear].mean() < 0.5


def test_white_and_black_scaling_follow_the_definitions(printer):
    """With black point compensation, source black is wanted as the printed black; without, as L* 0."""
    black = np.zeros((8, 8, 3), np.uint8)
    scaled = losses(black, srgb(), printer, ProofSettings(Intent.RELATIVE, bpc=True))
    plain = losses(black, srgb(), printer, ProofSettings(Intent.RELATIVE, bpc=False))
    assert plain.groups[0].wanted_lab[0] == pytest.approx(0, abs=0.1)
    assert scaled.mean_de00 < 6 < plain.mean_de00
    assert plain.out_of_gamut == scaled.out_of_gamut == 1.0  # whatever the intent
    absolute = losses(np.full((4, 4, 3), 255, np.uint8), srgb(), printer, ProofSettings(Intent.ABSOLUTE))
    assert absolute.lost == 1.0  # the tile is not as white as the screen
    relative = losses(np.full((4, 4, 3), 255, np.uint8), srgb(), printer, ProofSettings(Intent.RELATIVE))
    assert relative.lost == 0.0


def test_groups_name_the_colours_that_die(printer):
    picture = np.full((100, 100, 3), 200, np.uint8)
    picture[:10] = (0, 222, 208)
    picture[10:13] = (104, 40, 250)
    found = losses(picture, srgb(), printer, ProofSettings(Intent.RELATIVE))
    lost = {round(g.area, 2): g for g in found.groups}
    assert lost[0.1].de00 > 3
    assert lost[0.03].de00 > 2
    Lab = device_to_pcs_lab(srgb(), np.array([0, 222, 208]) / 255)
    assert np.abs(np.array(lost[0.1].wanted_lab) - Lab)[1:].max() < 2
    assert "darker" in lost[0.1].words or "duller" in lost[0.1].words


def test_large_pictures_are_sampled_and_16_bit_is_understood(printer, photo):
    small = losses(photo, srgb(), printer, ProofSettings())
    large = losses(np.tile(photo, (4, 4, 1)), srgb(), printer, ProofSettings())
    eight = losses((photo >> 8).astype(np.uint8), srgb(), printer, ProofSettings())
    assert large.lost == pytest.approx(small.lost, abs=0.02)
    assert eight.lost == pytest.approx(small.lost, abs=0.02)
    wide = losses(photo, oprgb(), printer, ProofSettings())
    assert wide.out_of_gamut > small.out_of_gamut  # the same numbers mean more there
    ways = [ProofSettings(i) for i in Intent]
    assert [f.lost for f in losses_of_each(photo, srgb(), printer, ways)] == [
        losses(photo, srgb(), printer, w).lost for w in ways
    ]


@pytest.mark.parametrize(
    ("wanted", "printed", "words"),
    [
        ((50, 60, 0), (50, 29, 0), "duller by 31"),
        ((50, 60, 0), (54, 60, 0), "4 lighter"),
        ((50, 0, 60), (50, 15, 58), "redder by 15°"),
        ((50, 0, -60), (50, 12, -58.8), "redder by 12°"),
        ((50, -60, 0), (50, -58, -15), "bluer by 15°"),
        ((50, 40, 30), (50, 40, 30), "hardly shifted"),
        ((50, 1, 1), (38, -1, 1), "12 darker"),
    ],
)
def test_shifts_in_words(wanted, printed, words):
    assert words in shift_in_words(np.array(wanted, float), np.array(printed, float))


@pytest.mark.parametrize(
    ("typed", "Lab"),
    [
        ("lab:79,-46,-8", (79, -46, -8)),
        ("lab: 79, -46.5, -8", (79, -46.5, -8)),
        ("Lab 79,5 -46,2 -8,1", (79.5, -46.2, -8.1)),
        ("lab:79,5; -46,2; -8", (79.5, -46.2, -8)),
        ("lab:79,5, -46,2, -8,1", (79.5, -46.2, -8.1)),
        ("lab:79,5,-46,2,-8,1", None),  # whose is which comma?
        ("lab:79,5 -46,2", None),
        ("lab:100,5;0;0", None),
        ("255; 255; 255", (100, 0, 0)),
        ("255,255,255", (100, 0, 0)),
        ("255,0 255,0", None),
    ],
)
def test_colours_are_typed_with_comma_or_point(typed, Lab):
    if Lab is None:
        with pytest.raises(FideleError, match="is no "):
            colour_written(typed)
    else:
        np.testing.assert_allclose(colour_written(typed), Lab, atol=0.01)


def test_lab_of_white_is_the_media(printer):
    one = np.ones((1, 3), np.float32)
    assert np.abs(to_lab(one, printer) - [100, 0, 0]).max() < 0.02
    absolute = to_lab(one, printer, Intent.ABSOLUTE).astype(float)
    assert np.abs(absolute - xyz_to_lab(printer.xyz("wtpt"))).max() < 0.05
    assert np.allclose(lab_to_xyz([100, 0, 0]), D50)


def test_nearest_colours_are_as_near_as_an_exhaustive_search(printer):
    """Against all device values of a lattice of 97³, the profile evaluated in double precision by NumPy."""
    axis = np.linspace(0, 1, 97)
    nodes = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1).reshape(-1, 3)
    reached = device_to_pcs_lab(printer, nodes)
    hues = np.degrees(np.arctan2(reached[:, 2], reached[:, 1]))
    asked = [[60, 70, -60], [85, -80, 70], [50, 10, 10], [30, 40, -90], [95, 0, 40], [25, -45, 0]]
    for wanted in np.array(asked, float):
        least, hue, lightness = nearest_printable(wanted, printer)
        off = delta_e_2000(reached, np.broadcast_to(wanted, reached.shape))
        turn = (hues - np.degrees(np.arctan2(wanted[2], wanted[1])) + 180) % 360 - 180
        assert least.de00 <= off.min() + 0.1
        assert hue.de00 <= off[np.abs(turn) < 0.3].min() + 0.1
        assert lightness.de00 <= off[np.abs(reached[:, 0] - wanted[0]) < 0.05].min() + 0.1
        assert delta_e_2000(device_to_pcs_lab(printer, np.array(least.device)), wanted) == pytest.approx(
            least.de00, abs=0.1
        )
        assert verdict(least.de00) == ("holds" if off.min() <= 1 else "close" if off.min() <= 2 else "cannot be held")
        got = np.degrees(np.arctan2(hue.Lab[2], hue.Lab[1]) - np.arctan2(wanted[2], wanted[1]))
        assert abs((got + 180) % 360 - 180) < 0.5
        assert abs(lightness.Lab[0] - wanted[0]) < 0.1


def test_inks_can_print_what_they_print():
    """Of four inks too it is searched for: what can be printed is printable, what lies beyond is not."""
    inks = Profile.open(Path("/usr/share/color/icc/ghostscript/default_cmyk.icc"))
    printed = to_lab(np.random.default_rng(0).random((300, 4)).astype(np.float32), inks).astype(float)
    assert (distance_to_gamut(printed, inks) < 1).mean() > 0.99
    beyond = np.array([[50.0, 100, 0], [50, -100, 0], [30, 40, -100], [95, 0, 120]])
    assert distance_to_gamut(beyond, inks).min() > 3


@pytest.mark.parametrize("intent", [Intent.PERCEPTUAL, Intent.RELATIVE])
def test_the_map_shows_where_the_losses_are(printer, intent):
    """Pixel by pixel against the exact path; its shares against the list of losses."""
    pixels = np.rint(flags(300, 200) * 255).astype(np.uint8)
    settings = ProofSettings(intent, True)
    found = losses(pixels, srgb(), printer, settings)
    lost = LossMap(srgb(), printer, settings).lost(pixels)
    device = convert(as_float(pixels), srgb(), printer, intent, True)
    wanted, printed = wanted_and_printed(pixels, device, srgb(), printer, settings)
    off = delta_e_2000(wanted, printed)
    clear = np.abs(off - 2) > 0.3  # at the limit itself a table of 33³ may decide either way
    assert np.array_equal(lost[clear], off[clear] > 2)
    assert lost.mean() == pytest.approx(found.lost, abs=0.03)
    worst = found.groups[0]
    alone = LossMap(srgb(), printer, settings, group=worst)
    assert alone.lost(pixels).mean() == pytest.approx(worst.area, abs=0.02)
    shown = alone(pixels).astype(int)
    grey = np.ptp(shown, axis=2) <= 1
    assert grey[~alone.lost(pixels)].all()
    assert not grey[alone.lost(pixels)].all()
