"""Where a picture lies on a sheet, in millimetres, and whether it fits."""

from __future__ import annotations

import math
from dataclasses import replace

from fidele.dataclass import dataclass
from fidele.language import named

#: Millimetres to the inch.
INCH = 25.4
#: Width and height in mm.
Size = tuple[float, float]


@dataclass(frozen=True)
class Media:
    """A sheet in mm and its unprintable margins: left, top, right, bottom. A `roll` can be as long as is needed."""

    name: str
    width: float
    height: float
    margins: tuple[float, float, float, float]
    roll: bool = False

    @property
    def printable(self) -> tuple[float, float, float, float]:
        """Left, top, right and bottom edge of the printable area in mm."""
        left, top, right, bottom = self.margins
        return left, top, self.width - right, self.height - bottom

    @property
    def inset(self) -> tuple[float, float]:
        """How far from the side and from the end things must stay, whether the sheet is mirrored or not."""
        left, top, right, bottom = self.margins
        return max(left, right), max(top, bottom)

    @property
    def room(self) -> tuple[float, float]:
        """Width and height that can be printed, mirrored or not; of a roll the height is 0: as much as is needed."""
        side, end = self.inset
        return self.width - 2 * side, 0.0 if self.roll else self.height - 2 * end


@dataclass(frozen=True)
class Placing:
    """A picture's printed rectangle, as it will look on the finished piece: upper left corner and size in mm.

    It is then turned about its middle by `angle` degrees, counter-clockwise.
    """

    x: float
    y: float
    width: float
    height: float
    angle: float = 0.0

    @staticmethod
    def centred(media: Media, width: float, height: float, angle: float = 0.0) -> Placing:
        """Put a picture of this size in the middle of the sheet."""
        return Placing((media.width - width) / 2, (media.height - height) / 2, width, height, angle)

    @staticmethod
    def at(left: float, top: float, width: float, height: float, angle: float = 0.0) -> Placing:
        """Put a picture so that, turned, it begins at this left and top."""
        upright = Placing(0, 0, width, height, angle)
        x0, y0, _, _ = upright.bounds
        return upright.moved(left - x0, top - y0)

    @property
    def quarters(self) -> int | None:
        """By how many right angles it is turned, 0 to 3; None where it is turned freely."""
        quarters = self.angle / 90
        return round(quarters) % 4 if abs(quarters - round(quarters)) < 1e-9 else None

    @property
    def centre(self) -> tuple[float, float]:
        """Its middle in mm."""
        return self.x + self.width / 2, self.y + self.height / 2

    @property
    def corners(self) -> tuple[tuple[float, float], ...]:
        """Its four corners as it lies, from its own upper left clockwise."""
        cx, cy = self.centre
        cos, sin = _turn(self.angle)
        half = ((-1, -1), (1, -1), (1, 1), (-1, 1))
        points = ((sx * self.width / 2, sy * self.height / 2) for sx, sy in half)
        return tuple((cx + u * cos + v * sin, cy - u * sin + v * cos) for u, v in points)

    @property
    def bounds(self) -> tuple[float, float, float, float]:
        """Left, top, right and bottom of what it covers as it lies."""
        if self.angle == 0:
            return self.x, self.y, self.x + self.width, self.y + self.height
        xs, ys = zip(*self.corners, strict=True)
        return min(xs), min(ys), max(xs), max(ys)

    def holds(self, x: float, y: float) -> bool:
        """Whether a place on the sheet lies on it."""
        cx, cy = self.centre
        cos, sin = _turn(self.angle)
        dx, dy = x - cx, y - cy
        return abs(dx * cos - dy * sin) <= self.width / 2 and abs(dx * sin + dy * cos) <= self.height / 2

    def ppi(self, pixels: int) -> float:
        """Return the effective resolution of so many pixels across."""
        return pixels / self.width * INCH

    def sized(self, width: float, height: float) -> Placing:
        """Return it at another size, its centre kept."""
        cx, cy = self.centre
        return replace(self, x=cx - width / 2, y=cy - height / 2, width=width, height=height)

    def moved(self, dx: float, dy: float) -> Placing:
        """Return the same picture elsewhere."""
        return replace(self, x=self.x + dx, y=self.y + dy)

    def turned(self, by: float) -> Placing:
        """Return it turned about its middle by so many degrees more, counter-clockwise."""
        angle = (self.angle + by) % 360
        return replace(self, angle=0.0 if abs(angle - 360) < 1e-9 else angle)

    def crosses(self, media: Media, mirrored: bool) -> tuple[str, ...]:
        """Return the edges of the printable area that the picture crosses, on the finished piece.

        On mirrored paper the left and right margins change sides. A roll has no lower edge.
        """
        left, top, right, bottom = media.printable
        if mirrored:
            left, right = media.width - right, media.width - left
        tolerance = 0.05
        x0, y0, x1, y1 = self.bounds
        sides = {
            named("left"): x0 < left - tolerance,
            named("top"): y0 < top - tolerance,
            named("right"): x1 > right + tolerance,
            named("bottom"): not media.roll and y1 > bottom + tolerance,
        }
        return tuple(name for name, crossed in sides.items() if crossed)


def _turn(angle: float) -> tuple[float, float]:
    """Return cosine and sine of an angle in degrees, exact for right angles."""
    exact = {0.0: (1.0, 0.0), 90.0: (0.0, 1.0), 180.0: (-1.0, 0.0), 270.0: (0.0, -1.0)}
    return exact.get(angle % 360, (math.cos(math.radians(angle)), math.sin(math.radians(angle))))


def fitted(media: Media, width: float, height: float, border: float = 0.0) -> Placing:
    """Return the largest centred placing of these proportions inside the printable area, whichever way mirrored.

    `border` mm stay free between it and the edge of the printable area. Of a roll, only the width counts.
    """
    wide, high = media.room
    free = max(1.0, wide - 2 * border), max(1.0, high - 2 * border)
    factor = free[0] / width if media.roll else min(free[0] / width, free[1] / height)
    if media.roll:
        side, end = media.inset
        return Placing(side + border, end + border, width * factor, height * factor)
    return Placing.centred(media, width * factor, height * factor)


def beside(
    media: Media, first: tuple[float, float], second: tuple[float, float], gap: float
) -> tuple[Placing, Placing]:
    """Return two pictures at their own sizes in mm, or smaller, so that each fits a half of what can be printed.

    The longer side is halved, `gap` mm stay free between them; on a roll the second follows the first.
    """
    wide, high = media.room
    side, end = media.inset
    if media.roll:
        shares = [(min(1.0, wide / w), w, h) for w, h in (first, second)]
        one, two = (Placing(side, end, w * share, h * share) for share, w, h in shares)
        return one, two.moved(0, one.height + gap)
    across = wide > high
    room = ((wide - gap) / 2, high) if across else (wide, (high - gap) / 2)
    found = []
    for number, (w, h) in enumerate((first, second)):
        factor = min(1.0, room[0] / w, room[1] / h)
        left, top = (number * (room[0] + gap), 0.0) if across else (0.0, number * (room[1] + gap))
        x, y = side + left + (room[0] - w * factor) / 2, end + top + (room[1] - h * factor) / 2
        found.append(Placing(x, y, w * factor, h * factor))
    return found[0], found[1]
