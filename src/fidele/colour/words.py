"""Plain words for colours."""

from __future__ import annotations

_HUES = (
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
    return min(_HUES, key=lambda s: abs((angle - s[1] + 180) % 360 - 180))[0]
