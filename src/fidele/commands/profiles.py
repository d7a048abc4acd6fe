"""Profiles: look at them, put them on the shelf, find and compare them."""

from __future__ import annotations

import os
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from fidele.commands.common import FILE, places, print_json, shelf_of_user
from fidele.errors import FideleError
from fidele.language import tr

if TYPE_CHECKING:
    from fidele.characterise.gathered import Gathered
    from fidele.characterise.ink_setup import InkSetup
    from fidele.characterise.own import OwnProfile
    from fidele.icc.describe import Description
    from fidele.icc.profile import Profile
    from fidele.proof.kept import Kept

#: What became of a file, as it is said.
_STATUSES = {"installed": tr("installed"), "already": tr("already"), "choose": tr("choose"), "refused": tr("refused")}


@click.group()
def profile() -> None:
    """Look at ICC profiles, put them on the shelf, find them, compare them."""


@profile.command()
@click.argument("file", type=FILE)
@click.option("--deep", is_flag=True, help=tr("Also find out how it behaves: round trip, greys, gamut."))
@click.option("--json", "as_json", is_flag=True, help=tr("Print one JSON document."))
def inspect(file: Path, deep: bool, as_json: bool) -> None:
    """Say what a profile is and whether it can serve as an output profile."""
    from fidele.icc.behaviour import behaviour
    from fidele.icc.describe import describe
    from fidele.icc.profile import Profile
    from fidele.icc.transform import Intent

    opened = Profile.open(file)
    what = describe(opened)
    damaged = any(p.code.startswith("damaged") for p in what.problems)
    found = behaviour(opened, what) if deep and not damaged else None
    tables = _tables(opened, what) if found is not None else {}
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
            document["printable_moved"] = {i: [round(m.mean, 3), round(m.p95, 3)] for i, m in tables.items()}
        print_json(document)
        return
    click.echo(what.description)
    click.echo(
        tr(
            "  {class_words} profile, version {version}, {colour_space} to {pcs}, {size:,} bytes",
            class_words=what.class_words,
            version=what.version,
            colour_space=what.colour_space,
            pcs=what.pcs,
            size=what.size,
        )
    )
    click.echo(tr("  intents: {intents}", intents=", ".join(Intent(i).words for i in what.intents) or tr("none")))
    if what.white_lab:
        click.echo(
            tr("  white L*a*b* {white_lab}", white_lab=what.white_lab)
            + (tr(", black {black_lab}", black_lab=what.black_lab) if what.black_lab else "")
        )
    click.echo(
        tr("  can serve as an output profile") if what.usable_as_output else tr("  cannot serve as an output profile")
    )
    if what.patches:
        click.echo(tr("  carries the {patches:,} patches that it was made from", patches=what.patches))
    for problem in what.problems:
        click.echo(f"  {tr(problem.weight)}: {problem.message}" + (f" ({problem.clause})" if problem.clause else ""))
    if found is not None:
        click.echo(f"  {found.sentence}")
        for intent, moved in tables.items():
            click.echo(tr("  its {intent} table {words}", intent=Intent(intent).words, words=moved.words))
        if found.round_trip:
            trip = found.round_trip
            click.echo(
                tr(
                    "  round trip: mean ΔE00 {mean:.2f}, 95th percentile {p95:.2f}, largest {largest:.2f}",
                    mean=trip.mean,
                    p95=trip.p95,
                    largest=trip.largest,
                )
            )
        if found.gamut_volume:
            click.echo(tr("  gamut volume: {gamut_volume:,.0f} cubic units of L*a*b*", gamut_volume=found.gamut_volume))


def _tables(opened: Profile, what: Description) -> dict[str, Kept]:
    """Return what each of a profile's tables does to printable colours."""
    from fidele.icc.transform import Intent
    from fidele.proof.kept import kept

    if not what.usable_as_output:
        return {}
    every = {i: kept(opened, Intent(i)) for i in what.intents if i != "absolute"}
    return {i: moved for i, moved in every.items() if moved is not None}


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


