"""Where a picture lies on a sheet, in millimetres, and whether it fits."""

from __future__ import annotations

from dataclasses import dataclass, replace


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


@dataclass(frozen=True)
class Placing:
    """A picture's printed rectangle, as it will look on the finished piece: upper left corner and size in mm."""

    x: float
    y: float
    width: float
    height: float

    @staticmethod
    def centred(media: Media, width: float, height: float) -> Placing:
        """Put a picture of this size in the middle of the sheet."""
        return Placing((media.width - width) / 2, (media.height - height) / 2, width, height)

    def ppi(self, pixels: int) -> float:
        """Return the effective resolution of so many pixels across."""
        return pixels / self.width * 25.4

    def resized(self, width: float) -> Placing:
        """Return the same picture at another width, its proportions and centre kept."""
        height = self.height * width / self.width
        return Placing(self.x + (self.width - width) / 2, self.y + (self.height - height) / 2, width, height)

    def moved(self, dx: float, dy: float) -> Placing:
        """Return the same picture elsewhere."""
        return replace(self, x=self.x + dx, y=self.y + dy)

    def crosses(self, media: Media, mirrored: bool) -> tuple[str, ...]:
        """Return the edges of the printable area that the picture crosses, on the finished piece.

        On mirrored paper the left and right margins change sides.
        """
        left, top, right, bottom = media.printable
        if mirrored:
            left, right = media.width - right, media.width - left
        tolerance = 0.05
        sides = {
            "left": self.x < left - tolerance,
            "top": self.y < top - tolerance,
            "right": self.x + self.width > right + tolerance,
            "bottom": self.y + self.height > bottom + tolerance,
        }
        return tuple(name for name, crossed in sides.items() if crossed)


def fitted(media: Media, width: float, height: float) -> Placing:
    """Return the largest centred placing of these proportions inside the printable area, whichever way mirrored."""
    left, top, right, bottom = media.margins
    side, end = max(left, right), max(top, bottom)
    factor = min((media.width - 2 * side) / width, (media.height - 2 * end) / height)
    return Placing.centred(media, width * factor, height * factor)
