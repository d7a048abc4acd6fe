"""The source spaces that everybody needs, made here from their standards."""

from __future__ import annotations

import datetime
import struct
from functools import cache

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


@cache
def pass_through() -> Profile:
    """Return a matrix profile for layers that insist on one: as source and destination at once it moves nothing."""
    curve = b"para\0\0\0\0" + struct.pack(">HH", 0, 0) + s15([1.0])
    primaries = [(0.64, 0.33), (0.30, 0.60), (0.15, 0.06)]
    title = "Pass-through, the same in and out"
    return Profile.parse(matrix_profile(title, primaries, _D65, curve, _CREATED), title)


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
