"""The driver of the Velm Wren: its settings, in its own words and places, with its own quirks.

A desktop printer for A4 with sublimation ink, which cannot mirror. The maker is invented, and so is every word.
"""

from __future__ import annotations

from fidele.arrays import Floats
from fidele.bench import RESOLUTION
from fidele.bench.correction import House, corrected
from fidele.bench.driver import Effect, Model, Setting, Stock, Values, always, polish, taste

#: The maker's own media and nothing else: other makers' papers run under one of these names.
STOCKS = {
    "Everyday": Stock(0.62, (1, 2)),
    "Dull heavy": Stock(0.94, (2, 3)),
    "Glint": Stock(0.82, (2, 3)),
    "Board": Stock(0.74, (1, 2, 3)),
}

BLENDS = ("Velm natural", "Velm bright", "Untouched")

#: Sheet sizes in millimetres and the unprintable margins: left, top, right, bottom.
FORMATS = {"A4": (210.0, 297.0), "A5": (148.0, 210.0)}
MARGINS = (3.0, 3.0, 3.0, 5.0)


def _blends(now: Values) -> tuple[str, ...]:
    # A quirk of this driver: 'Untouched' appears only once Polish has been switched off.
    return BLENDS if now["Polish"] == "off" else BLENDS[:-1]


_SLIDER = always(*range(-10, 11))

SETTINGS = {
    s.name: s
    for s in (
        Setting("Stock", "Feed › Stock", always(*STOCKS)),
        Setting("Format", "Feed › Format", always(*FORMATS)),
        Setting("Fit", "Feed › Fit", always("as it is", "into the frame", "over the edge")),
        Setting("Turn", "Feed › Turn", always("no", "half")),
        Setting("Passes", "Inks › Passes", lambda now: STOCKS[now["Stock"]].steps),
        Setting("Carriage", "Inks › Carriage", always("there", "there and back")),
        Setting("Polish", "Inks › Polish", always("on", "off")),
        Setting("Blend", "Inks › Blend", _blends),
        Setting("Light", "Inks › Taste › Light", _SLIDER),
        Setting("Strength", "Inks › Taste › Strength", _SLIDER),
        Setting("Warmth", "Inks › Taste › Warmth", _SLIDER),
        # Set at the printer itself; the driver neither sees nor changes it.
        Setting("Thrift", "Menu › Care › Thrift", always("off", "on"), readable=False, at_printer=True),
    )
}

DEFAULTS: Values = {
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

#: What the maker built its colours for: its own coated panel, and the heaviest of its stocks.
HOUSE = House("sublimation", STOCKS["Dull heavy"].load, 0.80)


def _follows(name: str, before: Values, after: Values) -> None:
    # Another quirk: a change of stock brings the maker's colours back.
    if name == "Stock" and after["Stock"] != before["Stock"]:
        after["Blend"] = DEFAULTS["Blend"]


def _numbers(rgb: Floats, values: Values) -> Floats:
    numbers = rgb
    if values["Blend"] != "Untouched":
        numbers = corrected(numbers, HOUSE, 1.22 if values["Blend"] == "Velm bright" else 1.06)
    if values["Polish"] == "on":
        numbers = polish(numbers)
    return taste(numbers, values["Light"], values["Strength"], values["Warmth"])


def _scale(values: Values, width: float, height: float) -> float:
    sheet = FORMATS[values["Format"]]
    if values["Fit"] == "over the edge":
        return max(sheet[0] / width, sheet[1] / height) * 1.03
    if values["Fit"] == "into the frame":
        left, top, right, bottom = MARGINS
        return min((sheet[0] - left - right) / width, (sheet[1] - top - bottom) / height)
    return 1.0


def effect(values: Values) -> Effect:
    """Return what the settings come to."""
    passes = {1: 0.90, 2: 0.97, 3: 1.0}[values["Passes"]]
    thrift = 0.85 if values["Thrift"] == "on" else 1.0
    return Effect(
        numbers=lambda rgb: _numbers(rgb, values),
        load=STOCKS[values["Stock"]].load * passes * thrift,
        rough={1: 0.030, 2: 0.020, 3: 0.012}[values["Passes"]],
        banded=values["Carriage"] != "there",
        sheet=FORMATS[values["Format"]],
        margins=MARGINS,
        scale=lambda width, height: _scale(values, width, height),
        turned=values["Turn"] == "half",
    )


MODEL = Model(
    maker="Velm",
    name="Wren",
    resolution=RESOLUTION,
    bits=8,
    settings=SETTINGS,
    defaults=DEFAULTS,
    stocks=STOCKS,
    stock_control="Stock",
    step_control="Passes",
    size_control="Format",
    ink="sublimation",
    ink_name="Velm S4",
    effect=effect,
    follows=_follows,
    paper="Fen 100 transfer paper",
    version="4.2",
    loaded={"": "A4"},
)
