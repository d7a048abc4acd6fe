"""The customers' colours of a workshop: typed, picked or imported."""

from __future__ import annotations

import csv
import json
import re
from collections.abc import Iterable
from pathlib import Path

import numpy as np

from fidele.apart.ask import outside
from fidele.arrays import Floats
from fidele.chart.cgats import read as read_cgats
from fidele.chart.cxf import read_cxf
from fidele.chart.measured_file import kind_of
from fidele.errors import FideleError
from fidele.files import read_bytes
from fidele.icc.spaces import srgb
from fidele.icc.transform import to_lab
from fidele.language import tr, trn
from fidele.proof.customer import TOLERANCE, CustomerColour
from fidele.proof.typed import colour_written
from fidele.session.live import Live
from fidele.session.news import ColoursChanged
from fidele.statefile import StateFile

_LARGEST = 16 << 20
_MOST = 2000
#: Endings of the files that lists are imported from.
LISTS = (".txt", ".cgats", ".cxf", ".csv")


class Customers:
    """One list at hand; what is changed can be undone."""

    def __init__(self, live: Live, path: Path) -> None:
        self._live = live
        self._file = StateFile[tuple[CustomerColour, ...]](path, _kept, tuple, _LARGEST)
        self.colours = self._file.read()

    def _set(self, colours: tuple[CustomerColour, ...], name: str) -> None:
        before = self.colours

        def apply(now: tuple[CustomerColour, ...]) -> None:
            rows = [
                {"name": c.name, "L": c.Lab[0], "a": c.Lab[1], "b": c.Lab[2], "tolerance": c.tolerance} for c in now
            ]
            self._file.write(json.dumps(rows, indent=1, ensure_ascii=False).encode())
            self.colours = now
            self._live.tell(ColoursChanged())

        self._live.history.do(name, lambda: apply(colours), lambda: apply(before))
        self._live.say(f"{name}.")

    def add(self, name: str, written: str, tolerance: float = TOLERANCE) -> CustomerColour:
        """Add a colour as a person writes it: '#rrggbb', 'r,g,b' or 'lab:L,a,b'; one of the same name is replaced.

        Raises
        ------
        FideleError
            When it is no colour.
        """
        return self.add_lab(name or written.strip(), colour_written(written), tolerance)

    def add_lab(self, name: str, Lab: np.ndarray, tolerance: float = TOLERANCE) -> CustomerColour:
        """Add a colour by its L*a*b* (3,)."""
        made = CustomerColour(name[:80], _triple(Lab), tolerance)
        self._set(
            (*(c for c in self.colours if c.name != made.name), made),
            tr("“{name}” is one of the colours", name=made.name),
        )
        return made

    def remove(self, name: str) -> None:
        """Take a colour off the list."""
        self._set(tuple(c for c in self.colours if c.name != name), tr("“{name}” is off the list", name=name))

    def set_tolerance(self, name: str, tolerance: float) -> None:
        """Say how far off a colour may be, in ΔE00."""
        changed = tuple(CustomerColour(c.name, c.Lab, tolerance) if c.name == name else c for c in self.colours)
        if changed != self.colours:
            self._set(changed, tr("“{name}” may be off by ΔE00 {tolerance:g}", name=name, tolerance=tolerance))

    def take_in(self, found: list[CustomerColour], name: str) -> int:
        """Take colours that were read from a file (`read_colours`) in; return how many they are."""
        names = {c.name for c in found}
        self._set(
            (*(c for c in self.colours if c.name not in names), *found),
            trn("{n} colour from {name}", "{n} colours from {name}", len(found), n=len(found), name=name),
        )
        return len(found)


def _kept(data: bytes) -> tuple[CustomerColour, ...]:
    found = [
        CustomerColour(str(r["name"]), _triple(_finite(r[k] for k in "Lab")), float(_finite([r["tolerance"]])[0]))
        for r in json.loads(data)
    ]
    return tuple(found[:_MOST])


