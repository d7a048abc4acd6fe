"""Drawings, L*a*b*, several pages, further channels: what comes in means what the file says."""

from __future__ import annotations

import io
from dataclasses import replace
from pathlib import Path

import numpy as np
import pikepdf
import pytest
import tifffile

from fidele.artwork.open import open_artwork
from fidele.artwork.picture import SourceSlip
from fidele.errors import FideleError
from fidele.icc.profile import Profile
from fidele.icc.spaces import GREYS, grey, lab, oprgb, srgb
from fidele.icc.transform import Intent, convert, from_lab, to_lab

CODES = np.array([51, 204, 102])


def pdf(path, content, space=None, intent=None, pages=1, picture=None, password=""):
    """Write a PDF of one square inch whose content may use the space /C and the picture /P."""
    document = pikepdf.new()
    for _ in range(pages):
        document.add_blank_page(page_size=(72, 72))
        page = document.pages[-1]
        page.obj.Contents = document.make_stream(content)
        if space is not None:
            stream = document.make_stream(space.data, {"/N": space.channels})
            named = pikepdf.Array([pikepdf.Name("/ICCBased"), stream])
            page.obj.Resources = pikepdf.Dictionary({"/ColorSpace": pikepdf.Dictionary({"/C": named})})
            if picture is not None:
                image = document.make_stream(picture.tobytes())
                for key, value in (("Width", picture.shape[1]), ("Height", picture.shape[0]), ("BitsPerComponent", 8)):
                    image[f"/{key}"] = value
                image["/Subtype"], image["/ColorSpace"] = pikepdf.Name("/Image"), named
                page.obj.Resources["/XObject"] = pikepdf.Dictionary({"/P": image})
    if intent is not None:
        stream = document.make_stream(intent.data, {"/N": intent.channels})
        entry = pikepdf.Dictionary(S=pikepdf.Name("/GTS_PDFX"), DestOutputProfile=stream, OutputConditionIdentifier="x")
        document.Root.OutputIntents = pikepdf.Array([entry])
    lock = pikepdf.Encryption(user=password, owner="o") if password else None
    document.save(path, encryption=lock if lock else False)
    return path


@pytest.fixture(scope="module")
def cmyk():
    return Profile.open(Path("/usr/share/color/icc/ghostscript/default_cmyk.icc"))


FILLED = b"0 0 72 72 re f"


def test_a_pdf_page_keeps_the_numbers_of_its_one_rgb_space(tmp_path):
    based = open_artwork(pdf(tmp_path / "based.pdf", b"/C cs 0.2 0.8 0.4 sc " + FILLED, oprgb()))
    assert (based.slip.kind, based.profile.content_id) == ("stated", oprgb().content_id)
    assert based.pixels.shape == (300, 300, 3)
    assert np.array_equal(based.pixels[150, 150], CODES)
    assert based.drawing
    assert not based.doubts
    bare = open_artwork(pdf(tmp_path / "bare.pdf", b"0.2 0.8 0.4 rg " + FILLED), ppi=72)
    assert (bare.slip.kind, bare.ppi) == ("supposed", 72)
    aimed = open_artwork(pdf(tmp_path / "aimed.pdf", b"0.2 0.8 0.4 rg " + FILLED, intent=oprgb()))
    assert (aimed.slip.kind, aimed.profile.content_id) == ("stated", oprgb().content_id)
    scan = np.tile(CODES.astype(np.uint8), (8, 8, 1))
    path = pdf(tmp_path / "framed.pdf", b"q 70 0 0 70 1 1 cm /P Do Q", oprgb(), picture=scan)
    assert np.array_equal(open_artwork(path).pixels[150, 150], CODES)
    picture = open_artwork(pdf(tmp_path / "scan.pdf", b"q 72 0 0 72 0 0 cm /P Do Q", oprgb(), picture=scan))
    assert np.array_equal(picture.pixels, scan)  # a page that is nothing but a picture: its own pixels
    assert picture.ppi == pytest.approx(8)
    assert picture.profile.content_id == oprgb().content_id
    assert not picture.drawing


def test_a_pdf_page_with_inks_is_drawn_through_what_it_states(tmp_path, cmyk):
    ink = np.array([[0.2, 0.8, 0.4, 0.0]], np.float32)
    plain = open_artwork(pdf(tmp_path / "plain.pdf", b"0.2 0.8 0.4 0 k " + FILLED), ppi=72)
    assert "no profile" in plain.doubts[0]
    wanted = np.clip(convert(ink, cmyk, srgb(), Intent.PERCEPTUAL)[0] * 255, 0, 255)
    for name, content, options in (
        ("aimed.pdf", b"0.2 0.8 0.4 0 k ", {"intent": cmyk}),
        ("based.pdf", b"/C cs 0.2 0.8 0.4 0 sc ", {"space": cmyk}),
    ):
        found = open_artwork(pdf(tmp_path / name, content + FILLED, **options), ppi=72)
        assert np.abs(found.pixels[30, 30] - wanted).max() <= 2
        assert np.abs(found.pixels[30, 30].astype(int) - plain.pixels[30, 30]).max() > 2
        assert "drawn in sRGB" in found.doubts[0]


