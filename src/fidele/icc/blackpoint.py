"""Black point compensation by ISO 18619:2015: which black a conversion starts from, and which one it arrives at.

The scaling is done by Fidele itself (`icc.transform`, `icc.fast`), in XYZ and from neutral to neutral (a* = b* = 0).
LittleCMS is left out of it: it keeps the tint of a printer's black, and lends it to all dark greys.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from fidele.arrays import Floats
from fidele.colour.cie import lab_to_xyz
from fidele.icc.profile import Profile, ProfileError
from fidele.icc.tables import device_to_pcs_lab, pcs_lab_to_device, table_for

#: Luminance of the reference medium's black for perceptual and saturation of version 4 (ICC.1:2022, 6.3.3).
REFERENCE_BLACK = 0.0034731
#: Blacks by profiles and intent: finding them takes some milliseconds.
_known: dict[tuple[str, str, int], tuple[float, float]] = {}
#: Less light than this is black (L* 0.1).
_NONE = 1e-4
_PERCEPTUAL, _RELATIVE, _SATURATION, _ABSOLUTE = range(4)


def compensates(target: Profile, intent: int, bpc: bool) -> bool:
    """Tell whether a conversion scales black, asked to or not.

    ICC.1:2022 defines perceptual and saturation of version 4 on a medium with a black of its own, so that every
    conversion to it scales.
    """
    return intent != _ABSOLUTE and (bpc or forced(target, intent))


def forced(target: Profile, intent: int) -> bool:
    """Tell whether black is scaled because the profile is what it is."""
    return _version4(target) and intent in (_PERCEPTUAL, _SATURATION)


def blacks(source: Profile, target: Profile, intent: int, bpc: bool) -> tuple[float, float]:
    """Return luminance Y (0 to 1, media-relative) of the black to scale from and to; twice the same for none.

    Parameters
    ----------
    intent
        The number that ICC.1 gives it, 0 to 3.
    """
    if not compensates(target, intent, bpc):
        return 0.0, 0.0
    key = (source.content_id, target.content_id, intent)
    if key not in _known:
        if len(_known) > 64:
            _known.clear()
        _known[key] = _found(_source_black, source, intent), _found(_target_black, target, intent)
    return _known[key]


def _found(search: Callable[[Profile, int], float], profile: Profile, intent: int) -> float:
    try:
        found = search(profile, intent)
        return found if found > _NONE else 0.0
    except ProfileError:  # it has no way back from what it prints to colour
        return 0.0


def _version4(profile: Profile) -> bool:
    return int(profile.header.version.split(".")[0]) >= 4


def _tables(profile: Profile, direction: str, intent: int) -> bool:
    return table_for(profile, direction, intent) is not None


def _source_black(profile: Profile, intent: int) -> float:
    """ISO 18619, 6.2: of the darkest colorant; of ink profiles by the round trip of black."""
    if _version4(profile) and intent in (_PERCEPTUAL, _SATURATION) and _tables(profile, "A2B", intent):
        return REFERENCE_BLACK
    return float(_neutral(_starting_lightness(profile, intent)))


def _starting_lightness(profile: Profile, intent: int) -> float:
    """Return L* of the black that the standard begins with, at most 50."""
    space = profile.header.colour_space
    if space == "Lab":
        return 0.0
    if intent == _RELATIVE and (space == "CMYK" or space.endswith("CLR")) and profile.header.device_class == "prtr":
        device = pcs_lab_to_device(profile, np.zeros((1, 3)), _PERCEPTUAL)
        Lab = device_to_pcs_lab(profile, np.clip(device, 0, 1), _RELATIVE)
    else:
        device = np.full((1, profile.channels), 1.0 if space in ("CMYK", "CMY") or space.endswith("CLR") else 0.0)
        Lab = device_to_pcs_lab(profile, device, intent)
    return float(np.clip(Lab[0, 0], 0, 50))


def _target_black(profile: Profile, intent: int) -> float:
    """ISO 18619, 6.3: by the round trip of the grey axis through a profile with tables, else as a source's."""
    if forced(profile, intent) and _tables(profile, "B2A", intent):
        return REFERENCE_BLACK
    space = profile.header.colour_space
    if not _tables(profile, "B2A", intent) or not (space in ("RGB", "CMYK", "GRAY") or space.endswith("CLR")):
        return float(_neutral(_starting_lightness(profile, intent)))
    start = _starting_lightness(profile, _RELATIVE) if intent == _RELATIVE else 0.0
    into = np.linspace(0, 100, 256)
    device = pcs_lab_to_device(profile, np.stack([into, 0 * into, 0 * into], axis=1), intent)
    out = device_to_pcs_lab(profile, np.clip(device, 0, 1), _RELATIVE)[:, 0]
    out = np.minimum.accumulate(out[::-1])[::-1]  # made monotonic from white down
    low, high = out[0], out[-1]
    if low >= high:
        return 0.0
    if intent == _RELATIVE and bool((np.abs(into - out)[out > low + 0.2 * (high - low)] <= 4).all()):
        return float(_neutral(start))
    share = (out - low) / (high - low)
    bottom, top = (0.1, 0.5) if intent == _RELATIVE else (0.03, 0.25)
    fitted = (share >= bottom) & (share < top)
    if fitted.sum() < 3:
        return 0.0
    return float(_neutral(float(np.clip(_root(into[fitted], share[fitted]), 0, 50))))


def _root(x: Floats, y: Floats) -> float:
    """Return where the parabola through the foot of a curve meets nought, or a line where it is none."""
    curved, slope, level = np.polyfit(x, y, 2)
    if abs(curved) < 1e-10:
        return -float(level / slope) if slope else 0.0
    inside = slope**2 - 4 * curved * level
    if inside <= 0:
        return 0.0
    return float((-slope + np.sqrt(inside)) / (2 * curved))


def _neutral(lightness: float) -> Floats:
    return lab_to_xyz(np.array([lightness, 0.0, 0.0]))[1]
