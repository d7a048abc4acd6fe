"""Jigs: places for blanks as they lie in the press; pieces are laid on a sheet so that each lies on its blank."""

from __future__ import annotations

from dataclasses import replace

from fidele.errors import FideleError
from fidele.language import tr
from fidele.session.blanks import Blank, Jig, Spot, behind_blank
from fidele.session.laying import Key
from fidele.session.live import Live
from fidele.session.piece import Copy, Piece
from fidele.session.pieces import Changes, Pieces
from fidele.session.sheet import Sheet
from fidele.sheet.placing import Placing


class Jigs:
    """The jigs of a workshop, and what is done with the one that the condition lies in."""

    def __init__(self, live: Live, sheet: Sheet, pieces: Pieces) -> None:
        self._live, self._sheet, self._pieces = live, sheet, pieces

    @property
    def current(self) -> Jig | None:
        """The jig that the condition in force is pressed with, None for none."""
        card = self._live.state.card
        return self._sheet.blanks.jig(card.sheet.jig) if card is not None else None

    def places(self) -> list[tuple[Spot, Blank, Placing]]:
        """Return every place of the jig: its blank, and where a print covers it with its bleed; unknown blanks are left
        out."""
        jig, found = self.current, []
        for spot in jig.places if jig is not None else ():
            blank = self._sheet.blanks.blank(spot.blank)
            if blank is not None:
                wide, high = blank.printed
                found.append((spot, blank, Placing(spot.x - wide / 2, spot.y - high / 2, wide, high, spot.angle)))
        return found

    def keep(self, name: str) -> Jig:
        """Keep where pieces with a blank lie on the sheet that is looked at as a jig; a step that can be undone.

        Raises
        ------
        FideleError
            When it has no name, or no piece on the sheet has a blank.
        """
        name = name.strip()
        if not name:
            raise FideleError(tr("A jig needs a name."))
        page = self._sheet.shown
        lying = [(p.blank, c.placing) for p, _, c in self._sheet.copies(page) if p.blank]
        if not lying:
            raise FideleError(tr("A jig is made of pieces that lie on blanks: choose a blank for each piece first."))
        spots = tuple(Spot(blank, round(at.centre[0], 2), round(at.centre[1], 2), at.angle) for blank, at in lying)
        media = self._sheet.media(page)
        jig = Jig(name, media.width, media.height, spots)
        before, blanks = self._sheet.blanks.jigs, self._sheet.blanks
        after = (*(j for j in before if j.name != name), jig)
        self._live.history.do(
            tr("Keep the jig “{name}”", name=name), lambda: blanks.keep_jigs(after), lambda: blanks.keep_jigs(before)
        )
        return jig

    def forget(self, name: str) -> None:
        """Forget a jig, a step that can be undone."""
        before, blanks = self._sheet.blanks.jigs, self._sheet.blanks
        after = tuple(j for j in before if j.name != name)
        self._live.history.do(
            tr("Forget the jig “{name}”", name=name), lambda: blanks.keep_jigs(after), lambda: blanks.keep_jigs(before)
        )

    def fill(self) -> None:
        """Lay the pieces of the sheet into the places, in their order, on as many sheets as it takes.

        A single piece takes every place of its blank; of several, each takes as many places as it has copies. A piece
        without a blank that the jig has takes that of the first place that is free.

        Raises
        ------
        FideleError
            When there is no jig, or nothing that could lie in it.
        """
        places = self.places()
        if not places:
            raise FideleError(tr("The condition has no jig, or none of its blanks is known any more."))
        mine = [p for p in self._sheet.pieces if p.chart is None and p.panels is None]
        if not mine:
            raise FideleError(tr("Nothing is in hand that could lie in the jig."))
        free = [list(places)]
        changes: dict[int, Changes] = {}
        for piece in mine:
            names = {spot.blank for spot, _, _ in places}
            first = next((left[0][0].blank for left in free if left), places[0][0].blank)
            blank = self._sheet.blanks.blank(piece.blank if piece.blank in names else first)
            assert blank is not None, tr("places without a known blank are left out")
            wanted = len(piece.copies)
            if len(mine) == 1 and wanted == 1:
                wanted = sum(spot.blank == blank.name for spot, _, _ in places)
            copies = [self._next(free, places, blank) for _ in range(wanted)]
            changes[piece.number] = _on(piece, blank, tuple(copies))
        self._pieces.change_many(tr("Fill the jig"), changes)

    @staticmethod
    def _next(
        free: list[list[tuple[Spot, Blank, Placing]]], places: list[tuple[Spot, Blank, Placing]], blank: Blank
    ) -> Copy:
        """Take the first place that is free for a blank, on a further sheet where there is none."""
        page = 0
        while True:
            if page == len(free):
                free.append(list(places))
            for one in free[page]:
                if one[1].name == blank.name:
                    free[page].remove(one)
                    return Copy(one[2], page)
            page += 1

    def drop(self, key: Key, at: int) -> None:
        """Put a copy into a place of the jig; a piece that lies there alone takes the place's blank.

        Raises
        ------
        FideleError
            When several copies of the piece are made for another blank.
        """
        _, blank, placing = self.places()[at]
        piece = next(p for p in self._sheet.pieces if p.number == key[0])
        if piece.blank != blank.name and len(piece.copies) > 1:
            raise FideleError(
                tr(
                    "{name} has {n} copies for {blank}: the place is one for “{name2}”. Choose that blank for all "
                    "of them first.",
                    name=piece.name,
                    n=len(piece.copies),
                    blank=piece.blank or tr("no blank"),
                    name2=blank.name,
                )
            )
        copies = list(piece.copies)
        copies[key[1]] = replace(copies[key[1]], placing=placing)
        self._pieces.change_many(
            tr("Into the jig: {name}", name=blank.name), {piece.number: _on(piece, blank, tuple(copies))}
        )


def _on(piece: Piece, blank: Blank, copies: tuple[Copy, ...]) -> Changes:
    """Return what changes of a piece that goes on a blank."""
    behind = behind_blank(blank, *piece.artwork.own_mm)
    return {"copies": copies, "blank": blank.name, "behind": behind, "shape": blank.printed_shape}
