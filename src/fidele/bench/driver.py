"""What all drivers of the bench have in common: settings on disk, in the driver's own words, with its own quirks.

A driver's own module says what it is called, what it offers when, and what its settings do; this one keeps them.
"""

from __future__ import annotations

import contextlib
import json
from collections.abc import Callable
from dataclasses import field
from pathlib import Path
from typing import Any

import numpy as np

from fidele.arrays import Floats
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.files import read_bytes, write_bytes
from fidele.language import tr
from fidele.values import Value

#: Settings in a driver's own words: each knows what its own hold.
Values = dict[str, Any]

#: Keys of a driver's file beside its settings: which version wrote it, and which controls an administrator has locked.
_VERSION, _HELD = "driver version", "held by the administrator"


@dataclass(frozen=True)
class Stock:
    """A media name of a driver: its ink load, and the quality steps that it allows."""

    load: float
    steps: tuple[int, ...]


@dataclass(frozen=True)
class Setting:
    """One control: where it stands, what it offers now (None for any text), whether the driver tells it, whether it is
    at the printer."""

    name: str
    place: str
    offers: Callable[[Values], tuple[Value, ...] | None]
    readable: bool = True
    at_printer: bool = False

    @property
    def where(self) -> str:
        """Where it is to be found, in words."""
        return tr("at the printer: {place}", place=self.place) if self.at_printer else self.place


@dataclass(frozen=True)
class Effect:
    """What a driver's settings come to, whatever it calls them.

    Attributes
    ----------
    numbers
        What becomes of RGB (…, 3), 0 to 1, before it is separated into inks.
    load, rough, banded
        Ink load of full coverage, grain, and whether both-way printing leaves bands.
    sheet, margins
        Width and length of what is printed on and its unprintable left, top, right and bottom, in millimetres; of a
        roll the length is 0: as much as the page needs.
    scale
        Factor between the page's millimetres and the printed ones.
    """

    numbers: Callable[[Floats], Floats]
    load: float
    rough: float
    banded: bool
    sheet: tuple[float, float]
    margins: tuple[float, float, float, float]
    scale: Callable[[float, float], float]
    mirrors: bool = False
    turned: bool = False


@dataclass(frozen=True)
class Model:
    """A model of printer with its driver."""

    maker: str
    name: str
    resolution: int
    bits: int
    settings: dict[str, Setting]
    defaults: Values
    stocks: dict[str, Stock]
    #: By meaning 'stock' and 'step': which controls name the media and the quality.
    stock_control: str
    step_control: str
    #: And the size of the sheet.
    size_control: str
    #: Kind of ink (`fidele.bench.inks.DENSITIES`), and what the maker calls the set.
    ink: str
    ink_name: str
    effect: Callable[[Values], Effect]
    #: What a change brings with it: called with the control, the values before, and those after, which it may alter.
    follows: Callable[[str, Values, Values], None] = field(default=lambda _name, _before, _after: None)
    #: What lies in it when it is delivered, and whether its prints are pressed on something: 'transfer' or 'direct'.
    paper: str = ""
    process: str = "transfer"
    #: It takes pages at half its resolution too.
    halves: bool = False
    version: str = "1.0"
    #: Which control says through which way the sheet goes in, '' where there is one only.
    way_control: str = ""
    #: What lies in it when it is delivered: size by way of feeding, '' where there is one way only.
    loaded: dict[str, str] = field(default_factory=dict)

    @property
    def title(self) -> str:
        """Maker and model."""
        return f"{self.maker} {self.name}"

    def every(self, control: str, opened: Values | None = None) -> tuple[Value, ...]:
        """Return every value that a control can ever offer, whatever else is set; `opened` brings more on offer."""
        offers = self.settings[control].offers
        found: list[Value] = []
        for stock in self.stocks:
            for also in ({}, opened or {}):
                found += offers(self.defaults | {self.stock_control: stock} | also) or ()
        ordered = dict.fromkeys(found)
        return tuple(sorted(ordered)) if all(isinstance(v, int) for v in ordered) else tuple(ordered)


def always(*values: Value) -> Callable[[Values], tuple[Value, ...]]:
    """Return an offer that does not depend on anything."""
    return lambda _: values


def anything(_now: Values) -> None:
    """Offer any text: a field to type in."""
    return


