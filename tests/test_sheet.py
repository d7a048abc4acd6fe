"""The page that a printer gets: true size, right place, mirrored or not, one resampling, one dither."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from fidele.artwork.depth import to_eight
from fidele.artwork.picture import Artwork, SourceSlip
from fidele.icc.spaces import oprgb, sgrey, srgb
from fidele.icc.transform import Intent, convert
from fidele.sheet.page import Laid, render_bands
from fidele.sheet.placing import Media, Placing, fitted
from fidele.sheet.resample import resampled_rows
from fidele.tuning.conversion import Conversion

MEDIA = Media("A4", 210, 297, (3, 3, 3, 5))


def picture(pixels, space=None):
    return Artwork(Path("x.png"), pixels, None, space or srgb(), SourceSlip("stated", "sRGB"), 300.0)


def page_of(artwork, placing, mirror=False, printer=None):
    laid = Laid(artwork, placing, printer, Conversion(Intent.RELATIVE, False))
    return np.concatenate([band for _, band in render_bands([laid], MEDIA, 300, mirror)])


@given(
    x=st.floats(5, 100),
    y=st.floats(5, 150),
    width=st.floats(20, 90),
    shape=st.sampled_from([(200, 300), (331, 173), (64, 64)]),
    mirror=st.booleans(),
)
@settings(max_examples=15, deadline=None)
def test_every_picture_lands_where_it_was_put(x, y, width, shape, mirror):
    """Within half a printer's pixel, at its true size."""
    height = width * shape[0] / shape[1]
    assume(y + height < 296)  # what reaches beyond the sheet is cut
    page = page_of(picture(np.zeros((*shape, 3), np.uint8)), Placing(x, y, width, height), mirror)
    assert page.shape == (3508, 2480, 3)
    inked = np.argwhere(page[..., 0] < 32768)
    (top, left), (bottom, right) = inked.min(axis=0), inked.max(axis=0) + 1
    if mirror:
        left, right = 2480 - right, 2480 - left
    scale = 300 / 25.4
    assert top == pytest.approx(y * scale, abs=0.51)
    assert left == pytest.approx(x * scale, abs=0.51)
    assert bottom - top == pytest.approx(height * scale, abs=0.51)
    assert right - left == pytest.approx(width * scale, abs=0.51)


def test_its_pixels_are_those_of_a_plain_conversion(printer):
    pixels = np.random.default_rng(0).integers(0, 65536, (120, 90, 3), dtype=np.uint16)
    placing = Placing(20, 30, 90 / 300 * 25.4, 120 / 300 * 25.4)  # its own size: nothing is resampled
    page = page_of(picture(pixels), placing, printer=printer)
    y, x = round(30 / 25.4 * 300), round(20 / 25.4 * 300)
    assert np.array_equal(page[y : y + 120, x : x + 90], convert(pixels, srgb(), printer, Intent.RELATIVE))
    mirrored = page_of(picture(pixels), placing, mirror=True, printer=printer)
    assert np.array_equal(mirrored, page[:, ::-1])
    assert (page[:y] == 65535).all()  # bare paper


def test_mirroring_is_not_turning():
    pixels = np.full((40, 40, 3), 255, np.uint8)
    pixels[:10, :10] = 0
    page = page_of(picture(pixels), Placing(10, 10, 40, 40), mirror=True)
    inked = np.argwhere(page[..., 0] < 30000).mean(axis=0)
    assert inked[0] < 300  # still near the upper edge
    assert inked[1] > 2480 - 350  # on the other side


