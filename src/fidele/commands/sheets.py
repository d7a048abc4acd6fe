"""Sheets and runs from a shell: lay out, print, list, and print again."""

from __future__ import annotations

import re
import sys
from collections import Counter
from pathlib import Path

import click

from fidele import units
from fidele.commands.common import FILE, INTENTS, Length, print_json, session_of_user
from fidele.commands.on_printer import Line
from fidele.errors import FideleError
from fidele.language import tr


def _size(text: str | None) -> tuple[float, float] | None:
    if text is None:
        return None
    found = re.fullmatch(r"([\d.,]+)\s*x\s*([\d.,]+)\s*([a-z\"]*)", text.strip(), re.I)
    try:
        wide, high = (
            (units.read(f"{found.group(k)} {found.group(3)}", "length", "mm") for k in (1, 2)) if found else (0, 0)
        )
    except FideleError:
        wide = high = 0.0
    if wide <= 0 or high <= 0:
        raise FideleError(tr("'{value}' is no size: write it as 120x80mm, or 4.5x3in.", value=text))
    return wide, high


@click.command()
@click.argument("artworks", nargs=-1, required=True, type=FILE)
@click.option("--condition", "card", required=True, help=tr("Printing condition, by id or name."))
@click.option(
    "--out", required=True, type=FILE, help=tr("File to write: .tif, .png or .pdf; further sheets get a number.")
)
@click.option("--size", help=tr("Printed size of each piece, as 120x80mm; else its own."))
@click.option("--copies", default=1, type=click.IntRange(1, 10_000), help=tr("How often each is printed."))
@click.option("--nest", is_flag=True, help=tr("Turn pieces by 90° where that saves media."))
@click.option("--gap", default=3.0, type=Length(0, 200), help=tr("Between pieces, in mm or as 0.25in."))
@click.option("--jig", help=tr("Lay the pieces into the places of a jig that was kept on the desk Sheet."))
@click.option("--panels", "overlap", type=Length(0, 500), help=tr("Part one large piece; the overlap."))
@click.option("--json", "as_json", is_flag=True, help=tr("Print one JSON document."))
def sheet(
    artworks: tuple[Path, ...],
    card: str,
    out: Path,
    size: str | None,
    copies: int,
    nest: bool,
    gap: float,
    jig: str | None,
    overlap: float | None,
    as_json: bool,
) -> None:
    """Lay pieces on sheets or a roll, converted and mirrored as the condition says, and write them as files."""
    from fidele.run.page import page_bands
    from fidele.session.facts import stretched
    from fidele.session.piece import PanelPlan
    from fidele.sheet.write import write_sheet

    session = session_of_user()
    mine = session.conditions.need(card)
    habits = mine.sheet.model_copy(update={"gap": gap, "may_turn": nest and mine.sheet.may_turn})
    if jig is not None:
        if session.sheet.blanks.jig(jig) is None:
            known = ", ".join(j.name for j in session.sheet.blanks.jigs) or tr("none")
            raise FideleError(tr("There is no jig “{jig}”; kept are: {known}.", jig=jig, known=known))
        habits = habits.model_copy(update={"jig": jig})
    session.put_in_force(mine.model_copy(update={"sheet": habits}))
    asked, times = _size(size), Counter(artworks)
    for path, often in times.items():
        session.open_artwork(path)
        piece = session.pieces.need()
        session.laying.size(piece.number, *(asked or piece.artwork.own_mm), "Size")
        session.laying.copies(piece.number, often * copies)
        if by := stretched(session.pieces.need()):
            click.echo(tr("caution: {name} is stretched by {by:+.0f} % across.", name=path.name, by=by * 100), err=True)
    session.laying.gather(p.number for p in session.pieces.all)
    if overlap is not None:
        if len(times) != 1 or copies != 1:
            raise FideleError(tr("One piece at a time is parted into panels."))
        session.laying.part(PanelPlan(overlap))
        parted = session.sheet.panels
        for through in parted.through if parted else ():
            click.echo(tr("caution: {through} could not keep clear.", through=through), err=True)
    elif jig is not None:
        session.jigs.fill()
    else:
        session.laying.nest()
    device, rows = session.device, []
    jobs = session.sheet.jobs()
    for number, job in enumerate(jobs):
        suffix = f"-{job.lying[0].panel or number + 1}" if len(jobs) > 1 else ""
        target = out.with_name(f"{out.stem}{suffix}{out.suffix}")
        pixels, bands = page_bands(job, device)
        says = job.profile if mine.owner == "fidele" else None
        write_sheet(target, bands, pixels, says, device.format.page_ppi(mine.page_ppi))
        media = session.sheet.media(number)
        rows.append(
            {
                "file": str(target),
                "pieces": len(job.lying),
                "width_mm": media.width,
                "length_mm": round(media.height, 2),
                "use": round(session.sheet.use(number), 4),
            }
        )
    if as_json:
        print_json(rows)
        return
    for row in rows:
        pieces = tr("1 piece") if row["pieces"] == 1 else tr("{row} pieces", row=row["pieces"])
        click.echo(
            tr(
                "{row}: {pieces} on {row2:g} x {row3:g} mm, {row4:.0f} % of it used",
                row=row["file"],
                pieces=pieces,
                row2=row["width_mm"],
                row3=row["length_mm"],
                row4=float(str(row["use"])) * 100,
            )
        )


