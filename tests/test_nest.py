"""Nesting, panels, and sheets of many pieces: nothing overlaps, nothing is lost, and bands are the whole."""

from __future__ import annotations

from itertools import pairwise
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
from fidele.sheet.shapes import SHAPES, area
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
    found = nest(rectangles, 200, height, gap, {0: locked}, seconds=0)
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
    # Whichever seam is put at either end of its reach, everything still fits; beyond it, it does not.
    for number in range(len(found.across)):
        for end, beyond in zip(found.reach((width, height), 0, number), (-2.0, 2.0), strict=True):
            seams = [*found.across[:number], end, *found.across[number + 1 :]]
            again = panels(width, height, room, overlap, areas, pinned=(seams, ()))
            assert again.across == tuple(seams)
            assert max(p.width for p in again.panels) <= room[0] + 0.05
            seams[number] += beyond
            try:
                wide = max(p.width for p in panels(width, height, room, overlap, areas, pinned=(seams, ())).panels)
            except FideleError:
                continue
            narrow = min(b - a for a, b in pairwise((0.0, *seams, width)))
            assert narrow < max(overlap, 1.0), (wide, "it could have been put further")


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
        placing = Placing.at(x, y, rng.uniform(20, 44), rng.uniform(20, 44), 90.0 * rng.integers(0, 4))
        laid.append(Laid(one, placing, printer if number else None, how))
    page = np.concatenate([b for _, b in render_bands(laid, media, 150, mirror)])
    seen = page[:, ::-1] if mirror else page
    bare = np.ones(page.shape[:2], bool)
    for one in laid:
        left, top, width, height = box_of(one.placing, 150)
        x0, y0, x1, y1 = (v / 25.4 * 150 for v in one.placing.bounds)
        assert max(abs(left - x0), abs(top - y0), abs(width - x1 + x0), abs(height - y1 + y0)) <= 0.5
        pixels = resampled_rows(np.rot90(one.artwork.laid, one.placing.quarters), width, height)
        target = one.printer
        wanted = convert(pixels, one.artwork.profile, target or srgb(), how.intent, how.bpc) if target else pixels
        assert np.array_equal(seen[top : top + height, left : left + width], wanted)
        bare[top : top + height, left : left + width] = False
    assert (seen[bare] == 65535).all()


def ramp(height, width):
    """A picture whose every value says where it stands: red across, green down."""
    y, x = np.mgrid[0:height, 0:width] + 0.5
    pixels = np.stack([x / width * 60000, y / height * 60000, np.full_like(x, 20000)], axis=-1).astype(np.uint16)
    return Artwork(Path("x.png"), pixels, None, srgb(), SourceSlip("stated", "x"), 300.0)


PLAIN = Conversion(Intent.RELATIVE, False)


@pytest.mark.parametrize("angle", [7.5, 33.0, 141.0, 290.0])
@pytest.mark.parametrize("fine", [1.0, 3.3])
def test_what_is_turned_freely_lies_where_it_says(angle, fine):
    """Against the geometry itself: of a ramp, each pixel says where in the picture it came from."""
    placing = Placing(30, 25, 40, 24, angle)
    art = ramp(round(24 / 25.4 * 150 * fine), round(40 / 25.4 * 150 * fine))
    page = np.concatenate(
        [b for _, b in render_bands([Laid(art, placing, None, PLAIN)], Media("m", 100, 80, (0,) * 4), 150, False)]
    )
    scale, (cx, cy) = 150 / 25.4, placing.centre
    y, x = (np.mgrid[0 : page.shape[0], 0 : page.shape[1]] + 0.5) / scale
    turn = np.radians(angle)
    u = (x - cx) * np.cos(turn) - (y - cy) * np.sin(turn) + 20
    v = (x - cx) * np.sin(turn) + (y - cy) * np.cos(turn) + 12
    deep = (np.minimum(u, 40 - u) > 0.5) & (np.minimum(v, 24 - v) > 0.5)
    outside = (np.maximum(-u, u - 40) > 0.25) | (np.maximum(-v, v - 24) > 0.25)
    assert (page[outside] == 65535).all()
    # Half a printer pixel, in the ramp's own values.
    assert np.abs(page[deep][:, 0] - u[deep] / 40 * 60000).max() < 0.5 / scale / 40 * 60000
    assert np.abs(page[deep][:, 1] - v[deep] / 24 * 60000).max() < 0.5 / scale / 24 * 60000
    assert placing.holds(cx, cy)
    assert all(placing.turned(-angle).bounds[k] == pytest.approx((30, 25, 70, 49)[k]) for k in range(4))


def test_panels_joined_again_are_the_piece(printer):
    """Each panel, printed on its own sheet, is a part of the whole as it would be printed at once: value for value."""
    art, media = ramp(180, 300), Media("sheet", 90, 70, (4, 5, 4, 6))
    width, height = 200.0, 120.0
    parted = panels(width, height, media.room, 8, [(78, 10, 12, 50)])
    whole = Media("whole", width, height, (0, 0, 0, 0))
    page = np.concatenate(
        [b for _, b in render_bands([Laid(art, Placing(0, 0, width, height), printer, PLAIN)], whole, 150, True)]
    )
    original = page[:, ::-1]
    joined = np.zeros_like(original)
    side, end = media.inset
    for panel in parted.panels:
        placing = Placing(side, end, panel.width, panel.height)
        one = Laid(art, placing, printer, PLAIN, (-panel.x, -panel.y, width, height))
        sheet = np.concatenate([b for _, b in render_bands([one], media, 150, True)])[:, ::-1]
        left, top, wide, high = box_of(placing, 150)
        x, y = round(panel.x / 25.4 * 150), round(panel.y / 25.4 * 150)
        part = sheet[top : top + high, left : left + wide][: len(original) - y, : original.shape[1] - x]
        joined[y : y + part.shape[0], x : x + part.shape[1]] = part
        bare = np.ones(sheet.shape[:2], bool)
        bare[top : top + high, left : left + wide] = False
        assert (sheet[bare] == 65535).all()
    assert np.array_equal(joined, original)


def test_a_shape_covers_what_it_should():
    art = ramp(200, 200)
    for shape in SHAPES:
        for angle in (0.0, 90.0, 25.0):
            laid = Laid(art, Placing(20, 20, 50, 40, angle), None, PLAIN, None, shape)
            page = np.concatenate([b for _, b in render_bands([laid], Media("m", 90, 80, (0,) * 4), 150, False)])
            covered = (page != 65535).any(axis=2).sum() / (50 * 40 * (150 / 25.4) ** 2)
            assert covered == pytest.approx(area(shape), rel=0.02)
