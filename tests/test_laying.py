"""What is done on the sheet and at the press, without a window: rules, and what follows of them."""

from __future__ import annotations

import dataclasses

import numpy as np
import pytest

from fidele.artwork.save import save_picture
from fidele.errors import FideleError
from fidele.icc.spaces import srgb
from fidele.icc.transform import Intent
from fidele.route.condition import PressData
from fidele.route.sharing import why_not
from fidele.route.substrates import holds_dye
from fidele.run.press import PressClock, deviation, layers, steps
from fidele.session.laying import ALIGN
from fidele.session.piece import Copy
from fidele.sheet.placing import Media, Placing, fitted


@pytest.fixture
def three(session, tmp_path):
    """A session with three copies of a picture of 30 x 20 mm on its sheet; returns it with the piece's number."""
    path = tmp_path / "buoy.png"
    save_picture(path, np.full((236, 354, 3), 90, np.uint8), srgb(), 300)
    session.open_artwork(path)
    places = [Placing(20, 30, 30, 20), Placing(75, 80, 30, 20, 90), Placing(140, 200, 30, 20)]
    session.pieces.change("lay", copies=tuple(Copy(p) for p in places))
    return session, session.pieces.need().number


def bounds(session):
    return np.array([c.placing.bounds for c in session.pieces.need().copies])


@pytest.mark.parametrize("how", list(ALIGN))
def test_pieces_are_lined_up_with_each_other_and_one_with_the_sheet(three, how):
    session, number = three
    before = bounds(session)
    session.laying.align({(number, k) for k in range(3)}, how)
    now = bounds(session)
    low, high = (0, 2) if how in ("left", "centre", "right") else (1, 3)
    kept, edge = (1, 3) if low == 0 else (0, 2), {"left": 0, "right": 2, "top": 1, "bottom": 3}.get(how)
    assert np.array_equal(now[:, kept], before[:, kept])
    assert np.allclose(now[:, high] - now[:, low], before[:, high] - before[:, low])
    if edge is None:
        middles = (now[:, low] + now[:, high]) / 2
        assert np.allclose(middles, (before[:, low].min() + before[:, high].max()) / 2)
    else:
        assert np.allclose(now[:, edge], before[:, edge].min() if edge < 2 else before[:, edge].max())
    session.undo()
    assert np.array_equal(bounds(session), before)
    # Alone, it is lined up on what can be printed of the sheet, whichever way that is mirrored.
    session.laying.align({(number, 0)}, how)
    side, end = session.sheet.base.inset
    frame = (side, end, 210 - side, 297 - end)
    alone = bounds(session)[0]
    if edge is None:
        assert (alone[low] + alone[high]) / 2 == pytest.approx((frame[low] + frame[high]) / 2)
    else:
        assert alone[edge] == pytest.approx(frame[edge])


def test_gaps_are_evened_and_what_is_locked_stays(three):
    session, number = three
    keys = {(number, k) for k in range(3)}
    session.laying.spread(keys, across=True)
    now = bounds(session)
    gaps = now[1:, 0] - now[:-1, 2]
    assert gaps[0] == pytest.approx(gaps[1])
    with pytest.raises(FideleError, match="three pieces"):
        session.laying.spread({(number, 0), (number, 1)}, across=False)
    session.laying.lock({(number, 1)}, True)
    locked = session.pieces.need().copies[1]
    session.laying.move(keys, 5, 7)
    session.laying.turn(keys, 90)
    session.laying.align(keys, "left")
    session.laying.nest()
    assert session.pieces.need().copies[1] == locked
    session.laying.lock({(number, 1)}, False)
    session.laying.nest()
    assert session.pieces.need().copies[1].placing != locked.placing
    # Taken off, the others stay; the last of all is not lost.
    session.laying.remove({(number, 0), (number, 2)})
    assert len(session.pieces.need().copies) == 1
    session.laying.remove({(number, 0)})
    assert len(session.pieces.need().copies) == 1


