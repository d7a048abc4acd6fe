"""Printers of this machine: the bench's, met as queues of a private print server, and nothing else of them known."""

from __future__ import annotations

import dataclasses
import datetime
import io
import json
import os
import shutil
import tempfile
import time
from pathlib import Path

import numpy as np
import pytest
from click.testing import CliRunner
from hypothesis import Phase, given, settings
from hypothesis import strategies as st
from PIL import Image
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtTest import QTest

from fidele.artwork.save import save_picture
from fidele.cli import cli
from fidele.desk.scan_area import ScanArea
from fidele.devices.bench.bench import Bench
from fidele.devices.bench.serving import DRIVERLESS, can_serve, served_bench, served_devices
from fidele.devices.cups.asked import read_answer
from fidele.devices.cups.controls import WAY
from fidele.devices.cups.ppd import read_ppd
from fidele.devices.cups.printer import WAYS
from fidele.devices.sane import AnyScanner, SaneScanner, program, scanners
from fidele.errors import FideleError
from fidele.icc.profile import Profile
from fidele.icc.spaces import srgb
from fidele.icc.transform import Intent
from fidele.ipp.message import COLLECTION, INTEGER, KEYWORD, PRINTER, Message, Typed, decode, one
from fidele.ipp.raster import RGB, RasterPage, raster_parts, read_raster
from fidele.route.layers import Evidence
from fidele.route.probe import lattice_page, nodes, read_lattice
from fidele.run.page import prepare_page
from fidele.run.probes import probe, probe_correction
from fidele.session import learning
from fidele.session.making import Draft
from fidele.session.model import Session
from fidele.session.places import Places
from tests.lcms import littlecms

needs_service = pytest.mark.skipif(not can_serve(), reason="cups-daemon is not installed")
PDF = next(w for w, kind in WAYS.items() if kind == "application/pdf")


@pytest.fixture
def session(served, demo, tmp_path):
    """A workshop of the demo's profile whose only printers are the served queues; filters can read its profiles."""
    public = Path(tempfile.mkdtemp(prefix="fidele-test-", dir="/var/tmp"))
    public.chmod(0o755)
    shutil.copytree(demo.data, tmp_path / "w")
    shutil.copytree(demo.data / "icc", public / "icc")
    (public / "icc").chmod(0o755)
    places = Places(tmp_path / "w", public / "icc", (), tmp_path / "w" / "bench", tmp_path / "w" / "state")
    devices = served_devices(served, served_folder(served), places.data / "printers")
    yield Session(places, devices)
    shutil.rmtree(public)


def served_folder(served) -> Path:
    return served._prints.parent


def codes(session) -> set[str]:
    return {f.code for f in session.findings}


def confirm_all(session) -> None:
    for finding in [f for f in session.findings if f.code == "not-known"]:
        session.act(finding.action)


def condition(session, queue: str):
    """Make a condition for a queue, its profile the demo's, a question at a time."""
    draft = Draft(piece="ceramic tile", printer=f"queue/{queue}", media="Fen 100")
    (row, *_) = [r for r in session.profiles.rows() if r.entry.description.usable_as_output]
    session.making.make(dataclasses.replace(draft, profile=row.entry.id))
    return session.card


