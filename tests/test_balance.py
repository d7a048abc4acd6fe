"""Balance without a profile: on strangers' drivers, and from a page of the bench to a second one that proves it."""

from __future__ import annotations

import json
import os
import shutil
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra import numpy as hnp

from fidele.bench.driver import taste
from fidele.characterise.aims import OtherPrint, Screen, aimed
from fidele.characterise.balance import balance
from fidele.characterise.handles import Page, best, learned
from fidele.chart.family import made
from fidele.colour.difference import delta_e_2000
from fidele.errors import FideleError
from fidele.icc.spaces import SENDS, srgb
from fidele.run.page import prepare_page
from fidele.session.balancing import CHROMA, TONE
from fidele.tuning.balance import Balance, mixed, shifted
from fidele.tuning.conversion import sent_values
from tests.hands import choose, click, go, look, settle
from tests.shell import fidele
from tests.street.kinds import made as stranger


def printed(kind: str, seed: int):
    """What a stranger's driver, which converts by itself, prints of numbers, relative to the white that it prints."""
    one = stranger(kind, seed)
    white = one.again(np.ones((1, 3)))

    def prints(rgb: np.ndarray) -> np.ndarray:
        from fidele.colour.cie import D50, xyz_to_lab

        return np.asarray(xyz_to_lab(one.xyz(one.again(rgb)) / one.xyz(white) * D50))

    return prints, one.noise


@pytest.mark.parametrize(
    ("kind", "seed", "space"),
    [
        ("trapping", 2, "sRGB"),
        ("light inks", 1, "sRGB"),
        ("wide", 1, "sRGB"),
        ("brightened", 1, "sRGB"),
        ("cloth", 2, "sRGB"),
        ("cloth", 1, "opRGB"),
    ],
)
def test_greys_of_drivers_that_nobody_knows_end_neutral_and_even(kind, seed, space):
    prints, noise = printed(kind, seed)
    rng, page = np.random.default_rng(seed), made("neutral").rgb
    levels = np.linspace(0, 1, 41)

    def as_sent(rgb):
        return np.clip(sent_values(rgb.astype(np.float32), srgb(), SENDS[space]()), 0, 1).astype(float)

    neutral, page = as_sent(np.repeat(levels[:, None], 3, 1)), as_sent(page)
    wanted, judged = aimed(levels, prints(np.zeros((1, 3)))[0]), levels >= 0.1

    def off(sent):
        Lab = prints(sent)[judged]
        return np.percentile(np.hypot(*Lab[:, 1:].T), 95), np.percentile(np.abs(Lab[:, 0] - wanted[judged, 0]), 95)

    rgb, Lab = np.empty((0, 3)), np.empty((0, 3))
    sent, before = page, off(neutral)
    for _ in range(3):
        rgb = np.concatenate([rgb, sent])
        Lab = np.concatenate([Lab, prints(sent) + rng.normal(0, noise, (len(sent), 3)) * [0.6, 1, 1]])
        found = balance(rgb, Lab, as_sent=as_sent)
        sent = found.balance(page)
    after = off(found.balance(neutral))
    assert after[0] <= CHROMA, (before, after)
    assert after[1] <= (TONE if space == "sRGB" else 0.5), (before, after)  # the aim is the picture's, not what is sent
    assert before[0] > CHROMA or before[1] > TONE, "there was something to do"
    for curve in (found.balance.red, found.balance.green, found.balance.blue):
        assert (np.diff(curve) >= 0).all()
        assert curve[-1] == 1


