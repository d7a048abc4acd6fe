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
#: How far a profile that somebody else made is taken to be off, mean ΔE00, until a target has said it: another unit
#: of the scanner, other lamp hours.
_ELSEWHERE = 1.5


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
        Its residual on held-out patches, ΔE00; where somebody else made it, what it is taken for.
    seen
        What scans of a target said of it since, oldest first.
    elsewhere
        Its content id where it came from elsewhere, '' where it was made here.
    """

    path: Path | None
    made_mean: float = 0.0
    residual_p95: float = 0.0
    seen: tuple[ScannerSeen, ...] = ()
    elsewhere: str = ""

    @property
    def known(self) -> bool:
        """Whether anybody has measured how far it is off."""
        return self.path is not None and (not self.elsewhere or bool(self.seen))

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
    def of_another(data: Path, path: Path, profile_id: str) -> ScannerRecord:
        """Return the record of a profile that came from elsewhere, with what a target said of it here."""
        seen = _others(data / "scanner").read().get(profile_id, ())
        mean = seen[0].mean if seen else _ELSEWHERE
        return ScannerRecord(path, mean, 2 * mean, seen, profile_id)

    @staticmethod
    def _file(folder: Path) -> StateFile[ScannerRecord]:
        def parse(kept: bytes) -> ScannerRecord:
            said = json.loads(kept)
            mean, p95 = (float(said[name]) for name in ("mean", "p95"))
            return ScannerRecord(folder / "scanner.icc", mean, p95, _parsed(said.get("seen", ())))

        return StateFile(folder / "scanner.json", parse, lambda: ScannerRecord(None))

    @staticmethod
    def keep(data: Path, fit: ScannerFit) -> ScannerRecord:
        """Write a fit as the workshop's scanner."""
        folder = data / "scanner"
        write_bytes(folder / "scanner.icc", fit.profile)
        numbers = {"mean": fit.residual_mean, "p95": fit.residual_p95, "patches": fit.patches}
        ScannerRecord._file(folder).write(json.dumps(numbers).encode())
        return ScannerRecord(folder / "scanner.icc", fit.residual_mean, fit.residual_p95)

    def add(self, data: Path, seen: ScannerSeen) -> ScannerRecord:
        """Keep what a scan of a target said of this scanner."""
        every = (*self.seen, seen)[-_KEPT:]
        if self.elsewhere and self.path is not None:
            file = _others(data / "scanner")
            kept = {of: _written(some) for of, some in (file.read() | {self.elsewhere: every}).items()}
            file.write(json.dumps(kept).encode())
            return ScannerRecord.of_another(data, self.path, self.elsewhere)
        numbers = {"mean": self.made_mean, "p95": self.residual_p95, "seen": _written(every)}
        ScannerRecord._file(data / "scanner").write(json.dumps(numbers).encode())
        return replace(self, seen=every)

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


def _others(folder: Path) -> StateFile[dict[str, tuple[ScannerSeen, ...]]]:
    """Return what targets said of profiles from elsewhere, by content id."""

    def parse(kept: bytes) -> dict[str, tuple[ScannerSeen, ...]]:
        return {of: _parsed(some) for of, some in json.loads(kept).items()}

    return StateFile(folder / "elsewhere.json", parse, dict)


def _parsed(kept: list[dict]) -> tuple[ScannerSeen, ...]:
    return tuple(ScannerSeen(datetime.datetime.fromisoformat(one["when"]), float(one["mean"])) for one in kept)


def _written(seen: tuple[ScannerSeen, ...]) -> list[dict]:
    return [{"when": one.when.isoformat(), "mean": one.mean} for one in seen]
