"""What a profile makes of colours: what a picture loses, and the nearest printable ones to a colour."""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path
from typing import TYPE_CHECKING

import click

from fidele.commands.common import FILE, INTENTS, intent_for, print_json, session_of_user
from fidele.errors import FideleError
from fidele.language import decimals, tr

if TYPE_CHECKING:
    from fidele.artwork.picture import Artwork


@click.command()
@click.argument("artwork", type=FILE)
@click.option("--to", "target", type=FILE, help=tr("The output profile."))
@click.option("--conditions", is_flag=True, help=tr("Under every printing condition of this workshop, best first."))
@click.option("--intent", type=INTENTS, help=tr("Rendering intent; what suits the picture where none is given."))
@click.option("--bpc/--no-bpc", default=True, show_default=True, help=tr("Black point compensation."))
@click.option("--tune", type=FILE, help=tr("A tuning (JSON) to apply."))
@click.option("--page", type=click.IntRange(1), help=tr("Which page of several."))
@click.option("--assume", type=FILE, help=tr("Profile of artwork that states none."))
@click.option("--json", "as_json", is_flag=True, help=tr("Print one JSON document."))
def losses(
    artwork: Path,
    target: Path | None,
    conditions: bool,
    intent: str | None,
    bpc: bool,
    tune: Path | None,
    page: int | None,
    assume: Path | None,
    as_json: bool,
) -> None:
    """Say which of a picture's colours will be lost, by how much, and which way they shift."""
    from fidele.artwork.open import open_artwork
    from fidele.icc.profile import Profile
    from fidele.proof.contrast import contrast_lost
    from fidele.proof.losses import losses as find
    from fidele.proof.soft import ProofSettings
    from fidele.tuning.model import read_tuning

    if (target is None) == (not conditions):
        raise FideleError(tr("Say what it is printed by: --to PROFILE, or --conditions for every condition."))
    picture = open_artwork(artwork, Profile.open(assume) if assume else None, page=page - 1 if page else None)
    if picture.page < 0:
        raise FideleError(
            tr("{artwork} has {pages} pages; say which one with --page.", artwork=artwork, pages=picture.pages)
        )
    if target is None:
        _by_condition(picture, as_json)
        return
    printer = Profile.open(target)
    chosen, why = intent_for(picture, printer, intent, bpc)
    settings = ProofSettings(chosen, bpc, read_tuning(tune) if tune else None)
    found = find(picture.laid, picture.profile, printer, settings)
    contrast = contrast_lost(picture.laid, picture.profile, printer, settings)
    if as_json:
        print_json(
            {
                "intent": chosen.value,
                "intent_because": why,
                "area_lost": round(found.lost, 5),
                "out_of_gamut": round(found.out_of_gamut, 5),
                "mean_de00": round(found.mean_de00, 3),
                "p95_de00": round(found.p95_de00, 3),
                "headline": found.headline,
                "colours": [asdict(group) | {"name": group.name} for group in found.groups],
                "contrast": [asdict(pair) | {"words": pair.words} for pair in contrast],
            }
        )
        return
    if why:
        click.echo(why)
    click.echo(
        tr(
            "{lost:.1f} % of the picture is lost (ΔE00 over 2), mean ΔE00 {mean_de00:.1f}, 95th percentile "
            "{p95_de00:.1f}.",
            lost=found.lost * 100,
            mean_de00=found.mean_de00,
            p95_de00=found.p95_de00,
        )
    )
    for group in found.groups:
        click.echo(
            tr(
                "  {area:5.1f} %  ΔE00 {de00:4.1f}  its {name}: {words}",
                area=group.area * 100,
                de00=group.de00,
                name=group.name,
                words=group.words,
            )
        )
    for pair in contrast:
        click.echo(f"  {pair.words}")


def _by_condition(picture: Artwork, as_json: bool) -> None:
    held = session_of_user().under_each(picture)(None)
    if not held:
        raise FideleError(
            tr("There is no printing condition yet: make one in the window, or `fidele condition import` one.")
        )
    if as_json:
        print_json(
            [
                {"id": h.candidate.card.id, "name": h.candidate.card.name, "words": h.words}
                | (
                    {"area_lost": round(h.losses.lost, 5), "mean_de00": round(h.losses.mean_de00, 3)}
                    if h.losses
                    else {}
                )
                for h in held
            ]
        )
        return
    for one in held:
        click.echo(f"{one.candidate.card.name}: {one.words}.")


@click.command()
@click.argument("colour")
@click.option("--to", "target", required=True, type=FILE, help=tr("The output profile."))
@click.option("--json", "as_json", is_flag=True, help=tr("Print one JSON document."))
def nearest(colour: str, target: Path, as_json: bool) -> None:
    """Find the nearest printable colours to COLOUR: '#rrggbb', 'r,g,b' of sRGB (0 to 255), or 'lab:L,a,b'."""
    from fidele.icc.profile import Profile
    from fidele.proof.nearest import VERDICTS, nearest_printable, verdict
    from fidele.proof.typed import colour_written

    wanted = colour_written(colour)
    found = nearest_printable(wanted, Profile.open(target))
    said = verdict(found[0].de00)
    if as_json:
        print_json(
            {
                "wanted_lab": [round(float(v), 2) for v in wanted],
                "verdict": said,
                "nearest": [asdict(n) | {"de00": round(n.de00, 3)} for n in found],
            }
        )
        return
    click.echo(f"L*a*b* {'  '.join(decimals(f'{v:.1f}') for v in wanted)}: {VERDICTS[said]}.")
    for n in found:
        values = " ".join(f"{v * 255:.0f}" for v in n.device)
        click.echo(
            tr(
                "  {flavour:15} ΔE00 {de00:4.1f}  {words:40} device values {values}",
                flavour=tr(n.flavour),
                de00=n.de00,
                words=n.words,
                values=values,
            )
        )