@profile.command()
@click.argument("paths", nargs=-1, required=True, type=FILE)
@click.option("--all", "every", is_flag=True, help=tr("Install every profile where a zip or folder holds several."))
@click.option("--keep-both", is_flag=True, help=tr("Install also where another version has the same description."))
@click.option("--json", "as_json", is_flag=True, help=tr("Print one JSON document."))
def install(paths: tuple[Path, ...], every: bool, keep_both: bool, as_json: bool) -> None:
    """Put profiles on the shelf: files, folders, zips, saved mails.

    Exit 0 when all are there, 1 when something is to be chosen, 2 when something was refused.
    """
    shelf = shelf_of_user()
    results = [r for path in paths for r in shelf.install(path, every, keep_both)]
    if as_json:
        print_json([{k: getattr(r, k) for k in ("path", "status", "id", "title", "reason")} for r in results])
    else:
        for r in results:
            click.echo(
                f"{_STATUSES.get(r.status, r.status):9}  {r.id:16}  {r.title or r.path}"
                + (f": {r.reason}" if r.reason else "")
            )
        if any(r.status == "choose" for r in results):
            click.echo(
                tr("Nothing was put there for 'choose': --all takes every one, --keep-both another version."), err=True
            )
    statuses = {r.status for r in results}
    sys.exit(2 if "refused" in statuses else 1 if "choose" in statuses else 0)


