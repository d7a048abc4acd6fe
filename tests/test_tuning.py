"""Corrections by hand do what they say and nothing else; pure colours stay pure."""

from __future__ import annotations

import json
from pathlib import Path

import colour
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fidele.artwork.convert import convert_artwork
from fidele.artwork.picture import Artwork, SourceSlip
from fidele.colour.cie import D50, lab_to_lch, lab_to_xyz, lch_to_lab
from fidele.colour.difference import delta_e_2000
from fidele.colour.oklab import lab_to_oklab, oklab_to_lab
from fidele.errors import FideleError
from fidele.icc.profile import Profile
from fidele.icc.spaces import lab, sgrey, srgb
from fidele.icc.transform import Intent, convert, from_lab, lab_codes, to_lab
from fidele.proof.gamut import distance_to_gamut
from fidele.proof.price import price_of
from fidele.proof.soft import ProofSettings, predicted_lab
from fidele.tuning.conversion import Conversion, device_values
from fidele.tuning.model import Region, Tuning, TuningStore, read_tuning
from fidele.tuning.tuner import Tuner, limits_of, tuned_lab


def colours(count=4000, seed=1):
    return np.random.default_rng(seed).random((count, 3)).astype(np.float32)


def test_oklab_agrees_with_colour_science():
    Lab = to_lab(colours(), srgb()).astype(float)
    matrix = colour.adaptation.matrix_chromatic_adaptation_VonKries(
        D50, colour.xy_to_XYZ([0.3127, 0.3290]), transform="Bradford"
    )
    wanted = colour.XYZ_to_Oklab(lab_to_xyz(Lab) @ matrix.T)
    assert np.abs(lab_to_oklab(Lab) - wanted).max() < 2e-4  # their matrices have fewer places
    assert np.abs(oklab_to_lab(lab_to_oklab(Lab)) - Lab).max() < 1e-8


def test_at_rest_nothing_changes(printer):
    values = colours()
    for tuning in (None, Tuning(), Tuning(name="x", regions=(Region(hue=30),), tone_hue=200)):
        how = Conversion(Intent.PERCEPTUAL, True, tuning)
        assert how.plain
        assert np.array_equal(
            device_values(values, srgb(), printer, how), convert(values, srgb(), printer, Intent.PERCEPTUAL, True)
        )


def test_chroma_lift_keeps_hue_lightness_greys_and_skin(printer):
    limits = limits_of(printer)
    Lab = to_lab(colours(), srgb()).astype(float)
    moved = tuned_lab(Lab, Tuning(lift=1.0), limits)
    ok, after = lab_to_oklab(Lab), lab_to_oklab(moved)
    assert np.abs(moved[:, 0] - Lab[:, 0]).max() < 1e-9
    coloured = np.hypot(ok[:, 1], ok[:, 2]) > 0.03
    turned = np.degrees(np.arctan2(after[:, 2], after[:, 1]) - np.arctan2(ok[:, 2], ok[:, 1]))
    turned = np.abs((turned + 180) % 360 - 180)[coloured]
    assert np.percentile(turned, 95) < 1.5
    greys = np.stack([np.linspace(5, 95, 19), np.zeros(19), np.zeros(19)], axis=1)
    assert np.abs(tuned_lab(greys, Tuning(lift=1.0), limits) - greys).max() < 0.1
    # What the printer held before it holds afterwards, and dull colours gain.
    held = distance_to_gamut(Lab, printer) < 0.5
    assert np.percentile(distance_to_gamut(moved[held], printer), 98) < 2.0
    gain = lab_to_lch(moved)[:, 1] - lab_to_lch(Lab)[:, 1]
    assert gain[held].mean() > 3
    assert gain.min() > -0.5
    skin = lch_to_lab(np.array([[65.0, 25, 52]]))
    cloth = lch_to_lab(np.array([[65.0, 25, 200]]))
    lifted = [lab_to_lch(tuned_lab(c, Tuning(lift=1.0), limits))[0, 1] - 25 for c in (skin, cloth)]
    assert abs(lifted[0]) < 0.5 < lifted[1]