@needs_service
def test_a_queue_goes_the_whole_way(session, served, tmp_path, monkeypatch):
    assert {p.id: p.kind_words for p in session.devices.printers} == {
        "queue/gannet": "queue",
        f"queue/{DRIVERLESS}": "driverless",
        "queue/longship": "queue",
        "queue/wren": "queue",
    }
    card = condition(session, "wren")
    # The leaflet's words were found among the driver's own; what lies behind its last raster nobody knows.
    assert (card.owner, card.driver["stand_in"], card.driver["direction"]) == ("fidele", "Dull heavy", "there")
    assert session.chain.headline == "Conversions not known"
    assert [f.code for f in session.findings].count("not-known") == 3
    confirm_all(session)
    assert (session.chain.headline, session.stops) == ("Converted once", ())
    assert session.chain.layer("driver").evidence is Evidence.BY_HAND
    # Through the filters, with the colour daemon converting as well: seen by reading back, and by a probe.
    session.change_card("Through the filters", driver=session.card.driver | {"way_in": PDF})
    session.handoff.bring()
    device, profile = session.device, session.handoff.profile_path(session.card.profile)
    assert session.handoff.probe().passes
    if served.has_colour_daemon:
        device.system.assign(profile)
        session.refresh()
        assert (session.chain.knots, "two-conversions" in codes(session)) == (("Fidele", "system"), True)
        found = session.handoff.probe()
        assert session.chain.layer("system").evidence is Evidence.PROBED
        # What the filters made of the numbers is what LittleCMS makes of them, in double precision.
        sent = nodes()
        wanted = littlecms(sent, srgb(), Profile.open(profile), Intent.RELATIVE, True)
        assert np.abs(found.table.reshape(-1, 3) - wanted).mean() * 255 < 1.2
        (two,) = [f for f in session.findings if f.code == "two-conversions"]
        session.act(two.action)
        assert device.system.assigned() == (None, None)
    assert (session.chain.headline, session.chain.twists, session.stops) == ("Converted once", 1, ())
    # Printed, and what arrives is what was converted: to the code, to the pixel, mirrored as the card says.
    session.open_chart("control")
    confirm_all(session)
    run = session.print_job(session.job())
    page, arrived = prepare_page(run.job, session.device), served.arrived("wren")
    y, x = (round(arrived.margins[edge] / 72 * arrived.ppi[0]) for edge in (3, 0))
    height, width = arrived.pixels.shape[:2]

    assert np.array_equal(arrived.pixels, page[y : y + height, x : x + width])
    assert (run.receipt["queue"], run.receipt["differs"]) == ("wren", [])
    assert session.logbook.run(run.number).state == "printed"
    # Pressed, and scanned through SANE, which had brightness, contrast and gamma left over from somebody else.
    run = session.press_run(run)
    scan = session.devices.scanner.scan(run.piece, run.number)
    eight = (scan.pixels >> 8).astype(np.uint8)
    if program() is not None:
        seen = scanned_by_sane(eight, tmp_path, monkeypatch)
        assert np.array_equal(seen.pixels, eight)
        eight = seen.pixels
    checked = session.checking.check_run(run, eight, scan.ppi)
    assert (checked.comparison.verdict, checked.cause.code) == ("pass", "right")
    assert checked.comparison.mean < 0.5


def on_the_glass(pixels, tmp_path, monkeypatch) -> str:
    """Lay a picture on the glass of SANE's own test scanner; return its file."""

    config = tmp_path / "sane"
    config.mkdir()
    (config / "dll.conf").write_text("test\npnm\n")
    monkeypatch.setenv("SANE_CONFIG_DIR", str(config))
    Image.fromarray(pixels).save(tmp_path / "glass.ppm")
    return str(tmp_path / "glass.ppm")


def scanned_by_sane(pixels, tmp_path, monkeypatch):
    file = on_the_glass(pixels, tmp_path, monkeypatch)
    assert {s.device for s in scanners()} >= {"pnm:0", "test:0"}
    left_over = {"filename": file, "brightness": "40", "contrast": "-30", "custom-gamma": "yes"}
    scanner = SaneScanner("pnm:0", "a scanner", left_over)
    rested = scanner.at_rest()
    assert {n: rested.options[n] for n in ("brightness", "contrast", "custom-gamma")} == {
        "brightness": "0",
        "contrast": "0",
        "custom-gamma": "no",
    }
    assert rested.cautions == ()
    return scanner.scanned(rested)


@needs_service
@pytest.mark.skipif(program() is None, reason="sane-utils is not installed")
def test_a_print_out_of_reach_is_pressed_and_scanned_by_hand(session, served, tmp_path, qtbot, monkeypatch):
    """As on anybody's machine: nothing of the print is within reach, and the scanner is the machine's own."""
    from fidele.desk.application import open_window
    from fidele.devices.cups.queues import queues
    from fidele.devices.devices import Devices
    from tests.hands import click, go, settle

    scanner = AnyScanner()
    devices = queues(session.places.data / "printers").joined(Devices(scanner=scanner))
    window = open_window(session.places, devices)
    qtbot.addWidget(window)
    window.show()
    session = window.session
    condition(session, "wren")
    confirm_all(session)
    session.open_chart("control")
    run = session.print_job(session.job())
    assert run.sheet is None
    session.take_run(session.press_run(run))
    sheet = served.sheet("wren", int(run.receipt["job"]))
    bench = Bench(served_folder(served))
    scan = bench.scanner.scan(bench.press.press(sheet, "ceramic tile", session.card.press), 5)
    file = on_the_glass((scan.pixels >> 8).astype(np.uint8), tmp_path, monkeypatch)
    scanner._found = SaneScanner("pnm:0", "a scanner", {"filename": file, "resolution": "150"})
    go(window, "Check")
    click(window.desk, "Scan and read")
    settle(window, qtbot)
    checked = session.checked
    assert (checked.comparison.verdict, checked.reading.code.run) == ("pass", run.number)
    # The glass is looked at coarsely, and a part of it scanned.
    seen = scanner.preview()
    dialog = ScanArea(seen, window)
    glass = dialog.glass
    assert abs(glass.width() / glass.height() - seen.pixels.shape[1] / seen.pixels.shape[0]) < 0.01
    QTest.mousePress(glass, Qt.MouseButton.LeftButton, pos=QPoint(60, 90))
    QTest.mouseMove(glass, QPoint(260, 330))
    QTest.mouseRelease(glass, Qt.MouseButton.LeftButton, pos=QPoint(260, 330))
    part = glass.area()
    to_glass = glass.height() * seen.ppi / 25.4 / seen.pixels.shape[0]
    assert np.allclose(np.array(part) * to_glass, (60, 90, 201, 241), atol=1.5)
    window.desk.scanner.scan_part(None)
    settle(window, qtbot)
    assert session.checked is not checked
    checked = session.checked
    assert (checked.comparison.verdict, checked.reading.code.run) == ("pass", run.number)
    # Numbers that an instrument's program shows in a table are copied and pasted.
    QGuiApplication.clipboard().setText(pasted(checked))
    window.incoming.take_data(QGuiApplication.clipboard().mimeData())
    settle(window, qtbot)
    assert session.checked.measured.conditions.instrument != checked.measured.conditions.instrument
    assert abs(session.checked.comparison.mean - checked.comparison.mean) < 0.02
    checked = session.checked
    # A scanning program of one's own writes into a folder: what arrives there is read.
    folder = tmp_path / "scans"
    folder.mkdir()
    session.measured.watch(folder)
    save_picture(folder / "piece.tif", scan.pixels, None, 150)
    for _ in range(2):  # seen, and not growing any more
        session.follow.take(session.follow.look(session.state))
    assert [p.name for p in session.follow.measured] == ["piece.tif"]
    window._seen()
    settle(window, qtbot)
    assert session.checked is not checked
    assert session.checked.comparison.verdict == "pass"


