"""A picture of every view, made from the demo data by driving the real window."""

from __future__ import annotations

import fcntl
import os
import shutil
import tempfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path

from fidele.errors import FideleError
from fidele.judge.finding import Action, Deed
from fidele.session.places import Places
from fidele.tuning.model import Region, Tuning


def take_pictures(demo: Places, out: Path) -> None:
    """Drive the window through the demo job, offscreen, and write a PNG of each view at 1280 x 800.

    Works on a copy of the demo, so that taking pictures changes nothing.
    """
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from PySide6.QtCore import QEventLoop, QTimer

    from fidele.desk.application import open_window

    out.mkdir(parents=True, exist_ok=True)
    with _folder() as folder:
        root = folder / "tern-harbour"
        shutil.copytree(demo.data, root)
        (root / "logbook.sqlite").unlink(missing_ok=True)
        (root / "window.ini").unlink(missing_ok=True)
        window = open_window(Places.under(root))
        window.resize(1280, 800)
        window.show()
        session = window.session

        def wait(milliseconds: int) -> None:
            loop = QEventLoop()
            QTimer.singleShot(milliseconds, loop.quit)
            loop.exec()

        def settle() -> None:
            # An event loop of its own lets other threads work while it waits.
            for _ in range(6):
                wait(30)
                while not window.work.idle:
                    wait(20)

        def shot(name: str) -> None:
            settle()
            window.grab().save(str(out / f"{name}.png"))

        shot.folder = out  # type: ignore[attr-defined]

        def press(button: Callable[[], None]) -> None:
            button()
            settle()

        if session.card is None:
            raise FideleError("The demo has no printing condition to take pictures of.")
        session.device.bring(session.card)
        session.device.choose("Blend", "Velm natural")
        _artwork(window, root, shot, settle)
        window.show_desk("Hand-off")
        shot("hand-off-two-conversions")
        _print_chart(window, press)
        window.show_desk("Check")
        check = window.desks.check
        check.show_page("Patches")
        shot("check-failed")
        check.show_page("Cause")
        shot("check-cause")
        window.show_desk("Hand-off")
        window.act(Action(Deed.DRIVER_PASS))
        window.act(Action(Deed.CONFIRM, "ink_saving"))
        session.handoff.probe()
        window.take_file(root / "artwork" / "harbour-at-dusk.png")
        settle()
        _work(window, root / "artwork", shot, settle, wait)
        _print_chart(window, press)
        window.show_desk("Logbook")
        shot("logbook")
        window.show_desk("First print")
        shot("first-print")
        window.show_desk("Batch")
        window.take_file(root / "artwork")
        settle()
        shot("batch")
        _conditions(window, shot, settle)
        _profiles(window, root / "downloads", shot, settle)
        window.close()
        _printers(root, out, wait)


@contextmanager
def _folder() -> Iterator[Path]:
    """Give a folder that is gone afterwards: it is seen in some of the pictures, so always the same one.

    Only while another copy takes pictures in it, which its lock tells, it is one of another name.
    """
    folder = Path(tempfile.gettempdir()) / f"fidele-pictures-{os.getuid()}"
    held = _lock(folder)
    if held is None:
        folder = Path(tempfile.mkdtemp(prefix="fidele-pictures-"))
    try:
        for left in folder.iterdir():  # by one that was stopped
            shutil.rmtree(left, ignore_errors=True)
        yield folder
    finally:
        shutil.rmtree(folder, ignore_errors=True)
        if held is not None:
            os.close(held)


def _lock(folder: Path) -> int | None:
    """Make a folder one's own as long as what is returned is open; None where it is somebody else's."""
    try:
        folder.mkdir(mode=0o700, exist_ok=True)
        held = os.open(folder, os.O_RDONLY | os.O_DIRECTORY | os.O_NOFOLLOW)
    except OSError:
        return None
    try:
        fcntl.flock(held, fcntl.LOCK_EX | fcntl.LOCK_NB)
        if os.fstat(held).st_uid == os.getuid() and folder.exists():
            return held
    except OSError:
        pass
    os.close(held)
    return None


