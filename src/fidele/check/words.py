"""What is off about a print, in words: black, white, greys, hues, tints, ramps."""

from __future__ import annotations

import numpy as np

from fidele.arrays import Floats
from fidele.check.statistics import Comparison
from fidele.colour.cie import lab_to_lch
from fidele.colour.words import hue_name


def in_words(comparison: Comparison) -> list[str]:
    """Say what is off, most telling first: black, white, greys, hues, tints. Empty when nothing stands out."""
    wanted, measured = comparison.wanted, comparison.measured
    words = []
    dark, light = int(wanted[:, 0].argmin()), int(wanted[:, 0].argmax())
    if measured[dark, 0] - wanted[dark, 0] > 3:
        words.append(f"Black is only L* {measured[dark, 0]:.0f}; wanted {wanted[dark, 0]:.0f}.")
    if abs(measured[light, 0] - wanted[light, 0]) > 2:
        words.append(f"White is L* {measured[light, 0]:.0f}; wanted {wanted[light, 0]:.0f}.")
    grey = np.hypot(wanted[:, 1], wanted[:, 2]) < 8
    if grey.sum() >= 5:
        cast = measured[grey, 1:] - wanted[grey, 1:]
        strong = np.linalg.norm(cast, axis=1)
        if np.median(strong) > 1.5:
            angle = float(np.degrees(np.arctan2(*cast.mean(axis=0)[::-1]))) % 360
            words.append(f"Greys lean {hue_name(angle)}, {strong.max():.1f} at the worst.")
    words += _hue_words(wanted, measured)
    tints = comparison.masks["light tints"]
    if tints.sum() >= 3:
        white_wanted, white = wanted[light], measured[light]
        kept = np.linalg.norm(measured[tints] - white, axis=1) / np.maximum(
            np.linalg.norm(wanted[tints] - white_wanted, axis=1), 1.0
        )
        if np.median(kept) < 0.55:
            words.append("Light tints are nearly gone.")
    lighter = float((measured[:, 0] - wanted[:, 0]).mean())
    if abs(lighter) > 2:
        words.append(f"All in all {abs(lighter):.0f} too {'light' if lighter > 0 else 'dark'}.")
    return words


def _hue_words(wanted: Floats, measured: Floats) -> list[str]:
    """Name the hue that turned most and the one that lost most chroma."""
    w, m = lab_to_lch(wanted), lab_to_lch(measured)
    coloured = w[:, 1] > 25
    if coloured.sum() < 8:
        return []
    names = np.array([hue_name(a) for a in w[:, 2]])
    turn = (m[:, 2] - w[:, 2] + 180) % 360 - 180
    rows = []
    for name in dict.fromkeys(names[coloured]):
        member = coloured & (names == name)
        if member.sum() >= 3:
            rows.append(
                (
                    name,
                    float(np.median(turn[member])),
                    float(np.median(m[member, 1] - w[member, 1])),
                    float(w[member, 2].mean()),
                )
            )
    words = []
    if rows:
        name, angle, _, hue = max(rows, key=lambda r: abs(r[1]))
        if abs(angle) >= 4:
            words.append(
                f"{name.capitalize()}s turned {abs(angle):.0f}° to {hue_name((hue + 40 * np.sign(angle)) % 360)}."
            )
        name, _, chroma, _ = max(rows, key=lambda r: abs(r[2]))
        if abs(chroma) >= 4:
            words.append(f"{name.capitalize()}s are {'duller' if chroma < 0 else 'purer'} by {abs(chroma):.0f}.")
    return words
