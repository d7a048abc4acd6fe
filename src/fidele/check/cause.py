"""Why a print is off: the suspected faults, ranked by how well each predicts what was measured."""

from __future__ import annotations

import math
from dataclasses import field

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Floats
from fidele.check.evidence import Scales, Weighed
from fidele.check.fitted import fitted_faults
from fidele.check.known import WORDS, mend_of
from fidele.check.outliers import Outliers, outliers
from fidele.check.statistics import SEEN, compare, steadied
from fidele.check.suspects import Suspicions
from fidele.check.tolerance import TOLERANCES, Tolerance
from fidele.colour.difference import delta_e_2000
from fidele.dataclass import dataclass
from fidele.language import lowered, tr

#: What units of a model, papers and days differ by, mean ΔE00.
_COMMON = 0.6
#: Stripes that change the light of patches by this share are seen in even areas.
_STRIPED = 0.0035
#: Beyond so many times the usual spread a print is not right, whatever would explain that.
_RIGHT = 1.6
#: What share of the best one's odds another cause needs to be named beside it, and how many are.
_BESIDE, _MOST = 0.03, 3


@dataclass(frozen=True)
class Signs:
    """What the reading itself tells, beside colour: how the page lay, its size, stripes, and other readings of it.

    Attributes
    ----------
    mirrored
        Seen mirrored where it should not be.
    scale
        Printed by wanted size; 1 is true size.
    banding
        Share by which stripes change the light of a patch.
    through_profile
        (n, 3) L*a*b* of a scan that was taken for sRGB, read through the scanner's profile instead.
    order
        How patches were mixed up, '' where they were not.
    """

    mirrored: bool = False
    scale: float = 1.0
    banding: float = 0.0
    through_profile: Floats | None = None
    order: str = ""


@dataclass(frozen=True)
class Suspect:
    """A possible cause: what it would leave (mean ΔE00), and how often a cause that stands so is the one, 0 to 1.

    `Lab` (n, 3) is what it predicts, None where it is that nothing known explains the print.
    """

    code: str
    fit_de00: float
    confidence: float
    about: str = ""
    strength: tuple[float, ...] = ()
    Lab: Floats | None = field(default=None, repr=False, compare=False)

    @property
    def kind(self) -> str:
        """The code up to its colon."""
        return self.code.partition(":")[0]

    @property
    def title(self) -> str:
        """Its name, with what it is about."""
        detail = self.about or tr(self.code.partition(":")[2])
        return WORDS[self.kind][0] + (f": {detail}" if detail else "")


@dataclass(frozen=True)
class Cause:
    """The verdict on the cause, and all suspects, best first.

    `group` are codes whose predictions lie so close to the best one's that this scanner or instrument cannot tell
    them apart, or that share its mend; the best is among them. `margin` is how many times likelier the best is
    than the first outside the group, 1000 at most. `sure` is how often a group named so is the right one;
    `unexplained` what it leaves (DIN99o); `single` are patches that it does not explain while it does all others.
    """

    code: str
    suspects: tuple[Suspect, ...]
    group: tuple[str, ...] = ()
    margin: float = 0.0
    unnoticed: tuple[str, ...] = field(default=())
    sure: float = 0.0
    unexplained: float = 0.0
    single: Outliers = field(default_factory=lambda: Outliers(np.zeros(0, np.int64)))
    #: Which print to make next, and what it would tell, where causes with different mends are left; else ''.
    next_print: str = ""

    @property
    def kind(self) -> str:
        """The code up to its colon."""
        return self.code.partition(":")[0]

    @property
    def title(self) -> str:
        """The cause's name."""
        named = next((s.title for s in self.suspects if s.code == self.code), "")
        return named or WORDS[self.kind][0]

    @property
    def sentence(self) -> str:
        """The cause in a sentence."""
        return WORDS[self.kind][1]

    @property
    def next_step(self) -> str:
        """What to do now."""
        return WORDS[self.kind][2]


