"""Printers from a shell: which there are, what is known of them, a probe without ink, their drivers' words."""

from __future__ import annotations

import datetime
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from fidele import units
from fidele.commands.common import FILE, print_json, session_of_user
from fidele.errors import FideleError
from fidele.language import tr

if TYPE_CHECKING:
    from fidele.devices.protocol import Printer
    from fidele.route.condition import Card
    from fidele.route.layers import Chain
    from fidele.session.model import Session


@click.group()
def printer() -> None:
    """Printers of this machine and those that were described: list, show, probe, learn."""


def kind_of(device: Printer) -> str:
    """Return what kind of printer it is: 'queue', 'driverless', 'described' or 'bench'."""
    return str(getattr(device, "kind_words", "bench"))


def need_printer(session: Session, name: str) -> Printer:
    """Return a printer by its id or name; `FideleError` where there is none."""
    every = session.devices.printers
    found = next((p for p in every if name in (p.id, p.id.partition("/")[2], p.name)), None)
    if found is None:
        here = tr("There is {id}.", id=", ".join(p.id for p in every)) if every else session.devices.missing()
        raise FideleError(tr("There is no printer '{name}' here. {here}", name=name, here=here).strip())
    return found


def _state(device: Printer, card: Card) -> str:
    try:
        status = device.supplies.status(card) if device.supplies is not None else None
    except FideleError as error:
        return str(error)
    if status is None:
        return tr("not within reach")
    return status.says or (tr("ready") if status.online else tr("does not answer"))


@printer.command("list")
@click.option("--json", "as_json", is_flag=True, help=tr("Print one JSON document."))
def printer_list(as_json: bool) -> None:
    """List every printer: queues of this machine, and those that were described."""
    session = session_of_user()
    rows = []
    for device in session.devices.printers:
        state = str(getattr(device, "state_words", "")) or ("ready" if kind_of(device) != "described" else "")
        rows.append({"id": device.id, "name": device.name, "kind": kind_of(device), "state": state})
    if as_json:
        print_json(rows)
        return
    for row in rows:
        click.echo(f"{row['id']:24} {row['name']} ({row['kind']}){': ' if row['state'] else ''}{tr(row['state'])}")
    if not rows:
        click.echo(
            session.devices.missing() or tr("There is no printer here. Add one to the print service, or describe it.")
        )


@printer.command("show")
@click.argument("name", metavar="ID")
@click.option("--json", "as_json", is_flag=True, help=tr("Print one JSON document."))
def printer_show(name: str, as_json: bool) -> None:
    """Show what a printer says of itself: state, sheets, options, and what is known of their meaning."""
    session = session_of_user()
    device = need_printer(session, name)
    card = device.starter_card()
    learned = getattr(device, "learned", None)
    meanings = {m: {"options": list(s.options), "how": s.how} for m, s in learned.meanings.items()} if learned else {}
    every = {size: device.media(size) for size in device.sizes()}
    sheets = {size: [m.width, m.height, *m.margins] for size, m in every.items()}
    shown: dict[str, Any] = {
        "id": device.id,
        "name": device.name,
        "kind": kind_of(device),
        "state": _state(device, card),
        "ppi": device.format.ppi,
        "bits": device.format.bits,
        "sheets": sheets,
        "options": {c.name: {"value": c.value, "offered": list(c.offered)} for c in device.choices()},
        "meanings": meanings,
        "leaves_alone": f"{meanings['colour']['options'][0]}={learned.passes}"
        if learned and "colour" in meanings
        else None,
    }
    if as_json:
        print_json(shown)
        return
    click.echo(
        tr(
            "{name} ({shown}): {shown2}; {shown3} to the inch, {shown4} bit",
            name=device.name,
            shown=shown["kind"],
            shown2=shown["state"],
            shown3=shown["ppi"],
            shown4=shown["bits"],
        )
    )
    for size, (width, height, left, top, right, bottom) in sheets.items():
        click.echo(
            tr(
                "  {size}: {size2}, margins {left:g} {top:g} {right:g} {bottom:g} mm",
                size=size,
                size2=units.size(width, height, 1),
                left=left,
                top=top,
                right=right,
                bottom=bottom,
            )
        )
    for option, said in shown["options"].items():
        meaning = next((m for m, s in meanings.items() if option in s["options"]), "")
        known = f"  [{meaning}: {learned.how(meaning)}]" if meaning and learned else ""
        click.echo(f"  {option}: {said['value']}{known}")