SVG = (
    '<svg xmlns="http://www.w3.org/2000/svg" xmlns:x="http://www.w3.org/1999/xlink" width="96" height="48">{}'
    '<rect x="0" y="0" width="48" height="48" fill="#33cc66"/></svg>'
)


def test_svg_is_drawn_and_never_fetches(tmp_path, qapp):
    (tmp_path / "secret.png").write_bytes(b"not for you")
    path = tmp_path / "logo.svg"
    path.write_text(SVG.format(f'<image x:href="file://{tmp_path}/secret.png" width="9" height="9"/>'))
    found = open_artwork(path)
    assert found.pixels.shape == (150, 300, 3)
    assert np.array_equal(found.pixels[70, 70], CODES)
    assert (found.alpha[70, 70], found.alpha[70, 250]) == (255, 0)
    assert found.slip == SourceSlip("stated", "sRGB, stated by the file")
    assert "not fetched" in found.doubts[0]
    import gzip

    (tmp_path / "logo.svgz").write_bytes(gzip.compress(SVG.format("").encode()))
    assert open_artwork(tmp_path / "logo.svgz", ppi=96).pixels.shape == (48, 96, 3)


def test_lab_tiffs_of_all_kinds(tmp_path):
    Lab = np.array([[[50, 20, -30], [80, -60, 70], [0, 0, 0], [100, 0, 0]]], float)
    cielab = np.rint(Lab / [100, 1, 1] * [65535, 256, 256]).astype(np.int32).astype(np.uint16)
    small = np.rint(Lab / [100, 1, 1] * [255, 1, 1]).astype(np.int16).astype(np.uint8)
    icclab = np.rint((Lab + [0, 128, 128]) / [100, 1, 1] * [65280, 256, 256]).astype(np.uint16)
    for name, codes, kind, near in (("a", cielab, "cielab", 0.01), ("b", small, "cielab", 0.3), ("c", icclab, 9, 0.01)):
        tifffile.imwrite(tmp_path / f"{name}.tif", codes, photometric=kind)
        found = open_artwork(tmp_path / f"{name}.tif")
        assert found.profile.content_id == lab().content_id
        assert np.abs(to_lab(found.pixels, found.profile) - Lab).max() < near
        sent = convert(found.pixels, found.profile, srgb(), Intent.RELATIVE) / np.iinfo(codes.dtype).max
        assert np.abs(sent - from_lab(Lab, srgb())).max() < near / 20


def test_grey_spaces_are_what_their_names_say():
    codes = np.linspace(0, 1, 21, dtype=np.float32)[:, None]
    light = {name: to_lab(codes, grey(name))[:, 0] for name in GREYS}
    assert np.abs(light["L*"] - codes[:, 0] * 100).max() < 0.1
    Y = codes[:, 0].astype(float) ** 2.2
    assert np.abs(light["gamma 2.2"] - np.where(Y > 216 / 24389, 116 * np.cbrt(Y) - 16, Y * 24389 / 27)).max() < 0.05
    for gain in (10, 30):  # a 50 % tint prints as 50 + gain % of ink
        Y = 1 - 0.5 - gain / 100
        assert light[f"dot gain {gain} %"][10] == pytest.approx(116 * Y ** (1 / 3) - 16, abs=0.05)


def test_pages_are_asked_for(tmp_path):
    pages = np.stack([np.full((20, 30, 3), v, np.uint8) for v in (10, 20, 30)])
    tifffile.imwrite(tmp_path / "three.tif", pages, photometric="rgb")
    first = open_artwork(tmp_path / "three.tif")
    assert (first.page, first.pages, first.pixels[0, 0, 0]) == (-1, 3, 10)
    third = open_artwork(tmp_path / "three.tif", page=2)
    assert (third.page, third.pixels[0, 0, 0]) == (2, 30)
    with pytest.raises(FideleError, match="no page 4"):
        open_artwork(tmp_path / "three.tif", page=3)
    assert open_artwork(pdf(tmp_path / "two.pdf", b"", pages=2)).page == -1


def test_further_channels_are_left_out_and_told(tmp_path, cmyk):
    pixels = np.random.default_rng(0).integers(0, 256, (20, 30, 6), dtype=np.uint8)
    tifffile.imwrite(tmp_path / "spot.tif", pixels, photometric="separated", extrasamples=[0, 0])
    with pytest.raises(FideleError, match="CMYK and states no profile"):
        open_artwork(tmp_path / "spot.tif")
    found = open_artwork(tmp_path / "spot.tif", assume=cmyk)
    assert np.array_equal(found.pixels, pixels[..., :4])
    assert "2 further channels" in found.doubts[0]
    # What was laid over black already is taken back out of it.
    straight, alpha = np.full((4, 4, 3), 200), np.full((4, 4, 1), 128)
    laid = np.concatenate([np.rint(straight * alpha / 255), alpha], axis=2).astype(np.uint8)
    tifffile.imwrite(tmp_path / "laid.tif", laid, photometric="rgb", extrasamples=["assocalpha"])
    assert np.abs(open_artwork(tmp_path / "laid.tif").pixels.astype(int) - 200).max() <= 1


