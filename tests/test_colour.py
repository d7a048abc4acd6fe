"""Colorimetry against published tables and an independent library."""

from __future__ import annotations

import warnings

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from fidele.colour.adaptation import adapt, media_relative
from fidele.colour.cie import D50, lab_to_lch, lab_to_xyz, lch_to_lab, xyz_to_lab
from fidele.colour.difference import delta_e_2000
from fidele.colour.spectra import spectra_to_xyz
from fidele.colour.uniform import lab_to_din99o
from fidele.colour.words import colour_name

with warnings.catch_warnings():
    warnings.simplefilter("ignore")
    import colour

#: Sharma, Wu and Dalal 2005, table 1: L1 a1 b1 L2 a2 b2 ΔE00.
PAIRS = np.array(
    """
50.0000 2.6772 -79.7751 50.0000 0.0000 -82.7485 2.0425
50.0000 3.1571 -77.2803 50.0000 0.0000 -82.7485 2.8615
50.0000 2.8361 -74.0200 50.0000 0.0000 -82.7485 3.4412
50.0000 -1.3802 -84.2814 50.0000 0.0000 -82.7485 1.0000
50.0000 -1.1848 -84.8006 50.0000 0.0000 -82.7485 1.0000
50.0000 -0.9009 -85.5211 50.0000 0.0000 -82.7485 1.0000
50.0000 0.0000 0.0000 50.0000 -1.0000 2.0000 2.3669
50.0000 -1.0000 2.0000 50.0000 0.0000 0.0000 2.3669
50.0000 2.4900 -0.0010 50.0000 -2.4900 0.0009 7.1792
50.0000 2.4900 -0.0010 50.0000 -2.4900 0.0010 7.1792
50.0000 2.4900 -0.0010 50.0000 -2.4900 0.0011 7.2195
50.0000 2.4900 -0.0010 50.0000 -2.4900 0.0012 7.2195
50.0000 -0.0010 2.4900 50.0000 0.0009 -2.4900 4.8045
50.0000 -0.0010 2.4900 50.0000 0.0010 -2.4900 4.8045
50.0000 -0.0010 2.4900 50.0000 0.0011 -2.4900 4.7461
50.0000 2.5000 0.0000 50.0000 0.0000 -2.5000 4.3065
50.0000 2.5000 0.0000 73.0000 25.0000 -18.0000 27.1492
50.0000 2.5000 0.0000 61.0000 -5.0000 29.0000 22.8977
50.0000 2.5000 0.0000 56.0000 -27.0000 -3.0000 31.9030
50.0000 2.5000 0.0000 58.0000 24.0000 15.0000 19.4535
50.0000 2.5000 0.0000 50.0000 3.1736 0.5854 1.0000
50.0000 2.5000 0.0000 50.0000 3.2972 0.0000 1.0000
50.0000 2.5000 0.0000 50.0000 1.8634 0.5757 1.0000
50.0000 2.5000 0.0000 50.0000 3.2592 0.3350 1.0000
60.2574 -34.0099 36.2677 60.4626 -34.1751 39.4387 1.2644
63.0109 -31.0961 -5.8663 62.8187 -29.7946 -4.0864 1.2630
61.2901 3.7196 -5.3901 61.4292 2.2480 -4.9620 1.8731
35.0831 -44.1164 3.7933 35.0232 -40.0716 1.5901 1.8645
22.7233 20.0904 -46.6940 23.0331 14.9730 -42.5619 2.0373
36.4612 47.8580 18.3852 36.2715 50.5065 21.2231 1.4146
90.8027 -2.0831 1.4410 91.1528 -1.6435 0.0447 1.4441
90.9257 -0.5406 -0.9208 88.6381 -0.8985 -0.7239 1.5381
6.7747 -0.2908 -2.4247 5.8714 -0.0985 -2.2286 0.6377
2.0776 0.0795 -1.1350 0.9033 -0.0636 -0.5514 0.9082
""".split(),
    dtype=float,
).reshape(-1, 7)

lab_values = st.tuples(st.floats(0, 100), st.floats(-120, 120), st.floats(-120, 120))


def test_de00_holds_the_published_pairs():
    assert len(PAIRS) == 34
    found = delta_e_2000(PAIRS[:, :3], PAIRS[:, 3:6])
    assert np.abs(found - PAIRS[:, 6]).max() <= 1e-4
    assert np.abs(delta_e_2000(PAIRS[:, 3:6], PAIRS[:, :3]) - found).max() < 1e-12


def test_de00_on_a_picture_agrees_with_an_independent_library():
    rng = np.random.default_rng(0)
    one = rng.random((700, 900, 3)) * [100, 200, 200] - [0, 100, 100]
    other = one + rng.normal(0, 8, one.shape)
    found = delta_e_2000(one, other)
    assert found.shape == (700, 900)
    rows = slice(0, 40)
    assert np.abs(found[rows] - colour.delta_E(one[rows], other[rows], method="CIE 2000")).max() < 1e-9
    single = delta_e_2000(one.astype(np.float32), other.astype(np.float32))
    assert single.dtype == np.float32
    assert np.abs(single - found).max() < 2e-3
    # One against many broadcasts.
    assert np.allclose(
        delta_e_2000(one[0, 0], other[0]), delta_e_2000(np.broadcast_to(one[0, 0], other[0].shape), other[0])
    )


