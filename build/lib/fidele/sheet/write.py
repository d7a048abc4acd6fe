"""Write a sheet as a file, band by band: TIFF of any length, or PNG and PDF where the whole fits in memory."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Codes
from fidele.artwork.depth import to_eight
from fidele.artwork.save import save_picture
from fidele.errors import FideleError
from fidele.files import replacing
from fidele.icc.profile import Profile
from fidele.language import tr

#: Sheets of more pixels are written as TIFF only.
_WHOLE = 120_000_000
_ROWS = 64


def write_sheet(
    path: Path, bands: Iterable[tuple[int, Codes]], size: tuple[int, int], profile: Profile | None, ppi: int
) -> None:
    """Write bands (first row, pixels) of a sheet of `size` (width, height) pixels at 8 bit, dithered by position.

    `profile` is what the file says of its colours, None for nothing.

    Raises
    ------
    FideleError
        When the ending is none that is written, a PNG or PDF would be too large, or the file cannot be written.
    """
    ending = path.suffix.lower()
    if ending in (".png", ".pdf"):
        if size[0] * size[1] > _WHOLE:
            raise FideleError(
                tr(
                    "{path}: a sheet of {size} x {size2} pixels is written as TIFF.",
                    path=path,
                    size=size[0],
                    size2=size[1],
                )
            )
        whole = np.concatenate([_eight(band, first) for first, band in bands])
        save_picture(path, whole, profile, ppi)
    elif ending in (".tif", ".tiff"):
        _tiff(path, bands, size, profile, ppi)
    else:
        raise FideleError(tr("{path}: a sheet is written as .tif, .png or .pdf.", path=path))


def _tiff(
    path: Path, bands: Iterable[tuple[int, Codes]], size: tuple[int, int], profile: Profile | None, ppi: int
) -> None:
    import imagecodecs
    import tifffile

    def strips() -> Iterator[bytes]:
        kept: Codes = np.zeros((0, size[0], 3), np.uint8)
        for first, band in bands:
            kept = np.concatenate([kept, _eight(band, first)])
            while len(kept) >= _ROWS:
                yield bytes(imagecodecs.zlib_encode(kept[:_ROWS].tobytes(), level=1))
                kept = kept[_ROWS:]
        if len(kept):
            yield bytes(imagecodecs.zlib_encode(kept.tobytes(), level=1))

    with replacing(path) as temporary:
        tifffile.imwrite(
            temporary,
            strips(),
            shape=(size[1], size[0], 3),
            dtype=np.uint8,
            photometric="rgb",
            compression="zlib",
            rowsperstrip=_ROWS,
            resolution=(ppi, ppi),
            resolutionunit="INCH",
            bigtiff=size[0] * size[1] * 3 > 3_900_000_000,
            iccprofile=profile.data if profile is not None else None,
            software="Fidele",
            metadata=None,
            maxworkers=1,
        )


def _eight(band: Codes, first: int) -> NDArray[np.uint8]:
    return band.astype(np.uint8, copy=False) if band.dtype == np.uint8 else to_eight(band, first)
