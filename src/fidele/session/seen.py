"""What can be seen of the world at one look."""

from __future__ import annotations

from pathlib import Path

from fidele.dataclass import dataclass
from fidele.run.route import Route

#: Size and time of change of a file.
Stamp = tuple[int, int]


@dataclass(frozen=True)
class Seen:
    """The world at one look.

    Attributes
    ----------
    files
        Stamps of every file that may be a profile, by path.
    cards
        Names and times of the cards' files.
    route
        The way to the ink of the condition in force, as it was read back.
    pictures
        Stamps of the files of the pictures in hand.
    inbox
        Stamps of the pictures in the watched folder, None where none is watched.
    measured
        And of the scans and measurements in another.
    printers
        Ids and names of the printers that are here now.
    """

    files: dict[str, Stamp]
    cards: tuple[tuple[str, int], ...]
    route: Route
    pictures: dict[Path, Stamp]
    inbox: dict[str, Stamp] | None
    printers: tuple[tuple[str, str], ...] = ()
    measured: dict[str, Stamp] | None = None