@click.command("print")
@click.argument("artworks", nargs=-1, required=True, type=FILE)
@click.option("--condition", "card", help=tr("Printing condition, by id or name."))
@click.option("--printer", "name", help=tr("Or a printer, by id or name, with --profile."))
@click.option("--profile", type=FILE, help=tr("The output profile that Fidele converts through."))
@click.option("--intent", type=INTENTS, help=tr("Rendering intent; what suits the picture where none is given."))
@click.option("--bpc/--no-bpc", default=True, show_default=True, help=tr("Black point compensation."))
@click.option("--mirror", is_flag=True, help=tr("Mirror left to right."))
@click.option("--size", help=tr("Printed size, as 120x80mm; else its own."))
@click.option("--reason", default="", help=tr("Print in spite of what holds it; the reason is kept."))
def print_artworks(
    artworks: tuple[Path, ...],
    card: str | None,
    name: str | None,
    profile: Path | None,
    intent: str | None,
    bpc: bool,
    mirror: bool,
    size: str | None,
    reason: str,
) -> None:
    """Print artwork by a condition, or on a printer through a profile.

    Without a condition the driver's own conversion, mirroring and scaling are put to rest for this job; where they can
    be neither set nor shown, a reason is asked for. What cannot be printed is said, and the next one goes on; exit 1
    then.
    """
    from fidele.sheet.placing import Placing

    session = session_of_user()
    asked = _size(size)
    failed = 0
    if (card is None) == (name is None):
        raise FideleError(tr("Say how it is printed: --condition, or --printer with --profile."))
    if card is None:
        if profile is None:
            raise FideleError(tr("Without a condition, say through which profile: --profile FILE."))
        line = Line(session, name or "", profile, intent, bpc, mirror)
        for path in artworks:
            try:
                click.echo(
                    tr("run {printed}: {name} is printed.", printed=line.printed(path, asked, reason), name=path.name)
                )
            except FideleError as error:
                click.echo(tr("fidele: {name}: {error}", name=path.name, error=error), err=True)
                failed += 1
        sys.exit(1 if failed else 0)
    session.put_in_force(session.conditions.need(card))
    session.known_prints.find()  # kept with each run: its piece is judged by that
    for path in artworks:
        try:
            session.open_artwork(path)
            if asked is not None:
                session.place(Placing.centred(session.media, *asked))
            run = session.print_job(session.job(), overridden=reason)
        except FideleError as error:
            click.echo(tr("fidele: {name}: {error}", name=path.name, error=error), err=True)
            failed += 1
            continue
        click.echo(tr("run {number}: {name} is printed.", number=run.number, name=path.name))
    sys.exit(1 if failed else 0)


