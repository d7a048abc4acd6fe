"""What is said of profiles: guesses, leaflets, where a profile fits, and what is kept on disk."""

from __future__ import annotations

import datetime
from dataclasses import replace
from email.message import EmailMessage

import pytest
from known import PROFILES, maker_profiles

from fidele.bench.catalogue import pdf
from fidele.devices.bench.bench import Bench
from fidele.errors import FideleError
from fidele.icc.describe import describe
from fidele.icc.profile import Profile
from fidele.icc.spaces import srgb
from fidele.papers.fit import Purpose, fit
from fidele.papers.guess import Known, guess, named
from fidele.papers.leaflet import Vocabulary, sentences, statements, text_of_leaflet
from fidele.papers.model import Papers, Said, Verified
from fidele.store.papers import Defaults, PapersStore

KNOWN = Known(
    printers=("Velm Wren", "Orrin Gannet", "Skarn Longship"),
    media=("Fen 100", "Fen 140", "Velm Board", "Velm Dull heavy"),
    substrates=("ceramic tile", "coated slate", "polyester cloth"),
)


@pytest.fixture(scope="module")
def words(tmp_path_factory) -> Vocabulary:
    """The Wren's own words, with the media of KNOWN."""
    return replace(Bench(tmp_path_factory.mktemp("bench")).printers[0].vocabulary(), media=KNOWN.media)


def values(said: dict[str, Said]) -> dict[str, str]:
    return {k: s.value for k, s in said.items()}


# Guesses -------------------------------------------------------------------------------------------------------------


def test_guesses_from_description_file_name_and_text(printer, demo):
    makers = maker_profiles(demo)
    slate = guess(describe(makers["fen100_slate_wren.icc"]), "fen100_slate_wren.icc", KNOWN)
    assert values(slate) == {
        "maker": "Fen",
        "printer": "Velm Wren",
        "media": "Fen 100",
        "substrate": "coated slate",  # of 'slate' alone, which no other piece has in its name
    }
    assert {s.origin for s in slate.values()} == {"description", "text tag"}
    assert not any(s.certain for s in slate.values())
    # What a maker states in the metadata is no guess.
    own = guess(describe(printer), "x.icc", KNOWN)
    assert own["printer"].certain
    assert own["press_temperature"].value == "200"
    # The file's name, where the description says nothing.
    plain = replace(describe(srgb()), description="untitled", device_class="prtr", maker="", model="")
    told = guess(plain, "Orrin-Gannet__fen_140__polyester.icc", KNOWN)
    assert values(told) == {"printer": "Orrin Gannet", "media": "Fen 140", "substrate": "polyester cloth"}
    assert {s.origin for s in told.values()} == {"file name"}
    # What a description leaves beside its printer is the media.
    rest = guess(replace(plain, description="Velm_Wren_Beck_light_60"), "a.icc", KNOWN)
    assert values(rest) == {"printer": "Velm Wren", "media": "Beck light 60"}
    # 'printer, media, piece' is understood where the names are not known here.
    parts = guess(replace(plain, description="Tove Lark, Beck board, glossy wood"), "a.icc", KNOWN)
    assert values(parts) == {"printer": "Tove Lark", "media": "Beck board", "substrate": "glossy wood"}


def test_names_are_found_as_whole_words_and_the_longest_wins():
    assert named("profile for FEN_100 on the velm-wren", KNOWN.media) == "Fen 100"
    assert named("Fen 1000", KNOWN.media) == ""
    assert named("velm board velm dull heavy", ("Velm Board", "Velm Dull heavy")) == "Velm Dull heavy"
    assert named("wrench", KNOWN.printers) == ""
    assert named("Beck board, tile", KNOWN.media) == ""  # another maker's board


# Leaflets ------------------------------------------------------------------------------------------------------------

LEAFLET = """Fen 100 transfer paper

The driver knows no Fen paper: Stock "Dull heavy" stands in
for Fen 100. Passes 2 or 3. Carriage "there".
Switch off any colour correction. Mirror the picture once.
Press face down at 392 °F for 3 minutes with 2,5 bar.
Rendering intent: relative colorimetric.
"""
WANTED = {
    "media": "Fen 100",
    "stand_in": "Dull heavy",
    "quality": "2, 3",
    "direction": "there",
    "colour": "off",
    "mirroring": "once",
    "press_temperature": "200",
    "press_seconds": "180",
    "press_pressure": "2.5",
    "intent": "relative",
}


def as_mail() -> bytes:
    message = EmailMessage()
    message["Subject"] = "Your profile"
    message.set_content(LEAFLET)
    return message.as_bytes()