def pasted(checked) -> str:
    """Return a check's measurements as a spreadsheet of another country has them."""
    rows = zip(checked.measured.ids, checked.measured.Lab, strict=True)
    lines = [f"{i}\t" + "\t".join(f"{v:.3f}".replace(".", ",") for v in Lab) for i, Lab in rows]
    return "\n".join(["SAMPLE_ID\tLAB_L\tLAB_A\tLAB_B", *lines])


@needs_service
def test_rolls_own_sizes_and_ways_in(session, served):
    """A roll is cut behind what lies on it, a sheet of one's own comes true, each way in has its margins."""
    longship, alone = (session.devices.find(f"queue/{name}") for name in ("longship", DRIVERLESS))
    assert longship.sizes()[-3:] == ("Roll 610 mm", "Roll 406 mm", "Roll 203 mm")
    assert (longship.own_size(300, 800), longship.own_size(800, 300)) == ("300 x 800 mm", "")
    for size, height in (("Roll 203 mm", 333.0), ("203 x 450 mm", 450.0)):
        media = longship.media(size)
        assert media.roll == size.startswith("Roll")
        card = longship.starter_card().model_copy(update={"size": size})
        ppi = longship.format.ppi
        page = np.full((round(height / 25.4 * ppi), round(media.width / 25.4 * ppi), 3), 255, np.uint8)
        page[60:460, 80:700] = (10, 200, 90)
        for way in longship.every_choice(WAY):
            longship.sending(longship.settings_for(card) | {WAY: way}).print_page(page)
            came = served.arrived("longship")
            ys, xs = np.nonzero((came.pixels != 255).any(axis=2))
            left = round(media.margins[0] / 25.4 * ppi)
            assert (ys.min(), ys.max(), xs.min() + left, xs.max() + left) == (60, 459, 80, 699), (size, way)
            assert abs(came.points[1] / 72 * 25.4 - height) < 0.4  # whole points
    alone.ask_beyond()
    offered = {c.name: c.offered for c in alone.choices()}
    assert offered["Media Source"] == ("Main", "Rear")
    assert [alone.media("A4", feed).margins for feed in ("Main", "Rear")] == [(3, 3, 3, 3), (3, 5, 3, 20)]
    # What it excludes itself: stiff rag goes in at the back only.
    for feed, count in (("Main", 3), ("Rear", 4)):
        alone.choose("Media Source", feed)
        assert len(next(c.offered for c in alone.choices() if c.name == "Media Type")) == count
    # Bytes that are no answer are refused, and the queue goes on as it is.
    for junk in (b"", b"\0" * 40, bytes(range(256))):
        with pytest.raises(FideleError):
            read_answer(junk)


