"""A driver's own correction from ink: what two prints of the driver chart say, where no probe tells it."""

from __future__ import annotations

import datetime

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Floats
from fidele.chart.driver import patches
from fidele.icc.solve import solve
from fidele.route.probe import ProbeResult, nodes

#: Smoothing of the splines: prints and readings are noisy.
_SMOOTH = 1e-3


def measured_correction(plain: Floats, corrected: Floats) -> NDArray[np.float32]:
    """Return what a driver's correction makes of the probe's lattice (17, 17, 17, 3), 0 to 1.

    Parameters
    ----------
    plain, corrected
        L*a*b* (244, 3) of the driver chart printed with its numbers left alone and with them corrected, both seen the
        same way: the numbers are looked for that, left alone, print what the corrected ones did.
    """
    from scipy.interpolate import RBFInterpolator

    rgb = np.concatenate(list(patches().values()))
    _, once = np.unique(np.round(rgb, 6), axis=0, return_index=True)
    rgb, plain, corrected = rgb[once], plain[once], corrected[once]
    forward = RBFInterpolator(rgb, plain, kernel="thin_plate_spline", smoothing=_SMOOTH)
    numbers = solve(forward, corrected, rgb).device
    back = RBFInterpolator(rgb, numbers - rgb, kernel="thin_plate_spline", smoothing=_SMOOTH)
    sent = nodes()
    return np.clip(sent + back(sent), 0, 1).reshape(17, 17, 17, 3).astype(np.float32)


def as_probe(table: NDArray[np.float32], when: datetime.datetime) -> ProbeResult:
    """Return a measured correction as what a probe would have told."""
    off = np.abs(table.reshape(-1, 3) - nodes()) * 255
    return ProbeResult(table, float(off.max()), float(off.mean()), when, ())
