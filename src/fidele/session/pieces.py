"""The pictures in hand, one of them current; what is changed of them are steps that can be undone."""

from __future__ import annotations

import datetime
import itertools
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from fidele.artwork.open import open_artwork
from fidele.artwork.picture import Artwork, SourceSlip
from fidele.artwork.quality import Quality, quality_of
from fidele.artwork.replace import Replacement, replaced
from fidele.chart.definition import Chart
from fidele.errors import FideleError
from fidele.files import write_bytes
from fidele.icc.profile import Profile
from fidele.icc.transform import black_of, white_of
from fidele.proof.losses import colours_of
from fidele.session.remember import Remembered
from fidele.session.runs import chart_placing
from fidele.session.watch import stamp_of
from fidele.sheet.page import Behind
from fidele.sheet.panels import Area
from fidele.sheet.placing import Placing, fitted
from fidele.sheet.shapes import Shape
from fidele.tuning.model import Tuning, TuningStore

if TYPE_CHECKING:
    from fidele.session.model import Session

_numbers = itertools.count(1)


@dataclass(frozen=True)
class Copy:
    """One copy of a piece: where it lies, on which of several sheets (from 0), and whether it is to stay there."""

    placing: Placing
    page: int = 0
    locked: bool = False


@dataclass(frozen=True)
class PanelPlan:
    """How a piece larger than its media is parted: see `fidele.sheet.panels`.

    `largest` are the width and height that a panel may have, in mm, 0 for as much as the media holds; `skip` are panels
    that are not to be printed.
    """

    overlap: float = 10.0
    columns: int = 0
    rows: int = 0
    largest: tuple[float, float] = (0.0, 0.0)
    keep_clear: tuple[Area, ...] = ()
    skip: frozenset[str] = frozenset()


@dataclass(frozen=True)
class Piece:
    """A picture in hand.

    Attributes
    ----------
    opened
        As the file has it.
    artwork
        As it is worked on: its space chosen, its colours replaced. The file is never changed.
    keep
        Pure colours that are kept, see `fidele.tuning.keep`.
    copies
        Every copy, all of one size; the first is the one whose size the desks speak of.
    sheet
        Pieces of the same number lie on one sheet; 0 for one of its own.
    card
        Id of the condition that it is pressed by where that is not the one in force, '' where it is.
    blank, behind, shape
        Name of the blank that it goes on, and what follows of it: see `fidele.sheet.page.Laid`.
    panels
        How it is parted, None where it is not.
    stamp
        When its file was changed last, as it was read: see `fidele.session.watch`.
    """

    opened: Artwork
    artwork: Artwork
    copies: tuple[Copy, ...]
    chart: Chart | None = None
    replacements: tuple[Replacement, ...] = ()
    tuning: Tuning | None = None
    keep: str = ""
    #: A chart that is to be printed with nothing converting; and which of its pages this is.
    bare: bool = False
    chart_page: int = 0
    sheet: int = 0
    card: str = ""
    blank: str = ""
    behind: Behind | None = None
    shape: Shape = "rectangle"
    panels: PanelPlan | None = None
    stamp: tuple[int, int] = (0, 0)
    number: int = field(default_factory=lambda: next(_numbers))

    @property
    def placing(self) -> Placing:
        """Where its first copy lies."""
        return self.copies[0].placing

    @property
    def together(self) -> int:
        """Number of the sheet it lies on."""
        return self.sheet or self.number

    @property
    def name(self) -> str:
        """Chart or file."""
        return self.chart.title if self.chart is not None else self.opened.path.name

    @property
    def picture_width(self) -> float:
        """Printed width of the whole picture in mm, also where only a part of it is seen."""
        return self.behind[2] if self.behind is not None else self.placing.width

    def placed(self, placing: Placing) -> tuple[Copy, ...]:
        """Return its copies with the first placed here, all others of the same size where they are."""
        first, rest = self.copies[0], self.copies[1:]
        same = [replace(c, placing=c.placing.sized(placing.width, placing.height)) for c in rest]
        return (replace(first, placing=placing), *same)


#: What of a piece can change without its colours changing.
_ON_SHEET = {"copies", "sheet", "card", "blank", "behind", "shape", "panels"}