@needs_service
def test_a_job_is_held_at_the_service_and_let_go(session, served, qtbot):
    """Its state stands in the queue of the print desk, in words, and its button holds it where it is."""
    from fidele.desk.application import open_window
    from tests.hands import click, comes, go, settle

    window = open_window(session.places, session.devices)
    qtbot.addWidget(window)
    window.show()
    session = window.session
    condition(session, "wren")
    confirm_all(session)
    session.open_chart("control")
    ask = session.device._service.ask
    ask(lambda c: c.addPrinterOptionDefault("wren", "job-hold-until", "indefinite"))
    try:
        go(window, "Print")
        desk = window.desk
        click(desk, "Print")
        assert comes(lambda: desk.printing.followed is not None and desk.printing.followed.held)
        assert comes(lambda: any("held" in desk.queue.item(k).text() for k in range(desk.queue.count())))
        desk.queue.setCurrentRow(1)
        click(desk, "Go on")
        settle(window, qtbot)
    finally:
        ask(lambda c: c.deletePrinterOptionDefault("wren", "job-hold-until"))
    assert session.logbook.runs()[0].state == "printed"


@needs_service
def test_a_driverless_queue_goes_the_whole_way(session, served):
    condition(session, DRIVERLESS)
    session.change_card("A4", size="A4")
    session.handoff.bring()
    confirm_all(session)
    assert session.chain.headline == "Converted once"
    assert [f.code for f in session.stops] == ["profile-does-not-fit"]  # the demo's is another printer's
    session.open_chart("control")
    for way in session.device.every_choice(WAY):
        session.change_card("Another way", driver=session.card.driver | {"way_in": way})
        session.handoff.bring()
        assert session.handoff.probe().passes
        run = session.print_job(session.job(), overridden="numbers are compared")
        page = prepare_page(run.job, session.device)
        arrived = served.arrived(DRIVERLESS).pixels
        # The filters lay the page on whole points: a pixel's part of a shift, and no number of its own.
        ways = [np.roll(arrived, (y, x), (0, 1)) for y in (-1, 0, 1) for x in (-1, 0, 1)]
        same = max((one[4:-4, 4:-4] == page[4:-4, 4:-4]).mean() for one in ways)
        assert same == 1 if way != PDF else same > 0.97, (way, same)


@needs_service
def test_the_print_systems_profile_is_the_medias(session, served):
    """Each media's own profile is chosen for it; what is to pass is left none that could be chosen."""
    if not served.has_colour_daemon:
        pytest.skip("there is no colour daemon to be started here")
    device, card = session.devices.find(f"queue/{DRIVERLESS}"), session.cards.find("house-number-tiles")
    icc = session.handoff.profile_path(card.profile)
    second = icc.with_name("another.icc")
    second.write_bytes(srgb().data)
    second.chmod(0o644)
    (option,) = [c for c in device.choices() if c.meaning == "stand_in"]
    device.choose(WAY, PDF)
    wanted = dict(zip(option.offered[:2], (icc, second), strict=True))
    for media, path in wanted.items():
        device.choose(option.name, media)
        device.system.assign(path)
    for media, path in wanted.items():
        device.choose(option.name, media)
        assert device.system.assigned()[1] == path
    device.system.assign(None)
    assert device.system.assigned()[1] is None


@needs_service
@settings(max_examples=8, deadline=None, phases=[Phase.explicit, Phase.reuse, Phase.generate])
@given(st.sampled_from(["queue/wren", "queue/gannet"]), st.booleans(), st.integers(0, 2**32))
def test_what_arrives_is_what_the_thread_says(served, demo, queue, assigned, seed):
    """Random options, ways and assignments: knots, twists and stretches measured from the raster, and the thread's."""
    folder = served_folder(served)
    icc = folder / "assigned.icc"
    icc.write_bytes(next((demo.data / "icc").glob("*.icc")).read_bytes())
    icc.chmod(0o644)
    devices = served_devices(served, folder, folder / "property")
    device, rng = devices.find(queue), np.random.default_rng(seed)
    device.reset()
    for name in [c.name for c in device.choices() if c.meaning != "size"]:
        offered = next(c.offered for c in device.choices() if c.name == name)
        device.choose(name, str(rng.choice(offered)))
    assign = assigned and served.has_colour_daemon
    device.system.assign(icc if assign else None)
    card = device.starter_card()
    media = device.media(card.size)
    found = probe(device, media, datetime.datetime.now())
    (filters, _) = device.layers(card, found)
    (read_back, _) = device.layers(card, None)
    shape = (round(side / 25.4 * device.format.ppi) for side in (media.height, media.width))
    page, lattice = np.full((*shape, 3), 255, np.uint8), lattice_page()
    page[200 : 200 + lattice.shape[0], 300 : 300 + lattice.shape[1]] = lattice
    if device.format.bits == 16:
        page = page.astype(np.uint16) * 257
    try:
        device.print_page(page)
        pixels = served.arrived(device.queue).pixels
        eight = (pixels >> 8).astype(np.uint8) if pixels.dtype == np.uint16 else pixels
        came = read_lattice(eight, (), datetime.datetime.now())
    finally:
        device.system.assign(None)
    assert (not came.passes, came.mirrored, came.turned) == (filters.converts, filters.mirrors, filters.turned)
    assert abs(came.scale - filters.scale) < 0.004
    assert read_back.converts == filters.converts == (assign and device._controls.way == PDF)
    # A probe is a page of 8 bits; one of 16 is rounded at another place.
    assert np.abs(came.table - found.table).max() * 255 <= (2.01 if device.format.bits == 16 else 0)


