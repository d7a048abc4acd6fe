"""Pictures in hand: what they are taken for, whether they are good enough, and the customer's colours."""

from __future__ import annotations

import datetime
import io
import json
import os
import shutil
import socket
import struct
import threading
from functools import cache
from pathlib import Path

import cv2
import numpy as np
import pytest
from PIL import Image

from fidele.artwork.guess import looks_like
from fidele.artwork.open import open_artwork
from fidele.artwork.picture import Artwork, SourceSlip
from fidele.artwork.quality import quality_of
from fidele.artwork.replace import Replacement, replaced
from fidele.artwork.save import save_picture
from fidele.colour.difference import delta_e_2000
from fidele.demo import pictures
from fidele.errors import FideleError
from fidele.icc.profile import Profile
from fidele.icc.spaces import oprgb, srgb
from fidele.icc.transform import Intent, convert, to_lab
from fidele.proof.contrast import contrast_lost
from fidele.proof.customer import CustomerColour, held
from fidele.proof.losses import losses
from fidele.proof.soft import ProofSettings
from fidele.proof.trust import share_not_shown
from fidele.proof.where import LossMap
from fidele.session.customers import read_colours
from fidele.session.display import ScreenFound, display_of
from fidele.session.sources import Rule


def eight(image):
    return np.rint(np.clip(image, 0, 1) * 255).astype(np.uint8)


def artwork(pixels, alpha=None, drawing=False, profile=None):
    return Artwork(Path("x"), pixels, alpha, profile or srgb(), SourceSlip("stated", "x"), 300.0, drawing=drawing)


def codes(session):
    return {f.code for f in session.findings}


# Which space ------------------------------------------------------------------------------------------------------


@cache
def drawn(name: str) -> np.ndarray:
    """A picture of the demo, drawn once for all tests of this file; nobody changes it."""
    made = eight(getattr(pictures, name)())
    made.setflags(write=False)
    return made


def test_a_picture_hints_at_its_space_from_its_numbers():
    parade, harbour = drawn("parade"), drawn("harbour")
    for made in (parade, harbour, drawn("flags")):
        assert looks_like(made) == "sRGB"
        assert looks_like(convert(made, srgb(), oprgb(), Intent.RELATIVE)) == "opRGB"
    assert looks_like(eight(pictures.harbour() * 0.5 + 0.25)) == ""  # dull: tells nothing
    assert looks_like(np.full((50, 50, 3), 128, np.uint8)) == ""


def test_house_rules_mean_the_nearest_folder(session, tmp_path):
    shop = tmp_path / "jobs" / "Tern Harbour" / "lamps"
    shop.mkdir(parents=True)
    pixels = eight(pictures.parade(300, 200))
    save_picture(shop / "a.png", pixels, None)
    session.open_artwork(shop / "a.png")
    assert session.artwork.slip.words.startswith("sRGB, supposed")
    assert "space-supposed" in codes(session)
    assert "look like sRGB" in session.sources.doubt(session.artwork)
    rules = session.sources
    rules.make_rule(Rule(client="tern harbour", space="opRGB"))
    session.open_artwork(shop / "a.png")
    assert (session.artwork.profile.content_id, session.artwork.slip.rule) == (oprgb().content_id, True)
    assert "By your rule it is opRGB, but its numbers look like sRGB" in rules.doubt(session.artwork)
    rules.make_rule(Rule(folder=str(tmp_path / "jobs"), space="sRGB"))
    session.open_artwork(shop / "a.png")
    assert session.artwork.profile.content_id == oprgb().content_id  # the client's folder lies nearer
    rules.make_rule(Rule(folder=str(shop), space="sRGB"))
    session.open_artwork(shop / "a.png")
    assert session.artwork.profile.content_id == srgb().content_id
    assert not rules.doubt(session.artwork)
    session.undo()
    session.open_artwork(shop / "a.png")
    assert session.artwork.profile.content_id == oprgb().content_id
    (session.places.data / "house-rules.json").write_text("{broken")
    assert rules.rules.all() == ()


