"""What a queue's PPD says: options with their choices, what excludes what, sheets with their margins.

Read by libcups in a child process: a PPD is a file from anywhere.
"""

from __future__ import annotations

import re
from dataclasses import field
from pathlib import Path

from fidele.apart.ask import outside
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.language import tr

#: A larger file is none that a driver needs.
_MOST = 12 << 20
_MM = 25.4 / 72


@dataclass(frozen=True)
class Option:
    """One option: its keyword, what people read, where it stands, its default, and its choices (keyword to words)."""

    keyword: str
    text: str
    group: str
    default: str
    choices: dict[str, str]


@dataclass(frozen=True)
class Sheet:
    """A size: width and length, and the unprintable left, top, right and bottom, in millimetres."""

    width: float
    height: float
    margins: tuple[float, float, float, float]


@dataclass(frozen=True)
class Ppd:
    """A driver's description of itself.

    Attributes
    ----------
    name, version
        What the driver calls itself, and the version of its description.
    conflicts
        Pairs of (option, choice), '' for any choice but none or false, that exclude each other.
    takes
        Media types that its own filters take, '' for none: the last step of the print system's chain.
    bits, resolutions
        Bits of a value by choice of the colour model, and pixels per inch by choice of the resolution.
    profiles
        Profiles named in it, by 'colour model.media.resolution'.
    custom
        Least and most width and length in mm of sizes of one's own, None where there are none.
    own_margins
        Their unprintable left, top, right and bottom.
    """

    name: str = ""
    version: str = ""
    options: tuple[Option, ...] = ()
    conflicts: tuple[tuple[str, str, str, str], ...] = ()
    sheets: dict[str, Sheet] = field(default_factory=dict)
    takes: tuple[str, ...] = ()
    bits: dict[str, int] = field(default_factory=dict)
    resolutions: dict[str, int] = field(default_factory=dict)
    profiles: dict[str, str] = field(default_factory=dict)
    custom: tuple[float, float, float, float] | None = None
    own_margins: tuple[float, float, float, float] = (5.0, 5.0, 5.0, 5.0)

    def option(self, keyword: str) -> Option | None:
        """Return an option by its keyword."""
        return next((o for o in self.options if o.keyword == keyword), None)

    def excluded(self, keyword: str, choice: str, now: dict[str, str]) -> bool:
        """Tell whether a choice cannot be had beside other options as they stand."""
        for one, its, other, others in self.conflicts:
            for a, b, c, d in ((one, its, other, others), (other, others, one, its)):
                if a == keyword and _meets(choice, b) and c in now and c != keyword and _meets(now[c], d):
                    return True
        return False


def _meets(choice: str, asked: str) -> bool:
    return choice == asked if asked else choice not in ("None", "False", "Off")


@outside
def read_ppd(path: Path) -> Ppd:
    """Read a PPD.

    Raises
    ------
    FideleError
        When it is none, is damaged, or is too large.
    """
    if path.stat().st_size > _MOST:
        raise FideleError(tr("The driver's description (PPD) is larger than any that a driver needs; it was not read."))
    try:
        import cups
    except ImportError as error:
        raise FideleError(
            tr("Printers of this machine cannot be read: the Python package pycups is missing.")
        ) from error
    try:
        found = cups.PPD(str(path))
    except RuntimeError as error:
        raise FideleError(
            tr("The driver's description (PPD) is damaged: {error}. Install the driver again.", error=error)
        ) from error
    options = tuple(
        Option(
            o.keyword, o.text or o.keyword, g.text or g.name, o.defchoice, {c["choice"]: c["text"] for c in o.choices}
        )
        for g in _groups(found.optionGroups)
        for o in g.options
    )
    conflicts = tuple(
        (c.option1 or "", c.choice1 or "", c.option2 or "", c.choice2 or "") for c in found.constraints if c.option1
    )
    said = _Attributes(path.read_text("utf-8", "replace"))
    sheets = {}
    areas = dict(said.every("ImageableArea"))
    for name, size in said.every("PaperDimension"):
        numbers, area = _numbers(size), _numbers(areas.get(name, ""))
        if len(numbers) == 2 and min(numbers) > 0 and len(area) == 4:
            (w, h), (left, bottom, right, top) = numbers, area
            margins = tuple(max(0.0, round(v * _MM, 3)) for v in (left, h - top, w - right, bottom))
            sheets[name] = Sheet(round(w * _MM, 2), round(h * _MM, 2), margins)  # type: ignore[arg-type]
    filters = said.values("cupsFilter2") or said.values("cupsFilter")
    # Where there is nothing to choose, the one resolution stands alone.
    steps = [name for name, _ in said.every("Resolution")] or [said.one("DefaultResolution")]
    if not sheets:
        raise FideleError(
            tr("The driver's description (PPD) names no sheet size: it is cut off. Install the driver again.")
        )
    return Ppd(
        name=said.one("NickName") or said.one("ModelName"),
        version=said.one("FileVersion"),
        options=options,
        conflicts=conflicts,
        sheets=sheets,
        takes=tuple(kind for line in filters if (kind := line.split(" ")[0])),
        bits={name: _after(code, "cupsBitsPerColor", 8) for name, code in said.every("ColorModel")},
        resolutions={name: ppi for name in steps if (ppi := _ppi(name))},
        profiles=dict(said.every("cupsICCProfile")),
        custom=_custom(said),
        own_margins=_own_margins(said, sheets),
    )


