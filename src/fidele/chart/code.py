"""The square code at the foot of a chart's page: which chart, page, run and condition a print is.

A QR code (ISO/IEC 18004) of few letters, so that it survives pressing and a coarse scan.
"""

from __future__ import annotations

import re

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Floats
from fidele.dataclass import dataclass

_FORM = re.compile(r"FD1:([0-9A-F]{8}):(\d{1,3}):(\d{1,7}):([0-9A-F]{4}):(\d{6}):([NC])")


@dataclass(frozen=True)
class PageCode:
    """What a page says of itself.

    Attributes
    ----------
    digest
        The chart's.
    page
        Counted from 0.
    run
        Number in the logbook; 0 where it was not printed by a run.
    condition
        Four hexadecimal digits of the card's settings; '0000' without one.
    date
        Year, month, day: '261125'.
    converts
        Whether it was printed through the condition; False with nothing converting.
    """

    digest: str
    page: int
    run: int = 0
    condition: str = "0000"
    date: str = "000000"
    converts: bool = True

    def words(self) -> str:
        """Return what the code holds."""
        how = "C" if self.converts else "N"
        return f"FD1:{self.digest.upper()}:{self.page + 1}:{self.run}:{self.condition.upper()}:{self.date}:{how}"

    @staticmethod
    def parse(words: str) -> PageCode | None:
        """Understand what a code held; None where it is none of ours."""
        found = _FORM.fullmatch(words.strip())
        if found is None:
            return None
        digest, page, run, condition, date, how = found.groups()
        return PageCode(digest.lower(), int(page) - 1, int(run), condition.lower(), date, how == "C")


def code_bitmap(code: PageCode, pixels: int) -> NDArray[np.bool_]:
    """Return a page's code as a square of booleans, True for white, its quiet zone included."""
    import cv2

    parameters = cv2.QRCodeEncoder.Params()
    parameters.correction_level = cv2.QRCodeEncoder_CORRECT_LEVEL_M
    modules = cv2.QRCodeEncoder.create(parameters).encode(code.words())
    return cv2.resize(modules, (pixels, pixels), interpolation=cv2.INTER_NEAREST) > 127


def read_code(grey: NDArray[np.uint8], corners: Floats) -> PageCode | None:
    """Read the code whose box has these corners (4, 2), clockwise from its own upper left, on a scan (h, w)."""
    import cv2

    side = 360
    square = np.array([[0, 0], [side, 0], [side, side], [0, side]], np.float32) + 30
    matrix = cv2.getPerspectiveTransform(corners.astype(np.float32), square)
    flat = cv2.warpPerspective(grey, matrix, (side + 60, side + 60), flags=cv2.INTER_CUBIC, borderValue=255)
    low, high = np.percentile(flat, (2, 90))
    clear = np.clip((flat.astype(float) - low) / max(high - low, 1) * 255, 0, 255).astype(np.uint8)
    black = cv2.threshold(clear, 0, 255, cv2.THRESH_BINARY + cv2.THRESH_OTSU)[1]
    detector = cv2.QRCodeDetector()
    for picture in (clear, black, cv2.GaussianBlur(clear, (0, 0), 2)):
        try:
            words, _, _ = detector.detectAndDecode(picture)
        except cv2.error:  # its geometry can fail on noise
            continue
        found = PageCode.parse(words) if words else None
        if found is not None:
            return found
    return None
