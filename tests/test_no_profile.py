"""Without a profile: from an empty home to a piece that is right, by eye and by scan, and the same again next week."""

from __future__ import annotations

import json

import numpy as np
import pytest
from PySide6.QtCore import QSettings, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton

from fidele.artwork.save import save_picture
from fidele.characterise.known import known_print
from fidele.chart.family import made
from fidele.colour.cie import xyz_to_lab
from fidele.colour.difference import delta_e_2000
from fidele.desk.window import Window
from fidele.devices.bench.bench import Bench
from fidele.devices.bench.serving import can_serve
from fidele.icc.describe import describe
from fidele.icc.transform import Intent, to_lab
from fidele.judge.finding import Action, Deed
from fidele.run.kept import job_again
from fidele.run.page import prepare_page
from fidele.session.model import Session
from fidele.session.places import Places
from tests.hands import ByName, choose, comes, go, settle
from tests.street.kinds import made as stranger


@pytest.mark.parametrize("kind", ["dye", "stepped"])
def test_what_a_page_along_greys_tells_runs_nowhere_away_and_knows_how_good_it_is(kind):
    """Beside a stranger's own colours all over the device cube: a fit that is free between patches is off by 50."""
    one, page = stranger(kind, 32), made("neutral").rgb
    anywhere = np.random.default_rng(9).random((1500, 3))

    def prints(rgb):
        return np.asarray(xyz_to_lab(one.xyz(one.again(rgb))))

    noise = np.random.default_rng(1).normal(0, one.noise, (len(page), 3))
    known = known_print(page, prints(page) + noise, "page")
    off = delta_e_2000(to_lab(anywhere.astype(np.float32), known, Intent.ABSOLUTE).astype(float), prints(anywhere))
    stated = describe(known).stated_error
    assert off.mean() < 5
    assert np.percentile(off, 95) < 12
    assert 0.4 < off.mean() / stated < 2.4


@pytest.mark.skipif(not can_serve(), reason="cups-daemon is not installed")
def test_trials_balance_and_a_right_piece_on_a_served_queue_and_the_same_next_week(served, demo, tmp_path, qtbot):
    root = tmp_path / "home"
    places = Places(root / "data", root / "icc", (), root / "data/bench", root / "state")
    session = Session(places)
    window = Window(session, QSettings(str(root / "window.ini"), QSettings.Format.IniFormat))
    qtbot.addWidget(window)
    window.show()
    hands, bench = ByName(window, qtbot), Bench(served._prints.parent)

    def scans(*runs: int):
        """What stands outside: sheets that came out of the queue are pressed and scanned, beside each other."""
        found = []
        for run in runs:
            sheet = served.sheet("wren", int(json.loads(session.logbook.run(run).receipt)["job"]))
            scan = bench.scanner.scan(bench.press.press(sheet, "ceramic tile", session.card.press), run)
            found.append((scan.pixels >> 8).astype(np.uint8))
        high = min(len(one) for one in found)
        file = tmp_path / f"scan of {runs}.tif"
        save_picture(file, np.concatenate([one[:high] for one in found], axis=1), None, scan.ppi)
        return file

    hands.drop(demo.data / "scanner" / "scanner.icc")
    hands.press("Use for the scanner")
    hands.key(Qt.Key.Key_F6)
    desk = window.desk
    choose(desk.fields["printer"], "queue/wren")
    choose(desk.fields["piece"], "ceramic tile")
    QTest.keyClicks(desk.fields["media"].lineEdit(), "Fen 100")
    QTest.keyClick(desk.fields["media"].lineEdit(), Qt.Key.Key_Return)
    settle(window, qtbot)
    assert (session.card.owner, session.card.profile) == ("driver", None)
    assert "Set, and read back" in window.foot.said.text()
    while looked := hands._found("I looked:"):
        hands.press(looked[0].text())
    # Three stand-ins on three sheets; their scan and a pair of eyes tell which is nearest.
    go(window, "Trial prints")
    hands.press("Make the trial")
    hands.press("Print them")
    runs = [p.run for p in session.print_trials.shown.prints]
    assert len(runs) == 3
    assert comes(lambda: all(session.logbook.run(r).state == "printed" for r in runs))
    go(window, "Trial prints")
    hands.drop(scans(*runs))
    measured = session.print_trials.shown.measured[-1]
    assert measured.best["all"] == "B", "the heaviest load comes nearest"
    assert measured.off["all"]["A"] > measured.off["all"]["B"] + 2
    window.desk.eye.setFocus()
    for _ in range(3):
        QTest.keyClick(window.desk.eye, Qt.Key.Key_B)
    [b for b in window.desk.findChildren(QAbstractButton) if b.text() == "Take this one"][1].click()
    settle(window, qtbot)
    chosen = session.card.driver["stand_in"]
    assert chosen == session.print_trials.shown.prints[1].card.driver["stand_in"]
    go(window, "Hand-off")
    hands.press("Set it to the card")
    # One page tells its tone and balance: curves, kept on the card; what it prints is known from then on.
    go(window, "Balance")
    hands.press("Lay the page on the sheet")
    go(window, "Print")
    hands.press("Print the sheet")
    page = session.logbook.runs(1)[0]
    go(window, "Check")
    hands.drop(scans(page.id))
    (measured,) = session.balancing.pages()
    assert not measured.rough
    assert session.known is not None
    assert session.known.patches > 80
    go(window, "Balance")
    hands.press("Compute the curves")
    hands.press("Keep the curves on the card")
    # The picture: seen as it will print, printed, and right by its scan and by eye.
    go(window, "Artwork")
    hands.drop(demo.data / "artwork" / "signal-flags.png")
    go(window, "Proof")
    settle(window, qtbot)
    assert "There is no profile: it is shown by" in window.desk.explain.text()
    (lost,) = [f for f in session.findings if f.code in ("losses", "holds")]
    assert lost.code == "holds" or ("known from measured pages alone" in lost.why and "intents" not in lost.remedy)
    go(window, "Print")
    hands.press("Print the sheet")
    first = session.logbook.runs(1)[0]
    go(window, "Check")
    hands.drop(scans(first.id))
    assert session.logbook.runs(1)[0].verdict == "pass"
    window.close()
    # Next week: somebody has printed otherwise meanwhile; the card sets it all as it was.
    again = Session(places)
    kept = again.card
    assert (kept.driver["stand_in"], kept.balance) == (chosen, session.card.balance)
    driver = again.device.possible(kept.driver | {"stand_in": "Everyday"})
    other = kept.model_copy(update={"id": "other", "name": "Other", "balance": None, "driver": driver})
    again.cards.save(other)
    again.put_in_force(other)
    again.handoff.bring()
    again.put_in_force(kept)
    again.handoff.bring()
    again.open_artwork(demo.data / "artwork" / "signal-flags.png")
    before = job_again(again.kept_sources(), again.logbook.run(first.id))
    assert before.lying[0].profile.data == session.known.profile.data
    assert np.array_equal(prepare_page(again.job(), again.device), prepare_page(before, again.device))
    run = again.print_job(again.job(), overridden="looked" if again.stops else "")
    jobs = [int(json.loads(again.logbook.run(number).receipt)["job"]) for number in (first.id, run.number)]
    sheets = [served.sheet("wren", job).ink.astype(float) for job in jobs]
    # But for the grain of dots, which falls otherwise each time.
    assert np.abs(sheets[0] - sheets[1]).mean() < 0.02 * sheets[0].max()


