"""Why a print is off: which suspected fault predicts the measured patches best.

Each suspect's prediction is made from the profile, and from what a probe of the driver returned; never from what the
devices really do inside.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from fidele.colour.difference import delta_e_2000
from fidele.icc.profile import Profile
from fidele.icc.spaces import srgb
from fidele.icc.transform import Intent, convert, to_lab

Floats = NDArray[np.float64]

#: Names and sentences of the suspects.
WORDS = {
    "right": ("Right", "Colour was converted once, as it should be."),
    "converted-twice": ("Converted twice", "The measured patches fit a second conversion by the driver best."),
    "not-converted": ("Not converted", "The measured patches fit a print of bare, unconverted numbers best."),
    "driver-only": ("Driver's colours only", "The measured patches fit a conversion by the driver alone best."),
    "none": ("None of these", "No suspected fault explains the measured patches."),
    "undecided": ("Undecided", "Two explanations fit equally well."),
}

#: A suspect that leaves more than this mean ΔE00 explains nothing.
_EXPLAINS = 5.0


@dataclass(frozen=True)
class Suspect:
    """A possible cause: what it would leave (mean ΔE00) and the confidence that it is the one, 0 to 1."""

    code: str
    fit_de00: float
    confidence: float


@dataclass(frozen=True)
class Cause:
    """The verdict on the cause, and all suspects, best first."""

    code: str
    suspects: tuple[Suspect, ...]

    @property
    def sentence(self) -> str:
        """The cause in a sentence."""
        return WORDS[self.code][1]


def predictions(
    rgb: Floats, printer: Profile, intent: Intent, bpc: bool, driver: Callable[[Floats], Floats] | None
) -> dict[str, Floats]:
    """Return the absolute L*a*b* (n, 3) that each suspect predicts for patches of sRGB values (n, 3), 0 to 1.

    `driver` is what a probe of the driver's own correction returned, as a function on device values (n, 3); without
    it the suspects that involve the driver are predicted by a second pass through the profile itself.
    """
    converted = convert(rgb.astype(np.float32), srgb(), printer, intent, bpc).astype(float)
    if driver is not None:
        twice, alone = driver(converted), driver(rgb)
    else:
        twice = convert(converted.astype(np.float32), srgb(), printer, intent, bpc).astype(float)
        alone = None
    device = {"right": converted, "converted-twice": twice, "not-converted": rgb}
    if alone is not None:
        device["driver-only"] = alone
    return {
        code: to_lab(np.clip(values, 0, 1), printer, Intent.ABSOLUTE).astype(float) for code, values in device.items()
    }


def find_cause(measured: Floats, predicted: dict[str, Floats], uncertainty: float) -> Cause:
    """Rank suspects by how well they predict measured L*a*b* (n, 3).

    `uncertainty` is the scanner's or instrument's own mean error, ΔE00. Confidence falls off with what a suspect
    leaves beyond the best one, in units of that error and of what units of a model differ by (1 ΔE00).
    """
    fits = {code: float(delta_e_2000(measured, Lab).mean()) for code, Lab in predicted.items()}
    best = min(fits.values())
    spread = float(np.hypot(uncertainty, 1.0))
    weight = {code: float(np.exp(-0.5 * ((fit**2 - best**2) / spread**2))) for code, fit in fits.items()}
    total = sum(weight.values())
    suspects = tuple(sorted((Suspect(c, fits[c], weight[c] / total) for c in fits), key=lambda s: s.fit_de00))
    code = suspects[0].code
    if best > _EXPLAINS:
        code = "none"
    elif len(suspects) > 1 and suspects[1].fit_de00 - best < 0.5 * spread and suspects[0].confidence < 0.75:
        code = "undecided"
    return Cause(code, suspects)
