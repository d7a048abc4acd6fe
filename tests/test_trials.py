"""Trial prints: no profile anywhere, a winner only where it is seen and measured, and everything kept."""

from __future__ import annotations

import colour
import numpy as np
import PIL.Image
import pypdfium2
import pytest
from PySide6.QtCore import QSettings, Qt
from PySide6.QtTest import QTest

from fidele.chart.draw import draw_page
from fidele.chart.family import made, quick_chart
from fidele.chart.read import read_scan
from fidele.desk.window import Window
from fidele.errors import FideleError
from fidele.run.kept import job_again
from fidele.session.model import Session
from fidele.trials.aim import FAMILIES, families_of, relative, screen_aim
from fidele.trials.nearness import PrintRead, standing
from fidele.trials.search import Round, beginning, following
from tests.hands import choose, click, go, ready, settle


def _print(letter: str, aim: np.ndarray, off: float, seed: int, noise: float = 0.2) -> PrintRead:
    """A made-up print: the aim, everything lighter by `off`, and the noise of one reading."""
    rng = np.random.default_rng(seed)
    Lab = aim + rng.normal(0, noise, aim.shape)
    Lab[1:, 0] += off * (Lab[1:, 0] < 98)
    return PrintRead(letter, letter, quick_chart().rgb, Lab)


def test_a_winner_is_named_only_where_it_is_seen_and_measured():
    chart = quick_chart()
    aim = screen_aim(chart.rgb, 20.0)
    wrong = named = 0
    for seed in range(100):
        same = standing([_print("A", aim, 4.0, seed), _print("B", aim, 4.0, 1000 + seed)])
        wrong += bool(same.best)
        apart = standing([_print("A", aim, 4.0, seed), _print("B", aim, 1.0, 1000 + seed)])
        named += apart.best == "B"
    assert wrong == 0
    assert named == 100
    close = standing([_print("A", aim, 1.840, 1, 0.0), _print("B", aim, 1.845, 1, 0.0)])
    assert close.best == ""
    assert close.sentence.startswith("A draw: these prints look alike")
    three = standing([_print("A", aim, 0.6, 1), _print("B", aim, 0.7, 2), _print("C", aim, 5.0, 3)])
    assert three.best == ""
    assert set(three.families[0].leaders) == {"A", "B"}
    assert three.sentence.startswith(
        "A and B come nearest to the picture, and no difference between them is seen; C is"
    )
    with pytest.raises(FideleError, match="different charts"):
        standing(
            [_print("A", aim, 1, 1), PrintRead("B", "B", made("ramps").rgb, np.zeros((len(made("ramps").ids), 3)))]
        )


def test_the_picture_on_the_screen_is_scaled_in_light_from_white_to_black():
    rgb = np.array([[1, 1, 1], [0, 0, 0], [0.5, 0.5, 0.5], [0.9, 0.3, 0.2]])
    XYZ = colour.sRGB_to_XYZ(rgb, apply_cctf_decoding=True)
    D65, D50 = colour.xy_to_XYZ([0.3127, 0.3290]), np.array([0.9642, 1.0, 0.8249])
    there = colour.adaptation.chromatic_adaptation_VonKries(XYZ, D65, D50, transform="Bradford")
    dark = colour.Lab_to_XYZ([24.0, 0, 0], colour.XYZ_to_xy(D50))[1]
    wanted = colour.XYZ_to_Lab(there * (1 - dark) + D50 * dark, colour.XYZ_to_xy(D50))
    assert np.abs(screen_aim(rgb, 24.0) - wanted).max() < 0.1


def test_swatches_carry_their_numbers_and_are_read_all_the_same():
    chart = made("swatches")
    page = draw_page(chart, 0, "")
    bare = page.copy()
    reading = read_scan(page, chart)
    assert np.abs(reading.rgb - chart.rgb[reading.index]).max() < 0.003
    x, y = np.round(chart.centres(0)[0] * 300 / 25.4).astype(int)
    half = round(chart.layout.patch / 2 * 300 / 25.4)
    foot = bare[y + half - 18 : y + half - 2, x - half + 2 : x + half - 2]
    assert np.ptp(foot) > 30_000, "no numbers stand at the foot of a swatch"


