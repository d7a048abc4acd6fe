"""The pictures in hand, one of them current; what is changed of them are steps that can be undone."""

from __future__ import annotations

import datetime
from collections.abc import Callable
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np

from fidele import units
from fidele.artwork.open import open_artwork
from fidele.artwork.picture import Artwork, SourceSlip
from fidele.artwork.quality import Quality, quality_of
from fidele.artwork.replace import Replacement, worked
from fidele.chart.definition import Chart
from fidele.errors import FideleError
from fidele.files import stamp_of, write_bytes
from fidele.icc.profile import Profile
from fidele.icc.transform import black_of, white_of
from fidele.language import tr
from fidele.proof.losses import colours_of
from fidele.run.chart_page import chart_placing
from fidele.session.live import Live
from fidele.session.piece import Copy, Piece
from fidele.session.places import Places
from fidele.session.remember import Remembered
from fidele.session.sheet import Sheet
from fidele.session.sources import Sources
from fidele.session.state import PiecesChanged, Touched
from fidele.sheet.placing import Placing, fitted
from fidele.tuning.model import Tuning, TuningStore

#: Fields of a piece that are to change.
Changes = dict[str, Any]
#: What of a piece can change without its colours changing.
_ON_SHEET = {"copies", "sheet", "card", "blank", "behind", "shape", "panels"}


