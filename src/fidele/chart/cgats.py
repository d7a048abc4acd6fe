"""CGATS.17 text files (ISO 28178): reference values, chart definitions, measurements."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Sequence
from dataclasses import field
from pathlib import Path

import numpy as np

from fidele.apart.ask import outside
from fidele.arrays import Floats
from fidele.chart.ink_set import PROCESS, InkSet
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.files import read_bytes, write_bytes
from fidele.language import tr

_LARGEST = 64 * 2**20
_TOKEN = re.compile(r'"([^"]*)"|(\S+)')


@dataclass(frozen=True)
class Table:
    """One CGATS table: keywords in file order, and columns by field name.

    Text columns (SAMPLE_ID, SAMPLE_NAME, SAMPLE_LOC) hold strings, all others numbers.
    """

    ids: tuple[str, ...]
    columns: dict[str, Floats]
    keywords: dict[str, str] = field(default_factory=dict)
    texts: dict[str, tuple[str, ...]] = field(default_factory=dict)

    def triple(self, *names: str) -> Floats:
        """Return three columns as (n, 3).

        Raises
        ------
        FideleError
            When one is missing.
        """
        missing = [n for n in names if n not in self.columns]
        if missing:
            raise FideleError(tr("The measurement file has no column {missing}.", missing=missing[0]))
        return np.stack([self.columns[n] for n in names], axis=1)

    @property
    def Lab(self) -> Floats:
        """L*a*b* of all samples (n, 3)."""
        return self.triple("LAB_L", "LAB_A", "LAB_B")

    @property
    def RGB(self) -> Floats:
        """RGB of all samples (n, 3), 0 to 255 as the file has them."""
        return self.triple("RGB_R", "RGB_G", "RGB_B")


#: The keyword that says which inks columns such as 6CLR_1 are of.
INK_NAMES = "FIDELE_INKS"
_TEXT_FIELDS = {"SAMPLE_NAME", "SAMPLE_LOC", "STRING"}


def amounts_of(table: Table, name: str) -> Floats | None:
    """Return amounts (n, k), 0 to 1, of the inks of `inks_of`, where a table states them.

    Raises
    ------
    FideleError
        When they are beyond 0 to 100 %, or nobody says which inks they are.
    """
    if (names := inks_of(table, name)) is None:
        return None
    inks = np.stack([table.columns[column] for column in names.columns], axis=1)
    if not np.isfinite(inks).all() or inks.min() < -0.5 or inks.max() > 100.5:
        raise FideleError(tr("{name} has amounts of ink beyond 0 to 100 %.", name=name))
    return np.clip(inks / 100, 0, 1)


def inks_of(table: Table, name: str) -> InkSet | None:
    """Return which inks a table states amounts of: of CMYK, or of more where a keyword says which; None for none.

    Raises
    ------
    FideleError
        When it states amounts of more inks and not which, or of some that are not known here.
    """
    if all(f"CMYK_{c}" in table.columns for c in "CMYK"):
        return InkSet()
    count = next((k for k in range(5, 16) if all(f"{k}CLR_{i + 1}" in table.columns for i in range(k))), 0)
    if not count:
        return None
    said = tuple(one.strip().lower() for one in table.keywords.get(INK_NAMES, "").split(","))
    if len(said) != count:
        raise FideleError(
            tr(
                "{name} has amounts of {n} inks and does not say which: add a line {keyword} with their names, cyan, "
                "magenta, yellow and black first.",
                name=name,
                n=count,
                keyword=INK_NAMES,
            )
        )
    return InkSet(said)


def ink_columns(inks: Floats, names: Sequence[str]) -> tuple[dict[str, Floats], dict[str, str]]:
    """Return the columns of a table for amounts (n, k), 0 to 1, and the keywords that say which inks they are."""
    of = InkSet(tuple(names))
    columns = {column: inks[:, i] * 100 for i, column in enumerate(of.columns)}
    return columns, ({INK_NAMES: ", ".join(of.names)} if len(of) > len(PROCESS) else {})


def parse_all(text: str, name: str) -> list[Table]:
    """Read every table of a CGATS file; errors as in `parse`."""
    parts = re.split(r"(?mi)^(\s*END_DATA\s*)$", text)
    tables = [parse(parts[0] + "".join(parts[1:2]), name)]
    for at in range(2, len(parts) - 1, 2):
        if "BEGIN_DATA" in parts[at].upper():
            tables.append(parse(parts[at] + parts[at + 1], name))
    if "BEGIN_DATA" in parts[-1].upper():
        raise FideleError(tr("{name} is cut off: END_DATA is missing.", name=name))
    return tables


def merged(tables: list[Table], name: str) -> Table:
    """Return tables of one file as one: columns side by side for the same samples, samples below each other for others.

    Raises
    ------
    FideleError
        When they are neither.
    """
    first, *rest = tables
    for table in rest:
        if set(table.ids) == set(first.ids):
            place = {sample: row for row, sample in enumerate(table.ids)}
            at = [place[sample] for sample in first.ids]
            columns = {k: v[at] for k, v in table.columns.items()} | first.columns
            first = Table(first.ids, columns, table.keywords | first.keywords, first.texts)
        elif table.columns.keys() == first.columns.keys() and not set(table.ids) & set(first.ids):
            columns = {k: np.concatenate([v, table.columns[k]]) for k, v in first.columns.items()}
            texts = {k: v + table.texts[k] for k, v in first.texts.items() if k in table.texts}
            first = Table(first.ids + table.ids, columns, table.keywords | first.keywords, texts)
        else:
            raise FideleError(
                tr("{name} holds several tables that do not belong together; keep one in a file.", name=name)
            )
    return first


def parse(text: str, name: str) -> Table:
    """Read the first table of a CGATS file.

    Raises
    ------
    FideleError
        When it is no CGATS file, is cut off, or its counts, ids or numbers are wrong; the line is named.
    """
    lines = [line.strip() for line in text.replace("\r\n", "\n").replace("\r", "\n").split("\n")]
    upper = [line.upper() for line in lines]
    try:
        start_format = upper.index("BEGIN_DATA_FORMAT")
        end_format = upper.index("END_DATA_FORMAT", start_format)
        start = upper.index("BEGIN_DATA", end_format)
    except ValueError:
        raise FideleError(tr("{name} is not a CGATS file: it has no data format and data.", name=name)) from None
    if "END_DATA" not in upper[start:]:
        raise FideleError(tr("{name} is cut off: END_DATA is missing.", name=name))
    end = upper.index("END_DATA", start)
    fields = [f.upper() for line in lines[start_format + 1 : end_format] for f in line.split()]
    if "SAMPLE_ID" not in fields:
        raise FideleError(tr("{name} has no SAMPLE_ID column, so its samples cannot be told apart.", name=name))
    if len(set(fields)) != len(fields):
        raise FideleError(tr("{name} names a column twice.", name=name))
    keywords = {}
    for line in lines[:start_format] + lines[end_format + 1 : start]:
        tokens = [a or b for a, b in _TOKEN.findall(line.split("#")[0] if not line.startswith("#") else "")]
        if len(tokens) >= 2:
            keywords[tokens[0].upper()] = " ".join(tokens[1:])
    rows = [(n, lines[n]) for n in range(start + 1, end) if lines[n] and not lines[n].startswith("#")]
    cells: list[list[str]] = []
    for number, line in rows:
        tokens = [a or b for a, b in _TOKEN.findall(line)]
        if len(tokens) != len(fields):
            raise FideleError(
                tr(
                    "{name}, line {number}: {n} values for {n2} columns.",
                    name=name,
                    number=number + 1,
                    n=len(tokens),
                    n2=len(fields),
                )
            )
        cells.append(tokens)
    declared = keywords.get("NUMBER_OF_SETS")
    if declared is not None and declared.isdigit() and int(declared) != len(cells):
        raise FideleError(
            tr("{name} promises {declared} samples and holds {n}.", name=name, declared=declared, n=len(cells))
        )
    if not cells:
        raise FideleError(tr("{name} holds no samples.", name=name))
    columns: dict[str, Floats] = {}
    texts: dict[str, tuple[str, ...]] = {}
    for index, title in enumerate(fields):
        column = [row[index] for row in cells]
        if title == "SAMPLE_ID":
            ids = tuple(column)
        elif title in _TEXT_FIELDS:
            texts[title] = tuple(column)
        else:
            columns[title] = _numbers(column, title, [n for n, _ in rows], name)
    if len(set(ids)) != len(ids):
        twice = Counter(ids).most_common(1)[0][0]
        raise FideleError(tr("{name} holds sample '{twice}' twice.", name=name, twice=twice))
    return Table(ids, columns, keywords, texts)


def _numbers(column: list[str], title: str, lines: list[int], name: str) -> Floats:
    values = np.empty(len(column))
    for row, cell in enumerate(column):
        try:
            values[row] = float(cell.replace(",", "."))
        except ValueError:
            values[row] = np.nan
        if not np.isfinite(values[row]):
            raise FideleError(
                tr(
                    "{name}, line {lines}: '{cell}' in column {title} is not a number.",
                    name=name,
                    lines=lines[row] + 1,
                    cell=cell,
                    title=title,
                )
            )
    return values


@outside
def read(path: Path) -> Table:
    """Read a CGATS file, several tables as one; errors as in `parse` and `merged`."""
    return merged(parse_all(decoded(read_bytes(path, _LARGEST), path), str(path)), str(path))


def decoded(raw: bytes, path: Path) -> str:
    """Return the text of a file, UTF-8, UTF-16 or, where it is neither, Latin 1.

    Raises
    ------
    FideleError
        When it is no text.
    """
    encoding = "utf-16" if raw[:2] in (b"\xff\xfe", b"\xfe\xff") else "utf-8-sig"
    try:
        text = raw.decode(encoding)
    except UnicodeDecodeError:
        text = raw.decode("latin-1")
    if "\0" in text:
        raise FideleError(tr("{path} is not a text file, so it is no CGATS file.", path=path))
    return text


def write(path: Path, table: Table, decimals: int = 4) -> None:
    """Write a table as CGATS.17, whole or not at all. Keywords that the standard does not know are declared."""
    write_bytes(path, dump(table, decimals).encode("utf-8"))


_STANDARD = {
    "ORIGINATOR",
    "DESCRIPTOR",
    "CREATED",
    "INSTRUMENTATION",
    "MEASUREMENT_SOURCE",
    "PRINT_CONDITIONS",
    "MANUFACTURER",
    "SERIAL",
    "MATERIAL",
    "WEIGHTING_FUNCTION",
    "SAMPLE_BACKING",
}


def dump(table: Table, decimals: int = 4) -> str:
    """Return a table as CGATS.17 text."""
    lines = ["CGATS.17", ""]
    for key, value in table.keywords.items():
        if key in ("KEYWORD", "NUMBER_OF_FIELDS", "NUMBER_OF_SETS"):
            continue
        if key not in _STANDARD:
            lines.append(f'KEYWORD "{key}"')
        lines.append(f'{key} "{value.replace(chr(34), chr(39))}"')
    fields = ["SAMPLE_ID", *table.texts, *table.columns]
    lines += ["", f"NUMBER_OF_FIELDS {len(fields)}", "BEGIN_DATA_FORMAT", " ".join(fields), "END_DATA_FORMAT", ""]
    lines += [f"NUMBER_OF_SETS {len(table.ids)}", "BEGIN_DATA"]
    for row, sample in enumerate(table.ids):
        cells = [sample, *(f'"{t[row]}"' for t in table.texts.values())]
        cells += [f"{c[row]:.{decimals}f}" for c in table.columns.values()]
        lines.append("\t".join(cells))
    return "\n".join([*lines, "END_DATA", ""])