def chain_of(device: Printer, card: Card, probed: Any = None) -> Chain:
    """Return what lies between Fidele and the ink for a job by a card that brings its own settings."""
    from fidele.route.layers import Chain

    return Chain(device.layers(card, probed), card.twists_needed)


def _or_none(values: list[bool | None]) -> bool | None:
    """Return True where any is, None where one is not known, else False."""
    return True if any(values) else None if None in values else False


@printer.command("probe")
@click.argument("name", metavar="ID")
@click.option("--json", "as_json", is_flag=True, help=tr("Print one JSON document."))
def printer_probe(name: str, as_json: bool) -> None:
    """Send known numbers down a printer's route without ink, as it is set now. Exit 1 where something changes them."""
    from fidele.run.probes import probe

    session = session_of_user()
    device = need_printer(session, name)
    card = device.starter_card().model_copy(update={"owner": "fidele", "mirror_by": "nobody"})
    found = None
    if device.probing is not None:
        found = probe(device, device.media(card.size, card.feed), datetime.datetime.now())
    chain = chain_of(device, card, found)
    layers = [
        {"name": x.name, "how": x.how, "evidence": x.evidence.value, "converts": x.converts} for x in chain.layers
    ]
    known = {
        "converts": _or_none([x.converts for x in chain.layers]),
        "scale": None if any(x.scale is None for x in chain.layers) else round(chain.scale, 4),
        "mirrored": _or_none([x.mirrors for x in chain.layers]),
        "evidence": layers,
    }
    if as_json:
        print_json(known)
    else:
        for layer in layers:
            click.echo(f"{layer['name']}: {layer['how']} ({layer['evidence']})")
    sys.exit(1 if known["converts"] or known["mirrored"] or known["scale"] not in (None, 1.0) else 0)


@printer.command("learn")
@click.argument("name", metavar="ID")
@click.option("--leaves-alone", metavar="OPTION=CHOICE", help=tr("This choice leaves the numbers alone; you looked."))
@click.option("--corrects", metavar="CHOICE", default="", help=tr("This other choice of it converts the maker's way."))
@click.option(
    "--try", "tries", multiple=True, metavar="OPTION=CHOICE", help=tr("Two choices of an option, to be compared.")
)
@click.option("--print", "printing", is_flag=True, help=tr("Print the driver chart under each of them."))
@click.option("--read", "files", nargs=2, type=FILE, help=tr("Scans or measurements of the two prints, in that order."))
@click.option("--pressed", is_flag=True, help=tr("The two prints were pressed on something, which mirrors them."))
@click.option("--true-size", is_flag=True, help=tr("The driver scales nothing behind its last raster; you looked."))
@click.option("--not-mirrored", is_flag=True, help=tr("It mirrors nothing there; you looked."))
@click.option("--from", "theirs", type=FILE, help=tr("Take in what a colleague learned."))
@click.option("--export", "out", type=FILE, help=tr("Write what is known as a file for a colleague."))
@click.option("--json", "as_json", is_flag=True, help=tr("Print one JSON document."))
def printer_learn(
    name: str,
    leaves_alone: str | None,
    corrects: str,
    tries: tuple[str, ...],
    printing: bool,
    files: tuple[Path, Path] | None,
    pressed: bool,
    true_size: bool,
    not_mirrored: bool,
    theirs: Path | None,
    out: Path | None,
    as_json: bool,
) -> None:
    """Say, take in, or write down what the options of a printer's driver mean. With nothing, show what is known.

    Ink proves it: --try twice with --print prints a chart under two choices, --try twice with --read tells from the two
    prints, without any profile, which choice leaves the numbers alone, mirrors, scales or only lays down more ink.
    """
    from fidele.files import write_bytes
    from fidele.session import learning
    from fidele.session.person import person

    session = session_of_user()
    device, words = need_printer(session, name), session.devices.learned
    learned = getattr(device, "learned", None)
    if learned is None or words is None:
        raise FideleError(tr("The {name} has no driver whose options could be learned.", name=device.name))
    if theirs is not None:
        words.take_in(theirs)
        learned = device.learned  # type: ignore[attr-defined]
    if leaves_alone is not None:
        control, _, choice = leaves_alone.partition("=")
        learning.say(session.devices, device, control, choice, corrects, person())
        learned = device.learned  # type: ignore[attr-defined]
    if tries:
        pairs = [one.partition("=")[::2] for one in tries]
        if len(pairs) != 2 or pairs[0][0] != pairs[1][0] or not (printing or files):
            raise FideleError(tr("Say two choices of one option with --try, and --print or --read."))
        control, choices = pairs[0][0], (pairs[0][1], pairs[1][1])
        if printing:
            for choice in choices:
                click.echo(
                    tr(
                        "run {order_chart}: {control}: {choice}",
                        order_chart=learning.order_chart(session.queue, device, control, choice),
                        control=control,
                        choice=choice,
                    )
                )
        if files:
            told = learning.read_pair(session.devices, device, control, choices, files, pressed)
            click.echo(told.said(*choices), err=as_json)
            learned = device.learned  # type: ignore[attr-defined]
    if true_size or not_mirrored:
        said = {"driver_size": true_size, "driver_mirroring": not_mirrored}
        alone = learned.alone | {meaning: "hand" for meaning, seen in said.items() if seen}
        learned = learned.model_copy(update={"alone": alone})
        words.keep(learned)
    if out is not None:
        write_bytes(out, learned.model_dump_json(indent=1).encode())
    shown = {
        "driver": learned.driver,
        "version": learned.version,
        "leaves_alone": learned.passes or None,
        "corrects": learned.corrects or None,
        "meanings": {m: {"options": list(s.options), "how": s.how, "who": s.who} for m, s in learned.meanings.items()},
    }
    if as_json:
        print_json(shown)
        return
    click.echo(f"{learned.driver}")
    for meaning, said in learned.meanings.items():
        extra = (
            tr("; “{passes}” leaves the numbers alone", passes=learned.passes)
            if meaning == "colour" and learned.passes
            else ""
        )
        click.echo(f"  {meaning}: {', '.join(said.options)} ({learned.how(meaning)}){extra}")


