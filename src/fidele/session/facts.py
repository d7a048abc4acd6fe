"""All that is known at a moment, gathered from the session's parts for the judge."""

from __future__ import annotations

import datetime
from collections.abc import Callable
from dataclasses import replace

from fidele.artwork.picture import Artwork
from fidele.devices.devices import Devices
from fidele.devices.protocol import Printer
from fidele.errors import FideleError
from fidele.judge.facts import CheckFacts, Facts, OnSheet, PictureFacts, ProfileFacts, SheetFacts
from fidele.judge.sheet import too_large
from fidele.papers.guess import likeness
from fidele.proof.advice import Content, content_of
from fidele.route.condition import Card
from fidele.route.layers import MEANINGS
from fidele.run.job import strip_placing
from fidele.run.reading import Checked
from fidele.session.checking import Checking
from fidele.session.live import Live
from fidele.session.piece import Piece
from fidele.session.pieces import Pieces
from fidele.session.profiles import Profiles
from fidele.session.readiness import Readiness
from fidele.session.remember import Remembered
from fidele.session.sheet import Sheet
from fidele.session.sources import Sources
from fidele.session.watch import Watch
from fidele.sheet.placing import Media, Placing
from fidele.sheet.shapes import covered
from fidele.tuning.way import Way
from fidele.values import Json


class Gathering:
    """Gathers the facts of a session."""

    def __init__(
        self,
        live: Live,
        devices: Devices,
        profiles: Profiles,
        sources: Sources,
        pieces: Pieces,
        sheet: Sheet,
        checking: Checking,
        readiness: Readiness,
        watch: Watch,
        damaged: Callable[[], tuple[tuple[str, str], ...]],
        way: Callable[[Card], tuple[Way | None, str]],
    ) -> None:
        self._live, self._devices, self._profiles, self._sources = live, devices, profiles, sources
        self._pieces, self._sheet, self._checking = pieces, sheet, checking
        self._readiness, self._watch, self._damaged = readiness, watch, damaged
        self._way = way
        self._contents: Remembered[Content] = Remembered()

    @property
    def content(self) -> Content | None:
        """What sits in the picture in hand."""
        artwork = self._live.state.artwork
        return None if artwork is None else self.content_of(artwork)

    def content_of(self, artwork: Artwork) -> Content:
        """Return what sits in a picture. Can run beside the interface, which then finds it known."""
        known = self._contents.get(artwork.pixels)
        if known is None:
            known = content_of(artwork.laid, artwork.profile)
            self._contents.keep(artwork.pixels, known)
        return known

    def facts(self, card: Card) -> Facts:
        """Return what is known of the card in force and the work in hand."""
        state, now = self._live.state, datetime.datetime.now()
        way, unknown = self._way(card) if card.profile is None or state.profile is not None else (None, "")
        chain, run = state.chain, state.run
        device = self._devices.of(card)
        mirrored = chain is not None and chain.twists % 2 == 1
        pieces = self._sheet.pieces
        missing = card.profile is not None and state.profile is None
        same = (e.id for e in self._profiles.shelf.known() if card.profile_title and e.title == card.profile_title)
        return Facts(
            card,
            chain,
            state.route.rows,
            state.route.status,
            here=state.route.here,
            bare=state.bare,
            missing=missing,
            instead=next(same, "") if missing else "",
            contradictions=_contradictions(device, card) if state.route.here else (),
            same_name=_same_name(device, card) if state.route.here else "",
            way=way,
            way_unknown=unknown,
            tuned=tuple(p.name for p in pieces if p.tuning is not None and p.tuning.moves),
            purified=tuple(p.name for p in pieces if p.keep),
            profile=self._profile(card),
            chart=state.chart is not None or state.bare,
            picture=self._picture(state.piece) if state.piece is not None else None,
            lost=tuple((p.name, self._watch.lost[p.number]) for p in pieces if p.number in self._watch.lost),
            sheet=self._on_sheet(pieces, mirrored) if pieces else None,
            losses=state.losses,
            contrast=state.contrast,
            unchecked=self._checking.due(card, now.date()),
            new_lots=self._checking.new_lots(card),
            not_ready=self._readiness.failed(card),
            readiness=self._readiness.due(card, state.chart is not None, now),
            receipt=(run.number, _words(run.receipt.get("differs"))) if run is not None else None,
            check=_check(state.checked) if state.checked is not None else None,
            damaged=self._damaged(),
            known=state.shown_by is not None,
            known_off=state.by_pages.error if state.by_pages is not None else 0.0,
            counting=state.by_pages.counting if state.by_pages is not None else 0,
            curved=self._curved(state.piece),
            now=now,
        )

    def _profile(self, card: Card) -> ProfileFacts | None:
        """Return what is known of the card's profile where anybody converts through it."""
        entry, device = self._profiles.in_force, self._devices.of(card)
        if entry is None or self._live.state.profile is None or card.owner == "driver":
            return None
        row = self._profiles.row(entry)
        valid = {
            meaning: frozenset(
                str(v) for value in said.values for v in device.settings_of({meaning: (value,)}).values()
            )
            for meaning, said in row.papers.said.items()
        }
        return ProfileFacts(
            row.title,
            row.papers,
            row.fit,
            entry.description.intents,
            device.id,
            valid,
            frozenset(device.vocabulary().values),
            device.best_quality(str(card.driver.get("stand_in"))),
            _now(device),
        )

    def _picture(self, piece: Piece) -> PictureFacts:
        artwork, content = piece.artwork, self.content
        doubt, printer = self._sources.doubt(artwork), self._live.state.profile
        if piece.chart is not None or piece.bare:
            return PictureFacts(artwork, printer, "" if piece.bare else doubt)
        placing = replace(piece.placing, width=piece.picture_width)
        fine = content is not None and content.flat
        return PictureFacts(artwork, printer, doubt, self._pieces.quality(), placing, fine)

    def _curved(self, piece: Piece | None) -> str:
        blank = self._sheet.blanks.blank(piece.blank) if piece is not None and piece.blank else None
        return blank.name if blank is not None and blank.around else ""

    def _on_sheet(self, pieces: tuple[Piece, ...], mirrored: bool) -> SheetFacts:
        sheet = self._sheet
        base = sheet.base
        if pieces[0].panels is not None:
            try:
                parted = sheet.panels
            except FideleError as error:
                return SheetFacts(base, parted=True, unparted=str(error))
            return SheetFacts(base, parted=True, through=parted.through if parted is not None else ())
        if pieces[0].chart is not None:
            return SheetFacts(base, alone=True)
        copies = tuple(
            OnSheet(piece.name, copy.page, copy.placing, covered(piece.shape, copy.placing))
            for piece, _, copy in sheet.copies()
        )
        known = SheetFacts(base, mirrored, copies)
        larger = too_large(known) if base.room[0] > 0 else []
        media = sheet.media(sheet.shown)
        strip = media.name if sheet.wants_strip and strip_placing(media) is None else ""
        return replace(
            known,
            larger=self._larger(larger[0]) if larger else "",
            turns=bool(larger) and _holds(base, larger[0], turned=True),
            stretched=tuple((p.name, p.number, by) for p in pieces if (by := stretched(p))),
            apart=tuple((p.name, p.number, tuple(reasons)) for p, reasons in sheet.disagreements()),
            strip=strip,
        )

    def _larger(self, placing: Placing) -> str:
        """Return the first size of the card's printer that holds a placed picture, '' where none does."""
        card = self._live.state.need_card()
        device = self._devices.of(card)
        sizes = {size: device.media(size, card.feed) for size in device.sizes()}
        return next((s for s, m in sizes.items() if _holds(m, placing) or _holds(m, placing, turned=True)), "")


