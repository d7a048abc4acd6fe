"""Read charts from scans: which page it is, how it lies, and what each patch is."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import field, replace

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Codes, Floats, top_of
from fidele.chart.code import PageCode, read_code
from fidele.chart.definition import MARK_SETS, Chart
from fidele.chart.find import Sighting, as_grey, find_pages, refined
from fidele.chart.patches import page_light, patch_values, strange_patches, stripes
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.language import tr

#: The page's code may tell another chart only where it was read; this much rank correlation the patches must have
#: with the chart's own values, whatever the printer did to them.
_ALIKE = 0.6
#: Marks further than this from where a flat page would have them, in mm: it moved, or is bent.
_BENT = 0.7


class HiddenMarksError(FideleError):
    """Too few marks were found; a person can place the page's four corners instead."""


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
    frame
        (4, 2) outer corners of the page's marks, pixels of the scan.
    code
        What the page says of itself; None where that could not be read.
    marks
        How many of the four marks were seen.
    bent
        How far marks lie from where a flat page would have them, mm.
    pixels_per_mm
        Across and down the page, of the scan.
    banding
        Share by which stripes along the page change the light of a patch.
    doubt
        (n,) beyond 1 a patch is doubtful: a shadow's edge, a gleam, a finger or a curl.
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
    frame: Floats
    code: PageCode | None = None
    marks: int = 4
    bent: float = 0.0
    pixels_per_mm: tuple[float, float] = (0.0, 0.0)
    banding: float = 0.0
    doubt: Floats = field(default_factory=lambda: np.zeros(0))

    def rows(self, keep: NDArray[np.bool_]) -> Reading:
        """Return it with some of its patches (n,) only."""
        doubt = self.doubt[keep] if len(self.doubt) == len(keep) else self.doubt
        per_patch = {name: getattr(self, name)[keep] for name in ("index", "rgb", "spread", "corners", "clipped")}
        return replace(self, doubt=doubt, **per_patch)

    @property
    def doubtful(self) -> NDArray[np.bool_]:
        """Which patches (n,) were lit, or lie, otherwise than the page: not to be judged, but scanned again."""
        return self.doubt > 1 if len(self.doubt) == len(self.index) else np.zeros(len(self.index), bool)


#: A patch whose corners are lit so differently is doubtful: what it is off by then reaches ΔE00 3.
DOUBTFUL = 0.16
#: Where nothing stands in the light grain alone makes patches look strange: they must look so by much more.
_UNTROUBLED = 0.15


def read_scan(scan: Codes, chart: Chart, corners: Floats | None = None, follows: bool = True) -> Reading:
    """Find a page of `chart` on a scan, RGB (h, w, 3) uint8 or uint16, and measure every patch.

    `corners` (4, 2) are the outer corners of the page's marks in pixels, placed by a person, clockwise from any.
    `follows` False reads a page whose patches need not follow the chart's values: an ink of it may be missing.

    Raises
    ------
    HiddenMarksError
        When fewer than three marks are found and no corners were placed.
    FideleError
        When the marks are those of another chart, another version of it lies there, or a patch lies outside the scan.
    """
    values = _checked(scan)
    if corners is not None:
        return _by_hand(values, chart, corners)
    sightings, values, mirrored = _seen(values)
    mine = [s for s in sightings if (s.mark_set - chart.mark_set) % MARK_SETS < chart.pages]
    whole = [s for s in mine if len(s.marks) >= 3]
    if not whole:
        if any(len(s.marks) >= 3 for s in sightings):
            raise FideleError(
                tr(
                    "The marks on the scan are not those of the {title}: it is a page of another chart.",
                    title=chart.title.lower(),
                )
            )
        most = max((len(s.marks) for s in mine), default=0)
        raise HiddenMarksError(
            tr(
                "No chart was found on the scan: {most} of its 4 corner marks were seen, 3 are needed. Scan "
                "the whole page at 150 ppi or more, or place its corners by hand.",
                most=most,
            )
        )
    return _measured(values, chart, whole[0], mirrored, follows)