def test_de00_of_opposite_hues_is_what_the_standard_says():
    """Where mean hue could be either of two, the standard names one; rounding must not choose."""
    rng = np.random.default_rng(4)
    one = np.round(rng.uniform(-60, 60, (3000, 3)))
    one[:, 0] = 50
    other = one * [1, -1, -1] * rng.choice([0.2, 0.5, 1, 2, 7], 3000)[:, None] ** [0, 1, 1]
    forth, back = delta_e_2000(one, other), delta_e_2000(other, one)
    assert np.abs(forth - back).max() < 1e-9
    exact = (one[:, 1] == 0) | (one[:, 2] == 0)  # elsewhere rounding chooses for the other library
    assert np.abs(forth - colour.delta_E(one, other, method="CIE 2000"))[exact].max() < 1e-9


@given(lab_values, lab_values)
@example((0.0, 10.0, 10.0), (0.0, -2.0, -2.0))
@example((0.0, 0.0, 4e-29), (0.0, 1.0, 3.0))  # nearly grey: its hue must not drown in what rounding leaves
@settings(max_examples=200, deadline=None)
def test_de00_is_a_distance_in_both_directions(one, other):
    forth, back = delta_e_2000(one, other), delta_e_2000(other, one)
    assert forth >= 0
    assert forth == pytest.approx(back, abs=1e-7)
    assert delta_e_2000(one, one) == 0


@given(lab_values)
@settings(max_examples=200, deadline=None)
def test_lab_lch_and_xyz_go_there_and_back(Lab):
    assert np.allclose(xyz_to_lab(lab_to_xyz(Lab)), Lab, atol=1e-9)
    assert np.allclose(lch_to_lab(lab_to_lch(Lab)), Lab, atol=1e-9)


def test_lab_and_adaptation_agree_with_an_independent_library():
    rng = np.random.default_rng(1)
    XYZ = rng.random((500, 3)) ** 3
    xy = np.array([D50[0], D50[1]]) / D50.sum()
    assert np.abs(xyz_to_lab(XYZ) - colour.XYZ_to_Lab(XYZ, xy)).max() < 2e-3
    d65 = np.array([0.95047, 1.0, 1.08883])
    theirs = colour.adaptation.chromatic_adaptation_VonKries(XYZ, d65, D50, transform="Bradford")
    assert np.abs(adapt(XYZ, d65, D50) - theirs).max() < 1e-4
    assert np.allclose(adapt(d65, d65, D50), D50)
    assert np.allclose(media_relative([0.8, 0.85, 0.7], [0.8, 0.85, 0.7], D50), D50)


def test_spectra_agree_with_astm_e308():
    rng = np.random.default_rng(2)
    cmfs, light = colour.MSDS_CMFS["CIE 1931 2 Degree Standard Observer"], colour.SDS_ILLUMINANTS["D50"]
    for _ in range(12):
        # Smooth reflectances, as inks have them.
        knots = rng.random(9) * 0.9
        reflectance = np.interp(np.arange(36), np.linspace(0, 35, 9), knots)
        reflectance = np.convolve(np.pad(reflectance, 3, "edge"), np.ones(7) / 7, "valid")
        sample = colour.SpectralDistribution(reflectance, np.arange(380, 731, 10))
        theirs = colour.sd_to_XYZ(sample, cmfs, light, method="ASTM E308") / 100
        assert delta_e_2000(xyz_to_lab(spectra_to_xyz(reflectance)), xyz_to_lab(theirs)) < 0.03
    assert np.abs(spectra_to_xyz(np.ones(36)) - D50).max() < 5e-4
    # Another sampling of the same reflectance gives the same colour.
    fine = np.interp(np.arange(380, 731, 5), np.arange(380, 731, 10), reflectance)
    assert np.abs(spectra_to_xyz(fine, step=5) - spectra_to_xyz(reflectance)).max() < 2e-3


def test_uniform_space_ranks_like_de00():
    rng = np.random.default_rng(3)
    one = rng.random((4000, 3)) * [90, 120, 120] - [-5, 60, 60]
    other = one + rng.normal(0, 2.0, one.shape)
    flat = np.linalg.norm(lab_to_din99o(one) - lab_to_din99o(other), axis=1)
    assert np.corrcoef(flat, delta_e_2000(one, other))[0, 1] > 0.9
    # DIN99b differs from DIN99o in the fourth figure of one factor only.
    theirs = colour.models.Lab_to_DIN99(one, method="DIN99b")
    assert np.abs(lab_to_din99o(one) - theirs).max() < 0.05


def test_colours_have_plain_names():
    for Lab, words in (
        ((50, 0, 0), "grey"),
        ((5, 1, 1), "black"),
        ((20, 2, -3), "dark grey"),
        ((80, -60, 40), "light strong green"),
        ((32, 79, -108), "dark strong violet"),
        ((60, 25, 12), "red"),
        ((53, 80, 67), "strong red"),
    ):
        assert colour_name(Lab) == words
