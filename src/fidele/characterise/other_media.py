"""A known printer on another media: what its profile says, moved as paper and ink move colours.

Another media takes more or less of each ink and spreads it otherwise, its surface throws back other light, and it is
of another white. So colours of the known printer are asked for at other amounts, then scaled and lifted in light. How
much of each is found from a few measured patches, so that what a plane in L*a*b* leaves of them becomes least.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from fidele.arrays import Floats
from fidele.colour.cie import lab_to_xyz, xyz_to_lab

Model = Callable[[Floats], Floats]
#: What is moved costs so much, beside what is left in L*a*b*: nothing is moved for noise.
_COSTS, _LIFT_COSTS = 0.5, 5.0
#: Exponents and factors stay within e to this power; light is lifted by no more than so much of white's.
_MOST, _MOST_LIFT = 1.0, 0.05
_STEPS = 30


def on_other_media(known: Model, device: Floats, Lab: Floats) -> Model:
    """Return what a known printer prints on the media of measured patches.

    Parameters
    ----------
    known
        Device values (n, k), 0 to 1, of which 1 is no ink, to the known printer's L*a*b* (n, 3).
    device, Lab
        Patches on the other media: device values (n, k) and L*a*b* (n, 3).
    """
    from scipy.optimize import least_squares

    channels = device.shape[1]
    ones = np.ones((len(device), 1))

    def moved(by: Floats) -> Model:
        spread, taken = np.exp(by[:channels]), np.exp(by[channels : 2 * channels])
        scaled, lifted = np.exp(by[2 * channels : 2 * channels + 3]), by[2 * channels + 3 :]

        def prints(values: Floats) -> Floats:
            ink = np.clip(taken * np.clip(1 - values, 0, 1) ** spread, 0, 1)
            return xyz_to_lab(np.maximum(scaled * lab_to_xyz(known(1 - ink)) + lifted, 1e-5))

        return prints

    costs = np.append(np.full(2 * channels + 3, _COSTS), np.full(3, _LIFT_COSTS))

    def left(by: Floats) -> Floats:
        plane = np.concatenate([ones, moved(by)(device)], axis=1)
        through = np.linalg.lstsq(plane, Lab, rcond=None)[0]
        return np.concatenate([(Lab - plane @ through).ravel(), costs * by])

    most = np.append(np.full(2 * channels + 3, _MOST), np.full(3, _MOST_LIFT))
    start = np.zeros(2 * channels + 6)
    found = least_squares(left, start, diff_step=[0.003] * len(start), max_nfev=_STEPS, bounds=(-most, most))
    return moved(found.x)
