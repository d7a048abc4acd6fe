"""Outlines of the blanks that pieces are pressed on, within the rectangle that holds them."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from fidele.sheet.arc import arc_of
from fidele.sheet.placing import Placing

#: A rectangle, an ellipse that fills it, or a pennant: broad at its left, its tip in the middle of its right side; or
#: 'arc ANGLE SHARE', what goes round a tapered piece (see `fidele.sheet.arc`).
Shape = Annotated[str, Field(pattern=r"^(rectangle|round|pennant|arc -?\d{1,3}\.\d+ \d{1,3}\.\d+)$")]
#: Those that are plain outlines.
SHAPES: tuple[Shape, ...] = ("rectangle", "round", "pennant")


def outline(shape: Shape, points: int = 72) -> NDArray[np.float64]:
    """Return the corners (n, 2) of a shape in a square from 0 to 1, clockwise; of a round one, so many points."""
    if shape == "round":
        turn = np.linspace(0, 2 * np.pi, points, endpoint=False)
        return np.stack([0.5 + 0.5 * np.cos(turn), 0.5 + 0.5 * np.sin(turn)], axis=1)
    if shape == "pennant":
        return np.array([[0, 0], [1, 0.5], [0, 1]], dtype=float)
    if (arc := arc_of(shape)) is not None:
        return np.asarray(arc.outline() / arc.size + 0.5)
    return np.array([[0, 0], [1, 0], [1, 1], [0, 1]], dtype=float)


def covered(shape: Shape, placing: Placing) -> tuple[float, float, float, float]:
    """Return left, top, right and bottom of what a placed shape covers: a round one turned takes no more room."""
    if shape != "round" or placing.quarters is not None:
        return placing.bounds
    turn = np.radians(placing.angle)
    cos, sin = float(np.cos(turn)), float(np.sin(turn))
    wide = np.hypot(placing.width / 2 * cos, placing.height / 2 * sin)
    high = np.hypot(placing.width / 2 * sin, placing.height / 2 * cos)
    cx, cy = placing.centre
    return cx - float(wide), cy - float(high), cx + float(wide), cy + float(high)


def area(shape: Shape) -> float:
    """Return the share of its rectangle that a shape covers."""
    if (arc := arc_of(shape)) is not None:
        wide, high = arc.size
        return arc.share / (wide * high)
    return {"rectangle": 1.0, "round": np.pi / 4, "pennant": 0.5}[shape]


def inside(shape: Shape, placing: Placing, scale: float, window: tuple[int, int, int, int]) -> NDArray[np.bool_]:
    """Return which pixels (h, w) of a window (left, top, right, bottom) have their middle within a placed shape.

    `scale` is in pixels per mm; the placing may be turned.
    """
    left, top, right, bottom = window
    x = (np.arange(left, right) + 0.5)[None, :] / scale
    y = (np.arange(top, bottom) + 0.5)[:, None] / scale
    cx, cy = placing.centre
    turn = np.radians(placing.angle)
    cos, sin = np.cos(turn), np.sin(turn)
    u = ((x - cx) * cos - (y - cy) * sin) / placing.width
    v = ((x - cx) * sin + (y - cy) * cos) / placing.height
    return within(shape, u, v)


def within(shape: Shape, u: NDArray[np.float64], v: NDArray[np.float64], edge: float = 0.0) -> NDArray[np.bool_]:
    """Return which places lie within a shape, and no nearer to its edge than a share of its side.

    `u` and `v` run from -0.5 to 0.5 across and down the rectangle that holds it.
    """
    half = 0.5 - edge
    if (arc := arc_of(shape)) is not None:
        along, below = arc.flat(u * arc.size[0], v * arc.size[1])
        return np.asarray((np.abs(along) <= half) & (np.abs(below) <= arc.share * half))
    if shape == "round":
        return u**2 + v**2 <= half**2
    box = (np.abs(u) <= half) & (np.abs(v) <= half)
    return box & (np.abs(v) <= (half - u) / 2 - edge) if shape == "pennant" else box
