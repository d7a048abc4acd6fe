"""The house: one thread owns the state, a device is one file, and nothing from outside stays unseen."""

from __future__ import annotations

import dataclasses
import gc
import json
import logging
import os
import threading
import time
import weakref
import zipfile

import numpy as np
import pytest
from PySide6.QtCore import QLocale, Qt

from fidele.artwork.save import save_picture
from fidele.bench.printer import Machine
from fidele.dataclass import dataclass as quick
from fidele.demo.prepare import PROFILE_TITLE
from fidele.devices import registry
from fidele.errors import FideleError
from fidele.icc.spaces import srgb
from fidele.judge.finding import Action, Deed
from fidele.judge.table import TABLE
from fidele.run import kept
from fidele.session.actions import IN_THE_WINDOW
from fidele.session.live import WrongThreadError
from fidele.session.news import LogChanged
from fidele.session.places import Places
from fidele.session.report import write_report
from fidele.session.state import WhiteChosen
from fidele.store.logbook import Logbook
from tests import guard
from tests.hands import choose, click, comes, drop, go, keys, look, machine_of, pause, settle, take
from tests.plover import plover


def picture(path, width=240, height=160, ppi=60):
    across = np.linspace(0, 255, width).astype(np.uint8)
    across = np.broadcast_to(across, (height, width))
    pixels = np.dstack([across, np.full_like(across, 120), across[:, ::-1]])
    save_picture(path, np.ascontiguousarray(pixels), srgb(), ppi)
    return path


# One thread ------------------------------------------------------------------------------------------------------


def beside(call):
    """Call something on a thread of its own; return what it raised."""
    raised = []

    def run():
        try:
            call()
        except BaseException as error:
            raised.append(error)

    thread = threading.Thread(target=run)
    thread.start()
    thread.join()
    return raised


@pytest.mark.skipif("FIDELE_EVENTS" in os.environ, reason="the guard is off while events are measured")
def test_the_state_is_changed_on_one_thread_and_news_waits_for_it(session):
    heard = []
    session.listen(lambda news: heard.append((news, threading.get_ident())))
    (error,) = beside(lambda: session.live.change(WhiteChosen(True)))
    assert isinstance(error, WrongThreadError)
    assert guard.offences.pop().startswith("Live.change")
    woken = []
    session.live.wake = lambda: woken.append(True)
    assert beside(lambda: session.live.tell(LogChanged())) == []
    assert (heard, woken) == ([], [True])
    session.live.deliver()
    assert heard == [(LogChanged(), threading.get_ident())]
    with pytest.raises(dataclasses.FrozenInstanceError):
        session.state.card = None


@pytest.mark.skipif("FIDELE_EVENTS" in os.environ, reason="the guard is off while events are measured")
def test_the_guard_sees_a_widget_of_another_thread(window):
    beside(lambda: window.foot.said.setText("from elsewhere"))
    assert guard.offences.pop().startswith("QLabel.setText")


def test_the_whole_story_on_one_thread_with_the_driver_changed_meanwhile(window, places, qtbot, monkeypatch, tmp_path):
    """Drop, proof, sheet, print, press, check, mend, print again; the driver is changed elsewhere during a print."""
    session = window.session
    window.act(Action(Deed.DRIVER_PASS))
    window.act(Action(Deed.CONFIRM, "ink_saving"))
    drop(window, picture(tmp_path / "tile.png"))
    for station in ("Proof", "Sheet", "Hand-off", "Print"):
        go(window, station)
        settle(window, qtbot)
    # A print that takes its time: while it is under way, somebody else brings the maker's colours back.
    begun, go_on, prints = threading.Event(), threading.Event(), Machine.print_page

    def slowly(machine, page, progress=None):
        begun.set()
        assert go_on.wait(30)
        return prints(machine, page, progress)

    monkeypatch.setattr(Machine, "print_page", slowly)
    click(window.desk, "Print")
    assert comes(begun.is_set)
    machine_of(session, session.card.printer).driver.change("Blend", "Velm natural")
    assert comes(lambda: session.chain.knots == ("Fidele", "driver"))
    assert window.work.busy  # seen while the print goes on
    look()
    assert window.thread_view.state.headline == "Converted twice"
    go_on.set()
    settle(window, qtbot)
    assert session.run is not None
    # The chart fails, its cause is named, mended at a press, and it is printed again as it was.
    session.open_chart("quick")
    go(window, "Print")
    window.desks.print.reason.setText("to see what it does")
    for desk, words in (("Print", "Print all the same"), ("Press", "Done already"), ("Check", "Scan and read")):
        go(window, desk)
        click(window.desk, words)
        settle(window, qtbot)
    (cause,) = [f for f in session.findings if f.code == "cause-converted-twice"]
    window.act(cause.action)
    assert session.chain.knots == ("Fidele",)
    keys(window, Qt.Key.Key_F11)
    window.desk.choose(1)
    click(window.desk, "Print again")
    settle(window, qtbot)
    assert session.run.number > 2
    assert session.logbook.run(session.run.number).state == "printed"


