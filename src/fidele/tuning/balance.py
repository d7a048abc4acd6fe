"""Curves for red, green and blue, a mix of the three, and shifts all over the cube, by which numbers are bent before a
driver gets them that converts by itself."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field, model_validator

from fidele.arrays import Floats

Level = Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]
Share = Annotated[float, Field(ge=-4, le=4, allow_inf_nan=False)]
#: Shares of red, green and blue that make one channel.
Shares = tuple[Share, Share, Share]
Shift = Annotated[float, Field(ge=-1, le=1, allow_inf_nan=False)]
#: Nodes along an edge of the cube at which shifts are kept.
SIDE = 5
Shifts = Annotated[tuple[Shift, ...], Field(min_length=3 * SIDE**3, max_length=3 * SIDE**3)]


class Balance(BaseModel):
    """Three curves, red, green and blue, over even levels of what would be sent; each rises from what it begins with
    to 1. Before them channels may be mixed: colours turn, greys stay what they are. After them each colour may be
    shifted in a way of its own."""

    model_config = ConfigDict(defer_build=True, frozen=True)
    red: tuple[Level, ...] = Field(min_length=2, max_length=256)
    green: tuple[Level, ...] = Field(min_length=2, max_length=256)
    blue: tuple[Level, ...] = Field(min_length=2, max_length=256)
    #: What red, green and blue are made of, each sums to 1; None leaves colours where they are.
    mixing: tuple[Shares, Shares, Shares] | None = None
    #: What is added to red, green and blue at the nodes of the cube, in C order; None for nothing.
    shifts: Shifts | None = None

    @model_validator(mode="after")
    def _greys_stay(self) -> Balance:
        if self.mixing is not None and any(abs(sum(row) - 1) > 1e-6 for row in self.mixing):
            raise ValueError("the shares of a channel sum to 1")
        return self

    def __call__(self, values: Floats) -> Floats:
        """Return what is sent instead of RGB (…, 3), 0 to 1."""
        asked = values
        if self.mixing is not None:
            values = mixed(values, np.array(self.mixing))
        out = np.empty(np.shape(values))
        for channel, curve in enumerate((self.red, self.green, self.blue)):
            axis = np.linspace(0, 1, len(curve))
            out[..., channel] = np.interp(values[..., channel], axis, curve)
        if self.shifts is not None:
            out = shifted(out, _shift_at(np.asarray(asked), np.array(self.shifts, np.float32)))
        return out


def mixed(values: Floats, shares: Floats) -> Floats:
    """Mix RGB (…, 3), 0 to 1, by shares (3, 3) whose rows sum to 1.

    What would be pushed out of the range is drawn in along its way from grey, the more the farther it lay out: no two
    colours of a way become the same, and the purest stays the purest.
    """
    grey = values.mean(axis=-1, keepdims=True)
    apart = values - grey
    turned = apart @ shares.T
    room = np.maximum(grey, 1e-12), np.maximum(1 - grey, 1e-12)

    def reach(colours: Floats) -> Floats:
        return np.asarray(np.maximum(colours / room[1], -colours / room[0]).max(axis=-1, keepdims=True))

    drawn_in = 1 + np.maximum(reach(turned) - reach(apart), 0)
    return np.asarray(np.clip(grey + turned / drawn_in, 0, 1))


def shifted(values: Floats, by: Floats) -> Floats:
    """Shift RGB (…, 3), 0 to 1, by so much (…, 3): the less the nearer to an end, so that no two become the same."""
    room = np.where(by > 0, 1 - values, values)
    return np.asarray(values + by * room / (room + np.abs(by) + 1e-12))


def _shift_at(values: Floats, shifts: NDArray[np.float32]) -> Floats:
    from fidele.kernels.grids import tetrahedral3

    flat = np.ascontiguousarray(np.clip(values, 0, 1).reshape(-1, 3), np.float32)
    out = np.empty_like(flat)
    tetrahedral3(flat, shifts.reshape(SIDE, SIDE, SIDE, 3), out)
    return out.reshape(values.shape).astype(float)
