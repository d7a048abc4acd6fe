"""The driver of the Velm Wren: its settings, in its own words and places, with its own quirks.

Settings live on disk as the driver's own file. The maker is invented, and so is every word.
"""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from fidele.errors import FideleError
from fidele.files import read_bytes, write_bytes

MAKER = "Velm"
MODEL = "Wren"
RESOLUTION = 300
BITS = 8


@dataclass(frozen=True)
class Stock:
    """A media name of this driver: its ink load, and the passes that it allows."""

    load: float
    passes: tuple[int, ...]


#: The maker's own media and nothing else: other makers' papers run under one of these names.
STOCKS = {
    "Everyday": Stock(0.62, (1, 2)),
    "Dull heavy": Stock(0.94, (2, 3)),
    "Glint": Stock(0.82, (2, 3)),
    "Board": Stock(0.74, (1, 2, 3)),
}

BLENDS = ("Velm natural", "Velm bright", "Untouched")


@dataclass(frozen=True)
class Setting:
    """One control of the driver: where it stands, what it offers now, whether it can be read back."""

    name: str
    place: str
    offers: Callable[[dict[str, Any]], tuple[Any, ...]]
    readable: bool = True


def _always(*values: Any) -> Callable[[dict[str, Any]], tuple[Any, ...]]:
    return lambda _: values


def _blends(now: dict[str, Any]) -> tuple[str, ...]:
    # A quirk of this driver: 'Untouched' appears only once Polish has been switched off.
    return BLENDS if now["Polish"] == "off" else BLENDS[:-1]


_SLIDER = _always(*range(-10, 11))

SETTINGS = {
    s.name: s
    for s in (
        Setting("Stock", "Feed › Stock", _always(*STOCKS)),
        Setting("Format", "Feed › Format", _always("A4", "A5")),
        Setting("Fit", "Feed › Fit", _always("as it is", "into the frame", "over the edge")),
        Setting("Turn", "Feed › Turn", _always("no", "half")),
        Setting("Passes", "Inks › Passes", lambda now: STOCKS[now["Stock"]].passes),
        Setting("Carriage", "Inks › Carriage", _always("there", "there and back")),
        Setting("Polish", "Inks › Polish", _always("on", "off")),
        Setting("Blend", "Inks › Blend", _blends),
        Setting("Light", "Inks › Taste › Light", _SLIDER),
        Setting("Strength", "Inks › Taste › Strength", _SLIDER),
        Setting("Warmth", "Inks › Taste › Warmth", _SLIDER),
        # Set at the printer itself; the driver neither sees nor changes it.
        Setting("Thrift", "at the printer: Menu › Care › Thrift", _always("off", "on"), readable=False),
    )
}


def every_value() -> dict[str, tuple[Any, ...]]:
    """Return every value that each control can ever offer."""
    open_now = {"Polish": "off"}
    passes = tuple(sorted({p for stock in STOCKS.values() for p in stock.passes}))
    return {n: passes if n == "Passes" else s.offers(open_now) for n, s in SETTINGS.items()}


DEFAULTS: dict[str, Any] = {
    "Stock": "Everyday",
    "Format": "A4",
    "Fit": "into the frame",
    "Turn": "no",
    "Passes": 2,
    "Carriage": "there and back",
    "Polish": "on",
    "Blend": "Velm natural",
    "Light": 0,
    "Strength": 0,
    "Warmth": 0,
    "Thrift": "off",
}

#: Sheet sizes in millimetres and the unprintable margins: left, top, right, bottom.
FORMATS = {"A4": (210.0, 297.0), "A5": (148.0, 210.0)}
MARGINS = (3.0, 3.0, 3.0, 5.0)


class WrenDriver:
    """Reads and changes the settings of one unit, kept in `path`."""

    def __init__(self, path: Path) -> None:
        self.path = path
        if not path.exists():
            self._write(dict(DEFAULTS))

    def values(self) -> dict[str, Any]:
        """Return what is really set, unreadable things too: what the machine does, not what it tells.

        Raises
        ------
        FideleError
            When the driver's file is damaged.
        """
        try:
            stored = json.loads(read_bytes(self.path, 1 << 20))
        except ValueError as error:
            raise FideleError(f"The driver's settings in {self.path} are damaged; reset the driver.") from error
        if not isinstance(stored, dict):
            raise FideleError(f"The driver's settings in {self.path} are damaged; reset the driver.")
        now = DEFAULTS | {k: v for k, v in stored.items() if k in DEFAULTS}
        for name, setting in SETTINGS.items():
            if now[name] not in setting.offers(now):
                now[name] = DEFAULTS[name] if DEFAULTS[name] in setting.offers(now) else setting.offers(now)[0]
        return now

    def read_back(self) -> dict[str, Any]:
        """Return what the driver tells of its settings; what cannot be read back is left out."""
        return {name: value for name, value in self.values().items() if SETTINGS[name].readable}

    def offered(self, name: str) -> tuple[Any, ...]:
        """Return what a control offers at this moment."""
        return SETTINGS[name].offers(self.values())

    def change(self, name: str, value: Any) -> None:
        """Change one control, as a person would in the driver.

        Raises
        ------
        FideleError
            When there is no such control, it is not reachable from here, or it does not offer the value now.
        """
        if name not in SETTINGS:
            raise FideleError(f"The {MODEL} driver has no setting '{name}'.")
        if not SETTINGS[name].readable:
            raise FideleError(f"'{name}' is set {SETTINGS[name].place}, not in the driver.")
        now = self.values()
        if value not in SETTINGS[name].offers(now):
            raise FideleError(f"The {MODEL} driver does not offer '{value}' under {SETTINGS[name].place} now.")
        # Another quirk: a change of stock brings the maker's colours back.
        if name == "Stock" and value != now["Stock"]:
            now["Blend"] = DEFAULTS["Blend"]
        now[name] = value
        self._write(now)

    def at_the_panel(self, name: str, value: Any) -> None:
        """Change something at the printer itself, as a person standing before it would."""
        now = self.values()
        if name not in SETTINGS or value not in SETTINGS[name].offers(now):
            raise FideleError(f"The {MODEL} has no '{name}: {value}' in its menu.")
        now[name] = value
        self._write(now)

    def reset(self) -> None:
        """Go back to the maker's defaults, as after an update."""
        self._write(dict(DEFAULTS))

    def _write(self, values: dict[str, Any]) -> None:
        write_bytes(self.path, json.dumps(values, indent=2).encode())