class Driver:
    """Reads and changes the settings of one unit, kept in `path`."""

    def __init__(self, path: Path, model: Model) -> None:
        self.path = path
        self.model = model
        if not path.exists():
            with contextlib.suppress(FideleError):  # where nothing can be written, it is as its maker left it
                self._write(dict(model.defaults), {})

    def values(self) -> Values:
        """Return what is really set, unreadable things too: what the machine does, not what it tells.

        Raises
        ------
        FideleError
            When the driver's file is damaged.
        """
        stored = self._stored()
        return self._mended(self.model.defaults | {k: v for k, v in stored.items() if k in self.model.defaults})

    def _stored(self) -> Values:
        if not self.path.exists():
            return dict(self.model.defaults)
        try:
            stored = json.loads(read_bytes(self.path, 1 << 20))
        except ValueError as error:
            raise FideleError(
                tr("The driver's settings in {path} are damaged; reset the driver.", path=self.path)
            ) from error
        if not isinstance(stored, dict):
            raise FideleError(tr("The driver's settings in {path} are damaged; reset the driver.", path=self.path))
        return stored

    @property
    def version(self) -> str:
        """Return which version of the driver is installed."""
        return str(self._stored().get(_VERSION, self.model.version))

    @property
    def held(self) -> tuple[str, ...]:
        """Return the controls that an administrator has locked: they are shown grey and cannot be changed."""
        held = self._stored().get(_HELD, [])
        return tuple(n for n in held if n in self.model.settings) if isinstance(held, list) else ()

    def hold(self, *names: str) -> None:
        """Lock controls as they are, as an administrator does; no names free them all."""
        self._write(self.values(), self._beside() | {_HELD: list(names)})

    def update(self, version: str) -> None:
        """Install another version of the driver, which brings its maker's settings back."""
        self._write(dict(self.model.defaults), self._beside() | {_VERSION: version})

    def _beside(self) -> Values:
        """Return what the file holds beside the settings; nothing where it is damaged."""
        try:
            stored = self._stored()
        except FideleError:
            return {}
        return {k: stored[k] for k in (_VERSION, _HELD) if k in stored}

    def _mended(self, now: Values) -> Values:
        """Return values in which what is not on offer has given way to what is."""
        for name, setting in self.model.settings.items():
            offered = setting.offers(now)
            if offered is not None and now[name] not in offered:
                default = self.model.defaults[name]
                now[name] = default if default in offered else offered[0]
        return now

    def read_back(self) -> Values:
        """Return what the driver tells of its settings; what cannot be read back is left out."""
        return {name: value for name, value in self.values().items() if self.model.settings[name].readable}

    def offered(self, name: str) -> tuple[Value, ...]:
        """Return what a control offers at this moment; what it holds, where any text will do."""
        now = self.values()
        offered = self.model.settings[name].offers(now)
        return (now[name],) if offered is None else offered

    def change(self, name: str, value: Value) -> None:
        """Change one control, as a person would in the driver.

        Raises
        ------
        FideleError
            When there is no such control, it is not reachable from here, or it does not offer the value now.
        """
        setting = self.model.settings.get(name)
        if setting is None:
            raise FideleError(tr("The {driver} driver has no setting '{name}'.", driver=self.model.name, name=name))
        if setting.at_printer:
            raise FideleError(tr("'{name}' is not set in the driver: {place}.", name=name, place=setting.where))
        if name in self.held:
            raise FideleError(
                tr("{place} is greyed out: this machine's administrator has locked it", place=setting.place) + "."
            )
        now = self.values()
        offered = setting.offers(now)
        if not isinstance(value, str) if offered is None else value not in offered:
            raise FideleError(
                tr(
                    "The {driver} driver does not offer '{value}' under {place} now.",
                    driver=self.model.name,
                    value=value,
                    place=setting.place,
                )
            )
        self._take(name, value, now)

    def at_the_panel(self, name: str, value: Value) -> None:
        """Change something at the printer itself, as a person standing before it would."""
        setting, now = self.model.settings.get(name), self.values()
        if setting is None or value not in self.offered(name):
            raise FideleError(
                tr(
                    "The {printer} has no '{name}: {value}' in its menu.",
                    printer=self.model.name,
                    name=name,
                    value=value,
                )
            )
        self._take(name, value, now)

    def _take(self, name: str, value: Value, now: Values) -> None:
        after = now | {name: value}
        self.model.follows(name, now, after)
        self._write(after | {n: now[n] for n in self.held if n != name}, self._beside())

    def reset(self) -> None:
        """Go back to the maker's defaults, as when a preset is lost."""
        self._write(dict(self.model.defaults), self._beside())

    def _write(self, values: Values, beside: Values) -> None:
        write_bytes(self.path, json.dumps(values | beside, indent=2).encode())


class SentAlong(Driver):
    """A driver as it is for one job, with settings sent along; its own stay as they are.

    What an administrator holds, what is set at the printer, and what it does not tell cannot be sent.
    """

    def __init__(self, driver: Driver, sent: Values) -> None:
        self.path, self.model = driver.path, driver.model
        settings = driver.model.settings
        self._sent = {n: v for n, v in sent.items() if n in settings and not settings[n].at_printer}

    def _stored(self) -> Values:
        stored = super()._stored()
        held = stored.get(_HELD, [])
        return stored | {n: v for n, v in self._sent.items() if n not in held}

    def _write(self, values: Values, beside: Values) -> None:
        raise FideleError(tr("Values that are sent with a job cannot be changed on their way."))


def taste(numbers: Floats, light: float, strength: float, warmth: float) -> Floats:
    """Return numbers (…, 3) as hand sliders change them: lighter, stronger in colour, warmer; 0 leaves them."""
    grey = numbers.mean(axis=-1, keepdims=True)
    numbers = grey + (numbers - grey) * (1 + 0.04 * strength)
    numbers = numbers + 0.02 * light * 4 * numbers * (1 - numbers)
    warm = 0.012 * warmth * 4 * numbers[..., :1] * (1 - numbers[..., :1])
    return np.clip(numbers + warm * np.array([1.0, 0.1, -1.0]), 0, 1)


def polish(numbers: Floats) -> Floats:
    """Return numbers (…, 3) with more contrast, as drivers 'improve' pictures on their own."""
    return numbers + 0.10 * np.sin(2 * np.pi * (numbers - 0.5)) / np.pi
