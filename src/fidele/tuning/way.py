"""The way of numbers where Fidele itself does not convert: what the owner is sent, and what it makes of it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import field

import numpy as np

from fidele.arrays import Floats
from fidele.dataclass import dataclass
from fidele.icc.profile import Profile
from fidele.icc.spaces import srgb
from fidele.icc.transform import Intent, as_float, convert
from fidele.tuning.balance import Balance


@dataclass(frozen=True)
class Way:
    """How artwork becomes the printer's device values where another one converts.

    Attributes
    ----------
    key
        What tells one way from another.
    words
        Who converts by what, within a sentence.
    sends, taken_for
        The space that artwork is brought into, and the one that the owner takes it for.
    profile, intent, bpc
        What the owner converts through; no profile where it does so by a correction of its own.
    correction
        What a probe of that correction returned: device values (n, 3) to device values.
    baked
        Tunings are worked into the numbers that are sent.
    """

    key: str
    words: str
    sends: Profile = field(compare=False, default_factory=srgb)
    taken_for: Profile = field(compare=False, default_factory=srgb)
    profile: Profile | None = field(compare=False, default=None)
    intent: Intent = Intent.PERCEPTUAL
    bpc: bool = False
    correction: Callable[[Floats], Floats] | None = field(compare=False, default=None)
    baked: bool = False
    #: Curves that bend what the owner is sent, None for none.
    balance: Balance | None = None

    @property
    def scales_black(self) -> bool:
        """Whether black is brought onto black, by its table, by compensation, or by a maker's correction."""
        return self.profile is None or self.bpc or self.intent in (Intent.PERCEPTUAL, Intent.SATURATION)

    def device_values(self, sent: np.ndarray) -> np.ndarray:
        """Return what the owner makes of numbers (…, 3) that it was sent, float32 from 0 to 1."""
        values = as_float(sent)
        if self.balance is not None:
            values = self.balance(values.astype(float)).astype(np.float32)
        if self.profile is not None:
            return convert(values, self.taken_for, self.profile, self.intent, self.bpc)
        if self.correction is None:
            return values
        made = self.correction(values.reshape(-1, values.shape[-1]).astype(float))
        return np.clip(made, 0, 1).astype(np.float32).reshape(values.shape)