def test_step_and_repeat_fills_what_there_is(three):
    session, number = three
    session.laying.repeat(number, 0, 0)
    boxes, (side, end) = bounds(session), session.sheet.base.inset
    gap = session.card.sheet.gap
    across = int((210 - 2 * side + gap) // (30 + gap))
    down = int((297 - 2 * end + gap) // (20 + gap))
    assert len(boxes) == across * down
    assert boxes[:, :2].min(axis=0) == pytest.approx([side, end])
    assert boxes[:, 2].max() <= 210 - side + 1e-9
    assert boxes[1, 0] - boxes[0, 2] == pytest.approx(gap)
    assert session.sheet.use(0) == pytest.approx(len(boxes) * 600 / (210 * 297))
    assert not session.stops
    # Signs need room; with them fewer go on the sheet, and none over another's.
    habits = session.card.sheet.model_copy(update={"identity": True, "cut": True, "strip": True})
    session.change_card("signs", sheet=habits)
    session.laying.repeat(number, 0, 0)
    signed = bounds(session)
    assert 0 < len(signed) < len(boxes) / 2
    assert signed[:, 3].max() < 297 - 25


def test_conditions_share_a_sheet_when_their_printing_sides_agree(session):
    card = session.card
    press = card.press.model_copy(update={"seconds": 90.0})
    slate = card.model_copy(update={"id": "slate", "substrate": "coated slate", "press": press, "profile": "another"})
    assert why_not(card, slate) == []
    assert why_not(card, slate.model_copy(update={"intent": Intent.SATURATION})) == []
    for changes, words in (
        ({"printer": "x/1", "printer_name": "Other"}, "printed on Other"),
        ({"media": "Other paper"}, "its media is Other paper"),
        ({"size": "A5"}, "its sheet is A5"),
        ({"driver": card.driver | {"quality": 1}}, "quality is 1"),
        ({"owner": "driver"}, "the driver converts it"),
        ({"seen_from": "back", "mirror_by": "nobody"}, "mirrored otherwise"),
        ({"printed_from": "Skerry Sketch"}, "printed from Skerry Sketch"),
    ):
        reasons = why_not(card, slate.model_copy(update=changes))
        assert any(words in r for r in reasons), (changes, reasons)
    # Where somebody else converts, it is the whole sheet at once: profile and intent must agree too.
    one = card.model_copy(update={"owner": "system"})
    other = slate.model_copy(update={"owner": "system", "intent": Intent.SATURATION})
    assert len(why_not(one, other)) == 2


def test_the_largest_that_fits_is_the_largest():
    for roll in (False, True):
        media = Media("m", 200, 300, (3, 4, 7, 5), roll)
        for shape in ((3.0, 2.0), (2.0, 3.0), (1.0, 9.0)):
            placing = fitted(media, *shape, border=6)
            assert placing.width / placing.height == pytest.approx(shape[0] / shape[1])
            for mirrored in (False, True):
                assert placing.crosses(media, mirrored) == ()
                larger = placing.sized(placing.width * 1.2, placing.height * 1.2)
                assert dataclasses.replace(larger, x=placing.x, y=placing.y).crosses(media, mirrored)


def test_the_clock_counts_down_and_on():
    now = [100.0]
    clock = PressClock(lambda: now[0])
    assert (clock.running, clock.ran) == (False, 0.0)
    clock.start("press", 65)
    faces = []
    for passed in (0, 0.4, 1.0, 5.0, 64.2, 65.0, 65.9, 66.0, 130.0):
        now[0] = 100 + passed
        faces.append(clock.face)
    assert faces == ["1:05", "1:05", "1:04", "1:00", "0:01", "0:00", "0:00", "+0:01", "+1:05"]
    assert clock.stop() == pytest.approx(130)
    assert not clock.running


def test_what_is_to_be_done_at_the_press(session):
    press = PressData()
    assert layers(press, "tile") == ("hot plate", "cover sheet", "transfer paper, print down", "tile", "silicone pad")
    below = PressData(on_top="piece", cover=False, lint=False, preheat=0)
    assert layers(below, "tile") == ("hot plate", "tile", "transfer paper, print up", "silicone pad")
    assert [s.key for s in steps(press, "tile", False)] == ["lint", "warm", "lay", "cover", "close"]
    assert [s.key for s in steps(below, "tile", True)] == ["flat", "lay", "close"]
    card = session.card
    assert deviation(card, card.press) == ""
    done = card.press.model_copy(update={"seconds": 150.0, "temperature": 201.0})
    assert deviation(card, done) == "150 s instead of 180"


@pytest.mark.parametrize(
    ("substrate", "holds"),
    [
        ("cotton", False),
        ("Unbleached linen cloth", False),
        ("uncoated slate", False),
        ("coated cotton", True),
        ("polyester cloth", True),
        ("ceramic tile", True),
        ("driftwood", None),
    ],
)
def test_what_holds_the_dye_is_known_by_name(substrate, holds):
    assert holds_dye(substrate) is holds


def test_true_size_stands_and_what_does_not_fit_is_told(session, tmp_path):
    """A picture of 330 mm on A4: not made smaller in silence; turned where that will do; without a size, fitted."""
    from fidele.artwork.save import save_picture
    from fidele.icc.spaces import srgb

    for name, shape, ppi in (
        ("large", (330, 200, 3), 25.4),
        ("wide", (150, 270, 3), 25.4),
        ("none", (400, 300, 3), None),
    ):
        save_picture(tmp_path / f"{name}.png", np.full(shape, 90, np.uint8), srgb(), ppi)
    session.open_artwork(tmp_path / "large.png")
    assert (round(session.placing.width), round(session.placing.height)) == (200, 330)
    found = next(f for f in session.stops if f.code == "sheet-too-small")
    assert "panels" in found.remedy
    session.open_artwork(tmp_path / "wide.png")
    assert (round(session.placing.width), round(session.placing.height)) == (270, 150)
    found = next(f for f in session.stops if f.code == "sheet-too-small")
    assert "Turn it" in found.button
    session.act(found.action)
    assert "sheet-too-small" not in {f.code for f in session.stops}
    assert session.placing.width == pytest.approx(270, abs=0.1)
    session.open_artwork(tmp_path / "none.png")
    assert not session.placing.crosses(session.media, mirrored=True)


def test_pieces_drop_into_the_places_of_a_jig_and_bleed_follows_the_blank(three, tmp_path):
    session, number = three
    with pytest.raises(FideleError, match="choose a blank"):
        session.jigs.keep("Board 1")
    session.laying.on_blank(number, "Tile 108 x 108")
    places = [Placing(5, 20, 112, 112), Placing(125, 20, 112, 112, 90), Placing(5, 180, 112, 112)]
    session.laying.place({(number, k): p.sized(112, 112) for k, p in enumerate(places)}, "lay")
    jig = session.jigs.keep("Board 1")
    assert [(s.blank, s.angle) for s in jig.places] == [("Tile 108 x 108", a) for a in (0, 90, 0)]
    session.change_card("jig", sheet=session.card.sheet.model_copy(update={"jig": "Board 1"}))
    # Kept on disk, and read by another session.
    again = type(session.sheet.blanks)(session.places.data / "blanks.json")
    assert again.jigs == session.sheet.blanks.jigs == (jig,)
    # Another picture, alone: it takes every place. Two of them with two copies each: four places, on two sheets.
    paths = [tmp_path / "gull.png", tmp_path / "tern.png"]
    for path in paths:
        save_picture(path, np.full((300, 200, 3), 90, np.uint8), srgb(), 300)
    session.open_artwork(paths[0])
    session.jigs.fill()
    lying = session.pieces.need()
    assert [c.placing.centre for c in lying.copies] == [(s.x, s.y) for s in jig.places]
    assert (lying.blank, lying.copies[1].placing.angle) == ("Tile 108 x 108", 90)
    assert lying.behind[3] == pytest.approx(112 * 1.5), "the picture covers the blank and its bleed"
    session.undo()
    session.laying.copies(session.pieces.need().number, 2)
    gull = session.pieces.need().number
    session.open_artwork(paths[1])
    tern = session.pieces.need().number
    session.laying.copies(tern, 2)
    session.laying.gather([gull])
    session.jigs.fill()
    spots = {(p.name, i): (c.page, c.placing.centre) for p, i, c in session.sheet.copies()}
    middles = [(s.x, s.y) for s in jig.places]
    assert sorted(spots.values()) == sorted([*((0, m) for m in middles), (1, middles[0])])
    # The blank gets more bleed: what is filled anew covers it.
    blank = session.sheet.blanks.blank("Tile 108 x 108")
    session.sheet.blanks.add_blank(dataclasses.replace(blank, bleed=5))
    session.jigs.fill()
    assert {p.placing.width for p in session.sheet.pieces} == {118.0}
    # Dropped into a place by hand; several copies for another blank are not.
    session.jigs.drop((tern, 1), 2)
    assert session.pieces.all[-1].copies[1].placing.centre == middles[2]
    session.laying.on_blank(gull, "Coaster 100, round")
    with pytest.raises(FideleError, match="2 copies for Coaster"):
        session.jigs.drop((gull, 0), 0)
    session.jigs.forget("Board 1")
    assert session.jigs.places() == []
    session.undo()
    assert len(session.jigs.places()) == 3
