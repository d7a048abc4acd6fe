"""Verdicts and causes, against plain computations and against prints whose fault is known."""

from __future__ import annotations

import dataclasses
import warnings

import numpy as np
import pytest

from fidele.chart.family import control_chart
from fidele.chart.measurement import Measurement
from fidele.check.cause import Signs, find_cause, telling_patches
from fidele.check.inks import InkModel
from fidele.check.ramps import ramps_of
from fidele.check.statistics import TOLERANCES, compare, relative_to_white
from fidele.check.suspects import suspicions
from fidele.check.tolerance import Tolerance, kept_tolerances
from fidele.check.words import in_words
from fidele.colour.cie import lab_to_lch, lch_to_lab
from fidele.colour.words import hue_name
from fidele.errors import FideleError
from fidele.icc.transform import Intent
from tests.street.faults import Workshop, cases
from tests.street.judge import profile_of
from tests.street.kinds import made

with warnings.catch_warnings():
    warnings.simplefilter("ignore")
    import colour

EVERYDAY = TOLERANCES["everyday"]
D50_XY = np.array([0.3457, 0.3585])


def measured_as(ids, Lab) -> Measurement:
    return Measurement(tuple(ids), np.asarray(Lab, float))


def test_statistics_agree_with_a_plain_computation():
    rng = np.random.default_rng(0)
    wanted = rng.random((150, 3)) * [100, 120, 120] - [0, 60, 60]
    measured = wanted + rng.normal(0, 2, wanted.shape)
    off = np.sort(colour.delta_E(wanted, measured, method="CIE 2000"))
    found = compare(tuple(map(str, range(150))), wanted, measured, EVERYDAY)
    assert found.mean == pytest.approx(off.sum() / 150)
    assert found.median == pytest.approx((off[74] + off[75]) / 2)
    # The 95th percentile by linear interpolation between order statistics.
    assert found.p95 == pytest.approx(off[141] + (off[142] - off[141]) * (0.95 * 149 - 141))
    assert found.largest == pytest.approx(off[-1])
    assert found.de00[found.worst(5)].tolist() == pytest.approx(off[::-1][:5].tolist())


def test_both_limits_count():
    wanted = np.tile([[50.0, 0, 0]], (100, 1))
    ids = tuple(map(str, range(100)))
    near = compare(ids, wanted, wanted + [1.0, 0, 0], EVERYDAY)
    assert near.verdict == "pass"
    few = wanted.copy()
    few[:8, 0] += 12
    assert compare(ids, wanted, few, EVERYDAY).mean < EVERYDAY.mean
    assert compare(ids, wanted, few, EVERYDAY).verdict == "fail"
    assert compare(ids, wanted, wanted + [3.5, 0, 0], EVERYDAY).verdict == "fail"
    assert compare(ids, wanted, wanted + [3.5, 0, 0], TOLERANCES["fabric"]).verdict == "pass"


def off_by(Lab: np.ndarray, de00: float) -> np.ndarray:
    """A colour (3,) that is redder, off from another by a ΔE00."""
    far = np.linspace(0, 20, 20_001)[:, None] * [0, 1, 0] + Lab
    return far[np.abs(colour.delta_E(np.broadcast_to(Lab, far.shape), far, method="CIE 2000") - de00).argmin()]


@pytest.mark.parametrize(
    ("off", "passes"),
    [
        ({}, True),
        ({3: 5.6}, True),  # one grey alone: its measurement
        ({3: 5.6, 4: 5.3}, False),
        ({0: 5.6}, False),  # the black, the lightest grey and the media stand for themselves
        ({8: 5.6}, False),
        ({9: 5.6}, False),
        ({9: 4.8}, True),
        ({3: 10.5}, False),  # nor may a single patch be off by so much
    ],
)
def test_a_grey_alone_is_not_seen_but_a_white_is(off, passes):
    wanted = np.stack([[L, 0.0, 0.0] for L in (14, 24, 33, 42, 51, 60, 69, 78, 87, 99.9)])
    wanted = np.concatenate([wanted, [[50, 40, c] for c in range(-40, 41, 2)]])
    measured = wanted.copy()
    for row, de00 in off.items():
        measured[row] = off_by(wanted[row], de00)
    ids = tuple(f"N{n}" for n in range(len(wanted)))
    assert compare(ids, wanted, measured, EVERYDAY).passed is passes
    tinted, off_yellow = np.array([[88.0, -5, 90], *wanted[1:8]]), np.array([[88.0, -5, 70], *wanted[1:8]])
    assert not any("white" in said for said in compare(ids[:8], tinted, off_yellow, EVERYDAY).failures)


