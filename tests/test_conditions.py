"""Printing conditions: changed, copied, locked, compared, sent and taken in."""

from __future__ import annotations

import copy
import dataclasses
import json
import zipfile

import pytest
from known import bundle

from fidele.demo.prepare import demo_card
from fidele.errors import FideleError
from fidele.judge.finding import Action, Deed
from fidele.route.differences import differences
from fidele.session.making import Draft
from fidele.session.model import Session
from fidele.session.news import ConditionsChanged
from fidele.session.places import Places
from fidele.store.cards import export_card, read_export
from tests.hands import click, go


def codes(session, weight=None):
    return {f.code for f in session.findings if weight in (None, f.weight)}


def test_a_copy_with_another_media_brings_what_belongs_to_it(session, places):
    """The mail's profile for Fen 140 on cloth: its stand-in, passes and press come along, and all of it is told."""
    (put,) = session.install(places.data / "downloads" / "fen-140-polyester.eml")
    session.profiles.say(put.id, "media", "Fen 140")
    session.profiles.choose_default(put.id, "Fen 140")
    old = session.card
    found = session.conditions.copy(old.id, "Pennants", media="Fen 140", substrate="polyester cloth")
    card = session.card
    assert (card.name, card.media, card.substrate, card.profile) == ("Pennants", "Fen 140", "polyester cloth", put.id)
    assert (card.driver["stand_in"], card.driver["quality"]) == ("Board", 2)
    assert (card.press.temperature, card.press.seconds) == (195, 45)
    assert {d.label for d in found} == {
        "Media",
        "Piece",
        "Profile",
        "Media set",
        "Quality",
        "Press temperature",
        "Press time, s",
        "Press pressure",
    }
    assert old in session.cards.cards()
    session.undo()
    assert session.card == old
    assert [c.id for c in session.cards.cards()] == [old.id]
    # Where there is no profile for it, the driver converts until there is one.
    session.conditions.copy(old.id, "On something new", media="Tarn heavy 120")
    assert (session.card.profile, session.card.owner) == (None, "driver")


def test_a_copy_in_another_size_changes_nothing_else(session):
    found = session.conditions.copy(session.card.id, "Small", size="A5")
    assert [(d.label, d.one, d.other) for d in found] == [("Size", "A4", "A5")]
    session.handoff.bring()
    assert session.device.settings()["Format"] == "A5"
    assert "wrong-size" not in codes(session)


def test_a_locked_card_stays_as_it_is(session):
    session.conditions.lock(True)
    for change in (
        lambda: session.change_card("x", bpc=False),
        lambda: session.handoff.choose_owner("driver"),
        lambda: session.conditions.remove(session.card.id),
    ):
        with pytest.raises(FideleError, match="is locked"):
            change()
    session.handoff.confirm("ink_saving", "off")  # looking something up is no change of what is wanted
    session.conditions.lock(False)
    session.change_card("Black point compensation off", bpc=False)
    assert [h.what for h in session.card.history][-1] == "Black point compensation off"
    assert all(h.who and h.when for h in session.card.history)


def test_cards_are_compared_in_words():
    one = demo_card("abc")
    assert differences(one, one.model_copy(update={"name": "other", "id": "x"})) == []
    other = one.model_copy(
        update={"owner": "driver", "bpc": False, "driver": one.driver | {"quality": 2}, "profile_title": "New"}
    )
    press = one.press.model_copy(update={"temperature": 190.0})
    found = differences(one, other.model_copy(update={"press": press, "profile": "def"}))
    assert [(d.label, d.one, d.other) for d in found] == [
        ("Profile", "abc", "New"),
        ("Black point compensation", "on", "off"),
        ("Who converts", "Fidele", "the driver"),
        ("Quality", "3", "2"),
        ("Press temperature", "200 °C", "190 °C"),
    ]


def test_a_card_travels_with_its_profile(session, printer, tmp_path):
    path = tmp_path / "tiles.condition.zip"
    session.conditions.export(session.card.id, path)
    with zipfile.ZipFile(path) as opened:
        assert opened.read("profile.icc") == printer.data
        assert json.loads(opened.read("condition.json"))["version"] == 1
    other = Session(Places.under(tmp_path / "elsewhere"))
    taken = other.conditions.take_in(read_export(path))
    assert other.shelf.load(printer.content_id).data == printer.data
    assert other.cards.cards() == [taken]
    other.put_in_force(taken)
    assert other.profile is not None
    # The same again is no second card; one of the same id that differs is kept beside it.
    assert other.conditions.take_in(read_export(path)).id == taken.id
    assert len(other.cards.cards()) == 1
    other.change_card("Notes", notes="ours")
    beside = other.conditions.take_in(read_export(path))
    assert beside.id != taken.id
    assert len(other.cards.cards()) == 2
    assert other.cards.find(taken.id).notes == "ours"
    other.undo()
    assert len(other.cards.cards()) == 1


