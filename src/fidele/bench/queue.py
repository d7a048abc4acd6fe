"""The print system between programs and driver: a queue that may convert for every program."""

from __future__ import annotations

import json
from pathlib import Path

from numpy.typing import NDArray

from fidele.arrays import Depth
from fidele.errors import FideleError
from fidele.files import read_bytes, write_bytes
from fidele.icc.profile import Profile
from fidele.icc.spaces import srgb
from fidele.icc.transform import Intent, convert
from fidele.language import tr
from fidele.values import Document, Json


class PrintQueue:
    """A queue of the print system.

    `assigned` is the path of the profile that it converts to, or None; `source` that of the profile it takes every
    program's pages for, None meaning sRGB. One that `insists` will not go without.
    """

    def __init__(self, path: Path) -> None:
        self.path = path

    def _read(self) -> Document:
        if not self.path.exists():
            return {}
        try:
            stored: Json = json.loads(read_bytes(self.path, 1 << 20))
        except ValueError:
            return {}
        return stored if isinstance(stored, dict) else {}

    def _write(self, values: Document) -> None:
        write_bytes(self.path, json.dumps(values).encode())

    @property
    def assigned(self) -> str | None:
        """Return the path of the profile assigned to the printer."""
        return _text(self._read().get("profile"))

    @property
    def source(self) -> str | None:
        """Return the path of the profile that pages are taken for, None for sRGB."""
        return _text(self._read().get("source"))

    @property
    def insists(self) -> bool:
        """Whether a printer here must have a profile."""
        return bool(self._read().get("insists"))

    def insist(self, must: bool) -> None:
        """Let the system's administrator decide that every printer must have a profile, or that none need."""
        self._write(self._read() | {"insists": must})

    def assign(self, profile: Path | None, source: Path | None = None) -> None:
        """Assign a profile to the printer for every program, or take it away.

        Raises
        ------
        FideleError
            When this system insists on one.
        """
        if profile is None and self.insists:
            raise FideleError(tr("This print system insists on a profile for each printer; give it a pass-through."))
        named = {"profile": str(profile) if profile else None, "source": str(source) if source else None}
        self._write(self._read() | named)

    def passed_on(self, page: NDArray[Depth]) -> NDArray[Depth]:
        """Return the page as it reaches the driver."""
        if self.assigned is None:
            return page
        source = Profile.open(Path(self.source)) if self.source else srgb()
        return convert(page, source, Profile.open(Path(self.assigned)), Intent.PERCEPTUAL)


def _text(kept: Json) -> str | None:
    return kept if isinstance(kept, str) else None


class SentThrough(PrintQueue):
    """A queue as it is for one job that brings a profile with it; what is assigned to the printer stays."""

    def __init__(self, queue: PrintQueue, profile: Path) -> None:
        self.path = queue.path
        self._profile = profile

    def _read(self) -> Document:
        return super()._read() | {"profile": str(self._profile), "source": None}

    def _write(self, values: Document) -> None:
        raise FideleError(tr("A profile that is sent with a job cannot be changed on its way."))
