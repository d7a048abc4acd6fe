"""Measurement files: CGATS, CxF3 and CSV in and out, spectra, conditions, orders, and what is no measurement."""

from __future__ import annotations

import warnings

import numpy as np
import pytest

from fidele.chart.cgats import Table, dump, write
from fidele.chart.csv_file import ColumnsError, read_csv
from fidele.chart.cxf import write_measurement
from fidele.chart.family import control_chart
from fidele.chart.measured_file import read_any
from fidele.chart.measurement import Conditions, Measurement, averaged, from_table, reordered, to_table
from fidele.errors import FideleError

with warnings.catch_warnings():
    warnings.simplefilter("ignore")
    import colour

NM = np.arange(380, 731, 10.0)


@pytest.fixture(scope="module")
def spectra() -> np.ndarray:
    """Smooth reflectances (24, 36)."""
    rng = np.random.default_rng(3)
    bumps = rng.uniform(400, 700, (24, 3, 1)), rng.uniform(20, 90, (24, 3, 1)), rng.uniform(0.05, 0.5, (24, 3, 1))
    return np.clip((bumps[2] * np.exp(-0.5 * ((NM - bumps[0]) / bumps[1]) ** 2)).sum(axis=1) + 0.03, 0, 1)


@pytest.fixture(scope="module")
def measured(spectra) -> Measurement:
    """A measurement with everything in it."""
    columns = {f"SPECTRAL_NM{nm:g}": spectra[:, i] for i, nm in enumerate(NM)}
    keywords = {"FIDELE_MODE": "M1", "SAMPLE_BACKING": "white", "INSTRUMENTATION": "Bench P1"}
    return from_table(Table(tuple(f"A{n}" for n in range(24)), columns, keywords), "x")


def reference_lab(spectra: np.ndarray) -> np.ndarray:
    """L*a*b* by colour-science: ASTM E308 with the 2 degree observer and D50."""
    made = []
    for row in spectra:
        sd = colour.SpectralDistribution(row, NM)
        cmfs = colour.MSDS_CMFS["CIE 1931 2 Degree Standard Observer"]
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            XYZ = colour.sd_to_XYZ(sd, cmfs, colour.SDS_ILLUMINANTS["D50"], method="ASTM E308")
        made.append(colour.XYZ_to_Lab(XYZ / 100, [0.34570, 0.35850]))
    return np.array(made)


def test_spectra_give_what_colour_science_says(measured, spectra):
    assert np.abs(measured.Lab - reference_lab(spectra)).max() < 0.1
    assert measured.conditions == Conditions("M1", "D50", "2", "white", "Bench P1")


@pytest.mark.parametrize("ending", [".txt", ".cxf"])
def test_what_is_written_comes_back_without_loss(tmp_path, measured, ending):
    path = tmp_path / f"measured{ending}"
    if ending == ".cxf":
        write_measurement(path, measured, "A chart")
    else:
        write(path, to_table(measured, "A chart"), decimals=7)
    back = read_any(path)
    assert back.ids == measured.ids
    assert back.conditions == measured.conditions
    assert np.allclose(back.spectra, measured.spectra, atol=1e-6)
    assert np.allclose(back.wavelengths, NM)
    assert np.abs(back.Lab - measured.Lab).max() < 1e-3


def test_an_independent_reader_understands_our_cxf(tmp_path, measured):
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        from colour_cxf import read_cxf
    write_measurement(tmp_path / "m.cxf", measured, "A chart")
    theirs = read_cxf((tmp_path / "m.cxf").read_bytes())
    objects = theirs.resources.object_collection.object_value
    assert [o.name for o in objects] == list(measured.ids)
    values = (
        objects[5].color_values.choice if hasattr(objects[5].color_values, "choice") else vars(objects[5].color_values)
    )
    text = repr(values)
    assert f"{measured.Lab[5, 0]:.3f}"[:-1] in text
    spec = theirs.resources.color_specification_collection.color_specification[0]
    assert "M1" in repr(spec.measurement_spec.device)
    assert spec.measurement_spec.wavelength_range.increment == 10


def test_an_independent_reader_understands_our_cgats(tmp_path, measured):
    """The plain rules of CGATS.17: counts that hold, as many cells as titles, quotes round text."""
    text = dump(to_table(measured, "A chart"), 5).splitlines()
    fields = text[text.index("BEGIN_DATA_FORMAT") + 1].split()
    rows = [line.split("\t") for line in text[text.index("BEGIN_DATA") + 1 : text.index("END_DATA")]]
    assert text[0] == "CGATS.17"
    assert f"NUMBER_OF_FIELDS {len(fields)}" in text
    assert f"NUMBER_OF_SETS {len(rows)}" in text
    assert {len(r) for r in rows} == {len(fields)}
    at = [fields.index(f"LAB_{c}") for c in "LAB"]
    assert np.allclose([[float(r[i]) for i in at] for r in rows], measured.Lab, atol=1e-5)
    declared = {line.split('"')[1] for line in text if line.startswith("KEYWORD")}
    assert "FIDELE_MODE" in declared


