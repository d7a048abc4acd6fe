"""The command line as a person types it: exit codes, one sentence on errors, JSON that parses."""

from __future__ import annotations

import configparser
import json
import os
import shlex
import shutil
from pathlib import Path
from xml.etree import ElementTree

import numpy as np
import pytest
import tifffile

from fidele.artwork.open import open_artwork
from fidele.artwork.save import save_picture
from fidele.chart.cgats import Table, read, write
from fidele.chart.definition import from_table, to_table
from fidele.icc.spaces import grey, lab, oprgb, srgb
from fidele.icc.transform import Intent, convert, to_lab
from fidele.proof.soft import ProofSettings, soft_proof
from tests.shell import fidele


def refused(*arguments, words: str, **options) -> None:
    done = fidele(*arguments, **options)
    assert done.returncode == 2, done
    assert done.stdout == ""
    assert done.stderr.startswith("fidele: ")
    assert done.stderr.count("\n") == 1
    assert "Traceback" not in done.stderr
    assert words in done.stderr


@pytest.fixture
def artwork(tmp_path):
    pixels = np.random.default_rng(0).integers(0, 65536, (60, 80, 3), dtype=np.uint16)
    save_picture(tmp_path / "art.tif", pixels, oprgb(), 240)
    save_picture(tmp_path / "bare.png", (pixels >> 8).astype(np.uint8), None, 300)
    return tmp_path / "art.tif"


def test_every_command_has_a_line_of_help():
    for command in (
        [],
        ["profile"],
        ["profile", "inspect"],
        ["profile", "install"],
        ["profile", "list"],
        ["profile", "remove"],
        ["profile", "find-lost"],
        ["profile", "compare"],
        ["condition", "list"],
        ["condition", "check"],
        ["condition", "compare"],
        ["probe"],
        ["desktop", "install"],
        ["desktop", "remove"],
        ["convert"],
        ["proof"],
        ["chart", "make"],
        ["chart", "read"],
        ["check"],
        ["demo"],
    ):
        done = fidele(*command, "--help")
        assert done.returncode == 0
        assert len(done.stdout.splitlines()[2].strip()) > 10