def _printers(root: Path, out: Path, wait: Callable[[int], None]) -> None:
    """Show the printers' desk of a workshop that meets the bench as queues of a print service, where it can be had."""
    from fidele.desk.application import open_window
    from fidele.devices.bench.serving import can_serve, served_bench, served_devices

    if not can_serve():
        return
    places, before = Places.under(root), dict(os.environ)
    with served_bench(places.bench) as served:
        os.environ |= served.environment
        try:
            window = open_window(places, served_devices(served, places.bench, places.data / "printers"))
            window.resize(1280, 800)
            window.show()
            window.show_desk("Printers")
            window.desks.printers.show_printer("queue/wren")
            wait(2000)  # the job in hand opens as it was left, and what is beside the desk follows
            window.grab().save(str(out / "printers.png"))
            window.close()
        finally:
            os.environ.clear()
            os.environ |= before


def _artwork(window, root: Path, shot, settle) -> None:  # type: ignore[no-untyped-def]
    """Show the question about a picture's space, the proof with its intents and losses, colours and tuning."""
    session, artwork = window.session, root / "artwork"
    window.take_file(artwork / "harbour-at-dusk.png")
    settle()
    window.take_file(artwork / "lanterns-no-space-stated.png")
    settle()
    shot("artwork")
    window.take_file(artwork / "signal-flags.png")
    settle()
    window.show_desk("Colours")
    settle()
    colours = window.desks.colours
    row = max(colours._found, key=lambda r: r.held.nearest[0].de00)
    colours.replace(row, row.held.nearest[0].Lab)
    shot("colours")
    window.toggle_theme()
    session.pieces.select(session.pieces.all[0].number)
    window.show_desk("Tuning")
    settle()
    session.pieces.tune(Tuning(lift=0.5, shadows=6, regions=(Region(hue=200, chroma=20, lightness=6),)))
    window.desk.hue.setCurrentIndex(4)
    window.desk.refresh()
    for _ in range(3):
        settle()
    shot("tuning-booth")
    session.pieces.tune(None)
    window.show_desk("Proof")
    settle()
    window.desk.where.click()
    shot("proof-losses-booth")
    window.toggle_theme()
    window.desk.where.click()
    shot("proof")
    for piece in session.pieces.all[1:]:
        session.pieces.lay_aside(piece.number)


def _work(window, artwork: Path, shot, settle, wait) -> None:  # type: ignore[no-untyped-def]
    """Show many pieces nested on one sheet with their signs, the queue, the press with its clock, and the piece."""
    session = window.session
    first = session.pieces.need()
    session.laying.on_blank(first.number, "Coaster 100, round")
    session.laying.copies(first.number, 2)
    for name, width, copies in (("signal-flags.png", 60.0, 3), ("lantern-parade-16bit.tif", 52.0, 2)):
        window.take_file(artwork / name)
        settle()
        number = session.pieces.need().number
        session.laying.width(number, width)
        session.laying.copies(number, copies)
    session.pieces.select(first.number)
    window.show_desk("Sheet")
    habits = session.card.sheet.model_copy(update={"identity": True, "cut": True, "strip": True})
    session.change_card("Signs", sheet=habits)
    window.desk.gather.click()
    settle()
    window.desk._choose({(session.pieces.all[-1].number, 0)})
    shot("sheet")
    window.show_desk("Print")
    desk = window.desk
    desk.print_it.click()
    settle()
    other = session.card.model_copy(
        update={"id": "pennants", "name": "Signal pennants", "substrate": "polyester cloth"}
    )
    for card, hold in ((session.card, True), (session.card, False), (other, True)):
        session.queue.paused = True
        session.queue.order(replace(session.job(), card=card), hold=hold)
    session.queue.paused = False
    desk.printing.begin_next()
    desk.queue.setCurrentRow(1)
    while desk.printing.share < 0.3 and desk.printing.under_way:
        wait(10)
    window.grab().save(str(shot.folder / "queue.png"))
    settle()
    for entry in session.queue.entries():
        session.queue.cancel(entry.id)
    window.show_desk("Press")
    desk = window.desk
    for step in ("lint", "warm", "lay", "cover"):
        desk._ticked[step] = True
    now = [0.0]
    desk.clock._now = lambda: now[0]
    desk.start.click()
    now[0] = 52.0
    wait(300)
    window.toggle_theme()
    wait(300)
    window.grab().save(str(shot.folder / "press-booth.png"))
    window.toggle_theme()
    now[0] = 180.0
    desk.start.click()
    settle()
    session.undo()
    for piece in session.pieces.all[1:]:
        session.pieces.lay_aside(piece.number)
    _piece(window, artwork / "signal-flags.png", shot, settle)


