"""Plain words for colours."""

from __future__ import annotations

import math
from collections.abc import Sequence

from fidele.arrays import Floats
from fidele.language import tr

#: Plain hue names and where they stand in a*b*, degrees.
HUES = (
    (tr("red"), 25),
    (tr("orange"), 60),
    (tr("yellow"), 95),
    (tr("green"), 150),
    (tr("turquoise"), 200),
    (tr("blue"), 265),
    (tr("violet"), 310),
    (tr("magenta"), 350),
)


#: What colours of a hue are called together, by the hue's name.
FAMILIES = dict(
    zip(
        (name for name, _ in HUES),
        (
            tr("reds"),
            tr("oranges"),
            tr("yellows"),
            tr("greens"),
            tr("turquoises"),
            tr("blues"),
            tr("violets"),
            tr("magentas"),
        ),
        strict=True,
    )
)


def hue_name(angle: float) -> str:
    """Return the plain name of a hue angle in a*b*, degrees."""
    return min(HUES, key=lambda s: abs((angle - s[1] + 180) % 360 - 180))[0]


def colour_name(Lab: Sequence[float]) -> str:
    """Return plain words for an L*a*b* colour: lightness, strength and hue, as in 'dark strong blue'."""
    lightness, a, b = (float(v) for v in Lab)
    chroma = math.hypot(a, b)
    dark, light = lightness < 35, lightness > 75
    if chroma < 8:
        if lightness <= 12:
            return tr("black")
        return tr("dark grey") if dark else tr("light grey") if light else tr("grey")
    hue = hue_name(math.degrees(math.atan2(b, a)) % 360)
    if chroma > 60:
        if dark:
            return tr("dark strong {hue}", hue=hue)
        return tr("light strong {hue}", hue=hue) if light else tr("strong {hue}", hue=hue)
    return tr("dark {hue}", hue=hue) if dark else tr("light {hue}", hue=hue) if light else hue


def lab_words(Lab: Sequence[float] | Floats, digits: int = 0) -> str:
    """Return L*, a* and b* as three numbers in words; what rounds to nothing has no sign."""
    return " ".join(tr("{v:.{digits}f}", v=round(float(v), digits) + 0.0, digits=digits) for v in Lab)
