"""What is off about a print, in words: black, white, greys, hues, tints, ramps."""

from __future__ import annotations

import numpy as np

from fidele.arrays import Floats
from fidele.check.statistics import Comparison
from fidele.colour.cie import lab_to_lch
from fidele.colour.words import FAMILIES, hue_name
from fidele.language import tr, trn


def run_into_end(count: int) -> str:
    """Say how many patches lie beyond what the scanner can tell."""
    return trn("{n} patch runs into the scanner's end.", "{n} patches run into the scanner's end.", count, n=count)


def in_words(comparison: Comparison) -> list[str]:
    """Say what is off, most telling first: black, white, greys, hues, tints. Empty when nothing stands out."""
    wanted, measured = comparison.wanted, comparison.measured
    words = []
    dark, light = int(wanted[:, 0].argmin()), int(wanted[:, 0].argmax())
    if measured[dark, 0] - wanted[dark, 0] > 3:
        words.append(
            tr(
                "Black is only L* {measured:.0f}; wanted {wanted:.0f}.",
                measured=measured[dark, 0],
                wanted=wanted[dark, 0],
            )
        )
    if abs(measured[light, 0] - wanted[light, 0]) > 2:
        words.append(
            tr("White is L* {measured:.0f}; wanted {wanted:.0f}.", measured=measured[light, 0], wanted=wanted[light, 0])
        )
    grey = np.hypot(wanted[:, 1], wanted[:, 2]) < 8
    if grey.sum() >= 5:
        cast = measured[grey, 1:] - wanted[grey, 1:]
        strong = np.linalg.norm(cast, axis=1)
        if np.median(strong) > 1.5:
            angle = float(np.degrees(np.arctan2(*cast.mean(axis=0)[::-1]))) % 360
            words.append(
                tr("Greys lean {hue_name}, {max:.1f} at the worst.", hue_name=hue_name(angle), max=strong.max())
            )
    words += _hue_words(wanted, measured)
    tints = comparison.masks["light tints"]
    if tints.sum() >= 3:
        white_wanted, white = wanted[light], measured[light]
        kept = np.linalg.norm(measured[tints] - white, axis=1) / np.maximum(
            np.linalg.norm(wanted[tints] - white_wanted, axis=1), 1.0
        )
        if np.median(kept) < 0.55:
            words.append(tr("Light tints are nearly gone."))
    lighter = float((measured[:, 0] - wanted[:, 0]).mean())
    if abs(lighter) > 2:
        words.append(
            tr("All in all {lighter:.0f} too light.", lighter=abs(lighter))
            if lighter > 0
            else tr("All in all {lighter:.0f} too dark.", lighter=abs(lighter))
        )
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
                tr(
                    "{family} turned {angle:.0f}° to {hue_name}.",
                    family=FAMILIES[str(name)].capitalize(),
                    angle=abs(angle),
                    hue_name=hue_name((hue + 40 * np.sign(angle)) % 360),
                )
            )
        name, _, chroma, _ = max(rows, key=lambda r: abs(r[2]))
        if abs(chroma) >= 4:
            words.append(
                tr("{family} are duller by {chroma:.0f}.", family=FAMILIES[str(name)].capitalize(), chroma=abs(chroma))
                if chroma < 0
                else tr(
                    "{family} are purer by {chroma:.0f}.", family=FAMILIES[str(name)].capitalize(), chroma=abs(chroma)
                )
            )
    return words
