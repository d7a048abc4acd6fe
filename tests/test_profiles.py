"""What people do with profiles in a workshop: choose, confirm, use, try, replace, take back."""

from __future__ import annotations

import datetime
import math

import numpy as np
import pytest
from known import PROFILES

from fidele.colour.difference import delta_e_2000
from fidele.errors import FideleError
from fidele.icc.profile import Profile
from fidele.icc.spaces import pass_through
from fidele.icc.tables import device_to_pcs_lab
from fidele.judge.finding import Action, Deed
from fidele.papers.leaflet import read_leaflet, text_of_leaflet
from fidele.route.layers import Evidence
from fidele.run.trial import answer
from fidele.session.model import Session
from fidele.session.places import Places
from fidele.store.scanners import ScannerSeen


def titled(session: Session, words: str) -> str:
    """The id of the one profile at the door or on the shelf with these words in its title."""
    pending = session.profiles.pending
    found = [a.id for a in pending.arrivals if words in a.title] if pending else []
    found = found or [r.entry.id for r in session.profiles.rows() if words in r.title]
    (one,) = set(found)
    return one


@pytest.fixture
def downloads(places: Places):
    return places.data / "downloads"


@pytest.fixture
def with_ceramic(session, downloads) -> Session:
    """A session in which the maker's profile for this printer, paper and piece was chosen out of its zip."""
    session.install(downloads / "fen-100-profiles.zip")
    session.profiles.settle({titled(session, "ceramic Velm Wren"): "put"})
    return session


def codes(session, weight=None):
    return {f.code for f in session.findings if weight in (None, f.weight)}


# Getting in ----------------------------------------------------------------------------------------------------------


def test_a_choice_is_asked_for_acted_on_and_undone(session, downloads):
    before = {e.id for e in session.shelf.entries()}
    asked = session.install(downloads / "fen-100-profiles.zip")
    assert [r.status for r in asked] == ["choose"] * 3
    assert {e.id for e in session.shelf.entries()} == before
    wanted = titled(session, "ceramic Velm Wren")
    (put,) = session.profiles.settle({wanted: "put", titled(session, "slate"): "leave"})
    assert put.status == "installed"
    assert session.profiles.pending is None
    assert {e.id for e in session.shelf.entries()} == before | {wanted}
    # The leaflet that lay in the zip is kept with it, its sentences offered as guesses.
    papers = session.profiles.papers(session.shelf.find(wanted))
    assert "leaflet Fen 100.pdf" in papers.leaflets
    assert papers.said["stand_in"].value == "Dull heavy"
    assert papers.said["stand_in"].origin == "leaflet"
    assert not papers.said["stand_in"].certain
    session.undo()
    assert {e.id for e in session.shelf.entries()} == before
    session.redo()
    assert {e.id for e in session.shelf.entries()} == before | {wanted}
    again = session.install(downloads / "fen-100-profiles.zip")
    assert sorted(r.status for r in again) == ["choose", "choose"]
    assert session.profiles.settle({}) == []


def test_another_version_takes_the_place_of_the_first_everywhere(session, printer, tmp_path):
    newer = bytearray(printer.data)
    newer[24:26] = (2027).to_bytes(2, "big")
    (tmp_path / "newer.icc").write_bytes(newer)
    new_id = Profile.parse(bytes(newer)).content_id
    session.profiles.choose_default(printer.content_id, "Fen 100")
    (asked,) = session.install(tmp_path / "newer.icc")
    assert asked.status == "choose"
    assert "made 2027-" in asked.reason
    session.profiles.settle({new_id: f"instead:{printer.content_id}"})
    assert session.card.profile == new_id
    assert session.cards.cards()[0].profile == new_id
    assert session.profile.content_id == new_id
    assert session.profiles.defaults.of(session.device.id, "Fen 100") == new_id
    assert session.shelf.find(printer.content_id) is None
    session.undo()
    assert session.card.profile == printer.content_id
    assert session.shelf.load(printer.content_id).data == printer.data
    assert session.shelf.find(new_id) is None
    # Beside each other, both stay.
    session.install(tmp_path / "newer.icc")
    session.profiles.settle({new_id: "put"})
    assert {printer.content_id, new_id} <= {e.id for e in session.shelf.entries()}
    assert session.card.profile == printer.content_id


