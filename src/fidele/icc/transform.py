"""Transforms of whole pictures through LittleCMS, exact, in tiles on all cores."""

from __future__ import annotations

from enum import StrEnum
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Depth, Floats, top_of
from fidele.colour.cie import D50, lab_to_xyz, xyz_to_lab
from fidele.icc.blackpoint import blacks, forced
from fidele.icc.describe import require_sound
from fidele.icc.fast import FastTransform, fast_from_lab, fast_to_lab, fast_transform
from fidele.icc.profile import Profile, ProfileError
from fidele.icc.tables import device_to_pcs_lab, pcs_lab_to_device
from fidele.language import tr
from fidele.tiles import Progress, in_tiles

#: A transform is built anew for each call, which costs some 30 ms: tiles below half a megapixel do not pay.
_TILE = 1 << 19
#: The compiled path costs nothing to begin, so that its tiles need only be large enough to be worth a thread.
_FAST_TILE = 1 << 18
#: From so many on they are shared among the cores.
_SHARED = 1 << 13
_CODES = (np.dtype(np.uint8), np.dtype(np.uint16))
#: From so many pixels on it pays to put a compiled transform together, and to hold it against LittleCMS.
_MANY = 4000
#: Another depth, inside a function that has one.
_AnyDepth = TypeVar("_AnyDepth", bound=np.generic)


class Intent(StrEnum):
    """The four rendering intents of ICC.1."""

    PERCEPTUAL = "perceptual"
    RELATIVE = "relative"
    SATURATION = "saturation"
    ABSOLUTE = "absolute"

    @property
    def words(self) -> str:
        """The intent's full name."""
        return {
            "perceptual": tr("perceptual"),
            "relative": tr("media-relative colorimetric"),
            "saturation": tr("saturation"),
            "absolute": tr("ICC-absolute colorimetric"),
        }[self.value]

    @property
    def code(self) -> int:
        """The number that ICC.1 gives the intent."""
        return list(Intent).index(self)


#: LittleCMS itself takes sixteen channels; its binding takes four.
_BY_LITTLECMS = 4
_SPACES = {"RGB": "rgb", "GRAY": "gray", "CMYK": "cmyk", "Lab": "lab"}


def convert(
    pixels: NDArray[Depth],
    source: Profile,
    target: Profile,
    intent: Intent,
    bpc: bool = False,
    progress: Progress | None = None,
) -> NDArray[Depth]:
    """Convert device values (…, channels) of `source` to those of `target`, in the data type of `pixels`.

    Black point compensation is that of ISO 18619, from neutral to neutral black (`icc.blackpoint`).

    uint8 and uint16 use their full range, floats run from 0 to 1, also those of a source in L*a*b* (`spaces.lab`).
    Black point compensation has no effect on the absolute intent.

    Raises
    ------
    ProfileError
        When a profile is damaged or has no transform in the direction asked for.
    CancelledError
        When `progress` returned False.
    """
    require_sound(source)
    require_sound(target)

    into, out = blacks(source, target, intent.code, bpc)
    # Where LittleCMS scales whether it is asked to or not, it does so from a black of none onto the right one.
    rest = 0.0 if forced(target, intent.code) else out

    def exact(values: NDArray[_AnyDepth], told: Progress | None = None) -> NDArray[_AnyDepth]:
        if into in (out, rest) and max(source.channels, target.channels) <= _BY_LITTLECMS:
            return _direct(values, source, target, intent, told)
        return _through_lab(values, source, target, intent, (into, rest), told)

    fast = fast_transform(source, target, intent.code, (into, out), exact) if pixels.dtype in _CODES else None
    if fast is None:
        return exact(pixels, progress)
    flat = np.ascontiguousarray(pixels).reshape(-1, source.channels)
    made = np.empty((len(flat), target.channels), pixels.dtype)
    in_tiles(lambda piece: fast(flat[piece], made[piece]), len(flat), _FAST_TILE, progress, _SHARED)
    return made.reshape((*pixels.shape[:-1], target.channels))


def _direct(
    values: NDArray[Depth], source: Profile, target: Profile, intent: Intent, progress: Progress | None
) -> NDArray[Depth]:
    """Convert from device to device in one pass of LittleCMS."""
    spaces = _space(source), _space(target)
    what = tr("{name} to {name2}", name=source.name, name2=target.name)
    pair = source.for_littlecms, target.for_littlecms
    return _transform(_in_units(values, source), pair, spaces, target.channels, intent, progress, what)


