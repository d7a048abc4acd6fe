"""Sheets of many pieces, runs and their logbook: what a file holds, printing again, the plug pulled at any moment."""

from __future__ import annotations

import datetime
import json
import os
import shutil
import sqlite3
import subprocess
import sys
from contextlib import closing
from dataclasses import replace
from pathlib import Path

import imagecodecs
import numpy as np
import pytest
import tifffile

from fidele.artwork.depth import to_eight
from fidele.artwork.replace import Replacement
from fidele.artwork.save import save_picture
from fidele.bench.printer import Machine
from fidele.errors import FideleError
from fidele.icc.spaces import srgb
from fidele.icc.transform import Intent, convert
from fidele.run.kept import job_again, kept_job
from fidele.run.log import compared, export, facts, matching, totals
from fidele.run.page import prepare_page
from fidele.run.queue import HeldError
from fidele.session.blanks import Blank, OwnSheet
from fidele.session.model import Session
from fidele.session.piece import Copy, PanelPlan
from fidele.sheet.page import box_of
from fidele.sheet.placing import Placing
from fidele.sheet.resample import resampled_rows
from fidele.store.logbook import Logbook
from fidele.tiles import CancelledError
from fidele.tuning.model import Tuning
from tests import shell
from tests.hands import machine_of
from tests.thorough import part


def fidele(*arguments, home: Path) -> subprocess.CompletedProcess:
    """Run a command as somebody whose data lies in `home`."""
    return shell.fidele(*arguments, env=dict(os.environ, XDG_DATA_HOME=str(home)))


@pytest.fixture
def two(tmp_path) -> list[Path]:
    """Two small pictures of 300 ppi."""
    rng = np.random.default_rng(0)
    paths = []
    for number, shape in enumerate(((240, 360), (300, 200))):
        path = tmp_path / f"p{number}.png"
        save_picture(path, rng.integers(0, 256, (*shape, 3), dtype=np.uint8), srgb(), 300)
        paths.append(path)
    return paths


def test_a_nested_sheet_holds_each_piece_as_converted_alone(session, two):
    """What the bench receives, piece by piece, against a plain conversion; what does not go on it is said."""
    card, device, profile = session.card, session.device, session.profile
    session.change_card("gap", sheet=card.sheet.model_copy(update={"gap": 2.0}))
    for path in two:
        session.open_artwork(path)
        session.laying.copies(session.pieces.need().number, 9)
    session.laying.gather(p.number for p in session.pieces.all)
    assert session.laying.nest() == pytest.approx(session.sheet.use(0))
    assert session.sheet.pages == 1
    job = session.job()
    assert len(job.lying) == 18
    page = prepare_page(job, device)
    piece = page[:, ::-1]  # the card mirrors
    for one in job.lying:
        left, top, wide, high = box_of(one.placing, device.format.ppi)
        pixels = resampled_rows(np.rot90(one.artwork.laid, one.placing.quarters), wide, high)
        alone = np.full((page.shape[0], page.shape[1], 3), 65535, np.uint16)
        alone[top : top + high, left : left + wide] = convert(pixels, srgb(), profile, card.intent, card.bpc)
        dithered = to_eight(np.ascontiguousarray(alone[:, ::-1]))[:, ::-1]
        spot = np.s_[top : top + high, left : left + wide]
        assert np.array_equal(piece[spot], dithered[spot])
    # Too many for one sheet: the next takes the rest. Too large: refused, and possible in panels.
    number = session.pieces.need().number
    session.laying.size(number, 90, 60, "x")
    session.laying.nest()
    assert session.sheet.pages == len(session.sheet.jobs()) > 1
    session.laying.size(number, 500, 333, "x")
    with pytest.raises(FideleError, match="print it in panels"):
        session.laying.nest()
    session.laying.apart(number)
    assert "sheet-too-small" in {f.code for f in session.stops}
    session.laying.part(PanelPlan(8.0, skip=frozenset({"B2"})))
    parted = session.sheet.panels
    assert len(session.sheet.jobs()) == len(parted.panels) - 1 > 3
    assert sum(p.width for p in parted.panels if p.row == 0) == pytest.approx(500 + 8 * len(parted.across))


