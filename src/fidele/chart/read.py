"""Find a chart on a scan and measure its patches."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from fidele.chart.definition import Chart
from fidele.chart.marks import dictionary
from fidele.errors import FideleError

Floats = NDArray[np.float64]

#: Marks are looked for at this resolution and refined at the full one.
_SEARCH_PPI = 100


@dataclass(frozen=True)
class Reading:
    """What a scan says of one page of a chart.

    Attributes
    ----------
    page
        Counted from 0.
    index
        (n,) which of the chart's patches.
    rgb
        (n, 3) scanner values from 0 to 1, light evened.
    spread
        (n,) standard deviation within each patch, in scanner values.
    corners
        (n, 4, 2) outline of the measured area of each patch, pixels of the scan.
    turned
        Degrees by which the page lay turned.
    mirrored
        The page was seen mirrored.
    unevenness
        By what share of the mean the light varied over the page.
    clipped
        (n,) patches of which a part ran into the scanner's end.
    """

    page: int
    index: NDArray[np.int64]
    rgb: Floats
    spread: Floats
    corners: Floats
    turned: float
    mirrored: bool
    unevenness: float
    clipped: NDArray[np.bool_]


def read_scan(scan: NDArray[Any], chart: Chart) -> Reading:
    """Find a page of `chart` on a scan, RGB (h, w, 3) uint8 or uint16, and measure every patch.

    Raises
    ------
    FideleError
        When fewer than three marks are found, they are those of another chart, or a patch lies outside the scan.
    """
    import cv2

    if scan.ndim != 3 or scan.shape[2] < 3 or min(scan.shape[:2]) < 200:
        raise FideleError("The scan is not a colour picture of a chart.")
    values = np.ascontiguousarray(scan[..., :3])
    grey = values[..., 1] if values.dtype == np.uint8 else (values[..., 1] >> 8).astype(np.uint8)
    mirrored = False
    found = _find(grey)
    if len(found) < 3:
        flipped = _find(np.ascontiguousarray(grey[:, ::-1]))
        if len(flipped) >= 3:
            mirrored, found = True, flipped
            grey = np.ascontiguousarray(grey[:, ::-1])
            values = np.ascontiguousarray(values[:, ::-1])
    if len(found) < 3:
        raise FideleError(
            f"No chart was found on the scan: {len(found)} of its 4 corner marks were seen, 3 are needed. "
            "Scan the whole page at 150 ppi or more."
        )
    pages = {number // 4 for number in found}
    page = max(pages, key=lambda p: sum(n // 4 == p for n in found)) - chart.mark_set
    if not 0 <= page < chart.pages:
        raise FideleError(
            f"The marks on the scan are not those of the {chart.title.lower()}: it is a page of another chart."
        )
    known = chart.layout.mark_corners()
    on_page = {n % 4: c for n, c in found.items() if n // 4 == page + chart.mark_set}
    source = np.concatenate([known[n] for n in on_page])
    target = np.concatenate([_refine(grey, c) for c in on_page.values()])
    homography, _ = cv2.findHomography(source, target, 0)
    index = chart.on_page(page)
    centres = chart.centres(page)
    half = chart.layout.patch * 0.31
    outline = centres[:, None] + np.array([[-half, -half], [half, -half], [half, half], [-half, half]])
    corners = cv2.perspectiveTransform(outline.reshape(-1, 1, 2), homography).reshape(-1, 4, 2)
    if corners.min() < 0 or (corners.max(axis=(0, 1)) > np.array(grey.shape[::-1]) - 1).any():
        raise FideleError("A part of the chart lies outside the scan; scan the whole page.")
    top = float(np.iinfo(values.dtype).max)
    surface, unevenness = _light(values, chart, homography, top)
    rgb, spread = np.empty((len(index), 3)), np.empty(len(index))
    clipped = np.zeros(len(index), bool)
    for row, outline_px in enumerate(corners):
        mean, spread[row], clipped[row] = _patch(values, outline_px, top)
        evened = mean**_CODE / surface(centres[row])
        rgb[row] = np.clip(evened, 0, None) ** (1 / _CODE)
    along = target.reshape(-1, 4, 2)
    across = along[:, 1] - along[:, 0]
    turned = float(np.degrees(np.arctan2(across[:, 1].mean(), across[:, 0].mean())))
    if mirrored:
        corners[..., 0] = grey.shape[1] - 1 - corners[..., 0]
        turned = -turned
    return Reading(page, index, rgb, spread, corners, turned, mirrored, unevenness, clipped)


#: Scanners code light by about this exponent; evening the light is done on the light, not on the code.
_CODE = 2.2


def _find(grey: NDArray[np.uint8]) -> dict[int, Floats]:
    """Return the corners (4, 2) of each mark that is seen once."""
    import cv2

    shrink = max(1.0, max(grey.shape) / (12.0 * _SEARCH_PPI))
    small = cv2.resize(grey, None, fx=1 / shrink, fy=1 / shrink, interpolation=cv2.INTER_AREA)
    parameters = cv2.aruco.DetectorParameters()
    parameters.cornerRefinementMethod = cv2.aruco.CORNER_REFINE_NONE
    corners, numbers, _ = cv2.aruco.ArucoDetector(dictionary(), parameters).detectMarkers(small)
    if numbers is None:
        return {}
    flat = [int(n) for n in np.ravel(numbers)]
    # Corner points are pixel centres; the factor acts on edges.
    return {
        n: (c.reshape(4, 2).astype(float) + 0.5) * shrink - 0.5
        for n, c in zip(flat, corners, strict=True)
        if flat.count(n) == 1
    }


def _refine(grey: NDArray[np.uint8], corners: Floats) -> Floats:
    """Find a mark's corners to a part of a pixel by straight lines along its four edges."""
    import cv2

    size = float(np.linalg.norm(corners[1] - corners[0]))
    reach = max(3, round(size * 0.05))
    points = corners.astype(np.float32).reshape(-1, 1, 2).copy()
    criteria = (cv2.TERM_CRITERIA_EPS + cv2.TERM_CRITERIA_MAX_ITER, 50, 0.01)
    refined = cv2.cornerSubPix(grey, points, (reach, reach), (-1, -1), criteria).reshape(4, 2)
    moved = np.linalg.norm(refined - corners, axis=1)
    return np.where((moved < 2 * reach)[:, None], refined, corners).astype(float)


