"""A converted picture says what was done to it, and is stopped from being converted twice."""

from __future__ import annotations

import dataclasses

import numpy as np
import pytest
from PIL import Image

from fidele.artwork.convert import convert_artwork, converted_already, record_of
from fidele.artwork.open import open_artwork
from fidele.artwork.record import packet, record_in
from fidele.artwork.save import save_picture
from fidele.errors import FideleError
from fidele.icc.spaces import srgb
from fidele.icc.transform import Intent
from fidele.tuning.conversion import Conversion


@pytest.fixture
def picture(demo):
    return open_artwork(demo.data / "artwork" / "signal-flags.png")


@pytest.mark.parametrize("ending", [".png", ".tif"])
@pytest.mark.parametrize("depth", [8, 16])
def test_what_was_done_stands_in_the_file_and_is_read_back(picture, printer, tmp_path, ending, depth):
    if depth == 16:
        picture = dataclasses.replace(picture, pixels=picture.pixels.astype(np.uint16) * 257)
    done = convert_artwork(picture, printer, Conversion(Intent.RELATIVE, True))
    record = record_of(picture, printer, Conversion(Intent.RELATIVE, True), done.pixels, True, 'Tiles "thick" & <thin>')
    path = tmp_path / f"done{ending}"
    save_picture(path, done.pixels, printer, 300, record=record)
    back = open_artwork(path)
    assert back.record == record
    assert back.record.output_id == printer.content_id
    assert '“Tiles "thick" & <thin>”: media-relative colorimetric, with black point' in converted_already(back)
    for _ in range(2):
        with pytest.raises(FideleError, match=r"is not converted again, which would spoil it\. It was converted from"):
            convert_artwork(back, printer, Conversion(Intent.RELATIVE, True))
    # The same packet in another picture says nothing.
    other = done.pixels.copy()
    other[0, 0, 0] ^= 1
    assert record_in(packet(record), other) is None
    save_picture(path, other, srgb(), 300, record=record)
    assert open_artwork(path).record is None


def test_where_the_record_was_taken_away_the_output_profile_still_says_so(picture, printer, tmp_path):
    done = convert_artwork(picture, printer, Conversion(Intent.PERCEPTUAL, True))
    Image.fromarray(done.pixels).save(tmp_path / "stripped.png", icc_profile=printer.data)
    back = open_artwork(tmp_path / "stripped.png")
    assert back.record is None
    assert "carries an output profile" in converted_already(back)
    with pytest.raises(FideleError, match="not converted again"):
        convert_artwork(back, printer, Conversion(Intent.PERCEPTUAL, True))
    assert converted_already(picture) == ""


def test_damaged_and_foreign_packets_say_nothing(picture):
    pixels = picture.pixels
    for data in (
        None,
        b"",
        b"<x:xmpmeta/>",
        b"\xff" * 100,
        b"https://fidele.invalid/ns/conversion/1.0/ only",
        b"x" * (2 << 20),
    ):
        assert record_in(data, pixels) is None


def test_a_finished_file_that_comes_back_is_a_stop(session, tmp_path, demo):
    session.open_artwork(demo.data / "artwork" / "signal-flags.png")
    session.write_finished(session.job(), tmp_path / "finished.png")
    session.open_artwork(tmp_path / "finished.png")
    (finding,) = [f for f in session.stops if f.code == "already-converted"]
    assert "for “House-number tiles”" in finding.why
    assert "mirrored" in finding.why
