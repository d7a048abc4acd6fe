"""Charts: drawn, found on scans however they lie, measured, and never read wrongly; CGATS files."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fidele.chart.cgats import Table, dump, parse, read, write
from fidele.chart.definition import from_table, to_table
from fidele.chart.draw import draw_page
from fidele.chart.family import KINDS, control_chart, made, target_chart
from fidele.chart.layout import PAGES
from fidele.chart.read import read_scan
from fidele.errors import FideleError


@pytest.fixture(scope="module")
def page():
    """The control chart as it would lie on a perfect scanner, 150 ppi, 16 bit, on a grey lid."""
    drawn = draw_page(control_chart(), 0, "test", ppi=150)
    return cv2.copyMakeBorder(drawn, 90, 90, 90, 90, cv2.BORDER_CONSTANT, value=(40000, 40000, 40000))


def lie(page: np.ndarray, turn: float, skew: float = 0.0, perspective: float = 0.0) -> np.ndarray:
    """Lay a page on the glass turned by some degrees, skewed, or seen from a camera that does not stand straight."""
    height, width = page.shape[:2]
    corners = np.array([[0, 0], [width, 0], [width, height], [0, height]], dtype=np.float32)
    angle = np.radians(turn)
    matrix = np.array([[np.cos(angle) + skew, -np.sin(angle)], [np.sin(angle), np.cos(angle)]])
    moved = (corners - [width / 2, height / 2]) @ matrix.T
    moved *= 1 + perspective * (corners[:, 1:] / height - 0.5)
    moved = (moved - moved.min(axis=0)).astype(np.float32)
    size = np.ceil(moved.max(axis=0)).astype(int)
    return cv2.warpPerspective(
        page,
        cv2.getPerspectiveTransform(corners, moved),
        (int(size[0]), int(size[1])),
        borderValue=(40000, 40000, 40000),
    )


def error(reading, chart) -> np.ndarray:
    """Largest channel error of each patch, after the mean level of the light is set right, in 255ths."""
    wanted, got = chart.rgb[reading.index], reading.rgb
    level = np.median(got[wanted > 0.3] ** 2.2 / wanted[wanted > 0.3] ** 2.2)
    return np.abs((got**2.2 / level) ** (1 / 2.2) - wanted).max(axis=1) * 255


def test_dust_is_left_out_and_mirroring_is_told(page):
    chart = control_chart()
    rng = np.random.default_rng(1)
    dusty = lie(page, 3.0)
    for _ in range(1500):
        x, y = rng.integers(0, dusty.shape[1]), rng.integers(0, dusty.shape[0])
        cv2.circle(
            dusty, (int(x), int(y)), int(rng.integers(1, 4)), (0, 0, 0) if rng.random() < 0.5 else (65535,) * 3, -1
        )
    assert np.percentile(error(read_scan(dusty, chart), chart), 95) < 2.0
    clean, flipped = read_scan(page, chart), read_scan(np.ascontiguousarray(page[:, ::-1]), chart)
    assert flipped.mirrored
    assert np.allclose(flipped.rgb, clean.rgb, atol=2e-3)
    # The outlines lie on the scan as it was given, not on the flipped one.
    assert np.allclose(flipped.corners[..., 0].mean(), page.shape[1] - clean.corners[..., 0].mean(), atol=1.5)
    eight = read_scan((page >> 8).astype(np.uint8), chart)
    assert np.allclose(eight.rgb, clean.rgb, atol=3e-3)


def test_three_marks_are_enough_two_are_not(page):
    chart = control_chart()
    whole = read_scan(page, chart)
    torn = page.copy()
    torn[90:190, 90:190] = 65535
    assert np.allclose(read_scan(torn, chart).rgb, whole.rgb, atol=5e-3)
    torn[-190:-60, 90:230] = 65535
    with pytest.raises(FideleError, match="2 of its 4 corner marks were seen"):
        read_scan(torn, chart)


def test_what_is_no_chart_is_refused(page, photo):
    chart = control_chart()
    with pytest.raises(FideleError, match="0 of its 4 corner marks"):
        read_scan(photo, chart)
    with pytest.raises(FideleError, match="page of another chart"):
        read_scan(page, target_chart())
    with pytest.raises(FideleError, match="not a colour picture"):
        read_scan(page[..., 0], chart)
    with pytest.raises(FideleError, match=r"3 are needed|outside the scan|too small"):
        read_scan(page[:, : page.shape[1] * 2 // 3], chart)


def test_pages_of_a_target_are_told_apart():
    chart = target_chart()
    assert chart.pages == 2
    for number in range(2):
        reading = read_scan(draw_page(chart, number, "", ppi=150), chart)
        assert reading.page == number
        assert reading.index[0] == number * chart.per_page
        assert error(reading, chart).max() < 3


def test_charts_hold_what_they_promise():
    chart = control_chart()
    assert len(chart.ids) == len(set(chart.ids)) == 144
    families = {f: chart.families.count(f) for f in set(chart.families)}
    assert families == {"grey": 16, "ramp": 36, "near-neutral": 18, "skin": 10, "lattice": 64}
    assert len(np.unique(chart.rgb, axis=0)) == 144
    greys = chart.rgb[np.array(chart.families) == "grey"]
    assert np.ptp(greys, axis=1).max() == 0
    for name in KINDS:
        one = made(name)
        ink = np.concatenate([one.layout.mark_corners().reshape(-1, 2), one.centres(0)])
        assert ink.min() > 8
        assert (ink < np.array(one.layout.page) - 8).all()
        back = from_table(parse(dump(to_table(one)), "x"), "x")
        assert (back.name, back.ids, back.layout, back.families) == (one.name, one.ids, one.layout, one.families)
        assert np.allclose(back.rgb, one.rgb, atol=1e-6)
        assert back.digest == one.digest
    assert len({made(name).digest for name in KINDS}) == len(KINDS)
    assert made("control", scrambled=False).digest != control_chart().digest
    # Whatever page it is laid out for, nothing overlaps and nothing leaves it.
    for page, (width, height, is_round) in PAGES.items():
        one = made("quick", page, 9.0)
        patches = one.centres(0)
        assert np.abs(patches - [width / 2, height / 2]).max(axis=0).tolist() < [width / 2 - 4.5, height / 2 - 4.5]
        apart = np.abs(patches[:, None] - patches[None]).max(axis=-1) + 99 * np.eye(len(patches))
        assert apart.min() > 9.0
        if is_round:
            corners = np.concatenate([one.layout.mark_corners().reshape(-1, 2)])
            assert np.hypot(*(corners - [width / 2, height / 2]).T).max() < width / 2
    with pytest.raises(FideleError, match="too large for a page"):
        made("control", "coaster 100, round", 40)


def test_a_chart_for_a_known_printer_is_even_and_reaches_the_edge(printer):
    from fidele.icc.transform import Intent, to_lab

    def predicts(rgb):
        return to_lab(rgb.astype(np.float32), printer, Intent.RELATIVE).astype(float)

    even, blind = made("full-400", predicts=predicts), made("full-400")
    nearest = []
    for chart in (even, blind):
        Lab = predicts(chart.rgb)
        apart = np.linalg.norm(Lab[:, None] - Lab[None], axis=-1) + 1e3 * np.eye(len(Lab))
        nearest.append(np.percentile(apart.min(axis=1), 10))
    assert nearest[0] > nearest[1] + 0.5
    on_edge = (np.abs(even.rgb - 0.5) > 0.499).any(axis=1)
    assert on_edge.sum() > 120
    # The swatch book's planes are those of the print.
    book = made("swatches", predicts=predicts)
    planes = predicts(book.rgb)[:, 0].reshape(8, 49)
    assert np.ptp(np.percentile(planes, [10, 90], axis=1), axis=0).max() < 5


names = st.text(st.characters(whitelist_categories=("Lu", "Nd")), min_size=1, max_size=8)


@given(st.lists(names, min_size=1, max_size=30, unique=True), st.text("abc xyz-.,äö", max_size=30))
@settings(max_examples=50, deadline=None)
def test_cgats_goes_out_and_comes_back(ids, words):
    rng = np.random.default_rng(len(ids))
    columns = {f"LAB_{c}": np.round(rng.normal(0, 50, len(ids)), 4) for c in "LAB"}
    table = Table(
        tuple(ids), columns, {"DESCRIPTOR": words, "FIDELE_X": "1 2"}, {"SAMPLE_NAME": tuple("grey " * 1 for _ in ids)}
    )
    back = parse(dump(table), "x")
    assert back.ids == table.ids
    assert np.allclose(back.Lab, table.Lab)
    assert back.keywords["FIDELE_X"] == "1 2"


def test_cgats_of_others_is_read():
    text = (
        'CGATS.17\r\nORIGINATOR "Somebody"\r\n# a comment\r\nNUMBER_OF_FIELDS 4\r\nbegin_data_format\r\n'
        "Sample_ID Lab_L LAB_A\tLAB_B\r\nEnd_Data_Format\r\nNUMBER_OF_SETS 2\r\nBEGIN_DATA\r\n"
        'A1  50,5 -1,25\t3e1\r\n\r\n"A 2" 60.0 0 0\r\nEND_DATA\r\n'
    )
    table = parse(text, "theirs.txt")
    assert table.ids == ("A1", "A 2")
    assert table.Lab.tolist() == [[50.5, -1.25, 30.0], [60, 0, 0]]
    assert table.keywords["ORIGINATOR"] == "Somebody"


GOOD = (
    "CGATS.17\nBEGIN_DATA_FORMAT\nSAMPLE_ID LAB_L LAB_A LAB_B\nEND_DATA_FORMAT\n"
    "NUMBER_OF_SETS 1\nBEGIN_DATA\nA1 1 2 3\nEND_DATA\n"
)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "not a CGATS file"),
        ("hello\n" * 50, "not a CGATS file"),
        (GOOD.replace("END_DATA\n", ""), "cut off"),
        (GOOD.replace("SETS 1", "SETS 7"), "promises 7 samples and holds 1"),
        (GOOD.replace("A1 1 2 3", "A1 1 2"), "line 7: 3 values for 4 columns"),
        (GOOD.replace("A1 1 2 3", "A1 1 nan 3"), "line 7: 'nan' in column LAB_A"),
        (GOOD.replace("A1 1 2 3", "A1 1 2 3\nA1 1 2 3").replace("SETS 1", "SETS 2"), "sample 'A1' twice"),
        (GOOD.replace("SAMPLE_ID", "PATCH"), "no SAMPLE_ID"),
        (GOOD.replace("LAB_B", "LAB_A"), "column twice"),
        (GOOD.replace("A1 1 2 3\n", "").replace("NUMBER_OF_SETS 1", ""), "no samples"),
    ],
)
def test_bad_cgats_is_refused_in_a_sentence(text, words):
    with pytest.raises(FideleError, match=words):
        parse(text, "thing.txt")


def test_bad_files_and_definitions_are_refused(tmp_path):
    (tmp_path / "binary.txt").write_bytes(b"CGATS\0\0\0" * 40)
    with pytest.raises(FideleError, match="not a text file"):
        read(tmp_path / "binary.txt")
    with pytest.raises(FideleError, match="does not exist"):
        read(tmp_path / "nothing.txt")
    with pytest.raises(FideleError, match="not a chart definition"):
        from_table(parse(GOOD, "x"), "x")
    wrong = to_table(control_chart())
    for value in ("1 2 3", "210 297 99999 12 15 13 1 1 14 0 0 9 9", "nan " * 13):
        with pytest.raises(FideleError, match="not a chart definition"):
            from_table(Table(wrong.ids, wrong.columns, wrong.keywords | {"FIDELE_LAYOUT_MM": value}), "x")
    with pytest.raises(FideleError, match="no column LAB_L"):
        _ = wrong.Lab
    write(tmp_path / "utf16.txt", wrong)
    (tmp_path / "utf16.txt").write_text((tmp_path / "utf16.txt").read_text(), encoding="utf-16")
    assert read(tmp_path / "utf16.txt").ids == wrong.ids
