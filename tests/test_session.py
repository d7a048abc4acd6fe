"""The session without a window: what a person can do, undone and done again, and what holds a print."""

from __future__ import annotations

import dataclasses
import json

import numpy as np
import pytest

from fidele.artwork.save import save_picture
from fidele.colour.cie import D50, xyz_to_lab
from fidele.colour.difference import delta_e_2000
from fidele.colour.spectra import spectra_to_xyz
from fidele.demo.prepare import SUPPLIER_ZIP
from fidele.errors import FideleError
from fidele.icc.spaces import oprgb, srgb
from fidele.icc.transform import Intent
from fidele.judge.finding import Action, Deed
from fidele.route.layers import Evidence
from fidele.run.page import prepare_page
from fidele.run.probes import probe, probe_correction
from fidele.session.model import Session
from fidele.session.news import ShelfChanged
from fidele.session.places import Places
from fidele.session.predict import RouteFacts, predict, wrong_routes
from fidele.session.state import RouteRead
from fidele.sheet.placing import Placing
from tests.hands import machine_of


def codes(session, weight=None):
    return {f.code for f in session.findings if weight in (None, f.weight)}


def test_an_empty_workshop_says_what_to_do(tmp_path):
    session = Session(Places.under(tmp_path))
    assert session.card is None
    assert session.chain is None
    assert session.findings == ()
    with pytest.raises(FideleError, match="no artwork yet"):
        session.job()
    with pytest.raises(FideleError, match="no printing condition yet"):
        session.act(Action(Deed.DRIVER_PASS))
    with pytest.raises(FideleError, match="no profile yet: characterise it"):
        session.checking.scanner.profile()


def test_the_demo_opens_with_its_fault_and_the_button_mends_it(places):
    session = Session(places)
    assert session.chain.knots == ("Fidele", "driver")
    assert "two-conversions" in codes(session, "stop")
    told = []
    session.listen(told.append)
    (finding,) = [f for f in session.findings if f.code == "two-conversions"]
    session.act(finding.action)
    assert session.chain.knots == ("Fidele",)
    assert RouteRead in {type(news) for news in told}
    assert "not-known" in codes(session)
    session.act(next(f.action for f in session.findings if f.code == "not-known"))
    assert session.findings == ()
    assert session.chain.layer("panel").evidence is Evidence.BY_HAND
    # Confirmed once, it is still confirmed when the workshop is opened again.
    assert "not-known" not in codes(Session(places))


def test_each_step_can_be_undone_and_done_again(session, places):
    start = session.device.settings()
    session.handoff.choose_setting("Stock", "Everyday")
    assert session.device.settings()["Blend"] == "Velm natural"  # the driver's quirk
    assert "wrong-stand-in" in codes(session, "stop")
    session.undo()
    assert session.device.settings() == start
    session.redo()
    assert session.device.settings()["Stock"] == "Everyday"
    session.undo()
    session.change_card("The intent is saturation", intent=Intent.SATURATION)
    session.open_artwork(places.data / "artwork" / "signal-flags.png")
    before = session.placing
    session.place(Placing(10, 10, 60, 33.75))
    session.undo()
    assert session.placing == before
    session.undo()
    assert session.card.intent is Intent.PERCEPTUAL
    assert Session(places).card.intent is Intent.PERCEPTUAL  # on disk, too
    session.act(Action(Deed.SET, "sliders"))
    profile = session.card.profile
    session.profiles.remove(profile)
    assert session.profile is None
    assert "profile-missing" in codes(session, "stop")
    session.undo()
    assert session.profile is not None
    for _ in range(20):
        session.undo()
    assert session.said == "There is nothing to undo."


def test_a_zip_is_usable_at_once(tmp_path, demo):
    session = Session(Places.under(tmp_path / "new"))
    told = []
    session.listen(told.append)
    (result,) = session.install(demo.data / "from the supplier" / SUPPLIER_ZIP)
    assert result.status == "installed"
    assert ShelfChanged() in told
    assert session.said == "“Velm Wren, Fen 100, ceramic tile” is on the shelf, ready to use."
    session.install(demo.data / "from the supplier" / SUPPLIER_ZIP)
    assert "already" in session.said


def test_only_an_output_profile_can_convert(session, tmp_path):
    (tmp_path / "screen.icc").write_bytes(srgb().data)
    session.install(tmp_path / "screen.icc")
    with pytest.raises(FideleError, match="cannot convert for a printer: it is a profile of class display"):
        session.profiles.use(srgb().content_id)
    assert session.profile is not None


