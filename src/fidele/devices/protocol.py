"""What Fidele asks of machines: printers, scanner, instrument; and of stand-ins, the table and press beside them."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any, Protocol

import numpy as np
from numpy.typing import ArrayLike, NDArray

from fidele.arrays import Codes
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.icc.transform import Intent
from fidele.language import tr
from fidele.papers.leaflet import Vocabulary
from fidele.route.condition import Card, Owner, PressData
from fidele.route.layers import Layer, PrinterStatus, SettingRow
from fidele.route.probe import ProbeResult
from fidele.sheet.placing import Media
from fidele.tiles import Progress
from fidele.values import Document, Settings, Value


@dataclass(frozen=True)
class PageFormat:
    """The pages that a printer takes: pixels per inch, bits per value (8 or 16), and the space of the values.

    `also` are other resolutions that it takes pages at.
    """

    ppi: int
    bits: int = 8
    space: str = "RGB"
    also: tuple[int, ...] = ()

    def page_ppi(self, asked: int) -> int:
        """Return the resolution that pages are prepared at: what is asked for where that is taken, else the usual."""
        return asked if asked in self.also else self.ppi


@dataclass(frozen=True)
class Choice:
    """What a control of the driver offers at this moment, in the driver's words, and which meanings it sets."""

    name: str
    place: str
    value: Value
    offered: tuple[Value, ...]
    #: Greyed out: an administrator has locked it.
    held: bool = False
    meaning: str = ""


@dataclass(frozen=True)
class CarriedMedia:
    """A media that a printer itself lists: its maker's name for it, and a few words."""

    name: str
    words: str


class Lies(Protocol):
    """Something that lies on a stand-in's table: a sheet as it came out, or a pressed piece."""

    @property
    def ppi(self) -> int:
        """Its pixels per inch."""
        ...


@dataclass(frozen=True)
class Sent:
    """What became of a page: the driver's receipt, and the sheet where it lies within reach, None where it does not."""

    receipt: Document
    sheet: Lies | None = None


class Output(Protocol):
    """Where a page can go: a printer, or a file."""

    def print_page(self, page: Codes, progress: Progress | None = None) -> Sent:
        """Take a page (h, w, 3) of the format's depth.

        Raises
        ------
        FideleError
            When it cannot be taken.
        CancelledError
            When `progress` returned False.
        """
        ...


class Probing(Protocol):
    """A route that numbers can be sent down without ink."""

    #: Whether the driver tells, without ink, what its own correction does.
    knows_correction: bool

    def dry_run(self, page: NDArray[np.uint8], of: tuple[float, float] | None = None) -> NDArray[np.uint8]:
        """Return the numbers that would become ink for a small page (h, w, 3), without printing.

        It is scaled as a page `of` so many millimetres would be; None leaves the scale alone.
        """
        ...

    def dry_run_corrected(self, page: NDArray[np.uint8]) -> NDArray[np.uint8]:
        """Return what the maker's own correction makes of a small page, whatever the driver is set to."""
        ...


class Supplies(Protocol):
    """A printer that tells of its ink and of what lies in it."""

    def status(self, card: Card) -> PrinterStatus:
        """Return whether it answers, its ink, and what lies where the card feeds from."""
        ...

    def lay_in(self, card: Card) -> None:
        """Tell the printer that the sheet or roll that a card calls for lies in it now."""
        ...


class CarriesMedia(Protocol):
    """A printer that carries profiles for its maker's media."""

    def media_list(self) -> tuple[CarriedMedia, ...]:
        """Return the media that it carries profiles for."""
        ...

    def media_profile(self, name: str) -> bytes:
        """Return the profile for one of them; `FideleError` where there is none."""
        ...


class SystemProfile(Protocol):
    """A print system that may convert for every program, by a profile assigned to the printer.

    It has an intent of its own, whatever a card asks for.
    """

    intent: Intent

    def assigned(self) -> tuple[Path | None, Path | None]:
        """Return what it converts from and to; None where nothing is said."""
        ...

    def insists(self) -> bool:
        """Whether it will not go without a profile."""
        ...

    def assign(self, profile: Path | None, source: Path | None = None) -> None:
        """Assign a profile, or take it away; `source` is what it converts from. `FideleError` where it insists."""
        ...


class FollowedJob(Protocol):
    """The job that a printer is at, where a service in between tells of it."""

    @property
    def words(self) -> str:
        """How it stands, '' where none is under way."""
        ...

    @property
    def held(self) -> bool:
        """Whether it is held there."""
        ...

    def hold(self, held: bool) -> None:
        """Hold it, or let it go on; `FideleError` where that is refused."""
        ...