def read_all(scan: Codes, charts: Sequence[Chart]) -> tuple[list[tuple[Chart, Reading]], list[str]]:
    """Read every page of any of `charts` on a scan; several can lie on it, the same one twice as well.

    Returns the readings from the upper left on, and a sentence for each page that was seen and cannot be read.
    """
    values = _checked(scan)
    sightings, values, mirrored = _seen(values)
    found: list[tuple[Chart, Reading]] = []
    refused: list[str] = []
    for sighting in sightings:
        said = ""
        for chart in charts:
            if (sighting.mark_set - chart.mark_set) % MARK_SETS >= chart.pages or len(sighting.marks) < 3:
                continue
            try:
                found.append((chart, _measured(values, chart, sighting, mirrored)))
                break
            except FideleError as error:
                said = str(error)
        else:
            if len(sighting.marks) >= 3:
                refused.append(said or tr("A page lies there whose chart is not known."))
    found.sort(key=lambda f: (round(f[1].frame[:, 1].mean() / 400), f[1].frame[:, 0].mean()))
    return found, refused


def _checked(scan: Codes) -> Codes:
    if scan.ndim != 3 or scan.shape[2] < 3 or min(scan.shape[:2]) < 200:
        raise FideleError(tr("The scan is not a colour picture of a chart."))
    if scan.dtype not in (np.uint8, np.uint16):
        raise FideleError(tr("A scan has 8 or 16 bits for each channel; this one has another depth."))
    return np.ascontiguousarray(scan[..., :3])


def _seen(values: Codes) -> tuple[list[Sighting], Codes, bool]:
    """Return the pages that are seen, the scan as they are seen on it, and whether it had to be mirrored."""
    sightings = find_pages(as_grey(values))
    if any(len(s.marks) >= 3 for s in sightings):
        return sightings, values, False
    flipped = np.ascontiguousarray(values[:, ::-1])
    turned = find_pages(as_grey(flipped))
    if any(len(s.marks) >= 3 for s in turned):
        return turned, flipped, True
    return sightings, values, False


def _measured(values: Codes, chart: Chart, seen: Sighting, mirrored: bool, follows: bool = True) -> Reading:
    import cv2

    grey = as_grey(values)
    page = (seen.mark_set - chart.mark_set) % MARK_SETS
    known = chart.layout.mark_corners()
    source = np.concatenate([known[n] for n in seen.marks])
    target = np.concatenate([refined(grey, c) for c in seen.marks.values()])
    homography, _ = cv2.findHomography(source, target, 0)
    scale = abs(np.linalg.det(homography[:2, :2])) ** 0.5
    off = cv2.perspectiveTransform(source.reshape(-1, 1, 2), homography).reshape(-1, 2) - target
    bent = float(np.sqrt((off**2).sum(axis=1).mean()) / scale)
    return _with(values, chart, page, homography, mirrored, len(seen.marks), bent, follows=follows)


def _by_hand(values: Codes, chart: Chart, corners: Floats) -> Reading:
    """Read a page whose corners a person placed: of all ways it can lie, the one whose patches fit the chart."""
    import cv2

    corners = np.asarray(corners, dtype=float).reshape(4, 2)
    about = corners - corners.mean(axis=0)
    corners = corners[np.argsort(np.arctan2(about[:, 1], about[:, 0]))]  # clockwise, as y grows downward
    best: Reading | None = None
    likeness, why = _ALIKE, tr("What lies between the corners does not look like this chart.")
    outer = chart.layout.outer_corners().astype(np.float32)
    for mirrored in (False, True):
        seen = np.ascontiguousarray(values[:, ::-1]) if mirrored else values
        placed = corners
        if mirrored:
            placed = (placed * [-1, 1] + [values.shape[1] - 1, 0])[::-1]
        for turn in range(4):
            there = np.roll(placed, turn, axis=0).astype(np.float32)
            for page in range(chart.pages):
                try:
                    reading = _with(
                        seen, chart, page, cv2.getPerspectiveTransform(outer, there), mirrored, 0, 0.0, check=False
                    )
                except (FideleError, cv2.error) as error:
                    why = str(error) if isinstance(error, FideleError) else why
                    continue
                alike = _likeness(reading.rgb, chart.rgb[reading.index])
                if alike > likeness:
                    best, likeness = reading, alike
    if best is None:
        raise FideleError(why)
    return best