def test_findings_of_artwork_and_sheet(session, tmp_path, printer):
    pixels = np.full((400, 400, 3), 128, np.uint8)
    save_picture(tmp_path / "bare.png", pixels, None, 300, np.full((400, 400), 200, np.uint8))
    session.open_artwork(tmp_path / "bare.png")
    assert {"space-supposed", "transparent"} <= codes(session)
    session.pieces.take_space(oprgb(), "opRGB")
    assert "space-supposed" not in codes(session)
    assert session.artwork.slip.words == "opRGB, chosen by you"
    session.place(Placing(10, 10, 190, 190))
    assert "low-resolution" in codes(session, "stop")  # flat graphics: edges would be stepped
    session.place(Placing(10, 10, 60, 60))
    assert "low-resolution" in codes(session, "caution")
    session.place(Placing(150, 10, 60, 60))
    assert "crosses-margin" in codes(session, "stop")
    session.act(Action(Deed.FIT_SHEET))
    assert "crosses-margin" not in codes(session)
    save_picture(tmp_path / "done.png", pixels, printer, 300)
    session.open_artwork(tmp_path / "done.png")
    assert "already-converted" in codes(session, "stop")
    with pytest.raises(FideleError, match="Held: this picture is converted already"):
        session.print_job(session.job())


def test_owner_follows_through(session):
    session.handoff.choose_owner("driver")
    assert session.chain.knots == ("driver",)
    assert session.device.settings()["Blend"] == "Velm natural"
    session.handoff.choose_owner("fidele")
    assert session.chain.knots == ("Fidele",)
    session.change_card("Nothing mirrors", mirror_by="nobody")
    assert "not-mirrored" in codes(session, "stop")
    session.act(Action(Deed.MIRROR))
    assert codes(session, "stop") == set()


def test_each_owner_is_one_switch_and_is_taken_back(session, printer):
    """Everything that follows is set too, in the driver and in the print system."""
    for owner, knots in (("system", ("system",)), ("driver", ("driver",)), ("fidele", ("Fidele",))):
        session.handoff.choose_owner(owner)
        assert session.chain.knots == knots
        assert not {"two-conversions", "no-conversion", "wrong-owner"} & codes(session)
        path = session.shelf.find(printer.content_id).path
        assert session.device.system.assigned() == (None, path if owner == "system" else None)
    session.handoff.choose_owner("system")
    session.undo()
    session.undo()
    assert session.chain.knots == ("Fidele",)
    assert session.device.system.assigned() == (None, None)
    # A driver that can be given a profile: the Gannet.
    gannet = session.devices.printer_of("orrin-gannet/G-2209")
    session.put_in_force(gannet.starter_card())
    with pytest.raises(FideleError, match="needs an output profile"):
        session.handoff.choose_owner("driver-profile")
    session.profiles.use(printer.content_id)
    session.handoff.choose_owner("driver-profile")
    assert session.chain.knots == ("driver",)
    assert session.device.settings()["Profile"] == str(session.shelf.find(printer.content_id).path)
    assert session.device.settings()["Aim"] == "keep the steps"


def test_a_held_print_goes_on_only_with_a_reason(session, places):
    session.open_artwork(places.data / "artwork" / "signal-flags.png")
    session.handoff.choose_setting("Blend", "Velm bright")
    job = session.job()
    with pytest.raises(FideleError, match="Held: two conversions"):
        session.print_job(job)
    run = session.print_job(job, overridden="to show the customer")
    assert run.receipt["Blend"] == "Velm bright"
    assert session.logbook.runs()[0].title == "signal-flags.png"
    with pytest.raises(FideleError, match="has not been pressed yet"):
        session.scan_run(run)
    with pytest.raises(FideleError, match="no chart"):
        session.checking.check_run(run, np.zeros((10, 10, 3), np.uint16))


def test_a_driver_that_cannot_be_read_is_not_known(session, places):
    path = next(places.bench.glob("wren-*.json"))
    path.write_text("{ damaged")
    session.refresh()
    assert session.chain.layer("driver").converts is None
    assert "driver" in session.chain.unknown
    assert "damaged; reset the driver" in session.said
    (finding,) = [f for f in session.findings if f.code == "layer-unreadable"]
    assert finding.weight == "stop"
    session.act(finding.action)
    assert session.chain.knots == ("Fidele",)
    assert codes(session, "stop") == set()


