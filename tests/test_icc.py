"""Profiles: read, described, evaluated, written, and transformed, each against a second way of computing."""

from __future__ import annotations

import datetime
import io
import multiprocessing
import struct
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import numpy as np
import pytest
from known import PROFILES
from lcms import LAB, compensated, littlecms
from PIL import ImageCms

from fidele.colour.cie import D50, xyz_to_lab
from fidele.colour.difference import delta_e_2000
from fidele.icc import fast
from fidele.icc.blackpoint import blacks
from fidele.icc.describe import describe, require_sound
from fidele.icc.profile import Profile, ProfileError
from fidele.icc.solve import solve
from fidele.icc.spaces import oprgb, sgrey, srgb
from fidele.icc.tables import device_to_pcs_lab, interpolate, pcs_lab_to_device
from fidele.icc.transform import Intent, convert, from_lab, to_lab
from fidele.icc.write import (
    LabGrid,
    OutputTables,
    assemble,
    description_tag,
    device_lut,
    lab_lut,
    localised_tag,
    output_profile,
    text_tag,
    xyz_tag,
)
from fidele.kernels import compile_beside
from fidele.tiles import CancelledError
from tests.thorough import part

CREATED = datetime.datetime(2026, 1, 2, 3, 4, 5)


def test_every_debian_profile_is_read_and_agrees_with_littlecms():
    assert len(PROFILES) > 40
    for path in PROFILES:
        profile = Profile.open(path)
        what = describe(profile)
        theirs = ImageCms.getOpenProfile(str(path)).profile
        assert what.device_class == theirs.device_class.strip(), path
        assert what.colour_space == theirs.xcolor_space.strip(), path
        assert what.pcs == theirs.connection_space.strip(), path
        assert what.version == f"{theirs.version:.1f}", path
        assert what.description == (theirs.profile_description or "").strip(), path
        if theirs.media_white_point is not None and what.white_lab is not None:
            white = xyz_to_lab(np.array(theirs.media_white_point[0]))
            assert np.abs(np.array(what.white_lab) - white).max() < 0.02, path
        assert not [p for p in what.problems if p.weight == "stop"], (path, what.problems)


def has_device_side(path: Path) -> bool:
    """Tell whether a profile goes from a device to colour, not between connection spaces."""
    header = Profile.open(path).header
    return header.device_class in ("prtr", "mntr", "scnr") and header.colour_space not in ("XYZ", "Lab")


@pytest.mark.parametrize("path", [p for p in PROFILES if has_device_side(p)], ids=lambda p: p.stem)
def test_our_evaluator_agrees_with_littlecms_in_float(path):
    profile = Profile.open(path)
    rng = np.random.default_rng(0)
    device = rng.random((4000, profile.channels)).astype(np.float32)
    mine, theirs = device_to_pcs_lab(profile, device), to_lab(device, profile).astype(float)
    inside = np.abs(mine[:, 1:]).max(axis=1) < 126  # LittleCMS cuts off at the ends of its L*a*b* encoding
    assert inside.mean() > 0.5
    assert delta_e_2000(mine, theirs)[inside].max() < 0.2
    if any(tag.startswith("B2A") for tag in profile.tags):
        Lab = (rng.random((4000, 3)) * [90, 80, 80] + [5, -40, -40]).astype(np.float32)
        assert np.abs(pcs_lab_to_device(profile, Lab) - from_lab(Lab, profile)).max() < 2e-3


#: Numbers that lie most harmfully where a size, a count or an offset is expected.
LIES = (0, 1, 2, 0x7F, 0x80, 0xFF, 0x7FFF, 0xFFFF, 0x10000, 0x7FFFFFFF, 0x80000000, 0xFFFFFFF0, 0xFFFFFFFF)


def mutations(data: bytes, count: int, seed: int) -> Iterator[tuple[bytes, bool]]:
    """Yield broken copies of a profile, and whether only header, tag table and the heads of tags were hit.

    One in six is cut off; the others have bytes flipped, or whole numbers replaced by ones that lie.
    """
    rng = np.random.default_rng(seed)
    tags = struct.unpack_from(">I", data, 128)[0]
    heads = [struct.unpack_from(">I", data, 132 + 12 * i + 4)[0] for i in range(tags)]
    places = np.array(list(range(132 + 12 * tags)) + [h + k for h in heads for k in range(48) if h + k < len(data) - 4])
    for number in range(count):
        if number % 6 == 0:
            short = rng.random() < 0.7
            yield data[: rng.integers(0, 132 + 12 * tags if short else len(data))], short
            continue
        broken = bytearray(data)
        in_head = rng.random() < 0.95
        for _ in range(rng.integers(1, 5)):
            place = int(rng.choice(places)) if in_head else int(rng.integers(0, len(data) - 4))
            if rng.random() < 0.4:
                broken[place - place % 4 : place - place % 4 + 4] = struct.pack(">I", rng.choice(LIES))
            else:
                broken[place] = rng.integers(0, 256)
        yield bytes(broken), in_head


