"""Measure patches on a scan: robust means, light evened by the bare substrate around them, stripes."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Codes, Floats
from fidele.chart.layout import Layout
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.language import tr
from fidele.tiles import in_tiles

#: Scanners code light by about this exponent; evening the light is done on the light, not on the code.
CODE = 2.2
#: Fewer pixels tell nothing of a patch.
_FEWEST = 9


def patch_values(values: Codes, outlines: Floats, top: float) -> tuple[Floats, Floats, NDArray[np.bool_]]:
    """Return robust means (n, 3), spreads (n,) and whether patches are clipped (n,), of outlines (n, 4, 2) in pixels.

    Raises
    ------
    FideleError
        When there are too few pixels in a patch.
    """
    from fidele.kernels.patches import patch_statistics

    corners = np.array(outlines, dtype=float, order="C").reshape(-1, 4, 2)
    if len(corners) and not np.isfinite(corners).all():
        raise FideleError(tr("A part of the chart lies outside the scan; scan the whole page."))
    scan = np.ascontiguousarray(values)
    count = len(corners)
    mean, spread = np.empty((count, 3)), np.empty(count)
    clipped, pixels = np.zeros(count, bool), np.zeros(count, np.int64)

    def work(some: slice) -> None:
        patch_statistics(scan, corners[some], top, mean[some], spread[some], clipped[some], pixels[some])

    in_tiles(work, count, 64)
    if count and pixels.min() < _FEWEST:
        raise FideleError(tr("The patches are too small on this scan; scan at a higher resolution."))
    return mean, spread, clipped


@dataclass(frozen=True, eq=False)
class PageLight:
    """How light falls over a page, as the bare substrate between its patches shows it.

    Attributes
    ----------
    grid
        (rows + 1, columns + 1, 3) the light where gaps cross, by its mean over the page.
    unevenness
        The light's largest smooth deviation from its mean.
    troubled
        Whether anything stands in the light at all: on a glass under its lid nothing does.
    """

    layout: Layout
    grid: Floats
    unevenness: float
    troubled: bool

    def even(self, where: Floats, measured: Floats) -> Floats:
        """Return values (n, 3) that were measured at places (n, 2) in mm as they are under even light."""
        around = self._around(where)
        return np.clip(measured**CODE / np.maximum(around.mean(axis=1), 0.02), 0, None) ** (1 / CODE)

    def doubt(self, centres: Floats) -> Floats:
        """Return for patches at centres (n, 2) in mm by what share the light at their corners differs.

        The edge of a shadow, of a gleam or a finger runs through such a patch, or the page curls there.
        """
        around = self._around(centres)
        return np.asarray((np.ptp(around, axis=1) / np.maximum(around.mean(axis=1), 0.02)).max(axis=1))

    def _around(self, places: Floats) -> Floats:
        """Return the light (n, 4, 3) at the four corners of the cells that places (n, 2) in mm lie in."""
        rows, columns = self.grid.shape[0] - 1, self.grid.shape[1] - 1
        cell = (np.atleast_2d(places) - [self.layout.left, self.layout.top]) / self.layout.pitch
        column = np.clip(np.floor(cell[:, 0]).astype(int), 0, columns - 1)
        row = np.clip(np.floor(cell[:, 1]).astype(int), 0, rows - 1)
        corners = ((row, column), (row, column + 1), (row + 1, column), (row + 1, column + 1))
        return np.stack([self.grid[r, c] for r, c in corners], axis=1)


def page_light(values: Codes, layout: Layout, homography: Floats, top: float) -> PageLight:
    """Look at the bare substrate between the patches.

    Where it differs little from a smooth fall that fall is taken, which grain and dust do not move; where it differs
    by more, what is there.

    Raises
    ------
    FideleError
        When a part of the page lies outside the scan.
    """
    import cv2

    places = layout.white_places()
    pixels = np.rint(cv2.perspectiveTransform(places.reshape(-1, 1, 2), homography).reshape(-1, 2)).astype(int)
    scale = abs(np.linalg.det(homography[:2, :2])) ** 0.5
    reach = max(1, int((layout.pitch - layout.patch) / 2 * scale * 0.45))
    inside = ((pixels >= reach) & (pixels < np.array(values.shape[1::-1]) - reach)).all(axis=1)
    if inside.sum() < 6:
        raise FideleError(tr("A part of the chart lies outside the scan; scan the whole page."))
    inside &= ~_printed_on(places, layout)
    spots = [values[y - reach : y + reach + 1, x - reach : x + reach + 1].reshape(-1, 3) for x, y in pixels[inside]]
    light = (np.array([np.median(s, axis=0) for s in spots]) / top) ** CODE
    page = np.array(layout.page)
    u, v = (2 * places / page - 1).T
    terms = np.stack([np.ones_like(u), u, v, u * u, u * v, v * v], axis=1)
    design, weight = terms[inside], np.ones(int(inside.sum()))
    for _ in range(3):  # a gap that holds dust or ink counts less
        fit, *_ = np.linalg.lstsq(design * weight[:, None], light * weight[:, None], rcond=None)
        off = np.abs(light - design @ fit).max(axis=1)
        weight = 1 / (1 + (off / (2.5 * np.median(off) + 1e-6)) ** 2)
    smooth = np.maximum(terms @ fit, 1e-6)
    mean = np.maximum(smooth[inside].mean(axis=0), 1e-6)
    seen = smooth.copy()
    seen[inside] = light
    shape = (layout.rows + 1, layout.columns + 1, 3)
    seen, smooth = seen.reshape(shape), smooth.reshape(shape)
    # What a single crossing alone says is dust; what its neighbours say too is light.
    calm = cv2.medianBlur((seen / smooth).astype(np.float32), 3)
    strange = np.abs(calm - 1).max(axis=2, keepdims=True)
    grid = smooth * np.where(strange > _STRANGE, calm, 1.0)
    if (strange > _SHADOWED).mean() > 0.05:  # a page that lies half in shadow is as light as its lit part
        level = grid.mean(axis=2)
        # The lightest light that much of the page lies in: a gleam is lighter, and alike nowhere.
        alike = [v for v in np.sort(level.ravel()) if (np.abs(level / v - 1) < 0.05).mean() >= 0.2]
        mean = np.median(grid[np.abs(level / (alike[-1] if alike else np.median(level)) - 1) < 0.1], axis=0)
    grid = grid / mean
    troubled = bool((strange > _SHADOWED).mean() > 0.01)
    return PageLight(layout, grid, float(np.abs(smooth / mean - 1).max()), troubled)


def _printed_on(places: Floats, layout: Layout) -> NDArray[np.bool_]:
    """Return which places (n, 2) in mm are no bare substrate: marks, the page's code and its small print lie there."""
    marks = layout.mark_corners()
    boxes = [(*m.min(axis=0), *m.max(axis=0)) for m in marks] + [layout.code_box(), layout.text_box()]
    found = np.zeros(len(places), bool)
    for left, top, right, bottom in boxes:
        x, y = places.T
        found |= (x > left - _CLEAR) & (x < right + _CLEAR) & (y > top - _CLEAR) & (y < bottom + _CLEAR)
    return found