def _through_lab(
    values: NDArray[Depth],
    source: Profile,
    target: Profile,
    intent: Intent,
    scaling: tuple[float, float],
    progress: Progress | None,
) -> NDArray[Depth]:
    """Convert to L*a*b*, scale its black, and convert to device values: a tile at a time, in floats."""
    from fidele.kernels.colours import scale_black

    flat = np.ascontiguousarray(values).reshape(-1, values.shape[-1])
    out = np.empty((len(flat), target.channels), values.dtype)

    def work(piece: slice) -> None:
        Lab = np.ascontiguousarray(_lab_of(flat[piece], source, intent))
        if scaling[0] != scaling[1]:
            scale_black(Lab, *scaling)
        device = _device_of(Lab, target, intent)
        if out.dtype.kind == "u":
            top = top_of(out)
            out[piece] = np.rint(np.clip(device, 0, 1) * top)
        else:
            out[piece] = device

    in_tiles(work, len(flat), _TILE, progress, _SHARED)
    return out.reshape((*values.shape[:-1], target.channels))


def to_lab(
    pixels: NDArray[np.generic],
    source: Profile,
    intent: Intent = Intent.RELATIVE,
    progress: Progress | None = None,
    often: bool = False,
) -> NDArray[np.float32]:
    """Convert device values (…, channels) to D50 L*a*b* (…, 3), float32; media-relative unless asked otherwise.

    `often` says that many more of the same profile follow: the compiled way is then worth its making for few as well.
    """
    require_sound(source)
    values = as_float(pixels)
    flat = np.ascontiguousarray(values).reshape(-1, values.shape[-1])
    if (often or len(flat) >= _MANY) and flat.shape[1] == source.channels and _within(flat, 0, 1):
        fast = fast_to_lab(source, intent.code, lambda device: _lab_of(device, source, intent))
        if fast is not None:
            return _swiftly(fast, flat, 3, progress).reshape((*values.shape[:-1], 3))
    return _lab_of(values, source, intent, progress)


def _lab_of(
    pixels: NDArray[np.generic], source: Profile, intent: Intent, progress: Progress | None = None
) -> NDArray[np.float32]:
    """Convert device values to L*a*b* by LittleCMS, of more channels than its binding takes by our own reading."""
    if source.channels > _BY_LITTLECMS:
        device = as_float(pixels)
        Lab = device_to_pcs_lab(source, np.clip(device, 0, 1), _table_of(intent))
        return _of_white(Lab, source, intent, False).astype(np.float32)
    pair, spaces = (source.for_littlecms, _lab_profile()), (_space(source), "lab")
    return _transform(_in_units(as_float(pixels), source), pair, spaces, 3, intent, progress, source.name)


def _within(flat: NDArray[np.float32], low: float, high: float) -> bool:
    """Tell whether all are numbers of a range: what lies beyond, or is no number, is left to LittleCMS."""
    return bool(flat.min() >= low and flat.max() <= high)


def _swiftly(
    fast: FastTransform, flat: NDArray[np.float32], channels: int, progress: Progress | None
) -> NDArray[np.float32]:
    out = np.empty((len(flat), channels), np.float32)
    in_tiles(lambda piece: fast(flat[piece], out[piece]), len(flat), _FAST_TILE, progress, _SHARED)
    return out


def lab_codes(Lab: NDArray[np.generic]) -> NDArray[np.float32]:
    """Return L*a*b* (…, 3) as values of the space `spaces.lab`, 0 to 1; what lies beyond is cut off."""
    codes = (np.asarray(Lab, np.float32) + np.array([0, 128, 128], np.float32)) / np.array([100, 255, 255], np.float32)
    return np.clip(codes, 0, 1)


def _in_units(values: NDArray[Depth], source: Profile) -> NDArray[Depth]:
    """Return values as LittleCMS takes them in floats: of a source in L*a*b*, the codes from 0 to 1 become L*a*b*."""
    if source.header.colour_space != "Lab" or values.dtype.kind != "f":
        return values
    units = values.astype(float) * [100, 255, 255] - [0, 128, 128]
    return units.astype(values.dtype)


def from_lab(Lab: NDArray[np.generic], target: Profile, intent: Intent = Intent.RELATIVE) -> NDArray[np.float32]:
    """Convert D50 L*a*b* (…, 3) to device values (…, channels), float32 from 0 to 1; black is not compensated.

    But to perceptual and saturation of version 4 it is, from none to the black of their reference medium.
    """
    require_sound(target)
    values = np.asarray(Lab, np.float32)
    flat = np.ascontiguousarray(values).reshape(-1, 3)
    if len(flat) >= _MANY and _within(flat[:, 0], 0, 100) and _within(flat[:, 1:], -128, 127):
        fast = fast_from_lab(target, intent.code, lambda some: _device_of(some, target, intent))
        if fast is not None:
            return _swiftly(fast, flat, target.channels, None).reshape((*values.shape[:-1], target.channels))
    return np.clip(_device_of(values, target, intent), 0, 1)


