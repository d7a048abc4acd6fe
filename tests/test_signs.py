"""Signs on a sheet, read back from the bench's own scans: identity lines, control strip, readiness page."""

from __future__ import annotations

import dataclasses

import numpy as np
import pytest
from click.testing import CliRunner

from fidele.artwork.save import save_picture
from fidele.chart.readiness import INKS
from fidele.cli import cli
from fidele.errors import FideleError
from fidele.icc.spaces import srgb
from fidele.judge.facts import Facts
from fidele.judge.finding import Action, Deed
from fidele.judge.judge import judge
from fidele.session.piece import Copy
from fidele.sheet.placing import Placing
from fidele.sheet.signs import Identity, read_identities
from tests.hands import machine_of


def signed(session, tmp_path, **habits):
    """Lay three copies on a sheet whose condition asks for signs; return the run, pressed."""
    path = tmp_path / "crest.png"
    rng = np.random.default_rng(3)
    save_picture(path, np.kron(rng.integers(0, 256, (6, 9, 3)), np.ones((90, 90, 1))).astype(np.uint8), srgb(), 300)
    session.change_card("Signs", sheet=session.card.sheet.model_copy(update=habits))
    session.open_artwork(path)
    places = (Placing(12, 14, 80, 50), Placing.at(110, 14, 80, 50, 90), Placing(12, 120, 80, 50, 180))
    session.pieces.change("Three", copies=tuple(Copy(p) for p in places))
    assert not session.stops, session.stops
    return session.press_run(session.print_job(session.job()))


def test_every_copy_says_which_it_is(session, tmp_path):
    run = signed(session, tmp_path, identity=True, cut=True, fold=True, press=True)
    wanted = [Identity(run.number, copy, session.card.digits) for copy in (1, 2, 3)]
    # Now and then grain hides one: laid on the glass once more it is read. Nothing else is ever read.
    turned = session.devices.scanner.scan(run.piece, 3, turn=0.8).pixels
    assert set(read_identities(turned, 150)) <= set(wanted)
    scan = session.devices.scanner.scan(run.piece, 3, turn=-0.5).pixels
    assert read_identities(scan, 150) == wanted
    assert read_identities(scan[:, ::-1], 150) == wanted
    assert Identity.parse("FI1:12:3:AB0") is None
    for shape, ppi in (((1, 1, 3), 300), ((5, 5, 3), 2400), ((300, 300, 3), 1), ((50, 50), 1e6)):  # no scan of anything
        assert read_identities(np.zeros(shape, np.uint8), ppi) == []
    save_picture(tmp_path / "scan.tif", scan, None, 150)
    said = CliRunner().invoke(cli, ["runs", "identify", str(tmp_path / "scan.tif")])
    assert said.output.splitlines() == [f"run {i.run}, piece {i.piece}, condition {i.condition}" for i in wanted]
    save_picture(tmp_path / "none.tif", scan[:200, :200], None, 150)
    nothing = CliRunner().invoke(cli, ["runs", "identify", str(tmp_path / "none.tif")])
    assert (nothing.exit_code, "no identity line" in nothing.output) == (1, True)
    # Signs take nothing of the pieces: the same sheet without them is the same within the pieces.
    from fidele.run.page import prepare_page

    page = prepare_page(run.job, session.device)
    plain = session.card.model_copy(
        update={
            "sheet": session.card.sheet.model_copy(
                update={"identity": False, "cut": False, "fold": False, "press": False}
            )
        }
    )
    without = prepare_page(dataclasses.replace(run.job, card=plain), session.device)
    assert (page != without).any()
    scale = session.device.format.ppi / 25.4
    for one in run.job.lying:
        x0, y0, x1, y1 = (round(v * scale) for v in one.placing.bounds)
        assert np.array_equal(page[:, ::-1][y0:y1, x0:x1], without[:, ::-1][y0:y1, x0:x1])