class Printer(Output, Protocol):
    """A printer with its driver. What only some can do stands beside, None where this one cannot.

    `process` is 'transfer' where prints are pressed on a piece, 'direct' where the paper is the piece, 'any' where that
    is the workshop's business.
    """

    id: str
    name: str
    process: str
    system: SystemProfile | None
    #: Where a profile lies, by its id: for drivers that are given one.
    profile_path: Callable[[str], Path | None]

    @property
    def format(self) -> PageFormat:
        """The pages that it takes."""
        ...

    @property
    def can_mirror(self) -> bool:
        """Whether it mirrors where it is asked to."""
        ...

    @property
    def under_way(self) -> FollowedJob | None:
        """The job that it is at, where that is told."""
        ...

    @property
    def probing(self) -> Probing | None:
        """The way to probe it."""
        ...

    @property
    def supplies(self) -> Supplies | None:
        """What tells of its ink and of what lies in it."""
        ...

    @property
    def carries(self) -> CarriesMedia | None:
        """The profiles that it carries for its maker's media."""
        ...

    # What it is

    def vocabulary(self) -> Vocabulary:
        """Return the driver's words, to understand leaflets by."""
        ...

    def owners(self) -> tuple[Owner, ...]:
        """Return who can convert on this printer's route."""
        ...

    def given(self) -> tuple[Path | None, Intent | None]:
        """Return the profile that the driver was given and the intent it is used with; None where there is none."""
        ...

    def sizes(self) -> tuple[str, ...]:
        """Return the sizes of sheet or roll that the driver offers, by name."""
        ...

    def own_size(self, width: float, height: float) -> str:
        """Return the name of a size in mm that the driver takes beside those it lists, '' where it takes none such."""
        ...

    def media(self, size: str, feed: str = "") -> Media:
        """Return a sheet by name with the margins of this printer, which differ by the way it is fed."""
        ...

    def stand_ins(self) -> tuple[CarriedMedia, ...]:
        """Return the driver's media names, heaviest ink load first."""
        ...

    def best_quality(self, stand_in: str) -> Value | None:
        """Return the best step of quality that a media of the driver's allows, None where that is not known."""
        ...

    def starter_card(self) -> Card:
        """Return a condition to begin with: no profile yet, so the driver converts."""
        ...

    # Its settings

    def settings(self) -> Settings:
        """Return what the driver tells of its settings, in its own words; `FideleError` where it cannot be read."""
        ...

    def settings_for(self, card: Card) -> Settings:
        """Return the settings that a job by a card brings with it; nothing is changed."""
        ...

    def settings_of(self, said: dict[str, tuple[str, ...]]) -> Settings:
        """Return settings, by meaning, for what is said of how a profile was made; unknown words are left."""
        ...

    def possible(self, driver: Settings) -> Settings:
        """Return settings, by meaning, with those put right that the driver does not offer beside the media."""
        ...

    def offers(self, meaning: str, driver: Settings) -> tuple[tuple[Value, str], ...]:
        """Return the values, with their words, that a card can ask for under a meaning beside other settings."""
        ...

    def at_rest(self, meaning: str) -> Value | None:
        """Return the value under which a setting leaves things alone, None where there is none."""
        ...

    def choices(self) -> tuple[Choice, ...]:
        """Return every control of the driver with what it offers now."""
        ...

    def handles(self) -> tuple[Choice, ...]:
        """Return the driver's controls that shape colour by hand, with what they are set to now."""
        ...

    def choose(self, name: str, value: Value) -> None:
        """Change a control of the driver, in its own words; `FideleError` where it does not offer that."""
        ...

    def bring(self, card: Card, meanings: tuple[str, ...] | None = None) -> None:
        """Set the driver to the card, all of it or some meanings only."""
        ...

    def restore(self, settings: Settings) -> None:
        """Put the driver's controls back to what `settings` said they were."""
        ...

    def reset(self) -> None:
        """Throw the driver's settings back to its maker's defaults, whatever state they are in."""
        ...

    # The route through it

    def rows(self, card: Card) -> tuple[SettingRow, ...]:
        """Return wanted and found settings by their neutral meaning."""
        ...

    def layers(self, card: Card, probe: ProbeResult | None) -> tuple[Layer, ...]:
        """Return the layers from the print system to the printer's panel as they are known."""
        ...

    def state(self) -> Settings:
        """Return everything between Fidele and the ink that can change: what a probe is true for."""
        ...

    def sending(self, settings: Settings, system: Path | None = None) -> Printer:
        """Return the printer as it is for one job that brings its own settings; the driver's stay as they are.

        With `system` the print system converts this job to that profile. What the driver keeps for itself (locked, or
        set at the printer) is not changed by that.
        """
        ...


@dataclass(frozen=True)
class Scan:
    """What a scanner saw: values (h, w, 3), and how many to the inch; what of it could not be put to rest, in words."""

    pixels: Codes
    ppi: float
    cautions: tuple[str, ...] = ()


class Scanner(Protocol):
    """Reads what lies on its glass."""

    name: str

    def scan(self, lies: Lies | None, run: int, progress: Progress | None = None) -> Scan:
        """Scan what lies there, a stand-in what it is given.

        Raises
        ------
        FideleError
            When it cannot.
        CancelledError
            When `progress` returned False.
        """
        ...


