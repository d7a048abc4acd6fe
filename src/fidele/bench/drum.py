"""A printer that takes inks: Tove Drum, a large-format press behind a program of its own that is sent CMYK.

Pages are laid in as they are and nothing converts. Its cyan ends before full: the drum takes no more of it. Made-up.
"""

from __future__ import annotations

import numpy as np

from fidele.arrays import Floats
from fidele.bench.inks import InkModel, gallery_paper, pigment_densities

#: How much more of each ink a tone has than was asked for: dots grow.
_GAIN = (0.82, 0.84, 0.80, 0.86)
#: Past this, more cyan is not taken.
_CYAN_ENDS = 0.86
#: An instrument's noise, in reflectance.
_NOISE = 0.0008


def measured(amounts: Floats, shot: int = 0) -> Floats:
    """Return reflectance (n, 36) as an instrument measures patches of amounts (n, 4), 0 to 1; each shot has its noise.

    From 380 to 730 nm in steps of 10 nm, M1.
    """
    taken = np.clip(amounts, 0, 1)
    taken[:, 0] = np.minimum(taken[:, 0], _CYAN_ENDS)
    model = InkModel(pigment_densities(), gallery_paper(), np.array(_GAIN), 1.8)
    spectra = model.spectra(taken)
    rng = np.random.default_rng([29, len(spectra), shot])
    tilt = 1 + rng.normal(0, 2 * _NOISE, (len(spectra), 1))
    return np.clip(spectra * tilt + rng.normal(0, _NOISE, spectra.shape), 0, None)
