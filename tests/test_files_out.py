"""Converted files: every kind says what it is, strips give what the whole gives, and nothing half is left."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import tifffile
from PIL import Image

from fidele.artwork import convert_files, stream
from fidele.artwork.convert import converted_already
from fidele.artwork.convert_files import Order, convert_file, named
from fidele.artwork.open import open_artwork
from fidele.artwork.record import pixel_hash
from fidele.artwork.save import save_picture
from fidele.errors import FideleError
from fidele.icc.profile import Profile
from fidele.icc.spaces import oprgb, srgb
from fidele.icc.transform import Intent, convert
from fidele.tiles import CancelledError
from fidele.tuning.conversion import Conversion
from tests.shell import fidele

HOW = Conversion(Intent.RELATIVE, True)


def picture(shape, kind=np.uint16, seed=0):
    smooth = np.random.default_rng(seed).random((shape[0] // 10 + 2, shape[1] // 10 + 2, shape[2]))
    full = np.kron(smooth, np.ones((10, 10, 1)))[: shape[0], : shape[1]]
    return np.rint(full * np.iinfo(kind).max).astype(kind)


@pytest.mark.parametrize("ending", [".jpg", ".pdf", ".png", ".tif"])
def test_each_kind_comes_back_and_is_known_as_converted(tmp_path, printer, ending):
    source = picture((60, 80, 3), np.uint8)
    save_picture(tmp_path / "a.png", source, oprgb(), 200)
    to = tmp_path / f"done{ending}"
    convert_file(tmp_path / "a.png", to, Order(printer, HOW, condition="Tiles"))
    back = open_artwork(to, ppi=200)
    assert (back.slip.kind, back.profile.content_id) == ("stated", printer.content_id)
    assert back.ppi == pytest.approx(200, abs=0.5 if ending == ".jpg" else 0.01)
    wanted = convert(source, oprgb(), printer, Intent.RELATIVE, True)
    if ending == ".jpg":
        assert np.abs(back.pixels.astype(int) - wanted).mean() < 3
    else:
        assert np.array_equal(back.pixels, wanted)
    assert "converted" in converted_already(back) or "printer's values" in converted_already(back)
    if ending != ".jpg":
        assert back.record.condition == "Tiles"
    with pytest.raises(FideleError, match="not converted again"):
        convert_file(to, tmp_path / "again.tif", Order(printer, HOW))
    assert not (tmp_path / "again.tif").exists()


def test_inks_go_out_as_jpeg_and_pdf(tmp_path):
    press = Profile.open(Path("/usr/share/color/icc/ghostscript/default_cmyk.icc"))
    source = picture((40, 50, 3), np.uint8)
    save_picture(tmp_path / "a.png", source, srgb(), 300)
    wanted = convert(source, srgb(), press, Intent.RELATIVE, True)
    convert_file(tmp_path / "a.png", tmp_path / "inks.jpg", Order(press, HOW))
    back = open_artwork(tmp_path / "inks.jpg")
    assert back.profile.content_id == press.content_id
    assert np.abs(back.pixels.astype(int) - wanted).mean() < 4
    convert_file(tmp_path / "a.png", tmp_path / "inks.pdf", Order(press, HOW))
    again = open_artwork(tmp_path / "inks.pdf")
    assert np.array_equal(again.pixels, wanted)
    assert again.profile.content_id == press.content_id
    assert "It was converted" in converted_already(again)
    import pikepdf

    with pikepdf.open(tmp_path / "inks.pdf") as document:
        image = document.pages[0].obj.Resources.XObject["/P"]
        assert np.array_equal(np.frombuffer(image.read_bytes(), np.uint8).reshape(wanted.shape), wanted)
        assert bytes(document.Root.OutputIntents[0].DestOutputProfile.read_bytes()) == press.data


@pytest.mark.parametrize("tile", [None, (64, 48)])
@pytest.mark.parametrize("kind", [np.uint8, np.uint16])
@pytest.mark.parametrize("more", [0, 1, 2])
def test_strips_give_what_the_whole_gives(tmp_path, printer, monkeypatch, tile, kind, more):
    whole = np.concatenate(
        [picture((333, 622, 3), kind), picture((333, 622, max(more, 1)), kind, 3)[..., :more]], axis=2
    )
    extra = [["unassalpha"], ["unassalpha", "unspecified"]][more - 1] if more else None
    tifffile.imwrite(
        tmp_path / "a.tif",
        whole,
        photometric="rgb",
        tile=tile,
        rowsperstrip=None if tile else 17,
        compression="zlib",
        extrasamples=extra,
        iccprofile=oprgb().data,
        resolution=(150, 150),
        resolutionunit="INCH",
    )
    order = Order(printer, HOW, mirror=True, condition="Tiles")
    convert_file(tmp_path / "a.tif", tmp_path / "whole.tif", order)
    monkeypatch.setattr(stream, "FROM_PIXELS", 1000)
    monkeypatch.setattr(stream, "_BLOCK", 4000)
    assert stream.is_large(tmp_path / "a.tif")
    convert_file(tmp_path / "a.tif", tmp_path / "strips.tif", order)
    one, other = open_artwork(tmp_path / "whole.tif"), open_artwork(tmp_path / "strips.tif")
    assert np.array_equal(one.pixels, other.pixels)
    assert (one.alpha is None and other.alpha is None) or np.array_equal(one.alpha, other.alpha)
    assert one.record == other.record
    assert other.record.pixels == pixel_hash(other.pixels)
    assert (other.ppi, other.profile.content_id) == (150, printer.content_id)
    if kind == np.uint16:
        convert_file(tmp_path / "a.tif", tmp_path / "eight.tif", Order(printer, HOW, bits=8))
        monkeypatch.undo()
        convert_file(tmp_path / "a.tif", tmp_path / "eight-whole.tif", Order(printer, HOW, bits=8))
        eight = open_artwork(tmp_path / "eight.tif")
        assert eight.bits == 8
        assert np.array_equal(eight.pixels, open_artwork(tmp_path / "eight-whole.tif").pixels)
        assert np.abs(eight.pixels.mean() - other.pixels.mean() / 257) < 0.02  # dithered: the mean stays
    monkeypatch.setattr(stream, "FROM_PIXELS", 1000)
    with pytest.raises(FideleError, match="not converted again"):
        convert_file(tmp_path / "strips.tif", tmp_path / "twice.tif", Order(printer, HOW))


def test_a_cancelled_or_broken_conversion_leaves_nothing(tmp_path, printer, monkeypatch):
    monkeypatch.setattr(stream, "FROM_PIXELS", 1000)
    monkeypatch.setattr(stream, "_BLOCK", 4000)
    tifffile.imwrite(tmp_path / "a.tif", picture((300, 200, 3)), photometric="rgb", rowsperstrip=10, compression="lzw")
    with pytest.raises(CancelledError):
        convert_file(tmp_path / "a.tif", tmp_path / "out.tif", Order(printer, HOW), progress=lambda share: share < 0.4)
    data = (tmp_path / "a.tif").read_bytes()
    (tmp_path / "cut.tif").write_bytes(data[: len(data) // 2])
    with pytest.raises(FideleError, match=r"cut\.tif is damaged"):
        convert_file(tmp_path / "cut.tif", tmp_path / "out.tif", Order(printer, HOW))
    assert {p.name for p in tmp_path.iterdir()} == {"a.tif", "cut.tif"}


def test_a_full_disk_leaves_nothing(tmp_path, profile_path):
    save_picture(tmp_path / "a.png", picture((400, 400, 3)), srgb())
    for ending in ("tif", "jpg", "pdf", "png"):
        arguments = ["convert", tmp_path / "a.png", "--to", profile_path, "--out", tmp_path / f"out.{ending}"]
        done = fidele(*arguments, largest=60_000)
        assert done.returncode == 2, done.stderr
        assert len(done.stderr.strip().splitlines()) == 1
        assert f"out.{ending}" in done.stderr
    assert [p.name for p in tmp_path.iterdir()] == ["a.png"]


def test_names_of_many_files(tmp_path):
    paths = [tmp_path / "a.png", tmp_path / "b.tif"]
    assert [p.name for p in named(paths, tmp_path, "{name} for tiles.png").values()] == [
        "a for tiles.png",
        "b for tiles.png",
    ]
    with pytest.raises(FideleError, match="Two pictures would be written"):
        named(paths, tmp_path, "x.tif")
    with pytest.raises(FideleError, match=r"writes .tif.*not '.gif'"):
        named(paths, tmp_path, "{name}.gif")
    (tmp_path / "a.png").touch()
    with pytest.raises(FideleError, match="is the artwork itself"):
        named(paths[:1], tmp_path, "{name}.png")


def test_pages_must_be_named(tmp_path, printer):
    tifffile.imwrite(tmp_path / "two.tif", np.zeros((2, 20, 30, 3), np.uint8), photometric="rgb")
    with pytest.raises(FideleError, match="2 pages; say which"):
        convert_file(tmp_path / "two.tif", tmp_path / "o.tif", Order(printer, HOW))
    convert_files.convert_file(tmp_path / "two.tif", tmp_path / "o.tif", Order(printer, HOW, page=1))
    assert (tmp_path / "o.tif").exists()


def test_jpeg_of_deep_transparent_pictures_is_laid_on_paper(tmp_path, printer):
    alpha = np.zeros((40, 50), np.uint16)
    save_picture(tmp_path / "a.png", picture((40, 50, 3)), srgb(), 300, alpha)
    convert_file(tmp_path / "a.png", tmp_path / "o.jpg", Order(printer, HOW))
    with Image.open(tmp_path / "o.jpg") as other:
        assert np.asarray(other).min() > 250
