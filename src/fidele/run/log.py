"""What the logbook tells: facts of a run, what differs between two, totals of media and ink, and export."""

from __future__ import annotations

import contextlib
import csv
import io
import json
from collections import Counter
from collections.abc import Sequence
from pathlib import Path

from pydantic import ValidationError

from fidele import units
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.files import write_bytes
from fidele.language import tr, trn
from fidele.route.condition import OWNER_WORDS, Card
from fidele.route.layers import MEANINGS
from fidele.run.kept import KeptJob, job_of
from fidele.sheet.placing import Media
from fidele.store.records import KeptRun
from fidele.values import Document, Json


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
    job, settings, receipt = job_of(run), json.loads(run.settings), json.loads(run.receipt)
    found = [
        Fact(tr("Run"), "Title", run.title),
        Fact(tr("Run"), tr("State"), run.state + (f": {run.why}" if run.why else "")),
        Fact(tr("Run"), tr("Ordered"), f"{run.at:%d.%m.%Y %H:%M}"),
        Fact(tr("Run"), tr("Media"), _media_words(job.media, run)),
    ]
    if run.target:
        found.append(Fact(tr("Run"), tr("To the file"), run.target))
    if run.overridden:
        titles = "; ".join(title for _, title in json.loads(run.passed)) or tr("what held it")
        found.append(Fact(tr("Run"), tr("Printed in spite of"), titles))
        found.append(Fact(tr("Run"), tr("Because"), run.overridden))
    found += _pieces(job)
    with contextlib.suppress(ValidationError):  # of a card that cannot be read any more nothing is told
        found += _card_facts(Card.model_validate_json(run.card))
    found += [Fact(tr("Settings sent"), name, str(value)) for name, value in settings.items()]
    found += [Fact(tr("Receipt"), name, _said(value)) for name, value in receipt.items() if settings.get(name) != value]
    if run.press:
        records = json.loads(run.press)
        for done in records if isinstance(records, list) else [records]:
            found += _pressed(done)
    return found


def _media_words(media: Media | None, run: KeptRun) -> str:
    if media is None:
        return f"{run.media_mm2 / 1e6:.3f} m²" if run.media_mm2 else tr("not kept")
    return f"{media.name}, {units.size(media.width, media.height)}"


def _pieces(job: KeptJob) -> list[Fact]:
    """Return what lay on the sheet: each artwork with its size, its copies and its hash."""
    chart = [Fact(tr("Pieces"), tr("Chart"), tr("{chart}, page {page}", chart=job.chart, page=job.page + 1))]
    found: Counter[tuple[str, str]] = Counter()
    for one in job.lying:
        name = one.artwork.name + (tr(", panel {panel}", panel=one.panel) if one.panel else "")
        found[name, f"{one.placing.width:.1f} x {one.placing.height:.1f} mm|{one.sha256[:12]}"] += 1
    return (chart if job.chart else []) + [
        Fact(
            tr("Pieces"),
            name,
            trn(
                "{size}, content {digest}",
                "{size}, {count} times, content {digest}",
                count,
                size=size,
                digest=digest,
                count=count,
            ),
        )
        for (name, what), count in found.items()
        for size, _, digest in (what.partition("|"),)
    ]


def piece_name(run: KeptRun, number: int) -> str:
    """Return which artwork a piece of a run's sheet is, counted from 1, and which copy of it."""
    job = job_of(run)
    lying = () if job.chart else job.lying
    if not 1 <= number <= len(lying):
        return run.title
    one = lying[number - 1]
    return one.artwork.name + (
        tr(", copy {number} of {copies}", number=one.number, copies=one.copies) if one.copies > 1 else ""
    )


def _card_facts(card: Card) -> list[Fact]:
    plain = (
        (tr("Condition"), card.name),
        (tr("Printer"), card.printer_name),
        (tr("Media"), card.media),
        (tr("Size"), card.size),
        (tr("Substrate"), card.substrate),
        (tr("Converted by"), OWNER_WORDS[card.owner].strip(",")),
        (tr("Profile"), f"{card.profile_title} ({(card.profile or 'none')[:12]})".strip()),
        (tr("Intent"), card.intent.value),
        (tr("Black point compensation"), tr("on") if card.bpc else tr("off")),
        (tr("Mirrored by"), card.mirror_by),
        *((MEANINGS.get(m, m), str(v)) for m, v in card.driver.items()),
    )
    press = card.press
    words = units.pressing(press.temperature, press.seconds, press.pressure)
    pressed = [Fact(tr("Condition"), tr("Press"), words)] if card.process == "transfer" else []
    return [*(Fact(tr("Condition"), name, value) for name, value in plain), *pressed]


def _pressed(done: Document) -> list[Fact]:
    ends = {"seconds": " s", "preheat": tr(" s warmed before")}
    measured = {"temperature": units.temperature, "pressure": units.pressure}
    found = []
    for key, value in done.items():
        name = {"on_top": tr("On top")}.get(key, key.capitalize())
        if isinstance(value, bool):
            found.append(Fact(tr("Pressed"), name, tr("yes") if value else "no"))
        elif isinstance(value, (int, float)):
            words = measured[key](float(value)) if key in measured else f"{value:g}{ends.get(key, '')}"
            found.append(Fact(tr("Pressed"), name, words))
        else:
            found.append(Fact(tr("Pressed"), name, _said(value)))
    return found


def _said(value: Json) -> str:
    if isinstance(value, dict):
        return ", ".join(f"{k} {v:g}" if isinstance(v, float) else f"{k} {v}" for k, v in value.items())
    if isinstance(value, list):
        return " x ".join(map(str, value)) if all(isinstance(v, int) for v in value) else "; ".join(map(str, value))
    return str(value)


def compared(one: KeptRun, other: KeptRun) -> list[tuple[str, str, str]]:
    """Return name, value of the first and value of the second for everything in which two runs differ."""
    first = {(f.section, f.name): f.value for f in facts(one)}
    second = {(f.section, f.name): f.value for f in facts(other)}
    skip = {(tr("Run"), tr("Ordered")), (tr("Pressed"), "At")}
    return [
        (
            f"{section}: {name}" if section not in (tr("Run"), tr("Condition")) else name,
            first.get(k, "—"),
            second.get(k, "—"),
        )
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
    return [
        run
        for run in runs
        if state in ("", run.state) and card in ("", run.card_name) and all(word in run.text for word in wanted)
    ]


def export(runs: Sequence[KeptRun], path: Path) -> None:
    """Write runs as CSV (a row each) or JSON (everything), by the ending.

    Raises
    ------
    FideleError
        When the ending is another, or the file cannot be written.
    """
    rows = []
    for run in runs:
        ink = json.loads(run.receipt).get("ink ml") or {}
        rows.append(
            {
                "run": run.id,
                "at": run.at.isoformat(),
                "title": run.title,
                "condition": run.card_name,
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
        raise FideleError(tr("{path}: the logbook is written as .csv or .json.", path=path))