def test_others_tables_are_understood(tmp_path, spectra):
    head = 'ISO28178\nINSTRUMENTATION "X"\nweighting_function "ILLUMINANT, D65"\n'
    body = "BEGIN_DATA_FORMAT\nSAMPLE_ID {}\nEND_DATA_FORMAT\nBEGIN_DATA\n{}\nEND_DATA\n"
    (tmp_path / "two.txt").write_text(
        head
        + body.format("XYZ_X XYZ_Y XYZ_Z", "a 95,047 100 108.883\nb 40 42 44")
        + body.format("RGB_R RGB_G RGB_B", "b 1 2 3\na 255 255 255")
    )
    two = read_any(tmp_path / "two.txt")
    assert np.allclose(two.Lab[0], [100, 0, 0], atol=0.02)  # the white of D65 becomes that of D50
    assert two.cautions
    assert np.allclose(two.rgb[1] * 255, [1, 2, 3])
    pages = body.format("LAB_L LAB_A LAB_B", "a 50 1 2") + body.format("LAB_L LAB_A LAB_B", "b 60 1 2")
    (tmp_path / "pages.txt").write_text("CGATS.17\n" + pages)
    assert read_any(tmp_path / "pages.txt").ids == ("a", "b")
    (tmp_path / "other.txt").write_text(
        "CGATS.17\n"
        + pages.replace(
            "LAB_L LAB_A LAB_B\nEND_DATA_FORMAT\nBEGIN_DATA\nb 60 1 2",
            "LAB_L LAB_A DENS\nEND_DATA_FORMAT\nBEGIN_DATA\nb 60 1 2",
        )
    )
    with pytest.raises(FideleError, match="do not belong together"):
        read_any(tmp_path / "other.txt")
    # Any step of spectra, and per cent.
    five = np.arange(380, 731, 5.0)
    fine = np.array([np.interp(five, NM, row) for row in spectra])
    columns = {f"nm{nm:g}".upper(): fine[:, i] * 100 for i, nm in enumerate(five)}
    stated = from_table(Table(tuple(map(str, range(24))), columns), "x")
    assert np.abs(stated.Lab - reference_lab(spectra)).max() < 1.2


def test_csv_columns_are_guessed_or_asked(tmp_path):
    path = tmp_path / "m.csv"
    path.write_text("Patch;L*;a*;b*\nA1;50,5;1;2\nA2;60;-3,25;4\n")
    assert read_csv(path).Lab.tolist() == [[50.5, 1, 2], [60, -3.25, 4]]
    path.write_text("field,hell,rot,gelb\nA1,50,1,2\nA2,60,3,4\n")
    with pytest.raises(ColumnsError) as asked:
        read_any(path)
    assert asked.value.titles == ["field", "hell", "rot", "gelb"]
    told = {"field": "SAMPLE_ID", "hell": "LAB_L", "rot": "LAB_A", "gelb": "LAB_B"}
    assert read_any(path, told).ids == ("A1", "A2")
    path.write_text("id,L,a,b\nA1,50,1,2\nA2,60,3\n")
    with pytest.raises(FideleError, match="line 3: 3 values for 4 columns"):
        read_any(path)
    path.write_text("id,L,a,b\nA1,50,1,nan\n")
    with pytest.raises(FideleError, match="not a number"):
        read_any(path)


CXF = (
    '<cc:CxF xmlns:cc="http://colorexchangeformat.com/CxF3-core"><cc:Resources><cc:ObjectCollection>{}'
    "</cc:ObjectCollection></cc:Resources></cc:CxF>"
)
ONE = (
    '<cc:Object Name="{}" Id="1"><cc:ColorValues><cc:ReflectanceSpectrum StartWL="380">{}</cc:ReflectanceSpectrum>'
    "</cc:ColorValues></cc:Object>"
)
CGATS = "CGATS.17\nBEGIN_DATA_FORMAT\nSAMPLE_ID {}\nEND_DATA_FORMAT\nBEGIN_DATA\na {}\nEND_DATA\n"


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (CXF.format(""), "no sample"),
        (CXF.format(ONE.format("a", "0.1 0.2 spam 0.3")), "spectrum that is not one"),
        (CXF.format(ONE.format("a", " ".join(["9"] * 36 + ["1000"]))), "out of range"),
        (CXF.format(ONE.format("a", " ".join(["0.5"] * 8))), "420 to 680"),
        (CXF.format(ONE.format("a", " ".join(["0.5"] * 36)) * 2), "'a' twice"),
        ('<!DOCTYPE x [<!ENTITY a SYSTEM "file:///etc/passwd">]><x>&a;</x>', "entities of its own"),
        ("<html></html>", "not a CxF file"),
        (CXF.format("")[:60], "damaged"),
        (CGATS.format("LAB_L LAB_A LAB_B", "500 0 0"), "no print has"),
        (CGATS.format("DENS", "500"), "neither L"),
    ],
)
def test_what_is_no_measurement_is_refused_in_a_sentence(tmp_path, data, words):
    path = tmp_path / "thing.cxf"
    path.write_text(data)
    with pytest.raises(FideleError, match=words) as refused:
        read_any(path)
    assert "\n" not in str(refused.value)


