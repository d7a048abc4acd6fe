"""Steps of a search in a box."""

from __future__ import annotations

import numpy as np
from numba import njit


@njit(nogil=True, cache=True, fastmath=False)
def damped_steps(jacobian, wrong, here, damping, low, high, out):
    """One Levenberg-Marquardt step for each of n points in a box, into out (n, k): see `fidele.icc.solve`.

    jacobian (n, m, k), wrong (n, m), here (n, k), damping (n,). What presses against the box is held there.
    """
    n, m, k = jacobian.shape
    normal, right = np.empty((k, k)), np.empty(k)
    for i in range(n):
        for a in range(k):
            slope = 0.0
            for r in range(m):
                slope += jacobian[i, r, a] * wrong[i, r]
            held = (here[i, a] <= low and slope > 0) or (here[i, a] >= high and slope < 0)
            right[a] = 0.0 if held else slope
            normal[a, a] = -1.0 if held else 0.0
        for a in range(k):
            if normal[a, a] < 0:  # held: its row says that it stays
                for b in range(k):
                    if b != a:
                        normal[a, b] = normal[b, a] = 0.0
                normal[a, a] = 1.0 + damping[i] * 1e-3
                continue
            for b in range(a, k):
                if b > a and normal[b, b] < 0:
                    normal[a, b] = normal[b, a] = 0.0
                    continue
                total = 0.0
                for r in range(m):
                    total += jacobian[i, r, a] * jacobian[i, r, b]
                if b == a:
                    normal[a, a] = total + damping[i] * max(total, 1e-3)
                else:
                    normal[a, b] = normal[b, a] = total
        # Symmetric and positive: eliminated as it stands.
        for a in range(k):
            for b in range(a + 1, k):
                share = normal[b, a] / normal[a, a]
                if share != 0.0:
                    for c in range(a, k):
                        normal[b, c] -= share * normal[a, c]
                    right[b] -= share * right[a]
        for a in range(k - 1, -1, -1):
            left = right[a]
            for b in range(a + 1, k):
                left -= normal[a, b] * right[b]
            right[a] = left / normal[a, a]
            out[i, a] = min(max(here[i, a] - right[a], low), high)