def test_inks_without_a_profile_are_taken_for_one_on_the_shelf(session, tmp_path):
    import tifffile

    tifffile.imwrite(tmp_path / "ink.tif", np.zeros((20, 30, 4), np.uint8), photometric="separated")
    with pytest.raises(FideleError, match="no CMYK profile on the shelf: drop"):
        session.open_artwork(tmp_path / "ink.tif")
    session.install(Path("/usr/share/color/icc/ghostscript/default_cmyk.icc"))
    session.open_artwork(tmp_path / "ink.tif")
    assert session.artwork.slip.kind == "supposed"
    assert session.sources.doubt(session.artwork)
    assert [s.title for s in session.sources.comb(session.artwork)]


def test_spaces_pages_and_pieces_change_in_steps(session, tmp_path):
    import tifffile

    pages = np.stack([np.full((20, 30, 3), v, np.uint8) for v in (10, 20, 30)])
    tifffile.imwrite(tmp_path / "three.tif", pages, photometric="rgb")
    session.open_artwork(tmp_path / "three.tif")
    assert "which-page" in codes(session)
    session.pieces.take_page(session.pieces.reading(2)())
    assert session.artwork.pixels[0, 0, 0] == 30
    assert "which-page" not in codes(session)
    first = session.pieces.current.number
    session.open_artwork(session.places.data / "artwork" / "signal-flags.png")
    assert len(session.pieces.all) == 2
    session.undo()  # the page of the first one, wherever we are
    assert session.pieces.all[0].artwork.pixels[0, 0, 0] == 10
    session.redo()
    session.pieces.select(first)
    session.pieces.lay_aside(first)
    assert [p.opened.path.name for p in session.pieces.all] == ["signal-flags.png"]
    assert session.artwork.path.name == "signal-flags.png"
    session.undo()
    assert session.artwork.path.name == "three.tif"
    assert (tmp_path / "three.tif").exists()


def test_a_watched_folder_waits_until_files_have_arrived(session, tmp_path):
    folder, into = tmp_path / "in", tmp_path / "out"
    folder.mkdir()
    save_picture(folder / "old.png", np.zeros((4, 4, 3), np.uint8), srgb())
    session.inbox.watch(folder)
    assert session.inbox.arrived(session.inbox.listing()) == []
    data = (folder / "old.png").read_bytes()
    (folder / "new.png").write_bytes(data[:50])
    (folder / ".hidden.png").write_bytes(data)
    (folder / "notes.txt").write_text("x")
    assert session.inbox.arrived(session.inbox.listing()) == []
    (folder / "new.png").write_bytes(data)
    assert session.inbox.arrived(session.inbox.listing()) == []  # it has grown since
    assert session.inbox.arrived(session.inbox.listing()) == [folder / "new.png"]
    assert session.inbox.arrived(session.inbox.listing()) == []
    with pytest.raises(FideleError, match="watched folder itself"):
        session.inbox.watch(folder, folder)
    session.inbox.watch(folder, into)
    again = type(session)(session.places)
    assert (again.inbox.folder, again.inbox.into) == (folder, into)
    shutil.rmtree(folder)
    assert again.inbox.arrived(again.inbox.listing()) == []


# Good enough ------------------------------------------------------------------------------------------------------


def test_quality_is_told_from_the_pixels():
    harbour, flags, table = drawn("harbour"), drawn("flags"), drawn("tide_table")
    parade = drawn("parade")
    for good in (harbour, flags, table, parade):
        found = quality_of(artwork(good))
        assert found.detail == 1.0
        assert found.blocks < 1.8
        assert found.veil < 0.05
        assert found.grey_text == 0
        twice = cv2.resize(good, None, fx=2, fy=2, interpolation=cv2.INTER_CUBIC)
        assert quality_of(artwork(twice)).detail <= 0.5
    for photo in (harbour, parade):
        memory = io.BytesIO()
        Image.fromarray(photo).save(memory, "JPEG", quality=40)
        assert quality_of(artwork(np.asarray(Image.open(memory)))).blocks > 2.2
    assert quality_of(artwork(np.maximum(table, 30))).grey_text > 0.005
    veiled = table.copy()
    veiled[(table == 255).all(axis=2)] = 251
    assert quality_of(artwork(veiled)).veil > 0.8
    burnt = np.minimum(255, harbour.astype(int) * 2).astype(np.uint8)
    burnt[:300] = 255
    burnt[::7, ::5] = 90
    edges = np.full(harbour.shape[:2], 255, np.uint8)
    edges[:100] = 12
    assert quality_of(artwork(harbour, edges)).faint_edges == pytest.approx(100 / harbour.shape[0], rel=0.01)
    assert quality_of(artwork(twice, drawing=True)).detail == 1.0