def test_files_are_matched_by_id_not_by_order():
    Lab = np.random.default_rng(1).random((5, 3)) * 50
    reference = tuple("abcde")
    assert np.allclose(measured_as("ecabd", Lab[[4, 2, 0, 1, 3]]).rows(reference).Lab, Lab)
    assert len(measured_as("abcdex", np.vstack([Lab, Lab[:1]])).rows(reference).ids) == 5
    with pytest.raises(FideleError, match="lacks 2 samples of the reference, 'b' first"):
        measured_as("acd", Lab[[0, 2, 3]]).rows(reference)
    with pytest.raises(FideleError, match="no sample in common"):
        measured_as("vwxyz", Lab).rows(reference)


def test_signed_differences_and_families_agree_with_colour_science():
    rng = np.random.default_rng(3)
    wanted = np.column_stack([rng.uniform(10, 96, 300), rng.normal(0, 35, (300, 2))])
    measured = wanted + rng.normal(0, 3, wanted.shape)
    c = compare(tuple(map(str, range(300))), wanted, measured, EVERYDAY)
    assert np.allclose(c.de76, colour.delta_E(wanted, measured, method="CIE 1976"))
    dL, dC, dH = c.signed.T
    # CIE 15: what lightness and chroma leave of the whole difference is hue; its sign is the turn's.
    assert np.allclose(dL**2 + dC**2 + dH**2, c.de76**2)
    LCh = [colour.models.Lab_to_LCHab(v) for v in (wanted, measured)]
    turn = (LCh[1][:, 2] - LCh[0][:, 2] + 180) % 360 - 180
    assert np.allclose(dC, LCh[1][:, 1] - LCh[0][:, 1])
    assert (np.sign(dH) == np.sign(turn)).all()
    for name, summary in c.by_family().items():
        member = c.de00[c.masks[name]]
        assert (summary.count, summary.mean, summary.largest) == (len(member), member.mean(), member.max())
    greys = c.masks["greys"]
    assert np.hypot(*wanted[greys, 1:].T).max() < 8
    out = rng.random(300) < 0.3
    parted = compare(c.ids, wanted, measured, EVERYDAY, (), out).by_family()
    assert parted["in gamut"].count + parted["out of gamut"].count == 300
    # Relative to the substrate: white becomes white, and a uniform tint of the paper is gone.
    paper = np.array([92.0, 1.0, -4.0])
    tinted = colour.XYZ_to_Lab(
        colour.Lab_to_XYZ(wanted, D50_XY) * colour.Lab_to_XYZ(paper, D50_XY) / colour.Lab_to_XYZ([100, 0, 0], D50_XY),
        D50_XY,
    )
    assert np.abs(relative_to_white(tinted, paper) - wanted).max() < 0.02


def test_tolerances_are_files_that_people_edit(tmp_path):
    folder = tmp_path / "tolerances"
    known, wrong = kept_tolerances(folder)
    assert set(known) == {"tight", "everyday", "fabric"}
    assert not wrong
    (folder / "ours.json").write_text('{"mean": 1, "p95": 2, "greys": 0.5, "source": "our customer"}')
    (folder / "bad.json").write_text('{"mean": -1}')
    (folder / "everyday.json").write_text('{"name": "everyday", "mean": 2.0, "p95": 4.5}')
    known, wrong = kept_tolerances(folder)
    assert known["ours"] == Tolerance("ours", 1, 2, greys=0.5, source="our customer")
    assert known["everyday"].mean == 2.0
    assert len(wrong) == 1
    assert "bad.json" in wrong[0]
    wanted = np.tile([[50.0, 0, 0]], (60, 1))
    ids = tuple(map(str, range(60)))
    assert compare(ids, wanted, wanted + [0.3, 0, 0], known["ours"]).passed
    assert not compare(ids, wanted, wanted + [0.8, 0, 0], known["ours"]).passed  # the greys are beyond theirs