def test_removal_holds_the_print_and_is_undone(session, printer):
    session.profiles.pin(printer.content_id, True)
    session.profiles.remove(printer.content_id)
    assert "profile-missing" in codes(session, "stop")
    assert session.profile is None
    session.undo()
    assert "profile-missing" not in codes(session)
    assert session.profile.data == printer.data
    assert session.profiles.row(session.shelf.find(printer.content_id)).papers.pinned
    with pytest.raises(FideleError, match="not on the shelf any more"):
        session.profiles.remove("0" * 16)


def test_the_makers_catalogue_and_the_printers_own_media(session):
    statuses = {}
    for item in session.devices.catalogue.listing():
        data = session.devices.catalogue.fetch(item)
        try:
            delivery = session.shelf.look_into(item.file, data)
        except FideleError as error:
            statuses[item.name] = str(error)
            continue
        results = session.profiles.receive(delivery)
        statuses[item.name] = {r.status for r in results}
        session.profiles.settle({})
    assert statuses["Fen 100 on ceramic and slate"] == {"choose"}
    assert statuses["Fen 140 on polyester"] == statuses["Gallery rag"] == {"installed"}
    assert statuses["Tarn heavy 120"] == {"refused"}
    # A profile that the printer carries states how it was made: nothing is left to guess.
    media = session.device.media_list()
    assert len(media) >= 3
    data = session.device.media_profile(media[0].name)
    (put,) = session.profiles.receive(session.shelf.look_into("Velm.icc", data))
    papers = session.profiles.papers(session.shelf.find(put.id))
    assert all(papers.said[n].certain for n in ("stand_in", "quality", "direction", "press_temperature"))


# What is said of them ------------------------------------------------------------------------------------------------


def test_what_is_said_is_confirmed_changed_and_undone(with_ceramic):
    session = with_ceramic
    profile_id = titled(session, "ceramic Velm Wren")
    entry = session.shelf.find(profile_id)
    guesses = {k for k, s in session.profiles.papers(entry).said.items() if not s.certain}
    assert {"printer", "media", "substrate", "stand_in", "quality", "press_seconds"} <= guesses
    session.profiles.confirm(profile_id, ("stand_in",))
    papers = session.profiles.papers(entry)
    assert papers.said["stand_in"].certain
    assert papers.said["stand_in"].who
    assert not papers.said["quality"].certain
    session.profiles.confirm(profile_id)
    assert all(s.certain for s in session.profiles.papers(entry).said.values())
    session.undo()
    assert not session.profiles.papers(entry).said["quality"].certain
    session.profiles.say(profile_id, "title", "Tile white, February")
    assert session.profiles.row(entry).title == "Tile white, February"
    assert session.profiles.row(entry).matches(["february", "wren"])
    assert not session.profiles.row(entry).matches(["march"])
    session.profiles.say(profile_id, "title", "")
    assert session.profiles.row(entry).title == "Fen 100 ceramic Velm Wren"
    assert session.profiles.attach(profile_id, read_leaflet("more.txt", b"Print at 720 dpi.")) == 1
    assert session.profiles.papers(entry).said["resolution"].value == "720"
    with pytest.raises(FideleError, match="holds no text"):
        text_of_leaflet("blank.txt", b" ")


def test_the_shelf_shows_what_people_use_and_finds_the_rest(with_ceramic, tmp_path):
    session = with_ceramic
    system = tmp_path / "system"
    system.mkdir()
    for path in PROFILES[:12]:
        (system / path.name).write_bytes(path.read_bytes())
    session.shelf.others = (system,)
    session.shelf.entries()
    rows = {r.title: r for r in session.profiles.rows()}
    assert sum(bool(r.used) for r in rows.values()) == 2
    assert rows["Velm Wren, Fen 100, ceramic tile"].used == "in a condition"
    assert rows["Fen 100 ceramic Velm Wren"].used == "yours"
    display = next(r for r in rows.values() if r.entry.description.device_class == "mntr")
    session.profiles.pin(display.entry.id, True)
    assert session.profiles.row(display.entry).used == "pinned"
    session.profiles.hide(display.entry.id, True)
    assert not session.profiles.row(display.entry).papers.pinned
    assert session.profiles.row(display.entry).papers.hidden
    # Only what fits printer, media and piece is offered first; the others say why not.
    offered = session.profiles.fitting(session.card)
    assert [r.fit.grade for r in offered] == sorted(
        (r.fit.grade for r in offered), key=["fits", "perhaps", "not"].index
    )
    assert {r.title for r in offered if r.fit.grade == "fits"} == {
        "Velm Wren, Fen 100, ceramic tile",
        "Fen 100 ceramic Velm Wren",
    }