def test_grey_text_and_veils_are_mended_at_a_press(session, tmp_path):
    table = np.maximum(drawn("tide_table"), 28)
    table[(table >= 250).all(axis=2)] = 251
    save_picture(tmp_path / "t.png", table, srgb(), 300)
    before = (tmp_path / "t.png").read_bytes()
    session.open_artwork(tmp_path / "t.png")
    session.pieces.take_quality(session.pieces.quality_wanted()())
    assert {"grey-text", "veil"} <= codes(session)
    session.pieces.purify("whiten")
    session.pieces.purify("blacken")
    session.pieces.take_quality(session.pieces.quality_wanted()())
    assert not {"grey-text", "veil"} & codes(session)
    assert (session.artwork.pixels == 255).all(axis=2).mean() > 0.8
    assert (session.artwork.pixels == 0).all(axis=2).mean() > 0.001
    assert (tmp_path / "t.png").read_bytes() == before
    session.undo()
    session.undo()
    assert np.array_equal(session.artwork.pixels, table)


def test_a_drawing_has_no_resolution_and_is_drawn_at_the_printer(session, tmp_path, qapp):
    (tmp_path / "logo.svg").write_text(
        '<svg xmlns="http://www.w3.org/2000/svg" width="40" height="40">'
        '<path d="M0 0 L40 40 L0 40 Z" fill="#0c3a70"/></svg>'
    )
    from dataclasses import replace

    from fidele.run.page import prepare_page

    session.open_artwork(tmp_path / "logo.svg")
    session.place(replace(session.placing, x=20, y=20, width=150, height=150))
    assert "low-resolution" not in codes(session)
    page = prepare_page(session.job(), session.device)
    scale = session.device.format.ppi / 25.4
    x, y = round((210 - 20) * scale) - 1, round(20 * scale)  # mirrored on paper
    row = page[y + round(75 * scale)].astype(int).sum(axis=1)
    edge = np.flatnonzero(np.abs(np.diff(row)) > 60)
    inside = edge[(edge > x - round(100 * scale)) & (edge < x - round(50 * scale))]
    assert len(inside) <= 6  # one sharp edge; the first drawing, enlarged 14 times, would take many more pixels


# Colours ----------------------------------------------------------------------------------------------------------


def test_replacing_leaves_all_else_and_softened_edges_follow():
    wanted, other, new = np.array([200, 30, 40]), np.array([255, 255, 255]), np.array([20, 180, 90])
    share = np.linspace(0, 1, 101)[:, None]
    edge = np.rint(share * wanted + (1 - share) * other).astype(np.uint8)[None]
    reach = float(np.abs(wanted - other).max() / 255)
    done = replaced(edge, (Replacement(tuple(wanted / 255), tuple(new / 255), reach),))
    ideal = share * new + (1 - share) * other
    assert np.abs(done[0] - ideal).max() <= 2
    hard = replaced(edge, (Replacement(tuple(wanted / 255), tuple(new / 255)),))
    assert np.array_equal(hard[0, -1], new)
    assert np.array_equal(hard[0, :-1], edge[0, :-1])
    deep = edge.astype(np.uint16) * 257
    assert np.array_equal(replaced(deep, (Replacement(tuple(wanted / 255), tuple(new / 255)),))[0, -1], new * 257)
    # Two colours that change places do so at once, each looking at the original.
    a, b = (1.0, 0.0, 0.0), (0.0, 0.0, 1.0)
    two = np.array([[[255, 0, 0], [0, 0, 255]]], np.uint8)
    assert np.array_equal(replaced(two, (Replacement(a, b), Replacement(b, a))), two[:, ::-1])


