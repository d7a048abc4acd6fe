"""Pictures of every kind come in rightly, go out exactly, and bad ones are refused in a sentence."""

from __future__ import annotations

import struct
import zlib

import imagecodecs
import numpy as np
import pytest
import tifffile
from PIL import Image

from fidele.artwork.convert import bpc_note, convert_artwork
from fidele.artwork.lay import over_white
from fidele.artwork.open import open_artwork
from fidele.artwork.png import facts
from fidele.artwork.save import save_picture
from fidele.errors import FideleError
from fidele.icc.spaces import lab, oprgb, sgrey, srgb
from fidele.icc.transform import Intent
from fidele.tuning.conversion import Conversion


def random(shape, kind=np.uint8):
    return np.random.default_rng(0).integers(0, np.iinfo(kind).max + 1, shape, dtype=kind)


@pytest.mark.parametrize("ending", [".tif", ".png"])
@pytest.mark.parametrize("kind", [np.uint8, np.uint16])
@pytest.mark.parametrize(("channels", "alpha"), [(3, False), (3, True), (1, False), (1, True)])
def test_what_is_saved_comes_back_exactly(tmp_path, ending, kind, channels, alpha):
    pixels = random((40, 50, channels), kind)
    see_through = random((40, 50), kind) if alpha else None
    space = oprgb() if channels == 3 else sgrey()
    path = tmp_path / f"picture{ending}"
    save_picture(path, pixels, space, 300, see_through)
    back = open_artwork(path)
    assert back.pixels.dtype == kind
    assert np.array_equal(back.pixels, pixels)
    assert (back.alpha is None) if see_through is None else np.array_equal(back.alpha, see_through)
    assert back.profile.data == space.data
    assert back.slip.kind == "stated"
    assert back.ppi == pytest.approx(300, abs=0.01)
    # Read by others, too.
    other = tifffile.imread(path) if ending == ".tif" else imagecodecs.png_decode(path.read_bytes())
    whole = pixels if see_through is None else np.concatenate([pixels, see_through[..., None]], 2)
    assert np.array_equal(other.reshape(whole.shape), whole)
    assert list(tmp_path.iterdir()) == [path]


def test_spaces_are_stated_supposed_or_chosen(tmp_path):
    pixels = random((10, 12, 3))
    save_picture(tmp_path / "bare.png", pixels, None)
    bare = open_artwork(tmp_path / "bare.png")
    assert bare.slip.kind == "supposed"
    assert bare.profile.content_id == srgb().content_id
    chosen = open_artwork(tmp_path / "bare.png", assume=oprgb())
    assert (chosen.slip.kind, chosen.profile.content_id) == ("chosen", oprgb().content_id)
    save_picture(tmp_path / "stated.tif", pixels, srgb())
    assert open_artwork(tmp_path / "stated.tif", assume=oprgb()).slip.kind == "stated"  # the file's word wins
    data = (tmp_path / "bare.png").read_bytes()
    mark = struct.pack(">I", 1) + b"sRGB\0" + struct.pack(">I", zlib.crc32(b"sRGB\0"))
    (tmp_path / "marked.png").write_bytes(data[:33] + mark + data[33:])
    assert open_artwork(tmp_path / "marked.png").slip.words == "sRGB, stated by the file"
    # A damaged profile, or one for other channels, is told and left aside.
    broken = Image.fromarray(pixels)
    for junk, words in (
        (b"junk" * 100, "acsp"),
        (sgrey().data, "not for this picture"),
        (oprgb().data[:300], "damaged|missing|no transform"),
    ):
        broken.save(tmp_path / "doubt.jpg", icc_profile=junk)
        found = open_artwork(tmp_path / "doubt.jpg")
        assert found.slip.kind == "supposed"
        assert len(found.doubts) == 1
        assert any(w in found.doubts[0] for w in words.split("|")), found.doubts


def test_jpeg_orientation_cmyk_and_resolution(tmp_path):
    picture = Image.fromarray(np.zeros((20, 30, 3), np.uint8))
    exif = picture.getexif()
    exif[0x0112] = 6  # turned by a quarter
    picture.save(tmp_path / "turned.jpg", dpi=(240, 240), exif=exif)
    turned = open_artwork(tmp_path / "turned.jpg")
    assert (turned.width, turned.height, turned.ppi) == (20, 30, 240)
    Image.new("CMYK", (8, 8), (255, 0, 0, 0)).save(tmp_path / "cyan.jpg", quality=100, icc_profile=None)
    with pytest.raises(FideleError, match="CMYK and states no profile"):
        open_artwork(tmp_path / "cyan.jpg")


