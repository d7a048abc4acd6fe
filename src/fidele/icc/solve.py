"""Find the device values that give a wanted colour, or the nearest one that can be had."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from fidele.arrays import Floats
from fidele.colour.uniform import lab_to_din99o
from fidele.dataclass import dataclass


@dataclass(frozen=True)
class Solution:
    """Device values (n, channels) from 0 to 1 and what is left, in DIN99o units (n,)."""

    device: Floats
    residual: Floats


def solve(
    forward: Callable[[Floats], Floats],
    Lab: Floats,
    start: Floats,
    iterations: int = 30,
    metric: Callable[[Floats], Floats] = lab_to_din99o,
    box: tuple[float, float] = (0.0, 1.0),
    moving: Sequence[int] | None = None,
) -> Solution:
    """Minimise the distance between forward(device) and `Lab` inside the box of device values.

    Levenberg-Marquardt for all points at once, with variables that press against the box held there. Distances are
    taken in DIN99o, which is Euclidean and close to ΔE00, so that a colour outside the gamut lands on the point of
    its surface that looks nearest.

    Parameters
    ----------
    forward
        Device values (n, channels) to L*a*b* (n, 3).
    Lab
        Wanted colours (n, 3).
    start
        Device values (n, channels) to begin with; where there are more than three, one of the many ways is found.
    moving
        The channels that may be changed; the others stay as they begin. None for all of them.
    """
    from fidele.kernels.steps import damped_steps

    low, high = box
    device = np.clip(start, low, high).copy()
    wanted = metric(Lab)
    error = metric(forward(device)) - wanted
    cost = (error**2).sum(axis=1)
    damping = np.full(len(device), 1e-2)
    step = 3e-4 * (high - low)
    active = np.arange(len(device))
    free = list(range(device.shape[1]) if moving is None else moving)
    for _ in range(iterations):
        here, wrong = device[active], error[active]
        seen = wrong + wanted[active]
        jacobian = np.empty((len(active), 3, len(free)))
        for number, axis in enumerate(free):
            beside = here.copy()  # on one side is enough, for what is left is squared: half of the colours to compute
            beside[:, axis] += np.where(here[:, axis] + step > high, -step, step)
            slope = metric(forward(beside)) - seen
            jacobian[:, :, number] = slope / (beside[:, axis] - here[:, axis])[:, None]
        trial, moved = here.copy(), np.empty((len(active), len(free)))
        damped_steps(jacobian, wrong, np.ascontiguousarray(here[:, free]), damping[active], low, high, moved)
        trial[:, free] = moved
        trial_error = metric(forward(trial)) - wanted[active]
        trial_cost = (trial_error**2).sum(axis=1)
        better = trial_cost < cost[active]
        improved = active[better]
        gained = cost[improved] - trial_cost[better]
        device[improved], error[improved], cost[improved] = trial[better], trial_error[better], trial_cost[better]
        damping[active] = np.where(better, np.maximum(damping[active] / 4, 1e-9), damping[active] * 6)
        done = np.zeros(len(active), bool)
        done[better] = gained < 1e-10 + 1e-7 * cost[improved]
        done |= damping[active] > 1e6
        active = active[~done]
        if len(active) == 0:
            break
    return Solution(device, np.sqrt(cost))