@profile.command("list")
@click.argument("words", nargs=-1)
@click.option("--json", "as_json", is_flag=True, help=tr("Print one JSON document."))
def list_profiles(words: tuple[str, ...], as_json: bool) -> None:
    """List the profiles on this machine, or those in which all WORDS stand."""
    from fidele.store.papers import PapersStore

    store, rows = PapersStore(places().papers), []
    for entry in shelf_of_user().entries():
        title = store.read(entry.id).value("title") or entry.title
        what = entry.description
        text = f"{title} {entry.title} {entry.path.name} {what.class_words} {what.colour_space}".casefold()
        if all(w.casefold() in text for w in words):
            rows.append((entry, title))
    if as_json:
        keys = ("description", "version", "device_class", "colour_space", "pcs", "intents", "size", "usable_as_output")
        print_json(
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
    shelf = shelf_of_user()
    title = entry.title if (entry := shelf.find(profile_id)) else profile_id
    removed = shelf.remove(profile_id)
    click.echo(
        tr(
            "“{title}” was taken off. Kept as {kept}; 'fidele profile install' puts it back.",
            title=title,
            kept=removed.kept,
        )
    )


@profile.command("find-lost")
@click.argument("folders", nargs=-1, type=FILE)
@click.option("--json", "as_json", is_flag=True, help=tr("Print one JSON document."))
def find_lost_profiles(folders: tuple[Path, ...], as_json: bool) -> None:
    """Search FOLDERS, or the home folder, for profiles that no program can see, and say why."""
    from fidele.store.lost import find_lost, usual_places

    found = find_lost(shelf_of_user(), folders or usual_places())
    if as_json:
        print_json(
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
        tr("{n} found; 'fidele profile install PATH' mends it.", n=len(found))
        if found
        else tr("Nothing is lost there."),
        err=True,
    )


@profile.command()
@click.argument("a")
@click.argument("b")
@click.option("--json", "as_json", is_flag=True, help=tr("Print one JSON document."))
def compare(a: str, b: str, as_json: bool) -> None:
    """Lay two gamuts over each other. A and B are files, ids on the shelf, 'sRGB' or 'opRGB'."""
    from fidele.icc.compare import compare_profiles

    found = compare_profiles(_named(a), _named(b))
    if as_json:
        print_json(found.document())
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
    entry = shelf_of_user().find(name)
    if entry is None:
        raise FideleError(
            tr("'{name}' is neither a file, nor the id of a profile on the shelf, nor sRGB or opRGB.", name=name)
        )
    return Profile.open(entry.path)


@profile.command()
@click.argument("measured", nargs=-1, required=True, type=FILE)
@click.option(
    "--chart", "definition", type=FILE, help=tr("The chart that was printed (CGATS), where files state no RGB.")
)
@click.option("--out", type=FILE, help=tr("Profile to write; without it only the report is made."))
@click.option("--title", default="", help=tr("What the profile is called."))
@click.option("--condition", "card", default="", help=tr("The printing condition that it was printed by: it says how."))
@click.option("--without", default="", help=tr("Patches to leave out, by id: A4,B5."))
@click.option(
    "--like", type=FILE, help=tr("A profile of the same printer and inks on another media: fewer patches do then.")
)
@click.option("--keep-all", is_flag=True, help=tr("Use every patch, however doubtful."))
@click.option(
    "--ink-limit", default=0.0, help=tr("Most of all inks together that the media holds, in per cent (CMYK).")
)
@click.option(
    "--black",
    default=50.0,
    show_default=True,
    help=tr("How much black in dark colours, in per cent of what could be (CMYK)."),
)
@click.option("--json", "as_json", is_flag=True, help=tr("Print one JSON document."))
def make(
    measured: tuple[Path, ...],
    definition: Path | None,
    out: Path | None,
    title: str,
    card: str,
    without: str,
    like: Path | None,
    keep_all: bool,
    ink_limit: float,
    black: float,
    as_json: bool,
) -> None:
    """Make a printer's output profile from measurements of a target that was printed with nothing converting.

    Device values stand in the files (RGB or CMYK columns) or come from --chart by the names of patches. Several files
    are pages, or repeats, which are averaged. What is wrong is put right and said, or refused with the reason.
    """
    import datetime

    from fidele.characterise.gathered import gathered
    from fidele.characterise.own import made_from
    from fidele.characterise.own_inks import InkWish, made_of_inks
    from fidele.chart.cgats import read as read_table
    from fidele.chart.definition import from_table
    from fidele.chart.measured_file import read_any
    from fidele.files import write_bytes
    from fidele.icc.profile import Profile

    what = from_table(read_table(definition), str(definition)) if definition is not None else None
    found = gathered([(path.name, read_any(path)) for path in measured], what)
    names = _names(without)
    if unknown := sorted(names - set(found.ids)):
        raise FideleError(tr("There is no patch {unknown} to leave out.", unknown=unknown[0]))
    states: dict[str, str] = {}
    if card:
        from fidele.commands.common import session_of_user
        from fidele.run.own_profile import stated

        mine = session_of_user().conditions.need(card)
        states, title = stated(mine), title or f"{mine.printer_name}, {mine.media}, {mine.substrate}"
    title = title or (out.stem if out is not None else measured[0].stem)
    now = datetime.datetime.now().replace(microsecond=0)
    known = Profile.open(like) if like is not None else None
    setup = None
    if found.inks is None:
        made = made_from(found, title, now, states, names, keep_all, out is not None, known)
    elif known is not None:
        raise FideleError(tr("Only profiles of printers that take RGB can begin from another one."))
    else:
        wish = InkWish(ink_limit / 100 or None, black / 100)
        made, setup = made_of_inks(found, title, now, states, names, keep_all, out is not None, wish)
    if out is not None:
        write_bytes(out, made.profile)
    if as_json:
        inks = {} if setup is None else {"inks": _of_inks(setup)}
        print_json(_figures(out, title, found, made) | inks)
        return
    if out is not None:
        click.echo(
            tr(
                "{out}: “{title}”, made from {used} of {n} patches.",
                out=out,
                title=title,
                used=made.used,
                n=len(found.ids),
            )
        )
    _tell(made.fit.stated.words, found, made)
    for sentence in setup.words() if setup is not None else ():
        click.echo(f"  {sentence}")


def _of_inks(setup: InkSetup) -> dict[str, Any]:
    most = setup.most.round(3).tolist()
    return {"names": list(setup.inks.names), "total": round(setup.total, 3), "most": most}


def _figures(out: Path | None, title: str, found: Gathered, made: OwnProfile) -> dict[str, Any]:
    said = made.fit.stated
    return {
        "out": str(out) if out is not None else None,
        "title": title,
        "patches": len(found.ids),
        "used": made.used,
        "stated": {
            "mean_de00": round(said.mean, 3),
            "interval": [round(said.low, 3), round(said.high, 3)],
            "p95_de00": round(said.p95, 3),
            "noise_de00": round(said.noise, 3),
        },
        "repeatability_de00": None if found.noise != found.noise else round(found.noise, 3),
        "doubtful": [found.ids[i] for i in made.fit.out] + list(found.doubtful),
        "swapped": [[found.ids[a], found.ids[b]] for a, b in made.fit.swapped],
        "put_right": list(found.put_right),
        "missing": list(found.missing),
        "cautions": list(found.cautions),
        "white_lab": [round(float(v), 2) for v in made.white_Lab],
        "black_lab": [round(float(v), 2) for v in made.black_Lab],
    }


def _tell(how_good: str, found: Gathered, made: OwnProfile) -> None:
    for sentence in (how_good, *found.put_right, *made.words(found)):
        click.echo(f"  {sentence}")
    for sentence in found.cautions:
        click.echo(tr("caution: {sentence}", sentence=sentence), err=True)


@profile.command("mend")
@click.argument("old", type=FILE)
@click.argument("measured", nargs=-1, required=True, type=FILE)
@click.option(
    "--chart", "definition", type=FILE, help=tr("The chart that was printed (CGATS), where files state no RGB.")
)
@click.option("--out", type=FILE, help=tr("Profile to write; without it only the report is made."))
@click.option("--title", default="", help=tr("What the profile is called."))
@click.option("--without", default="", help=tr("Patches to leave out, by id: A4,B5."))
@click.option("--json", "as_json", is_flag=True, help=tr("Print one JSON document."))
def mend_profile(
    old: Path,
    measured: tuple[Path, ...],
    definition: Path | None,
    out: Path | None,
    title: str,
    without: str,
    as_json: bool,
) -> None:
    """Bring a profile up to what its printer prints now, by some thirty patches that were printed bare.

    For a printer whose inks drift, and for a supplier's profile that is to fit one's own unit. The mending chart
    ('fidele chart make mend') shows a drift best. It says whether mending will do or a whole target is due.
    """
    import datetime

    from fidele.characterise.gathered import gathered
    from fidele.characterise.own import mended_from
    from fidele.chart.cgats import read as read_table
    from fidele.chart.definition import from_table
    from fidele.chart.measured_file import read_any
    from fidele.files import write_bytes
    from fidele.icc.describe import describe
    from fidele.icc.profile import Profile

    what = from_table(read_table(definition), str(definition)) if definition is not None else None
    known = Profile.open(old)
    found, names = gathered([(path.name, read_any(path)) for path in measured], what, known), _names(without)
    if unknown := sorted(names - set(found.ids)):
        raise FideleError(tr("There is no patch {unknown} to leave out.", unknown=unknown[0]))
    title = title or (out.stem if out is not None else describe(known).description)
    now = datetime.datetime.now().replace(microsecond=0)
    states = {k: v for k, v in describe(known).meta.items() if k.startswith(("about.", "made."))}
    made, mended = mended_from(found, title, now, known, states, names, out is not None)
    if out is not None:
        write_bytes(out, made.profile)
    if as_json:
        drift = {"drift_de00": round(mended.drift, 3), "advice": str(mended.advice), "says": mended.words}
        print_json(_figures(out, title, found, made) | drift)
        return
    if out is not None:
        click.echo(tr("{out}: “{title}”, mended by {n} patches.", out=out, title=title, n=made.used))
    _tell(mended.words, found, made)


@profile.command("alike")
@click.argument("first", type=FILE)
@click.argument("second", type=FILE)
@click.option("--both", is_flag=True, help=tr("One profile for both, in the middle between them."))
@click.option("--out", type=FILE, help=tr("Profile to write; without it only the cost is said."))
@click.option("--title", default="", help=tr("What the profile is called."))
@click.option("--json", "as_json", is_flag=True, help=tr("Print one JSON document."))
def alike_profiles(first: Path, second: Path, both: bool, out: Path | None, title: str, as_json: bool) -> None:
    """Make the unit of the SECOND profile print like that of the FIRST, and say what that costs.

    Instead of the second profile its measured chart will do: the first is then mended by it (see 'mend').
    """
    import datetime
    from dataclasses import asdict

    from fidele.characterise.alike import alike, cost, for_both, grid_of
    from fidele.characterise.gathered import gathered
    from fidele.characterise.own import mended_from
    from fidele.chart.measured_file import read_any
    from fidele.files import read_bytes, write_bytes
    from fidele.icc.describe import describe
    from fidele.icc.profile import LARGEST, Profile
    from fidele.store.parcel import looks_like_profile

    now = datetime.datetime.now().replace(microsecond=0)
    one = Profile.open(first)
    if looks_like_profile(read_bytes(second, LARGEST)):
        other = Profile.open(second)
    else:
        found = gathered([(second.name, read_any(second))], None, one)
        made, _ = mended_from(found, second.stem, now, one)
        other = Profile.parse(made.profile, second.name)
    title = title or (out.stem if out is not None else describe(other).description)
    states = {k: v for k, v in describe(other).meta.items() if k.startswith(("about.", "made."))}
    data, said, figures = b"", [], {}
    if both:
        middle = for_both(one, other, title, now, states)
        data, said = middle.profile, middle.words
        figures = {"first": middle.first, "second": middle.second}
    else:
        if out is not None:
            data, price = alike(one, other, title, now, states)
        else:
            price = cost(grid_of(one), grid_of(other))
        said, figures = price.words, asdict(price)
    if out is not None:
        write_bytes(out, data)
    if as_json:
        print_json({"out": str(out) if out is not None else "", "title": title, "says": said} | figures)
        return
    for sentence in said:
        click.echo(sentence)


def _names(without: str) -> set[str]:
    return {n.strip() for n in without.split(",") if n.strip()}