def test_stand_ins_are_tried_read_and_judged_with_no_profile_on_the_machine(bare, qtbot, tmp_path):
    session = ready(bare)
    assert not session.shelf.entries()
    assert session.checking.scanner.path is None
    window = Window(session, QSettings(str(tmp_path / "w.ini"), QSettings.Format.IniFormat))
    qtbot.addWidget(window)
    window.show()
    go(window, "Trial prints")
    desk = window.desks.trial
    click(desk, "Make the trial")
    click(desk, "Print, press and scan")
    settle(window, qtbot)
    trial = session.print_trials.shown
    assert [p.title for p in trial.prints] == ["“Everyday”", "“Dull heavy”", "“Glint”"]
    measured = trial.measured[-1]
    assert "sRGB" in measured.through
    assert measured.best["all"] == "B", "the heaviest load comes nearest"
    # The same by another library, from what was kept of the scans.
    chart, found = quick_chart(), session.print_trials.standing(trial)
    off = {k: colour.delta_E(found.aim, Lab, method="CIE 2000").mean() for k, Lab in found.seen.items()}
    assert off == pytest.approx(measured.off["all"], abs=0.01)
    assert found.aim == pytest.approx(screen_aim(chart.rgb, min(v[:, 0].min() for v in found.seen.values())))
    # By eye: keys answer, family by family; "no difference" is an answer that is kept.
    desk.eye.light.setCurrentText("daylight at a window")
    desk.eye.setFocus()
    for key in (Qt.Key.Key_B, Qt.Key.Key_0, Qt.Key.Key_B):
        QTest.keyClick(desk.eye, key)
    assert [(s.family, s.best) for s in session.print_trials.shown.seen] == [
        ("greys", "B"),
        ("tints", ""),
        ("darks", "B"),
    ]
    assert "By eye B is nearest in 2 of 3" in desk.result.text()
    taking = [b for b in desk.findChildren(type(desk.start)) if b.text() == "Take this one"]
    assert session.card.driver["stand_in"] == "Dull heavy"
    taking[2].click()
    assert session.card.driver["stand_in"] == "Glint"
    session.undo()
    assert session.card.driver["stand_in"] == "Dull heavy"
    # A chart without a profile is no verdict: neither passed nor failed.
    assert [run.verdict for run in session.logbook.runs()[:3]] == ["none"] * 3
    window.close()
    again = Session(bare)
    kept = again.print_trials.store.all()[0]
    assert (kept.taken, kept.seen[1].best, kept.measured[-1].sentence) == ("C", "", measured.sentence)
    assert {s.light for s in kept.seen} == {"daylight at a window"}


def test_routes_through_other_programs_are_tried_as_well(session):
    trials = session.print_trials
    session.handoff.print_from("Elsewhere Draw")  # a program that a person works at
    ways = dict(trials.values("owner"))
    through = [way for way in ways if way.startswith("program")]
    assert [ways[w] for w in through] == [
        "Skerry Sketch converts through the profile",
        "Elsewhere Draw converts through the profile",
    ]
    assert trials.proposed("owner", 1) == ["fidele Elsewhere Draw"], "what is in force comes first"
    trial = trials.make("owner", ["driver", "fidele Skerry Sketch", *through])
    assert not trials.by_itself(trial)
    with pytest.raises(FideleError, match="nothing here does that by itself"):
        trials.doing(trial)
    trial = trials.order(trial)
    here, elsewhere = trial.prints[1], trial.prints[3]
    # The one that runs here prints the page as it is set by hand; what it did is in the run.
    assert session.queue.carry_out(here.run).sheet is not None
    # For the other a finished file lies ready, the code of its run on it, and a sheet that says what to set.
    written = session.queue.carry_out(elsewhere.run)
    file = trials.store.folder / f"{trial.id} D.png"
    assert written.file == file
    sheet = pypdfium2.PdfDocument(file.with_suffix(".pdf"))
    told = sheet[0].get_textpage().get_text_range()
    assert len(sheet) == 1
    assert "Elsewhere Draw" in told
    assert f"run {elsewhere.run}" in told
    with PIL.Image.open(file) as page:
        assert page.info["icc_profile"], "it says what its colours mean, for the program converts"
    session.print_trials.choose(trial, "D")
    assert (session.card.owner, session.card.printed_from) == ("program", "Elsewhere Draw")


