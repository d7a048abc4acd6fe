"""The finished piece as its own chart, on the bench: found however it lies, right ones right, wrong ones named."""

from __future__ import annotations

import dataclasses
import json
from pathlib import Path

import cv2
import numpy as np
import pytest
from click.testing import CliRunner

from fidele.artwork.picture import Artwork, SourceSlip
from fidele.artwork.save import save_picture
from fidele.check.tolerance import TOLERANCES
from fidele.cli import cli
from fidele.errors import FideleError
from fidele.icc.spaces import srgb
from fidele.piece.areas import areas_of
from fidele.piece.check import check_piece
from fidele.piece.find import find_artwork
from fidele.piece.press_map import keep_map, kept_map, press_map
from fidele.piece.where import PieceMap, piece_map
from fidele.route.condition import Card
from fidele.run.job import Lying
from fidele.run.reader import shown_by
from fidele.sheet.placing import Placing
from tests.hands import click, drop, go, machine_of, settle


def pressed(session, change=None):
    """Print, press and scan the picture in hand; what was changed for that is put back."""
    if change is not None:
        change()
    run = session.press_run(session.print_job(session.job(), overridden="to judge the piece"))
    session.handoff.bring()
    return run, session.devices.scanner.scan(run.piece, run.number).pixels


def judged(session, run, scan):
    reader = dataclasses.replace(session.checking.reader(), tolerance=TOLERANCES["everyday"])
    return check_piece(scan, reader.piece_aim(run.job), *reader.seen_through(False))


def test_pieces_are_judged_by_their_artwork(session, places):
    session.open_artwork(places.data / "artwork" / "signal-flags.png")
    run, scan = pressed(session)
    right = judged(session, run, scan)
    assert (right.comparison.verdict, right.cause.code) == ("pass", "right"), right.comparison.failures
    assert right.comparison.mean < 1.2
    # However it lies on the glass; seen mirrored it is said to be.
    turned = judged(session, run, np.ascontiguousarray(np.rot90(scan, 2)))
    assert abs(abs(turned.found.turned) - 180) < 4
    assert turned.comparison.passed
    mirrored = judged(session, run, np.ascontiguousarray(scan[:, ::-1]))
    assert (mirrored.found.mirrored, mirrored.cause.code) == (True, "mirrored")
    # Wrong ones, with the cause; where the picture holds the colours to tell.
    run, scan = pressed(session, lambda: session.handoff.choose_setting("Blend", "Velm bright"))
    twice = judged(session, run, scan)
    assert (twice.comparison.verdict, twice.cause.code) == ("fail", "converted-twice")
    machine = machine_of(session, session.card.printer)
    machine.store.clog("magenta", 0.0)
    run, scan = pressed(session)
    machine.store.clog("magenta", 1.0)
    assert judged(session, run, scan).cause.code == "ink-weak:magenta"


def test_a_piece_from_window_and_shell(session, places, tmp_path, qtbot, monkeypatch):
    """Scanned, found wrong, its cause mended, printed again, right; the logbook keeps both."""
    from fidele.desk.application import open_window

    window = open_window(session.places, session.devices)
    qtbot.addWidget(window)
    window.show()
    session = window.session
    session.open_artwork(places.data / "artwork" / "signal-flags.png")
    session.change_card("No strip", sheet=session.card.sheet.model_copy(update={"strip": False}))
    session.handoff.choose_setting("Blend", "Velm bright")
    session.take_run(session.press_run(session.print_job(session.job(), overridden="to judge the piece")))
    go(window, "Check")
    click(window.desk, "Scan and read")
    settle(window, qtbot)
    page = window.desks.check.piece
    assert page.name.text() == "Wrong: converted twice"
    assert window.desk.title.text().startswith("The piece of run")
    (two,) = [f for f in session.findings if f.code == "two-conversions"]
    session.act(two.action)
    session.take_run(session.press_run(session.print_job(session.job())))
    click(window.desk, "Scan and read")
    settle(window, qtbot)
    assert page.name.text() == "Right"
    assert [c.verdict.verdict for c in session.logbook.checks()[-2:]] == ["fail", "pass"]
    # Another picture laid on the glass: it is said that the artwork is not there, and the run keeps its verdict.
    drop(window, places.data / "artwork" / "tide-table-no-space-stated.png")
    settle(window, qtbot)
    assert "was not found on the scan" in window.foot.said.text()
    assert session.logbook.checks()[-1].verdict.verdict == "pass"
    # The same from a shell, with a verdict and an exit status.
    run = session.run
    save_picture(tmp_path / "scan.tif", session.devices.scanner.scan(run.piece, run.number).pixels, None, 150)
    (tmp_path / "home").symlink_to(session.places.data)
    monkeypatch.setattr("fidele.commands.pieces.session_of_user", lambda: session)
    line = ["piece", str(tmp_path / "scan.tif"), "--run", str(run.number)]
    done = CliRunner().invoke(cli, [*line, "--json"])
    told = json.loads(done.output)
    assert (done.exit_code, told["verdict"], told["cause"], told["mirrored"]) == (0, "pass", "right", False)
    photo = CliRunner().invoke(cli, [*line, "--photo"])
    assert "A camera saw it" in photo.output
    other = str(places.data / "artwork" / "tide-table-no-space-stated.png")
    for wrong, words in (
        (["piece", other, "--run", str(run.number)], "was not found on the scan"),
        (["piece", str(tmp_path / "scan.tif")], "Say --run, or --artwork"),
    ):
        refused = CliRunner().invoke(cli, wrong)
        assert isinstance(refused.exception, FideleError)
        assert words in str(refused.exception)


