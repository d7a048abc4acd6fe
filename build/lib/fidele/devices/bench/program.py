"""The bench's drawing program as another program that prints."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from fidele.bench.sketch import NAME, SETTINGS, Sketch
from fidele.devices.protocol import Printer, Sent
from fidele.errors import FideleError
from fidele.language import tr
from fidele.sheet.placing import Media
from fidele.tiles import Progress

#: A driver's dry run takes so many pixels each way at the most.
_PROBED = 900


class BenchProgram:
    """The drawing program of the bench."""

    name = NAME
    runs_here = True

    def __init__(self, sketch: Sketch) -> None:
        self._sketch = sketch
        where = {n: setting.place for n, setting in SETTINGS.items()}
        self.places = {
            "program_colour": f"{where['Colour notes']}: left unread",
            "program_through": f"{where['Inks by']}, {where['Aims at']}",
            "program_size": f"{where['Lay out']}: as drawn",
            "program_mirroring": f"{where['Backwards']}: no",
        }

    def dry_run(self, file: Path, device: Printer, leaf: Media) -> NDArray[np.uint8]:
        """Return the numbers that would become ink in the middle of the page that it makes of a file."""
        page = self._sketch.page(file, (leaf.width, leaf.height), device.format.ppi)
        y, x = (max(0, (n - _PROBED) // 2) for n in page.shape[:2])
        middle = np.ascontiguousarray(page[y : y + _PROBED, x : x + _PROBED])
        if device.probing is None:
            raise FideleError(tr("The {name} cannot be probed.", name=device.name))
        return device.probing.dry_run(middle, (leaf.width, leaf.height))

    def print_file(self, file: Path, device: Printer, leaf: Media, progress: Progress | None = None) -> Sent:
        """Print a file as a person would from this program; return the sheet and the driver's receipt."""
        page = self._sketch.page(file, (leaf.width, leaf.height), device.format.ppi)
        sent = device.print_page(page, progress)
        return replace(sent, receipt=sent.receipt | {"program": self.name})
