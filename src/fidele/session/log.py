"""What the logbook tells: facts of a run, what differs between two, totals of media and ink, and export."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from fidele.errors import FideleError
from fidele.files import write_bytes
from fidele.route.condition import OWNER_WORDS
from fidele.route.layers import MEANINGS
from fidele.store.records import KeptRun


@dataclass(frozen=True)
class Fact:
    """One thing that is known of a run: its section, its name, and its value in words."""

    section: str
    name: str
    value: str


@dataclass(frozen=True)
class Totals:
    """What some runs took: how many were printed, square metres of media, and millilitres of ink by tank."""

    printed: int
    square_metres: float
    ink: dict[str, float]


def facts(run: KeptRun) -> list[Fact]:
    """Return what the logbook knows of a run, section by section."""
    card, job = json.loads(run.card), json.loads(run.job or "{}")
    settings, receipt = json.loads(run.settings), json.loads(run.receipt)
    found = [
        Fact("Run", "Title", run.title),
        Fact("Run", "State", run.state + (f": {run.why}" if run.why else "")),
        Fact("Run", "Ordered", f"{run.at:%d.%m.%Y %H:%M}"),
        Fact("Run", "Media", _media_words(job, run)),
    ]
    if run.target:
        found.append(Fact("Run", "To the file", run.target))
    if run.overridden:
        titles = "; ".join(title for _, title in json.loads(run.passed)) or "what held it"
        found.append(Fact("Run", "Printed in spite of", titles))
        found.append(Fact("Run", "Because", run.overridden))
    found += _pieces(job)
    found += _card_facts(card)
    found += [Fact("Settings sent", name, str(value)) for name, value in settings.items()]
    found += [Fact("Receipt", name, _said(value)) for name, value in receipt.items() if settings.get(name) != value]
    found += _press_facts(run.press)
    return found


def _media_words(job: dict[str, Any], run: KeptRun) -> str:
    media = job.get("media")
    if not media:
        return f"{run.media_mm2 / 1e6:.3f} m²" if run.media_mm2 else "not kept"
    return f"{media['name']}, {media['width']:g} x {media['height']:.0f} mm"


def _pieces(job: dict[str, Any]) -> list[Fact]:
    """Return what lay on the sheet: each artwork with its size, its copies and its hash."""
    if "chart" in job:
        return [Fact("Pieces", "Chart", f"{job['chart']}, page {job['page'] + 1}")]
    found: dict[tuple[str, ...], int] = {}
    for one in job.get("lying", ()):
        p = one["placing"]
        words = f"{p['width']:.1f} x {p['height']:.1f} mm"
        key = (Path(one["artwork"]).name, one.get("panel", ""), words, one["sha256"][:12])
        found[key] = found.get(key, 0) + 1
    return [
        Fact(
            "Pieces",
            name + (f", panel {panel}" if panel else ""),
            f"{size}{f', {count} times' if count > 1 else ''}, content {digest}",
        )
        for (name, panel, size, digest), count in found.items()
    ]


def piece_name(run: KeptRun, number: int) -> str:
    """Return which artwork a piece of a run's sheet is, counted from 1, and which copy of it."""
    lying = json.loads(run.job or "{}").get("lying", [])
    if not 1 <= number <= len(lying):
        return run.title
    one = lying[number - 1]
    copy = f", copy {one['copy']} of {one['copies']}" if one["copies"] > 1 else ""
    return Path(one["artwork"]).name + copy


def _card_facts(card: dict[str, Any]) -> list[Fact]:
    plain = (
        ("Condition", card.get("name")),
        ("Printer", card.get("printer_name")),
        ("Media", card.get("media")),
        ("Size", card.get("size")),
        ("Substrate", card.get("substrate")),
        ("Converted by", OWNER_WORDS.get(card.get("owner", ""), card.get("owner", "")).strip(",")),
        ("Profile", f"{card.get('profile_title', '')} ({(card.get('profile') or 'none')[:12]})".strip()),
        ("Intent", card.get("intent")),
        ("Black point compensation", "on" if card.get("bpc") else "off"),
        ("Mirrored by", card.get("mirror_by")),
    )
    found = [Fact("Condition", name, str(value)) for name, value in plain]
    found += [Fact("Condition", MEANINGS.get(m, m), str(v)) for m, v in (card.get("driver") or {}).items()]
    press = card.get("press") or {}
    if card.get("process") == "transfer":
        words = f"{press.get('temperature', 0):g} °C, {press.get('seconds', 0):g} s, {press.get('pressure', 0):g} bar"
        found.append(Fact("Condition", "Press", words))
    return found