def find_cause(
    measured: Floats,
    suspected: Suspicions,
    uncertainty: float,
    tolerance: Tolerance = TOLERANCES["everyday"],
    signs: Signs | None = None,
) -> Cause:
    """Rank suspects by how well they explain measured L*a*b* (n, 3).

    `uncertainty` is the scanner's or instrument's own mean error, ΔE00. How sure it is was set on strangers and
    measured on others (docs/causes.md); 'none' is a suspect as any other.
    """
    signs = signs or Signs()
    scales = Scales(suspected, measured, uncertainty)
    plain = dict(suspected.Lab)
    if signs.through_profile is not None:
        # It fits where the scan was not to be taken for sRGB: as well as that other reading fits what is right.
        plain["scanned-bare"] = measured + suspected.Lab["right"] - signs.through_profile
    right = outliers(suspected.Lab["right"], measured)
    seen = seen_off(suspected.Lab["right"], measured, suspected.rgb)
    every, spread = delta_e_2000(measured, suspected.Lab["right"]), float(np.hypot(uncertainty, _COMMON))
    off = float(np.delete(every, right.index).mean())
    kept = off < 1.1 * spread
    alike = [c for c in suspected.Lab if c != "right" and scales.hides(suspected.Lab[c])]
    # A fault of free strength is looked for only where the right print leaves something to explain.
    hidden = seen <= SEEN - uncertainty / 2  # what is so near to being seen may be, as it was measured with an error
    fitted = [] if kept and seen <= SEEN else fitted_faults(suspected, measured)
    weighed = scales.weigh(plain, fitted)
    if off > _RIGHT * spread:  # what is off by so much is not right, nor what would look the same
        weighed = [w for w in weighed if w.code not in ("right", *alike)]
    odds = np.exp([w.score - weighed[0].score for w in weighed])
    odds /= odds.sum()
    suspects = tuple(
        Suspect(
            w.code,
            float(delta_e_2000(measured, w.Lab).mean()) if w.Lab is not None else math.nan,
            certainty(float(p)),
            suspected.about.get(w.code, ""),
            w.strength,
            w.Lab,
        )
        for w, p in zip(weighed, odds, strict=True)
    )
    first = weighed[0]
    group = _group(weighed, odds, suspected)
    if kept and first.code in alike:  # a right print is never called wrong for what cannot be told from it
        first = next(w for w in weighed if w.code == "right")
    if first.code == "right":
        group = ("right", *alike)
    single = right if first.code == "right" else outliers(first.Lab, measured) if first.Lab is not None else right
    code = first.code
    passes = compare(tuple(map(str, range(len(every)))), suspected.Lab["right"], measured, tolerance).passed
    if code == "right" and right.swapped and not len(right.spots):
        code = "patches-swapped"
    elif code == "right" and len(right.index) and not passes:  # within the limits a profile may err as far in one patch
        code = "spots"
    elif code == "right" and not hidden:
        code = "unit"
    if code == "right":
        code = _by_signs(signs)
    outside = [w for w in weighed if w.code not in group and w.code != first.code]
    unnoticed = tuple(
        suspected.about.get(c) or WORDS[c.partition(":")[0]][0]
        for c in suspected.Lab
        if c != "right" and _within(suspected.Lab["right"], suspected.Lab[c], tolerance)
    )
    sure = certainty(float(sum(p for w, p in zip(weighed, odds, strict=True) if w.code in group)))
    ahead = float(np.exp(min(first.score - outside[0].score, np.log(1000)))) if outside else 1000.0
    sure = _by_few(sure * (1 - scales.unexplained(first)), len(measured))
    made = next_print(suspects, suspected.Lab["right"]) if sure < _SURE and code not in ("right", "none") else ""
    if code == first.code and code not in ("right", "none") and sure < _UNDECIDED:
        code = "undecided"
    # A print within its limits is called wrong only for a cause that is all but certain, and never where what units and
    # scanners differ by tells as much; that this unit is not quite what the profile was made with is no cause: limits
    # are what units may differ by.
    named = code in (first.code, "undecided") and code != "right"
    if passes and hidden and named and (sure < _SURE or code == "unit" or scales.ordinary):
        code, group, sure, made = "right", ("right", *alike), 0.0, ""  # how often that is true was never measured
    if not passes and code == "right":  # what is beyond the limits is not right, though no fault explains it
        code, group, sure = "unit", ("unit",), 0.0  # nor that: nothing is claimed
    return Cause(code, suspects, group, ahead, unnoticed, sure, first.left, single, made)


#: From so sure on no further print is asked for.
_SURE = 0.9
#: What is right less often than this is not named.
_UNDECIDED = 0.5
#: What a person can set right at once, what that is called, and the causes that are gone then.
_TRIES = (
    (tr("Set everything to the card"), ("converted-twice", "twice-by-system", "by-hand", "greys-only", "wrong-intent")),
    (tr("Print a nozzle page, clean the heads"), ("ink-weak", "ink-exchanged")),
    (tr("Press once more, exactly as the card says"), ("under-pressed", "over-pressed")),
    (tr("Load the media that the card names"), ("other-media", "less-ink", "more-ink")),
    (
        tr("Measure again, by the profile's own conditions"),
        ("measured-relative", "measured-otherwise", "brightener", "veiled"),
    ),
)


