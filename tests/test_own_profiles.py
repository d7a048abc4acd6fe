"""Own profiles: a fit that is better than a plain one on strangers, and an error that is stated truly."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from click.testing import CliRunner
from PySide6.QtCore import QSettings
from PySide6.QtWidgets import QLabel
from scipy.interpolate import RBFInterpolator

from fidele.characterise.fit import fit, looked_at
from fidele.characterise.mend import mend
from fidele.chart.cgats import Table, write
from fidele.chart.family import control_chart, made
from fidele.chart.measurement import Conditions, Measurement
from fidele.cli import cli
from fidele.colour.cie import D50, lab_to_xyz, xyz_to_lab
from fidele.colour.difference import delta_e_2000
from fidele.colour.spectra import spectra_to_xyz
from fidele.desk.window import Window
from fidele.errors import FideleError
from fidele.icc.describe import describe
from fidele.icc.profile import Profile
from fidele.icc.spaces import srgb
from fidele.icc.transform import Intent, convert, to_lab
from fidele.judge.finding import Action, Deed
from fidele.proof.losses import losses
from fidele.proof.soft import ProofSettings
from fidele.run.chart_page import on_patches
from tests.hands import click, go, machine_of, ready, settle, take
from tests.street import drift, seal
from tests.street.fitted import ANYWHERE, measured, patches
from tests.street.kin import known

pytestmark = pytest.mark.usefixtures("quick_tables")


def test_it_is_better_than_a_plain_spline_and_says_how_good_it_is():
    """Against a thin-plate spline of the same patches, and the printers' own colours without noise."""
    better, within = [], []
    for kind, count, noise in (("dye", 100, 0.1), ("trapping", 200, 0.3), ("wide", 200, 0.1), ("stepped", 400, 0.3)):
        stranger, rgb = seal.stranger("true colour", kind, 1), patches(count)
        Lab, truth = measured(stranger, rgb, noise, 5), xyz_to_lab(stranger.xyz(ANYWHERE))
        plain = RBFInterpolator(rgb, Lab, kernel="thin_plate_spline")(ANYWHERE)
        ours = fit(rgb, Lab)
        off, usual = delta_e_2000(ours(ANYWHERE), truth), delta_e_2000(plain, truth)
        better.append(off.mean() / usual.mean())
        assert np.percentile(off, 95) < 1.05 * np.percentile(usual, 95), kind
        within.append(ours.stated.low <= off.mean() <= ours.stated.high)
        assert len(ours.out) == 0, kind
        for (
            part
        ) in ours.parts:  # how much each patch counts is what makes the colours: by it noise goes into what is said
            assert part.counts @ Lab == pytest.approx(part(looked_at(3)), abs=1e-6)
    assert np.mean(better) < 0.85
    assert max(better) < 1.02
    assert sum(within) >= 3


def test_a_small_target_begins_from_what_is_known_of_the_same_printer(tmp_path, target):
    """On another media nearly half of the error is gone; what is nonsense is not followed, and does no harm."""
    stranger = seal.stranger(seal.KIN, "light inks", 1)
    other = stranger.elsewhere(np.random.default_rng(1))
    rgb = patches(120)
    Lab, truth = measured(other, rgb, 0.1, 1), xyz_to_lab(other.xyz(ANYWHERE))
    alone, begun = fit(rgb, Lab), fit(rgb, Lab, like=known(stranger, 0.1))
    off = [delta_e_2000(made(ANYWHERE), truth).mean() for made in (alone, begun)]
    assert off[1] < 0.6 * off[0]
    assert begun.follows > 0.5
    misled = fit(
        rgb, Lab, like=lambda device: 40 + 40 * np.sin(40 * device @ np.array([[1, 2, 3], [3, 1, 2], [2, 3, 1]]))
    )
    assert delta_e_2000(misled(ANYWHERE), truth).mean() < 1.1 * off[0]
    assert misled.follows < 0.5
    # From a shell: the profile says what it began from, and a profile that prints nothing is refused.
    chart, colours, _ = target
    made_of = file_of(tmp_path, chart, colours)
    first, second = str(tmp_path / "first.icc"), str(tmp_path / "second.icc")
    assert run(made_of, "--out", first, "--title", "Slate")[0] == 0
    assert run(made_of, "--like", first, "--out", second)[0] == 0
    assert describe(Profile.open(Path(second))).meta["quality.begun_from"] == "Slate"
    (tmp_path / "srgb.icc").write_bytes(srgb().data)
    code, _, error = run(made_of, "--like", str(tmp_path / "srgb.icc"))
    assert code != 0
    assert "has to be a profile of a printer" in str(error)


