"""Limits that a print must keep: ours, and what people write into files of their own."""

from __future__ import annotations

import json
import math
from pathlib import Path
from typing import Any

from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.files import read_bytes, write_bytes
from fidele.language import named, tr


@dataclass(frozen=True)
class Tolerance:
    """Limits of ΔE00: a print passes when none that is set is exceeded.

    Attributes
    ----------
    mean, p95
        Of all patches.
    largest
        Of any single patch; infinite where it does not count.
    greys
        Mean of the greys; infinite where they count like all others.
    source
        Where the figures come from.
    """

    name: str
    mean: float
    p95: float
    largest: float = math.inf
    greys: float = math.inf
    source: str = ""


_OWN = tr("Fidele's own; two prints that differ by a mean of 2.5 are told apart only side by side")

TOLERANCES = {
    t.name: t
    for t in (
        Tolerance(named("tight"), 1.5, 3.0, source=_OWN),
        Tolerance(named("everyday"), 2.5, 5.0, source=_OWN),
        Tolerance(named("fabric"), 4.0, 8.0, source=tr("{own}; a weave scatters more than paper", own=_OWN)),
    )
}


def kept_tolerances(folder: Path) -> tuple[dict[str, Tolerance], list[str]]:
    """Return the sets of a folder by name, ours written into it where it has none, and a sentence for each bad file."""
    found: dict[str, Tolerance] = {}
    wrong: list[str] = []
    if not folder.is_dir():
        try:
            for tolerance in TOLERANCES.values():
                write_bytes(folder / f"{tolerance.name}.json", _text(tolerance).encode())
        except FideleError as error:
            wrong.append(str(error))
    for path in sorted(folder.glob("*.json")) if folder.is_dir() else ():
        try:
            one = read_tolerance(path)
        except FideleError as error:
            wrong.append(str(error))
            continue
        found[one.name] = one
    missing = {name: t for name, t in TOLERANCES.items() if name not in found}
    return missing | found, wrong


def read_tolerance(path: Path) -> Tolerance:
    """Read a set from its file: JSON with 'mean' and 'p95', and 'largest', 'greys', 'name', 'source' where wanted.

    Raises
    ------
    FideleError
        When it cannot be read or a limit is no positive number.
    """
    try:
        kept: Any = json.loads(read_bytes(path, 1 << 16))
        limits = {key: float(kept[key]) for key in ("mean", "p95", "largest", "greys") if kept.get(key) is not None}
        if not all(0 < v <= 100 for v in limits.values()):
            raise ValueError
        name, source = str(kept.get("name") or path.stem)[:40], str(kept.get("source", ""))
        return Tolerance(name, source=source, **limits)
    except (ValueError, TypeError, AttributeError):
        raise FideleError(
            tr("{path} is no set of tolerances: it needs 'mean' and 'p95', each a number between 0 and 100.", path=path)
        ) from None


def _text(tolerance: Tolerance) -> str:
    kept = {"name": tolerance.name, "mean": tolerance.mean, "p95": tolerance.p95}
    kept |= {k: v for k in ("largest", "greys") if math.isfinite(v := getattr(tolerance, k))}
    return json.dumps(kept | {"source": tolerance.source}, indent=2, ensure_ascii=False) + "\n"


def tolerance_named(name: str, folder: Path | None = None) -> Tolerance:
    """Return a set by its name or by its file.

    Raises
    ------
    FideleError
        When there is none.
    """
    known = dict(TOLERANCES) if folder is None else kept_tolerances(folder)[0]
    if name in known:
        return known[name]
    if name.endswith(".json"):
        return read_tolerance(Path(name))
    raise FideleError(
        tr(
            "There is no tolerance '{name}'; there is {known}, or a .json file of your own.",
            name=name,
            known=", ".join(known),
        )
    )
