"""Plain words for colours."""

from __future__ import annotations

import math
from collections.abc import Sequence

from fidele.arrays import Floats

#: Plain hue names and where they stand in a*b*, degrees.
HUES = (
    ("red", 25),
    ("orange", 60),
    ("yellow", 95),
    ("green", 150),
    ("turquoise", 200),
    ("blue", 265),
    ("violet", 310),
    ("magenta", 350),
)


def hue_name(angle: float) -> str:
    """Return the plain name of a hue angle in a*b*, degrees."""
    return min(HUES, key=lambda s: abs((angle - s[1] + 180) % 360 - 180))[0]


def colour_name(Lab: Sequence[float]) -> str:
    """Return plain words for an L*a*b* colour: lightness, strength and hue, as in 'dark strong blue'."""
    lightness, a, b = (float(v) for v in Lab)
    chroma = math.hypot(a, b)
    light = "dark " if lightness < 35 else "light " if lightness > 75 else ""
    if chroma < 8:
        return {"dark ": "dark grey", "light ": "light grey"}.get(light, "grey") if lightness > 12 else "black"
    return f"{light}{'strong ' if chroma > 60 else ''}{hue_name(math.degrees(math.atan2(b, a)) % 360)}"


def lab_words(Lab: Sequence[float] | Floats, digits: int = 0) -> str:
    """Return L*, a* and b* as three numbers in words; what rounds to nothing has no sign."""
    return " ".join(f"{round(float(v), digits) + 0.0:.{digits}f}" for v in Lab)
