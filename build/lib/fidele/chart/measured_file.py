"""Measurement files of any kind, told by what is in them."""

from __future__ import annotations

import re
from pathlib import Path

from fidele.apart.ask import outside
from fidele.chart import cgats, csv_file, cxf
from fidele.chart.measurement import Measurement, from_table
from fidele.files import read_bytes

#: What dialogs offer; a file is known by what stands in it, whatever its ending.
ENDINGS = (".txt", ".cgats", ".cxf", ".xml", ".csv", ".tsv")
#: A heading of a table: so many fields, with names and not with numbers alone.
_FIELDS = 2


def kind_of(path: Path) -> str:
    """Tell by what stands in it what a text file of colours is: 'CGATS', 'CxF', 'table' (CSV), '' for none.

    Reads the beginning alone, and never fails: what cannot be read is none.
    """
    try:
        with path.open("rb") as file:
            head = file.read(1 << 16)
    except OSError:
        return ""
    plain = _plain(head)
    if "\0" in plain or not plain.strip():
        return ""
    if plain.startswith("<"):
        return "CxF" if re.search(r"<(\w+:)?(CxF|ColorSpecification|Resources)\b", plain) else ""
    if re.search(r"^\s*BEGIN_DATA(_FORMAT)?\b", plain, re.M | re.I) or re.match(r"CGATS|IT8\.7", plain, re.I):
        return "CGATS"
    lines = [line for line in plain.splitlines()[:40] if line.strip()]
    for mark in "\t;,":
        fields = [len(line.split(mark)) for line in lines]
        if len(lines) > 1 and min(fields) >= _FIELDS and fields[0] == fields[1]:
            titled = any(re.search("[A-Za-z]", title) for title in lines[0].split(mark))
            return "table" if titled and any(re.search(r"\d", line) for line in lines[1:]) else ""
    return ""


def _plain(head: bytes) -> str:
    wide = head[:2] in (b"\xff\xfe", b"\xfe\xff")
    return head.decode("utf-16" if wide else "latin-1", "ignore").lstrip("\ufeffï»¿").lstrip()


@outside
def read_any(path: Path, columns: dict[str, str] | None = None) -> Measurement:
    """Read a measurement file: CGATS.17, CxF3 or CSV, told by what is in it.

    `columns` says which column of a CSV file holds what ('id', 'L', 'a', 'b', 'X', …), where that is not clear.

    Raises
    ------
    FideleError
        When it cannot be read; `ColumnsError` where the columns of a CSV file must be told.
    """
    plain = _plain(read_bytes(path, 64 << 20)[:4096])
    kind = kind_of(path)
    if plain.startswith("<"):
        return cxf.read_measurement(path)
    if kind == "table" or (not kind and path.suffix.lower() in (".csv", ".tsv")):
        return csv_file.read_csv(path, columns)
    return from_table(cgats.read(path), str(path))