def test_a_run_is_printed_again_exactly_as_it_was(session, two):
    session.open_artwork(two[0])
    session.pieces.tune(Tuning(lift=0.4, contrast=10))
    session.pieces.replace_colours((Replacement((1.0, 1.0, 1.0), (0.9, 0.9, 0.9), 0.1),), "soften")
    session.laying.turn({(session.pieces.need().number, 0)}, 20)
    first = session.print_job(session.job())
    kept = session.logbook.run(first.number)
    assert (kept.state, json.loads(kept.job)["lying"][0]["artwork"]) == ("printed", str(two[0]))
    assert np.ptp(imagecodecs.png_decode(session.logbook.thumbnails([kept.id])[kept.id]), axis=(0, 1)).min() > 30
    before = session.device.settings()
    # Everything is changed since, the profile itself is gone; the run is printed as it was, and nothing else moved.
    page = prepare_page(first.job, session.device)
    session.change_card("other", intent=Intent.SATURATION, bpc=False)
    session.device.choose("Light", 5)
    session.profiles.remove(session.card.profile)
    changed = session.device.settings()
    again = session.queue.again(first.number)
    second = session.queue.carry_out(again)
    assert np.array_equal(page, prepare_page(replace(second.job, number=0), session.device))
    assert session.device.settings() == changed != before
    assert all(second.receipt[k] == v for k, v in before.items())
    assert second.receipt["differs"] == []
    a, b = (session.devices.press.press(r.sheet, "ceramic tile", r.job.card.press).xyz() for r in (first, second))
    spot = np.s_[200:-200:7, 200:-200:7]
    assert np.abs(a[spot].mean(axis=(0, 1)) - b[spot].mean(axis=(0, 1))).max() < 1e-3
    assert json.loads(kept_job(first.job)) == json.loads(kept_job(second.job))
    assert compared(kept, session.logbook.run(again)) == []
    # The file was changed, or is gone: one sentence.
    save_picture(two[0], np.zeros((30, 30, 3), np.uint8), srgb(), 300)
    with pytest.raises(FideleError, match="was changed since run 1"):
        job_again(session.kept_sources(), kept)
    two[0].unlink()
    with pytest.raises(FideleError, match="is gone"):
        job_again(session.kept_sources(), kept)
    with pytest.raises(FideleError, match="no run 99"):
        session.logbook.run(99)