def _survive(path: str, count: int, seed: int) -> tuple[int, int, int]:
    """Read mutated profiles; transform those that are accepted. Any traceback or crash ends this process."""
    refused = used = hits = 0
    for data, in_head in mutations(Path(path).read_bytes(), count, seed):
        hits += in_head
        try:
            profile = Profile.parse(data, "mutant.icc")
            describe(profile)
            require_sound(profile)
            device = np.random.default_rng(0).random((50, max(1, profile.channels))).astype(np.float32)
            Lab = to_lab(device, profile)
            if any(t.startswith("B2A") for t in profile.tags) or "rTRC" in profile.tags:
                from_lab(Lab, profile)
            used += 1
        except ProfileError as error:
            assert str(error).count("\n") == 0
            refused += 1
    return refused, used, hits


def test_mutated_profiles_never_crash(profile_path, demo):
    """Thousands, in child processes (thorough: ten): a crash inside the C library would be seen as a broken pool."""
    small = [p for p in PROFILES if p.stat().st_size < 100_000]
    large = [p for p in PROFILES if p.stat().st_size >= 100_000]
    makers = demo.data / "downloads" / "Velm_Wren_Tarn_light_60.icc.txt"
    work = [(str(p), 190, n) for n, p in enumerate(small)]
    work += [(str(p), 110, n) for n, p in enumerate(large)] + [(str(profile_path), 400, 98), (str(makers), 800, 99)]
    assert sum(w[1] for w in work) >= 10_000
    work = [(path, part(count, count // 5), seed) for path, count, seed in work]
    with ProcessPoolExecutor(2, mp_context=multiprocessing.get_context("spawn")) as pool:
        counts = np.array(list(pool.map(_survive, *zip(*work, strict=True))))
    refused, used, hits = counts.sum(axis=0)
    assert refused + used == sum(w[1] for w in work)
    assert hits >= 0.8 * (refused + used)
    assert refused > part(2000, 400)
    assert used > part(2000, 400)


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", "0 bytes"),
        (b"GIF89a" * 100, "acsp"),
        (b"\0" * 36 + b"acsp" + b"\0" * 88 + struct.pack(">I", 5_000_000), "tag table"),
    ],
)
def test_what_is_no_profile_is_refused_in_a_sentence(data, words):
    with pytest.raises(ProfileError, match=words):
        Profile.parse(data, "thing.icc")


def test_descriptions_in_every_form():
    body = {"cprt": text_tag("ours"), "wtpt": xyz_tag(D50)}
    for tag, wanted in (
        (description_tag("Möwe 120 g"), "M?we 120 g"),
        (localised_tag("Möwe 120 g"), "Möwe 120 g"),
        (text_tag("plain"), "plain"),
        (b"desc\0\0\0\0" + struct.pack(">III", 0, 0, 5) + "Möwe\0".encode("utf-16-be"), "Möwe"),
        (
            b"mluc\0\0\0\0"
            + struct.pack(">II", 1, 12)
            + b"deDE"
            + struct.pack(">II", 8, 28)
            + "Möwe".encode("utf-16-be"),
            "Möwe",
        ),
    ):
        profile = Profile.parse(assemble(body | {"desc": tag}, "prtr", "RGB ", "Lab ", CREATED))
        assert describe(profile).description == wanted


def test_a_table_that_repeats_another_is_no_intent(printer):
    from fidele.icc.tables import lut_of

    assert describe(printer).intents == ("perceptual", "relative", "saturation", "absolute")
    grid = LabGrid(9)
    one = device_lut(np.random.default_rng(0).random((9, 9, 9, 3)), grid)
    forward = lab_lut(np.random.default_rng(1).random((9, 9, 9, 3)) * 50)
    tables = OutputTables("same", D50, D50 * 0.01, dict.fromkeys(range(3), forward), dict.fromkeys(range(3), one))
    profile = Profile.parse(output_profile(tables, CREATED))
    assert describe(profile).intents == ("relative", "absolute")
    assert profile.tags["B2A0"].offset == profile.tags["B2A1"].offset
    assert lut_of(profile, "B2A0") is not None


def test_working_spaces_follow_their_standards():
    import colour

    rng = np.random.default_rng(0)
    rgb = rng.random((1000, 3))
    d65 = np.array([0.3127, 0.3290])
    green = {"sRGB": (0.30, 0.60), "opRGB": (0.21, 0.71)}
    curve = {"sRGB": colour.models.eotf_sRGB, "opRGB": lambda v: np.asarray(v) ** (563 / 256)}
    for profile, name in ((srgb(), "sRGB"), (oprgb(), "opRGB")):
        primaries = np.array([(0.64, 0.33), green[name], (0.15, 0.06)])
        space = colour.RGB_Colourspace(name, primaries, d65, cctf_decoding=curve[name])
        XYZ = colour.RGB_to_XYZ(rgb, space, np.array([0.3457, 0.3585]), "Bradford", apply_cctf_decoding=True)
        assert delta_e_2000(xyz_to_lab(XYZ), device_to_pcs_lab(profile, rgb)).max() < 0.12
    assert np.allclose(device_to_pcs_lab(srgb(), np.ones(3)), [100, 0, 0], atol=0.02)
    grey = np.linspace(0, 1, 9)[:, None]
    assert np.allclose(
        device_to_pcs_lab(sgrey(), grey)[:, 0], device_to_pcs_lab(srgb(), np.repeat(grey, 3, 1))[:, 0], atol=0.02
    )


@pytest.mark.parametrize("intent", list(Intent))
@pytest.mark.parametrize("bpc", [True, False])
def test_conversion_agrees_with_littlecms_in_float(printer, photo, intent, bpc):
    noise = np.random.default_rng(0).integers(0, 65536, (400, 500, 3), dtype=np.uint16)
    for pixels in (photo, noise):
        done = convert(pixels, srgb(), printer, intent, bpc)
        assert done.dtype == np.uint16
        if bpc and intent is Intent.RELATIVE:
            darkest = littlecms(np.zeros((1, 3)), printer, LAB, intent)[0, 0]
            wanted = compensated(pixels / 65535, srgb(), printer, darkest)
        else:  # what our mappings do to black is in their tables: there is nothing left to compensate
            wanted = littlecms(pixels / 65535, srgb(), printer, intent)
        off = delta_e_2000(to_lab(done, printer), to_lab(wanted, printer))
        assert off.mean() <= 0.05
        assert off.max() <= 0.5


def test_conversion_agrees_with_our_own_evaluator(printer, photo):
    """The tables evaluated in float64 by NumPy, without LittleCMS: source matrix, then the colorimetric table."""
    noise = np.random.default_rng(1).integers(0, 65536, (300, 300, 3), dtype=np.uint16)
    for pixels in (photo[::2, ::2], noise):
        Lab = device_to_pcs_lab(srgb(), pixels / 65535)
        for intent, number in ((Intent.RELATIVE, 1), (Intent.PERCEPTUAL, 0)):
            wanted = pcs_lab_to_device(printer, Lab, number)
            done = convert(pixels, srgb(), printer, intent, bpc=False)
            off = delta_e_2000(device_to_pcs_lab(printer, done / 65535), device_to_pcs_lab(printer, wanted))
            assert off.mean() <= 0.05
            assert off.max() <= 0.5


def test_eight_bit_is_the_rounding_of_float(printer):
    pixels = np.random.default_rng(2).integers(0, 256, (200, 300, 3), dtype=np.uint8)
    wanted = littlecms(pixels / 255, srgb(), printer, Intent.PERCEPTUAL) * 255
    assert np.abs(convert(pixels, srgb(), printer, Intent.PERCEPTUAL, True) - wanted).max() <= 1.0


@pytest.mark.parametrize("ink", ["RGB", "CMYK"])
@pytest.mark.parametrize("intent", list(Intent))
def test_the_compiled_path_is_taken_and_is_what_littlecms_computes_in_float(printer, photo, intent, ink):
    """Matrix sources to output profiles with tables: floats go through LittleCMS itself, codes through the kernel."""
    target = printer if ink == "RGB" else Profile.open(next(p for p in PROFILES if p.name == "default_cmyk.icc"))
    noise = np.random.default_rng(5).integers(0, 65536, (200, 300, 3), dtype=np.uint16)
    for source in (srgb(), oprgb()):
        for bpc in (False, True):
            for pixels in (photo[::2, ::2], noise):
                done = convert(pixels, source, target, intent, bpc)
                assert fast._made[
                    source.content_id, target.content_id, intent.code, blacks(source, target, intent.code, bpc)
                ]
                wanted = convert((pixels / 65535).astype(np.float32), source, target, intent, bpc)
                off = delta_e_2000(to_lab(done, target), to_lab(wanted, target))
                assert off.mean() <= 0.01
                assert off.max() <= 0.05
            eight = (noise >> 8).astype(np.uint8)
            wanted = convert((eight / 255).astype(np.float32), source, target, intent, bpc) * 255
            assert np.abs(convert(eight, source, target, intent, bpc) - wanted).max() <= 0.75


def test_tables_spaces_and_lab_go_the_compiled_way_too(printer):
    """From and to tables and spaces, and to and from L*a*b*: against LittleCMS in double, by the tests' own calls."""
    cmyk = Profile.open(next(p for p in PROFILES if p.name == "default_cmyk.icc"))
    rng = np.random.default_rng(7)
    for source, target in ((printer, cmyk), (cmyk, printer), (printer, srgb()), (srgb(), oprgb()), (cmyk, oprgb())):
        for intent in (Intent.RELATIVE, Intent.ABSOLUTE):
            for kind in (np.uint8, np.uint16):
                top = np.iinfo(kind).max
                # Lengths that no block of pixels divides: each ends as it would have in the middle.
                for length in (5, 511, 4099):
                    codes = rng.integers(0, top + 1, (length, source.channels)).astype(kind)
                    done = convert(codes, source, target, intent)
                    wanted = np.clip(littlecms(codes / top, source, target, intent), 0, 1)
                    assert np.abs(done / top - wanted).max() <= 0.75 / top + 5e-4
            assert fast._made[source.content_id, target.content_id, intent.code, (0.0, 0.0)]
    for profile in (printer, cmyk, srgb(), oprgb()):
        device = rng.random((6001, profile.channels)).astype(np.float32)
        for intent in (Intent.RELATIVE, Intent.ABSOLUTE):
            fast._made.clear()  # it forgets now and then, which is not to happen between these two
            assert np.abs(to_lab(device, profile, intent) - littlecms(device, profile, LAB, intent)).max() < 0.02
            Lab = (rng.random((6001, 3)) * [100, 200, 200] - [0, 100, 100]).astype(np.float32)
            wanted = np.clip(littlecms(Lab, LAB, profile, intent), 0, 1)
            assert np.abs(from_lab(Lab, profile, intent) - wanted).max() < 0.01
            assert fast._made[profile.content_id, "Lab", intent.code]
            assert fast._made["Lab", profile.content_id, intent.code]


def test_where_profiles_are_built_in_another_way_littlecms_does_the_work(printer):
    pixels = np.random.default_rng(6).integers(0, 65536, (50, 60, 3), dtype=np.uint16)
    steep = Profile.open(next(p for p in PROFILES if p.name == "CineonLog_M.icc"))  # its curve has no end in the dark
    for source, target, codes in ((sgrey(), printer, pixels[..., :1]), (srgb(), steep, pixels)):
        done = convert(codes, source, target, Intent.RELATIVE)
        assert fast._made[source.content_id, target.content_id, 1, (0.0, 0.0)] is None
        wanted = convert((codes / 65535).astype(np.float32), source, target, Intent.RELATIVE)
        assert np.abs(done / 65535 - np.clip(wanted, 0, 1)).max() < 1e-3
    # What is no device value, and what is no number, is left to LittleCMS.
    odd = np.full((5000, 3), 0.5, np.float32)
    odd[0], odd[1] = np.nan, 1.5
    assert np.array_equal(to_lab(odd, srgb())[2:], to_lab(odd[2:3], srgb()).repeat(4998, axis=0))


def test_tiles_do_not_show_and_can_be_cancelled(printer, monkeypatch):
    pixels = np.random.default_rng(3).integers(0, 65536, (700, 900, 3), dtype=np.uint16)
    whole = convert(pixels, srgb(), printer, Intent.RELATIVE)
    told = []
    monkeypatch.setattr("fidele.icc.transform._FAST_TILE", 30_000)
    tiled = convert(pixels, srgb(), printer, Intent.RELATIVE, progress=lambda share: told.append(share) is None)
    assert np.array_equal(whole, tiled)
    assert told == sorted(told)
    assert told[-1] == 1.0
    with pytest.raises(CancelledError):
        convert(pixels, srgb(), printer, Intent.RELATIVE, progress=lambda share: share < 0.3)


def test_round_trips_of_the_profile_that_we_write(printer):
    rng = np.random.default_rng(4)
    device = rng.random((20_000, 3)).astype(np.float32)
    grey = np.repeat(np.linspace(0, 1, 200, dtype=np.float32)[:, None], 3, axis=1)
    for intent, mean, p95 in (
        (Intent.RELATIVE, 0.3, 1.0),
        (Intent.PERCEPTUAL, 0.4, 2.0),  # a shell holds all that lies beyond: on its way back it is stretched
        (Intent.SATURATION, 0.5, 2.5),
    ):
        Lab = to_lab(device, printer, intent)
        off = delta_e_2000(Lab, to_lab(from_lab(Lab, printer, intent), printer, intent))
        assert off.mean() <= mean, intent
        assert np.percentile(off, 95) <= p95, intent
        Lab = to_lab(grey, printer, intent)
        assert delta_e_2000(Lab, to_lab(from_lab(Lab, printer, intent), printer, intent)).max() <= 1.0, intent
    # White prints nothing, exactly; perceptual black is the printer's full black.
    for intent in (Intent.PERCEPTUAL, Intent.RELATIVE, Intent.SATURATION):
        assert convert(np.full((1, 1, 3), 65535, np.uint16), srgb(), printer, intent, True).min() == 65535
    assert convert(np.zeros((1, 1, 3), np.uint8), srgb(), printer, Intent.PERCEPTUAL, True).max() <= 3


def test_the_profile_opens_elsewhere(profile_path, printer):
    opened = ImageCms.ImageCmsProfile(io.BytesIO(profile_path.read_bytes())).profile
    assert opened.version == 2.4
    assert opened.profile_description == "Velm Wren, Fen 100, ceramic tile"
    assert opened.is_intent_supported(ImageCms.Intent.SATURATION, ImageCms.Direction.OUTPUT)
    assert "chad" not in printer.tags
    assert printer.xyz("wtpt")[1] == pytest.approx(0.87, abs=0.03)  # the measured tile, not D50
    assert "BEGIN_DATA" in printer.raw("targ").decode()


def test_interpolation_is_exact_where_it_must_be():
    """Both ways are exact on the nodes and for functions that they can represent; between, they differ."""
    rng = np.random.default_rng(5)
    for dimensions in (1, 3, 4):
        grid = rng.random((5,) * dimensions + (2,))
        nodes = rng.integers(0, 5, (50, dimensions))
        for tetrahedral in (True, False):
            assert np.allclose(interpolate(grid, nodes / 4, tetrahedral), grid[tuple(nodes.T)])
        axes = np.stack(np.meshgrid(*[np.linspace(0, 1, 5)] * dimensions, indexing="ij"), axis=-1)
        plane = (axes @ np.arange(1, dimensions + 1))[..., None]
        x = rng.random((300, dimensions))
        for tetrahedral in (True, False):
            assert np.allclose(interpolate(plane, x, tetrahedral)[:, 0], x @ np.arange(1, dimensions + 1))
    from fidele.kernels.grids import tetrahedral3

    grid = rng.random((9, 9, 9, 4)).astype(np.float32)
    x = np.concatenate([rng.random((2000, 3)), rng.integers(0, 2, (30, 3))]).astype(np.float32)
    out = np.empty((len(x), 4), np.float32)
    tetrahedral3(x, grid, out)
    assert np.abs(out - interpolate(grid.astype(float), x.astype(float), True)).max() < 1e-5


def test_solver_finds_what_a_search_finds(printer):
    """For colours in and out of the gamut, against all nodes of a fine lattice."""
    axis = np.linspace(0, 1, 61)
    lattice = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1).reshape(-1, 3)
    Lab = device_to_pcs_lab(printer, lattice)
    rng = np.random.default_rng(6)
    wanted = rng.random((25, 3)) * [80, 180, 180] + [10, -90, -90]
    found = solve(lambda d: device_to_pcs_lab(printer, d), wanted, np.full((25, 3), 0.5))
    assert found.device.min() >= 0
    assert found.device.max() <= 1
    best = np.array([delta_e_2000(w, Lab).min() for w in wanted])
    mine = delta_e_2000(wanted, device_to_pcs_lab(printer, found.device))
    # The uniform space is not ΔE00 itself; far outside the two may choose different neighbours.
    assert np.median(mine - best) < 0.5
    assert (mine < best + 3.0).mean() > 0.9


def test_kernels_are_compiled_beside_a_first_window_and_then_known_to_be(tmp_path):
    stamp = tmp_path / "kernels"
    first = compile_beside(stamp)
    assert first.wait(300) == 0
    assert compile_beside(stamp) is None
    stamp.write_text("those of an earlier version")
    again = compile_beside(stamp)
    again.kill()
    again.wait()
