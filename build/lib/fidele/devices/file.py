"""A file as a print device: TIFF of any length, or PNG and PDF with its output intent."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

from fidele.arrays import Codes
from fidele.devices.protocol import Sent
from fidele.icc.profile import Profile
from fidele.sheet.write import write_sheet
from fidele.tiles import CancelledError, Progress

_ROWS = 512


class FileOutput:
    """Writes each page to one path; `profile` is what the file says of its numbers, None for nothing."""

    def __init__(self, path: Path, profile: Profile | None, ppi: int) -> None:
        self.path = path
        self._profile = profile
        self._ppi = ppi

    def print_page(self, page: Codes, progress: Progress | None = None) -> Sent:
        """Write a page, whole or not at all; return what was written.

        Raises
        ------
        FideleError
            When it cannot be written so.
        CancelledError
            When `progress` returned False.
        """
        height, width = page.shape[:2]

        def bands() -> Iterator[tuple[int, Codes]]:
            for first in range(0, height, _ROWS):
                if progress is not None and not progress(first / height):
                    raise CancelledError
                yield first, page[first : first + _ROWS]

        write_sheet(self.path, bands(), (width, height), self._profile, self._ppi)
        return Sent({"file": str(self.path), "bytes": self.path.stat().st_size, "pixels": [width, height]})
