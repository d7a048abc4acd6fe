"""Profiles made to order: begin, list, letter, packing slip, sent, and what came back."""

from __future__ import annotations

from pathlib import Path

import click

from fidele.commands.common import FILE, print_json, session_of_user
from fidele.language import tr


@click.group()
def order() -> None:
    """Profiles that a supplier or colleague makes from a target printed here."""


@order.command("list")
@click.option("--json", "as_json", is_flag=True, help=tr("Print one JSON document."))
def order_list(as_json: bool) -> None:
    """List the orders, the newest first, and how each stands."""
    orders = session_of_user().orders
    rows = [(one, orders.state(one)) for one in orders.all()]
    if as_json:
        print_json([one.model_dump(mode="json", exclude={"card"}) | {"state": state} for one, state in rows])
        return
    for one, state in rows:
        click.echo(f"{one.number}  {one.maker}  {one.card.name}  {state}")
    if not rows:
        click.echo(tr("Nothing is on order."))


@order.command("begin")
@click.argument("target", type=FILE)
@click.option("--maker", required=True, help=tr("Who makes the profile."))
@click.option("--mail", default="", help=tr("Their address."))
@click.option("--condition", "card", default="", help=tr("For which condition; the first where none is said."))
def order_begin(target: Path, maker: str, mail: str, card: str) -> None:
    """Begin an order by the target that its maker wants printed: a TIFF, PNG or PDF."""
    session = session_of_user()
    if card:
        session.put_in_force(session.conditions.need(card))
    orders = session.orders
    begun = orders.looking(target)(lambda _: True)
    made = orders.begin(begun, maker, mail)
    for caution in begun.cautions:
        click.echo(caution, err=True)
    click.echo(made.number)


@order.command("letter")
@click.argument("number")
def order_letter(number: str) -> None:
    """Print the letter that goes with a parcel: its subject, an empty line, its text."""
    orders = session_of_user().orders
    subject, text = orders.letter(orders.need(number))
    click.echo(f"{subject}\n\n{text}")


@order.command("slip")
@click.argument("number")
@click.argument("out", type=FILE)
def order_slip(number: str, out: Path) -> None:
    """Write the packing slip as a page of PDF."""
    orders = session_of_user().orders
    orders.slip(orders.need(number), out)
    click.echo(str(out))


@order.command("sent")
@click.argument("number")
def order_sent(number: str) -> None:
    """Keep that the printed target was sent."""
    orders = session_of_user().orders
    orders.sent(orders.need(number))
    click.echo(orders.state(orders.need(number)))


@order.command("receive")
@click.argument("file", type=FILE)
@click.option("--number", default="", help=tr("The order that it answers, where it does not say so itself."))
def order_receive(file: Path, number: str) -> None:
    """Put what came back on the shelf, and say which order it answers."""
    from fidele.errors import FideleError
    from fidele.session.orders import Match

    session = session_of_user()
    orders = session.orders
    delivery = session.shelf.look(file)
    found = orders.match(delivery, file.name)
    if number:
        able = [a.id for a in delivery.arrivals if a.description is not None and a.description.usable_as_output]
        if len(able) != 1:
            raise FideleError(tr("{file} does not hold one output profile.", file=file))
        found = Match(orders.need(number), able[0], True, tr("Said by hand."))
    if found is None:
        raise FideleError(
            tr("{file} answers no order that is waited for; say which by --number, or install it.", file=file)
        )
    if not found.certain:
        raise FideleError(tr("{words} Say so by --number {number}.", words=found.words, number=found.order.number))
    session.profiles.receive(delivery)
    if session.profiles.pending is not None:
        session.profiles.settle({found.profile: "put"})
    made = orders.here(found)
    click.echo(tr("{words} {state}.", words=found.words, state=orders.state(made)))
