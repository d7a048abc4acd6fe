"""Losses: which of a picture's colours the printing condition cannot hold, by how much, and which way they shift."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Floats, Pixels, packed
from fidele.colour.cie import D50, lab_to_lch, lab_to_xyz, xyz_to_lab
from fidele.colour.difference import delta_e_2000
from fidele.colour.words import colour_name
from fidele.dataclass import dataclass
from fidele.icc.blackpoint import blacks
from fidele.icc.profile import Profile
from fidele.icc.transform import Intent, black_of, to_lab
from fidele.language import tr
from fidele.proof.gamut import OUT_OF_GAMUT, distance_to_gamut
from fidele.proof.soft import ProofSettings
from fidele.tuning.conversion import device_values, tuned_source

#: ΔE00 beyond which a colour counts as lost.
LOST = 2.0
#: Lost colours so near to each other in L*a*b* are gathered into one group.
GATHERED = 20.0
#: Groups of a smaller share are not spoken of in the headline.
_SPOKEN_OF = 0.002
_SAMPLES = 1 << 20
_COLOURS = 40_000
#: Chroma and lightness shift by so much before it is spoken of.
_SHIFT = 1.5
#: Graphics are flat where so few colours, each with such a share, make nine tenths of them.
_FLAT, _EXACT = 40, 0.002


@dataclass(frozen=True)
class Loss:
    """A group of like colours that are lost: mean wanted and printed L*a*b*, ΔE00, share of the picture, and words."""

    wanted_lab: tuple[float, float, float]
    printed_lab: tuple[float, float, float]
    de00: float
    area: float
    words: str
    #: The artwork's own values, 0 to 1, where the group is one exact colour of flat graphics.
    values: tuple[float, ...] = ()

    @property
    def name(self) -> str:
        """Plain words for the wanted colour."""
        return colour_name(self.wanted_lab)

    @property
    def duller(self) -> bool:
        """Whether chroma is lost, by as much as is spoken of."""
        return math.hypot(*self.wanted_lab[1:]) - math.hypot(*self.printed_lab[1:]) >= _SHIFT


@dataclass(frozen=True)
class Losses:
    """Shares of the picture's area from 0 to 1, ΔE00 over all of it, and the groups that lose most."""

    out_of_gamut: float
    lost: float
    mean_de00: float
    p95_de00: float
    groups: tuple[Loss, ...]

    @property
    def headline(self) -> str:
        """What will be lost, in a sentence."""
        if self.lost < 0.005 or not self.groups:
            return tr("Nothing of the picture will look visibly different.")
        seen = [g for g in self.groups if g.area >= _SPOKEN_OF] or list(self.groups)
        worst = max(seen, key=lambda g: g.de00)
        duller = sum(g.area for g in self.groups if g.duller)
        how = tr("visibly duller") if duller > 0.5 * sum(g.area for g in self.groups) else tr("visibly different")
        share = tr("{lost:.0f} %", lost=self.lost * 100) if self.lost >= 0.01 else tr("Less than 1 %")
        return tr(
            "{share} of the picture will be {how}; worst: its {name}, {words}.",
            share=share,
            how=how,
            name=worst.name,
            words=worst.words,
        )


def losses(pixels: Pixels, source: Profile, printer: Profile, settings: ProofSettings, steps: float = LOST) -> Losses:
    """Compare what is wanted with what the profile's colorimetric table says will print; see `losses_of_each`."""
    return next(losses_of_each(pixels, source, printer, [settings], steps))


