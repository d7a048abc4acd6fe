"""Replace exact colours of flat graphics, with the softened edges that lead to them."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from fidele.arrays import Codes, top_of
from fidele.artwork.picture import Artwork
from fidele.dataclass import dataclass


@dataclass(frozen=True)
class Replacement:
    """One colour for another.

    Attributes
    ----------
    wanted, instead
        Values of the artwork's own space, 0 to 1, one for each channel.
    soft
        Distance from `wanted`, as a share of the whole scale, within which pixels follow in part: those of a softened
        edge are mixed of this colour and its neighbour. 0 replaces the exact colour alone.
    """

    wanted: tuple[float, ...]
    instead: tuple[float, ...]
    soft: float = 0.0


def worked(artwork: Artwork, replacements: tuple[Replacement, ...], mirrored: bool) -> Artwork:
    """Return a picture as it is worked on: its colours replaced, and turned back where it came mirrored."""
    if not replacements and not mirrored:
        return artwork
    pixels, alpha = replaced(artwork.pixels, replacements), artwork.alpha
    if mirrored:
        pixels = np.ascontiguousarray(pixels[:, ::-1])
        alpha = np.ascontiguousarray(alpha[:, ::-1]) if alpha is not None else None
    return replace(artwork, pixels=pixels, alpha=alpha)


def replaced(pixels: Codes, replacements: tuple[Replacement, ...]) -> Codes:
    """Return a copy of pixels (h, w, channels), 8 or 16 bit, with colours replaced; each looks at the original."""
    if not replacements:
        return pixels
    top = float(top_of(pixels))
    out = pixels.copy()
    rows = max(1, (1 << 20) // pixels.shape[1])
    for start in range(0, len(pixels), rows):
        block = pixels[start : start + rows].astype(np.float32) / np.float32(top)
        moved = np.zeros_like(block)
        for change in replacements:
            wanted, instead = np.array(change.wanted, np.float32), np.array(change.instead, np.float32)
            away = np.abs(block - wanted).max(axis=2)
            # Within half a step of 8 bit it is the colour itself, at whatever depth it is kept.
            exact = away <= 0.5 / 255
            share = np.where(exact, 1.0, np.clip(1 - away / change.soft, 0, 1) if change.soft > 0 else 0.0)
            moved += share[..., None].astype(np.float32) * (instead - wanted)
        touched = np.abs(moved).max(axis=2) > 0
        done = np.rint(np.clip(block + moved, 0, 1) * top).astype(pixels.dtype)
        out[start : start + rows][touched] = done[touched]
    return out
