"""Find where an artwork lies on a scan or a photograph of the finished piece: turned, mirrored, or a part of it."""

from __future__ import annotations

from dataclasses import field, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Floats
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.language import tr

#: Both are looked at no larger than this; fewer matches than the second tell nothing.
_SIDE, _FEWEST = 1400, 12
#: A picture with few details is looked for by its edges on a scan of this longer side; edges must be so much alike.
_COARSE, _ALIKE = 300, 0.4
#: By edges alone it is found only where they are more alike; and where details left less than the second, edges are
#: asked as well.
_UNSURE, _GOOD = 0.2, 0.85
#: Where edges lie so well on edges a piece is flat.
_FLAT = 0.93
#: Pixels, at that size, within which a match agrees with the others.
_AGREES = 4.0
#: Neighbours are taken for the same where the nearest is so much nearer than the next.
_CLEAR = 0.78


@dataclass(frozen=True, eq=False)
class Found:
    """Where an artwork lies.

    Attributes
    ----------
    matrix
        (3, 3) from pixels of the artwork, mirrored where it is `mirrored`, to pixels of the scan.
    mirrored
        The piece shows it mirrored.
    turned
        By so many degrees, clockwise.
    matches, alike
        How many details agree, and how well edges lie on edges (their correlation).
    size
        Width and height of the artwork that was looked for.
    bend
        (10, 2) how far, in pixels of the scan, a curved piece shows each place beside where it would lie flat: factors
        of the terms of `_terms`; zeros for a flat one.
    """

    matrix: Floats
    mirrored: bool
    turned: float
    matches: int
    size: tuple[int, int]
    alike: float = 1.0
    bend: Floats = field(default_factory=lambda: np.zeros((10, 2)))

    @property
    def curved(self) -> bool:
        """Whether the piece is not flat, or the page under a camera is bent."""
        return bool(np.abs(self.bend).any())

    def places(self, at: Floats) -> Floats:
        """Return pixels (n, 2) of the scan for pixels (n, 2) of the artwork as its file has it."""
        import cv2

        points = np.array(at, dtype=float).reshape(-1, 2)
        if self.mirrored:
            points = points * [-1, 1] + [self.size[0] - 1, 0]
        flat = np.asarray(cv2.perspectiveTransform(points.reshape(-1, 1, 2), self.matrix)).reshape(-1, 2)
        return flat + _terms(points, self.size) @ self.bend if self.curved else flat

    def laid_back(self, scan: NDArray[np.float32]) -> NDArray[np.float32]:
        """Return the scan (h, w, 3) as the artwork's file has it, at the artwork's size; nan where nothing is."""
        import cv2

        if self.curved:
            y, x = np.mgrid[: self.size[1], : self.size[0]]
            at = self.places(np.stack([x.ravel(), y.ravel()], axis=1)).astype(np.float32).reshape(*x.shape, 2)
            return np.asarray(
                cv2.remap(scan, at[..., 0], at[..., 1], cv2.INTER_LINEAR, borderValue=(np.nan,) * 3), np.float32
            )
        flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
        back = cv2.warpPerspective(scan, self.matrix, self.size, flags=flags, borderValue=(np.nan,) * 3)
        return np.ascontiguousarray(back[:, ::-1]) if self.mirrored else np.asarray(back)