@click.command()
@click.option(
    "--device", "name", help=tr("Which scanner, as 'fidele scan --list' shows it; the first where none is said.")
)
@click.option("--out", type=FILE, help=tr("File to write (.tif, .png)."))
@click.option("--ppi", type=click.IntRange(50, 2400), default=300, show_default=True)
@click.option("--list", "listing", is_flag=True, help=tr("List the scanners of this machine."))
@click.option("--json", "as_json", is_flag=True, help=tr("Print one JSON document."))
def scan(name: str | None, out: Path | None, ppi: int, listing: bool, as_json: bool) -> None:
    """Scan with every improvement of the scanner switched off; what stays on is said."""
    from fidele.artwork.save import save_picture
    from fidele.devices.sane import SaneScanner, scanners

    if listing:
        here = scanners()
        if as_json:
            print_json([{"id": s.device, "name": s.name} for s in here])
        for one in () if as_json else here:
            click.echo(f"{one.device}: {one.name}")
        return
    if out is None:
        raise FideleError(tr("Say where to write: --out FILE."))
    if name is None:
        here = scanners()
        if not here:
            raise FideleError(tr("No scanner answers on this machine."))
        chosen = here[0]
    else:
        chosen = SaneScanner(name)
    rested = chosen.at_rest(ppi)
    seen = chosen.scanned(rested)
    save_picture(out, seen.pixels, None, seen.ppi)
    shown = {
        "file": str(out),
        "scanner": chosen.device,
        "ppi": seen.ppi,
        "bits": seen.pixels.dtype.itemsize * 8,
        "cautions": list(seen.cautions),
    }
    if as_json:
        print_json(shown)
        return
    click.echo(
        tr(
            "{out}: {shape} x {shape2} pixels at {ppi:g} to the inch",
            out=out,
            shape=seen.pixels.shape[1],
            shape2=seen.pixels.shape[0],
            ppi=seen.ppi,
        )
    )
    for caution in seen.cautions:
        click.echo(tr("Caution: {caution}.", caution=caution), err=True)
