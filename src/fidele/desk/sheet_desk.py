"""The sheet desk: pieces at their true size on their media, alone or many together."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial

from PySide6.QtGui import QAction, QImage
from PySide6.QtWidgets import QHBoxLayout, QInputDialog, QMenu, QStackedWidget

from fidele import units
from fidele.desk.desk import Desk
from fidele.desk.kit import SPRING, across, choice, fill
from fidele.desk.labels import button, heading, label, menu_button
from fidele.desk.numbers import number, typed_mm
from fidele.desk.panels_view import PanelsView
from fidele.desk.picture import to_image
from fidele.desk.sheet_column import SheetColumn
from fidele.desk.sheet_view import SheetView, Shown
from fidele.desk.strip import small
from fidele.desk.work import Work
from fidele.errors import FideleError
from fidele.judge.finding import Action, Deed
from fidele.language import tr
from fidele.run.job import strip_placing
from fidele.session.laying import Key, Nested
from fidele.session.model import Session
from fidele.session.piece import Piece
from fidele.sheet.panels import Area
from fidele.sheet.placing import Media

#: Signs and habits of a condition, with their words.
_HABITS = {
    "identity": tr("Identity line beside each piece"),
    "cut": tr("Cut marks"),
    "fold": tr("Fold marks"),
    "press": tr("Press marks"),
    "strip": tr("Control strip along the edge"),
    "may_turn": tr("Pieces may be turned to save media"),
}
#: Sides of the small pictures that pieces are drawn with, by how many there are at most.
_SIDES = ((4, 900), (40, 420), (10_000, 200))
_FINEST = 3600


class SheetDesk(Desk):
    """Gives pictures their printed size and place, once; afterwards nothing scales."""

    station = "Sheet"
    by_hand = True

    def __init__(self, session: Session, work: Work) -> None:
        super().__init__(session, work)
        self._images: dict[int, tuple[object, int, QImage]] = {}
        self._wanted: dict[int, tuple[object, int]] = {}
        self._head()
        self._tools()
        row = across(space=10)
        self.view, self.panels = SheetView(), PanelsView()
        self.stack = QStackedWidget()
        self.stack.addWidget(self.view)
        self.stack.addWidget(self.panels)
        row.addWidget(self.stack, 1)
        self.column = SheetColumn(session, lambda: self.view.selection, self._choose, self._do)
        row.addWidget(self.column)
        self.box.addLayout(row, 1)
        self.view.moved.connect(lambda placings, name: self._do(session.laying.place, placings, name))
        self.view.dropped.connect(lambda key, place: self._do(session.jigs.drop, key, place))
        self.view.chosen.connect(self._chosen)
        self.view.removed.connect(self.column.remove)
        self.view.turned.connect(self.column.turn)
        self.view.lock_wanted.connect(self.column.toggle_lock)
        self.view.nest_wanted.connect(lambda: self._nest() if self.nest.isEnabled() else None)
        self.view.closer.connect(self._want_pictures)
        self.panels.marked.connect(self._marked)
        self.panels.seamed.connect(lambda axis, which, to: self._do(session.laying.move_seam, axis, which, to))
        self.panels.toggled.connect(self.column.panels.toggle)

    # Making ------------------------------------------------------------------------------------------------------

    def _head(self) -> None:
        top = QHBoxLayout()
        self.title = heading("")
        top.addWidget(self.title, 1)
        self.before = button("‹", lambda: self._step(-1), tr("The sheet before"), quiet=True)
        self.after = button("›", lambda: self._step(1), tr("The next sheet"), quiet=True)
        self.which = label("", 9)
        for made in (self.before, self.which, self.after):
            top.addWidget(made)
        self.before.setAccessibleName(tr("The sheet before"))
        self.after.setAccessibleName(tr("The next sheet"))
        self.whole = button(tr("By sheets"), self.refresh, tr("Show the panels one by one, as they are printed"))
        self.whole.setCheckable(True)
        top.addWidget(self.whole)
        self.paper_view = button(
            tr("On the paper"), self.refresh, tr("As it will lie on the paper: mirrored or turned as the route does it")
        )
        self.paper_view.setCheckable(True)
        top.addWidget(self.paper_view)
        self.box.addLayout(top)

    def _tools(self) -> None:
        row = across(space=6)
        self.media = choice(
            tr("Media"),
            tip=tr("Sizes and margins are the printer's own; a sheet of your own size can be added"),
            chosen=self._media,
        )
        row.addWidget(self.media)
        self.gather = button(
            tr("All on one sheet"), self._gather, tr("Lay all pictures in hand on this sheet, and nest them")
        )
        self.nest = button(
            tr("Nest"), self._nest, tr("Lay everything as close as it goes, on as few sheets as it takes (N)")
        )
        fill(row, self.nest, self.gather, label(tr("gap"), 9, dim=True))
        self.gap = number(0, 200, tr("Free between pieces"), width=70)
        self.gap.editingFinished.connect(self._gap)
        row.addWidget(self.gap)
        self.signs = menu_button(tr("Marks"), tr("What stands on the sheets of this condition beside the pieces"))
        menu = QMenu(self.signs)
        self.habits: dict[str, QAction] = {}
        for name, words in _HABITS.items():
            action = QAction(words, menu, checkable=True)
            action.triggered.connect(partial(self._habit, name))
            menu.addAction(action)
            self.habits[name] = action
        self.signs.setMenu(menu)
        self.jig = menu_button(tr("Jig"), tr("Places for blanks as they lie in the press: pieces drop into them"))
        self.jig.setMenu(QMenu(self.jig))
        self.jig.menu().aboutToShow.connect(self._jig_menu)
        fill(row, self.signs, self.jig, SPRING)
        self.box.addLayout(row)

    def _jig_menu(self) -> None:
        """Offer what can be done with jigs now."""
        session, menu = self.session, self.jig.menu()
        card, menu_now = session.card, session.jigs.current
        menu.clear()
        for name in ("", *(j.name for j in session.sheet.blanks.jigs)):
            action = menu.addAction(name or tr("No jig"), partial(self._lie_in, name))
            action.setCheckable(True)
            action.setChecked(name == ("" if menu_now is None else menu_now.name))
            action.setEnabled(card is not None)
        menu.addSeparator()
        fills = menu.addAction(tr("Fill its places"), lambda: self._do(session.jigs.fill))
        fills.setEnabled(menu_now is not None and session.pieces.current is not None)
        keep = menu.addAction(tr("Keep what lies here as a jig …"), self._keep_jig)
        keep.setEnabled(any(p.blank for p in session.sheet.pieces))
        if menu_now is not None:
            menu.addAction(
                tr("Forget “{name}”", name=menu_now.name), lambda: self._do(session.jigs.forget, menu_now.name)
            )

    def _lie_in(self, name: str) -> None:
        card = self.session.card
        if card is not None and card.sheet.jig != name:
            habits = card.sheet.model_copy(update={"jig": name})
            words = tr("Pressed with the jig “{name}”", name=name) if name else tr("Pressed without a jig")
            self._do(lambda: self.session.change_card(words, sheet=habits))

    def _keep_jig(self) -> None:
        name, said = QInputDialog.getText(self, tr("Keep a jig"), tr("Its name, as it stands on the board:"))
        if said:

            def keep() -> None:
                jig = self.session.jigs.keep(name)
                self._lie_in(jig.name)
                self.session.say(tr("“{name}” is kept, with {n} places.", name=jig.name, n=len(jig.places)))

            self._do(keep)

    # Doing -------------------------------------------------------------------------------------------------------

    def _do(self, call: Callable[..., object], *arguments: object) -> None:
        self.guarded(call, *arguments)
        self.refresh()

    def _choose(self, keys: set[Key]) -> None:
        self.view.selection = keys
        self.view.update()
        self._chosen(keys)

    def _chosen(self, keys: set[Key]) -> None:
        """Make the picture that was chosen the current one, and show its numbers."""
        numbers = {n for n, _ in keys}
        current = self.session.pieces.current
        if len(numbers) == 1 and current is not None and current.number not in numbers:
            self.session.pieces.select(next(iter(numbers)))
        self.column.refresh()

    def _step(self, by: int) -> None:
        sheet = self.session.sheet
        sheet.page = (sheet.shown + by) % max(1, sheet.pages)
        self.view.selection = set()
        self.session.judge_again()
        self.refresh()

    def _media(self) -> None:
        from fidele.desk.own_sizes import ask_sheet

        session, said = self.session, self.media.currentData()
        kind, name = said if said else ("size", "")
        if kind == "new":
            base = session.device.media(session.need_card().size, session.need_card().feed)

            def ask() -> None:
                size, kept = ask_sheet(self, session.sheet.blanks, base, session.device)
                if size:
                    session.change_card(tr("Printed on {size}", size=size), size=size)
                session.conditions.own_sheet(kept or session.sheet.own)

            self.guarded(ask)
        elif kind == "own":
            self.guarded(session.conditions.own_sheet, name)
        elif kind == "forget":
            session.sheet.blanks.remove(name)
            self.guarded(session.conditions.own_sheet, "")
        else:
            self.guarded(session.conditions.own_sheet, "")
            if session.card is not None and name != session.card.size:
                self.guarded(session.act, Action(Deed.SIZE, name))
        session.refresh()
        self.refresh()

    def _nest(self) -> None:
        def done(found: Nested) -> None:
            self._do(self.session.laying.lay_nested, found)
            self.view.fit()

        title = tr("Looking for places")
        self.guarded(lambda: self.work.run(title, self.session.laying.nesting(), done, "sheet"))

    def _gather(self) -> None:
        session = self.session
        self._do(lambda: session.laying.gather(p.number for p in session.pieces.all))
        self._nest()

    def _gap(self) -> None:
        card = self.session.card
        if card is None:
            return
        gap = typed_mm(self.gap, card.sheet.gap)
        if gap != card.sheet.gap:
            habits = card.sheet.model_copy(update={"gap": round(gap, 2)})
            self._do(
                lambda: self.session.change_card(
                    tr("{length} between pieces", length=units.length(gap, 1)), sheet=habits
                )
            )

    def _habit(self, name: str, on: bool) -> None:
        card = self.session.card
        if card is not None:
            habits = card.sheet.model_copy(update={name: on})
            words = tr("{habits}: yes", habits=_HABITS[name]) if on else tr("{habits}: no", habits=_HABITS[name])
            self._do(lambda: self.session.change_card(words, sheet=habits))

    def _marked(self, areas: tuple[Area, ...]) -> None:
        piece = self.session.pieces.current
        if piece is not None and piece.panels is not None:
            self._do(self.session.laying.part, replace(piece.panels, keep_clear=areas))

    # Showing -----------------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show the sheet as it is."""
        session, sheet = self.session, self.session.sheet
        card, current = session.card, session.pieces.current
        self.view.theme = self.panels.theme = self.theme
        try:
            page, pages = sheet.shown, sheet.pages
        except FideleError:
            page, pages = 0, 1  # the panels cannot be had so; the findings say why
        media = self._sheet_media(page)
        parted = current is not None and current.panels is not None
        self.whole.setVisible(parted)
        by_sheets = not parted or self.whole.isChecked()
        self.stack.setCurrentWidget(self.view if by_sheets else self.panels)
        lies = tr("portrait") if media.height >= media.width else tr("landscape")
        size = units.size(media.width, media.height) + (tr(", cut off there") if media.roll else f", {lies}")
        nothing = "" if current is not None else tr(": nothing on it yet")
        self.title.setText(
            tr("Roll, {name}, {size}{nothing}", name=media.name, size=size, nothing=nothing)
            if media.roll
            else tr("{name}, {size}{nothing}", name=media.name, size=size, nothing=nothing)
        )
        for made in (self.before, self.after, self.which):
            made.setVisible(pages > 1 and by_sheets)
        self.which.setText(tr("{page} of {pages}", page=page + 1, pages=pages))
        self._show_tools()
        mirrors = session.chain is not None and session.chain.twists % 2 == 1
        turned = session.chain is not None and session.chain.turned
        on_paper = self.paper_view.isChecked()
        self.paper_view.setEnabled(mirrors or turned)
        view = self.view
        view.media, view.inches = media, units.chosen().length == "in"
        view.mirrored, view.half_turned = on_paper and mirrors, on_paper and turned
        view.margins_swapped = mirrors
        view.empty = (
            ""
            if current is not None
            else tr("Open a picture or drop one on the window: it will lie here at its true size.")
        )
        habits = card.sheet if card is not None else None
        chart = current is not None and current.chart is not None
        view.identity = habits is not None and habits.identity and not chart
        view.ticks = habits is not None and (habits.cut or habits.fold) and not chart
        view.strip = strip_placing(media) if sheet.wants_strip else None
        view.setEnabled(not chart)
        view.places = [(at, b.printed_shape, b.bleed, b.name) for _, b, at in session.jigs.places()]
        view.shown = self._shown(page)
        view.selection &= {one.key for one in view.shown}
        view.update()
        if parted and current is not None:
            self._show_panels(current)
        self.column.refresh()
        self._want_pictures()

    def _sheet_media(self, page: int) -> Media:
        try:
            return self.session.sheet.media(page)
        except FideleError:
            return self.session.sheet.base

    def _show_tools(self) -> None:
        session = self.session
        card, sheet = session.card, session.sheet
        self.media.clear()
        sizes = session.device.sizes() if card is not None else ("A4",)
        if card is not None and card.size not in sizes:
            sizes = (*sizes, card.size)
        for size in sizes:
            self.media.addItem(size, ("size", size))
        if card is not None and (not sheet.base.roll or session.device.own_size(sheet.base.width, 300)):
            for own in sheet.blanks.sheets:
                if own.printed_as == card.size:
                    self.media.addItem(own.name, ("own", own.name))
            self.media.addItem(tr("A sheet of its own size …"), ("new", ""))
            if sheet.own and sheet.base.name == sheet.own:
                self.media.addItem(tr("Forget this sheet"), ("forget", sheet.own))
        chosen = (
            ("own", sheet.own) if sheet.own and sheet.base.name == sheet.own else ("size", card.size if card else "A4")
        )
        self.media.setCurrentIndex(next((k for k in range(self.media.count()) if self.media.itemData(k) == chosen), 0))
        self.media.setEnabled(card is not None)
        current = session.pieces.current
        loose = current is not None and current.chart is None and current.panels is None and card is not None
        several = sum(p.chart is None and p.panels is None for p in session.pieces.all) > 1
        self.nest.setEnabled(loose)
        self.gather.setVisible(several)
        self.gather.setEnabled(loose)
        for control in (self.gap, self.signs, self.jig):
            control.setEnabled(card is not None and not card.locked)
        if card is not None:
            if not self.gap.hasFocus():
                self.gap.setValue(card.sheet.gap)
            for name, action in self.habits.items():
                action.setChecked(getattr(card.sheet, name))

    def _shown(self, page: int) -> list[Shown]:
        session, sheet = self.session, self.session.sheet
        current = session.pieces.current
        if current is not None and current.panels is not None:
            try:
                job = sheet.job(page)
            except FideleError:
                return []
            one = job.lying[0]
            return [Shown((current.number, 0), one.placing, self._image(current), one.name, one.behind, locked=False)]
        shown = []
        for piece, index, copy in sheet.copies(page):
            blank = sheet.blanks.blank(piece.blank) if piece.blank else None
            shown.append(
                Shown(
                    (piece.number, index),
                    copy.placing,
                    self._image(piece),
                    piece.name,
                    piece.behind,
                    piece.shape,
                    blank.bleed if blank else 0.0,
                    blank.safe if blank else 0.0,
                    copy.locked,
                )
            )
        return shown

    def _show_panels(self, piece: Piece) -> None:
        view = self.panels
        view.image, view.size_mm = self._image(piece), (piece.placing.width, piece.placing.height)
        try:
            view.panels = self.session.sheet.panels
        except FideleError:
            view.panels = None
        plan = piece.panels
        if plan is not None:
            view.skip, view.clear = plan.skip, plan.keep_clear
        view.update()

    # Pictures ----------------------------------------------------------------------------------------------------

    def _image(self, piece: Piece) -> QImage | None:
        kept = self._images.get(piece.number)
        return kept[2] if kept is not None else None

    def _key(self, piece: Piece) -> object:
        card = self.session.sheet.card_of(piece) if self.session.card is not None else None
        way = (card.profile, card.intent, card.bpc) if card is not None else None
        screen = self.session.screen()
        seen = screen.content_id if screen is not None else ""
        known = self.session.known
        by = known.profile.content_id if known is not None else ""
        return id(piece.artwork.pixels), piece.artwork.profile.content_id, way, piece.tuning, piece.keep, seen, by

    def _want_pictures(self) -> None:
        """Have what is not there yet made beside the interface, as predicted prints where there is a profile."""
        pieces = self.session.sheet.pieces
        many = sum(len(p.copies) for p in pieces)
        side = next(s for most, s in _SIDES if many <= most)
        # Looked at closely, it is made finer.
        close = max((max(o.placing.width, o.placing.height) for o in self.view.shown), default=0.0) * self.view.scale
        while side < _FINEST and side < close / 1.5:
            side *= 2
        alive = {p.number for p in self.session.pieces.all}
        self._images = {n: v for n, v in self._images.items() if n in alive}
        for piece in pieces:
            key = self._key(piece)
            for known in (self._images.get(piece.number), self._wanted.get(piece.number)):
                if known is not None and known[0] == key and known[1] >= side:
                    break
            else:
                self._wanted[piece.number] = (key, side)
                self._make(piece, key, side)

    def _make(self, piece: Piece, key: object, side: int) -> None:
        session, artwork = self.session, piece.artwork
        look = None
        if session.card is not None:
            card = session.sheet.card_of(piece)
            try:
                profile = session.sheet.profile_of(card)
            except FideleError:
                profile = None
            way = session.way[0] if card.owner != "fidele" and card.owner == session.card.owner else None
            if profile is not None and (card.owner == "fidele" or way is not None):
                look = session.looks.on_sheet(artwork.profile, profile, card, piece.tuning, piece.keep, way)

        def show(image: QImage) -> None:
            self._images[piece.number] = (key, side, image)
            self._wanted.pop(piece.number, None)
            shown = self.view.shown
            self.view.shown = [replace(o, image=image) if o.key[0] == piece.number else o for o in shown]
            if self.panels.isVisible() or piece.panels is not None:
                self.panels.image = image
                self.panels.update()
            self.view.update()

        self.work.quietly(
            tr("picture {number} on the sheet", number=piece.number),
            lambda _: to_image(small(artwork, side, look)),
            show,
        )

    def _round(self, piece: Piece) -> list[tuple[str, str]]:
        """Say what a round piece asks for."""
        blank = self.session.sheet.blanks.blank(piece.blank) if piece.blank else None
        if blank is None or not blank.around:
            return []
        said = tr(
            "no scanner sees it: judge it by a flat piece of the same coating, pressed alike, or by eye; its seam is "
            "where the print's sides meet"
        )
        return [(tr("Round"), said)]

    def facts(self) -> list[tuple[str, str]]:
        """Return size, resolution, use and margins."""
        session, sheet = self.session, self.session.sheet
        try:
            page = sheet.shown
            media, use = sheet.media(page), sheet.use(page)
            whole = sheet.use()
        except FideleError:
            return []
        left, top, right, bottom = (units.length(mm).partition(" ")[0] for mm in media.margins)
        rows = [(tr("Media"), f"{media.name}, {units.size(media.width, media.height)}")]
        loaded = session.state.route.status.loaded if session.state.route.status is not None else ""
        if loaded:
            rows.append((tr("Loaded"), tr("{loaded}, says the printer", loaded=loaded)))
        rows.append(
            (
                tr("Unprintable"),
                tr(
                    "{left} left, {top} top, {right} right, {bottom} bottom",
                    left=left,
                    top=top,
                    right=right,
                    bottom=bottom,
                ),
            )
        )
        one = self.column.one()
        if one is not None:
            piece, index = one
            placing = piece.copies[index].placing
            rows += [
                (tr("Printed size"), units.size(placing.width, placing.height, 1)),
                *self._round(piece),
                (tr("Effective"), tr("{width:.0f} ppi", width=piece.artwork.width / piece.picture_width * 25.4)),
                (
                    tr("Use"),
                    tr("{use:.0f} % of this sheet", use=use * 100)
                    + (tr(", {whole:.0f} % of all", whole=whole * 100) if sheet.pages > 1 else ""),
                ),
            ]
        mirrors = session.chain is not None and session.chain.twists % 2 == 1
        if session.chain is not None and session.chain.turned:
            rows.append(
                (
                    tr("On the paper"),
                    tr("turned by 180°") + (tr(", and mirrored") if mirrors else tr(": that is no mirroring")),
                )
            )
        elif mirrors:
            rows.append((tr("On the paper"), tr("mirrored, left and right change sides")))
        return rows