def test_a_drift_of_one_ink_is_mended_by_thirty_patches(tmp_path):
    """As good as the whole target anew; no drift, a wild patch and another paper are told apart."""
    chart, ratios = made("mend"), []
    for kind, seed in (("trapping", 602), ("weak", 603)):
        (row,) = drift.judged(seal.stranger(seal.DRIFT, kind, seed), (0.1,))
        ratios.append(row["mended"] / row["remade"])
        assert row["mended"] < 1.5 * row["stated"]
    assert max(ratios) < 1.3
    stranger = seal.stranger(seal.DRIFT, "dye", 603)
    before, after, _ink, by = drift.drifted(stranger, np.random.default_rng(2))
    assert abs(by) > 0.04
    old, _ = drift.profile_of(before, 0.1, 1)

    def mended(printer, changed=None):
        Lab = measured(printer, chart.rgb, 0.1, 4)
        return mend(old, chart.rgb, lab_to_xyz(Lab if changed is None else changed(Lab)))

    assert mended(before).advice == "keep"
    right = mended(after)
    assert right.advice == "mend"
    assert right.drift > 0.5

    def wild(Lab):
        Lab = Lab.copy()
        Lab[7] += [6, 14, -9]
        return Lab

    found = mended(after, wild)
    assert found.model.fit.out.tolist() == [7]
    assert delta_e_2000(found.model(ANYWHERE), after.lab(ANYWHERE)).mean() < 0.3
    elsewhere = after.elsewhere(np.random.default_rng(5))
    assert mended(elsewhere).advice == "remake"
    # From a shell, with the order wrong: it is put right, said what there is to do, and the profile says what it was.
    path = tmp_path / "old.icc"
    path.write_bytes(old.data)
    made_of = file_of(tmp_path, chart, measured(after, chart.rgb, 0.1, 4)[::-1])

    def shell(*words: str):
        done = CliRunner().invoke(cli, ["profile", "mend", *words])
        return done.exit_code, done.output, done.exception

    code, output, _ = shell(str(path), made_of, "--json", "--out", str(tmp_path / "new.icc"))
    said = json.loads(output)
    assert (code, said["advice"], said["patches"]) == (0, "mend", 30)
    assert "the last patch first" in said["put_right"][0]
    new = Profile.open(tmp_path / "new.icc")
    assert describe(new).meta["mended.from_id"] == old.content_id
    assert describe(new).meta["mended.times"] == "1"
    assert delta_e_2000(to_lab(ANYWHERE, new).astype(float), after.lab(ANYWHERE)).mean() < 0.3
    (tmp_path / "srgb.icc").write_bytes(srgb().data)
    assert "has to be a profile of a printer" in str(shell(str(tmp_path / "srgb.icc"), made_of)[2])
    light = np.argsort(-chart.rgb.min(axis=1))[:8]
    few = replace(chart, rgb=chart.rgb[light], ids=tuple(chart.ids[i] for i in light))
    too_few = file_of(tmp_path, few, measured(after, few.rgb, 0.1, 1), "few.txt")
    assert "are too few to mend" in str(shell(str(path), too_few)[2])


@pytest.fixture(scope="module")
def target():
    """A chart of 250 patches on a dye printer, and its measurements."""
    rgb, stranger = patches(250), seal.stranger("true colour", "dye", 2)
    ids = tuple(f"{chr(65 + i % 20)}{i // 20 + 1}" for i in range(len(rgb)))
    chart = replace(made("full-400"), rgb=rgb, ids=ids, families=("own",) * len(rgb))
    return chart, measured(stranger, rgb, 0.1, 3), stranger


