"""The gamut as a solid, against the standards' figures, against formulas, and against counting."""

from __future__ import annotations

import numpy as np
import pytest
from known import PROFILES
from scipy.spatial import cKDTree

from fidele.colour.cie import D50
from fidele.errors import FideleError
from fidele.icc.compare import compare_profiles
from fidele.icc.profile import Profile
from fidele.icc.solid import Solid, overlap, solid_of
from fidele.icc.spaces import oprgb, sgrey, srgb
from fidele.icc.tables import device_to_pcs_lab, matrix_model


def lab_to_linear(profile: Profile, Lab: np.ndarray) -> np.ndarray:
    """Linear RGB of colours by the profile's own matrix, not cut off: within 0 to 1 means within the gamut."""
    f = np.stack([(Lab[:, 0] + 16) / 116] * 3, axis=1) + Lab[:, [1, 0, 2]] * [1 / 500, 0, -1 / 200]
    XYZ = np.where(f > 6 / 29, f**3, (f - 4 / 29) * 3 * (6 / 29) ** 2) * D50
    return XYZ @ np.linalg.inv(matrix_model(profile).matrix).T


def holds(profile: Profile, Lab: np.ndarray) -> np.ndarray:
    linear = lab_to_linear(profile, Lab)
    return ((linear >= 0) & (linear <= 1)).all(axis=1)


def somewhere(count: int) -> np.ndarray:
    """Colours anywhere in a box around all gamuts."""
    return np.random.default_rng(7).random((count, 3)) * [100, 240, 240] - [0, 120, 120]


def test_volumes_of_the_standard_spaces():
    for profile, wanted in ((srgb(), 832_700), (oprgb(), 1_208_900)):
        assert solid_of(profile).volume == pytest.approx(wanted, rel=0.01)
        # The same by counting random colours that the matrix holds.
        share = holds(profile, somewhere(600_000)).mean()
        assert share * 100 * 240 * 240 == pytest.approx(wanted, rel=0.015)


def test_the_surface_is_closed_and_wound_outward(printer):
    for profile in (srgb(), printer):
        solid = solid_of(profile)
        # Knots that lie in the same place are one; then every edge is walked once each way.
        _, same = np.unique(np.round(solid.net, 9), axis=0, return_inverse=True)
        triangles = same.reshape(-1)[solid.triangles]
        edges = np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]])
        there = {tuple(e) for e in edges.tolist()}
        assert len(there) == len(edges)
        assert all((b, a) in there for a, b in there)
        assert solid.volume > 0


def test_inside_and_cells_agree_with_the_matrix():
    points = somewhere(12_000)
    for profile in (srgb(), oprgb()):
        solid = solid_of(profile)
        assert (solid.inside(points) == holds(profile, points)).mean() > 0.996
        count = solid.cells().sum() * 8.0
        assert count == pytest.approx(solid.volume, rel=0.005)


def test_overlap_agrees_with_counting():
    points = somewhere(400_000)
    in_a, in_b = holds(srgb(), points), holds(oprgb(), points)
    found = overlap(solid_of(srgb()), solid_of(oprgb()))
    assert found.a_in_b == pytest.approx((in_a & in_b).sum() / in_a.sum(), abs=0.01)
    assert found.b_in_a == pytest.approx((in_a & in_b).sum() / in_b.sum(), abs=0.01)
    same = overlap(solid_of(srgb()), solid_of(srgb()))
    assert (same.a_in_b, same.b_in_a) == (1.0, 1.0)


def test_an_ink_gamut_holds_what_its_inks_reach_and_nothing_else():
    """Four inks: many ways to one colour. Against all values of a fine lattice, in both directions."""
    (path,) = (p for p in PROFILES if p.name == "default_cmyk.icc")
    profile = Profile.open(path)
    solid = solid_of(profile)
    axis = np.linspace(0, 1, 28)
    inks = np.stack(np.meshgrid(axis, axis, axis, axis, indexing="ij"), axis=-1).reshape(-1, 4)
    reached = np.concatenate([device_to_pcs_lab(profile, part) for part in np.array_split(inks, 8)])
    # Pulled towards the middle by a little, everything that the inks reach lies inside.
    inward = solid.vertices.mean(axis=0) - reached
    pulled = reached + 1.2 * inward / np.linalg.norm(inward, axis=1, keepdims=True)
    assert solid.inside(pulled[:: len(pulled) // 5000]).mean() > 0.995
    # And no colour inside is far from one that the inks reach.
    points = somewhere(20_000)
    distance, _ = cKDTree(reached).query(points[solid.inside(points)])
    assert len(distance) > 1000
    assert distance.max() < 2.5
    assert np.percentile(distance, 99) < 1.8


def test_a_slice_is_the_edge_of_what_is_inside(printer):
    solid = solid_of(printer)
    for lightness in (25.0, 50.0, 80.0):
        segments = solid.slice_at(lightness)
        middle = segments.mean(axis=1)
        outward = middle / np.linalg.norm(middle, axis=1, keepdims=True)
        level = np.full((len(middle), 1), lightness)
        assert solid.inside(np.hstack([level, middle - 0.3 * outward])).mean() > 0.9
        assert not solid.inside(np.hstack([level, middle + 0.3 * outward])).mean() > 0.1
        # Every end is the start of another piece: the line is closed.
        ends = np.round(segments.reshape(-1, 2), 6)
        _, counts = np.unique(ends, axis=0, return_counts=True)
        assert (counts % 2 == 0).mean() > 0.98


def test_a_ball_has_the_volume_of_a_ball():
    """The winding and the slices do not depend on where a surface comes from."""
    u, v = np.meshgrid(np.linspace(0, 2 * np.pi, 65)[:-1], np.linspace(0, np.pi, 49), indexing="ij")
    ball = np.stack([50 + 30 * np.cos(v), 10 + 30 * np.sin(v) * np.cos(u), 30 * np.sin(v) * np.sin(u)], axis=-1)
    index = np.arange(64 * 49).reshape(64, 49)
    p, q = index[:, :-1].ravel(), np.roll(index, -1, axis=0)[:, :-1].ravel()
    r, s = np.roll(index, -1, axis=0)[:, 1:].ravel(), index[:, 1:].ravel()
    faces = np.concatenate([np.stack([p, r, q], axis=1), np.stack([p, s, r], axis=1)])
    solid = Solid(ball.reshape(-1, 3), faces, np.stack([u, v], axis=-1).reshape(-1, 2))
    assert abs(solid.volume) == pytest.approx(4 / 3 * np.pi * 30**3, rel=0.01)
    points = somewhere(5000)
    distance = np.linalg.norm(points - [50, 10, 0], axis=1)
    clear = np.abs(distance - 30) > 0.5
    assert np.array_equal(solid.inside(points)[clear], distance[clear] < 30)
    cut = solid.slice_at(50.0)
    assert np.linalg.norm(cut - [10, 0], axis=2) == pytest.approx(30, abs=0.1)


def test_comparing_profiles(printer):
    found = compare_profiles(srgb(), oprgb())
    said = " ".join(found.sentences())
    assert "“sRGB" in said
    assert "832," in said
    assert found.same_values[0] > 1
    twin = compare_profiles(printer, printer)
    assert twin.same_content
    assert twin.document()["a"]["covered_by_other"] == 1.0
    assert twin.same_values == (0.0, 0.0)
    with pytest.raises(FideleError, match="no gamut that can be compared"):
        compare_profiles(sgrey(), srgb())
