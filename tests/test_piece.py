"""The finished piece as its own chart, on the bench: found however it lies, right ones right, wrong ones named."""

from __future__ import annotations

import dataclasses
import json

import cv2
import numpy as np
import pytest
from click.testing import CliRunner

from fidele.artwork.save import save_picture
from fidele.check.tolerance import TOLERANCES
from fidele.cli import cli
from fidele.errors import FideleError
from fidele.piece.areas import areas_of
from fidele.piece.check import check_piece
from fidele.piece.find import find_artwork
from fidele.piece.where import piece_map
from tests.hands import click, machine_of, settle


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
    window.show_desk("Check")
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