@pytest.mark.parametrize("turned", range(1, 9))
def test_orientation_of_tiffs(tmp_path, turned):
    from PIL import Image, ImageOps

    pixels = np.random.default_rng(0).integers(0, 256, (6, 9, 3), dtype=np.uint8)
    tifffile.imwrite(tmp_path / "turned.tif", pixels, photometric="rgb", extratags=[(274, "H", 1, turned, True)])
    with Image.open(tmp_path / "turned.tif") as other:
        assert np.array_equal(open_artwork(tmp_path / "turned.tif").pixels, np.asarray(ImageOps.exif_transpose(other)))


def test_a_file_that_contradicts_itself_is_doubted(tmp_path):
    from PIL import Image

    made = Image.fromarray(np.zeros((8, 8, 3), np.uint8))
    exif = Image.Exif()
    exif.get_ifd(0x8769)[0xA001] = 1
    made.save(tmp_path / "a.jpg", exif=exif, icc_profile=oprgb().data)
    found = open_artwork(tmp_path / "a.jpg")
    assert found.profile.content_id == oprgb().content_id
    assert "contradicts itself" in found.doubts[0]
    made.save(tmp_path / "b.jpg", exif=exif, icc_profile=srgb().data)
    assert not open_artwork(tmp_path / "b.jpg").doubts


def test_a_wrong_ending_is_told(tmp_path):
    tifffile.imwrite(tmp_path / "a.png", np.zeros((4, 4, 3), np.uint8), photometric="rgb")
    assert open_artwork(tmp_path / "a.png").doubts == ("a.png is a TIFF, whatever its ending says.",)


def test_what_is_transparent_is_not_lost(tmp_path):
    """Numbers under full transparency print nothing, whatever they are."""
    from fidele.artwork.save import save_picture
    from fidele.proof.losses import colours_of

    pixels = np.zeros((20, 20, 3), np.uint8)
    save_picture(tmp_path / "a.png", pixels, srgb(), 300, np.zeros((20, 20), np.uint8))
    colours, _ = colours_of(open_artwork(tmp_path / "a.png").laid)
    assert colours.tolist() == [[1.0, 1.0, 1.0]]


def test_bad_drawings_are_refused_in_a_sentence(tmp_path, qapp):
    good = pdf(tmp_path / "good.pdf", b"0.2 0.8 0.4 rg " + FILLED).read_bytes()
    begin = '<svg xmlns="http://www.w3.org/2000/svg" width="9" height="9">'
    bad = {
        "entity.svg": '<!DOCTYPE svg [<!ENTITY a "aaaa">]>' + begin + "</svg>",
        "loop.svg": begin + '<g id="a"><use href="#a"/></g></svg>',
        "many.svg": begin
        + "".join(f'<g id="n{i}">' + f'<use href="#n{i + 1}"/>' * 9 + "</g>" for i in range(9))
        + '<g id="n9"/></svg>',
        "cut.svg": begin + "<rect",
        "huge.svg": begin.replace('"9"', '"9000000"') + "</svg>",
        "other.svg": "<html/>",
    }
    for name, text in bad.items():
        (tmp_path / name).write_text(text)
    (tmp_path / "cut.pdf").write_bytes(good[:200])
    pdf(tmp_path / "locked.pdf", b"", password="x")
    document = pikepdf.open(io.BytesIO(good))
    document.pages[0].obj.MediaBox = pikepdf.Array([0, 0, 1e6, 1e6])
    document.save(tmp_path / "huge.pdf")
    for name in (*bad, "cut.pdf", "locked.pdf", "huge.pdf"):
        with pytest.raises(FideleError) as refused:
            open_artwork(tmp_path / name)
        assert str(refused.value).count("\n") == 0
        assert name in str(refused.value)


def test_house_rules_are_asked_only_where_nothing_is_stated(tmp_path):
    from fidele.artwork.save import save_picture

    slip = SourceSlip("supposed", "opRGB, supposed by a rule", True)
    asked = []

    def suppose(kind):
        asked.append(kind)
        return oprgb(), slip

    pixels = np.zeros((4, 4, 3), np.uint8)
    save_picture(tmp_path / "stated.png", pixels, srgb())
    save_picture(tmp_path / "bare.png", pixels, None)
    assert open_artwork(tmp_path / "stated.png", suppose=suppose).profile.content_id == srgb().content_id
    assert not asked
    assert open_artwork(tmp_path / "bare.png", suppose=suppose).slip == slip
    assert open_artwork(tmp_path / "bare.png", assume=srgb(), suppose=suppose).slip == replace(
        slip, kind="chosen", words="sRGB (IEC 61966-2-1), chosen", rule=False
    )