def test_customer_colours_hold_or_not(printer):
    settings = ProofSettings(Intent.RELATIVE, bpc=False)
    inside = to_lab(np.array([[0.55, 0.45, 0.4]], np.float32), printer)[0]
    good = held(CustomerColour("in", tuple(float(v) for v in inside)), printer, settings)
    assert (good.verdict, good.de00 < 1.0) == ("holds", True)
    far = to_lab(np.array([[104, 40, 250]], np.float32) / 255, srgb())[0]
    bad = held(CustomerColour("violet", tuple(float(v) for v in far), 1.0), printer, settings)
    assert bad.verdict == "cannot be held"
    assert [n.flavour for n in bad.nearest] == ["least ΔE00", "same hue", "same lightness"]
    least = bad.nearest[0].de00
    assert held(CustomerColour("violet", bad.colour.Lab, least / 1.5), printer, settings).verdict == "close"
    assert held(CustomerColour("violet", bad.colour.Lab, least + 0.1), printer, settings).verdict == "holds"
    # What is said to be printed is what the profile says of the values that are sent.
    sent = convert(np.clip(to_device(far), 0, 1), srgb(), printer, Intent.RELATIVE)
    assert delta_e_2000(np.array(bad.printed), to_lab(sent, printer)[0].astype(float)) < 0.3


def to_device(Lab):
    from fidele.icc.transform import from_lab

    return from_lab(np.asarray(Lab, np.float32)[None], srgb())


def test_lists_of_colours_come_in_from_cgats_cxf_and_csv(tmp_path, session):
    (tmp_path / "a.csv").write_text("Name;L;a;b;Tolerance\nSea;50,5;-20;10;3\nEmber;60;45;60;\n", encoding="utf-8")
    (tmp_path / "b.csv").write_text("Harbour,#0c3a70\nSun,255,206,62\n")
    (tmp_path / "c.txt").write_text(
        "CGATS.17\nNUMBER_OF_FIELDS 5\nBEGIN_DATA_FORMAT\nSAMPLE_ID SAMPLE_NAME LAB_L LAB_A LAB_B\nEND_DATA_FORMAT\n"
        'NUMBER_OF_SETS 1\nBEGIN_DATA\n1 "Sea glass" 70 -30 5\nEND_DATA\n'
    )
    (tmp_path / "d.cxf").write_text(
        '<?xml version="1.0"?><cc:CxF xmlns:cc="http://colorexchangeformat.com/CxF3-core"><cc:Resources>'
        '<cc:ObjectCollection><cc:Object ObjectType="Target" Name="Lamp" Id="1"><cc:ColorValues>'
        '<cc:ColorCIELab ColorSpecification="x"><cc:L>40.5</cc:L><cc:A>20</cc:A><cc:B>-60</cc:B></cc:ColorCIELab>'
        "</cc:ColorValues></cc:Object></cc:ObjectCollection></cc:Resources></cc:CxF>"
    )
    a = read_colours(tmp_path / "a.csv")
    assert [(c.name, c.Lab, c.tolerance) for c in a] == [("Sea", (50.5, -20, 10), 3.0), ("Ember", (60, 45, 60), 2.0)]
    b = read_colours(tmp_path / "b.csv")
    assert [c.name for c in b] == ["Harbour", "Sun"]
    blue = to_lab(np.array([[12, 58, 112]], np.float32) / 255, srgb())[0]
    assert np.abs(np.array(b[0].Lab) - blue).max() < 0.01
    assert (read_colours(tmp_path / "c.txt")[0].name, read_colours(tmp_path / "d.cxf")[0].Lab) == (
        "Sea glass",
        (40.5, 20, -60),
    )
    session.customers.take_in(read_colours(tmp_path / "a.csv"), "a.csv")
    session.customers.add("Lamp", "#6828fa", 1.5)
    session.customers.set_tolerance("Sea", 4)
    again = type(session)(session.places)
    assert [(c.name, c.tolerance) for c in again.customers.colours] == [
        ("Ember", 2.0),
        ("Lamp", 1.5),
        ("Sea", 4.0),
    ] or [c.name for c in again.customers.colours] == ["Sea", "Ember", "Lamp"]
    session.undo()
    session.undo()
    assert [c.name for c in session.customers.colours] == ["Sea", "Ember"]
    for name, text in (
        ("x.csv", "Name,hex\nA,#zzzzzz\n"),
        ("x.cxf", "<CxF><Object"),
        ("y.cxf", '<!DOCTYPE CxF [<!ENTITY a "b">]><CxF/>'),
        ("z.cxf", "<html/>"),
        ("x.txt", "nothing"),
    ):
        (tmp_path / name).write_text(text)
        with pytest.raises(FideleError, match=name.replace(".", r"\.")) as refused:
            read_colours(tmp_path / name)
        assert "\n" not in str(refused.value)


