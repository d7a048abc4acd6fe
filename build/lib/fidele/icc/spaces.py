"""The source spaces that everybody needs, made here from their standards."""

from __future__ import annotations

import datetime
import struct
from functools import cache

import numpy as np

from fidele.icc.profile import Profile
from fidele.icc.write import matrix_profile, s15

_D65 = (0.3127, 0.3290)
_CREATED = datetime.datetime(2026, 1, 1)


@cache
def srgb() -> Profile:
    """Return sRGB (IEC 61966-2-1) as a version 4 matrix profile."""
    curve = b"para\0\0\0\0" + struct.pack(">HH", 3, 0) + s15([2.4, 1 / 1.055, 0.055 / 1.055, 1 / 12.92, 0.04045])
    primaries = [(0.64, 0.33), (0.30, 0.60), (0.15, 0.06)]
    return Profile.parse(matrix_profile("sRGB (IEC 61966-2-1)", primaries, _D65, curve, _CREATED), "sRGB")


@cache
def oprgb() -> Profile:
    """Return opRGB (IEC 61966-2-5) as a version 4 matrix profile."""
    curve = b"para\0\0\0\0" + struct.pack(">HH", 0, 0) + s15([563 / 256])
    primaries = [(0.64, 0.33), (0.21, 0.71), (0.15, 0.06)]
    return Profile.parse(matrix_profile("opRGB (IEC 61966-2-5)", primaries, _D65, curve, _CREATED), "opRGB")


#: The spaces in which drivers and other programs are sent artwork, by name.
SENDS = {"sRGB": srgb, "opRGB": oprgb}


@cache
def pass_through() -> Profile:
    """Return a matrix profile for layers that insist on one: as source and destination at once it moves nothing."""
    curve = b"para\0\0\0\0" + struct.pack(">HH", 0, 0) + s15([1.0])
    primaries = [(0.64, 0.33), (0.30, 0.60), (0.15, 0.06)]
    title = "Pass-through, the same in and out"
    return Profile.parse(matrix_profile(title, primaries, _D65, curve, _CREATED), title)


@cache
def lab() -> Profile:
    """Return L*a*b* itself as a profile; its codes are those of ICC.1:2022 (version 4), 8 or 16 bit."""
    import imagecodecs

    made = bytearray(imagecodecs.cms_profile("lab2"))
    made[24:36] = struct.pack(">6H", *_CREATED.timetuple()[:6])  # always the same bytes
    return Profile.parse(bytes(made), "L*a*b*")


@cache
def grey(name: str) -> Profile:
    """Return a grey space by name: 'gamma 2.2', 'L*' or 'dot gain 20 %' (of `GREYS`).

    Dot gain is that of a 50 % tint, spread as a parabola over the tone values: gain(a) = 4 g a (1 - a).

    Raises
    ------
    KeyError
        When there is no such space.
    """
    from fidele.icc.write import assemble, curve_tag, localised_tag, xyz_tag

    kind, value = GREYS[name]
    if kind == "gamma":
        curve = b"para\0\0\0\0" + struct.pack(">HH", 0, 0) + s15([value])
    else:
        codes = np.linspace(0, 1, 1024)
        if kind == "L*":
            samples = np.where(codes > 0.08, ((codes + 0.16) / 1.16) ** 3, codes * (2700 / 24389))
        else:
            tint = 1 - codes
            samples = 1 - np.clip(tint + 4 * value * tint * codes, 0, 1)
        curve = curve_tag(samples)
    tags = {
        "desc": localised_tag(f"Grey, {name}"),
        "cprt": localised_tag("No rights reserved."),
        "wtpt": xyz_tag([0.9642, 1.0, 0.8249]),
        "kTRC": curve,
    }
    return Profile.parse(assemble(tags, "mntr", "GRAY", "XYZ ", _CREATED, version=0x04400000), f"Grey, {name}")


#: Grey spaces by name: kind and value.
GREYS = {"gamma 1.8": ("gamma", 1.8), "gamma 2.2": ("gamma", 2.2), "L*": ("L*", 0.0)} | {
    f"dot gain {gain} %": ("dot gain", gain / 100) for gain in (10, 15, 20, 25, 30)
}


@cache
def sgrey() -> Profile:
    """Return a grey space with the tone curve of sRGB, for grey pictures that state nothing."""
    from fidele.icc.write import assemble, localised_tag, xyz_tag

    curve = b"para\0\0\0\0" + struct.pack(">HH", 3, 0) + s15([2.4, 1 / 1.055, 0.055 / 1.055, 1 / 12.92, 0.04045])
    tags = {
        "desc": localised_tag("Grey with the tone curve of sRGB"),
        "cprt": localised_tag("No rights reserved."),
        "wtpt": xyz_tag([0.9642, 1.0, 0.8249]),
        "kTRC": curve,
    }
    return Profile.parse(assemble(tags, "mntr", "GRAY", "XYZ ", _CREATED, version=0x04400000), "sGrey")


def space_named(name: str) -> Profile:
    """Return a working or grey space by its name in `SENDS` or `GREYS`."""
    return SENDS[name]() if name in SENDS else grey(name)
