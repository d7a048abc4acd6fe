"""The jobs on charts from a shell: list, make, read; characterise a scanner; check and diagnose a measurement."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from fidele.commands.common import FILE, Length, print_json, session_of_user
from fidele.errors import FideleError
from fidele.language import tr

if TYPE_CHECKING:
    from fidele.chart.measurement import Measurement

WITHOUT = click.option("--without", default="", help=tr("Patches to leave out, by id: A4,B5."))
TOLERANCE = click.option("--tolerance", default="everyday", help=tr("A set of limits by name, or a .json file."))


def _kept(measured: Measurement, without: str) -> Measurement:
    """Return a measurement without the patches that are named."""
    names = {name.strip() for name in without.split(",") if name.strip()}
    if unknown := sorted(names - set(measured.ids)):
        raise FideleError(tr("There is no patch {unknown} to leave out.", unknown=unknown[0]))
    return measured.rows(tuple(s for s in measured.ids if s not in names)) if names else measured


@click.group()
def chart() -> None:
    """Make control charts and read them from scans."""


@chart.command("list")
@click.option("--json", "as_json", is_flag=True, help=tr("Print one JSON document."))
def list_charts(as_json: bool) -> None:
    """List the charts of the family and the pages they can be laid out for."""
    from fidele.chart.family import KINDS, made
    from fidele.chart.layout import PAGES

    rows: list[dict[str, Any]] = []
    for kind in KINDS.values():
        one = made(kind.name)
        rows.append(
            {
                "name": kind.name,
                "title": kind.title,
                "patches": len(one.ids),
                "pages": one.pages,
                "purpose": kind.purpose,
            }
        )
    rows.append(
        {"name": "visual", "title": tr("Visual page"), "patches": 0, "pages": 1, "purpose": tr("To be judged by eye")}
    )
    if as_json:
        print_json({"charts": rows, "pages": list(PAGES)})
        return
    for row in rows:
        click.echo(
            tr(
                "{name:10} {patches:5} patches, {pages} on A4: {purpose}",
                name=row["name"],
                patches=row["patches"],
                pages=row["pages"],
                purpose=row["purpose"],
            )
        )
    click.echo(tr("Pages: {pages}", pages=", ".join(PAGES)))


@chart.command()
@click.argument("name")
@click.option("--out", required=True, type=FILE, help=tr("Folder to write into."))
@click.option("--page", default="", help=tr("Sheet or blank to lay it out for, as in `fidele chart list`."))
@click.option("--patch", default=0.0, type=Length(0, 1000), help=tr("Width of a patch, in mm or as 0.25in."))
@click.option("--sorted", "in_order", is_flag=True, help=tr("Patches in order instead of scrambled."))
@click.option("--for", "target", type=FILE, help=tr("Output profile: patches even in L*a*b* for that printer."))
def make(name: str, out: Path, page: str, patch: float, in_order: bool, target: Path | None) -> None:
    """Write a chart as TIFF and its definition as CGATS."""
    import numpy as np

    from fidele.artwork.save import save_picture
    from fidele.chart.cgats import write
    from fidele.chart.definition import to_table
    from fidele.chart.draw import draw_page
    from fidele.chart.family import made
    from fidele.chart.visual import draw_visual_page
    from fidele.icc.profile import Profile
    from fidele.icc.spaces import srgb
    from fidele.icc.transform import Intent, to_lab

    if name == "visual":
        save_picture(out / "visual.tif", draw_visual_page(""), srgb(), 300)
        click.echo(tr("{out}: the visual page, to be judged by eye.", out=out / "visual.tif"))
        return
    predicts = None
    if target is not None:
        profile = Profile.open(target)
        if profile.channels != 3:
            raise FideleError(tr("{target} is no profile of an RGB printer.", target=target))

        def predicts(rgb: Any) -> Any:
            return to_lab(rgb.astype(np.float32), profile, Intent.RELATIVE).astype(float)

    what = made(name, page, patch, False if in_order else None, (), predicts)
    written = []
    for number in range(what.pages):
        place = out / (f"{name}.tif" if what.pages == 1 else f"{name}-page-{number + 1}.tif")
        save_picture(place, draw_page(what, number, ""), srgb(), 300)
        written.append(place)
    write(out / f"{name}.txt", to_table(what))
    click.echo(
        tr(
            "{w}: {n} patches; definition in {out}.",
            w=", ".join(str(w) for w in written),
            n=len(what.ids),
            out=out / f"{name}.txt",
        )
    )


@chart.command("inks")
@click.option("--out", required=True, type=FILE, help=tr("Folder to write into."))
@click.option(
    "--ink",
    "further",
    multiple=True,
    metavar="NAME",
    help=tr("An ink beside CMYK, as light-cyan, light-magenta, orange, green or violet; once for each."),
)
@click.option("--ramps", type=FILE, help=tr("The page of ramps, measured: it tells how much ink is of use."))
@click.option("--patches", default=0, help=tr("How many patches the target has; 600 where nothing is said."))
@click.option("--ink-limit", default=0.0, help=tr("Most of all inks together that the media holds, in per cent."))
@click.option("--page", default="A4", show_default=True, help=tr("Sheet to lay it out for, as in `fidele chart list`."))
@click.option("--pdf", "as_pdf", is_flag=True, help=tr("Pages as PDF instead of TIFF."))
def inks(
    out: Path, further: tuple[str, ...], ramps: Path | None, patches: int, ink_limit: float, page: str, as_pdf: bool
) -> None:
    """Write pages for a printer that is sent cyan, magenta, yellow, black and further inks: ramps, then the target.

    Without anything else the page of ramps is written. Print it with nothing converting, measure it, and give it with
    --ramps: the target then has no more ink than is of use. `fidele profile make` makes the profile of both.
    """
    from fidele.artwork.save import save_picture
    from fidele.characterise.gathered import gathered
    from fidele.characterise.ink_setup import setup_of
    from fidele.characterise.own_inks import InkWish
    from fidele.chart.cgats import write
    from fidele.chart.definition import to_table
    from fidele.chart.draw import draw_page
    from fidele.chart.ink_set import InkSet, ink_set
    from fidele.chart.ink_target import ink_target, ramp_page, within
    from fidele.chart.measured_file import read_any

    total = InkWish(ink_limit / 100).total if ink_limit else None
    said: list[str] = []
    of = ink_set(further)
    if ramps is not None:
        measured = read_any(ramps)
        if measured.inks is not None:
            if further and measured.ink_names != of.names:
                words = InkSet(measured.ink_names).words
                raise FideleError(tr("{ramps} is of other inks: {words}.", ramps=ramps, words=words))
            of = InkSet(measured.ink_names)
        found = gathered([(ramps.name, measured)], ramp_page(inks=of))
        if found.inks is None:
            raise FideleError(tr("{ramps} states no amounts of ink (CMYK).", ramps=ramps))
        setup = setup_of(found.inks, found.Lab, total, of)
        said = [*found.put_right, *setup.words()]
        what = ink_target(patches or 600, lambda places: setup.laid(setup.limited(places)), page, of)
    elif patches:
        what = ink_target(patches, within(total) if total else None, page, of)
    else:
        what = ramp_page(page, of)
    written = []
    for number in range(what.pages):
        one = what.name if what.pages == 1 else f"{what.name}-page-{number + 1}"
        written.append(out / f"{one}.{'pdf' if as_pdf else 'tif'}")
        page_of = draw_page(what, number, tr("print with nothing converting"))
        save_picture(written[-1], page_of, None, 300, inks=what.ink_names)
    write(out / f"{what.name}.txt", to_table(what))
    click.echo(
        tr(
            "{w}: {n} patches; definition in {out}.",
            w=", ".join(str(w) for w in written),
            n=len(what.ids),
            out=out / f"{what.name}.txt",
        )
    )
    for sentence in said:
        click.echo(f"  {sentence}")


@chart.command()
@click.argument("scans", nargs=-1, required=True, type=FILE)
@click.option("--chart", "definition", required=True, type=FILE, help=tr("The chart's definition (CGATS)."))
@click.option("--out", required=True, type=FILE, help=tr("Measurements to write (.txt CGATS, .cxf CxF3)."))
@click.option("--scanner-profile", type=FILE, help=tr("Input profile of the scanner."))
@click.option("--json", "as_json", is_flag=True, help=tr("Print one JSON document."))
def read(scans: tuple[Path, ...], definition: Path, out: Path, scanner_profile: Path | None, as_json: bool) -> None:
    """Find a chart on scans and measure its patches: one page on each, or several pages on one."""
    import numpy as np

    from fidele.artwork.open import open_artwork
    from fidele.chart.cgats import read as read_table
    from fidele.chart.cgats import write
    from fidele.chart.cxf import write_measurement
    from fidele.chart.definition import from_table
    from fidele.chart.measurement import from_table as measurement
    from fidele.chart.read import Reading, read_all, read_scan
    from fidele.icc.describe import describe
    from fidele.icc.profile import Profile
    from fidele.run.reading import patch_table

    what = from_table(read_table(definition), str(definition))
    pages: dict[int, Reading] = {}
    space, name = (Profile.open(scanner_profile) if scanner_profile else None), "none: taken for sRGB"
    for scan in scans:
        picture = open_artwork(scan)
        if space is None and picture.slip.kind == "stated":
            space = picture.profile
        found, _ = read_all(picture.pixels, [what]) if what.pages > 1 else ([], [])
        for one in [r for _, r in found] or [read_scan(picture.pixels, what)]:
            pages[one.page] = one
    if space is not None:
        if space.channels != 3:
            raise FideleError(tr("{name} is no profile of an RGB scanner.", name=space.name))
        name = describe(space).description
    missing = [str(n + 1) for n in range(what.pages) if n not in pages]
    read_pages = [pages[n] for n in sorted(pages)]
    first = read_pages[0]
    whole = Reading(
        first.page,
        np.concatenate([r.index for r in read_pages]),
        np.concatenate([r.rgb for r in read_pages]),
        np.concatenate([r.spread for r in read_pages]),
        np.concatenate([r.corners for r in read_pages]),
        first.turned,
        first.mirrored,
        max(r.unevenness for r in read_pages),
        np.concatenate([r.clipped for r in read_pages]),
        first.frame,
        doubt=np.concatenate([r.doubt for r in read_pages]),
    )
    doubts = whole.doubtful
    table = patch_table(what, whole, space, {"profile": name})
    if out.suffix.lower() == ".cxf":
        write_measurement(out, measurement(table, str(out)), what.title)
    else:
        write(out, table)
    if as_json:
        print_json(
            {
                "patches": len(whole.index),
                "page": first.page + 1,
                "pages": [r.page + 1 for r in read_pages],
                "turned": round(first.turned, 3),
                "mirrored": first.mirrored,
                "unevenness": round(whole.unevenness, 4),
                "clipped": int(whole.clipped.sum()),
                "doubtful": [what.ids[i] for i in whole.index[whole.doubtful]],
                "run": first.code.run if first.code else None,
                "scanner_profile": name,
                "out": str(out),
            }
        )
    else:
        click.echo(
            tr(
                "{out}: {n} patches, turned by {turned:.1f}°, light evened by {unevenness:.0f} %.",
                out=out,
                n=len(whole.index),
                turned=first.turned,
                unevenness=whole.unevenness * 100,
            )
        )
    if missing:
        click.echo(
            tr(
                "caution: page {missing} of {pages} was on none of the scans.",
                missing=", ".join(missing),
                pages=what.pages,
            ),
            err=True,
        )
    if first.mirrored:
        click.echo(tr("caution: the chart was seen mirrored."), err=True)
    if doubts.any():
        ids = ", ".join(what.ids[i] for i in whole.index[doubts][:8])
        said = tr(
            "{sum} patches are doubtful ({ids}): a shadow, a gleam, a finger or a curl; scan them again.",
            sum=doubts.sum(),
            ids=ids,
        )
        click.echo(tr("caution: {said}", said=said), err=True)
    if space is None:
        click.echo(tr("caution: no scanner profile was given; the scan is taken for sRGB."), err=True)
    elif space.header.device_class == "mntr":
        click.echo(
            tr("caution: that is a working space, as cameras write it; no camera is a measuring device."), err=True
        )


@click.group()
def scanner() -> None:
    """Characterise a scanner, and verify that it sees as it did."""


@scanner.command()
@click.argument("scan", type=FILE)
@click.option("--reference", required=True, type=FILE, help=tr("The target's known values and layout (CGATS)."))
@click.option("--profile", "made", required=True, type=FILE, help=tr("The scanner's profile."))
@click.option("--limit", default=1.0, show_default=True, help=tr("Mean ΔE00 up to which it sees as it did."))
def verify(scan: Path, reference: Path, made: Path, limit: float) -> None:
    """Tell by a scan of a reference target how far a scanner's profile is off today; exit 1 beyond the limit."""
    from fidele.artwork.open import open_artwork
    from fidele.characterise.scanner import scanner_error
    from fidele.chart.cgats import read as read_table
    from fidele.chart.definition import from_table
    from fidele.chart.measurement import from_table as measurement
    from fidele.chart.read import read_scan
    from fidele.icc.profile import Profile

    table = read_table(reference)
    what, known = from_table(table, str(reference)), measurement(table, str(reference))
    reading = read_scan(open_artwork(scan).pixels, what)
    off = scanner_error(reading.rgb, known.Lab[reading.index], Profile.open(made))
    click.echo(tr("off by a mean of {mean:.2f} ΔE00, at most {max:.2f}", mean=off.mean(), max=off.max()))
    sys.exit(0 if off.mean() <= limit else 1)