@click.group(invoke_without_command=True)
@click.option("--json", "as_json", is_flag=True, help=tr("Print one JSON document."))
@click.option("--search", default="", help=tr("Only those whose title, condition or state has these words."))
@click.option("--limit", default=50, type=click.IntRange(1, 100_000))
@click.pass_context
def runs(context: click.Context, as_json: bool, search: str, limit: int) -> None:
    """List what was printed, the newest first."""
    if context.invoked_subcommand is not None:
        return
    from fidele.check.statistics import SAID
    from fidele.run.log import matching

    book = session_of_user().logbook
    rows = []
    for run in matching(book.everything(), search)[:limit]:
        rows.append(
            {
                "id": run.id,
                "at": run.at.isoformat(),
                "title": run.title,
                "condition": run.card_name,
                "state": run.state,
                "why": run.why,
                "verdict": run.verdict,
                "mean_de00": run.mean,
                "cause": run.cause,
                "media_m2": round(run.media_mm2 / 1e6, 4),
            }
        )
    if as_json:
        print_json(rows)
        return
    for r in rows:
        said = f", {SAID.get(str(r['verdict']), r['verdict'])}" if r["verdict"] else ""
        why = f" ({r['why']})" if r["why"] else ""
        click.echo(
            f"{r['id']:5}  {str(r['at'])[:16]}  {r['title']}, {r['condition']}: {tr(str(r['state']))}{why}{said}"
        )


@runs.command()
@click.argument("one", type=int)
@click.argument("other", type=int)
@click.option("--json", "as_json", is_flag=True, help=tr("Print one JSON document."))
def compare(one: int, other: int, as_json: bool) -> None:
    """Tell in what two runs differ."""
    from fidele.run.log import compared

    book = session_of_user().logbook
    differ = compared(book.run(one), book.run(other))
    if as_json:
        print_json([{"what": name, str(one): a, str(other): b} for name, a, b in differ])
        return
    if not differ:
        click.echo(tr("Runs {one} and {other} do not differ.", one=one, other=other))
    for name, a, b in differ:
        click.echo(f"{name}: {a} / {b}")


@runs.command("export")
@click.argument("path", type=FILE)
@click.option("--search", default="", help=tr("Only those that have these words."))
def export_runs(path: Path, search: str) -> None:
    """Write the logbook as .csv (a row for each run) or .json (everything)."""
    from fidele.run.log import export, matching

    found = matching(session_of_user().logbook.everything(), search)
    export(found, path)
    click.echo(tr("{path}: {n} runs.", path=path, n=len(found)))


@runs.command()
@click.argument("number", type=int)
def repeat(number: int) -> None:
    """Print a run again exactly as it was, even when settings have changed since."""
    session = session_of_user()
    again = session.queue.again(number)
    session.queue.carry_out(again)
    click.echo(tr("run {again}: run {number} is printed again, as it was.", again=again, number=number))


@runs.command()
@click.argument("scan", type=FILE)
@click.option("--json", "as_json", is_flag=True, help=tr("Print one JSON document."))
def identify(scan: Path, as_json: bool) -> None:
    """Read the identity lines on a scan: run, number and condition of each piece; exit 1 where there are none."""
    from fidele.artwork.open import open_artwork
    from fidele.sheet.signs import read_identities

    artwork = open_artwork(scan)
    found = read_identities(artwork.pixels, artwork.ppi or 300.0)
    if as_json:
        print_json([{"run": i.run, "piece": i.piece, "condition": i.condition} for i in found])
    for one in () if as_json else found:
        click.echo(
            tr("run {run}, piece {piece}, condition {condition}", run=one.run, piece=one.piece, condition=one.condition)
        )
    if not found:
        click.echo(tr("fidele: {scan} shows no identity line.", scan=scan), err=True)
        sys.exit(1)
