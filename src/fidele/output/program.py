"""Other programs that print what Fidele has finished: the one on the bench, and any other one, which is not known."""

from __future__ import annotations

from pathlib import Path
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from fidele.bench.sketch import NAME, SETTINGS, Sketch
from fidele.errors import FideleError
from fidele.output.device import PrintDevice
from fidele.route.program import PLACES
from fidele.sheet.placing import Media
from fidele.tiles import Progress

#: A driver's dry run takes so many pixels each way at the most.
_PROBED = 900


class Program(Protocol):
    """A program that opens a picture file and prints it."""

    name: str
    #: Whether it can be run from here, to print or to be probed.
    runs_here: bool
    #: Where it keeps what must be set in it, by meaning (`fidele.route.program.WANTED`).
    places: dict[str, str]

    def dry_run(self, file: Path, device: PrintDevice, leaf: Media) -> NDArray[np.uint8]:
        """Return the numbers that would become ink in the middle of the page that it makes of a file."""
        ...

    def print_file(
        self, file: Path, device: PrintDevice, leaf: Media, progress: Progress | None = None
    ) -> tuple[Any, dict[str, Any]]:
        """Print a file as a person would from this program; return the sheet and the driver's receipt."""
        ...


class BenchProgram:
    """The drawing program of the bench."""

    name = NAME
    runs_here = True

    def __init__(self, sketch: Sketch) -> None:
        self._sketch = sketch
        where = {n: setting.place for n, setting in SETTINGS.items()}
        self.places = {
            "program_colour": f"{where['Colour notes']}: left unread",
            "program_size": f"{where['Lay out']}: as drawn",
            "program_mirroring": f"{where['Backwards']}: no",
        }

    def dry_run(self, file: Path, device: PrintDevice, leaf: Media) -> NDArray[np.uint8]:
        """Return the numbers that would become ink in the middle of the page that it makes of a file."""
        page = self._sketch.page(file, (leaf.width, leaf.height), device.ppi)
        y, x = (max(0, (n - _PROBED) // 2) for n in page.shape[:2])
        middle = np.ascontiguousarray(page[y : y + _PROBED, x : x + _PROBED])
        return device.dry_run(middle, (leaf.width, leaf.height))

    def print_file(
        self, file: Path, device: PrintDevice, leaf: Media, progress: Progress | None = None
    ) -> tuple[Any, dict[str, Any]]:
        """Print a file as a person would from this program; return the sheet and the driver's receipt."""
        page = self._sketch.page(file, (leaf.width, leaf.height), device.ppi)
        sheet, receipt = device.print_page(page, progress)
        return sheet, receipt | {"program": self.name}


class OtherProgram:
    """A program that is not at hand: a person prints from it, and looks up what cannot be asked."""

    runs_here = False

    def __init__(self, name: str) -> None:
        self.name, self.places = name, PLACES

    def dry_run(self, file: Path, device: PrintDevice, leaf: Media) -> NDArray[np.uint8]:
        """Refuse: nothing here can press another program's buttons.

        Raises
        ------
        FideleError
            Always.
        """
        raise FideleError(f"{self.name} cannot be probed from here: look there, and confirm what is asked for.")

    def print_file(
        self, file: Path, device: PrintDevice, leaf: Media, progress: Progress | None = None
    ) -> tuple[Any, dict[str, Any]]:
        """Refuse: nothing here can press another program's buttons.

        Raises
        ------
        FideleError
            Always.
        """
        raise FideleError(f"{file} is finished; open it in {self.name} and print it from there.")


def program_named(name: str, programs: tuple[Program, ...]) -> Program:
    """Return the program of this name: one that is at hand, else one of which nothing is known."""
    return next((p for p in programs if p.name == name), OtherProgram(name))
