"""The sheet: what lies on it, on which media, and the jobs that come of it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

from fidele.devices.devices import Devices
from fidele.errors import FideleError
from fidele.icc.profile import Profile
from fidele.language import tr
from fidele.route.condition import Card
from fidele.route.sharing import why_not
from fidele.run.job import Job, Lying
from fidele.run.signs import STRIP_ROOM, around
from fidele.session.blanks import Blanks
from fidele.session.live import Live
from fidele.session.piece import Copy, PanelPlan, Piece
from fidele.session.state import SheetChosen
from fidele.sheet.panels import Panels, panels
from fidele.sheet.placing import Media, Placing
from fidele.sheet.shapes import area, covered
from fidele.store.cards import CardStore
from fidele.store.shelf import Shelf

#: A roll on which nothing lies yet is shown so long, in mm; and none is shorter than the second.
_EMPTY, _SHORTEST = 297.0, 20.0


class Sheet:
    """The sheet of the current picture: those pieces that lie on it together, on one or several sheets of media."""

    def __init__(self, live: Live, cards: CardStore, shelf: Shelf, devices: Devices, blanks: Path) -> None:
        self._live, self._kept_cards, self._shelf, self._devices = live, cards, shelf, devices
        self.blanks = Blanks(blanks)
        self._parted: tuple[object, Panels] | None = None
        self._cards: dict[str, tuple[bytes | None, Card]] = {}

    @property
    def own(self) -> str:
        """Name of the own sheet that lies in, '' for the one that the card calls for."""
        card = self._live.state.card
        return card.sheet.own if card is not None else ""

    @property
    def page(self) -> int:
        """Which of several sheets is looked at, from 0."""
        return self._live.state.page

    @page.setter
    def page(self, page: int) -> None:
        self._live.change(SheetChosen(page))

    # What lies on it ---------------------------------------------------------------------------------------------

    @property
    def pieces(self) -> tuple[Piece, ...]:
        """The pictures that lie together with the current one; a chart and a piece in panels lie alone."""
        current = self._live.state.piece
        if current is None:
            return ()
        if current.chart is not None or current.panels is not None or current.bare:
            return (current,)
        return tuple(
            p
            for p in self._live.state.pieces
            if p.together == current.together and p.chart is None and p.panels is None and not p.bare
        )

    def copies(self, page: int | None = None) -> Iterator[tuple[Piece, int, Copy]]:
        """Yield piece, index and copy of everything that lies on a sheet; None for all sheets."""
        for piece in self.pieces:
            for index, copy in enumerate(piece.copies):
                if page is None or copy.page == page:
                    yield piece, index, copy

    @property
    def panels(self) -> Panels | None:
        """How the current piece is parted, None where it is whole.

        Raises
        ------
        FideleError
            When it cannot be parted as it was asked for.
        """
        current = self._live.state.piece
        plan = current.panels if current is not None else None
        if current is None or plan is None:
            return None
        return self.parted(current.placing.width, current.placing.height, plan)

    def parted(self, width: float, height: float, plan: PanelPlan) -> Panels:
        """Return the panels that a plan makes of a piece of this size in mm, with room for their signs.

        Raises
        ------
        FideleError
            When they cannot be had so.
        """
        side, beneath = self._around
        wide, high = self.room()
        wide -= 2 * side
        high = high - 2 * side - beneath if high else 0.0
        most = plan.largest
        room = (min(wide, most[0] or wide), min(high or most[1], most[1] or high) if high or most[1] else 0.0)
        key = (width, height, room, plan.overlap, plan.keep_clear, plan.columns, plan.rows, plan.across, plan.down)
        if self._parted is None or self._parted[0] != key:
            count, pinned = (plan.columns, plan.rows), (plan.across, plan.down)
            made = panels(width, height, room, plan.overlap, plan.keep_clear, count, pinned)
            self._parted = (key, made)
        return self._parted[1]

    @property
    def _panels(self) -> Panels | None:
        """The panels where they can be had as they were asked for; the findings say where they cannot."""
        try:
            return self.panels
        except FideleError:
            return None

    @property
    def pages(self) -> int:
        """How many sheets it takes."""
        parted = self._panels
        if parted is not None:
            return len(parted.panels)
        return 1 + max((copy.page for _, _, copy in self.copies()), default=0)

    @property
    def shown(self) -> int:
        """The sheet that is looked at."""
        return min(self.page, self.pages - 1)

    # Media -------------------------------------------------------------------------------------------------------

    @property
    def base(self) -> Media:
        """What the card calls for, or the own sheet that lies in; of a roll its width counts."""
        card = self._live.state.card
        device = self._devices.of(card)
        media = device.media(card.size, card.feed) if card else device.media("A4")
        own = self.blanks.sheet(self.own)
        return own.media(media) if own is not None and own.printed_as == media.name and not media.roll else media

    def media(self, page: int = 0) -> Media:
        """Return what a sheet is printed on; a roll is cut to what is needed."""
        base = self.base
        if not base.roll:
            return base
        _, end = base.inset
        current = self._live.state.piece
        parted = self._panels
        if parted is not None:
            side, beneath = self._around
            used = parted.panels[min(page, len(parted.panels) - 1)].height + end + 2 * side + beneath
        elif current is not None and current.chart is not None:
            used = current.placing.bounds[3]
        else:
            side, beneath = self._around
            lowest = [covered(p.shape, c.placing)[3] + side + beneath for p, _, c in self.copies(page)]
            used = max(lowest, default=_EMPTY)
        strip = STRIP_ROOM if self.wants_strip else 0.0
        return replace(base, height=max(_SHORTEST, used + end + strip))

    @property
    def wants_strip(self) -> bool:
        """Whether the condition asks for a control strip on this sheet."""
        state = self._live.state
        return state.card is not None and state.card.sheet.strip and state.chart is None

    @property
    def _around(self) -> tuple[float, float]:
        """What each piece needs around it and beneath it for its signs, in mm."""
        card = self._live.state.card
        return around(card.sheet) if card is not None else (0.0, 0.0)

    def _room(self, media: Media) -> tuple[float, float]:
        """Return the width and height that pieces can take of a sheet; 0 for as much as is needed."""
        wide, high = media.room
        if min(wide, 1.0 if media.roll else high) <= 0:
            raise FideleError(tr("{name} is smaller than its margins: nothing can be printed on it.", name=media.name))
        if high and self.wants_strip:
            high -= STRIP_ROOM
        return wide, high

    def room(self) -> tuple[float, float]:
        """Return the width and height, in mm, that pieces can take of a sheet; 0 for as much as is needed.

        Raises
        ------
        FideleError
            When the media is smaller than its margins.
        """
        return self._room(self.base)

    # Conditions --------------------------------------------------------------------------------------------------

    def card_of(self, piece: Piece) -> Card:
        """Return the condition that a piece is pressed by."""
        card = self._live.state.need_card()
        if not piece.card or piece.card == card.id:
            return card
        kept = self._kept_cards.kept(piece.card)
        known = self._cards.get(piece.card)
        if known is None or known[0] != kept:
            try:
                known = (kept, self._kept_cards.read(piece.card))
            except FideleError:
                return card  # it was taken away meanwhile
            self._cards[piece.card] = known
        return known[1]

    def profile_of(self, card: Card) -> Profile | None:
        """Return the profile of a condition, None where it has none or none that is here.

        Of the condition in force, where it has none, it is what measured pages tell: by that its pieces are judged.
        """
        mine = self._live.state.card
        if mine is not None and card.id == mine.id:
            return self._live.state.shown_by
        if mine is not None and card.profile == mine.profile:
            return self._live.state.profile
        return self._shelf.load(card.profile) if card.profile else None

    def disagreements(self) -> list[tuple[Piece, list[str]]]:
        """Return the pieces that cannot share this sheet, with the reasons."""
        card = self._live.state.card
        if card is None:
            return []
        found = [(p, why_not(card, self.card_of(p))) for p in self.pieces if p.card and p.card != card.id]
        return [(p, reasons) for p, reasons in found if reasons]

    def sharing(self) -> list[tuple[Card, list[str]]]:
        """Return every other condition with the reasons why its pieces cannot lie on this sheet."""
        card = self._live.state.card
        if card is None:
            return []
        return [(c, why_not(card, c)) for c in self._kept_cards.cards() if c.id != card.id]

    # What comes of it --------------------------------------------------------------------------------------------

    def use(self, page: int | None = None) -> float:
        """Return the share of a sheet, or of all, that is covered by pieces."""
        parted = self._panels
        if parted is not None:
            shares = [
                (p.width * p.height, self.media(k).width * self.media(k).height)
                for k, p in enumerate(parted.panels)
                if page is None or k == page
            ]
            return sum(a for a, _ in shares) / max(1e-9, sum(m for _, m in shares))
        covered = sum(c.placing.width * c.placing.height * area(p.shape) for p, _, c in self.copies(page))
        sheets = range(self.pages) if page is None else (page,)
        media = sum(self.media(k).width * self.media(k).height for k in sheets)
        return covered / max(media, 1e-9)

    def job(self, page: int | None = None) -> Job:
        """Return what would be printed of a sheet, None for the one that is looked at.

        Raises
        ------
        FideleError
            When there is nothing on it, or no profile to convert through, or the pieces cannot share it.
        """
        state = self._live.state
        current, card = state.need_piece(), state.need_card()
        number = self.shown if page is None else page
        media = self.media(number)
        if min(media.room[0], media.height) <= 0:
            raise FideleError(tr("{name} is smaller than its margins: nothing can be printed on it.", name=media.name))
        if current.chart is not None:
            if not current.bare:
                self._need_profile(card, state.profile)
            one = Lying(current.artwork, current.placing, card, state.profile)
            return Job((one,), card, current.chart, current.chart_page, current.bare, media)
        for piece, reasons in self.disagreements():
            raise FideleError(tr("{name} cannot share this sheet: {reasons}.", name=piece.name, reasons=reasons[0]))
        parted = self.panels
        if parted is not None:
            return Job((self._panel(current, card, parted, number, media),), card, media=media)
        lying = []
        for piece, index, copy in self.copies(number):
            own = self.card_of(piece)
            profile = self.profile_of(own)
            if not current.bare:
                self._need_profile(own, profile)
            lying.append(
                Lying(
                    piece.artwork,
                    copy.placing,
                    own,
                    profile,
                    piece.tuning,
                    piece.keep,
                    piece.replacements,
                    piece.behind,
                    piece.shape,
                    index + 1,
                    len(piece.copies),
                    mirrored=piece.mirrored,
                )
            )
        if not lying:
            raise FideleError(tr("Nothing lies on this sheet."))
        # Where none is pressed by the condition in force, the sheet is that of the first: their printing sides agree.
        mine = card if any(one.card.id == card.id for one in lying) else lying[0].card
        return Job(tuple(lying), mine, bare=current.bare, media=media)

    @staticmethod
    def _need_profile(card: Card, profile: Profile | None) -> None:
        if card.owner == "fidele" and profile is None:
            raise FideleError(tr("Fidele is to convert but has no output profile; choose one from the shelf."))

    def _panel(self, piece: Piece, card: Card, parted: Panels, number: int, media: Media) -> Lying:
        panel = parted.panels[number]
        (side, end), (around, _) = media.inset, self._around
        placing = Placing(side + around, end + around, panel.width, panel.height)
        x, y, wide, high = piece.behind or (0.0, 0.0, piece.placing.width, piece.placing.height)
        profile = self.profile_of(card)
        self._need_profile(card, profile)
        return Lying(
            piece.artwork,
            placing,
            card,
            profile,
            piece.tuning,
            piece.keep,
            piece.replacements,
            (x - panel.x, y - panel.y, wide, high),
            copy=number + 1,
            copies=len(parted.panels),
            panel=panel.name,
            mirrored=piece.mirrored,
        )

    def jobs(self) -> list[Job]:
        """Return a job for each sheet that is to be printed; of panels, those that are not skipped."""
        current = self._live.state.need_piece()
        parted = self.panels
        if parted is not None and current.panels is not None:
            skip = current.panels.skip
            return [self.job(k) for k, panel in enumerate(parted.panels) if panel.name not in skip]
        return [self.job(k) for k in range(self.pages) if any(True for _ in self.copies(k)) or current.chart]
