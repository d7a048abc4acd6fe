"""Profiles made to order: a target whose numbers arrive, an order that cannot be mixed up, and what comes back."""

from __future__ import annotations

import io
import zipfile
from dataclasses import replace
from email.message import EmailMessage

import numpy as np
import pytest
import tifffile
from click.testing import CliRunner
from PIL import Image
from PySide6.QtCore import QSettings
from reportlab.lib.colors import CMYKColor, Color
from reportlab.pdfgen.canvas import Canvas

from fidele.artwork.open import open_artwork
from fidele.bench import profiler
from fidele.cli import cli
from fidele.desk.window import Window
from fidele.errors import FideleError
from fidele.icc.spaces import oprgb
from fidele.run.target import arrives, target_cautions
from fidele.sheet.placing import Placing
from fidele.store.orders import OrderStore, number_in
from tests.hands import click, go, look, ready, settle


def _pdf(colour) -> bytes:
    """Return a page of 8 x 8 patches, 20 mm wide, drawn by another library."""
    memory = io.BytesIO()
    page = Canvas(memory, pagesize=(160 * 72 / 25.4, 160 * 72 / 25.4))
    for n in range(64):
        page.setFillColor(colour(n))
        page.rect(n % 8 * 56.7, n // 8 * 56.7, 56.7, 56.7, stroke=0, fill=1)
    page.save()
    return memory.getvalue()


@pytest.fixture
def target(tmp_path):
    """The target of the bench's maker, as a file."""
    name, data = profiler.target()
    path = tmp_path / name
    path.write_bytes(data)
    return path


def _begun(session, target, maker="Marl profiles"):
    return session.orders.begin(session.orders.looking(target)(lambda _: True), maker, "targets@marl.example")


def _laid(session, order, page=0):
    session.orders.lay(session.orders.opening(order, page)(lambda _: True))
    return session.orders.arriving()(lambda _: True)


def test_an_order_from_target_to_a_profile_in_use(places, qtbot, tmp_path):
    """In the window, from a condition whose driver converts: printed bare, handed over, matched, tried, used."""
    session = ready(places)
    window = Window(session, QSettings(str(tmp_path / "w.ini"), QSettings.Format.IniFormat))
    qtbot.addWidget(window)
    window.show()
    go(window, "Ordered profile")
    desk = window.desks.order
    assert session.card.owner == "driver"
    assert not desk.start.isEnabled()
    click(desk, "Fetch their target")
    settle(window, qtbot)
    click(desk, "Begin the order")
    order = desk.order
    assert not desk.gone.isEnabled()  # nothing is printed yet
    settle(window, qtbot)
    click(desk, "Lay it on the sheet")
    settle(window, qtbot)
    assert (window.desk.station, session.chain.knots) == ("Print", ())
    assert "own numbers" in session.orders.need(order.number).flat[0]
    assert session.job().bare
    click(window.desk, "Print")
    settle(window, qtbot)
    session.take_run(session.press_run(session.run))
    go(window, "Logbook")
    look()
    click(window.desk, "Show order")
    click(desk, "Give it to the maker")
    settle(window, qtbot)
    order = session.orders.need(order.number)
    assert (window.desk.station, order.matched) == ("Ordered profile", f"It bears the number of order {order.number}.")
    click(desk, "Try it")
    settle(window, qtbot)
    click(desk, "Use it")
    order = session.orders.need(order.number)
    assert order.passed
    assert session.orders.state(order) == "in use"
    assert (session.card.profile, session.card.owner) == (order.profile, "fidele")
    session.undo()
    assert session.card.profile is None
    assert session.orders.state(order) == "here and right: use it"


@pytest.mark.parametrize("kind", ["tiff", "tagged", "pdf", "png16"])
def test_the_numbers_of_a_target_arrive_as_they_stand_in_its_file(session, tmp_path, kind):
    """Files of other libraries, at other resolutions, in wide spaces: compared by the printed page itself."""
    values = np.random.default_rng(3).integers(0, 256, (8, 8, 3)).astype(np.uint8)
    large = values.repeat(97, axis=0).repeat(97, axis=1)
    path = tmp_path / ("t.pdf" if kind == "pdf" else "t.png" if kind == "png16" else "t.tif")
    if kind == "pdf":
        flat = values[::-1].reshape(-1, 3) / 255.0  # PDF counts from below
        path.write_bytes(_pdf(lambda n: Color(*flat[n])))
    elif kind == "png16":
        import cv2

        cv2.imwrite(str(path), large[..., ::-1].astype(np.uint16) * 257)
        with Image.open(path) as image:
            image.info["dpi"] = (150, 150)
        data = path.read_bytes()  # a pHYs chunk, which OpenCV does not write
        import struct
        import zlib

        body = b"pHYs" + struct.pack(">IIB", 5906, 5906, 1)
        chunk = struct.pack(">I", 9) + body + struct.pack(">I", zlib.crc32(body))
        path.write_bytes(data[:33] + chunk + data[33:])
    else:
        extra = {"iccprofile": oprgb().data} if kind == "tagged" else {}
        tifffile.imwrite(path, large, photometric="rgb", resolution=(123, 123), resolutionunit="INCH", **extra)
    session.handoff.bring()
    order = _begun(session, path)
    found = _laid(session, order)
    assert found.right, found
    # The page itself, without the code that judges: the middle of each patch, mirrored back.
    from fidele.run.page import prepare_page

    job = session.job()
    page = prepare_page(job, session.device)[:, ::-1]
    scale = session.device.format.page_ppi(job.card.page_ppi) / 25.4
    place, side = job.placing, job.placing.width / 8
    for row in range(8):
        for column in range(8):
            y, x = (place.y + (row + 0.5) * side) * scale, (place.x + (column + 0.5) * side) * scale
            assert np.abs(page[int(y), int(x)].astype(int) - values[row, column]).max() <= 1
    # Made smaller it is told, and so is what is converted on its way.
    smaller = replace(job.lying[0], placing=Placing(20, 20, place.width * 0.97, place.height * 0.97))
    assert "97.0 %" in arrives(replace(job, lying=(smaller,)), session.device).words
    assert not arrives(replace(job, bare=False), session.device).right


def test_what_can_be_no_target_is_refused_with_the_reason(session, tmp_path):
    """Inks, a PDF of CMYK, no size, and no patches at all; a JPEG is taken with a word."""
    cmyk = tmp_path / "inks.tif"
    Image.fromarray(np.zeros((90, 90, 4), np.uint8), "CMYK").save(cmyk, dpi=(72, 72))
    page = tmp_path / "inks.pdf"
    page.write_bytes(_pdf(lambda n: CMYKColor(n / 64, 0, 0, 0)))
    plain = tmp_path / "no-size.png"
    Image.fromarray(np.zeros((90, 90, 3), np.uint8)).save(plain)
    for path, words in ((cmyk, "takes RGB"), (page, "changed on the way"), (plain, "states no size")):
        with pytest.raises(FideleError, match=words):
            session.orders.looking(path)(lambda _: True)
    jpeg = tmp_path / "t.jpg"
    Image.fromarray(np.zeros((90, 90, 3), np.uint8)).save(jpeg, dpi=(72, 72))
    assert "JPEG" in target_cautions(open_artwork(jpeg), "RGB")[0]
    noise = tmp_path / "noise.png"
    grain = np.random.default_rng(1).integers(0, 256, (300, 300, 3)).astype(np.uint8)
    Image.fromarray(grain).save(noise, dpi=(100, 100))
    session.handoff.bring()
    assert "no patches" in _laid(session, _begun(session, noise)).words


def test_nothing_of_an_order_is_lost_or_left_half(session, target, tmp_path, monkeypatch):
    """A target that is cut off or of another kind, a full disk, and another window that began the same number."""
    cut = tmp_path / "cut.tif"
    cut.write_bytes(target.read_bytes()[:9000])
    words = tmp_path / "words.tif"
    words.write_text("no picture")
    for path in (cut, words, tmp_path):
        with pytest.raises(FideleError):
            session.orders.looking(path)(lambda _: True)
    begun = session.orders.looking(target)(lambda _: True)
    folder = session.places.data / "orders"

    def full(path, data):
        if path.name == "order.json":
            raise FideleError("the disk is full")
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(data)

    with monkeypatch.context() as patched:
        patched.setattr("fidele.statefile.write_bytes", full)
        with pytest.raises(FideleError, match="full"):
            session.orders.begin(begun, "Marl")
    assert not list(folder.glob("*"))
    order = session.orders.begin(begun, "Marl")
    with monkeypatch.context() as patched:
        patched.setattr(OrderStore, "fresh", lambda *_: order.number)
        with pytest.raises(FideleError, match="another window"):
            session.orders.begin(begun, "Somebody else")
    assert session.orders.need(order.number).maker == "Marl"
    # What another window did meanwhile is not written over by what this one holds.
    OrderStore(folder).save(order.model_copy(update={"how": "by post"}))
    session.orders.end(order)
    assert session.orders.need(order.number).how == "by post"
    session.undo()
    session.undo()
    assert session.orders.all() == []


def test_an_order_is_not_mixed_up(session, target, printer, tmp_path):
    """By number wherever it stands, by names where they are alone; changed settings and damage are told."""
    assert number_in("Re: your order p2611_7.icc, P2611-07; PAP2611-08, P2611-123456") == ["P2611-07"]
    session.handoff.bring()
    one, two = _begun(session, target), _begun(session, target, "A colleague")
    assert (one.number[:5], int(two.number[-2:]) - int(one.number[-2:])) == (two.number[:5], 1)
    with pytest.raises(FideleError, match="not printed"):
        session.orders.sent(one)
    shelf = session.shelf.beside()

    def parcel(name: str, letter: str) -> object:
        memory = io.BytesIO()
        with zipfile.ZipFile(memory, "w") as bundle:
            bundle.writestr(name, other)
            bundle.writestr("letter.txt", letter)
        return shelf.look_into("parcel.zip", memory.getvalue())

    other = _elsewhere(printer, "Somebody's profile")
    match = session.orders.match
    assert match(parcel("x.icc", "nothing")) is None
    assert match(parcel("x.icc", f"About {two.number.replace('-', ' ')}: here it is")).order.number == two.number
    assert match(parcel(f"{one.number}.icc", "")).certain
    mail = EmailMessage()
    mail["Subject"], mail["From"], mail["To"] = f"Re: order {one.number}", "a@b.example", "c@d.example"
    mail.set_content("Hello, here it is.")
    mail.add_attachment(other, maintype="application", subtype="octet-stream", filename="new.icc")
    assert match(shelf.look_into("answer.eml", mail.as_bytes())).order.number == one.number
    # Names alone: not before one was sent, and never where two could be meant.
    named = parcel("Velm Wren Fen 100.icc", "")
    assert match(named) is None
    store = OrderStore(session.places.data / "orders")
    store.save(one.model_copy(update={"sent": one.made}))
    found = match(named)
    assert (found.order.number, found.certain) == (one.number, False)
    assert match(parcel("Velm Wren Fen 1000.icc", "")) is None
    store.save(two.model_copy(update={"sent": two.made}))
    assert match(named) is None
    # What was changed meanwhile keeps the target from being printed with other settings.
    session.in_force.change("Another stock", driver=session.card.driver | {"quality": 1})
    assert "changed since" in session.orders.differs(one)
    with pytest.raises(FideleError, match="Quality"):
        session.orders.opening(one, 0)
    session.undo()
    assert not session.orders.differs(one)
    # A damaged order is told and stays; its number is not given again.
    (session.places.data / "orders" / two.number / "order.json").write_text("{")
    assert [o.number for o in session.orders.all()] == [one.number]
    assert _begun(session, target).number != two.number
    assert any(two.number in sentence for sentence in session.damaged())


def _elsewhere(printer, title: str) -> bytes:
    """Return a profile's bytes as another one's, of another description of the same length."""
    from fidele.icc.describe import describe

    old = describe(printer).description
    said = {old: title.ljust(len(old))[: len(old)], "Fen 100": "Lot 200"}
    data = printer.data
    for word, other in said.items():
        for written in ("utf-16-be", "ascii"):
            data = data.replace(word.encode(written), other.encode(written))
    return data


def test_a_maker_sees_what_was_not_printed_truly(session, target):
    """A target that was printed smaller, or another picture, is sent back with the reason."""
    session.handoff.bring()
    order = _begun(session, target)
    _laid(session, order)
    job = session.job()
    small = replace(job.lying[0], placing=Placing(20, 20, job.placing.width * 0.9, job.placing.height * 0.9))
    run = session.press_run(session.print_job(replace(job, lying=(small,))))
    with pytest.raises(FideleError, match="true size"):
        profiler.answer(order.number, {}, run.piece, order.made)
    session.orders.end(session.orders.need(order.number))
    assert session.orders.state(session.orders.need(order.number)).startswith("given up")
    assert session.orders.waiting() == []


def test_an_order_from_a_shell(places, target, printer, tmp_path, monkeypatch):
    """Begun, listed, with letter and slip; what comes back by number or by hand; bad input in one sentence."""
    from fidele.commands import common

    monkeypatch.setattr(common, "places", lambda: places)
    run = CliRunner().invoke

    def said(*arguments: str, code: int = 0) -> str:
        result = run(cli, ["order", *arguments])
        assert result.exit_code == code, result.output
        return result.output

    number = said("begin", str(target), "--maker", "Marl").strip().splitlines()[-1]
    assert "1 of 1 pages to be printed" in said("list")
    letter = said("letter", number)
    assert f"put the number {number} into its name" in " ".join(letter.split())
    slip = tmp_path / "slip.pdf"
    said("slip", number, str(slip))
    import pypdfium2

    text = pypdfium2.PdfDocument(slip)[0].get_textpage().get_text_bounded()
    assert all(word in text for word in (number, "Marl", "Velm Wren", "Fen 100", "Dull heavy"))
    answer = tmp_path / "somebody.icc"
    answer.write_bytes(_elsewhere(printer, "Made to order"))
    for arguments, words in (
        (("sent", number), "not printed"),
        (("letter", "P0000-00"), "no order"),
        (("receive", str(answer)), "answers no order"),
        (("begin", str(slip), "--maker", ""), "who makes"),
        (("begin", str(tmp_path / "gone.tif"), "--maker", "x"), "gone.tif"),
    ):
        result = run(cli, ["order", *arguments])
        assert result.exit_code == 2 or isinstance(result.exception, FideleError), result.output
        assert words in (result.output + str(result.exception))
    assert "not tried yet" in said("receive", str(answer), "--number", number)
