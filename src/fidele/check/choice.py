"""Which of two choices of a driver leaves the numbers alone: told by two prints of one chart, without a profile.

Nothing is known of the printer, so only what any conversion leaves behind can tell: it cannot reach more colours than
the numbers themselves do; where both reach as far, the converted one lies nearer to what the numbers mean in sRGB,
which makers aim for; and it flattens ends where it cuts off, and bends ramps that ink alone leaves smooth. How these
are weighed was fitted on printers of a street of strangers; how sure it is was checked on others (docs/truth.md).

A choice that only lays down more ink does all of that too. It is known by what no conversion does: the whole print is
the other one at smaller numbers, solids included.
"""

from __future__ import annotations

import numpy as np

from fidele.arrays import Floats
from fidele.chart.driver import NODES, STEPS, patches
from fidele.colour.difference import delta_e_2000
from fidele.dataclass import dataclass
from fidele.icc.spaces import srgb
from fidele.icc.tables import device_to_pcs_lab
from fidele.language import filled, tr

#: Weights of: cube root of the gamut's volume, distance from sRGB, flat ends, bends.
_WEIGHTS = np.array([-1.76, -1.41, 11.2, 4.69])
#: From so sure on it is said as proved; below the second it is said that it cannot be told.
PROVED, NAMED = 0.95, 0.55
#: Mean ΔE00 below which two prints are alike: paper, ink and instrument differ by as much.
_ALIKE = 0.6
#: More ink alone leaves at most this share of the difference unexplained (conversions on the street: 0.8 and more, or
#: their solids stay), and changes solids by at least so much.
_EXPLAINED, _SOLIDS = 0.6, 0.04


@dataclass(frozen=True)
class Told:
    """What two prints tell.

    Attributes
    ----------
    first
        Whether it is the first that leaves the numbers alone; None where that cannot be told.
    sure
        0.5 to 1.
    darker
        By how much L* the first is darker on average.
    ink
        Ink of the first by ink of the second where that is all in which they differ; else 1.
    words
        What was found, in a sentence or two, with {first} and {second} for what the two prints are called.
    """

    first: bool | None
    sure: float
    darker: float
    words: str
    ink: float = 1.0

    def said(self, first: str, second: str) -> str:
        """Return the words with what the two prints are called."""
        return self.words.format(first=first, second=second)

    @property
    def proved(self) -> bool:
        """Whether it is sure enough to be kept as proved."""
        return self.first is not None and self.sure >= PROVED


def which_passes(first: Floats, second: Floats) -> Told:
    """Tell which of two prints of the chart was printed with its numbers left alone.

    Parameters
    ----------
    first, second
        Media-relative L*a*b* (244, 3) in the order of `patches`, from any instrument or scanner: only differences
        between the two count.
    """
    off = float(delta_e_2000(first, second).mean())
    darker = float(second[:, 0].mean() - first[:, 0].mean())
    if off < _ALIKE:
        return Told(
            None, 0.5, darker, tr("The two prints are alike (ΔE00 {off:.1f}): these choices do the same.", off=off)
        )
    ink = _only_ink(first, second)
    if ink != 1.0:
        name, other, by = ("{first}", "{second}", ink) if ink > 1 else ("{second}", "{first}", 1 / ink)
        words = tr(
            "The one under “{name}” lays down about {by:.0f} % more ink than the one under “{other}”, and that is all "
            "it does.",
            name=name,
            by=100 * (by - 1),
            other=other,
        )
        return Told(None, 0.5, darker, words, ink)
    signs = _signs(second) - _signs(first)
    score = float(signs @ _WEIGHTS)
    sure = 1 / (1 + np.exp(-abs(score)))
    name = "{first}" if score > 0 else "{second}"
    found = _found(signs if score > 0 else -signs)
    if sure < NAMED:
        words = tr("The prints differ by ΔE00 {off:.1f}, and which of them converts does not show.", off=off)
        return Told(None, float(sure), darker, words)
    said = (
        tr("The one under “{name}” leaves the numbers alone: {why}.")
        if sure >= PROVED
        else tr("The one under “{name}” probably leaves the numbers alone: {why}.")
    )
    words = filled(said, name=name, why=found)
    return Told(score > 0, float(sure), darker, words)


def _only_ink(first: Floats, second: Floats) -> float:
    """Return ink of the first by ink of the second, where one is the other printed with less; 1 where it is not."""
    from scipy.interpolate import RegularGridInterpolator
    from scipy.optimize import minimize

    swapped = first[:, 0].mean() > second[:, 0].mean()
    heavy, light = (second, first) if swapped else (first, second)
    rgb = np.concatenate(list(patches().values()))
    axes = (np.linspace(0, 1, NODES),) * 3
    between = RegularGridInterpolator(axes, heavy[: NODES**3].reshape(NODES, NODES, NODES, 3))

    def left(said: Floats) -> float:
        numbers = 1 - np.clip(said[0] * (1 - rgb) ** said[1], 0, 1)
        return float(delta_e_2000(between(numbers), light).mean())

    found = minimize(left, np.array([0.9, 1.0]), method="Nelder-Mead", options={"maxiter": 40})
    share = found.fun / float(delta_e_2000(heavy, light).mean())
    if share > _EXPLAINED or 1 - found.x[0] < _SOLIDS:
        return 1.0
    return float(found.x[0] if swapped else 1 / found.x[0])


def _signs(Lab: Floats) -> Floats:
    """Return what a conversion changes: reach, distance from sRGB, flat ends, bends."""
    from scipy.spatial import ConvexHull

    rgb = np.concatenate(list(patches().values()))
    some = NODES**3
    ramps = Lab[some:].reshape(-1, STEPS, 3)
    source = device_to_pcs_lab(srgb(), rgb)
    black = ramps[-1, 0, 0]
    source[:, 0] = black + (100 - black) * source[:, 0] / 100
    steps = np.linalg.norm(np.diff(ramps, axis=1), axis=2)
    flat = (steps < 0.3 * steps.mean(axis=1, keepdims=True)).mean()
    bends = np.linalg.norm(np.diff(ramps, 2, axis=1), axis=2).mean()
    reach = ConvexHull(Lab[:some]).volume ** (1 / 3)
    return np.array([reach, delta_e_2000(source, Lab).mean(), flat, bends])


def _found(signs: Floats) -> str:
    """Say what speaks most for it; `signs` are those of the converted print less those of the other."""
    said = (
        tr("the other one reaches fewer colours"),
        tr("the other one lies nearer to what the numbers mean in sRGB"),
        tr("the other one flattens the ends of ramps"),
        tr("the other one bends ramps that ink leaves smooth"),
    )
    return said[int(np.argmax(signs * _WEIGHTS))]