def _finite(values: Iterable[float]) -> Floats:
    found = np.array([float(v) for v in values])
    if not np.isfinite(found).all() or np.abs(found).max() > 1000:
        raise ValueError(tr("no colour"))
    return found


@outside
def read_colours(path: Path) -> list[CustomerColour]:
    """Read a list of colours from CGATS.17, CxF3 or CSV.

    Raises
    ------
    FideleError
        When it is damaged or holds none.
    """
    data = read_bytes(path, _LARGEST)
    head = data[:4000].lstrip(b"\xef\xbb\xbf \r\n\t")
    if head.startswith(b"<"):
        found = [CustomerColour(name, _triple(Lab)) for name, Lab in read_cxf(path)]
    elif kind_of(path) == "table" or path.suffix.lower() == ".csv":
        found = _from_csv(data, path)
    else:
        table = read_cgats(path)
        names = list(table.texts.get("SAMPLE_NAME", table.ids))
        try:
            Lab = table.Lab
        except FideleError:
            Lab = to_lab((table.RGB / 255).astype(np.float32), srgb()).astype(float)
        found = [CustomerColour(n, _triple(v)) for n, v in zip(names, Lab, strict=True)]
    if not found:
        raise FideleError(tr("{path} holds no colours.", path=path))
    if len(found) > _MOST:
        raise FideleError(
            tr("{path} holds {n:,} colours; a list has at most {most:,}.", path=path, n=len(found), most=_MOST)
        )
    return found


def _from_csv(data: bytes, path: Path) -> list[CustomerColour]:
    """Read rows of a name and a colour: columns L, a, b, or R, G, B, or hex, by their headings or in this order."""
    text = data.decode("utf-8-sig", "replace")
    try:
        dialect: type[csv.Dialect] | csv.Dialect = csv.Sniffer().sniff(text[:4000], ",;\t")
    except csv.Error:
        dialect = csv.excel
    try:
        rows = [
            [c.strip() for c in row] for row in csv.reader(text.splitlines(), dialect) if any(c.strip() for c in row)
        ]
    except csv.Error as error:
        raise FideleError(tr("{path} is no table of colours: {error}.", path=path, error=error)) from error
    if not rows:
        raise FideleError(tr("{path} is empty.", path=path))
    heads = [re.sub(r"[^a-z]", "", c.lower()) for c in rows[0]]
    has_heads = not any(re.search(r"\d", c) for c in rows[0])
    body = rows[1:] if has_heads else rows
    columns = {h: i for i, h in enumerate(heads)} if has_heads else {}

    def at(row: list[str], *names: str) -> list[str] | None:
        if all(n in columns and columns[n] < len(row) for n in names):
            return [row[columns[n]].replace(",", ".") for n in names]
        return None

    found = []
    for number, row in enumerate(body, 2 if has_heads else 1):
        limit = at(row, "tolerance")
        own = at(row, "name")
        name = own[0] if own else row[0]
        if (Lab := at(row, "l", "a", "b")) or (Lab := at(row, "labl", "laba", "labb")):
            written = "lab:" + ",".join(Lab)
        elif rgb := at(row, "r", "g", "b") or at(row, "red", "green", "blue"):
            written = ",".join(rgb)
        elif code := at(row, "hex") or at(row, "colour"):
            written = code[0]
        else:
            rest = [c for c in row if c != name]
            written = ",".join(rest[:3]) if len(rest) >= 3 else rest[0] if rest else row[0]
        try:
            tolerance = float(limit[0]) if limit and limit[0] else TOLERANCE
            found.append(CustomerColour(name[:80], _triple(colour_written(written)), tolerance))
        except (FideleError, ValueError) as error:
            raise FideleError(tr("{path}, row {number}: {error}", path=path, number=number, error=error)) from error
    return found


def _triple(values: np.ndarray) -> tuple[float, float, float]:
    return (round(float(values[0]), 3), round(float(values[1]), 3), round(float(values[2]), 3))
