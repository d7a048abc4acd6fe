"""The driver of the Orrin Gannet: settings in its own words and places, with its own quirks.

A photo printer for sheets up to A3 and a little more, with pigment ink straight on paper and two blacks, one for soft
surfaces and one for shining ones; it mirrors on demand and takes 16 bits. The maker is invented, and so is every word.
"""

from __future__ import annotations

from pathlib import Path

from fidele.arrays import Floats
from fidele.bench import RESOLUTION
from fidele.bench.correction import House, corrected
from fidele.bench.driver import Effect, Model, Setting, Stock, Values, always, anything, polish, taste
from fidele.errors import FideleError
from fidele.icc.profile import Profile
from fidele.icc.spaces import oprgb, srgb
from fidele.icc.transform import Intent, convert

#: Surfaces with their ink load, and the steps of finish that they allow.
SURFACES = {
    "Orrin rag": Stock(0.90, (2, 3, 4)),
    "Orrin sheen": Stock(0.80, (2, 3, 4)),
    "Orrin gloss": Stock(0.72, (3, 4)),
    "Orrin plain": Stock(0.55, (1, 2)),
}
#: Which black each surface can take; the first is set when the surface is chosen.
BLACKS = {
    "Orrin rag": ("soft",),
    "Orrin sheen": ("shining", "soft"),
    "Orrin gloss": ("shining",),
    "Orrin plain": ("soft", "shining"),
}
FORMATS = {"A4": (210.0, 297.0), "A3": (297.0, 420.0), "A3 and more": (329.0, 483.0)}
#: Margins by way in, and what fits through it.
WAYS = {"drawer": (3.0, 3.0, 3.0, 3.0), "back": (3.0, 5.0, 3.0, 20.0)}

CARE = ("Orrin's eye", "Orrin's lively eye", "a profile", "nobody")
#: What this driver calls the intents.
AIMS = {
    "keep the steps": Intent.PERCEPTUAL,
    "keep the colours": Intent.RELATIVE,
    "keep it strong": Intent.SATURATION,
    "keep the paper": Intent.ABSOLUTE,
}


def _care(now: Values) -> tuple[str, ...]:
    # A quirk: with an occasion chosen, the maker's eye cannot be sent away.
    return CARE if now["Occasion"] == "none" else CARE[:2]


def _ways(now: Values) -> tuple[str, ...]:
    # Stiff rag and the largest sheets go in at the back only.
    return ("back",) if now["Surface"] == "Orrin rag" or now["Sheet"] == "A3 and more" else ("drawer", "back")


_SLIDER = always(*range(-10, 11))

SETTINGS = {
    s.name: s
    for s in (
        Setting("Surface", "Paper › Surface", always(*SURFACES)),
        Setting("Sheet", "Paper › Sheet", always(*FORMATS)),
        Setting("Way in", "Paper › Way in", _ways),
        Setting("Bleed off", "Paper › Bleed off", always("no", "yes")),
        Setting("Reflect", "Paper › Reflect", always("no", "yes")),
        Setting("Head first", "Paper › Head first", always("no", "yes")),
        Setting("Resize", "Paper › Resize", always("none", "to the sheet", "by hand")),
        Setting("Resize by", "Paper › Resize › by hand, per cent", always(*range(50, 201))),
        Setting("Both faces", "Paper › Both faces", always("no", "yes")),
        Setting("Number", "Paper › Number", always(*range(1, 100))),
        Setting("Finish", "Making › Finish", lambda now: SURFACES[now["Surface"]].steps),
        Setting("Hurry", "Making › Hurry", always("no", "yes")),
        Setting("Scatter", "Making › Scatter", always("loose", "even")),
        Setting("Black", "Making › Black", lambda now: BLACKS[now["Surface"]]),
        Setting("Only grey", "Making › Only grey", always("no", "yes")),
        Setting("Flood", "Making › Flood", always(*range(-20, 21))),
        Setting("Stamp", "Making › Stamp", always("none", "SAMPLE")),
        Setting("Occasion", "Care › Occasion", always("none", "portraits", "leaflets")),
        Setting("Lift", "Care › Lift", always("yes", "no")),
        Setting("Cared for by", "Care › Cared for by", _care),
        Setting("Comes in", "Care › Comes in", always("sRGB", "opRGB")),
        Setting("Profile", "Care › a profile", anything),
        Setting("Aim", "Care › a profile › Aim", always(*AIMS)),
        Setting("Lighter", "Care › By hand › Lighter", _SLIDER),
        Setting("Fuller", "Care › By hand › Fuller", _SLIDER),
        Setting("Ruddier", "Care › By hand › Ruddier", _SLIDER),
        # Told to the printer when paper is laid in; the driver reads it.
        Setting("Laid in", "Paper laid in", always(*SURFACES), at_printer=True),
    )
}

