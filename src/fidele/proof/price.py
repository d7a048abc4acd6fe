"""What a tuning costs and brings: how the printed colours of each hue family move, and what is lost by it."""

from __future__ import annotations

import numpy as np

from fidele.arrays import Pixels
from fidele.colour.cie import lab_to_lch
from fidele.colour.difference import delta_e_2000
from fidele.colour.words import FAMILIES, hue_name
from fidele.dataclass import dataclass
from fidele.icc.profile import Profile
from fidele.language import tr
from fidele.proof.losses import colours_of
from fidele.proof.soft import ProofSettings, printed_lab

#: A family that covers less than this is not spoken of.
_SEEN = 0.01


@dataclass(frozen=True)
class Family:
    """A hue family of a picture as printed: share of area, and by how much chroma, lightness and ΔE00 moved."""

    name: str
    area: float
    chroma: float
    lightness: float
    de00: float


@dataclass(frozen=True)
class Price:
    """What tuning does to the print: mean ΔE00 over the picture, and each family with a share worth telling."""

    de00: float
    families: tuple[Family, ...]

    @property
    def words(self) -> str:
        """The gains and what they take, in a sentence."""
        gains = [f for f in self.families if f.chroma >= 1]
        costs = [f for f in self.families if f.chroma <= -1]
        moved = [f for f in self.families if abs(f.chroma) < 1 and f.de00 >= 1]
        parts = [
            tr("{name} gain {chroma:.0f} of chroma", name=f.name, chroma=f.chroma)
            for f in sorted(gains, key=lambda f: -f.chroma)[:3]
        ]
        parts += [
            tr("{name} lose {chroma:.0f}", name=f.name, chroma=-f.chroma)
            for f in sorted(costs, key=lambda f: f.chroma)[:3]
        ]
        parts += [
            tr("{name} shift by ΔE00 {de00:.0f}", name=f.name, de00=f.de00)
            for f in sorted(moved, key=lambda f: -f.de00)[:2]
        ]
        said = ", ".join(parts) or tr("nothing moves visibly")
        return tr(
            "{said}{said2}; mean ΔE00 {de00:.1f} from the untuned print.",
            said=said[0].upper(),
            said2=said[1:],
            de00=self.de00,
        )


def price_of(pixels: Pixels, source: Profile, printer: Profile, before: ProofSettings, after: ProofSettings) -> Price:
    """Compare two ways to print a picture (h, w, channels), by hue families of the first one."""
    colours, share = colours_of(pixels)
    first = printed_lab(colours, source, printer, before).astype(float)
    second = printed_lab(colours, source, printer, after).astype(float)
    off = delta_e_2000(first, second)
    (L1, C1, h1), (L2, C2, _) = lab_to_lch(first).T, lab_to_lch(second).T
    names = np.array([_family(c, h) for c, h in zip(C1, h1, strict=True)])
    families = []
    for name in np.unique(names):
        here = names == name
        area = float(share[here].sum())
        if area >= _SEEN:
            weight = share[here] / share[here].sum()
            moved = (float(weight @ (C2 - C1)[here]), float(weight @ (L2 - L1)[here]), float(weight @ off[here]))
            families.append(Family(str(name), area, *moved))
    return Price(float((off * share).sum()), tuple(families))


def _family(chroma: float, hue: float) -> str:
    if chroma < 10:
        return tr("greys")
    return FAMILIES[hue_name(hue)]
