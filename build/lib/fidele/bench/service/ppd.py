"""A PPD file for a printer of the bench, made from the table of its driver, and its words turned back."""

from __future__ import annotations

import itertools
import re
from collections.abc import Iterator

from fidele.bench.driver import Model, Setting, Values
from fidele.values import Value

_POINT = 72 / 25.4
#: Length in mm at which a roll is cut where nobody asks for another.
ROLL_LENGTH = 297.0
#: And how long, at least and at most, a page on it can be.
_ROLL_BOUNDS = (100.0, 15000.0)


def keyword(words: Value) -> str:
    """Return words as a PPD writes them: letters, digits, a sign; 'Cared for by' becomes 'CaredForBy'."""
    text = str(words)
    if re.fullmatch(r"[-+]?\w+", text):
        return text
    return "".join(part[:1].upper() + part[1:] for part in re.findall(r"\w+", text.replace("'", "")))


def option_of(model: Model, control: str) -> str:
    """Return the keyword of a control's option: sizes stand under the one that every PPD has."""
    return "PageSize" if control == model.size_control else keyword(control)


def offered(model: Model) -> Iterator[tuple[Setting, tuple[Value, ...]]]:
    """Give the controls that a driver tells of, with all that each can ever offer."""
    for setting in model.settings.values():
        if not setting.at_printer and setting.offers(model.defaults) is not None:
            others = {n: v for n, v in _opening(model).items() if n != setting.name}
            yield setting, model.every(setting.name, others)


def _opening(model: Model) -> Values:
    """Return for each control that hides others the value under which they offer most."""
    best: Values = {}
    for name, setting in model.settings.items():
        values = setting.offers(model.defaults) or ()
        if name != model.stock_control:
            counts = {value: _count(model, name, value) for value in values}
            if len(set(counts.values())) > 1:
                best[name] = max(counts, key=lambda value: counts[value])
    return best


def _count(model: Model, name: str, value: Value) -> int:
    now = model.defaults | {name: value}
    return sum(len(setting.offers(now) or ()) for other, setting in model.settings.items() if other != name)


def ppd_of(model: Model) -> str:
    """Return the PPD file of a model: its controls as options, what excludes what, sheets with their margins."""
    return "\n".join([*_head(model), *_colour(model), *_options(model), *_constraints(model), ""])


def _head(model: Model) -> list[str]:
    name = model.name.lower()[:8]
    return [
        '*PPD-Adobe: "4.3"',
        '*FormatVersion: "4.3"',
        f'*FileVersion: "{model.version}"',
        "*LanguageVersion: English",
        "*LanguageEncoding: UTF-8",
        f'*PCFileName: "{name.upper()}.PPD"',
        f'*Manufacturer: "{model.maker}"',
        f'*Product: "({model.title})"',
        f'*ModelName: "{model.title}"',
        f'*ShortNickName: "{model.title}"',
        f'*NickName: "{model.title}, driver {model.version}"',
        '*PSVersion: "(3010.000) 0"',
        '*LanguageLevel: "3"',
        "*ColorDevice: True",
        "*DefaultColorSpace: RGB",
        "*cupsVersion: 2.4",
        "*cupsManualCopies: True",
        '*cupsFilter: "application/vnd.cups-raster 0 rastertobench"',
    ]


