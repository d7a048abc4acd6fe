"""Every rule of the hand-off on a whole workshop: a route without the fault, with just that one, and mended."""

from __future__ import annotations

import datetime
import shutil

import numpy as np
import pytest
from PIL import Image

from fidele.bench.sketch import Sketch
from fidele.demo.prepare import PROFILE_TITLE
from fidele.errors import FideleError
from fidele.icc.spaces import oprgb
from fidele.icc.transform import Intent
from fidele.judge.finding import Action, Deed
from fidele.run.page import prepare_page
from fidele.session.model import Session
from fidele.session.places import Places
from fidele.sheet.placing import Placing
from tests.hands import machine_of

WREN, GANNET, LONGSHIP = "velm-wren/W-0417", "orrin-gannet/G-2209", "skarn-longship/L-0031"


def hands(session, device: str, name: str):
    """What hands reach at the bench, by device and name."""
    return next(c for c in session.devices.hands() if (c.device, c.name) == (device, name))


def machine(session):
    return machine_of(session, session.card.printer)


def say(session, **said: str) -> None:
    """Let the papers of the card's profile say something, and people have confirmed it."""
    for field, value in said.items():
        session.profiles.say(session.card.profile, field, value)


@pytest.fixture
def good(demo, tmp_path):
    """Return what makes a session whose card, for one of the printers, finds no fault."""

    def make(printer_id: str) -> Session:
        root = tmp_path / printer_id.replace("/", "-")
        for part in ("icc", "conditions", "bench", "scanner"):
            shutil.copytree(demo.data / part, root / part)
        made = Session(Places.under(root))
        profile = made.card.profile
        if printer_id != WREN:
            card = made.devices.printer_of(printer_id).starter_card()
            made.cards.save(card)
            made.put_in_force(card)
            made.change_card("profile", profile=profile, profile_title=PROFILE_TITLE, owner="fidele")
            about = {"printer": card.printer_name, "unit": card.printer, "media": card.media, "ink": card.ink}
            made_with = {m: str(card.driver[m]) for m in ("stand_in", "quality", "direction") if m in card.driver}
            say(made, **about, substrate=card.substrate, **made_with)
        made.handoff.bring()
        for row in made.rows:
            if row.found is None:
                made.handoff.confirm(row.meaning, row.wanted)
        made.open_artwork(demo.data / "artwork" / "harbour-at-dusk.png")
        assert [f.code for f in made.findings] == [], printer_id
        return made

    return make


def by_program(session, guess: str = "left unread") -> None:
    """Let the bench's drawing program print, set as it must be but for how it takes colours."""
    hands(session, "Skerry Sketch", "Ink › Lay out").set("as drawn")
    hands(session, "Skerry Sketch", "Ink › Colour notes").set(guess)
    session.handoff.print_from("Skerry Sketch")
    session.handoff.probe()


def program_turns(session, name: str, value: str) -> None:
    by_program(session)
    hands(session, "Skerry Sketch", name).set(value)
    session.handoff.probe()


def confirmed_days_ago(session, days: int) -> None:
    seen = session.card.confirmed["ink_saving"]
    old = seen.model_copy(update={"when": seen.when - datetime.timedelta(days=days)})
    session.change_card("long ago", confirmed={"ink_saving": old})


def give_profile(session, path) -> None:
    session.handoff.choose_owner("driver-profile")
    session.device.choose("Profile", str(path))
    session.refresh()


def other_profile(session):
    path = session.places.data / "another.icc"
    path.write_bytes(oprgb().data)
    return path


def assign_other(session) -> None:
    session.handoff.choose_owner("system")
    session.device.system.assign(other_profile(session))
    session.refresh()


def large(session, width: float) -> None:
    session.place(Placing.centred(session.media, width, width * 2 / 3))


def lock(session, control: str, value) -> None:
    session.device.choose(control, value)
    machine(session).driver.hold(control)
    session.refresh()


def mirror(session, who: str) -> None:
    session.change_card("mirror", mirror_by=who)


def media_made_for(session, **said: str) -> None:
    say(session, **said)
    session.refresh()


