"""A picture in memory with what is known of it."""

from __future__ import annotations

from dataclasses import field
from functools import cached_property
from pathlib import Path

from fidele.arrays import Codes
from fidele.artwork.lay import over_white
from fidele.artwork.record import ConversionRecord
from fidele.dataclass import dataclass
from fidele.icc.profile import Profile
from fidele.icc.transform import white_of


@dataclass(frozen=True)
class SourceSlip:
    """Where a picture's colour space comes from: 'stated' by the file, 'supposed' by a rule, 'chosen' by a person.

    Attributes
    ----------
    rule
        Whether a house rule supposed it; False where nothing better than the commonest space was at hand.
    odd
        What makes it doubtful: 'left-aside' where what the file says is damaged, 'contradicts' where it says two
        things, '' for neither.
    """

    kind: str
    words: str
    rule: bool = False
    odd: str = ""


@dataclass(frozen=True, eq=False)
class Artwork:
    """A picture.

    Attributes
    ----------
    pixels
        (h, w, channels) uint8 or uint16, without alpha; L*a*b* in the encoding of ICC.1:2022 (version 4).
    alpha
        (h, w) of the same type, or None.
    profile
        The space of the pixels.
    ppi
        Resolution that the file states, or None; of a drawing, that at which it was drawn.
    doubts
        Sentences on what was odd about the file.
    record
        What was done to it, where it was converted before and its pixels are still those.
    page, pages
        Which page of how many this is, from 0; -1 as long as nobody said which one is meant.
    drawing
        Whether it was drawn from lines and areas (PDF, SVG) and can be drawn again at any resolution.
    """

    path: Path
    pixels: Codes = field(repr=False)
    alpha: Codes | None = field(repr=False)
    profile: Profile = field(repr=False)
    slip: SourceSlip
    ppi: float | None
    doubts: tuple[str, ...] = ()
    record: ConversionRecord | None = None
    page: int = 0
    pages: int = 1
    drawing: bool = False

    @cached_property
    def laid(self) -> Codes:
        """The pixels over bare substrate, where they are transparent: what is printed, and what losses are of."""
        return over_white(self.pixels, self.alpha, white_of(self.profile, self.pixels.dtype))

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


@dataclass(frozen=True, eq=False)
class Decoded:
    """What a file holds, before its space is identified.

    Attributes
    ----------
    pixels
        (h, w, channels) uint8 or uint16 of `space`, without alpha.
    space
        'RGB', 'GRAY', 'CMYK' or 'Lab'.
    icc
        Embedded profile, or None.
    says
        Space that a tag or the format states: 'sRGB', 'opRGB', 'Lab', '' for none.
    xmp
        XMP packet, or None.
    """

    pixels: Codes = field(repr=False)
    space: str
    alpha: Codes | None = field(default=None, repr=False)
    icc: bytes | None = field(default=None, repr=False)
    ppi: float | None = None
    says: str = ""
    xmp: bytes | None = field(default=None, repr=False)
    doubts: tuple[str, ...] = ()
    page: int = 0
    pages: int = 1
    drawing: bool = False
