"""What Fidele opens at most, so that no file can eat the machine."""

from __future__ import annotations

from pathlib import Path

from fidele.errors import FideleError

#: 600 megapixels: an A0 sheet at 300 ppi takes 140. Larger TIFFs are converted in strips, see `fidele.artwork.stream`.
MOST_PIXELS = 600_000_000
#: Longest side; no decoder is asked for more.
LONGEST_SIDE = 300_000
LARGEST_FILE = 8 * 2**30


def bounded(width: int, height: int, path: Path, most: int = MOST_PIXELS) -> None:
    """Refuse a picture of this many pixels where it has none or too many.

    Raises
    ------
    FideleError
        In one sentence.
    """
    if width <= 0 or height <= 0:
        raise FideleError(f"{path} has no pixels.")
    if width * height > most or max(width, height) > LONGEST_SIDE:
        raise FideleError(
            f"{path} is {width:,} x {height:,} pixels, more than Fidele opens ({most // 10**6:,} million, "
            f"sides up to {LONGEST_SIDE:,})."
        )