def from_elsewhere(session) -> None:
    """Print through a maker's profile that says only printer and paper."""
    item = next(i for i in session.devices.catalogue.listing() if i.file == "Velm_Wren_Tarn_light_60.icc")
    (put,) = session.profiles.receive(session.shelf.look_into(item.file, session.devices.catalogue.fetch(item)))
    session.profiles.use(put.id)


def relative(session) -> None:
    session.change_card("intent", intent=Intent.RELATIVE)


def changed_driver(session, **wanted) -> None:
    session.change_card("driver", driver=session.card.driver | wanted)


#: What else is said where the media is another one.
ANOTHER_MEDIA = ("profile-does-not-fit", "never-verified", "made-with-other-stand-in", "wrong-panel-media")


def gone(session) -> None:
    session.profiles.remove(session.card.profile)


#: Code, printer, what brings the fault about, and what else may be found with it as the same thing seen elsewhere.
RULES = [
    ("two-conversions", WREN, lambda s: s.handoff.choose_setting("Blend", "Velm bright"), ()),
    ("two-conversions", WREN, lambda s: s.device.system.assign(s.handoff.profile_path(s.card.profile)), ()),
    ("two-conversions", WREN, lambda s: by_program(s, "guessed"), ()),
    ("two-conversions", GANNET, lambda s: (s.handoff.choose_owner("driver"), assign(s)), ()),
    ("two-conversions", GANNET, lambda s: (s.handoff.choose_owner("driver"), by_program(s, "guessed")), ()),
    ("two-conversions", WREN, lambda s: (s.handoff.choose_owner("system"), by_program(s, "guessed")), ()),
    ("no-conversion", WREN, lambda s: (s.handoff.choose_owner("driver"), s.device.choose("Blend", "Untouched")), ()),
    ("wrong-owner", GANNET, lambda s: (s.handoff.choose_owner("driver"), assign(s), untouched(s)), ("wrong-colour",)),
    (
        "wrong-input-space",
        GANNET,
        lambda s: (s.handoff.choose_owner("driver"), s.device.choose("Comes in", "sRGB")),
        (),
    ),
    ("media-set-as-another", GANNET, lambda s: s.change_card("x", media="Orrin sheen"), ANOTHER_MEDIA),
    ("settings-contradict", GANNET, lambda s: changed_driver(s, black_ink="shining"), ("wrong-black-ink",)),
    ("intent-not-used", WREN, lambda s: (s.handoff.choose_owner("system"), relative(s)), ()),
    ("wrong-system-profile", WREN, assign_other, ()),
    ("wrong-given-profile", GANNET, lambda s: give_profile(s, other_profile(s)), ()),
    ("wrong-given-intent", GANNET, lambda s: (given(s), s.device.choose("Aim", "keep the paper")), ()),
    ("owner-greyed-out", WREN, lambda s: lock(s, "Blend", "Velm natural"), ("two-conversions",)),
    ("wrong-quality", WREN, lambda s: lock(s, "Passes", 2), ()),
    ("wrong-black-ink", GANNET, lambda s: (on_sheen(s), s.device.choose("Black", "soft")), ()),
    ("wrong-purpose", GANNET, lambda s: s.device.choose("Occasion", "portraits"), ("two-conversions",)),
    ("wrong-feed", GANNET, lambda s: (on_sheen(s), s.device.choose("Way in", "drawer")), ()),
    ("wrong-resolution", LONGSHIP, lambda s: s.device.choose("Weave", "coarse"), ()),
    ("wrong-dithering", GANNET, lambda s: s.device.choose("Scatter", "loose"), ()),
    ("wrong-panel-media", LONGSHIP, lambda s: hands(s, "Skarn Longship", "Reel aboard").set("Skarn veil"), ()),
    (
        "driver-updated",
        WREN,
        lambda s: hands(s, "Velm Wren", "driver version").set("4.2, newer"),
        ("preset-lost", "two-conversions", "scaled"),
    ),
    ("profile-does-not-fit", WREN, lambda s: media_made_for(s, printer="Skarn Longship"), ()),
    ("profile-does-not-fit", WREN, lambda s: media_made_for(s, substrate="slate"), ()),
    ("profile-does-not-fit", WREN, lambda s: media_made_for(s, ink="Velm P9"), ()),
    ("made-with-other-quality", WREN, lambda s: media_made_for(s, quality="2"), ()),
    ("made-with-other-stand-in", WREN, lambda s: media_made_for(s, stand_in="Board"), ()),
    ("made-with-other-press", WREN, lambda s: media_made_for(s, press_seconds="60"), ()),
    ("made-not-stated", WREN, from_elsewhere, ("profile-does-not-fit", "never-verified", "intent-missing")),
    ("never-verified", WREN, lambda s: media_made_for(s, unit="velm-wren/W-0001"), ()),
    ("profile-missing", WREN, gone, ("no-conversion", "profile-missing")),
    ("printer-missing", WREN, lambda s: s.change_card("moved", printer="velm-wren/W-9999"), ()),
    ("printer-offline", WREN, lambda s: hands(s, "Velm Wren", "power").set("off"), ()),
    ("ink-low", WREN, lambda s: hands(s, "Velm Wren", "cyan ink").set(0.08), ()),
    ("ink-empty", WREN, lambda s: hands(s, "Velm Wren", "black ink").set(0.0), ()),
    ("wrong-ink", WREN, lambda s: s.change_card("other", ink="Velm P9"), ("profile-does-not-fit",)),
    ("wrong-sheet-loaded", WREN, lambda s: hands(s, "Velm Wren", "lies in it").set("A5"), ()),
    ("looked-long-ago", WREN, lambda s: confirmed_days_ago(s, 40), ()),
    ("not-known", WREN, lambda s: s.change_card("forgotten", confirmed={}), ()),
    ("program-not-known", WREN, lambda s: s.handoff.print_from("another"), ()),
    ("scaled", WREN, lambda s: program_turns(s, "Ink › Lay out", "fill the leaf"), ()),
    ("mirrored-twice", WREN, lambda s: program_turns(s, "Ink › Backwards", "yes"), ()),
    (
        "mirrored-twice",
        LONGSHIP,
        lambda s: (s.device.choose("Flip", "yes"), mirror(s, "fidele"), s.device.choose("Flip", "yes")),
        ("wrong-mirroring",),
    ),
    ("driver-cannot-mirror", WREN, lambda s: mirror(s, "driver"), ()),
    ("not-mirrored", WREN, lambda s: mirror(s, "nobody"), ()),
    (
        "turned-not-mirrored",
        WREN,
        lambda s: (mirror(s, "nobody"), s.device.choose("Turn", "half")),
        ("turned", "wrong-turn"),
    ),
    ("mirrored-needlessly", WREN, lambda s: s.change_card("through glass", seen_from="back"), ()),
    ("sheet-too-small", GANNET, lambda s: large(s, 260), ("low-resolution",)),
    ("crosses-margin", WREN, lambda s: s.place(s.placing.moved(40, 0)), ()),
    ("low-resolution", WREN, lambda s: s.change_card("fine work", artwork_ppi=600), ()),
]
#: What mends a fault where no button can: the hands of a person.
BY_HAND = {
    "printer-offline": ("Velm Wren", "power", "on"),
    "ink-low": ("Velm Wren", "cyan ink", 1.0),
    "ink-empty": ("Velm Wren", "black ink", 1.0),
    "wrong-panel-media": ("Skarn Longship", "Reel aboard", "Skarn sail"),
}


