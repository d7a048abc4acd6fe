"""Blanks that pieces are pressed on, and sheets of sizes of one's own: kept in the workshop."""

from __future__ import annotations

import json
from dataclasses import asdict, replace
from pathlib import Path
from typing import Annotated

from pydantic import Field, TypeAdapter

from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.language import tr
from fidele.sheet.arc import MOST, Arc, Round
from fidele.sheet.page import Behind
from fidele.sheet.placing import Media
from fidele.sheet.shapes import Shape
from fidele.statefile import StateFile

_LARGEST = 1 << 20
#: Nothing is printed so near to the edge of a sheet of one's own, in mm: it never lies quite straight.
_EDGE = 2.0


#: Millimetres of a side, and along an edge.
Side = Annotated[float, Field(gt=0, le=100_000, allow_inf_nan=False)]
Edge = Annotated[float, Field(ge=0, le=1000, allow_inf_nan=False)]


@dataclass(frozen=True)
class Blank:
    """What a piece is pressed on: size in mm, outline, how far the print goes over its edge (bleed), and how far from
    its edge nothing of weight should stand (safe)."""

    name: str
    width: Side
    height: Side
    shape: Shape = "rectangle"
    bleed: Edge = 0.0
    safe: Edge = 0.0
    #: Of a tapered round piece by how many degrees its developed area turns: width and height are then that area's, at
    #: half height and along its side. 0 for all others.
    bend: Annotated[float, Field(ge=-MOST, le=MOST, allow_inf_nan=False)] = 0.0
    #: Whether it is round, so that no scanner sees it.
    around: bool = False

    @property
    def flat(self) -> tuple[float, float]:
        """Width and height of the area that is printed, bleed included, before it is bent."""
        return self.width + 2 * self.bleed, self.height + 2 * self.bleed

    @property
    def _arc(self) -> Arc | None:
        wide, high = self.flat
        return Arc(self.bend * wide / self.width, high / wide) if self.bend else None

    @property
    def printed(self) -> tuple[float, float]:
        """Width and height of what it takes on the sheet."""
        wide, high = self.flat
        return (wide * self._arc.size[0], wide * self._arc.size[1]) if self._arc is not None else (wide, high)

    @property
    def printed_shape(self) -> Shape:
        """Its outline with its bleed."""
        return self._arc.words if self._arc is not None else self.shape

    @staticmethod
    def of_round(name: str, piece: Round, bleed: float = 0.0, safe: float = 0.0) -> Blank:
        """Return the blank of a mug, bottle or glass.

        Raises
        ------
        FideleError
            When nothing of it can be printed.
        """
        width, height, bend = piece.developed
        return Blank(name, round(width, 2), round(height, 2), "rectangle", bleed, safe, round(bend, 3), True)


@dataclass(frozen=True)
class OwnSheet:
    """A sheet of one's own size in mm, fed as if it were the printer's `printed_as`, in the middle of the way in."""

    name: str
    width: Side
    height: Side
    printed_as: str

    def media(self, carrier: Media) -> Media:
        """Return the printer's sheet with margins so wide that only this one is printed on.

        Raises
        ------
        FideleError
            When it is larger than what it is fed as, or nothing of it can be printed.
        """
        side, end = (carrier.width - self.width) / 2, (carrier.height - self.height) / 2
        if side < 0 or end < 0:
            raise FideleError(
                tr("“{name}” is larger than {name2}, as which it is fed.", name=self.name, name2=carrier.name)
            )
        left, top, right, bottom = carrier.margins
        side, end = side + _EDGE, end + _EDGE
        margins = (max(left, side), max(top, end), max(right, side), max(bottom, end))
        return replace(carrier, name=self.name, margins=margins)


@dataclass(frozen=True)
class Spot:
    """A place for a blank on a jig: the blank's name, its middle in mm from the jig's left and upper edge, its turn in
    degrees counter-clockwise."""

    blank: str
    x: Annotated[float, Field(ge=-100_000, le=100_000, allow_inf_nan=False)]
    y: Annotated[float, Field(ge=-100_000, le=100_000, allow_inf_nan=False)]
    angle: Annotated[float, Field(ge=-360, le=360, allow_inf_nan=False)] = 0.0


@dataclass(frozen=True)
class Jig:
    """Places for blanks as they lie in the press, on a sheet of this size in mm."""

    name: str
    width: Side
    height: Side
    places: tuple[Spot, ...]


