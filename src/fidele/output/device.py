"""What Fidele asks of a print device."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from fidele.route.condition import Card
from fidele.route.layers import Layer, SettingRow
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


class PrintDevice(Protocol):
    """A printer with its driver, as the product sees it."""

    id: str
    name: str
    ppi: int
    bits: int
    can_mirror: bool

    def media(self, size: str) -> Media:
        """Return a sheet by name with the margins of this printer."""
        ...

    def starter_card(self) -> Card:
        """Return a condition to begin with: no profile yet, so the driver converts."""
        ...

    def settings(self) -> dict[str, Any]:
        """Return what the driver tells of its settings, in its own words."""
        ...

    def choices(self) -> tuple[Choice, ...]:
        """Return every control of the driver with what it offers now."""
        ...

    def choose(self, name: str, value: Any) -> None:
        """Change a control of the driver, in its own words."""
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

    def dry_run(self, page: NDArray[np.uint8]) -> NDArray[np.uint8]:
        """Return the numbers that would become ink for a small page, without printing."""
        ...

    def dry_run_corrected(self, page: NDArray[np.uint8]) -> NDArray[np.uint8]:
        """Return what the maker's own correction makes of a small page, whatever the driver is set to."""
        ...

    def print_page(self, page: NDArray[np.uint8], progress: Progress | None = None) -> tuple[Any, dict[str, Any]]:
        """Print a page; return the sheet and what the driver says it did."""
        ...
