"""Printing conditions and their routes: list, send, take in, check, probe."""

from __future__ import annotations

import os
import sys
from pathlib import Path
from typing import TYPE_CHECKING

import click

from fidele.commands.common import FILE, print_json, session_of_user
from fidele.language import named, tr

if TYPE_CHECKING:
    from fidele.route.condition import Card
    from fidele.session.model import Session


@click.group()
def condition() -> None:
    """Printing conditions: list, show, send, take in, check the route."""


@condition.command("list")
@click.option("--json", "as_json", is_flag=True, help=tr("Print one JSON document."))
def condition_list(as_json: bool) -> None:
    """List the conditions of this workshop."""
    cards = session_of_user().cards.cards()
    if as_json:
        keys = ("id", "name", "printer_name", "media", "substrate", "process", "size", "owner", "profile", "locked")
        print_json([{k: getattr(c, k) for k in keys} for c in cards])
        return
    for c in cards:
        click.echo(f"{c.id:24}  {c.name}: {c.summary}")


@condition.command("show")
@click.argument("card")
def condition_show(card: str) -> None:
    """Print a condition as it is kept, in JSON."""
    click.echo(session_of_user().conditions.need(card).model_dump_json(indent=2))


@condition.command("export")
@click.argument("card")
@click.option("--out", required=True, type=FILE, help=tr("File to write, .zip."))
def condition_export(card: str, out: Path) -> None:
    """Write a condition with its profile inside as one file."""
    session = session_of_user()
    session.conditions.export(session.conditions.need(card).id, out)
    click.echo(out)


@condition.command("import")
@click.argument("file", type=FILE)
def condition_import(file: Path) -> None:
    """Take in a condition that was exported, with its profile."""
    from fidele.store.cards import read_export

    taken = session_of_user().conditions.take_in(read_export(file))
    click.echo(f"{taken.id}: {taken.name}")


@condition.command("compare")
@click.argument("a")
@click.argument("b")
@click.option("--json", "as_json", is_flag=True, help=tr("Print one JSON document."))
def condition_compare(a: str, b: str, as_json: bool) -> None:
    """Say in what two conditions differ."""
    found = session_of_user().conditions.compare(a, b)
    if as_json:
        print_json([{"what": d.label, "a": d.one, "b": d.other} for d in found])
        return
    for d in found:
        click.echo(f"{d.label}: {d.one}; {d.other}")
    if not found:
        click.echo(tr("They are alike."))


@condition.command("balance")
@click.argument("card")
@click.argument("measured", nargs=-1, type=FILE)
@click.option(
    "--through", multiple=True, type=FILE, help=tr("Of a page that went through the condition's present curves.")
)
@click.option("--like", default="", help=tr("A condition whose look is the aim, in place of neutral and even."))
@click.option(
    "--aim",
    type=click.Choice(["neutral", "screen", "livelier"]),
    help=tr("What greys and colours aim at: neutral and even greys, the picture on a screen, or that and livelier."),
)
@click.option("--keep", is_flag=True, help=tr("Keep the curves on the card."))
@click.option("--json", "as_json", is_flag=True, help=tr("Print one JSON document."))
def condition_balance(
    card: str,
    measured: tuple[Path, ...],
    through: tuple[Path, ...],
    like: str,
    aim: str | None,
    keep: bool,
    as_json: bool,
) -> None:
    """Find curves that make greys neutral where the driver converts, from measured neutral pages."""
    import numpy as np

    from fidele.chart.measured_file import read_any
    from fidele.errors import FideleError
    from fidele.session.balancing import LIVELIER, SCREEN, read_page

    session = session_of_user()
    mine = session.conditions.need(card)
    if mine.owner != "driver":
        raise FideleError(
            tr("“{name}” converts otherwise: curves are for a driver that converts by itself.", name=mine.name)
        )
    if not measured and not through:
        raise FideleError(tr("Give one file at least: a measured neutral page (fidele chart make neutral)."))
    if like and aim:
        raise FideleError(tr("Give --like or --aim, not both."))
    session.put_in_force(mine)
    wanted = {"screen": SCREEN, "livelier": LIVELIER, "neutral": ""}.get(aim or "", mine.balance_like)
    if like:
        other = session.conditions.need(like)
        wanted = other.id
        if other.id not in {c.id for c in session.balancing.others()}:
            raise FideleError(
                tr("How “{name}” prints greys is not known: it has no profile and no measured page.", name=other.name)
            )
    for path in (*measured, *through):
        read_any(path)  # a clear word on what is no file of measurements
    bare = mine.model_copy(update={"balance": None})
    pages = [read_page(bare, path) for path in measured] + [read_page(mine, path) for path in through]
    for path, page in zip((*measured, *through), pages, strict=True):
        if page.Lab is None:
            raise FideleError(tr("{path} holds no measurements of the neutral page.", path=path))
    asked = wanted != mine.balance_like
    if asked:
        session.balancing.look_like(wanted)
    found = session.balancing.computing(pages)(lambda _: True)
    dark = len(found.greys) // 10
    lean = float(np.percentile(np.hypot(*found.greys[dark:, 1:].T), 95))
    off = float(np.abs(found.greys[dark:, 0] - found.wanted[dark:, 0]).max())
    if keep:
        session.balancing.take(found)
        session.balancing.keep()
    if as_json:
        read = [{"file": str(f), "words": p.words} for f, p in zip((*measured, *through), pages, strict=True)]
        expected = {"chroma": lean, "tone": off}
        if found.apart is not None:
            expected |= {"apart": found.apart[1], "apart_now": found.apart[0]}
        print_json({"pages": read, "expected": expected, "curves": found.balance.model_dump()})
        if asked and not keep:
            session.undo()
        return
    for page in pages:
        click.echo(page.words.partition(", ")[2])
    if found.apart is not None:
        click.echo(
            tr(
                "Off from {name} by a mean ΔE00 of {before:.1f} now; through the curves {after:.1f} is expected.",
                name=session.balancing.aim()[0],
                before=found.apart[0],
                after=found.apart[1],
            )
        )
    click.echo(
        tr(
            "Through the curves greys are expected to lean by {lean:.1f}, tones to be off by L* {off:.1f}.",
            lean=lean,
            off=off,
        )
    )
    if keep:
        click.echo(tr("The curves are on the card."))
    elif asked:
        session.undo()  # nothing is kept that was not asked for


