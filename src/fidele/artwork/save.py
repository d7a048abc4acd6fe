"""Write pictures: TIFF, PNG, JPEG and PDF, with profile and resolution, whole or not at all."""

from __future__ import annotations

import struct
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import numpy as np

from fidele.arrays import Codes
from fidele.artwork import png
from fidele.artwork.depth import to_eight
from fidele.artwork.lay import over_white
from fidele.artwork.record import ConversionRecord, packet
from fidele.errors import FideleError
from fidele.files import replacing, write_bytes
from fidele.icc.profile import Profile
from fidele.icc.transform import white_of
from fidele.language import tr

#: The tag that says what samples beyond a picture's colours are.
_EXTRA_SAMPLES = 338
#: Endings of the files that Fidele writes.
WRITTEN = (".tif", ".tiff", ".png", ".jpg", ".jpeg", ".pdf")


def save_picture(
    path: Path,
    pixels: Codes,
    profile: Profile | None,
    ppi: float | None = None,
    alpha: Codes | None = None,
    record: ConversionRecord | None = None,
    inks: Sequence[str] = (),
) -> None:
    """Write pixels (h, w, channels) by the ending of `path`, one of `WRITTEN`; `record` says what was done to them.

    JPEG holds 8 bit and no alpha: it is dithered, and laid over bare paper. More than four inks, whose names are
    `inks`, are held by TIFF alone.

    Raises
    ------
    FideleError
        When the ending is another, PNG cannot hold the channels, or the file cannot be written.
    """
    ending = path.suffix.lower()
    if not inks and profile is not None and len(known := profile.colorants()) == pixels.shape[2]:
        inks = known
    if pixels.shape[2] > 4 and ending not in (".tif", ".tiff"):
        raise FideleError(tr("{path}: only TIFF holds more than four inks.", path=path))
    icc = profile.data if profile else None
    paper = white_of(profile, pixels.dtype) if profile else None
    whole = pixels if alpha is None else np.concatenate([pixels, alpha[..., None]], axis=2)
    if ending in (".tif", ".tiff"):
        _tiff(path, whole, icc, ppi, alpha is not None, packet(record) if record else None, inks)
    elif ending in (".jpg", ".jpeg"):
        _jpeg(path, over_white(pixels, alpha, paper), icc, ppi, packet(record) if record else None)
    elif ending == ".pdf":
        from fidele.artwork.pdf_out import write_pdf

        write_pdf(path, pixels, profile, ppi or 300.0, alpha, record)
    elif ending == ".png":
        import imagecodecs

        if pixels.shape[2] == 4:
            raise FideleError(tr("{path}: PNG cannot hold CMYK; write a TIFF.", path=path))
        encoded = imagecodecs.png_encode(
            np.ascontiguousarray(whole.squeeze(2) if whole.shape[2] == 1 else whole), level=6
        )
        write_bytes(path, png.with_chunks(bytes(encoded), icc, ppi, packet(record) if record else None))
    else:
        raise FideleError(
            tr(
                "{path}: Fidele writes {written} files, not '{ending}'.",
                path=path,
                written=", ".join(WRITTEN),
                ending=ending or tr("no ending"),
            )
        )


def _jpeg(path: Path, pixels: Codes, icc: bytes | None, ppi: float | None, xmp: bytes | None) -> None:
    from PIL import Image

    eight = to_eight(pixels) if pixels.dtype == np.uint16 else pixels
    mode = {1: "L", 3: "RGB", 4: "CMYK"}[eight.shape[2]]
    picture = Image.fromarray(np.ascontiguousarray(eight.squeeze(2) if mode == "L" else eight), mode=mode)
    options: dict[str, Any] = {"quality": 97, "subsampling": 0, "icc_profile": icc or b""}
    if ppi:
        options["dpi"] = (ppi, ppi)
    if xmp:
        options["xmp"] = xmp
    with replacing(path) as temporary, temporary.open("wb") as out:
        picture.save(out, "JPEG", **options)


def _tiff(
    path: Path,
    pixels: Codes,
    icc: bytes | None,
    ppi: float | None,
    has_alpha: bool,
    xmp: bytes | None,
    inks: Sequence[str] = (),
) -> None:
    import tifffile

    colours = pixels.shape[2] - has_alpha
    options: dict[str, Any] = {
        "photometric": {1: "minisblack", 3: "rgb"}.get(colours, "separated"),
        "compression": "zlib",
        "compressionargs": {"level": 6},
        "predictor": True,
        "software": "Fidele",
        "bigtiff": pixels.nbytes > 2**31,
        "metadata": None,
    }
    tags: list[tuple[int, str, int, object, bool]] = [(700, "B", len(xmp), xmp, True)] if xmp else []
    if colours > 4:  # TIFF 6.0, section 16: another set of inks, how many, and their names
        names = "".join(f"{name}\0" for name in (inks or [f"ink {n + 1}" for n in range(colours)]))
        tags += [(332, "H", 1, 2, True), (333, "s", len(names), names, True), (334, "H", 1, colours, True)]
    if tags:
        options["extratags"] = tags
    if has_alpha:
        options["extrasamples"] = ["unassalpha"]
    if icc:
        options["iccprofile"] = icc
    if ppi:
        options["resolution"] = (ppi, ppi)
        options["resolutionunit"] = "INCH"
    with replacing(path) as temporary:
        tifffile.imwrite(temporary, pixels.squeeze(2) if pixels.shape[2] == 1 else pixels, **options)
        if colours > 4 and not has_alpha:
            _no_extra_samples(temporary)


def _no_extra_samples(path: Path) -> None:
    """Take the tag of extra samples out of a TIFF's only page: all of its samples are inks.

    Whoever writes more than four samples of separated colour is taken to mean four inks and something beside them.
    """
    import tifffile

    with tifffile.TiffFile(path) as tiff:
        page, order, big = tiff.pages.first, tiff.byteorder, tiff.is_bigtiff
        start, tags = page.offset, [tag.code for tag in page.tags.values()]
    if _EXTRA_SAMPLES not in tags:
        return
    head, entry, tail = (8, 20, 8) if big else (2, 12, 4)
    with path.open("r+b") as file:
        file.seek(start)
        raw = file.read(head + entry * len(tags) + tail)
        at = head + entry * tags.index(_EXTRA_SAMPLES)
        count = struct.pack(order + ("Q" if big else "H"), len(tags) - 1)
        file.seek(start)
        file.write(count + raw[head:at] + raw[at + entry :])
