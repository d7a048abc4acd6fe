"""The command line: the same jobs from a shell. Exit 0 done or passed, 1 checked and failed, 2 bad input."""

from __future__ import annotations

import json
import os
import sys
from pathlib import Path
from typing import Any, NoReturn

import click

from fidele import __version__
from fidele.errors import FideleError

_FILE = click.Path(path_type=Path)
_INTENTS = click.Choice(["perceptual", "relative", "saturation", "absolute"])


@click.group(invoke_without_command=True, context_settings={"help_option_names": ["-h", "--help"]})
@click.version_option(__version__, prog_name="fidele")
@click.pass_context
def cli(context: click.Context) -> None:
    """One conversion, one mirror, true size, and proof of it. Without a command, the window opens."""
    if context.invoked_subcommand is None:
        _window([])


@cli.command("open")
@click.argument("files", nargs=-1, type=_FILE)
def open_files(files: tuple[Path, ...]) -> None:
    """Open the window with artwork or profiles."""
    _window(list(files))


def _window(files: list[Path]) -> None:
    from fidele.desk.application import run_window
    from fidele.session.places import Places

    sys.exit(run_window(Places.of_user(), files))


@cli.command()
@click.option("--headless", is_flag=True, help="Do the whole job without a window.")
@click.option("--out", type=_FILE, help="Folder for the results of --headless.")
@click.option("--pictures", type=_FILE, help="Write a picture of each view into this folder.")
def demo(headless: bool, out: Path | None, pictures: Path | None) -> None:
    """Start on the demo data, or do the demo job without a window."""
    if headless:
        from fidele.demo.job import run_demo

        run_demo(out or Path("demo-results"))
        return
    import platformdirs

    from fidele.demo.prepare import prepare
    from fidele.desk.application import run_window
    from fidele.desk.pictures import take_pictures

    root = Path(os.environ.get("FIDELE_DEMO") or Path(platformdirs.user_data_dir("fidele")) / "demo")

    def tell(words: str, share: float) -> None:
        click.echo(f"  {share * 100:3.0f} %  {words}", err=True)

    if pictures:
        take_pictures(prepare(root, tell), pictures)
        return
    sys.exit(run_window(prepare(root, tell), [root / "artwork" / "harbour-at-dusk.png"]))


@cli.group()
def profile() -> None:
    """Look at ICC profiles, put them on the shelf, find them, compare them."""


@profile.command()
@click.argument("file", type=_FILE)
@click.option("--deep", is_flag=True, help="Also find out how it behaves: round trip, greys, gamut.")
@click.option("--json", "as_json", is_flag=True, help="Print one JSON document.")
def inspect(file: Path, deep: bool, as_json: bool) -> None:
    """Say what a profile is and whether it can serve as an output profile."""
    from fidele.icc.behaviour import behaviour
    from fidele.icc.describe import describe
    from fidele.icc.profile import Profile

    opened = Profile.open(file)
    what = describe(opened)
    damaged = any(p.code.startswith("damaged") for p in what.problems)
    found = behaviour(opened, what) if deep and not damaged else None
    if as_json:
        keys = ("description", "version", "device_class", "colour_space", "pcs", "intents", "size", "usable_as_output")
        more = ("maker", "model", "made", "patches", "meta", "white_lab", "black_lab")
        problems = [
            {"code": p.code, "weight": p.weight, "message": p.message, "clause": p.clause} for p in what.problems
        ]
        document = {k: getattr(what, k) for k in keys} | {"problems": problems}
        document |= {k: getattr(what, k) for k in more} | {"id": opened.content_id}
        if deep:
            document |= _behaves(found)
        _json(document)
        return
    click.echo(what.description)
    click.echo(
        f"  {what.class_words} profile, version {what.version}, {what.colour_space} to {what.pcs}, {what.size:,} bytes"
    )
    click.echo(f"  intents: {', '.join(what.intents) or 'none'}")
    if what.white_lab:
        click.echo(f"  white L*a*b* {what.white_lab}" + (f", black {what.black_lab}" if what.black_lab else ""))
    click.echo("  can serve as an output profile" if what.usable_as_output else "  cannot serve as an output profile")
    if what.patches:
        click.echo(f"  carries the {what.patches:,} patches that it was made from")
    for problem in what.problems:
        click.echo(f"  {problem.weight}: {problem.message}" + (f" ({problem.clause})" if problem.clause else ""))
    if found is not None:
        click.echo(f"  {found.sentence}")
        if found.round_trip:
            trip = found.round_trip
            click.echo(
                f"  round trip: mean ΔE00 {trip.mean:.2f}, 95th percentile {trip.p95:.2f}, largest {trip.largest:.2f}"
            )
        if found.gamut_volume:
            click.echo(f"  gamut volume: {found.gamut_volume:,.0f} cubic units of L*a*b*")