#: So far from what is printed, in mm, substrate is bare.
_CLEAR = 1.5
#: A fall of light that differs by such a share from the smooth one is taken as it is.
_STRANGE = 0.03
#: And from such a share on, over a twentieth of the page, something stands in the light.
_SHADOWED = 0.08


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


#: Fewer patches than this tell nothing of how values and light hang together; a patch is strange from so many times
#: what the others are off by, and from so much in coded light, on.
_TELLING, _FAR, _LEAST = 60, 3.5, 0.03
#: Patches that look less strange than this by their own light speak for others.
_TRUSTED = 0.6
#: So many patches of the most similar values are its like.
_LIKE = 8
#: How closely the spline follows what is seen.
_SMOOTH = 3e-3
#: Trust that changes by no larger share has settled.
_SETTLED = 0.05
#: So many patches on either side are as dark; one is uneven from so many times what they are, and from so much, on.
_ALIKE, _UNEVEN, _ROUGH = 8, 2.0, 0.0055


def strange_patches(seen: Floats, spread: Floats, rgb: Floats, lit: Floats) -> Floats:
    """Return how strange (n,) patches are, beyond 1 doubtful, by the light of all others.

    However a printer prints, what is seen of its values (n, 3) follows them smoothly: a gleam lifts dark patches out of
    that, a finger hides some. And patches that are as dark are as even: an edge of light runs through those that are
    less so (`spread`, (n,)). `lit` (n,) is how strange their light alone makes them: those speak for no others.
    """
    if len(rgb) < _TELLING:
        return np.zeros(len(rgb))
    from scipy.spatial import cKDTree

    order = np.argsort(seen.mean(axis=1))
    beside = np.lib.stride_tricks.sliding_window_view(spread[order], 2 * _ALIKE + 1)
    usual = np.empty(len(seen))
    usual[order] = np.percentile(beside, 25, axis=1)[np.clip(np.arange(len(order)) - _ALIKE, 0, len(beside) - 1)]
    uneven = spread / np.maximum(_UNEVEN * usual, _ROUGH)
    trusted = np.maximum(uneven, lit) < _TRUSTED
    if trusted.sum() < _TELLING // 2:
        trusted = np.ones(len(rgb), bool)
    off, middle = _contradicted(seen, rgb, trusted)
    # Where a printer is not smooth (near black, say) its like contradict each other as well.
    near = np.asarray(cKDTree(rgb).query(rgb, k=_LIKE + 1)[1])[:, 1:]
    usual = np.maximum(middle, np.median(np.where(trusted, off, middle)[near], axis=1))
    return np.asarray(np.maximum(uneven, off / np.maximum(_LEAST, _FAR * usual)))


