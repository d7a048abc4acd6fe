"""How far measured patches are from wanted ones, and the verdict."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from fidele.chart.cgats import Table
from fidele.colour.cie import lab_to_lch
from fidele.colour.difference import delta_e_2000
from fidele.colour.words import hue_name
from fidele.errors import FideleError

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Tolerance:
    """Limits of ΔE00: a print passes when neither is exceeded."""

    name: str
    mean: float
    p95: float


#: Our own limits. Two prints that differ by a mean of 2.5 are told apart only side by side.
TOLERANCES = {
    t.name: t for t in (Tolerance("tight", 1.5, 3.0), Tolerance("everyday", 2.5, 5.0), Tolerance("fabric", 4.0, 8.0))
}


@dataclass(frozen=True)
class Comparison:
    """ΔE00 of matched patches, wanted and measured L*a*b* (n, 3) by id."""

    ids: tuple[str, ...]
    wanted: Floats
    measured: Floats
    de00: Floats
    tolerance: Tolerance

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
        """Whether mean and 95th percentile are within the tolerance."""
        return self.mean <= self.tolerance.mean and self.p95 <= self.tolerance.p95

    @property
    def verdict(self) -> str:
        """'pass' or 'fail'."""
        return "pass" if self.passed else "fail"

    def worst(self, count: int = 10) -> NDArray[np.int64]:
        """Return the indices of the worst patches, worst first."""
        return np.argsort(-self.de00)[:count]


def compare(ids: tuple[str, ...], wanted: Floats, measured: Floats, tolerance: Tolerance) -> Comparison:
    """Compare L*a*b* (n, 3) patch by patch."""
    return Comparison(ids, wanted, measured, delta_e_2000(wanted, measured), tolerance)


def compare_tables(reference: Table, measured: Table, tolerance: Tolerance) -> Comparison:
    """Compare two measurement files with L*a*b*, matched by sample id.

    Raises
    ------
    FideleError
        When they have no sample in common, or the measurement lacks some that the reference has.
    """
    place = {sample: row for row, sample in enumerate(measured.ids)}
    missing = [sample for sample in reference.ids if sample not in place]
    if len(missing) == len(reference.ids):
        raise FideleError("The two files have no sample in common; is the measurement of another chart?")
    if missing:
        raise FideleError(f"The measurement lacks {len(missing)} samples of the reference, '{missing[0]}' first.")
    rows = [place[sample] for sample in reference.ids]
    return compare(reference.ids, reference.Lab, measured.Lab[rows], tolerance)


def in_words(comparison: Comparison) -> list[str]:
    """Say what is off, most telling first: black, white, greys, hues. Empty when nothing stands out."""
    wanted, measured = comparison.wanted, comparison.measured
    words = []
    dark, light = int(wanted[:, 0].argmin()), int(wanted[:, 0].argmax())
    if measured[dark, 0] - wanted[dark, 0] > 3:
        words.append(f"Black is only L* {measured[dark, 0]:.0f}; wanted {wanted[dark, 0]:.0f}.")
    if abs(measured[light, 0] - wanted[light, 0]) > 2:
        words.append(f"White is L* {measured[light, 0]:.0f}; wanted {wanted[light, 0]:.0f}.")
    grey = np.hypot(wanted[:, 1], wanted[:, 2]) < 8
    if grey.sum() >= 5:
        cast = measured[grey, 1:] - wanted[grey, 1:]
        strong = np.linalg.norm(cast, axis=1)
        if np.median(strong) > 1.5:
            angle = float(np.degrees(np.arctan2(*cast.mean(axis=0)[::-1]))) % 360
            words.append(f"Greys lean {hue_name(angle)}, {strong.max():.1f} at the worst.")
    words += _hue_words(wanted, measured)
    lighter = float((measured[:, 0] - wanted[:, 0]).mean())
    if abs(lighter) > 2:
        words.append(f"All in all {abs(lighter):.0f} too {'light' if lighter > 0 else 'dark'}.")
    return words


def _hue_words(wanted: Floats, measured: Floats) -> list[str]:
    """Name the hue that turned most and the one that lost most chroma."""
    w, m = lab_to_lch(wanted), lab_to_lch(measured)
    coloured = w[:, 1] > 25
    if coloured.sum() < 8:
        return []
    names = np.array([hue_name(a) for a in w[:, 2]])
    turn = (m[:, 2] - w[:, 2] + 180) % 360 - 180
    rows = []
    for name in dict.fromkeys(names[coloured]):
        member = coloured & (names == name)
        if member.sum() >= 3:
            rows.append(
                (
                    name,
                    float(np.median(turn[member])),
                    float(np.median(m[member, 1] - w[member, 1])),
                    float(w[member, 2].mean()),
                )
            )
    words = []
    if rows:
        name, angle, _, hue = max(rows, key=lambda r: abs(r[1]))
        if abs(angle) >= 4:
            words.append(
                f"{name.capitalize()}s turned {abs(angle):.0f}° to {hue_name((hue + 40 * np.sign(angle)) % 360)}."
            )
        name, _, chroma, _ = max(rows, key=lambda r: abs(r[2]))
        if abs(chroma) >= 4:
            words.append(f"{name.capitalize()}s are {'duller' if chroma < 0 else 'purer'} by {abs(chroma):.0f}.")
    return words
