"""Measurements in comma, semicolon or tab separated files, whose columns a person may have to name."""

from __future__ import annotations

import csv
from pathlib import Path

import numpy as np

from fidele.apart.ask import outside
from fidele.chart.cgats import INK_NAMES, Table, decoded
from fidele.chart.ink_set import FURTHER, PROCESS, InkSet
from fidele.chart.measurement import Measurement, from_table
from fidele.errors import FideleError
from fidele.files import read_bytes
from fidele.language import tr

_LARGEST = 64 << 20
#: What columns are called, and what that is in CGATS.
_NAMES = {
    "id": "SAMPLE_ID",
    "sample": "SAMPLE_ID",
    "sample_id": "SAMPLE_ID",
    "patch": "SAMPLE_ID",
    "name": "SAMPLE_ID",
    "l": "LAB_L",
    "l*": "LAB_L",
    "a": "LAB_A",
    "a*": "LAB_A",
    "b": "LAB_B",
    "b*": "LAB_B",
    "x": "XYZ_X",
    "y": "XYZ_Y",
    "z": "XYZ_Z",
    "r": "RGB_R",
    "g": "RGB_G",
    "red": "RGB_R",
    "green": "RGB_G",
    "blue": "RGB_B",
    "c": "CMYK_C",
    "m": "CMYK_M",
    "k": "CMYK_K",
    "cyan": "CMYK_C",
    "magenta": "CMYK_M",
    "yellow": "CMYK_Y",
    "black": "CMYK_K",
}


class ColumnsError(FideleError):
    """It is not clear what the columns of a file hold; `titles` are theirs, `rows` the first few."""

    def __init__(self, words: str, titles: list[str], rows: list[list[str]]) -> None:
        super().__init__(words)
        self.titles, self.rows = titles, rows

    def __reduce__(self) -> tuple[type[ColumnsError], tuple[str, list[str], list[list[str]]]]:
        return type(self), (str(self), self.titles, self.rows)


@outside
def read_csv(path: Path, columns: dict[str, str] | None = None) -> Measurement:
    """Read a table with one line of titles.

    `columns` maps titles to what they hold, as CGATS calls it: 'SAMPLE_ID', 'LAB_L', 'XYZ_X', 'RGB_R', ...

    Raises
    ------
    ColumnsError
        When titles are not understood.
    FideleError
        When a line is too short or long, or a value is not a number.
    """
    text = decoded(read_bytes(path, _LARGEST), path)
    lines = [line for line in text.splitlines() if line.strip()]
    if len(lines) < 2:
        raise FideleError(tr("{path} holds no samples.", path=path))
    mark = max(";\t,", key=lines[0].count)
    try:
        rows = [[cell.strip() for cell in row] for row in csv.reader(lines, delimiter=mark)]
    except csv.Error as error:
        raise FideleError(tr("{path} is no table: {error}.", path=path, error=error)) from error
    titles, body = rows[0], rows[1:]
    inks, of_inks = _inks(titles)
    known = columns or {t: k for t in titles if (k := of_inks.get(t) or _known(t, titles))}
    held = set(known.values())
    if not ({"LAB_L", "LAB_A", "LAB_B"} <= held or {"XYZ_X", "XYZ_Y", "XYZ_Z"} <= held or _spectral(held) >= 8):
        raise ColumnsError(
            tr("{path} does not say which of its columns hold L*a*b* or XYZ.", path=path), titles, body[:4]
        )
    if len(held) != len(known):
        raise ColumnsError(tr("{path} has two columns for one thing.", path=path), titles, body[:4])
    cells: dict[str, list[str]] = {kind: [] for kind in known.values()}
    for number, row in enumerate(body, 2):
        if len(row) != len(titles):
            raise FideleError(
                tr(
                    "{path}, line {number}: {n} values for {n2} columns.",
                    path=path,
                    number=number,
                    n=len(row),
                    n2=len(titles),
                )
            )
        for title, cell in zip(titles, row, strict=True):
            if title in known:
                cells[known[title]].append(cell)
    ids = tuple(cells.pop("SAMPLE_ID", [str(n + 1) for n in range(len(body))]))
    if len(set(ids)) != len(ids):
        raise FideleError(tr("{path} holds a sample twice.", path=path))
    numbers = {}
    for kind, column in cells.items():
        try:
            values = np.array([float(c.replace(",", ".")) for c in column])
        except ValueError:
            values = np.array([np.nan])
        if not np.isfinite(values).all():
            raise FideleError(
                tr("{path} has a value that is not a number in the column for {kind}.", path=path, kind=kind)
            )
        numbers[kind] = values
    said = {"ORIGINATOR": path.name} | ({INK_NAMES: ", ".join(inks)} if of_inks else {})
    return from_table(Table(ids, numbers, said), str(path))


def _inks(titles: list[str]) -> tuple[tuple[str, ...], dict[str, str]]:
    """Return the inks that columns are named after, and what these hold, where there are more than four of them."""
    named = {" ".join(title.lower().replace("-", " ").split()): title for title in titles}
    further = [name for name in named if name in FURTHER]
    if not further or not all(name in named for name in PROCESS):
        return (), {}
    of = InkSet((*PROCESS, *further))
    return of.names, {named[name]: column for name, column in zip(of.names, of.columns, strict=True)}


def _known(title: str, titles: list[str]) -> str:
    """Return what a column holds by its title; 'b' is of RGB without a lightness, 'y' an ink beside others."""
    plain = title.strip().lower().removeprefix("lab_").removeprefix("cie").replace("_", "").replace(" ", "")
    upper = title.strip().upper()
    if upper in _NAMES.values() or _spectral({upper}):
        return upper
    if upper.startswith(("LAB_", "XYZ_", "RGB_", "CMYK_")):
        return upper
    lower = {t.strip().lower() for t in titles}
    if plain == "b" and not lower & {"l", "l*", "lab_l", "ciel"}:
        return "RGB_B"
    if plain == "y" and lower >= {"c", "m", "k"}:
        return "CMYK_Y"
    return _NAMES.get(plain, _NAMES.get(title.strip().lower(), ""))


def _spectral(kinds: set[str]) -> int:
    from fidele.chart.measurement import _SPECTRAL

    return sum(_SPECTRAL.match(k) is not None for k in kinds)
