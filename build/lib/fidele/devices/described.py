"""Printers that cannot be reached from here, as somebody described them: the way to them is the finished file."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path
from typing import Literal

from pydantic import Field, ValidationError

from fidele.arrays import Codes
from fidele.devices.protocol import (
    CarriedMedia,
    CarriesMedia,
    Choice,
    FollowedJob,
    PageFormat,
    Printer,
    Probing,
    Sent,
    Supplies,
    SystemProfile,
)
from fidele.errors import FideleError
from fidele.files import read_bytes, write_bytes
from fidele.icc.transform import Intent
from fidele.language import tr
from fidele.papers.leaflet import Vocabulary
from fidele.papers.model import MADE
from fidele.route.behind import BEHIND, behind_layer, behind_rows, looked_up
from fidele.route.condition import Card, Id, Kept, Owner
from fidele.route.layers import MEANINGS, Layer, SettingRow
from fidele.route.probe import ProbeResult
from fidele.sheet.placing import Media
from fidele.statefile import below
from fidele.tiles import Progress
from fidele.values import Settings, Value

#: Sheets that a description begins with, width and length in mm.
SHEETS = {"A4": (210.0, 297.0), "A3": (297.0, 420.0)}
#: What a description can say of a driver, by meaning.
DESCRIBED = ("stand_in", "quality", "direction", "black_ink", "density", "feed", "resolution", "ink_saving")


class Called(Kept):
    """What a driver calls one thing, where that stands, and what it is to be set to."""

    name: str = Field(max_length=120)
    place: str = Field(default="", max_length=240)
    choices: tuple[str, ...] = ()


class SheetSize(Kept):
    """A sheet, in mm, and its unprintable left, top, right and bottom."""

    name: str = Field(min_length=1, max_length=60)
    width: float = Field(gt=10, le=5000)
    height: float = Field(gt=10, le=20000)
    margins: tuple[float, float, float, float] = (3.0, 3.0, 3.0, 3.0)
    roll: bool = False


class Description(Kept):
    """A printer as somebody described it."""

    id: Id
    name: str = Field(min_length=1, max_length=120)
    process: Literal["transfer", "direct"] = "transfer"
    ink: str = ""
    ppi: int = Field(default=300, ge=72, le=2400)
    sheets: tuple[SheetSize, ...] = tuple(SheetSize(name=n, width=w, height=h) for n, (w, h) in SHEETS.items())
    #: The program that prints on it, and the machine that runs that where it is another one.
    program: str = Field(default=tr("its own program"), max_length=120)
    words: dict[str, Called] = Field(default_factory=dict)
    mirrors: bool = False
    notes: str = ""


class DescribedPrinter:
    """A printer that prints what it is handed as a file; what its driver is set to, a person looks up."""

    system: SystemProfile | None = None
    under_way: FollowedJob | None = None
    kind_words = tr("described")

    def __init__(self, description: Description) -> None:
        self.says = description
        self.id, self.name = f"described/{description.id}", description.name
        self.process: str = description.process
        self.format = PageFormat(description.ppi)
        self.can_mirror = description.mirrors
        self.profile_path: Callable[[str], Path | None] = lambda _: None

    @property
    def probing(self) -> Probing | None:
        """Nothing can be sent to it."""
        return None

    @property
    def supplies(self) -> Supplies | None:
        """It tells nothing."""
        return None

    @property
    def carries(self) -> CarriesMedia | None:
        """It carries nothing."""
        return None

    # What it is --------------------------------------------------------------------------------------------------

    def vocabulary(self) -> Vocabulary:
        """Return its driver's words as they were described."""
        words = {m: c for m, c in self.says.words.items() if m in MADE}
        return Vocabulary({c.name: m for m, c in words.items()}, {m: c.choices for m, c in words.items()}, {})

    def owners(self) -> tuple[Owner, ...]:
        """Return who can convert: Fidele, or its driver; the program that prints where one is named."""
        return ("fidele", "driver")

    def given(self) -> tuple[Path | None, Intent | None]:
        """Return nothing: whether its driver was given a profile is not known."""
        return None, None

    def sizes(self) -> tuple[str, ...]:
        """Return its sheets by name."""
        return tuple(s.name for s in self.says.sheets)

    def own_size(self, width: float, height: float) -> str:
        """Return '': its sheets are those that were described, and more of them can be."""
        return ""

    def media(self, size: str, feed: str = "") -> Media:
        """Return a sheet by name."""
        sheets = self.says.sheets or Description(id="x", name="x").sheets
        one = next((s for s in sheets if s.name == size), sheets[0])
        return Media(one.name, one.width, one.height, one.margins, one.roll)

    def stand_ins(self) -> tuple[CarriedMedia, ...]:
        """Return the media names that were described."""
        called = self.says.words.get("stand_in")
        return tuple(CarriedMedia(c, "") for c in called.choices) if called else ()

    def best_quality(self, stand_in: str) -> Value | None:
        """Return None: nobody has said."""
        return None

    def starter_card(self) -> Card:
        """Return a condition to begin with."""
        says = self.says
        driver: Settings = {m: c.choices[0] for m, c in says.words.items() if c.choices}
        return Card(
            id=f"first-{says.id}"[:100],
            name=says.name,
            process=says.process,
            printer=self.id,
            printer_name=says.name,
            ink=says.ink,
            media=str(driver.get("stand_in", "")) or tr("my media"),
            size=says.sheets[0].name if says.sheets else "A4",
            substrate=tr("my piece"),
            owner="driver",
            mirror_by="fidele" if says.process == "transfer" else "nobody",
            printed_from=says.program,
            driver=driver,
        )

    # Its settings ------------------------------------------------------------------------------------------------

    def settings(self) -> Settings:
        """Return nothing: it cannot be asked."""
        return {}

    def settings_for(self, card: Card) -> Settings:
        """Return what a card calls for, in the words of its driver."""
        words = self.says.words
        return {words[m].name: value for m, value in card.driver.items() if m in words}

    def settings_of(self, said: dict[str, tuple[str, ...]]) -> Settings:
        """Return settings, by meaning, for what is said of how a profile was made."""
        found: Settings = {}
        for meaning, values in said.items():
            called = self.says.words.get(meaning)
            if called is not None and values:
                found[meaning] = next((v for v in values if v in called.choices), values[0])
        return found

    def possible(self, driver: Settings) -> Settings:
        """Return the settings: what excludes what is not known."""
        return driver

    def offers(self, meaning: str, driver: Settings) -> tuple[tuple[Value, str], ...]:
        """Return what was described."""
        called = self.says.words.get(meaning)
        if meaning == "size":
            return tuple((s, s) for s in self.sizes())
        return tuple((c, c) for c in called.choices) if called else ()

    def at_rest(self, meaning: str) -> Value | None:
        """Return None: nobody has said."""
        return None

    def handles(self) -> tuple[Choice, ...]:
        """Return nothing: nothing of it is set from here."""
        return ()

    def choices(self) -> tuple[Choice, ...]:
        """Return nothing: nothing of it is set from here."""
        return ()

    def choose(self, name: str, value: Value) -> None:
        """Refuse; `FideleError` always."""
        raise FideleError(
            tr(
                "The {name} is not within reach: set “{name2}” to “{value}” where it is printed from.",
                name=self.name,
                name2=name,
                value=value,
            )
        )

    def bring(self, card: Card, meanings: tuple[str, ...] | None = None) -> None:
        """Do nothing: what is to be set, a person sets; the instruction sheet says what."""

    def restore(self, settings: Settings) -> None:
        """Do nothing."""

    def reset(self) -> None:
        """Do nothing."""

    # The route ---------------------------------------------------------------------------------------------------

    def rows(self, card: Card) -> tuple[SettingRow, ...]:
        """Return what a person must set and look up, as far as it was confirmed."""
        return (*self._described(card), *behind_rows(card, BEHIND, tr("in the driver of the {name}", name=self.name)))

    def _described(self, card: Card) -> Iterator[SettingRow]:
        for meaning, called in self.says.words.items():
            wanted = card.driver.get(meaning)
            if wanted is None or meaning not in MEANINGS:
                continue
            yield looked_up(card, meaning, str(wanted), f"{called.place or tr('in its driver')} › {called.name}")

    def layers(self, card: Card, probe: ProbeResult | None) -> tuple[Layer, ...]:
        """Return its driver, as it was confirmed by hand."""
        assumes = ", ".join(
            f"{c.name.lower()} {card.driver[m]}" for m, c in self.says.words.items() if m in card.driver
        )
        return (replace(behind_layer(card, BEHIND), assumes=assumes),)

    def state(self) -> Settings:
        """Return nothing: it cannot be asked."""
        return {}

    def sending(self, settings: Settings, system: Path | None = None) -> Printer:
        """Return the printer itself."""
        return self

    def print_page(self, page: Codes, progress: Progress | None = None) -> Sent:
        """Refuse; `FideleError` always."""
        raise FideleError(
            tr(
                "The {name} is not within reach: write the finished file, and print it from {program}.",
                name=self.name,
                program=self.says.program,
            )
        )


#: Stands where no printer is known: to lay out by, never to print on.
NO_PRINTER = DescribedPrinter(Description(id="none", name=tr("printer that is still to be chosen")))


class DescribedStore:
    """Descriptions of printers, a file each."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder

    def all(self) -> tuple[Description, ...]:
        """Return every description that can be read, by name."""
        found = []
        for path in sorted(self._folder.glob("*.json")) if self._folder.is_dir() else ():
            try:
                found.append(Description.model_validate_json(read_bytes(path, 1 << 20)))
            except (FideleError, ValidationError, ValueError):
                continue
        return tuple(sorted(found, key=lambda d: d.name.casefold()))

    def printers(self) -> tuple[Printer, ...]:
        """Return the printers that were described."""
        return tuple(DescribedPrinter(d) for d in self.all())

    def keep(self, description: Description) -> None:
        """Keep a description, in place of one of the same id."""
        path = below(self._folder, description.id, ".json")
        self._folder.mkdir(parents=True, exist_ok=True)
        write_bytes(path, description.model_dump_json(indent=1).encode())

    def remove(self, description_id: str) -> None:
        """Throw a description away."""
        below(self._folder, description_id, ".json").unlink(missing_ok=True)
