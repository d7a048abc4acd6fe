"""How the colour of patches changes with the amounts of inks, from a profile alone: plain, and good enough to tell
one fault of the inks from another."""

from __future__ import annotations

import numpy as np

from fidele.arrays import Floats
from fidele.check.suspects import Suspicions
from fidele.colour.adaptation import BRADFORD
from fidele.colour.cie import lab_to_xyz, xyz_to_lab
from fidele.language import named

#: Yule-Nielsen factor of the plain ink model: light that spreads in the substrate.
_N = 2.0
#: Densities that an old or overheated substrate gains in three broad bands, long to short waves.
YELLOWING = np.array([0.05, 0.3, 1.0])
INKS = (named("cyan"), named("magenta"), named("yellow"), named("black"))
_BACK = np.linalg.inv(BRADFORD).T


class InkModel:
    """The inks of every patch, parted from its colour.

    Three broad bands (Bradford cone responses relative to the paper) give densities; what the solids of cyan, magenta
    and yellow have in them parts a patch's density into inks; what is common to all in dark patches is taken for black.
    In each band light that passes dots goes with reflectance to the power 1/n (Yule and Nielsen, Proc. TAGA 3, 1951).

    Parameters
    ----------
    black_share, steep
        How much of what is common is black ink, and how fast that grows with depth: no profile tells it.
    """

    def __init__(self, suspicions: Suspicions, black_share: float, steep: float) -> None:
        solids = np.array([[1, 1, 1], [0, 1, 1], [1, 0, 1], [1, 1, 0]], dtype=float)
        Lab = suspicions.predict(solids)
        self.white = lab_to_xyz(Lab[0]) @ BRADFORD.T
        self.right = suspicions.Lab["right"]
        density = self.density(self.right)
        of_solids = np.maximum(self.density(Lab[1:]), 0.0)
        amounts = np.maximum(density @ np.linalg.pinv(of_solids), 0.0)
        common = amounts.min(axis=1, keepdims=True)
        black = black_share * common * np.clip(common, 0, 1) ** steep
        amounts = amounts - black
        parts = [amounts[:, [i]] * of_solids[i] for i in range(3)]
        parts.append(black * of_solids.sum(axis=0))
        densities = np.stack(parts)  # (4, n, 3)
        self.rest = density - densities.sum(axis=0)
        solid = np.concatenate([of_solids, of_solids.sum(axis=0, keepdims=True) * black_share])
        self.dark = 1 - 10.0 ** (-np.maximum(densities.max(axis=1), solid) / _N)[:, None]
        self.covered = np.clip((1 - 10.0 ** (-densities / _N)) / np.maximum(self.dark, 1e-6), 0, None)

    def density(self, Lab: Floats) -> Floats:
        """Return densities (…, 3) over the paper in three bands."""
        response = lab_to_xyz(Lab) @ BRADFORD.T / self.white
        return -np.log10(np.clip(response, 1e-4, None))

    def printed(self, inks: Floats, yellowed: float = 0.0, gain: float = 1.0) -> Floats:
        """Return L*a*b* (n, 3) with inks (4,) of so much of their right amount, on a substrate yellowed so much.

        `gain` is the exponent by which dots differ from what they should be; less than 1 spreads them.
        """
        covered = self.covered if gain == 1.0 else self.covered ** max(gain, 0.2)
        return self._Lab(inks[:, None, None] * covered, yellowed)

    def pressed(self, missing: float) -> Floats:
        """Return L*a*b* (n, 3) where the press was too short or too cool: the more ink, the more of it stays behind."""
        all_of_it = self.covered.sum(axis=0, keepdims=True)
        return self._Lab(np.clip(self.covered * (1 - missing * all_of_it / 2.5), 0, None), 0.0)

    def uneven(self, share: Floats) -> Floats:
        """Return L*a*b* (n, 3) where each patch took a share (n,) of the dye on offer."""
        return self._Lab(share[None, :, None] * self.covered, 0.0)

    def _Lab(self, covered: Floats, yellowed: float) -> Floats:
        less = np.clip(1 - covered * self.dark, 10.0 ** (-4 / _N), None)
        density = self.rest - _N * np.log10(less).sum(axis=0) + yellowed * YELLOWING
        return xyz_to_lab(10.0**-density * self.white @ _BACK)


def yellowed(Lab: Floats, by: float) -> Floats:
    """Return L*a*b* (n, 3) seen on a substrate that has yellowed so much."""
    return xyz_to_lab(lab_to_xyz(Lab) @ BRADFORD.T * 10.0 ** (-by * YELLOWING) @ _BACK)
