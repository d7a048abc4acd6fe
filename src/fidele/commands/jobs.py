"""The jobs on charts: make one, read it from a scan, check a measurement."""

from __future__ import annotations

import sys
from pathlib import Path

import click

from fidele.commands.common import FILE, print_json
from fidele.errors import FideleError


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
    from fidele.chart.definition import to_table
    from fidele.chart.draw import draw_page
    from fidele.chart.family import made
    from fidele.icc.spaces import srgb

    what = made(name)
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