@given(*[st.integers(-30, 30)] * 4)
@settings(max_examples=60, deadline=None)
def test_tone_curves_never_reverse(shadows, middle, lights, contrast):
    from fidele.tuning.tuner import _tones

    L = np.linspace(0, 100, 401)
    bent = _tones(Tuning(shadows=shadows, middle=middle, lights=lights, contrast=contrast))(L)
    assert (np.diff(bent) >= -1e-9).all()
    assert (bent[0], bent[-1]) == pytest.approx((0, 100), abs=1e-4)


def test_monochrome_is_neutral_on_the_piece(printer):
    picture = colours(500)
    how = Conversion(Intent.RELATIVE, False, Tuning(greys="neutral"))
    seen = predicted_lab(device_values(picture, srgb(), printer, how), printer, False)
    light = seen[:, 0] > 45  # below, the ink's own black is not neutral
    assert np.percentile(np.hypot(seen[light, 1], seen[light, 2]), 95) < 1.0
    toned = Conversion(Intent.RELATIVE, False, Tuning(greys="toned", tone_hue=70, tone_chroma=12))
    seen = lab_to_lch(predicted_lab(device_values(picture, srgb(), printer, toned), printer, False))
    middle = np.abs(seen[:, 0] - 55) < 15
    assert seen[middle, 1].mean() == pytest.approx(12, abs=1.5)
    assert seen[middle, 2].mean() == pytest.approx(70, abs=5)


def test_a_hue_region_moves_its_own_colours_alone(printer):
    limits = limits_of(printer)
    hues = np.arange(0, 360, 5.0)
    ring = lch_to_lab(np.stack([np.full(72, 55.0), np.full(72, 35.0), hues], axis=1))
    moved = tuned_lab(ring, Tuning(regions=(Region(hue=150, width=60, turn=10, chroma=-20, lightness=5),)), limits)
    shift = delta_e_2000(ring, moved)
    near = np.abs((hues - 150 + 180) % 360 - 180)
    assert shift[near < 8].min() > 4
    assert shift[near > 50].max() < 1e-6
    assert moved[near < 3, 0] == pytest.approx(60, abs=0.3)


def test_the_table_gives_what_each_colour_gives(printer):
    tuning = Tuning(lift=0.6, shadows=6, contrast=10, regions=(Region(hue=25, turn=8, chroma=15),))
    tuner = Tuner(tuning, srgb(), printer, Intent.PERCEPTUAL, True)
    values = colours(60_000)
    off = delta_e_2000(tuner(values).astype(float), tuner.exact(values).astype(float))
    assert off.mean() < 0.05
    assert np.percentile(off, 99) < 0.5


def test_a_tuned_file_is_the_tuned_colours_converted_once(printer, photo):
    """Against a chain of its own: tuned L*a*b* in float through LittleCMS, without our tables and codes."""
    tuning = Tuning(lift=0.5, middle=4)
    artwork = Artwork(Path("x"), photo, None, srgb(), SourceSlip("stated", "x"), 300.0)
    done = convert_artwork(artwork, printer, Conversion(Intent.RELATIVE, True, tuning))
    Lab = tuned_lab(to_lab(photo.reshape(-1, 3), srgb()).astype(float), tuning, limits_of(printer))
    wanted = convert(lab_codes(Lab.astype(np.float32)), lab(), printer, Intent.RELATIVE, True).reshape(photo.shape)
    off = delta_e_2000(
        to_lab(done.pixels, printer).astype(float).reshape(-1, 3), to_lab(wanted, printer).astype(float).reshape(-1, 3)
    )
    assert off.mean() < 0.1
    assert np.percentile(off, 99) < 0.6


def test_inks_keep_their_black_under_a_tuning(printer):
    inks = Profile.open(Path("/usr/share/color/icc/ghostscript/default_cmyk.icc"))
    black = np.array([[1.0, 1, 1, 1], [0, 0, 0, 0]], np.float32)
    plain = device_values(black, inks, printer, Conversion(Intent.RELATIVE, True))
    tuned = device_values(black, inks, printer, Conversion(Intent.RELATIVE, True, Tuning(lift=0.01)))
    # Four full inks are darker than the black that ISO 18619 starts from; a tuning begins at that black.
    assert delta_e_2000(to_lab(plain, printer), to_lab(tuned, printer)).max() < 2.5