def test_a_run_that_waits_is_edited_renewed_and_every_step_taken_back(session, two):
    queue, queueing = session.queue, session.queueing
    session.open_artwork(two[0])
    session.laying.copies(session.pieces.need().number, 2)
    first, second, third = (queue.order(session.job(), hold=True) for _ in range(3))
    # Every step of the queue can be taken back, the order too.
    queueing.move(third, first)
    queueing.cancel(second)
    queueing.release(third)
    assert states(session) == [(third, "waiting"), (first, "held")]
    for _ in range(3):
        session.undo()
    assert states(session) == [(first, "held"), (second, "held"), (third, "held")]
    # A picture that was changed on disk holds its run, which stays in the queue; renewed, it is printed as it is now.
    save_picture(two[0], np.full((240, 360, 3), 90, np.uint8), srgb(), 300)
    queueing.release(first)
    with pytest.raises(FideleError, match="was changed since run 1 was ordered"):
        queue.carry_out(first)
    assert states(session)[0] == (first, "held")
    assert "Order it anew" in queue.entries()[0].why
    session.change_card("other", intent=Intent.SATURATION, bpc=False)
    renewed = queueing.renew(first)()
    assert states(session) == [(renewed, "held"), (second, "held"), (third, "held")], "in its very place"
    assert session.logbook.run(first).why == f"replaced by run {renewed}"
    assert json.loads(session.logbook.run(renewed).card)["intent"] == "saturation"
    assert (queue.carry_out(renewed).job.lying[0].artwork.pixels == 90).all()
    # Edited: its pictures come into hand, one copy more, and it goes back into its place as another run.
    opened = queueing.edit(second)(lambda _: True)
    session.jobs.take(opened)
    (piece,) = session.pieces.all
    assert len(piece.copies) == 2
    session.laying.copies(piece.number, 3)
    put = queue.order(session.job(), hold=True)
    queueing.put_back([put])
    assert states(session) == [(put, "held"), (third, "held")]
    assert len(json.loads(session.logbook.run(put).job)["lying"]) == 3
    # Left alone, it is as it was, held or waiting; another one that is edited meanwhile leaves it so too.
    queueing.edit(third)
    queueing.leave()
    assert (states(session)[1], queueing.editing) == ((third, "held"), 0)
    queueing.release(third)
    queueing.edit(third)
    queueing.edit(put)
    assert dict(states(session))[third] == "waiting"
    queueing.leave()
    # What waits is never there twice while it is ordered anew, also where that fails.
    anew = queueing.renew(third)
    assert dict(states(session))[third] == "held"
    save = two[0].read_bytes()
    two[0].unlink()
    with pytest.raises(FideleError, match="is gone"):
        anew()
    assert dict(states(session))[third] == "waiting"
    two[0].write_bytes(save)
    third = queueing.renew(third)()
    assert dict(states(session))[third] == "waiting"
    assert len(states(session)) == 2
    session.open_chart("control")
    chart = queue.order(session.job(), hold=True)
    with pytest.raises(FideleError, match="is a chart"):
        queueing.edit(chart)


def states(session) -> list[tuple[int, str]]:
    return [(e.id, e.state) for e in session.queue.entries()]


def test_the_queue_goes_on_whatever_happens_to_a_run(session, two, tmp_path):
    queue, machine = session.queue, machine_of(session, session.card.printer)
    session.open_artwork(two[0])
    job, other = session.job(), session.card.model_copy(update={"id": "other", "name": "Other work"})
    numbers = [queue.order(job), queue.order(replace(job, card=other)), queue.order(job, hold=True), queue.order(job)]
    # Like work stands together, and can be moved.
    assert [n for n, _ in states(session)] == [1, 3, 4, 2]
    queue.move(2, 1)
    assert [n for n, _ in states(session)] == [2, 1, 3, 4]
    assert queue.next() == 2
    queue.hold(2, datetime.datetime.now() + datetime.timedelta(hours=1))
    assert queue.next() == 1
    queue.paused = True
    assert queue.next() is None
    queue.paused = False
    # Started again, everything still waits, stands still, and it is said.
    later = Session(session.places)
    assert (states(later), later.queue.paused, "wait in the queue" in later.said) == (states(session), True, True)
    # Prepared, it waits; printed then, its page was there already.
    queue.carry_out(1, only_prepare=True)
    assert (queue.entries()[1].why, queue.spool.prepared(1)) == ("prepared; waits for your word", True)
    queue.release(1)
    # The printer goes away in mid-run: said, kept, and the next is printed all the same.
    seen = []

    def pull(share: float) -> bool:
        seen.append(share)
        if share > 0.7:
            machine.store.switch(False)
        return True

    with pytest.raises(FideleError, match="stopped answering in mid-run"):
        queue.carry_out(1, pull)
    machine.store.switch(True)
    assert session.logbook.run(1).state == "failed"
    assert not queue.spool.prepared(1)
    assert queue.next() == 4
    assert queue.carry_out(4).number == 4
    # Cancelled while it waits, and in the middle.
    queue.cancel(3)
    queue.release(2)
    with pytest.raises(CancelledError):
        queue.carry_out(2, lambda share: share < 0.6)
    assert [session.logbook.run(n).state for n in numbers] == ["failed", "cancelled", "cancelled", "printed"]
    assert queue.entries() == []
    # What is wrong with the route by then holds it, with the reason; the artwork may be another by then.
    held, changed = queue.order(job), queue.order(job)
    session.device.system.assign(session.shelf.find(session.card.profile).path)
    with pytest.raises(HeldError, match="Two conversions"):
        queue.carry_out(held)
    assert dict(states(session))[held] == "held"
    session.device.system.assign(None)
    save_picture(two[0], np.zeros((30, 30, 3), np.uint8), srgb(), 300)
    with pytest.raises(FideleError, match="was changed since"):
        queue.carry_out(changed)
    # To a file, by the same way.
    session.open_artwork(two[1])
    target = tmp_path / "out.pdf"
    run = queue.carry_out(queue.order(session.job(), target=target))
    assert run.sheet is None
    assert b"GTS_PDFX" in target.read_bytes()
    with pytest.raises(FideleError, match=r"written as \.tif"):
        queue.carry_out(queue.order(session.job(), target=tmp_path / "out.xyz"))