def test_without_a_display_the_window_is_refused_in_a_sentence():
    bare = {k: v for k, v in os.environ.items() if k not in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")}
    refused("open", words="There is no display for the window", env=bare)


def test_inspect(profile_path):
    done = fidele("profile", "inspect", profile_path, "--json")
    assert done.returncode == 0
    what = json.loads(done.stdout)
    assert {
        "description",
        "version",
        "device_class",
        "colour_space",
        "pcs",
        "intents",
        "size",
        "usable_as_output",
        "problems",
    } <= what.keys()
    assert what["usable_as_output"] is True
    assert what["intents"] == ["perceptual", "relative", "saturation", "absolute"]
    assert what["size"] == profile_path.stat().st_size
    assert "can serve as an output profile" in fidele("profile", "inspect", profile_path).stdout


def test_inspect_tells_what_is_wrong(tmp_path, profile_path):
    data = bytearray(profile_path.read_bytes())
    data[12:16] = b"mntr"
    (tmp_path / "display.icc").write_bytes(data)
    assert (
        json.loads(fidele("profile", "inspect", tmp_path / "display.icc", "--json").stdout)["usable_as_output"] is False
    )
    (tmp_path / "cut.icc").write_bytes(data[: len(data) // 2])
    cut = json.loads(fidele("profile", "inspect", tmp_path / "cut.icc", "--json").stdout)
    assert all({"code", "weight", "message", "clause"} == p.keys() for p in cut["problems"])
    assert any("outside the file" in p["message"] for p in cut["problems"])
    refused("profile", "inspect", tmp_path / "none.icc", words="does not exist")
    refused("profile", "inspect", tmp_path, words="is not a file")
    refused("profile", "inspect", __file__, words="not an ICC profile")


def test_convert(tmp_path, artwork, profile_path, printer):
    done = fidele("convert", artwork, "--to", profile_path, "--out", tmp_path / "out.tif")
    assert done.returncode == 0, done.stderr
    out = open_artwork(tmp_path / "out.tif")
    source = tifffile.imread(artwork)
    assert np.array_equal(out.pixels, convert(source, oprgb(), printer, Intent.PERCEPTUAL, True))
    assert (out.profile.data, out.ppi, out.bits) == (printer.data, pytest.approx(240), 16)
    # A picture that states nothing is taken for what is assumed; one that does is not.
    arguments = ("--to", profile_path, "--intent", "relative", "--no-bpc", "--assume")
    space = tmp_path / "opRGB.icc"
    space.write_bytes(oprgb().data)
    assert fidele("convert", tmp_path / "bare.png", *arguments, space, "--out", tmp_path / "o.png").returncode == 0
    bare = open_artwork(tmp_path / "bare.png").pixels
    assert np.array_equal(
        open_artwork(tmp_path / "o.png").pixels, convert(bare, oprgb(), printer, Intent.RELATIVE, False)
    )
    assert b"iCCP" in (tmp_path / "o.png").read_bytes()[:100]
    four = bytearray(printer.data)
    four[8:10] = b"\x04\x40"
    (tmp_path / "v4.icc").write_bytes(four)
    said = fidele("convert", artwork, "--to", tmp_path / "v4.icc", "--no-bpc", "--out", tmp_path / "v4.tif").stderr
    assert "compensation stays on" in said
    assert fidele("convert", artwork, "--to", profile_path, "--no-bpc", "--out", tmp_path / "v2.tif").stderr == ""


def test_convert_refuses(tmp_path, artwork, profile_path):
    out = tmp_path / "out.tif"
    before = artwork.read_bytes()
    refused("convert", artwork, "--to", profile_path, "--out", artwork, words="never changed")
    refused("convert", artwork, "--to", profile_path, "--out", tmp_path / "x.gif", words="Fidele writes .tif")
    refused("convert", artwork, "--to", artwork, "--out", out, words="not an ICC profile")
    refused(
        "convert", profile_path, "--to", profile_path, "--out", out, words="not a PNG, JPEG, TIFF, WebP, PDF or SVG"
    )
    refused("convert", artwork, "--to", profile_path, "--out", out, "--intent", "vivid", words="vivid")
    refused("convert", artwork, "--out", out, words="Say what it is converted to")
    (tmp_path / "lab.icc").write_bytes(lab().data)
    refused("convert", artwork, "--to", tmp_path / "lab.icc", "--out", out, words="cannot serve as an output profile")
    (tmp_path / "cut.tif").write_bytes(before[:3000])
    refused("convert", tmp_path / "cut.tif", "--to", profile_path, "--out", out, words="cut.tif is damaged")
    assert not out.exists()
    assert artwork.read_bytes() == before


def test_a_full_disk_leaves_nothing_half(tmp_path, artwork, profile_path):
    before = sorted(p.name for p in tmp_path.iterdir())
    refused(
        "convert", artwork, "--to", profile_path, "--out", tmp_path / "o.tif", words="cannot be written", largest=2000
    )
    assert sorted(p.name for p in tmp_path.iterdir()) == before


def test_proof(tmp_path, artwork, profile_path, printer):
    done = fidele(
        "proof", artwork, "--to", profile_path, "--out", tmp_path / "p.png", "--intent", "relative", "--paper-white"
    )
    assert done.returncode == 0, done.stderr
    assert "is lost" in done.stdout
    shown = open_artwork(tmp_path / "p.png")
    wanted = soft_proof(
        tifffile.imread(artwork), oprgb(), printer, ProofSettings(Intent.RELATIVE, True, paper_white=True)
    )
    assert np.abs(shown.pixels.astype(int) - wanted).max() <= 1
    assert shown.slip.words.startswith("sRGB")
    refused("proof", artwork, "--to", profile_path, "--out", tmp_path / "p.tif", words="written as .png")


def test_chart_make_read_and_check(tmp_path, demo):
    assert fidele("chart", "make", "control", "--out", tmp_path).returncode == 0
    drawn = open_artwork(tmp_path / "control.tif")
    assert (drawn.pixels.shape, drawn.ppi, drawn.bits) == ((3508, 2480, 3), pytest.approx(300), 16)
    # The drawn page itself, read as if it were a scan: its values are what the definition says.
    arguments = (
        "chart",
        "read",
        tmp_path / "control.tif",
        "--chart",
        tmp_path / "control.txt",
        "--out",
        tmp_path / "m.txt",
    )
    done = fidele(*arguments, "--json")
    assert done.returncode == 0, done.stderr
    what = json.loads(done.stdout)
    assert (what["patches"], what["mirrored"], what["page"]) == (144, False, 1)
    defined, measured = read(tmp_path / "control.txt"), read(tmp_path / "m.txt")
    assert np.abs(defined.RGB - measured.RGB).max() < 0.6
    assert measured.keywords["FIDELE_SCANNER_PROFILE"].startswith("sRGB")
    scanner = demo.data / "scanner" / "scanner.icc"
    assert fidele(*arguments, "--scanner-profile", scanner).returncode == 0
    same = fidele("check", tmp_path / "m.txt", tmp_path / "m.txt", "--json")
    assert same.returncode == 0
    assert json.loads(same.stdout)["max_de00"] == 0
    assert {"patches", "mean_de00", "median_de00", "p95_de00", "max_de00", "verdict"} <= json.loads(same.stdout).keys()
    text = (tmp_path / "m.txt").read_text()
    moved = text.replace("FIDELE_CHART", "FIDELE_COPY")
    head, body = moved.split("BEGIN_DATA\n")
    rows = [r.split("\t") for r in body.splitlines() if "\t" in r]
    for cells in rows:
        cells[4] = f"{float(cells[4]) + 9:.4f}"
    (tmp_path / "off.txt").write_text(head + "BEGIN_DATA\n" + "\n".join("\t".join(r) for r in rows) + "\nEND_DATA\n")
    failed = fidele("check", tmp_path / "m.txt", tmp_path / "off.txt")
    assert failed.returncode == 1
    assert failed.stdout.startswith("failed: 144 patches")
    refused("chart", "make", "nothing", "--out", tmp_path, words="no chart 'nothing'; there is quick, control, target")
    refused(
        "chart",
        "read",
        tmp_path / "m.txt",
        "--chart",
        tmp_path / "control.txt",
        "--out",
        tmp_path / "z.txt",
        words="not a PNG",
    )
    refused(
        "chart",
        "read",
        tmp_path / "control.tif",
        "--chart",
        tmp_path / "m.txt",
        "--out",
        tmp_path / "z.txt",
        words="page of another chart",
    )
    refused("check", tmp_path / "m.txt", tmp_path / "control.txt", words="holds neither L")
    refused("frobnicate", words="No such command")


# The shelf -----------------------------------------------------------------------------------------------------------


@pytest.fixture
def home(tmp_path):
    """An environment with a home of its own, and no profiles of the system."""
    (tmp_path / "home").mkdir()
    own = {k: v for k, v in os.environ.items() if not k.startswith("XDG_")}
    return own | {
        "HOME": str(tmp_path / "home"),
        "XDG_DATA_HOME": str(tmp_path / "home" / "share"),
        "XDG_DATA_DIRS": str(tmp_path / "system"),
    }


def test_profiles_are_installed_listed_and_removed(tmp_path, demo, profile_path, printer, home):
    zipped = demo.data / "downloads" / "fen-100-profiles.zip"
    damaged = demo.data / "downloads" / "tarn-120-wren.icc"
    done = fidele("profile", "install", profile_path, zipped, damaged, "--json", env=home)
    assert done.returncode == 2
    items = json.loads(done.stdout)
    assert [i["status"] for i in items] == ["installed", "choose", "choose", "choose", "refused"]
    assert all({"path", "status", "id", "reason"} <= i.keys() for i in items)
    assert items[0]["id"] == printer.content_id
    assert "tarn-120-wren" in items[4]["path"]
    assert items[4]["reason"]
    folder = tmp_path / "home" / "share" / "icc"
    assert [p.read_bytes() for p in folder.iterdir()] == [printer.data]
    again = fidele("profile", "install", profile_path, env=home)
    assert again.returncode == 0
    assert again.stdout.startswith("already")
    asked = fidele("profile", "install", zipped, env=home)
    assert asked.returncode == 1
    assert "--all takes every one" in asked.stderr
    assert fidele("profile", "install", zipped, "--all", env=home).returncode == 0
    listed = json.loads(fidele("profile", "list", "--json", env=home).stdout)
    assert len(listed) == 4
    assert {"id", "title", "path", "device_class", "intents", "usable_as_output"} <= listed[0].keys()
    assert [i["title"] for i in json.loads(fidele("profile", "list", "SLATE", "--json", env=home).stdout)] == [
        "Fen 100 slate Velm Wren"
    ]
    removed = fidele("profile", "remove", printer.content_id, env=home)
    assert removed.returncode == 0
    kept = removed.stdout.split("Kept as ")[1].split(";")[0]
    assert Path(kept).read_bytes() == printer.data
    assert fidele("profile", "install", kept, env=home).returncode == 0
    refused("profile", "remove", "0" * 16, words="not on the shelf any more", env=home)


def test_the_lost_are_found_from_a_shell(demo, home):
    folder = demo.data / "downloads"
    done = fidele("profile", "find-lost", folder, "--json", env=home)
    assert done.returncode == 0
    found = {i["title"]: i for i in json.loads(done.stdout)}
    assert found["Fen 100 ceramic Velm Wren"]["obstacle"] == "in-zip"
    assert found["tarn-120-wren.icc"]["obstacle"] == "damaged"
    assert found["tarn-120-wren.icc"]["mend"] == ""
    assert all(i["why"] for i in found.values())
    plain = fidele("profile", "find-lost", folder, env=home)
    assert "It was thrown away." in plain.stdout
    assert "Nothing is lost there." in fidele("profile", "find-lost", env=home).stderr
    refused("profile", "find-lost", folder / "nowhere", words="does not exist", env=home)


def test_profiles_are_compared(profile_path, home):
    done = json.loads(fidele("profile", "compare", profile_path, "sRGB", "--json", env=home).stdout)
    assert done["b"]["gamut_volume"] == pytest.approx(832_700, rel=0.01)
    assert 0.9 < done["a"]["covered_by_other"] < 1
    assert not done["same_content"]
    words = fidele("profile", "compare", "srgb", "oprgb", env=home).stdout
    assert "covers" in words
    assert "1,208," in words
    refused("profile", "compare", "nothing", "srgb", words="neither a file, nor the id", env=home)


def test_deep_inspection(profile_path, home):
    deep = json.loads(fidele("profile", "inspect", profile_path, "--deep", "--json", env=home).stdout)
    assert deep["round_trip"].keys() == {"mean_de00", "p95_de00", "max_de00"}
    assert deep["round_trip"]["mean_de00"] < 0.1
    assert 350_000 < deep["gamut_volume"] < 430_000
    assert deep["white_lab"][0] > 90
    assert deep["black_lab"][0] < 20
    assert deep["grey_axis"]["words"] == "Greys run slightly blue in the shadows."
    assert "round trip: mean ΔE00 0.0" in fidele("profile", "inspect", profile_path, "--deep", env=home).stdout


def test_the_desktop_entry_is_written_and_taken_away(tmp_path, home):
    share = tmp_path / "home" / "share"
    done = fidele("desktop", "install", env=home)
    assert done.returncode == 0
    entry = configparser.RawConfigParser(strict=True, delimiters=("=",))
    entry.optionxform = str
    entry.read(share / "applications" / "fidele.desktop", encoding="utf-8")
    keys = entry["Desktop Entry"]
    assert "application/vnd.iccprofile;" in keys["MimeType"]
    assert keys["Exec"].endswith(" open %F")
    command = shlex.split(keys["Exec"])[0]
    assert os.access(command, os.X_OK)
    assert ElementTree.parse(share / "icons/hicolor/scalable/apps/fidele.svg").getroot().tag.endswith("svg")
    types = ElementTree.parse(share / "mime" / "packages" / "fidele.xml").getroot()
    globs = {g.get("pattern") for g in types.iter() if g.tag.endswith("glob")}
    assert globs == {"*.icc", "*.icm"}
    assert fidele("desktop", "remove", env=home).returncode == 0
    assert [p for p in share.rglob("*fidele*") if p.is_file()] == []
    assert "nothing to take away" in fidele("desktop", "remove", env=home).stderr


# Printing conditions -------------------------------------------------------------------------------------------------


@pytest.fixture
def workshop(tmp_path, demo, home):
    """The demo's workshop as the user's own."""
    share = tmp_path / "home" / "share"
    shutil.copytree(demo.data, share / "fidele")
    (share / "fidele" / "icc").rename(share / "icc")
    return home


def test_conditions_are_checked_probed_and_sent(tmp_path, workshop):
    listed = json.loads(fidele("condition", "list", "--json", env=workshop).stdout)
    assert [c["id"] for c in listed] == ["house-number-tiles"]
    done = fidele("condition", "check", "house-number-tiles", "--json", env=workshop)
    assert done.returncode == 1
    found = json.loads(done.stdout)
    assert (found["verdict"], found["conversions"], found["mirrors"], found["scale"]) == ("stop", 2, 1, 1.0)
    assert [s["name"] for s in found["stages"]] == ["Fidele", "system", "driver", "panel"]
    assert all({"code", "weight", "message", "remedy"} == f.keys() for f in found["findings"])
    assert "two-conversions" in {f["code"] for f in found["findings"]}
    probed = fidele("probe", "House-number tiles", "--json", env=workshop)
    assert probed.returncode == 1
    assert json.loads(probed.stdout)["fits_best"][0]["conversion"] == "the maker's correction"
    out = tmp_path / "tiles.zip"
    assert fidele("condition", "export", "house-number-tiles", "--out", out, env=workshop).returncode == 0
    assert fidele("condition", "import", out, env=workshop).stdout.startswith("house-number-tiles")
    card = json.loads(fidele("condition", "show", "house-number-tiles", env=workshop).stdout)
    card |= {"id": "other", "name": "Other", "size": "A5", "unknown": 1}
    (tmp_path / "other.json").write_text(json.dumps(card))
    checked = fidele("condition", "check", tmp_path / "other.json", env=workshop)
    assert checked.returncode == 1
    assert "Size: A4 instead of A5" in checked.stdout
    assert (
        "They are alike"
        in fidele("condition", "compare", "house-number-tiles", "house-number-tiles", env=workshop).stdout
    )
    (tmp_path / "bad.json").write_text('{"id": 1')
    refused("condition", "check", tmp_path / "bad.json", words="cannot be read", env=workshop)
    refused("condition", "show", "nothing", words="no printing condition 'nothing'", env=workshop)
    refused("probe", "nothing", words="no printing condition 'nothing'", env=workshop)


def test_hands_reach_the_bench(workshop):
    shown = json.loads(fidele("bench", "show", "--json", env=workshop).stdout)
    assert {"Velm Wren", "Orrin Gannet", "Skarn Longship", "Skerry Sketch", "Print system", "Press"} == {
        c["device"] for c in shown
    }
    assert fidele("bench", "set", "Velm Wren", "power", "off", env=workshop).returncode == 0
    found = json.loads(fidele("condition", "check", "house-number-tiles", "--json", env=workshop).stdout)
    assert "printer-offline" in {f["code"] for f in found["findings"]}
    refused("bench", "set", "Velm Wren", "power", "maybe", words="there is no 'maybe'", env=workshop)
    refused("bench", "set", "Velm Wren", "mood", "good", words="has no 'mood'", env=workshop)
    refused("bench", "set", "Toaster", "power", "on", words="no 'Toaster' on the bench", env=workshop)
    assert fidele("bench", "set", "Velm Wren", "power", "on", env=workshop).returncode == 0


def test_many_pictures_are_converted_and_one_that_fails_stops_no_other(tmp_path, demo, profile_path):
    pictures = [demo.data / "artwork" / n for n in ("signal-flags.png", "lantern-parade-16bit.tif")]
    (tmp_path / "cut.png").write_bytes(pictures[0].read_bytes()[:3000])
    arguments = ("--to", profile_path, "--out-dir", tmp_path / "out", "--name", "{name} for tiles.png", "--mirror")
    done = fidele("convert", *pictures, tmp_path / "cut.png", *arguments)
    assert done.returncode == 2
    assert "1 of 3 pictures were not converted" in done.stderr
    assert "cut.png is damaged" in done.stderr
    assert sorted(p.name for p in (tmp_path / "out").iterdir()) == [
        "lantern-parade-16bit for tiles.png",
        "signal-flags for tiles.png",
    ]
    again = tmp_path / "out" / "signal-flags for tiles.png"
    refused("convert", again, "--to", profile_path, "--out", tmp_path / "x.tif", words="mirrored.")
    refused("convert", *pictures, "--to", profile_path, "--out", tmp_path / "x.tif", words="--out for one picture")
    refused("convert", *pictures, *arguments[:4], "--name", "same.png", words="Two pictures would be written")


def test_losses_and_nearest_colours(demo, profile_path):
    found = json.loads(
        fidele("losses", demo.data / "artwork" / "signal-flags.png", "--to", profile_path, "--json").stdout
    )
    assert {"area_lost", "mean_de00", "p95_de00", "colours"} <= found.keys()
    assert 0 < found["area_lost"] < 1
    assert {"wanted_lab", "printed_lab", "de00", "area", "words", "values", "name"} == found["colours"][0].keys()
    said = json.loads(fidele("nearest", "#00ffcc", "--to", profile_path, "--json").stdout)
    assert said["verdict"] == "cannot be held"
    assert [n["flavour"] for n in said["nearest"]] == ["least ΔE00", "same hue", "same lightness"]
    assert "holds" in fidele("nearest", "lab:50,5,5", "--to", profile_path).stdout
    refused("nearest", "mauve", "--to", profile_path, words="is no colour")
    refused("nearest", "300,0,0", "--to", profile_path, words="0 to 255")


def test_causes_scanner_and_reports_from_a_shell(demo, tmp_path, printer):
    from fidele.check.suspects import suspicions
    from fidele.icc.transform import Intent

    chart = tmp_path / "chart"
    assert fidele("chart", "make", "control", "--out", chart).returncode == 0
    listed = json.loads(fidele("chart", "list", "--json").stdout)
    assert {"quick", "control", "full-1500", "swatches", "visual"} <= {c["name"] for c in listed["charts"]}
    what = from_table(read(chart / "control.txt"), "x")
    suspected = suspicions(what.rgb, printer, Intent.PERCEPTUAL, True)
    names = {}
    for code in ("right", "not-converted"):
        Lab = suspected.Lab[code]
        write(tmp_path / f"{code}.txt", Table(what.ids, {f"LAB_{c}": Lab[:, i] for i, c in enumerate("LAB")}))
        (profile,) = demo.profiles.glob("*.icc")
        asked = ("--chart", chart / "control.txt", "--profile", profile, "--json")
        said = json.loads(fidele("diagnose", tmp_path / f"{code}.txt", *asked).stdout)
        names[code] = said["cause"]
        assert said["causes"][0]["code"] == code
        assert said["causes"][0]["fit_de00"] < 0.1
        assert {"code", "fit_de00", "confidence"} == set(said["causes"][0])
    assert names == {"right": "right", "not-converted": "not-converted"}
    refused(
        "diagnose", tmp_path / "right.txt", "--chart", chart / "control.txt", words="either --condition or --profile"
    )
    reported = fidele(
        "check",
        tmp_path / "right.txt",
        tmp_path / "not-converted.txt",
        *("--tolerance", "fabric", "--relative", "--report", tmp_path / "r.pdf"),
    )
    assert reported.returncode == 1
    whole = (tmp_path / "r.pdf").read_bytes()
    assert whole.startswith(b"%PDF")
    assert whole.rstrip().endswith(b"%%EOF")
    # A full disk leaves what was there, and says so.
    same = (tmp_path / "right.txt", tmp_path / "right.txt", "--report", tmp_path / "r.pdf")
    refused("check", *same, words="cannot be written", largest=4096)
    assert (tmp_path / "r.pdf").read_bytes() == whole
    refused(
        "check", tmp_path / "right.txt", tmp_path / "right.txt", "--tolerance", "loose", words="no tolerance 'loose'"
    )
    scan = ("--reference", tmp_path / "right.txt", "--out", tmp_path / "s.icc")
    refused("scanner", "characterise", chart / "control.tif", *scan, words="no RGB values to print")
    table = to_table(what)
    table.columns.update({f"LAB_{c}": suspected.Lab["right"][:, i] for i, c in enumerate("LAB")})
    write(tmp_path / "known.txt", table)
    made = fidele("scanner", "characterise", chart / "control.tif", *("--reference", tmp_path / "known.txt"), *scan[2:])
    assert made.returncode == 0
    assert "off by a mean of" in made.stdout
    verify = (
        "scanner",
        "verify",
        chart / "control.tif",
        "--limit",
        "3",
        "--profile",
        tmp_path / "s.icc",
        "--reference",
    )
    assert fidele(*verify, tmp_path / "known.txt").returncode == 0
    table.columns["LAB_L"] = table.columns["LAB_L"] - 6.0
    write(tmp_path / "other.txt", table)
    assert fidele(*verify, tmp_path / "other.txt").returncode == 1
    done = fidele(
        *("chart", "read", chart / "control.tif", "--chart", chart / "control.txt", "--out", tmp_path / "m.cxf"),
        *("--scanner-profile", tmp_path / "s.icc"),
    )
    assert done.returncode == 0


def test_files_for_another_house_and_intents_that_nobody_chose(places, profile_path, tmp_path):
    """A grey space and a working space are embedded and recorded; without --intent the one that suits is said."""
    flags, out = places.data / "artwork" / "signal-flags.png", tmp_path / "grey.tif"
    assert fidele("convert", flags, "--space", "gamma 2.2", "--out", out).returncode == 0
    found = open_artwork(out)
    assert found.profile.content_id == grey("gamma 2.2").content_id
    assert found.record.kind == "space"
    lightness = to_lab(open_artwork(flags).pixels, srgb())[..., 0]
    assert np.abs(to_lab(found.pixels, found.profile)[..., 0] - lightness).max() < 0.6
    # What is in a working space is converted on like any other picture.
    done = fidele("convert", out, "--to", profile_path, "--out", tmp_path / "on.tif")
    assert done.returncode == 0, done.stderr
    assert "suits this picture" in done.stdout
    refused(
        "convert", flags, "--space", "sRGB", "--to", profile_path, "--out", out, words="Say what it is converted to"
    )
    said = fidele("losses", flags, "--to", profile_path)
    assert "Media-relative suits this picture" in said.stdout
    assert "its " in said.stdout
    everywhere = fidele("losses", flags, "--conditions", env=os.environ | {"XDG_DATA_HOME": str(tmp_path / "empty")})
    assert everywhere.returncode == 2
    assert "no printing condition yet" in everywhere.stderr
