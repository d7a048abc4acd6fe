"""What a screen cannot show of a proof, and the light to look at it in."""

from __future__ import annotations

import numpy as np

from fidele.arrays import Pixels
from fidele.colour.difference import delta_e_2000
from fidele.icc.profile import Profile
from fidele.icc.spaces import srgb
from fidele.icc.transform import Intent, from_lab, to_lab
from fidele.language import tr
from fidele.proof.soft import ProofSettings, printed_lab

#: ΔE00 beyond which what the screen shows is another colour.
_SHOWN = 2.0

#: Source: ISO 3664:2009, 4.2 (P1: 2000 lx), 4.3 (P2: 500 lx), 4.5 (screen white of at least 80, better 160 cd/m²,
#: surround at most a tenth of it, ambient light at most 32 lx at the screen).
VIEWING = tr(
    "Screen white at 120 to 160 cd/m², so that it looks like white paper beside it; no lamp or "
    "window mirrored in it, the room dim (32 lx at most). Judge the piece beside it in D50 light: "
    "500 lx as at home, 2000 lx to find faults."
)


def not_shown(pixels: Pixels, source: Profile, printer: Profile, how: ProofSettings, screen: Profile | None) -> float:
    """Return the share of a picture's (h, w, channels) proof that a screen shows as another colour, 0 to 1."""
    stride = max(1, int((pixels.shape[0] * pixels.shape[1] / 2e4) ** 0.5))
    Lab = printed_lab(np.ascontiguousarray(pixels[::stride, ::stride]), source, printer, how).reshape(-1, 3)
    return share_not_shown(Lab, screen)


def share_not_shown(Lab: Pixels, screen: Profile | None) -> float:
    """Return the share of colours (n, 3) that a screen (sRGB where none is given) shows as another colour."""
    display = screen or srgb()
    shown = np.clip(from_lab(Lab, display, Intent.RELATIVE), 0, 1)
    return float((delta_e_2000(Lab, to_lab(shown, display)) > _SHOWN).mean())
