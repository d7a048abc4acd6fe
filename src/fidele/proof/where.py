"""Where in the picture colours are lost: they stay in colour, all else fades to grey."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from fidele.colour.difference import delta_e_2000
from fidele.icc.profile import Profile
from fidele.icc.transform import as_float, convert
from fidele.proof.losses import GATHERED, LOST, Loss, wanted_and_printed
from fidele.proof.soft import ProofSettings, show


class LossMap:
    """Shows source pixels as they will print, in colour where they are lost; of one group of colours alone, if given.

    A table of 33³ holds wanted colour, display values and ΔE00, so that the map follows a moving picture. Sources of
    three channels only.

    Parameters
    ----------
    steps
        ΔE00 beyond which a colour counts as lost.
    group
        Colours like these are shown, None for all that are lost.
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
        device = convert(nodes, source, printer, settings.intent, settings.bpc)
        wanted, printed = wanted_and_printed(nodes, device, source, printer, settings)
        off = delta_e_2000(wanted.reshape(-1, 3), printed.reshape(-1, 3)).reshape(33, 33, 33, 1)
        seen = show(printed.astype(np.float32), display).astype(np.float32)
        self._table = np.ascontiguousarray(np.concatenate([wanted, seen, off], axis=-1), dtype=np.float32)
        self._steps = steps
        self._group = None if group is None else np.array(group.wanted_lab, np.float32)

    def lost(self, pixels: NDArray[Any]) -> NDArray[np.bool_]:
        """Return whether source pixels (h, w, 3) are lost, (h, w); of the group alone where there is one."""
        return self._lost(self._values(pixels)).reshape(pixels.shape[:2])

    def __call__(self, pixels: NDArray[Any]) -> NDArray[np.uint8]:
        """Show source pixels (h, w, 3), any depth, as 8-bit display pixels (h, w, 3)."""
        values = self._values(pixels)
        seen = np.clip(values[:, 3:6], 0, 255)
        # What stays is still to be made out, paler than anything that is lost.
        grey = 150 + 0.35 * (seen @ np.array([0.2126, 0.7152, 0.0722], np.float32))
        shown = np.where(self._lost(values)[:, None], seen, grey[:, None])
        return np.rint(shown).astype(np.uint8).reshape(pixels.shape)

    def _values(self, pixels: NDArray[Any]) -> NDArray[np.float32]:
        from fidele.kernels import tetrahedral3

        flat = np.ascontiguousarray(as_float(pixels).reshape(-1, 3))
        out = np.empty((len(flat), 7), np.float32)
        tetrahedral3(flat, self._table, out)
        return out

    def _lost(self, values: NDArray[np.float32]) -> NDArray[np.bool_]:
        lost: NDArray[np.bool_] = values[:, 6] > self._steps
        if self._group is not None:
            lost &= np.linalg.norm(values[:, :3] - self._group, axis=1) < GATHERED
        return lost
