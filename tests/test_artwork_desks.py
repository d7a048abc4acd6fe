"""The artwork story at the window: an untagged picture, its space by eye, what is lost, what is done about it."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import QMimeData, QPoint, Qt, QUrl
from PySide6.QtGui import QColorSpace, QGuiApplication, QImage
from PySide6.QtTest import QTest

from fidele.artwork.open import open_artwork
from fidele.artwork.save import save_picture
from fidele.demo import pictures
from fidele.errors import FideleError
from fidele.icc.spaces import oprgb, srgb
from fidele.icc.transform import Intent, convert
from tests.hands import click, comes, go, keys, look, settle, take


def eight(image):
    return np.rint(image * 255).astype(np.uint8)


def codes(window):
    return {f.code for f in window.session.findings}


def test_from_an_untagged_picture_to_a_file_that_is_not_converted_twice(window, tmp_path, qtbot):
    session = window.session
    flags = convert(eight(pictures.flags(800, 450)), srgb(), oprgb(), Intent.RELATIVE)
    save_picture(tmp_path / "flags.png", flags, None, 300)
    before = (tmp_path / "flags.png").read_bytes()
    # It does not say what its colours mean: it is printed under each space, side by side, and chosen by eye.
    take(window, tmp_path / "flags.png")
    settle(window, qtbot)
    desk = window.desks["Artwork"]
    assert desk.title.text() == "Which of these looks right?"
    assert "look like opRGB" in desk.question.text()
    assert [t.name for t in desk.view._teeth] == ["sRGB", "opRGB"]
    assert "space-supposed" in codes(window)
    edges = desk.view._edges()
    QTest.mouseClick(desk.view, Qt.MouseButton.LeftButton, pos=QPoint(edges[1] + 30, 15))
    settle(window, qtbot)
    assert session.artwork.profile.content_id == oprgb().content_id
    assert desk.slip.text() == "Source: opRGB, chosen by you"
    assert "space-supposed" not in codes(window)
    assert [t.name for t in desk.view._teeth] == ["as sent"]
    # The choice becomes the rule for this folder.
    session.sources.make_rule(desk.rules_offered()[0])
    assert open_artwork(tmp_path / "flags.png", suppose=session.sources.suppose(tmp_path / "flags.png")).slip.rule
    # What will be lost, and where.
    go(window, "Proof")
    settle(window, qtbot)
    proof = window.desks["Proof"]
    assert "of the picture will be visibly" in proof.advice.text()
    assert "Media-relative suits this picture" in proof.advice.text()
    lost_before = session.losses.lost
    click(proof, "Where it is lost")
    settle(window, qtbot)
    assert proof.legend.isVisible()
    click(proof, "Where it is lost")
    # The same under every condition: nothing is shown of a look that was cancelled, and none stands beside new colours.
    click(proof, "Conditions")
    window.work.cancel()
    settle(window, qtbot)
    assert not proof.every.isChecked()
    click(proof, "Conditions")
    settle(window, qtbot)
    assert proof.every.isChecked()
    assert {t.name for t in proof.view._teeth} == {"as sent", *(c.name for c in session.cards.cards())}
    # The worst of its colours is replaced by the nearest that can be printed, in a copy.
    go(window, "Colours")
    settle(window, qtbot)
    colours = window.desks.colours
    assert window.desk is colours
    rows = colours._found
    assert len(rows) == 6
    worst = max(rows, key=lambda r: r.held.nearest[0].de00)
    assert worst.held.verdict == "cannot be held"
    words, replace = colours.instead(worst)[0]
    assert words.startswith("by the nearest, least ΔE00")
    replace()
    settle(window, qtbot)
    assert colours.view._teeth[0].name == "before, as printed"
    assert len(session.pieces.current.replacements) == 1
    holds = [r.held.verdict for r in colours._found]
    assert holds.count("cannot be held") == [r.held.verdict for r in rows].count("cannot be held") - 1
    keys(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert not session.pieces.current.replacements
    session.redo()
    # The intent that suits, on the picture itself.
    go(window, "Proof")
    settle(window, qtbot)
    assert [t.name for t in proof.view._teeth][:3] == ["as sent", "before", "Perceptual"]
    QTest.mouseClick(proof.view, Qt.MouseButton.LeftButton, pos=QPoint(proof.view._edges()[3] + 20, 15))
    settle(window, qtbot)
    assert session.card.intent is Intent.RELATIVE
    assert session.losses.lost < lost_before - 0.05
    # Converted, written, opened again: and stopped before a second conversion.
    window.incoming.write_one(tmp_path / "for the tiles.png")
    settle(window, qtbot)
    assert "converted for “House-number tiles”, mirrored" in session.said
    done = open_artwork(tmp_path / "for the tiles.png")
    wanted = convert(session.artwork.pixels, oprgb(), session.profile, Intent.RELATIVE, True)[:, ::-1]
    assert np.array_equal(done.pixels, wanted)
    take(window, tmp_path / "for the tiles.png")
    settle(window, qtbot)
    stop = next(f for f in session.stops if f.code == "already-converted")
    assert "It was converted from opRGB" in stop.why
    with pytest.raises(FideleError, match="Held: "):
        session.print_job(session.job())
    assert desk.strip.isVisibleTo(desk)
    assert desk.strip.count() == 2
    assert (tmp_path / "flags.png").read_bytes() == before


def test_tuning_by_hand_follows_the_sliders_and_is_kept(window, places, qtbot):
    session = window.session
    take(window, places.data / "artwork" / "harbour-at-dusk.png")
    take(window, places.data / "artwork" / "lantern-parade-16bit.tif")
    keys(window, Qt.Key.Key_F3)
    desk = window.desks.tuning
    assert window.desk is desk
    settle(window, qtbot)
    lift = desk.sliders["lift"]
    lift.sliderPressed.emit()
    for value in (20, 45, 60):
        lift.setValue(value)
        assert session.pieces.current.tuning.lift == pytest.approx(value / 100)
    steps = session.history.next_undo
    lift.sliderReleased.emit()
    assert session.history.next_undo == "Tune the picture" != steps
    qtbot.wait(200)
    settle(window, qtbot)
    assert "gain" in desk.price.text()
    teeth = desk.view._teeth
    place = desk.view._visible()
    sample = desk.view._sample(session.artwork.pixels, place)
    assert np.abs(teeth[0].show(sample).astype(int) - teeth[1].show(sample)).max() > 8
    # The whole drag is one step.
    session.undo()
    assert session.pieces.current.tuning is None
    session.redo()
    desk.name.setCurrentText("Livelier")
    click(desk, "Keep")
    click(desk, "Apply to all open")
    assert [p.tuning.name for p in session.pieces.all] == ["Livelier", "Livelier"]
    # A colour that is touched chooses its hue region.
    desk.view.touched.emit(700, 500)
    desk.sliders["turn"].setValue(10)
    assert session.pieces.current.tuning.regions[0].hue == desk.hue.currentData()
    click(desk, "Reset")
    assert session.pieces.current.tuning is None
    assert list(session.pieces.tunings.all()) == ["Livelier"]


def test_pictures_come_by_paste_drop_and_folder(window, tmp_path, qtbot):
    session = window.session
    image = QImage(40, 30, QImage.Format.Format_RGB32)
    image.fill(0xFF3366)
    image.setColorSpace(QColorSpace(QColorSpace.NamedColorSpace.SRgb))
    QGuiApplication.clipboard().setImage(image)
    keys(window, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
    settle(window, qtbot)
    assert session.artwork.path.name.startswith("pasted")
    assert session.artwork.pixels[0, 0].tolist() == [255, 51, 102]
    save_picture(tmp_path / "a.png", eight(pictures.flags(480, 270)), srgb())
    (tmp_path / "list.csv").write_text("Name,hex\nLamp,#6828fa\n")
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(tmp_path / n)) for n in ("a.png", "list.csv")])
    window.incoming.take_data(data)
    settle(window, qtbot)
    assert session.artwork.path.name == "a.png"
    assert [c.name for c in session.customers.colours] == ["Lamp"]
    assert window.desk is window.desks.colours
    settle(window, qtbot)
    folder, out = tmp_path / "in", tmp_path / "out"
    folder.mkdir()
    session.inbox.watch(folder)
    save_picture(folder / "b.png", eight(pictures.flags(480, 270)), srgb())
    assert comes(lambda: session.artwork.path == folder / "b.png")  # it is noticed without a word
    keys(window, Qt.Key.Key_Tab, Qt.KeyboardModifier.ControlModifier)
    assert session.artwork.path.name.startswith("pasted")
    session.inbox.watch(folder, out)
    save_picture(folder / "c.png", eight(pictures.flags(480, 270)), srgb())
    assert comes((out / "c, converted.tif").exists)
    settle(window, qtbot)
    done = open_artwork(out / "c, converted.tif")
    assert done.record.condition == "House-number tiles"
    go(window, "Artwork")
    strip = window.desks["Artwork"].strip
    assert strip.count() == 3
    strip.setFocus()
    QTest.keyClick(strip, Qt.Key.Key_Delete)
    look()
    assert strip.count() == 2
    QGuiApplication.clipboard().setText("no picture")
    keys(window, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
    assert session.said.startswith("What was copied is no picture and no table")