class Pieces:
    """All pictures in hand."""

    def __init__(self, live: Live, sources: Sources, sheet: Sheet, places: Places) -> None:
        self._live, self._sources, self._sheet, self._work = live, sources, sheet, places.work
        self.tunings = TuningStore(places.data / "tunings")
        self._quality: Remembered[Quality] = Remembered()

    # Which -------------------------------------------------------------------------------------------------------

    @property
    def all(self) -> tuple[Piece, ...]:
        """The pictures in hand, in the order in which they came."""
        return self._live.state.pieces

    @property
    def current(self) -> Piece | None:
        """The picture that the desks show."""
        return self._live.state.piece

    def need(self) -> Piece:
        """Return the current picture; an error where there is none."""
        return self._live.state.need_piece()

    def select(self, number: int) -> None:
        """Take another picture in hand as the current one."""
        before, chosen = self.current, next((p for p in self.all if p.number == number), None)
        if chosen is not None and chosen is not before:
            # On the same sheet the print of it is still the one in hand.
            self._take(self.all, number, before is not None and before.together == chosen.together)

    def step(self, by: int) -> None:
        """Go to the next picture, or the one before."""
        if self.current is not None:
            at = self.all.index(self.current)
            self.select(self.all[(at + by) % len(self.all)].number)

    def lay_aside(self, number: int) -> None:
        """Put a picture out of hand, as a step that can be undone."""
        before, current = self.all, self._live.state.current
        gone = next((p for p in before if p.number == number), None)
        if gone is None:
            return
        at = before.index(gone)
        after = tuple(p for p in before if p is not gone)
        then = after[min(at, len(after) - 1)].number if after else 0

        name = tr("Lay {name} aside", name=gone.opened.path.name)
        shown = current if current != number else then
        self._live.history.do(name, lambda: self._take(after, shown), lambda: self._take(before, current))
        self._live.say(tr("{name} is closed; the file is where it was.", name=gone.opened.path.name))

    def _take(self, pieces: tuple[Piece, ...], current: int, same_sheet: bool = False) -> None:
        self._live.change(PiecesChanged(pieces, current, same_print=same_sheet))
        self._live.refresh()

    # Coming in ---------------------------------------------------------------------------------------------------

    def open(self, path: Path, page: int | None = None) -> None:
        """Open a picture beside those in hand; one that is open already is read anew.

        Raises
        ------
        FideleError
            When it cannot be opened.
        """
        artwork = open_artwork(path, suppose=self._sources.suppose(path), page=page)
        self.adopt(artwork, None)
        self._live.say(
            tr(
                "{name} opened: {width} x {height} pixels, {words}.",
                name=path.name,
                width=artwork.width,
                height=artwork.height,
                words=artwork.slip.words,
            )
        )

    def adopt(self, artwork: Artwork, chart: Chart | None, bare: bool = False, page: int = 0) -> None:
        """Take a picture in hand; it takes the place of one from the same file, and a chart that of another chart.

        Of a chart this is one `page`; with `bare` nothing is to convert it.
        """
        pieces, number = self._with(self.all, artwork, chart, bare, page)
        self._take(pieces, number)

    def adopt_all(self, artworks: list[Artwork]) -> None:
        """Take pictures in hand, all at once."""
        pieces, number = self.all, 0
        for artwork in artworks:
            pieces, number = self._with(pieces, artwork, None)
        if artworks:
            self._take(pieces, number)

    def _with(
        self, pieces: tuple[Piece, ...], artwork: Artwork, chart: Chart | None, bare: bool = False, page: int = 0
    ) -> tuple[tuple[Piece, ...], int]:
        copies = (Copy(self._place(artwork, chart)),)
        stamp = stamp_of(artwork.path) if chart is None else (0, 0)
        piece = Piece(artwork, artwork, copies, chart, bare=bare, chart_page=page, stamp=stamp)
        same = [p for p in pieces if p.opened.path == artwork.path and (p.chart is None) == (chart is None)]
        same = same or [p for p in pieces if chart is not None and p.chart is not None]
        if not same:
            return (*pieces, piece), piece.number
        piece = replace(piece, sheet=same[0].sheet, card=same[0].card) if chart is None else piece
        return tuple(piece if p is same[0] else p for p in pieces), piece.number

    def _place(self, artwork: Artwork, chart: Chart | None) -> Placing:
        media = self._sheet.media(self._sheet.shown)
        width, height = artwork.own_mm
        if chart is not None:
            return chart_placing(chart, media)
        if media.roll:
            side, end = media.inset
            placing = Placing(side, end, width, height)
        else:
            placing = Placing.centred(media, width, height)
        if not placing.crosses(media, mirrored=True):
            return placing
        if artwork.ppi is None:  # no size of its own: as large as the sheet holds
            return fitted(media, width, height)
        self._live.say(
            tr(
                "{name} is {size}: that stands, and does not go on the sheet.",
                name=artwork.path.name,
                size=units.size(width, height),
            )
        )
        return placing

    def keep_pasted(self, data: bytes, ending: str = ".png") -> Path:
        """Keep what was pasted, a picture or a table, among the workshop's files; return where."""
        stamp = datetime.datetime.now().strftime("%Y-%m-%d %H.%M.%S")
        path = self._work / tr("pasted {stamp}{ending}", stamp=stamp, ending=ending)
        write_bytes(path, data)
        return path

    # Changing ----------------------------------------------------------------------------------------------------

    def change(self, name: str, /, placing: Placing | None = None, **changes: object) -> None:
        """Change the current picture, as a step that can be undone."""
        piece = self.need()
        if placing is not None:
            changes["copies"] = piece.placed(placing)
        self.change_many(name, {piece.number: changes})

    def change_many(self, name: str, changes: dict[int, Changes]) -> None:
        """Change several pictures by their numbers, as one step that can be undone."""
        mine = {p.number: p for p in self.all}
        before = {n: {key: getattr(mine[n], key) for key in values} for n, values in changes.items() if n in mine}
        after = {n: changes[n] for n in before}
        if before == after:
            return
        keeps_losses = all(_ON_SHEET.issuperset(values) for values in after.values())

        touched = Touched.SHEET if keeps_losses else Touched.LOOK

        apply = partial(self._apply, touched)
        self._live.history.do(name, lambda: apply(after), lambda: apply(before))

    def _apply(self, touched: Touched, values: dict[int, Changes]) -> None:
        pieces = tuple(replace(p, **values[p.number]) if p.number in values else p for p in self.all)
        self._live.change(PiecesChanged(pieces, self._live.state.current, touched))
        self._live.refresh()

    def try_out(self, tuning: Tuning | None) -> None:
        """Tune the current picture for the moment, while a slider is dragged; no step is kept."""
        piece = self.need()
        pieces = tuple(replace(p, tuning=tuning) if p is piece else p for p in self.all)
        self._live.change(PiecesChanged(pieces, piece.number, Touched.DRAGGED))

    def take_space(self, profile: Profile, name: str) -> None:
        """Say that the picture is in the space of a profile."""
        piece = self.need()
        if profile.header.colour_space != piece.artwork.profile.header.colour_space:
            raise FideleError(
                tr(
                    "“{name}” is for {colour_space} values; the picture has others.",
                    name=name,
                    colour_space=profile.header.colour_space,
                )
            )
        slip = SourceSlip("chosen", tr("{name}, chosen by you", name=name))
        opened = replace(piece.opened, profile=profile, slip=slip)
        self.change(
            tr("Take the picture for {name}", name=name),
            opened=opened,
            artwork=self._worked(opened, piece.replacements),
        )
        self._live.say(tr("The picture is taken for {name}.", name=name))

    def reading(self, page: int | None = None) -> Callable[[], Artwork]:
        """Return the work of reading the file of the picture in hand again, or another page of it, from 0."""
        opened = self.need().opened
        page = max(0, opened.page) if page is None else page
        return partial(open_artwork, opened.path, suppose=self._sources.supposing().of(opened.path), page=page)

    def as_the_file_says(self, again: Artwork) -> None:
        """Take the space that the file and the house rules say, as it was read again (`reading`)."""
        piece = self.need()
        opened = replace(piece.opened, profile=again.profile, slip=again.slip, doubts=again.doubts)
        self.change(
            tr("Take the picture as its file says"), opened=opened, artwork=self._worked(opened, piece.replacements)
        )

    def take_page(self, artwork: Artwork) -> None:
        """Take another page of the same file, as it was read (`reading`)."""
        self.change(
            tr("Page {page}", page=artwork.page + 1),
            opened=artwork,
            artwork=worked(artwork, (), self.need().mirrored),
            replacements=(),
            copies=(Copy(self._place(artwork, None)),),
            blank="",
            behind=None,
            shape="rectangle",
        )
        self._live.say(
            tr("Page {page} of {pages} of {name}.", page=artwork.page + 1, pages=artwork.pages, name=artwork.path.name)
        )

    def replace_colours(self, replacements: tuple[Replacement, ...], name: str) -> None:
        """Work on a copy in which colours are replaced, all at once; the file stays what it is."""
        piece = self.need()
        self.change(name, replacements=replacements, artwork=self._worked(piece.opened, replacements))
        self._live.say(tr("{name}, in a copy; the file stays what it is.", name=name))

    def purify(self, what: str) -> None:
        """Make a nearly white ground white ('whiten'), or nearly black text and lines black ('blacken'), in a copy."""
        piece = self.need()
        source, pixels = piece.artwork.profile, piece.artwork.pixels
        kind = np.dtype(np.float32)
        goal = white_of(source, kind) if what == "whiten" else black_of(source, kind)
        colours, share = colours_of(pixels)
        away = np.abs(colours - goal).max(axis=1)
        near = (away > 0.5 / 255) & (away < (0.06 if what == "whiten" else 0.3))
        if not near.any():
            raise FideleError(tr("There is nothing of this kind in the picture any more."))
        most = colours[near][int(np.argmax(share[near]))]
        soft = 0.02 if what == "whiten" else 0.5  # text has softened edges that must follow
        change = Replacement(tuple(float(v) for v in most), tuple(float(v) for v in goal), soft)
        name = tr("The ground is made white") if what == "whiten" else tr("Text and lines are made black")
        self.replace_colours((*piece.replacements, change), name)

    def came_mirrored(self, yes: bool) -> None:
        """Say that the file is mirrored already, or that it is not: it is worked on, and shown, the right way round."""
        piece = self.need()
        artwork = worked(piece.opened, piece.replacements, yes)
        self.change(tr("It came mirrored") if yes else tr("It did not come mirrored"), mirrored=yes, artwork=artwork)
        self._live.say(
            tr("The picture is turned back, in a copy: it is mirrored on its way as any other.")
            if yes
            else tr("The picture is taken as it is in the file.")
        )

    def _worked(self, opened: Artwork, replacements: tuple[Replacement, ...]) -> Artwork:
        return worked(opened, replacements, self.need().mirrored)

    def tune(self, tuning: Tuning | None, name: str = tr("Tune the picture")) -> None:
        """Give the current picture a tuning, None for none."""
        self.change(name, tuning=tuning if tuning is not None and tuning.moves else None)

    def keep_tuning(self, tuning: Tuning) -> None:
        """Keep a tuning under its name, and give it to the current picture: one step that can be undone.

        Raises
        ------
        FideleError
            When it has no name, or cannot be written.
        """
        piece, name = self.need(), tuning.name.strip()
        before = self.tunings.all().get(name)

        def put(kept: Tuning | None, on: Tuning | None) -> None:
            if kept is None:
                self.tunings.forget(name)
            else:
                self.tunings.keep(kept)
            self._apply(Touched.LOOK, {piece.number: {"tuning": on}})

        on = tuning if tuning.moves else None
        self._live.history.do(
            tr("Keep the tuning “{name}”", name=name), lambda: put(tuning, on), lambda: put(before, piece.tuning)
        )

    def forget_tuning(self, name: str) -> None:
        """Forget a tuning that is kept, a step that can be undone; pictures that have it keep it."""
        before = self.tunings.all().get(name)
        if before is not None:
            self._live.history.do(
                tr("Forget the tuning “{name}”", name=name),
                lambda: self.tunings.forget(name),
                lambda: self.tunings.keep(before),
            )

    def tune_all(self, tuning: Tuning) -> None:
        """Give every picture in hand a tuning, as one step; charts are left as they are."""
        before = self.all
        wanted = tuning if tuning.moves else None
        after = tuple(p if p.chart is not None else replace(p, tuning=wanted) for p in before)

        def apply(pieces: tuple[Piece, ...]) -> None:
            self._take(pieces, self._live.state.current)

        self._live.history.do(tr("Tune all pictures in hand"), lambda: apply(after), lambda: apply(before))
        self._live.say(tr("{value} pictures are tuned alike.", value=sum(p.chart is None for p in after)))

    def keep(self, what: str) -> None:
        """Keep pure colours: '' none, 'black' or 'primaries'."""
        words = {"": tr("Convert pure colours too"), "black": tr("Keep pure black and white")}
        self.change(words.get(what, tr("Keep pure primaries")), keep=what)

    # Knowing -----------------------------------------------------------------------------------------------------

    def quality(self) -> Quality | None:
        """Return what is known of the current picture's quality, None while nobody has looked."""
        return self._quality.get(self.current.artwork.pixels) if self.current else None

    def quality_wanted(self) -> Callable[[], tuple[Artwork, Quality]] | None:
        """Return what looks the current picture over, to be called beside the interface; None where that is done."""
        piece = self.current
        if piece is None or piece.chart is not None or self.quality() is not None:
            return None
        artwork = piece.artwork
        return lambda: (artwork, quality_of(artwork))

    def take_quality(self, found: tuple[Artwork, Quality]) -> None:
        """Keep what was found of a picture's quality."""
        self._quality.keep(found[0].pixels, found[1])
        self._live.judge()
