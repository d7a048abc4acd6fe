"""The bench's simulated devices, as hands operate them: switches, panels, tanks, trays, other programs."""

from __future__ import annotations

import sys
from pathlib import Path

import click

from fidele.commands.common import FILE, places, print_json, session_of_user
from fidele.errors import FideleError
from fidele.language import tr


@click.group()
def bench() -> None:
    """The simulated devices, as hands operate them: show, set."""


@bench.command("show")
@click.option("--json", "as_json", is_flag=True, help=tr("Print one JSON document."))
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
        raise FideleError(tr("There is no '{device}' on the bench; see 'fidele bench show'.", device=device))
    found = next((c for c in controls if c.name == name), None)
    if found is None:
        raise FideleError(
            tr(
                "The {device} has no '{name}'; it has {name2}.",
                device=device,
                name=name,
                name2=", ".join(c.name for c in controls),
            )
        )
    found.take(value)
    click.echo(f"{device}, {name}: {value}")


@bench.command("on")
def bench_on() -> None:
    """Offer the bench's stand-ins in this user's own workshop."""
    places().switch_bench(True)
    click.echo(tr("The bench is on: its printers are offered from the next start."))


@bench.command("off")
def bench_off() -> None:
    """Offer them no more."""
    places().switch_bench(False)
    click.echo(tr("The bench is off."))


@bench.command("serve")
@click.option(
    "--folder", type=FILE, help=tr("Where the machines keep their things; this user's bench where none is said.")
)
def bench_serve(folder: Path | None) -> None:
    """Serve the bench's printers as queues of a private print server on the loopback, until this is ended."""
    import os
    import shlex
    import signal
    import threading

    from fidele.devices.bench.serving import served_bench

    over = threading.Event()
    for sign in (signal.SIGTERM, signal.SIGINT, signal.SIGHUP):
        signal.signal(sign, lambda *_: over.set())
    parent = os.getppid()
    with served_bench(folder or places().bench) as served:
        for name, value in served.environment.items():
            click.echo(f"export {name}={shlex.quote(value)}")
        click.echo("# " + tr("Ready. Whatever is started with these meets the bench as queues of a print service."))
        sys.stdout.flush()
        while not over.wait(0.5) and os.getppid() == parent:
            if not served.alive():
                raise FideleError(tr("The private print server ended by itself."))