def _behaves(found: Any) -> dict[str, Any]:
    from fidele.icc.behaviour import grey_rows

    if found is None:
        return {"round_trip": None, "gamut_volume": None, "grey_axis": None, "sentence": None}
    trip, grey = found.round_trip, found.grey
    return {
        "round_trip": None
        if trip is None
        else {"mean_de00": round(trip.mean, 4), "p95_de00": round(trip.p95, 4), "max_de00": round(trip.largest, 4)},
        "gamut_volume": None if found.gamut_volume is None else round(found.gamut_volume),
        "grey_axis": None
        if grey is None
        else {
            "largest_cast": round(grey.largest_cast, 3),
            "reversals": grey.reversals,
            "words": grey.words(),
            "steps": [{"wanted_l": w, "printed_lab": [lightness, a, b]} for w, lightness, a, b in grey_rows(grey)],
        },
        "flat_shadows": round(found.flat_shadows, 4),
        "white_off_de00": None if found.white_off is None else round(found.white_off, 4),
        "jump_de00": None if found.jump is None else round(found.jump, 4),
        "faults": list(found.faults),
        "sentence": found.sentence,
    }


def _places() -> Any:
    from fidele.session.places import Places

    return Places.of_user()


def _shelf() -> Any:
    from fidele.store.shelf import Shelf

    places = _places()
    return Shelf(places.profiles, places.system_profiles, places.data)


@profile.command()
@click.argument("paths", nargs=-1, required=True, type=_FILE)
@click.option("--all", "every", is_flag=True, help="Install every profile where a zip or folder holds several.")
@click.option("--keep-both", is_flag=True, help="Install also where another version has the same description.")
@click.option("--json", "as_json", is_flag=True, help="Print one JSON document.")
def install(paths: tuple[Path, ...], every: bool, keep_both: bool, as_json: bool) -> None:
    """Put profiles on the shelf: files, folders, zips, saved mails.

    Exit 0 when all are there, 1 when something is to be chosen, 2 when something was refused.
    """
    shelf = _shelf()
    results = [r for path in paths for r in shelf.install(path, every, keep_both)]
    if as_json:
        _json([{k: getattr(r, k) for k in ("path", "status", "id", "title", "reason")} for r in results])
    else:
        for r in results:
            click.echo(f"{r.status:9}  {r.id:16}  {r.title or r.path}" + (f": {r.reason}" if r.reason else ""))
        if any(r.status == "choose" for r in results):
            click.echo(
                "Nothing was put there for 'choose': --all takes every one, --keep-both another version.", err=True
            )
    statuses = {r.status for r in results}
    sys.exit(2 if "refused" in statuses else 1 if "choose" in statuses else 0)


@profile.command("list")
@click.argument("words", nargs=-1)
@click.option("--json", "as_json", is_flag=True, help="Print one JSON document.")
def list_profiles(words: tuple[str, ...], as_json: bool) -> None:
    """List the profiles on this machine, or those in which all WORDS stand."""
    from fidele.store.papers import PapersStore

    store, rows = PapersStore(_places().papers), []
    for entry in _shelf().entries():
        title = store.read(entry.id).value("title") or entry.title
        what = entry.description
        text = f"{title} {entry.title} {entry.path.name} {what.class_words} {what.colour_space}".casefold()
        if all(w.casefold() in text for w in words):
            rows.append((entry, title))
    if as_json:
        keys = ("description", "version", "device_class", "colour_space", "pcs", "intents", "size", "usable_as_output")
        _json(
            [
                {"id": e.id, "title": title, "path": str(e.path), "own": e.own}
                | {k: getattr(e.description, k) for k in keys}
                for e, title in rows
            ]
        )
        return
    for e, title in rows:
        click.echo(f"{e.id}  {e.description.class_words:28}  {e.description.colour_space:5}  {title}")