def test_what_a_newer_fidele_wrote_travels_too(session, tmp_path):
    card = session.card.model_copy(update={"version": 7, "scent": "lavender"})
    export_card(card, None, tmp_path / "new.zip")
    held = read_export(tmp_path / "new.zip")
    back = held.card
    assert held.profile is None
    assert back.model_dump()["scent"] == "lavender"
    assert back.version == 7


@pytest.mark.parametrize(
    ("files", "words"),
    [
        ({"other.txt": b"x"}, "holds no printing condition"),
        ({"condition.json": b"{ broken"}, "cannot be read"),
        ({"condition.json": b'{"id": "x"}'}, "cannot be read: name"),
        ({"condition.json": demo_card(None).model_dump_json().encode(), "profile.icc": b"junk" * 99}, "is refused"),
    ],
)
def test_a_bad_file_is_refused_whole(session, tmp_path, files, words):
    before = session.cards.cards(), [e.id for e in session.shelf.entries()]
    with pytest.raises(FideleError, match=words):
        session.conditions.take_in(read_export(bundle(tmp_path / "bad.zip", files)))
    assert (session.cards.cards(), [e.id for e in session.shelf.entries()]) == before
    (tmp_path / "cut.zip").write_bytes(bundle(tmp_path / "bad.zip", files).read_bytes()[:40])
    with pytest.raises(FideleError, match="damaged, or no printing condition"):
        session.conditions.take_in(read_export(tmp_path / "cut.zip"))


def test_removal_is_undone_and_the_next_card_comes_into_force(session):
    first = session.card
    session.conditions.copy(first.id, "Second", size="A5")
    second = session.card
    session.conditions.remove(second.id)
    assert session.card.id == first.id
    session.undo()
    assert session.card == second
    session.conditions.remove(first.id)
    assert session.card == second
    session.conditions.remove(second.id)
    assert session.card is None
    session.undo()
    assert session.card == second
    with pytest.raises(FideleError, match="no printing condition 'nowhere'"):
        session.conditions.need("nowhere")


def test_a_profile_that_changed_since_is_told(session, printer):
    newer = bytearray(printer.data)
    newer[24:26] = (2027).to_bytes(2, "big")
    session.profiles.use(printer.content_id)
    session.change_card("title", profile_title=session.profiles.title_in_force)
    path = session.shelf.find(printer.content_id).path
    path.write_bytes(newer)
    session.shelf.entries()
    session.profiles.changed()
    (finding,) = [f for f in session.findings if f.code == "profile-changed"]
    assert finding.weight == "stop"
    session.act(finding.action)
    assert "profile-changed" not in codes(session)
    assert session.profile.data == bytes(newer)


def test_an_intent_that_the_profile_does_not_have_is_told(session, places):
    (put,) = session.install(places.data / "downloads" / "Velm_Wren_Tarn_light_60.icc.txt")
    session.profiles.use(put.id)
    (finding,) = [f for f in session.findings if f.code == "intent-missing"]
    session.act(finding.action)
    assert session.card.intent.value == "relative"
    assert "intent-missing" not in codes(session)
    # It says nothing of quality: below the best that the media allows is a caution, the best is none.
    assert "quality-below-media" not in codes(session)
    session.change_card("fewer", driver=session.card.driver | {"quality": 2})
    (finding,) = [f for f in session.findings if f.code == "quality-below-media"]
    session.act(finding.action)
    assert session.card.driver["quality"] == 3
    assert session.device.settings()["Passes"] == 3


def test_a_probe_names_the_conversion(session):
    session.handoff.choose_setting("Blend", "Velm natural")
    session.handoff.probe()
    assert "That is the maker's correction." in session.said
    session.handoff.choose_owner("system")
    session.handoff.probe()
    assert "That is this profile again, taking the numbers for sRGB, perceptual." in session.said
    session.handoff.choose_owner("fidele")
    session.handoff.probe()
    assert session.said == "Probed. Every number came out as it went in."