@needs_service
def test_ink_tells_which_choice_leaves_the_numbers_alone(session, served, tmp_path):
    """Two charts under two choices of a driver, printed, pressed and scanned; kept, and exported to a colleague."""
    device = session.devices.find("queue/wren")
    assert device.learned.meanings["colour"].how == "guess"
    choices, files = ("Velm natural", "Untouched"), []
    for choice in choices:
        number = learning.order_chart(session.queue, device, "Blend", choice)
        job = json.loads(session.logbook.run(number).receipt)["job"]
        piece = session.devices.press.press(served.sheet("wren", job), "ceramic tile", session.card.press)
        files.append(tmp_path / f"{choice}.tif")
        save_picture(files[-1], session.devices.scanner.scan(piece, number).pixels, None, 150)
    shown = learning.read_pair(session.devices, device, "Blend", choices, tuple(files), pressed=True)
    assert (shown.told.first, shown.told.proved) == (False, True), shown
    assert (device.learned.meanings["colour"].how, device.learned.passes) == ("ink", "Untouched")
    # What the driver's own correction does is known from them from now on: within what the driver really does.
    known = session.corrections.of(device)
    bench = Bench(served_folder(served)).printer_of("velm-wren/W-0417")
    real = probe_correction(bench, datetime.datetime.now())
    grid = np.random.default_rng(1).random((500, 3))
    assert np.abs(known(grid) - grid).mean() * 255 > 6
    assert np.abs(known(grid) - real(grid)).mean() < 0.35 * np.abs(real(grid) - grid).mean()
    # The same prints prove that nothing behind the last raster mirrors or scales.
    assert (shown.mirrors, [round(s, 2) for s in shown.scales]) == ((False, False), [1.0, 1.0])
    assert device.learned.alone == {"driver_mirroring": "ink", "driver_size": "ink"}
    assert [r.meaning for r in device.rows(session.card) if r.evidence is Evidence.NOT_KNOWN] == []
    alike = learning.read_pair(session.devices, device, "Blend", choices, (files[0], files[0]), True)
    assert alike.told.first is None
    # A print that lies mirrored: that choice mirrors, whatever it is called.
    with Image.open(files[1]) as seen:
        seen.transpose(Image.Transpose.FLIP_LEFT_RIGHT).save(tmp_path / "mirrored.tif", dpi=(150, 150))
    polish = learning.options_of(device)["Polish"]
    two = (files[1], tmp_path / "mirrored.tif")
    shown = learning.read_pair(session.devices, device, "Polish", polish, two, True)
    assert f"“{polish[1]}” mirrors." in shown.said(*polish)
    mirroring = device.learned.meanings["mirroring"]
    assert (mirroring.options, mirroring.rest, mirroring.how) == (("Polish",), polish[0], "ink")
    # A colleague takes it in: it is theirs to confirm, and no proof there.
    out = tmp_path / "words.json"
    out.write_text(device.learned.model_dump_json())
    theirs = served_devices(served, served_folder(served), tmp_path / "theirs")
    theirs.learned.take_in(out)
    assert theirs.find("queue/wren").learned.meanings["colour"].how == "hand"
    (tmp_path / "junk.json").write_text("[]")
    with pytest.raises(FideleError, match="holds no words"):
        theirs.learned.take_in(tmp_path / "junk.json")


def test_strangers_drivers_are_told_by_ink():
    """The sealed ones are in docs/truth.md; of the open ones as many are named, and none wrongly when it is sure."""
    from tests.street import seal
    from tests.street.kinds import made
    from tests.street.proving import judged, more_ink

    found = [judged(made(*one)) for one in seal.open_seeds("ink proves")]
    assert sum(f["named"] == 1 for f in found) / len(found) >= 0.95
    assert all(f["named"] == 1 for f in found if f["sure"] > 0.9)
    # A choice that only lays down more ink is no conversion, and neither is taken for the other.
    for at, which in enumerate(seal.open_seeds("ink proves")[::4]):
        heavier, first = more_ink(made(*which), 1.12 + 0.2 * (at % 5) / 5)
        assert heavier.first is None
        assert (heavier.ink > 1) == first, (which, heavier)