def _contradicted(seen: Floats, rgb: Floats, trusted: NDArray[np.bool_]) -> tuple[Floats, float]:
    """Return by how much (n,) patches differ from what trusted ones say of their values, and the usual of those.

    A cubic spline with a trend, each patch left out in closed form (Wahba, 'Spline Models for Observational Data',
    4.2); what contradicts the others is trusted less from round to round, so that it does not speak for its like.
    """
    from scipy.spatial.distance import cdist

    r, g, b = rgb.T
    squares = [r * r, g * g, b * b, r * g, r * b, g * b]
    trend = np.stack([np.ones_like(r), r, g, b, *squares], axis=1)
    count, terms = trend.shape
    apart = cdist(rgb, rgb) ** 3
    system = np.zeros((count + terms, count + terms))
    system[:count, count:], system[count:, :count] = trend, trend.T
    # What the others say of a corner of the cube is a guess beyond them: it counts by how sure it is.
    system[:count, :count] = apart + _SMOOTH * np.eye(count)
    inverse = np.linalg.inv(system)[:count, :count]
    hold = np.diag(inverse)
    sure = np.sqrt(hold / np.median(hold))
    before, doubt = np.full(count, _SMOOTH), np.where(trusted, _SMOOTH, 100.0)
    off, usual = np.zeros(count), 1e-6
    for turn in range(5):
        if (np.abs(doubt - before) > _SETTLED * before).any():
            system[:count, :count] = apart + np.diag(doubt)
            inverse = np.linalg.inv(system)[:count, :count]
        elif turn:  # nobody is trusted otherwise than in the turn before
            break
        before = doubt
        said = (inverse @ seen) / np.diag(inverse)[:, None] * sure[:, None]
        off = np.abs(said).max(axis=1)
        usual = float(np.median(off[trusted])) + 1e-6
        doubt = np.where(trusted, _SMOOTH * (1 + np.maximum(off / (2.5 * usual) - 1, 0) ** 2 * 40), 100.0)
    return off, usual
