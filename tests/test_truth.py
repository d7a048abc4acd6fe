"""What our tables do to colours that can be printed and to those that cannot: the bench's printer, and a stranger."""

from __future__ import annotations

import datetime
from pathlib import Path

import numpy as np
import pytest
from lcms import LAB, littlecms

from fidele.characterise.detail import detail_of, lines
from fidele.characterise.inverse import Inverse
from fidele.characterise.mapping import Tint, mappings
from fidele.characterise.printer import Sizes, fit_printer, make_profile
from fidele.chart.cgats import parse
from fidele.colour.cie import lab_to_xyz
from fidele.colour.difference import delta_e_2000
from fidele.colour.oklab import lab_to_oklab, oklab_to_lab
from fidele.icc.blackpoint import blacks
from fidele.icc.profile import Profile
from fidele.icc.spaces import srgb
from fidele.icc.tables import device_to_pcs_lab
from fidele.icc.transform import Intent, convert, from_lab, to_lab
from fidele.proof.losses import losses
from fidele.proof.soft import ProofSettings
from tests.street import seal
from tests.street.judge import figures, profile_of
from tests.thorough import THOROUGH


@pytest.fixture(scope="module")
def foreign():
    """A printer whose black is a blue of chroma 15, ΔL* 12 below its darkest neutral: hues once turned by 16° there."""
    return profile_of(seal.stranger("true colour 4", "trapping", 202))[0]


@pytest.mark.parametrize("whose", ["bench", "stranger"])
def test_mappings_keep_what_can_be_printed_and_detail_of_what_cannot(request, whose):
    found = figures(request.getfixturevalue("printer" if whose == "bench" else "foreign"))
    assert found["perceptual move, mean"] <= 1.0
    assert found["perceptual move, 95th"] <= 2.5
    assert found["ramps: L* back, worst"] <= 0.2
    assert found["ramps: smallest step"] >= 0.1
    assert found["hue turned, degrees"] <= 3
    assert found["saturation, mean ΔE00"] > 2.5
    assert found["saturation, chroma kept"] > found["perceptual, chroma kept"] + 0.05
    assert found["A2B0∘B2A0, mean"] <= 0.5
    assert found["A2B1∘B2A1, mean"] <= 0.15
    assert found["gamt: printable flagged, share"] <= 0.02
    assert found["gamt: beyond 3 missed, share"] <= 0.02


def test_turquoise_that_can_be_printed_is_printed(printer):
    """sRGB 0,195,195 lies inside what the demo's printer holds."""
    rgb = np.array([[0, 195, 195]], np.uint8)
    wanted = to_lab(rgb, srgb())
    assert delta_e_2000(wanted, to_lab(convert(rgb, srgb(), printer, Intent.PERCEPTUAL), printer))[0] < 3


def test_what_is_lost_along_a_ramp_is_found():
    """Faults of known size, each put into lines that are printed as they are wanted."""
    known = lines(12, 32)
    sound = detail_of(known, known.Lab, known.Lab, 0.0)
    assert (sound.back, sound.turn, sound.short) == (0, 0, 0)
    assert sound.step == pytest.approx(1)
    # The tenth colour from black to blue, and those about it.
    start = np.flatnonzero(~known.joined)
    line = next(int(s) + 1 for s in start if known.Lab[s + 1, 0] < 1 and known.Lab[s + 33, 2] < -100)
    lower = known.Lab.copy()
    lower[line + 10, 0] = lower[line + 9, 0] - 0.7
    assert detail_of(known, known.Lab, lower, 0.0).back == pytest.approx(0.7)
    close = known.Lab.copy()
    close[line + 11] = close[line + 10] + 0.05 * (close[line + 11] - close[line + 10])
    assert detail_of(known, known.Lab, close, 0.0).step == pytest.approx(0.05, rel=0.1)
    turned = lab_to_oklab(known.Lab)
    angle = np.radians(5)
    turned[line + 20, 1:] = turned[line + 20, 1:] @ [[np.cos(angle), np.sin(angle)], [-np.sin(angle), np.cos(angle)]]
    found = detail_of(known, known.Lab, oklab_to_lab(turned), 0.0)
    assert found.turn == pytest.approx(5, abs=0.01)
    assert found.short > 0


def test_a_tinted_black_turns_no_hue_and_moves_no_colour_onto_another():
    """Greys take the tint, colours keep their hue; all comes back, and neighbours stay neighbours in order."""
    levels = np.linspace(0.3, 0.6, 40)
    tint = Tint(levels, np.linspace(1, 0, 40)[:, None] * [0.02, -0.035])
    rng = np.random.default_rng(5)
    ok = np.concatenate([rng.uniform(0.3, 0.6, (6000, 1)), rng.uniform(-0.15, 0.15, (6000, 2))], axis=1)
    put = tint.put(ok)
    assert np.abs(tint.taken(put) - ok).max() < 1e-6
    colour = np.hypot(*ok[:, 1:].T) > 0.04
    one, other = (np.arctan2(x[:, 2], x[:, 1])[colour] for x in (ok, put))
    assert np.abs(np.degrees(np.angle(np.exp(1j * (one - other))))).max() < 0.01
    grey = tint.put(np.array([[0.3, 0, 0], [0.45, 0, 0], [0.7, 0, 0]]))
    assert np.allclose(grey[:, 1:], [[0.02, -0.035], [0.01, -0.0175], [0, 0]], atol=1e-3)
    # By finite differences everywhere: whatever small triangle goes in comes out the same way round, and no sliver.
    corners = [tint.put(ok + np.array([0, *by])) for by in ((0, 0), (1e-6, 0), (0, 1e-6))]
    right, up = ((corner - corners[0])[:, 1:] / 1e-6 for corner in corners[1:])
    assert (right[:, 0] * up[:, 1] - right[:, 1] * up[:, 0]).min() > 0.5


