"""A customer's colours: what a printer makes of each, and the nearest it can do."""

from __future__ import annotations

import numpy as np

from fidele.colour.difference import delta_e_2000
from fidele.dataclass import dataclass
from fidele.icc.profile import Profile
from fidele.icc.spaces import lab
from fidele.icc.transform import as_float, lab_codes, to_lab
from fidele.proof.gamut import distance_to_gamut
from fidele.proof.losses import shift_in_words
from fidele.proof.nearest import Nearest, nearest_printable
from fidele.proof.soft import ProofSettings
from fidele.tuning.conversion import device_values

#: ΔE00 that a colour may be off where its customer has not said.
TOLERANCE = 2.0


@dataclass(frozen=True)
class CustomerColour:
    """A colour with a name, its L*a*b* (D50, media-relative), and the ΔE00 that it may be off."""

    name: str
    Lab: tuple[float, float, float]
    tolerance: float = TOLERANCE


@dataclass(frozen=True)
class Held:
    """What becomes of a customer's colour.

    Attributes
    ----------
    verdict
        'holds' within its tolerance, 'close' within twice that, else 'cannot be held'; by the nearest printable one.
    printed, de00, words
        What the printing condition makes of it, how far off that is, and which way.
    nearest
        The nearest printable colours, three flavours; of RGB printers only.
    """

    colour: CustomerColour
    verdict: str
    printed: tuple[float, float, float]
    de00: float
    words: str
    nearest: tuple[Nearest, ...]


def held(colour: CustomerColour, printer: Profile, settings: ProofSettings) -> Held:
    """Say what becomes of a colour on a printer, converted as `settings` say."""
    wanted = np.array(colour.Lab, float)
    device = as_float(device_values(lab_codes(wanted[None]), lab(), printer, settings))
    printed = to_lab(device, printer)[0].astype(float)
    de00 = float(delta_e_2000(wanted, printed))
    nearest = nearest_printable(wanted, printer) if printer.channels == 3 else ()
    best = min((n.de00 for n in nearest), default=min(de00, float(distance_to_gamut(wanted[None], printer)[0])))
    verdict = "holds" if best <= colour.tolerance else "close" if best <= 2 * colour.tolerance else "cannot be held"
    triple = (round(float(printed[0]), 2), round(float(printed[1]), 2), round(float(printed[2]), 2))
    return Held(colour, verdict, triple, de00, shift_in_words(wanted, printed), nearest)
