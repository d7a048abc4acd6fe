"""Open a picture and find out its colour space."""

from __future__ import annotations

import io
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from fidele.artwork import png
from fidele.artwork.picture import Artwork, SourceSlip
from fidele.artwork.record import record_in
from fidele.errors import FideleError
from fidele.files import read_bytes
from fidele.icc.describe import describe, require_sound
from fidele.icc.profile import Profile, ProfileError
from fidele.icc.spaces import oprgb, sgrey, srgb
from fidele.icc.text import text_of

#: 600 megapixels: an A0 sheet at 300 ppi takes 140.
MOST_PIXELS = 600_000_000
_LARGEST_FILE = 8 * 2**30

KINDS = ("*.png", "*.jpg", "*.jpeg", "*.tif", "*.tiff", "*.webp")


def open_artwork(path: Path, assume: Profile | None = None) -> Artwork:
    """Open a PNG, JPEG, TIFF or WebP.

    `assume` is the space of pictures that state none; sRGB where it is not given. What a file states wins over it.

    Raises
    ------
    FideleError
        When the file is missing, damaged, of another kind, too large, or in a form that Fidele does not print.
    """
    if not path.is_file():
        raise FideleError(f"{path} is not a file." if path.exists() else f"{path} does not exist.")
    head = _head(path)
    try:
        if head.startswith(png.SIGNATURE):
            pixels, icc, ppi, says, xmp = _open_png(path)
        elif head.startswith(b"\xff\xd8\xff"):
            pixels, icc, ppi, says, xmp = _open_by_pillow(path, "JPEG")
        elif head[:4] == b"RIFF" and head[8:12] == b"WEBP":
            pixels, icc, ppi, says, xmp = _open_by_pillow(path, "WEBP")
        elif head[:4] in (b"II*\0", b"MM\0*", b"II+\0", b"MM\0+"):
            pixels, icc, ppi, says, xmp = _open_tiff(path)
        else:
            raise FideleError(f"{path} is not a PNG, JPEG, TIFF or WebP picture.")
    except FideleError:
        raise
    except MemoryError as error:
        raise FideleError(f"{path} is too large for the memory of this machine.") from error
    except Exception as error:  # decoders raise whatever they like on damaged files
        raise FideleError(f"{path} is damaged and cannot be opened ({_short(error)}).") from error
    colours, alpha = _split(pixels, path)
    profile, slip, doubts = _identify(colours.shape[2], icc, says, assume, path)
    if ppi is not None and not 1 < ppi < 100_000:
        ppi = None
    return Artwork(path, colours, alpha, profile, slip, ppi, doubts, record_in(xmp, colours))


def _head(path: Path) -> bytes:
    try:
        with path.open("rb") as source:
            return source.read(16)
    except OSError as error:
        raise FideleError(f"{path} cannot be read: {(error.strerror or 'unknown reason').lower()}.") from error


def _short(error: Exception) -> str:
    return (str(error).strip().splitlines() or [type(error).__name__])[0][:120]


def _bounded(width: int, height: int, path: Path) -> None:
    if width <= 0 or height <= 0:
        raise FideleError(f"{path} has no pixels.")
    if width * height > MOST_PIXELS:
        raise FideleError(
            f"{path} is {width:,} x {height:,} pixels, more than Fidele opens ({MOST_PIXELS // 10**6} million)."
        )


#: Pixels, embedded profile, resolution, the space that a tag states ('sRGB', 'opRGB', ''), XMP packet.
_Opened = tuple[NDArray[Any], bytes | None, float | None, str, bytes | None]


