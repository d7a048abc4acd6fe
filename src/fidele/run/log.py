"""What the logbook tells: facts of a run, what differs between two, totals of media and ink, and export."""

from __future__ import annotations

import contextlib
import csv
import datetime
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
from fidele.route.condition import Card
from fidele.route.differences import LABELS, PRESS, STACK, plain, said
from fidele.route.layers import MEANINGS
from fidele.run.kept import KeptJob, job_of
from fidele.sheet.placing import Media
from fidele.store.records import KeptRun
from fidele.values import Document, Json

#: Which fields of a card are told of a run.
_TOLD = ("printer_name", "media", "size", "substrate", "owner", "profile", "intent", "bpc", "mirror_by")
#: What records of pressing and receipts call things that a card does not have.
_OF_PRESS = PRESS | STACK | {"condition": tr("Condition"), "substrate": tr("Piece"), "at": tr("At")}
_RECEIPT = {
    "printer": tr("Printer"),
    "serial": tr("Serial number"),
    "pixels": tr("Pixels"),
    "ink ml": tr("Ink, ml"),
    "queue": tr("Queue"),
    "job": tr("Number in the queue"),
    "sent as": tr("Sent as"),
    "sheets": tr("Sheets"),
    "program": tr("Printed from"),
    "differs": tr("Set otherwise"),
    "printed by hand": tr("Printed by hand"),
}
_MEASURED = {"temperature": units.temperature, "pressure": units.pressure}


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
        Fact(tr("Run"), tr("Title"), run.title),
        Fact(tr("Run"), tr("State"), tr(run.state) + (f": {run.why}" if run.why else "")),
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
    other = {name: value for name, value in receipt.items() if settings.get(name) != value}
    found += [Fact(tr("Receipt"), name, words) for name, words in receipt_words(other)]
    if run.press:
        records = json.loads(run.press)
        for done in records if isinstance(records, list) else [records]:
            found += _pressed(done)
    return found


def _media_words(media: Media | None, run: KeptRun) -> str:
    if media is None:
        return tr("{area:.3f} m²", area=run.media_mm2 / 1e6) if run.media_mm2 else tr("not kept")
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
    told = [(tr("Condition"), card.name), *((LABELS[field], said(card, field)) for field in _TOLD)]
    told += [(MEANINGS.get(meaning, meaning), plain(value)) for meaning, value in card.driver.items()]
    if card.process == "transfer":
        press = card.press
        told.append((tr("Press"), units.pressing(press.temperature, press.seconds, press.pressure)))
    if card.profile and card.profile_title:  # two may have one title
        told.append((tr("Content of the profile"), card.profile[:12]))
    return [Fact(tr("Condition"), name, value) for name, value in told]


def receipt_words(receipt: Document) -> list[tuple[str, str]]:
    """Return what a driver said that it did, each thing by its name."""
    return [(_RECEIPT.get(name, name), _said(value)) for name, value in receipt.items() if value not in ("", [], {})]


def _pressed(done: Document) -> list[Fact]:
    found = []
    for key, value in done.items():
        if isinstance(value, bool):
            words = tr("yes") if value else tr("no")
        elif isinstance(value, int | float):
            words = _MEASURED[key](float(value)) if key in _MEASURED else tr("{value:g}", value=value)
        else:
            words = _said(value)
        if key == "on_top":
            words = {"paper": tr("the paper"), "piece": tr("the piece")}.get(words, words)
        found.append(Fact(tr("Pressed"), _OF_PRESS.get(key, key), words))
    return found


def _said(value: Json) -> str:
    if isinstance(value, dict):
        return ", ".join(f"{tr(k)} {_said(v)}" for k, v in value.items())
    if isinstance(value, str):
        with contextlib.suppress(ValueError):  # a moment
            return f"{datetime.datetime.strptime(value[:16], '%Y-%m-%dT%H:%M'):%d.%m.%Y %H:%M}"
    if isinstance(value, list):
        return " x ".join(map(str, value)) if all(isinstance(v, int) for v in value) else "; ".join(map(str, value))
    return tr("{value:g}", value=value) if isinstance(value, float) else str(value)


def compared(one: KeptRun, other: KeptRun) -> list[tuple[str, str, str]]:
    """Return name, value of the first and value of the second for everything in which two runs differ."""
    first = {(f.section, f.name): f.value for f in facts(one)}
    second = {(f.section, f.name): f.value for f in facts(other)}
    skip = {(tr("Run"), tr("Ordered")), (tr("Pressed"), tr("At"))}
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
