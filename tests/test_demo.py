"""The demo job without a window: all files, and the figures that it promises."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
from pathlib import Path

import numpy as np
import pytest
import tifffile

from fidele.artwork.open import open_artwork
from fidele.chart.cgats import read
from fidele.desk.pictures import _folder
from fidele.icc.profile import Profile


@pytest.fixture(scope="module")
def results(tmp_path_factory, demo):
    """The results of `fidele demo --headless`, run as a person would, on a demo that is prepared already."""
    import shutil

    out = tmp_path_factory.mktemp("results")
    shutil.copytree(demo.data, out / "workshop")
    done = subprocess.run(
        [Path(sys.executable).parent / "fidele", "demo", "--headless", "--out", out],
        # At the bench's own resolution: identity lines are fine print.
        env=os.environ | {"FIDELE_BENCH_PPI": "300"},
        capture_output=True,
        text=True,
        check=False,
    )
    assert done.returncode == 0, done.stderr
    return out


def test_right_passes_and_each_fault_is_named(results):
    summary = json.loads((results / "summary.json").read_text())
    scenarios = summary["scenarios"]
    assert list(scenarios) == ["right", "converted-twice", "not-converted"]
    for name, found in scenarios.items():
        assert {"mean_de00", "p95_de00", "max_de00", "verdict", "cause"} <= found.keys()
        assert found["cause"] == name
    right = scenarios["right"]
    assert right["verdict"] == "pass"
    assert right["mean_de00"] <= 2.0
    assert right["p95_de00"] <= 4.0
    assert right["stops"] == []
    for wrong in ("converted-twice", "not-converted"):
        assert scenarios[wrong]["verdict"] == "fail"
        assert scenarios[wrong]["stops"]
    # The default driver's correction moves the chart by far more than anybody would let pass.
    assert scenarios["converted-twice"]["mean_de00"] >= 5
    assert summary["scanner"]["residual_mean_de00"] <= 0.7
    # The sheet of several pieces says which is which, and its strip that the print is right.
    sheet = summary["sheet"]
    assert [piece for _, piece in sheet["identities"]] == list(range(1, sheet["pieces"] + 1))
    assert (sheet["pieces"], sheet["strip"]) == (5, "pass")
    assert sheet["strip_mean_de00"] <= 1.0


def test_every_file_is_there_and_what_it_says(results, printer):
    assert Profile.open(results / "profile.icc").data == printer.data
    converted = tifffile.TiffFile(results / "artwork-converted.tif").pages[0]
    assert converted.dtype == np.uint16
    assert converted.tags[34675].value == printer.data
    original = open_artwork(results / "workshop" / "artwork" / "lantern-parade-16bit.tif")
    assert converted.shape == original.pixels.shape
    assert open_artwork(results / "soft-proof.png").pixels.shape == original.pixels.shape
    for name in ("artwork", "sheet", "right", "converted-twice", "not-converted"):
        for stage in ("printed", "pressed"):
            assert open_artwork(results / f"{name}-{stage}.png").width > 500
    for name in ("right", "converted-twice", "not-converted"):
        assert open_artwork(results / f"{name}-scan.tif").bits == 16
        assert len(read(results / f"{name}-measured.txt").ids) == 144


def test_the_pressed_piece_looks_like_the_proof(results, printer):
    """The proof, shrunk, beside the pressed piece: the promise of the whole program, from end to end."""
    import cv2

    from fidele.colour.difference import delta_e_2000
    from fidele.icc.spaces import srgb
    from fidele.icc.tables import device_to_pcs_lab
    from fidele.proof.soft import ProofSettings, soft_proof

    original = open_artwork(results / "workshop" / "artwork" / "lantern-parade-16bit.tif")
    proof = soft_proof(original.pixels, original.profile, printer, ProofSettings(paper_white=True))
    piece = open_artwork(results / "artwork-pressed.png").pixels  # every third pixel of the sheet
    ratio = piece.shape[1] / 2480
    wide, high = round(original.width * ratio), round(original.height * ratio)
    x, y = (piece.shape[1] - wide) // 2, (piece.shape[0] - high) // 2
    seen = cv2.GaussianBlur(piece[y : y + high, x : x + wide], (0, 0), 4)[20:-20, 20:-20]
    wanted = cv2.GaussianBlur(cv2.resize(proof, (wide, high), interpolation=cv2.INTER_AREA), (0, 0), 4)[20:-20, 20:-20]
    off = delta_e_2000(device_to_pcs_lab(srgb(), seen / 255), device_to_pcs_lab(srgb(), wanted / 255))
    assert off.mean() < 1.5


def test_two_copies_that_take_pictures_at_once_work_in_folders_of_their_own(tmp_path, monkeypatch):
    monkeypatch.setattr(tempfile, "tempdir", str(tmp_path))
    with _folder() as first:
        (first / "mine").mkdir()
        with _folder() as second:
            assert second != first
        assert (first / "mine").is_dir()
        assert not second.exists()
    assert not first.exists()
    (first / "left by one that was stopped").mkdir(parents=True)
    with _folder() as again:
        assert again == first
        assert not any(again.iterdir())