def _open_png(path: Path) -> _Opened:
    import imagecodecs

    data = read_bytes(path, _LARGEST_FILE)
    facts = png.facts(data)
    _bounded(facts.width, facts.height, path)
    pixels = imagecodecs.png_decode(data)
    if facts.bits < 8 and pixels.ndim == 2 and pixels.max(initial=0) < 2**facts.bits:
        pixels = (pixels.astype(np.uint16) * 255 // (2**facts.bits - 1)).astype(np.uint8)
    return pixels, facts.icc, facts.ppi, "sRGB" if facts.says_srgb else "", facts.xmp


def _open_by_pillow(path: Path, kind: str) -> _Opened:
    """Open a JPEG or WebP picture, the way up that its camera says."""
    from PIL import Image, ImageOps

    Image.MAX_IMAGE_PIXELS = None  # bounded by ourselves, from the header, before a pixel is decoded
    with Image.open(io.BytesIO(read_bytes(path, _LARGEST_FILE)), formats=[kind]) as picture:
        _bounded(picture.width, picture.height, path)
        icc, dpi = picture.info.get("icc_profile"), picture.info.get("dpi")
        inverted = picture.mode == "CMYK" and "adobe" in picture.info
        says = _stated_by_camera(picture)
        picture.load()
        pixels = np.asarray(ImageOps.exif_transpose(picture))
    if inverted:
        pixels = 255 - pixels
    return pixels, icc, float(dpi[0]) if dpi else None, says, None


def _stated_by_camera(picture: Any) -> str:
    """Return the space that EXIF states (Exif 2.32, ColorSpace and the interoperability index), '' where none."""
    exif = picture.getexif()
    if exif.get_ifd(0x8769).get(0xA001) == 1:
        return "sRGB"
    return "opRGB" if str(exif.get_ifd(0xA005).get(1, "")).startswith("R03") else ""


def _open_tiff(path: Path) -> _Opened:
    import tifffile

    with tifffile.TiffFile(path) as tiff:
        page = tiff.pages[0]
        if not isinstance(page, tifffile.TiffPage):
            raise FideleError(f"{path} is a TIFF without a picture.")
        _bounded(page.imagewidth, page.imagelength, path)
        pixels = page.asarray()
        if page.planarconfig == 2 and pixels.ndim == 3:
            pixels = np.moveaxis(pixels, 0, -1)
        tags = page.tags
        icc = tags[34675].value if 34675 in tags else None
        said = tags[700].value if 700 in tags else None
        xmp = bytes(said) if isinstance(said, (bytes, tuple)) else None
        ppi = None
        if 282 in tags and tags[282].value[1]:
            unit = tags[296].value if 296 in tags else 2
            ppi = tags[282].value[0] / tags[282].value[1] * {2: 1.0, 3: 2.54}.get(int(unit), 0) or None
        if page.photometric == 0:
            pixels = np.invert(pixels)
        elif page.photometric == 3:
            palette = page.colormap
            if palette is None:
                raise FideleError(f"{path} has a palette that is missing.")
            pixels = np.moveaxis(palette[:, pixels], 0, -1).astype(np.uint16)
        elif page.photometric not in (1, 2, 5, 6):
            raise FideleError(f"{path} is a TIFF of a kind that Fidele does not open ({page.photometric!s}).")
    if pixels.dtype == np.bool_:
        pixels = pixels.astype(np.uint8) * 255
    return np.ascontiguousarray(pixels), bytes(icc) if icc else None, ppi, "", xmp


def _split(pixels: NDArray[Any], path: Path) -> tuple[NDArray[Any], NDArray[Any] | None]:
    """Separate colour from alpha."""
    if pixels.dtype not in (np.uint8, np.uint16):
        raise FideleError(f"{path} has {pixels.dtype} pixels; Fidele opens 8 and 16 bits per channel.")
    if pixels.ndim == 2:
        pixels = pixels[..., None]
    if pixels.ndim != 3:
        raise FideleError(f"{path} is not a flat picture.")
    channels = pixels.shape[2]
    if channels in (1, 3):
        return pixels, None
    if channels == 2:
        return np.ascontiguousarray(pixels[..., :1]), np.ascontiguousarray(pixels[..., 1])
    if channels == 4:
        return (
            (pixels, None)
            if _is_cmyk(path)
            else (np.ascontiguousarray(pixels[..., :3]), np.ascontiguousarray(pixels[..., 3]))
        )
    raise FideleError(f"{path} has {channels} channels; extra inks are not printed.")


def _is_cmyk(path: Path) -> bool:
    head = _head(path)
    if head.startswith(b"\xff\xd8\xff"):
        return True
    if head.startswith((png.SIGNATURE, b"RIFF")):
        return False
    import tifffile

    with tifffile.TiffFile(path) as tiff:
        return getattr(tiff.pages[0], "photometric", None) == 5


def _identify(
    channels: int, icc: bytes | None, says: str, assume: Profile | None, path: Path
) -> tuple[Profile, SourceSlip, tuple[str, ...]]:
    """Find the space: stated by an embedded profile or tag, else supposed."""
    doubts: list[str] = []
    if icc is not None:
        try:
            profile = Profile.parse(icc, f"The profile inside {path.name}")
            require_sound(profile)
            if profile.channels != channels:
                raise ProfileError(
                    f"The profile inside {path.name} is for {profile.header.colour_space}, not for this picture."
                )
            name = describe(profile).description
            return profile, SourceSlip("stated", f"{name}, stated by the file"), ()
        except ProfileError as error:
            doubts.append(f"{error} It was left aside.")
    if channels == 3 and says:
        stated = srgb() if says == "sRGB" else oprgb()
        return stated, SourceSlip("stated", f"{says}, stated by the file"), tuple(doubts)
    if assume is not None and assume.channels == channels:
        return assume, SourceSlip("chosen", f"{text_of(assume, 'desc') or assume.name}, chosen"), tuple(doubts)
    if channels == 4:
        raise FideleError(f"{path} is CMYK and states no profile; say which one with a CMYK profile to assume.")
    space = sgrey() if channels == 1 else srgb()
    word = "grey with the curve of sRGB" if channels == 1 else "sRGB"
    return space, SourceSlip("supposed", f"{word}, supposed: the file states nothing"), tuple(doubts)