def test_a_page_of_families_has_each_in_a_row_and_is_read():
    chart = made("families")
    rows = chart.rgb.reshape(7, 6, 3)
    for row, name in zip(rows, FAMILIES, strict=True):
        mine = families_of(row).get(name, np.zeros(6, bool))
        assert mine.sum() >= 5, name  # white is no grey
    reading = read_scan(draw_page(chart, 0, ""), chart)
    assert np.abs(reading.rgb - chart.rgb[reading.index]).max() < 0.003


def test_of_one_print_alone_nothing_is_said_but_what_it_shows(bare):
    session = ready(bare)
    trial = session.print_trials.order(session.print_trials.make("stand_in", ["Everyday", "Glint"]))
    assert all(one.run for one in trial.prints)
    printed = session.press_run(session.queue.carry_out(trial.prints[0].run))
    scan = session.devices.scanner.scan(printed.piece, printed.number).pixels
    alone = session.checking.check_run(printed, scan)
    assert alone.comparison.verdict == "none"
    assert alone.cause.code == "no-profile"
    assert np.allclose(alone.comparison.measured, relative(alone.measured.Lab, alone.chart.rgb[alone.index]))


def test_families_and_a_picture_of_ones_own_lie_on_each_sheet(bare, demo, qtbot, tmp_path):
    """Half a sheet each; read by their patches with the picture beside them, printed again as they were."""
    session = ready(bare)
    with pytest.raises(FideleError, match="picture of your own"):
        session.print_trials.make("stand_in", ["Everyday", "Glint"], "families", own=True)
    session.open_artwork(demo.data / "artwork" / "signal-flags.png")
    window = Window(session, QSettings(str(tmp_path / "w.ini"), QSettings.Format.IniFormat))
    qtbot.addWidget(window)
    window.show()
    go(window, "Trial prints")
    desk = window.desks.trial
    choose(desk.what, "families and own")
    click(desk, "Make the trial")
    settle(window, qtbot)
    trial = session.print_trials.order(session.print_trials.shown)
    assert not session.print_trials.by_itself(trial)
    for one in trial.prints:
        printed = session.press_run(session.queue.carry_out(one.run))
        page, picture = printed.job.lying
        assert picture.artwork.path.name == "signal-flags.png"
        assert page.placing.bounds[3] <= picture.placing.bounds[1]
        seen = session.devices.scanner.scan(printed.piece, printed.number).pixels
        assert session.checking.check_run(printed, seen).chart.name == "families"
        x, y = (int(v / 25.4 * 150) for v in picture.placing.centre)
        assert np.ptp(seen[y - 60 : y + 60, x - 60 : x + 60].reshape(-1, 3).astype(int), axis=0).max() > 20000
    assert len(session.print_trials.standing(trial).seen) == 3
    kept = job_again(session.kept_sources(), session.logbook.run(trial.prints[0].run))
    assert [(one.placing, one.artwork.path.name) for one in kept.lying[1:]] == [
        (picture.placing, picture.artwork.path.name)
    ]


