"""Shifts all over the cube of numbers by which a print comes nearer to a look than curves and a mix bring it.

They are kept at the nodes of a coarse cube, change evenly from node to node, and are found by damped Gauss-Newton
steps in DIN99o. What they would fold is shifted less, so that no two colours become the same.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Floats
from fidele.characterise.fit import Model
from fidele.colour.uniform import lab_to_din99o
from fidele.tuning.balance import SIDE, Balance, shifted

#: What a bend from node to node costs, and what a shift does, beside colours.
_BENDS, _SHIFTS = 9.0, 1.0
#: So many steps, each no longer than so much; colours farther off than this pull less.
_TURNS, _LONGEST, _FAR = 8, 0.1, 4.0
#: The bare media is not printed on: its node is held by so much.
_HELD = 1e6
#: Nodes beside a fold shift so much less, in so many rounds; those are meant that have such a share in what folds.
_LESS, _DRAWN, _BESIDE = 0.75, 50, 0.1
#: Of the room between colours so much stays everywhere, at least; where there was less room than this, all that counts
#: is that nothing folds that could be seen.
_ROOM, _NARROW, _FOLD = 0.1, 0.05, 0.02


def shifted_toward(given: Balance, model: Model, sent: Floats, wanted: Floats, counts: Floats) -> Balance:
    """Return curves and mix with shifts that bring numbers nearer to what is wanted of them.

    Parameters
    ----------
    model
        Numbers (n, 3) to the L*a*b* (n, 3) that they print.
    sent, wanted, counts
        Numbers (n, 3), the L*a*b* (n, 3) wanted of them, and what each counts (n,).
    """
    search = _Search(given, model, sent, lab_to_din99o(wanted), counts)
    shifts = search()
    for _ in range(_DRAWN):
        made = given.model_copy(update={"shifts": tuple(np.round(shifts, 4).ravel().tolist())})
        folds = _folds(made, given)
        if len(folds) == 0:
            return made
        around = [_shares(folds + step).max(axis=0) for step in 0.03 * np.concatenate([np.eye(3), -np.eye(3)])]
        shifts[np.max(around, axis=0) > _BESIDE] *= _LESS
    return given


class _Search:
    """Finds shifts (nodes, 3)."""

    def __init__(self, given: Balance, model: Model, sent: Floats, goal: Floats, counts: Floats) -> None:
        self._model, self._goal, self._counts = model, goal, counts
        self._where, self._start, self._bends = _shares(sent), given(sent), _second_differences()

    def __call__(self) -> Floats:
        nodes, start = SIDE**3, self._start
        cost = np.kron(np.eye(3), _BENDS * self._bends.T @ self._bends) + _SHIFTS * np.eye(3 * nodes)
        held = np.arange(nodes - 1, 3 * nodes, nodes)
        cost[held, held] += _HELD
        shifts = np.zeros((nodes, 3))
        for _ in range(_TURNS):
            by = self._where @ shifts
            at = shifted(start, by)
            off = self._goal - self._seen(at)
            room = np.where(by > 0, 1 - start, start)
            follows = (room / (room + np.abs(by) + 1e-9)) ** 2  # a shift near an end moves less than it says
            pull = self._counts / (1 + (np.linalg.norm(off, axis=1) / _FAR) ** 2) ** 0.25
            rows = np.empty((len(start), 3, 3, nodes))
            for channel in range(3):
                step = 0.01 * np.eye(3)[channel]
                slope = (self._seen(at + step) - self._seen(at - step)) / 0.02
                rows[:, :, channel] = (slope * follows[:, [channel]] * pull[:, None])[:, :, None] * self._where[:, None]
            every, left = rows.reshape(-1, 3 * nodes), (pull[:, None] * off).ravel()
            here = shifts.T.ravel()
            moved = np.linalg.solve(every.T @ every + cost, every.T @ left - cost @ here)
            shifts = shifts + np.clip(moved.reshape(3, -1).T, -_LONGEST, _LONGEST)
        shifts[-1] = 0
        return shifts

    def _seen(self, numbers: Floats) -> Floats:
        return lab_to_din99o(self._model(np.clip(numbers, 0, 1)))


def _shares(values: Floats) -> Floats:
    """Return the share (n, nodes) of each node in what stands at places (n, 3), tetrahedral as `Balance` reads it."""
    place = np.clip(values, 0, 1) * (SIDE - 1)
    low = np.minimum(place.astype(int), SIDE - 2)
    part = place - low
    order = np.argsort(-part, axis=1, kind="stable")
    ranked = np.take_along_axis(part, order, axis=1)
    steps = np.array([SIDE * SIDE, SIDE, 1])
    node, rows = low @ steps, np.arange(len(values))
    made, before = np.zeros((len(values), SIDE**3)), np.ones(len(values))
    for rank in range(3):
        made[rows, node] += before - ranked[:, rank]
        before, node = ranked[:, rank], node + steps[order[:, rank]]
    made[rows, node] += before
    return made


def _second_differences() -> Floats:
    """Return what each line of nodes bends by at each inner node, (m, nodes)."""
    number: NDArray[np.int64] = np.arange(SIDE**3).reshape(SIDE, SIDE, SIDE)
    rows = []
    for axis in range(3):
        lines = np.moveaxis(number, axis, 0)
        for before, here, after in zip(lines[:-2].ravel(), lines[1:-1].ravel(), lines[2:].ravel(), strict=True):
            row = np.zeros(SIDE**3)
            row[[before, here, after]] = 1.0, -2.0, 1.0
            rows.append(row)
    return np.array(rows)


def _folds(made: Balance, given: Balance) -> Floats:
    """Return where (m, 3) neighbouring colours change places, or come much nearer to each other than without shifts."""
    axis = np.linspace(0.04, 0.96, 13)
    grid = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1).reshape(-1, 3)

    def room(balance: Balance) -> Floats:
        slopes = [(balance(grid + step) - balance(grid - step)) / 0.02 for step in 0.01 * np.eye(3)]
        return np.asarray(np.linalg.det(np.stack(slopes, axis=2)))

    before = room(given)
    return grid[room(made) < np.where(before > _NARROW, _ROOM * before, np.minimum(before, 0) - _FOLD)]
