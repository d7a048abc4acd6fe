"""The proof follows whoever converts: what is predicted against what the machine was given, and against the piece."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from types import SimpleNamespace

import numpy as np
import pytest

from fidele.artwork.picture import Artwork, SourceSlip
from fidele.bench.sketch import NAME, Sketch
from fidele.chart.family import control_chart
from fidele.colour.cie import xyz_to_lab
from fidele.colour.difference import delta_e_2000
from fidele.colour.spectra import spectra_to_xyz
from fidele.errors import FideleError
from fidele.icc.profile import Profile
from fidele.icc.spaces import oprgb, srgb
from fidele.icc.tables import device_to_pcs_lab
from fidele.icc.transform import Intent
from fidele.proof.soft import printed_lab
from fidele.run.chart_page import chart_artwork, chart_placing, on_piece
from fidele.run.job import Job
from fidele.run.page import finished_file, prepare_page
from fidele.run.probes import Corrections
from fidele.session.looks import settings_for
from fidele.session.way import Ways, way_of
from fidele.sheet.placing import Placing
from fidele.tiles import CancelledError
from fidele.tuning.conversion import device_values
from fidele.tuning.model import Tuning

OWNERS = ("fidele", "system", "driver", "driver-profile", "program")


def colours(seed: int) -> np.ndarray:
    """A small picture of flat fields, 16 bit."""
    fields = np.random.default_rng(seed).integers(0, 65536, (6, 8, 3), dtype=np.uint16)
    return fields.repeat(10, axis=0).repeat(10, axis=1)


def set_up(session, card) -> None:
    """Put a card in force, and set what the owner of its conversion does to it."""
    session.put_in_force(card)
    session.handoff.bring()


@pytest.mark.parametrize("which", [0, 1, 2])
def test_predicted_numbers_are_those_that_the_machine_gets(session, printer, places, tmp_path, which):
    """By a dry run of the page itself, for every printer of the bench and every owner of the conversion."""
    for owner in OWNERS:
        if owner == "program" or owner in session.devices.printers[which].owners():
            for baked in (False, True):
                _same_numbers(session, printer, places, tmp_path, which, owner, baked)


def _same_numbers(session, printer, places, tmp_path, which, owner, baked):
    device = session.devices.printers[which]
    intent = [Intent.RELATIVE, Intent.PERCEPTUAL, Intent.SATURATION][which]
    sends = "opRGB" if which == 1 and owner.startswith("driver") else "sRGB"
    card = device.starter_card().model_copy(
        update={
            "profile": printer.content_id,
            "owner": owner,
            "intent": intent,
            "sends": sends,
            "bake": baked,
            "mirror_by": "nobody",
            "printed_from": NAME if owner == "program" else "",
        }
    )
    set_up(session, card)
    tuning = Tuning(lift=0.4, middle=3) if baked else None
    way = way_of(card, device, printer, Corrections())
    assert (way is None) == (owner == "fidele")
    artwork = Artwork(places.data / "x.png", colours(which), None, oprgb(), SourceSlip("stated", "x"), 300.0)
    how = settings_for(card, way, tuning, "")
    expected = device_values(artwork.pixels, artwork.profile, printer, how) / 65535
    job = Job.of(artwork, Placing(30, 40, 20, 15), card, printer)
    job = Job((replace(job.lying[0], tuning=tuning),), card)
    if owner == "program":
        sketch = Sketch(places.bench / "skerry-sketch.json")
        path = next(p for p in places.profiles.glob("*.icc") if Profile.open(p).content_id == printer.content_id)
        aims = ("likeness", "liking", "force")[which]
        for name, value in (("Inks by", str(path)), ("Aims at", aims), ("Lay out", "as drawn")):
            sketch.set(name, value)
        finished_file(job, device, tmp_path / "page.png")
        media = device.media(card.size, card.feed)
        page = sketch.page(tmp_path / "page.png", (media.width, media.height), device.format.ppi)
    else:
        page = prepare_page(job, device)
    at, scale = job.placing, device.format.ppi / 25.4
    left, top = (round(edge * scale) for edge in at.bounds[:2])
    cut = page[top : top + round(at.height * scale), left : left + round(at.width * scale)]
    cut = (cut >> 8).astype(np.uint8) if cut.dtype == np.uint16 else cut
    got = device.probing.dry_run(np.ascontiguousarray(cut)) / 255
    rows = ((np.arange(6) + 0.5) * at.height * scale / 6).astype(int)
    columns = ((np.arange(8) + 0.5) * at.width * scale / 8).astype(int)
    lost = delta_e_2000(
        device_to_pcs_lab(printer, got[rows][:, columns]), device_to_pcs_lab(printer, expected[5::10, 5::10])
    )
    assert lost.mean() < 0.5
    assert lost.max() < 3


@pytest.mark.parametrize("owner", ["fidele", "system", "driver"])
def test_predicted_prints_are_those_that_are_pressed_and_measured(session, printer, demo, owner):
    """All the way: printed, pressed and measured with the spectrophotometer, against the proof's absolute L*a*b*."""
    device = session.devices.printers[0]
    card = session.card.model_copy(update={"owner": owner, "intent": Intent.RELATIVE})
    set_up(session, card)
    way = way_of(card, device, printer, Corrections())
    chart = control_chart()
    job = Job.of(chart_artwork(chart, 0, "proof"), chart_placing(chart, device.media("A4")), card, printer, chart)
    sheet = device.print_page(prepare_page(job, device)).sheet
    piece = session.devices.press.press(sheet, card.substrate, card.press)
    centres = on_piece(chart.centres(0), chart, job.placing)
    measured = xyz_to_lab(spectra_to_xyz(session.devices.instrument.measure(piece, centres)))
    how = settings_for(card, way, None, "", paper_white=True)
    predicted = printed_lab(chart.rgb.astype(np.float32), srgb(), printer, how)
    off = delta_e_2000(predicted.astype(float), measured)
    assert off.mean() < 1.0
    if way is not None:  # what Fidele would have made of it is another print
        mine = printed_lab(chart.rgb.astype(np.float32), srgb(), printer, settings_for(card, None, None, "", True))
        assert delta_e_2000(mine.astype(float), measured).mean() > 1.5