@pytest.mark.parametrize(
    ("name", "data"),
    [
        ("leaflet.txt", LEAFLET.encode()),
        ("leaflet.txt", LEAFLET.encode("utf-16")),
        ("leaflet.txt", LEAFLET.encode("cp1252")),
        ("leaflet.pdf", pdf(LEAFLET)),
        ("leaflet.eml", as_mail()),
        ("leaflet.html", f"<html><style>p{{x}}</style><p>{LEAFLET.replace(chr(10) * 2, '<p>')}</p>".encode()),
    ],
    ids=["utf-8", "utf-16", "cp1252", "pdf", "mail", "html"],
)
def test_a_leaflet_is_understood_in_every_form(name, data, words):
    found = statements(text_of_leaflet(name, data), words)
    assert values(found) == WANTED
    assert all(s.origin == "leaflet" and not s.certain for s in found.values())
    assert "face down at 392" in found["press_temperature"].sentence


@pytest.mark.parametrize(
    ("sentence", "wanted"),
    [
        ("Do not mirror the picture.", {"mirroring": "no"}),
        ("Mirroring: off", {"mirroring": "no"}),
        (
            "Press for 45 seconds at 195°C, 3 bar.",
            {"press_seconds": "45", "press_temperature": "195", "press_pressure": "3"},
        ),
        ("The paper weighs 100 g and dries in 60 s.", {}),
        ("Press 3 min 10 s at 390 °F.", {"press_seconds": "190", "press_temperature": "199"}),
        ("Press at 40 psi for 1.5 minutes", {"press_seconds": "90", "press_pressure": "2.8"}),
        ("Your profile for Moor 80 on cotton", {"media": "Moor 80"}),
        ("Print at 1440 x 720 dpi with the matte black ink.", {"resolution": "1440", "black_ink": "matt black"}),
        ("Colour management must be switched off in the driver.", {"colour": "off"}),
        ("Stock: Everyday or Board", {"stand_in": "Everyday, Board"}),
        ("Stock: Something else", {}),
        ("Use saturation as the rendering intent.", {"intent": "saturation"}),
        ("Colour saturation is high on Fen 140.", {"media": "Fen 140"}),
    ],
)
def test_single_sentences(sentence, wanted, words):
    assert values(statements(sentence, words)) == wanted


def test_sentences_are_parted_where_people_part_them():
    assert sentences("One line\nbroken for width. Another one: yes!\n\n- a point\n- another") == [
        "One line broken for width.",
        "Another one: yes!",
        "- a point",
        "- another",
    ]


@pytest.mark.parametrize(
    ("name", "data", "why"),
    [
        ("broken.pdf", b"%PDF-1.4\nnonsense", "damaged or locked PDF"),
        ("empty.txt", b"  \n ", "holds no text"),
        ("scan.pdf", pdf(""), "holds no text"),
    ],
)
def test_a_leaflet_without_text_is_refused_in_a_sentence(name, data, why):
    with pytest.raises(FideleError, match=why):
        text_of_leaflet(name, data)


# Where it fits -------------------------------------------------------------------------------------------------------


def papers(**said: str) -> Papers:
    return Papers(id="x", said={k: Said(value=v, origin="hand") for k, v in said.items()})


def test_fit_says_what_is_against_it(printer):
    what = describe(printer)
    full = papers(printer="Velm Wren", media="Fen 100", substrate="ceramic tile")
    assert fit(what, full, Purpose("Velm Wren", "Fen 100", "ceramic tile")).grade == "fits"
    assert fit(what, full, Purpose("Velm Wren", "fen-100", "Ceramic tile")).grade == "fits"
    other = fit(what, full, Purpose("Orrin Gannet", "Fen 140", "ceramic tile"))
    assert other.words == "Was made for the Velm Wren and Fen 100, not the Orrin Gannet and Fen 140."
    assert other.off == ("other printer", "other media")
    silent = fit(what, papers(printer="Velm Wren"), Purpose("Velm Wren", "Fen 100", "ceramic tile"))
    assert (silent.grade, silent.words) == ("perhaps", "Does not say for which media it is.")
    assert fit(what, full, Purpose("Velm Wren", "Fen 100", space="CMYK")).off == ("RGB values",)
    assert "takes CMYK" in fit(what, full, Purpose("Velm Wren", "Fen 100", space="CMYK")).words
    for path in PROFILES:
        seen = describe(Profile.open(path))
        if seen.device_class != "prtr":
            assert "not for printing" in fit(seen, full, Purpose("Velm Wren", "Fen 100")).words


# On disk -------------------------------------------------------------------------------------------------------------