def _likeness(rgb: Floats, wanted: Floats) -> float:
    """Return the rank correlation (Spearman's) of measured with wanted values, over all channels."""

    def ranks(values: Floats) -> Floats:
        order = np.empty(values.size)
        order[values.ravel().argsort(kind="stable")] = np.arange(values.size)
        return order

    if len(rgb) < 4 or np.ptp(wanted) < 0.05:
        return 1.0
    return float(np.corrcoef(ranks(np.round(rgb, 4)), ranks(wanted))[0, 1])


def _with(
    values: Codes,
    chart: Chart,
    page: int,
    homography: Floats,
    mirrored: bool,
    marks: int,
    bent: float,
    check: bool = True,
    follows: bool = True,
) -> Reading:
    """Measure a page that lies as `homography` says, from mm of the page to pixels."""
    import cv2

    def pixels(mm: Floats) -> Floats:
        return cv2.perspectiveTransform(np.asarray(mm, dtype=float).reshape(-1, 1, 2), homography).reshape(-1, 2)

    height, width = values.shape[:2]
    if bent > 3 * _BENT:
        raise FideleError(tr("The page moved while it was scanned, or is bent: its marks do not lie in one plane."))
    code = None
    if check:
        x0, y0, x1, y1 = chart.layout.code_box()
        box = pixels(np.array([[x0, y0], [x1, y0], [x1, y1], [x0, y1]]))
        code = read_code(as_grey(values), box)
        if code is not None and code.digest != chart.digest:
            raise FideleError(
                tr(
                    "The page on the scan is of another chart than “{title}”, or of another version of it: it says "
                    "{digest}, this one is {digest2}.",
                    title=chart.title,
                    digest=code.digest,
                    digest2=chart.digest,
                )
            )
        if code is not None and (code.page - page) % MARK_SETS == 0 and code.page < chart.pages:
            page = code.page
    index = chart.on_page(page)
    centres = chart.centres(page)
    half = chart.layout.patch * 0.31
    outline = centres[:, None] + np.array([[-half, -half], [half, -half], [half, half], [-half, half]])
    corners = pixels(outline).reshape(-1, 4, 2)
    if (
        not np.isfinite(corners).all()
        or corners.min() < 0
        or (corners.max(axis=(0, 1)) > [width - 1, height - 1]).any()
    ):
        raise FideleError(tr("A part of the chart lies outside the scan; scan the whole page."))
    top = float(top_of(values))
    light = page_light(values, chart.layout, homography, top)
    mean, spread, clipped = patch_values(values, corners, top)
    rgb = light.even(centres, mean)
    lit = light.doubt(centres) / DOUBTFUL
    doubt = np.maximum(lit, strange_patches(rgb, spread, chart.rgb[index], lit))
    doubt = doubt if light.troubled else _UNTROUBLED * doubt
    if check and follows and _likeness(rgb, chart.rgb[index]) < _ALIKE:
        raise FideleError(
            tr(
                "The corner marks are those of the {title}, but what lies between them is not: the patches do "
                "not follow its values at all.",
                title=chart.title.lower(),
            )
        )
    frame = pixels(chart.layout.outer_corners())
    across, down = frame[1] - frame[0], frame[3] - frame[0]
    turned = float(np.degrees(np.arctan2(across[1], across[0])))
    box_mm = chart.layout.frame
    per_mm = (
        float(np.linalg.norm(across)) / (box_mm[2] - box_mm[0]),
        float(np.linalg.norm(down)) / (box_mm[3] - box_mm[1]),
    )
    banding = stripes(values, centres, half, homography, mean, top)
    if mirrored:
        corners[..., 0] = width - 1 - corners[..., 0]
        frame[:, 0] = width - 1 - frame[:, 0]
        turned = -turned
    return Reading(
        page,
        index,
        rgb,
        spread,
        corners,
        turned,
        mirrored,
        light.unevenness,
        clipped,
        frame,
        code,
        marks,
        bent,
        per_mm,
        banding,
        doubt,
    )
