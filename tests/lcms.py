"""LittleCMS called directly, in double precision, and black point compensation by a formula of its own."""

from __future__ import annotations

import colour
import imagecodecs
import numpy as np

from fidele.icc.profile import Profile
from fidele.icc.transform import Intent

_D50 = np.array([0.9642, 1.0, 0.8249])
_XY = colour.XYZ_to_xy(_D50)
LAB = Profile.parse(imagecodecs.cms_profile("lab2"), "L*a*b*")
_NAMES = {"RGB": "rgb", "CMYK": "cmyk", "Lab": "lab", "GRAY": "gray"}


def littlecms(values: np.ndarray, source: Profile, target: Profile, intent: Intent, bpc: bool = False) -> np.ndarray:
    """Device values (…, channels), 0 to 1, or L*a*b*, through LittleCMS without its optimisations."""
    flags = imagecodecs.CMS.FLAGS.NOOPTIMIZE | imagecodecs.CMS.FLAGS.NOCACHE
    flags |= imagecodecs.CMS.FLAGS.BLACKPOINTCOMPENSATION if bpc else 0
    into, out = (_NAMES[p.header.colour_space] for p in (source, target))
    flat = np.ascontiguousarray(values, np.float64).reshape(1, -1, values.shape[-1]) * (100 if into == "cmyk" else 1)
    done = imagecodecs.cms_transform(
        flat, source.data, target.data, colorspace=into, outcolorspace=out, intent=intent.code, flags=flags
    )
    return done.reshape(*values.shape[:-1], -1) / (100 if out == "cmyk" else 1)


def compensated(values: np.ndarray, source: Profile, target: Profile, black: float) -> np.ndarray:
    """Media-relative with black point compensation from a source without black to a neutral of L* `black`.

    ISO 18619, 6.4, written down once more, with colour-science's formulas.
    """
    Lab = littlecms(values, source, LAB, Intent.RELATIVE)
    level = colour.Lab_to_XYZ(np.array([black, 0, 0]), _XY)
    XYZ = (1 - level / _D50) * colour.Lab_to_XYZ(Lab, _XY) + level
    return littlecms(colour.XYZ_to_Lab(XYZ, _XY), LAB, target, Intent.RELATIVE)