# Making one ----------------------------------------------------------------------------------------------------------


def test_making_one_asks_in_order_and_fills_in_what_follows(session, places, printer):
    making = session.making
    assert {"ceramic tile", "polyester cloth", "the paper itself"} <= set(making.pieces())
    assert [p.name for p in making.printers("ceramic tile")] == ["Velm Wren", "Skarn Longship"]
    assert [p.name for p in making.printers("the paper itself")] == ["Orrin Gannet"]
    draft = Draft(piece="ceramic tile", printer="velm-wren/W-0417", media="Fen 100")
    (row,) = making.profiles(draft)
    assert row.entry.id == printer.content_id
    assert "try it before the first piece" in making.expect(dataclasses.replace(draft, profile=row.entry.id))
    card = making.make(dataclasses.replace(draft, profile=row.entry.id, size="A5", name="Small tiles"))
    assert session.card == card
    assert (card.name, card.size, card.owner, card.profile) == ("Small tiles", "A5", "fidele", printer.content_id)
    assert (card.driver["stand_in"], card.driver["quality"], card.press.temperature) == ("Dull heavy", 3, 200)
    session.handoff.bring()
    session.handoff.confirm("ink_saving", "off")
    assert [f.code for f in session.findings] == ["wrong-sheet-loaded"]
    session.act(Action(Deed.LAY_IN))
    assert session.findings == ()
    session.undo()  # the confirmation
    session.undo()
    session.undo()
    assert session.card.id == "house-number-tiles"
    for missing in ("piece", "printer", "media"):
        with pytest.raises(FideleError, match="Decide"):
            making.card(dataclasses.replace(draft, **{missing: ""}))


def test_without_a_profile_there_is_a_proper_way_on(session):
    """The driver converts, honestly said; three stand-ins worth trying, each a condition of its own that can print."""
    making = session.making
    draft = Draft(piece="coated slate", printer="velm-wren/W-0417", media="Moor board 200")
    assert making.profiles(draft) == []
    assert "greys may lean" in making.expect(draft)
    tried = making.stand_ins(draft)
    assert len(tried) >= 3
    assert tried[0].name == "Board"  # it shares a word with the media
    cards = making.stand_in_trials(draft)
    assert [c.driver["stand_in"] for c in cards] == [m.name for m in tried[:3]]
    assert len({c.id for c in cards}) == 3
    assert all(c.owner == "driver" and c.profile is None and c.substrate == "coated slate" for c in cards)
    for card in cards:
        session.put_in_force(card)
        session.handoff.bring()
        assert session.chain.knots == ("driver",)
        assert session.stops == ()
        assert session.device.settings()["Stock"] == card.driver["stand_in"]


def test_every_printer_and_piece_makes_a_card_that_can_be_put_in_force(session):
    making = session.making
    for piece in making.pieces():
        for device in making.printers(piece):
            draft = Draft(piece=piece, printer=device.id, media="Something new")
            for size in making.sizes(draft):
                made = making.make(dataclasses.replace(draft, size=size))
                session.handoff.bring()
                wrong = [r.meaning for r in session.rows if r.agrees is False and r.settable]
                assert wrong == [], (device.name, size)
                assert session.chain.knots == ("driver",)
                assert session.chain.twists == made.twists_needed


def test_two_windows_on_one_card_never_overwrite_each_other(session, places):
    other = Session(places)
    session.change_card("Notes", notes="from the first")
    with pytest.raises(FideleError, match="changed by another window or by hand a moment ago"):
        other.change_card("Notes", notes="from the second")
    assert other.card.notes == "from the first"  # read again, nothing lost
    other.change_card("Notes", notes="from the second")
    session.in_force.follow()
    assert session.card.notes == "from the second"
    assert "changed elsewhere" in session.said
    # By hand, and wrongly: what was in force stays, and the file is not written over.
    path = places.cards / f"{session.card.id}.json"
    broken = path.read_text().replace('"size"', '"siz')
    path.write_text(broken)
    session.in_force.follow()
    assert "cannot be read" in session.said
    assert session.card.notes == "from the second"
    other.in_force.follow()
    assert path.read_text() == broken
    # Taken away elsewhere: the next one comes into force.
    path.unlink()
    session.in_force.follow()
    assert session.card is None
    assert "taken away elsewhere" in session.said


