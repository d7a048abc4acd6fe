"""Where in the picture colours are lost, and by how much: a map in steps of ΔE00, or one group of colours alone."""

from __future__ import annotations

import itertools

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Pixels
from fidele.colour.difference import delta_e_2000
from fidele.icc.profile import Profile
from fidele.icc.transform import as_float
from fidele.language import tr
from fidele.proof.losses import GATHERED, LOST, Loss, wanted_and_printed
from fidele.proof.soft import ProofSettings, show
from fidele.tiles import in_tiles
from fidele.tuning.conversion import device_values

#: Colours of the map's steps, from the first one on; each step is twice as far as the one before.
BANDS = ((246, 222, 140), (236, 152, 58), (196, 62, 62), (104, 20, 72))

#: Pixels that are shown in one go.
_TILE = 1 << 15


def band_words(steps: float) -> tuple[str, ...]:
    """Return what each colour of `BANDS` stands for."""
    ends = [steps * 2**i for i in range(len(BANDS))]
    return (
        *(tr("{low:g} to {high:g}", low=low, high=high) for low, high in itertools.pairwise(ends)),
        tr("over {ends:g}", ends=ends[-1]),
    )


class LossMap:
    """Shows source pixels by how much of them is lost.

    A table of 33³ holds wanted colour, display values and ΔE00, so that the map follows a moving picture. Sources of
    three channels only.

    Parameters
    ----------
    steps
        ΔE00 beyond which a colour counts as lost; the map's steps are this, twice this, and so on.
    group
        Colours like these are shown in their own colour and all else fades to grey; None for the map of all.
    """

    def __init__(
        self,
        source: Profile,
        printer: Profile,
        settings: ProofSettings,
        display: Profile | None = None,
        steps: float = LOST,
        group: Loss | None = None,
    ) -> None:
        axis = np.linspace(0, 1, 33, dtype=np.float32)
        nodes = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1)
        device = device_values(nodes, source, printer, settings)
        wanted, printed = wanted_and_printed(nodes, device, source, printer, settings)
        off = delta_e_2000(wanted.reshape(-1, 3), printed.reshape(-1, 3)).reshape(33, 33, 33, 1)
        seen = show(printed.astype(np.float32), display).astype(np.float32)
        self._wanted = np.ascontiguousarray(wanted, dtype=np.float32)
        self._seen = np.ascontiguousarray(np.concatenate([seen, off], axis=-1), dtype=np.float32)
        self._steps = steps
        self._group = None if group is None else np.array(group.wanted_lab, np.float32)
        self._exact = group is not None and bool(group.values)

    def lost(self, pixels: Pixels) -> NDArray[np.bool_]:
        """Return whether source pixels (h, w, 3) are lost, (h, w); of the group alone where there is one."""
        return self._lost(self._values(pixels)).reshape(pixels.shape[:2])

    def difference(self, pixels: Pixels) -> NDArray[np.float32]:
        """Return ΔE00 between wanted and printed of source pixels (h, w, 3), (h, w)."""
        return self._values(pixels)[:, 6].reshape(pixels.shape[:2])

    def __call__(self, pixels: Pixels) -> NDArray[np.uint8]:
        """Show source pixels (h, w, 3), any depth, as 8-bit display pixels (h, w, 3)."""
        flat = pixels.reshape(-1, 3)
        shown = np.empty(flat.shape, np.uint8)

        def work(some: slice) -> None:
            shown[some] = self._shown(flat[some])

        in_tiles(work, len(flat), _TILE)
        return shown.reshape(pixels.shape)

    def _shown(self, pixels: Pixels) -> NDArray[np.float32]:
        """Return how source pixels (n, 3) are shown, whole numbers from 0 to 255 (n, 3)."""
        values = self._values(pixels)
        seen = np.clip(values[:, 3:6], 0, 255)
        # What is not lost is still to be made out, paler than anything that is.
        grey = 150 + 0.35 * (seen @ np.array([0.2126, 0.7152, 0.0722], np.float32))
        if self._group is not None:
            shown = np.where(self._lost(values)[:, None], seen, grey[:, None])
        else:
            band = np.floor(np.log2(np.maximum(values[:, 6] / self._steps, 0.5))).astype(int)
            colours = np.array(BANDS, np.float32)[np.clip(band, 0, len(BANDS) - 1)]
            # The picture's own light and dark stays visible within a step.
            shade = 0.8 + 0.2 * (grey - 150) / 90
            shown = np.where((band >= 0)[:, None], colours * shade[:, None], grey[:, None])
        return np.rint(np.clip(shown, 0, 255))

    def _values(self, pixels: Pixels) -> NDArray[np.float32]:
        from fidele.kernels.grids import tetrahedral3

        flat = np.ascontiguousarray(as_float(pixels).reshape(-1, 3))
        wanted, seen = np.empty((len(flat), 3), np.float32), np.empty((len(flat), 4), np.float32)
        tetrahedral3(flat, self._wanted, wanted)
        tetrahedral3(flat, self._seen, seen)
        return np.concatenate([wanted, seen], axis=1)

    def _lost(self, values: NDArray[np.float32]) -> NDArray[np.bool_]:
        lost: NDArray[np.bool_] = values[:, 6] > self._steps
        if self._group is not None:
            reach = 3.0 if self._exact else GATHERED
            lost &= np.linalg.norm(values[:, :3] - self._group, axis=1) < reach
        return lost
