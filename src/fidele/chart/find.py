"""Find the pages of charts on a scan by their corner marks."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Codes, Floats
from fidele.chart.marks import dictionary
from fidele.dataclass import dataclass

#: Marks are looked for on copies of the scan whose longer side has so many pixels, the coarsest first; at first fast,
#: with one size of what is dark beside its surroundings, which finds all of most scans.
_SEARCH = ((1200, True), (1200, False), (2400, False))


@dataclass(frozen=True)
class Sighting:
    """A page that was seen: its set of marks, and the corners (4, 2) in pixels of those that were found, by place.

    Places are counted clockwise from the page's upper left.
    """

    mark_set: int
    marks: dict[int, Floats]


def find_pages(grey: NDArray[np.uint8]) -> list[Sighting]:
    """Return the pages on a scan (h, w), those with the most marks first. Mirrored marks are not seen."""
    best: list[Sighting] = []
    for side, quick in _SEARCH:
        shrink = max(1.0, max(grey.shape) / side)
        found = _grouped(_marks(grey, shrink, quick))
        if sum(len(s.marks) for s in found) > sum(len(s.marks) for s in best):
            best = found
        if (best and all(len(s.marks) == 4 for s in best)) or (shrink == 1.0 and not quick):
            break
    return sorted(best, key=lambda s: -len(s.marks))


def _marks(grey: NDArray[np.uint8], shrink: float, quick: bool) -> list[tuple[int, Floats]]:
    """Return number and corners (4, 2), clockwise from the mark's own upper left, of each mark that is seen."""
    import cv2

    small = cv2.resize(grey, None, fx=1 / shrink, fy=1 / shrink, interpolation=cv2.INTER_AREA)
    parameters = cv2.aruco.DetectorParameters()
    parameters.cornerRefinementMethod = cv2.aruco.CORNER_REFINE_NONE
    if quick:
        parameters.adaptiveThreshWinSizeMin = parameters.adaptiveThreshWinSizeMax = 13
    corners, numbers, _ = cv2.aruco.ArucoDetector(dictionary(), parameters).detectMarkers(small)
    if numbers is None:
        return []
    # Corner points are pixel centres; the factor acts on edges.
    return [
        (int(n), (c.reshape(4, 2).astype(float) + 0.5) * shrink - 0.5)
        for n, c in zip(np.ravel(numbers), corners, strict=True)
    ]


def _grouped(marks: list[tuple[int, Floats]]) -> list[Sighting]:
    """Put marks together that belong to one page: the same print can lie on the glass twice.

    Marks of one page stand alike: a mark that is to the right of another lies to that one's own right, and so on.
    """
    pages: list[tuple[int, dict[int, Floats]]] = []
    for number, corners in sorted(marks, key=lambda m: -float(np.linalg.norm(m[1][1] - m[1][0]))):
        mark_set, place = divmod(number, 4)
        fits = [
            (sum(_distance(corners, other) for other in page.values()) / len(page), page)
            for known, page in pages
            if known == mark_set
            and place not in page
            and all(_agree(place, corners, at, other) for at, other in page.items())
        ]
        if fits:
            min(fits, key=lambda f: f[0])[1][place] = corners
        else:
            pages.append((mark_set, {place: corners}))
    found = [Sighting(mark_set, page) for mark_set, page in pages]
    if not any(len(page) >= 3 for _, page in pages):
        found += _alone(marks)
    return found


def _alone(marks: list[tuple[int, Floats]]) -> list[Sighting]:
    """Take marks for one page that stand like none because it is seen steeply: each is there once, all the right way
    round."""
    found = []
    for mark_set in {number // 4 for number, _ in marks}:
        mine = [(number % 4, corners) for number, corners in marks if number // 4 == mark_set]
        if len(mine) < 3 or len({place for place, _ in mine}) < len(mine):
            continue
        there = np.array([corners.mean(axis=0) for _, corners in sorted(mine, key=lambda m: m[0])])
        ahead, behind = np.roll(there, -1, axis=0) - there, there - np.roll(there, 1, axis=0)
        if ((behind[:, 0] * ahead[:, 1] - behind[:, 1] * ahead[:, 0]) > 0).all():
            found.append(Sighting(mark_set, dict(mine)))
    return found


#: Where marks stand in their page: column and row, by place.
_WHERE = np.array([[0, 0], [1, 0], [1, 1], [0, 1]], dtype=float)


def _distance(a: Floats, b: Floats) -> float:
    return float(np.linalg.norm(a.mean(axis=0) - b.mean(axis=0)))


def _agree(place: int, corners: Floats, other_place: int, other: Floats) -> bool:
    """Whether two marks stand to each other as marks of one page do: alike turned and sized, on the right side."""
    across, there = corners[1] - corners[0], other[1] - other[0]
    down = corners[3] - corners[0]
    size, their_size = float(np.linalg.norm(across)), float(np.linalg.norm(there))
    if not 0.6 < size / their_size < 1.67 or across @ there < 0.85 * size * their_size:
        return False
    way = (other.mean(axis=0) - corners.mean(axis=0)) / size
    wanted = _WHERE[other_place] - _WHERE[place]
    along = np.array([way @ across, way @ down]) / size
    # Sideways they are far apart where the page says so, and level where it does not.
    return all(
        (abs(a) < 0.12 * np.abs(along).max() + 1.5) if w == 0 else a * w > 1.1
        for a, w in zip(along, wanted, strict=True)
    )


def refined(grey: NDArray[np.uint8], corners: Floats) -> Floats:
    """Find a mark's corners to a part of a pixel, where its edges meet."""
    import cv2

    size = float(np.linalg.norm(corners[1] - corners[0]))
    reach = max(3, round(size * 0.05))
    points = corners.astype(np.float32).reshape(-1, 1, 2).copy()
    criteria = (cv2.TERM_CRITERIA_EPS + cv2.TERM_CRITERIA_MAX_ITER, 50, 0.01)
    better = cv2.cornerSubPix(grey, points, (reach, reach), (-1, -1), criteria).reshape(4, 2)
    moved = np.linalg.norm(better - corners, axis=1)
    return np.where((moved < 2 * reach)[:, None], better, corners).astype(float)


def as_grey(values: Codes) -> NDArray[np.uint8]:
    """Return the green of a scan (h, w, 3) as 8 bit: marks are found on it."""
    green = values[..., 1]
    return np.ascontiguousarray(green if green.dtype == np.uint8 else (green >> 8).astype(np.uint8))