@profile.command()
@click.argument("profile_id", metavar="ID")
def remove(profile_id: str) -> None:
    """Take a profile off the user's shelf; its bytes are kept, so that it can be put back."""
    shelf = _shelf()
    title = entry.title if (entry := shelf.find(profile_id)) else profile_id
    removed = shelf.remove(profile_id)
    click.echo(f"“{title}” was taken off. Kept as {removed.kept}; 'fidele profile install' puts it back.")


@profile.command("find-lost")
@click.argument("folders", nargs=-1, type=_FILE)
@click.option("--json", "as_json", is_flag=True, help="Print one JSON document.")
def find_lost_profiles(folders: tuple[Path, ...], as_json: bool) -> None:
    """Search FOLDERS, or the home folder, for profiles that no program can see, and say why."""
    from fidele.store.lost import find_lost, usual_places

    found = find_lost(_shelf(), folders or usual_places())
    if as_json:
        _json(
            [
                {
                    "path": str(f.path),
                    "shown": f.shown,
                    "id": f.id,
                    "title": f.title,
                    "obstacle": f.obstacle,
                    "why": f.why,
                    "mend": f.mend,
                    "device_class": f.arrival.description.device_class if f.arrival and f.arrival.description else None,
                }
                for f in found
            ]
        )
        return
    for f in found:
        click.echo(f"{f.obstacle:14}  {f.title}: {f.why}")
    click.echo(
        f"{len(found)} found; 'fidele profile install PATH' mends it." if found else "Nothing is lost there.", err=True
    )


@profile.command()
@click.argument("a")
@click.argument("b")
@click.option("--json", "as_json", is_flag=True, help="Print one JSON document.")
def compare(a: str, b: str, as_json: bool) -> None:
    """Lay two gamuts over each other. A and B are files, ids on the shelf, 'sRGB' or 'opRGB'."""
    from fidele.icc.compare import compare_profiles

    found = compare_profiles(_named(a), _named(b))
    if as_json:
        _json(found.document())
        return
    for sentence in found.sentences():
        click.echo(sentence)


def _named(name: str) -> Any:
    """Return a profile by path, id or the name of a working space."""
    from fidele.icc.profile import Profile
    from fidele.icc.spaces import oprgb, srgb

    spaces = {"srgb": srgb, "oprgb": oprgb}
    if Path(name).exists() or os.sep in name:
        return Profile.open(Path(name))
    if name.casefold() in spaces:
        return spaces[name.casefold()]()
    entry = _shelf().find(name)
    if entry is None:
        raise FideleError(f"'{name}' is neither a file, nor the id of a profile on the shelf, nor sRGB or opRGB.")
    return Profile.open(entry.path)


@cli.group()
def condition() -> None:
    """Printing conditions: list, show, send, take in, check the route."""


def _session() -> Any:
    from fidele.session.model import Session

    return Session(_places())


@condition.command("list")
@click.option("--json", "as_json", is_flag=True, help="Print one JSON document.")
def condition_list(as_json: bool) -> None:
    """List the conditions of this workshop."""
    cards = _session().cards.cards()
    if as_json:
        keys = ("id", "name", "printer_name", "media", "substrate", "process", "size", "owner", "profile", "locked")
        _json([{k: getattr(c, k) for k in keys} for c in cards])
        return
    for c in cards:
        click.echo(f"{c.id:24}  {c.name}: {c.summary}")


@condition.command("show")
@click.argument("card")
def condition_show(card: str) -> None:
    """Print a condition as it is kept, in JSON."""
    click.echo(_session().conditions.need(card).model_dump_json(indent=2))


@condition.command("export")
@click.argument("card")
@click.option("--out", required=True, type=_FILE, help="File to write, .zip.")
def condition_export(card: str, out: Path) -> None:
    """Write a condition with its profile inside as one file."""
    session = _session()
    session.conditions.export(session.conditions.need(card).id, out)
    click.echo(out)


