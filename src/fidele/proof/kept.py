"""What a profile's tables do to colours that its printer can print: nothing, or something that nobody asked for."""

from __future__ import annotations

import numpy as np

from fidele.arrays import Floats
from fidele.colour.cie import D50, lab_to_xyz, xyz_to_lab
from fidele.colour.difference import delta_e_2000
from fidele.dataclass import dataclass
from fidele.icc.profile import Profile, ProfileError
from fidele.icc.spaces import srgb
from fidele.icc.transform import Intent, from_lab, to_lab
from fidele.language import tr
from fidele.proof.gamut import OUT_OF_GAMUT, distance_to_gamut, lattice

#: Colours of sRGB that are looked at, along an edge of its cube.
_SIDE = 11
#: Mean ΔE00 from which on it is told, and from which on an intent is advised against.
TOLD, TOO_MUCH = 1.0, 2.0


@dataclass(frozen=True)
class Kept:
    """How far a table moves the sRGB colours that can be printed: their share, and mean and 95th percentile of ΔE00.

    Wanted is a colour with white on white, and black on a neutral as dark as the table's own black.
    """

    printable: float
    mean: float
    p95: float

    @property
    def words(self) -> str:
        """What the table does to them, for a list of facts."""
        if self.mean < TOLD:
            return tr("keeps printable colours (ΔE00 {mean:.1f} on average)", mean=self.mean)
        return tr(
            "moves printable colours by ΔE00 {mean:.1f} on average, 95 % within {p95:.1f}", mean=self.mean, p95=self.p95
        )


#: By profile and intent: a table does not change.
_known: dict[tuple[str, str], Kept | None] = {}


def kept(printer: Profile, intent: Intent) -> Kept | None:
    """Say what a profile's table does to printable colours, None where it has none or prints next to nothing of sRGB.

    Intents but ICC-absolute; for profiles of RGB and CMYK.
    """
    key = (printer.content_id, intent.value)
    if key not in _known:
        if len(_known) > 64:
            _known.clear()
        try:
            _known[key] = _measured(printer, intent)
        except ProfileError:
            _known[key] = None
    return _known[key]


def _measured(printer: Profile, intent: Intent) -> Kept | None:
    source = to_lab(lattice(_SIDE, 3).astype(np.float32), srgb()).astype(float)
    printed = _printed(source, printer, intent)
    darkest = _printed(np.zeros((1, 3)), printer, intent)[0, 0] if intent is not Intent.RELATIVE else 0.0
    level = float(lab_to_xyz(np.array([darkest, 0.0, 0.0]))[1])
    wanted = xyz_to_lab(lab_to_xyz(source) * (1 - level) + level * D50)
    inside = distance_to_gamut(wanted, printer) <= OUT_OF_GAMUT
    if inside.mean() < 0.02:
        return None
    off = delta_e_2000(wanted, printed)[inside]
    return Kept(float(inside.mean()), float(off.mean()), float(np.percentile(off, 95)))


def _printed(Lab: Floats, printer: Profile, intent: Intent) -> Floats:
    return to_lab(from_lab(Lab, printer, intent), printer).astype(float)
