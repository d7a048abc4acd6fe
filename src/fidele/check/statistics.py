"""How far measured patches are from wanted ones, and the verdict."""

from __future__ import annotations

import math
from dataclasses import field
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Floats
from fidele.check.tolerance import TOLERANCES, Tolerance
from fidele.colour.cie import lab_to_lch, lab_to_xyz, xyz_to_lab
from fidele.colour.difference import delta_e_2000
from fidele.dataclass import dataclass
from fidele.language import named, tr

#: A grey, a full colour or the black is seen to be off, at arm's length, from so many ΔE00 on.
SEEN = 5.0

#: Verdicts as words in a sentence.
SAID = {"pass": tr("passed"), "fail": tr("failed"), "none": tr("not judged")}

__all__ = ["SAID", "TOLERANCES", "Comparison", "Summary", "Tolerance", "compare", "relative_to_white"]


@dataclass(frozen=True)
class Summary:
    """ΔE00 of some patches: how many, mean, median, 95th percentile and largest."""

    count: int
    mean: float
    median: float
    p95: float
    largest: float

    @staticmethod
    def of(de: Floats) -> Summary:
        """Sum up differences (n,); all nan where there are none."""
        if len(de) == 0:
            return Summary(0, math.nan, math.nan, math.nan, math.nan)
        return Summary(len(de), float(de.mean()), float(np.median(de)), float(np.percentile(de, 95)), float(de.max()))


@dataclass(frozen=True, eq=False)
class Comparison:
    """ΔE00 of matched patches, wanted and measured L*a*b* (n, 3) by id.

    `families` says what each patch is for, and `out` (n,) which of the wanted colours no ink reaches; both empty where
    that is not known. `judged` False: what is wanted is only a picture to hold it against, which no limit applies to.
    """

    ids: tuple[str, ...]
    wanted: Floats
    measured: Floats
    de00: Floats
    tolerance: Tolerance
    families: tuple[str, ...] = ()
    out: NDArray[np.bool_] = field(default_factory=lambda: np.zeros(0, bool))
    judged: bool = True

    @property
    def mean(self) -> float:
        """Mean ΔE00."""
        return float(self.de00.mean())

    @property
    def median(self) -> float:
        """Median ΔE00."""
        return float(np.median(self.de00))

    @property
    def p95(self) -> float:
        """95th percentile of ΔE00."""
        return float(np.percentile(self.de00, 95))

    @property
    def largest(self) -> float:
        """Largest ΔE00."""
        return float(self.de00.max())

    @property
    def passed(self) -> bool:
        """Whether nothing that the tolerance limits is exceeded, nor anything that a person would see."""
        return self.judged and not self.failures

    @cached_property
    def failures(self) -> tuple[str, ...]:
        """Why it does not pass, in sentences; nothing where it does.

        Beside the limits themselves: no grey, no full colour, no black and no white may be off so far that it is seen
        at arm's length, and no single patch by twice what the 95th percentile may be.
        """
        t, greys, allowing = self.tolerance, self.masks["greys"], tr(self.tolerance.name)
        said: list[str] = []
        if not self.judged:
            return ()
        if self.mean > t.mean:
            said.append(
                tr("The mean is {mean:.1f}; {name} allows {mean2:g}.", mean=self.mean, name=allowing, mean2=t.mean)
            )
        if self.p95 > t.p95:
            said.append(
                tr("The 95th percentile is {p95:.1f}; {name} allows {p952:g}.", p95=self.p95, name=allowing, p952=t.p95)
            )
        if greys.any() and float(self.de00[greys].mean()) > t.greys:
            said.append(
                tr(
                    "Greys are off by {mean:.1f} on average; {name} allows {greys:g}.",
                    mean=self.de00[greys].mean(),
                    name=allowing,
                    greys=t.greys,
                )
            )
        shown, seen = max(SEEN, t.p95), self.de00.copy()
        seen[greys] = steadied(self.de00[greys], self.wanted[greys, 0])
        for name, mask in (
            (tr("grey"), greys),
            (tr("full colour"), self.masks["primaries"]),
            (tr("black"), self._black),
            (tr("white"), self._white),
        ):
            worst = int(np.where(mask, seen, -1).argmax())
            if mask.any() and seen[worst] > shown:
                said.append(
                    tr(
                        "A {name}, {ids}, is off by {de00:.1f}: that is seen at once.",
                        name=name,
                        ids=self.ids[worst],
                        de00=seen[worst],
                    )
                )
        single, worst = min(t.largest, 2 * t.p95), int(self.de00.argmax())
        if self.largest > single and not any(self.ids[worst] in one for one in said):
            said.append(
                tr(
                    "Patch {ids} is off by {largest:.1f}; no single one may be by {single:g}.",
                    ids=self.ids[worst],
                    largest=self.largest,
                    single=single,
                )
            )
        return tuple(said)

    @property
    def _black(self) -> NDArray[np.bool_]:
        """The darkest of the wanted patches."""
        return self.wanted[:, 0] <= self.wanted[:, 0].min() + 1.0

    @property
    def _white(self) -> NDArray[np.bool_]:
        """The media itself, where it is among the patches; a strip may have nothing lighter than its yellow."""
        L, a, b = self.wanted.T
        return (L.max() - 0.5 <= L) & (L > 80) & (np.hypot(a, b) < 15)

    @property
    def verdict(self) -> str:
        """'pass' or 'fail'; 'none' where it is not judged."""
        return "pass" if self.passed else "fail" if self.judged else "none"

    @property
    def said(self) -> str:
        """The verdict as a word in a sentence."""
        return SAID[self.verdict]

    def worst(self, count: int = 10) -> NDArray[np.int64]:
        """Return the indices of the worst patches, worst first."""
        return np.argsort(-self.de00)[:count]

    @cached_property
    def de76(self) -> Floats:
        """ΔE*ab (CIE 1976) of each patch (n,)."""
        return np.linalg.norm(self.measured - self.wanted, axis=1)

    @cached_property
    def signed(self) -> Floats:
        """ΔL*, ΔC*ab and ΔH*ab of each patch (n, 3), measured less wanted (CIE 15)."""
        w, m = lab_to_lch(self.wanted), lab_to_lch(self.measured)
        turn = np.radians((m[:, 2] - w[:, 2] + 180) % 360 - 180)
        dH = 2 * np.sqrt(w[:, 1] * m[:, 1]) * np.sin(turn / 2)
        return np.stack([m[:, 0] - w[:, 0], m[:, 1] - w[:, 1], dH], axis=1)

    @cached_property
    def masks(self) -> dict[str, NDArray[np.bool_]]:
        """Which patches (n,) belong to each family; a patch can belong to several, or to none."""
        LCh = lab_to_lch(self.wanted)
        L, C, h = LCh.T
        said = np.array(self.families) if len(self.families) == len(self.ids) else np.full(len(self.ids), "")
        edge = np.isin(said, ["edge"]) | ((0.92 * _reach(LCh) < C) & (C > 25))
        return {
            named("greys"): (C < 8) & (L < 97),
            named("skin-like"): ((h > 30) & (h < 80) & (C > 8) & (C < 42) & (L > 28) & (L < 90)) | (said == "skin"),
            named("primaries"): (C > 25) & _fullest(LCh),
            named("light tints"): (L > 85) & ~((C < 3) & (L > 96)),
            named("shadows"): np.quantile(L, 0.12) + 4 > L,
            named("customer colours"): said == "customer",
            named("near the gamut's edge"): edge,
        }

    def by_family(self) -> dict[str, Summary]:
        """Return what each family that has patches comes to; colours out of gamut apart from the rest."""
        found = {name: Summary.of(self.de00[mask]) for name, mask in self.masks.items() if mask.any()}
        if len(self.out) == len(self.ids) and self.out.any():
            found[named("in gamut")] = Summary.of(self.de00[~self.out])
            found[named("out of gamut")] = Summary.of(self.de00[self.out])
        return found


