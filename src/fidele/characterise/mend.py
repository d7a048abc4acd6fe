"""Mend a profile whose printer prints otherwise by now: a correction of low order, learned from a few patches.

What drifts is how much of each ink is laid down. Prints then look like old ones of other device values close by, so
the correction is a sum of what each way of drifting can do: each device value shifts, by how far it is from white;
each band of density gains or loses what is there; black does; and a small smooth rest. How much of each there is, the
patches decide by their marginal likelihood, with no more freedom than their noise allows. White stays white.

A supplier's profile is bent to one's own unit in the same way.

Source: Rasmussen and Williams, 'Gaussian Processes for Machine Learning' (2006), 2.2 and 5.4.1.
"""

from __future__ import annotations

from collections.abc import Iterator
from enum import StrEnum

import numpy as np

from fidele.arrays import Floats
from fidele.characterise.fit import Fit, Model, Stated, matern5
from fidele.characterise.printer import GRID, PrinterModel
from fidele.colour.adaptation import media_relative
from fidele.colour.cie import D50, lab_to_xyz, xyz_to_lab
from fidele.colour.difference import delta_e_2000
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.icc.describe import describe
from fidele.icc.profile import Profile
from fidele.icc.tables import device_to_pcs_lab
from fidele.language import tr

#: So few patches do not tell one ink's drift from another's.
FEWEST = 12
#: Noise of a measurement in L*, a*, b*, beside each other; and what it is taken for at first, with how little that is
#: known (the standard deviation of its logarithm).
_NOISE_SHAPE = np.array([0.6, 1.0, 1.0])
_NOISE, _NOISE_KNOWN = 0.15, 0.6
#: Where the search for the amounts begins and ends, as logarithms.
_STARTS, _LEAST, _MOST = (-5.0, -3.0), -9.0, 1.0
#: A patch is out where it is off, when left out, by so many ΔE00, and by so many times what the others are off by.
_FAR, _TIMES = 3.0, 4.0
#: What a mended profile leaves is so many times what is computed; in nine cases of ten between so many times that.
_OF_COMPUTED, _LOW, _HIGH = 1.08, 0.7, 1.4
#: A profile that says nothing of itself is off by so much where nothing drifts, mean ΔE00.
_UNSTATED = 0.3
#: A small target that begins from the profile leaves so much beside a whole one (docs/own-profiles.md, 150 and 400).
_OF_PART = 1.1
#: The 95th percentile beside the mean.
_TAIL = 2.4
#: Less drift than so many times what mending leaves, or than the noise, is none; more than so much is of no ink.
_NOTHING, _TOO_FAR = 1.3, 3.5
#: Patches that a mended profile misses by so much beyond their noise, when left out, it does not follow.
_LOST = 1.2


class Advice(StrEnum):
    """What is best done with a profile whose printer was measured again."""

    KEEP = "keep"
    MEND = "mend"
    REMAKE = "remake"


@dataclass(frozen=True, eq=False)
class Mended:
    """A mended model of a printer.

    Attributes
    ----------
    model
        What it prints by now; `fit.stated` is how far that is off, and `fit.out` what was left out.
    drift
        By how much it prints otherwise than the old profile says, mean ΔE00 over all device values.
    missed
        By how much patches are missed when left out, beyond their noise, mean ΔE00.
    remade
        What a whole target is likely to leave, mean ΔE00.
    """

    model: PrinterModel
    drift: float
    missed: float
    remade: float

    @property
    def part(self) -> float:
        """What a part of a target is likely to leave where it begins from the old profile, mean ΔE00."""
        return _OF_PART * self.remade

    @property
    def advice(self) -> Advice:
        """What is best done."""
        stated = self.model.fit.stated
        if self.missed > _LOST or self.drift > _TOO_FAR:
            return Advice.REMAKE
        return Advice.KEEP if self.drift < max(_NOTHING * stated.mean, stated.noise) else Advice.MEND

    @property
    def words(self) -> str:
        """What happened, and what each way out would gain."""
        stated = self.model.fit.stated
        figures = {"drift": self.drift, "mean": stated.mean, "part": self.part, "remade": self.remade}
        match self.advice:
            case Advice.KEEP:
                return tr(
                    "It prints as its profile says, within a mean ΔE00 of {drift:.2f}: that is no more than these "
                    "patches can tell. Leave the profile as it is.",
                    **figures,
                )
            case Advice.MEND:
                return tr(
                    "It prints otherwise than its profile says by a mean ΔE00 of {drift:.2f}. Mended, the profile is "
                    "off by about {mean:.2f}; made anew from a small target that begins from it, by about {part:.2f}; "
                    "from a whole one, by about {remade:.2f}. Mend it.",
                    **figures,
                )
        return tr(
            "It prints otherwise than its profile says by a mean ΔE00 of {drift:.2f}, and not as drifting inks do. "
            "Look whether paper, ink, settings and press are still what they were. If they are meant to be so, make "
            "the profile anew: from a small target that begins from it, it is off by about {part:.2f}, from a whole "
            "one by about {remade:.2f}.",
            **figures,
        )