@needs_service
def test_printers_from_a_shell(served, tmp_path, demo, monkeypatch):
    monkeypatch.setenv("HOME", str(tmp_path))
    for name in ("XDG_DATA_HOME", "XDG_STATE_HOME", "XDG_CONFIG_HOME"):
        monkeypatch.setenv(name, str(tmp_path / name))

    def run(*arguments: str) -> tuple[int, str]:
        done = CliRunner().invoke(cli, list(arguments))
        assert not isinstance(done.exception, Exception) or isinstance(done.exception, FideleError), done.exception
        return done.exit_code, done.stdout or f"{done.output} {done.exception}"

    rows = json.loads(run("printer", "list", "--json")[1])
    assert {r["kind"] for r in rows} == {"queue", "driverless"}
    assert all({"id", "name", "kind", "state"} == r.keys() for r in rows)
    shown = json.loads(run("printer", "show", "wren", "--json")[1])
    assert shown["options"]["Blend"]["value"] == "Velm natural"
    assert shown["sheets"]["A4"][:2] == [210.0, 297.0]
    status, said = run("printer", "probe", "wren", "--json")
    assert {k: json.loads(said)[k] for k in ("converts", "scale", "mirrored")} == dict.fromkeys(
        ("converts", "scale", "mirrored")
    )
    profile, picture = str(next((demo.data / "icc").glob("*.icc"))), tmp_path / "stripes.png"
    pixels = np.tile(np.arange(240, dtype=np.uint8)[None, :, None], (120, 1, 3))
    save_picture(picture, pixels, srgb(), 100)
    line = ("print", str(picture), "--printer", "wren", "--profile", profile, "--mirror")
    status, said = run(*line)
    assert (status, "what it does to colour is not known" in said) == (1, True)
    learn = ("--leaves-alone", "Blend=Untouched", "--corrects", "Velm natural", "--true-size", "--not-mirrored")
    assert run("printer", "learn", "wren", *learn)[0] == 0
    status, said = run("printer", "probe", "wren", "--json")
    assert (status, json.loads(said)["converts"]) == (1, True)  # as it is set now, the driver converts
    assert run(*line)[0] == 0
    arrived = served.arrived("wren").pixels
    printed = np.flatnonzero((arrived != 255).any(axis=(0, 2)))
    ppi = served.arrived("wren").ppi[0]
    assert abs((printed[-1] - printed[0] + 1) / ppi * 25.4 - 61.0) < 0.3  # true size, whatever the driver was set to
    assert (
        arrived[arrived.shape[0] // 2, printed[0] + 5].mean() > arrived[arrived.shape[0] // 2, printed[-1] - 5].mean()
    )
    assert run(*line[:-3], "--profile", str(picture))[0] != 0
    assert run("printer", "probe", "nobody")[0] != 0


@needs_service
def test_a_service_that_fails_costs_a_sentence(tmp_path, monkeypatch):
    """Killed in the middle of a job, gone, silent, or with a driver that is cut off: nothing hangs, nothing is lost."""
    folder = Path(tempfile.mkdtemp(prefix="fidele-test-", dir="/var/tmp"))
    running = served_bench(folder / "bench")
    running.start()
    for name, value in running.environment.items():
        monkeypatch.setenv(name, value)
    devices = served_devices(running, folder / "bench", tmp_path / "mine")
    device = devices.find("queue/wren")
    page = np.full((1754, 1240, 3), 255, np.uint8)
    calls = []

    def killed(_share: float) -> bool:
        calls.append(1)
        if len(calls) == 2:
            running.server.kill()
        return True

    with pytest.raises(FideleError, match=r"cannot be reached|went away"):
        device.print_page(page, killed)
    began = time.monotonic()
    assert devices.look_again()
    assert (devices.printers, "cannot be reached" in devices.missing()) == ((), True)
    assert (device.media("A4").width, device.sizes) is not None  # laying out goes on by what was known
    running.stop()
    # A port that takes connections and never answers.
    import socket

    with socket.socket() as silent:
        silent.bind(("127.0.0.1", 0))
        silent.listen()
        monkeypatch.setenv("CUPS_SERVER", f"127.0.0.1:{silent.getsockname()[1]}")
        again = served_devices(running, folder / "bench", tmp_path / "mine")
        assert again.printers == ()
    assert time.monotonic() - began < 30
    shutil.rmtree(folder, ignore_errors=True)


def test_drivers_descriptions_from_anywhere(tmp_path):
    from fidele.bench import wren
    from fidele.bench.service.ppd import ppd_of

    whole = ppd_of(wren.MODEL)
    path = tmp_path / "d.ppd"
    path.write_text(whole)
    assert len(read_ppd(path).sheets) == 2
    for data in (
        whole[:900].encode(),
        b"\0\1\2" * 4000,
        b"",
        b'*PPD-Adobe: "4.3"\n' + b"*x" * 300_000,
        b" " * (13 << 20),
    ):
        path.write_bytes(data)
        with pytest.raises(FideleError, match="description"):
            read_ppd(path)


# As bytes -----------------------------------------------------------------------------------------------------------


@settings(max_examples=25, deadline=None)
@given(
    st.integers(1, 9), st.integers(1, 300), st.sampled_from([np.uint8, np.uint16]), st.booleans(), st.integers(0, 2**32)
)
def test_rasters_come_back_as_they_went(rows, width, depth, pwg, seed):
    rng = np.random.default_rng(seed)
    pixels = rng.integers(0, 3, (rows, width, 3)).repeat(2, axis=0).astype(depth) * 77
    page = RasterPage(pixels, (300, 300), RGB, (100.0, 50.0), words={"type": "rag"})
    data = b"".join(raster_parts(page, pwg))
    (back,) = read_raster(io.BytesIO(data))
    assert np.array_equal(back.pixels, pixels)
    assert (back.ppi, back.words["type"]) == ((300, 300), "rag")
    with pytest.raises(FideleError):
        list(read_raster(io.BytesIO(data[: int(len(data) * rng.uniform(0.01, 0.99))])))


def test_a_raster_that_lies_about_its_size_is_refused():
    page = RasterPage(np.zeros((4, 4, 3), np.uint8), (300, 300), RGB, (10.0, 10.0))
    data = bytearray(b"".join(raster_parts(page)))
    for at, value in ((4 + 372, 1 << 30), (4 + 376, 1 << 31), (4 + 384, 3), (4 + 392, 5), (0, 0)):
        bad = bytearray(data)
        bad[at : at + 4] = value.to_bytes(4, "little")
        with pytest.raises(FideleError):
            list(read_raster(io.BytesIO(bytes(bad))))


def test_rasters_agree_with_the_print_systems_own_reader(tmp_path):
    """`rastertopdf` of the filters reads what is written here; poppler draws its page."""
    import subprocess

    filters = Path("/usr/lib/cups/filter/rastertopdf")
    if not filters.exists() or shutil.which("pdftoppm") is None:
        pytest.skip("cups-filters is not installed")
    across, down = np.meshgrid(np.linspace(0, 255, 90), np.linspace(0, 255, 60))
    pixels = np.stack([across, down, 255 - across], axis=-1).astype(np.uint8)
    size = (90 / 300 * 72, 60 / 300 * 72)
    (tmp_path / "page.pwg").write_bytes(b"".join(raster_parts(RasterPage(pixels, (300, 300), 19, size), True)))
    done = subprocess.run(
        [filters, "1", "me", "page", "1", "", str(tmp_path / "page.pwg")],
        capture_output=True,
        env={"PATH": "/usr/bin:/bin", "CONTENT_TYPE": "image/pwg-raster"},
        check=True,
    )
    (tmp_path / "page.pdf").write_bytes(done.stdout)
    subprocess.run(["pdftoppm", "-r", "300", str(tmp_path / "page.pdf"), str(tmp_path / "drawn")], check=True)

    drawn = np.asarray(Image.open(next(tmp_path.glob("drawn*.ppm"))))
    assert np.abs(drawn[:60, :90].astype(int) - pixels).max() < 8  # it packs pictures with losses


@settings(max_examples=60, deadline=None)
@given(st.binary(max_size=400))
def test_messages_from_anywhere_are_read_or_refused(data):
    size = {"x-dimension": one(INTEGER, 21000)}
    media = Typed(COLLECTION, ({"media-size": Typed(COLLECTION, (size,)), "media-type": one(KEYWORD, "rag")},) * 2)
    sent = Message(0x0B, 7, [(PRINTER, {"media-col-database": media, "copies": one(INTEGER, 1, 2)})])
    back, end = decode(sent.encode() + b"document")
    assert (back, end) == (sent, len(sent.encode()))
    try:
        decode(data)
    except FideleError:
        return


# Printers that cannot be reached ----------------------------------------------------------------------------------


def test_a_described_printer_by_finished_file(demo, tmp_path, qtbot, monkeypatch):
    """Described on the desk, a condition made, a file written as a run with its sheet, printed and pressed elsewhere,
    a scan dropped back: it finds its run and passes."""
    from PySide6.QtWidgets import QFileDialog

    from fidele.desk.application import open_window
    from tests.hands import click, go, settle

    shutil.copytree(demo.data, tmp_path / "w")
    window = open_window(Places.under(tmp_path / "w"))
    qtbot.addWidget(window)
    window.show()
    session, desk = window.session, window.desks.printers
    go(window, "Printers")
    click(desk, "Describe a printer …")
    click(desk.form, "Keep it")
    assert "Give it a name" in desk.form.wrong.text()
    desk.form.name.setText("Mug press at the harbour")
    desk.form.program.setText("Harbour Draw")
    desk.form.ppi.setText("150")
    desk.form.words["stand_in"].setText("Carrier › thick, thin")
    desk.form.sheets.setText("A4 210 x")
    click(desk.form, "Keep it")
    assert "is no sheet" in desk.form.wrong.text()
    desk.form.sheets.setText("A4 210 x 297; tall 8,27 x 1000.5 in; mug 203,5 x 92 mm")
    click(desk.form, "Keep it")
    assert "is no sheet" in desk.form.wrong.text()  # a thousand inches are
    desk.form.sheets.setText("A4 210 x 297; tall 8,27 x 40.5 in; mug 203,5 x 92")
    click(desk.form, "Keep it")
    (device,) = [p for p in session.devices.printers if p.id.startswith("described/")]
    assert (device.media("A4").width, device.stand_ins()[0].name) == (210.0, "thick")
    assert [round(device.media(name).width, 2) for name in ("tall", "mug")] == [210.06, 203.5]
    desk.show_printer(device.id)
    click(desk, "Start a condition")
    session.change_card(
        "As the tiles", profile=session.cards.find("house-number-tiles").profile, owner="fidele", media="Fen 100"
    )
    session.handoff.confirm_program()
    confirm_all(session)
    assert (session.chain.headline, session.chain.twists) == ("Converted once", 1)
    session.open_chart("control")
    out = tmp_path / "chart.png"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(out), ""))
    window.incoming.write_finished()
    settle(window, qtbot)
    run = session.run
    assert (run.elsewhere, run.file) == (True, out)
    words = text_of_pdf(tmp_path / "chart, how to print it.pdf")
    for said in ("Harbour Draw", "Carrier", "thick", "200 °C", f"run {run.number}"):
        assert said in words, (said, words)
    click(window.desks.print, "I printed it")
    assert "printed by hand" in json.loads(session.logbook.run(run.number).receipt)
    # Elsewhere: the file's numbers go on paper as they are, and are pressed.
    from fidele.artwork.open import open_artwork

    bench = Bench(tmp_path / "w" / "bench")
    wren = bench.printers[0]
    settings = wren.settings() | {
        "Stock": "Dull heavy",
        "Passes": 3,
        "Carriage": "there",
        "Polish": "off",
        "Blend": "Untouched",
        "Fit": "as it is",
    }
    sheet = wren.sending(settings).print_page(open_artwork(out).pixels).sheet
    scan = bench.scanner.scan(bench.press.press(sheet, "ceramic tile", session.card.press), 9)
    session.press_run(run)  # "I pressed it", as the card says
    checked = session.checking.check_run(run, scan.pixels, scan.ppi)
    assert (checked.comparison.verdict, checked.reading.code.run) == ("pass", run.number)