def test_from_a_page_to_curves_on_the_card_and_a_page_that_proves_them(window, qtbot, places):
    session = window.session
    profile = session.card.profile
    session.change_card("No profile", profile=None, owner="driver")
    session.handoff.bring()
    session.handoff.confirm("ink_saving", "off")
    go(window, "Balance")
    with pytest.raises(FideleError, match="Nothing was measured"):
        session.balancing.computing()
    figures = []
    for again in range(2):
        click(window.desk, "Lay the page on the sheet")
        settle(window, qtbot)
        run = session.press_run(session.print_job(session.job(), overridden="" if not session.stops else "a page"))
        session.take_run(run)
        session.checking.check_run(run, session.devices.scanner.scan(run.piece, run.number).pixels, 150)
        go(window, "Balance")
        page = session.balancing.pages()[0]
        assert (page.run, page.curved) == (run.number, again == 1)
        figures.append(page.figures)
        if not again:
            click(window.desk, "Compute the curves")
            settle(window, qtbot)
            assert "through the curves" in window.desk.said.text()
            click(window.desk, "Keep the curves on the card")
    assert figures[0][0] > CHROMA or figures[0][1] > TONE
    assert figures[1][0] < figures[0][0] or figures[1][1] < figures[0][1]
    assert figures[1][0] <= CHROMA + 1
    # What is sent is really bent by them, and straight again without.
    curves = session.card.balance
    session.open_artwork(places.data / "artwork" / "signal-flags.png")
    bent = prepare_page(session.job(), session.device)
    click(window.desk, "Without curves again")
    straight = prepare_page(session.job(), session.device)
    assert np.abs(bent.astype(int) - straight).max() > 5
    told = np.rint(curves(straight / 255.0) * 255)
    assert np.abs(told - bent).max() <= 2
    session.undo()
    assert session.card.balance == curves
    # Another aim: what the condition with its profile makes of the same page; said beforehand, proved by a third page.
    aim = session.card.model_copy(
        update={"id": "with-profile", "name": "With profile", "profile": profile, "owner": "fidele", "balance": None}
    )
    session.cards.save(aim)
    go(window, "Balance")
    look()
    choose(window.desk.aim, "with-profile")
    before = session.balancing.pages()[-1].apart  # the first page, as the driver does it
    click(window.desk, "Compute the curves")
    settle(window, qtbot)
    found = session.balancing.found[1]
    assert found.apart[0] == pytest.approx(before, abs=1.0)
    click(window.desk, "Keep the curves on the card")
    click(window.desk, "Lay the page on the sheet")
    settle(window, qtbot)
    run = session.press_run(session.print_job(session.job(), overridden="" if not session.stops else "a page"))
    session.checking.check_run(run, session.devices.scanner.scan(run.piece, run.number).pixels, 150)
    page = session.balancing.pages()[0]
    assert page.apart < 0.6 * before
    assert page.apart == pytest.approx(found.apart[1], abs=0.2 * before)
    assert f"off from “{aim.name}”" in page.words


@pytest.mark.parametrize(("kind", "seed"), [("cloth", 1), ("brightened", 2), ("opaque", 1), ("weak", 1)])
def test_handles_of_drivers_that_nobody_knows_are_learned_and_set(kind, seed):
    """A page now, one for each handle: what is found is truly better, as said, and never beyond what is offered."""
    prints, noise = printed(kind, seed)
    rng, page = np.random.default_rng(seed), made("neutral").rgb
    grey = np.ptp(page, axis=1) < 1e-6
    levels, first = np.unique(page[grey, 0], return_index=True)
    steps = tuple(float(step) for step in range(-10, 11))
    names = ("Light", "Strength", "Warmth")
    offered, rest = dict.fromkeys(names, steps), dict.fromkeys(names, 0.0)

    def sent(values):
        return np.clip(taste(page, *(values.get(name, 0.0) for name in names)), 0, 1)

    def read(values):
        Lab = prints(sent(values)) + rng.normal(0, noise, (len(page), 3)) * [0.6, 1, 1]
        return Page(values, levels, Lab[grey][first])

    def off(values):
        Lab, judged = prints(sent(values))[grey][first], levels >= 0.1
        return np.linalg.norm((Lab - aimed(levels, prints(np.zeros((1, 3)))[0]))[judged], axis=1).mean()

    pages = [read({}), *(read({name: 6.0}) for name in names)]
    assert learned(pages, list(names), rest) == set(names)
    assert learned([pages[0], read({"Light": 6.0, "Warmth": 6.0})], list(names), rest) == set()
    found = best(pages, offered, {}, rest)
    assert all(found.values[name] in steps for name in names)
    before, after = off({}), off(found.values)
    assert after < 0.95 * before
    said = np.linalg.norm(found.after - found.wanted, axis=1).mean()
    assert abs(said - after) < 0.2 * before
    with pytest.raises(ValueError, match="present"):
        best(pages, offered, {"Light": 2.0}, rest)


