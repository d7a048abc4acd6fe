"""Write pictures: TIFF and PNG, 8 or 16 bit, with profile and resolution, whole or not at all."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from fidele.artwork import png
from fidele.artwork.record import ConversionRecord, packet
from fidele.errors import FideleError
from fidele.files import replacing, write_bytes
from fidele.icc.profile import Profile


def save_picture(
    path: Path,
    pixels: NDArray[Any],
    profile: Profile | None,
    ppi: float | None = None,
    alpha: NDArray[Any] | None = None,
    record: ConversionRecord | None = None,
) -> None:
    """Write pixels (h, w, channels) by the ending of `path`: .tif, .tiff or .png; `record` says what was done to them.

    Raises
    ------
    FideleError
        When the ending is another, PNG cannot hold the channels, or the file cannot be written.
    """
    ending = path.suffix.lower()
    icc = profile.data if profile else None
    whole = pixels if alpha is None else np.concatenate([pixels, alpha[..., None]], axis=2)
    if ending in (".tif", ".tiff"):
        _tiff(path, whole, icc, ppi, alpha is not None, packet(record) if record else None)
    elif ending == ".png":
        import imagecodecs

        if pixels.shape[2] == 4:
            raise FideleError(f"{path}: PNG cannot hold CMYK; write a TIFF.")
        encoded = imagecodecs.png_encode(
            np.ascontiguousarray(whole.squeeze(2) if whole.shape[2] == 1 else whole), level=6
        )
        write_bytes(path, png.with_chunks(bytes(encoded), icc, ppi, packet(record) if record else None))
    else:
        raise FideleError(f"{path}: Fidele writes .tif and .png files, not '{ending or 'no ending'}'.")


def _tiff(
    path: Path, pixels: NDArray[Any], icc: bytes | None, ppi: float | None, has_alpha: bool, xmp: bytes | None
) -> None:
    import tifffile

    colours = pixels.shape[2] - has_alpha
    options: dict[str, Any] = {
        "photometric": {1: "minisblack", 3: "rgb", 4: "separated"}[colours],
        "compression": "zlib",
        "compressionargs": {"level": 6},
        "predictor": True,
        "software": "Fidele",
        "bigtiff": pixels.nbytes > 2**31,
        "metadata": None,
    }
    if xmp:
        options["extratags"] = [(700, "B", len(xmp), xmp, True)]
    if has_alpha:
        options["extrasamples"] = ["unassalpha"]
    if icc:
        options["iccprofile"] = icc
    if ppi:
        options["resolution"] = (ppi, ppi)
        options["resolutionunit"] = "INCH"
    with replacing(path) as temporary:
        tifffile.imwrite(temporary, pixels.squeeze(2) if pixels.shape[2] == 1 else pixels, **options)
