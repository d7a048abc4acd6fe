"""The scanner's profile and how far it is to be trusted, kept beside the shelf."""

from __future__ import annotations

import datetime
import json
from dataclasses import replace
from pathlib import Path

from fidele.characterise.scanner import ScannerFit
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.files import write_bytes
from fidele.icc.profile import Profile
from fidele.icc.text import text_of
from fidele.language import tr
from fidele.statefile import StateFile

#: A scanner has drifted where it is off by so many times what it was, and by at least so much more, ΔE00.
_DRIFT, _LEAST = 1.6, 0.3
_KEPT = 50


@dataclass(frozen=True)
class ScannerSeen:
    """What a scan of a target said: when, and the mean ΔE00 to the target's known values."""

    when: datetime.datetime
    mean: float


@dataclass(frozen=True)
class ScannerRecord:
    """Where the scanner's profile lies, and how far it is to be trusted.

    Attributes
    ----------
    made_mean, residual_p95
        Its residual on held-out patches, ΔE00 (nan when that is not known).
    seen
        What scans of a target said of it since, oldest first.
    """

    path: Path | None
    made_mean: float = 0.0
    residual_p95: float = 0.0
    seen: tuple[ScannerSeen, ...] = ()

    @property
    def residual_mean(self) -> float:
        """How far readings are off on average: as when it was made, or as the last target said where that is more."""
        return max(self.made_mean, self.seen[-1].mean) if self.seen else self.made_mean

    @property
    def drifted(self) -> bool:
        """Whether the last target says that it sees otherwise than when its profile was made."""
        return bool(self.seen) and self.seen[-1].mean > max(_DRIFT * self.made_mean, self.made_mean + _LEAST)

    @staticmethod
    def load(data: Path) -> ScannerRecord:
        """Read the record of a workshop; an empty one when the scanner was never characterised."""
        return ScannerRecord._file(data / "scanner").read()

    @staticmethod
    def _file(folder: Path) -> StateFile[ScannerRecord]:
        def parse(kept: bytes) -> ScannerRecord:
            said = json.loads(kept)
            mean, p95 = (float(said[name]) for name in ("mean", "p95"))
            seen = tuple(
                ScannerSeen(datetime.datetime.fromisoformat(one["when"]), float(one["mean"]))
                for one in said.get("seen", ())
            )
            return ScannerRecord(folder / "scanner.icc", mean, p95, seen)

        return StateFile(folder / "scanner.json", parse, lambda: ScannerRecord(None))

    @staticmethod
    def keep(data: Path, fit: ScannerFit) -> ScannerRecord:
        """Write a fit as the workshop's scanner."""
        folder = data / "scanner"
        write_bytes(folder / "scanner.icc", fit.profile)
        numbers = {"mean": fit.residual_mean, "p95": fit.residual_p95, "patches": fit.patches}
        ScannerRecord._file(folder).write(json.dumps(numbers).encode())
        return ScannerRecord(folder / "scanner.icc", fit.residual_mean, fit.residual_p95)

    @staticmethod
    def add(data: Path, seen: ScannerSeen) -> ScannerRecord:
        """Keep what a scan of a target said of the workshop's scanner."""
        now = ScannerRecord.load(data)
        every = (*now.seen, seen)[-_KEPT:]
        numbers = {
            "mean": now.made_mean,
            "p95": now.residual_p95,
            "seen": [{"when": one.when.isoformat(), "mean": one.mean} for one in every],
        }
        ScannerRecord._file(data / "scanner").write(json.dumps(numbers).encode())
        return replace(now, seen=every)

    def profile(self) -> Profile:
        """Return the scanner's profile.

        Raises
        ------
        FideleError
            When the scanner has not been characterised.
        """
        if self.path is None:
            raise FideleError(tr("The scanner has no profile yet: characterise it from a reference target first."))
        return Profile.open(self.path)

    @property
    def title(self) -> str:
        """The profile's name, or that there is none."""
        return text_of(self.profile(), "desc") if self.path else "none"