def file_of(tmp_path, chart, Lab, name="m.txt", scale=255.0, rgb=None):
    values = chart.rgb if rgb is None else rgb
    columns = {f"RGB_{c}": values[:, i] * scale for i, c in enumerate("RGB")}
    columns |= {f"LAB_{c}": Lab[:, i] for i, c in enumerate("LAB")}
    write(tmp_path / name, Table(chart.ids, columns, {"INSTRUMENTATION": "somebody's"}))
    return str(tmp_path / name)


def run(*words: str):
    done = CliRunner().invoke(cli, ["profile", "make", *words])
    return done.exit_code, done.output, done.exception


def test_what_is_wrong_with_measurements_is_noticed_named_and_put_right(tmp_path, target):
    chart, Lab, stranger = target
    rng = np.random.default_rng(8)
    clean = fit(chart.rgb, Lab)
    truth = clean(ANYWHERE)

    def told(data, **changes):
        code, output, _ = run(file_of(tmp_path, chart, data, **changes), "--json")
        assert code == 0, output
        return json.loads(output)

    assert told(Lab)["doubtful"] == []
    one, other = 50, 110
    assert delta_e_2000(Lab[one], Lab[other]) > 5
    swapped = Lab.copy()
    swapped[[one, other]] = swapped[[other, one]]
    said = told(swapped)
    assert said["swapped"] == [[chart.ids[one], chart.ids[other]]]
    assert set(said["doubtful"]) == {chart.ids[one], chart.ids[other]}
    wild, where = Lab.copy(), rng.permutation(250)[:5]
    wild[where] += rng.normal(0, 1, (5, 3)) * [8, 12, 12] + [0, 14, 0]
    seen = delta_e_2000(Lab[where], wild[where]) > 5
    assert seen.sum() >= 4
    assert {chart.ids[i] for i in where[seen]} <= set(told(wild)["doubtful"]) <= {chart.ids[i] for i in where}
    for data in (swapped, wild):
        assert delta_e_2000(fit(chart.rgb, data)(ANYWHERE), truth).mean() < 0.3
    white = Lab.copy()
    white[int(chart.rgb.min(axis=1).argmax())] = [88, 2, 6]
    said = told(white)
    assert "which no patch beside it bears out" in said["put_right"][0]
    assert said["white_lab"][0] == pytest.approx(Lab[:, 0].max(), abs=1.5)
    assert "from 0 to 100" in told(Lab, scale=100.0)["put_right"][0]
    assert "from 0 to 1," in told(Lab, scale=1.0)["put_right"][0]
    assert "the last patch first" in told(Lab[::-1])["put_right"][0]
    # What cannot be a profile is refused in a sentence, with what to do.
    absolute = lab_to_xyz(Lab)
    relative = xyz_to_lab(absolute / absolute[chart.rgb.min(axis=1).argmax()] * D50)
    profile = Profile.parse(_profile(chart, Lab))
    through = convert(chart.rgb.astype(np.float32), srgb(), profile, Intent.RELATIVE, True).astype(float)
    converted = xyz_to_lab(stranger.xyz(through))
    for data, words in (
        (relative, "the instrument took the paper out"),
        (converted, "print as a picture looks on a screen"),
        (Lab[rng.permutation(250)], "do not belong together"),
    ):
        code, _, error = run(file_of(tmp_path, chart, data))
        assert code != 0
        assert isinstance(error, FideleError)
        assert words in str(error)
    half = file_of(tmp_path, chart, Lab, "a.txt")
    stranger2 = seal.stranger("true colour", "wide", 1)
    other_page = file_of(tmp_path, chart, measured(stranger2, chart.rgb, 0.1, 1), "b.txt")
    assert "are not of one printer" in str(run(half, other_page)[2])


def _profile(chart, Lab) -> bytes:
    import datetime

    from fidele.characterise.printer import Sizes, fit_printer, make_profile

    return make_profile(fit_printer(chart.rgb, lab_to_xyz(Lab)), "x", datetime.datetime(2026, 1, 1), sizes=Sizes())


