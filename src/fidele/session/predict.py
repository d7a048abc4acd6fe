"""What the artwork would look like by this route, by the right one, and by none: always as predicted prints."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from fidele.colour.difference import delta_e_2000
from fidele.icc.profile import Profile
from fidele.icc.spaces import srgb
from fidele.icc.transform import Intent, as_float, convert
from fidele.proof.soft import predicted_lab

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Prediction:
    """A predicted print in L*a*b* (h, w, 3), and its mean ΔE00 from the right one."""

    title: str
    Lab: NDArray[np.float32]
    mean_de00: float


@dataclass(frozen=True)
class RouteFacts:
    """What a prediction needs to know of the route: who converts, and what the driver was seen to do."""

    fidele_converts: bool
    system_converts: bool
    driver: Callable[[Floats], Floats] | None
    intent: Intent
    bpc: bool


def predict(pixels: NDArray[Any], source: Profile, printer: Profile, facts: RouteFacts) -> list[Prediction]:
    """Predict three prints of source pixels (h, w, channels): as it will come out now, converted once, and bare."""
    values = as_float(pixels)
    stated = source.content_id == srgb().content_id
    bare = values if stated else convert(values, source, srgb(), Intent.RELATIVE, True)
    right = convert(values, source, printer, facts.intent, facts.bpc)
    now = right if facts.fidele_converts else bare
    if facts.system_converts:
        now = convert(now, srgb(), printer, Intent.PERCEPTUAL)
    if facts.driver is not None:
        now = facts.driver(now.reshape(-1, 3).astype(float)).astype(np.float32).reshape(now.shape)
    wanted = predicted_lab(right, printer, absolute=False)
    shown = []
    for title, device in (("as it will come out now", now), ("converted once", right), ("not converted", bare)):
        Lab = predicted_lab(np.clip(device, 0, 1), printer, absolute=False)
        shown.append(Prediction(title, Lab, float(delta_e_2000(Lab, wanted).mean())))
    return shown