# A device of another kind ------------------------------------------------------------------------------------------


def test_a_printer_of_another_kind_works_on_every_desk(places, qtbot, monkeypatch, tmp_path):
    monkeypatch.setitem(registry.KINDS, "plover", plover)
    monkeypatch.setattr(Places, "devices", property(lambda places: {"bench": places.bench, "plover": places.bench}))
    from fidele.desk.application import open_window

    window = open_window(places)
    qtbot.addWidget(window)
    window.show()
    session = window.session
    device = session.devices.find("plover/1")
    # A condition for it, made a question at a time; then with the profile that is there.
    (media,) = [m for m in session.making.media(_draft()) if m == "Fen 100"]
    session.making.make(_draft(media=media, name="Plover tiles"))
    session.profiles.use(next(e.id for e in session.shelf.known() if e.title == PROFILE_TITLE))
    session.handoff.bring()
    assert device.settings()["colour-handling"] == "device"
    assert session.chain.knots == ("Fidele",)
    assert [r.meaning for r in session.rows if r.agrees is False] == []
    take(window, picture(tmp_path / "tile.png"))
    for name in window.desks:
        go(window, name)
        settle(window, qtbot)
        assert window.desk.facts() is not None
    # Its options stand in the table, and are changed there; what it cannot do is said.
    go(window, "Hand-off")
    settle(window, qtbot)
    boxes = {b.accessibleName(): b for b in window.desk.table.findChildren(type(window.desk.profile))}
    choose(boxes["print-quality in the driver"], "draft")
    assert "wrong-quality" in {f.code for f in session.findings}
    session.undo()
    window.act(Action(Deed.PROBE))
    assert "cannot be probed" in session.said
    # The chart goes out in its own format, is pressed by hand, and a scan of it is judged.
    session.open_chart("quick")
    go(window, "Print")
    assert [f.code for f in session.stops] == ["profile-does-not-fit"]  # it was made for the Wren
    window.desks.print.reason.setText("to have something to print through")
    click(window.desk, "Print all the same")
    settle(window, qtbot)
    assert "is printed on Fen 100" in session.said
    page = np.load(places.bench / "plover" / "page-1.npy")
    assert page.shape == (round(297 / 25.4 * 120), round(210 / 25.4 * 120), 3)
    assert (session.run.sheet, session.run.receipt["accepted"]) == (None, True)
    go(window, "Press")
    click(window.desk, "Done already")
    settle(window, qtbot)
    assert session.logbook.run(session.run.number).press
    assert session.run.pressed_at is not None
    scan = _scan_of_the_same_chart(session)
    save_picture(tmp_path / "scan.tif", scan, None, 150)
    go(window, "Check")
    window.incoming.take(tmp_path / "scan.tif", scan=True)
    settle(window, qtbot)
    assert session.checked.comparison.mean < 2
    assert session.checked.cause.code in ("right", "none")
    window.close()


def _draft(**more):
    from fidele.session.making import Draft

    return Draft(piece="ceramic tile", printer="plover/1", size="A4", **more)


def _scan_of_the_same_chart(session):
    """Print the same chart on the bench by the demo's condition, press and scan it."""
    run, bench = session.run, session.devices
    tiles = session.conditions.need("house-number-tiles")
    wren = bench.find(tiles.printer)
    wren.bring(tiles)
    from fidele.run.page import prepare_page

    job = dataclasses.replace(run.job, card=tiles, media=None, number=run.number)
    sheet = wren.print_page(prepare_page(job, wren)).sheet
    return bench.scanner.scan(bench.press.press(sheet, "ceramic tile", tiles.press), 3).pixels


# Judged by what it belongs to ------------------------------------------------------------------------------------


def test_a_scan_is_judged_by_the_printer_of_its_own_run(session, monkeypatch):
    session.open_chart("quick")
    run = session.press_run(session.print_job(session.job()))
    scan = session.scan_run(run).scan
    own = session.corrections.of(session.device)
    gannet = next(p for p in session.devices.printers if p.process == "direct")
    session.cards.save(gannet.starter_card())
    session.put_in_force(gannet.starter_card())
    reader = session.checking.reader()
    assert reader.aim(run.job).driver is own
    # Where its printer has gone away, the print is judged all the same.
    away = dataclasses.replace(reader, devices=dataclasses.replace(session.devices, fixed=(gannet,)))
    assert away.aim(run.job).driver is None
    assert away.check(run, scan).comparison.passed