@condition.command("import")
@click.argument("file", type=_FILE)
def condition_import(file: Path) -> None:
    """Take in a condition that was exported, with its profile."""
    taken = _session().conditions.take_in(file)
    click.echo(f"{taken.id}: {taken.name}")


@condition.command("compare")
@click.argument("a")
@click.argument("b")
@click.option("--json", "as_json", is_flag=True, help="Print one JSON document.")
def condition_compare(a: str, b: str, as_json: bool) -> None:
    """Say in what two conditions differ."""
    found = _session().conditions.compare(a, b)
    if as_json:
        _json([{"what": d.label, "a": d.one, "b": d.other} for d in found])
        return
    for d in found:
        click.echo(f"{d.label}: {d.one}; {d.other}")
    if not found:
        click.echo("They are alike.")


@condition.command("check")
@click.argument("card")
@click.option("--json", "as_json", is_flag=True, help="Print one JSON document.")
def condition_check(card: str, as_json: bool) -> None:
    """Read the route back and judge it. CARD is an id, a name, or a file. Exit 1 on a stop."""
    session = _session()
    session.put_in_force(_card(session, card))
    findings = session.findings
    weights = {f.weight for f in findings}
    verdict = "stop" if "stop" in weights else "caution" if "caution" in weights else "good"
    chain = session.chain
    if as_json:
        _json(
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
        click.echo(f"{verdict}: {chain.headline}, {chain.sentence}")
        for f in findings:
            click.echo(f"  {f.weight}: {f.title}. {f.why} {f.remedy}")
    sys.exit(1 if verdict == "stop" else 0)


def _card(session: Any, name: str) -> Any:
    """Return a card by id or name, or from a file: its JSON, or what was exported."""
    from fidele.files import read_bytes
    from fidele.store.cards import card_of, holds_card, read_export

    path = Path(name)
    if session.cards.find(name) is None and (path.exists() or os.sep in name):
        return read_export(path)[0] if holds_card(path) else card_of(read_bytes(path, 1 << 20), name)
    return session.conditions.need(name)


@cli.command()
@click.argument("card")
@click.option("--json", "as_json", is_flag=True, help="Print one JSON document.")
def probe(card: str, as_json: bool) -> None:
    """Send known numbers down a condition's route without ink, and say what came out. Exit 1 where they change."""
    from fidele.session.probing import in_words, suspects

    session = _session()
    session.put_in_force(_card(session, card))
    found = session.probe()
    ranked = suspects(found, session.correction(), session.profile)
    if as_json:
        _json(
            {
                "passes": found.passes,
                "mean": round(found.mean, 3),
                "largest": round(found.largest, 3),
                "mirrored": found.mirrored,
                "turned": found.turned,
                "fits_best": [{"conversion": s.name, "distance": round(s.distance, 3)} for s in ranked],
                "sentence": in_words(found, ranked),
            }
        )
    else:
        click.echo(in_words(found, ranked))
    sys.exit(0 if found.passes else 1)


@cli.group()
def desktop() -> None:
    """Let the file manager open profiles with Fidele: menu entry, icon and file types."""


@desktop.command("install")
def desktop_install() -> None:
    """Write them for this user."""
    from fidele.session.desktop import install as write

    for path in write():
        click.echo(path)


@desktop.command("remove")
def desktop_remove() -> None:
    """Take them away again."""
    from fidele.session.desktop import remove as take_away

    gone = take_away()
    for path in gone:
        click.echo(path)
    if not gone:
        click.echo("There was nothing to take away.", err=True)


@cli.command()
@click.argument("artwork", type=_FILE)
@click.option("--to", "target", required=True, type=_FILE, help="The output profile.")
@click.option("--out", required=True, type=_FILE, help="File to write, .tif or .png.")
@click.option("--intent", type=_INTENTS, default="perceptual", show_default=True, help="Rendering intent.")
@click.option("--bpc/--no-bpc", default=True, show_default=True, help="Black point compensation.")
@click.option("--assume", type=_FILE, help="Profile of artwork that states none.")
def convert(artwork: Path, target: Path, out: Path, intent: str, bpc: bool, assume: Path | None) -> None:
    """Convert artwork to an output profile; size, depth and resolution stay."""
    from fidele.artwork.convert import bpc_note, convert_artwork
    from fidele.artwork.open import open_artwork
    from fidele.artwork.save import save_picture
    from fidele.icc.profile import Profile
    from fidele.icc.transform import Intent

    printer = Profile.open(target)
    if out.suffix.lower() not in (".tif", ".tiff", ".png"):
        raise FideleError(f"{out}: Fidele writes .tif and .png files, not '{out.suffix or 'no ending'}'.")
    if out.exists() and artwork.exists() and out.samefile(artwork):
        raise FideleError(f"{out} is the artwork itself, which is never changed; give another name.")
    picture = open_artwork(artwork, Profile.open(assume) if assume else None)
    done = convert_artwork(picture, printer, Intent(intent), bpc)
    save_picture(out, done.pixels, printer, done.ppi, done.alpha)
    for doubt in picture.doubts:
        click.echo(doubt, err=True)
    note = bpc_note(printer, Intent(intent), bpc)
    if note:
        click.echo(note, err=True)
    click.echo(f"{out}: {done.width} x {done.height}, {done.bits} bit, from {picture.slip.words}, {intent}.")


@cli.command()
@click.argument("artwork", type=_FILE)
@click.option("--to", "target", required=True, type=_FILE, help="The output profile.")
@click.option("--out", required=True, type=_FILE, help="PNG to write.")
@click.option("--intent", type=_INTENTS, default="perceptual", show_default=True, help="Rendering intent.")
@click.option("--bpc/--no-bpc", default=True, show_default=True, help="Black point compensation.")
@click.option("--paper-white", is_flag=True, help="Show the piece's own white.")
@click.option("--assume", type=_FILE, help="Profile of artwork that states none.")
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


@cli.group()
def chart() -> None:
    """Make control charts and read them from scans."""


@chart.command()
@click.argument("name")
@click.option("--out", required=True, type=_FILE, help="Folder to write into.")
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
@click.argument("scan", type=_FILE)
@click.option("--chart", "definition", required=True, type=_FILE, help="The chart's definition (CGATS).")
@click.option("--out", required=True, type=_FILE, help="Measurements to write (CGATS).")
@click.option("--scanner-profile", type=_FILE, help="Input profile of the scanner.")
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
        _json(
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


@cli.command()
@click.argument("reference", type=_FILE)
@click.argument("measured", type=_FILE)
@click.option("--json", "as_json", is_flag=True, help="Print one JSON document.")
def check(reference: Path, measured: Path, as_json: bool) -> None:
    """Compare two CGATS files with L*a*b*, patch by patch; exit 1 when out of tolerance."""
    from fidele.chart.cgats import read as read_table
    from fidele.check.statistics import TOLERANCES, compare_tables, in_words

    result = compare_tables(read_table(reference), read_table(measured), TOLERANCES["everyday"])
    if as_json:
        _json(
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


def _json(document: dict[str, Any] | list[dict[str, Any]]) -> None:
    click.echo(json.dumps(document, indent=2, ensure_ascii=False))


def _refuse(sentence: str) -> NoReturn:
    click.echo(f"fidele: {sentence}", err=True)
    sys.exit(2)


def main() -> None:
    """Run the command line; whatever goes wrong is one sentence on standard error."""
    try:
        cli(standalone_mode=False)
    except click.exceptions.Exit as done:
        sys.exit(done.exit_code)
    except click.Abort:
        sys.exit(130)
    except click.ClickException as error:
        _refuse(error.format_message())
    except FideleError as error:
        _refuse(str(error))
    except MemoryError:
        _refuse("There is not enough memory for this.")
    except BrokenPipeError:
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        sys.exit(0)
    except Exception as error:
        if os.environ.get("FIDELE_DEBUG"):
            raise
        _refuse(f"Something unexpected went wrong ({type(error).__name__}: {error}); FIDELE_DEBUG=1 shows where.")


if __name__ == "__main__":
    main()
