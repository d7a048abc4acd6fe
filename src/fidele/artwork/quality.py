"""Whether a picture is good enough to print: what has been done to its pixels before they came here."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Floats, top_of
from fidele.artwork.picture import Artwork
from fidele.dataclass import dataclass
from fidele.icc.transform import to_lab

#: Side of the square parts that are looked at closely.
_PART = 512
_PARTS = 9
#: Mean square of rounding to 8 bit, of the mean of three channels.
_ROUNDING = (1 / 255) ** 2 / 12 / 3 * 1.5


@dataclass(frozen=True)
class Quality:
    """What was found; shares run from 0 to 1 of the picture's area.

    Attributes
    ----------
    detail
        Share of the resolution that carries detail: 0.5 for a picture that was enlarged twice; 1 where nothing tells.
        Enlarging by less than about twice cannot be told from softness.
    blocks
        How much the edges of 8 x 8 blocks stand out, of what lies between them; 1 where not at all.
    clipped_lights
        Share burnt out to full white, besides large plain areas that are meant to be white.
    grey_text
        Share of lines and small shapes that are nearly but not exactly black.
    veil
        Share nearly but not exactly white, which prints as a tint.
    faint_edges
        Share that is nearly but not fully transparent.
    """

    detail: float = 1.0
    blocks: float = 1.0
    clipped_lights: float = 0.0
    grey_text: float = 0.0
    veil: float = 0.0
    faint_edges: float = 0.0


def quality_of(artwork: Artwork) -> Quality:
    """Look a picture over. Drawings are only asked about their colours."""
    light = _lightness(artwork)
    parts = _parts(light)
    veil, white = _veil(artwork)
    faint = 0.0
    if artwork.alpha is not None:
        share = artwork.alpha.astype(np.float32) / top_of(artwork.alpha)
        faint = float(((share > 0) & (share < 0.12)).mean())
    if artwork.drawing:
        return Quality(grey_text=_grey_text(light), veil=veil, faint_edges=faint)
    detail = [d for d in (_detail(part) for part in parts) if d is not None]
    blocks = [b for b in (_blocks(part) for part in parts) if b is not None]
    return Quality(
        detail=float(np.median(detail)) if detail else 1.0,
        blocks=float(np.median(blocks)) if blocks and artwork.bits == 8 else 1.0,
        clipped_lights=_clipped(light) if white < 0.02 else 0.0,
        grey_text=_grey_text(light),
        veil=veil,
        faint_edges=faint,
    )


def _lightness(artwork: Artwork) -> Floats:
    """Return (h, w) from 0 (black) to 1 (white), quickly: the mean of the channels, of the inks their absence."""
    pixels = artwork.pixels
    top = float(top_of(pixels))
    space = artwork.profile.header.colour_space
    if space == "Lab":
        return pixels[..., 0] / top
    stride = max(1, int((pixels.shape[0] * pixels.shape[1] / 24e6) ** 0.5))
    pixels = pixels if stride == 1 else pixels[: pixels.shape[0] // stride, : pixels.shape[1] // stride]
    mean = pixels.mean(axis=2, dtype=np.float32) / top
    return (1 - np.minimum(1, mean * 2)) if space == "CMYK" else mean


def _parts(light: Floats) -> list[Floats]:
    """Return square parts spread over a picture, at whole blocks of 8."""
    height, width = light.shape
    side = min(_PART, height // 8 * 8, width // 8 * 8)
    if side < 64:
        return []
    n = int(_PARTS**0.5)
    rows = sorted({round((height - side) * i / max(1, n - 1)) // 8 * 8 for i in range(n)})
    columns = sorted({round((width - side) * i / max(1, n - 1)) // 8 * 8 for i in range(n)})
    return [light[y : y + side, x : x + side] for y in rows for x in columns]


def _detail(part: Floats) -> float | None:
    """Return the share of the resolution that carries anything, None for parts without texture.

    What a part loses when it is made smaller and large again lies beyond the smaller size. In pictures as they were
    taken each octave holds a share like the one before; an enlarged one holds nearly nothing beyond its old size.
    """
    fine = np.asarray(part, np.float32)
    whole = _lost_when_smaller(fine, 8.0)
    if whole < 5 * _ROUNDING:
        return None
    detail = 1.0
    for enlarged in (2.0, 3.0, 4.0):
        if _lost_when_smaller(fine, enlarged) - 0.9 * _ROUNDING > 0.025 * whole:
            break
        detail = 1 / enlarged
    return detail


def _lost_when_smaller(part: NDArray[np.float32], factor: float) -> float:
    """Return the mean square of what a part loses when it is made smaller by a factor and large again."""
    import cv2

    side = max(8, round(len(part) / factor))
    small = cv2.resize(part, (side, side), interpolation=cv2.INTER_AREA)
    again = cv2.resize(small, part.shape[::-1], interpolation=cv2.INTER_CUBIC)
    inner = np.s_[8:-8, 8:-8]
    return float(((part - again)[inner] ** 2).mean())


def _blocks(part: Floats) -> float | None:
    """Return how much larger steps are at the edges of 8 x 8 blocks than beside them, None for plain parts."""
    ratios = []
    for across in (part, part.T):
        step = np.abs(np.diff(np.asarray(across, float), axis=1))
        # Real edges would drown it: what counts is the middle of many rows.
        by_column = np.minimum(step, 0.06).mean(axis=0)
        at = by_column[7::8]
        beside = np.concatenate([by_column[6::8][: len(at)], by_column[8::8], by_column[3::8]])
        if beside.mean() < 2e-4:
            continue
        ratios.append(at.mean() / beside.mean())
    return float(np.mean(ratios)) if ratios else None


def _clipped(light: Floats) -> float:
    """Return the share at full white that is not a plain white ground."""
    return float((light >= 1.0).mean())


def _grey_text(light: Floats) -> float:
    """Return the share of small dark shapes, on light ground, that are nearly but not exactly black."""
    import cv2

    dark = ((light < 0.22) * np.uint8(255)).astype(np.uint8)
    if not dark.any():
        return 0.0
    # Strokes vanish when shapes are opened by more than their width; large dark areas stay.
    width = max(5, round(min(light.shape) / 60)) | 1
    kernel = np.ones((width, width), np.uint8)
    strokes = (dark > 0) & (cv2.morphologyEx(dark, cv2.MORPH_OPEN, kernel) == 0)
    around = cv2.dilate(np.asarray(light, np.float32), kernel) > 0.85
    strokes &= around
    count = int(strokes.sum())
    if count < 50 or strokes.mean() < 2e-4:
        return 0.0
    # The darkest that the strokes reach: their middle, not their softened edge.
    core = light[strokes]
    darkest = float(np.percentile(core, 5))
    return float(strokes.mean()) if 0.004 < darkest < 0.2 else 0.0


def _veil(artwork: Artwork) -> tuple[float, float]:
    """Return the shares of the picture that are nearly white, and exactly white."""
    pixels = artwork.pixels
    stride = max(1, int((pixels.shape[0] * pixels.shape[1] / 4e5) ** 0.5))
    sample = pixels[::stride, ::stride]
    Lab = to_lab(np.ascontiguousarray(sample), artwork.profile)
    lightness, a, b = (np.abs(Lab[..., k]) for k in range(3))
    white = (lightness > 99.95) & (a < 0.3) & (b < 0.3)
    near = (lightness > 96.5) & (a < 3) & (b < 3) & ~white
    if artwork.alpha is not None:
        seen = artwork.alpha[::stride, ::stride] > 0
        near, white = near & seen, white | ~seen
    return float(near.mean()), float(white.mean())