def test_settings_go_with_the_job_and_the_receipt_is_compared(session, two):
    session.open_artwork(two[0])
    number = session.queue.order(session.job())
    sent = json.loads(session.logbook.run(number).settings)
    # A preset is lost after it was ordered: nothing of that reaches the print.
    session.device.reset()
    assert session.device.settings() != sent
    run = session.queue.carry_out(number)
    assert {k: run.receipt[k] for k in sent} == sent
    assert run.receipt["differs"] == []
    assert sum(run.receipt["ink ml"].values()) > 0
    # What an administrator holds does not give way: the receipt says so.
    session.handoff.bring()
    number = session.queue.order(session.job())
    driver = machine_of(session, session.card.printer).driver
    driver.change("Blend", "Velm bright")
    driver.hold("Blend")
    with pytest.raises(HeldError):
        session.queue.carry_out(number)
    job = session.job()
    session.refresh()
    passed = session.stops
    number = session.queue.order(job, "must go out", passed, settings=sent)
    session.take_run(session.queue.carry_out(number))
    assert session.run.receipt["differs"] == ["Blend: Velm bright instead of Untouched"]
    session.refresh()
    assert "receipt-differs" in {f.code for f in session.findings}
    kept = session.logbook.run(number)
    assert json.loads(kept.passed)[0][0] == passed[0].code
    assert ("Because", "must go out") in {(f.name, f.value) for f in facts(kept)}


def test_the_logbook_tells_and_survives(session, places, two, tmp_path, monkeypatch):
    session.open_artwork(two[0])
    for k in range(3):
        session.take_run(session.press_run(session.print_job(session.job())))
        session.change_card(f"i{k}", intent=(Intent.SATURATION, Intent.RELATIVE, Intent.PERCEPTUAL)[k])
    book = session.logbook
    runs = book.everything()
    assert [(r.id, r.state) for r in runs] == [(3, "printed"), (2, "printed"), (1, "printed")]
    assert {name for name, _, _ in compared(runs[2], runs[1])} - {"Receipt: Ink, ml"} == {"Intent"}
    took = totals(runs)
    assert took.printed == 3
    assert took.square_metres == pytest.approx(3 * 0.210 * 0.297, rel=1e-6)
    assert [r.id for r in matching(runs, "p0 house")] == [3, 2, 1]
    assert matching(runs, "nothing like it") == matching(runs, "", "failed") == []
    export(runs, tmp_path / "log.csv")
    assert (tmp_path / "log.csv").read_text().count("\n") == 4
    export(runs, tmp_path / "log.json")
    assert json.loads((tmp_path / "log.json").read_text())[0]["press"][0]["condition"] == "House-number tiles"
    with pytest.raises(FideleError, match=r"as \.csv or"):
        export(runs, tmp_path / "log.xls")
    # Damaged in the middle: what can be read is saved, the rest is kept aside, and it is said.
    whole = bytearray(places.logbook.read_bytes())
    spoilt = len(whole) - 4096 * 2
    whole[spoilt : spoilt + 6000] = bytes(6000)
    places.logbook.write_bytes(whole)
    again = Logbook(places.logbook)
    assert again.rescued is not None
    assert again.saved >= 1
    assert len(again.everything()) == again.saved
    places.logbook.write_bytes(b"SQLite no more" * 400)
    with pytest.raises(FideleError, match=r"cannot be read: .* At the next start"):
        again.runs()
    last = Logbook(places.logbook)
    assert (last.saved, last.rescued.name) == (0, "logbook.damaged-1")
    # In use by another for long, it is nobody's to move aside; taken away, it is begun anew.
    with closing(sqlite3.connect(places.logbook, isolation_level=None)) as other:
        other.execute("BEGIN EXCLUSIVE")
        connect = sqlite3.connect
        with monkeypatch.context() as hurried:
            hurried.setattr(sqlite3, "connect", lambda path, **options: connect(path, **(options | {"timeout": 0})))
            with pytest.raises(FideleError, match="locked"):
                Logbook(places.logbook)
    assert not places.logbook.with_suffix(".damaged-2").exists()
    places.logbook.unlink()
    assert last.runs() == []
    # The clock was set back: the last run lies in the future.
    assert last.clock_behind() is None
    monkeypatch.setattr("fidele.store.logbook._now", lambda: "2099-01-01T00:00:00")
    last.add_run("x", "{}", None, {}, {}, "")
    assert last.clock_behind().year == 2099


