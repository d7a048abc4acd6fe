"""A tuning: named corrections, kept as small JSON files that people can pass on."""

from __future__ import annotations

import json
import re
from pathlib import Path
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from fidele.errors import FideleError
from fidele.files import read_bytes, write_bytes
from fidele.language import tr, trn
from fidele.statefile import complain

_LARGEST = 1 << 16

Shift = Annotated[float, Field(ge=-30, le=30, allow_inf_nan=False)]


class Region(BaseModel):
    """What is done to the colours around a hue.

    Attributes
    ----------
    hue
        Middle of the region, hue angle in a*b*, degrees.
    width
        Full width in degrees; the effect fades towards its edges and towards grey.
    turn
        Degrees by which the hue is turned, towards yellow and green from red.
    chroma
        Percent by which chroma is raised or lowered.
    lightness
        L* by which they get lighter.
    """

    model_config = ConfigDict(defer_build=True, frozen=True, extra="forbid")

    hue: Annotated[float, Field(ge=0, le=360)]
    width: Annotated[float, Field(ge=20, le=180)] = 60
    turn: Shift = 0
    chroma: Annotated[float, Field(ge=-100, le=100)] = 0
    lightness: Shift = 0

    @property
    def moves(self) -> bool:
        """Whether it does anything."""
        return bool(self.turn or self.chroma or self.lightness)


class Tuning(BaseModel):
    """Corrections by hand to one picture or many.

    Attributes
    ----------
    lift
        Chroma lift from 0 to 1: dull colours come nearer to the purest that the piece holds, greys and skin-like
        colours stay.
    greys
        'as they are'; 'neutral' makes the picture monochrome and neutral on the piece; 'toned' tones it.
    tone_hue, tone_chroma
        Hue angle and chroma of the tone at middle lightness.
    shadows, middle, lights
        L* by which the tone ranges around 25, 50 and 75 get lighter.
    contrast
        Percent: below the middle darker, above it lighter.
    """

    model_config = ConfigDict(defer_build=True, frozen=True, extra="forbid")

    name: Annotated[str, Field(max_length=80)] = ""
    lift: Annotated[float, Field(ge=0, le=1)] = 0
    greys: Literal["as they are", "neutral", "toned"] = "as they are"
    tone_hue: Annotated[float, Field(ge=0, le=360)] = 70
    tone_chroma: Annotated[float, Field(ge=0, le=40)] = 8
    shadows: Shift = 0
    middle: Shift = 0
    lights: Shift = 0
    contrast: Shift = 0
    regions: Annotated[tuple[Region, ...], Field(max_length=12)] = ()

    @property
    def moves(self) -> bool:
        """Whether it does anything."""
        toned = self.shadows or self.middle or self.lights or self.contrast
        return bool(self.lift or toned or self.greys != "as they are" or any(r.moves for r in self.regions))

    @property
    def words(self) -> str:
        """What it does, in a few words."""
        done = []
        if self.greys != "as they are":
            done.append(tr("monochrome, neutral") if self.greys == "neutral" else tr("monochrome, toned"))
        if self.lift:
            done.append(tr("chroma lift {lift:.0f} %", lift=self.lift * 100))
        if self.shadows or self.middle or self.lights or self.contrast:
            done.append("tones")
        hues = sum(r.moves for r in self.regions)
        if hues:
            done.append(trn("{hues} hue region", "{hues} hue regions", hues, hues=hues))
        return ", ".join(done) or tr("nothing")


def read_tuning(path: Path) -> Tuning:
    """Read a tuning from its file.

    Raises
    ------
    FideleError
        When the file is missing, damaged, or no tuning.
    """
    try:
        return Tuning.model_validate_json(read_bytes(path, _LARGEST))
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"])
        raise FideleError(
            tr(
                "{path} is no tuning: {where}{first}.",
                path=path,
                where=(where + ": " if where else ""),
                first=first["msg"].lower(),
            )
        ) from error


def write_tuning(path: Path, tuning: Tuning) -> None:
    """Write a tuning to a file."""
    write_bytes(path, json.dumps(tuning.model_dump(exclude_defaults=True), indent=2, ensure_ascii=False).encode())


class TuningStore:
    """Named tunings in a folder, a file each."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def all(self) -> dict[str, Tuning]:
        """Return the sound ones by name, in order."""
        found = {}
        for path in sorted(self.folder.glob("*.json")):
            try:
                tuning = read_tuning(path)
            except FideleError as error:
                complain(path, str(error).rstrip("."))
                continue
            complain(path)
            found[tuning.name or path.stem] = tuning
        return dict(sorted(found.items()))

    def _path(self, name: str) -> Path:
        stem = re.sub(r"[^\w\- ]", "_", name).strip() or "tuning"
        return self.folder / f"{stem[:80]}.json"

    def keep(self, tuning: Tuning) -> None:
        """Keep a tuning under its name.

        Raises
        ------
        FideleError
            When it has none, or cannot be written.
        """
        if not tuning.name.strip():
            raise FideleError(tr("A tuning needs a name to be kept."))
        write_tuning(self._path(tuning.name), tuning)

    def forget(self, name: str) -> None:
        """Take a tuning away."""
        self._path(name).unlink(missing_ok=True)