def test_other_tiffs(tmp_path):
    pixels = random((30, 20, 3), np.uint16)
    tifffile.imwrite(tmp_path / "planar.tif", np.moveaxis(pixels, -1, 0), photometric="rgb", planarconfig="separate")
    assert np.array_equal(open_artwork(tmp_path / "planar.tif").pixels, pixels)
    tifffile.imwrite(
        tmp_path / "tiles.tif",
        pixels,
        photometric="rgb",
        tile=(16, 16),
        compression="lzw",
        resolution=(118.11, 118.11),
        resolutionunit="CENTIMETER",
    )
    tiled = open_artwork(tmp_path / "tiles.tif")
    assert np.array_equal(tiled.pixels, pixels)
    assert tiled.ppi == pytest.approx(300, abs=0.1)
    tifffile.imwrite(tmp_path / "white-is-0.tif", pixels[..., 0], photometric="miniswhite")
    assert np.array_equal(open_artwork(tmp_path / "white-is-0.tif").pixels[..., 0], 65535 - pixels[..., 0])
    tifffile.imwrite(tmp_path / "float.tif", np.zeros((5, 5, 3), np.float32), photometric="rgb")
    with pytest.raises(FideleError, match="float32 pixels"):
        open_artwork(tmp_path / "float.tif")
    tifffile.imwrite(
        tmp_path / "five.tif",
        np.zeros((5, 5, 5), np.uint8),
        photometric="rgb",
        planarconfig="contig",
        extrasamples=[0, 0],
    )
    assert open_artwork(tmp_path / "five.tif").pixels.shape == (5, 5, 3)


def test_bad_pictures_are_refused(tmp_path):
    good = {}
    save_picture(tmp_path / "good.png", random((60, 60, 3)), srgb())
    save_picture(tmp_path / "good.tif", random((60, 60, 3)), srgb())
    Image.fromarray(random((60, 60, 3))).save(tmp_path / "good.jpg")
    for name in ("good.png", "good.tif", "good.jpg"):
        good[name] = (tmp_path / name).read_bytes()
    rng = np.random.default_rng(0)
    outcomes = {"opened": 0, "refused": 0}
    for name, data in good.items():
        for number in range(60):
            cut = bytearray(data[: rng.integers(0, len(data))] if number % 2 else data)
            for _ in range(3):
                if cut:
                    cut[rng.integers(0, min(len(cut), 400))] = rng.integers(0, 256)
            (tmp_path / f"bad{name[4:]}").write_bytes(bytes(cut))
            try:
                open_artwork(tmp_path / f"bad{name[4:]}")
                outcomes["opened"] += 1
            except FideleError as error:
                outcomes["refused"] += 1
                assert "\n" not in str(error)
                assert f"bad{name[4:]}" in str(error)
    assert outcomes["refused"] > 60
    with pytest.raises(FideleError, match="does not exist"):
        open_artwork(tmp_path / "nothing.png")
    with pytest.raises(FideleError, match="is not a file"):
        open_artwork(tmp_path)
    (tmp_path / "cat.png").write_text("meow")
    with pytest.raises(FideleError, match="not a PNG, JPEG, TIFF, WebP, PDF or SVG"):
        open_artwork(tmp_path / "cat.png")


def test_a_bomb_is_refused_from_its_header(tmp_path):
    header = struct.pack(">IIBBBBB", 60_000, 60_000, 8, 2, 0, 0, 0)
    chunk = struct.pack(">I", 13) + b"IHDR" + header + struct.pack(">I", zlib.crc32(b"IHDR" + header))
    (tmp_path / "bomb.png").write_bytes(b"\x89PNG\r\n\x1a\n" + chunk + b"\0" * 40)
    with pytest.raises(FideleError, match="60,000 x 60,000 pixels, more than"):
        open_artwork(tmp_path / "bomb.png")
    with pytest.raises(ValueError, match="no PNG header"):
        facts(b"\x89PNG")


def test_conversion_keeps_what_it_should_and_never_happens_twice(tmp_path, printer):
    alpha = random((20, 30), np.uint16)
    save_picture(tmp_path / "a.tif", random((20, 30, 3), np.uint16), oprgb(), 240, alpha)
    picture = open_artwork(tmp_path / "a.tif")
    done = convert_artwork(picture, printer, Conversion(Intent.PERCEPTUAL, True))
    assert done.pixels.dtype == np.uint16
    assert done.pixels.shape == picture.pixels.shape
    assert np.array_equal(done.alpha, alpha)
    assert done.ppi == picture.ppi
    with pytest.raises(FideleError, match="is not converted again"):
        convert_artwork(done, printer, Conversion(Intent.PERCEPTUAL, True))
    with pytest.raises(FideleError, match="cannot serve as an output profile"):
        convert_artwork(picture, lab(), Conversion(Intent.PERCEPTUAL, True))
    assert bpc_note(printer, Intent.PERCEPTUAL, False) is None
    assert "absolute" in bpc_note(printer, Intent.ABSOLUTE, True)
    four = type(printer).parse(printer.data[:8] + b"\x04\x40" + printer.data[10:])
    assert "version 4" in bpc_note(four, Intent.PERCEPTUAL, False)