def assign(session) -> None:
    session.device.system.assign(session.handoff.profile_path(session.card.profile))


def untouched(session) -> None:
    session.device.choose("Cared for by", "nobody")


def given(session) -> None:
    session.handoff.choose_owner("driver-profile")


def on_sheen(session) -> None:
    """Bring a card for the sheen paper, which can take both blacks and both ways in."""
    say(session, media="Orrin sheen", stand_in="Orrin sheen")
    driver = session.card.driver | {"stand_in": "Orrin sheen", "black_ink": "shining"}
    session.change_card("sheen", media="Orrin sheen", driver=driver)
    hands(session, "Orrin Gannet", "Paper laid in").set("Orrin sheen")
    session.handoff.bring()
    assert session.findings == ()


@pytest.mark.parametrize(("code", "printer_id", "spoil", "along"), RULES, ids=lambda v: v if isinstance(v, str) else "")
def test_each_fault_is_found_and_mended(good, code, printer_id, spoil, along):
    session = good(printer_id)
    spoil(session)
    session.refresh()
    found = {f.code: f for f in session.findings}
    assert code in found
    assert set(found) <= {code, *along}
    finding = found[code]
    assert finding.title
    assert finding.why.endswith((".", ".”"))
    assert finding.remedy.endswith(".")
    if code in BY_HAND:
        device, name, value = BY_HAND[code]
        hands(session, device, name).set(value)
        session.refresh()
    elif finding.action and finding.action.deed not in (Deed.SHOW, Deed.TRY, Deed.PROBE, Deed.FOLDER):
        session.act(finding.action)
    else:
        return
    left = {f.code for f in session.findings}
    assert code not in left
    assert left <= {"not-known", "wrong-sheet-loaded", *along} - {code}, left