@pytest.mark.parametrize("count", [5, 9, 21, 41])
@pytest.mark.parametrize("each", [0.3, 0.8, 2.0, 4.0])
def test_trials_of_one_setting_end_within_five_rounds(count, each):
    """A judge who notices ΔE00 2, with noise; `each` step moves colours so far. What is not offered is not asked."""
    rng = np.random.default_rng(count)
    rounds_taken, off = [], []
    for _ in range(100):
        aim, rounds = rng.uniform(0, count - 1), []
        places = beginning(count, count // 2)
        while len(rounds) < 12:
            seen = np.array([abs(p - aim) * each for p in places]) + rng.normal(0, 0.7, len(places))
            assert len(set(places)) == len(places)
            assert all(0 <= p < count for p in places)
            rounds.append(Round(places, None if np.ptp(seen) < 2 else places[int(seen.argmin())]))
            found = following(count, rounds)
            if found.ended:
                break
            places = found.places
        rounds_taken.append(len(rounds))
        off.append(abs(found.best - aim) * each)
    assert np.mean(np.array(rounds_taken) <= 5) >= 0.9
    assert np.percentile(off, 90) < max(3.0, 1.2 * each)


def test_a_slider_is_found_by_trials_that_lead_on_and_end(window, qtbot):
    """Three steps of a hand control, judged by eye; the next lie nearer; at the end the best is kept on the card."""
    session = window.session
    session.change_card("No profile", profile=None, owner="driver")
    session.handoff.bring()
    session.handoff.confirm("ink_saving", "off")
    go(window, "Trial prints")
    trials, desk = session.print_trials, window.desk
    assert ("hand:Warmth", "Warmth, by hand") in trials.varied()
    assert trials.proposed("hand:Warmth") == [-5, 0, 5]
    with pytest.raises(FideleError, match="two to"):
        trials.make("hand:Warmth", [0])
    trial = trials.make("hand:Warmth", trials.proposed("hand:Warmth"), "quick")
    assert trials.following(trial) is None, "nothing was seen yet"
    wanted, rounds = 3, 0
    desk._making_new = False
    while rounds < 6:
        rounds += 1
        values = {p.letter: p.card.hand.get("Warmth", 0) for p in trials.shown.prints}
        near = min(values, key=lambda letter: abs(values[letter] - wanted))
        far = max(abs(v - wanted) for v in values.values())
        trial = trials.answer(trials.shown, "all", near if far > 1 else "")
        desk.refresh()
        further = trials.following(trial)
        assert further[1] in desk.result.text()
        if not further[0]:
            break
        assert desk.next.text().startswith("Next trial: Warmth ")
        click(desk, desk.next.text())
    assert rounds <= 5
    best = max(trials.shown.prints, key=lambda p: -abs(p.card.hand.get("Warmth", 0) - wanted))
    trials.choose(trials.shown, best.letter)
    assert abs(session.card.hand["Warmth"] - wanted) <= 1
    (row,) = [r for r in session.rows if r.meaning == "sliders"]
    assert row.agrees is False, "it is wanted, and not set yet"
    session.handoff.bring()
    (row,) = [r for r in session.rows if r.meaning == "sliders"]
    assert row.agrees


def test_the_press_is_tried_in_steps_each_print_pressed_as_it_says(session):
    """Seconds on the bench: each print is pressed by its own, the time that the profile is for is found, and taken."""
    trials = session.print_trials
    session.handoff.bring()
    assert ("press:seconds", "Press time") in trials.varied()
    assert session.card.press.seconds == 180
    assert 180.0 in trials.proposed("press:seconds")
    trial = trials.make("press:seconds", [60.0, 180.0, 300.0])
    assert [p.title for p in trial.prints] == ["60 s", "180 s", "300 s"]
    read = trials.doing(trial)(lambda _: True)
    assert [session.logbook.run(p.run).card.count('"seconds":60.0') for p in read] == [1, 0, 0]
    trial = trials.take(trials.shown, read)
    # Too short a press leaves dye in the paper: the print is far from what the profile promises.
    off = trial.measured[-1].off["all"]
    assert off["A"] > off["B"] + 2
    assert trial.result in ("B", "")
    further = trials.following(trials.answer(trial, "all", "B"))
    assert all(60 < value < 300 for value in further[0])
    short = trials.choose(trials.shown, "A")
    assert (session.card.press.seconds, short.taken) == (60.0, "A")
    session.undo()
    assert session.card.press.seconds == 180
    # A printer whose paper is the piece has no press to try.
    direct = session.card.model_copy(update={"id": "direct", "process": "direct"})
    session.cards.save(direct)
    session.put_in_force(direct)
    assert not [name for name, _ in trials.varied() if name.startswith("press:")]