def losses_of_each(
    pixels: Pixels, source: Profile, printer: Profile, ways: Sequence[ProofSettings], steps: float = LOST
) -> Iterator[Losses]:
    """Give the losses of a picture for several ways to convert it, one after the other.

    Wanted is the source L*a*b*, white-scaled; black-scaled too where black point compensation is on; absolute for the
    absolute intent. Out of gamut is told apart from lost: it does not depend on the intent. Large pictures are
    sampled at a million pixels.

    Parameters
    ----------
    pixels
        Source pixels (h, w, channels), any depth.
    source, printer
        Their profile, and the output profile.
    ways
        Intents and black point compensation to compare.
    steps
        ΔE00 beyond which a colour counts as lost.
    """
    colours, share = colours_of(pixels)
    own = share >= _EXACT
    flat = own.sum() <= _FLAT and float(share[own].sum()) > 0.9
    asked, space = tuned_source(colours, source, printer, ways[0])
    away = distance_to_gamut(to_lab(asked, space).astype(float), printer)
    outside = float(share[away > OUT_OF_GAMUT].sum())
    for settings in ways:
        device = device_values(colours, source, printer, settings)
        wanted, printed = wanted_and_printed(colours, device, source, printer, settings)
        off = delta_e_2000(wanted, printed)
        order = np.argsort(off)
        p95 = off[order][min(int(np.searchsorted(np.cumsum(share[order]), 0.95)), len(off) - 1)]
        groups = (
            _groups(wanted[own], printed[own], off[own], share[own], steps, colours[own])
            if flat
            else _groups(wanted, printed, off, share, steps)
        )
        yield Losses(outside, float(share[off > steps].sum()), float((off * share).sum()), float(p95), groups)


def wanted_and_printed(
    colours: Pixels, device: Pixels, source: Profile, printer: Profile, settings: ProofSettings
) -> tuple[Floats, Floats]:
    """Return wanted and printed L*a*b* (…, 3) of source colours and the device values they became.

    Wanted is what a tuning, where there is one, makes of them.
    """
    colours, source = tuned_source(colours, source, printer, settings)
    if settings.intent is Intent.ABSOLUTE:
        return (
            to_lab(colours, source, Intent.ABSOLUTE).astype(float),
            to_lab(device, printer, Intent.ABSOLUTE).astype(float),
        )
    wanted = to_lab(colours, source).astype(float)
    printed = to_lab(device, printer).astype(float)
    return _black_scaled(wanted, source, printer, settings), printed


def _black_scaled(wanted: Floats, source: Profile, printer: Profile, settings: ProofSettings) -> Floats:
    """Scale XYZ so that the source's black becomes the black that is aimed at (ISO 18619, 6.4).

    Perceptual and saturation bring black onto black by what their tables are, whatever the setting says; the black
    that is aimed at is then the neutral as dark as the one that they print.
    """
    into, out = blacks(source, printer, settings.intent.code, settings.bpc)
    way = settings.way
    if way is not None and not way.scales_black:
        return wanted
    if way is not None or settings.intent in (Intent.PERCEPTUAL, Intent.SATURATION):
        darkest = black_of(source, np.dtype(np.float32))[None]
        into = float(lab_to_xyz(to_lab(darkest, source).astype(float))[0, 1])
        plain = replace(settings, tuning=None, keep="")
        printed = to_lab(device_values(darkest, source, printer, plain), printer)
        out = float(lab_to_xyz(printed.astype(float))[0, 1])
    scale = (1 - out) / (1 - into)
    return xyz_to_lab(lab_to_xyz(wanted) * scale + D50 * (out - into * scale))


def colours_of(pixels: Pixels) -> tuple[NDArray[np.float32], Floats]:
    """Return a picture's (h, w, channels) colours (n, channels), 0 to 1, and the share of each, 0 to 1.

    They are its own ones up to 40,000 of them, gathered in steps beyond; a large picture is sampled.
    """
    height, width = pixels.shape[:2]
    stride = max(1, int(np.ceil((height * width / _SAMPLES) ** 0.5)))
    sample = pixels[::stride, ::stride].reshape(-1, pixels.shape[2])
    if sample.dtype == np.uint16:
        codes = sample.astype(np.uint16) >> 4
        top = 4095
    else:
        codes, top = sample.astype(np.uint16), 255
    bits = 0
    while True:
        unique, counts = np.unique(packed(codes >> bits, top.bit_length()), return_counts=True)
        if len(unique) <= _COLOURS or bits >= 5:
            break
        bits += 1
    width_bits = top.bit_length()
    columns = [(unique >> (width_bits * c)) & ((1 << width_bits) - 1) for c in range(pixels.shape[2])]
    values = np.stack(columns, axis=1).astype(float)
    # The middle of each step; without steps the colour itself.
    values = np.minimum(values * (1 << bits) + ((1 << bits) - 1) / 2, top) / top
    return values.astype(np.float32), counts / counts.sum()


