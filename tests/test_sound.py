"""Is a profile sound: conformance to ICC.1, and behaviour, each against something computed another way."""

from __future__ import annotations

import dataclasses
import hashlib
import struct

import imagecodecs
import numpy as np
import pytest
from known import PROFILES, maker_profiles
from PIL import ImageCms

from fidele.colour.cie import D50, xyz_to_lab
from fidele.colour.difference import delta_e_2000
from fidele.icc.behaviour import behaviour, both_ways, grey_axis, lattice, round_trip
from fidele.icc.conform import conformance
from fidele.icc.describe import describe
from fidele.icc.profile import Profile
from fidele.icc.spaces import oprgb, srgb
from fidele.icc.tables import device_to_pcs_lab
from fidele.icc.write import LabGrid, OutputTables, device_lut, lab_lut, output_profile

FLAGS = imagecodecs.CMS.FLAGS.NOOPTIMIZE | imagecodecs.CMS.FLAGS.NOCACHE


@pytest.fixture(scope="module")
def makers(demo):
    return maker_profiles(demo)


# Conformance ---------------------------------------------------------------------------------------------------------


def tag_place(data: bytes, signature: str) -> int:
    """Where the row of a tag stands in the tag table."""
    count = struct.unpack_from(">I", data, 128)[0]
    rows = [132 + 12 * i for i in range(count)]
    return next(r for r in rows if data[r : r + 4] == signature.encode())


def codes(data: bytes) -> dict[str, str]:
    """Codes and clauses of what conformance finds, without what the untouched profile has."""
    return {p.code: p.clause for p in conformance(Profile.parse(bytes(data), "broken.icc"))}


def test_what_we_write_keeps_to_the_standard(printer, makers):
    for profile in (printer, srgb(), oprgb(), *makers.values()):
        assert [p for p in conformance(profile) if p.weight != "note"] == [], profile.name
        assert not {"alignment", "type", "reserved", "date"} & codes(profile.data).keys(), profile.name


def test_each_breach_is_named_with_its_clause():
    """One byte or row of a sound profile of version 4 is broken at a time."""
    whole = srgb().data
    assert codes(whole) == {}
    white = tag_place(whole, "wtpt")

    def broken(*changes: tuple[int, bytes]) -> bytes:
        made = bytearray(whole)
        for place, new in changes:
            made[place : place + len(new)] = new
        made[84:100] = bytes(16)  # no checksum, so that this one fault stands alone
        return bytes(made)

    place, size = struct.unpack_from(">II", whole, white + 4)
    last = max(
        struct.unpack_from(">II", whole, 132 + 12 * i + 4) for i in range(struct.unpack_from(">I", whole, 128)[0])
    )
    for data, code, clause in (
        (broken((8, b"\x07")), "version", "7.2.4"),
        (broken((68, struct.pack(">iii", 62289, 65536, 71369))), "illuminant", "7.2.16"),
        (broken((64, struct.pack(">I", 9))), "header-intent", "7.2.15"),
        (broken((26, b"\x00\x0f")), "date", "7.2.8"),
        (broken((110, b"x")), "reserved", "7.2.19"),
        (broken((white, b"junk")), "missing-wtpt", "8.2"),
        (broken((tag_place(whole, "rXYZ"), b"junk")), "missing-rxyz", "8.4"),
        (broken((tag_place(whole, "cprt"), b"junk")), "missing-cprt", "8.2"),
        (broken((white + 4, struct.pack(">I", 140))), "overlap", "7.3"),
        (broken((white + 4, struct.pack(">I", place + 2))), "alignment", "7.3"),
        (broken((white + 4, struct.pack(">I", last[0] + 4)), (white + 8, struct.pack(">I", 12))), "overlap", "7.3"),
        (broken((place, b"text")), "type", "9.2"),
        (broken((white + 8, struct.pack(">I", 14))), "size", "10.31"),
        (broken((place + 8, struct.pack(">iii", 9000, 9000, 9000))), "white", "mediaWhitePointTag"),
        (broken((20, b"Lab ")), "matrix-pcs", "8.4"),
        (broken((0, struct.pack(">I", 12))), "size", "7.2.2"),
    ):
        found = codes(data)
        assert code in found, (code, found)
        assert clause in found[code], (code, found)
        assert found[code].startswith("ICC.1:2022"), found
        assert describe(Profile.parse(data)).problems, code
    assert size == 20
    # A breach of version 2 is told by the clauses of version 2.
    older = bytearray(whole)
    older[8:10] = b"\x02\x40"
    older[tag_place(whole, "cprt") : tag_place(whole, "cprt") + 4] = b"junk"
    assert codes(bytes(older))["missing-cprt"].startswith("ICC.1:2001-04, 6.3")


