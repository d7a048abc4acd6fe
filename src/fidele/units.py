"""Units in which a workshop reads and writes lengths, heat and pressure; inside, everything is mm, °C and bar.

What is chosen holds for the whole process: the window, the shell, reports.
"""

from __future__ import annotations

import re
from typing import Literal

from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.language import tr

Kind = Literal["length", "heat", "pressure"]
INCH = 25.4
#: One bar in psi, from the inch and the pound (ISO 80000-4, BS 350: 1 psi = 6894.757 Pa).
_PSI = 1e5 / 6894.757293168
_CHOICES: dict[Kind, tuple[str, ...]] = {"length": ("mm", "in"), "heat": ("°C", "°F"), "pressure": ("bar", "psi")}
_WRITTEN = {
    "mm": "mm",
    "cm": "cm",
    "in": "in",
    "inch": "in",
    "inches": "in",
    '"': "in",
    "″": "in",
    "c": "°C",
    "f": "°F",
    "bar": "bar",
    "psi": "psi",
}
_TYPED = re.compile(r"([-+]?\d*[.,]?\d+|[-+]?\d+[.,]?)\s*(?:°\s*)?([a-z\"″]*)", re.IGNORECASE)


@dataclass(frozen=True)
class Units:
    """What is chosen: 'mm' or 'in', '°C' or '°F', 'bar' or 'psi'."""

    length: str = "mm"
    heat: str = "°C"
    pressure: str = "bar"


_now = [Units()]


def choices(kind: Kind) -> tuple[str, ...]:
    """Return the units that can be chosen for a kind of quantity, that of the inside first."""
    return _CHOICES[kind]


def use(units: Units) -> None:
    """Let everything be read and written in these units from now on."""
    wanted = (units.length, units.heat, units.pressure)
    _now[0] = Units(*(u if u in _CHOICES[k] else _CHOICES[k][0] for k, u in zip(_CHOICES, wanted, strict=True)))


def chosen() -> Units:
    """Return the units that are chosen."""
    return _now[0]


def unit_of(kind: Kind) -> str:
    """Return the unit chosen for a kind of quantity."""
    return str(getattr(_now[0], kind))


def shown(kind: Kind, value: float) -> float:
    """Return a value of the inside (mm, °C, bar) in the chosen unit."""
    return _out(unit_of(kind), value)


def inside(unit: str, value: float) -> float:
    """Return a value in a unit as mm, °C or bar."""
    if unit == "°F":
        return (value - 32) / 1.8
    return value * {"in": INCH, "cm": 10.0, "psi": 1 / _PSI}.get(unit, 1.0)


def _out(unit: str, value: float) -> float:
    if unit == "°F":
        return value * 1.8 + 32
    return value / {"in": INCH, "cm": 10.0, "psi": 1 / _PSI}.get(unit, 1.0)


def decimals(kind: Kind, wanted: int) -> int:
    """Return how many decimals the chosen unit needs to tell what so many tell of the inside's."""
    unit = unit_of(kind)
    return wanted + 2 if unit == "in" else max(0, wanted - 1) if unit == "psi" else wanted


def read(text: str, kind: Kind, bare: str = "") -> float:
    """Return what was typed, in mm, °C or bar: '8,27', '8.27 in', '392 °F', '40 psi'.

    A number without a unit is in `bare`, the chosen one where that is ''.

    Raises
    ------
    FideleError
        When it is no number, or its unit measures something else.
    """
    found = _TYPED.fullmatch(text.strip())
    if found is None:
        raise FideleError(
            tr("“{value}” is no number with a unit, such as 12.5 {unit_of}.", value=text, unit_of=unit_of(kind))
        )
    said = found.group(2).lower()
    unit = _WRITTEN.get(said) if said else bare or unit_of(kind)
    if unit is None or unit not in (*_CHOICES[kind], *(("cm",) if kind == "length" else ())):
        raise FideleError(
            tr(
                "“{value}”: {said} is no unit for it; {choices} are.",
                value=text,
                said=said,
                choices=tr(" and ").join(_CHOICES[kind]),
            )
        )
    return inside(unit, float(found.group(1).replace(",", ".")))


def _number(value: float, digits: int) -> str:
    return tr("{value:.{digits}f}", value=value, digits=digits)


def length(mm: float, digits: int = 0) -> str:
    """Return a length in words, with as many decimals as `digits` of a mm need."""
    return f"{_number(shown('length', mm), decimals('length', digits))} {unit_of('length')}"


def size(width: float, height: float, digits: int = 0) -> str:
    """Return a width and a height in words."""
    needed = decimals("length", digits)
    parts = (_number(shown("length", mm), needed) for mm in (width, height))
    return f"{' x '.join(parts)} {unit_of('length')}"


def temperature(celsius: float) -> str:
    """Return a temperature in words."""
    return tr("{shown:.0f} {unit_of}", shown=shown("heat", celsius), unit_of=unit_of("heat"))


def pressure(bar: float) -> str:
    """Return a pressure in words."""
    value = shown("pressure", bar)
    return tr("{value:.0f} psi", value=value) if unit_of("pressure") == "psi" else tr("{value:g} bar", value=value)


def pressing(celsius: float, seconds: float, bar: float) -> str:
    """Return temperature, time and pressure in words."""
    return tr(
        "{temperature}, {seconds:g} s, {pressure}",
        temperature=temperature(celsius),
        seconds=seconds,
        pressure=pressure(bar),
    )
