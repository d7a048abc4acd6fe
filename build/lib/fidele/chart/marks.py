"""The corner marks: AprilTag 36h11 (Olson, 'AprilTag', ICRA 2011), four to a page, each page its own four."""

from __future__ import annotations

from functools import cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from fidele.chart.definition import MARK_SETS


@cache
def dictionary() -> Any:
    """Return OpenCV's dictionary cut down to the marks in use: a small one is found faster and mistaken less."""
    import cv2

    whole = cv2.aruco.getPredefinedDictionary(cv2.aruco.DICT_APRILTAG_36h11)
    return cv2.aruco.Dictionary(whole.bytesList[: 4 * MARK_SETS], whole.markerSize, whole.maxCorrectionBits)


def mark_bitmap(number: int, pixels: int) -> NDArray[np.bool_]:
    """Return a mark as a square of booleans, True for white."""
    import cv2

    return cv2.aruco.generateImageMarker(dictionary(), number, pixels, borderBits=1) > 127
