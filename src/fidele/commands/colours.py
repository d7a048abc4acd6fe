"""What a profile makes of colours: what a picture loses, and the nearest printable ones to a colour."""

from __future__ import annotations

import re
from dataclasses import asdict
from pathlib import Path
from typing import Any

import click
import numpy as np

from fidele.commands.common import FILE, INTENTS, print_json
from fidele.errors import FideleError


@click.command()
@click.argument("artwork", type=FILE)
@click.option("--to", "target", required=True, type=FILE, help="The output profile.")
@click.option("--intent", type=INTENTS, default="perceptual", show_default=True, help="Rendering intent.")
@click.option("--bpc/--no-bpc", default=True, show_default=True, help="Black point compensation.")
@click.option("--assume", type=FILE, help="Profile of artwork that states none.")
@click.option("--json", "as_json", is_flag=True, help="Print one JSON document.")
def losses(artwork: Path, target: Path, intent: str, bpc: bool, assume: Path | None, as_json: bool) -> None:
    """Say which of a picture's colours will be lost, by how much, and which way they shift."""
    from fidele.artwork.open import open_artwork
    from fidele.icc.profile import Profile
    from fidele.icc.transform import Intent
    from fidele.proof.losses import losses as find
    from fidele.proof.soft import ProofSettings

    picture = open_artwork(artwork, Profile.open(assume) if assume else None)
    found = find(picture.pixels, picture.profile, Profile.open(target), ProofSettings(Intent(intent), bpc))
    if as_json:
        print_json(
            {
                "area_lost": round(found.lost, 5),
                "out_of_gamut": round(found.out_of_gamut, 5),
                "mean_de00": round(found.mean_de00, 3),
                "p95_de00": round(found.p95_de00, 3),
                "colours": [asdict(group) for group in found.groups],
            }
        )
        return
    click.echo(
        f"{found.lost * 100:.1f} % of the picture is lost (ΔE00 over 2), mean ΔE00 {found.mean_de00:.1f}, "
        f"95th percentile {found.p95_de00:.1f}."
    )
    for group in found.groups:
        click.echo(f"  {group.area * 100:5.1f} %  ΔE00 {group.de00:4.1f}  {group.words}")


@click.command()
@click.argument("colour")
@click.option("--to", "target", required=True, type=FILE, help="The output profile.")
@click.option("--json", "as_json", is_flag=True, help="Print one JSON document.")
def nearest(colour: str, target: Path, as_json: bool) -> None:
    """Find the nearest printable colours to COLOUR: '#rrggbb', 'r,g,b' of sRGB (0 to 255), or 'lab:L,a,b'."""
    from fidele.icc.profile import Profile
    from fidele.proof.nearest import nearest_printable, verdict

    wanted = parse_colour(colour)
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
    click.echo(f"L*a*b* {', '.join(f'{v:.1f}' for v in wanted)}: {said}.")
    for n in found:
        values = " ".join(f"{v * 255:.0f}" for v in n.device)
        click.echo(f"  {n.flavour:15} ΔE00 {n.de00:4.1f}  {n.words:40} device values {values}")


def parse_colour(text: str) -> Any:
    """Return the L*a*b* (3,) of a colour as people write it.

    Raises
    ------
    FideleError
        When it is none.
    """
    from fidele.icc.spaces import srgb
    from fidele.icc.transform import to_lab

    number = r"\s*(-?\d+(?:\.\d+)?)\s*"
    if match := re.fullmatch(rf"lab:{number},{number},{number}", text.strip(), re.I):
        Lab = np.array([float(v) for v in match.groups()])
        if not (0 <= Lab[0] <= 100 and np.abs(Lab[1:]).max() <= 200):
            raise FideleError(f"'{text}' is no L*a*b* colour: L* runs from 0 to 100.")
        return Lab
    if match := re.fullmatch(r"#?([0-9a-f]{2})([0-9a-f]{2})([0-9a-f]{2})", text.strip(), re.I):
        rgb = np.array([int(v, 16) for v in match.groups()])
    elif match := re.fullmatch(rf"{number},{number},{number}", text.strip()):
        rgb = np.array([float(v) for v in match.groups()])
    else:
        raise FideleError(f"'{text}' is no colour: write '#rrggbb', 'r,g,b' (0 to 255) or 'lab:L,a,b'.")
    if rgb.min() < 0 or rgb.max() > 255:
        raise FideleError(f"'{text}' is no sRGB colour: each value runs from 0 to 255.")
    return to_lab((rgb / 255).astype(np.float32)[None], srgb())[0].astype(float)
