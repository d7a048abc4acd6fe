"""A workshop's backup from a shell."""

from __future__ import annotations

from pathlib import Path

import click

from fidele.commands.common import FILE, places
from fidele.language import tr, trn


@click.command()
@click.argument("file", type=FILE)
def backup(file: Path) -> None:
    """Write the whole workshop and the user's profiles into one file, FILE (.zip)."""
    from fidele.store.backup import write_backup

    own = places()
    count = write_backup(own.data, own.profiles, file)
    click.echo(trn("{file}: {n} file.", "{file}: {n} files.", count, file=file, n=count))


@click.command()
@click.argument("file", type=FILE)
@click.option(
    "--yes", is_flag=True, help=tr("Put it in the place of the workshop that is there; that one is kept beside.")
)
def restore(file: Path, yes: bool) -> None:
    """Put the workshop of a backup in the place of the present one, which is kept beside it."""
    from fidele.errors import FideleError
    from fidele.store.backup import restore as put_back
    from fidele.store.backup import said

    own = places()
    if own.cards.exists() and not yes:
        raise FideleError(tr("There is a workshop in {data}: say --yes to put the backup in its place.", data=own.data))
    count, aside = put_back(file, own.data, own.profiles)
    click.echo(said(file, count, aside))
