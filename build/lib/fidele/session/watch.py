"""Artwork that is changed on disk while it is in hand: noticed, and followed."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from fidele.artwork.open import open_artwork
from fidele.artwork.picture import Artwork
from fidele.artwork.replace import worked
from fidele.errors import FideleError
from fidele.files import stamp_of
from fidele.language import tr
from fidele.session.live import Live
from fidele.session.piece import Piece
from fidele.session.seen import Stamp
from fidele.session.sources import Sources
from fidele.session.state import PiecesChanged

#: What was read again: number of the piece, stamp of its file, and the artwork or why it cannot be had.
Again = tuple[int, Stamp, Artwork | str]


class Watch:
    """Looks whether the files of the pictures in hand are still those that were read."""

    def __init__(self, live: Live, sources: Sources) -> None:
        self._live, self._sources = live, sources
        #: What could not be read again, by number of the piece: a sentence.
        self.lost: dict[int, str] = {}
        self._seen: dict[int, Stamp] = {}
        self._tried: set[int] = set()

    def due(self, stamps: dict[Path, Stamp]) -> list[Piece]:
        """Return the pictures that are to be read again, by the stamps of their files as they are now.

        Their file is another one than was read, or is gone, and was left alone since the last look. What was tried is
        not asked for again until it changes once more.
        """
        pictures = [p for p in self._live.state.pieces if p.chart is None and p.opened.path in stamps]
        changed = [p for p in pictures if stamps[p.opened.path] != p.stamp]
        numbers = {p.number for p in changed}
        gone = [n for n in self.lost if n not in numbers]
        self.lost = {n: s for n, s in self.lost.items() if n in numbers}
        self._seen = {n: s for n, s in self._seen.items() if n in numbers}
        self._tried &= numbers
        due = []
        for piece in changed:
            now = stamps[piece.opened.path]
            if self._seen.get(piece.number) != now:
                self._seen[piece.number] = now  # somebody may still be writing: once it rests, it is read
                self._tried.discard(piece.number)
            elif piece.number not in self._tried:
                self._tried.add(piece.number)
                due.append(piece)
        if gone:
            self._live.judge()
        return due

    def reading(self, due: list[Piece]) -> Callable[[], list[Again]]:
        """Return the work of reading pictures again, to be done beside the interface."""
        supposing = self._sources.supposing()

        def read() -> list[Again]:
            found: list[Again] = []
            for piece in due:
                path, page = piece.opened.path, max(0, piece.opened.page) or None
                stamp = stamp_of(path)
                try:
                    again: Artwork | str = open_artwork(path, suppose=supposing.of(path), page=page)
                except FideleError as error:
                    again = str(error)
                found.append((piece.number, stamp, again))
            return found

        return read

    def take(self, found: list[Again]) -> None:
        """Follow what was read again; what could not be read is told."""
        if not found:
            return
        live = self._live
        pieces = live.state.pieces
        for number, stamp, again in found:
            piece = next((p for p in pieces if p.number == number), None)
            if piece is None:
                continue
            if isinstance(again, str):
                self.lost[number] = again
                continue
            self.lost.pop(number, None)
            followed = _followed(piece, again, stamp)
            pieces = tuple(followed if p is piece else p for p in pieces)
            live.say(tr("{name} was changed elsewhere; it is shown as it is now.", name=piece.name))
        live.change(PiecesChanged(pieces, live.state.current))
        live.refresh()

    def look(self) -> None:
        """Follow files that were changed and are now left alone, at once."""
        pieces = self._live.state.pieces
        self.take(self.reading(self.due({p.opened.path: stamp_of(p.opened.path) for p in pieces}))())


def _followed(piece: Piece, again: Artwork, stamp: Stamp) -> Piece:
    """Return a piece as its file is now: worked on and placed as before, its proportions those of the file."""
    kind = again.profile.header.colour_space
    if piece.opened.slip.kind == "chosen" and kind == piece.opened.profile.header.colour_space:
        again = replace(again, profile=piece.opened.profile, slip=piece.opened.slip)
    copies, was = piece.copies, piece.opened.width / piece.opened.height
    if piece.behind is None and abs(again.width / again.height / was - 1) > 1e-3:
        shape = again.height / again.width
        copies = tuple(replace(c, placing=c.placing.sized(c.placing.width, c.placing.width * shape)) for c in copies)
    return replace(
        piece, opened=again, artwork=worked(again, piece.replacements, piece.mirrored), stamp=stamp, copies=copies
    )