@pytest.mark.parametrize("kind", [np.uint8, np.uint16])
def test_pure_black_and_white_stay_pure_without_a_fringe(printer, kind):
    top = np.iinfo(kind).max
    ramp = np.repeat(np.rint(np.linspace(0, top, 256)).astype(kind)[:, None], 3, axis=1)
    how = Conversion(Intent.PERCEPTUAL, True, None, "black")
    kept = device_values(ramp, srgb(), printer, how).astype(float) / top
    plain = device_values(ramp, srgb(), printer, Conversion(Intent.PERCEPTUAL, True)).astype(float) / top
    assert (kept[0] == 0).all()
    assert (kept[-1] == 1).all()
    light = to_lab(kept.astype(np.float32), printer)[:, 0]
    assert np.diff(light).min() > -0.35  # from full black to bare paper, never back
    assert np.abs(kept - plain)[60:240].max() == 0
    coloured = ramp.copy()
    coloured[:, 0] = top
    assert np.array_equal(
        device_values(coloured[:250], srgb(), printer, how),
        device_values(coloured[:250], srgb(), printer, Conversion(Intent.PERCEPTUAL, True)),
    )
    grey = device_values(ramp[:, :1], sgrey(), printer, how)
    assert (grey[0] == 0).all()
    assert (grey[-1] == top).all()
    corners = np.array([[top, 0, 0], [0, top, top], [top // 2, 0, 0]], kind)
    pure = device_values(corners, srgb(), printer, Conversion(Intent.PERCEPTUAL, True, None, "primaries"))
    assert np.array_equal(pure[:2], corners[:2])
    assert not np.array_equal(pure[2], corners[2])
    through_lab = lab_codes(np.array([[0.0, 0, 0], [100, 0, 0]]))
    assert device_values(through_lab, lab(), printer, how)[:, 0].tolist() == [0.0, 1.0]


def test_tunings_are_kept_and_bad_ones_refused(tmp_path):
    store = TuningStore(tmp_path / "tunings")
    made = Tuning(name="Dusk / warm", lift=0.3, regions=(Region(hue=60, turn=-5),))
    store.keep(made)
    assert store.all() == {"Dusk / warm": made}
    assert [p.parent for p in tmp_path.rglob("*.json")] == [tmp_path / "tunings"]
    with pytest.raises(FideleError, match="needs a name"):
        store.keep(Tuning())
    for text in ("{", json.dumps({"lift": 7}), json.dumps({"lfit": 0.5}), "[]", json.dumps({"shadows": "NaN"})):
        (tmp_path / "bad.json").write_text(text)
        with pytest.raises(FideleError, match="is no tuning") as refused:
            read_tuning(tmp_path / "bad.json")
        assert "\n" not in str(refused.value)
    (tmp_path / "tunings" / "bad.json").write_text("{")
    assert list(store.all()) == ["Dusk / warm"]
    store.forget("Dusk / warm")
    assert not store.all()


def test_the_price_says_who_gains_and_who_pays(printer):
    ring = lch_to_lab(
        np.stack([np.full(3600, 55.0), np.full(3600, 30.0), np.linspace(0, 360, 3600, endpoint=False)], axis=1)
    )
    pixels = np.clip(from_lab(ring.astype(np.float32), srgb()), 0, 1).reshape(60, 60, 3)
    pixels = np.rint(pixels * 65535).astype(np.uint16)
    before = ProofSettings(Intent.RELATIVE)
    regions = (Region(hue=25, width=50, chroma=40), Region(hue=265, width=50, chroma=-40))
    found = price_of(pixels, srgb(), printer, before, ProofSettings(Intent.RELATIVE, True, Tuning(regions=regions)))
    by = {f.name: f for f in found.families}
    assert by["reds"].chroma > 4
    assert by["blues"].chroma < -4
    assert abs(by["greens"].chroma) < 0.5
    assert "Reds gain" in found.words
    assert "blues lose" in found.words
    assert price_of(pixels, srgb(), printer, before, before).de00 == 0