def _patch(values: NDArray[Any], outline: Floats, top: float) -> tuple[Floats, float, bool]:
    """Return the robust mean (3,), the spread and whether it is clipped, of the pixels inside an outline."""
    low, high = np.floor(outline.min(axis=0)).astype(int), np.ceil(outline.max(axis=0)).astype(int) + 1
    block = values[low[1] : high[1], low[0] : high[0]]
    y, x = np.mgrid[low[1] : high[1], low[0] : high[0]]
    inside = np.ones(block.shape[:2], bool)
    for corner in range(4):
        a, b = outline[corner], outline[(corner + 1) % 4]
        inside &= (b[0] - a[0]) * (y - a[1]) - (b[1] - a[1]) * (x - a[0]) >= 0
    pixels = block[inside].astype(float) / top
    if len(pixels) < 9:
        raise FideleError("The patches are too small on this scan; scan at a higher resolution.")
    middle = np.median(pixels, axis=0)
    away = np.abs(pixels - middle)
    limit = 3.5 * 1.4826 * np.maximum(np.median(away, axis=0), 1 / 1024)
    good = (away <= limit).all(axis=1)  # dust, fibres and scratches stand out from the grain
    kept = pixels[good] if good.sum() >= len(pixels) // 2 else pixels
    return kept.mean(axis=0), float(kept.std(axis=0).mean()), bool((pixels >= 0.999).mean() > 0.02)


def _light(values: NDArray[Any], chart: Chart, homography: Floats, top: float) -> tuple[Any, float]:
    """Fit how the light falls over the page, from the bare substrate between the patches.

    Returns a function from a place (2,) in millimetres to the relative light (3,), mean 1 over the page, and its
    largest deviation.
    """
    import cv2

    places = chart.layout.white_places()
    pixels = np.rint(cv2.perspectiveTransform(places.reshape(-1, 1, 2), homography).reshape(-1, 2)).astype(int)
    scale = abs(np.linalg.det(homography[:2, :2])) ** 0.5
    reach = max(1, int((chart.layout.pitch - chart.layout.patch) / 2 * scale * 0.45))
    inside = ((pixels >= reach) & (pixels < np.array(values.shape[1::-1]) - reach)).all(axis=1)
    places, pixels = places[inside], pixels[inside]
    spots = [values[y - reach : y + reach + 1, x - reach : x + reach + 1].reshape(-1, 3) for x, y in pixels]
    light = (np.array([np.median(s, axis=0) for s in spots]) / top) ** _CODE
    page = np.array(chart.layout.page)

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
    mean = fitted.mean(axis=0)
    return (lambda place: (terms(place) @ fit / mean)[0]), float(np.abs(fitted / mean - 1).max())