class WithGlass(Protocol):
    """A scanner whose glass can be looked at before a part of it is scanned."""

    def preview(self, progress: Progress | None = None) -> Scan:
        """Return all of the glass, coarsely."""
        ...

    def scan_part(self, area: tuple[float, float, float, float] | None, progress: Progress | None = None) -> Scan:
        """Scan left, top, width and height in mm, None for all of the glass."""
        ...


class Instrument(Protocol):
    """Measures spots."""

    name: str

    def measure(self, lies: Lies | None, places: ArrayLike) -> NDArray[np.float64]:
        """Return reflectance (n, 36), 380 to 730 nm, at places (n, 2) in mm; `FideleError` where it cannot."""
        ...


class Table(Protocol):
    """What lies before a person, where stand-ins print: it can be looked at, and cut."""

    def as_printed(self, sheet: Lies) -> Lies:
        """Return a sheet as it lies there: done where it is straight on paper, else before pressing."""
        ...

    def look(self, lies: Lies, most: int) -> tuple[NDArray[np.float32], float]:
        """Return XYZ (h, w, 3) as it looks under D50, no side longer than `most` pixels, and the pixels per inch."""
        ...

    def cut_out(self, sheet: Lies, areas: list[tuple[float, float, float, float]]) -> Lies:
        """Return a sheet with all but some areas (left, top, right, bottom in mm on the paper) cut off."""
        ...


class Press(Protocol):
    """A press that is a stand-in. `pace` is how many of its seconds pass in one."""

    pace: float
    substrates: tuple[str, ...]

    def press(self, sheet: Lies, substrate: str, data: PressData) -> Lies:
        """Press a sheet on a substrate; `FideleError` beyond what there is."""
        ...


class Program(Protocol):
    """A program that opens a picture file and prints it."""

    name: str
    #: Whether it can be run from here, to print or to be probed.
    runs_here: bool
    #: Where it keeps what must be set in it, by meaning (`fidele.route.program.WANTED`).
    places: dict[str, str]

    def dry_run(self, file: Path, device: Printer, leaf: Media) -> NDArray[np.uint8]:
        """Return the numbers that would become ink in the middle of the page that it makes of a file."""
        ...

    def print_file(self, file: Path, device: Printer, leaf: Media, progress: Progress | None = None) -> Sent:
        """Print a file as a person would from this program."""
        ...


class LearnedWords(Protocol):
    """What was learned of drivers' words, which can be sent to a colleague and taken in."""

    def keep(self, learned: Any) -> Path:
        """Keep what is known now of a driver's words."""
        ...

    def take_in(self, path: Path) -> object:
        """Take in what a colleague learned; `FideleError` where the file holds no such thing."""
        ...


@dataclass(frozen=True)
class Offer:
    """One profile, or parcel of profiles, in a catalogue."""

    name: str
    supplier: str
    words: str
    file: str


class Catalogue(Protocol):
    """Profiles that makers offer."""

    def listing(self) -> tuple[Offer, ...]:
        """Return what is offered."""
        ...

    def fetch(self, offer: Offer) -> bytes:
        """Return the file of an offer; `FideleError` where it cannot be had."""
        ...


class ProfileSupplier(Protocol):
    """Somebody who makes profiles to order, where a stand-in plays them."""

    name: str
    mail: str

    def target(self) -> tuple[str, bytes]:
        """Return name and content of the target that they want printed."""
        ...

    def answer(self, number: str, about: dict[str, str], pieces: Sequence[Lies]) -> tuple[str, bytes]:
        """Return name and content of the parcel that answers an order; `FideleError` where they cannot make it.

        `about` says 'printer', 'ink', 'media' and 'substrate' of the printed target.
        """
        ...


@dataclass(frozen=True)
class Control:
    """One thing that hands can change at a stand-in: which device, its name, how it stands, and what it can be.

    `part` says what of a machine it is, for pictures of it: 'power', 'tray', 'tank:' and 'nozzles:' with the name of
    the ink, 'panel', 'driver', or '' for anything else. `said` is what it is called in the user's language, '' where
    its name is a word of the machine's own.
    """

    device: str
    name: str
    value: Value
    offered: tuple[Value, ...]
    set: Callable[[Value], None]
    part: str = ""
    said: str = ""

    def take(self, words: str) -> None:
        """Change it to the value that is written so.

        Raises
        ------
        FideleError
            When it cannot be that.
        """
        found = next((v for v in self.offered if str(v) == words), None)
        if found is None:
            offered = ", ".join(map(str, self.offered))
            raise FideleError(
                tr(
                    "{device}, {name}: there is no '{words}'; there is {offered}.",
                    device=self.device,
                    name=self.name,
                    words=words,
                    offered=offered,
                )
            )
        self.set(found)
