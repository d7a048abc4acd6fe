"""Decode pictures made of pixels: PNG, JPEG, WebP, TIFF."""

from __future__ import annotations

import io
from copy import copy
from pathlib import Path
from typing import Any

import numpy as np

from fidele.apart import process
from fidele.arrays import Codes, top_of
from fidele.artwork import jpeg, png
from fidele.artwork.limits import LARGEST_FILE, bounded
from fidele.artwork.picture import Decoded
from fidele.errors import FideleError
from fidele.files import read_bytes
from fidele.language import tr, trn

TIFF_HEADS = (b"II*\0", b"MM\0*", b"II+\0", b"MM\0+")
#: Channels of each kind of colour.
#: Tags of TIFF 6.0, section 16.
_INK_SET, _NUMBER_OF_INKS = 332, 334
CHANNELS = {"GRAY": 1, "RGB": 3, "CMYK": 4, "Lab": 3}


def read_png(path: Path) -> Decoded:
    """Decode a PNG of any depth, with palette or without."""
    import imagecodecs

    data = read_bytes(path, LARGEST_FILE)
    facts = png.facts(data)
    bounded(facts.width, facts.height, path, packed=True)
    pixels = imagecodecs.png_decode(data)
    if facts.bits < 8 and pixels.ndim == 2 and pixels.max(initial=0) < 2**facts.bits:
        pixels = (pixels.astype(np.uint16) * 255 // (2**facts.bits - 1)).astype(np.uint8)
    pixels = pixels[..., None] if pixels.ndim == 2 else pixels
    space = "GRAY" if pixels.shape[2] < 3 else "RGB"
    colours, alpha = _apart(pixels, CHANNELS[space])
    return Decoded(colours, space, alpha, facts.icc, facts.ppi, "sRGB" if facts.says_srgb else "", facts.xmp)


def read_by_pillow(path: Path, kind: str) -> Decoded:
    """Decode a JPEG or WebP picture, the way up that its camera says."""
    return decoded_by_pillow(read_bytes(path, LARGEST_FILE), path, kind)


def decoded_by_pillow(data: bytes, path: Path, kind: str) -> Decoded:
    """Decode the bytes of a JPEG or WebP picture; `path` is how messages call it."""
    from PIL import Image, ImageOps

    if kind == "JPEG" and (hole := jpeg.hole(data)):
        raise FideleError(
            tr(
                "{path} has a hole of {hole:,} bytes, as copies have that broke off; ask for another.",
                path=path,
                hole=hole,
            )
        )
    Image.MAX_IMAGE_PIXELS = None  # bounded by ourselves, from the header, before a pixel is decoded
    with Image.open(io.BytesIO(data), formats=[kind]) as picture:
        bounded(picture.width, picture.height, path, packed=True)
        icc, dpi, xmp = picture.info.get("icc_profile"), picture.info.get("dpi"), picture.info.get("xmp")
        says = _stated_by_camera(picture)
        picture.load()
        space = {"L": "GRAY", "LA": "GRAY", "CMYK": "CMYK"}.get(picture.mode, "RGB")
        upright = ImageOps.exif_transpose(picture)
        pixels = np.asarray(upright if upright is not None else picture)
    # Inks lie inverted in a JPEG, whether a marker says so or not: Pillow, as others, has put that right.
    pixels = pixels[..., None] if pixels.ndim == 2 else pixels
    colours, alpha = _apart(pixels, CHANNELS[space])
    return Decoded(colours, space, alpha, icc, float(dpi[0]) if dpi else None, says, xmp)


def _stated_by_camera(picture: Any) -> str:
    """Return the space that EXIF states (Exif 2.32, ColorSpace and the interoperability index), '' where none."""
    exif = picture.getexif()
    if exif.get_ifd(0x8769).get(0xA001) == 1:
        return "sRGB"
    return "opRGB" if str(exif.get_ifd(0xA005).get(1, "")).startswith("R03") else ""


def read_tiff(path: Path, page: int | None) -> Decoded:
    """Decode a page of a TIFF (strips or tiles, any compression that imagecodecs has)."""
    import tifffile

    with tifffile.TiffFile(path) as tiff:
        whole = [index for index, p in enumerate(tiff.pages) if _is_picture(p)]
        if not whole:
            raise FideleError(tr("{path} is a TIFF without a picture.", path=path))
        chosen = page_chosen(page, len(whole), path)
        found = tiff.pages[whole[max(0, chosen)]]
        if not isinstance(found, tifffile.TiffPage):
            found = found.aspage()
        bounded(found.imagewidth, found.imagelength, path, packed=True)
        space = tiff_space(found, path)
        without_gaps(found, path)
        bear_padding(found)
        process.tell(found.nbytes)
        pixels = found.asarray()
        if found.planarconfig == 2 and pixels.ndim == 3:
            pixels = np.moveaxis(pixels, 0, -1)
        tags = found.tags
        icc = tags[34675].value if 34675 in tags else None
        said = tags[700].value if 700 in tags else None
        xmp = bytes(said) if isinstance(said, (bytes, tuple)) else None
        turned = int(tags[274].value) if 274 in tags else 1
        extra = tuple(int(e) for e in found.extrasamples)
        photometric, bits, palette = int(found.photometric), int(found.bitspersample), found.colormap
        ppi = tiff_ppi(found)
    pixels = pixels[..., None] if pixels.ndim == 2 else pixels
    if pixels.dtype == np.bool_:
        pixels = pixels.astype(np.uint8) * 255
    elif bits < 8 and photometric != 3:
        pixels = (pixels.astype(np.uint16) * 255 // (2**bits - 1)).astype(np.uint8)
    if pixels.dtype not in (np.uint8, np.uint16) or pixels.ndim != 3:
        raise FideleError(
            tr("{path} has {dtype} pixels; Fidele opens 8 and 16 bits per channel.", path=path, dtype=pixels.dtype)
        )
    if photometric == 0:
        pixels = np.invert(pixels)
    elif photometric == 3:
        if palette is None:
            raise FideleError(tr("{path} has a palette that is missing.", path=path))
        pixels = np.moveaxis(palette[:, pixels[..., 0]], 0, -1).astype(np.uint16)
    colours, alpha, doubts = apart_tiff(pixels, CHANNELS[space], extra, path)
    if photometric in (8, 9):
        colours = lab_encoded(colours, photometric)
    says = "Lab" if space == "Lab" else ""
    colours, alpha = _upright(colours, turned), _upright(alpha, turned) if alpha is not None else None
    return Decoded(colours, space, alpha, bytes(icc) if icc else None, ppi, says, xmp, doubts, chosen, len(whole))


def without_gaps(page: Any, path: Path) -> None:
    """Refuse a TIFF page of which strips or tiles are missing: they would print black.

    Raises
    ------
    FideleError
        In one sentence.
    """
    counts = page.databytecounts
    if gaps := sum(not count for count in counts):
        raise FideleError(
            tr(
                "{path} has gaps: {gaps} of its {n} parts hold nothing; ask for another copy.",
                path=path,
                gaps=gaps,
                n=len(counts),
            )
        )


def bear_padding(page: Any) -> None:
    """Let a TIFF page be decoded whose last strips are as long as all others: some writers fill them up.

    TIFF 6.0 wants them short; most readers bear it, and the decoders used here take it for damage.
    """
    rows = page.rowsperstrip
    strips = -(-page.imagelength // rows) if rows and not page.is_tiled else 0
    left = strips * rows - page.imagelength
    if left <= 0 or strips < 2:
        return
    plain = page.decode
    taller = copy(page)
    for known in ("decode", "hash"):
        vars(taller).pop(known, None)
    taller.imagelength += left
    taller.shaped = (*page.shaped[:2], page.shaped[2] + left, *page.shaped[3:])

    def decode(data: Any, index: int, **how: Any) -> Any:
        try:
            return plain(data, index, **how)
        except Exception:
            if data is None or (index + 1) % strips:
                raise
            filled, _, _ = taller.decode(data, index, **how)
            _, place, shape = plain(None, index, **how)
            return filled[:, : shape[1]], place, shape

    vars(page)["decode"] = decode


def page_chosen(page: int | None, pages: int, path: Path) -> int:
    """Return which page to open, -1 where nobody has said which one of several."""
    if page is None:
        return 0 if pages == 1 else -1
    if not 0 <= page < pages:
        raise FideleError(
            trn(
                "{path} has {pages} page; there is no page {page}.",
                "{path} has {pages} pages; there is no page {page}.",
                pages,
                path=path,
                pages=pages,
                page=page + 1,
            )
        )
    return page


def _is_picture(page: Any) -> bool:
    """Tell a page from a reduced copy of one and from a mask (TIFF 6.0, NewSubfileType)."""
    return not (page.subfiletype & 0b101)


def tiff_space(page: Any, path: Path) -> str:
    """Return the kind of colour of a TIFF page: 'GRAY', 'RGB', 'CMYK' or 'Lab'.

    Raises
    ------
    FideleError
        When Fidele does not open it.
    """
    space = {0: "GRAY", 1: "GRAY", 2: "RGB", 3: "RGB", 5: "CMYK", 6: "RGB", 8: "Lab", 9: "Lab"}.get(
        int(page.photometric)
    )
    if space is None:
        raise FideleError(
            tr(
                "{path} is a TIFF of a kind that Fidele does not open ({photometric!s}).",
                path=path,
                photometric=page.photometric,
            )
        )
    inks = _inks(page)
    if space == "CMYK" and inks != 4:
        raise FideleError(
            tr(
                "{path} is a TIFF of {samplesperpixel} inks that are not C, M, Y and K.",
                path=path,
                samplesperpixel=inks,
            )
        )
    return space


def _inks(page: Any) -> int:
    """Return how many inks a TIFF page of separated colour has: those that its set of inks counts, or at most four."""
    tags, samples = page.tags, int(page.samplesperpixel)
    if _INK_SET in tags and int(tags[_INK_SET].value) == 2:  # another set than CMYK
        return int(tags[_NUMBER_OF_INKS].value) if _NUMBER_OF_INKS in tags else samples
    return min(samples, 4)


def tiff_ppi(page: Any) -> float | None:
    """Return the resolution across that a TIFF page states, None where it states none."""
    tags = page.tags
    if 282 not in tags or not tags[282].value[1]:
        return None
    unit = tags[296].value if 296 in tags else 2
    return tags[282].value[0] / tags[282].value[1] * {2: 1.0, 3: 2.54}.get(int(unit), 0) or None


def lab_encoded(pixels: Codes, photometric: int) -> Codes:
    """Return L*a*b* of a TIFF in the encoding of ICC version 4.

    CIELAB (TIFF 6.0, section 23) has signed a* and b*, in 16 bits as 256ths; ICCLAB has ICC version 2's offset codes.
    """
    top = 255 if pixels.dtype == np.uint8 else 65535
    if photometric == 8:
        flip = np.array([0, (top + 1) // 2, (top + 1) // 2], pixels.dtype)
        pixels = pixels ^ flip
        if top == 255:
            return pixels
        codes = pixels.astype(np.float64)
        codes[..., 1:] *= 257 / 256
    elif top == 255:
        return pixels
    else:
        codes = pixels.astype(np.float64) * (65535 / 65280)
    return np.rint(np.clip(codes, 0, 65535)).astype(np.uint16)


def _apart(pixels: Codes, colours: int) -> tuple[Codes, Codes | None]:
    """Separate colour from alpha, which follows it."""
    if pixels.shape[2] == colours:
        return pixels, None
    return np.ascontiguousarray(pixels[..., :colours]), np.ascontiguousarray(pixels[..., colours])


def apart_tiff(
    pixels: Codes, colours: int, extra: tuple[int, ...], path: Path
) -> tuple[Codes, Codes | None, tuple[str, ...]]:
    """Separate colour from alpha and leave further channels out, which is said."""
    count = pixels.shape[2]
    if count < colours:
        raise FideleError(tr("{path} has {count} channels, too few for its colours.", path=path, count=count))
    extra = (extra + (0,) * count)[: count - colours]
    at = next((i for i, kind in enumerate(extra) if kind in (1, 2)), None)
    alpha = np.ascontiguousarray(pixels[..., colours + at]) if at is not None else None
    own = np.ascontiguousarray(pixels[..., :colours])
    if alpha is not None and at is not None and extra[at] == 1:  # laid over black already: undone
        share = np.maximum(alpha, 1).astype(np.float64)[..., None] / top_of(alpha)
        own = np.rint(np.clip(own / share, 0, top_of(own))).astype(own.dtype)
    left_out = len(extra) - (at is not None)
    said = (
        (
            trn(
                "{name} holds {left_out} further channel (spot inks or masks); left out, so that they print nothing.",
                "{name} holds {left_out} further channels (spot inks or masks); left out, so that they print nothing.",
                left_out,
                name=path.name,
                left_out=left_out,
            ),
        )
        if left_out
        else ()
    )
    return own, alpha, said


def _upright(pixels: Codes, turned: int) -> Codes:
    """Turn and mirror pixels as the orientation tag says (TIFF 6.0, 1 to 8)."""
    if turned in (2, 3):
        pixels = pixels[:, ::-1]
    if turned in (3, 4):
        pixels = pixels[::-1]
    if turned in (5, 6, 7, 8):
        pixels = np.swapaxes(pixels, 0, 1)
        if turned in (6, 7):
            pixels = pixels[:, ::-1]
        if turned in (7, 8):
            pixels = pixels[::-1]
    return np.ascontiguousarray(pixels)