def test_ramps_tell_lost_ends_and_reversals():
    tone = np.array([0, 2, 5, 8, 12, 20, 35, 50, 65, 80, 90, 95, 98, 100]) / 100
    rgb = np.repeat(1 - tone[:, None], 3, 1)
    wanted = np.column_stack([100 - 80 * tone, np.zeros((14, 2))])
    right = ramps_of(rgb, wanted, wanted)
    assert [r.name for r in right] == ["black"]
    assert right[0].words() == []
    gone = wanted.copy()
    gone[:4] = gone[0]
    assert "below 8 %" in " ".join(ramps_of(rgb, wanted, gone)[0].words())
    blocked = wanted.copy()
    blocked[-4:] = blocked[-1]
    assert "above 90 %" in " ".join(ramps_of(rgb, wanted, blocked)[0].words())
    back = wanted.copy()
    back[7, 0] += 15
    assert "turns back at 50 %" in " ".join(ramps_of(rgb, wanted, back)[0].words())
    steps = right[0].steps
    assert np.allclose(steps[0], colour.delta_E(wanted[:-1], wanted[1:], method="CIE 2000"))


def suspects(printer, driver=None):
    return suspicions(control_chart().rgb, printer, Intent.PERCEPTUAL, True, driver)


def bent(device):
    """Some driver's correction: lifts the middle and turns the channels a little."""
    mixed = device @ np.array([[0.9, 0.1, 0], [0, 0.9, 0.1], [0.1, 0, 0.9]])
    return np.clip(mixed, 0, 1) ** 0.8


def test_each_cause_is_found_from_noisy_measurements(printer):
    suspected = suspects(printer, bent)
    rng = np.random.default_rng(2)
    for code in ("right", "converted-twice", "twice-by-system", "not-converted", "driver-only", "wrong-source:opRGB"):
        Lab = suspected.Lab[code]
        found = find_cause(Lab + rng.normal(0, 0.6, Lab.shape) + [0.3, 0.2, -0.2], suspected, uncertainty=0.5)
        assert found.code == code
        assert 0.9 < sum(s.confidence for s in found.suspects) <= 1
        assert found.suspects[0].code == code
        assert found.margin > 1


def test_undecided_none_and_groups_are_answers(printer):
    suspected = suspects(printer)
    shuffled = np.random.default_rng(3).permutation(suspected.Lab["right"])
    lost = find_cause(shuffled, suspected, 0.5)
    assert (lost.code, lost.next_print) == ("none", "")
    # Two suspects that predict nearly the same form a group, and a right print in it is right.
    twin = dataclasses.replace(suspected, Lab=suspected.Lab | {"wrong-profile:x": suspected.Lab["right"] + [0.2, 0, 0]})
    found = find_cause(suspected.Lab["right"] + [0.15, 0, 0], twin, 0.5)
    assert found.code == "right"
    assert {"right", "wrong-profile:x"} <= set(found.group)
    # A scanner that tells less makes the verdict more careful.
    sharp, dull = (find_cause(suspected.Lab["right"], suspected, u).suspects[0].confidence for u in (0.2, 6.0))
    assert sharp > dull
    # What a tolerance lets pass is said.
    wide = find_cause(suspected.Lab["right"], twin, 0.5, Tolerance("wide", 50, 90))
    assert {"Converted twice, by the print system", "Not converted"} <= set(wide.unnoticed)


def test_faults_of_unknown_strength_are_measured(printer):
    suspected = suspects(printer)
    model = InkModel(suspected, 0.7, 1.0)
    for code, inks in (
        ("less-ink", [0.85, 0.85, 0.85, 0.85]),
        ("ink-weak:magenta", [1, 0.6, 1, 1]),
        ("ink-weak:yellow", [1, 1, 0.5, 1]),
    ):
        found = find_cause(model.printed(np.array(inks)), suspected, 0.3)
        assert found.code == code
        assert found.suspects[0].strength[0] == pytest.approx(min(inks), abs=0.06)
    slid = suspected.predict(np.clip(suspected.device, 0, 1) ** 0.75)
    assert find_cause(slid, suspected, 0.3).code == "by-hand"
    signs = [Signs(mirrored=True), Signs(scale=1.03), Signs(banding=0.03), Signs(order="upside down")]
    codes = [find_cause(suspected.Lab["right"], suspected, 0.3, EVERYDAY, s).code for s in signs]
    assert codes == ["mirrored", "scaled", "banding", "mixed-up"]


