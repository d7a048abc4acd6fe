"""Colours as people write them."""

from __future__ import annotations

import re

import numpy as np
from numpy.typing import NDArray

from fidele.errors import FideleError
from fidele.icc.spaces import srgb
from fidele.icc.transform import to_lab
from fidele.language import tr

_NUMBER = r"\s*(-?\d+(?:\.\d+)?)\s*"


def colour_written(text: str) -> NDArray[np.float64]:
    """Return the L*a*b* (3,) of '#rrggbb', 'r,g,b' of sRGB (0 to 255), or 'lab:L,a,b'.

    Raises
    ------
    FideleError
        When it is none.
    """
    if match := re.fullmatch(rf"lab[:\s]{_NUMBER}[,;\s]{_NUMBER}[,;\s]{_NUMBER}", text.strip(), re.I):
        Lab = np.array([float(v) for v in match.groups()])
        if not (0 <= Lab[0] <= 100 and np.abs(Lab[1:]).max() <= 200):
            raise FideleError(tr("'{value}' is no L*a*b* colour: L* runs from 0 to 100.", value=text))
        return Lab
    if match := re.fullmatch(r"#?([0-9a-f]{2})([0-9a-f]{2})([0-9a-f]{2})", text.strip(), re.I):
        rgb = np.array([float(int(v, 16)) for v in match.groups()])
    elif match := re.fullmatch(rf"{_NUMBER}[,;\s]{_NUMBER}[,;\s]{_NUMBER}", text.strip()):
        rgb = np.array([float(v) for v in match.groups()])
    else:
        raise FideleError(tr("'{value}' is no colour: write '#rrggbb', 'r,g,b' (0 to 255) or 'lab:L,a,b'.", value=text))
    if rgb.min() < 0 or rgb.max() > 255:
        raise FideleError(tr("'{value}' is no sRGB colour: each value runs from 0 to 255.", value=text))
    return to_lab((rgb / 255).astype(np.float32)[None], srgb())[0].astype(float)
