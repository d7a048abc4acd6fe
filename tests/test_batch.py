"""Many files converted at once: asked about once, nothing on a guess, each told of in the report."""

from __future__ import annotations

import csv

import numpy as np
import pytest
import tifffile
from PIL import Image, ImageCms

from fidele.errors import FideleError
from fidele.icc.spaces import srgb
from fidele.icc.transform import Intent, convert
from fidele.session.batch import REPORT, pictures_in
from fidele.tiles import CancelledError
from tests.hands import choose, click, drop, go, settle


@pytest.fixture
def folder(tmp_path):
    """A customer's folder: pictures that state sRGB, some that state nothing, one cut off, and what is no picture."""
    made = tmp_path / "from the customer"
    (made / "flags").mkdir(parents=True)
    rng = np.random.default_rng(5)
    stated = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()
    for number in range(4):
        picture = Image.fromarray(rng.integers(0, 255, (30, 40, 3), np.uint8))
        picture.save(made / f"stated-{number}.png", icc_profile=stated)
        picture.save(made / "flags" / f"silent-{number}.png")
    (made / "cut.png").write_bytes((made / "stated-0.png").read_bytes()[:900])
    (made / "notes.txt").write_text("please hurry")
    (made / ".hidden.png").write_bytes(b"x")
    return made


def rows_of(report) -> dict[str, list[str]]:
    """The rows of a report by the picture's name."""
    with report.open(newline="", encoding="utf-8") as source:
        return {row[0].rpartition("/")[2]: row for row in list(csv.reader(source))[1:]}


def test_a_folder_is_asked_about_once_and_each_picture_is_told_of(window, folder, tmp_path, qtbot):
    go(window, "Batch")
    desk, batch, out = window.desk, window.session.batch, tmp_path / "out"
    out.mkdir()
    drop(window, folder)
    settle(window, qtbot)
    assert [one.path.name for one in batch.listed] == [
        "cut.png",
        *(f"silent-{n}.png" for n in range(4)),
        *(f"stated-{n}.png" for n in range(4)),
    ]
    assert batch.questions() == {"RGB": 4}
    assert not desk.go_on.isEnabled(), "nothing is converted on a guess"
    with pytest.raises(FideleError, match="Say first"):
        batch.converting(desk.order(), out)
    choose(desk.fields["RGB"], "opRGB")
    assert desk.go_on.isEnabled()
    desk.convert_into(out)
    settle(window, qtbot)
    rows = rows_of(out / REPORT)
    assert len(rows) == 9
    assert rows["stated-1.png"][2:4] == ["sRGB built-in, stated by the file", "converted"]
    assert rows["silent-1.png"][2].startswith("opRGB: the file states nothing, and ")
    assert rows["cut.png"][1] == ""
    assert "damaged" in rows["cut.png"][3]
    assert "8 of 9 pictures are converted; 1 was not" in window.foot.said.text()
    assert "written as stated-1, converted.tif" in desk.list.item(6).text()
    # What was written is what one picture alone is converted to, mirrored as the card says.
    card, profile = window.session.card, window.session.profile
    pixels = np.asarray(Image.open(folder / "stated-1.png"))
    alone = convert(pixels.astype(np.float32) / 255, srgb(), profile, card.intent, card.bpc)
    found = tifffile.imread(out / "stated-1, converted.tif")[:, ::-1].astype(float)
    assert np.abs(found / np.iinfo(np.uint8).max - alone).max() < 0.006
    assert (card.intent, card.mirror_by) == (Intent.PERCEPTUAL, "fidele")
    # Left out by the word for it, and the files themselves are untouched.
    choose(desk.fields["RGB"], "")
    desk.convert_into(out)
    settle(window, qtbot)
    assert rows_of(out / REPORT)["silent-2.png"][3] == "left out: it states no colour space"
    assert np.array_equal(np.asarray(Image.open(folder / "stated-1.png")), pixels)
    # A rule of the house is no guess: what it says stands in the report.
    click(desk, "Clear")
    assert not batch.listed


def test_cancelled_it_keeps_what_was_written_and_says_what_was_not(session, folder, tmp_path):
    batch = session.batch
    from fidele.artwork.convert_files import Order

    batch.take(batch.looking([folder, folder / "stated-0.png"])(lambda _: True))
    assert len(batch.listed) == 9, "each once"
    batch.answer("RGB", "sRGB")
    work = batch.converting(Order(session.profile), tmp_path)
    with pytest.raises(CancelledError):
        work(lambda share: share < 0.6)
    rows = rows_of(tmp_path / REPORT)
    written = [name for name, row in rows.items() if row[1]]
    assert 3 <= len(written) <= 6
    assert all((tmp_path / rows[name][1].rpartition("/")[2]).exists() for name in written)
    assert sum(row[3] == "not converted: cancelled" for row in rows.values()) == 8 - len(written)
    assert not list(tmp_path.glob(".*")), "no half file is left"
    # Pictures of one name in two folders do not become one file.
    (folder / "again").mkdir()
    (folder / "again" / "stated-1.png").write_bytes((folder / "stated-0.png").read_bytes())
    batch.take(batch.looking([folder / "again"])(lambda _: True))
    done = batch.converting(Order(session.profile), tmp_path)(lambda _: True)
    assert {d.to.rpartition("/")[2] for d in done if "stated-1" in str(d.path)} == {
        "stated-1, converted.tif",
        "stated-1, converted (2).tif",
    }
    with pytest.raises(FideleError, match="would be written as"):
        batch.converting(Order(session.profile), tmp_path, "all.tif")


def test_fifty_pictures_or_a_folder_dropped_at_once_are_opened(window, folder, qtbot):
    for number in range(44):
        (folder / f"more-{number:02}.png").write_bytes((folder / "stated-2.png").read_bytes())
    assert len(pictures_in([folder])) == 53
    drop(window, folder)
    settle(window, qtbot)
    assert len(window.session.pieces.all) == 52
    said = [m.sentence for m in window.foot.messages]
    assert any("52 of 53 pictures are opened" in sentence for sentence in said)
    assert any("cut.png is damaged" in sentence for sentence in said)
