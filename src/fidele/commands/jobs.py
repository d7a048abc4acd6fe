"""The jobs on pictures and charts: convert, proof, make and read a chart, check a measurement."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Any

import click

from fidele.commands.common import FILE, INTENTS, print_json
from fidele.errors import FideleError


@click.command()
@click.argument("artwork", type=FILE, nargs=-1, required=True)
@click.option("--to", "target", required=True, type=FILE, help="The output profile.")
@click.option("--out", type=FILE, help="File to write, .tif or .png, for one picture.")
@click.option("--out-dir", type=FILE, help="Folder to write into, for many.")
@click.option("--name", default="{name}, converted.tif", show_default=True, help="Names in that folder.")
@click.option("--intent", type=INTENTS, default="perceptual", show_default=True, help="Rendering intent.")
@click.option("--bpc/--no-bpc", default=True, show_default=True, help="Black point compensation.")
@click.option("--mirror", is_flag=True, help="Mirror left to right.")
@click.option("--assume", type=FILE, help="Profile of artwork that states none.")
def convert(
    artwork: tuple[Path, ...],
    target: Path,
    out: Path | None,
    out_dir: Path | None,
    name: str,
    intent: str,
    bpc: bool,
    mirror: bool,
    assume: Path | None,
) -> None:
    """Convert artwork to an output profile; size, depth and resolution stay. What was done stands in the file."""
    from fidele.artwork.convert import bpc_note
    from fidele.icc.profile import Profile
    from fidele.icc.transform import Intent

    printer, assumed = Profile.open(target), Profile.open(assume) if assume else None
    if (out is None) == (out_dir is None) or (out is not None and len(artwork) > 1):
        raise FideleError("Say where to write: --out for one picture, --out-dir for many.")
    targets: dict[Path, Path] = {}
    for path in artwork:
        to = out or (out_dir or Path()) / name.replace("{name}", path.stem)
        if to.suffix.lower() not in (".tif", ".tiff", ".png"):
            raise FideleError(f"{to}: Fidele writes .tif and .png files, not '{to.suffix or 'no ending'}'.")
        if to in targets.values():
            raise FideleError(f"Two pictures would be written as {to}; use {{name}} in --name.")
        if to.exists() and path.exists() and to.samefile(path):
            raise FideleError(f"{to} is the artwork itself, which is never changed; give another name.")
        targets[path] = to
    failed = []
    for path, to in targets.items():
        try:
            _convert_one(path, to, printer, assumed, Intent(intent), bpc, mirror)
        except FideleError as error:
            if len(targets) == 1:
                raise
            failed.append(path)
            click.echo(f"Error: {error}", err=True)
    note = bpc_note(printer, Intent(intent), bpc)
    if note:
        click.echo(note, err=True)
    if failed:
        raise FideleError(f"{len(failed)} of {len(targets)} pictures were not converted.")


def _convert_one(path: Path, out: Path, printer: Any, assumed: Any, intent: Any, bpc: bool, mirror: bool) -> None:
    from fidele.artwork.convert import convert_artwork, record_of
    from fidele.artwork.open import open_artwork
    from fidele.artwork.save import save_picture

    picture = open_artwork(path, assumed)
    done = convert_artwork(picture, printer, intent, bpc)
    pixels, alpha = done.pixels, done.alpha
    if mirror:
        pixels, alpha = pixels[:, ::-1], alpha[:, ::-1] if alpha is not None else None
    record = record_of(picture, printer, intent, bpc, pixels, mirror, "")
    save_picture(out, pixels, printer, done.ppi, alpha, record)
    for doubt in picture.doubts:
        click.echo(doubt, err=True)
    click.echo(f"{out}: {done.width} x {done.height}, {done.bits} bit, from {picture.slip.words}, {intent}.")


@click.command()
@click.argument("artwork", type=FILE)
@click.option("--to", "target", required=True, type=FILE, help="The output profile.")
@click.option("--out", required=True, type=FILE, help="PNG to write.")
@click.option("--intent", type=INTENTS, default="perceptual", show_default=True, help="Rendering intent.")
@click.option("--bpc/--no-bpc", default=True, show_default=True, help="Black point compensation.")
@click.option("--paper-white", is_flag=True, help="Show the piece's own white.")
@click.option("--assume", type=FILE, help="Profile of artwork that states none.")
def proof(
    artwork: Path, target: Path, out: Path, intent: str, bpc: bool, paper_white: bool, assume: Path | None
) -> None:
    """Show on sRGB what the artwork will look like on the piece."""
    from fidele.artwork.convert import convert_artwork, over_white
    from fidele.artwork.open import open_artwork
    from fidele.artwork.save import save_picture
    from fidele.icc.profile import Profile
    from fidele.icc.spaces import srgb
    from fidele.icc.transform import Intent
    from fidele.proof.losses import losses
    from fidele.proof.soft import ProofSettings, predicted_lab, show

    if out.suffix.lower() != ".png":
        raise FideleError(f"{out}: a proof is written as .png.")
    picture = open_artwork(artwork, Profile.open(assume) if assume else None)
    printer = Profile.open(target)
    settings = ProofSettings(Intent(intent), bpc, paper_white)
    device = convert_artwork(picture, printer, settings.intent, bpc).pixels
    seen = show(predicted_lab(device, printer, paper_white or settings.intent is Intent.ABSOLUTE))
    save_picture(out, over_white(seen, _eight(picture.alpha)), srgb(), picture.ppi)
    found = losses(picture.pixels, picture.profile, printer, settings)
    click.echo(
        f"{out}: {found.out_of_gamut * 100:.1f} % of the area is out of gamut, "
        f"{found.lost * 100:.1f} % is lost (ΔE00 over 2)."
    )


def _eight(alpha: Any) -> Any:
    return alpha if alpha is None or alpha.dtype.itemsize == 1 else (alpha >> 8).astype("uint8")


@click.group()
def chart() -> None:
    """Make control charts and read them from scans."""


@chart.command()
@click.argument("name")
@click.option("--out", required=True, type=FILE, help="Folder to write into.")
def make(name: str, out: Path) -> None:
    """Write a chart as TIFF and its definition as CGATS."""
    from fidele.artwork.save import save_picture
    from fidele.chart.cgats import write
    from fidele.chart.definition import CHARTS, to_table
    from fidele.chart.draw import draw_page
    from fidele.icc.spaces import srgb

    if name not in CHARTS:
        raise FideleError(f"There is no chart '{name}'; there is {', '.join(CHARTS)}.")
    what = CHARTS[name]()
    written = []
    for page in range(what.pages):
        target = out / (f"{name}.tif" if what.pages == 1 else f"{name}-page-{page + 1}.tif")
        save_picture(target, draw_page(what, page, ""), srgb(), 300)
        written.append(target)
    write(out / f"{name}.txt", to_table(what))
    click.echo(f"{', '.join(str(w) for w in written)}: {len(what.ids)} patches; definition in {out / f'{name}.txt'}.")


@chart.command()
@click.argument("scan", type=FILE)
@click.option("--chart", "definition", required=True, type=FILE, help="The chart's definition (CGATS).")
@click.option("--out", required=True, type=FILE, help="Measurements to write (CGATS).")
@click.option("--scanner-profile", type=FILE, help="Input profile of the scanner.")
@click.option("--json", "as_json", is_flag=True, help="Print one JSON document.")
def read(scan: Path, definition: Path, out: Path, scanner_profile: Path | None, as_json: bool) -> None:
    """Find a chart on a scan and measure its patches."""
    from fidele.artwork.open import open_artwork
    from fidele.chart.cgats import read as read_table
    from fidele.chart.cgats import write
    from fidele.chart.definition import from_table
    from fidele.chart.read import read_scan
    from fidele.icc.describe import describe
    from fidele.icc.profile import Profile
    from fidele.session.runs import patch_table

    what = from_table(read_table(definition), str(definition))
    picture = open_artwork(scan)
    space, name = None, "none: taken for sRGB"
    if scanner_profile:
        space = Profile.open(scanner_profile)
    elif picture.slip.kind == "stated":
        space = picture.profile
    if space is not None:
        if space.channels != 3:
            raise FideleError(f"{space.name} is no profile of an RGB scanner.")
        name = describe(space).description
    found = read_scan(picture.pixels, what)
    write(out, patch_table(what, found, space, {"profile": name}))
    if as_json:
        print_json(
            {
                "patches": len(found.index),
                "page": found.page + 1,
                "turned": round(found.turned, 3),
                "mirrored": found.mirrored,
                "unevenness": round(found.unevenness, 4),
                "clipped": int(found.clipped.sum()),
                "scanner_profile": name,
                "out": str(out),
            }
        )
        return
    click.echo(
        f"{out}: {len(found.index)} patches, turned by {found.turned:.1f}°, "
        f"light evened by {found.unevenness * 100:.0f} %."
    )
    if found.mirrored:
        click.echo("caution: the chart was seen mirrored.", err=True)
    if space is None:
        click.echo("caution: no scanner profile was given; the scan is taken for sRGB.", err=True)


@click.command()
@click.argument("reference", type=FILE)
@click.argument("measured", type=FILE)
@click.option("--json", "as_json", is_flag=True, help="Print one JSON document.")
def check(reference: Path, measured: Path, as_json: bool) -> None:
    """Compare two CGATS files with L*a*b*, patch by patch; exit 1 when out of tolerance."""
    from fidele.chart.cgats import read as read_table
    from fidele.check.statistics import TOLERANCES, compare_tables, in_words

    result = compare_tables(read_table(reference), read_table(measured), TOLERANCES["everyday"])
    if as_json:
        print_json(
            {
                "patches": len(result.ids),
                "mean_de00": round(result.mean, 4),
                "median_de00": round(result.median, 4),
                "p95_de00": round(result.p95, 4),
                "max_de00": round(result.largest, 4),
                "verdict": result.verdict,
                "worst": [{"id": result.ids[i], "de00": round(float(result.de00[i]), 3)} for i in result.worst(5)],
            }
        )
    else:
        click.echo(
            f"{result.verdict}: {len(result.ids)} patches, ΔE00 mean {result.mean:.2f}, median {result.median:.2f}, "
            f"95th percentile {result.p95:.2f}, largest {result.largest:.2f} ({result.ids[int(result.worst(1)[0])]})."
        )
        for sentence in in_words(result):
            click.echo(f"  {sentence}")
    sys.exit(0 if result.passed else 1)