def test_neighbours_that_will_look_alike_are_found(printer):
    settings = ProofSettings(Intent.RELATIVE, bpc=False)
    violets = np.array([[0.4, 0.1, 0.8], [0.35, 0.05, 1.0]], np.float32)  # both end at the gamut's surface
    apart = delta_e_2000(*to_lab(violets, srgb()).astype(float))
    left = delta_e_2000(*to_lab(convert(violets, srgb(), printer, Intent.RELATIVE), printer).astype(float))
    assert apart > 5
    assert left < 1.2
    flags = np.full((80, 80, 3), 0.5, np.float32)
    flags[:, :20], flags[:, 20:40], flags[:, 60:] = violets[0], violets[1], (0.55, 0.35, 0.25)
    flags = np.rint(flags * 65535).astype(np.uint16)
    (pair,) = contrast_lost(flags, srgb(), printer, settings)
    assert (pair.kind, pair.wanted, pair.printed) == (
        "alike",
        pytest.approx(apart, abs=0.05),
        pytest.approx(left, abs=0.05),
    )
    assert "look alike: ΔE00 6.1 apart, 1.0 as printed" in pair.words
    # A gradient that runs on beyond the gamut blocks up; one inside does not.
    steps = np.linspace(0, 1, 70, dtype=np.float32)[None, :, None]
    for ends, lost in ((violets, True), (np.array([[0.4] * 3, [0.6] * 3], np.float32), False)):
        ramp = np.repeat((1 - steps) * ends[0] + steps * ends[1], 60, axis=0)
        found = contrast_lost(np.rint(ramp * 65535).astype(np.uint16), srgb(), printer, settings)
        assert [f.kind for f in found] == (["gradient"] if lost else [])
        if lost:
            assert "block up" in found[0].words
            assert found[0].printed / found[0].wanted == pytest.approx(left / apart, abs=0.15)


def test_flat_graphics_list_their_exact_colours(printer):
    flags = drawn("flags")
    found = losses(flags, srgb(), printer, ProofSettings(Intent.RELATIVE))
    exact = {tuple(np.rint(np.array(g.values) * 255).astype(int)) for g in found.groups}
    assert exact <= set(pictures.COLOURS.values())
    assert (0, 222, 208) in exact
    assert found.headline.startswith(f"{found.lost * 100:.0f} % of the picture will be visibly")
    photo = losses(drawn("harbour"), srgb(), printer, ProofSettings())
    assert not any(g.values for g in photo.groups)


def test_the_map_shows_how_far_each_place_is(printer, photo):
    settings = ProofSettings(Intent.RELATIVE)
    pixels = photo[::4, ::4]
    made = LossMap(srgb(), printer, settings)
    sent = convert(pixels.astype(np.float32) / 65535, srgb(), printer, Intent.RELATIVE, True)
    from fidele.proof.losses import wanted_and_printed

    wanted, printed = wanted_and_printed(pixels.astype(np.float32) / 65535, sent, srgb(), printer, settings)
    off = delta_e_2000(wanted.reshape(-1, 3), printed.reshape(-1, 3)).reshape(pixels.shape[:2])
    assert np.abs(made.difference(pixels) - off).mean() < 0.15
    shown = made(pixels).astype(int)
    grey = np.ptp(shown, axis=2) == 0
    sure = np.abs(off - 2) > 0.5
    assert (grey == (off <= 2))[sure].mean() > 0.99


# The screen -------------------------------------------------------------------------------------------------------


def test_a_screen_is_believed_chosen_found_or_doubted():
    today = datetime.date(2026, 11, 25)
    found = ScreenFound(oprgb(), "this screen's own")
    assert display_of(found, None, "", today).profile is oprgb()
    assert "11 months old" in display_of(found, None, "", today).words
    assert "drift" in display_of(found, None, "", today).advice
    assert display_of(found, srgb(), "mine", today).profile is srgb()
    managed = display_of(ScreenFound(None, "for the desktop converts", True), None, "", today)
    assert (managed.profile, managed.doubtful) == (None, False)
    assert display_of(ScreenFound(), None, "", today).doubtful
    wide = to_lab(np.array([[0, 1, 0], [0.5, 0.5, 0.5]], np.float32), oprgb())
    assert share_not_shown(wide, srgb()) == 0.5
    assert share_not_shown(wide, oprgb()) == 0


