"""Printers that take more inks than cyan, magenta, yellow and black: pages, fit, separation, profile, pictures."""

from __future__ import annotations

import ctypes
import json

import numpy as np
import pytest
import tifffile
from click.testing import CliRunner

from fidele.artwork.open import open_artwork
from fidele.artwork.save import save_picture
from fidele.characterise import printer
from fidele.characterise.inks import GRID
from fidele.characterise.own_inks import SIZES
from fidele.characterise.printer import Sizes
from fidele.chart.cgats import Table, read, write
from fidele.chart.definition import from_table
from fidele.chart.ink_set import InkSet, ink_set
from fidele.chart.measured_file import read_any
from fidele.cli import cli
from fidele.colour.cie import lab_to_lch
from fidele.colour.difference import delta_e_2000
from fidele.errors import FideleError
from fidele.icc.conform import conformance
from fidele.icc.profile import Profile
from fidele.icc.spaces import srgb
from fidele.icc.transform import Intent, convert, from_lab, to_lab
from tests.hands import drop, go, settle
from tests.street import inked
from tests.street.kinds import made


def measured_file(path, inks, Lab, names, ids=None):
    """What somebody measured, as a table of another program's that says which inks they are."""
    columns = {column: inks[:, i] * 100 for i, column in enumerate(names.columns)}
    columns |= {f"LAB_{c}": Lab[:, i] for i, c in enumerate("LAB")}
    called = ids or tuple(f"P{n}" for n in range(len(inks)))
    write(path, Table(called, columns, {"FIDELE_INKS": ", ".join(names.names)}))
    return path


def littlecms_of_six(values, profile, into, intent):
    """L*a*b* (n, 3) to six inks, 0 to 1, or back, by LittleCMS itself: its binding here takes four."""
    try:
        lcms = ctypes.CDLL("liblcms2.so.2")
    except OSError:
        pytest.skip("LittleCMS is not on this system")
    pointer = ctypes.c_void_p
    for name in ("cmsOpenProfileFromMem", "cmsCreateLab2Profile", "cmsCreateTransform"):
        getattr(lcms, name).restype = pointer
    lcms.cmsCreateTransform.argtypes = [pointer, ctypes.c_uint32, pointer] + [ctypes.c_uint32] * 3
    lcms.cmsDoTransform.argtypes = [pointer, pointer, pointer, ctypes.c_uint32]
    # Doubles, of a colour space and so many channels (lcms2.h): L*a*b*, and six inks in per cent.
    kinds = [1 << 22 | 10 << 16 | 3 << 3, 1 << 22 | 20 << 16 | 6 << 3]
    ends = [
        pointer(lcms.cmsCreateLab2Profile(None)),
        pointer(lcms.cmsOpenProfileFromMem(ctypes.c_char_p(profile.data), len(profile.data))),
    ]
    if not into:
        kinds, ends, values = kinds[::-1], ends[::-1], values * 100
    flags = 0x0100 | 0x0040  # neither optimised nor kept
    transform = lcms.cmsCreateTransform(ends[0], kinds[0], ends[1], kinds[1], intent.code, flags)
    given, out = np.ascontiguousarray(values, float), np.empty((len(values), 6 if into else 3))
    lcms.cmsDoTransform(transform, given.ctypes.data_as(pointer), out.ctypes.data_as(pointer), len(given))
    return out / 100 if into else out


def test_which_inks_there_are_and_what_each_is_for():
    of = ink_set(("orange", "Light-Cyan"))
    assert of.names == ("cyan", "magenta", "yellow", "black", "orange", "light cyan")
    assert (of.space, of.letters[4:], of.columns[4]) == ("6CLR", ("O", "lc"), "6CLR_5")
    # Red is orange's, a light blue tone the light ink's, green and grey have nothing to do with orange.
    red, green, blue, grey = of.spread(np.array([[0, 1, 1], [1, 0, 1], [0.2, 0.0, 0], [0.5, 0.5, 0.5]]))
    assert red[4] == pytest.approx(1)
    assert red[1] == red[2] == 0
    assert green[4] == 0
    assert blue[5] > 0.3 > blue[0]
    assert grey[4] == 0
    for names, why in (
        (("orange", "red"), "same place"),
        (("teal",), "There is no ink “teal” here"),
        (("orange", "green", "violet", "light cyan"), "8 inks are more than the 7"),
    ):
        with pytest.raises(FideleError, match=why):
            ink_set(names)