@scanner.command()
@click.argument("scan", type=FILE)
@click.option("--reference", required=True, type=FILE, help=tr("The target's known values and layout (CGATS)."))
@click.option("--out", required=True, type=FILE, help=tr("Input profile to write."))
def characterise(scan: Path, reference: Path, out: Path) -> None:
    """Make a scanner's profile from a scan of a reference target with known L*a*b*."""
    import datetime

    from fidele.artwork.open import open_artwork
    from fidele.characterise.scanner import fit_scanner
    from fidele.chart.cgats import read as read_table
    from fidele.chart.definition import from_table
    from fidele.chart.measurement import from_table as measurement
    from fidele.chart.read import read_scan
    from fidele.files import write_bytes

    table = read_table(reference)
    what, known = from_table(table, str(reference)), measurement(table, str(reference))
    reading = read_scan(open_artwork(scan).pixels, what)
    fit = fit_scanner(reading.rgb, known.Lab[reading.index], out.stem, datetime.datetime.now())
    write_bytes(out, fit.profile)
    click.echo(
        tr(
            "{out}: made from {patches} patches; on patches held out it is off by a mean of "
            "{residual_mean:.2f} ΔE00, 95 % within {residual_p95:.2f}. A verdict from this scanner claims "
            "no more than that.",
            out=out,
            patches=fit.patches,
            residual_mean=fit.residual_mean,
            residual_p95=fit.residual_p95,
        )
    )