DEFAULTS: Values = {
    "Surface": "Orrin sheen",
    "Sheet": "A4",
    "Way in": "drawer",
    "Bleed off": "no",
    "Reflect": "no",
    "Head first": "no",
    "Resize": "to the sheet",
    "Resize by": 100,
    "Both faces": "no",
    "Number": 1,
    "Finish": 3,
    "Hurry": "yes",
    "Scatter": "even",
    "Black": "shining",
    "Only grey": "no",
    "Flood": 0,
    "Stamp": "none",
    "Occasion": "none",
    "Lift": "yes",
    "Cared for by": "Orrin's eye",
    "Comes in": "opRGB",
    "Profile": "",
    "Aim": "keep the steps",
    "Lighter": 0,
    "Fuller": 0,
    "Ruddier": 0,
    "Laid in": "Orrin rag",
}

_HOUSES = {space: House("pigment", 0.85, 0.72, space) for space in ("sRGB", "opRGB")}


def _follows(name: str, before: Values, after: Values) -> None:
    # Another surface brings its own black and its middle finish, whatever was chosen before.
    if name == "Surface" and after["Surface"] != before["Surface"]:
        after["Black"] = BLACKS[after["Surface"]][0]
        steps = SURFACES[after["Surface"]].steps
        after["Finish"] = steps[len(steps) // 2]


def _numbers(rgb: Floats, values: Values) -> Floats:
    care, numbers = values["Cared for by"], rgb
    if values["Only grey"] == "yes":
        numbers = (numbers @ [0.3, 0.59, 0.11])[..., None].repeat(3, axis=-1)
    if care.startswith("Orrin"):
        numbers = corrected(numbers, _HOUSES[values["Comes in"]], 1.2 if "lively" in care else 1.03)
    elif care == "a profile" and values["Profile"]:
        try:
            profile = Profile.open(Path(values["Profile"]))
            source = srgb() if values["Comes in"] == "sRGB" else oprgb()
            numbers = convert(numbers, source, profile, AIMS[values["Aim"]], True).astype(float)
        except FideleError:
            pass  # this driver says nothing when the profile is gone, and passes the numbers on
    if values["Occasion"] != "none":
        numbers = numbers ** (0.92 if values["Occasion"] == "portraits" else 1.1)
    if values["Lift"] == "yes":
        numbers = polish(numbers)
    if values["Stamp"] != "none":
        numbers = numbers * 0.96
    return taste(numbers, values["Lighter"], values["Fuller"], values["Ruddier"])


def _scale(values: Values, width: float, height: float) -> float:
    sheet = FORMATS[values["Sheet"]]
    left, top, right, bottom = WAYS[values["Way in"]]
    factor = 1.0
    if values["Resize"] == "to the sheet":
        factor = min((sheet[0] - left - right) / width, (sheet[1] - top - bottom) / height)
    elif values["Resize"] == "by hand":
        factor = values["Resize by"] / 100
    if values["Bleed off"] == "yes":
        factor *= 1.02
    return factor


def effect(values: Values) -> Effect:
    """Return what the settings come to."""
    weak = values["Black"] == "shining" and values["Surface"] in ("Orrin rag", "Orrin plain")
    stock = SURFACES[values["Surface"]]
    finish = {1: 0.90, 2: 0.96, 3: 1.0, 4: 1.0}[values["Finish"]]
    return Effect(
        numbers=lambda rgb: _numbers(rgb, values),
        load=stock.load * finish * (1 + values["Flood"] / 100) * (0.92 if weak else 1.0),
        rough={1: 0.028, 2: 0.016, 3: 0.010, 4: 0.007}[values["Finish"]] * (1.3 if values["Scatter"] == "loose" else 1),
        banded=values["Hurry"] == "yes",
        sheet=FORMATS[values["Sheet"]],
        margins=(0.0, 0.0, 0.0, 0.0) if values["Bleed off"] == "yes" else WAYS[values["Way in"]],
        scale=lambda width, height: _scale(values, width, height),
        mirrors=values["Reflect"] == "yes",
        turned=values["Head first"] == "yes",
    )


MODEL = Model(
    maker="Orrin",
    name="Gannet",
    resolution=RESOLUTION,
    bits=16,
    settings=SETTINGS,
    defaults=DEFAULTS,
    stocks=SURFACES,
    stock_control="Surface",
    step_control="Finish",
    size_control="Sheet",
    ink="pigment",
    ink_name="Orrin K5",
    effect=effect,
    follows=_follows,
    paper="gallery rag",
    process="direct",
    version="11",
    way_control="Way in",
    loaded={"drawer": "A4", "back": "A4"},
)