class Pieces:
    """All pictures in hand."""

    def __init__(self, session: Session) -> None:
        self._session = session
        self.all: tuple[Piece, ...] = ()
        self._current = 0
        self.tunings = TuningStore(session.places.data / "tunings")
        self._quality: Remembered[Quality] = Remembered()

    # Which -------------------------------------------------------------------------------------------------------

    @property
    def current(self) -> Piece | None:
        """The picture that the desks show."""
        return next((p for p in self.all if p.number == self._current), None)

    def need(self) -> Piece:
        """Return the current picture; an error where there is none."""
        if self.current is None:
            raise FideleError("There is no artwork yet: open a picture or drop one on the window.")
        return self.current

    def select(self, number: int) -> None:
        """Take another picture in hand as the current one."""
        before, chosen = self.current, next((p for p in self.all if p.number == number), None)
        if chosen is None or chosen is before:
            return
        self._current = number
        # On the same sheet the print of it is still the one in hand.
        self._changed(before is not None and before.together == chosen.together)

    def step(self, by: int) -> None:
        """Go to the next picture, or the one before."""
        if self.current is not None:
            at = self.all.index(self.current)
            self.select(self.all[(at + by) % len(self.all)].number)

    def lay_aside(self, number: int) -> None:
        """Put a picture out of hand, as a step that can be undone."""
        before, current = self.all, self._current
        gone = next((p for p in before if p.number == number), None)
        if gone is None:
            return
        at = before.index(gone)
        after = tuple(p for p in before if p is not gone)
        then = after[min(at, len(after) - 1)].number if after else 0

        def apply(pieces: tuple[Piece, ...], shown: int) -> None:
            self.all, self._current = pieces, shown
            self._changed()

        name = f"Lay {gone.opened.path.name} aside"
        shown = current if current != number else then
        self._session.history.do(name, lambda: apply(after, shown), lambda: apply(before, current))
        self._session.say(f"{gone.opened.path.name} is laid aside; the file is where it was.")

    def _changed(self, same_sheet: bool = False) -> None:
        session = self._session
        session.losses = None
        if not same_sheet:
            session.run, session.checked = None, None
        session.tell("artwork")
        session.refresh()

    # Coming in ---------------------------------------------------------------------------------------------------

    def open(self, path: Path, page: int | None = None) -> None:
        """Open a picture beside those in hand; one that is open already is read anew.

        Raises
        ------
        FideleError
            When it cannot be opened.
        """
        artwork = open_artwork(path, suppose=self._session.sources.suppose(path), page=page)
        self.adopt(artwork, None)
        self._session.say(f"{path.name} opened: {artwork.width} x {artwork.height} pixels, {artwork.slip.words}.")

    def adopt(self, artwork: Artwork, chart: Chart | None, bare: bool = False, page: int = 0) -> None:
        """Take a picture in hand; it takes the place of one from the same file, and a chart that of another chart.

        Of a chart this is one `page`; with `bare` nothing is to convert it.
        """
        copies = (Copy(self._place(artwork, chart)),)
        stamp = stamp_of(artwork.path) if chart is None else (0, 0)
        piece = Piece(artwork, artwork, copies, chart, bare=bare, chart_page=page, stamp=stamp)
        same = [p for p in self.all if p.opened.path == artwork.path and (p.chart is None) == (chart is None)]
        same = same or [p for p in self.all if chart is not None and p.chart is not None]
        if same:
            piece = replace(piece, sheet=same[0].sheet, card=same[0].card) if chart is None else piece
            self.all = tuple(piece if p is same[0] else p for p in self.all)
        else:
            self.all = (*self.all, piece)
        self._current = piece.number
        self._changed()

    def _place(self, artwork: Artwork, chart: Chart | None) -> Placing:
        media = self._session.media
        width, height = artwork.own_mm
        if chart is not None:
            return chart_placing(chart, media)
        if media.roll:
            side, end = media.inset
            placing = Placing(side, end, width, height)
        else:
            placing = Placing.centred(media, width, height)
        return fitted(media, width, height) if placing.crosses(media, mirrored=True) else placing

    def paste(self, png: bytes) -> None:
        """Take a picture that was pasted (a PNG) in hand; it is kept among the workshop's files."""
        stamp = datetime.datetime.now().strftime("%Y-%m-%d %H.%M.%S")
        path = self._session.places.work / f"pasted {stamp}.png"
        write_bytes(path, png)
        self.open(path)

    # Changing ----------------------------------------------------------------------------------------------------

    def change(self, name: str, /, **changes: Any) -> None:
        """Change the current picture, as a step that can be undone."""
        piece = self.need()
        if (placing := changes.pop("placing", None)) is not None:
            changes["copies"] = piece.placed(placing)
        self.change_many(name, {piece.number: changes})

    def change_many(self, name: str, changes: dict[int, dict[str, Any]]) -> None:
        """Change several pictures by their numbers, as one step that can be undone."""
        mine = {p.number: p for p in self.all}
        before = {n: {key: getattr(mine[n], key) for key in values} for n, values in changes.items() if n in mine}
        after = {n: changes[n] for n in before}
        if before == after:
            return
        keeps_losses = all(_ON_SHEET.issuperset(values) for values in after.values())

        def apply(values: dict[int, dict[str, Any]]) -> None:
            self.all = tuple(replace(p, **values[p.number]) if p.number in values else p for p in self.all)
            if not keeps_losses:
                self._session.losses = None
            self._session.tell("sheet" if keeps_losses else "artwork")
            self._session.refresh()

        self._session.history.do(name, lambda: apply(after), lambda: apply(before))

    def try_out(self, **changes: Any) -> None:
        """Change the current picture for the moment, as while a slider is dragged; no step is kept."""
        piece = self.need()
        self.all = tuple(replace(p, **changes) if p is piece else p for p in self.all)
        self._session.tell("tuning")

    def take_space(self, profile: Profile, name: str) -> None:
        """Say that the picture is in the space of a profile."""
        piece = self.need()
        if profile.header.colour_space != piece.artwork.profile.header.colour_space:
            raise FideleError(f"“{name}” is for {profile.header.colour_space} values; the picture has others.")
        slip = SourceSlip("chosen", f"{name}, chosen by you")
        opened = replace(piece.opened, profile=profile, slip=slip)
        self.change(f"Take the picture for {name}", opened=opened, artwork=self._worked(opened, piece.replacements))
        self._session.say(f"The picture is taken for {name}.")

    def as_the_file_says(self) -> None:
        """Read the space from the file and the house rules again."""
        piece = self.need()
        again = open_artwork(piece.opened.path, suppose=self._session.sources.suppose(piece.opened.path))
        opened = replace(piece.opened, profile=again.profile, slip=again.slip, doubts=again.doubts)
        self.change(
            "Take the picture as its file says", opened=opened, artwork=self._worked(opened, piece.replacements)
        )

    def choose_page(self, page: int) -> None:
        """Take another page of the same file, from 0."""
        piece = self.need()
        path = piece.opened.path
        artwork = open_artwork(path, suppose=self._session.sources.suppose(path), page=page)
        self.change(
            f"Page {page + 1}",
            opened=artwork,
            artwork=artwork,
            replacements=(),
            copies=(Copy(self._place(artwork, None)),),
            blank="",
            behind=None,
            shape="rectangle",
        )
        self._session.say(f"Page {page + 1} of {artwork.pages} of {path.name}.")

    def replace_colours(self, replacements: tuple[Replacement, ...], name: str) -> None:
        """Work on a copy in which colours are replaced, all at once; the file stays what it is."""
        piece = self.need()
        self.change(name, replacements=replacements, artwork=self._worked(piece.opened, replacements))
        self._session.say(f"{name}, in a copy; the file stays what it is.")

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
            raise FideleError("There is nothing of this kind in the picture any more.")
        most = colours[near][int(np.argmax(share[near]))]
        soft = 0.02 if what == "whiten" else 0.5  # text has softened edges that must follow
        change = Replacement(tuple(float(v) for v in most), tuple(float(v) for v in goal), soft)
        name = "The ground is made white" if what == "whiten" else "Text and lines are made black"
        self.replace_colours((*piece.replacements, change), name)

    def _worked(self, opened: Artwork, replacements: tuple[Replacement, ...]) -> Artwork:
        return replace(opened, pixels=replaced(opened.pixels, replacements)) if replacements else opened

    def tune(self, tuning: Tuning | None, name: str = "Tune the picture") -> None:
        """Give the current picture a tuning, None for none."""
        self.change(name, tuning=tuning if tuning is not None and tuning.moves else None)

    def tune_all(self, tuning: Tuning) -> None:
        """Give every picture in hand a tuning, as one step; charts are left as they are."""
        before = self.all
        wanted = tuning if tuning.moves else None
        after = tuple(p if p.chart is not None else replace(p, tuning=wanted) for p in before)

        def apply(pieces: tuple[Piece, ...]) -> None:
            self.all = pieces
            self._changed()

        self._session.history.do("Tune all pictures in hand", lambda: apply(after), lambda: apply(before))
        self._session.say(f"{sum(p.chart is None for p in after)} pictures are tuned alike.")

    def keep(self, what: str) -> None:
        """Keep pure colours: '' none, 'black' or 'primaries'."""
        words = {"": "Convert pure colours too", "black": "Keep pure black and white"}
        self.change(words.get(what, "Keep pure primaries"), keep=what)

    def laid(self) -> Any:
        """Return the current picture's pixels over bare substrate, where it is transparent; None without a picture."""
        return self.current.artwork.laid if self.current is not None else None

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
        self._session.judge_again()
