"""Knots, twists, stretches and findings: what the thread says is what the bench really does."""

from __future__ import annotations

import dataclasses
import datetime
from pathlib import Path

import numpy as np
import pytest
from scipy import ndimage

from fidele.demo.prepare import demo_card
from fidele.devices.bench.bench import Bench
from fidele.icc.spaces import srgb
from fidele.icc.transform import Intent, convert
from fidele.judge.facts import Facts
from fidele.judge.finding import Action, Deed
from fidele.judge.judge import judge
from fidele.route.condition import Card
from fidele.route.layers import Chain, Evidence, Layer, SettingRow, fingerprint
from fidele.route.probe import SIZE, lattice_page, read_lattice
from fidele.run.probes import probe

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


def route_findings(chain, made, rows, status=None):
    """What the judge says of a route."""
    return [f for f in judge(Facts(made, chain, rows, status)) if f.desk == "hand-off"]


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
    assert [(f.code, f.weight, f.action) for f in found] == [
        ("not-known", "caution", Action(Deed.CONFIRM, "ink_saving"))
    ]
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
    return Bench(tmp_path_factory.mktemp("bench"))


#: Each printer with a condition of its own, as its owner would set it for Fidele to convert.
PRINTERS = ("velm-wren/W-0417", "orrin-gannet/G-2209", "skarn-longship/L-0031")


def small_bench(folder: Path) -> Bench:
    """The bench with printers of 30 dots per inch, so that whole pages are quick to print and to measure."""
    made = Bench(folder)
    for device in made.printers:
        machine = made.machine(device.id)
        machine.model = dataclasses.replace(machine.model, resolution=30)
        device.format = dataclasses.replace(device.format, ppi=30)
    return made


@pytest.fixture(scope="module")
def small(tmp_path_factory) -> Bench:
    return small_bench(tmp_path_factory.mktemp("small"))


def side(one: np.ndarray, other: np.ndarray) -> bool:
    """Whether the way from one to the other is to the left."""
    return bool(one[0] * other[1] - one[1] * other[0] > 0)


def shuffle(device, machine, rng) -> None:
    """Set every control of a driver to something that it offers, in any order, as careless hands would."""
    for name in rng.permutation(list(machine.model.settings)):
        offered = machine.driver.offered(str(name))
        value = offered[rng.integers(0, len(offered))]
        if machine.model.settings[str(name)].at_printer:
            machine.driver.at_the_panel(str(name), value)
        else:
            device.choose(str(name), value)


@pytest.mark.parametrize("printer_id", PRINTERS)
def test_bringing_a_card_sets_everything_whatever_was_set_before(small, printer_id):
    device, machine = small.printer_of(printer_id), small.machine(printer_id)
    rng = np.random.default_rng(1)
    for owner in ("fidele", "driver") * 5:
        shuffle(device, machine, rng)
        made = device.starter_card().model_copy(update={"owner": owner, "profile": "x"})
        device.bring(made)
        rows = device.rows(made)
        assert [r.meaning for r in rows if r.agrees is False and r.settable] == []
        assert Chain(device.layers(made, None), made.twists_needed).knots == (("driver",) if owner == "driver" else ())
        # All at once back to what it was: each control again as it was found.
        shuffle(device, machine, rng)
        before = device.settings()
        device.bring(made)
        device.restore(before)
        assert device.settings() == before


@pytest.mark.parametrize("printer_id", PRINTERS)
def test_the_thread_says_what_the_bench_does_to_a_page(small, printer_id, profile_path):
    """Random settings of each driver; a page is sent, and knots, twists, turns and stretches measured on the print."""
    device, machine = small.printer_of(printer_id), small.machine(printer_id)
    made = device.starter_card()
    rng = np.random.default_rng(11)
    seen = set()
    for number in range(30):
        shuffle(device, machine, rng)
        words = device._words
        if words.profile and number % 3 == 0:
            device.choose(words.profile, str(profile_path))
        chain = Chain(device.layers(made, None), made.twists_needed)
        # Knots: what the numbers come to. What bends them without converting is set to rest with this one job.
        rest = {
            c: w.rest
            for m in ("improvement", "sliders", "purpose", "colour_mode", "watermark")
            if (w := words.meanings.get(m))
            for c in w.controls
        }
        colour = {words.control("colour"): device.settings()[words.control("colour")]}
        found = read_lattice(machine.dry_run(lattice_page(), rest | colour), (), NOW)
        assert bool(chain.knots) == (not found.passes)
        assert found.mirrored == (chain.twists == 1)
        assert found.turned == chain.turned
        # Twists, turns and stretches: three blots of different sizes, found again on the sheet.
        sheet_mm = device.media(str(device.settings()[words.control("size")]))
        per_mm = 30 / 25.4
        wide, high = round(sheet_mm.width * per_mm), round(sheet_mm.height * per_mm)
        page = np.full((high, wide, 3), 255, np.uint8)
        blots = ((0.35, 0.42, 5), (0.62, 0.40, 8), (0.40, 0.66, 11))
        for x, y, half in blots:
            page[round(y * high) - half : round(y * high) + half, round(x * wide) - half : round(x * wide) + half] = 0
        size = made.model_copy(update={"size": sheet_mm.name})
        chain = Chain(device.layers(size, None), made.twists_needed)
        ink = device.print_page(page).sheet.ink
        blobs, count = ndimage.label(ink[..., 3] > 20_000 * machine.effect().load)
        assert count == 3, (device.settings(), count)
        areas = ndimage.sum_labels(np.ones_like(blobs), blobs, range(1, 4))
        small_blot, middle, large = np.array(ndimage.center_of_mass(blobs > 0, blobs, np.argsort(areas) + 1))
        asked = [np.array([y * high, x * wide]) for x, y, _ in blots]
        scale = np.linalg.norm(large - middle) / np.linalg.norm(asked[2] - asked[1])
        assert scale == pytest.approx(chain.scale, rel=0.02)
        along, across = middle - small_blot, large - small_blot
        sense, wanted = side(along, across), side(asked[1] - asked[0], asked[2] - asked[0])
        assert (sense != wanted) == (chain.twists == 1)
        upside_down = across[0] < 0
        assert upside_down == chain.turned
        seen.add((bool(chain.knots), chain.twists, chain.turned, chain.true_size))
    assert len(seen) >= 5  # the dice have tried most of what there is