def _now(device: Printer) -> dict[str, str]:
    """Return what a driver is set to, by meaning; nothing where it cannot be read."""
    try:
        return {choice.meaning: str(choice.value) for choice in device.choices() if choice.meaning}
    except FideleError:
        return {}


def _contradictions(device: Printer, card: Card) -> tuple[tuple[str, str], ...]:
    """Return label and value of settings of a card that do not go with its others in this driver."""
    found = []
    for meaning, value in card.driver.items():
        try:
            offered = [v for v, _ in device.offers(meaning, card.driver)]
        except FideleError:  # its driver cannot be read: that is said elsewhere
            return ()
        if offered and value not in offered:
            found.append((MEANINGS[meaning], str(value)))
    return tuple(found)


def _same_name(device: Printer, card: Card) -> str:
    """Return the driver's own name for a card's media, where the card sets another one."""
    asked = str(card.driver.get("stand_in", ""))
    mine = {m.name: likeness(card.media, m.name, device.name) for m in device.stand_ins()}
    best = max(mine, key=lambda name: mine[name], default="")
    return best if best and mine[best] == 1.0 and best != asked else ""


def _holds(media: Media, placing: Placing, turned: bool = False) -> bool:
    """Tell whether a sheet holds what a placing covers, as it lies or turned by 90°."""
    left, top, right, bottom = media.printable
    x0, y0, x1, y1 = placing.bounds
    wide, high = (y1 - y0, x1 - x0) if turned else (x1 - x0, y1 - y0)
    return wide <= right - left + 0.05 and (media.roll or high <= bottom - top + 0.05)


def stretched(piece: Piece) -> float:
    """Return by how much a piece is wider than its file's proportions ask for; 0.1 for a tenth, 0 where it is not."""
    if piece.behind is not None:
        return 0.0
    by = piece.placing.width / piece.placing.height / (piece.artwork.width / piece.artwork.height) - 1
    return by if abs(by) > 0.01 else 0.0


def _words(differs: Json) -> tuple[str, ...]:
    return tuple(map(str, differs)) if isinstance(differs, list) else ()


def _check(checked: Checked) -> CheckFacts:
    reading = checked.reading
    if reading is None:
        return CheckFacts(checked.comparison, checked.cause, cautions=checked.cautions)
    clipped = int(reading.clipped.sum())
    return CheckFacts(checked.comparison, checked.cause, reading.mirrored, clipped, checked.cautions)
