"""From a scan or photograph of a finished piece to a verdict, by the artwork alone."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Codes, Floats, top_of
from fidele.chart.patches import patch_values
from fidele.check.cause import Cause, find_cause
from fidele.check.statistics import Comparison, compare
from fidele.check.suspects import Suspicions, suspicions
from fidele.check.tolerance import Tolerance
from fidele.colour.difference import delta_e_2000
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.icc.profile import Profile
from fidele.icc.spaces import srgb
from fidele.icc.transform import Intent, from_lab, to_lab
from fidele.language import lowered, tr
from fidele.piece.areas import FEWEST, areas_of
from fidele.piece.find import Found, find_artwork
from fidele.piece.press_map import PressMap
from fidele.piece.where import PieceMap, piece_map
from fidele.tuning.conversion import Conversion, device_values

#: An artwork is looked at no larger than this.
_SIDE = 900
#: A piece counts as so many mm across where it matters how near two areas are.
_ACROSS = 200.0
#: What an area is off by, ΔE00, because it lies a hair beside where it was looked for.
_PLACED = 0.6
#: Mean ΔE00 by which each way of seeing a piece is off.
TRUST = {"a scan through the scanner's own profile": 0.0, "a scan without a profile": 10.0, "a photograph": 4.0}


@dataclass(frozen=True, eq=False)
class PieceAim:
    """What a piece was to be: its artwork's space, and how it was printed.

    Attributes
    ----------
    pixels, source
        The artwork (h, w, channels), and its space.
    how
        How its numbers became the printer's, tuning and pure colours included.
    """

    pixels: Codes
    source: Profile
    printer: Profile
    how: Conversion
    tolerance: Tolerance
    transfer: bool = True
    owner: str = "fidele"
    driver: Callable[[Floats], Floats] | None = None
    others: Sequence[tuple[str, str, Profile]] = ()
    #: Which places (n, 2) of the artwork, 0 to 1 across and down it, the blank shows; None for all of them.
    visible: Callable[[Floats], NDArray[np.bool_]] | None = None
    #: Mean ΔE00 by which what is promised is itself off, where that is known.
    off: float = 0.0


@dataclass(frozen=True, eq=False)
class PieceChecked:
    """What a piece says.

    Attributes
    ----------
    found, map
        Where the artwork lies on the scan, and where the piece is off apart from its colours.
    centres
        (n, 2) of the areas that were measured, in pixels of the artwork as it was looked at; `size` is that.
    promised, seen
        Both as they look on an sRGB screen, in the artwork's frame (h, w, 3); bare grey where the scan ends.
    trust
        How it was seen, in words, with the mean ΔE00 by which that is off.
    """

    found: Found
    comparison: Comparison
    cause: Cause
    suspected: Suspicions
    map: PieceMap
    centres: Floats
    size: tuple[int, int]
    trust: str
    uncertainty: float
    words: tuple[str, ...]
    cautions: tuple[str, ...]
    promised: NDArray[np.uint8]
    seen: NDArray[np.uint8]

    @property
    def verdict(self) -> str:
        """'pass' or 'fail'; 'none' where colours cannot be judged; what is mirrored is wrong whatever its colours."""
        return "fail" if self.cause.code == "mirrored" else self.comparison.verdict

    #: What it has in common with the last pieces of its condition, None where those are too few.
    press: PressMap | None = None


def check_piece(
    scan: Codes, aim: PieceAim, scanner: Profile | None, residual: float, photo: bool = False
) -> PieceChecked:
    """Judge a finished piece on a scan or photograph (h, w, 3).

    Parameters
    ----------
    scanner, residual
        The scanner's profile, None where it has none, and by how much ΔE00 that is off.
    photo
        Whether a camera saw it: its light is brought to rest by what must be alike, which costs a cast of all colours.

    Raises
    ------
    FideleError
        When the artwork is not found on it, or holds too little to measure.
    """
    whole = aim.pixels if aim.pixels.ndim == 3 else aim.pixels[..., None]
    pixels = _smaller(whole).reshape(*_size(whole), whole.shape[2])
    flat = pixels.reshape(-1, pixels.shape[-1])
    wanted_device = device_values(flat, aim.source, aim.printer, aim.how)
    promised = to_lab(wanted_device, aim.printer, Intent.ABSOLUTE).astype(float).reshape(*pixels.shape[:2], 3)
    looks = _shown(promised)
    space = scanner if scanner is not None and not photo else srgb()
    seen = _eight(scan)
    found = find_artwork(seen, looks)
    areas = areas_of(promised)
    corners = found.places(areas.outlines().reshape(-1, 2)).reshape(-1, 4, 2)
    height, width = scan.shape[:2]
    inside = ((corners > 1) & (corners < [width - 2, height - 2])).all(axis=(1, 2))
    if aim.visible is not None:
        ends = areas.outlines().reshape(-1, 2) / [pixels.shape[1], pixels.shape[0]]
        inside &= aim.visible(ends).reshape(-1, 4).all(axis=1)
    if inside.sum() < FEWEST:
        raise FideleError(tr("Too little of the artwork lies on the scan to judge it by."))
    values, spread, _ = patch_values(scan, corners[inside], float(top_of(scan)))
    sound = spread < max(0.03, 3 * float(np.median(spread)))
    keep = np.flatnonzero(inside)[sound]
    measured = to_lab(np.clip(values[sound], 0, 1).astype(np.float32), space, Intent.ABSOLUTE).astype(float)
    centres = areas.centres[keep]
    at = centres.astype(int)
    device = wanted_device.reshape(*pixels.shape[:2], -1)[at[:, 1], at[:, 0]]
    numbers = pixels[at[:, 1], at[:, 0]].astype(float) / float(top_of(pixels))
    places = centres / max(pixels.shape[:2]) * _ACROSS
    suspected = _suspected(aim, numbers, device.astype(float) / float(top_of(device)), places)
    cautions: list[str] = []
    trust = next(iter(TRUST)) if scanner is not None and not photo else "a scan without a profile"
    if photo:
        trust = "a photograph"
        measured = _levelled(measured, suspected.Lab["right"])
        cautions.append(tr("A camera saw it: one cast over all colours cannot be told, and small faults go unnoticed."))
    elif scanner is None:
        cautions.append(tr("The scanner has no profile: how far colours are off cannot be told by it."))
    known_by = residual if trust.startswith("a scan through") else TRUST[trust]
    uncertainty = float(np.linalg.norm([known_by, _PLACED, aim.off]))
    ids = tuple(tr("area {n}", n=n + 1) for n in range(len(keep)))
    comparison = compare(ids, suspected.Lab["right"], measured, aim.tolerance)
    if scanner is None and not photo:  # scanners of such a kind turn right pieces into wrong ones, and the reverse
        comparison, cause = replace(comparison, judged=False), Cause("scanner-bare", ())
    else:
        cause = find_cause(measured, suspected, uncertainty, aim.tolerance)
    if cause.kind in ("spots", "patches-swapped", "mixed-up"):  # areas have no order; single ones show on the map
        cause = replace(cause, code="right")
    laid = found.laid_back((scan.astype(np.float32) / float(top_of(scan))).astype(np.float32))
    laid = laid if laid.shape[:2] == promised.shape[:2] else laid[: promised.shape[0], : promised.shape[1]]
    known = np.asarray(np.isfinite(laid).all(axis=2))
    if aim.visible is not None:
        y, x = np.mgrid[: known.shape[0], : known.shape[1]]
        every = np.stack([x.ravel() / known.shape[1], y.ravel() / known.shape[0]], axis=1)
        known &= aim.visible(every).reshape(known.shape)
    back = np.full(promised.shape, np.nan)
    back[known] = to_lab(np.clip(laid[known], 0, 1), space, Intent.ABSOLUTE).astype(float)
    where = piece_map(promised, back)
    blind = sorted(set(cause.unnoticed))
    words = [*where.words()]
    if blind:
        words.append(tr("By these colours it cannot be told whether: {blind}.", blind=lowered(", ".join(blind[:5]))))
    if found.mirrored:
        cause = replace(cause, code="mirrored") if cause.code in ("right", "scanner-bare") else cause
        words.insert(0, tr("The piece shows the artwork mirrored."))
    return PieceChecked(
        found,
        comparison,
        cause,
        suspected,
        where,
        centres,
        (pixels.shape[1], pixels.shape[0]),
        trust,
        uncertainty,
        tuple(words),
        tuple(cautions),
        looks,
        np.where(known[..., None], _shown(np.nan_to_num(back)), 128).astype(np.uint8),
    )


def _suspected(aim: PieceAim, numbers: Floats, device: Floats, places: Floats) -> Suspicions:
    """Return what is suspected of areas of these source numbers (n, channels), which become these device values."""
    rgb, source = numbers, aim.source
    if numbers.shape[1] != 3 or source.header.colour_space.strip() != "RGB":
        Lab = to_lab(numbers.astype(np.float32), source)
        rgb, source = np.clip(from_lab(Lab, srgb(), Intent.RELATIVE), 0, 1).astype(float), srgb()
    made = suspicions(
        rgb,
        aim.printer,
        aim.how.intent,
        aim.how.bpc,
        aim.driver,
        aim.others,
        aim.transfer,
        aim.owner,
        source,
        None if aim.owner == "driver" else device,
        places,
    )
    return replace(made, ordered=False)


def _levelled(measured: Floats, wanted: Floats) -> Floats:
    """Return L*a*b* (n, 3) of a photograph at the level and white of what was promised, by the middle of all areas."""
    off = measured - wanted
    light = np.polyfit(wanted[:, 0], measured[:, 0], 1)
    out = measured - np.array([0.0, *np.median(off[:, 1:], axis=0)])
    if light[0] > 0.4:
        out[:, 0] = (measured[:, 0] - light[1]) / light[0]
    return out


def _size(pixels: Codes) -> tuple[int, int]:
    """Return height and width at which an artwork is looked at."""
    factor = min(1.0, _SIDE / max(pixels.shape[:2]))
    return max(1, round(pixels.shape[0] * factor)), max(1, round(pixels.shape[1] * factor))


def _smaller(pixels: Codes) -> Codes:
    import cv2

    size = _size(pixels)
    return np.asarray(cv2.resize(pixels, size[::-1], interpolation=cv2.INTER_AREA))


def _shown(Lab: Floats) -> NDArray[np.uint8]:
    shown = from_lab(Lab.astype(np.float32).reshape(-1, 3), srgb(), Intent.RELATIVE).reshape(Lab.shape)
    return np.rint(np.clip(shown, 0, 1) * 255).astype(np.uint8)


def _eight(scan: Codes) -> NDArray[np.uint8]:
    three = scan[..., :3]
    return np.ascontiguousarray(three if three.dtype == np.uint8 else (three >> 8).astype(np.uint8))


def worst_of(checked: PieceChecked) -> NDArray[np.int64]:
    """Return the areas, by index, that are off most, the worst first."""
    c = checked.comparison
    return np.argsort(-delta_e_2000(c.wanted, c.measured))
