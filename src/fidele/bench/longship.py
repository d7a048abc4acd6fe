"""The driver of the Skarn Longship: settings in its own words and places, with its own quirks.

A roll printer, 61 cm wide, with sublimation ink; it mirrors unless told otherwise and stretches on demand, because
cloth shrinks. The maker is invented, and so is every word.
"""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from fidele.arrays import Floats
from fidele.bench import RESOLUTION
from fidele.bench.correction import House, corrected
from fidele.bench.driver import Effect, Model, Setting, Stock, Values, always, anything, polish, taste
from fidele.errors import FideleError
from fidele.icc.profile import Profile
from fidele.icc.spaces import srgb
from fidele.icc.transform import Intent, convert

#: Reels with their ink load, and the layers in which they may be printed.
REELS = {"Skarn veil": Stock(0.66, (2, 4)), "Skarn sail": Stock(0.84, (4, 6)), "Skarn deck": Stock(0.98, (4, 6, 8))}
#: Widths of rolls, in millimetres; the length is as much as the page needs.
WIDTHS = {"full": 610.0, "two thirds": 406.0, "third": 203.0}
_SIDE = 5.0

TONGUES = ("Skarn", "Skarn loud", "given profile", "as sent")


def _tongues(now: Values) -> tuple[str, ...]:
    # A quirk: what an expert needs is shown only in the keel's own mode.
    return TONGUES if now["Rig"] == "own" else TONGUES[:2]


def _with_own_rig(values: range, rest: int) -> Callable[[Values], tuple[int, ...]]:
    return lambda now: tuple(values) if now["Rig"] == "own" else (rest,)


_SLIDER = always(*range(-10, 11))

SETTINGS = {
    s.name: s
    for s in (
        Setting("Rig", "Deck › Rig", always("simple", "own")),
        Setting("Reel", "Deck › Reel", always(*REELS)),
        Setting("Breadth", "Deck › Breadth", always(*WIDTHS)),
        Setting("Flip", "Deck › Flip", always("yes", "no")),
        Setting("Swell", "Deck › Swell, per mille", _with_own_rig(range(950, 1051), 1000)),
        Setting("About turn", "Deck › About turn", always("no", "yes")),
        Setting("Layers", "Hold › Layers", lambda now: REELS[now["Reel"]].steps),
        Setting("Swing", "Hold › Swing", always("both", "single")),
        Setting("Haste", "Hold › Haste", always("no", "yes")),
        Setting("Weave", "Hold › Weave", always("fine", "coarse")),
        Setting("Ink", "Hold › Ink, per cent", _with_own_rig(range(60, 121), 100)),
        Setting("Hues", "Hold › Hues", always("all", "grey only")),
        Setting("Tongue", "Mast › Tongue", _tongues),
        Setting("Given profile", "Mast › Tongue › given profile", anything),
        Setting("Smooth seas", "Mast › Smooth seas", always("yes", "no")),
        Setting("Sun", "Mast › Weather › Sun", _SLIDER),
        Setting("Salt", "Mast › Weather › Salt", _SLIDER),
        Setting("Ember", "Mast › Weather › Ember", _SLIDER),
        # At the printer: what it believes lies in it, which the driver is told; how warm it dries, which it is not.
        Setting("Reel aboard", "Reel aboard", always(*REELS), at_printer=True),
        Setting("Lean ink", "Hold › Lean ink", always("no", "yes"), readable=False, at_printer=True),
    )
}

DEFAULTS: Values = {
    "Rig": "simple",
    "Reel": "Skarn veil",
    "Breadth": "full",
    "Flip": "yes",
    "Swell": 1000,
    "About turn": "no",
    "Layers": 4,
    "Swing": "both",
    "Haste": "no",
    "Weave": "coarse",
    "Ink": 100,
    "Hues": "all",
    "Tongue": "Skarn",
    "Given profile": "",
    "Smooth seas": "yes",
    "Sun": 0,
    "Salt": 0,
    "Ember": 0,
    "Reel aboard": "Skarn sail",
    "Lean ink": "no",
}

_HOUSE = House("sublimation", 0.84, 0.74)


def _follows(name: str, before: Values, after: Values) -> None:
    # Going back to the simple rig forgets what only the other one shows.
    if name == "Rig" and after["Rig"] == "simple":
        after |= {"Ink": 100, "Swell": 1000}
        if after["Tongue"] not in _tongues(after):
            after["Tongue"] = "Skarn"


def _numbers(rgb: Floats, values: Values) -> Floats:
    numbers, tongue = rgb, values["Tongue"]
    if values["Hues"] != "all":
        numbers = (numbers @ [0.3, 0.59, 0.11])[..., None].repeat(3, axis=-1)
    if tongue.startswith("Skarn"):
        numbers = corrected(numbers, _HOUSE, 1.25 if tongue == "Skarn loud" else 1.08)
    elif tongue == "given profile" and values["Given profile"]:
        try:
            given = Profile.open(Path(values["Given profile"]))
            numbers = convert(numbers, srgb(), given, Intent.PERCEPTUAL, True).astype(float)
        except FideleError:
            pass  # this driver says nothing when the profile is gone, and passes the numbers on
    if values["Smooth seas"] == "yes":
        numbers = polish(numbers)
    return taste(numbers, values["Sun"], values["Salt"], values["Ember"])


def effect(values: Values) -> Effect:
    """Return what the settings come to."""
    layers = {2: 0.88, 4: 0.96, 6: 1.0, 8: 1.0}[values["Layers"]]
    lean = 0.85 if values["Lean ink"] == "yes" else 1.0
    return Effect(
        numbers=lambda rgb: _numbers(rgb, values),
        load=REELS[values["Reel"]].load * layers * lean * values["Ink"] / 100,
        rough={2: 0.030, 4: 0.020, 6: 0.014, 8: 0.010}[values["Layers"]]
        * (1.6 if values["Haste"] == "yes" else 1)
        * (1.0 if values["Weave"] == "fine" else 1.4),
        banded=values["Swing"] == "both" or values["Haste"] == "yes",
        sheet=(WIDTHS[values["Breadth"]], 0.0),
        margins=(_SIDE, 0.0, _SIDE, 0.0),
        scale=lambda _width, _height: values["Swell"] / 1000,
        mirrors=values["Flip"] == "yes",
        turned=values["About turn"] == "yes",
    )


MODEL = Model(
    halves=True,
    maker="Skarn",
    name="Longship",
    resolution=RESOLUTION,
    bits=8,
    settings=SETTINGS,
    defaults=DEFAULTS,
    stocks=REELS,
    stock_control="Reel",
    step_control="Layers",
    size_control="Breadth",
    ink="sublimation",
    ink_name="Skarn S4",
    effect=effect,
    follows=_follows,
    paper="Fen 140 transfer reel",
    version="2.7",
    loaded={"": "full"},
)