@click.command()
@click.argument("reference", type=FILE)
@click.argument("measured", type=FILE)
@TOLERANCE
@WITHOUT
@click.option("--relative", is_flag=True, help=tr("Relative to each one's white."))
@click.option("--report", type=FILE, help=tr("Report to write: .pdf or .html."))
@click.option("--json", "as_json", is_flag=True, help=tr("Print one JSON document."))
def check(
    reference: Path, measured: Path, tolerance: str, without: str, relative: bool, report: Path | None, as_json: bool
) -> None:
    """Compare two measurement files (CGATS, CxF3, CSV) patch by patch; exit 1 when out of tolerance."""
    from fidele.chart.measured_file import read_any
    from fidele.chart.measurement import matched
    from fidele.check.statistics import compare, relative_to_white
    from fidele.check.tolerance import tolerance_named
    from fidele.check.words import in_words

    aim, found = read_any(reference), read_any(measured)
    aim = _kept(aim, without)
    found = matched(found, aim.ids, aim.rgb)
    mine = found.rows(aim.ids)
    wanted, got = aim.Lab, mine.Lab
    if relative:
        white = int(wanted[:, 0].argmax())
        wanted, got = relative_to_white(wanted, wanted[white]), relative_to_white(got, got[white])
    result = compare(aim.ids, wanted, got, tolerance_named(tolerance))
    mixed = [*aim.cautions, *found.cautions, *aim.conditions.mixed_with(found.conditions)]
    if report is not None:
        from fidele.check.report import Report, verdict_words
        from fidele.desk.report_pdf import write_report

        title = tr("{name} against {name2}", name=measured.name, name2=reference.name)
        about = ((tr("Reference"), aim.conditions.words()), (tr("Measured"), found.conditions.words()))
        said = tuple(in_words(result))
        write_report(report, Report(title, verdict_words(result), said, result, about, (), tuple(mixed)))
    if as_json:
        print_json(
            {
                "patches": len(result.ids),
                "mean_de00": round(result.mean, 4),
                "median_de00": round(result.median, 4),
                "p95_de00": round(result.p95, 4),
                "max_de00": round(result.largest, 4),
                "mean_de76": round(float(result.de76.mean()), 4),
                "tolerance": result.tolerance.name,
                "verdict": result.verdict,
                "failures": list(result.failures),
                "families": {
                    k: {"count": s.count, "mean_de00": round(s.mean, 4)} for k, s in result.by_family().items()
                },
                "worst": [{"id": result.ids[i], "de00": round(float(result.de00[i]), 3)} for i in result.worst(5)],
                "cautions": mixed,
            }
        )
    else:
        click.echo(
            tr(
                "{verdict}: {n} patches, ΔE00 mean {mean:.2f}, median {median:.2f}, 95th percentile {p95:.2f}, "
                "largest {largest:.2f} ({ids}).",
                verdict=result.said,
                n=len(result.ids),
                mean=result.mean,
                median=result.median,
                p95=result.p95,
                largest=result.largest,
                ids=result.ids[int(result.worst(1)[0])],
            )
        )
        for sentence in (*result.failures, *in_words(result)):
            click.echo(f"  {sentence}")
        for caution in mixed:
            click.echo(tr("caution: {caution}", caution=caution), err=True)
    sys.exit(0 if result.passed else 1)