def _device_of(Lab: NDArray[np.float32], target: Profile, intent: Intent) -> NDArray[np.float32]:
    """Convert L*a*b* to device values by LittleCMS, of more channels than its binding takes by our own reading."""
    if target.channels > _BY_LITTLECMS:
        relative = _of_white(np.asarray(Lab, float), target, intent, True)
        return pcs_lab_to_device(target, relative, _table_of(intent)).astype(np.float32)
    pair, spaces = (_lab_profile(), target.for_littlecms), ("lab", _space(target))
    return _transform(Lab, pair, spaces, target.channels, intent, None, target.name)


def _table_of(intent: Intent) -> int:
    return Intent.RELATIVE.code if intent is Intent.ABSOLUTE else intent.code


def _of_white(Lab: Floats, profile: Profile, intent: Intent, relative: bool) -> Floats:
    """Return absolute L*a*b* (n, 3) of media-relative, or the other way; as it is where the intent is not absolute."""
    white = profile.xyz("wtpt")
    if intent is not Intent.ABSOLUTE or white is None:
        return Lab
    by = D50 / white if relative else white / D50
    return np.asarray(xyz_to_lab(lab_to_xyz(Lab) * by))


def white_of(profile: Profile, dtype: np.dtype[Depth]) -> NDArray[Depth]:
    """Return the values (channels,) that leave paper bare: of integers by their full range, of floats from 0 to 1."""
    return _ends(profile, dtype, {"CMYK": (0.0, 0.0, 0.0, 0.0), "Lab": (1.0, 128 / 255, 128 / 255)}, 1.0)


def black_of(profile: Profile, dtype: np.dtype[Depth]) -> NDArray[Depth]:
    """Return the values (channels,) of black: of integers by their full range, of floats from 0 to 1."""
    return _ends(profile, dtype, {"CMYK": (1.0, 1.0, 1.0, 1.0), "Lab": (0.0, 128 / 255, 128 / 255)}, 0.0)


def _ends(
    profile: Profile, dtype: np.dtype[Depth], known: dict[str, tuple[float, ...]], other: float
) -> NDArray[Depth]:
    space = profile.header.colour_space
    every = 1.0 - other if space.endswith("CLR") and space[0].isdigit() else other  # inks, of which 0 is none
    values = np.array(known.get(space, (every,) * profile.channels))
    if dtype.kind == "u":
        return np.rint(values * np.iinfo(dtype.name).max).astype(dtype)
    return values.astype(dtype)


def as_float(pixels: NDArray[np.generic]) -> NDArray[np.float32]:
    """Return integer pixels as float32 from 0 to 1; floats unchanged in value."""
    if pixels.dtype.kind == "u":
        return pixels.astype(np.float32) / np.float32(top_of(pixels))
    return pixels.astype(np.float32, copy=False)


def _lab_profile() -> bytes:
    """Return L*a*b* as a version 2 profile: beside a version 4 one, LittleCMS forces black point compensation."""
    import imagecodecs

    return imagecodecs.cms_profile("lab2")


def _space(profile: Profile) -> str:
    space = _SPACES.get(profile.header.colour_space)
    if space is None:
        raise ProfileError(
            tr(
                "{name} is for {colour_space}, which Fidele does not convert.",
                name=profile.name,
                colour_space=profile.header.colour_space,
            )
        )
    return space


def _transform(
    pixels: NDArray[Depth],
    profiles: tuple[bytes, bytes],
    spaces: tuple[str, str],
    channels: int,
    intent: Intent,
    progress: Progress | None,
    what: str,
) -> NDArray[Depth]:
    import imagecodecs

    shape = pixels.shape
    flat = np.ascontiguousarray(pixels).reshape(1, -1, shape[-1])
    # LittleCMS takes ink in floats as percent.
    real = pixels.dtype.kind == "f"
    if real and spaces[0] == "cmyk":
        flat = (flat.astype(float) * 100).astype(pixels.dtype)
    percent = 0.01 if real and spaces[1] == "cmyk" else 1
    if spaces[0] == "gray":
        flat = flat[..., 0]
    out = np.empty((flat.shape[1], channels), pixels.dtype)
    flags = imagecodecs.CMS.FLAGS.NOOPTIMIZE | imagecodecs.CMS.FLAGS.NOCACHE

    def work(piece: slice) -> None:
        done = imagecodecs.cms_transform(
            np.ascontiguousarray(flat[:, piece]),
            *profiles,
            colorspace=spaces[0],
            outcolorspace=spaces[1],
            intent=intent.code,
            flags=flags,
        )
        out[piece] = done.reshape(-1, channels) * percent if real else done.reshape(-1, channels)

    try:
        in_tiles(work, flat.shape[1], _TILE, progress, _SHARED)
    except imagecodecs.CmsError as error:
        raise ProfileError(tr("The transform {what} cannot be made: {error}.", what=what, error=error)) from error
    return out.reshape((*shape[:-1], channels))