#: A control of a driver that is not as the card has it, and the finding that it makes; each alone.
FAULTS = [
    ("velm-wren/W-0417", {"Stock": "Board"}, "wrong-stand-in"),
    ("velm-wren/W-0417", {"Passes": 2}, "wrong-quality"),
    ("velm-wren/W-0417", {"Carriage": "there and back"}, "wrong-direction"),
    ("velm-wren/W-0417", {"Strength": 4}, "wrong-sliders"),
    ("velm-wren/W-0417", {"Format": "A5"}, "wrong-size"),
    ("velm-wren/W-0417", {"Fit": "over the edge"}, "scaled"),
    ("velm-wren/W-0417", {"Turn": "half"}, "turned"),
    ("velm-wren/W-0417", {"Blend": "Velm bright"}, "two-conversions"),
    ("orrin-gannet/G-2209", {"Surface": "Orrin sheen", "Black": "soft", "Finish": 4}, "wrong-stand-in"),
    ("orrin-gannet/G-2209", {"Flood": 7}, "wrong-density"),
    ("orrin-gannet/G-2209", {"Only grey": "yes"}, "wrong-colour-mode"),
    ("orrin-gannet/G-2209", {"Lift": "yes"}, "wrong-improvement"),
    ("orrin-gannet/G-2209", {"Hurry": "yes"}, "wrong-direction"),
    ("orrin-gannet/G-2209", {"Bleed off": "yes"}, "wrong-borderless"),
    ("orrin-gannet/G-2209", {"Resize": "by hand", "Resize by": 90}, "scaled"),
    ("orrin-gannet/G-2209", {"Both faces": "yes"}, "wrong-two-sided"),
    ("orrin-gannet/G-2209", {"Stamp": "SAMPLE"}, "wrong-watermark"),
    ("orrin-gannet/G-2209", {"Number": 3}, "wrong-copies"),
    ("orrin-gannet/G-2209", {"Reflect": "yes"}, "mirrored-needlessly"),
    ("orrin-gannet/G-2209", {"Cared for by": "Orrin's eye"}, "two-conversions"),
    ("skarn-longship/L-0031", {"Haste": "yes"}, "wrong-fast"),
    ("skarn-longship/L-0031", {"Ink": 112}, "wrong-density"),
    ("skarn-longship/L-0031", {"Swell": 1012}, "scaled"),
    ("skarn-longship/L-0031", {"Flip": "no"}, "not-mirrored"),
    ("skarn-longship/L-0031", {"Hues": "grey only"}, "wrong-colour-mode"),
    ("skarn-longship/L-0031", {"Breadth": "third"}, "wrong-size"),
]
#: What a fault brings along, because it is the same thing seen at another place.
WITH = {
    "wrong-borderless": {"scaled"},
    "wrong-stand-in": {"wrong-panel-media", "two-conversions"},
    "mirrored-needlessly": set(),
    "two-conversions": set(),
}


def route_of(device, made: Card) -> tuple[Chain, list]:
    own = Layer("Fidele", made.owner == "fidele", "", Evidence.READ_BACK, mirrors=made.mirror_by == "fidele")
    chain = Chain((own, *device.layers(made, None)), made.twists_needed)
    return chain, route_findings(chain, made, device.rows(made))