def steadied(de00: Floats, L: Floats) -> Floats:
    """Return how far greys (n,) are off, each with its two neighbours in lightness: the middle of the three.

    What greys are off by changes little from one to the next. One that is off alone was measured badly, or is a spot,
    which is looked for apart (`check.outliers`). The first and the last stay what they are.
    """
    order, found = np.argsort(L, kind="stable"), de00.copy()
    run = de00[order]
    found[order[1:-1]] = np.median([run[:-2], run[1:-1], run[2:]], axis=0) if len(L) > 2 else run[1:-1]
    return found


def _reach(LCh: Floats) -> Floats:
    """Return for each colour (n, 3) the largest chroma among those of its hue, within 20°."""
    off = np.abs((LCh[:, None, 2] - LCh[None, :, 2] + 180) % 360 - 180)
    return np.where(off < 20, LCh[None, :, 1], 0).max(axis=1)


def _fullest(LCh: Floats) -> NDArray[np.bool_]:
    """Return which colours (n,) are the fullest of one of six hues."""
    names = (LCh[:, 2] // 60).astype(int)
    found = np.zeros(len(LCh), bool)
    for name in np.unique(names):
        member = np.flatnonzero(names == name)
        found[member[LCh[member, 1].argmax()]] = True
    return found


def compare(
    ids: tuple[str, ...],
    wanted: Floats,
    measured: Floats,
    tolerance: Tolerance,
    families: tuple[str, ...] = (),
    out: NDArray[np.bool_] | None = None,
) -> Comparison:
    """Compare L*a*b* (n, 3) patch by patch."""
    beyond = np.zeros(0, bool) if out is None else out
    return Comparison(ids, wanted, measured, delta_e_2000(wanted, measured), tolerance, families, beyond)


def relative_to_white(Lab: Floats, white: Floats) -> Floats:
    """Return L*a*b* (n, 3) relative to a substrate's white (3,): its XYZ becomes that of the perfect diffuser."""
    D50 = np.array([0.9642, 1.0, 0.8249])
    return xyz_to_lab(lab_to_xyz(Lab) * (D50 / lab_to_xyz(white)))