def test_every_field_of_a_card_can_be_read_and_what_may_be_changed_is(session):
    fields = {f.key: f for f in session.fields.of(session.card)}
    assert {"name", "media", "size", "intent", "bpc", "owner", "driver.quality", "press.preheat"} <= set(fields)
    assert (fields["driver.direction"].words, fields["profile"].words) == ("one way", session.profiles.title_in_force)
    assert all(f.group for f in fields.values())
    for key, value, found in (
        ("driver.stand_in", "Everyday", lambda c: (c.driver["stand_in"], c.driver["quality"])),
        ("press.temperature", 190.0, lambda c: c.press.temperature),
        ("seen_from", "back", lambda c: (c.seen_from, c.mirror_by)),
        ("artwork_ppi", 150, lambda c: c.artwork_ppi),
        ("name", "Renamed", lambda c: c.name),
    ):
        before = session.card
        session.fields.set(key, value)
        wanted = {"driver.stand_in": ("Everyday", 2), "seen_from": ("back", "nobody")}.get(key, value)
        assert found(session.card) == wanted
        session.undo()
        assert session.card == before
    with pytest.raises(FideleError, match="beyond any press"):
        session.fields.set("press.temperature", 900.0)
    with pytest.raises(FideleError, match="needs a name"):
        session.fields.set("name", "  ")
    session.conditions.lock(True)
    with pytest.raises(FideleError, match="is locked"):
        session.fields.set("bpc", False)


def test_putting_a_card_in_force_sets_everything_in_one_act(session):
    tiles = session.card
    gannet = next(p for p in session.devices.printers if p.process == "direct")
    sheets = gannet.starter_card()
    session.cards.save(sheets)
    was = gannet.settings()
    session.handoff.put_in_force(sheets)
    assert session.card == sheets
    assert [r.meaning for r in session.rows if r.agrees is False and r.settable] == []
    assert session.chain.knots == ("driver",)
    assert "Set, and read back." in session.said
    session.device.choose("Only grey", "yes")
    session.handoff.put_in_force(tiles)
    session.handoff.put_in_force(sheets)
    assert session.device.settings()["Only grey"] == "no"
    for _ in range(3):
        session.undo()
    assert session.card == tiles
    assert gannet.settings() == was
    # A damaged driver is no reason to lose the card: it comes into force, and what is wrong is said.
    (session.places.bench / "gannet-G-2209.json").write_text("{")
    session.handoff.put_in_force(sheets)
    assert {f.code for f in session.stops} == {"layer-unreadable"}


def test_materials_of_ones_own_and_their_lots(session, places, qtbot):
    """Made, named, copied, used on the card, undone; a new lot asks for a check until there is one."""
    from fidele.desk.application import open_window
    from tests.hands import click

    window = open_window(session.places, session.devices)
    qtbot.addWidget(window)
    window.show()
    session, desk = window.session, window.desks["Materials"]
    go(window, "Materials")
    click(desk, "New …")
    click(desk, "Keep it")
    assert session.said.startswith("It needs a name")
    desk.name.setText("Heron transfer 120")
    desk.lot.setText("H-7")
    click(desk, "Keep it")
    desk._edit(None)
    desk.kind.setCurrentIndex(desk.kind.findData("process"))
    desk.name.setText("Glass from behind")
    desk.seen.setCurrentIndex(desk.seen.findData("back"))
    desk.press["seconds"].setValue(240)
    click(desk, "Keep it")
    paper, process = session.materials.store.all()
    assert (paper.name, paper.lot, process.press.seconds) == ("Heron transfer 120", "H-7", 240)
    copied = session.materials.copy(paper)
    assert (copied.name, session.materials.names("media")) == (
        "Heron transfer 120 2",
        ("Heron transfer 120", "Heron transfer 120 2"),
    )
    session.undo()
    assert session.materials.names("media") == ("Heron transfer 120",)
    # On the card: name and lot; a process with all that it says.
    (media,) = [f for f in session.fields.of(session.card) if f.key == "media"]
    assert {v for v, _ in media.offered} == {session.card.media, "Heron transfer 120"}
    session.fields.set("media", "Heron transfer 120")
    assert (session.card.media, session.card.lots) == ("Heron transfer 120", {"media": "H-7"})
    session.materials.use(process)
    assert (session.card.seen_from, session.card.mirror_by, session.card.press.seconds) == ("back", "nobody", 240)
    session.undo()
    assert session.card.seen_from == "front"
    # Checked with one lot, printed with the next: asked for until that is checked.
    session.open_chart("quick")
    run = session.press_run(session.print_job(session.job(), overridden="only for its lot"))
    session.checking.check_run(run, session.devices.scanner.scan(run.piece, run.number).pixels, 150)
    assert "new-lot" not in {f.code for f in session.findings}
    session.fields.set("lots.media", "H-8")
    (found,) = [f for f in session.findings if f.code == "new-lot"]
    assert found.title == "Another lot of media: H-8"
    go(window, "Condition")
    # A newer start finds them; what is damaged is kept aside and costs nothing else.
    again = type(session.materials.store)(places.data / "materials.json")
    assert [m.name for m in again.all()] == ["Heron transfer 120", "Glass from behind"]
    (places.data / "materials.json").write_text('[{"kind": "ink"}]')
    assert type(again)(places.data / "materials.json").all() == ()