def next_print(suspects: tuple[Suspect, ...], right: Floats) -> str:
    """Return which print splits the two leading suspects best, and what either would leave of it; '' for none.

    A try takes one of them away: that print would then be right, while with the other it stays off.
    """
    leading = [s for s in suspects if s.Lab is not None and s.code != "right"]
    one = leading[0] if leading else None
    other = next((s for s in leading[1:] if one is not None and mend_of(s.code) != mend_of(one.code)), None)
    if one is None or other is None:
        return ""
    best: tuple[float, str] = (0.0, "")
    for words, gone in _TRIES:
        for away, stays in ((one, other), (other, one)):
            if away.kind in gone and stays.kind not in gone and stays.Lab is not None:
                off = delta_e_2000(stays.Lab, right)
                said = tr(
                    "{words}, and print the chart again: right, and it was “{title}”; still off by about ΔE00 "
                    "{mean:.0f}, and it is “{title2}”.",
                    words=words,
                    title=lowered(away.title),
                    mean=off.mean(),
                    title2=lowered(stays.title),
                )
                best = max(best, (float(off.mean()), said))
    return best[1]


def certainty(odds: float) -> float:
    """Return how often a cause named with such odds is the right one, as measured on strangers (docs/causes.md)."""
    return float(np.interp(odds, _SAID, _TRUE))


def _by_few(sure: float, patches: int) -> float:
    """Return how sure a cause is by so many patches: few of them leave room for causes that they do not show."""
    few = float(np.clip((_MANY - patches) / (_MANY - _FEW), 0, 1))
    return (1 - few) * sure + few * float(np.interp(sure, _SAID_BY_FEW, _TRUE_BY_FEW))


#: From so many patches on a chart is judged as the control chart; at so few (a strip, a piece) this is how often what
#: would be said of such a chart is true (docs/causes.md).
_MANY, _FEW = 100, 48
_SAID_BY_FEW = (0.0, 0.5, 0.65, 0.85, 0.925, 1.0)
_TRUE_BY_FEW = (0.0, 0.1, 0.3, 0.55, 0.9, 0.97)
#: Odds as they come out, and how often they are true.
_SAID = (0.0, 0.5, 0.9, 0.99, 1.0)
_TRUE = (0.0, 0.5, 0.8, 0.93, 0.98)


def _group(weighed: list[Weighed], odds: NDArray[np.float64], suspected: Suspicions) -> tuple[str, ...]:
    """Return the best cause and those beside it that cannot be told from it and share its mend."""
    first = weighed[0]
    if first.code in ("right", "none"):
        return (first.code,)
    beside = [first.code]
    for w, p in zip(weighed[1:], odds[1:], strict=True):
        if mend_of(w.code) != mend_of(first.code):
            continue
        # Without a probe nobody can tell what a driver's own correction looks like.
        unknown = not suspected.driver_known and "driver" in f"{_OF_DRIVER.get(first.kind)}{_OF_DRIVER.get(w.kind)}"
        if p > _BESIDE * odds[0] or unknown or w.left < 1.1 * first.left:
            beside.append(w.code)
    return tuple(beside[:_MOST])


_OF_DRIVER = {"converted-twice": "driver", "driver-only": "driver"}


def seen_off(wanted: Floats, measured: Floats, rgb: Floats) -> float:
    """Return by how much ΔE00 the worst of solids, greys and black is off; 0 where there are none.

    `rgb` (n, 3), 0 to 1, are the chart's values: corners of the cube, and greys.
    """
    if len(rgb) != len(wanted):
        return 0.0
    off = delta_e_2000(wanted, measured)
    corner, grey = (np.minimum(rgb, 1 - rgb) < 0.01).all(axis=1), np.ptp(rgb, axis=1) < 0.01
    greys = steadied(off[grey], wanted[grey, 0])
    return float(max(off[corner].max(initial=0.0), greys.max(initial=0.0)))


def _by_signs(signs: Signs) -> str:
    """Return what is wrong with a print whose colours are right."""
    if signs.order:
        return "mixed-up"
    if signs.mirrored:
        return "mirrored"
    if abs(signs.scale - 1) > 0.006:
        return "scaled"
    return "banding" if signs.banding > _STRIPED else "right"


def _within(wanted: Floats, other: Floats, tolerance: Tolerance) -> bool:
    off = delta_e_2000(wanted, other)
    return float(off.mean()) <= tolerance.mean and float(np.percentile(off, 95)) <= tolerance.p95


def telling_patches(one: Floats, other: Floats, count: int = 3) -> NDArray[np.int64]:
    """Return the indices of the patches that tell two predictions (n, 3) apart best, the best first."""
    return np.argsort(-delta_e_2000(one, other))[:count]