def test_the_checksum_of_version_4_is_checked():
    data = bytearray(srgb().data)
    zeroed = bytearray(data)
    for start, end in ((44, 48), (64, 68), (84, 100)):
        zeroed[start:end] = bytes(end - start)
    data[84:100] = hashlib.md5(bytes(zeroed)).digest()
    assert "profile-id" not in codes(bytes(data))
    data[-3] ^= 1
    assert "7.2.18" in codes(bytes(data))["profile-id"]


# Behaviour -----------------------------------------------------------------------------------------------------------


def in_littlecms(profile: Profile, device: np.ndarray) -> np.ndarray:
    """Return ΔE00 of a round trip in LittleCMS, in float and without optimisation, from the lattice's values.

    Matrix profiles go through XYZ, so that wide ones are not cut off at the ends of the L*a*b* encoding.
    """
    table = any(t.startswith("A2B") for t in profile.tags)
    pcs, name = (imagecodecs.cms_profile("lab2"), "lab") if table else (imagecodecs.cms_profile("xyz"), "xyz")
    space, full = {"RGB": ("rgb", 1.0), "CMYK": ("cmyk", 100.0)}[profile.header.colour_space]  # inks in per cent

    def way(values: np.ndarray, there: bool) -> np.ndarray:
        one, other, a, b = (profile.data, pcs, space, name) if there else (pcs, profile.data, name, space)
        return imagecodecs.cms_transform(
            values[None].astype(np.float64), one, other, colorspace=a, outcolorspace=b, intent=1, flags=FLAGS
        )[0]

    first = way(device * full, True)
    again = way(np.clip(way(first, False), 0, full), True)
    return delta_e_2000(first, again) if table else delta_e_2000(xyz_to_lab(first), xyz_to_lab(again))


def test_round_trips_agree_with_littlecms_in_float_on_the_same_lattice(printer, makers):
    """On every profile that goes both ways: Debian's, the demo's own, and the makers'."""
    everything = [*map(Profile.open, PROFILES), printer, *makers.values()]
    walked = [p for p in everything if both_ways(p)]
    assert len(walked) > 45
    for profile in walked:
        mine = round_trip(profile)
        device = lattice(profile.channels)
        assert np.array_equal(mine.device, device)
        theirs = in_littlecms(profile, device)
        for ours, wanted in (
            (mine.mean, theirs.mean()),
            (mine.p95, np.percentile(theirs, 95)),
            (mine.largest, theirs.max()),
        ):
            assert abs(ours - wanted) <= max(0.02, 0.05 * wanted), (profile.name, ours, wanted)


def test_makers_profiles_agree_with_littlecms_on_what_they_are(makers, printer, tmp_path):
    assert len(makers) >= 6
    for profile in (*makers.values(), printer):
        what = describe(profile)
        path = tmp_path / "one.icc"
        path.write_bytes(profile.data)
        theirs = ImageCms.getOpenProfile(str(path)).profile
        assert what.device_class == theirs.device_class.strip() == "prtr"
        assert (what.colour_space, what.pcs) == (theirs.xcolor_space.strip(), theirs.connection_space.strip())
        assert what.version == f"{theirs.version:.1f}"
        assert what.description == theirs.profile_description.strip()
        white = xyz_to_lab(np.array(theirs.media_white_point[0]))
        assert np.abs(np.array(what.white_lab) - white).max() < 0.02
        assert what.maker == (theirs.manufacturer or "").strip()
        supported = [i for n, i in (("perceptual", 0), ("saturation", 2)) if n in what.intents]
        assert all(theirs.is_intent_supported(i, ImageCms.Direction.OUTPUT) for i in supported)