def test_handles_are_learned_at_the_desk_and_kept_on_the_card(window, qtbot):
    """Pages by the bench, values computed, put on the card as one step, and proved by the next page."""
    session = window.session
    session.change_card("No profile", profile=None, owner="driver")
    session.handoff.bring()
    session.handoff.confirm("ink_saving", "off")
    go(window, "Balance")
    desk = window.desks.balance

    def printed_page():
        session.charts.take(session.balancing.ready())
        run = session.press_run(session.print_job(session.job(), overridden="" if not session.stops else "a page"))
        session.checking.check_run(run, session.devices.scanner.scan(run.piece, run.number).pixels, 150)
        return session.balancing.pages()[0]

    first = printed_page()
    with pytest.raises(FideleError, match="what the handles do"):
        session.handles.computing()
    desk.refresh()
    click(desk, "Print a page for each handle")
    settle(window, qtbot)
    assert session.handles.known() == {"Light", "Strength", "Warmth"}
    click(desk, "Compute the handles")
    settle(window, qtbot)
    found = session.handles.found[1]
    click(desk, "Put them on the card")
    assert {n: float(v) for n, v in session.card.hand.items()} == {n: v for n, v in found.values.items() if v}
    session.handoff.bring()
    second = printed_page()
    assert second.figures[1] < first.figures[1]
    assert second.figures[1] == pytest.approx(found.figures(found.after, found.wanted)[1], abs=1.0)
    session.undo()
    session.undo()
    assert session.card.hand == {}


@pytest.mark.parametrize(
    ("kind", "seed", "other"), [("six inks", 1, ("weak", 2)), ("round in paper", 1, ("black early", 1))]
)
def test_one_driver_is_made_to_look_like_another(kind, seed, other):
    """Strangers' drivers: the page comes to half of what lay between them at least, as it was said beforehand."""
    (mine, noise), (theirs, _) = printed(kind, seed), printed(*other)
    rng, page = np.random.default_rng(seed), made("neutral").rgb
    aim = OtherPrint(page, theirs(page) + rng.normal(0, noise, (len(page), 3)))
    found = balance(page, mine(page) + rng.normal(0, noise, (len(page), 3)), aim)
    before, after = (delta_e_2000(theirs(page), mine(sent)).mean() for sent in (page, found.balance(page)))
    assert after < before / 2
    assert found.apart == (pytest.approx(before, rel=0.1), pytest.approx(after, abs=0.2 * before))
    # Shifts all over the cube bring it nearer than curves and a mix, pictures' colours as well; and nothing folds.
    bare = found.balance.model_copy(update={"shifts": None})
    pictures = 0.7 * rng.random((300, 3)) + 0.15
    for colours in (page, pictures):
        near, far = (delta_e_2000(theirs(colours), mine(way(colours))).mean() for way in (found.balance, bare))
        assert near < 0.97 * far
    some = rng.random((4000, 3)) * 0.9 + 0.05
    slopes = np.stack([found.balance(some + step) - found.balance(some - step) for step in 0.005 * np.eye(3)], axis=2)
    assert (np.linalg.det(slopes / 0.01) > -0.05).all()
    assert found.balance(np.ones((1, 3))) == pytest.approx(np.ones((1, 3)), abs=1e-6)
    assert Balance.model_validate_json(found.balance.model_dump_json()) == found.balance


@pytest.mark.parametrize(("kind", "seed"), [("dye", 3), ("wide", 3)])
def test_prints_look_like_the_screen_and_livelier(kind, seed):
    """Colours that no page has printed are turned toward what the screen shows; greys stay neutral meanwhile."""
    prints, noise = printed(kind, seed)
    rng, page = np.random.default_rng(seed), made("neutral").rgb
    Lab = prints(page) + rng.normal(0, noise, (len(page), 3)) * [0.6, 1, 1]
    pictures = rng.random((200, 3)) * 0.7 + 0.15
    grey = np.repeat(np.linspace(0.1, 1, 30)[:, None], 3, 1)
    neutral, faithful, lively = (balance(page, Lab, look).balance for look in (None, Screen(), Screen(lively=1.3)))
    wanted = Screen().wanted(pictures, prints(np.zeros((1, 3)))[0])
    off = [delta_e_2000(wanted, prints(sent)).mean() for sent in (pictures, neutral(pictures), faithful(pictures))]
    assert off[2] < 0.9 * off[1]
    assert off[2] < 0.7 * off[0]
    chroma = [np.hypot(*prints(made(pictures))[:, 1:].T).mean() for made in (neutral, faithful, lively)]
    assert chroma[0] < chroma[1] < chroma[2]
    for found in (faithful, lively):
        assert np.percentile(np.hypot(*prints(found(grey))[:, 1:].T), 95) <= CHROMA