def _piece(window, artwork: Path, shot, settle) -> None:  # type: ignore[no-untyped-def]
    """Show a finished piece, printed with the driver converting as well, judged by its artwork."""
    session = window.session
    before = session.pieces.current
    window.take_file(artwork)
    settle()
    session.handoff.choose_setting("Blend", "Velm bright")
    session.take_run(session.press_run(session.print_job(session.job(), overridden="to show what happens")))
    session.handoff.bring()
    window.show_desk("Check")
    window.desk.judge_piece()
    settle()
    shot("check-piece")
    session.pieces.lay_aside(session.pieces.need().number)
    if before is not None:
        session.pieces.select(before.number)


def _conditions(window, shot, settle) -> None:  # type: ignore[no-untyped-def]
    """Show the making of a condition, and a long driver that has lost its preset."""
    session, mine = window.session, window.session.card
    gannet = next(p for p in session.devices.printers if p.process == "direct")
    item = next(i for i in session.devices.catalogue.listing() if i.name == "Gallery rag")
    (put,) = session.profiles.receive(session.shelf.look_into(item.file, session.devices.catalogue.fetch(item)))
    session.cards.save(gannet.starter_card())
    session.put_in_force(gannet.starter_card())
    session.profiles.use(put.id)
    window.take_file(session.places.data / "artwork" / "harbour-at-dusk.png")
    settle()
    window.show_desk("Hand-off")
    settle()
    session.put_in_force(mine)
    session.conditions.copy(mine.id, "Small tiles", size="A5")
    session.fields.set("driver.quality", 2)
    session.fields.set("press.temperature", 195.0)
    window.desks.card.beside(mine.id)
    window.show_desk("Condition")
    settle()
    session.conditions.remove(session.card.id)
    session.handoff.put_in_force(mine)
    window.show_desk("Trial prints")
    desk = window.desks.trial
    desk.varied.setCurrentIndex(desk.varied.findData("owner"))
    desk.varied.activated.emit(desk.varied.currentIndex())
    desk.make.click()
    desk.start.click()
    settle()
    for family, best in zip(("greys", "tints", "darks"), ("A", "", "A"), strict=True):
        session.print_trials.answer(session.print_trials.shown, family, best)
    desk.refresh()
    settle()
    shot("trial-prints")


def _profiles(window, downloads: Path, shot, settle) -> None:  # type: ignore[no-untyped-def]
    """Show how profiles get in, and what is made of them: a search, a zip, the shelf, one profile and its papers."""
    session = window.session
    window.show_desk("Lost")
    window.desks.lost.search.click()
    settle()
    window.take_file(downloads / "fen-100-profiles.zip")
    settle()
    window.desks.arrivals.put.click()
    settle()
    maker = window.desks.profile.profile_id
    window.show_profile(maker, 1)
    window.try_profile(maker)
    settle()
    for media in session.device.carries.media_list():
        data = session.device.carries.media_profile(media.name)
        session.profiles.receive(session.shelf.look_into(f"{media.name}.icc", data))
    for item in session.devices.catalogue.listing()[1:-1]:
        session.profiles.receive(session.shelf.look_into(item.file, session.devices.catalogue.fetch(item)))
    window.show_desk("Profiles")
    shot("profiles")
    window.show_profile(maker, 0)
    window.desks.profile.over.setCurrentIndex(window.desks.profile.over.findData(session.card.profile))
    settle()
    window.desks.profile.over.activated.emit(0)
    shot("profile")


def _print_chart(window, press) -> None:  # type: ignore[no-untyped-def]
    """Print, press and scan the control chart, whatever the findings say."""
    window.session.open_chart("control")
    desks = window.desks
    window.show_desk("Print")
    if window.session.stops:
        desks["Print"].reason.setText("to show what it does")
    press(desks["Print"].print_it.click)
    window.show_desk("Press")
    press(desks["Press"].press_it.click)
    window.show_desk("Check")
    press(desks["Check"].scan.click)