@pytest.mark.parametrize(("printer_id", "changes", "code"), FAULTS, ids=lambda v: v if isinstance(v, str) else "")
def test_each_setting_that_is_off_is_found_alone_and_mended(small, printer_id, changes, code):
    device, machine = small.printer_of(printer_id), small.machine(printer_id)
    made = device.starter_card().model_copy(update={"owner": "fidele", "profile": "x"})
    for name in ("Laid in", "Reel aboard"):
        if name in machine.model.settings:
            machine.driver.at_the_panel(name, made.driver["stand_in"])
    device.bring(made)
    ground = {f.code for f in route_of(device, made)[1]}
    assert ground <= {"not-known"}
    for name, value in changes.items():
        device.choose(name, value)
    found = route_of(device, made)[1]
    extra = {f.code for f in found} - ground
    assert code in extra
    assert extra - {code} <= WITH.get(code, set()), extra
    assert all(f.why and f.remedy for f in found)
    device.bring(made)
    assert {f.code for f in route_of(device, made)[1]} == ground


def test_the_media_told_at_the_printer_counts(small):
    device, machine = small.printer_of("orrin-gannet/G-2209"), small.machine("orrin-gannet/G-2209")
    made = device.starter_card().model_copy(update={"owner": "fidele", "profile": "x"})
    device.bring(made)
    machine.driver.at_the_panel("Laid in", "Orrin gloss")
    (finding,) = [f for f in route_of(device, made)[1] if f.code == "wrong-panel-media"]
    assert finding.weight == "stop"
    assert "Orrin gloss" in finding.title
    assert finding.action is None  # only a person can change what lies in it
    machine.driver.at_the_panel("Laid in", "Orrin rag")
    assert route_of(device, made)[1] == []


@pytest.mark.parametrize("printer_id", PRINTERS)
def test_each_owner_really_is_the_one_that_converts(small, printer_id, profile_path, printer):
    """Four owners: after everything is set, exactly one layer converts, and the numbers before ink are its numbers."""
    device = small.printer_of(printer_id)
    device.profile_path = lambda _: profile_path
    page = np.random.default_rng(3).integers(0, 256, (12, 20, 3), dtype=np.uint8)
    wanted = convert(page, srgb(), printer, Intent.PERCEPTUAL, True)
    for owner in device.owners():
        made = device.starter_card().model_copy(
            update={"owner": owner, "profile": printer.content_id, "mirror_by": "nobody", "process": "direct"}
        )
        device.system.assign(profile_path if owner == "system" else None)
        device.bring(made)
        chain, found = route_of(device, made)
        assert chain.knots == (made.owner_layer,), owner
        assert not {f.code for f in found} & {"two-conversions", "no-conversion", "wrong-owner", "wrong-input-space"}
        out = device.dry_run(page).astype(int)
        if owner == "fidele":
            assert np.array_equal(out, page)
        elif owner == "driver":
            assert np.abs(out - page).mean() > 5
        else:
            assert np.abs(out - wanted).max() <= 2, owner  # 8 bit at both ends
    device.system.assign(None)


def test_an_owner_that_takes_the_picture_for_another_space_is_found(small):
    device = small.printer_of("orrin-gannet/G-2209")
    made = device.starter_card()
    device.bring(made)
    assert "wrong-input-space" not in {f.code for f in route_of(device, made)[1]}
    device.choose("Comes in", "opRGB")
    (finding,) = [f for f in route_of(device, made)[1] if f.code == "wrong-input-space"]
    assert finding.action == Action(Deed.SET, "input_space")
    device.bring(made, ("input_space",))
    assert "wrong-input-space" not in {f.code for f in route_of(device, made)[1]}
    # Where Fidele converts and the driver passes, it does not matter what the driver would expect.
    device.choose("Comes in", "opRGB")
    own = made.model_copy(update={"owner": "fidele", "profile": "x"})
    device.bring(own)
    assert "wrong-input-space" not in {f.code for f in route_of(device, own)[1]}


def test_another_owner_than_the_cards_is_found(small):
    device = small.printer_of("orrin-gannet/G-2209")
    made = device.starter_card().model_copy(update={"owner": "system", "profile": "x"})
    device.bring(made)
    device.choose("Cared for by", "Orrin's eye")
    (finding,) = [f for f in route_of(device, made)[1] if f.code == "wrong-owner"]
    assert finding.title == "The driver converts, not the print system"


def test_a_probe_counts_until_a_setting_changes(workshop):
    device, made = workshop.printers[0], card()
    device.bring(made)
    probed = probe(device, device.media("A4"), NOW)
    assert probed.passes
    assert device.layers(made, probed)[1].evidence is Evidence.PROBED
    device.choose("Light", 3)
    assert device.layers(made, probed)[1].evidence is Evidence.READ_BACK
    device.bring(made)
    device.choose("Blend", "Velm bright")
    shifted = probe(device, device.media("A4"), NOW)
    assert not shifted.passes
    assert device.layers(made, shifted)[1].converts is True
    assert fingerprint({"b": 1, "a": 2}) == fingerprint({"a": 2, "b": 1})


def test_the_panel_and_the_system_count(workshop, profile_path):
    device, made = workshop.printers[0], card()
    device.bring(made)
    device.system.assign(profile_path)
    assert Chain(device.layers(made, None), 1).knots == ("system",)
    device.system.assign(profile_path.with_name("gone.icc"))
    assert "gone.icc" in device.layers(made, None)[0].how
    device.system.assign(None)
    assert Chain(device.layers(made, None), 1).unknown == ("panel",)
