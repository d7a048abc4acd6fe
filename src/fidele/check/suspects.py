"""What each suspected fault would leave on a print, computed from the profile and the route alone.

A suspect's prediction never comes from what the devices really do inside: conversions go through profiles, the
driver's own correction is what a probe of the driver returned, and more or less ink is a plain model of densities.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import field

import numpy as np

from fidele.arrays import Floats
from fidele.dataclass import dataclass
from fidele.icc.profile import Profile
from fidele.icc.spaces import oprgb, srgb
from fidele.icc.transform import Intent, convert, to_lab
from fidele.language import tr

#: Who converts is known by measured pages alone.
MEASURED = "measured"


@dataclass(frozen=True, eq=False)
class Suspicions:
    """What is suspected of a print.

    Attributes
    ----------
    Lab
        Absolute L*a*b* (n, 3) by code of the suspect; 'right' is always among them. A colon parts the kind from what
        it is about: 'wrong-profile:3fa9'.
    device
        (n, 3) device values of the right print, 0 to 1.
    printer
        The profile that it is judged by.
    about
        What stands behind the colon, in words.
    transfer
        Whether it was pressed.
    rgb
        (n, 3) the chart's own values, 0 to 1.
    driver_known
        Whether the driver's own correction was probed or measured.
    places
        (n, 2) where they stood on the page, in mm; nothing where that is not known.
    ordered
        Whether values stand in an order that can be mistaken, as a chart's do.
    """

    Lab: dict[str, Floats]
    device: Floats
    printer: Profile
    about: dict[str, str] = field(default_factory=dict)
    transfer: bool = True
    rgb: Floats = field(default_factory=lambda: np.zeros((0, 3)))
    driver_known: bool = False
    places: Floats = field(default_factory=lambda: np.zeros((0, 2)))
    ordered: bool = True

    def predict(self, device: Floats) -> Floats:
        """Return the absolute L*a*b* that the profile says of device values (n, 3)."""
        return to_lab(np.clip(device, 0, 1), self.printer, Intent.ABSOLUTE, often=True).astype(float)


def suspicions(
    rgb: Floats,
    printer: Profile,
    intent: Intent,
    bpc: bool,
    driver: Callable[[Floats], Floats] | None = None,
    others: Sequence[tuple[str, str, Profile]] = (),
    transfer: bool = True,
    owner: str = "fidele",
    source: Profile | None = None,
    right: Floats | None = None,
    places: Floats | None = None,
) -> Suspicions:
    """Return what is suspected of a chart of sRGB values (n, 3), 0 to 1, that was to be printed through a profile.

    Parameters
    ----------
    driver
        What a probe of the driver's own correction returned, as a function on device values (n, 3); without it a
        general conversion is fitted (`fitted`).
    others
        Id, title and profile of the other output profiles on the shelf.
    owner
        'driver' where the driver is the one that is to convert: then its print is the right one. `MEASURED` where
        measured pages alone tell how it prints: then `printer` says what comes of what was sent, which is `right`, and
        what would come of other conversions nobody knows.
    source
        The space of the values where that is another one than sRGB.
    right
        Device values (n, 3) of the right print, where they are more than a plain conversion: tuned, pure colours kept.
    places
        Where values stood on the page (n, 2), in mm: damp and uneven pressure are told by it.
    """
    values = rgb.astype(np.float32)
    if owner == MEASURED:
        if right is None:
            raise ValueError("what was sent must be told where measured pages are all that is known")
        return _measured(rgb, right, printer, transfer, places)

    def through(profile: Profile, by: Intent = intent, black: bool = bpc, space: Profile | None = None) -> Floats:
        return convert(values, space or source or srgb(), profile, by, black).astype(float)

    converted = through(printer) if right is None else right
    device: dict[str, Floats] = {"right": converted, "not-converted": rgb}
    about: dict[str, str] = {}
    again = convert(converted.astype(np.float32), srgb(), printer, intent, bpc).astype(float)
    device["twice-by-system"] = again
    if driver is not None:
        device["converted-twice"] = driver(converted)
        device["driver-only"] = driver(rgb)
    if owner == "driver" and driver is not None:
        device["right"], device["fidele-only"] = device.pop("driver-only"), converted
    for other in (Intent.PERCEPTUAL, Intent.RELATIVE, Intent.SATURATION, Intent.ABSOLUTE):
        for black in (True, False):
            if (other, black) != (intent, bpc) and not (black and other is Intent.ABSOLUTE):
                code = f"wrong-intent:{other.value}{', black point compensated' if black else ''}"
                device[code] = through(printer, other, black)
                name = tr(other.value)
                about[code] = tr("{intent}, black point compensated", intent=name) if black else name
    device["wrong-source:opRGB"] = through(printer, space=oprgb())
    about["wrong-source:opRGB"] = "opRGB"
    for names, order in _exchanged().items():
        device[f"ink-exchanged:{names}"] = converted[:, order]
        about[f"ink-exchanged:{names}"] = names
    device["greys-only"] = through(printer) @ np.array([0.3, 0.59, 0.11])[:, None] @ np.ones((1, 3))
    for profile_id, title, profile in others:
        if profile.channels == 3:
            code = f"wrong-profile:{profile_id}"
            device[code] = through(profile)
            about[code] = title
    # What another intent would send just as well is no suspect of its own.
    for code in [c for c in device if c.startswith("wrong-intent")]:
        known = [v for c, v in device.items() if c != code and not c.startswith("wrong-profile")]
        if any(np.abs(device[code] - v).mean() < 1e-3 for v in known):
            del device[code]
    stacked = to_lab(np.clip(np.concatenate(list(device.values())), 0, 1), printer, Intent.ABSOLUTE).astype(float)
    Lab = dict(zip(device, np.split(stacked, len(device)), strict=True))
    sent = np.clip(device["right"], 0, 1)
    for profile_id, title, profile in others:
        if profile.channels == 3:
            Lab[f"other-media:{profile_id}"] = to_lab(sent, profile, Intent.ABSOLUTE).astype(float)
            about[f"other-media:{profile_id}"] = title
    where = np.zeros((0, 2)) if places is None else places
    return Suspicions(Lab, device["right"], printer, about, transfer, rgb, driver is not None, where)


def _exchanged() -> dict[str, tuple[int, int, int]]:
    """Return which inks may stand in each other's place: each of the driver's three channels is against one ink."""
    return {tr("cyan and magenta"): (1, 0, 2), tr("cyan and yellow"): (2, 1, 0), tr("magenta and yellow"): (0, 2, 1)}


def _measured(rgb: Floats, sent: Floats, printer: Profile, transfer: bool, places: Floats | None) -> Suspicions:
    """Return what is suspected where nothing but measured pages tells what comes of what was sent (n, 3)."""
    device, about = {"right": sent}, {}
    for names, order in _exchanged().items():
        device[f"ink-exchanged:{names}"] = sent[:, order]
        about[f"ink-exchanged:{names}"] = names
    stacked = to_lab(np.clip(np.concatenate(list(device.values())), 0, 1), printer, Intent.ABSOLUTE).astype(float)
    Lab = dict(zip(device, np.split(stacked, len(device)), strict=True))
    return Suspicions(Lab, sent, printer, about, transfer, rgb, False, np.zeros((0, 2)) if places is None else places)