def text_of_pdf(path: Path) -> str:
    import pypdfium2

    document = pypdfium2.PdfDocument(path)
    assert len(document) == 1
    return " ".join(document[0].get_textpage().get_text_range().split())


@needs_service
def test_a_fresh_user_is_offered_this_machines_printers_and_nothing_invented(served, tmp_path, qtbot):
    from PySide6.QtCore import QSettings
    from PySide6.QtWidgets import QLabel, QPushButton

    from fidele.desk.window import Window
    from tests.hands import go

    def words(window) -> str:
        shown = [w for kind in (QLabel, QPushButton) for w in window.findChildren(kind) if w.isVisibleTo(window)]
        return " ".join(w.text() for w in shown)

    def opened(root: Path) -> Window:
        kept = QSettings(str(root / "window.ini"), QSettings.Format.IniFormat)
        window = Window(Session(Places(root / "data", root / "icc", (), root / "data/bench", root / "state")), kept)
        qtbot.addWidget(window)
        window.show()
        return window

    window = opened(tmp_path / "with")
    assert "4 printers are here" in words(window)
    assert {p.kind_words for p in window.session.devices.printers} == {"queue", "driverless"}
    go(window, "New condition")
    assert "The bench" not in words(window)
    # None at all: what is missing is said, no stand-in is offered, and no desk fails.
    before = os.environ["CUPS_SERVER"]
    os.environ["CUPS_SERVER"] = "127.0.0.1:9"
    try:
        bare = opened(tmp_path / "without")
        assert "cannot be reached" in words(bare)
        for station in bare.desks:
            go(bare, station)
        assert not any(name in words(bare) for name in ("Velm", "Orrin", "Skarn"))
    finally:
        os.environ["CUPS_SERVER"] = before


def test_every_desk_opens_while_the_conditions_printer_is_away(demo, tmp_path, qtbot):
    from fidele.desk.application import open_window
    from fidele.devices.devices import Devices
    from tests.hands import go

    shutil.copytree(demo.data, tmp_path / "w")
    window = open_window(Places.under(tmp_path / "w"), Devices())
    qtbot.addWidget(window)
    window.show()
    assert window.session.card is not None
    for station in window.desks:
        go(window, station)
    assert "printer-away" in codes(window.session) or not window.session.state.route.here
