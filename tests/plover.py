"""A printer of another kind: 16-bit pages at 120 ppi written into its folder, options as choices, no probe, no table.

It is all that it takes: this file, and a line in the registry.
"""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np

from fidele.devices.devices import Devices
from fidele.devices.protocol import CarriedMedia, PageFormat, Sent
from fidele.devices.settings import DriverSettings
from fidele.devices.vocabulary import Word, Words
from fidele.errors import FideleError
from fidele.route.condition import Card
from fidele.sheet.placing import Media

OPTIONS = {
    "media-type": ("stock-a", "stock-b"),
    "print-quality": ("draft", "fine"),
    "colour-handling": ("device", "vendor"),
    "media-size": ("A4", "A5"),
}
WORDS = Words(
    meanings={
        "colour": Word(("colour-handling",), {"device": "leave the numbers alone", "vendor": "maker's colours"}),
        "stand_in": Word(("media-type",)),
        "quality": Word(("print-quality",)),
        "size": Word(("media-size",)),
    },
    order=("stand_in", "quality", "colour", "size"),
    passes="device",
    corrects="vendor",
)
SIZES = {"A4": (210.0, 297.0), "A5": (148.0, 210.0)}


class Options:
    """Options as a print service tells them: each with a keyword chosen from some, kept in one file."""

    def __init__(self, file: Path) -> None:
        self._file = file

    def read_back(self):
        kept = json.loads(self._file.read_text()) if self._file.exists() else {}
        return {name: kept.get(name, offered[-1]) for name, offered in OPTIONS.items()}

    def change(self, name, value):
        if value not in OPTIONS[name]:
            raise FideleError(f"The Plover has no {name}={value}.")
        self._file.parent.mkdir(parents=True, exist_ok=True)
        self._file.write_text(json.dumps(self.read_back() | {name: value}))

    def reset(self):
        self._file.unlink(missing_ok=True)

    def held(self):
        return ()

    def offered(self, name, beside=None):
        return OPTIONS[name]

    def every(self, name):
        return OPTIONS[name]

    def place(self, name):
        return f"options › {name}"

    def at_printer(self, name):
        return False


class Plover(DriverSettings):
    id, name, process = "plover/1", "Marsh Plover", "transfer"
    format = PageFormat(120, 16)
    probing = supplies = carries = None

    def __init__(self, folder: Path) -> None:
        super().__init__(Options(folder / "plover.json"), WORDS, None)
        self._pages = folder / "plover"

    def owners(self):
        return ("fidele", "driver")

    def media(self, size, feed=""):
        wide, high = SIZES.get(size, SIZES["A4"])
        return Media(size, wide, high, (4.0, 4.0, 4.0, 4.0))

    def stand_ins(self):
        return tuple(CarriedMedia(name, "") for name in OPTIONS["media-type"])

    def best_quality(self, stand_in):
        return "fine"

    def possible(self, driver):
        return driver

    def starter_card(self):
        driver = {"stand_in": "stock-a", "quality": "fine"}
        where = {"printer": self.id, "printer_name": self.name, "media": "Sedge 90", "substrate": "ceramic tile"}
        return Card(id="first-plover", name="Plover tiles", owner="driver", driver=driver, **where)

    def sending(self, settings, system=None):
        return self

    def print_page(self, page, progress=None):
        assert page.dtype == np.uint16
        self._pages.mkdir(parents=True, exist_ok=True)
        np.save(self._pages / f"page-{len(list(self._pages.iterdir())) + 1}.npy", page)
        return Sent({"accepted": True})


def plover(folder: Path) -> Devices:
    return Devices((Plover(folder),))