def test_the_program_is_mended_where_it_stands_and_probed_again(good, tmp_path):
    """Another program prints: what it does is not known, then probed, put right there, and the file comes out right."""
    session = good(WREN)
    session.handoff.print_from("Skerry Sketch")
    assert "program" in session.chain.unknown
    assert session.chain.headline == "Conversions not known"
    with pytest.raises(FideleError, match="Held: what the other program does is not known"):
        session.print_job(session.job())
    session.act(Action(Deed.PROBE))
    assert session.chain.layer("program").evidence.value == "probed"
    (finding,) = session.stops
    assert (finding.code, finding.action) == ("scaled", Action(Deed.PROBE))
    assert session.chain.scale == pytest.approx(287 / 297, abs=0.02)  # an A4 page in a frame of 5 mm
    hands(session, "Skerry Sketch", "Ink › Lay out").set("as drawn")
    session.act(finding.action)
    assert session.findings == ()
    session.write_finished(session.job(), tmp_path / "done.png")
    sketch = Sketch(session.places.bench / "skerry-sketch.json")
    assert np.array_equal(
        sketch.page(tmp_path / "done.png", (210, 297), session.device.format.ppi),
        prepare_page(session.job(), session.device),
    )
    # A program that takes what says nothing for another space is told by the file that it is sRGB.
    hands(session, "Skerry Sketch", "Ink › Colour notes").set("guessed")
    session.handoff.probe()
    assert session.chain.knots == ("Fidele", "program")
    session.change_card("says so", file_says="sRGB")
    session.handoff.probe()
    assert session.chain.knots == ("Fidele",)
    session.write_finished(session.job(), tmp_path / "done.png")
    with Image.open(tmp_path / "done.png") as made:
        assert "icc_profile" in made.info
        assert made.info["dpi"][0] == pytest.approx(session.device.format.ppi, abs=0.02)
    # By hand: each of three things is looked up, and asked again when another program prints.
    session.handoff.print_from("the other program")
    (finding,) = session.stops
    assert finding.action == Action(Deed.CONFIRM_PROGRAM)
    session.act(finding.action)
    assert session.chain.layer("program").evidence.value == "confirmed by hand"
    assert session.stops == ()
    with pytest.raises(FideleError, match="open it in the other program"):
        session.print_job(session.job())
    session.handoff.print_from("")
    session.handoff.print_from("the other program")
    assert {f.code for f in session.stops} == {"program-not-known"}


def test_a_trial_of_routes_tells_which_is_nearest_and_leaves_all_as_it_was(good):
    session = good(WREN)
    before, system = session.device.settings(), session.device.system.assigned()
    trials = session.print_trials
    assert [v for v, _ in trials.values("owner")][:3] == ["fidele", "system", "driver"]
    with pytest.raises(FideleError, match="compares two to 6"):
        trials.make("owner", ["fidele"])
    shares = []
    trial = trials.make("owner", ["fidele", "driver"])
    read = trials.doing(trial)(lambda share: shares.append(share) or True)
    trial = trials.take(trials.shown, read)
    assert shares == sorted(shares)
    fidele, driver = (trial.measured[-1].off["all"][letter] for letter in "AB")
    assert fidele < 1 < driver
    assert trial.measured[-1].best["all"] == "A"
    assert "A comes nearest to the proof" in session.said
    assert [r.title.partition(": ")[2] for r in session.logbook.runs()[:2]] == [
        "the driver converts",
        "Fidele converts",
    ]
    assert (session.device.settings(), session.device.system.assigned()) == (before, system)
    assert session.findings == ()