def test_the_default_is_chosen_and_served_whatever_the_systems_default_printer(session, printer, places):
    session.profiles.choose_default(printer.content_id, "Fen 100")
    session.conditions.start()
    assert session.card.profile == printer.content_id
    assert session.card.owner == "fidele"
    session.undo()
    other = Session(places)
    assert other.profiles.defaults.of(other.device.id, "Fen 100") in ("", printer.content_id)
    session.profiles.choose_default("", "Fen 100")
    assert session.profiles.defaults.of(session.device.id, "Fen 100") == ""


# Where they are used -------------------------------------------------------------------------------------------------


def test_cautions_lead_to_one_press_and_a_passed_check_settles_them(with_ceramic):
    """A maker's profile: its leaflet is only a guess, so it is a caution; after a trial it is a note."""
    session = with_ceramic
    profile_id = titled(session, "ceramic Velm Wren")
    session.profiles.use(profile_id)
    assert "made-not-stated" in codes(session, "caution")
    assert "profile-does-not-fit" not in codes(session)
    assert session.stops == ()
    trial = session.trials.of_profile(profile_id)
    told: list[float] = []
    before = session.device.settings()
    done = session.trials.trying(trial)(lambda share: told.append(share) is None)
    session.trials.take(done)
    assert told == sorted(told)
    assert session.device.settings() == before
    papers = session.profiles.papers(session.shelf.find(profile_id))
    last = papers.on(session.device.id)
    assert last.passed
    assert 0.3 < last.p95 < 4
    assert last.sentence.startswith("Describes your printer within")
    assert papers.on("another unit") is None
    assert "made-not-stated" in codes(session, "note")
    assert "made-not-stated" not in codes(session, "caution")
    assert session.logbook.runs()[0].verdict == "pass"


def test_a_profile_for_something_else_is_told_before_ink_is_spent(session, downloads, places):
    session.install(downloads / "fen-100-profiles.zip")
    slate = titled(session, "slate")
    session.profiles.settle({slate: "put"})
    session.profiles.use(slate)
    (finding,) = [f for f in session.findings if f.code == "profile-does-not-fit"]
    assert finding.weight == "caution"  # the piece is a guess from its name
    assert "coated slate, not ceramic tile" in finding.why
    session.profiles.confirm(slate)
    assert "profile-does-not-fit" in codes(session, "stop")  # now that it is certain
    # Tried on the tile all the same, it does not describe what comes out.
    trial = session.trials.of_profile(slate)
    trial = type(trial)(trial.card.model_copy(update={"substrate": "ceramic tile"}), trial.profile, trial.title)
    session.trials.take(session.trials.trying(trial)(None))
    last = session.profiles.papers(session.shelf.find(slate)).on(session.device.id)
    assert not last.passed
    assert last.sentence.startswith("Does not describe your printer: off by")
    assert session.logbook.runs()[0].verdict == "fail"


def test_the_card_follows_how_the_profile_was_made(session, printer):
    session.change_card("another stock", driver=session.card.driver | {"stand_in": "Everyday", "quality": 1})
    session.handoff.bring()
    found = {f.code: f for f in session.findings}
    assert found["made-with-other-stand-in"].weight == "stop"
    assert "Dull heavy" in found["made-with-other-stand-in"].why
    assert found["made-with-other-quality"].weight == "caution"
    for code in ("made-with-other-stand-in", "made-with-other-quality"):
        session.act(found[code].action)
    assert not {c for c in codes(session) if c.startswith("made-with")}
    assert session.device.settings()["Stock"] == "Dull heavy"
    press = session.card.press.model_copy(update={"temperature": 180.0, "seconds": 60.0})
    session.change_card("cooler", press=press)
    (finding,) = [f for f in session.findings if f.code == "made-with-other-press"]
    assert "180 °C instead of 200" in finding.title
    session.act(finding.action)
    assert session.card.press.temperature == 200
    # Valid for several steps: either is right.
    session.profiles.say(printer.content_id, "quality", "1, 3")
    session.change_card("step", driver=session.card.driver | {"quality": 1})
    assert "made-with-other-quality" not in codes(session)