def codes(session):
    return {f.code for f in session.findings}


def test_work_that_another_owner_would_leave_out_is_a_stop(session):
    session.put_in_force(session.card.model_copy(update={"owner": "driver"}))
    session.handoff.bring()
    session.open_artwork(session.places.data / "artwork" / "signal-flags.png")
    session.pieces.tune(Tuning(lift=0.3), "Tuned")
    found = next(f for f in session.stops if f.code == "work-not-printed")
    assert "tuning" in found.title
    session.act(found.action)
    assert session.card.bake
    assert "work-not-printed" not in codes(session)
    assert session.proof_settings.tuning is not None
    session.pieces.keep("black")
    found = next(f for f in session.stops if f.code == "work-not-printed")
    session.act(found.action)
    assert session.card.owner == "fidele"
    assert "work-not-printed" not in codes(session)
    assert session.proof_settings.keep == "black"


def test_the_intent_of_the_system_and_what_is_not_known_are_said(session, monkeypatch):
    session.put_in_force(session.card.model_copy(update={"owner": "system", "intent": Intent.RELATIVE}))
    session.handoff.bring()
    assert "intent-not-used" in codes(session)
    assert session.proof_settings.intent is Intent.PERCEPTUAL
    session.put_in_force(session.card.model_copy(update={"owner": "driver"}))
    monkeypatch.setattr(Corrections, "of", lambda self, device: None)
    session._ways._for = None
    session.refresh()
    assert "way-not-known" in codes(session)
    assert session.way[0] is None


