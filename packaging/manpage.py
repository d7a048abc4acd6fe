"""Write the manual page, section 1, from the commands themselves."""

from __future__ import annotations

import re
import sys
from collections.abc import Iterator

import click

from fidele import __version__
from fidele.cli import cli


def _plain(text: str) -> str:
    """Return text as roff takes it: a leading dot or quote starts no request, a hyphen is one."""
    said = re.sub(r"\s+", " ", text.replace("\b", "")).strip().replace("\\", "\\e").replace("-", "\\-")
    return f"\\&{said}" if said[:1] in ".'" else said


def _commands(command: click.Command, way: tuple[str, ...]) -> Iterator[tuple[tuple[str, ...], click.Command]]:
    if isinstance(command, click.Group):
        context = click.Context(command, info_name=way[-1] if way else "fidele")
        for name in command.list_commands(context):
            found = command.get_command(context, name)
            if found is not None and not found.hidden:
                yield from _commands(found, (*way, name))
    else:
        yield way, command


def page() -> str:
    """Return the page."""
    lines = [
        f'.TH FIDELE 1 "2026-11-28" "Fidele {__version__}" "User Commands"',
        ".SH NAME",
        "fidele \\- colour\\-true printing, proof and check for desktop printers",
        ".SH SYNOPSIS",
        ".B fidele",
        "[\\fIcommand\\fR] [\\fIoptions\\fR]",
        ".SH DESCRIPTION",
        _plain(cli.help or ""),
        ".PP",
        "Each command tells its options with \\fB\\-\\-help\\fR; most print one JSON document with \\fB\\-\\-json\\fR.",
        ".SH COMMANDS",
    ]
    for way, command in _commands(cli, ()):
        lines += [".TP", f".B fidele {_plain(' '.join(way))}", _plain(command.help or command.short_help or "")]
        for option in command.params:
            if isinstance(option, click.Option) and option.help:
                lines += [".RS", ".TP", f".B {_plain(', '.join(option.opts))}", _plain(option.help), ".RE"]
    lines += [
        ".SH ENVIRONMENT",
        ".TP",
        ".B FIDELE_LANGUAGE",
        "Language for this start: en, de or es.",
        ".SH FILES",
        ".TP",
        ".I ~/.local/share/fidele",
        "The workshop: conditions, logbook, jobs.",
    ]
    return "\n".join(lines) + "\n"


if __name__ == "__main__":
    sys.stdout.write(page())
