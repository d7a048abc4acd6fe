"""The bench's simulated devices, as hands operate them: switches, panels, tanks, trays, other programs."""

from __future__ import annotations

import click

from fidele.commands.common import print_json, session_of_user
from fidele.errors import FideleError


@click.group()
def bench() -> None:
    """The simulated devices, as hands operate them: show, set."""


@bench.command("show")
@click.option("--json", "as_json", is_flag=True, help="Print one JSON document.")
def bench_show(as_json: bool) -> None:
    """Show every switch, tray, tank and panel, and how it stands."""
    controls = session_of_user().devices.hands()
    if as_json:
        print_json(
            [{"device": c.device, "name": c.name, "value": c.value, "offered": list(c.offered)} for c in controls]
        )
        return
    for c in controls:
        click.echo(f"{c.device:16} {c.name}: {c.value}  ({', '.join(map(str, c.offered))})")


@bench.command("set")
@click.argument("device")
@click.argument("name")
@click.argument("value")
def bench_set(device: str, name: str, value: str) -> None:
    """Change one thing on a device, as a person's hands would."""
    controls = [c for c in session_of_user().devices.hands() if c.device == device]
    if not controls:
        raise FideleError(f"There is no '{device}' on the bench; see 'fidele bench show'.")
    found = next((c for c in controls if c.name == name), None)
    if found is None:
        raise FideleError(f"The {device} has no '{name}'; it has {', '.join(c.name for c in controls)}.")
    found.take(value)
    click.echo(f"{device}, {name}: {value}")