def test_papers_are_kept_whole(tmp_path):
    store = PapersStore(tmp_path / "profiles")
    assert store.read("abc") == Papers(id="abc")
    when = datetime.datetime(2026, 5, 4, 3, 2, 1)
    full = Papers(
        id="abc",
        said={"media": Said(value="Fen 100", origin="hand", when=when, who="ada")},
        verified=[
            Verified(unit="w-1", printer="Velm Wren", when=when, mean=0.5, p95=1.2, passed=True, sentence="Yes."),
            Verified(unit="w-2", printer="Velm Wren", when=when, mean=5, p95=9, passed=False, sentence="No."),
        ],
        pinned=True,
    )
    store.save(full)
    assert PapersStore(tmp_path / "profiles").read("abc") == full
    assert full.on("w-1").passed
    assert full.on("w-3") is None
    # What a newer Fidele wrote stays, whatever this one changes.
    path = tmp_path / "profiles" / "abc.json"
    path.write_text(path.read_text().replace('"pinned": true', '"pinned": true, "scent": "lavender"'))
    again = PapersStore(tmp_path / "profiles")
    again.save(again.read("abc").model_copy(update={"hidden": True}))
    assert '"scent": "lavender"' in path.read_text().replace('"scent":"lavender"', '"scent": "lavender"')
    # A damaged file is set aside, never written over.
    path.write_text("{ broken")
    third = PapersStore(tmp_path / "profiles")
    assert third.read("abc") == Papers(id="abc")
    third.save(full)
    assert (tmp_path / "profiles" / "abc.json.damaged").read_text() == "{ broken"
    assert third.ids() == {"abc"}


def test_leaflets_are_kept_once_under_safe_names(tmp_path):
    store = PapersStore(tmp_path)
    assert store.keep_leaflet("abc", "../../Fen: leaflet?.pdf", b"one") == "Fen_ leaflet_.pdf"
    names = {store.keep_leaflet("abc", n, d) for n, d in (("a.txt", b"x"), ("b.txt", b"x"), ("a.txt", b"y"))}
    assert names == {"a.txt", "a (2).txt"}
    assert all(p.parent == tmp_path / "abc" for p in tmp_path.rglob("*") if p.is_file())
    assert store.leaflet("abc", "a.txt").read_bytes() == b"x"


def test_defaults_are_by_printer_and_media_alone(tmp_path):
    kept = Defaults(tmp_path / "defaults.json")
    kept.choose("wren-1", "Fen 100", "aaa")
    kept.choose("wren-1", "Fen 140", "bbb")
    kept.choose("wren-2", "Fen 100", "bbb")
    again = Defaults(tmp_path / "defaults.json")
    assert again.of("wren-1", "Fen 100") == "aaa"
    assert again.of("wren-3", "Fen 100") == ""
    assert again.served_by("bbb") == [("wren-1", "Fen 140"), ("wren-2", "Fen 100")]
    again.choose("wren-1", "Fen 100", "")
    assert kept.of("wren-1", "Fen 100") == ""
    (tmp_path / "defaults.json").write_text("[1, 2]")
    assert kept.all() == {}


def test_what_is_set_by_a_guess_and_what_differs_is_said(session):
    """A leaflet's quality on the card is told as a guess; a stated dithering that the driver does not have, as such."""
    profile_id = session.card.profile
    papers = session.profiles.papers(session.profiles.need(profile_id))
    said = dict(papers.said)
    said["quality"] = Said(value="3", origin="leaflet", sentence="Passes 3.")
    session.profiles.store.save(papers.model_copy(update={"said": said}))
    session.refresh()
    found = {f.code: f for f in session.findings}
    assert "quality 3" in found["set-by-guess"].title
    said["quality"] = Said(value="2", origin="leaflet", sentence="Passes 2.")
    session.profiles.store.save(papers.model_copy(update={"said": said}))
    session.refresh()
    codes = {f.code for f in session.findings}
    assert "made-with-other-quality" in codes
    assert "set-by-guess" not in codes


def test_what_was_chosen_or_verified_comes_before_what_was_never_tried(session):
    """An untried profile of a supplier never stands before the workshop's own verified one, a chosen default first."""
    mine = session.card.profile
    session.install(session.places.data / "downloads" / "fen-100-profiles.zip")
    session.profiles.settle({a.id: "put" for a in session.profiles.pending.arrivals})
    fits = [r.entry.id for r in session.profiles.fitting(session.card) if r.fit.grade == "fits"]
    other = next(i for i in fits if i != mine)
    when = datetime.datetime(2026, 6, 1)
    seen = Verified(
        unit=session.device.id,
        printer="x",
        when=when,
        mean=0.3,
        p95=0.8,
        passed=True,
        sentence="Held.",
        chart="",
        run=1,
    )
    papers = session.profiles.papers(session.profiles.need(mine))
    session.profiles.store.save(papers.model_copy(update={"verified": [seen], "pinned": False}))
    assert session.profiles.fitting(session.card)[0].entry.id == mine
    session.profiles.choose_default(other, session.card.media)
    assert session.profiles.fitting(session.card)[0].entry.id == other