def painted(change, size: int = 17) -> Profile:
    """A plain output profile whose A2B is altered by `change(rgb, Lab)`, its B2A still that of the plain one."""
    axis = np.linspace(0, 1, size)
    rgb = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1)
    red, green, blue = np.moveaxis(rgb, -1, 0)
    # A device of our own: lightness by a weighted sum, a* and b* by differences, so its inverse is a formula.
    Lab = np.stack([10 + 90 * (0.3 * red + 0.5 * green + 0.2 * blue), 60 * (red - green), 60 * (green - blue)], axis=-1)
    grid = LabGrid(33)
    nodes = grid.nodes()
    share, a, b = (nodes[..., 0] - 10) / 90, nodes[..., 1] / 60, nodes[..., 2] / 60
    middle = share - 0.3 * a + 0.2 * b  # green, from share = 0.3 (green + a) + 0.5 green + 0.2 (green - b)
    device = np.clip(np.stack([middle + a, middle, middle - b], axis=-1), -0.1, 1.1)
    wanted, sent = change(rgb, Lab, device)
    white = D50 * 0.88
    tables = OutputTables(
        "painted",
        white,
        white * 0.02,
        dict.fromkeys(range(3), lab_lut(wanted)),
        dict.fromkeys(range(3), device_lut(sent, grid)),
    )
    import datetime

    return Profile.parse(output_profile(tables, datetime.datetime(2026, 1, 1)))


def test_a_plain_profile_behaves():
    found = behaviour(painted(lambda rgb, Lab, device: (Lab, device)))
    assert found.round_trip.p95 < 1.0
    assert found.grey.largest_cast < 0.5
    assert found.faults == ()
    assert found.sentence == "Sound. Has the colorimetric table only."


def test_each_fault_of_behaviour_is_told():
    """Faults are painted into a device whose inverse is a formula; each must be found, by its own words alone."""

    def shifted(_rgb, Lab, device):  # the way back aims 8 units of a* beside
        off = device.copy()
        off[..., 0] += 8 / 60 * 0.7
        off[..., 1] -= 8 / 60 * 0.3
        return Lab, off

    def turning(rgb, Lab, device):  # magenta grows lighter in the middle of its way
        bent = Lab.copy()
        bent[..., 0] += 25 * np.exp(-(((rgb[..., 1] - 0.3) / 0.1) ** 2)) * (rgb[..., 0] > 0.9) * (rgb[..., 2] > 0.9)
        return bent, device

    def flat(rgb, Lab, device):
        dark = Lab.copy()
        dark[..., 0] = np.maximum(Lab[..., 0], 30)
        return dark, device

    def tinted(_rgb, Lab, device):
        tint = device.copy()
        tint[-1, 14:19, 14:19] -= [0.0, 0.0, 0.12]
        return Lab, tint

    def torn(_rgb, Lab, device):  # a step in the table, as from a slip in the making
        step = device.copy()
        step[16:18, :, 18:, :] -= 0.25
        return Lab, step

    for change, words in (
        (shifted, "two directions disagree"),
        (turning, "magenta ramp turns back"),
        (flat, "Shadows are flat: the darkest"),
        (tinted, "White prints a faint tint"),
        (torn, "Gradients will show an edge"),
    ):
        found = behaviour(painted(change))
        assert any(words in f for f in found.faults), (words, found.faults)
        assert words in found.sentence


@pytest.mark.parametrize(
    ("lean", "word"), [((0, -6), "blue"), ((6, 0), "magenta"), ((0, 6), "yellow"), ((-6, 0), "turquoise")]
)
def test_the_grey_axis_says_which_way_it_leans(lean, word):
    def leaning(_rgb, Lab, device):
        off = Lab.copy()
        dark = np.clip((45 - Lab[..., 0]) / 20, 0, 1)
        off[..., 1] += lean[0] * dark
        off[..., 2] += lean[1] * dark
        return off, device

    found = grey_axis(painted(leaning))
    assert "Greys run clearly" in found.words()
    assert word in found.words()
    assert "shadows" in found.words()
    assert "highlights" not in found.words()
    # The same computed by hand: device values of greys by the formula, colours by the altered table.
    device = found.device[(found.wanted > 30) & (found.wanted < 32)]
    assert np.hypot(*device_to_pcs_lab(painted(leaning), device)[0, 1:]) == pytest.approx(
        found.chroma[(found.wanted > 30) & (found.wanted < 32)][0], abs=1e-6
    )


def test_the_demo_profile_in_a_sentence(printer, makers):
    found = behaviour(printer)
    assert found.sentence.startswith("Sound. Greys run slightly blue in the shadows.")
    assert found.round_trip.mean < 0.1
    ceramic = behaviour(makers["fen100_ceramic_wren.icc"])
    assert "Has no separate saturation table." in ceramic.sentence
    assert "colorimetric table only" in behaviour(makers["Velm_Wren_Tarn_light_60.icc.txt"]).sentence
    damaged = dataclasses.replace(describe(printer), problems=())
    assert behaviour(printer, damaged).sentence == found.sentence