def test_a_condition_is_started_as_the_profile_was_made(session, downloads):
    session.install(downloads / "fen-140-polyester.eml")
    cloth = titled(session, "F140 cloth")
    papers = session.profiles.papers(session.shelf.find(cloth))
    assert papers.said["stand_in"].value == "Board"
    assert papers.said["quality"].values == ("2", "3")
    before = session.card
    session.profiles.say(cloth, "substrate", "polyester cloth")
    session.conditions.start_with(cloth)
    assert session.card.profile == cloth
    assert session.card.driver["stand_in"] == "Board"
    assert session.card.press.temperature == 195
    assert session.card.press.seconds == 45
    assert session.card.substrate == "polyester cloth"
    assert len(session.cards.cards()) == 2
    session.undo()
    assert session.card == before
    assert len(session.cards.cards()) == 1
    with pytest.raises(FideleError, match="not on the shelf any more"):
        session.conditions.start_with("0" * 16)


def test_a_trial_is_refused_with_the_reason(session, places, tmp_path, with_ceramic):
    display = PROFILES[[p.name for p in PROFILES].index("AdobeRGB1998.icc")]
    (put,) = session.install(display)
    with pytest.raises(FideleError, match="cannot be tried on the Velm Wren: Is a profile of class"):
        session.trials.of_profile(put.id)
    with pytest.raises(FideleError, match="cannot convert for a printer"):
        session.profiles.use(put.id)
    with pytest.raises(FideleError):
        session.conditions.start_with(put.id)
    session.device.system.assign(places.profiles / next(places.profiles.glob("*.icc")).name)
    with pytest.raises(FideleError, match="the print system converts as well"):
        session.trials.trying(session.trials.of_profile(titled(session, "ceramic Velm Wren")))(None)
    from fidele.tiles import CancelledError

    session.device.system.assign(None)
    settings = session.device.settings()
    with pytest.raises(CancelledError):
        session.trials.trying(session.trials.of_profile(titled(session, "ceramic Velm Wren")))(
            lambda share: share < 0.4
        )
    assert session.device.settings() == settings


def test_the_answer_of_a_trial_names_the_cast():
    from fidele.check.statistics import TOLERANCES, compare

    rng = np.random.default_rng(0)
    wanted = np.concatenate(
        [rng.random((24, 3)) * [70, 90, 90] + [15, -45, -45], np.array([[x, 0, 0] for x in range(20, 90, 10)])]
    )
    ids = tuple(str(i) for i in range(len(wanted)))
    blue = wanted + [0, 0, -1.4]
    c = compare(ids, wanted, blue, TOLERANCES["everyday"])
    assert answer(c, 0.1).endswith("; greys a little blue.")
    assert answer(c, math.nan).startswith("Describes your printer within ")
    assert "of what this scanner can see" in answer(c, 5.0)
    assert "of what this scanner can see" not in answer(c, math.nan)
    dark = compare(ids, wanted, wanted - [9, 0, 0], TOLERANCES["everyday"])
    assert "prints come out darker" in answer(dark, 0.1)
    assert "greys neutral" in answer(compare(ids, wanted, wanted + 0.01, TOLERANCES["everyday"]), 0.0)


# Layers that insist on a profile -------------------------------------------------------------------------------------


def test_a_pass_through_is_given_read_back_and_probed(session, places, profile_path):
    (insist,) = [c for c in session.devices.hands() if c.name == "every printer must have a profile"]
    insist.set("yes")
    session.device.system.assign(profile_path)
    session.refresh()
    assert session.chain.layer("system").converts
    assert "two-conversions" in codes(session, "stop")
    session.act(Action(Deed.SYSTEM_PASS))
    layer = session.chain.layer("system")
    assert not layer.converts
    assert layer.evidence is Evidence.PROBED
    assert "pass-through" in layer.how
    # Both ends are the same matrix profile, so numbers come out as they went in: every one of a thousand.
    page = np.random.default_rng(0).integers(0, 256, (25, 40, 3), dtype=np.uint8)
    assert np.array_equal(session.device.dry_run(page), page)
    # A table profile to itself is no pass-through, whatever its name: the probe shows it.
    session.device.system.assign(profile_path, profile_path)
    assert session.chain is not None
    found = session.handoff.probe()
    assert not found.passes
    assert session.chain.layer("system").converts
    # One end changed behind our back: it converts again, and is seen.
    session.act(Action(Deed.SYSTEM_PASS))
    session.device.system.assign(profile_path, session.profiles.pass_through_file())
    session.refresh()
    assert session.chain.layer("system").converts


