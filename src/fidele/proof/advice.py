"""Which intent suits a picture, and why: from what is in it and what each intent would do to it."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from fidele.arrays import Pixels, distinct
from fidele.colour.cie import lab_to_lch
from fidele.dataclass import dataclass
from fidele.icc.describe import describe
from fidele.icc.profile import Profile
from fidele.icc.transform import Intent, to_lab
from fidele.language import tr
from fidele.proof.kept import TOO_MUCH, Kept, kept
from fidele.proof.losses import Losses, losses_of_each
from fidele.proof.soft import ProofSettings

#: Fewer colours than this make a picture flat graphics.
_FLAT = 64


@dataclass(frozen=True)
class Content:
    """What sits in a picture: whether it is flat graphics, and shares of its area from 0 to 1."""

    flat: bool
    skin_like: float
    greys: float
    pure: float


@dataclass(frozen=True)
class Advice:
    """The intent that suits, and a sentence with the reason."""

    intent: Intent
    sentence: str


def content_of(pixels: Pixels, source: Profile) -> Content:
    """Look at a picture's (h, w, channels) colours, at some 40,000 places."""
    sample = pixels[:: max(1, pixels.shape[0] // 200), :: max(1, pixels.shape[1] // 200)]
    flat = np.ascontiguousarray(sample.reshape(-1, pixels.shape[2]))
    L, C, h = lab_to_lch(to_lab(flat, source)).T
    skin = (L > 30) & (L < 92) & (C > 10) & (C < 45) & (h > 30) & (h < 75)
    return Content(len(distinct(flat)[0]) < _FLAT, float(skin.mean()), float((C < 4).mean()), float((C > 60).mean()))


def advise(figures: Mapping[Intent, Losses], content: Content, moved: Kept | None = None) -> Advice | None:
    """Say which of the intents that a profile has suits a picture; None where too little is known.

    `moved` is what the profile's perceptual table does to colours that can be printed.
    """
    relative, perceptual = figures.get(Intent.RELATIVE), figures.get(Intent.PERCEPTUAL)
    if relative is None and perceptual is None:
        return None
    if perceptual is None or relative is None:
        only = Intent.RELATIVE if perceptual is None else Intent.PERCEPTUAL
        name = "media-relative" if perceptual is None else "perceptual"
        return Advice(only, tr("This profile has no other table for pictures: {name} it is.", name=name))
    outside = relative.out_of_gamut
    share = tr("{outside:.0f} %", outside=outside * 100) if outside >= 0.01 else tr("next to nothing")
    if outside < 0.01:
        return Advice(
            Intent.RELATIVE, tr("Media-relative suits this picture: nearly all of it fits the piece as it is.")
        )
    if content.flat:
        return Advice(
            Intent.RELATIVE, tr("Media-relative suits this picture: flat colours, and those that fit stay exact.")
        )
    if moved is not None and moved.mean > TOO_MUCH:
        return Advice(
            Intent.RELATIVE,
            tr(
                "Media-relative suits this picture: the perceptual table of this profile moves even colours "
                "that can be printed, by ΔE00 {mean:.0f} on average.",
                mean=moved.mean,
            ),
        )
    if outside > 0.05:
        steps = tr("their steps survive") if content.skin_like < 0.15 else tr("skin-like tones and steps survive")
        return Advice(
            Intent.PERCEPTUAL,
            tr(
                "Perceptual suits this picture: {share} lies outside what the piece holds, and {steps}.",
                share=share,
                steps=steps,
            ),
        )
    if perceptual.mean_de00 - relative.mean_de00 > 1:
        what = tr("skin-like tones stay") if content.skin_like > 0.15 else tr("the rest stays")
        return Advice(
            Intent.RELATIVE,
            tr("Media-relative suits this picture: {share} lies outside, and {what} truer.", share=share, what=what),
        )
    return Advice(Intent.PERCEPTUAL, tr("Perceptual and media-relative come out much alike here."))


def advised(pixels: Pixels, source: Profile, printer: Profile, bpc: bool) -> Advice | None:
    """Say which intent suits a picture (h, w, channels) on a printer, where nobody has chosen one."""
    intents = [Intent(i) for i in describe(printer).intents if i in (Intent.PERCEPTUAL, Intent.RELATIVE)]
    ways = [ProofSettings(intent, bpc) for intent in intents]
    figures = dict(zip(intents, losses_of_each(pixels, source, printer, ways), strict=True))
    return advise(figures, content_of(pixels, source), kept(printer, Intent.PERCEPTUAL))
