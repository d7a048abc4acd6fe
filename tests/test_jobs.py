"""Work that lasts: every change is on disk within two seconds, and another process opens it exactly as it was."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import zipfile

import numpy as np
import pytest

from fidele.errors import FideleError
from fidele.session.jobs import Jobs
from fidele.session.model import Session
from fidele.sheet.placing import Placing
from fidele.store.jobs import export_job, is_job
from fidele.tuning.model import Tuning
from tests.fuzz.killed import again, worth
from tests.hands import click, drop, go, settle


def step(session: Session, rng: np.random.Generator) -> None:
    """Do one of the things that people do to pictures in hand."""
    pieces = session.pieces
    which = int(rng.integers(9))
    if which == 0 or not pieces.all:
        names = ("harbour-at-dusk.png", "signal-flags.png", "lanterns-no-space-stated.png")
        session.open_artwork(session.places.data / "artwork" / names[int(rng.integers(3))])
    elif which == 1:
        session.place(Placing(*rng.uniform(5, 40, 2), *rng.uniform(40, 120, 2)))
    elif which == 2:
        pieces.tune(Tuning(lift=float(rng.uniform(0, 0.4))))
    elif which == 3:
        pieces.keep(("", "black", "primaries")[int(rng.integers(3))])
    elif which == 4:
        pieces.step(1)
    elif which == 5 and pieces.current.chart is None:
        pieces.came_mirrored(bool(rng.integers(2)))
    elif which == 6:
        session.undo()
    elif which == 7:
        session.open_chart("quick")
    elif which == 8 and len(pieces.all) > 1:
        pieces.lay_aside(pieces.current.number)


def test_at_every_moment_the_work_in_hand_is_on_disk(session, places):
    session.jobs.follow()
    rng = np.random.default_rng(11)
    for number in range(45):
        step(session, rng)
        assert session.jobs.settled(20.0), "it was not written"  # within two seconds, on a machine with time for it
        if number % 5 == 4 and session.pieces.all:
            other = again(places)
            assert [worth(p) for p in other.pieces.all] == [worth(p) for p in session.pieces.all], number
            assert other.pieces.all.index(other.pieces.current) == session.pieces.all.index(session.pieces.current)
            assert other.card == session.card
    session.jobs.stop()


def test_a_killed_window_comes_back_as_it_was(places):
    # `./run fuzz kills` kills a hundred, after more steps each.
    command = [sys.executable, "-m", "tests.fuzz.killed", "3", "8"]
    environment = os.environ | {"FIDELE_DEMO": str(places.data)}
    done = subprocess.run(command, env=environment, capture_output=True, text=True, timeout=300, check=False)
    assert done.returncode == 0, done.stdout + done.stderr
    assert done.stdout.startswith("3 kills: 0 lost work")


def test_jobs_are_named_listed_copied_archived_and_sent(window, qtbot, tmp_path, places):
    session = window.session
    artwork = places.data / "artwork" / "signal-flags.png"
    drop(window, artwork)
    settle(window, qtbot)
    click(window.desk, "Jobs …")
    desk = window.desk
    (job,) = session.jobs.all()
    assert job.name == "signal-flags"
    session.jobs.name(job.id, "Regatta flags", "Tern harbour club")
    session.undo()
    assert session.jobs.current.name == "signal-flags"
    session.jobs.name(job.id, "Regatta flags", "Tern harbour club")
    session.pieces.tune(Tuning(lift=0.2))
    was = [worth(p) for p in session.pieces.all]
    desk.refresh()
    desk.export(session.jobs.current, tmp_path / "flags.zip", True)
    settle(window, qtbot)
    with zipfile.ZipFile(tmp_path / "flags.zip") as bundle:
        assert sorted(bundle.namelist()) == ["artwork/signal-flags.png", "job.json"]
    # Nothing in hand, and back again: nothing is lost and nothing is asked.
    click(desk, "New job")
    assert session.pieces.all == ()
    go(window, "Jobs")
    click(window.desk, "Open")
    settle(window, qtbot)
    assert [worth(p) for p in session.pieces.all] == was
    copy = session.jobs.duplicate(job.id)
    assert copy.title == "Regatta flags, copy, Tern harbour club"
    session.jobs.archive(copy.id)
    assert [j.id for j in session.jobs.all()] == [job.id]
    assert {j.id for j in session.jobs.all(archived=True)} == {job.id, copy.id}
    # The file that was sent, dropped on a window: it opens as it was, its picture beside it.
    assert is_job(tmp_path / "flags.zip")
    drop(window, tmp_path / "flags.zip")
    settle(window, qtbot)
    assert session.jobs.current.id not in (job.id, copy.id)
    assert [worth(p) for p in session.pieces.all] == was
    assert session.pieces.current.opened.path.is_relative_to(places.data)
    window.close()
    assert [worth(p) for p in again(places).pieces.all] == was


def test_pictures_that_moved_are_found_by_what_they_are_and_changed_ones_are_told(session, places, tmp_path):
    folder = tmp_path / "customer" / "june"
    folder.mkdir(parents=True)
    shutil.copy(places.data / "artwork" / "signal-flags.png", folder / "flags.png")
    session.jobs.follow()
    session.open_artwork(folder / "flags.png")
    session.jobs.stop()
    (folder.parent / "july").mkdir()
    (folder / "flags.png").rename(folder.parent / "july" / "flags.png")
    shutil.copy(places.data / "artwork" / "harbour-at-dusk.png", folder.parent / "flags.png")  # another one of its name
    other = again(places)
    assert other.pieces.current.opened.path == folder.parent / "july" / "flags.png"
    assert "has moved: it was found in" in other.said
    (folder.parent / "july" / "flags.png").rename(folder / "flags.png")
    shutil.copy(places.data / "artwork" / "harbour-at-dusk.png", folder / "flags.png")
    assert "flags.png was changed since" in again(places).said
    (folder / "flags.png").unlink()
    (folder.parent / "flags.png").unlink()
    lost = again(places)
    assert lost.pieces.all == ()
    assert "is gone, and was not found near it" in lost.said


def test_what_goes_wrong_is_one_sentence_and_loses_nothing(session, places, tmp_path, monkeypatch):
    from fidele.store import jobs as store

    session.jobs.follow()
    session.open_artwork(places.data / "artwork" / "signal-flags.png")
    assert session.jobs.settled()
    kept = session.jobs.store.read(session.jobs.left)

    def full(self, job):
        raise FideleError("The disk is full.")

    with monkeypatch.context() as patch:
        patch.setattr(store.JobStore, "save", full)
        session.pieces.tune(Tuning(lift=0.3))
        assert session.jobs.settled()
        session.live.deliver()
        assert session.said == "The job is not saved: The disk is full."
    assert session.jobs.store.read(session.jobs.left) == kept
    session.pieces.keep("black")
    assert session.jobs.settled()
    assert again(places).pieces.current.tuning.lift == pytest.approx(0.3)
    session.jobs.stop()
    # A file that is none, one that is cut off, one whose picture leads elsewhere.
    export_job(kept, tmp_path / "job.zip", True)
    data = (tmp_path / "job.zip").read_bytes()
    (tmp_path / "cut.zip").write_bytes(data[: len(data) // 2])
    with zipfile.ZipFile(tmp_path / "evil.zip", "w") as bundle:
        text = kept.model_dump_json().replace(str(kept.pictures[0].artwork), "artwork/../../x.png")
        bundle.writestr("job.json", text)
    for name in ("cut.zip", "evil.zip"):
        with pytest.raises(FideleError, match=r"damaged, or locked|lacks x\.png"):
            session.jobs.take_in(tmp_path / name)
    session.jobs.store._current.write(b"20990101-1")
    assert Jobs.left.fget(session.jobs) == ""
    (session.jobs.store.folder / "20260101-1.json").write_text("{")
    assert [j.id for j in session.jobs.all()] == [kept.id]
