"""Knots, twists, stretches and findings: what the thread says is what the bench really does."""

from __future__ import annotations

import datetime

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from fidele.bench import wren
from fidele.demo.prepare import demo_card
from fidele.output.workshop import Workshop
from fidele.route.condition import Card
from fidele.route.findings import route_findings
from fidele.route.layers import Chain, Evidence, Layer, SettingRow, fingerprint
from fidele.route.probe import SIZE, lattice_page, read_lattice
from fidele.session.runs import probe

NOW = datetime.datetime(2026, 6, 13, 10, 0)


def layers(fidele=True, system=False, driver=False, mirrors=(True, False), scale=1.0, turned=False):
    return (
        Layer("Fidele", fidele, "", Evidence.READ_BACK, mirrors=mirrors[0]),
        Layer("system", system, "", Evidence.READ_BACK),
        Layer("driver", driver, "", Evidence.READ_BACK, mirrors=mirrors[1], scale=scale, turned=turned),
        Layer("panel", False, "", Evidence.BY_HAND),
    )


def card(**changes) -> Card:
    return demo_card("some-profile").model_copy(update=changes)


DIRECT = {"process": "direct"}
BACK = {"seen_from": "back"}

#: A finding, a route that has it, and the nearest route that has it not. Each is layers and card.
RULES = [
    ("two-conversions", layers(driver=True), {}, layers(), {}),
    ("two-conversions", layers(system=True), {}, layers(), {}),
    ("two-conversions", layers(fidele=False, system=True, driver=True), {}, layers(fidele=False, driver=True), {}),
    ("no-conversion", layers(fidele=False), {}, layers(fidele=False, driver=True), {}),
    ("mirrored-twice", layers(mirrors=(True, True)), {}, layers(mirrors=(False, True)), {}),
    ("not-mirrored", layers(mirrors=(False, False)), {}, layers(), {}),
    ("not-mirrored", layers(mirrors=(False, False)), {}, layers(mirrors=(False, False)), DIRECT),
    ("turned-not-mirrored", layers(mirrors=(False, False), turned=True), {}, layers(turned=True), {}),
    ("mirrored-needlessly", layers(), DIRECT, layers(mirrors=(False, False)), DIRECT),
    ("mirrored-needlessly", layers(), BACK, layers(mirrors=(False, False)), BACK),
    ("scaled", layers(scale=0.97), {}, layers(scale=1.0005), {}),
    ("turned", layers(turned=True), {}, layers(), {}),
]


@pytest.mark.parametrize(
    ("code", "faulty", "faulty_card", "sound", "sound_card"), RULES, ids=lambda v: v if isinstance(v, str) else ""
)
def test_each_rule_is_found_and_only_where_it_is(code, faulty, faulty_card, sound, sound_card):
    def codes(which, changes):
        made = card(**changes)
        return {f.code for f in route_findings(Chain(which, made.twists_needed), made, ())}

    assert code in codes(faulty, faulty_card)
    assert code not in codes(sound, sound_card)


def row(meaning, agrees, found="x"):
    return SettingRow(meaning, "wanted", found, "place", agrees, Evidence.READ_BACK, meaning != "ink_saving")


@pytest.mark.parametrize(
    ("meaning", "code", "weight"),
    [
        ("stand_in", "wrong-stand-in", "stop"),
        ("size", "wrong-size", "stop"),
        ("ink_saving", "wrong-ink-saving", "stop"),
        ("quality", "wrong-quality", "caution"),
        ("direction", "wrong-direction", "caution"),
        ("improvement", "wrong-improvement", "caution"),
        ("sliders", "wrong-sliders", "caution"),
    ],
)
def test_settings_that_differ_are_findings(meaning, code, weight):
    made = card()
    found = route_findings(Chain(layers(), 1), made, (row(meaning, False),))
    assert [(f.code, f.weight) for f in found] == [(code, weight)]
    assert found[0].button
    assert found[0].action
    assert route_findings(Chain(layers(), 1), made, (row(meaning, True),)) == []


def test_not_known_is_never_good():
    made = card()
    unknown = SettingRow("ink_saving", "off", None, "at the printer", None, Evidence.NOT_KNOWN, False)
    found = route_findings(Chain(layers(), 1), made, (unknown,))
    assert [(f.code, f.weight, f.action) for f in found] == [("not-known", "caution", "confirm:ink_saving")]
    dark = Chain((Layer("driver", None, "", Evidence.NOT_KNOWN, None, None, None),), 1)
    assert dark.unknown == ("driver",)
    assert dark.headline == "Conversions not known"
    assert not [f for f in route_findings(dark, made, ()) if f.code == "no-conversion"]  # nobody knows that