def test_measurements_are_averaged_and_mixing_is_told(measured):
    rng = np.random.default_rng(1)

    def again(shift: float, mode: str) -> Measurement:
        return Measurement(measured.ids, measured.Lab + rng.normal(0, shift, measured.Lab.shape), Conditions(mode))

    mean, repeat = averaged([again(0.3, "M1") for _ in range(6)])
    assert np.abs(mean.Lab - measured.Lab).max() < 0.6
    assert 0.1 < repeat < 0.6
    assert not mean.cautions
    mixed, _ = averaged([again(0, "M1"), again(0, "M2")])
    assert "M1" in mixed.cautions[0]
    with pytest.raises(FideleError, match="lacks 4 samples"):
        averaged([measured, measured.rows(measured.ids[:20])])


def test_a_wrong_order_of_patches_is_found_and_mended():
    chart = control_chart()
    Lab = np.random.default_rng(0).random((144, 3)) * [90, 120, 120] - [0, 60, 60]
    assert reordered(Lab, Lab, chart.layout.columns) is None
    grid = Lab.reshape(12, 12, 3)
    for how, seen in (
        ("from the bottom up", grid[::-1]),
        ("from right to left", grid[:, ::-1]),
        ("upside down", grid[::-1, ::-1]),
        ("by columns instead of rows", grid.transpose(1, 0, 2)),
    ):
        wrong = seen.reshape(-1, 3)
        found = reordered(wrong, Lab, 12)
        assert found is not None
        assert found[0] == how
        assert np.allclose(wrong[found[1]], Lab)
    assert reordered(np.random.default_rng(5).permutation(Lab), Lab, 12) is None


def test_text_files_are_known_by_what_stands_in_them(tmp_path):
    """Whatever they are called: a table, CGATS, CxF; a leaflet, a picture and nothing are none of them."""
    from fidele.chart.measured_file import kind_of, read_any

    rows = "BEGIN_DATA_FORMAT\nSAMPLE_ID LAB_L LAB_A LAB_B\nEND_DATA_FORMAT\nBEGIN_DATA\nA1 50 0 0\nEND_DATA\n"
    files = {
        "CGATS.17\n" + rows: "CGATS",
        "XYZZY\nORIGINATOR 'x'\n" + rows: "CGATS",
        "\ufeffname;L;a;b\nA1;50;0;0\nB1;60;1;1\n": "table",
        '<?xml version="1.0"?><cc:CxF xmlns:cc="x"></cc:CxF>': "CxF",
        "<html><body>Press at 200 °C, 3 min</body></html>": "",
        "Dear customer,\nplease press hot.\n": "",
        "1;2;3\n4;5;6\n": "",
    }
    for number, (text, kind) in enumerate(files.items()):
        path = tmp_path / f"measured.{number}xyz"
        path.write_text(text, encoding="utf-8")
        assert kind_of(path) == kind, text
        if kind in ("CGATS", "table"):
            assert read_any(path).Lab[0] == pytest.approx([50, 0, 0])
    (tmp_path / "picture").write_bytes(b"\x89PNG\r\n\x1a\n\0\0\0")
    assert kind_of(tmp_path / "picture") == kind_of(tmp_path / "none") == kind_of(tmp_path) == ""


def test_samples_that_are_only_counted_are_matched_by_what_was_printed():
    from fidele.chart.family import control_chart
    from fidele.chart.measurement import Measurement, matched

    chart = control_chart()
    rng = np.random.default_rng(5)
    Lab = rng.uniform([10, -40, -40], [95, 40, 40], (len(chart.ids), 3))
    order = rng.permutation(len(chart.ids))
    counted = tuple(str(n + 1) for n in range(len(order)))
    for scale in (1.0, 100 / 255):
        told = Measurement(counted, Lab[order], rgb=np.round(chart.rgb[order] * 255) / 255 * scale)
        found = matched(told, chart.ids, chart.rgb)
        # Samples of the same numbers are one colour: their mean.
        same = (np.abs(chart.rgb[:, None] - chart.rgb[None]).max(axis=2) < 0.5 / 255).astype(float)
        assert np.allclose(found.Lab, same / same.sum(axis=1, keepdims=True) @ Lab)
        assert "matched by the numbers" in found.cautions[0]
    other = Measurement(counted, Lab, rgb=rng.random((len(chart.ids), 3)))
    assert matched(other, chart.ids, chart.rgb) is other
