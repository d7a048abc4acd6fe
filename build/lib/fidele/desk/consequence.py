"""What a finding would do to the operator's own picture: as it should be, and as it would come out."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

#: Findings that change the numbers: the prediction of this route shows them.
_NUMBERS = {
    "two-conversions",
    "no-conversion",
    "wrong-owner",
    "wrong-input-space",
    "owner-greyed-out",
    "wrong-system-profile",
    "wrong-given-profile",
    "wrong-given-intent",
    "wrong-sliders",
    "wrong-improvement",
    "wrong-purpose",
    "wrong-colour-mode",
    "preset-lost",
}
_MIRRORED = {"not-mirrored", "mirrored-twice", "mirrored-needlessly"}
_SIZED = {"scaled", "wrong-borderless"}

Codes = NDArray[np.uint8]


def consequence(code: str, now: Codes, right: Codes, scale: float) -> tuple[Codes, Codes] | None:
    """Return two small pictures (h, w, 3) for a finding, the right one first; None where nothing can be shown.

    Parameters
    ----------
    code
        The finding's.
    now, right
        The predicted print by this route and by the right one, as they are shown on the screen.
    scale
        Factor between wanted and printed millimetres.
    """
    if code in _NUMBERS:
        return right, now
    if code in _MIRRORED:
        return right, np.ascontiguousarray(right[:, ::-1])
    if code == "turned-not-mirrored":  # turned on the paper and pressed face down: upside down on the piece
        return right, np.ascontiguousarray(right[::-1])
    if code == "turned":
        return right, np.ascontiguousarray(right[::-1, ::-1])
    if code in _SIZED and abs(scale - 1) > 1e-3:
        return _on_sheet(right, 1.0), _on_sheet(right, scale)
    return None


def _on_sheet(picture: Codes, scale: float) -> Codes:
    """Return a picture on a white sheet that it fills to nine tenths, printed at a scale; what falls beside is cut."""
    height, width = picture.shape[:2]
    sheet = np.full((round(height / 0.9), round(width / 0.9), 3), 255, np.uint8)
    rows = ((np.arange(sheet.shape[0]) - (sheet.shape[0] - height * scale) / 2) / scale).astype(int)
    columns = ((np.arange(sheet.shape[1]) - (sheet.shape[1] - width * scale) / 2) / scale).astype(int)
    inside_y, inside_x = (rows >= 0) & (rows < height), (columns >= 0) & (columns < width)
    sheet[np.ix_(inside_y, inside_x)] = picture[np.ix_(rows[inside_y], columns[inside_x])]
    sheet[[0, -1]] = sheet[:, [0, -1]] = 150
    return sheet