def test_a_condition_can_be_changed_after_its_profile_was_replaced(session, printer, tmp_path):
    other = bytearray(printer.data)
    other[24:36] = b"\x07\xea\x00\x0b\x00\x01\x00\x08\x00\x00\x00\x00"  # made at another time, so another version
    (tmp_path / "newer.icc").write_bytes(bytes(other))
    before = session.card.profile
    (waits,) = session.install(tmp_path / "newer.icc")
    session.profiles.settle({waits.id: f"instead:{before}"})
    assert session.card.profile == waits.id
    session.change_card("Notes", notes="changed after it")
    assert session.cards.read(session.card.id).notes == "changed after it"


def test_trials_leave_driver_and_print_system_alone_at_every_moment(session):
    before = session.device.settings(), session.device.system.assigned(), session.card
    seen = []

    def told(_share):
        seen.append((session.device.settings(), session.device.system.assigned(), session.card))
        return True

    session.trials.trying(session.trials.of_profile(session.card.profile))(told)
    routes = session.print_trials
    routes.doing(routes.make("owner", ["system", "driver"]))(told)
    assert len(seen) > 8
    assert all(one == before for one in seen)


def test_every_button_of_the_table_does_something(session):
    handled = set(session._actions._deeds) | set(IN_THE_WINDOW)
    assert {row.deed for row in TABLE.values() if row.deed is not None} <= handled
    assert handled == set(Deed)
    with pytest.raises(FideleError, match="done in the window"):
        session.act(Action(Deed.SHOW, "proof"))


# Never waiting ---------------------------------------------------------------------------------------------------


def test_nothing_large_is_read_on_the_interface_thread(window, qtbot, monkeypatch, tmp_path, places):
    """Files dropped, a folder watched, a scan opened, artwork hashed when it is ordered: all beside the interface."""
    from fidele.apart import ask

    session, main, on_main = window.session, threading.get_ident(), []

    def noting(name, original):
        def call(*arguments, **named):
            if threading.get_ident() == main:
                on_main.append(name)
            return original(*arguments, **named)

        return call

    monkeypatch.setattr(ask._Asking, "answer", noting("decoding", ask._Asking.answer))
    monkeypatch.setattr(kept, "_hash", noting("hashing", kept._hash.__wrapped__))
    window.act(Action(Deed.DRIVER_PASS))
    window.act(Action(Deed.CONFIRM, "ink_saving"))
    drop(window, *(picture(tmp_path / f"{n}.png", 60 + n, 40) for n in range(12)))
    assert len(session.pieces.all) == 12
    assert session.said == "12 of 12 pictures are opened."
    folder = tmp_path / "in"
    folder.mkdir()
    session.inbox.watch(folder)
    picture(folder / "late.png")
    assert comes(lambda: session.artwork.path == folder / "late.png")
    go(window, "Print")
    click(window.desk, "Print")
    settle(window, qtbot)
    assert session.run is not None
    go(window, "Check")
    window.incoming.take(tmp_path / "1.png", scan=True)
    settle(window, qtbot)
    assert on_main == []


def test_opening_many_can_be_cancelled(window, qtbot, tmp_path):
    paths = [picture(tmp_path / f"{n}.png", 60, 40) for n in range(50)]
    window.incoming.take_all(paths)
    assert window.work.under_way("opening")
    window.work.cancel()
    settle(window, qtbot)
    assert window.session.pieces.all == ()
    assert "cancelled" in window.session.said


def test_the_interface_has_time_while_pictures_are_opened_and_proofed(window, qtbot, tmp_path):
    """No event takes the interface's own thread long (`tests.events`), whatever else the machine does meanwhile."""
    take(window, picture(tmp_path / "first.png", 600, 400))  # with it, what is loaded once is loaded
    go(window, "Proof")
    settle(window, qtbot)
    window.incoming.take_all([picture(tmp_path / f"{n}.png", 1500 + n, 1000, 300) for n in range(3)])
    assert not window.work.idle
    settle(window, qtbot)
    assert len(window.session.pieces.all) == 4


def test_progress_and_the_logbook_ask_the_disk_once(window, qtbot, monkeypatch):
    session = window.session
    for number in range(60):
        session.logbook.add_run(f"Run {number}", session.card.model_dump_json(), None, {}, {}, "", job="{}")
    asked, opened = [], Logbook._open
    monkeypatch.setattr(Logbook, "_open", lambda book: (asked.append(1), opened(book))[1])
    go(window, "Logbook")
    settle(window, qtbot)
    opening = len(asked)
    assert opening < 14  # not one for each run
    window.desk.search.setText("Run 1")
    assert len(asked) - opening < 8
    go(window, "Print")
    settle(window, qtbot)
    asked.clear()
    window.desks.print.printing.under_way = 1
    for share in np.linspace(0, 1, 40):
        window.desks.print.printing._progress(float(share))
    window.desks.print.printing.under_way = 0
    assert asked == []


