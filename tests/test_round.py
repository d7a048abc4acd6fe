"""Mugs, bottles and glasses: the bent print lies straight around the piece, is kept, and is printed again alike."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PySide6.QtWidgets import QDialogButtonBox

from fidele.artwork.picture import Artwork
from fidele.desk.own_sizes import RoundDialog
from fidele.errors import FideleError
from fidele.run.job import Job, Lying
from fidele.run.kept import job_again
from fidele.run.page import prepare_page
from fidele.run.reader import shown_by
from fidele.session.blanks import Blank, Blanks, behind_blank
from fidele.sheet.arc import Arc, Round, arc_of
from fidele.sheet.placing import Placing
from fidele.sheet.shapes import area, outline, within
from tests.hands import choose, go, opened


@given(
    st.floats(30, 130),
    st.floats(30, 130),
    st.floats(30, 250),
    st.floats(0, 60),
    st.floats(-0.49, 0.49),
    st.floats(-0.49, 0.49),
)
@settings(max_examples=200, deadline=None)
def test_paper_that_is_wrapped_round_neither_stretches_nor_shears(top, bottom, height, gap, along, below):
    """The way from sheet to cone is an isometry: lengths and angles around any place are those on the piece itself."""
    try:
        width, slant, angle = Round(top, bottom, height, gap).developed
    except FideleError:
        return  # it opens too widely
    if not angle:
        return
    arc = Arc(angle, slant / width)

    def on_piece(along: float, below: float) -> np.ndarray:
        """Where a place of the flat area lies in space, by the cone itself: half of it above the middle, half below."""
        down = below * width / slant + 0.5  # 0 at the upper edge, 1 at the lower
        radius = (top + (bottom - top) * down) / 2
        turn = along * width / ((top + bottom) / 4)
        return np.array([radius * math.sin(turn), radius * math.cos(turn), height * (1 - down)])

    below *= slant / width  # the share of the middle line that it is
    step = 1e-5
    here = np.array(arc.bent(np.array(along), np.array(below)))
    moves = ((step, 0.0), (0.0, step), (step, step))
    paper = [np.array(arc.bent(np.array(along + a), np.array(below + b))) - here for a, b in moves]
    piece = [on_piece(along + a, below + b) - on_piece(along, below) for a, b in moves]
    for flat, round_ in zip(paper, piece, strict=True):
        assert np.linalg.norm(flat) * width == pytest.approx(np.linalg.norm(round_), rel=2e-3)
    back = arc.flat(*arc.bent(np.array(along), np.array(below)))
    assert np.allclose(back, (along, below), atol=1e-9)


def test_a_sector_is_where_its_outline_says():
    """What lies within, by the place, by the polygon of its outline, and by the area that is said."""
    import cv2

    rng = np.random.default_rng(4)
    for angle in (12.0, -40.0, 150.0, 260.0):
        shape = Arc(angle, 0.35).words
        places = rng.random((4000, 2)) - 0.5
        inside = within(shape, places[:, 0], places[:, 1])
        polygon = (outline(shape) * 1e6).astype(np.int32)
        other = [cv2.pointPolygonTest(polygon, tuple(map(float, (p + 0.5) * 1e6)), True) for p in places]
        sure = np.abs(other) > 2e3  # a polygon's corners cut a little off a circle
        assert (inside[sure] == (np.array(other) > 0)[sure]).all()
        assert inside.mean() == pytest.approx(area(shape), abs=0.03)


def test_a_picture_round_a_glass_is_printed_bent_and_again_alike(session, tmp_path):
    """By the numbers of the page: squares of the picture lie where the cone's own geometry puts them."""
    session.handoff.bring()
    values = np.random.default_rng(8).integers(0, 4, (6, 10, 3)).astype(np.uint8) * 80
    blank = Blank.of_round("Glass", Round(86, 60, 100, 70), bleed=0)
    session.sheet.blanks.add_blank(blank)
    assert Blanks(session.places.data / "blanks.json").blank("Glass") == blank
    large = values.repeat(60, axis=0).repeat(60, axis=1)
    artwork: Artwork = replace(session.charts.drawing(session.own_profiles.chart("mend"))(lambda _: True), pixels=large)
    wide, high = blank.printed
    behind = behind_blank(blank, *blank.flat)
    one = Lying(
        artwork, Placing(12, 40, wide, high), session.card, session.profile, behind=behind, shape=blank.printed_shape
    )
    job = Job((one,), one.card, bare=True)
    page = prepare_page(job, session.device)[:, ::-1]
    scale = session.device.format.page_ppi(job.card.page_ppi) / 25.4
    arc, line = arc_of(blank.printed_shape), blank.flat[0]
    for row in range(6):
        for column in range(10):
            along, below = (column + 0.5) / 10 - 0.5, ((row + 0.5) / 6 - 0.5) * arc.share
            x, y = arc.bent(np.array(along), np.array(below))
            at = (12 + wide / 2 + x * line) * scale, (40 + high / 2 + y * line) * scale
            assert np.abs(page[int(at[1]), int(at[0])].astype(int) - values[row, column]).max() <= 1, (row, column)
    outside = page[int((40 + high - 1) * scale), int((12 + wide / 2) * scale)]
    assert (outside == 255).all()  # below the lower edge's middle, which hangs above it
    # All of the picture is on the piece: none of it is left out where it is measured.
    visible = shown_by(one)
    assert visible(np.array([[0.5, 0.5], [0.05, 0.05], [0.95, 0.95]])).all()


def test_a_mug_at_the_sheet(window, qtbot):
    """Described in the dialog, chosen as a blank, kept with the run; what cannot be printed for is said there."""
    session = window.session
    session.handoff.bring()
    window.take_file(session.places.data / "artwork" / "signal-flags.png")
    opened(window)
    dialog = RoundDialog(window)
    ok = dialog.findChild(QDialogButtonBox).button(QDialogButtonBox.StandardButton.Ok)
    dialog.name.setText("Cup")
    dialog.gap.setValue(2000)
    assert not ok.isEnabled()
    assert "Nothing is left" in dialog.said.text()
    dialog.gap.setValue(80)
    dialog.bottom.setValue(60)
    dialog.bleed.setValue(1)
    assert "Bent by" in dialog.said.text()
    session.sheet.blanks.add_blank(dialog.blank())
    go(window, "Sheet")
    choose(window.desk.column.blank, "Cup")
    piece = session.pieces.current
    assert arc_of(piece.shape).angle > 20
    assert any(name == "Round" for name, _ in window.desk.facts())
    (told,) = [f for f in session.findings if f.code == "curved-piece"]
    assert (told.title, told.desk) == ("Cup is too curved to be measured", "check")
    window.act(told.action)
    assert window.desk.station == "Charts"
    go(window, "Sheet")
    window.grab()
    page = prepare_page(session.job(), session.device)
    printed = session.print_job(session.job())
    same = job_again(session.kept_sources(), session.logbook.run(printed.number))
    assert same.lying[0].shape == piece.shape
    assert np.array_equal(prepare_page(replace(same, number=0), session.device), page)
    session.undo()
    assert arc_of(session.pieces.current.shape) is None