@dataclass(frozen=True, eq=False)
class _Seen:
    """What is known of device values (n, 3): L*a*b* change by each (n, 3, 3), density, and change by that."""

    rgb: Floats
    by_device: Floats
    density: Floats
    by_density: Floats

    @classmethod
    def of(cls, rgb: Floats, old: Model) -> _Seen:
        """Look at device values by what the old profile says."""
        step = 1 / (GRID - 1)
        by_device = np.zeros((len(rgb), 3, 3))
        for j in range(3):
            below, above = rgb.copy(), rgb.copy()
            below[:, j], above[:, j] = np.clip(rgb[:, j] - step, 0, 1), np.clip(rgb[:, j] + step, 0, 1)
            by_device[:, :, j] = (old(above) - old(below)) / (above[:, j] - below[:, j])[:, None]
        share = np.clip(lab_to_xyz(old(rgb)) / D50, 1e-4, None)
        # L*a*b* are differences of cube roots (CIE 15), straight near black.
        root = -np.log(10) * np.where(share > 216 / 24389, np.cbrt(share) / 3, share * 841 / 108)
        by_density = np.zeros((len(rgb), 3, 3))
        by_density[:, 0, 1] = 116 * root[:, 1]
        by_density[:, 1, 0], by_density[:, 1, 1] = 500 * root[:, 0], -500 * root[:, 1]
        by_density[:, 2, 1], by_density[:, 2, 2] = 200 * root[:, 1], -200 * root[:, 2]
        return cls(rgb, by_device, -np.log10(share), by_density)

    @property
    def ways(self) -> list[Floats]:
        """What each part of the correction moves (n, 3, m), in the order of `_likeness`."""
        shifts = [self.by_device[:, :, j : j + 1] for j in range(3) for _ in range(3)]
        black = self.by_density.sum(axis=2, keepdims=True)
        rest = np.broadcast_to(np.diag(_NOISE_SHAPE), (len(self.rgb), 3, 3))
        return [*shifts, self.by_density, self.by_density, black, black, rest]


def _likeness(one: _Seen, other: _Seen) -> Iterator[Floats]:
    """Return, part by part, how alike device values drift (n, k)."""
    away, beside = 1 - one.rgb, 1 - other.rgb
    apart = np.sqrt(np.maximum(((one.rgb[:, None] - other.rgb[None]) ** 2).sum(axis=2), 0))
    near = matern5(apart)
    for j in range(3):
        steps = away[:, j][:, None] * beside[:, j][None]
        yield steps
        yield steps * near
        yield steps * matern5(np.abs(one.rgb[:, j][:, None] - other.rgb[:, j][None]))
    dense = one.density @ other.density.T
    yield dense
    yield dense**2
    black = (away.min(axis=1) ** 2)[:, None] * (beside.min(axis=1) ** 2)[None]
    yield black
    yield black * near
    yield away.max(axis=1)[:, None] * beside.max(axis=1)[None] * matern5(apart / 0.7)


