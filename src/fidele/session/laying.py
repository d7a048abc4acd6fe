"""What is done on the sheet: size, copies, moving, turning, lining up, nesting, panels. Every deed can be undone."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import replace
from typing import TYPE_CHECKING

from fidele import units
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.language import lowered, tr
from fidele.route.sharing import why_not
from fidele.run.signs import around
from fidele.session.blanks import behind_blank
from fidele.session.live import Live
from fidele.session.piece import Copy, PanelPlan, Piece
from fidele.session.pieces import Changes, Pieces
from fidele.session.sheet import Sheet
from fidele.sheet.placing import Placing, fitted
from fidele.sheet.shapes import covered
from fidele.store.cards import CardStore
from fidele.tiles import Progress

if TYPE_CHECKING:
    from fidele.sheet.nest import Nest

#: One copy of a piece: the piece's number, and which of its copies, from 0.
Key = tuple[int, int]
#: More copies than this are a slip of the finger.
MOST_COPIES = 2000
#: Ways of lining up, with their words.
ALIGN = {
    "left": tr("Left edges"),
    "centre": tr("Middles, across"),
    "right": tr("Right edges"),
    "top": tr("Upper edges"),
    "middle": tr("Middles, down"),
    "bottom": tr("Lower edges"),
}


@dataclass(frozen=True)
class Nested:
    """Places that were found for copies (by piece and index), and how everything lay before."""

    before: dict[Key, Copy]
    placings: dict[Key, Copy]


class Laying:
    """Lays pieces on the sheet of a session."""

    def __init__(self, live: Live, sheet: Sheet, pieces: Pieces, cards: CardStore) -> None:
        self._live, self._sheet, self._pieces, self._cards = live, sheet, pieces, cards

    def _mine(self) -> dict[int, Piece]:
        return {p.number: p for p in self._sheet.pieces}

    def _set(self, name: str, placings: Mapping[Key, Copy]) -> None:
        """Put copies elsewhere, as one step."""
        mine, changes = self._mine(), {}
        for number in dict.fromkeys(n for n, _ in placings):
            copies = list(mine[number].copies)
            for (n, index), copy in placings.items():
                if n == number:
                    copies[index] = copy
            changes[number] = {"copies": tuple(copies)}
        self._pieces.change_many(name, changes)

    def _chosen(self, keys: Iterable[Key]) -> dict[Key, Copy]:
        """Return the copies of keys that are there and not locked."""
        mine = self._mine()
        found = {(n, i): mine[n].copies[i] for n, i in keys if n in mine and i < len(mine[n].copies)}
        return {key: copy for key, copy in found.items() if not copy.locked}

    # Moving ------------------------------------------------------------------------------------------------------

    def place(self, placings: Mapping[Key, Placing], name: str) -> None:
        """Put copies at places; what is locked stays."""
        chosen = self._chosen(placings)
        self._set(name, {key: replace(copy, placing=placings[key]) for key, copy in chosen.items()})

    def move(self, keys: Iterable[Key], dx: float, dy: float) -> None:
        """Move copies by so many mm."""
        chosen = self._chosen(keys)
        self.place({key: copy.placing.moved(dx, dy) for key, copy in chosen.items()}, tr("Move on the sheet"))

    def turn(self, keys: Iterable[Key], by: float) -> None:
        """Turn copies about their middles by so many degrees, counter-clockwise."""
        chosen = self._chosen(keys)
        self.place({key: copy.placing.turned(by) for key, copy in chosen.items()}, tr("Turn by {by:g}°", by=by))

    def turn_all(self) -> None:
        """Turn the copies of the piece in hand by 90°, each in the middle of its sheet."""
        piece = self._pieces.need()
        media = self._sheet.media(self._sheet.shown)
        turned = {(piece.number, i): c.placing.turned(90) for i, c in enumerate(piece.copies)}
        if len(turned) == 1:
            at = piece.placing
            _, top, _, bottom = media.printable
            middle = Placing.centred(media, at.width, at.height, (at.angle + 90) % 360)
            middle = middle.moved(0, (top + bottom) / 2 - middle.centre[1])  # margins above and below may differ
            turned = dict.fromkeys(turned, middle)
        self.place(turned, tr("Turn by 90°"))

    def align(self, keys: Iterable[Key], how: str) -> None:
        """Line copies up by one of `ALIGN`: with each other, or a single one on the printable area."""
        chosen = self._chosen(keys)
        if not chosen:
            return
        media = self._sheet.media(self._sheet.shown)
        bounds = [copy.placing.bounds for copy in chosen.values()]
        side, end = media.inset
        frame = (side, end, media.width - side, media.height - end)
        if len(chosen) > 1:
            x0s, y0s, x1s, y1s = zip(*bounds, strict=True)
            frame = (min(x0s), min(y0s), max(x1s), max(y1s))

        def aligned(placing: Placing) -> Placing:
            x0, y0, x1, y1 = placing.bounds
            return placing.moved(
                *{
                    "left": (frame[0] - x0, 0.0),
                    "centre": ((frame[0] + frame[2] - x0 - x1) / 2, 0.0),
                    "right": (frame[2] - x1, 0.0),
                    "top": (0.0, frame[1] - y0),
                    "middle": (0.0, (frame[1] + frame[3] - y0 - y1) / 2),
                    "bottom": (0.0, frame[3] - y1),
                }[how]
            )

        self.place(
            {key: aligned(copy.placing) for key, copy in chosen.items()},
            tr("Line up: {align}", align=lowered(ALIGN[how])),
        )

    def spread(self, keys: Iterable[Key], across: bool) -> None:
        """Spread three or more copies so that the gaps between them are alike."""
        chosen = self._chosen(keys)
        if len(chosen) < 3:
            raise FideleError(tr("Choose three pieces or more to spread them evenly."))
        low, high = (0, 2) if across else (1, 3)
        order = sorted(chosen, key=lambda k: chosen[k].placing.bounds[low])
        sizes = {k: chosen[k].placing.bounds[high] - chosen[k].placing.bounds[low] for k in order}
        first, last = chosen[order[0]].placing.bounds[low], chosen[order[-1]].placing.bounds[high]
        gap = (last - first - sum(sizes.values())) / (len(order) - 1)
        at, placings = first, {}
        for key in order:
            placing = chosen[key].placing
            by = at - placing.bounds[low]
            placings[key] = placing.moved(by if across else 0.0, 0.0 if across else by)
            at += sizes[key] + gap
        self.place(placings, tr("Spread evenly"))

    def lock(self, keys: Iterable[Key], locked: bool) -> None:
        """Let copies stay where they are, whatever is done; or free them."""
        mine = self._mine()
        chosen = {(n, i): mine[n].copies[i] for n, i in keys if n in mine and i < len(mine[n].copies)}
        name = tr("Lock in its place") if locked else tr("Unlock")
        self._set(name, {key: replace(copy, locked=locked) for key, copy in chosen.items()})

    # Size --------------------------------------------------------------------------------------------------------

    def size(self, number: int, width: float, height: float, name: str) -> None:
        """Give a piece, and all its copies, a printed size in mm.

        Raises
        ------
        FideleError
            When it would be none.
        """
        if min(width, height) <= 0:
            raise FideleError(tr("A piece of 0 mm cannot be printed."))
        piece = self._mine()[number]
        copies = tuple(replace(c, placing=c.placing.sized(width, height)) for c in piece.copies)
        changes: Changes = {"copies": copies, "blank": "", "behind": None, "shape": "rectangle"}
        self._pieces.change_many(name, {number: changes})

    def width(self, number: int, width: float, name: str = "") -> None:
        """Give a piece a printed width in mm, and the height that its file's proportions ask for."""
        artwork = self._mine()[number].artwork
        self.size(
            number,
            width,
            width * artwork.height / artwork.width,
            name or tr("Width {length}", length=units.length(width, 1)),
        )

    def own_proportions(self, number: int) -> None:
        """Give a piece the height that its width and its file's proportions ask for."""
        self.width(number, self._mine()[number].placing.width, tr("Its own proportions"))

    def own_size(self, number: int) -> None:
        """Give a piece the size that its file's own resolution gives."""
        piece = self._mine()[number]
        self.size(number, *piece.artwork.own_mm, tr("Own size"))

    def largest(self, number: int, border: float) -> None:
        """Make a piece as large as the printable area allows with a border free, decided once; it lies upright."""
        piece, sheet = self._mine()[number], self._sheet
        wide, high = sheet.room()
        if 2 * border >= wide or (high and 2 * border >= high):
            raise FideleError(tr("A border of {length} leaves nothing of the sheet.", length=units.length(border, 1)))
        placing = fitted(sheet.base, *piece.artwork.own_mm, border)
        copies = (replace(piece.copies[0], placing=placing), *piece.copies[1:])
        copies = tuple(replace(c, placing=c.placing.sized(placing.width, placing.height)) for c in copies)
        changes: Changes = {"copies": copies, "blank": "", "behind": None, "shape": "rectangle"}
        self._pieces.change_many(
            tr("Largest that fits, border {length}", length=units.length(border, 1)), {number: changes}
        )

    def on_blank(self, number: int, name: str) -> None:
        """Size a piece by the blank that it goes on, so that it covers it with its bleed; '' frees it from any."""
        piece = self._mine()[number]
        blank = self._sheet.blanks.blank(name)
        if blank is None:
            self.size(number, piece.placing.width, piece.placing.height, tr("No blank"))
            return
        wide, high = piece.artwork.own_mm
        behind = behind_blank(blank, wide, high)
        copies = tuple(replace(c, placing=c.placing.sized(*blank.printed)) for c in piece.copies)
        changes = {"copies": copies, "blank": blank.name, "behind": behind, "shape": blank.printed_shape}
        self._pieces.change_many(tr("For {name}", name=blank.name), {number: changes})

    # Copies ------------------------------------------------------------------------------------------------------

    def copies(self, number: int, count: int) -> None:
        """Have so many copies of a piece; new ones lie beside the last.

        Raises
        ------
        FideleError
            When it would be none, or far too many.
        """
        if not 1 <= count <= MOST_COPIES:
            raise FideleError(
                tr("Between 1 and {most_copies:,} copies of a piece can be laid.", most_copies=MOST_COPIES)
            )
        piece = self._mine()[number]
        kept = list(piece.copies[:count])
        step = self._live.state.need_card().sheet.gap
        while len(kept) < count:
            last = kept[-1].placing
            kept.append(Copy(last.moved(step, step), kept[-1].page))
        self._pieces.change_many(tr("{count} copies", count=count), {number: {"copies": tuple(kept)}})

    def repeat(self, number: int, across: int, down: int) -> None:
        """Step and repeat: lay a piece in columns and rows from its first copy; 0 for as many as fit.

        Raises
        ------
        FideleError
            When so many do not go on the sheet.
        """
        piece, sheet = self._mine()[number], self._sheet
        habits = self._live.state.need_card().sheet
        side, beneath = around(habits)
        x0, y0, x1, y1 = piece.placing.bounds
        step = (x1 - x0 + 2 * side + habits.gap, y1 - y0 + 2 * side + beneath + habits.gap)
        room, (inset, end) = sheet.room(), sheet.base.inset
        fits_across = int((room[0] + habits.gap + 1e-6) // step[0])
        fits_down = int((room[1] + habits.gap + 1e-6) // step[1]) if room[1] else max(down, 1)
        across, down = across or fits_across, down or fits_down
        if across > fits_across or down > fits_down or not across or not down:
            raise FideleError(
                tr(
                    "{across} x {down} of {name} do not go on the sheet; {fits_across} x {fits_down} do.",
                    across=max(across, 1),
                    down=max(down, 1),
                    name=piece.name,
                    fits_across=fits_across,
                    fits_down=fits_down,
                )
            )
        first = piece.copies[0].placing
        left, top = inset + side, end + side
        copies = tuple(
            Copy(Placing.at(left + c * step[0], top + r * step[1], first.width, first.height, first.angle))
            for r in range(down)
            for c in range(across)
        )
        self._pieces.change_many(tr("Repeat {across} x {down}", across=across, down=down), {number: {"copies": copies}})

    def remove(self, keys: Iterable[Key]) -> None:
        """Take copies off the sheet; the last copy of a picture gets a sheet of its own again."""
        mine, gone = self._mine(), set(keys)
        changes: dict[int, Changes] = {}
        for number, piece in mine.items():
            rest = tuple(c for i, c in enumerate(piece.copies) if (number, i) not in gone)
            if len(rest) == len(piece.copies):
                continue
            if rest:
                changes[number] = {"copies": rest}
            elif len(mine) > 1:
                first = replace(piece.copies[0], page=0)
                changes[number] = {"sheet": self._lone(number), "card": "", "copies": (first,)}
        self._pieces.change_many(tr("Take off the sheet"), changes)

    def _lone(self, number: int) -> int:
        """Return a number for a sheet on which a piece lies alone; others may use its own as theirs."""
        used = any(p.sheet == number and p.number != number for p in self._pieces.all)
        return -number if used else 0

    # Together ----------------------------------------------------------------------------------------------------

    def gather(self, numbers: Iterable[int]) -> None:
        """Lay pictures on the sheet of the current one."""
        current = self._pieces.need()
        if current.chart is not None:
            raise FideleError(tr("A chart has its sheet for itself."))
        wanted = set(numbers)
        changes = {
            p.number: {"sheet": current.together}
            for p in self._pieces.all
            if p.number in wanted and p.chart is None and p.panels is None and p is not current
        }
        self._pieces.change_many(tr("Lay on one sheet"), changes)

    def apart(self, number: int) -> None:
        """Give a picture a sheet of its own."""
        self._pieces.change_many(tr("A sheet of its own"), {number: {"sheet": self._lone(number), "card": ""}})

    def press_as(self, number: int, card_id: str) -> None:
        """Press a piece by another condition, whose printing side agrees with the sheet's.

        Raises
        ------
        FideleError
            When it does not, with the first reason.
        """
        card = self._live.state.need_card()
        if card_id and card_id != card.id:
            other = self._cards.read(card_id)
            if reasons := why_not(card, other):
                raise FideleError(
                    tr("“{name}” cannot share this sheet: {reasons}.", name=other.name, reasons=reasons[0])
                )
        wanted = "" if card_id == card.id else card_id
        self._pieces.change_many(tr("Press by another condition"), {number: {"card": wanted}})

    def nest(self) -> float:
        """Nest everything that lies on the sheet, on as many sheets as it takes; return the use.

        Raises
        ------
        FideleError
            When a piece does not go on the media.
        """
        return self.lay_nested(self.nesting()(lambda _: True))

    def nesting(self) -> Callable[[Progress], Nested]:
        """Return what finds places for everything that lies on the sheet; it can run beside the interface."""
        sheet = self._sheet
        habits = self._live.state.need_card().sheet
        side, beneath = around(habits)
        (inset, end), room = sheet.base.inset, sheet.room()
        free: list[tuple[Key, Copy]] = []
        boxes: list[tuple[float, float, float, float]] = []
        from fidele.sheet.nest import Blocked, Rectangle, nest

        locked: dict[int, list[Blocked]] = {}
        for piece, index, copy in sheet.copies():
            x0, y0, x1, y1 = covered(piece.shape, copy.placing)
            if copy.locked:
                area = (x0 - side - inset, y0 - side - end, x1 - x0 + 2 * side, y1 - y0 + 2 * side + beneath)
                locked.setdefault(copy.page, []).append(area)
            else:
                free.append(((piece.number, index), copy))
                boxes.append((x0, y0, x1, y1))
        rectangles = []
        for (_, copy), (x0, y0, x1, y1) in zip(free, boxes, strict=True):
            upright = copy.placing.quarters is not None
            size = (copy.placing.width, copy.placing.height) if upright else (x1 - x0, y1 - y0)
            rectangles.append(Rectangle(size[0] + 2 * side, size[1] + 2 * side + beneath, habits.may_turn and upright))

        def placed(found: Nest) -> dict[Key, Copy]:
            placings: dict[Key, Copy] = {}
            for spot in found.spots:
                key, copy = free[spot.index]
                angle = 90.0 if spot.turned else 0.0
                left, top = inset + spot.x + side, end + spot.y + side
                if copy.placing.quarters is None:  # it keeps its angle, and moves by what it covers
                    x0, y0, _, _ = boxes[spot.index]
                    placing = copy.placing.moved(left - x0, top - y0)
                else:
                    placing = Placing.at(left, top, copy.placing.width, copy.placing.height, angle)
                placings[key] = replace(copy, placing=placing, page=spot.sheet)
            return placings

        before = self._lying()
        return lambda _: Nested(before, placed(nest(rectangles, *room, habits.gap, locked)))

    def _lying(self) -> dict[Key, Copy]:
        return {(piece.number, index): copy for piece, index, copy in self._sheet.copies()}

    def lay_nested(self, found: Nested) -> float:
        """Lay everything in the places that were found; return the use.

        Raises
        ------
        FideleError
            When the sheet was changed since.
        """
        sheet = self._sheet
        if self._lying() != found.before:
            raise FideleError(tr("The sheet was changed while places were looked for. Nest again."))
        self._set(tr("Nest"), found.placings)
        use = sheet.use()
        many = tr(" on {pages} sheets", pages=sheet.pages) if sheet.pages > 1 else ""
        self._live.say(
            tr(
                "{n} pieces nested{many}: {use:.0f} % of the media is used.",
                n=len(found.placings),
                many=many,
                use=use * 100,
            )
        )
        return use

    # Panels ------------------------------------------------------------------------------------------------------

    def part(self, plan: PanelPlan | None) -> None:
        """Part the current picture into panels, or make it whole again.

        Raises
        ------
        FideleError
            When it cannot be parted so; nothing is changed then.
        """
        piece = self._pieces.need()
        if piece.chart is not None:
            raise FideleError(tr("A chart is not parted into panels."))
        if plan is None:
            self._pieces.change_many(tr("Whole again"), {piece.number: {"panels": None}})
            return
        parted = self._sheet.parted(piece.placing.width, piece.placing.height, plan)
        by_hand = plan.across or plan.down
        names = {p.name for p in parted.panels}
        plan = replace(plan, skip=plan.skip & names)
        copies = (replace(piece.copies[0], page=0, placing=replace(piece.placing, angle=0.0)),)
        self._pieces.change_many(tr("Part into panels"), {piece.number: {"panels": plan, "copies": copies}})
        for words in parted.through:
            why = tr("As it was put") if by_hand else tr("There was no other way")
            self._live.say(tr("{why}: {words} runs through an area that was to be kept clear.", why=why, words=words))

    def move_seam(self, axis: int, number: int, to: float) -> None:
        """Put a seam of the current piece elsewhere, in mm on it: as far as its panels stay within what holds them.

        `axis` 0 is a seam across, 1 one down, `number` which of them from 0. All others of its side stay where they
        are from now on, until the number of panels is asked for anew.
        """
        piece, parted = self._pieces.need(), self._sheet.panels
        if parted is None or piece.panels is None:
            return
        low, high = parted.reach((piece.placing.width, piece.placing.height), axis, number)
        seams = list((parted.across, parted.down)[axis])
        seams[number] = round(min(max(to, low), high), 2)
        moved = tuple(seams)
        self.part(replace(piece.panels, across=moved) if axis == 0 else replace(piece.panels, down=moved))