def find_artwork(scan: NDArray[np.uint8], artwork: NDArray[np.uint8]) -> Found:
    """Find an artwork (h, w, 3) on a scan (h, w, 3), both as they look.

    Details are matched (SIFT: Lowe, Int. J. Comput. Vis. 60, 2004), as it is and mirrored, and the way in which most
    agree is taken and made exact on the whole picture (Evangelidis and Psarakis, IEEE TPAMI 30, 2008).

    Raises
    ------
    FideleError
        When it is not there, or has too few details to tell.
    """
    import cv2

    there, shrunk = _grey(scan)
    both = [np.ascontiguousarray(artwork[:, ::-1]) if mirrored else artwork for mirrored in (False, True)]
    mine = [_grey(picture) for picture in both]
    seen = _details(there)
    found = [(mirrored, one) for mirrored in (0, 1) if (one := _matched(mine[mirrored][0], seen)) is not None]
    best: tuple[int, bool, Floats] | None = None
    likeness = _ALIKE

    def settle(count: int, mirrored: int, start: Floats) -> None:
        nonlocal best, likeness
        small = mine[mirrored][1]
        matrix, alike = _exact(mine[mirrored][0], there, start)
        if alike > likeness + (0.0 if count else _UNSURE * (best is None)):
            likeness = alike
            best = (count, bool(mirrored), np.diag([1 / shrunk, 1 / shrunk, 1]) @ matrix @ np.diag([small, small, 1]))

    for mirrored, (count, ways) in sorted(found, key=lambda f: -f[1][0])[:1]:
        for way in ways:
            settle(count, mirrored, way)
    if best is None or likeness < _GOOD:
        for mirrored, start in _by_outline([m for m, _ in mine], there):
            settle(0, mirrored, start)
    if best is None:
        raise FideleError(
            tr(
                "The artwork was not found on the scan: it is another piece, too little of it is seen, or it "
                "has too few details. Scan the whole piece, flat, in even light."
            )
        )
    count, mirrored, matrix = best
    height, width = artwork.shape[:2]
    along = cv2.perspectiveTransform(np.array([[[0.0, 0.0]], [[float(width), 0.0]]]), matrix).reshape(2, 2)
    turned = float(np.degrees(np.arctan2(*(along[1] - along[0])[::-1])))
    found_so = Found(matrix, mirrored, turned, count, (width, height), likeness)
    if likeness >= _FLAT:
        return found_so
    bend = _bent(mine[mirrored], (there, shrunk), found_so)
    return found_so if bend is None else replace(found_so, bend=bend)


def _terms(points: Floats, size: tuple[int, int]) -> Floats:
    """Return the terms (n, 10) of places (n, 2) on a picture up to their cubes, from -1 to 1 across its longer side."""
    half = max(size) / 2
    x, y = (points[:, 0] - size[0] / 2) / half, (points[:, 1] - size[1] / 2) / half
    one = np.ones_like(x)
    return np.stack([one, x, y, x * x, x * y, y * y, x**3, x * x * y, x * y * y, y**3], axis=1)


def _bent(mine: tuple[NDArray[np.uint8], float], there: tuple[NDArray[np.uint8], float], flat: Found) -> Floats | None:
    """Return how a piece is bent (10, 2), None where it is flat or its details do not tell.

    Details that lie within a tenth of the picture of where they should be are taken, and a smooth bend is fitted to
    them that those which contradict it have no part in (iteratively reweighted).
    """
    pairs = _pairs(mine[0], _details(there[0]))
    if pairs is None:
        return None
    source, target = pairs[0].reshape(-1, 2) / mine[1], pairs[1].reshape(-1, 2) / there[1]
    if flat.mirrored:  # `places` turns them round again
        source = source * [-1, 1] + [flat.size[0] - 1, 0]
    off = target - flat.places(source)
    scale = float(np.sqrt(abs(np.linalg.det(flat.matrix[:2, :2])))) * max(flat.size)
    near = np.hypot(*off.T) < 0.1 * scale
    if near.sum() < 3 * _FEWEST:
        return None
    terms = _terms(source * [-1, 1] + [flat.size[0] - 1, 0] if flat.mirrored else source, flat.size)[near]
    off, weight = off[near], np.ones(int(near.sum()))
    bend = np.zeros((10, 2))
    close = 0.002 * scale
    for _ in range(12):
        root = np.sqrt(weight)[:, None]
        bend, *_ = np.linalg.lstsq(
            np.vstack([terms * root, 0.05 * np.eye(10)]), np.vstack([off * root, np.zeros((10, 2))])
        )
        left = np.hypot(*(off - terms @ bend).T)
        weight = 1 / (1 + (left / close) ** 2) ** 2
    before, after = (np.hypot(*off.T) < close).sum(), (left < close).sum()
    return bend if after >= max(2 * _FEWEST, 1.15 * before) else None


