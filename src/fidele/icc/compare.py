"""Two profiles side by side: gamuts laid over each other, whites, and what the same values give."""

from __future__ import annotations

from typing import Any

import numpy as np

from fidele.colour.difference import delta_e_2000
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.icc.behaviour import lattice
from fidele.icc.describe import Description, describe
from fidele.icc.profile import Profile, ProfileError
from fidele.icc.solid import Overlap, overlap, solid_of
from fidele.icc.tables import device_to_pcs_lab
from fidele.language import tr


@dataclass(frozen=True)
class Compared:
    """What two profiles have in common and where they differ.

    `same_values` is the mean and 95th percentile ΔE00 between what the same device values give, None where the two
    are not for the same kind of values.
    """

    a: Description
    b: Description
    same_content: bool
    gamuts: Overlap
    same_values: tuple[float, float] | None

    def sentences(self) -> list[str]:
        """Say it in words."""
        g = self.gamuts
        names = self.a.description, self.b.description
        said = [tr("They are the same profile.")] if self.same_content else []
        said.append(
            tr(
                "“{names}” holds {volume_a:,.0f} cubic units of L*a*b*, “{names2}” {volume_b:,.0f}.",
                names=names[0],
                volume_a=g.volume_a,
                names2=names[1],
                volume_b=g.volume_b,
            )
        )
        said.append(
            tr(
                "“{names}” covers {a_in_b:.1f} % of “{names2}”; the other way {b_in_a:.1f} %.",
                names=names[1],
                a_in_b=g.a_in_b * 100,
                names2=names[0],
                b_in_a=g.b_in_a * 100,
            )
        )
        if self.same_values is not None and not self.same_content:
            mean, p95 = self.same_values
            said.append(
                tr(
                    "The same values differ by ΔE00 {mean:.1f} on average, {p95:.1f} for one in twenty.",
                    mean=mean,
                    p95=p95,
                )
            )
        return said

    def document(self) -> dict[str, Any]:
        """Return it as plain data."""
        g = self.gamuts
        sides = {
            name: {
                "description": what.description,
                "device_class": what.device_class,
                "colour_space": what.colour_space,
                "gamut_volume": round(volume),
                "white_lab": what.white_lab,
                "black_lab": what.black_lab,
                "covered_by_other": round(share, 4),
            }
            for name, what, volume, share in (("a", self.a, g.volume_a, g.a_in_b), ("b", self.b, g.volume_b, g.b_in_a))
        }
        same = None
        if self.same_values is not None:
            same = {"mean_de00": round(self.same_values[0], 4), "p95_de00": round(self.same_values[1], 4)}
        return {**sides, "same_content": self.same_content, "same_values": same}


def compare_profiles(a: Profile, b: Profile) -> Compared:
    """Compare two profiles.

    Raises
    ------
    FideleError
        When one of them has no gamut, or is damaged.
    """
    solids = []
    for profile in (a, b):
        solid = solid_of(profile)
        if solid is None:
            raise FideleError(tr("{name} has no gamut that can be compared.", name=profile.name))
        solids.append(solid)
    return Compared(describe(a), describe(b), a.content_id == b.content_id, overlap(*solids), _same_values(a, b))


def _same_values(a: Profile, b: Profile) -> tuple[float, float] | None:
    device = lattice(a.channels)
    if a.header.colour_space != b.header.colour_space or device is None:
        return None
    try:
        off = delta_e_2000(device_to_pcs_lab(a, device), device_to_pcs_lab(b, device))
    except ProfileError:
        return None
    return float(off.mean()), float(np.percentile(off, 95))
