"""Other programs that print what Fidele has finished: those at hand, and any other one, which is not known."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from fidele.devices.protocol import Printer, Program, Sent
from fidele.errors import FideleError
from fidele.language import tr
from fidele.route.program import PLACES
from fidele.sheet.placing import Media
from fidele.tiles import Progress


class OtherProgram:
    """A program that is not at hand: a person prints from it, and looks up what cannot be asked."""

    runs_here = False

    def __init__(self, name: str) -> None:
        self.name, self.places = name, PLACES

    def dry_run(self, file: Path, device: Printer, leaf: Media) -> NDArray[np.uint8]:
        """Refuse: nothing here can press another program's buttons.

        Raises
        ------
        FideleError
            Always.
        """
        raise FideleError(
            tr("{name} cannot be probed from here: look there, and confirm what is asked for.", name=self.name)
        )

    def print_file(self, file: Path, device: Printer, leaf: Media, progress: Progress | None = None) -> Sent:
        """Refuse: nothing here can press another program's buttons.

        Raises
        ------
        FideleError
            Always.
        """
        raise FideleError(
            tr("{file} is finished; open it in {name} and print it from there.", file=file, name=self.name)
        )


def program_named(name: str, programs: tuple[Program, ...]) -> Program:
    """Return the program of this name: one that is at hand, else one of which nothing is known."""
    return next((p for p in programs if p.name == name), OtherProgram(name))
