"""A picture in memory with what is known of it."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from numpy.typing import NDArray

from fidele.artwork.record import ConversionRecord
from fidele.icc.profile import Profile


@dataclass(frozen=True)
class SourceSlip:
    """Where a picture's colour space comes from: 'stated' by the file, 'supposed' by a rule, 'chosen' by a person."""

    kind: str
    words: str


@dataclass(frozen=True)
class Artwork:
    """A picture.

    Attributes
    ----------
    pixels
        (h, w, channels) uint8 or uint16, without alpha.
    alpha
        (h, w) of the same type, or None.
    profile
        The space of the pixels.
    ppi
        Resolution that the file states, or None.
    doubts
        Sentences on what was odd about the file.
    record
        What was done to it, where it was converted before and its pixels are still those.
    """

    path: Path
    pixels: NDArray[Any] = field(repr=False)
    alpha: NDArray[Any] | None = field(repr=False)
    profile: Profile = field(repr=False)
    slip: SourceSlip
    ppi: float | None
    doubts: tuple[str, ...] = ()
    record: ConversionRecord | None = None

    @property
    def width(self) -> int:
        """Width in pixels."""
        return self.pixels.shape[1]

    @property
    def height(self) -> int:
        """Height in pixels."""
        return self.pixels.shape[0]

    @property
    def bits(self) -> int:
        """Bits per channel."""
        return self.pixels.dtype.itemsize * 8

    @property
    def own_mm(self) -> tuple[float, float]:
        """Return width and height in mm by the file's own resolution (300 ppi where it states none)."""
        ppi = self.ppi or 300.0
        return self.width / ppi * 25.4, self.height / ppi * 25.4