def _colour(model: Model) -> list[str]:
    device = f"<</cupsColorSpace 1/cupsColorOrder 0/cupsBitsPerColor {model.bits}>>setpagedevice"
    steps = (model.resolution, *((model.resolution // 2,) if model.halves else ()))
    return [
        "*OpenUI *ColorModel/Numbers taken: PickOne",
        "*OrderDependency: 10 AnySetup *ColorModel",
        "*DefaultColorModel: RGB",
        f'*ColorModel RGB/RGB: "{device}"',
        "*CloseUI: *ColorModel",
        "*OpenUI *Resolution/Page resolution: PickOne",
        "*OrderDependency: 20 AnySetup *Resolution",
        f"*DefaultResolution: {model.resolution}dpi",
        *(f'*Resolution {n}dpi/{n} to the inch: "<</HWResolution[{n} {n}]>>setpagedevice"' for n in steps),
        "*CloseUI: *Resolution",
    ]


def _options(model: Model) -> Iterator[str]:
    for setting, values in offered(model):
        if setting.name == model.size_control:
            yield from _sizes(model, setting, values)
            continue
        option = keyword(setting.name)
        yield f"*OpenUI *{option}/{setting.name}: PickOne"
        yield f"*OrderDependency: 50 AnySetup *{option}"
        yield f"*Default{option}: {keyword(model.defaults[setting.name])}"
        for value in values:
            yield f'*{option} {keyword(value)}/{value}: ""'
        yield f"*CloseUI: *{option}"


def _sizes(model: Model, setting: Setting, values: tuple[Value, ...]) -> Iterator[str]:
    default = keyword(model.defaults[setting.name])
    sheets = {}
    for value in values:
        effect = model.effect(model.defaults | {setting.name: value})
        width, height = effect.sheet
        sheets[value] = (width, height or ROLL_LENGTH, effect.margins)
    for option in ("PageSize", "PageRegion"):
        yield f"*OpenUI *{option}/{setting.name}: PickOne"
        yield f"*OrderDependency: 30 AnySetup *{option}"
        yield f"*Default{option}: {default}"
        for value, (width, height, _) in sheets.items():
            size = f"{width * _POINT:.2f} {height * _POINT:.2f}"
            yield f'*{option} {keyword(value)}/{value}: "<</PageSize[{size}]/ImagingBBox null>>setpagedevice"'
        yield f"*CloseUI: *{option}"
    lengths = [model.effect(model.defaults | {setting.name: value}).sheet[1] for value in values]
    if not all(lengths):
        yield from _own_sizes([w for w, _, _ in sheets.values()], next(iter(sheets.values()))[2])
    yield f"*DefaultImageableArea: {default}"
    for value, (width, height, (left, top, right, bottom)) in sheets.items():
        area = (left, bottom, width - right, height - top)
        yield f'*ImageableArea {keyword(value)}: "{" ".join(f"{v * _POINT:.2f}" for v in area)}"'
    yield f"*DefaultPaperDimension: {default}"
    for value, (width, height, _) in sheets.items():
        yield f'*PaperDimension {keyword(value)}: "{width * _POINT:.2f} {height * _POINT:.2f}"'


def _own_sizes(widths: list[float], margins: tuple[float, float, float, float]) -> Iterator[str]:
    """Give what a roll printer states of sizes of one's own."""
    left, top, right, bottom = margins
    short, long = (v * _POINT for v in _ROLL_BOUNDS)
    yield "*VariablePaperSize: True"
    yield f'*MaxMediaWidth: "{max(widths) * _POINT:.2f}"'
    yield f'*MaxMediaHeight: "{long:.2f}"'
    yield f"*HWMargins: {' '.join(f'{v * _POINT:.2f}' for v in (left, bottom, right, top))}"
    yield '*CustomPageSize True: "pop pop pop <</PageSize[5 -2 roll]/ImagingBBox null>>setpagedevice"'
    yield f"*ParamCustomPageSize Width: 1 points {min(widths) * _POINT:.2f} {max(widths) * _POINT:.2f}"
    yield f"*ParamCustomPageSize Height: 2 points {short:.2f} {long:.2f}"
    for order, name in enumerate(("WidthOffset", "HeightOffset"), 3):
        yield f"*ParamCustomPageSize {name}: {order} points 0 0"
    yield "*ParamCustomPageSize Orientation: 5 int 0 0"


def _constraints(model: Model) -> Iterator[str]:
    """Give the pairs of choices that exclude each other."""
    every = {setting.name: values for setting, values in offered(model)}
    opened = _opening(model)
    for one, other in itertools.permutations(every, 2):
        beside = {
            value: set(model.settings[other].offers(model.defaults | opened | {one: value}) or ())
            for value in every[one]
        }
        ever = set().union(*beside.values())
        for value, refused in itertools.product(every[one], every[other]):
            if refused in ever - beside[value]:
                yield (
                    f"*UIConstraints: *{option_of(model, one)} {keyword(value)} "
                    f"*{option_of(model, other)} {keyword(refused)}"
                )


def values_of(model: Model, options: dict[str, str]) -> Values:
    """Return a driver's values for options of its PPD; what it does not know is left out."""
    found: Values = {}
    for setting, values in offered(model):
        asked = options.get(option_of(model, setting.name), "")
        known = next((v for v in values if keyword(v) == asked), None)
        if asked.startswith("Custom.") and setting.name == model.size_control:
            known = _roll_of(model, asked, values)
        if known is not None:
            found[setting.name] = known
    return found


def _roll_of(model: Model, asked: str, values: tuple[Value, ...]) -> Value | None:
    """Return the roll as wide as a size of one's own, 'Custom.610x800mm'; None where there is none."""
    said = re.fullmatch(r"Custom\.([\d.]+)x([\d.]+)(mm|in|pt)?", asked)
    if said is None:
        return None
    width = float(said[1]) * {"mm": 1.0, "in": 25.4}.get(said[3] or "", 25.4 / 72)
    return next((v for v in values if abs(_width(model, v) - width) < 0.5), None)


def _width(model: Model, value: Value) -> float:
    return model.effect(model.defaults | {model.size_control: value}).sheet[0]
