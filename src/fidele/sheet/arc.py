"""A flat area as it goes round a tapered piece: developed, it is a part of a ring (an annular sector).

Everything is in units of the flat area's middle line, which is 1 long and runs half way up; places count from the
middle of the rectangle that holds the sector, across and down.
"""

from __future__ import annotations

import math

import numpy as np

from fidele.arrays import Floats
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.language import tr

#: A sector that goes round by more than this many degrees would lie over itself.
MOST = 340.0


@dataclass(frozen=True)
class Arc:
    """The sector: `angle` in degrees that its middle line turns by, positive where its upper edge is the longer one;
    `share`, its height beside the length of that line."""

    angle: float
    share: float

    @property
    def _turn(self) -> float:
        return math.radians(abs(self.angle))

    @property
    def radii(self) -> tuple[float, float]:
        """The outer and the inner radius."""
        middle = 1 / self._turn
        return middle + self.share / 2, middle - self.share / 2

    @property
    def size(self) -> tuple[float, float]:
        """Width and height of the rectangle that holds it."""
        (outer, inner), half = self.radii, self._turn / 2
        low = inner * math.cos(half) if half < math.pi / 2 else outer * math.cos(half)
        return 2 * outer * (math.sin(half) if half < math.pi / 2 else 1.0), outer - low

    def flat(self, x: Floats, y: Floats) -> tuple[Floats, Floats]:
        """Return where places of the sheet lie on the flat area: across and down from its own middle."""
        (outer, _), (_, high) = self.radii, self.size
        down = y if self.angle > 0 else -y
        up = outer - high / 2 - down  # above the middle of the rings
        far, turn = np.hypot(x, up), np.arctan2(x, up)
        along, below = turn / self._turn, outer - far - self.share / 2
        return along, below if self.angle > 0 else -below

    def bent(self, along: Floats, below: Floats) -> tuple[Floats, Floats]:
        """Return where places of the flat area lie on the sheet: the way back of `flat`."""
        (outer, _), (_, high) = self.radii, self.size
        down = below if self.angle > 0 else -below
        far, turn = outer - self.share / 2 - down, along * self._turn
        x, y = far * np.sin(turn), outer - high / 2 - far * np.cos(turn)
        return x, y if self.angle > 0 else -y

    def outline(self, inset: float = 0.0, points: int = 48) -> Floats:
        """Return the corners (n, 2) of its edge, clockwise; `inset` is how far within the flat area's edge."""
        across = np.linspace(-0.5 + inset, 0.5 - inset, points)
        half = np.full(points, self.share / 2 - inset)
        upper, lower = self.bent(across, -half), self.bent(across[::-1], half)
        return np.concatenate([np.stack(upper, axis=1), np.stack(lower, axis=1)])

    @property
    def words(self) -> str:
        """How it is written as a shape: 'arc ANGLE SHARE'."""
        return f"arc {self.angle:.4f} {self.share:.6f}"


def arc_of(shape: str) -> Arc | None:
    """Return the sector that a shape's name describes, None for any other shape."""
    kind, *numbers = shape.split()
    return Arc(*map(float, numbers)) if kind == "arc" else None


@dataclass(frozen=True)
class Round:
    """A mug, bottle or glass: what of it is printed, in mm.

    Attributes
    ----------
    top, bottom
        Diameters at the upper and lower edge of what is printed.
    height
        Straight up from one to the other.
    gap
        What stays free around it at half height: a handle and its surroundings, or the seam.
    stretch
        By how many per cent the paper gives as it is wrapped round.
    """

    top: float
    bottom: float
    height: float
    gap: float = 0.0
    stretch: float = 0.0

    @property
    def developed(self) -> tuple[float, float, float]:
        """Width and height in mm of the flat area that is printed for it, and the angle that its middle line turns by.

        Raises
        ------
        FideleError
            When nothing is left to print on, or it is so flat a cone that its paper would lie over itself.
        """
        if min(self.top, self.bottom, self.height) <= 0:
            raise FideleError(tr("A round piece has two diameters and a height, all above 0 mm."))
        around = math.pi * (self.top + self.bottom) / 2
        if not 0 <= self.gap < around:
            raise FideleError(
                tr(
                    "Nothing is left to print on: it is {around:.0f} mm around, and {gap:.0f} mm stay free.",
                    around=around,
                    gap=self.gap,
                )
            )
        lean = (self.top - self.bottom) / 2
        slant = math.hypot(self.height, lean)
        angle = 360 * lean / slant * (around - self.gap) / around
        width = (around - self.gap) / (1 + self.stretch / 100)
        if abs(angle) > MOST or abs(math.radians(angle)) * slant / width >= 2:
            raise FideleError(tr("It opens so widely that paper does not go round it in one piece."))
        return width, slant, angle if abs(angle) > 0.05 else 0.0