def _grey(picture: NDArray[np.uint8]) -> tuple[NDArray[np.uint8], float]:
    """Return a picture in grey, no larger than is looked at, its contrast evened, and by how much it was shrunk."""
    import cv2

    grey = cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY)
    factor = min(1.0, _SIDE / max(grey.shape))
    if factor < 1:
        grey = cv2.resize(grey, None, fx=factor, fy=factor, interpolation=cv2.INTER_AREA)
    return cv2.createCLAHE(2.0, (8, 8)).apply(grey), factor


#: Details of a picture: where they are, and what they look like.
_Details = tuple[Any, Any]


def _details(grey: NDArray[np.uint8]) -> _Details:
    import cv2

    sift = cv2.SIFT_create(  # type: ignore[attr-defined]
        4000, contrastThreshold=0.02
    )
    where, what = sift.detectAndCompute(grey, None)
    return where, what


def _pairs(mine: NDArray[np.uint8], there: _Details) -> tuple[Floats, Floats] | None:
    """Return where details of a picture are, and where they are seen, both (n, 1, 2); None for too few."""
    import cv2

    here, mine_said = _details(mine)
    seen, there_said = there
    if mine_said is None or there_said is None or min(len(here), len(seen)) < _FEWEST:
        return None
    pairs = cv2.FlannBasedMatcher({"algorithm": 1, "trees": 5}, {"checks": 64}).knnMatch(mine_said, there_said, k=2)
    good = [p[0] for p in pairs if len(p) == 2 and p[0].distance < _CLEAR * p[1].distance]
    if len(good) < _FEWEST:
        return None
    source = np.array([here[m.queryIdx].pt for m in good]).reshape(-1, 1, 2)
    return source, np.array([seen[m.trainIdx].pt for m in good]).reshape(-1, 1, 2)


def _matched(mine: NDArray[np.uint8], there: _Details) -> tuple[int, list[Floats]] | None:
    import cv2

    pairs = _pairs(mine, there)
    if pairs is None:
        return None
    source, target = pairs
    matrix, mask = cv2.findHomography(source, target, cv2.RANSAC, _AGREES, maxIters=4000)
    count = int(mask.sum()) if mask is not None else 0
    if matrix is None or count < _FEWEST or not _sound(matrix, mine.shape):
        return None
    ways = [np.asarray(matrix, float)]
    # What lies flat on a glass is turned, moved and sized, no more: few matches tell that better.
    flat, _ = cv2.estimateAffinePartial2D(source[mask.ravel() > 0], target[mask.ravel() > 0])
    if flat is not None:
        ways.append(np.vstack([flat, [0, 0, 1]]))
    return count, ways


def _sound(matrix: Floats, shape: tuple[int, ...]) -> bool:
    """Tell whether a picture that lies so is one that a scanner or camera can have seen: not folded, not a line."""
    import cv2

    height, width = shape[:2]
    corners = np.array([[0, 0], [width, 0], [width, height], [0, height]], float).reshape(-1, 1, 2)
    placed = cv2.perspectiveTransform(corners, matrix).reshape(4, 2).astype(np.float32)
    sides = np.linalg.norm(placed - np.roll(placed, 1, axis=0), axis=1)
    return bool(cv2.isContourConvex(placed) and sides.max() < 4 * sides.min() * max(width, height) / min(width, height))


def _edges(grey: NDArray[np.uint8], softness: float = 1.5) -> NDArray[np.float32]:
    import cv2

    smooth = cv2.GaussianBlur(grey, (0, 0), softness).astype(np.float32)
    return np.sqrt(cv2.Sobel(smooth, cv2.CV_32F, 1, 0) ** 2 + cv2.Sobel(smooth, cv2.CV_32F, 0, 1) ** 2)


