"""From a picture's values to a printer's: tuned where that is asked for, converted once, pure colours kept."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Depth, Pixels, top_of
from fidele.dataclass import dataclass
from fidele.icc.profile import Profile
from fidele.icc.spaces import lab
from fidele.icc.transform import Intent, as_float, convert, lab_codes
from fidele.tiles import Progress, in_tiles
from fidele.tuning.keep import keep_pure
from fidele.tuning.model import Tuning
from fidele.tuning.tuner import Tuner
from fidele.tuning.way import Way

_TILE = 1 << 19
#: From so many on they are shared among the cores.
_SHARED = 1 << 13


@dataclass(frozen=True)
class Conversion:
    """How a picture is converted.

    Attributes
    ----------
    tuning
        Corrections by hand before the conversion, None for none.
    keep
        '', 'black' (exact black and white) or 'primaries' (those and exact primaries), see `fidele.tuning.keep`.
    way
        How numbers become the printer's where Fidele itself does not convert, None where it does.
    """

    intent: Intent = Intent.PERCEPTUAL
    bpc: bool = True
    tuning: Tuning | None = None
    keep: str = ""
    way: Way | None = None

    @property
    def plain(self) -> bool:
        """Whether the intent alone decides."""
        return not self.keep and (self.tuning is None or not self.tuning.moves)


def device_values(
    pixels: NDArray[Depth], source: Profile, printer: Profile, how: Conversion, progress: Progress | None = None
) -> NDArray[Depth]:
    """Convert source values (…, channels) to a printer's, in the data type of `pixels`; see `icc.transform.convert`.

    Where another one converts, they are what comes out of its way.

    Raises
    ------
    ProfileError
        When a profile is damaged or has no transform in the direction asked for.
    CancelledError
        When `progress` returned False.
    """
    if how.way is not None:
        return _along(pixels, source, printer, how, how.way, progress)
    if how.plain:
        return convert(pixels, source, printer, how.intent, how.bpc, progress)
    flat = np.ascontiguousarray(pixels).reshape(-1, pixels.shape[-1])
    out = np.empty((len(flat), printer.channels), pixels.dtype)
    tuner = None
    if how.tuning is not None and how.tuning.moves:
        tuner = Tuner(how.tuning, source, printer, how.intent, how.bpc)
        tuner(np.zeros((50_000, 3), np.float32)) if len(flat) >= 50_000 and flat.shape[1] == 3 else None

    def work(piece: slice) -> None:
        values = flat[piece]
        if tuner is None:
            device = as_float(convert(values, source, printer, how.intent, how.bpc))
        else:
            device = convert(lab_codes(tuner(values)), lab(), printer, how.intent, how.bpc)
        device = keep_pure(device, values, source, printer, how.keep)
        if out.dtype.kind == "u":
            top = top_of(out)
            out[piece] = np.rint(np.clip(device, 0, 1) * top).astype(out.dtype)
        else:
            out[piece] = device

    in_tiles(work, len(flat), _TILE, progress, _SHARED)
    return out.reshape((*pixels.shape[:-1], printer.channels))


def sent_values(pixels: NDArray[Depth], source: Profile, space: Profile, tuning: Tuner | None = None) -> NDArray[Depth]:
    """Return source values (…, channels) as they are sent to whoever converts them: in a space of three channels.

    A change between source spaces, not a conversion for the printer. A tuning, where one is given, is worked in.
    """
    if tuning is None:
        return (
            pixels if source.content_id == space.content_id else convert(pixels, source, space, Intent.RELATIVE, True)
        )
    flat = np.ascontiguousarray(pixels).reshape(-1, pixels.shape[-1])
    out = np.empty((len(flat), 3), pixels.dtype)

    def work(piece: slice) -> None:
        values = convert(lab_codes(tuning(flat[piece])), lab(), space, Intent.RELATIVE, True)
        out[piece] = np.rint(np.clip(values, 0, 1) * top_of(out)) if out.dtype.kind == "u" else values

    in_tiles(work, len(flat), _TILE, None, _SHARED)
    return out.reshape((*pixels.shape[:-1], 3))


def _along(
    pixels: NDArray[Depth], source: Profile, printer: Profile, how: Conversion, way: Way, progress: Progress | None
) -> NDArray[Depth]:
    flat = np.ascontiguousarray(pixels).reshape(-1, pixels.shape[-1])
    out = np.empty((len(flat), printer.channels), pixels.dtype)
    moves = way.baked and how.tuning is not None and how.tuning.moves
    tuner = Tuner(how.tuning, source, printer, how.intent, how.bpc) if moves and how.tuning is not None else None

    def work(piece: slice) -> None:
        device = way.device_values(sent_values(flat[piece], source, way.sends, tuner))
        out[piece] = np.rint(np.clip(device, 0, 1) * top_of(out)) if out.dtype.kind == "u" else device

    in_tiles(work, len(flat), _TILE, progress, _SHARED)
    return out.reshape((*pixels.shape[:-1], printer.channels))


def tuned_source(pixels: Pixels, source: Profile, printer: Profile, how: Conversion) -> tuple[Pixels, Profile]:
    """Return source values (…, channels) as tuned, and their space: what is wanted once a tuning has had its say."""
    if how.tuning is None or not how.tuning.moves:
        return pixels, source
    flat = pixels.reshape(-1, pixels.shape[-1])
    Lab = Tuner(how.tuning, source, printer, how.intent, how.bpc)(flat)
    return lab_codes(Lab).reshape((*pixels.shape[:-1], 3)), lab()
