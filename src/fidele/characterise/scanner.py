"""Characterise a scanner from a reference target with known values."""

from __future__ import annotations

import datetime

import numpy as np

from fidele.arrays import Floats
from fidele.colour.cie import lab_to_xyz
from fidele.colour.difference import delta_e_2000
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.icc.profile import Profile
from fidele.icc.transform import to_lab
from fidele.icc.write import lab_lut, scanner_profile
from fidele.language import tr

_GRID = 33
#: Every so many patches one is held out to state the residual error.
_HELD = 5


@dataclass(frozen=True)
class ScannerFit:
    """An input profile and how far it is to be trusted: ΔE00 on patches that were held out of the fit."""

    profile: bytes
    residual_mean: float
    residual_p95: float
    patches: int


def scanner_error(rgb: Floats, Lab: Floats, profile: Profile) -> Floats:
    """Return ΔE00 (n,) between what a scanner's profile says of its values (n, 3), 0 to 1, and known L*a*b* (n, 3).

    Raises
    ------
    FideleError
        When it is no profile of an RGB scanner.
    """
    if profile.header.colour_space.strip() != "RGB":
        raise FideleError(tr("{name} is no profile of an RGB scanner.", name=profile.name))
    return delta_e_2000(to_lab(rgb.astype(np.float32), profile).astype(float), Lab)


def _terms(rgb: Floats) -> Floats:
    """Return the 20 terms of a cubic polynomial in three variables, (n, 20)."""
    r, g, b = np.asarray(rgb, dtype=float).T
    one = np.ones_like(r)
    return np.stack(
        [
            one,
            r,
            g,
            b,
            r * r,
            g * g,
            b * b,
            r * g,
            r * b,
            g * b,
            r**3,
            g**3,
            b**3,
            r * r * g,
            r * r * b,
            g * g * r,
            g * g * b,
            b * b * r,
            b * b * g,
            r * g * b,
        ],
        axis=1,
    )


def fit_scanner(rgb: Floats, Lab: Floats, description: str, created: datetime.datetime) -> ScannerFit:
    """Fit scanner values (n, 3), 0 to 1 and coded like light to the power 1/2.2, to D50 L*a*b* (n, 3).

    A cubic polynomial to L*a*b*, because coded scanner values and L*a*b* are both nearly even to the eye. L*a*b* is
    absolute: the profile's white is the perfect diffuser.

    Raises
    ------
    FideleError
        When there are too few patches for a cubic.
    """
    if len(rgb) < 60:
        raise FideleError(tr("A scanner is characterised from at least 60 patches; the target gave {n}.", n=len(rgb)))
    held = np.arange(len(rgb)) % _HELD == _HELD - 1
    design = _terms(rgb)
    trial, *_ = np.linalg.lstsq(design[~held], Lab[~held], rcond=None)
    residual = delta_e_2000(design[held] @ trial, Lab[held])
    whole, *_ = np.linalg.lstsq(design, Lab, rcond=None)
    axis = np.linspace(0, 1, _GRID)
    nodes = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1).reshape(-1, 3)
    grid = (_terms(nodes) @ whole).reshape(_GRID, _GRID, _GRID, 3)
    grid[..., 0] = np.clip(grid[..., 0], 0, 100)
    profile = scanner_profile(description, lab_to_xyz([100, 0, 0]), lab_lut(grid), created)
    return ScannerFit(profile, float(residual.mean()), float(np.percentile(residual, 95)), len(rgb))
