"""A fault report from a shell."""

from __future__ import annotations

from pathlib import Path

import click

from fidele.commands.common import FILE, session_of_user
from fidele.language import tr


@click.command()
@click.option("--out", required=True, type=FILE, help=tr("File to write, .zip."))
def report(out: Path) -> None:
    """Collect versions, log and the state of the devices into one file for a fault report; no artwork."""
    from fidele.session.report import write_report

    session = session_of_user()
    write_report(session, out)
    click.echo(session.said)