def test_what_a_compositor_offers_is_read_from_its_socket(tmp_path):
    """A compositor of our own that speaks the wire protocol: two globals, then the end of the round trip."""
    from fidele.desk.screen import wayland_globals

    def message(who, code, body):
        return struct.pack("<IHH", who, code, 8 + len(body)) + body

    def glob(number, name):
        text = name.encode() + b"\0"
        padded = text + b"\0" * (-len(text) % 4)
        return message(2, 0, struct.pack("<II", number, len(text)) + padded + struct.pack("<I", 1))

    path = tmp_path / "wayland-9"
    server = socket.socket(socket.AF_UNIX, socket.SOCK_STREAM)
    server.bind(str(path))
    server.listen(1)

    def serve():
        line, _ = server.accept()
        assert len(line.recv(64)) == 24
        data = glob(1, "wl_compositor") + glob(2, "wp_color_manager_v1") + message(3, 0, struct.pack("<I", 7))
        line.sendall(data[:30])
        line.sendall(data[30:])
        line.close()

    thread = threading.Thread(target=serve)
    thread.start()
    assert wayland_globals(path) == {"wl_compositor", "wp_color_manager_v1"}
    thread.join()
    assert wayland_globals(tmp_path / "nothing") == set()


@pytest.mark.skipif(shutil.which("Xvfb") is None, reason="there is no X server here")
def test_the_profile_of_an_x_screen_is_read_from_the_server(tmp_path):
    import ctypes
    import ctypes.util
    import subprocess

    from fidele.desk.screen import x11_profile

    read, write = os.pipe()
    server = subprocess.Popen(
        ["Xvfb", "-displayfd", str(write), "-screen", "0", "320x200x24"], pass_fds=[write], stderr=subprocess.DEVNULL
    )
    try:
        number = os.read(read, 16).decode().strip()
        display = f":{number}"
        assert x11_profile(display, 0).profile is None
        x11 = ctypes.CDLL(ctypes.util.find_library("X11"))
        x11.XOpenDisplay.restype = ctypes.c_void_p
        x11.XDefaultRootWindow.restype = x11.XInternAtom.restype = ctypes.c_ulong
        connection = ctypes.c_void_p(x11.XOpenDisplay(display.encode()))
        root = ctypes.c_ulong(x11.XDefaultRootWindow(connection))
        for name, data in (("_ICC_PROFILE", oprgb().data), ("_ICC_PROFILE_1", b"broken")):
            atom = ctypes.c_ulong(x11.XInternAtom(connection, name.encode(), 0))
            cardinal = ctypes.c_ulong(6)
            x11.XChangeProperty(connection, root, atom, cardinal, 8, 0, data, len(data))
        x11.XSync(connection, 0)
        assert x11_profile(display, 0).profile.content_id == oprgb().content_id
        assert "damaged" in x11_profile(display, 1).how
        x11.XCloseDisplay(connection)
    finally:
        server.terminate()
        server.wait()


def test_what_is_stated_in_json_files_is_ours(session):
    """All that a person keeps here are small files that can be read and passed on."""
    session.customers.add("Lamp", "#6828fa")
    session.sources.make_rule(Rule(space="opRGB"))
    for name in ("customer-colours.json", "house-rules.json"):
        assert json.loads((session.places.data / name).read_text())


def test_pasted_pictures_are_kept(session):
    memory = io.BytesIO()
    Image.fromarray(np.full((8, 9, 3), 77, np.uint8)).save(memory, "PNG")
    session.pieces.open(session.pieces.keep_pasted(memory.getvalue()))
    assert session.artwork.path.parent == session.places.work
    assert open_artwork(session.artwork.path).pixels[0, 0, 0] == 77
    with pytest.raises(FideleError):
        session.pieces.open(session.pieces.keep_pasted(b"no picture"))


def test_profiles_serve_as_spaces(session, printer):
    assert Profile.parse(srgb().data).channels == 3
    keys = [s.key for s in session.sources.candidates("RGB")]
    assert keys[:2] == ["sRGB", "opRGB"]
    assert f"profile:{printer.content_id}" not in keys  # an output profile is no space to work in
