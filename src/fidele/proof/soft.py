"""The soft proof: a picture as it will look on the piece, shown through the screen's profile."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Pixels
from fidele.dataclass import dataclass
from fidele.icc.profile import Profile
from fidele.icc.spaces import srgb
from fidele.icc.transform import Intent, as_float, from_lab, to_lab
from fidele.tiles import in_tiles
from fidele.tuning.conversion import Conversion, device_values

#: Pixels that are shown in one go.
_TILE = 1 << 15


@dataclass(frozen=True)
class ProofSettings(Conversion):
    """How to convert and how to look: with the piece's own white, or adapted so that white is the screen's."""

    paper_white: bool = False


def printed_lab(pixels: Pixels, source: Profile, printer: Profile, settings: ProofSettings) -> NDArray[np.float32]:
    """Return the L*a*b* (…, 3) that the printer's profile says will be on the piece for source pixels (…, channels).

    Media-relative, or absolute where the piece's white is asked for or the intent is absolute.
    """
    device = device_values(as_float(pixels), source, printer, settings)
    return predicted_lab(device, printer, settings.paper_white or settings.intent is Intent.ABSOLUTE)


def predicted_lab(device: Pixels, printer: Profile, absolute: bool) -> NDArray[np.float32]:
    """Return the L*a*b* (…, 3) of a print of device values (…, channels)."""
    return to_lab(device, printer, Intent.ABSOLUTE if absolute else Intent.RELATIVE)


def show(Lab: Pixels, display: Profile | None = None) -> NDArray[np.uint8]:
    """Return L*a*b* (…, 3) as 8-bit pixels (…, 3) of the display (sRGB where none is given)."""
    shown = from_lab(Lab, display or srgb(), Intent.RELATIVE)
    return np.rint(np.clip(shown, 0, 1) * 255).astype(np.uint8)


def soft_proof(
    pixels: Pixels, source: Profile, printer: Profile, settings: ProofSettings, display: Profile | None = None
) -> NDArray[np.uint8]:
    """Return the proof of source pixels (…, channels), any depth, as 8-bit display pixels (…, 3)."""
    return show(printed_lab(pixels, source, printer, settings), display)


def as_sent(pixels: Pixels, source: Profile, display: Profile | None = None) -> NDArray[np.uint8]:
    """Return the picture itself (…, channels) as 8-bit display pixels (…, 3), unprinted."""
    return show(to_lab(pixels, source), display)


class ProofLink:
    """One table from source to display for a moving picture: what the exact path gives at so many nodes, 33³ mostly.

    Building takes some 30 ms whatever the picture's size; its mean error at 8 bit is about 0.15 ΔE00, of which
    rounding is nearly all. Three-channel sources only.
    """

    def __init__(
        self,
        source: Profile,
        printer: Profile | None,
        settings: ProofSettings,
        display: Profile | None = None,
        nodes: int = 33,
    ) -> None:
        # Loaded here, compiled where it never was: not while somebody paints.
        from fidele.kernels.grids import tetrahedral3

        self._look_up = tetrahedral3
        axis = np.rint(np.linspace(0, 65535, nodes)).astype(np.uint16)
        values = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1)
        if printer is None:
            Lab = to_lab(as_float(values), source)
        else:  # 16 bit goes the compiled way, where there is one
            device = as_float(device_values(values, source, printer, settings))
            Lab = predicted_lab(device, printer, settings.paper_white or settings.intent is Intent.ABSOLUTE)
        self._table = np.ascontiguousarray(np.clip(from_lab(Lab, display or srgb()), 0, 1), dtype=np.float32)

    def __call__(self, pixels: Pixels) -> NDArray[np.uint8]:
        """Show source pixels (h, w, 3), any depth, as 8-bit display pixels (h, w, 3)."""
        flat = pixels.reshape(-1, 3)
        shown = np.empty(flat.shape, np.uint8)

        def work(some: slice) -> None:  # little enough to stay in the cache from the first stage to the last
            codes = np.ascontiguousarray(as_float(flat[some]))
            out = np.empty(codes.shape, np.float32)
            self._look_up(codes, self._table, out)
            out *= np.float32(255)
            np.rint(out, out=out)
            shown[some] = out

        in_tiles(work, len(flat), _TILE)
        return shown.reshape(pixels.shape)
