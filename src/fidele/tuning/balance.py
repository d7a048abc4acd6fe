"""Curves for red, green and blue by which numbers are bent before a driver gets them that converts by itself."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from fidele.arrays import Floats

Level = Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]


class Balance(BaseModel):
    """Three curves, red, green and blue, over even levels of what would be sent; each rises from what it begins with
    to 1."""

    model_config = ConfigDict(defer_build=True, frozen=True)
    red: tuple[Level, ...] = Field(min_length=2, max_length=256)
    green: tuple[Level, ...] = Field(min_length=2, max_length=256)
    blue: tuple[Level, ...] = Field(min_length=2, max_length=256)

    def __call__(self, values: Floats) -> Floats:
        """Return what is sent instead of RGB (…, 3), 0 to 1."""
        out = np.empty(np.shape(values))
        for channel, curve in enumerate((self.red, self.green, self.blue)):
            axis = np.linspace(0, 1, len(curve))
            out[..., channel] = np.interp(values[..., channel], axis, curve)
        return out