FULL = """
import os, sys
from pathlib import Path
from fidele.errors import FideleError
from fidele.session.model import Session
from fidele.session.places import Places
session = Session(Places.under(Path(sys.argv[1])))
session.open_artwork(Path(sys.argv[2]))
number = session.queue.order(session.job(), "test", session.stops)
import resource, signal
signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
resource.setrlimit(resource.RLIMIT_FSIZE, (2_000_000, 2_000_000))
try:
    session.queue.carry_out(number)
except FideleError as error:
    print(error)
print(session.logbook.run(number).state, list((session.places.work / "spool").iterdir()))
"""


def test_a_disk_that_is_full_while_preparing_leaves_nothing_behind(session, places, two):
    done = subprocess.run(
        [sys.executable, "-c", FULL, str(places.data), str(two[0])], capture_output=True, text=True, check=True
    )
    sentence, state = done.stdout.splitlines()
    assert "run-1.npy cannot be written" in sentence
    assert state == "failed []"


KILLED = """
import dataclasses, os, random, signal, sys
from pathlib import Path
from fidele.bench import wren
wren.MODEL = dataclasses.replace(wren.MODEL, resolution=40)
from fidele.session.model import Session
from fidele.session.places import Places
from fidele.store.logbook import Logbook
places, picture, rng = Places.under(Path(sys.argv[1])), Path(sys.argv[2]), random.Random(7)
first = Session(places)
first.open_artwork(picture)
first.print_job(first.job(), overridden="to have everything loaded before the first fork")
said, cut_off = 1, 0
for _ in range(int(sys.argv[3])):
    out, into = os.pipe()
    pid = os.fork()
    if pid == 0:
        session = Session(places)
        session.open_artwork(picture)
        while True:
            os.write(into, b"s")
            number = session.queue.order(session.job(), "test", session.stops)
            session.queue.carry_out(number, lambda _: os.write(into, b"s") == 1)
            os.write(into, b"p")
    os.close(into)
    # Killed at a step that was seen, however long it took: one of four before the first run can be done.
    for _ in range(rng.choice((rng.randint(1, 12), *(rng.randint(10, 40) for _ in range(3))))):
        said += os.read(out, 1) == b"p"
    os.kill(pid, signal.SIGKILL)
    os.waitpid(pid, 0)
    while told := os.read(out, 4096):
        said += told.count(b"p")
    os.close(out)
    book = Logbook(places.logbook)
    assert book.rescued is None
    gone = book.interrupted()
    cut_off += len(gone)
    states = [r.state for r in book.everything()]
    # What was said to be printed is; at most one for each kill may have ended before it could be said.
    assert said <= states.count("printed"), (said, states)
    said = states.count("printed")
    assert len(gone) <= 1 and book.interrupted() == []
    assert set(states) <= {"printed", "interrupted", "waiting"}
    # What waits is still whole, and its page is swept away or good.
    for entry in book.queued():
        assert entry.state == "waiting"
        book.end_run(entry.id, "cancelled", {})
        book.end_run(entry.id, "interrupted", {})
last = Session(places)
assert list((places.work / "spool").glob("*")) == []
number = last.queue.carry_out(last.queue.again(1)).number if said else 0
print(said, cut_off, number > 0)
"""