def test_repeats_are_averaged_and_the_profile_says_how_good_it_is(tmp_path, target):
    chart, _, stranger = target
    files = [file_of(tmp_path, chart, measured(stranger, chart.rgb, 0.4, s), f"{s}.txt") for s in (1, 2, 3)]
    code, output, _ = run(*files, "--out", str(tmp_path / "own.icc"), "--title", "Dye, own", "--json")
    assert code == 0
    said = json.loads(output)
    assert 0.25 < said["repeatability_de00"] < 0.6
    profile = Profile.open(tmp_path / "own.icc")
    off = delta_e_2000(
        to_lab(ANYWHERE.astype(np.float32), profile, Intent.ABSOLUTE).astype(float), xyz_to_lab(stranger.xyz(ANYWHERE))
    )
    low, high = said["stated"]["interval_de00"] if "interval_de00" in said["stated"] else said["stated"]["interval"]
    assert low * 0.8 < off.mean() < high * 1.25
    from fidele.icc.describe import describe

    assert describe(profile).meta["quality.patches"] == "250"


def test_what_is_doubtful_or_missing_is_measured_again(session, tmp_path, target):
    """Wild patches and lost rows get a page of their own, which takes their place; two further pages stay apart."""
    own, (_, _, stranger), chart = session.own_profiles, target, made("control")
    Lab, kept = measured(stranger, chart.rgb, 0.1, 7), np.arange(len(chart.ids)) < len(chart.ids) - 2
    wild = [20, 60, 100]
    Lab[wild] = [[60, 60, 0], [45, -60, 20], [70, 0, -60]]

    def add(name, ids, Lab):  # by the patches' names alone
        write(tmp_path / name, Table(tuple(ids), {f"LAB_{c}": Lab[:, i] for i, c in enumerate("LAB")}, {}))
        own.add(tmp_path / name)

    add("first.txt", np.array(chart.ids)[kept].tolist(), Lab[kept])
    first = own.making("control")(lambda _: True)
    values = own.doubtful(first)
    wanted = np.concatenate([chart.rgb[wild], chart.rgb[~kept]])
    assert sorted(map(tuple, values.round(4))) == sorted(map(tuple, wanted.round(4)))
    own.add_chosen(own.choosing(first, 30)(lambda _: True))
    own.measure_again(first)
    further, again = own.chosen()
    assert not set(further.ids) & set(again.ids)
    for seed, one in enumerate((further, again)):
        add(f"{seed}.txt", one.ids, measured(stranger, one.rgb, 0.1, seed))
    second = own.making("control")(lambda _: True)
    assert len(second.own.fit.out) == 0
    assert second.found.missing == ()
    assert len(second.found.ids) == len(chart.ids) + len(further.ids)
    off = [
        delta_e_2000(
            to_lab(ANYWHERE.astype(np.float32), Profile.parse(one.own.profile), Intent.ABSOLUTE).astype(float),
            xyz_to_lab(stranger.xyz(ANYWHERE)),
        ).mean()
        for one in (first, second)
    ]
    assert off[1] < off[0]
    session.undo()
    session.undo()
    session.undo()
    assert [one.digest for one in own.chosen()] == [further.digest]