def test_a_mapping_can_be_undone(printer):
    source = device_to_pcs_lab(srgb(), np.random.default_rng(8).random((3000, 3)))
    inverse = Inverse(lambda device: device_to_pcs_lab(printer, device))
    for mapping in mappings(inverse.model, inverse.printed):
        back = delta_e_2000(mapping.inverse(mapping.forward(source)), source)
        assert back.mean() < 0.02
        assert np.percentile(back, 99) < 0.1


@pytest.mark.skipif(not THOROUGH, reason="two profiles are made anew: ./run thorough")
def test_small_tables_cost_nothing_that_is_seen(printer):
    """A profile with the measurements of 1,500 patches goes into a PNG, and is as good as one of large tables."""
    rows = printer.raw("targ")
    assert len(printer.data) + len(rows) * 600 / 900 < 1_000_000
    table = parse(rows[8:].rstrip(b"\0").decode(), "targ")
    model = fit_printer(table.RGB / 255, lab_to_xyz(table.Lab))
    large = Profile.parse(make_profile(model, "large", datetime.datetime(2026, 1, 1), sizes=Sizes(33, 33, 33, 33, 33)))
    device = np.random.default_rng(1).random((4000, 3)).astype(np.float32)
    assert delta_e_2000(to_lab(device, large), to_lab(device, printer)).mean() < 0.05
    artwork = to_lab(np.random.default_rng(2).random((4000, 3)).astype(np.float32), srgb())
    for intent in (Intent.PERCEPTUAL, Intent.RELATIVE, Intent.SATURATION):
        printed = [to_lab(from_lab(artwork, profile, intent), large) for profile in (printer, large)]
        assert delta_e_2000(*printed).mean() < (0.25 if intent is Intent.SATURATION else 0.05)


def test_black_is_compensated_from_neutral_to_neutral(printer):
    """Greys stay grey however the printer's black is tinted, and the standard's estimate of black is found."""
    grey = np.repeat(np.linspace(0, 1, 101, dtype=np.float32)[:, None], 3, axis=1)
    done = to_lab(convert(grey, srgb(), printer, Intent.RELATIVE, True), printer)
    dark = np.hypot(*done[(done[:, 0] > 20) & (done[:, 0] < 40), 1:].T)
    assert dark.mean() < 0.3  # where neutrals begin to be printable; 1.5 with the tint kept
    assert np.hypot(*done[done[:, 0] > 25, 1:].T).max() < 0.3
    darkest = littlecms(np.zeros((1, 3)), printer, LAB, Intent.RELATIVE)[0]
    assert np.hypot(*darkest[1:]) > 2  # it is tinted
    _, level = blacks(srgb(), printer, 1, True)
    assert level == pytest.approx(((darkest[0] + 16) / 116) ** 3, rel=1e-3)


def test_black_agrees_with_a_littlecms_that_does_it_neutrally(printer, tmp_path):
    """libvips goes through the system's LittleCMS, an older one than ours: greys by greys, at 16 bit."""
    import pyvips

    (tmp_path / "printer.icc").write_bytes(printer.data)
    (tmp_path / "source.icc").write_bytes(srgb().data)
    codes = np.repeat(np.linspace(0, 65535, 200).astype(np.uint16)[:, None], 3, axis=1)
    image = pyvips.Image.new_from_memory(codes.tobytes(), len(codes), 1, 3, "ushort").copy(interpretation="rgb16")
    off = {}
    for bpc in (False, True):
        done = image.icc_transform(
            str(tmp_path / "printer.icc"),
            input_profile=str(tmp_path / "source.icc"),
            intent="relative",
            depth=16,
            black_point_compensation=bpc,
        )
        theirs = np.frombuffer(done.write_to_memory(), np.uint16).reshape(-1, 3)
        ours = convert(codes, srgb(), printer, Intent.RELATIVE, bpc)
        off[bpc] = delta_e_2000(to_lab(theirs, printer), to_lab(ours, printer)).mean()
    assert abs(off[True] - off[False]) < 0.02  # what remains is its 16-bit arithmetic


def test_where_compensation_is_forced_every_path_knows(printer):
    """Version 4 in perceptual scales black whether asked to or not; so does our perceptual table: losses are one."""
    forced = Profile.open(Path("/usr/share/color/icc/ghostscript/ps_cmyk.icc"))
    ramp = np.repeat(np.arange(0, 256, 3, dtype=np.uint8)[None, :, None], 3, axis=2)
    for target in (printer, forced):
        one, other = (losses(ramp, srgb(), target, ProofSettings(Intent.PERCEPTUAL, bpc)) for bpc in (True, False))
        assert one == other
    with_black, without = (losses(ramp, srgb(), printer, ProofSettings(Intent.RELATIVE, bpc)) for bpc in (True, False))
    assert with_black.lost < without.lost
