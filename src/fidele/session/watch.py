"""Artwork that is changed on disk while it is in hand: noticed, and followed."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from fidele.artwork.open import open_artwork
from fidele.artwork.replace import replaced
from fidele.errors import FideleError
from fidele.route.finding import Finding

if TYPE_CHECKING:
    from fidele.session.model import Session
    from fidele.session.pieces import Piece


def stamp_of(path: Path) -> tuple[int, int]:
    """Return size and time of change of a file, (0, 0) where it is not there."""
    try:
        found = path.stat()
    except OSError:
        return 0, 0
    return found.st_size, found.st_mtime_ns


class Watch:
    """Looks whether the files of the pictures in hand are still those that were read."""

    def __init__(self, session: Session) -> None:
        self._session = session
        #: What could not be read again, by number of the piece: a sentence.
        self.lost: dict[int, str] = {}
        self._seen: dict[int, tuple[int, int]] = {}
        self._tried: set[int] = set()

    def changed(self) -> list[Piece]:
        """Return the pictures whose file is another one than was read, or is gone."""
        return [p for p in self._session.pieces.all if p.chart is None and stamp_of(p.opened.path) != p.stamp]

    def look(self) -> None:
        """Follow files that were changed and are now left alone; what cannot be read is told once."""
        pieces = self._session.pieces
        changed = self.changed()
        numbers = {p.number for p in changed}
        lost = {n: s for n, s in self.lost.items() if n in numbers}
        self._seen = {n: s for n, s in self._seen.items() if n in numbers}
        moved = False
        for piece in changed:
            now = stamp_of(piece.opened.path)
            if self._seen.get(piece.number) != now:
                self._seen[piece.number] = now  # somebody may still be writing: once it rests, it is read
                self._tried.discard(piece.number)
            elif piece.number not in self._tried:
                self._tried.add(piece.number)
                lost.pop(piece.number, None)
                try:
                    followed = self._followed(piece)
                    pieces.all = tuple(followed if p is piece else p for p in pieces.all)
                    moved = True
                except FideleError as error:
                    lost[piece.number] = str(error)
        if lost != self.lost or moved:
            self.lost = lost
            self._session.losses = None
            self._session.tell("artwork")
            self._session.refresh()

    def _followed(self, piece: Piece) -> Piece:
        """Return a piece as its file is now: worked on and placed as before, its proportions those of the file."""
        path = piece.opened.path
        stamp = stamp_of(path)
        again = open_artwork(path, suppose=self._session.sources.suppose(path), page=max(0, piece.opened.page) or None)
        kind = again.profile.header.colour_space
        if piece.opened.slip.kind == "chosen" and kind == piece.opened.profile.header.colour_space:
            again = replace(again, profile=piece.opened.profile, slip=piece.opened.slip)
        worked = replaced(again.pixels, piece.replacements) if piece.replacements else again.pixels
        self._session.say(f"{path.name} was changed elsewhere; it is shown as it is now.")
        copies = piece.copies
        if piece.behind is None:
            was = piece.opened.width / piece.opened.height
            if abs(again.width / again.height / was - 1) > 1e-3:
                copies = tuple(
                    replace(c, placing=c.placing.sized(c.placing.width, c.placing.width * again.height / again.width))
                    for c in copies
                )
        return replace(piece, opened=again, artwork=replace(again, pixels=worked), stamp=stamp, copies=copies)

    def findings(self, pieces: list[Piece]) -> list[Finding]:
        """Return a stop for each of some pictures whose file cannot be read as it was any more."""
        return [
            Finding(
                "artwork-lost",
                "stop",
                f"{piece.name} cannot be read any more",
                f"{self.lost[piece.number]} What is shown is what was read before; it could not be printed again.",
                "Bring the file back, or lay the picture aside.",
                desk="artwork",
            )
            for piece in pieces
            if piece.number in self.lost
        ]
