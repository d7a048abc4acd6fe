"""Pictures that others wrote, read by us and by others: every format, depth and order of channels."""

from __future__ import annotations

import io
from pathlib import Path

import imagecodecs
import numpy as np
import pytest
import pyvips
import tifffile
from PIL import Image

from fidele.artwork.open import open_artwork
from fidele.artwork.save import save_picture
from fidele.errors import FideleError
from fidele.icc.profile import Profile
from fidele.icc.spaces import sgrey, srgb

_CMYK = Path("/usr/share/color/icc/ghostscript/default_cmyk.icc")
_VIPS = {1: "b-w", 2: "b-w", 3: "srgb", 4: "srgb"}
_DEEP = {1: "grey16", 3: "rgb16", 4: "rgb16"}
_MODES = {1: "L", 2: "LA", 3: "RGB", 4: "RGBA"}


def values(channels: int, depth: int, coarse: bool = False) -> np.ndarray:
    """A picture of patches large enough to survive JPEG, no two channels alike; or of noise."""
    rng = np.random.default_rng(channels)
    picture = (
        rng.integers(0, 1 << depth, (4, 6, channels)) if coarse else rng.integers(0, 1 << depth, (40, 56, channels))
    )
    picture = picture.repeat(16, axis=0).repeat(16, axis=1) if coarse else picture
    return picture.astype(np.uint16 if depth == 16 else np.uint8)


def vips_image(pixels: np.ndarray, interpretation: str) -> pyvips.Image:
    height, width, channels = pixels.shape
    kind = "ushort" if pixels.dtype == np.uint16 else "uchar"
    image = pyvips.Image.new_from_memory(pixels.tobytes(), width, height, channels, kind)
    return image.copy(interpretation=interpretation)


def by_vips(path) -> np.ndarray:
    image = pyvips.Image.new_from_file(str(path))
    found = np.frombuffer(image.write_to_memory(), np.uint16 if image.format == "ushort" else np.uint8)
    return found.reshape(image.height, image.width, image.bands)


def by_pillow(path) -> np.ndarray:
    found = np.asarray(Image.open(path))
    return found[..., None] if found.ndim == 2 else found


def ours(path) -> np.ndarray:
    artwork = open_artwork(path)
    alpha = [] if artwork.alpha is None else [artwork.alpha[..., None]]
    return np.concatenate([artwork.pixels, *alpha], axis=2)


@pytest.mark.parametrize("ending", ["png", "tif", "webp"])
@pytest.mark.parametrize("channels", [1, 2, 3, 4])
@pytest.mark.parametrize("depth", [8, 16])
def test_lossless_pictures_are_read_as_others_read_them(tmp_path, ending, channels, depth):
    if ending == "webp" and (depth == 16 or channels < 3):
        return  # the format has neither
    pixels = values(channels, depth)
    written = {}
    if depth == 8 or channels == 1:
        options = {"lossless": True, "exact": True} if ending == "webp" else {}
        Image.fromarray(pixels.squeeze()).save(tmp_path / f"pillow.{ending}", **options)
        written["pillow"] = tmp_path / f"pillow.{ending}"
    image = vips_image(pixels, (_DEEP if depth == 16 else _VIPS).get(channels, "grey16"))
    options = {"lossless": True, "exact": True} if ending == "webp" else {}
    try:
        image.write_to_file(str(tmp_path / f"vips.{ending}"), **options)
    except pyvips.Error:
        image.write_to_file(str(tmp_path / f"vips.{ending}"), **{k: v for k, v in options.items() if k != "exact"})
    written["vips"] = tmp_path / f"vips.{ending}"
    if ending == "tif":
        options = {"extrasamples": ["unassalpha"]} if channels in (2, 4) else {}
        photometric = "rgb" if channels > 2 else "minisblack"
        for planar in ("contig", "separate") if channels > 2 else ("contig",):
            laid = np.moveaxis(pixels, -1, 0) if planar == "separate" else pixels.squeeze()
            to = tmp_path / f"{planar}.tif"
            tifffile.imwrite(to, laid, photometric=photometric, planarconfig=planar, byteorder=">", **options)
            written[planar] = to
    if ending == "png":
        (tmp_path / "codecs.png").write_bytes(imagecodecs.png_encode(np.ascontiguousarray(pixels.squeeze())))
        written["codecs"] = tmp_path / "codecs.png"
    seen = pixels[..., -1] > 0 if channels in (2, 4) else np.ones(pixels.shape[:2], bool)
    for name, path in written.items():
        assert np.array_equal(by_vips(path)[seen], pixels[seen]), name  # the files are what they are meant to be
        if depth == 8 and name != "separate":
            assert np.array_equal(by_pillow(path)[seen], pixels[seen]), name
        assert np.array_equal(ours(path)[seen], pixels[seen]), name