def _exact(mine: NDArray[np.uint8], there: NDArray[np.uint8], start: Floats) -> tuple[Floats, float]:
    """Move a picture until its edges lie on those that are seen, coarsely and then finely; return how, and how well."""
    import cv2

    best, alike = start, _likeness(mine, there, start)
    for factor, softness in ((0.35, 1.0), (1.0, 1.5)):
        shrink = np.diag([factor, factor, 1.0])
        one, other = (cv2.resize(g, None, fx=factor, fy=factor, interpolation=cv2.INTER_AREA) for g in (mine, there))
        at = (shrink @ best @ np.linalg.inv(shrink)).astype(np.float32)
        ends = (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 60, 1e-6)
        try:
            edges = (_edges(one, softness), _edges(other, softness))
            _, moved = cv2.findTransformECC(*edges, at, cv2.MOTION_HOMOGRAPHY, ends, None, 5)
        except cv2.error:  # it did not settle: what was found before holds
            continue
        made = np.linalg.inv(shrink) @ moved.astype(float) @ shrink
        now = _likeness(mine, there, made)
        if _sound(made, mine.shape) and now > alike:
            best, alike = made, now
    return best, alike


def _likeness(mine: NDArray[np.uint8], there: NDArray[np.uint8], matrix: Floats) -> float:
    """Return how well edges lie on edges: their correlation where the picture lies on the scan."""
    import cv2

    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    size = (mine.shape[1], mine.shape[0])
    seen = cv2.warpPerspective(there, matrix, size, flags=flags)
    known = cv2.warpPerspective(np.ones_like(there), matrix, size, flags=flags) > 0
    if known.mean() < 0.1:
        return 0.0
    one, other = _edges(mine, 2.0)[known], _edges(seen, 2.0)[known]
    return float(np.corrcoef(one, other)[0, 1]) if one.std() > 0 and other.std() > 0 else 0.0


def _by_outline(mine: list[NDArray[np.uint8]], there: NDArray[np.uint8]) -> list[tuple[int, Floats]]:
    """Return the likeliest places of a picture with few details, by all its edges: in quarter turns, of any size."""
    import cv2

    coarse = _COARSE / max(there.shape)
    scan = _edges(cv2.resize(there, None, fx=coarse, fy=coarse, interpolation=cv2.INTER_AREA), 1.0)
    found = []
    for mirrored, picture in enumerate(mine):
        for quarter in range(4):
            turned = np.ascontiguousarray(np.rot90(picture, -quarter))
            fits = min(scan.shape[0] / turned.shape[0], scan.shape[1] / turned.shape[1])
            for share in np.geomspace(0.3, 1.0, 26):
                scale = fits * share
                small = _edges(cv2.resize(turned, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA), 1.0)
                if min(small.shape) < 24 or small.std() == 0:
                    continue
                score = cv2.matchTemplate(scan, small, cv2.TM_CCOEFF_NORMED)
                _, top, _, (x, y) = cv2.minMaxLoc(score)
                found.append((top, mirrored, _laid(picture.shape, quarter, scale, x, y, coarse)))
    found.sort(key=lambda f: -f[0])
    return [(mirrored, matrix) for _, mirrored, matrix in found[:3]]


def _laid(shape: tuple[int, ...], quarter: int, scale: float, x: int, y: int, coarse: float) -> Floats:
    """Return the matrix of a picture turned by quarters clockwise, scaled and moved, on a scan seen so coarsely."""
    height, width = shape[:2]
    turn = {
        0: np.eye(3),
        1: np.array([[0, -1, height], [1, 0, 0], [0, 0, 1]]),
        2: np.array([[-1, 0, width], [0, -1, height], [0, 0, 1]]),
        3: np.array([[0, 1, 0], [-1, 0, width], [0, 0, 1]]),
    }[quarter]
    place = np.array([[scale, 0, x], [0, scale, y], [0, 0, 1]])
    return np.asarray(np.diag([1 / coarse, 1 / coarse, 1.0]) @ place @ turn, float)