@pytest.mark.usefixtures("quick_tables")
def test_what_was_measured_without_a_profile_counts_toward_one(session, printer):
    """Pages and trials printed with the settings in force become patches of the bare printer; others do not."""
    session.change_card("No profile", profile=None, owner="driver")
    session.handoff.bring()
    session.handoff.confirm("ink_saving", "off")

    def read(printed):
        scan = session.devices.scanner.scan(printed.piece, printed.number).pixels
        return session.checking.check_run(printed, scan)

    session.charts.take(session.balancing.ready())
    read(session.press_run(session.print_job(session.job(), overridden="a page" if session.stops else "")))
    here = str(session.card.driver["stand_in"])
    other = next(str(v) for v, _ in session.print_trials.values("stand_in") if v != here)
    trial = session.print_trials.order(session.print_trials.make("stand_in", [here, other], "families"))
    for one in trial.prints:
        read(session.press_run(session.queue.carry_out(one.run)))
    session.known_prints.find()
    assert (session.known.patches, session.known.counting) == (129, 129)
    note = next(f for f in session.findings if f.code == "toward-a-profile")
    assert note.title.startswith("47 %")
    assert note.action == Action(Deed.SHOW, "one page")
    session.handoff.choose_owner("fidele")  # as it will print by its profile: what was measured still counts
    patches = session.measured_pages.as_patches(session.card, {"scan"})
    assert sorted(len(one.ids) for _, one in patches) == [42, 87]
    assert session.measured_pages.as_patches(session.card, {"instrument"}) == []
    # The demo's profile was measured on this printer by nobody of these: numbers behind the driver print as it says.
    device, Lab = (np.concatenate([getattr(one, name) for _, one in patches]) for name in ("rgb", "Lab"))
    off = delta_e_2000(to_lab(device.astype(np.float32), printer, Intent.ABSOLUTE).astype(float), Lab)
    assert off.mean() < 1.0
    session.change_card("Another press", press=session.card.press.model_copy(update={"seconds": 90.0}))
    assert session.measured_pages.counting(session.card) == []