@given(
    hnp.arrays(float, (3, 2), elements=st.floats(-0.8, 0.8)),
    hnp.arrays(float, 3, elements=st.floats(0, 1)),
    st.floats(0.02, 0.97),
)
def test_no_mix_loses_a_tint(others, colour, share):
    """On the way from grey to a colour no two become the same, none leaves the range, and greys stay greys."""
    shares = np.zeros((3, 3))
    shares[~np.eye(3, dtype=bool)] = others.ravel()
    shares[np.diag_indices(3)] = 1 - shares.sum(axis=1)
    grey = np.full(3, colour.mean())
    way = np.stack([grey, grey + share * (colour - grey), grey + (share + 0.03) * (colour - grey)])
    out = mixed(way, shares)
    assert (out >= 0).all()
    assert (out <= 1).all()
    assert out[0] == pytest.approx(grey, abs=1e-12)
    far = np.linalg.norm(out - grey, axis=1)
    turned = np.linalg.norm((way[2] - grey) @ shares.T)
    assert far[2] - far[1] >= 1e-4 * turned - 1e-12
    assert mixed(way, np.eye(3)) == pytest.approx(way, abs=1e-12)


@given(hnp.arrays(float, 3, elements=st.floats(0, 1)), st.floats(-1, 1), st.floats(0.001, 0.2))
def test_what_is_shifted_alike_stays_apart_and_within_the_range(colour, by, apart):
    other = np.minimum(colour + apart, 1)
    one, two = shifted(colour, np.full(3, by)), shifted(other, np.full(3, by))
    assert (one >= -1e-12).all()
    assert (two <= 1 + 1e-12).all()
    assert (two >= one).all()
    assert (two - one)[other - colour > 1e-6].min(initial=1) > 0


def test_the_same_from_a_shell(places, tmp_path):
    """Files of a measured page, of a stranger: the curves are said and kept; what is no such page is refused."""
    from fidele.chart.cgats import Table, write
    from fidele.session.model import Session

    session = Session(places)
    session.change_card("No profile", profile=None, owner="driver")
    home = tmp_path / "home"
    shutil.copytree(places.data, home / "fidele")
    prints, _ = printed("trapping", 2)
    page = made("neutral")

    def measured(name: str, sent: np.ndarray) -> Path:
        Lab = prints(sent)
        columns = {f"LAB_{c}": Lab[:, i] for i, c in enumerate("LAB")}
        write(tmp_path / name, Table(page.ids, columns, {}))
        return tmp_path / name

    env = dict(os.environ, XDG_DATA_HOME=str(home))
    first = measured("first.txt", page.rgb)
    done = fidele("condition", "balance", "house-number-tiles", first, "--keep", "--json", env=env)
    assert done.returncode == 0, done.stderr
    said = json.loads(done.stdout)
    assert "not yet neutral" in said["pages"][0]["words"]
    assert said["expected"]["chroma"] < 1
    curves = Balance(**said["curves"])
    kept = json.loads(fidele("condition", "show", "house-number-tiles", env=env).stdout)
    assert Balance(**kept["balance"]) == curves
    mixing = fidele("condition", "balance", "house-number-tiles", first, "--aim", "screen", "--json", env=env)
    seen = json.loads(mixing.stdout)
    assert seen["expected"]["apart"] < seen["expected"]["apart_now"]
    assert np.sum(seen["curves"]["mixing"], axis=1) == pytest.approx(1)
    assert json.loads(fidele("condition", "show", "house-number-tiles", env=env).stdout) == kept, "nothing was kept"
    second = measured("second.txt", curves(page.rgb))
    proved = fidele("condition", "balance", "house-number-tiles", first, "--through", second, env=env)
    assert proved.stdout.splitlines()[1].endswith("neutral and even")
    assert "not yet" not in proved.stdout.splitlines()[1]
    (tmp_path / "none.txt").write_text("nothing")
    write(tmp_path / "other.txt", Table(("Q1",), {f"LAB_{c}": np.array([50.0]) for c in "LAB"}, {}))
    for wrong, words in (
        ((tmp_path / "none.txt",), "is not a CGATS file"),
        ((tmp_path / "other.txt",), "holds no measurements of the neutral page"),
        ((), "Give one file at least"),
    ):
        refused = fidele("condition", "balance", "house-number-tiles", *wrong, env=env)
        assert refused.returncode == 2
        assert words in refused.stderr
        assert refused.stderr.count("\n") == 1