def test_inks_in_a_jpeg_are_not_taken_for_their_negatives(tmp_path):
    """With the marker of who wrote it and without, as inks and as luminance and colour; both ways."""
    inks = values(4, 8, coarse=True)
    profile = Profile.open(_CMYK)
    image = vips_image(inks, "cmyk").copy()
    image.set_type(pyvips.GValue.blob_type, "icc-profile-data", profile.data)
    image.write_to_file(str(tmp_path / "vips.jpg"), Q=98)
    Image.fromarray(inks, "CMYK").save(tmp_path / "pillow.jpg", quality=98, icc_profile=profile.data)
    marked = imagecodecs.jpeg8_encode(255 - inks, level=98, colorspace="CMYK", outcolorspace="CMYK")
    at = marked.index(b"\xff\xee")
    bare = marked[:at] + marked[at + 2 + int.from_bytes(marked[at + 2 : at + 4], "big") :]
    (tmp_path / "bare.jpg").write_bytes(bare)
    ycck = imagecodecs.jpeg8_encode(255 - inks, level=98, colorspace="CMYK", outcolorspace="YCCK", subsampling="444")
    (tmp_path / "ycck.jpg").write_bytes(ycck)
    for name in ("vips", "pillow", "bare", "ycck"):
        path = tmp_path / f"{name}.jpg"
        assert np.abs(by_vips(path).astype(int) - inks).mean() < 6, name
        found = open_artwork(path, assume=profile)
        assert found.profile.header.colour_space == "CMYK"
        assert np.abs(found.pixels.astype(int) - inks).mean() < 6, name
    save_picture(tmp_path / "ours.jpg", inks, profile, 300)
    for read in (by_vips, by_pillow):
        assert np.abs(read(tmp_path / "ours.jpg").astype(int) - inks).mean() < 6


@pytest.mark.parametrize("channels", [1, 3])
def test_jpegs_of_light_are_read_as_others_read_them(tmp_path, channels):
    pixels = values(channels, 8, coarse=True)
    vips_image(pixels, _VIPS[channels]).write_to_file(str(tmp_path / "vips.jpg"), Q=97)
    Image.fromarray(pixels.squeeze(), _MODES[channels]).save(tmp_path / "pillow.jpg", quality=97, progressive=True)
    for name in ("vips", "pillow"):
        path = tmp_path / f"{name}.jpg"
        assert np.abs(ours(path).astype(int) - by_vips(path)).max() <= 2
        assert np.abs(ours(path).astype(int) - by_pillow(path)).max() <= 2


@pytest.mark.parametrize("depth", [8, 16])
def test_inks_in_a_tiff_and_what_we_write_are_read_alike(tmp_path, depth):
    inks, profile = values(4, depth), Profile.open(_CMYK)
    image = vips_image(inks, "cmyk").copy()
    image.set_type(pyvips.GValue.blob_type, "icc-profile-data", profile.data)
    image.write_to_file(str(tmp_path / "vips.tif"), compression="lzw")
    tifffile.imwrite(tmp_path / "other.tif", inks, photometric="separated", iccprofile=profile.data)
    save_picture(tmp_path / "ours.tif", inks, profile, 300)
    for name in ("vips", "other", "ours"):
        found = open_artwork(tmp_path / f"{name}.tif")
        assert np.array_equal(found.pixels, inks)
        assert found.profile.content_id == profile.content_id
        assert np.array_equal(by_vips(tmp_path / f"{name}.tif"), inks)
        assert np.array_equal(tifffile.imread(tmp_path / f"{name}.tif"), inks)


@pytest.mark.parametrize("ending", ["png", "tif", "jpg", "pdf"])
@pytest.mark.parametrize("grey", [False, True])
def test_what_we_write_others_read_with_its_profile(tmp_path, ending, grey):
    pixels, profile = values(1 if grey else 3, 8, coarse=True), sgrey() if grey else srgb()
    path = tmp_path / f"ours.{ending}"
    save_picture(path, pixels, profile, 72)
    if ending == "pdf":
        import pypdfium2

        found = np.asarray(pypdfium2.PdfDocument(path)[0].render(scale=1).to_pil())[:64, :96]
        wanted = np.repeat(pixels, 3, axis=2) if grey else pixels
        assert np.abs(found.astype(int) - wanted).mean() < 8
        assert np.abs(by_vips(path)[:64, :96, :3].astype(int) - wanted).mean() < 8
        return
    assert np.abs(by_vips(path).astype(int) - pixels).max() <= (12 if ending == "jpg" else 0)
    with Image.open(io.BytesIO(path.read_bytes())) as picture:
        assert picture.info["icc_profile"] == profile.data
        assert picture.info["dpi"][0] == pytest.approx(72, abs=0.1)