@condition.command("check")
@click.argument("card")
@click.option("--json", "as_json", is_flag=True, help=tr("Print one JSON document."))
def condition_check(card: str, as_json: bool) -> None:
    """Read the route back and judge it. CARD is an id, a name, or a file. Exit 1 on a stop."""
    from fidele.route.layers import Chain

    session = session_of_user()
    session.put_in_force(_card(session, card))
    findings = session.findings
    weights = {f.weight for f in findings}
    verdict = "stop" if "stop" in weights else "caution" if "caution" in weights else named("good")
    chain = session.chain or Chain((), 0)
    if as_json:
        print_json(
            {
                "verdict": verdict,
                "conversions": len(chain.knots),
                "mirrors": chain.twists,
                "scale": round(chain.scale, 4),
                "stages": [
                    {
                        "name": x.name,
                        "converts": x.converts,
                        "mirrors": x.mirrors,
                        "turned": x.turned,
                        "scale": x.scale,
                        "how": x.how,
                        "expects": x.expects,
                        "assumes": x.assumes,
                        "evidence": x.evidence.value,
                    }
                    for x in chain.layers
                ],
                "findings": [
                    {"code": f.code, "weight": f.weight, "message": f"{f.title}. {f.why}", "remedy": f.remedy}
                    for f in findings
                ],
            }
        )
    else:
        click.echo(f"{tr(verdict)}: {chain.headline}, {chain.sentence}")
        for f in findings:
            click.echo(f"  {f.weight}: {f.title}. {f.why} {f.remedy}")
    sys.exit(1 if verdict == "stop" else 0)


def _card(session: Session, name: str) -> Card:
    """Return a card by id or name, or from a file: its JSON, or what was exported."""
    from fidele.files import read_bytes
    from fidele.store.cards import card_of, holds_card, read_export

    path = Path(name)
    if session.cards.find(name) is None and (path.exists() or os.sep in name):
        return read_export(path).card if holds_card(path) else card_of(read_bytes(path, 1 << 20), name)
    return session.conditions.need(name)


@click.command()
@click.argument("card")
@click.option("--json", "as_json", is_flag=True, help=tr("Print one JSON document."))
def probe(card: str, as_json: bool) -> None:
    """Send known numbers down a condition's route without ink, and say what came out. Exit 1 where they change."""
    from fidele.session.probing import in_words, suspects

    session = session_of_user()
    session.put_in_force(_card(session, card))
    found = session.handoff.probe()
    correction, probes = session.corrections.of(session.device), session.state.probes
    ranked = suspects(found, correction, session.profile)
    there = probes.program if probes is not None else None
    if as_json:
        print_json(
            {
                "passes": found.passes,
                "mean": round(found.mean, 3),
                "largest": round(found.largest, 3),
                "mirrored": found.mirrored,
                "turned": found.turned,
                "fits_best": [{"conversion": s.name, "distance": round(s.distance, 3)} for s in ranked],
                "sentence": in_words(found, ranked),
                "scale": round(found.scale, 3),
                "program": {
                    "name": session.need_card().printed_from,
                    "passes": there.passes,
                    "mirrored": there.mirrored,
                    "scale": there.scale,
                }
                if there is not None
                else None,
            }
        )
    else:
        click.echo(session.said)
    sys.exit(0 if found.passes and (there is None or there.passes) else 1)
