"""The print system between programs and driver: a queue that may convert for every program."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from fidele.files import read_bytes, write_bytes
from fidele.icc.profile import Profile
from fidele.icc.spaces import srgb
from fidele.icc.transform import Intent, convert


class PrintQueue:
    """A queue of the print system; `assigned` is the path of the profile it converts to from sRGB, or None."""

    def __init__(self, path: Path) -> None:
        self.path = path
        if not path.exists():
            self.assign(None)

    @property
    def assigned(self) -> str | None:
        """Return the path of the profile assigned to the printer."""
        try:
            stored: Any = json.loads(read_bytes(self.path, 1 << 20))
        except ValueError:
            return None
        return stored.get("profile") if isinstance(stored, dict) else None

    def assign(self, profile: Path | None) -> None:
        """Assign a profile to the printer for every program, or take it away."""
        write_bytes(self.path, json.dumps({"profile": str(profile) if profile else None}).encode())

    def passed_on(self, page: NDArray[np.uint8]) -> NDArray[np.uint8]:
        """Return the page as it reaches the driver."""
        if self.assigned is None:
            return page
        return convert(page, srgb(), Profile.open(Path(self.assigned)), Intent.PERCEPTUAL)
