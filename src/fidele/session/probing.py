"""What a probe found, in words: whether numbers pass, and if not, which conversion fits them best."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from fidele.arrays import Floats
from fidele.dataclass import dataclass
from fidele.icc.profile import Profile
from fidele.icc.spaces import oprgb, srgb
from fidele.icc.transform import Intent, convert
from fidele.language import named, tr
from fidele.route.probe import ProbeResult, nodes

#: Mean distance in 8-bit code values below which a conversion is taken for the one that was found.
_NEAR = 2.5


@dataclass(frozen=True)
class Suspect:
    """A conversion that a probe may have met: its name, and its mean distance from what came out, in code values."""

    name: str
    distance: float


def suspects(
    found: ProbeResult, correction: Callable[[Floats], Floats] | None, profile: Profile | None
) -> list[Suspect]:
    """Return conversions by how well they fit what came out of a probe, the best first.

    `correction` is the driver's own, None where that is not known.
    """
    sent = nodes()
    out = found.table.reshape(-1, 3).astype(float)
    ways: dict[str, Floats] = {"nothing": sent}
    if correction is not None:
        ways[named("the maker's correction")] = correction(sent)
    if profile is not None and profile.channels == 3:
        small = sent.astype(np.float32)
        for name, source in (("sRGB", srgb()), ("opRGB", oprgb())):
            for intent in (Intent.PERCEPTUAL, Intent.RELATIVE):
                key = tr("this profile again, taking the numbers for {name}, {words}", name=name, words=intent.words)
                ways[key] = np.clip(convert(small, source, profile, intent, True), 0, 1).astype(float)
    made = [Suspect(name, float(np.abs(way - out).mean() * 255)) for name, way in ways.items()]
    return sorted(made, key=lambda s: s.distance)


def in_words(found: ProbeResult, ranked: list[Suspect]) -> str:
    """Say what a probe found in a sentence or two."""
    way = tr(" The page came out mirrored.") if found.mirrored else ""
    way += tr(" It came out turned by 180°.") if found.turned else ""
    if abs(found.scale - 1) > 0.004:
        way += (
            tr(" It came out at {scale:.1f} %, so its edges are cut off.", scale=found.scale * 100)
            if found.scale > 1
            else tr(" It came out at {scale:.1f} %.", scale=found.scale * 100)
        )
    if found.passes:
        return tr("Every number came out as it went in.{way}", way=way)
    best = ranked[0]
    what = (
        tr("That is {name}.", name=tr(best.name))
        if best.distance < _NEAR and best.name != "nothing"
        else tr("No conversion known here fits.")
    )
    return tr(
        "Numbers change, by {mean:.0f} of 255 on average and {largest:.0f} at the most. {what}{way}",
        mean=found.mean,
        largest=found.largest,
        what=what,
        way=way,
    )
