"""Artwork that is changed on disk while it is in hand: noticed, and followed."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from fidele.artwork.open import open_artwork
from fidele.artwork.picture import Artwork
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

    def due(self) -> list[Piece]:
        """Return the pictures that are to be read again: changed, and left alone since the last look.

        What was tried is not asked for again until it changes once more.
        """
        changed = self.changed()
        numbers = {p.number for p in changed}
        gone = [n for n in self.lost if n not in numbers]
        self.lost = {n: s for n, s in self.lost.items() if n in numbers}
        self._seen = {n: s for n, s in self._seen.items() if n in numbers}
        self._tried &= numbers
        due = []
        for piece in changed:
            now = stamp_of(piece.opened.path)
            if self._seen.get(piece.number) != now:
                self._seen[piece.number] = now  # somebody may still be writing: once it rests, it is read
                self._tried.discard(piece.number)
            elif piece.number not in self._tried:
                self._tried.add(piece.number)
                due.append(piece)
        if gone:
            self._session.judge_again()
        return due

    def read(self, due: list[Piece]) -> list[tuple[int, tuple[int, int], Artwork | str]]:
        """Read pictures again: number, stamp, and the artwork or why it cannot be had. Can run beside the interface."""
        found: list[tuple[int, tuple[int, int], Artwork | str]] = []
        for piece in due:
            path, stamp = piece.opened.path, stamp_of(piece.opened.path)
            page = max(0, piece.opened.page) or None
            try:
                again = open_artwork(path, suppose=self._session.sources.suppose(path), page=page)
                found.append((piece.number, stamp, again))
            except FideleError as error:
                found.append((piece.number, stamp, str(error)))
        return found

    def take(self, found: list[tuple[int, tuple[int, int], Artwork | str]]) -> None:
        """Follow what was read again; what could not be read is told."""
        if not found:
            return
        pieces, session = self._session.pieces, self._session
        for number, stamp, again in found:
            piece = next((p for p in pieces.all if p.number == number), None)
            if piece is None:
                continue
            if isinstance(again, str):
                self.lost[number] = again
                continue
            self.lost.pop(number, None)
            followed = _followed(piece, again, stamp)
            pieces.all = tuple(followed if p is piece else p for p in pieces.all)
            session.say(f"{piece.name} was changed elsewhere; it is shown as it is now.")
        session.losses = None
        session.tell("artwork")
        session.refresh()

    def look(self) -> None:
        """Follow files that were changed and are now left alone, at once."""
        self.take(self.read(self.due()))

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


def _followed(piece: Piece, again: Artwork, stamp: tuple[int, int]) -> Piece:
    """Return a piece as its file is now: worked on and placed as before, its proportions those of the file."""
    kind = again.profile.header.colour_space
    if piece.opened.slip.kind == "chosen" and kind == piece.opened.profile.header.colour_space:
        again = replace(again, profile=piece.opened.profile, slip=piece.opened.slip)
    worked = replaced(again.pixels, piece.replacements) if piece.replacements else again.pixels
    copies, was = piece.copies, piece.opened.width / piece.opened.height
    if piece.behind is None and abs(again.width / again.height / was - 1) > 1e-3:
        shape = again.height / again.width
        copies = tuple(replace(c, placing=c.placing.sized(c.placing.width, c.placing.width * shape)) for c in copies)
    return replace(piece, opened=again, artwork=replace(again, pixels=worked), stamp=stamp, copies=copies)