def _groups(
    wanted: Floats,
    printed: Floats,
    off: Floats,
    share: Floats,
    steps: float,
    values: Pixels | None = None,
    most: int = 6,
) -> tuple[Loss, ...]:
    """Gather lost colours around the heaviest ones; of flat graphics, whose `values` are given, each by itself."""
    left = off > steps
    groups: list[Loss] = []
    if values is not None:  # flat graphics: each exact colour by itself
        for place in np.argsort(-(off * share))[: 4 * most]:
            if left[place]:
                shift = shift_in_words(wanted[place], printed[place])
                own = tuple(round(float(v), 6) for v in values[place])
                groups.append(
                    Loss(
                        _triple(wanted[place]),
                        _triple(printed[place]),
                        float(off[place]),
                        float(share[place]),
                        shift,
                        own,
                    )
                )
        left[:] = False
    while left.any() and len(groups) < most:
        near_count = np.where(left, off * share, 0)
        seed = int(near_count.argmax())
        member = left & (np.linalg.norm(wanted - wanted[seed], axis=1) < GATHERED)
        weight = share[member] / share[member].sum()
        mean_wanted, mean_printed = weight @ wanted[member], weight @ printed[member]
        groups.append(
            Loss(
                _triple(mean_wanted),
                _triple(mean_printed),
                float(weight @ off[member]),
                float(share[member].sum()),
                shift_in_words(mean_wanted, mean_printed),
            )
        )
        left &= ~member
    return tuple(sorted(groups, key=lambda g: -g.de00 * min(1.0, g.area * 100)))


def _triple(values: Floats) -> tuple[float, float, float]:
    return (round(float(values[0]), 2), round(float(values[1]), 2), round(float(values[2]), 2))


#: Where the plain hue names stand in a*b*, degrees.
_HUES = ((tr("redder"), 25.0), (tr("yellower"), 92.0), (tr("greener"), 160.0), (tr("bluer"), 270.0))


def shift_in_words(wanted: Floats, printed: Floats) -> str:
    """Say which way a colour shifts: 'duller by 31, redder by 6°, 4 lighter'."""
    (L1, C1, h1), (L2, C2, h2) = lab_to_lch(np.stack([wanted, printed]))
    words = []
    if abs(C2 - C1) >= _SHIFT:
        words.append(tr("duller by {c2:.0f}", c2=abs(C2 - C1)) if C2 < C1 else tr("purer by {c2:.0f}", c2=abs(C2 - C1)))
    turn = (h2 - h1 + 180) % 360 - 180
    if min(C1, C2) > 6 and abs(turn) >= 2:
        words.append(tr("{toward} by {turn:.0f}°", toward=_toward(h1, turn), turn=abs(turn)))
    if abs(L2 - L1) >= _SHIFT:
        words.append(tr("{l2:.0f} darker", l2=abs(L2 - L1)) if L2 < L1 else tr("{l2:.0f} lighter", l2=abs(L2 - L1)))
    return ", ".join(words) or tr("hardly shifted")


def _toward(hue: float, turn: float) -> str:
    """Return the next plain hue in the direction of a turn."""
    direction = 1 if turn > 0 else -1
    distances = [(((angle - hue) * direction) % 360, word) for word, angle in _HUES]
    return min(d for d in distances if d[0] > 8)[1]