#: What lies ready in the demo's workshop; more are added by hand.
READY = (
    Blank("Tile 200 x 150", 200, 150, "rectangle", 2, 4),
    Blank("Tile 108 x 108", 108, 108, "rectangle", 2, 4),
    Blank("Coaster 100, round", 100, 100, "round", 2, 5),
    Blank("Pennant 300 x 200", 300, 200, "pennant", 5, 12),
)


_Kept = tuple[tuple[Blank, ...], tuple[OwnSheet, ...], tuple[Jig, ...]]
_BLANKS, _SHEETS = TypeAdapter(tuple[Blank, ...]), TypeAdapter(tuple[OwnSheet, ...])
_JIGS = TypeAdapter(tuple[Jig, ...])


def _kept(data: bytes) -> _Kept:
    kept = json.loads(data)
    jigs = _JIGS.validate_python(kept.get("jigs", []))  # older workshops have none
    return _BLANKS.validate_python(kept["blanks"]), _SHEETS.validate_python(kept["sheets"]), jigs


class Blanks:
    """The blanks, own sheets and jigs of a workshop."""

    def __init__(self, path: Path) -> None:
        self._file = StateFile[_Kept](path, _kept, lambda: (READY, (), ()))
        self.blanks, self.sheets, self.jigs = self._file.read()

    def _keep(self) -> None:
        kept = {
            "blanks": [asdict(b) for b in self.blanks],
            "sheets": [asdict(s) for s in self.sheets],
            "jigs": [asdict(j) for j in self.jigs],
        }
        self._file.write(json.dumps(kept, indent=1, ensure_ascii=False).encode())

    def blank(self, name: str) -> Blank | None:
        """Return a blank by its name."""
        return next((b for b in self.blanks if b.name == name), None)

    def jig(self, name: str) -> Jig | None:
        """Return a jig by its name."""
        return next((j for j in self.jigs if j.name == name), None)

    def keep_jigs(self, jigs: tuple[Jig, ...]) -> None:
        """Keep these jigs, and no others."""
        self.jigs = jigs
        self._keep()

    def sheet(self, name: str) -> OwnSheet | None:
        """Return an own sheet by its name."""
        return next((s for s in self.sheets if s.name == name), None)

    def add_blank(self, blank: Blank) -> None:
        """Keep a blank; one of the same name gives way.

        Raises
        ------
        FideleError
            When it has no name or no size.
        """
        if not blank.name.strip():
            raise FideleError(tr("A blank needs a name."))
        if min(blank.width, blank.height) <= 0 or min(blank.bleed, blank.safe) < 0:
            raise FideleError(tr("“{name}” has no size: a blank is wider and higher than 0 mm.", name=blank.name))
        self.blanks = (*(b for b in self.blanks if b.name != blank.name), blank)
        self._keep()

    def add_sheet(self, sheet: OwnSheet, carrier: Media) -> None:
        """Keep a sheet of one's own size; one of the same name gives way.

        Raises
        ------
        FideleError
            When it has no name, no size, or is not possible on what it is fed as.
        """
        if not sheet.name.strip():
            raise FideleError(tr("A sheet needs a name."))
        if min(sheet.width, sheet.height) <= 0:
            raise FideleError(tr("“{name}” has no size: a sheet is wider and higher than 0 mm.", name=sheet.name))
        if min(sheet.media(carrier).room) <= 0:
            raise FideleError(
                tr("“{name}” is smaller than its margins: nothing can be printed on it.", name=sheet.name)
            )
        self.sheets = (*(s for s in self.sheets if s.name != sheet.name), sheet)
        self._keep()

    def remove(self, name: str) -> None:
        """Forget a blank or an own sheet."""
        self.blanks = tuple(b for b in self.blanks if b.name != name)
        self.sheets = tuple(s for s in self.sheets if s.name != name)
        self._keep()


def behind_blank(blank: Blank, wide: float, high: float) -> Behind | None:
    """Return where a picture of these proportions lies behind a blank so that it covers it; None where it just does."""
    width, height = blank.flat
    factor = max(width / wide, height / high)
    w, h = wide * factor, high * factor
    if not blank.bend and abs(w - width) < 1e-6 and abs(h - height) < 1e-6:
        return None
    return (width - w) / 2, (height - h) / 2, w, h
