"""A print without a profile, as far as its measured pages tell: enough to look at pictures by, and to say what is lost.

What was sent to whoever converts stands for device values; nothing is converted through what is made here. Pages that
are printed without a profile lie along greys, and hardly anywhere else: what is fitted to them must not run away where
no patch is near, and is only as good as it is there.
"""

from __future__ import annotations

import datetime

import numpy as np

from fidele.arrays import Floats
from fidele.characterise.aims import on_screen
from fidele.characterise.fit import CALM, FEWEST, fit, spoken_for
from fidele.characterise.inverse import Inverse, device_table
from fidele.characterise.printer import PrinterModel, fit_printer
from fidele.colour.adaptation import media_relative
from fidele.colour.cie import D50, lab_to_xyz, xyz_to_lab
from fidele.colour.difference import delta_e_2000
from fidele.errors import FideleError
from fidele.icc.profile import Profile
from fidele.icc.spaces import srgb
from fidele.icc.write import OutputTables, dictionary_tag, lab_lut, output_profile
from fidele.language import tr

#: Nodes of the table from colours to numbers, which nothing but the search for near colours reads; fitted at so many.
_BACK, _SAMPLES = 17, 4000
#: Patches are left out by so many regions at a time: single ones beside their neighbours tell nothing of the gaps.
_REGIONS = 10
#: Of what regions left out are off by, the true error is so much in the middle of printers that nobody here made.
_OF_REGIONS = 0.9
#: What is off by so much, mean ΔE00, shows nothing.
_TOO_FAR = 20.0


def known_print(rgb: Floats, Lab: Floats, title: str) -> Profile:
    """Return what was sent, RGB (n, 3) from 0 to 1, beside its measured absolute L*a*b* (n, 3), as a profile.

    It states by how much it is off, and the number of its patches. All intents are the media-relative one: who converts
    has an intent of its own, which is in the colours already. The same patches make the same profile.

    Raises
    ------
    FideleError
        When they are too few, or the bare media is not among them.
    """
    XYZ = np.asarray(lab_to_xyz(Lab))
    # Whoever converts for pictures makes the print look like the screen, more or less.
    model = fit_printer(rgb, XYZ, like=srgb(), kernels=CALM)
    seen = xyz_to_lab(media_relative(XYZ, model.white_XYZ, D50))
    used = np.setdiff1d(np.arange(len(rgb)), model.fit.out)
    off = _OF_REGIONS * in_gaps(rgb[used], seen[used])
    if not off < _TOO_FAR:
        raise FideleError(tr("{n} patches are too few to tell how it prints.", n=len(used)))
    said = {"quality.mean_de00": f"{off:.2f}", "quality.patches": str(len(used))}
    return Profile.parse(_tables(model, title, said), title)


def in_gaps(rgb: Floats, Lab: Floats) -> float:
    """Return by how much patches (n, 3) are off, mean ΔE00 over the device cube, when all of their region is left out.

    Infinite where they are too few to leave any out.
    """
    from scipy.cluster.vq import kmeans2

    every = max(1, len(rgb) // _REGIONS)
    _, region = kmeans2(rgb, rgb[::every][:_REGIONS].copy(), minit="matrix")
    off = np.full(len(rgb), np.nan)
    for one in np.unique(region):
        rest = region != one
        if rest.sum() >= FEWEST:
            made = fit(rgb[rest], Lab[rest], np.ones(int(rest.sum()), bool), on_screen, CALM)
            off[~rest] = delta_e_2000(made(rgb[~rest]), Lab[~rest])
    told, counts = np.isfinite(off), spoken_for(rgb)
    return float((off[told] * counts[told]).sum() / counts[told].sum()) if told.any() else float("inf")


def _tables(model: PrinterModel, title: str, said: dict[str, str]) -> bytes:
    samples = np.random.default_rng(0).random((_SAMPLES, 3))
    back = device_table(Inverse(model), _BACK, samples, model(samples))
    there = lab_lut(model.grid.astype(float))
    tables = OutputTables(
        title,
        model.white_XYZ,
        model.black_XYZ,
        dict.fromkeys(range(3), there),
        dict.fromkeys(range(3), back),
        extra={"meta": dictionary_tag(said)},
    )
    return output_profile(tables, datetime.datetime(2000, 1, 1))
