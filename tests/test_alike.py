"""A second printer like the first: strangers' units truly alike, the cost said beforehand, the window and the shell."""

from __future__ import annotations

import datetime
import json

import numpy as np
import pytest
from click.testing import CliRunner
from PySide6.QtCore import QSettings

from fidele.characterise.alike import alike, between, cost, grid_of
from fidele.characterise.printer import Sizes, fit_printer, make_profile
from fidele.cli import cli
from fidele.colour.cie import lab_to_xyz
from fidele.colour.difference import delta_e_2000
from fidele.desk.window import Window
from fidele.errors import FideleError
from fidele.icc.describe import describe
from fidele.icc.profile import Profile
from fidele.icc.spaces import srgb
from fidele.icc.tables import device_to_pcs_lab, pcs_lab_to_device
from tests.hands import click, go, settle
from tests.street import drift, seal
from tests.street.alike import printed, units
from tests.street.fitted import measured, patches

_DAY = datetime.datetime(2026, 3, 1)
_SMALL = Sizes(25, 9, 25, 9, 9)


def test_the_second_unit_prints_what_the_first_prints():
    """Inks that lay down up to 8 % more or less: by what is truly printed, and the cost as it was said before."""
    stranger = seal.stranger("units alike", "trapping", 601)
    one, other = units(stranger, np.random.default_rng(5))
    rgb = patches(200)
    model = fit_printer(rgb, lab_to_xyz(measured(one, rgb, 0.1, 1)))
    first = Profile.parse(make_profile(model, "first", _DAY, sizes=_SMALL))
    second, _ = drift.profile_of(other, 0.1, 2)  # of the second its table from device values is all that is needed
    data, found = alike(first, second, "like the first", _DAY, sizes=_SMALL)
    made = Profile.parse(data)
    assert describe(made).meta["alike.like"] == "first"
    pcs = device_to_pcs_lab(srgb(), np.random.default_rng(6).random((3000, 3)))
    for intent in (0, 1):
        wanted = printed(one, np.clip(pcs_lab_to_device(first, pcs, intent), 0, 1))
        same = delta_e_2000(wanted, printed(other, np.clip(pcs_lab_to_device(first, pcs, intent), 0, 1)))
        like = delta_e_2000(wanted, printed(other, np.clip(pcs_lab_to_device(made, pcs, intent), 0, 1)))
        assert like.mean() < 0.35 * same.mean(), (intent, like.mean(), same.mean())
        assert like.mean() < 0.6
    # What it says of before is what truly differs, and of what is lost what truly cannot be had.
    device = np.random.default_rng(7).random((3000, 3))
    truly = delta_e_2000(printed(one, device), printed(other, device)).mean()
    assert found.before == pytest.approx(truly, rel=0.2)
    # A unit beside itself costs nothing.
    none = cost(grid_of(first), grid_of(first))
    assert (none.before, none.lost) == (0.0, 0.0)
    assert none.unused < 0.01
    _, off = between(grid_of(first), grid_of(second))
    assert off[0].mean() == pytest.approx(found.before / 2, rel=0.25)
    assert off[1].mean() == pytest.approx(off[0].mean(), rel=0.1)


@pytest.mark.usefixtures("quick_tables")
def test_units_are_made_alike_at_the_desk(session, qtbot, tmp_path):
    """Another profile on the shelf: the cost and the colours are shown, taken as one step, undone; both, cancelled."""
    media = session.device.carries.media_list()[0]
    session.profiles.receive(session.shelf.look_into("other.icc", session.device.carries.media_profile(media.name)))
    before = session.card.profile
    window = Window(session, QSettings(str(tmp_path / "w.ini"), QSettings.Format.IniFormat))
    qtbot.addWidget(window)
    window.show()
    go(window, "Own profile")
    desk = window.desks.own
    click(desk, "One profile for both")
    window.work.cancel()
    settle(window, qtbot)
    assert session.units_alike.made is None
    click(desk, "Print like it")
    settle(window, qtbot)
    made = session.units_alike.made
    assert "a mean ΔE00 of" in made.lines[0]
    # The colours that are shown are those of the profile that was made, by its own tables.
    off = delta_e_2000(made.pairs.wanted, made.pairs.then)
    assert off[:-1].max() < 1.0
    assert delta_e_2000(made.pairs.wanted, made.pairs.now).mean() > 5 * off.mean()
    click(desk, "Use this profile")
    assert session.card.profile == Profile.parse(made.profile).content_id
    assert describe(session.profile).meta["about.unit"] == session.card.printer
    session.undo()
    assert session.card.profile == before


def test_units_alike_from_a_shell(profile_path, tmp_path):
    """The cost alone takes no profile to be made; what is no printer's profile is refused in a sentence."""
    run = CliRunner().invoke
    result = run(cli, ["profile", "alike", str(profile_path), str(profile_path), "--json"])
    said = json.loads(result.output)
    assert said["before"] == 0
    assert said["says"][1] == "This unit can print all that the other prints."
    screen = tmp_path / "screen.icc"
    screen.write_bytes(srgb().data)
    for second in (screen, tmp_path / "gone.icc"):
        result = run(cli, ["profile", "alike", str(profile_path), str(second)])
        assert isinstance(result.exception, FideleError) or result.exit_code == 2
        assert second.name in str(result.exception) + result.output or "no profile of a printer" in str(
            result.exception
        )