def _flags(places):
    art = cv2.imread(str(places.data / "artwork" / "signal-flags.png"))[..., ::-1]
    scale = 900 / max(art.shape)
    return np.ascontiguousarray(cv2.resize(art, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA))


def test_a_picture_round_a_mug_is_found_where_it_lies(demo):
    """A photograph of a cylinder that shows the picture from -50° to 50°: what is found against where it truly lies."""
    art, mirrored = _flags(demo), True
    high, wide = art.shape[:2]
    radius = wide / 2 / np.radians(50)
    across = int(2 * radius * np.sin(np.radians(50))) + 160
    x, y = np.meshgrid(np.arange(across), np.arange(high + 160))
    u = np.arcsin(np.clip((x - across / 2) / radius, -0.999, 0.999)) * radius + wide / 2
    worn = np.ascontiguousarray(art[:, ::-1]) if mirrored else art
    seen = cv2.remap(worn, u.astype(np.float32), (y - 80).astype(np.float32), cv2.INTER_LINEAR)
    on = ((u >= 0) & (u < wide) & (y >= 80) & (y < high + 80))[..., None]
    found = find_artwork(np.where(on, seen, 200).astype(np.uint8), art)
    at = np.stack(np.meshgrid(np.linspace(0.05, 0.95, 9) * wide, np.linspace(0.05, 0.95, 7) * high), -1).reshape(-1, 2)
    mine = wide - 1 - at[:, 0] if mirrored else at[:, 0]
    there = np.stack([across / 2 + radius * np.sin((mine - wide / 2) / radius), at[:, 1] + 80], axis=1)
    assert (found.mirrored, found.curved) == (mirrored, True)
    assert np.hypot(*(found.places(at) - there).T).max() < 6
    back = found.laid_back(np.where(on, seen, 200).astype(np.float32))
    inner = (slice(60, -60), slice(60, -60))
    assert np.abs(back[inner] - art[inner]).mean() < 6


def test_a_round_blank_shows_what_lies_within_its_outline():
    art = Artwork(Path("a.png"), np.zeros((10, 10, 3), np.uint8), None, srgb(), SourceSlip("stated", ""), 300.0)
    card = Card(id="c", name="c", printer="p", printer_name="p", media="m", substrate="s", driver={})
    one = Lying(art, Placing(0, 0, 100, 100), card, None, behind=(-25, 0, 150, 100), shape="round")
    places = np.array([[0.5, 0.5], [0.1, 0.5], [0.25, 0.5], [0.5, 0.995], [0.83, 0.5]])
    assert shown_by(one)(places).tolist() == [True, False, True, False, False]
    assert shown_by(dataclasses.replace(one, behind=None, shape="rectangle")) is None


def test_several_pieces_tell_the_press_from_the_piece(tmp_path):
    rng = np.random.default_rng(1)
    press = np.zeros((16, 24))
    press[:4, -6:] = 3.0

    def piece(alike: float) -> PieceMap:
        own = np.zeros((16, 24))
        row, column = rng.integers(0, 12), rng.integers(0, 18)
        own[row : row + 4, column : column + 6] = 4.0  # a pale spot of its own, elsewhere on each
        off = alike * press + own + rng.normal(0, 0.6, own.shape)
        off[rng.random(off.shape) < 0.3] = np.nan
        return PieceMap(off)

    assert press_map([piece(1), piece(1)]) is None
    found = press_map([piece(1) for _ in range(6)])
    assert found.words()[0].startswith("Over 6 pieces alike, the upper right corner is 3.")
    even = [press_map([piece(0) for _ in range(6)]).words() for _ in range(20)]
    assert sum("the press is even" in words[0] for words in even) >= 19
    keep_map(tmp_path / "m.json", one := piece(1))
    assert np.allclose(kept_map(tmp_path / "m.json").off, one.off, atol=0.006, equal_nan=True)
    (tmp_path / "m.json").write_text('{"off_L": 3}')
    assert kept_map(tmp_path / "m.json") is None


def test_where_a_piece_is_off_and_what_cannot_be_measured():
    rng = np.random.default_rng(4)
    palette = rng.uniform([20, -40, -40], [90, 40, 40], (5, 3))
    small = palette[rng.integers(0, 5, (9, 14))]
    promised = np.kron(small, np.ones((60, 60, 1)))
    pale = promised + [1.0, 2.0, 0.0]  # everywhere: no matter of where
    pale[:150, -220:, 0] += 7.0
    said = piece_map(promised, pale).words()
    assert said[0].startswith("The upper right corner is")
    assert "paler" in said[0]
    even = np.kron(np.tile(small[:1], (9, 1, 1)), np.ones((60, 60, 1)))
    assert piece_map(even, even + [3.0, 0, 0]).words() == []
    many = areas_of(np.kron(rng.uniform([20, -40, -40], [90, 40, 40], (9, 14, 3)), np.ones((60, 60, 1))))
    assert len(set(many.colour.tolist())) > 30
    for hopeless in (np.full((200, 300, 3), 50.0), rng.uniform(0, 100, (200, 300, 3))):
        with pytest.raises(FideleError, match="artwork"):
            areas_of(hopeless)
    noise = rng.integers(0, 256, (300, 400, 3)).astype(np.uint8)
    blank = cv2.GaussianBlur(np.full((600, 800, 3), 200, np.uint8), (5, 5), 0)
    with pytest.raises(FideleError, match="not found"):
        find_artwork(blank, noise)
