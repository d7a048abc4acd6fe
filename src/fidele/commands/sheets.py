"""Sheets and runs from a shell: lay out, print, list, and print again."""

from __future__ import annotations

import json
import re
import sys
from pathlib import Path
from typing import Any

import click

from fidele.commands.common import FILE, print_json, session_of_user
from fidele.errors import FideleError


def _size(text: str | None) -> tuple[float, float] | None:
    if text is None:
        return None
    found = re.fullmatch(r"(\d+(?:\.\d+)?)\s*x\s*(\d+(?:\.\d+)?)\s*(?:mm)?", text.strip(), re.I)
    if found is None or float(found.group(1)) <= 0 or float(found.group(2)) <= 0:
        raise FideleError(f"'{text}' is no size: write it as 120x80mm.")
    return float(found.group(1)), float(found.group(2))


@click.command()
@click.argument("artworks", nargs=-1, required=True, type=FILE)
@click.option("--condition", "card", required=True, help="Printing condition, by id or name.")
@click.option("--out", required=True, type=FILE, help="File to write: .tif, .png or .pdf; further sheets get a number.")
@click.option("--size", help="Printed size of each piece, as 120x80mm; else its own.")
@click.option("--copies", default=1, type=click.IntRange(1, 10_000), help="How often each is printed.")
@click.option("--nest", is_flag=True, help="Turn pieces by 90° where that saves media.")
@click.option("--gap", default=3.0, type=click.FloatRange(0, 200), help="Millimetres between pieces.")
@click.option("--panels", "overlap", type=click.FloatRange(0, 500), help="Part one large piece; overlap in mm.")
@click.option("--json", "as_json", is_flag=True, help="Print one JSON document.")
def sheet(
    artworks: tuple[Path, ...],
    card: str,
    out: Path,
    size: str | None,
    copies: int,
    nest: bool,
    gap: float,
    overlap: float | None,
    as_json: bool,
) -> None:
    """Lay pieces on sheets or a roll, converted and mirrored as the condition says, and write them as files."""
    from fidele.artwork.open import open_artwork
    from fidele.session import sheets

    session = session_of_user()
    mine = session.conditions.need(card)
    profile = session.shelf.load(mine.profile) if mine.profile and mine.owner == "fidele" else None
    device = session.workshop.printer_of(mine.printer)
    asked = _size(size)
    wanted = []
    for path in artworks:
        artwork = open_artwork(path, suppose=session.sources.suppose(path))
        wide, high = asked or artwork.own_mm
        wanted.append(sheets.Wanted(artwork, wide, high, copies))
    names: list[str] = []
    if overlap is not None:
        if len(wanted) != 1 or copies != 1:
            raise FideleError("One piece at a time is parted into panels.")
        parted, made = sheets.panel_sheets(wanted[0], mine, device, profile, overlap)
        names = [p.name for p in parted.panels]
        for through in parted.through:
            click.echo(f"caution: {through} could not keep clear.", err=True)
    else:
        made = sheets.sheets_of(wanted, mine, device, profile, gap, nest)
    rows: list[dict[str, Any]] = []
    for number, one in enumerate(made):
        suffix = f"-{names[number] if names else number + 1}" if len(made) > 1 else ""
        target = out.with_name(f"{out.stem}{suffix}{out.suffix}")
        sheets.write(one, mine, device, target)
        rows.append(
            {
                "file": str(target),
                "pieces": len(one.laid),
                "width_mm": one.media.width,
                "length_mm": round(one.media.height, 2),
                "use": round(one.use, 4),
            }
        )
    if as_json:
        print_json(rows)
        return
    for row in rows:
        click.echo(
            f"{row['file']}: {row['pieces']} pieces on {row['width_mm']:g} x {row['length_mm']:g} mm, "
            f"{row['use'] * 100:.0f} % of it used"
        )


@click.command("print")
@click.argument("artworks", nargs=-1, required=True, type=FILE)
@click.option("--condition", "card", required=True, help="Printing condition, by id or name.")
@click.option("--size", help="Printed size, as 120x80mm; else its own.")
@click.option("--reason", default="", help="Print in spite of what holds it; the reason is kept.")
def print_artworks(artworks: tuple[Path, ...], card: str, size: str | None, reason: str) -> None:
    """Print artwork by a condition. What cannot be printed is said, and the next one goes on; exit 1 then."""
    from fidele.sheet.placing import Placing

    session = session_of_user()
    session.put_in_force(session.conditions.need(card))
    asked = _size(size)
    failed = 0
    for path in artworks:
        try:
            session.open_artwork(path)
            if asked is not None:
                session.place(Placing.centred(session.media, *asked))
            run = session.print_job(session.job(), overridden=reason)
        except FideleError as error:
            click.echo(f"fidele: {path.name}: {error}", err=True)
            failed += 1
            continue
        click.echo(f"run {run.number}: {path.name} is printed.")
    sys.exit(1 if failed else 0)


@click.group(invoke_without_command=True)
@click.option("--json", "as_json", is_flag=True, help="Print one JSON document.")
@click.option("--search", default="", help="Only those whose title, condition or state has these words.")
@click.option("--limit", default=50, type=click.IntRange(1, 100_000))
@click.pass_context
def runs(context: click.Context, as_json: bool, search: str, limit: int) -> None:
    """List what was printed, the newest first."""
    if context.invoked_subcommand is not None:
        return
    found = session_of_user().logbook.runs(limit)
    rows = [
        {
            "id": r.id,
            "at": r.at.isoformat(),
            "title": r.title,
            "condition": json.loads(r.card).get("name", ""),
            "state": r.state,
            "verdict": r.verdict,
            "mean_de00": r.mean,
            "cause": r.cause,
        }
        for r in found
    ]
    rows = [r for r in rows if all(w in " ".join(map(str, r.values())).lower() for w in search.lower().split())]
    if as_json:
        print_json(rows)
        return
    for r in rows:
        said = f", {r['verdict']}" if r["verdict"] else ""
        click.echo(f"{r['id']:5}  {str(r['at'])[:16]}  {r['title']}, {r['condition']}: {r['state']}{said}")


@runs.command()
@click.argument("number", type=int)
def repeat(number: int) -> None:
    """Print a run again exactly as it was, even when settings have changed since."""
    from fidele.session.kept_jobs import job_again

    session = session_of_user()
    job = job_again(session, session.logbook.run(number))
    device = session.workshop.printer_of(job.card.printer)
    before = device.settings()
    try:
        session.put_in_force(job.card)
        device.bring(job.card)
        session.refresh()
        run = session.print_job(job)
    finally:
        device.restore(before)
    click.echo(f"run {run.number}: run {number} is printed again, as it was.")