def test_a_baked_tuning_and_a_mirrored_file_survive_the_queue(session, tmp_path):
    """What was ordered is what is sent, by whatever way it comes back from the logbook."""
    from fidele.artwork.save import save_picture
    from fidele.run.kept import Sources, job_again, kept_job

    pixels = np.random.default_rng(0).integers(0, 256, (60, 90, 3), dtype=np.uint8).repeat(2, 0).repeat(2, 1)
    save_picture(tmp_path / "right.png", pixels, srgb(), 200)
    save_picture(tmp_path / "came mirrored.png", np.ascontiguousarray(pixels[:, ::-1]), srgb(), 200)
    session.put_in_force(session.card.model_copy(update={"owner": "driver", "bake": True}))
    pages = []
    for name in ("right", "came mirrored"):
        session.open_artwork(tmp_path / f"{name}.png")
        if name != "right":
            session.pieces.came_mirrored(True)
        session.pieces.tune(Tuning(lift=0.5), "Tuned")
        job = session.job()
        run = SimpleNamespace(id=1, card=session.card.model_dump_json(), job=kept_job(job))
        sources = Sources(lambda path: None, session.shelf.load, tuple)
        again = job_again(sources, run)
        pages.append(prepare_page(again, session.device))
        assert np.array_equal(pages[-1], prepare_page(job, session.device))
        session.pieces.tune(None)
        assert not np.array_equal(pages[-1], prepare_page(session.job(), session.device))
    assert np.array_equal(*pages)
    session.history.undo()
    session.history.undo()
    session.history.undo()
    assert not session.pieces.current.mirrored


def test_conditions_are_ranked_by_what_they_lose(session, printer):
    """The best first, each by its own owner's way; what nothing is known of comes last, with the reason."""
    from fidele.session.holding import candidate, ranked

    mine = session.card
    cards = [
        mine.model_copy(update={"id": "b", "name": "by the driver", "owner": "driver"}),
        mine.model_copy(update={"id": "c", "name": "no profile", "profile": None}),
        mine.model_copy(update={"id": "a", "name": "as it should be", "intent": Intent.RELATIVE}),
    ]
    fields = (colours(3) >> 8).astype(np.uint8)
    find = partial(candidate, load=session.shelf.load, devices=session.devices, corrections=session.corrections)
    held = ranked(fields, srgb(), cards, find)
    assert [h.candidate.card.id for h in held] == ["a", "b", "c"]
    assert "its" in held[0].words
    assert "no profile says" in held[2].words
    done: list[float] = []
    with pytest.raises(CancelledError):
        ranked(fields, srgb(), cards, find, lambda share: done.append(share) or share < 0.5)
    assert done == pytest.approx([1 / 3, 2 / 3])


def test_a_way_is_found_again_once_its_driver_can_be_read_again(session, printer, monkeypatch):
    """Nothing is shown while it cannot be, and nothing is said of that any more afterwards."""
    card, device = session.card.model_copy(update={"owner": "driver"}), session.device
    ways = Ways(session.corrections)
    before = ways.find(card, device, printer)
    with monkeypatch.context() as gone:
        gone.setattr(type(device), "state", lambda self: (_ for _ in ()).throw(FideleError("It does not answer.")))
        assert ways.find(card, device, printer) == (None, "It does not answer.")
    assert ways.find(card, device, printer) == before
    assert before[0] is not None


def test_pages_are_prepared_at_the_resolution_that_the_card_asks_for(session, printer, places):
    """Where the printer takes it; the print is as large as at its usual one."""
    device = session.devices.printers[2]
    card = device.starter_card().model_copy(update={"profile": printer.content_id, "owner": "fidele"})
    artwork = Artwork(places.data / "x.png", colours(1), None, srgb(), SourceSlip("stated", "x"), 300.0)
    shapes = []
    (half,) = device.format.also
    for asked in (0, half, half + 1):
        mine = card.model_copy(update={"page_ppi": asked})
        job = Job.of(artwork, Placing(30, 40, 80, 60), mine, printer)
        page = prepare_page(job, device)
        shapes.append((page.shape[1], device.print_page(page).sheet.ink.shape[:2]))
    assert shapes[0] == shapes[2]
    assert shapes[1][0] == pytest.approx(shapes[0][0] / 2, abs=1)
    assert np.abs(np.subtract(shapes[1][1], shapes[0][1])).max() <= 2
    assert any(f.key == "page_ppi" and len(f.offered) == 2 for f in session.fields.of(card))
