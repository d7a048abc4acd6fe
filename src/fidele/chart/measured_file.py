"""Measurement files of any kind, told by what is in them."""

from __future__ import annotations

from pathlib import Path

from fidele.apart.ask import outside
from fidele.chart import cgats, csv_file, cxf
from fidele.chart.measurement import Measurement, from_table
from fidele.files import read_bytes


@outside
def read_any(path: Path, columns: dict[str, str] | None = None) -> Measurement:
    """Read a measurement file: CGATS.17, CxF3 or CSV, told by what is in it.

    `columns` says which column of a CSV file holds what ('id', 'L', 'a', 'b', 'X', …), where that is not clear.

    Raises
    ------
    FideleError
        When it cannot be read; `ColumnsError` where the columns of a CSV file must be told.
    """
    head = read_bytes(path, 64 << 20)[:4096]
    plain = head.decode("utf-16" if head[:2] in (b"\xff\xfe", b"\xfe\xff") else "latin-1", "ignore").lstrip("\ufeffï»¿")
    if plain.lstrip().startswith("<"):
        return cxf.read_measurement(path)
    if "BEGIN_DATA" in plain.upper() or (
        path.suffix.lower() not in (".csv", ".tsv") and "CGATS" in plain[:200].upper()
    ):
        return from_table(cgats.read(path), str(path))
    if path.suffix.lower() in (".csv", ".tsv", ".txt"):
        return csv_file.read_csv(path, columns)
    return from_table(cgats.read(path), str(path))