@pytest.fixture(scope="module")
def six(tmp_path_factory):
    """A stranger of six inks: what a shell makes of its ramps and its target, and the profile."""
    folder, runner = tmp_path_factory.mktemp("six"), CliRunner()
    press, of = made("six inks", 2), ink_set(("orange", "green"))

    def run(*arguments):
        done = runner.invoke(cli, [str(a) for a in arguments])
        assert done.exit_code == 0, done.output
        return done.output

    run("chart", "inks", "--out", folder, "--ink", "orange", "--ink", "green")
    page = tifffile.TiffFile(folder / "ink-ramps.tif").pages[0]
    assert (page.samplesperpixel, page.tags["NumberOfInks"].value, page.tags["InkSet"].value) == (6, 6, 2)
    assert page.tags["InkNames"].value.split("\0")[:6] == list(of.names)
    assert "ExtraSamples" not in page.tags
    ramps = from_table(read(folder / "ink-ramps.txt"), "ramps")
    assert ramps.ink_names == of.names
    Lab = inked.measured(press, ramps.inks, 0.1, 2)
    measured = measured_file(folder / "ramps.txt", ramps.inks, Lab, of, ramps.ids)
    run("chart", "inks", "--out", folder, "--ramps", measured, "--patches", 600)
    target = from_table(read(folder / "ink-target.txt"), "target")
    assert target.inks.shape == (600, 6)
    told = measured_file(folder / "target.txt", target.inks, inked.measured(press, target.inks, 0.1, 3), of)
    with pytest.MonkeyPatch.context() as quick:  # a coarse one
        quick.setitem(GRID, 6, 6)
        quick.setitem(SIZES, 6, Sizes(6, 3, 17, 9, 9))
        quick.setattr("fidele.characterise.inverse._ROUNDS", 2)
        for name in ("_samples", "_artwork"):
            every = getattr(printer, name)()
            quick.setattr(printer, name, lambda every=every: every[::5])
        said = json.loads(run("profile", "make", measured, told, "--out", folder / "six.icc", "--json"))
    assert said["inks"]["names"] == list(of.names)
    return press, Profile.open(folder / "six.icc"), said, folder


def test_from_a_shell_to_six_inks_by_which_littlecms_prints_what_is_asked(six):
    press, profile, said, _ = six
    assert not conformance(profile)
    assert profile.header.colour_space == "6CLR"
    # What is asked of it is printed, through LittleCMS as through us, and never with more ink than it holds.
    rng = np.random.default_rng(4)
    amounts = np.zeros((800, 6))
    for row in amounts:  # colours that three inks print, further ones among them
        row[rng.choice([0, 1, 2, 4, 5], 2, replace=False)] = rng.random(2)
        row[3] = rng.random() * 0.6
    wanted = inked.lab(press, amounts)
    inks = littlecms_of_six(wanted, profile, True, Intent.RELATIVE)
    assert np.abs(inks - from_lab(wanted, profile, Intent.RELATIVE)).max() < 0.002
    off = delta_e_2000(inked.lab(press, inks), wanted)
    assert np.median(off) < 1.0
    assert inks.sum(axis=1).max() < said["inks"]["total"] + 0.02
    device = rng.random((500, 6)) * 0.6
    for intent in (Intent.RELATIVE, Intent.PERCEPTUAL, Intent.ABSOLUTE):
        theirs = littlecms_of_six(device, profile, False, intent)
        assert np.abs(theirs - to_lab(device, profile, intent)).max() < 0.05
    # Orange is printed by orange, which comes to more chroma than magenta and yellow do.
    alone = np.zeros((2, 6))
    alone[0, 4], alone[1, 1:3] = 1, 1
    Lab = inked.lab(press, alone)
    assert lab_to_lch(Lab)[0, 1] > lab_to_lch(Lab)[1, 1] + 5
    laid = from_lab(Lab[:1], profile, Intent.RELATIVE)[0]
    assert laid[4] > 0.8
    assert delta_e_2000(inked.lab(press, laid[None]), Lab[:1])[0] < 2.5
    # What it knows of the inks stands in it: their names, and their measurements.
    assert b"orange" in profile.raw("clrt")
    assert b"6CLR_6" in profile.raw("targ")