def test_from_a_bare_target_to_a_profile_in_use(bare, demo, qtbot, tmp_path):
    """In the window, with no profile on the machine: target, report, into use, and the quick chart comes out right."""
    session = ready(bare)
    window = Window(session, QSettings(str(tmp_path / "w.ini"), QSettings.Format.IniFormat))
    qtbot.addWidget(window)
    window.show()
    go(window, "Own profile")
    desk = window.desks.own
    assert not desk.build.isEnabled()
    click(desk, "Lay it on the sheet")  # by hand, page by page: nothing may convert it
    settle(window, qtbot)
    assert session.pieces.current.bare
    assert session.chain.knots == ()
    go(window, "Own profile")
    click(desk, "Print, press and measure it")
    settle(window, qtbot)
    assert [p.words for p in session.own_profiles.pages("full-400")] == ["run 1, measured"]
    click(desk, "Make the profile")
    settle(window, qtbot)
    made_one = session.own_profiles.made
    assert made_one.own.fit.stated.mean < 0.25
    assert made_one.before is None
    # One's own picture through it, before it is used: it says what will be lost.
    take(window, demo.data / "artwork" / "signal-flags.png")
    go(window, "Own profile")
    settle(window, qtbot)
    said = [one.text() for one in desk.findChildren(QLabel) if one.isVisible()]
    (new,) = (words for words in said if words.startswith("Printed by the new one"))
    lost = losses(session.artwork.laid, srgb(), Profile.parse(made_one.own.profile), ProofSettings(session.card.intent))
    assert new == f"Printed by the new one: {100 * lost.lost:.0f} % lost"
    assert not [words for words in said if words.startswith("Printed by the profile in force")]  # there is none
    # A further page where it knows least: what was measured stays, and the profile is made again from both.
    click(desk, "A further page, well chosen")
    settle(window, qtbot)
    (chosen,) = session.own_profiles.chosen()
    assert len(chosen.ids) == 120
    apart = np.abs(chosen.rgb[:, None] - made("full-400").rgb[None]).max(axis=2).min(axis=1)
    assert apart.min() > 0  # nothing is measured twice
    assert [p.words for p in session.own_profiles.pages("full-400")] == ["run 1, measured", "not printed yet"]
    click(desk, "Print, press and measure it")
    settle(window, qtbot)
    click(desk, "Make the profile")
    settle(window, qtbot)
    assert len(session.own_profiles.made.found.ids) == 520
    assert session.own_profiles.made.own.fit.stated.mean < 1.05 * made_one.own.fit.stated.mean
    click(desk, "Put it on the shelf and use it")
    assert session.profile is not None
    assert session.card.owner == "fidele"
    session.undo()
    assert session.profile is None
    session.redo()
    session.handoff.bring()
    session.open_chart("control")
    run = session.press_run(session.print_job(session.job()))
    spectra = session.devices.instrument.measure(run.piece, on_patches(run.job.patches))
    seen = Measurement(control_chart().ids, xyz_to_lab(spectra_to_xyz(spectra)), Conditions())
    checked = session.checking.measure_run(run, seen)
    assert checked.comparison.passed
    assert checked.comparison.mean < 0.8
    # Weeks later one ink comes thinner: thirty patches bring the profile up to that; the first can be gone back to.
    first, (before,) = session.card.profile, session.own_profiles.versions()
    assert before.in_use
    machine_of(session, session.card.printer).store.clog("cyan", 0.93)
    window.act(Action(Deed.SHOW, "mending"))  # as the check's finding does
    assert (window.desk.station, desk.target) == ("Own profile", "mend")
    click(desk, "Print, press and measure it")
    settle(window, qtbot)
    click(desk, "Mend the profile")
    settle(window, qtbot)
    mended = session.own_profiles.made
    assert mended.mended.advice == "mend"
    assert 0.4 < mended.mended.drift < 3
    assert "It prints otherwise than its profile says" in window.foot.said.text()
    # A small target may as well be made anew, beginning from the profile: what was measured before it counts no more.
    click(desk, "Make it anew from a small target")
    assert (desk.target, desk.like.currentData()) == ("control", first)
    assert len(session.own_profiles.files("control", like=first)) == 1  # the thirty patches
    click(desk, "Print, press and measure it")
    settle(window, qtbot)
    click(desk, "Make the profile")
    settle(window, qtbot)
    part = session.own_profiles.made
    assert (len(part.found.ids), part.like) == (172, before.title)  # two are in both
    apart = delta_e_2000(mended.own.model(part.found.device), part.own.model(part.found.device))
    assert apart.mean() < 0.5 * mended.mended.drift  # both see the same drift
    desk.choose("mend")
    click(desk, "Mend the profile")
    settle(window, qtbot)
    click(desk, "Put it on the shelf and use it")
    newest, oldest = session.own_profiles.versions()
    assert (newest.in_use, oldest.in_use) == (True, False)
    assert newest.words.startswith("mended from “")
    assert session.own_profiles.pages("mend")[0].words.endswith("measured before the profile in force was made")
    assert session.own_profiles.files("mend") == []  # it knows of them

    def off() -> float:
        session.open_chart("control")
        run = session.press_run(session.print_job(session.job()))
        spectra = session.devices.instrument.measure(run.piece, on_patches(run.job.patches))
        seen = Measurement(control_chart().ids, xyz_to_lab(spectra_to_xyz(spectra)), Conditions())
        return session.checking.measure_run(run, seen).comparison.mean

    now = off()
    assert now < 0.8
    go(window, "Own profile")
    click(desk, "Use this one")
    assert session.card.profile == first
    assert off() > 1.3 * now
    window.close()