def test_the_pass_through_is_a_plain_matrix_profile():
    made = pass_through()
    assert {"rXYZ", "gXYZ", "bXYZ", "rTRC"} <= made.tags.keys()
    assert not any(t.startswith(("A2B", "B2A")) for t in made.tags)
    ramp = np.linspace(0, 1, 17)[:, None].repeat(3, axis=1)
    Lab = device_to_pcs_lab(made, ramp)
    assert np.abs(Lab[:, 1:]).max() < 0.05
    assert delta_e_2000(Lab[-1:], np.array([[100.0, 0, 0]]))[0] < 0.05


# Not for printing ----------------------------------------------------------------------------------------------------


def test_profiles_that_do_not_print_are_shown_where_they_are_useful(session, places, tmp_path):
    display = next(p for p in PROFILES if p.name == "AdobeRGB1998.icc")
    session.install(display)
    screen = next(e.id for e in session.shelf.entries() if e.description.device_class == "mntr")
    # As the space of a picture that says nothing of itself.
    session.open_artwork(places.data / "artwork" / "tide-table-no-space-stated.png")
    before = session.artwork.profile.content_id
    session.pieces.take_space(session.profiles.as_space(screen), "a screen")
    assert session.artwork.profile.content_id == screen
    assert session.artwork.slip.kind == "chosen"
    session.undo()
    assert session.artwork.profile.content_id == before
    # As the screen that proofs are shown through.
    assert session.screen() is None
    session.profiles.stand_for("screen", screen)
    assert session.screen().content_id == screen
    assert Session(places).screen().content_id == screen
    session.undo()
    assert session.screen() is None
    # As the scanner's, for one whose profile came from elsewhere: what it can see is taken for little until told.
    made_here = session.checking.scanner
    assert made_here.residual_mean < 0.7
    (tmp_path / "scanner.icc").write_bytes(made_here.path.read_bytes())
    session.install(tmp_path / "scanner.icc")
    scanner = next(e.id for e in session.shelf.entries() if e.description.device_class == "scnr")
    session.profiles.stand_for("scanner", scanner)
    assert session.checking.scanner.path.parent == places.profiles
    assert not session.checking.scanner.known
    assert session.checking.scanner.residual_mean > 1
    session.checking.keep_verified(ScannerSeen(datetime.datetime(2026, 5, 4), 0.9))
    assert session.checking.scanner.known
    assert session.checking.scanner.residual_mean == 0.9
    session.shelf.remove(scanner)
    assert session.checking.scanner == made_here  # a profile that is gone does not leave the check without one


def test_where_one_of_several_cannot_be_written_none_is(session, downloads, monkeypatch):
    """The disk is full after the first: nothing half-installed, and what was asked can be asked again."""
    session.install(downloads / "fen-100-profiles.zip")
    pending = session.profiles.pending
    before = {p.name for p in session.shelf.own.iterdir()}
    put, calls = session.shelf.put, []

    def full(arrival):
        calls.append(arrival)
        if len(calls) == 2:
            raise FideleError("The disk is full.")
        return put(arrival)

    monkeypatch.setattr(session.shelf, "put", full)
    with pytest.raises(FideleError, match="disk is full"):
        session.profiles.settle({a.id: "put" for a in pending.arrivals})
    assert {p.name for p in session.shelf.own.iterdir()} == before
    assert session.profiles.pending is pending
    monkeypatch.setattr(session.shelf, "put", put)
    assert [r.status for r in session.profiles.settle({a.id: "put" for a in pending.arrivals})] == ["installed"] * 3


def test_a_printer_straight_on_paper_is_tried_without_a_press(session):
    """The Gannet takes 16 bits, mirrors nothing, and its print is the piece."""
    gannet = session.devices.printer_of("orrin-gannet/G-2209")
    item = next(i for i in session.devices.catalogue.listing() if i.name == "Gallery rag")
    (put,) = session.profiles.receive(session.shelf.look_into(item.file, session.devices.catalogue.fetch(item)))
    session.put_in_force(gannet.starter_card())
    assert session.device is gannet
    assert session.profiles.row(session.shelf.find(put.id)).fit.grade == "fits"
    session.profiles.use(put.id)
    session.handoff.bring()
    assert session.chain.knots == ("Fidele",)
    assert (session.chain.twists, session.chain.true_size) == (0, True)
    assert "made-not-stated" not in {f.code for f in session.findings}
    session.trials.take(session.trials.trying(session.trials.of_profile(put.id))(None))
    last = session.profiles.papers(session.shelf.find(put.id)).on(gannet.id)
    assert last.passed, last.sentence
    assert last.p95 < 4
    # The verdict is this unit's alone.
    assert session.profiles.papers(session.shelf.find(put.id)).on("velm-wren/W-0417") is None
