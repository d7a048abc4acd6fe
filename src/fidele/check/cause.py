"""Why a print is off: the suspected faults, ranked by how well each predicts what was measured."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Floats
from fidele.check.fitted import fitted_faults
from fidele.check.suspects import Suspicions
from fidele.check.tolerance import TOLERANCES, Tolerance
from fidele.colour.difference import delta_e_2000

#: Name, sentence and next step of each kind of suspect.
WORDS: dict[str, tuple[str, str, str]] = {
    "right": ("Right", "Colour was converted once, as it should be.", "Nothing to do."),
    "converted-twice": (
        "Converted twice",
        "The measured patches fit a second conversion by the driver best.",
        "Let the driver pass numbers, print again, and check again.",
    ),
    "twice-by-system": (
        "Converted twice, by the print system",
        "The measured patches fit a second conversion through the same profile best: the print system's.",
        "Take the profile away from the printer in the print system.",
    ),
    "not-converted": (
        "Not converted",
        "The measured patches fit a print of bare, unconverted numbers best.",
        "Let Fidele convert: give the condition its profile.",
    ),
    "driver-only": (
        "Driver's colours only",
        "The measured patches fit a conversion by the driver alone best.",
        "Let Fidele convert, and the driver pass numbers.",
    ),
    "fidele-only": (
        "Fidele's conversion instead",
        "The measured patches fit a conversion by Fidele, where the driver was to convert.",
        "Decide who converts, and set the others to pass.",
    ),
    "wrong-intent": (
        "Another intent",
        "The measured patches fit a conversion with another rendering intent best.",
        "Choose the intent on the proof desk, and print again.",
    ),
    "wrong-source": (
        "Source taken for another space",
        "The measured patches fit artwork that was taken for another space than it is in.",
        "Look at the source slip on the artwork desk.",
    ),
    "wrong-profile": (
        "Another profile",
        "The measured patches fit a conversion through another profile on the shelf best.",
        "Give the condition its own profile again.",
    ),
    "greys-only": (
        "Printed in greys",
        "The print has no colour: the driver was told to print in greys.",
        "Switch printing in greys off in the driver.",
    ),
    "less-ink": (
        "Less ink than the profile was made with",
        "All inks are weaker alike.",
        "Compare the driver's media name, quality, density and black ink with the card, and ink saving at the printer; "
        "then press data. Pressing one more piece for longer tells: if it comes out stronger, it was the press.",
    ),
    "more-ink": (
        "More ink than the profile was made with",
        "All inks are stronger alike.",
        "Compare the driver's media name, quality and density with the card.",
    ),
    "ink-weak": (
        "One ink is weak or missing",
        "One ink alone is weaker than the profile expects.",
        "Print a nozzle pattern and clean the head; then print again.",
    ),
    "unit": (
        "The profile does not describe this printer as it is now",
        "The route is right, but the inks are not quite what the profile was made with.",
        "Where it once passed, it has drifted: check the heads. Else have a profile made for this unit.",
    ),
    "over-pressed": (
        "Pressed too long or too hot",
        "The bare substrate is yellowed.",
        "Press for less time or cooler, as the card says.",
    ),
    "by-hand": (
        "Sliders or automatic improvement",
        "The numbers were bent after the conversion, as hand sliders or an automatic improvement do.",
        "Put all sliders of the driver to rest and switch its improvements off.",
    ),
    "scanned-bare": (
        "Scanned without its profile",
        "The scan was taken for sRGB; read through the scanner's profile it fits.",
        "Read the scan through the scanner's profile.",
    ),
    "mixed-up": (
        "Patches in another order",
        "The patches fit when they are read in another order.",
        "Take over the order that fits.",
    ),
    "mirrored": (
        "Mirrored",
        "The colours are right, but the print is mirrored.",
        "Set mirroring once: by Fidele or by the driver.",
    ),
    "scaled": (
        "Not true to size",
        "The colours are right, but the print is larger or smaller than it should be.",
        "Switch scaling off in the driver.",
    ),
    "banding": (
        "Stripes",
        "The colours are right, but stripes run across the print.",
        "Print in one direction, or clean and align the heads.",
    ),
    "none": (
        "None of these",
        "No suspected fault explains the measured patches.",
        "Is it the chart, the condition and the piece that you think? Print the control chart once more.",
    ),
    "undecided": ("Undecided", "Two explanations fit equally well.", "Print again and measure more patches."),
}

#: A suspect that leaves more than this mean ΔE00 explains nothing.
_EXPLAINS = 5.0
#: What units of a model, papers and days differ by, mean ΔE00.
_COMMON = 0.6
#: Stripes that change the light of patches by this share are seen in even areas.
_STRIPED = 0.0035
#: What each free parameter of a fit must gain, in ΔE00, before it counts.
_PER_PARAMETER = 0.10


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
    """A possible cause: what it would leave (mean ΔE00) and the confidence that it is the one, 0 to 1."""

    code: str
    fit_de00: float
    confidence: float
    about: str = ""
    strength: tuple[float, ...] = ()

    @property
    def kind(self) -> str:
        """The code up to its colon."""
        return self.code.partition(":")[0]

    @property
    def title(self) -> str:
        """Its name, with what it is about."""
        detail = self.about or self.code.partition(":")[2]
        return WORDS[self.kind][0] + (f": {detail}" if detail else "")


@dataclass(frozen=True)
class Cause:
    """The verdict on the cause, and all suspects, best first.

    `group` are codes whose predictions lie so close to the best one's that this scanner or instrument cannot tell
    them apart; the best is among them. `margin` is by how much ΔE00 the best is ahead of the first outside the group.
    """

    code: str
    suspects: tuple[Suspect, ...]
    group: tuple[str, ...] = ()
    margin: float = 0.0
    unnoticed: tuple[str, ...] = field(default=())

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
    signs: Signs = Signs(),
) -> Cause:
    """Rank suspects by how well they predict measured L*a*b* (n, 3).

    `uncertainty` is the scanner's or instrument's own mean error, ΔE00. Confidence falls off with what a suspect
    leaves beyond the best one, in units of that error and of what units of a model differ by.
    """
    spread = float(np.hypot(uncertainty, _COMMON))
    Lab = dict(suspected.Lab)
    fits = {code: float(delta_e_2000(measured, one).mean()) for code, one in Lab.items()}
    strengths: dict[str, tuple[float, ...]] = {}
    score = dict(fits)
    # A fault of free strength is looked for only where the plain suspects leave something to explain.
    if min(fits.values()) > 1.1 * spread:
        for one in fitted_faults(suspected, measured):
            fit = float(delta_e_2000(measured, one.Lab).mean())
            counts = fit + _PER_PARAMETER * one.free * (1 + uncertainty)
            if counts < score.get(one.code, np.inf):
                Lab[one.code], strengths[one.code] = one.Lab, one.strength
                fits[one.code], score[one.code] = fit, counts
    if signs.through_profile is not None:
        Lab["scanned-bare"] = measured
        fits["scanned-bare"] = float(delta_e_2000(signs.through_profile, suspected.Lab["right"]).mean())
        score["scanned-bare"] = fits["scanned-bare"] + _PER_PARAMETER
    best = min(score.values())
    weight = {code: float(np.exp(-0.5 * ((s**2 - best**2) / spread**2))) for code, s in score.items()}
    total = sum(weight.values())
    ranked = sorted(score, key=lambda c: score[c])
    suspects = tuple(
        Suspect(c, fits[c], weight[c] / total, suspected.about.get(c, ""), strengths.get(c, ())) for c in ranked
    )
    first = ranked[0]
    near = 0.5 * spread + 0.35 + 0.15 * fits[first]
    alike = [c for c in ranked if c == first or float(delta_e_2000(Lab[first], Lab[c]).mean()) < near]
    outside = [c for c in ranked if c not in alike]
    margin = score[outside[0]] - best if outside else 0.0
    code = _decided(first, fits, score, alike, outside, spread, tolerance)
    if code == "right":
        code = _by_signs(signs)
    unnoticed = tuple(
        suspected.about.get(c) or WORDS[c.partition(":")[0]][0]
        for c in suspected.Lab
        if c != "right" and _within(suspected.Lab["right"], suspected.Lab[c], tolerance)
    )
    return Cause(code, suspects, tuple(alike), margin, unnoticed)


def _decided(
    first: str,
    fits: dict[str, float],
    score: dict[str, float],
    alike: list[str],
    outside: list[str],
    spread: float,
    tolerance: Tolerance,
) -> str:
    """Return the code that the ranking comes to."""
    if fits[first] > _EXPLAINS:
        return "none"
    # A right print is never called wrong for what its scanner cannot tell.
    if "right" in alike and fits["right"] < 1.6 * spread:
        return "right"
    if first == "right":
        return "right" if fits["right"] <= tolerance.mean else "unit"
    if outside and score[outside[0]] - score[first] < 0.12 * spread:
        return "undecided"
    return first


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