def test_what_hands_found_is_kept_on_the_card(window, tmp_path, qtbot):
    """Hand values are wanted, set and read back; another card puts them to rest; they come back exactly, and travel."""
    session = window.session
    session.handoff.bring()
    session.handoff.confirm("ink_saving", "off")
    go(window, "Hand-off")
    session.handoff.choose_setting("Warmth", -3)
    session.handoff.choose_setting("Light", 2)
    (row,) = [r for r in session.rows if r.meaning == "sliders"]
    assert (row.wanted, row.found, row.agrees) == ("all neutral", "Light +2, Warmth -3", False)
    assert "wrong-sliders" in {f.code for f in session.findings}
    click(window.desk, "Keep")
    (row,) = [r for r in session.rows if r.meaning == "sliders"]
    assert (row.wanted, row.agrees) == ("Light +2, Warmth -3", True)
    assert "wrong-sliders" not in {f.code for f in session.findings}
    mine = session.card
    assert mine.hand == {"Light": 2, "Warmth": -3}
    # Another card in force: what is left over is a fault there, and put to rest with the rest.
    other = mine.model_copy(update={"id": "other", "name": "Other", "hand": {}})
    session.cards.save(other)
    session.live.tell(ConditionsChanged())
    assert mine.digits != other.digits
    assert [d.label for d in differences(mine, other)][-2:] == ["Light, by hand", "Warmth, by hand"]
    session.handoff.put_in_force(session.cards.find("other"))
    assert not session.device.settings()["Warmth"]
    session.device.choose("Strength", 5)
    session.refresh()
    assert "wrong-sliders" in {f.code for f in session.findings}
    session.handoff.put_in_force(session.cards.find(mine.id))
    now = session.device.settings()
    assert (now["Light"], now["Strength"], now["Warmth"]) == (2, 0, -3)
    # Field by field, undone, and in a file for a colleague.
    keys = {f.key: f.words for f in session.fields.of(session.card)}
    assert (keys["hand.Light"], keys["hand.Strength"], keys["hand.Warmth"]) == ("+2", "0", "-3")
    session.fields.set("hand.Light", 4)
    assert session.card.hand == {"Light": 4, "Warmth": -3}
    session.undo()
    session.conditions.export(mine.id, tmp_path / "c.zip")
    session.conditions.remove("other")
    taken = session.conditions.take_in(read_export(tmp_path / "c.zip"))
    assert taken.hand == {"Light": 2, "Warmth": -3}


def test_a_condition_is_carried_to_another_printer_with_what_differs_there(session):
    """Another unit takes everything along but what was confirmed; another model only what its driver offers."""
    session.change_card("By hand", hand={"Warmth": -3})
    mine, first = session.card, session.device
    twin = dataclasses.replace(first) if dataclasses.is_dataclass(first) else copy.copy(first)
    twin.id = "velm-wren/W-9999"
    assert session.conditions.copy_to(mine.id, twin) == []
    now = session.card
    assert (now.printer, now.hand, now.profile, dict(now.driver)) == (
        twin.id,
        mine.hand,
        mine.profile,
        dict(mine.driver),
    )
    assert now.confirmed == {}
    assert "two printers of one model differ" in session.said
    session.undo()
    assert session.card == mine
    (roll,) = [p for p in session.devices.printers if p.name == "Skarn Longship"]
    lost = session.conditions.copy_to(mine.id, roll)
    assert "Warmth -3 by hand" in lost
    assert "its profile" in lost
    assert (session.card.hand, session.card.profile, session.card.owner) == ({}, None, "driver")
    assert session.card.size in roll.sizes()
    assert "Not taken along: " in session.said