def test_pictures_are_written_in_six_inks(six, tmp_path):
    _, profile, _, _ = six
    pixels = (np.random.default_rng(1).random((40, 60, 3)) * 65535).astype(np.uint16)
    inks = convert(pixels, srgb(), profile, Intent.RELATIVE, True)
    assert inks.shape == (40, 60, 6)
    white = convert(np.full((1, 1, 3), 65535, np.uint16), srgb(), profile, Intent.RELATIVE, True)
    assert white.max() < 100  # bare paper stays bare
    save_picture(tmp_path / "six.tif", inks, profile, 300)
    assert np.array_equal(tifffile.imread(tmp_path / "six.tif"), inks)
    assert "orange\0green" in tifffile.TiffFile(tmp_path / "six.tif").pages[0].tags["InkNames"].value
    with pytest.raises(FideleError, match="a TIFF of 6 inks that are not C, M, Y and K"):
        open_artwork(tmp_path / "six.tif")
    for ending in ("png", "jpg", "pdf"):
        with pytest.raises(FideleError, match="only TIFF holds more than four inks"):
            save_picture(tmp_path / f"six.{ending}", inks, profile, 300)
    assert not list(tmp_path.glob("six.[!t]*"))


def test_what_is_wrong_with_measurements_of_more_inks_is_said(six, tmp_path):
    _, _, _, folder = six
    text = (folder / "ramps.txt").read_text()
    lines = [line for line in text.splitlines() if not line.startswith("FIDELE_INKS")]
    (tmp_path / "nameless.txt").write_text("\n".join(lines))
    with pytest.raises(FideleError, match="amounts of 6 inks and does not say which"):
        read_any(tmp_path / "nameless.txt")
    # A table that names its columns after the inks needs no more.
    once = read_any(folder / "ramps.txt")
    rows = [";".join([*once.ink_names, "L*", "a*", "b*"])]
    rows += [";".join(f"{v:.4f}" for v in (*(100 * inks), *Lab)) for inks, Lab in zip(once.inks, once.Lab, strict=True)]
    (tmp_path / "named.csv").write_text("\n".join(rows))
    told = read_any(tmp_path / "named.csv")
    assert told.ink_names == once.ink_names
    assert np.abs(told.inks - once.inks).max() < 1e-5
    (tmp_path / "other.txt").write_text(text.replace("orange, green", "violet, green"))
    done = CliRunner().invoke(cli, ["profile", "make", str(folder / "target.txt"), str(tmp_path / "other.txt")])
    assert "violet" in str(done.exception)
    assert "a profile is of one printer" in str(done.exception)


def test_the_desk_asks_which_inks_and_takes_their_measurements(window, six, qtbot):
    _, _, _, folder = six
    go(window, "Ink profile")
    settle(window, qtbot)
    desk = window.desk
    drop(window, folder / "ramps.txt")
    settle(window, qtbot)
    assert "choose its inks first" in window.foot.said.text()
    desk.set.setCurrentIndex(desk.set.findData("orange, green"))
    desk.set.activated.emit(desk.set.currentIndex())
    drop(window, folder / "ramps.txt")
    settle(window, qtbot)
    assert desk.inks.setup().inks == InkSet((*ink_set().names, "orange", "green"))
    assert "O: ΔE" in desk.ramps.accessibleDescription()
    assert not desk.pdf.isVisible()
    window.session.undo()
    window.session.undo()
    assert (desk.inks.work.ramps, desk.inks.work.further) == ("", ())