class _Correction:
    """What is to be added to the old profile's L*a*b*."""

    def __init__(self, old: Model, rgb: Floats, off: Floats) -> None:
        """Learn it from how far measured L*a*b* (n, 3) of device values (n, 3) are off."""
        from scipy.optimize import minimize

        self._old, self._at = old, _Seen.of(rgb, old)
        flat, count = off.ravel(), 3 * len(rgb)
        parts = [
            np.einsum("ij,iam,jcm->iajc", like, way, way).reshape(count, count)
            for like, way in zip(_likeness(self._at, self._at), self._at.ways, strict=True)
        ]
        parts.append(np.diag(np.tile(_NOISE_SHAPE**2, len(rgb))))
        stacked = np.stack(parts)

        def unlikely(logs: Floats) -> tuple[float, Floats]:
            amounts = np.exp(2 * logs)
            whole = np.tensordot(amounts, stacked, 1)
            sign, size = np.linalg.slogdet(whole)
            inverse = np.linalg.inv(whole)
            held = inverse @ flat
            gain = inverse - np.outer(held, held)
            slope = 2 * amounts * np.einsum("kij,ij->k", stacked, gain)
            known = (logs[-1] - np.log(_NOISE)) / _NOISE_KNOWN
            slope[-1] += 2 * known / _NOISE_KNOWN
            return float(flat @ held + size + known**2) if sign > 0 else 1e10, slope

        bounds = [(_LEAST, _MOST)] * (len(parts) - 1) + [(np.log(0.03), np.log(1.5))]
        tries = [
            minimize(
                unlikely,
                np.append(np.full(len(parts) - 1, start), np.log(_NOISE)),
                jac=True,
                method="L-BFGS-B",
                bounds=bounds,
                options={"maxiter": 120},
            )
            for start in _STARTS
        ]
        logs = min(tries, key=lambda tried: float(tried.fun)).x
        self._amounts = np.exp(2 * logs[:-1])
        #: Standard deviation of the measurements' noise, in a* and b*.
        self.noise = float(np.exp(logs[-1]))
        self._inverse = np.linalg.inv(np.tensordot(np.exp(2 * logs), stacked, 1))
        self._held = (self._inverse @ flat).reshape(-1, 3)

    def __call__(self, rgb: Floats) -> Floats:
        """Return the correction (n, 3) of device values (n, 3)."""
        out = [self._piece(_Seen.of(part, self._old)) for part in np.array_split(rgb, max(1, len(rgb) // 2000))]
        return np.concatenate(out)

    def _piece(self, seen: _Seen) -> Floats:
        added = np.zeros((len(seen.rgb), 3))
        each = zip(self._amounts, _likeness(seen, self._at), seen.ways, self._at.ways, strict=True)
        for amount, like, way, known in each:
            added += amount * np.einsum("iam,im->ia", way, like @ np.einsum("jam,ja->jm", known, self._held))
        return added

    def spread(self, rgb: Floats) -> Floats:
        """Return how little is known of the correction of device values (n, 3): its standard deviation (n, 3)."""
        seen = _Seen.of(rgb, self._old)
        alone, shared = np.zeros((len(rgb), 3)), np.zeros((len(rgb), 3, self._inverse.shape[0]))
        each = zip(self._amounts, _likeness(seen, self._at), seen.ways, self._at.ways, strict=True)
        for amount, like, way, known in each:
            shared += amount * np.einsum("ij,iam,jcm->iajc", like, way, known).reshape(shared.shape)
        for i in range(len(rgb)):
            one = _Seen(*(v[i : i + 1] for v in (seen.rgb, seen.by_device, seen.density, seen.by_density)))
            for amount, like, way in zip(self._amounts, _likeness(one, one), one.ways, strict=True):
                alone[i] += amount * like[0, 0] * (way[0] ** 2).sum(axis=1)
        told = np.einsum("iap,pq,iaq->ia", shared, self._inverse, shared)
        return np.sqrt(np.maximum(alone - told, 0))

    def left_out(self) -> Floats:
        """Return by how much each patch differs from what the others say of it (n, 3)."""
        off = np.empty_like(self._held)
        for i in range(len(off)):
            block = slice(3 * i, 3 * i + 3)
            off[i] = np.linalg.solve(self._inverse[block, block], self._held[i])
        return off


def mend(old: Profile, rgb: Floats, XYZ: Floats) -> Mended:
    """Mend an RGB printer's profile by device values (n, 3), 0 to 1, that were printed bare, and their XYZ (n, 3).

    A patch that contradicts the others by far is left out.

    Raises
    ------
    FideleError
        When the media's white was not measured, patches are too few, or the profile is not of an RGB printer.
    """
    if not describe(old).usable_as_output or old.channels != 3:
        raise FideleError(tr("What is to be mended has to be a profile of a printer that takes RGB."))
    whites = (rgb >= 0.999).all(axis=1)
    if not whites.any():
        raise FideleError(
            tr("The bare media (device values all full) was not measured: it is the white of the profile.")
        )
    if len(rgb) < FEWEST:
        raise FideleError(
            tr("{n} patches are too few to mend a profile by; it takes {fewest}.", n=len(rgb), fewest=FEWEST)
        )
    white = XYZ[whites].mean(axis=0)
    Lab = xyz_to_lab(media_relative(XYZ, white, D50))

    def known(device: Floats) -> Floats:
        return device_to_pcs_lab(old, device)

    said = known(rgb)
    used = np.flatnonzero(~whites)  # white itself says nothing: it is what all others are relative to
    correction = _Correction(known, rgb[used], (Lab - said)[used])
    for _ in range(max(1, len(rgb) // 10)):
        missed = delta_e_2000(Lab[used], Lab[used] - correction.left_out())
        worst = int(np.argmax(missed))
        if missed[worst] < max(_FAR, _TIMES * float(np.median(missed))):
            break
        used = np.delete(used, worst)
        correction = _Correction(known, rgb[used], (Lab - said)[used])
    out = np.setdiff1d(np.flatnonzero(~whites), used)
    axis = np.linspace(0, 1, GRID)
    nodes = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1).reshape(-1, 3)
    before = known(nodes)
    grid = before + correction(nodes)
    grid[:, 0] = np.clip(grid[:, 0], 0, 100)
    grid[-1] = [100, 0, 0]
    missed = delta_e_2000(Lab[used], Lab[used] - correction.left_out())
    noise = 1.4 * correction.noise  # a mean ΔE00 of so many standard deviations of a* and b*
    stated = _stated(old, correction, known, noise)
    expected = said + correction(rgb)
    expected[used] = Lab[used] - correction.left_out()
    fit = Fit((), np.zeros(0), stated, out, (), expected)
    darkest = XYZ[used[np.argmin(XYZ[used, 1])]]
    table = np.ascontiguousarray(grid.reshape(GRID, GRID, GRID, 3), dtype=np.float32)
    drift = float(delta_e_2000(grid, before).mean())
    beyond = float(np.sqrt(max(float(missed.mean()) ** 2 - noise**2, 0)))
    return Mended(PrinterModel(table, white, darkest, fit), drift, beyond, _own(old))


def _own(old: Profile) -> float:
    """Return what a profile states of its own error, mean ΔE00."""
    said = describe(old).stated_error
    return _UNSTATED if said is None else said


def _stated(old: Profile, correction: _Correction, known: Model, noise: float) -> Stated:
    some = np.random.default_rng(6).random((300, 3))
    spread = correction.spread(some)
    # What a deviation of L*a*b* comes to in ΔE00 depends on the colour: tried out on both sides.
    Lab = known(some)
    draws = np.random.default_rng(7).normal(size=(8, *Lab.shape))
    computed = float(np.mean([delta_e_2000(Lab, Lab + spread * draw).mean() for draw in draws]))
    mean = _OF_COMPUTED * float(np.hypot(_own(old), computed))
    return Stated(mean, _LOW * mean, _HIGH * mean, _TAIL * mean, noise)
