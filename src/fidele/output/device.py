"""What Fidele asks of a print device."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from fidele.papers.leaflet import Vocabulary
from fidele.route.condition import Card, Owner
from fidele.route.layers import Layer, PrinterStatus, SettingRow
from fidele.route.probe import ProbeResult
from fidele.sheet.placing import Media
from fidele.tiles import Progress


@dataclass(frozen=True)
class Choice:
    """What a control of the driver offers at this moment, in the driver's words."""

    name: str
    place: str
    value: Any
    offered: tuple[Any, ...]
    #: Greyed out: an administrator has locked it.
    held: bool = False


@dataclass(frozen=True)
class CarriedMedia:
    """A media that a printer itself lists: its maker's name for it, and a few words."""

    name: str
    words: str


class Output(Protocol):
    """Where a page can go: a printer, or a file."""

    def print_page(self, page: NDArray[Any], progress: Progress | None = None) -> tuple[Any, dict[str, Any]]:
        """Take a page; return the sheet, None where there is none, and what was done, in the device's own words."""
        ...


class PrintDevice(Output, Protocol):
    """A printer with its driver, as the product sees it. `space` is what it takes: 'RGB'."""

    id: str
    name: str
    ppi: int
    bits: int
    space: str
    can_mirror: bool
    #: Where a profile lies, by its id: for drivers that are given one.
    profile_path: Callable[[str], Path | None]

    def vocabulary(self) -> Vocabulary:
        """Return the driver's words, to understand leaflets by."""
        ...

    def media_list(self) -> tuple[CarriedMedia, ...]:
        """Return the media that the printer carries profiles for."""
        ...

    def media_profile(self, name: str) -> bytes:
        """Return the profile that the printer carries for one of its media."""
        ...

    def settings_of(self, said: dict[str, tuple[str, ...]]) -> dict[str, Any]:
        """Return driver settings, by meaning, for what is said of how a profile was made; unknown words are left."""
        ...

    @property
    def system_profile(self) -> tuple[Path | None, Path | None]:
        """What the print system converts from and to for this printer; None where nothing is said."""
        ...

    def owners(self) -> tuple[Owner, ...]:
        """Return who can convert on this printer's route."""
        ...

    @property
    def process(self) -> str:
        """'transfer' where prints are pressed on a piece, 'direct' where the paper is the piece."""
        ...

    def sizes(self) -> tuple[str, ...]:
        """Return the sizes of sheet or roll that the driver offers, by name."""
        ...

    def stand_ins(self) -> tuple[CarriedMedia, ...]:
        """Return the driver's media names, heaviest ink load first."""
        ...

    def best_quality(self, stand_in: str) -> Any:
        """Return the best step of quality that a media of the driver's allows, None where that is not known."""
        ...

    def possible(self, driver: dict[str, Any]) -> dict[str, Any]:
        """Return driver settings, by meaning, with those put right that the driver does not offer beside the media."""
        ...

    def assign_system_profile(self, profile: Path | None, source: Path | None = None) -> None:
        """Assign a profile to the printer in the print system, or take it away; `source` is what it converts from."""
        ...

    def media(self, size: str, feed: str = "") -> Media:
        """Return a sheet by name with the margins of this printer, which differ by the way it is fed."""
        ...

    def status(self, card: Card) -> PrinterStatus:
        """Return what the printer says of itself: whether it answers, ink, what lies where the card feeds from."""
        ...

    def lay_in(self, card: Card) -> None:
        """Tell the printer that the sheet or roll that a card calls for lies in it now."""
        ...

    def offers(self, meaning: str, driver: dict[str, Any]) -> tuple[tuple[Any, str], ...]:
        """Return the values, with their words, that a card can ask for under a meaning beside other settings."""
        ...

    def at_rest(self, meaning: str) -> Any:
        """Return the value under which a setting leaves things alone, None where there is none."""
        ...

    def starter_card(self) -> Card:
        """Return a condition to begin with: no profile yet, so the driver converts."""
        ...

    def settings(self) -> dict[str, Any]:
        """Return what the driver tells of its settings, in its own words."""
        ...

    def state(self) -> dict[str, Any]:
        """Return everything between Fidele and the ink that can change: what a probe is true for."""
        ...

    @property
    def system_insists(self) -> bool:
        """Whether the print system will not go without a profile for its printers."""
        ...

    def choices(self) -> tuple[Choice, ...]:
        """Return every control of the driver with what it offers now."""
        ...

    def choose(self, name: str, value: Any) -> None:
        """Change a control of the driver, in its own words."""
        ...

    def restore(self, settings: dict[str, Any]) -> None:
        """Put the driver's controls back to what `settings` said they were."""
        ...

    def reset(self) -> None:
        """Throw the driver's settings back to its maker's defaults, whatever state they are in."""
        ...

    def rows(self, card: Card) -> tuple[SettingRow, ...]:
        """Return wanted and found settings by their neutral meaning."""
        ...

    def bring(self, card: Card, meanings: tuple[str, ...] | None = None) -> None:
        """Set the driver to the card, all of it or some meanings only."""
        ...

    def layers(self, card: Card, probe: ProbeResult | None) -> tuple[Layer, ...]:
        """Return the layers from the print system to the printer's panel as they are known."""
        ...

    def dry_run(self, page: NDArray[np.uint8], of: tuple[float, float] | None = None) -> NDArray[np.uint8]:
        """Return the numbers that would become ink for a small page, without printing.

        It is scaled as a page `of` so many millimetres would be; None leaves the scale alone.
        """
        ...

    def dry_run_corrected(self, page: NDArray[np.uint8]) -> NDArray[np.uint8]:
        """Return what the maker's own correction makes of a small page, whatever the driver is set to."""
        ...

    def sending(self, settings: dict[str, Any]) -> PrintDevice:
        """Return the printer as it is for one job that brings its own settings; the driver's stay as they are.

        What the driver keeps for itself (locked, or set at the printer) is not changed by that.
        """
        ...
