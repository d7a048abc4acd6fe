"""The scanner's profile and how far it is to be trusted, kept beside the shelf."""

from __future__ import annotations

import json
from dataclasses import dataclass
from pathlib import Path

from fidele.characterise.scanner import ScannerFit
from fidele.errors import FideleError
from fidele.files import write_bytes
from fidele.icc.profile import Profile
from fidele.icc.text import text_of
from fidele.statefile import StateFile


@dataclass(frozen=True)
class ScannerRecord:
    """Where the scanner's profile lies, and its residual on held-out patches, ΔE00 (nan when that is not known)."""

    path: Path | None
    residual_mean: float = 0.0
    residual_p95: float = 0.0

    @staticmethod
    def load(data: Path) -> ScannerRecord:
        """Read the record of a workshop; an empty one when the scanner was never characterised."""
        return ScannerRecord._file(data / "scanner").read()

    @staticmethod
    def _file(folder: Path) -> StateFile[ScannerRecord]:
        def parse(kept: bytes) -> ScannerRecord:
            mean, p95 = (float(json.loads(kept)[name]) for name in ("mean", "p95"))
            return ScannerRecord(folder / "scanner.icc", mean, p95)

        return StateFile(folder / "scanner.json", parse, lambda: ScannerRecord(None))

    @staticmethod
    def keep(data: Path, fit: ScannerFit) -> ScannerRecord:
        """Write a fit as the workshop's scanner."""
        folder = data / "scanner"
        write_bytes(folder / "scanner.icc", fit.profile)
        numbers = {"mean": fit.residual_mean, "p95": fit.residual_p95, "patches": fit.patches}
        ScannerRecord._file(folder).write(json.dumps(numbers).encode())
        return ScannerRecord(folder / "scanner.icc", fit.residual_mean, fit.residual_p95)

    def profile(self) -> Profile:
        """Return the scanner's profile.

        Raises
        ------
        FideleError
            When the scanner has not been characterised.
        """
        if self.path is None:
            raise FideleError("The scanner has no profile yet: characterise it from a reference target first.")
        return Profile.open(self.path)

    @property
    def title(self) -> str:
        """The profile's name, or that there is none."""
        return text_of(self.profile(), "desc") if self.path else "none"
