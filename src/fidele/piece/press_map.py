"""What several pieces show alike: where the press, not the piece, is pale or dark."""

from __future__ import annotations

import json
from collections.abc import Sequence
from pathlib import Path

import numpy as np

from fidele.arrays import Floats
from fidele.dataclass import dataclass
from fidele.files import read_bytes, write_bytes
from fidele.language import tr
from fidele.piece.where import PieceMap, parts_of

#: Cells down and across to which maps of pieces of any shape are brought.
_CELLS = (12, 18)
#: So many pieces tell the press from the piece; so much L* is named.
FEWEST, _NAMED = 3, 1.5
#: By how many of its own errors a part must be off to be the press's.
_SURE = 3.0
_LARGEST = 1 << 20


@dataclass(frozen=True, eq=False)
class PressMap:
    """The mean of maps of several pieces (rows, columns), L*; and the error of that mean as pieces scatter."""

    off: Floats
    error: Floats
    pieces: int

    def words(self) -> list[str]:
        """Name the parts that are paler or darker on all of them."""
        said = []
        for (name, off), (_, error) in zip(parts_of(self.off), parts_of(self.error), strict=True):
            by = float(np.mean(off)) if len(off) else 0.0
            # Cells of one part err together: their errors are not averaged away.
            if abs(by) >= _NAMED and abs(by) > _SURE * float(np.mean(error)):
                said.append(
                    (
                        abs(by),
                        (
                            tr("the {name} is {by:.1f} paler", name=name, by=abs(by))
                            if by > 0
                            else tr("the {name} is {by:.1f} darker", name=name, by=abs(by))
                        ),
                    )
                )
        parts = [words for _, words in sorted(said, reverse=True)[:3]]
        if not parts:
            return [tr("Over {pieces} pieces the press is even.", pieces=self.pieces)]
        return [
            tr(
                "Over {pieces} pieces alike, {parts}: look at the press's heat and pressure there.",
                pieces=self.pieces,
                parts=tr(" and ").join(parts),
            )
        ]


def press_map(maps: Sequence[PieceMap]) -> PressMap | None:
    """Return what maps of pieces have in common, None where there are too few or they show too little."""
    import cv2

    usable = [m.off for m in maps if np.isfinite(m.off).mean() > 0.2]
    if len(usable) < FEWEST:
        return None
    rows, columns = _CELLS
    brought = []
    for off in usable:
        known = np.isfinite(off).astype(np.float32)
        filled = np.where(known > 0, off, 0.0).astype(np.float32)
        share = cv2.resize(known, (columns, rows), interpolation=cv2.INTER_AREA)
        value = cv2.resize(filled, (columns, rows), interpolation=cv2.INTER_AREA)
        brought.append(np.where(share > 0.3, value / np.maximum(share, 1e-6), np.nan))
    stack = np.stack(brought).astype(float)
    count = np.isfinite(stack).sum(axis=0)
    enough = count >= FEWEST
    mean = np.where(enough, np.nansum(stack, axis=0) / np.maximum(count, 1), np.nan)
    spread = np.nansum((stack - mean) ** 2, axis=0) / np.maximum(count - 1, 1)
    return PressMap(mean, np.where(enough, np.sqrt(spread / np.maximum(count, 1)), np.nan), len(usable))


def keep_map(path: Path, made: PieceMap) -> None:
    """Keep the map of a piece as JSON; null where nothing is known."""
    rows = [[round(float(v), 2) if np.isfinite(v) else None for v in row] for row in made.off]
    write_bytes(path, json.dumps({"off_L": rows}).encode())


def kept_map(path: Path) -> PieceMap | None:
    """Return a map that was kept, None where it is missing or damaged."""
    from fidele.errors import FideleError

    try:
        rows = json.loads(read_bytes(path, _LARGEST))["off_L"]
        off = np.array([[np.nan if v is None else float(v) for v in row] for row in rows], dtype=float)
    except (FideleError, ValueError, KeyError, TypeError):
        return None
    return PieceMap(off) if off.ndim == 2 and min(off.shape, default=0) >= 3 else None