def _press_facts(press: str | None) -> list[Fact]:
    if not press:
        return []
    records = json.loads(press)
    found: list[Fact] = []
    for done in records if isinstance(records, list) else [records]:
        found += _pressed(done)
    return found


def _pressed(done: dict[str, Any]) -> list[Fact]:
    units = {"temperature": " °C", "seconds": " s", "pressure": " bar", "preheat": " s warmed before"}
    found = []
    for key, value in done.items():
        name = {"on_top": "on top", "at": "at"}.get(key, key)
        if isinstance(value, bool):
            found.append(Fact("Pressed", name.capitalize(), "yes" if value else "no"))
            continue
        words = f"{value:g}{units.get(name, '')}" if isinstance(value, (int, float)) else _said(value)
        found.append(Fact("Pressed", name.capitalize(), words))
    return found


def _said(value: Any) -> str:
    if isinstance(value, dict):
        return ", ".join(f"{k} {v:g}" if isinstance(v, float) else f"{k} {v}" for k, v in value.items())
    if isinstance(value, list):
        return " x ".join(map(str, value)) if all(isinstance(v, int) for v in value) else "; ".join(map(str, value))
    return str(value)


def compared(one: KeptRun, other: KeptRun) -> list[tuple[str, str, str]]:
    """Return name, value of the first and value of the second for everything in which two runs differ."""
    first = {(f.section, f.name): f.value for f in facts(one)}
    second = {(f.section, f.name): f.value for f in facts(other)}
    skip = {("Run", "Ordered"), ("Pressed", "At")}
    return [
        (f"{section}: {name}" if section not in ("Run", "Condition") else name, first.get(k, "—"), second.get(k, "—"))
        for k in dict.fromkeys([*first, *second])
        for section, name in (k,)
        if k not in skip and first.get(k) != second.get(k)
    ]


def totals(runs: Sequence[KeptRun]) -> Totals:
    """Return what runs that were printed took of media and ink, as far as their printers say."""
    ink: dict[str, float] = {}
    area, count = 0.0, 0
    for run in runs:
        if run.state != "printed" or run.target:
            continue
        count += 1
        area += run.media_mm2 / 1e6
        for tank, ml in (json.loads(run.receipt).get("ink ml") or {}).items():
            ink[tank] = ink.get(tank, 0.0) + float(ml)
    return Totals(count, area, ink)


def matching(runs: Sequence[KeptRun], words: str = "", state: str = "", card: str = "") -> list[KeptRun]:
    """Return the runs that have all words in title, condition, state or artwork; of one state and condition."""
    wanted = words.casefold().split()
    found = []
    for run in runs:
        name = json.loads(run.card).get("name", "")
        artwork = " ".join(one["artwork"] for one in json.loads(run.job or "{}").get("lying", ()))
        text = f"{run.id} {run.title} {name} {run.state} {run.overridden} {run.at:%d.%m.%Y} {artwork}".casefold()
        if all(w in text for w in wanted) and state in ("", run.state) and card in ("", name):
            found.append(run)
    return found


def export(runs: Sequence[KeptRun], path: Path) -> None:
    """Write runs as CSV (a row each) or JSON (everything), by the ending.

    Raises
    ------
    FideleError
        When the ending is another, or the file cannot be written.
    """
    rows = []
    for run in runs:
        card, receipt = json.loads(run.card), json.loads(run.receipt)
        ink = receipt.get("ink ml") or {}
        rows.append(
            {
                "run": run.id,
                "at": run.at.isoformat(),
                "title": run.title,
                "condition": card.get("name", ""),
                "state": run.state,
                "why": run.why,
                "media_m2": round(run.media_mm2 / 1e6, 4),
                "ink_ml": round(sum(ink.values()), 3),
                "overridden": run.overridden,
            }
        )
    if path.suffix.lower() == ".csv":
        text = io.StringIO()
        table = csv.DictWriter(text, list(rows[0]) if rows else ["run"])
        table.writeheader()
        table.writerows(rows)
        write_bytes(path, text.getvalue().encode())
    elif path.suffix.lower() == ".json":
        whole = [
            row
            | {k: json.loads(v) for k, v in (("card", r.card), ("settings", r.settings), ("receipt", r.receipt))}
            | {"job": json.loads(r.job or "{}"), "press": json.loads(r.press) if r.press else None}
            for row, r in zip(rows, runs, strict=True)
        ]
        write_bytes(path, json.dumps(whole, indent=1, ensure_ascii=False).encode())
    else:
        raise FideleError(f"{path}: the logbook is written as .csv or .json.")
