"""How well each explanation of a print holds up: what it leaves, what it had to bend for that, how free it was.

What no explanation is to blame for is first allowed for: inks of a unit differ by a little, and a scanner is off
smoothly by colour. How much of either an explanation needs is held against it, and so is each free parameter. The
numbers were set on strangers (tests/street), and what comes of them is measured on others (docs/causes.md).
"""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from fidele.arrays import Floats
from fidele.check.fitted import Fitted
from fidele.check.suspects import Suspicions
from fidele.colour.uniform import lab_to_din99o
from fidele.dataclass import dataclass

#: Inks of a unit, and the spread of their dots, differ by so much.
_INK, _DOTS = 0.03, 0.04
#: Differences that count as independent, of the hundreds that a chart has: patches err together.
_INDEPENDENT = 30.0
#: What bending costs, and up to what difference (DIN99o) none is forgiven.
_BENDING, _FORGIVEN = 0.2, 4.0
#: Where nothing is known of the cause: it would explain all but this share of the difference, with so many parameters.
_UNKNOWN, _FREE = 0.45, 3
#: What a fault must move colours by, of what they moved.
_AT_LEAST = 0.4
#: Up to so many times noise is left where a profile errs a little in places, as each does.
_LITTLE = 1.6
#: The worst patches of any explanation count as much as the next one: dust falls on some.
_DUSTY = 3


@dataclass(frozen=True, eq=False)
class Weighed:
    """An explanation: its score (natural logarithm), what it leaves on average (DIN99o), and what it predicts."""

    code: str
    score: float
    left: float
    Lab: Floats | None = None
    strength: tuple[float, ...] = ()

    @property
    def kind(self) -> str:
        """The code up to its colon."""
        return self.code.partition(":")[0]


class Scales:
    """Weighs explanations of one print; `uncertainty` is the instrument's or scanner's own mean error, ΔE00."""

    def __init__(self, suspicions: Suspicions, measured: Floats, uncertainty: float) -> None:
        self._right, self._aim = lab_to_din99o(suspicions.Lab["right"]), lab_to_din99o(measured)
        self._floor = float(np.hypot(0.35, 0.6 * uncertainty))
        self._slack = 0.6 + 0.5 * uncertainty
        self._ways = _ways(suspicions, self._right, uncertainty)
        square = self._floor**2 * np.eye(self._ways.shape[1]) + self._ways.T @ self._ways
        self._solve = np.linalg.inv(square) @ self._ways.T

    def weigh(self, plain: dict[str, Floats], fitted: Iterable[Fitted]) -> list[Weighed]:
        """Return every explanation once, in its best form, the most likely first; 'none' is among them."""
        best: dict[str, Weighed] = {}
        for code, Lab in plain.items():
            if code == "right" or not self._too_small(Lab):
                best[code] = self._one(Fitted(code, Lab, (), 0))
        for one in fitted:
            if self.hides(one.Lab) or self._too_small(one.Lab):
                continue  # no fault that anybody could see, or none that could have done all this
            made = self._one(one)
            if one.code not in best or made.score > best[one.code].score:
                best[one.code] = made
        best["none"] = self._none()
        return sorted(best.values(), key=lambda w: -w.score)

    def hides(self, Lab: Floats) -> bool:
        """Tell whether a prediction (n, 3) is so near to the right print that the difference could not be seen."""
        off = np.linalg.norm(lab_to_din99o(Lab) - self._right, axis=1)
        return bool(off.mean() < self._slack and off.max() < 4)

    @property
    def ordinary(self) -> bool:
        """Whether what units and scanners usually differ by explains the whole difference to the right print.

        What is left is then little more than noise, and no way is gone further than it usually goes.
        """
        left, bending = self._left(self._aim - self._right)
        return left <= (_LITTLE * self._floor) ** 2 and bending <= self._ways.shape[1]

    def _too_small(self, Lab: Floats) -> bool:
        """Tell whether a fault moves colours by far less than they were seen to move: it cannot have done that."""
        moved = np.linalg.norm(lab_to_din99o(Lab) - self._right, axis=1).mean()
        return bool(moved < _AT_LEAST * np.linalg.norm(self._aim - self._right, axis=1).mean())

    def unexplained(self, one: Weighed) -> float:
        """Return what share of the difference to the right print an explanation leaves, beyond what is usual."""
        raw = float(((self._aim - self._right) ** 2).sum(axis=1).mean())
        return float(np.clip((one.left**2 - 2 * self._floor**2) / max(raw, 1e-9), 0, 1))

    def _one(self, fault: Fitted) -> Weighed:
        predicted = lab_to_din99o(fault.Lab)
        left, bending = self._left(self._aim - predicted)
        moved = float(((predicted - self._right) ** 2).sum(axis=1).mean())
        bending /= 1 + moved / _FORGIVEN**2
        count = self._ways.shape[1]
        score = self._fits(left, fault.free) - _BENDING * count * float(np.log1p(bending / count))
        return Weighed(fault.code, score, float(np.sqrt(left)), fault.Lab, fault.strength)

    def _none(self) -> Weighed:
        raw = float(((self._aim - self._right) ** 2).sum(axis=1).mean())
        left = _UNKNOWN**2 * raw
        return Weighed("none", self._fits(left + 4 * self._floor**2, _FREE), float(np.sqrt(left)))

    def _fits(self, left: float, free: float) -> float:
        return -0.5 * _INDEPENDENT * float(np.log(left + self._floor**2)) - float(np.log(_INDEPENDENT)) * free

    def _left(self, off: Floats) -> tuple[float, float]:
        """Return the mean square of what is left once ways are allowed for, and how far they had to be gone."""
        far = np.linalg.norm(off, axis=1)
        cut = np.sort(far)[-(min(_DUSTY, len(far) - 1) + 1)]
        flat = (off * np.minimum(1, cut / np.maximum(far, 1e-9))[:, None]).ravel()
        gone = self._solve @ flat
        rest = flat - self._ways @ gone
        return float(rest @ rest) / len(off), float(gone @ gone)


def _ways(suspicions: Suspicions, right: Floats, uncertainty: float) -> Floats:
    """Return what differs without a fault, a column each (3 n, k), as far as it goes once."""
    device, found = np.clip(suspicions.device, 0, 1), []
    for channel in np.eye(3):
        for moved in (1 - (1 - device) * (1 + _INK * channel), np.clip(device, 1e-6, 1) ** (1 + _DOTS * channel)):
            found.append(lab_to_din99o(suspicions.predict(moved)) - right)
    terms = _smooth(suspicions.Lab["right"]) * 0.45 if uncertainty > 0.2 else np.ones((len(right), 1))
    for term in terms.T:
        found += [term[:, None] * axis * uncertainty for axis in np.eye(3)]
    return np.stack([one.ravel() for one in found], axis=1)


def _smooth(Lab: Floats) -> Floats:
    """Return the terms (n, 10) of a scanner's error: by depth and hue, up to their squares."""
    L, a, b = (Lab[:, 0] - 50) / 50, Lab[:, 1] / 60, Lab[:, 2] / 60
    return np.stack([np.ones_like(L), L, a, b, L * L, a * a, b * b, a * b, L * a, L * b], axis=1)
