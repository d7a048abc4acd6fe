"""Verdicts and causes, against plain computations and against prints whose fault is known."""

from __future__ import annotations

import warnings

import numpy as np
import pytest

from fidele.chart.cgats import Table
from fidele.chart.family import control_chart
from fidele.check.cause import find_cause, predictions
from fidele.check.statistics import TOLERANCES, compare, compare_tables, in_words
from fidele.colour.cie import lab_to_lch, lch_to_lab
from fidele.colour.words import hue_name
from fidele.errors import FideleError
from fidele.icc.transform import Intent

with warnings.catch_warnings():
    warnings.simplefilter("ignore")
    import colour

EVERYDAY = TOLERANCES["everyday"]


def table(ids, Lab):
    return Table(tuple(ids), {f"LAB_{c}": np.asarray(Lab, float)[:, i] for i, c in enumerate("LAB")})


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


def test_files_are_matched_by_id_not_by_order():
    Lab = np.random.default_rng(1).random((5, 3)) * 50
    reference = table("abcde", Lab)
    assert compare_tables(reference, table("ecabd", Lab[[4, 2, 0, 1, 3]]), EVERYDAY).largest == 0
    assert len(compare_tables(reference, table("abcdex", np.vstack([Lab, Lab[:1]])), EVERYDAY).ids) == 5
    with pytest.raises(FideleError, match="lacks 2 samples of the reference, 'b' first"):
        compare_tables(reference, table("acd", Lab[[0, 2, 3]]), EVERYDAY)
    with pytest.raises(FideleError, match="no sample in common"):
        compare_tables(reference, table("vwxyz", Lab), EVERYDAY)


def suspects(printer, driver=None):
    return predictions(control_chart().rgb, printer, Intent.PERCEPTUAL, True, driver)


def bent(device):
    """Some driver's correction: lifts the middle and turns the channels a little."""
    mixed = device @ np.array([[0.9, 0.1, 0], [0, 0.9, 0.1], [0.1, 0, 0.9]])
    return np.clip(mixed, 0, 1) ** 0.8


def test_each_cause_is_found_from_noisy_measurements(printer):
    predicted = suspects(printer, bent)
    assert set(predicted) == {"right", "converted-twice", "not-converted", "driver-only"}
    rng = np.random.default_rng(2)
    for code, Lab in predicted.items():
        measured = Lab + rng.normal(0, 0.8, Lab.shape) + [0.5, 0.3, -0.4]
        found = find_cause(measured, predicted, uncertainty=0.5)
        assert found.code == code
        assert found.suspects[0].confidence > 0.9
        assert sum(s.confidence for s in found.suspects) == pytest.approx(1)
        assert [s.fit_de00 for s in found.suspects] == sorted(s.fit_de00 for s in found.suspects)


def test_undecided_and_none_are_answers(printer):
    predicted = suspects(printer)
    assert set(predicted) == {"right", "converted-twice", "not-converted"}
    shuffled = np.random.default_rng(3).permutation(predicted["right"])
    assert find_cause(shuffled, predicted, 0.5).code == "none"
    twin = {"right": predicted["right"], "converted-twice": predicted["right"] + [0.2, 0, 0]}
    assert find_cause(predicted["right"] + [0.1, 0, 0], twin, 0.5).code == "undecided"
    # A scanner that tells less makes the verdict more careful.
    sharp, dull = (find_cause(predicted["right"], predicted, u).suspects[0].confidence for u in (0.2, 6.0))
    assert sharp > dull


def test_right_and_wrong_are_far_apart(printer):
    predicted = suspects(printer)
    for code in ("converted-twice", "not-converted"):
        assert colour.delta_E(predicted["right"], predicted[code], method="CIE 2000").mean() > 4


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