def test_damp_is_told_by_where_patches_are_pale(printer):
    """Dye that did not arrive in two spots: lighter device values through the profile, no model of inks of ours."""
    places = control_chart().centres(0)
    suspected = suspicions(control_chart().rgb, printer, Intent.PERCEPTUAL, True, places=places)
    spots = np.exp(-((places[:, None] - [[60, 80], [150, 200]]) ** 2).sum(axis=2) / (2 * 28.0**2))
    pale = np.clip(1 - 0.45 * spots.max(axis=1), 0, 1)[:, None]
    rng = np.random.default_rng(3)
    damp = suspected.predict(1 - (1 - suspected.device) * pale)
    assert find_cause(damp + rng.normal(0, 0.3, damp.shape), suspected, 0.3).code == "uneven"
    # As many pale patches anywhere on the page are no damp: nothing of them lies together.
    strewn = suspected.predict(1 - (1 - suspected.device) * rng.permutation(pale))
    assert find_cause(strewn + rng.normal(0, 0.3, strewn.shape), suspected, 0.3).code != "uneven"


def test_right_and_wrong_are_far_apart(printer):
    suspected = suspects(printer)
    for code in ("twice-by-system", "not-converted"):
        off = colour.delta_E(suspected.Lab["right"], suspected.Lab[code], method="CIE 2000")
        assert off.mean() > 4
        worst = telling_patches(suspected.Lab["right"], suspected.Lab[code], 5)
        assert off[worst].tolist() == pytest.approx(sorted(off, reverse=True)[:5], abs=1e-3)


def test_words_name_what_was_done_to_the_print():
    hues = np.arange(0, 360, 7.5)
    coloured = lch_to_lab(np.stack([np.full(48, 55.0), np.full(48, 50.0), hues], axis=1))
    greys = np.stack([np.linspace(10, 95, 12), np.zeros(12), np.zeros(12)], axis=1)
    wanted = np.vstack([coloured, greys])
    ids = tuple(map(str, range(len(wanted))))

    def words(measured):
        return " ".join(in_words(compare(ids, wanted, measured, EVERYDAY)))

    assert words(wanted) == ""
    blue = wanted.copy()
    blue[48:, 2] -= 5
    assert "Greys lean blue, 5.0 at the worst." in words(blue)
    weak = wanted.copy()
    weak[weak[:, 0] < 30, 0] += 9
    assert "Black is only L* 19; wanted 10." in words(weak)
    LCh = lab_to_lch(wanted)
    red = np.array([hue_name(h) == "red" for h in LCh[:, 2]]) & (LCh[:, 1] > 25)
    turned = LCh.copy()
    turned[red, 2] += 12
    assert "Reds turned 12° to orange." in words(lch_to_lab(turned))
    dull = LCh.copy()
    dull[red, 1] -= 15
    assert "Reds are duller by 15." in words(lch_to_lab(dull))


def test_what_units_and_scanners_differ_by_is_no_fault_within_the_limits():
    """A stranger's second unit, read by a scanner: it was called bent by hand, 'right in 98 of 100 cases'."""
    mine = made("dye", 1001)
    profile, _ = profile_of(mine)
    shop = Workshop(mine, profile, mine, profile, mine.again)
    drawn = cases(shop, np.random.default_rng([7, 1001, *b"dye"]))
    next(drawn)
    print_ = next(drawn)
    chart = control_chart()
    suspected = suspicions(chart.rgb, profile, Intent.RELATIVE, True, shop.driver, places=chart.centres(0))
    cause = find_cause(print_.Lab, suspected, print_.uncertainty)
    assert cause.suspects[0].code == "by-hand"
    assert cause.code == "right"
    assert cause.sure == 0.0  # how often that is true was never measured: nothing is claimed
    # The same shift three times as large is none that units differ by.
    right = suspected.Lab["right"]
    assert find_cause(right + 3 * (print_.Lab - right), suspected, print_.uncertainty).code != "right"