def test_the_plug_is_pulled_at_any_moment(session, places, two):
    """Whatever the moment: every finished run is there, the one that was cut off is told, and nothing is half done."""
    child = subprocess.run(
        [sys.executable, "-c", KILLED, str(places.data), str(two[1]), str(part(100, 24))],
        capture_output=True,
        text=True,
        check=False,
    )
    assert child.returncode == 0, child.stderr
    printed, cut_off, again = child.stdout.split()
    assert int(printed) > part(20, 4)
    assert int(cut_off) > part(20, 4)
    assert again == "True"


def test_sheets_and_runs_from_a_shell(places, two, tmp_path):
    home = tmp_path / "home"
    shutil.copytree(places.data, home / "fidele")
    shutil.copytree(places.profiles, home / "icc")
    card = ("--condition", "house-number-tiles")
    done = fidele("sheet", *two, *card, "--out", tmp_path / "s.tif", "--copies", "6", "--nest", "--json", home=home)
    assert done.returncode == 0, done.stderr
    (row,) = json.loads(done.stdout)
    assert row["pieces"] == 12
    assert tifffile.imread(row["file"]).shape == (1754, 1240, 3)  # the bench prints at 150 dpi here
    for wrong, words in ((("--size", "0x20mm"), "is no size"), (("--size", "900x600mm"), "print it in panels")):
        refused = fidele("sheet", two[0], *card, *wrong, "--out", tmp_path / "x.tif", home=home)
        assert refused.returncode == 2
        assert words in refused.stderr
        assert refused.stderr.count("\n") == 1
        assert not (tmp_path / "x.tif").exists()
    # The demo's driver converts as well, so printing is held but for a reason; it goes on past what is missing.
    gone = tmp_path / "gone.png"
    printed = fidele("print", gone, two[1], *card, "--reason", "a proof", home=home)
    assert printed.returncode == 1
    assert "gone.png" in printed.stderr
    assert printed.stdout == "run 1: p1.png is printed.\n"
    again = fidele("runs", "repeat", "1", home=home)
    assert again.stdout == "run 2: run 1 is printed again, as it was.\n", again.stderr
    assert fidele("runs", "compare", "1", "2", home=home).stdout == "Runs 1 and 2 do not differ.\n"
    assert fidele("runs", "export", tmp_path / "log.csv", home=home).stdout.endswith("log.csv: 2 runs.\n")
    listed = json.loads(fidele("runs", "--json", "--search", "p1 printed", home=home).stdout)
    assert [(r["id"], r["state"], r["condition"]) for r in listed] == [
        (2, "printed", "House-number tiles"),
        (1, "printed", "House-number tiles"),
    ]