def test_stops_come_first_and_every_finding_is_complete():
    made = card()
    found = route_findings(
        Chain(layers(driver=True, scale=1.03, turned=True, mirrors=(False, False)), 1), made, (row("sliders", False),)
    )
    weights = [f.weight for f in found]
    assert weights == sorted(weights, key=("stop", "caution", "note").index)
    for finding in found:
        assert finding.title
        assert finding.why.endswith(".")
        assert finding.remedy.endswith(".")


def test_twists_follow_process_and_side():
    assert card().twists_needed == 1
    assert card(**BACK).twists_needed == 0
    assert card(**DIRECT).twists_needed == 0


def test_cards_keep_what_a_newer_version_added():
    text = card().model_dump_json().replace('"version":1', '"version":9,"humidity":{"percent":40}')
    back = Card.model_validate_json(text)
    assert '"humidity":{"percent":40}' in back.model_dump_json()
    assert back.version == 9


def test_a_probe_reads_what_the_driver_does():
    page = lattice_page()
    assert page.shape[0] * page.shape[1] < 1 << 20
    same = read_lattice(page, (), NOW)
    assert same.passes
    x = np.random.default_rng(0).random((500, 3))
    assert np.abs(same(x) - x).max() < 2e-3 + 0.5 / 255
    inverted = read_lattice(255 - page, (), NOW)
    assert not inverted.passes
    assert inverted.largest == 255
    assert np.abs(inverted(x) - (1 - x)).max() < 3e-3
    assert len(np.unique(page.reshape(-1, 3), axis=0)) == SIZE**3


@pytest.fixture(scope="module")
def workshop(tmp_path_factory):
    return Workshop(tmp_path_factory.mktemp("bench"))


def test_bringing_a_card_sets_everything_whatever_was_set_before(workshop):
    device, made = workshop.printer, card()
    rng = np.random.default_rng(1)
    for _ in range(20):
        for name in rng.permutation([n for n in wren.SETTINGS if n != "Thrift"]):
            offered = device._machine.driver.offered(str(name))
            device.choose(str(name), offered[rng.integers(0, len(offered))])
        device.bring(made)
        wrong = [r.meaning for r in device.rows(made) if r.agrees is False]
        assert wrong == []
        assert device.settings()["Blend"] == "Untouched"
        device.bring(made.model_copy(update={"owner": "driver"}))
        assert device.settings()["Blend"] == "Velm natural"


@given(
    choices=st.lists(
        st.tuples(st.sampled_from([n for n in wren.SETTINGS if n != "Thrift"]), st.integers(0, 20)), max_size=10
    )
)
@settings(max_examples=25, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_the_thread_says_what_the_bench_does_to_a_page(workshop, choices):
    """Send a page with a black corner and known colours; measure knots, turn and scale on the print."""
    device, made = workshop.printer, card()
    for name, pick in choices:
        offered = device._machine.driver.offered(name)
        device.choose(name, offered[pick % len(offered)])
    chain = Chain(device.layers(made, None), 1)
    # Knots: the numbers before ink are those that were sent, or not. Sliders and polish shift numbers but convert to
    # nothing, so they are set to rest for this.
    lattice = read_lattice(
        workshop.printer._machine.dry_run(lattice_page(), {"Polish": "off", "Light": 0, "Strength": 0, "Warmth": 0}),
        (),
        NOW,
    )
    assert bool(chain.knots) == (not lattice.passes)
    page = np.full((3508, 2480, 3), 255, np.uint8)
    page[900:1300, 500:1100] = 0
    media = made.size == device.settings()["Format"]
    if media:
        inked = np.argwhere(device.print_page(page)[0].ink[::4, ::4, 3] > 30_000) * 4
        scale = chain.scale
        assert np.ptp(inked[:, 1]) == pytest.approx(600 * scale, abs=10)
        centre = inked.mean(axis=0)
        assert (centre[0] > 1754) == chain.turned
        assert chain.twists == 0  # this driver cannot mirror


def test_a_probe_counts_until_a_setting_changes(workshop):
    device, made = workshop.printer, card()
    device.bring(made)
    probed = probe(device, NOW)
    assert probed.passes
    assert device.layers(made, probed)[1].evidence is Evidence.PROBED
    device.choose("Light", 3)
    assert device.layers(made, probed)[1].evidence is Evidence.READ_BACK
    device.bring(made)
    device.choose("Blend", "Velm bright")
    shifted = probe(device, NOW)
    assert not shifted.passes
    assert device.layers(made, shifted)[1].converts is True
    assert fingerprint({"b": 1, "a": 2}) == fingerprint({"a": 2, "b": 1})


def test_the_panel_and_the_system_count(workshop, profile_path):
    device, made = workshop.printer, card()
    device.bring(made)
    device.assign_system_profile(profile_path)
    assert Chain(device.layers(made, None), 1).knots == ("system",)
    device.assign_system_profile(profile_path.with_name("gone.icc"))
    assert "gone.icc" in device.layers(made, None)[0].how
    device.assign_system_profile(None)
    assert Chain(device.layers(made, None), 1).unknown == ("panel",)
