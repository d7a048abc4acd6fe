"""Kinds of arrays that pass between packages."""

from __future__ import annotations

from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

#: Pixels in any depth: 8 or 16 bit codes of full range, or float 0 to 1 (L*a*b* in its own units).
Pixels: TypeAlias = NDArray[np.uint8 | np.uint16 | np.float32]
#: Pixels as codes of 8 or 16 bits.
Codes: TypeAlias = NDArray[np.uint8 | np.uint16]
Floats: TypeAlias = NDArray[np.float64]
