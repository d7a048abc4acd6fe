"""Colours as people write them."""

from __future__ import annotations

import re

import numpy as np
from numpy.typing import NDArray

from fidele.errors import FideleError
from fidele.icc.spaces import srgb
from fidele.icc.transform import to_lab
from fidele.language import tr

_NUMBER = re.compile(r"-?\d+(?:[.,]\d+)?")


def _three(text: str) -> list[float] | None:
    """Return three numbers, parted by commas, semicolons or spaces; None where there are others.

    A comma is a decimal's where something else parts the numbers: '79,5 -46,2 -8', '79,5; -46,2; -8'.
    """
    parts = text.split(";") if ";" in text else [part.rstrip(",") for part in text.split()]
    if len(parts) != 3:
        parts = text.split(",")
    numbers = [part.strip() for part in parts]
    if len(numbers) != 3 or not all(map(_NUMBER.fullmatch, numbers)):
        return None
    return [float(number.replace(",", ".")) for number in numbers]


def colour_written(text: str) -> NDArray[np.float64]:
    """Return the L*a*b* (3,) of '#rrggbb', 'r,g,b' of sRGB (0 to 255), or 'lab:L,a,b'.

    Raises
    ------
    FideleError
        When it is none.
    """
    said = text.strip()
    if (match := re.fullmatch(r"lab[:\s](.*)", said, re.I)) and (numbers := _three(match[1])):
        Lab = np.array(numbers)
        if not (0 <= Lab[0] <= 100 and np.abs(Lab[1:]).max() <= 200):
            raise FideleError(tr("'{value}' is no L*a*b* colour: L* runs from 0 to 100.", value=text))
        return Lab
    if match := re.fullmatch(r"#?([0-9a-f]{2})([0-9a-f]{2})([0-9a-f]{2})", said, re.I):
        rgb = np.array([float(int(v, 16)) for v in match.groups()])
    elif numbers := _three(said):
        rgb = np.array(numbers)
    else:
        raise FideleError(tr("'{value}' is no colour: write '#rrggbb', 'r,g,b' (0 to 255) or 'lab:L,a,b'.", value=text))
    if rgb.min() < 0 or rgb.max() > 255:
        raise FideleError(tr("'{value}' is no sRGB colour: each value runs from 0 to 255.", value=text))
    return to_lab((rgb / 255).astype(np.float32)[None], srgb())[0].astype(float)