def test_the_strip_along_the_edge_is_checked_like_a_chart(session, tmp_path):
    run = signed(session, tmp_path, strip=True)
    assert run.job.chart is None
    checked = session.checking.check_run(run, session.devices.scanner.scan(run.piece, 5).pixels, 300)
    assert len(checked.comparison.ids) == 24
    assert checked.comparison.passed, checked.words
    if checked.reading.code is None:  # grain hid it: laid on the glass once more
        checked = session.checking.check_run(run, session.devices.scanner.scan(run.piece, 15).pixels, 300)
    assert checked.reading.code.run == run.number
    # With the driver converting as well, the strip alone shows it.
    session.handoff.choose_setting("Blend", "Velm bright")
    twice = session.press_run(session.print_job(session.job(), overridden="to see it"))
    failed = session.checking.check_run(twice, session.devices.scanner.scan(twice.piece, 6).pixels, 300)
    assert not failed.comparison.passed
    assert failed.cause.code == "converted-twice"
    # Without a strip there is nothing to check.
    session.change_card("None", sheet=session.card.sheet.model_copy(update={"strip": False}))
    bare = session.job()
    assert bare.patches is None


def test_a_readiness_page_tells_which_ink_is_weak(session):
    ready, queue = session.readiness, session.queue
    run = queue.carry_out(ready.order())
    scan = session.devices.scanner.scan(session.devices.table.as_printed(run.sheet), run.number).pixels
    with pytest.raises(FideleError, match="No sound page"):
        ready.read(run, scan)
    assert all(s.sound for s in ready.seen(run, dict.fromkeys(INKS, True)))
    assert all(s.sound for s in ready.read(run, scan))
    # A clogged head: the ink is named, and nothing else.
    machine = machine_of(session, session.card.printer)
    machine.store.clog("cyan", 0.6)
    clogged = queue.carry_out(ready.order())
    lies = session.devices.table.as_printed(clogged.sheet)
    states = ready.read(clogged, session.devices.scanner.scan(lies, 9).pixels)
    assert {s.ink: s.sound for s in states} == {"cyan": False, "magenta": True, "yellow": True, "black": True}
    assert session.logbook.checks_of(clogged.number)[-1][1].cause == "cyan weak"
    # It is asked for after a pause, and before charts.
    habits = session.card.sheet.model_copy(update={"readiness_hours": 24.0})
    session.change_card("Ask", sheet=habits)
    assert "readiness-due" not in {f.code for f in session.findings}
    import datetime

    later = datetime.datetime.now() + datetime.timedelta(hours=30)
    why = ready.due(session.card, False, later)
    (found,) = [f for f in judge(Facts(session.card, readiness=why)) if f.desk == "print"]
    assert found.action == Action(Deed.READINESS)


def test_a_page_that_fails_holds_the_printer(session):
    """A dead ink is read and named, prints are held until a page is right or somebody says why not."""
    ready, queue = session.readiness, session.queue
    run = queue.carry_out(ready.order())
    assert all(s.sound for s in ready.seen(run, dict.fromkeys(INKS, True)))
    machine = machine_of(session, session.card.printer)
    for ink in ("magenta", "black"):
        machine.store.clog(ink, 0.0)
        dead = queue.carry_out(ready.order())
        lies = session.devices.table.as_printed(dead.sheet)
        states = ready.read(dead, session.devices.scanner.scan(lies, dead.number).pixels)
        assert {s.ink for s in states if not s.sound} == {ink}
        session.refresh()
        (held,) = [f for f in session.stops if f.code == "not-ready"]
        assert ink in held.title
        machine.store.clog(ink, 1.0)
    # By eye as well; and a page that is complete lets prints go again.
    ready.seen(queue.carry_out(ready.order()), dict.fromkeys(INKS, True) | {"cyan": False})
    session.refresh()
    assert "not-ready" in {f.code for f in session.stops}
    ready.seen(queue.carry_out(ready.order()), dict.fromkeys(INKS, True))
    session.refresh()
    assert "not-ready" not in {f.code for f in session.findings}
