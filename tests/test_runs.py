"""Sheets of many pieces, runs and their logbook: what a file holds, printing again, the plug pulled at any moment."""

from __future__ import annotations

import json
import os
import shutil
import signal
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import pytest
import tifffile

from fidele.artwork.depth import to_eight
from fidele.artwork.open import open_artwork
from fidele.artwork.save import save_picture
from fidele.errors import FideleError
from fidele.icc.spaces import srgb
from fidele.icc.transform import Intent, convert
from fidele.session.kept_jobs import job_again, kept_job
from fidele.session.sheets import Wanted, panel_sheets, sheets_of, use_of, write
from fidele.store.logbook import Logbook

FIDELE = Path(sys.executable).parent / "fidele"


def fidele(*arguments, home: Path) -> subprocess.CompletedProcess:
    """Run a command as somebody whose data lies in `home`."""
    env = dict(os.environ, XDG_DATA_HOME=str(home))
    return subprocess.run(
        [FIDELE, *map(str, arguments)], capture_output=True, text=True, env=env, timeout=120, check=False
    )


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


def test_a_nested_sheet_holds_each_piece_as_converted_alone(session, two, tmp_path):
    card, device, profile = session.card, session.device, session.profile
    wanted = [Wanted(open_artwork(p), *open_artwork(p).own_mm, copies=9) for p in two]
    (sheet,) = sheets_of(wanted, card, device, profile, gap=2)
    assert len(sheet.laid) == 18
    assert use_of([sheet]) == pytest.approx(sheet.use)
    out = tmp_path / "sheet.tif"
    write(sheet, card, device, out)
    with tifffile.TiffFile(out) as tiff:
        page, icc = tiff.asarray(), tiff.pages[0].iccprofile
        assert tiff.pages[0].tags["XResolution"].value == (device.ppi, 1)
    assert icc == profile.data
    piece = page[:, ::-1]  # the card mirrors
    one = sheet.laid[0]
    from fidele.sheet.page import box_of
    from fidele.sheet.resample import resampled_rows

    left, top, wide, high = box_of(one.placing, device.ppi)
    pixels = resampled_rows(np.rot90(one.artwork.laid, one.quarters), wide, high)
    alone = np.full((page.shape[0], page.shape[1], 3), 65535, np.uint16)
    alone[top : top + high, left : left + wide] = convert(pixels, srgb(), profile, card.intent, card.bpc)
    dithered = to_eight(np.ascontiguousarray(alone[:, ::-1]))[:, ::-1]
    assert np.array_equal(piece[top : top + high, left : left + wide], dithered[top : top + high, left : left + wide])
    # Too many for one sheet: the next takes the rest. Too large: refused, and possible in panels.
    assert len(sheets_of([Wanted(wanted[0].artwork, 150, 100, 5)], card, device, profile)) > 1
    large = Wanted(wanted[0].artwork, 500, 333)
    with pytest.raises(FideleError, match="print it in panels"):
        sheets_of([large], card, device, profile)
    parted, made = panel_sheets(large, card, device, profile, overlap=8)
    assert len(made) == len(parted.panels) > 3
    assert sum(p.width for p in parted.panels if p.row == 0) == pytest.approx(500 + 8 * len(parted.across))


def test_a_run_is_printed_again_exactly_as_it_was(session, two):
    session.open_artwork(two[0])
    first = session.print_job(session.job())
    kept = session.logbook.run(first.number)
    assert kept.state == "printed"
    assert json.loads(kept.job)["artwork"] == str(two[0])
    before = session.device.settings()
    # Everything is changed since; the run is printed as it was.
    session.change_card("other", intent=Intent.SATURATION, bpc=False)
    session.device.choose("Light", 5)
    again = job_again(session, kept)
    assert (again.card.intent.value, again.placing) == ("perceptual", first.job.placing)
    session.put_in_force(again.card)
    session.device.bring(again.card)
    session.refresh()
    second = session.print_job(again)
    assert session.device.settings() == before
    a, b = (session.workshop.press(r.sheet, "ceramic tile", r.job.card.press).xyz() for r in (first, second))
    spot = np.s_[200:-200:7, 200:-200:7]
    assert np.abs(a[spot].mean(axis=(0, 1)) - b[spot].mean(axis=(0, 1))).max() < 1e-3
    assert kept_job(first.job) == kept_job(second.job)
    # The file was changed, or is gone: one sentence.
    save_picture(two[0], np.zeros((30, 30, 3), np.uint8), srgb(), 300)
    with pytest.raises(FideleError, match="was changed since run 1"):
        job_again(session, kept)
    two[0].unlink()
    with pytest.raises(FideleError, match="is gone"):
        job_again(session, kept)
    with pytest.raises(FideleError, match="no run 99"):
        session.logbook.run(99)
    # A chart is repeated too, by what its page says of itself.
    session.open_chart("quick")
    chart = session.print_job(session.job())
    assert job_again(session, session.logbook.run(chart.number)).chart.digest == chart.job.chart.digest


PRINTS = """
import sys
from pathlib import Path
from fidele.session.model import Session
from fidele.session.places import Places
session = Session(Places.under(Path(sys.argv[1])))
session.open_artwork(Path(sys.argv[2]))
print("ready", flush=True)
for _ in range(50):
    session.print_job(session.job(), overridden="test")
    print("printed", flush=True)
"""


@pytest.mark.parametrize("seed", range(2))
def test_the_plug_is_pulled_while_printing(session, places, two, seed):
    """Whatever the moment: every finished run is there, and the one that was cut off is told; nothing is damaged."""
    child = subprocess.Popen(
        [sys.executable, "-c", PRINTS, str(places.data), str(two[1])], stdout=subprocess.PIPE, text=True
    )
    assert child.stdout.readline() == "ready\n"
    child.stdout.readline()
    time.sleep(float(np.random.default_rng(seed).uniform(0, 1.2)))
    child.send_signal(signal.SIGKILL)
    said = 1 + child.stdout.read().count("printed")
    child.wait()
    book = Logbook(places.logbook)
    assert book.rescued is None
    cut_off = book.interrupted()
    states = [r.state for r in book.runs()]
    assert len(cut_off) <= 1
    # What was said to be printed is; one more may have ended before it could be said.
    assert said <= states.count("printed") <= said + 1
    assert set(states) <= {"printed", "interrupted"}
    assert states.count("interrupted") == len(cut_off)
    assert book.interrupted() == []
    from fidele.session.model import Session

    assert Session(places).card is not None


def test_sheets_and_runs_from_a_shell(places, two, tmp_path):
    home = tmp_path / "home"
    shutil.copytree(places.data, home / "fidele")
    shutil.copytree(places.profiles, home / "icc")
    card = ("--condition", "house-number-tiles")
    done = fidele("sheet", *two, *card, "--out", tmp_path / "s.tif", "--copies", "6", "--nest", "--json", home=home)
    assert done.returncode == 0, done.stderr
    (row,) = json.loads(done.stdout)
    assert row["pieces"] == 12
    assert tifffile.imread(row["file"]).shape == (3508, 2480, 3)
    for wrong, words in ((("--size", "0x20mm"), "is no size"), (("--size", "900x20mm"), "print it in panels")):
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
    listed = json.loads(fidele("runs", "--json", "--search", "p1 printed", home=home).stdout)
    assert [(r["id"], r["state"], r["condition"]) for r in listed] == [
        (2, "printed", "House-number tiles"),
        (1, "printed", "House-number tiles"),
    ]