def test_transparency_is_laid_over_white():
    pixels = np.array([[[0, 100, 255]]], np.uint8)
    assert over_white(pixels, np.array([[255]], np.uint8)).tolist() == [[[0, 100, 255]]]
    assert over_white(pixels, np.array([[0]], np.uint8)).tolist() == [[[255, 255, 255]]]
    assert over_white(pixels, np.array([[128]], np.uint8)).tolist() == [[[127, 177, 255]]]


def test_saving_says_what_it_cannot(tmp_path):
    with pytest.raises(FideleError, match=r"writes .tif, .*.pdf files, not '.gif'"):
        save_picture(tmp_path / "x.gif", random((2, 2, 3)), None)
    with pytest.raises(FideleError, match="PNG cannot hold CMYK"):
        save_picture(tmp_path / "x.png", random((2, 2, 4)), None)
    (tmp_path / "file").write_text("")
    with pytest.raises(FideleError, match="cannot be written"):
        save_picture(tmp_path / "file" / "x.png", random((2, 2, 3)), None)


def test_cmyk_with_its_profile_comes_in_and_converts(tmp_path, printer):
    """Converted straight from ink to ink, through the connection space, as our own evaluator does it."""
    from pathlib import Path

    from fidele.colour.difference import delta_e_2000
    from fidele.icc.profile import Profile
    from fidele.icc.tables import device_to_pcs_lab, pcs_lab_to_device
    from fidele.proof.losses import losses
    from fidele.proof.soft import ProofSettings, soft_proof

    press = Profile.open(Path("/usr/share/color/icc/ghostscript/default_cmyk.icc"))
    pixels = random((30, 40, 4))
    for name in ("inks.tif", "inks.jpg"):
        if name.endswith("tif"):
            save_picture(tmp_path / name, pixels, press, 300)
        else:
            Image.fromarray(pixels, "CMYK").save(tmp_path / name, quality=100, icc_profile=press.data)
        picture = open_artwork(tmp_path / name)
        assert (picture.pixels.shape, picture.slip.kind) == ((30, 40, 4), "stated")
        done = convert_artwork(picture, printer, Conversion(Intent.RELATIVE, False))
        wanted = pcs_lab_to_device(printer, device_to_pcs_lab(press, picture.pixels / 255))
        off = delta_e_2000(device_to_pcs_lab(printer, done.pixels / 255), device_to_pcs_lab(printer, wanted))
        assert off.mean() < 0.3  # 8 bit
        assert soft_proof(picture.pixels, press, printer, ProofSettings()).shape == (30, 40, 3)
        assert 0 <= losses(picture.pixels, press, printer, ProofSettings()).lost <= 1


def test_webp_comes_in_with_its_profile_and_its_transparency(tmp_path):
    pixels, see_through = random((30, 40, 3)), random((30, 40))
    whole = Image.fromarray(np.concatenate([pixels, see_through[..., None]], axis=2))
    whole.save(tmp_path / "a.webp", lossless=True, exact=True, icc_profile=oprgb().data)
    back = open_artwork(tmp_path / "a.webp")
    assert np.array_equal(back.pixels, pixels)
    assert np.array_equal(back.alpha, see_through)
    assert (back.slip.kind, back.profile.content_id) == ("stated", oprgb().content_id)
    (tmp_path / "cut.webp").write_bytes((tmp_path / "a.webp").read_bytes()[:200])
    with pytest.raises(FideleError, match=r"cut\.webp is damaged"):
        open_artwork(tmp_path / "cut.webp")


@pytest.mark.parametrize(("tags", "space"), [({0xA001: 1}, "sRGB"), ({0xA001: 65535}, "opRGB")])
def test_what_a_camera_states_of_its_space_is_heard(tmp_path, tags, space):
    exif = Image.Exif()
    exif.get_ifd(0x8769).update(tags)
    exif.get_ifd(0x8769)[0xA005] = {1: "R98" if space == "sRGB" else "R03"}
    exif[0x0112] = 6  # lying on its side
    Image.fromarray(random((20, 30, 3))).save(tmp_path / "camera.jpg", exif=exif, quality=95)
    back = open_artwork(tmp_path / "camera.jpg")
    assert (back.slip.kind, back.slip.words) == ("stated", f"{space}, stated by the file")
    assert back.profile.content_id == (srgb() if space == "sRGB" else oprgb()).content_id
    assert (back.width, back.height) == (20, 30)