# What was unforeseen ---------------------------------------------------------------------------------------------


def test_what_was_unforeseen_is_in_the_log_whole_and_in_the_report(window, qtbot, tmp_path):
    def fails(_told):
        raise ZeroDivisionError("in the middle of it")

    window.work.run("A job", fails, lambda _: None)
    settle(window, qtbot)
    assert "Something unexpected went wrong (ZeroDivisionError: in the middle of it)" in window.session.said
    write_report(window.session, tmp_path / "report.zip")
    with zipfile.ZipFile(tmp_path / "report.zip") as bundle:
        log = bundle.read("log/fidele.log").decode()
        assert "“A job” failed" in log
        assert 'raise ZeroDivisionError("in the middle of it")' in log
        versions = json.loads(bundle.read("versions.json"))
        assert versions["numpy"] == np.__version__
        assert "not there" not in versions.values()
        devices = json.loads(bundle.read("devices.json"))
        assert devices["printers"]["velm-wren/W-0417"]["settings"]["Blend"] == "Velm natural"
        assert not [n for n in bundle.namelist() if n.endswith((".png", ".tif", ".sqlite", ".icc"))]
    assert logging.getLogger("fidele").handlers


@pytest.mark.eager
def test_the_interface_needs_no_time_of_its_own_while_nothing_happens(window, qtbot):
    qtbot.waitUntil(lambda: len(window.desks.made()) == len(window.desks), timeout=60_000)
    settle(window, qtbot)
    before = time.thread_time()
    pause(1500)
    assert time.thread_time() - before < 0.75


@pytest.mark.parametrize("country", ["C", "de_DE", "en_US"])
def test_a_number_is_understood_as_it_is_written_anywhere(qtbot, country):
    from fidele.desk.numbers import number

    before = QLocale()
    QLocale.setDefault(QLocale(country))
    try:
        field = number(0, 9999, "Width")
        qtbot.addWidget(field)
        for typed, meant in (("13.5", 13.5), ("13,5", 13.5), ("1200", 1200.0)):
            field.setFocus()
            field.selectAll()
            qtbot.keyClicks(field, typed)
            field.interpretText()
            assert field.value() == meant, typed
        assert field.text() == "1200.0 mm"
    finally:
        QLocale.setDefault(before)


def test_what_was_worked_on_is_let_go(qtbot):
    """A window is open all day: a job that is done keeps nothing of what it was given."""
    from fidele.desk.work import Work

    class Held:
        pass

    work, held = Work(), Held()
    still = weakref.ref(held)
    work.quietly("look", lambda _told, held=held: id(held), lambda _: None)
    qtbot.waitUntil(lambda: work.idle)
    del held
    gc.collect()
    assert still() is None


@pytest.mark.parametrize("options", [{}, {"frozen": True}, {"frozen": True, "eq": False}])
def test_data_classes_are_what_those_of_the_standard_library_are(options):
    nan, array = float("nan"), np.arange(3)

    def both(**own):
        def body(made):
            @made(**options)
            class Pair:
                """Two values, one that is not compared and one that is not written."""

                a: int
                b: tuple = ()
                seen: list = dataclasses.field(default_factory=list, compare=False)
                large: str = dataclasses.field(default="", repr=False)
                vars().update(own)

            @made(**options)
            class One(Pair):
                """A class of one more value."""

                c: float = nan

            @made(**options)
            class Single:
                """A single value, which may be an array."""

                a: object

            @made(**options)
            class Nothing:
                """No value at all."""

            return [
                Pair(1), Pair(1), Pair(1, seen=[2]), Pair(2), One(1), One(1, c=nan), One(1, c=nan), Single(1),
                Single(1), Single(array), Single(array), Single(nan), Nothing(), Nothing(), 1,
            ]  # fmt: skip

        return body(dataclasses.dataclass), body(quick)

    def tried(do):
        try:
            return do()
        except (TypeError, ValueError, AttributeError) as error:
            return type(error)

    for own in ({}, {"__repr__": lambda self: "own"}, {"__eq__": lambda self, _: True, "__hash__": lambda self: 5}):
        theirs, ours = both(**own)
        for i, (their, our) in enumerate(zip(theirs, ours, strict=True)):
            same = [tried(lambda a=their, b=b: a == b) for b in theirs]
            assert same == [tried(lambda a=our, b=b: a == b) for b in ours], i
            if options.get("eq", True):  # else both go by address
                assert tried(lambda v=their: hash(v)) == tried(lambda v=our: hash(v)), i
            assert repr(their) == repr(our)
            assert tried(lambda v=their: setattr(v, "a", 3)) == tried(lambda v=our: setattr(v, "a", 3)), i