def test_sheets_that_cannot_be_are_refused_in_a_sentence(session, two):
    base = session.sheet.base
    blanks = session.sheet.blanks
    for wrong, words in (
        (lambda: blanks.add_sheet(OwnSheet("none", 0, 100, "A4"), base), "has no size"),
        (lambda: blanks.add_sheet(OwnSheet("scrap", 4, 4, "A4"), base), "smaller than its margins"),
        (lambda: blanks.add_sheet(OwnSheet("wide", 400, 100, "A4"), base), "larger than A4"),
        (lambda: blanks.add_blank(Blank("", 10, 10)), "needs a name"),
        (lambda: blanks.add_blank(Blank("flat", 0, 10)), "has no size"),
    ):
        with pytest.raises(FideleError, match=words):
            wrong()
    assert blanks.sheets == ()
    session.open_artwork(two[0])
    number = session.pieces.need().number
    for wrong, words in (
        (lambda: session.laying.size(number, 0, 10, "x"), "0 mm"),
        (lambda: session.laying.copies(number, 0), "Between 1 and"),
        (lambda: session.laying.repeat(number, 50, 50), "do not go on the sheet"),
        (lambda: session.laying.largest(number, 150), "leaves nothing"),
        (lambda: session.laying.part(PanelPlan(5000.0)), "leaves nothing"),
    ):
        with pytest.raises(FideleError, match=words):
            wrong()
    assert len(session.pieces.need().copies) == 1
    # A sheet of one's own size is kept, and nothing lies beyond it.
    blanks.add_sheet(OwnSheet("offcut", 120, 90, "A4"), base)
    session.conditions.own_sheet("offcut")
    session.laying.largest(number, 5)
    x0, y0, x1, y1 = session.placing.bounds
    assert (x0, y0) == pytest.approx((45 + 2 + 5, 103.5 + (90 - (y1 - y0)) / 2))
    assert x1 - x0 == pytest.approx(120 - 2 * (2 + 5))
    again = type(blanks)(session.places.data / "blanks.json")
    assert again.sheet("offcut") == blanks.sheet("offcut")
    # Other proportions than the file's are told, and mended by a button.
    session.conditions.own_sheet("")
    session.laying.size(number, 60, 60, "square")
    (told,) = [f for f in session.findings if f.code == "stretched"]
    assert "33 % narrower" in told.title
    session.act(told.action)
    assert session.placing.height == pytest.approx(40)
    assert "stretched" not in {f.code for f in session.findings}
    # On a blank, it covers it with its bleed, whatever its own proportions.
    session.laying.on_blank(number, "Tile 108 x 108")
    piece = session.pieces.need()
    assert (piece.placing.width, piece.placing.height) == (112, 112)
    assert piece.behind[2] > 112
    (session.places.data / "blanks.json").write_text("{")
    type(blanks)(session.places.data / "blanks.json").add_sheet(OwnSheet("offcut", 120, 90, "A4"), base)
    assert (session.places.data / "blanks.json.damaged").read_text() == "{"


@pytest.mark.parametrize("seed", range(4))
def test_what_the_bench_receives_is_exact(session, two, monkeypatch, seed):
    """Random sheets as they reach the machine: place, size, mirror, and the very colours of a plain conversion."""
    rng, device = np.random.default_rng(seed), session.device
    if seed % 2:
        session.change_card("through glass", seen_from="back", mirror_by="nobody")
    received = []
    prints = Machine.print_page
    monkeypatch.setattr(
        Machine, "print_page", lambda m, page, told=None: (received.append(page), prints(m, page, told))[1]
    )
    for path in two:
        session.open_artwork(path)
        wide, high = session.artwork.own_mm
        copies = tuple(
            Copy(
                Placing.at(
                    6 + 66 * k + rng.uniform(0, 3),
                    y + rng.uniform(0, 9),
                    wide * float(f),
                    high * float(f),
                    90.0 * int(rng.integers(4)),
                )
            )
            for k, f, y in zip(range(3), rng.uniform(0.6, 1.9, 3), (10 + 110 * (path == two[1]),) * 3, strict=True)
        )
        session.pieces.change("lay", copies=copies)
    session.laying.gather([p.number for p in session.pieces.all])
    session.queue.carry_out(session.queue.order(session.job(), "test", session.stops))
    (page,) = received
    seen = np.asarray(page)[:, ::-1] if session.card.mirror_by == "fidele" else np.asarray(page)
    bare = np.ones(seen.shape[:2], bool)
    for one in session.job().lying:
        left, top, wide, high = box_of(one.placing, device.format.ppi)
        edges = np.array(one.placing.bounds) / 25.4 * device.format.ppi
        assert np.abs(edges - [left, top, left + wide, top + high]).max() <= 1.0
        assert max(abs(left - edges[0]), abs(top - edges[1]), abs(wide - edges[2] + edges[0])) <= 0.5 + 1e-9
        pixels = resampled_rows(np.rot90(one.artwork.laid, one.placing.quarters), wide, high)
        wanted = convert(pixels, srgb(), session.profile, session.card.intent, session.card.bpc)
        spot = np.s_[top : top + high, left : left + wide]
        # Eight bits of sixteen, dithered by a threshold that depends on the place: one code away at most.
        assert np.abs(seen[spot].astype(float) - wanted / 257.0).max() <= 1.0
        bare[spot] = False
    assert (seen[bare] == 255).all()