class _Attributes:
    """A PPD's lines by keyword, with what stands before their colon: what libcups keeps for itself."""

    _LINE = re.compile(r'^\*(\w+)(?:[ \t]+([^:/\n]*))?(?:/[^:\n]*)?:[ \t]*(?:"([^"]*)"|([^\n]*))', re.MULTILINE)

    def __init__(self, text: str) -> None:
        self._all = [(m[1], (m[2] or "").strip(), (m[3] or m[4] or "").strip()) for m in self._LINE.finditer(text)]

    def every(self, name: str) -> list[tuple[str, str]]:
        return [(spec, value) for n, spec, value in self._all if n == name]

    def values(self, name: str) -> list[str]:
        return [value for _, value in self.every(name)]

    def one(self, name: str) -> str:
        return next(iter(self.values(name)), "")


def _groups(groups: object) -> list:
    found = []
    for group in groups:  # type: ignore[attr-defined]
        found += [group, *_groups(group.subgroups)]
    return found


def _numbers(text: str) -> list[float]:
    try:
        return [float(part) for part in text.split()]
    except ValueError:
        return []


def _after(code: str, word: str, otherwise: int) -> int:
    parts = code.replace("/", " /").replace(">", " ").split()
    for at, part in enumerate(parts[:-1]):
        if part == f"/{word}" and parts[at + 1].isdigit():
            return int(parts[at + 1])
    return otherwise


def _ppi(name: str) -> int:
    """Return the resolution across that a choice names: '600dpi', '600x300dpi'."""
    digits = name.lower().removesuffix("dpi").split("x")
    return min((int(d) for d in digits), default=0) if name and all(d.isdigit() for d in digits) else 0


def _own_margins(said: _Attributes, sheets: dict[str, Sheet]) -> tuple[float, float, float, float]:
    """Return the margins of sizes of one's own: as stated, else the widest of any sheet."""
    points = _numbers(said.one("HWMargins"))
    if len(points) == 4 and min(points) >= 0:
        left, bottom, right, top = (round(v * _MM, 3) for v in points)
        return left, top, right, bottom
    left, top, right, bottom = (max(s.margins[edge] for s in sheets.values()) for edge in range(4))
    return left, top, right, bottom


def _custom(said: _Attributes) -> tuple[float, float, float, float] | None:
    bounds = {}
    for spec, value in said.every("ParamCustomPageSize"):
        parts = value.split()
        if len(parts) == 4 and spec in ("Width", "Height"):
            bounds[spec] = [round(v * _MM, 1) for v in _numbers(" ".join(parts[2:]))]
    if len(bounds.get("Width", ())) == 2 and len(bounds.get("Height", ())) == 2:
        return (bounds["Width"][0], bounds["Width"][1], bounds["Height"][0], bounds["Height"][1])
    return None
