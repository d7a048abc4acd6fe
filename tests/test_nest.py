"""Nesting, panels, and sheets of many pieces: nothing overlaps, nothing is lost, and bands are the whole."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fidele.artwork.picture import Artwork, SourceSlip
from fidele.errors import FideleError
from fidele.icc.spaces import oprgb, srgb
from fidele.icc.transform import Intent, convert
from fidele.sheet.nest import Rectangle, nest
from fidele.sheet.page import Laid, box_of, render_bands
from fidele.sheet.panels import panels
from fidele.sheet.placing import Media, Placing
from fidele.sheet.resample import resampled_rows
from fidele.tuning.conversion import Conversion

sides = st.floats(8, 180).map(lambda v: round(v, 1))


def boxes(found, rectangles):
    """Return left, top, right, bottom of each spot, with its sheet."""
    made = []
    for spot in found.spots:
        one = rectangles[spot.index]
        w, h = (one.height, one.width) if spot.turned else (one.width, one.height)
        made.append((spot.sheet, spot.x, spot.y, spot.x + w, spot.y + h))
    return np.array(made)


@given(
    sizes=st.lists(st.tuples(sides, sides, st.booleans()), min_size=1, max_size=40),
    roll=st.booleans(),
    gap=st.sampled_from([0.0, 3.0]),
    lock=st.booleans(),
)
@settings(max_examples=40, deadline=None)
def test_nothing_overlaps_and_everything_is_there(sizes, roll, gap, lock):
    rectangles = [Rectangle(*s) for s in sizes]
    height = 0.0 if roll else 260.0
    locked = [(20.0, 15.0, 60.0, 40.0)] if lock else []
    found = nest(rectangles, 200, height, gap, locked, seconds=0)
    assert sorted(s.index for s in found.spots) == list(range(len(rectangles)))
    assert all(rectangles[s.index].may_turn or not s.turned for s in found.spots)
    lain = boxes(found, rectangles)
    assert lain[:, 1:3].min() >= -1e-6
    assert lain[:, 3].max() <= 200 + 1e-5
    if height:
        assert lain[:, 4].max() <= height + 1e-5
    taken = np.vstack([lain, *([[0, x, y, x + w, y + h] for x, y, w, h in locked])]) if lock else lain
    for a in range(len(taken)):
        for b in range(a):
            if taken[a, 0] == taken[b, 0]:
                apart = np.maximum(taken[a, 1:3], taken[b, 1:3]) - np.minimum(taken[a, 3:], taken[b, 3:])
                assert apart.max() >= gap - 1e-5
    area = sum(r.width * r.height for r in rectangles) + sum(w * h for *_, w, h in locked)
    media = 200 * ((found.sheets - 1) * height + (height or found.length))
    assert found.use == pytest.approx(area / media)


def test_what_does_not_go_on_the_media_is_refused():
    with pytest.raises(FideleError, match="print it in panels"):
        nest([Rectangle(300, 50, False)], 200, 260)
    with pytest.raises(FideleError, match="does not go on"):
        nest([Rectangle(0, 50)], 200, 260)
    assert nest([], 200, 260).sheets == 0


def test_a_roll_is_well_used():
    """As tight as a published best-fit can be: random rectangles leave less than 6 % bare."""
    rng = np.random.default_rng(5)
    rectangles = [Rectangle(*np.round(rng.uniform(30, 220, 2), 1)) for _ in range(120)]
    assert nest(rectangles, 600, 0, seconds=0.3).use > 0.94


@given(
    width=st.floats(100, 2000).map(round),
    height=st.floats(100, 1200).map(round),
    room=st.tuples(st.floats(150, 600).map(round), st.floats(150, 600).map(round)),
    overlap=st.sampled_from([0, 5, 12]),
    clear=st.lists(st.tuples(st.floats(0, 0.9), st.floats(0, 0.9), st.floats(5, 60), st.floats(5, 60)), max_size=2),
)
@settings(max_examples=40, deadline=None)
def test_panels_cover_a_piece_and_joined_give_it_again(width, height, room, overlap, clear):
    areas = [(x * width, y * height, w, h) for x, y, w, h in clear]
    found = panels(width, height, room, overlap, areas)
    # Every panel goes into the room; joined at the seams they are the piece.
    assert max(p.width for p in found.panels) <= room[0] + 1e-6
    assert max(p.height for p in found.panels) <= room[1] + 1e-6
    piece = np.arange(height * width, dtype=np.int64).reshape(height, width)
    joined = np.full_like(piece, -1)
    for panel in found.panels:
        x0, y0 = round(panel.x), round(panel.y)
        cut = piece[y0 : round(panel.y + panel.height), x0 : round(panel.x + panel.width)]
        joined[y0 : y0 + cut.shape[0], x0 : x0 + cut.shape[1]] = cut
    assert (joined == piece).all()
    names = [p.name for p in found.panels]
    assert len(set(names)) == len(names)
    # Neighbours share the overlap.
    for a, b in zip(found.panels, found.panels[1:], strict=False):
        if a.row == b.row:
            assert a.x + a.width - b.x == pytest.approx(overlap, abs=1e-6)
    # As few as will do, and seams keep clear wherever they say so.
    columns = max(p.column for p in found.panels) + 1
    fewer = (columns - 1) * (room[0] - overlap) + overlap
    assert columns == 1 or fewer < width + 1e-6
    crossing = sum(any(x + 1e-6 < s < x + w - 1e-6 for x, _, w, _ in areas) for s in found.across)
    assert crossing == sum("across" in t for t in found.through)


def test_seams_keep_clear_of_what_is_marked():
    plain = panels(1000, 300, (520, 400), 10)
    assert plain.across == (500.0,)
    clear = panels(1000, 300, (560, 400), 10, [(470, 0, 60, 300)])
    assert clear.through == ()
    assert not 470 < clear.across[0] < 530
    tight = panels(1000, 300, (506, 400), 10, [(470, 0, 60, 300)])
    assert tight.through == ("the seam at 500 mm across",)
    with pytest.raises(FideleError, match="leaves nothing"):
        panels(1000, 300, (100, 400), 100)
    with pytest.raises(FideleError, match="it takes 2"):
        panels(1000, 300, (520, 400), 10, (), (1, 1))
    assert len(panels(1000, 300, (520, 400), 0, (), (4, 1)).panels) == 4


def artwork(rng, height, width, space):
    pixels = rng.integers(0, 65536, (height, width, 3), dtype=np.uint16)
    return Artwork(Path("x.png"), pixels, None, space, SourceSlip("stated", "x"), 300.0)


@given(seed=st.integers(0, 10_000), mirror=st.booleans())
@settings(max_examples=12, deadline=None)
def test_every_piece_of_a_sheet_is_where_and_what_it_should_be(printer, seed, mirror):
    """At its place and size within half a pixel, mirrored as the route says, in the colours of a plain conversion."""
    rng = np.random.default_rng(seed)
    media = Media("roll", 180, 120, (0, 0, 0, 0))
    how = Conversion(Intent.RELATIVE, False)
    laid = []
    for number in range(3):
        shape = tuple(int(v) for v in rng.integers(20, 90, 2))
        one = artwork(rng, *shape, oprgb() if number == 1 else srgb())
        x, y = 8 + 56 * number + rng.uniform(0, 5), rng.uniform(2, 60)
        size = (rng.uniform(20, 44), rng.uniform(20, 44))
        laid.append(Laid(one, Placing(x, y, *size), printer if number else None, how, int(rng.integers(0, 4))))
    page = np.concatenate([b for _, b in render_bands(laid, media, 150, mirror)])
    seen = page[:, ::-1] if mirror else page
    bare = np.ones(page.shape[:2], bool)
    for one in laid:
        left, top, width, height = box_of(one.placing, 150)
        assert abs(left - one.placing.x / 25.4 * 150) <= 0.5
        assert abs(width - one.placing.width / 25.4 * 150) <= 0.5
        pixels = resampled_rows(np.rot90(one.artwork.laid, one.quarters), width, height)
        target = one.printer
        wanted = convert(pixels, one.artwork.profile, target or srgb(), how.intent, how.bpc) if target else pixels
        assert np.array_equal(seen[top : top + height, left : left + width], wanted)
        bare[top : top + height, left : left + width] = False
    assert (seen[bare] == 65535).all()