FULL_AT_EACH = """
import dataclasses, errno, os, sys
from pathlib import Path
from fidele.bench import wren
wren.MODEL = dataclasses.replace(wren.MODEL, resolution=40)
from fidele.errors import FideleError
from fidele.run.log import export
from fidele.run.page import page_bands
from fidele.session.model import Session
from fidele.session.places import Places
from fidele.sheet.write import write_sheet
from fidele.store.logbook import Logbook

def sheet(session):
    job = session.sheet.jobs()[0]
    pixels, bands = page_bands(job, session.device)
    write_sheet(out / "sheet.tif", bands, pixels, job.profile, session.device.format.ppi)

places, picture, out = Places.under(Path(sys.argv[1])), Path(sys.argv[2]), Path(sys.argv[3])
really, refusals, written = os.fsync, 0, 0
first = Session(places)
first.open_artwork(picture)
first.print_job(first.job(), overridden="to have everything loaded before the first fork")
for k in range(1000):
    pipe, into = os.pipe()
    pid = os.fork()
    if pid == 0:
        count = 0
        def full(file):
            global count
            count += 1
            if count > k:  # and full it stays
                raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))
            really(file)
        os.fsync = full
        session, said = Session(places), 0
        steps = (
            lambda: session.customers.add(f"Tern {k}", "#123456"),
            lambda: session.change_card(f"note {k}", notes=f"note {k}"),
            lambda: session.profiles.say(session.card.profile, "notes", f"note {k}"),
            lambda: session.profiles.roles.choose("screen", f"abc{k}"),
            lambda: session.open_artwork(picture),
            lambda: session.press_run(session.print_job(session.job(), overridden="test")),
            lambda: export(session.logbook.everything(), out / "runs.csv"),
            lambda: session.conditions.export(session.card.id, out / "card.zip"),
            lambda: sheet(session),
        )
        for step in steps:
            try:
                step()
            except FideleError as error:
                assert "no space left" in str(error), error
                said += 1
        os.write(into, b"%d %d" % (said, count))
        os._exit(0)
    os.close(into)
    assert os.waitpid(pid, 0)[1] == 0, k
    said, count = map(int, os.read(pipe, 99).split())
    os.close(pipe)
    refusals += said
    session = Session(places)
    assert session.damaged() == [], session.damaged()
    assert session.logbook.rescued is None
    assert session.cards.cards()
    assert not [p for p in [*places.data.rglob(".fidele-*"), *out.iterdir()] if p.name.startswith(".fidele-")]
    assert {r.state for r in session.logbook.everything()} <= {"printed", "interrupted", "waiting", "failed"}
    for entry in session.queue.entries():
        session.logbook.end_run(entry.id, "cancelled", {})
        session.logbook.end_run(entry.id, "interrupted", {})
    if not said:
        break
print(k, refusals)
"""


def test_a_disk_that_is_full_at_each_write_loses_nothing(session, places, two, tmp_path):
    (tmp_path / "out").mkdir()
    child = subprocess.run(
        [sys.executable, "-c", FULL_AT_EACH, str(places.data), str(two[1]), str(tmp_path / "out")],
        capture_output=True,
        text=True,
        check=False,
    )
    assert child.returncode == 0, child.stderr
    writes, refusals = map(int, child.stdout.split())
    assert writes >= 8
    assert refusals >= 20