def test_what_reaches_beyond_the_sheet_is_cut_and_told():
    page = page_of(picture(np.zeros((50, 50, 3), np.uint8)), Placing(-20, 280, 60, 60))
    inked = np.argwhere(page[..., 0] == 0)
    assert inked.min(axis=0).tolist() == [round(280 / 25.4 * 300), 0]
    assert Placing(-20, 280, 60, 60).crosses(MEDIA, False) == ("left", "bottom")
    assert Placing(3, 3, 204, 289).crosses(MEDIA, False) == ()
    # The wide margin changes sides on mirrored paper.
    uneven = Media("strip", 100, 100, (3, 3, 12, 3))
    assert Placing(5, 5, 90, 20).crosses(uneven, mirrored=False) == ("right",)
    assert Placing(5, 5, 90, 20).crosses(uneven, mirrored=True) == ("left",)
    for shape in ((300, 100), (100, 300), (100, 100)):
        for mirrored in (False, True):
            assert fitted(MEDIA, *shape).crosses(MEDIA, mirrored) == ()


def test_grey_and_alpha_are_laid_on_the_page(printer):
    grey = np.full((30, 30, 1), 128, np.uint8)
    assert page_of(picture(grey, sgrey()), Placing(10, 10, 20, 20), printer=printer).shape == (3508, 2480, 3)
    clear = Artwork(
        Path("x"), np.zeros((30, 30, 3), np.uint8), np.zeros((30, 30), np.uint8), srgb(), SourceSlip("stated", ""), None
    )
    assert (page_of(clear, Placing(10, 10, 20, 20), printer=printer) == 65535).all()


def test_without_a_conversion_the_page_is_srgb():
    """The driver that converts instead expects sRGB: another source space is changed to it, which is no knot."""
    pixels = np.random.default_rng(2).integers(0, 256, (50, 50, 3), dtype=np.uint8)
    placing = Placing(10, 10, 50 / 300 * 25.4, 50 / 300 * 25.4)
    spot = np.s_[118:168, 118:168]
    assert np.array_equal(page_of(picture(pixels), placing)[spot], pixels.astype(np.uint16) * 257)
    wide = page_of(picture(pixels, oprgb()), placing)[spot]
    assert np.array_equal(wide, convert(pixels.astype(np.uint16) * 257, oprgb(), srgb(), Intent.RELATIVE, True))
    grey = page_of(picture(pixels[..., :1], sgrey()), placing)[spot]
    assert np.abs(grey.astype(int) - pixels[..., :1].astype(int) * 257).max() < 40  # the same curve, to rounding


def test_resampling_keeps_flat_colours_and_16_bits():
    flat = np.full((37, 53, 3), 31_415, np.uint16)
    for size in ((200, 90), (20, 11)):
        assert (resampled_rows(flat, *size) == 31_415).all()
    assert np.array_equal(resampled_rows(flat, 53, 37), flat)
    noise = np.random.default_rng(0).integers(0, 65536, (90, 70, 3), dtype=np.uint16)
    for size in ((33, 61), (110, 140)):  # as OpenCV resamples, and the same in parts
        way = cv2.INTER_AREA if size[0] < 70 else cv2.INTER_CUBIC
        whole = resampled_rows(noise, *size)
        assert np.abs(whole.astype(int) - cv2.resize(noise, size, interpolation=way)).max() <= 2
        parts = [resampled_rows(noise, *size, row, min(size[1], row + 17)) for row in range(0, size[1], 17)]
        assert np.array_equal(np.concatenate(parts), whole)
    ramp = np.repeat(np.linspace(0, 65535, 300).astype(np.uint16)[None, :, None], 20, 0)
    assert len(np.unique(resampled_rows(ramp, 900, 60))) > 600  # never through 8 bit


def test_dither_keeps_the_mean_and_repeats():
    for value in (0, 257 * 80, 257 * 80 + 31, 257 * 80 + 128, 65535):
        flat = np.full((256, 256, 3), value, np.uint16)
        done = to_eight(flat)
        assert done.mean() == pytest.approx(value / 257, abs=0.01)
        if value % 257 == 0:
            assert np.ptp(done) == 0  # what 8 bit can hold stays what it is
        assert np.array_equal(done, to_eight(flat))
    page = np.random.default_rng(1).integers(0, 65536, (600, 130, 3), dtype=np.uint16)
    assert np.abs(to_eight(page) * 257.0 - page).max() <= 257
    assert np.array_equal(to_eight(page)[:512], to_eight(page[:512]))  # by position alone
