"""Fit measured colours to device values: smooth surfaces whose form each printer chooses by patches left out.

Every form is a kernel on bent device values beside a low polynomial, with some smoothing (kriging with a trend, which
for some kernels is a spline). How well a form predicts a patch that had no part in it follows in closed form (leave one
out), and patches count by the share of the device cube that they speak for: otherwise the corners, where every form
guesses beyond its data, would choose. The three best forms are blended.

Sources: Rasmussen and Williams, 'Gaussian Processes for Machine Learning' (2006), 2.7 and 5.4.2; Wahba, 'Spline
Models for Observational Data' (1990), 1.2 and 4.2.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from itertools import combinations, permutations

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Floats
from fidele.characterise.other_media import on_other_media
from fidele.colour.difference import delta_e_2000
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.language import tr
from fidele.tiles import in_tiles

#: So few patches tell nothing of a printer.
FEWEST = 24
#: Forms are chosen on no more patches than this; the chosen ones are fitted to all.
_CHOOSING = 320
#: How many forms are blended.
_BLENDED = 3
#: A patch is out where it is off by so many ΔE00, and by so many times what its like are off by, when left out.
_FAR, _TIMES = 4.0, 4.5
#: How closely the form that outliers are found by follows its patches, how fast it loses trust in one, and in how many
#: turns.
_TRUST, _DISTRUST, _TURNS = 1e-3, 40.0, 7
#: With so many patches, and fewer, their neighbours lie far off and may differ by twice as much.
_SPARSE = 80
#: No more than this share of the patches is left out by itself.
_OUT = 0.1
#: The square of a fit's true error is so much of that of patches that are left out once so much of their noise is taken
#: out, so much of what the fit keeps of that noise, and so much of the first whatever the noise; in nine cases of ten
#: it lies between so many times that. As measured on printers that nobody here made, of RGB and of four inks
#: (docs/own-profiles.md).
_ERROR_OF_RGB, _ERROR_OF_INKS = (0.30, 0.93, 0.645, 0.0, 0.75, 1.25), (0.354, 2.06, 1.6, 0.086, 0.68, 1.38)
#: The same where a known printer is followed: what it is wrong by itself is the same in all patches.
_ERROR_FOLLOWING = (0.17, 1.55, 0.37, 0.305, 0.72, 1.47)
#: Of more than four inks what patches that are left out are off by in the middle: most patches lie at the rim of what
#: so many inks can do, where others tell little and a separation never prints.
_ERROR_OF_MORE_INKS = (0.706, 3.375, 0.0, 0.373, 0.68, 1.55)
#: How much of the patches' noise a fit keeps is looked up at so many device values.
_LOOKED_AT = 500
#: The 95th percentile beside the mean.
_TAIL = 2.4

#: Device values (n, 3), 0 to 1, to what stands for them (n, 3): places that a surface is smooth over, or colours.
Model = Callable[[Floats], Floats]
#: A kernel of distances, its reach, and the degree of the trend beneath it.
Kernel = tuple[Callable[[Floats], Floats], float, int]


def _shadows_closer(rgb: Floats) -> Floats:
    return np.asarray(0.5 * rgb + 0.5 * rgb * rgb)


_BENDS: tuple[Model, ...] = (lambda rgb: rgb, _shadows_closer, lambda rgb: rgb**0.75, lambda rgb: 1 - (1 - rgb) ** 0.75)
#: Colours of a known printer are divided by so much to be places.
_PLACES = 80.0


def distance(one: Floats, other: Floats) -> Floats:
    """Return how far places (n, k) and (m, k) are from each other, (n, m)."""
    square = (one**2).sum(axis=1)[:, None] + (other**2).sum(axis=1)[None] - 2 * one @ other.T
    return np.sqrt(np.maximum(square, 0.0))


def _matern3(d: Floats) -> Floats:
    s = np.sqrt(3) * d
    return np.asarray((1 + s) * np.exp(-s))


def matern5(d: Floats) -> Floats:
    """Return the Matérn kernel of five halves at distances of its own reach."""
    s = np.sqrt(5) * d
    return np.asarray((1 + s + s * s / 3) * np.exp(-s))


def _matern7(d: Floats) -> Floats:
    s = np.sqrt(7) * d
    return np.asarray((1 + s + 0.4 * s * s + s**3 / 15) * np.exp(-s))


def _cubic(d: Floats) -> Floats:
    return np.asarray(d**3)


@dataclass(frozen=True)
class Form:
    """A form of surface: how device values are bent, the kernel with its reach, and the degree of the trend."""

    bend: Model
    kernel: Callable[[Floats], Floats]
    reach: float
    degree: int
    #: What the trend is a polynomial of; the places themselves where nothing is known.
    under: Model | None = None
    #: Whether it follows what is known of the same printer on another media.
    follows: bool = False

    def basis(self, rgb: Floats, centres: Floats) -> tuple[Floats, Floats]:
        """Return the kernel (n, k) and trend (n, m) of device values (n, 3) beside bent centres (k, 3)."""
        return self.kernel(distance(self.bend(rgb), centres) / self.reach), self.trend(rgb)

    def trend(self, rgb: Floats) -> Floats:
        """Return the trend (n, m) of device values (n, 3)."""
        return _trend((self.under or self.bend)(rgb), self.degree)


KERNELS = (
    (_matern3, 0.7, 1),
    (_matern3, 1.5, 1),
    (matern5, 0.4, 2),
    (matern5, 1.0, 2),
    (_matern7, 0.6, 2),
    (_matern7, 1.2, 2),
    (_cubic, 1.0, 2),
    (_cubic, 1.0, 3),
    (matern5, 0.4, 3),
    (matern5, 1.6, 3),
)
#: What does not run away where no patch is near: for patches that lie along greys, and hardly anywhere else.
CALM = ((_matern3, 0.7, 1), (_matern3, 1.5, 1), (matern5, 1.0, 1), (matern5, 1.6, 1))
#: The numbers that `kernels.surfaces` gives to kernels.
_ORDERS: dict[Callable[[Floats], Floats], int] = {_matern3: 3, matern5: 5, _matern7: 7, _cubic: 0}
#: From so many pairs of places and centres on a compiled sum is worth its loading.
_MANY = 200_000
_SMOOTHINGS = (1e-6, 1e-5, 1e-4, 1e-3, 1e-2, 1e-1)


def _trend(at: Floats, degree: int) -> Floats:
    each = [at[:, i] for i in range(at.shape[1])]
    columns = [np.ones(len(at)), *each]
    if degree >= 2:
        columns += [x * x for x in each]
        columns += [x * y for x, y in combinations(each, 2)]
        columns += [x * y * z for x, y, z in combinations(each, 3)]
    if degree >= 3:
        columns += [x**3 for x in each] + [x * x * y for x, y in permutations(each, 2)]
    return np.stack(columns, axis=1)


@dataclass(frozen=True, eq=False)
class _Fitted:
    """One form with its factors: of kernels (k, 3) and trend (m, 3)."""

    form: Form
    smoothing: float
    centres: Floats
    kernels: Floats
    trend: Floats
    #: (n, 3) by how much each patch differs from what the others say of it.
    left_out: Floats
    #: (3,) the noise of the measurements, as what smoothing leaves tells it.
    noise: Floats
    score: float = 0.0
    #: How much each patch counts at `looked_at` (m, n).
    counts: Floats | None = None

    def __call__(self, rgb: Floats) -> Floats:
        if len(rgb) * len(self.centres) < _MANY:
            kernel, trend = self.form.basis(rgb, self.centres)
            return np.asarray(kernel @ self.kernels + trend @ self.trend)
        from fidele.kernels.surfaces import kernel_sums

        at = np.ascontiguousarray(self.form.bend(rgb), dtype=float)
        centres, factors = np.ascontiguousarray(self.centres.T), np.ascontiguousarray(self.kernels.T)
        order, out = _ORDERS[self.form.kernel], np.empty((len(at), 3))
        in_tiles(lambda some: kernel_sums(at[some], centres, factors, self.form.reach, order, out[some]), len(at), 2048)
        return np.asarray(out + self.form.trend(rgb) @ self.trend)


@dataclass(frozen=True)
class Stated:
    """How far a fit is off from the printer itself, noise taken out: ΔE00 mean, its interval, 95th percentile.

    `noise` is what the measurements differ by from one to the next, mean ΔE00.
    """

    mean: float
    low: float
    high: float
    p95: float
    noise: float

    @property
    def words(self) -> str:
        """The statement in a sentence."""
        return tr(
            "Off by a mean ΔE00 of {mean:.2f} (most likely {low:.2f} to {high:.2f}) from what the printer "
            "prints, 95 % within about {p95:.1f}; the measurements' own noise is {noise:.2f}.",
            mean=self.mean,
            low=self.low,
            high=self.high,
            p95=self.p95,
            noise=self.noise,
        )


@dataclass(frozen=True, eq=False)
class Fit:
    """A fit of measured colours.

    Attributes
    ----------
    stated
        Its true error, estimated from patches that took no part and corrected for noise.
    out, swapped
        Patches, by index, that were left out because no smooth printer prints them so, the worst first; and pairs of
        them that fit where they are exchanged.
    expected
        (n, 3) what the other patches say of each.
    """

    parts: tuple[_Fitted, ...]
    weights: Floats
    stated: Stated
    out: NDArray[np.int64]
    swapped: tuple[tuple[int, int], ...]
    expected: Floats

    @property
    def follows(self) -> float:
        """The share of it that follows what is known of the same printer on another media, 0 to 1."""
        return float(sum(w for w, part in zip(self.weights, self.parts, strict=True) if part.form.follows))

    def __call__(self, rgb: Floats) -> Floats:
        """Return colours (n, 3) of device values (n, 3), 0 to 1."""
        pieces = []
        for part in np.array_split(np.asarray(rgb, dtype=float), max(1, len(rgb) // 2000)):
            pieces.append(sum(w * one(part) for w, one in zip(self.weights, self.parts, strict=True)))
        return np.concatenate(pieces)


def fit(
    rgb: Floats,
    Lab: Floats,
    keep: NDArray[np.bool_] | None = None,
    like: Model | None = None,
    kernels: Sequence[Kernel] = KERNELS,
) -> Fit:
    """Fit L*a*b* (n, 3) measured of device values (n, 3), 0 to 1.

    Patches that no smooth printer prints so are left out; `keep` (n,) says which are to be used, whatever they look
    like, and which are not. `like` is what the same printer with the same inks prints on another media, L*a*b* of
    device values, as its profile tells: what it holds to be near each other is near here as well. Forms that follow it,
    as it is and as another media moves it (`other_media`), are tried beside the others, so that fewer patches do where
    they fit. `kernels` are tried, each with its reach and
    the degree of its trend.

    Raises
    ------
    FideleError
        When too few patches are left.
    """
    used = np.flatnonzero(keep) if keep is not None else _sound(rgb, Lab)
    if len(used) < FEWEST:
        raise FideleError(
            tr("{n} patches are too few to fit a printer by; it takes {fewest}.", n=len(used), fewest=FEWEST)
        )
    mine, colours = rgb[used], Lab[used]
    parts = _chosen(mine, colours, like, kernels)
    weights = np.array([1 / max(p.score, 1e-6) ** 4 for p in parts])
    weights /= weights.sum()
    made = Fit(parts, weights, Stated(0, 0, 0, 0, 0), np.zeros(0, np.int64), (), colours)
    loo = sum(w * p.left_out for w, p in zip(weights, parts, strict=True))
    expected = np.empty_like(Lab)
    expected[used] = colours - loo
    rest = np.setdiff1d(np.arange(len(rgb)), used)
    if len(rest):
        expected[rest] = made(rgb[rest])
    noise = float(np.sqrt(sum(w * p.noise**2 for w, p in zip(weights, parts, strict=True)).mean()))
    off = delta_e_2000(colours, expected[used])
    out = rest[np.argsort(-delta_e_2000(Lab[rest], expected[rest]))] if len(rest) else rest
    pairs = _swapped(Lab, expected, out) if keep is None else ()
    if rgb.shape[1] > 4:
        loo, error = float(np.median(off)), _ERROR_OF_MORE_INKS
    else:
        loo = float((off * spoken_for(mine)).sum())
        error = _ERROR_OF_INKS if rgb.shape[1] > 3 else _ERROR_FOLLOWING if made.follows > 0.5 else _ERROR_OF_RGB
    stated = _stated(loo, noise, _kept(parts, weights), error)
    return Fit(parts, weights, stated, out, pairs, expected)


def predictable(rgb: Floats, Lab: Floats) -> float:
    """Return by how much patches differ from what the others say of them, mean ΔE00: large where they are mixed up."""
    some = np.random.default_rng(2).permutation(len(rgb))[:_CHOOSING]
    form = Form(_shadows_closer, matern5, 1.0, 2 if len(some) >= 2 * FEWEST else 1)
    tried = _fits(form, rgb[some], Lab[some], (1e-4, 1e-2), spoken_for(rgb[some]))
    return min(float(np.median(delta_e_2000(Lab[some], Lab[some] - f.left_out))) for f in tried)


def left_out(rgb: Floats, Lab: Floats) -> Floats:
    """Return what the others say of each patch (n, 3), by one plain form."""
    form = Form(_shadows_closer, matern5, 1.0, 2 if len(rgb) >= 2 * FEWEST else 1)
    best = min(_fits(form, rgb, Lab, (1e-4, 1e-3, 1e-2), spoken_for(rgb)), key=lambda f: f.score)
    return np.asarray(Lab - best.left_out)


def _sound(rgb: Floats, Lab: Floats) -> NDArray[np.int64]:
    """Return the patches that a smooth printer can have printed.

    One plain form is fitted, each patch left out in closed form; what contradicts the others is trusted less from
    round to round, so that it does not speak for its neighbours. What the others say of a corner is a guess beyond
    them, and counts by how sure it is; where a printer is not smooth, its like contradict each other as well.
    """
    count = len(rgb)
    form = Form(_shadows_closer, matern5, 1.0, 2 if count >= 2 * FEWEST else 1)
    kernel, trend = form.basis(rgb, form.bend(rgb))
    terms = trend.shape[1]
    system = np.zeros((count + terms, count + terms))
    system[:count, count:], system[count:, :count] = trend, trend.T
    trust = np.full(count, _TRUST)
    sure, off, said = np.ones(count), np.zeros(count), np.zeros((count, 3))
    for turn in range(_TURNS):
        system[:count, :count] = kernel + np.diag(trust)
        inverse = np.linalg.inv(system)[:count, :count]
        hold = np.diag(inverse)
        if turn == 0:
            sure = np.minimum(1.0, np.sqrt(hold / np.median(hold)))
        said = (inverse @ Lab) / hold[:, None]
        off = np.asarray(delta_e_2000(Lab, Lab - said)) * sure
        usual = np.maximum(_about(rgb, off), float(np.median(off)))
        trust = _TRUST * (1 + _DISTRUST * np.maximum(off / (2.5 * usual) - 1, 0) ** 2)
    usual = np.maximum(_about(rgb, off), float(np.median(off)))
    over = off / np.maximum(_FAR, _TIMES * (1 + _SPARSE / count) * usual)
    out = [int(k) for k in np.argsort(-over)[: int(_OUT * count)] if over[k] > 1]
    return np.setdiff1d(np.arange(count), out)


def _about(rgb: Floats, off: Floats) -> Floats:
    """Return the usual difference (n,) among the neighbours of each patch."""
    from scipy.spatial import cKDTree

    near = np.asarray(cKDTree(rgb).query(rgb, min(len(rgb), 13))[1])
    return np.asarray(np.median(off[near[:, 1:]], axis=1))


def _swapped(Lab: Floats, expected: Floats, out: NDArray[np.int64]) -> tuple[tuple[int, int], ...]:
    pairs, free = [], [int(i) for i in out]
    while len(free) > 1:
        one = free.pop(0)
        crossed = [float(delta_e_2000(Lab[[one, k]], expected[[k, one]]).max()) for k in free]
        best = int(np.argmin(crossed))
        own = float(delta_e_2000(Lab[one], expected[one]))
        if crossed[best] < max(0.4 * own, 2.0):
            pairs.append((one, free.pop(best)))
    return tuple((min(p), max(p)) for p in pairs)


def spoken_for(rgb: Floats) -> Floats:
    """Return the share (n,) of the device cube that each patch speaks for: where it is the nearest."""
    from scipy.spatial import cKDTree

    _, nearest = cKDTree(rgb).query(np.random.default_rng(0).random((20_000, rgb.shape[1])))
    counts = np.bincount(nearest, minlength=len(rgb)) + 0.5
    return np.asarray(counts / counts.sum())


def _chosen(rgb: Floats, Lab: Floats, like: Model | None, kernels: Sequence[Kernel]) -> tuple[_Fitted, ...]:
    """Return the forms that predict patches which had no part in them best, fitted to all patches."""
    some = np.arange(len(rgb))
    if len(rgb) > _CHOOSING:
        some = np.sort(np.random.default_rng(1).permutation(len(rgb))[:_CHOOSING])
        corners = np.flatnonzero((np.minimum(rgb, 1 - rgb) < 1e-3).all(axis=1))
        some = np.union1d(some, corners)
    shares, best = spoken_for(rgb[some]), list[_Fitted]()
    ways: list[tuple[Model, Model | None, bool]] = [(bend, None, False) for bend in _BENDS]
    for model in () if like is None else (like, on_other_media(like, rgb, Lab)):

        def known(device: Floats, model: Model = model) -> Floats:
            return model(device) / _PLACES

        ways += [(bend, known, True) for bend in _BENDS]
        ways.append((known, None, True))
    for bend, under, follows in ways:
        for kernel, reach, degree in kernels:
            if degree == 3 and len(some) < 50:
                continue
            form = Form(bend, kernel, reach, degree, under, follows)
            # A spline asks for a trend of its own places; where that is not so, it may have no solution.
            best += sorted(_fits(form, rgb[some], Lab[some], _SMOOTHINGS, shares), key=lambda f: f.score)[:1]
    best = sorted(best, key=lambda f: f.score)[:_BLENDED]
    # Once more: by all patches where they were chosen by some, and with how much each patch counts where.
    at = looked_at(rgb.shape[1])
    whole = spoken_for(rgb)
    made = []
    for one in best:
        smoothings = _SMOOTHINGS if len(some) < len(rgb) else (one.smoothing,)
        made.append(min(_fits(one.form, rgb, Lab, smoothings, whole, at), key=lambda f: f.score))
    return tuple(made)


def _fits(
    form: Form, rgb: Floats, Lab: Floats, smoothings: tuple[float, ...], shares: Floats, at: Floats | None = None
) -> Iterator[_Fitted]:
    """Fit a form with several smoothings: the trend is taken out once, and the rest is diagonal.

    `at` are device values (m, 3) of which is to be told how much each patch counts there.
    """
    centres = form.bend(rgb)
    kernel, trend = form.basis(rgb, centres)
    whole, upper = np.linalg.qr(trend, mode="complete")
    count = trend.shape[1]
    free = whole[:, count:]
    level, turned = np.linalg.eigh(free.T @ kernel @ free)
    across = free @ turned
    aim = across.T @ Lab
    gains = [(smoothing, level + smoothing) for smoothing in smoothings if level.min() + smoothing > 1e-12]
    if not gains:
        return
    # All smoothings at once: the same sums over large arrays, made in one go.
    diagonals = (across**2) @ np.stack([1 / gain for _, gain in gains], axis=1)
    each = across @ np.concatenate([aim / gain[:, None] for _, gain in gains], axis=1)
    beneath = kernel @ each
    near = level_there = None
    if at is not None:
        there, trend_there = form.basis(at, centres)
        level_there = np.linalg.solve(upper[:count].T, trend_there.T).T @ whole[:, :count].T
        near = (there - level_there @ kernel) @ across
    for number, (smoothing, gain) in enumerate(gains):
        mine = slice(3 * number, 3 * number + 3)
        factors, diagonal = np.ascontiguousarray(each[:, mine]), diagonals[:, number]
        left_out = factors / diagonal[:, None]
        rest = whole[:, :count].T @ (Lab - beneath[:, mine] - smoothing * factors)
        of_trend = np.linalg.solve(upper[:count], rest)
        noise = np.sqrt(smoothing * (factors**2).sum(axis=0) / diagonal.sum())
        score = float((np.linalg.norm(left_out, axis=1) * shares).sum())
        counts = None
        if near is not None and level_there is not None:
            # What is left of the trend is fitted by kernels that know nothing of it: smoothing acts on them alone.
            counts = ((near - smoothing * (level_there @ across)) / gain) @ across.T + level_there
        yield _Fitted(form, smoothing, centres, factors, of_trend, left_out, noise, score, counts)


def looked_at(channels: int) -> Floats:
    """Return the device values (m, channels) at which a fit is asked how much each of its patches counts."""
    return np.random.default_rng(5).random((_LOOKED_AT, channels))


def _kept(parts: tuple[_Fitted, ...], weights: Floats) -> float:
    """Return how much of the square of the patches' noise a blend of forms keeps, 0 to 1, over all device values."""
    counts = sum(w * part.counts for w, part in zip(weights, parts, strict=True) if part.counts is not None)
    return float((np.asarray(counts) ** 2).sum(axis=1).mean())


def _stated(loo: float, noise: float, kept: float, error: tuple[float, ...]) -> Stated:
    of_loo, of_noise, of_kept, at_least, low, high = error
    beyond = max(of_loo * (loo**2 - of_noise * noise**2), 0.0)
    mean = float(np.sqrt(beyond + of_kept * kept * noise**2 + at_least * loo**2))
    return Stated(mean, low * mean, high * mean, _TAIL * mean, noise)
