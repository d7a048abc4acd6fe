"""What becomes of pictures: convert and proof."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import click

from fidele.commands.common import FILE, INTENTS, Number, intent_for
from fidele.errors import FideleError
from fidele.icc.spaces import GREYS, SENDS
from fidele.language import tr


@click.command()
@click.argument("artwork", type=FILE, nargs=-1, required=True)
@click.option("--to", "target", type=FILE, help=tr("The output profile, or that of a working or grey space."))
@click.option("--space", type=click.Choice([*SENDS, *GREYS]), help=tr("A working or grey space in place of --to."))
@click.option("--out", type=FILE, help=tr("File to write (.tif, .png, .jpg, .pdf), for one picture."))
@click.option("--out-dir", type=FILE, help=tr("Folder to write into, for many."))
@click.option("--name", default=tr("{name}, converted.tif"), show_default=True, help=tr("Names in that folder."))
@click.option("--intent", type=INTENTS, help=tr("Rendering intent; what suits the picture where none is given."))
@click.option("--bpc/--no-bpc", default=True, show_default=True, help=tr("Black point compensation."))
@click.option("--tune", type=FILE, help=tr("A tuning (JSON) to apply."))
@click.option("--keep-black", is_flag=True, help=tr("Keep exact black and white as full black and bare paper."))
@click.option("--keep-primaries", is_flag=True, help=tr("Keep exact primaries too."))
@click.option("--mirror", is_flag=True, help=tr("Mirror left to right."))
@click.option("--bits", type=click.Choice(["8"]), help=tr("Reduce to 8 bit, dithered."))
@click.option("--page", type=click.IntRange(1), help=tr("Which page of several."))
@click.option("--ppi", type=Number(10, 2400), default=300, show_default=True, help=tr("Of drawings (PDF, SVG)."))
@click.option("--assume", type=FILE, help=tr("Profile of artwork that states none."))
def convert(
    artwork: tuple[Path, ...],
    target: Path | None,
    space: str | None,
    out: Path | None,
    out_dir: Path | None,
    name: str,
    intent: str | None,
    bpc: bool,
    tune: Path | None,
    keep_black: bool,
    keep_primaries: bool,
    mirror: bool,
    bits: str | None,
    page: int | None,
    ppi: float,
    assume: Path | None,
) -> None:
    """Convert artwork to an output profile, or to a space for an outside house; size, depth and resolution stay.

    What was done stands in the file.
    """
    from fidele.artwork.convert import bpc_note
    from fidele.artwork.convert_files import Order, convert_file, named, require_writable
    from fidele.icc.profile import Profile
    from fidele.icc.spaces import space_named
    from fidele.icc.transform import Intent
    from fidele.tuning.conversion import Conversion
    from fidele.tuning.model import read_tuning

    if (target is None) == (space is None):
        raise FideleError(tr("Say what it is converted to: --to PROFILE, or --space for a working or grey space."))
    printer = Profile.open(target) if target is not None else space_named(space or "")
    assumed = Profile.open(assume) if assume else None
    if (out is None) == (out_dir is None) or (out is not None and len(artwork) > 1):
        raise FideleError(tr("Say where to write: --out for one picture, --out-dir for many."))
    if out is not None:
        require_writable(artwork[0], out)
    targets = {artwork[0]: out} if out is not None else named(artwork, out_dir or Path(), name)
    keep = "primaries" if keep_primaries else "black" if keep_black else ""
    plain = printer.header.device_class != "prtr"  # a space of a matrix or a curve has no tables to choose from
    used, why = Intent(intent or ("relative" if plain else "perceptual")), ""
    how = Conversion(used, bpc, read_tuning(tune) if tune else None, keep)

    def choose(picture: Any) -> Intent:
        nonlocal used, why
        used, why = intent_for(picture, printer, None, bpc)
        return used

    ways = None if intent or plain else choose
    order = Order(printer, how, mirror, int(bits) if bits else None, "", assumed, page - 1 if page else None, ppi, ways)
    failed = []
    for path, to in targets.items():
        used, why = how.intent, ""  # unless one is chosen for it: for large pictures none is
        try:
            picture = convert_file(path, to, order)
        except FideleError as error:
            if len(targets) == 1:
                raise
            failed.append(path)
            click.echo(tr("Error: {error}", error=error), err=True)
            continue
        for doubt in picture.doubts:
            click.echo(doubt, err=True)
        click.echo(
            tr(
                "{to}: from {words}, {value}.{value2}{why}",
                to=to,
                words=picture.slip.words,
                value=used.words,
                value2=(" " if why else ""),
                why=why,
            )
        )
    note = bpc_note(printer, used, bpc)
    if note:
        click.echo(note, err=True)
    if failed:
        raise FideleError(tr("{n} of {n2} pictures were not converted.", n=len(failed), n2=len(targets)))


@click.command()
@click.argument("artwork", type=FILE)
@click.option("--to", "target", required=True, type=FILE, help=tr("The output profile."))
@click.option("--out", required=True, type=FILE, help=tr("PNG to write."))
@click.option("--intent", type=INTENTS, help=tr("Rendering intent; what suits the picture where none is given."))
@click.option("--bpc/--no-bpc", default=True, show_default=True, help=tr("Black point compensation."))
@click.option("--paper-white", is_flag=True, help=tr("Show the piece's own white."))
@click.option("--compare", is_flag=True, help=tr("One PNG for each intent that the profile has, with figures."))
@click.option("--tune", type=FILE, help=tr("A tuning (JSON) to apply."))
@click.option("--page", type=click.IntRange(1), help=tr("Which page of several."))
@click.option("--assume", type=FILE, help=tr("Profile of artwork that states none."))
def proof(
    artwork: Path,
    target: Path,
    out: Path,
    intent: str | None,
    bpc: bool,
    paper_white: bool,
    compare: bool,
    tune: Path | None,
    page: int | None,
    assume: Path | None,
) -> None:
    """Show on sRGB what the artwork will look like on the piece."""
    from fidele.artwork.open import open_artwork
    from fidele.icc.describe import require_output
    from fidele.icc.profile import Profile
    from fidele.icc.transform import Intent
    from fidele.proof.advice import advise, content_of
    from fidele.proof.kept import kept
    from fidele.proof.losses import losses_of_each
    from fidele.proof.soft import ProofSettings
    from fidele.tuning.model import read_tuning

    if out.suffix.lower() != ".png":
        raise FideleError(tr("{out}: a proof is written as .png.", out=out))
    picture = open_artwork(artwork, Profile.open(assume) if assume else None, page=page - 1 if page else None)
    if picture.page < 0:
        raise FideleError(
            tr("{artwork} has {pages} pages; say which one with --page.", artwork=artwork, pages=picture.pages)
        )
    printer = Profile.open(target)
    what = require_output(printer)
    tuning = read_tuning(tune) if tune else None
    one, why = intent_for(picture, printer, intent, bpc) if not compare else (Intent.PERCEPTUAL, "")
    intents = [Intent(i) for i in what.intents] if compare else [one]
    if why:
        click.echo(why)
    ways = [ProofSettings(i, bpc, tuning, paper_white=paper_white) for i in intents]
    figures = {}
    for way, found in zip(ways, losses_of_each(picture.laid, picture.profile, printer, ways), strict=True):
        to = out.with_name(f"{out.stem}-{way.intent.value}.png") if compare else out
        _write_proof(picture, printer, way, to)
        figures[way.intent] = found
        click.echo(
            tr(
                "{to}: {out_of_gamut:.1f} % of the area is out of gamut, {lost:.1f} % is lost (ΔE00 over 2), "
                "mean ΔE00 {mean_de00:.1f}, 95th percentile {p95_de00:.1f}.",
                to=to,
                out_of_gamut=found.out_of_gamut * 100,
                lost=found.lost * 100,
                mean_de00=found.mean_de00,
                p95_de00=found.p95_de00,
            )
        )
    moved = kept(printer, Intent.PERCEPTUAL)
    advice = advise(figures, content_of(picture.laid, picture.profile), moved) if compare else None
    if advice is not None:
        click.echo(advice.sentence)


def _write_proof(picture: Any, printer: Any, way: Any, to: Path) -> None:
    from fidele.artwork.convert import convert_artwork
    from fidele.artwork.lay import over_white
    from fidele.artwork.save import save_picture
    from fidele.icc.spaces import srgb
    from fidele.icc.transform import Intent
    from fidele.proof.soft import predicted_lab, show

    device = convert_artwork(picture, printer, way).pixels
    seen = show(predicted_lab(device, printer, way.paper_white or way.intent is Intent.ABSOLUTE))
    save_picture(to, over_white(seen, picture.alpha), srgb(), picture.ppi)
