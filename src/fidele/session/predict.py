"""What the artwork would look like by this route, by the right one, and by wrong ones: always as predicted prints."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Codes, Floats
from fidele.colour.difference import delta_e_2000
from fidele.colour.words import colour_name
from fidele.dataclass import dataclass
from fidele.icc.profile import Profile
from fidele.icc.spaces import oprgb, srgb
from fidele.icc.transform import Intent, as_float, convert
from fidele.language import tr
from fidele.proof.losses import shift_in_words
from fidele.proof.soft import predicted_lab, show
from fidele.tuning.conversion import Conversion, device_values


@dataclass(frozen=True)
class Prediction:
    """A predicted print in L*a*b* (h, w, 3), its mean ΔE00 from the right one, and what becomes of the worst colour.

    `shown` are its 8-bit pixels (h, w, 3) in sRGB.
    """

    title: str
    Lab: NDArray[np.float32]
    mean_de00: float
    worst: str
    shown: NDArray[np.uint8]


@dataclass(frozen=True)
class RouteFacts:
    """What a prediction needs to know of the route: who converts, and what the driver was seen to do."""

    fidele_converts: bool
    system_converts: bool
    driver: Callable[[Floats], Floats] | None
    how: Conversion
    #: What the prediction of this route is called.
    now: str = tr("as it will come out now")


def predict(pixels: Codes, source: Profile, printer: Profile, facts: RouteFacts) -> list[Prediction]:
    """Predict two prints of source pixels (h, w, channels): as it will come out now, and converted once."""
    values = as_float(pixels)
    right = device_values(values, source, printer, facts.how)
    now = right if facts.fidele_converts else _bare(values, source)
    if facts.system_converts:
        now = convert(now, srgb(), printer, Intent.PERCEPTUAL)
    if facts.driver is not None:
        now = _driven(facts.driver, now)
    return _seen([(facts.now, now), (tr("converted once"), right)], right, printer)


def wrong_routes(
    pixels: Codes,
    source: Profile,
    printer: Profile,
    facts: RouteFacts,
    correction: Callable[[Floats], Floats] | None,
    others: tuple[tuple[str, Profile], ...] = (),
) -> list[Prediction]:
    """Predict what each wrong route would print of source pixels (h, w, channels), worst first.

    Parameters
    ----------
    correction
        What the driver's own correction does to numbers (n, 3), as a probe found it; None where that is not known.
    others
        Output profiles for other media, by title.
    """
    values = as_float(pixels)
    right = device_values(values, source, printer, facts.how)
    intent, bpc = facts.how.intent, facts.how.bpc
    routes = [
        (tr("not converted"), _bare(values, source)),
        (tr("converted twice, by the print system too"), convert(right, srgb(), printer, Intent.PERCEPTUAL)),
    ]
    if correction is not None:
        routes.append((tr("converted twice, by the driver too"), _driven(correction, right)))
    if values.shape[2] == 3:
        for name, space in (("sRGB", srgb()), ("opRGB", oprgb())):
            if space.content_id != source.content_id:
                routes.append((tr("taken for {name}", name=name), convert(values, space, printer, intent, bpc)))
    for title, profile in others:
        if profile.channels == printer.channels:
            routes.append((tr("through “{title}”", title=title), convert(values, source, profile, intent, bpc)))
    return sorted(_seen(routes, right, printer), key=lambda p: -p.mean_de00)


def _bare(values: NDArray[np.float32], source: Profile) -> NDArray[np.float32]:
    """Return pixels as they are passed on where Fidele does not convert: in sRGB."""
    return values if source.content_id == srgb().content_id else convert(values, source, srgb(), Intent.RELATIVE, True)


def _driven(driver: Callable[[Floats], Floats], device: NDArray[np.float32]) -> NDArray[np.float32]:
    return driver(device.reshape(-1, 3).astype(float)).astype(np.float32).reshape(device.shape)


def _seen(
    routes: list[tuple[str, NDArray[np.float32]]], right: NDArray[np.float32], printer: Profile
) -> list[Prediction]:
    """Return device values as the printer's profile says they look, each with its distance from the right ones."""
    wanted = predicted_lab(right, printer, absolute=False)
    made = []
    for title, device in routes:
        Lab = predicted_lab(np.clip(device, 0, 1), printer, absolute=False)
        de00 = delta_e_2000(Lab, wanted)
        made.append(Prediction(title, Lab, float(de00.mean()), _worst(Lab, wanted, de00), show(Lab)))
    return made


def _worst(Lab: NDArray[np.float32], wanted: NDArray[np.float32], de00: Floats) -> str:
    """Say what becomes of the colours that are off by most: the worst hundredth of the picture, '' where none is."""
    far = de00 >= max(2.0, float(np.percentile(de00, 99)))
    if not far.any():
        return ""
    before, after = wanted[far].mean(axis=0).astype(float), Lab[far].mean(axis=0).astype(float)
    return tr(
        "{colour_name} by {mean:.0f}: {shift_in_words}",
        colour_name=colour_name(before),
        mean=float(de00[far].mean()),
        shift_in_words=shift_in_words(before, after),
    )