@click.command()
@click.argument("measured", type=FILE)
@click.option("--chart", "definition", required=True, type=FILE, help=tr("The chart's definition (CGATS)."))
@click.option("--condition", "card", help=tr("Printing condition, by id or name."))
@click.option("--profile", type=FILE, help=tr("Output profile, where there is no condition."))
@TOLERANCE
@WITHOUT
@click.option("--json", "as_json", is_flag=True, help=tr("Print one JSON document."))
def diagnose(
    measured: Path,
    definition: Path,
    card: str | None,
    profile: Path | None,
    tolerance: str,
    without: str,
    as_json: bool,
) -> None:
    """Say what happened to a measured print: every suspected fault, the best explanation first."""
    from fidele.chart.cgats import read as read_table
    from fidele.chart.definition import from_table
    from fidele.chart.measured_file import read_any
    from fidele.chart.measurement import matched
    from fidele.check.tolerance import tolerance_named
    from fidele.icc.profile import Profile
    from fidele.route.condition import Card
    from fidele.run.reading import Aim, check_measured, uncertainty_of

    if (card is None) == (profile is None):
        raise FideleError(tr("Say either --condition or --profile."))
    what, found = from_table(read_table(definition), str(definition)), read_any(measured)
    limits = tolerance_named(tolerance)
    residual = 0.5
    if card is not None:
        session = session_of_user()
        mine = session.conditions.need(card)
        if mine.profile is None:
            raise FideleError(tr("“{name}” has no profile to judge a print by.", name=mine.name))
        session.put_in_force(mine)
        printer = session.shelf.load(mine.profile)
        aim = Aim(mine, printer, limits, session.corrections.of(session.devices.find(mine.printer)))
        residual = session.checking.scanner.residual_mean
    else:
        words = dict.fromkeys(("id", "name", "printer", "printer_name", "media", "substrate"), tr("not stated"))
        aim = Aim(Card.model_validate(words | {"driver": {}}), Profile.open(Path(str(profile))), limits)
    found = _kept(matched(found, what.ids, what.rgb), without)
    checked = check_measured(what, found, aim, uncertainty_of(found, residual))
    cause = checked.cause
    if as_json:
        print_json(
            {
                "verdict": checked.comparison.verdict,
                "failures": list(checked.comparison.failures),
                "cautions": list(checked.cautions),
                "mean_de00": round(checked.comparison.mean, 3),
                "cause": cause.code,
                "group": list(cause.group),
                "sure": round(cause.sure, 3),
                "next_print": cause.next_print,
                "single_patches": [checked.measured.ids[i] for i in cause.single.index],
                "causes": [
                    {
                        "code": s.code,
                        "fit_de00": round(s.fit_de00, 3) if s.Lab is not None else None,
                        "confidence": round(s.confidence, 4),
                    }
                    for s in cause.suspects
                ],
                "words": [cause.sentence, *checked.words],
                "next": cause.next_step,
            }
        )
        sys.exit(0 if checked.comparison.passed else 1)
    sure = tr(" ({sure:.0f} of 100 cases)", sure=cause.sure * 100) if cause.sure and cause.code != "right" else ""
    click.echo(f"{checked.comparison.said}: {cause.title}{sure}. {cause.sentence} {cause.next_step}")
    for suspect in cause.suspects[:6]:
        left = tr("leaves {fit_de00:5.2f}", fit_de00=suspect.fit_de00) if suspect.Lab is not None else " " * 12
        click.echo(f"  {left}  {suspect.confidence * 100:3.0f} %  {suspect.title}")
    for sentence in (*checked.comparison.failures, *checked.words, cause.next_print):
        if sentence:
            click.echo(f"  {sentence}")
    for sentence in checked.cautions:
        click.echo(tr("  caution: {sentence}", sentence=sentence))
    sys.exit(0 if checked.comparison.passed else 1)
