"""The finished piece from a shell: judged by its artwork."""

from __future__ import annotations

import sys
from pathlib import Path

import click

from fidele.commands.charts import TOLERANCE
from fidele.commands.common import FILE, print_json, session_of_user
from fidele.errors import FideleError
from fidele.language import tr


@click.command()
@click.argument("scan", type=FILE)
@click.option("--run", type=int, help=tr("Which run it is a piece of."))
@click.option("--artwork", type=FILE, help=tr("Its artwork, where it was not printed from here."))
@click.option("--condition", help=tr("And the printing condition, by id or name."))
@click.option("--photo", is_flag=True, help=tr("A camera saw it, no scanner."))
@TOLERANCE
@click.option("--json", "as_json", is_flag=True, help=tr("Print one JSON document."))
def piece(
    scan: Path, run: int | None, artwork: Path | None, condition: str | None, photo: bool, tolerance: str, as_json: bool
) -> None:
    """Judge a finished piece on a scan or photograph by its artwork: right, or wrong and why, and where.

    Exit 1 when it is not right.
    """
    from dataclasses import replace

    from fidele.artwork.open import open_artwork
    from fidele.check.statistics import SAID
    from fidele.check.tolerance import tolerance_named
    from fidele.piece.check import check_piece
    from fidele.run.job import Job
    from fidele.run.kept import job_again
    from fidele.sheet.placing import Media, Placing

    if (run is None) == (artwork is None) or (artwork is None) != (condition is None):
        raise FideleError(tr("Say --run, or --artwork and --condition."))
    session = session_of_user()
    if run is not None:
        job = job_again(session.kept_sources(), session.logbook.run(run))
    else:
        card = session.conditions.need(str(condition))
        if card.profile is None:
            raise FideleError(tr("“{name}” has no profile to judge a piece by.", name=card.name))
        picture = open_artwork(Path(str(artwork)), suppose=session.sources.suppose(Path(str(artwork))))
        leaf = Media(tr("a sheet"), 1000, 1000, (0, 0, 0, 0))
        job = Job.of(picture, Placing.centred(leaf, *picture.own_mm), card, session.shelf.load(card.profile))
    reader = replace(session.checking.reader(), tolerance=tolerance_named(tolerance))
    seen = open_artwork(scan)
    checked = check_piece(seen.pixels, reader.piece_aim(job), *reader.seen_through(photo), photo)
    c, cause = checked.comparison, checked.cause
    if as_json:
        print_json(
            {
                "verdict": checked.verdict,
                "cause": cause.code,
                "group": list(cause.group),
                "sure": round(cause.sure, 3),
                "areas": len(c.ids),
                "mean_de00": round(c.mean, 3),
                "p95_de00": round(c.p95, 3),
                "mirrored": checked.found.mirrored,
                "turned": round(checked.found.turned, 1),
                "where": checked.map.words(),
                "cannot_tell": sorted(set(cause.unnoticed)),
                "trust": checked.trust,
                "uncertainty_de00": round(checked.uncertainty, 2),
                "failures": list(c.failures),
                "cautions": list(checked.cautions),
                "next": cause.next_step,
            }
        )
    else:
        click.echo(f"{SAID[checked.verdict]}: {cause.title}. {cause.sentence} {cause.next_step}")
        click.echo(
            tr(
                "  {n} areas, ΔE00 mean {mean:.2f}, 95th percentile {p95:.2f}; seen by {trust}",
                n=len(c.ids),
                mean=c.mean,
                p95=c.p95,
                trust=checked.trust,
            )
        )
        for sentence in (*c.failures, *checked.words):
            click.echo(f"  {sentence}")
        for sentence in checked.cautions:
            click.echo(tr("  caution: {sentence}", sentence=sentence))
    sys.exit(0 if checked.verdict == "pass" and cause.code == "right" else 1)
