"""Measure patches on a scan: robust means, light evened by the bare substrate around them, stripes."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Codes, Floats
from fidele.chart.layout import Layout
from fidele.errors import FideleError

#: Scanners code light by about this exponent; evening the light is done on the light, not on the code.
CODE = 2.2


def patch_values(values: Codes, outlines: Floats, top: float) -> tuple[Floats, Floats, NDArray[np.bool_]]:
    """Return robust means (n, 3), spreads (n,) and whether patches are clipped (n,), of outlines (n, 4, 2) in pixels.

    Raises
    ------
    FideleError
        When there are too few pixels in a patch.
    """
    mean, spread, clipped = np.empty((len(outlines), 3)), np.empty(len(outlines)), np.zeros(len(outlines), bool)
    for row, outline in enumerate(outlines):
        mean[row], spread[row], clipped[row] = _patch(values, outline, top)
    return mean, spread, clipped


def _patch(values: Codes, outline: Floats, top: float) -> tuple[Floats, float, bool]:
    low, high = np.floor(outline.min(axis=0)).astype(int), np.ceil(outline.max(axis=0)).astype(int) + 1
    block = values[low[1] : high[1], low[0] : high[0]]
    y, x = np.ogrid[low[1] : high[1], low[0] : high[0]]
    inside = np.ones(block.shape[:2], bool)
    way = np.sign(
        (outline[1] - outline[0])[0] * (outline[2] - outline[1])[1]
        - (outline[1] - outline[0])[1] * (outline[2] - outline[1])[0]
    )
    for corner in range(4):
        a, b = outline[corner], outline[(corner + 1) % 4]
        inside &= way * ((b[0] - a[0]) * (y - a[1]) - (b[1] - a[1]) * (x - a[0])) >= 0
    pixels = block[inside].astype(np.float32) / np.float32(top)
    if len(pixels) < 9:
        raise FideleError("The patches are too small on this scan; scan at a higher resolution.")
    middle = np.median(pixels, axis=0)
    away = np.abs(pixels - middle)
    limit = 3.5 * 1.4826 * np.maximum(np.median(away, axis=0), 1 / 1024)
    good = (away <= limit).all(axis=1)  # dust, fibres and scratches stand out from the grain
    kept = pixels[good] if good.sum() >= len(pixels) // 2 else pixels
    return kept.mean(axis=0, dtype=float), float(kept.std(axis=0).mean()), bool((pixels >= 0.999).mean() > 0.02)


def evened_light(
    values: Codes, layout: Layout, homography: Floats, top: float
) -> tuple[Callable[[Floats, Floats], Floats], float]:
    """Fit how the light falls over a page, from the bare substrate between the patches.

    Returns what turns values (n, 3) measured at places (n, 2) in mm into those under even light, and the light's
    largest deviation from its mean.
    """
    import cv2

    places = layout.white_places()
    pixels = np.rint(cv2.perspectiveTransform(places.reshape(-1, 1, 2), homography).reshape(-1, 2)).astype(int)
    scale = abs(np.linalg.det(homography[:2, :2])) ** 0.5
    reach = max(1, int((layout.pitch - layout.patch) / 2 * scale * 0.45))
    inside = ((pixels >= reach) & (pixels < np.array(values.shape[1::-1]) - reach)).all(axis=1)
    places, pixels = places[inside], pixels[inside]
    if len(places) < 6:
        raise FideleError("A part of the chart lies outside the scan; scan the whole page.")
    spots = [values[y - reach : y + reach + 1, x - reach : x + reach + 1].reshape(-1, 3) for x, y in pixels]
    light = (np.array([np.median(s, axis=0) for s in spots]) / top) ** CODE
    page = np.array(layout.page)

    def terms(place: Floats) -> Floats:
        u, v = (2 * np.atleast_2d(place) / page - 1).T
        return np.stack([np.ones_like(u), u, v, u * u, u * v, v * v], axis=1)

    design = terms(places)
    weight = np.ones(len(places))
    for _ in range(3):  # a gap that holds dust or ink counts less
        fit, *_ = np.linalg.lstsq(design * weight[:, None], light * weight[:, None], rcond=None)
        off = np.abs(light - design @ fit).max(axis=1)
        weight = 1 / (1 + (off / (2.5 * np.median(off) + 1e-6)) ** 2)
    fitted = design @ fit
    mean = np.maximum(fitted.mean(axis=0), 1e-6)

    def even(where: Floats, measured: Floats) -> Floats:
        surface = np.maximum(terms(where) @ fit / mean, 0.05)
        return np.clip(measured**CODE / surface, 0, None) ** (1 / CODE)

    return even, float(np.abs(fitted / mean - 1).max())


#: Patches that are looked at for stripes, at most, and samples for each mm.
_LOOKED, _PER_MM = 48, 6


def stripes(values: Codes, centres: Floats, half: float, homography: Floats, mean: Floats, top: float) -> float:
    """Return by what share of their light patches are striped across the page; 0 where they are not.

    Grain is alike in all directions, so what rows of a patch vary by beyond what its columns vary by is stripes.
    """
    import cv2

    green = mean[:, 1]
    middle = np.flatnonzero((green > 0.15) & (green < 0.8))
    if len(middle) < 6 or half < 1.2:
        return 0.0
    picked = middle[np.linspace(0, len(middle) - 1, min(_LOOKED, len(middle))).astype(int)]
    side = round(2 * half * _PER_MM)
    square = np.array([[0, 0], [side, 0], [side, side], [0, side]], np.float32)
    shares = []
    for row in picked:
        box = centres[row] + half * np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]])
        there = cv2.perspectiveTransform(box.reshape(-1, 1, 2), homography).reshape(4, 2).astype(np.float32)
        low = np.maximum(np.floor(there.min(axis=0)).astype(int) - 1, 0)
        high = np.ceil(there.max(axis=0)).astype(int) + 2
        block = np.ascontiguousarray(values[low[1] : high[1], low[0] : high[0], 1])
        matrix = cv2.getPerspectiveTransform((there - low).astype(np.float32), square)
        flat = (cv2.warpPerspective(block, matrix, (side, side)).astype(float) / top) ** CODE
        light = flat.mean()
        down, across = (_rough(flat.mean(axis=axis)) for axis in (1, 0))
        shares.append((down - across) / max(light, 1e-4) ** 2)
    middle_share = float(np.median(shares))
    # Stripes are there in every patch; what grain leaves is now for rows, now for columns.
    scatter = 1.4826 * float(np.median(np.abs(shares - np.median(shares)))) / np.sqrt(len(shares))
    return float(np.sqrt(middle_share)) if middle_share > 4 * scatter else 0.0


def _rough(profile: Floats) -> float:
    """Return the variance of a profile about its own parabola."""
    x = np.linspace(-1, 1, len(profile))
    return float(np.var(profile - np.polyval(np.polyfit(x, profile, 2), x)))