def test_inks_of_a_pdf_are_drawn_as_the_file_says_and_told(tmp_path):
    """Separations and several inks by functions of three kinds, against what those functions give by hand."""
    import pikepdf
    from pikepdf import Array, Dictionary, Name

    document = pikepdf.new()
    document.add_blank_page(page_size=(72, 72))
    page = document.pages[0].obj
    linear = Dictionary({"/FunctionType": 2, "/Domain": [0, 1], "/C0": [1, 1, 1], "/C1": [0.9, 0.3, 0.1], "/N": 1})
    program = {"/FunctionType": 4, "/Domain": [0, 1, 0, 1], "/Range": [0, 1, 0, 1, 0, 1]}
    both = document.make_stream(b"{ 2 copy add 2 div 3 1 roll }", program)
    table = {"/FunctionType": 0, "/Domain": [0, 1], "/Range": [0, 1] * 3, "/Size": [2], "/BitsPerSample": 8}
    sampled = document.make_stream(bytes([255, 255, 255, 0, 51, 102]), table)
    spaces = {
        "/A": Array([Name.Separation, Name("/Reef orange"), Name.DeviceRGB, linear]),
        "/N": Array([Name.Separation, Name("/None"), Name.DeviceRGB, linear]),
        "/D": Array([Name.DeviceN, Array([Name("/Foil"), Name("/White")]), Name.DeviceRGB, both]),
        "/S": Array([Name.Separation, Name("/Harbour"), Name.DeviceRGB, sampled]),
    }
    state = Dictionary({"/Over": Dictionary({"/OP": True, "/op": True})})
    page["/Resources"] = Dictionary({"/ColorSpace": Dictionary(spaces), "/ExtGState": state})
    page["/Contents"] = document.make_stream(
        b"/Over gs /A cs 1 scn 0 36 36 36 re f 0.5 scn 36 36 36 36 re f /D cs 0.2 0.6 scn 0 0 36 36 re f "
        b"/N cs 1 scn 36 0 18 36 re f /S cs 0.5 scn 54 0 18 36 re f"
    )
    document.save(tmp_path / "inks.pdf")
    found = open_artwork(tmp_path / "inks.pdf", ppi=72)
    wanted = {
        (18, 18): (0.9, 0.3, 0.1),
        (18, 54): (0.95, 0.65, 0.55),
        (54, 18): (0.4, 0.2, 0.6),
        (54, 45): (1, 1, 1),
        (54, 63): (0.5, 0.6, 0.7),
    }
    for place, colour in wanted.items():
        assert np.abs(found.pixels[place] / 255 - colour).max() < 0.01, place
    told = " ".join(found.doubts)
    assert all(ink in told for ink in ("Reef orange", "Foil", "White", "Harbour"))
    assert "None" not in told
    assert "overprint" in told


@pytest.mark.parametrize("kind", [np.uint8, np.uint16])
@pytest.mark.parametrize("codec", ["zlib", "packbits", "lzw"])
def test_a_tiff_whose_last_strip_is_filled_up_is_no_damage(tmp_path, kind, codec):
    """Some writers make such files, and most readers bear them; so does Fidele, whole and strip by strip."""

    from fidele.artwork.stream import strips

    path, rng = tmp_path / "filled.tif", np.random.default_rng(0)
    filled = rng.integers(0, 30, (128, 90, 3)).astype(kind) * np.arange(90, dtype=kind)[:, None]
    encode = {"zlib": imagecodecs.zlib_encode, "packbits": imagecodecs.packbits_encode, "lzw": imagecodecs.lzw_encode}
    parts = [encode[codec](part.tobytes()) for part in (filled[:64], filled[64:])]
    tifffile.imwrite(
        path, iter(parts), shape=(100, 90, 3), dtype=kind, photometric="rgb", compression=codec, rowsperstrip=64
    )
    assert np.array_equal(open_artwork(path, assume=srgb()).pixels, filled[:100])
    _, *rows = strips(path, None)
    assert np.array_equal(np.concatenate(rows), filled[:100])
    whole = path.read_bytes()
    path.write_bytes(whole.replace(parts[1], parts[1][: len(parts[1]) // 3].ljust(len(parts[1]), b"\xff")))
    with pytest.raises(FideleError, match="damaged"):
        open_artwork(path, assume=srgb())
