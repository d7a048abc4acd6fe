"""What Fidele opens at most, so that no file can eat the machine."""

from __future__ import annotations

from pathlib import Path

from fidele.apart.jail import room_for
from fidele.errors import FideleError
from fidele.files import stamp_of
from fidele.language import tr

#: 600 megapixels: an A0 sheet at 300 ppi takes 140. Larger TIFFs are converted in strips, see `fidele.artwork.stream`.
MOST_PIXELS = 600_000_000
#: Longest side; no decoder is asked for more.
LONGEST_SIDE = 300_000
LARGEST_FILE = 8 * 2**30
#: So many pixels may lie in a byte of a file, beside those that any may have. Deflate packs at most 1,032 to 1.
_PIXELS_PER_BYTE, _SPARE = 1_200, 16_000_000
#: Bytes that decoding takes for each pixel: 16 bits, four channels, and copies on the way.
_BYTES_PER_PIXEL = 40


def bounded(width: int, height: int, path: Path, most: int = MOST_PIXELS, packed: bool = False) -> None:
    """Refuse a picture of this many pixels where it has none, too many, or, if `packed`, more than its file can hold.

    Raises
    ------
    FideleError
        In one sentence.
    """
    if width <= 0 or height <= 0:
        raise FideleError(tr("{path} has no pixels.", path=path))
    if width * height > most or max(width, height) > LONGEST_SIDE:
        raise FideleError(
            tr(
                "{path} is {width:,} x {height:,} pixels, more than Fidele opens ({most:,} million, sides up "
                "to {longest_side:,}).",
                path=path,
                width=width,
                height=height,
                most=most // 10**6,
                longest_side=LONGEST_SIDE,
            )
        )
    take_room(width * height, path, packed)


def take_room(pixels: int, path: Path, packed: bool = True) -> None:
    """Take the memory that decoding so many pixels needs; refuse, where they lie `packed`, what the file cannot hold.

    Raises
    ------
    FideleError
        In one sentence.
    """
    size, _ = stamp_of(path)
    if packed and pixels > _SPARE + _PIXELS_PER_BYTE * size:
        raise FideleError(
            tr(
                "{path} says that it has {pixels:,} pixels, more than its {size:,} bytes can hold.",
                path=path,
                pixels=pixels,
                size=size,
            )
        )
    room_for(pixels * _BYTES_PER_PIXEL)