def measured_print(session, white: np.ndarray | None = None) -> np.ndarray:
    """Print the control chart as everything stands, press it, and measure it: L*a*b* relative to a white."""
    session.open_chart("control")
    job = session.job()
    job = dataclasses.replace(job, lying=(dataclasses.replace(job.lying[0], profile=session.profile),))
    run = session.press_run(session.print_job(job, overridden="test"))
    XYZ = spectra_to_xyz(session.devices.instrument.measure(run.piece, session.chart.centres(0)))
    return xyz_to_lab(XYZ / (session.profile.xyz("wtpt") if white is None else white) * D50)


@pytest.mark.parametrize("blend", ["Untouched", "Velm bright"])
def test_predicted_prints_agree_with_real_ones(session, places, blend):
    """The wrong-route picture beside what the bench really prints by that route, pressed and measured."""
    session.handoff.choose_setting("Blend", blend)
    driver = probe(session.device, session.media, session.state.read_at)
    facts = RouteFacts(True, False, None if driver.passes else driver, session.proof_settings)
    session.open_chart("control")
    now, right = predict(session.chart.rgb[None].astype(np.float32), srgb(), session.profile, facts)
    assert delta_e_2000(measured_print(session), now.Lab[0]).mean() < 1.0
    assert right.mean_de00 == 0
    assert (now.mean_de00 < 0.01) == (blend == "Untouched")


def test_every_wrong_route_is_predicted_as_the_bench_prints_it(session, places, printer):
    """Not converted, twice by driver and by system, another media's profile: predicted from profile and probe alone."""
    session.install(places.data / "downloads" / "fen-100-profiles.zip")
    slate = next(a for a in session.profiles.pending.arrivals if "slate" in a.title)
    session.profiles.settle({slate.id: "put"})
    other = session.shelf.load(slate.id)
    session.open_chart("control")
    patches = session.chart.rgb[None].astype(np.float32)
    facts = RouteFacts(True, False, None, session.proof_settings)
    found = wrong_routes(patches, srgb(), printer, facts, session.corrections.of(session.device), (("slate", other),))
    shown = {p.title: p for p in found}
    assert [p.mean_de00 for p in found] == sorted((p.mean_de00 for p in found), reverse=True)
    assert shown["not converted"].mean_de00 > 4

    def off(title: str) -> float:
        return float(delta_e_2000(measured_print(session), shown[title].Lab[0]).mean())

    session.change_card("no one", owner="driver")
    session.handoff.bring(("colour",))
    session.handoff.choose_setting("Blend", "Untouched")
    assert off("not converted") < 3
    session.change_card("Fidele", owner="fidele")
    session.handoff.choose_setting("Blend", "Velm natural")
    assert off("converted twice, by the driver too") < 3
    session.handoff.bring()
    session.device.system.assign(session.shelf.find(printer.content_id).path)
    assert off("converted twice, by the print system too") < 3
    session.device.system.assign(None)
    white = printer.xyz("wtpt")
    session.profiles.use(slate.id)
    assert session.profile.content_id == other.content_id
    measured = measured_print(session, white)
    assert delta_e_2000(measured, shown["through “slate”"].Lab[0]).mean() < 3


def test_the_page_that_is_sent_is_the_same_each_time(session, places):
    session.open_artwork(places.data / "artwork" / "lantern-parade-16bit.tif")
    job = session.job()
    page = prepare_page(job, session.device)
    assert page.dtype == np.uint8
    assert np.array_equal(page, prepare_page(job, session.device))
    correction = probe_correction(session.device, session.state.read_at)
    assert not correction.passes
    assert session.device.settings()["Blend"] == "Untouched"  # asking changed nothing


def test_the_card_on_disk_is_readable(places):
    (path,) = places.cards.glob("*.json")
    stored = json.loads(path.read_text())
    assert stored["owner"] == "fidele"
    assert stored["driver"]["stand_in"] == "Dull heavy"


def test_what_was_confirmed_is_asked_for_again_after_the_preset_was_lost(session):
    assert session.chain.layer("panel").evidence is Evidence.BY_HAND
    machine_of(session, session.device.id).driver.reset()
    session.refresh()
    (finding,) = [f for f in session.findings if f.code == "preset-lost"]
    assert finding == session.findings[0]  # it mends the others, so it stands first
    session.act(finding.action)
    assert codes(session, "stop") == set()
    assert "not-known" in codes(session, "caution")
    assert session.chain.layer("panel").evidence is Evidence.NOT_KNOWN
    session.undo()
    session.undo()
    assert session.chain.layer("panel").evidence is Evidence.BY_HAND
