"""Two hundred damaged scans: every chart is read as it is without the damage, or refused with a reason."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from fidele.chart.code import PageCode
from fidele.chart.draw import draw_page
from fidele.chart.family import control_chart, made, quick_chart
from fidele.chart.patches import patch_values
from fidele.chart.read import HiddenMarksError, read_all, read_scan
from fidele.colour.difference import delta_e_2000
from fidele.errors import FideleError
from fidele.icc.spaces import srgb
from fidele.icc.transform import to_lab
from tests.thorough import part

PPI = 100
NOISE = np.random.default_rng(0).standard_normal((2700, 2700, 3), dtype=np.float32)


@pytest.fixture(scope="module")
def pages():
    """Charts as they lie on a perfect scanner, on a grey lid: kind, size of page, and the reading without damage."""
    made_of = []
    for chart in (control_chart(), quick_chart(), made("ramps", "A5", 7.0), made("quick", "tile 200 x 150", 16.0)):
        page = draw_page(chart, 0, "test", PPI)
        printed = np.clip(page * 0.9 + 3000, 0, 65535).astype(np.uint16)  # no print is as white as the lid, or black
        edge = round(0.7 * PPI)
        laid = cv2.copyMakeBorder(printed, edge, edge, edge, edge, cv2.BORDER_CONSTANT, value=(40000,) * 3)
        made_of.append((chart, laid, read_scan(laid, chart)))
    return made_of


def damaged(page: np.ndarray, rng: np.random.Generator, hard: bool) -> np.ndarray:
    """Return a scan (8 bit) of a page laid down anyhow, with what scanners and cameras do to it."""
    height, width = page.shape[:2]
    corners = np.array([[0, 0], [width, 0], [width, height], [0, height]], dtype=float)
    angle = np.radians(rng.uniform(-180, 180))
    turn = np.array([[np.cos(angle) + rng.uniform(-0.01, 0.01), -np.sin(angle)], [np.sin(angle), np.cos(angle)]])
    moved = (corners - corners.mean(axis=0)) @ turn.T
    moved *= 1 + rng.uniform(-0.03, 0.03, (1, 2)) * (corners / [width, height] - 0.5)
    moved -= moved.min(axis=0)
    size = np.ceil(moved.max(axis=0)).astype(int)
    matrix = cv2.getPerspectiveTransform(corners.astype(np.float32), moved.astype(np.float32))
    seen = cv2.warpPerspective(page, matrix, (int(size[0]), int(size[1])), borderValue=(40000,) * 3)
    light = cv2.pow(seen.astype(np.float32) / 65535, 2.2)
    y, x = np.ogrid[0 : 1 : seen.shape[0] * 1j, 0 : 1 : seen.shape[1] * 1j]
    light *= (1 - rng.uniform(0, 0.15) * (0.6 * (x - rng.random()) ** 2 + 0.4 * y))[..., None].astype(np.float32)
    for _ in range(60 if hard else 15):  # dust
        at = (int(rng.integers(0, size[0])), int(rng.integers(0, size[1])))
        cv2.circle(light, at, int(rng.integers(1, 3)), (0.01,) * 3 if rng.random() < 0.5 else (1.0,) * 3, -1)
    light = cv2.GaussianBlur(light, (0, 0), rng.uniform(0.3, 1.6 if hard else 0.9))
    down, across = rng.integers(0, 200, 2)
    noise = NOISE[down : down + seen.shape[0], across : across + seen.shape[1]]
    codes = cv2.pow(light, 1 / 2.2) * 255 + noise * rng.uniform(0, 6)
    eight = cv2.convertScaleAbs(np.maximum(codes, 0))
    if hard:
        _, squeezed = cv2.imencode(".jpg", eight, [cv2.IMWRITE_JPEG_QUALITY, int(rng.integers(75, 96))])
        eight = cv2.imdecode(squeezed, cv2.IMREAD_COLOR)
    return eight


def off(reading, wanted) -> np.ndarray:
    """Return ΔE00 of patch values with those of the undamaged scan, both taken for sRGB, at the same level of light."""
    level = np.median(reading.rgb[wanted.rgb > 0.3] / wanted.rgb[wanted.rgb > 0.3])
    pair = [to_lab(v.astype(np.float32), srgb()).astype(float) for v in (reading.rgb / level, wanted.rgb)]
    return delta_e_2000(*pair)


def hundred(pages, hard: bool, limit: float) -> None:
    """Read a hundred damaged scans, or a part of them."""
    rng = np.random.default_rng(20 + hard)
    far, refused = [], 0
    for number in range(part(100, 24)):
        chart, page, whole = pages[(1, 2, 1, 3, 1, 3, 2, 0)[number % 8]]  # the large page once in eight
        scan = damaged(page, rng, hard)
        mirrored = rng.random() < 0.15
        if mirrored:
            scan = np.ascontiguousarray(scan[:, ::-1])
        try:
            reading = read_scan(scan, chart)
        except FideleError as error:
            assert "mark" in str(error)  # a reason
            refused += 1
            continue
        assert reading.mirrored == mirrored
        assert reading.page == 0
        assert reading.code is None or reading.code.digest == chart.digest
        far.append(off(reading, whole))
    assert refused <= 3
    assert np.percentile(np.concatenate(far), 95) < limit
    # Never read wrongly: no single page is far off.
    assert max(float(np.median(f)) for f in far) < 1.5 * limit


# Classes, so that the two run beside each other.
class TestMildDamage:
    def test_a_hundred_scans_are_read_within_half_a_step(self, pages):
        hundred(pages, hard=False, limit=0.5)


class TestHardDamage:
    def test_a_hundred_scans_are_read_within_a_step(self, pages):
        hundred(pages, hard=True, limit=1.0)


def test_what_else_lies_on_the_glass(pages):
    chart, page, whole = pages[1]
    other, tile, _ = pages[3]
    # Two prints of one chart, one of them upside down, and a page of another chart: all are read on one scan.
    glass = np.full((3800, 2700, 3), 30000, np.uint16)
    glass[: page.shape[0], : page.shape[1]] = page
    glass[: page.shape[0], page.shape[1] + 40 :][: page.shape[0], : page.shape[1]] = page[::-1, ::-1]
    glass[page.shape[0] + 50 :][: tile.shape[0], : tile.shape[1]] = tile
    found, refused = read_all(glass, [chart, other])
    assert [c.layout.page for c, _ in found] == [chart.layout.page, chart.layout.page, other.layout.page]
    assert not refused
    assert all(np.allclose(r.rgb, whole.rgb, atol=6e-3) for _, r in found[:2])
    assert abs(abs(found[1][1].turned) - 180) < 1
    found, refused = read_all(glass, [chart])
    assert len(found) == 2
    assert len(refused) == 1


def test_a_person_can_place_the_corners(pages):
    chart, page, whole = pages[1]
    torn = page.copy()
    for corners in chart.layout.mark_corners()[:3]:
        x0, y0 = (corners[0] / 25.4 * PPI + round(0.7 * PPI)).astype(int)
        torn[y0 - 4 : y0 + round(15 / 25.4 * PPI), x0 - 4 : x0 + round(15 / 25.4 * PPI)] = 58000
    with pytest.raises(HiddenMarksError, match="place its corners by hand"):
        read_scan(torn, chart)
    placed = chart.layout.outer_corners() / 25.4 * PPI + round(0.7 * PPI)
    for turn in range(4):
        reading = read_scan(torn, chart, np.roll(placed, turn, axis=0) + [1.5, -1.0])
        assert np.percentile(off(reading, whole), 95) < 0.5
        assert not reading.mirrored
    flipped = np.ascontiguousarray(torn[:, ::-1])
    mirrored = read_scan(flipped, chart, placed * [-1, 1] + [torn.shape[1] - 1, 0])
    assert mirrored.mirrored
    with pytest.raises(FideleError, match="does not look like this chart"):
        read_scan(np.ascontiguousarray(np.random.default_rng(0).permutation(torn)), chart, placed)


def test_a_page_says_what_it_is_and_another_version_is_refused():
    chart = control_chart()
    code = PageCode(chart.digest, 0, 417, "a1b2", "261125", converts=False)
    page = draw_page(chart, 0, "x", 150, code)
    assert read_scan(page, chart).code == code
    newer = made("control", scrambled=False, page="A4", patch=13.0)
    drawn = draw_page(newer, 0, "x", 150)
    with pytest.raises(FideleError, match="another version of it"):
        read_scan(drawn, control_chart())
    # Where the code cannot be read, the patches tell.
    x0, y0, x1, y1 = (round(v / 25.4 * 150) for v in newer.layout.code_box())
    drawn[y0:y1, x0:x1] = 65535
    with pytest.raises(FideleError, match="do not follow its values"):
        read_scan(drawn, control_chart())


def test_stripes_are_told_from_grain():
    chart = quick_chart()
    page = draw_page(chart, 0, "x", 150).astype(float) / 65535
    rng = np.random.default_rng(0)
    grain = np.clip(page + rng.normal(0, 0.02, page.shape), 0, 1)
    rows = 1 + 0.02 * np.sign(np.sin(np.arange(len(page)) / 150 * 25.4 * 2 * np.pi / 9))
    both = [
        read_scan((p * 60000).astype(np.uint16), chart).banding
        for p in (grain, np.clip(grain * rows[:, None, None], 0, 1))
    ]
    assert both[0] < 0.006
    assert both[1] > 0.02


def test_a_coarse_scan_is_read_or_refused(pages):
    chart, page, whole = pages[0]
    for ppi in (72, 50, 30):
        small = cv2.resize(page, None, fx=ppi / PPI, fy=ppi / PPI, interpolation=cv2.INTER_AREA)
        try:
            reading = read_scan(small, chart)
        except FideleError as error:
            assert "mark" in str(error) or "too small" in str(error)
            assert ppi < 72
            continue
        assert np.percentile(off(reading, whole), 95) < 1.0


def test_outlines_beyond_the_scan_take_what_is_there_or_are_refused():
    """Corners may be placed anywhere: neither memory nor what lies beside the scan is touched for them."""
    scan = np.full((100, 120, 3), 51, np.uint8)
    square = np.array([[0, 0], [1, 0], [1, 1], [0, 1]], float)
    for outline in (square * 1e9 - 5e8, square * 40 - 20, square[::-1] * 40 + [100, 80]):
        mean, spread, clipped = patch_values(scan, outline[None], 255.0)
        assert np.allclose(mean, 0.2)
        assert (spread.max(), clipped.any()) == (0, False)
    for outline in (square * 40 + 1e7, square + 5, square * np.nan):
        with pytest.raises(FideleError, match=r"scan the whole page|at a higher resolution"):
            patch_values(scan, outline[None], 255.0)
