"""The artwork desk: the picture as it was sent, what its colours mean, and the question where that is not certain."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any

from PySide6.QtWidgets import QHBoxLayout, QMenu, QSpinBox

from fidele import units
from fidele.artwork.picture import Artwork
from fidele.desk.desk import Desk
from fidele.desk.kit import across, choice, fill
from fidele.desk.labels import button, heading, label, line
from fidele.desk.picture import PictureView, Tooth
from fidele.desk.strip import Strip
from fidele.desk.theme import font
from fidele.desk.work import Work
from fidele.icc.profile import Profile
from fidele.icc.text import text_of
from fidele.language import tr
from fidele.session.charts import ChartOrder
from fidele.session.looks import Show
from fidele.session.model import Session
from fidele.session.sources import Rule, Space
from fidele.tiles import Progress

_AS_SAID = tr("as the file says")


class ArtworkDesk(Desk):
    """Shows the picture large with its source slip, and its predicted prints where a person must say what it is."""

    station = "Artwork"
    by_hand = True

    def __init__(self, session: Session, work: Work) -> None:
        super().__init__(session, work)
        top = QHBoxLayout()
        self.title = heading(tr("No artwork yet"))
        self.title.setMinimumWidth(60)
        self.title.setWordWrap(True)
        top.addWidget(self.title, 1)
        tip = tr("PNG, JPEG, TIFF, WebP, PDF or SVG (Ctrl+O); or drop it on the window, or paste it (Ctrl+V)")
        top.addWidget(button(tr("Open a picture …"), lambda: self.pick.emit("artwork"), tip))
        top.addWidget(
            button(tr("Jobs …"), lambda: self.go.emit("Jobs"), tr("The work that is kept, and a new one (Ctrl+J)"))
        )
        self.more = button(
            tr("More"), self._more, tr("Converted files, a watched folder, the control chart, house rules")
        )
        top.addWidget(self.more)
        self.box.addLayout(top)
        self.question = label("", 9.0, wrap=True)
        self.box.addWidget(self.question)
        self.view = PictureView()
        self.view.empty = tr("Drop a picture anywhere on this window, open one, or paste it.")
        self.view.tooth_chosen.connect(self._tooth)
        fill(self.box, (self.view, 1), self._slip_row())
        self.strip = Strip(work)
        self.strip.chosen.connect(session.pieces.select)
        self.strip.dropped.connect(session.pieces.lay_aside)
        self.box.addWidget(self.strip)
        #: Pictures, by number, of which a person asked, and those whose question was answered or waved away.
        self._asking: set[int] = set()
        self._answered: set[int] = set()
        self._teeth: list[Space] = []

    def _slip_row(self) -> QHBoxLayout:
        row = across(space=8)
        self.slip = line(
            "", 9.0, bold=True, tip=tr("The source slip: where the meaning of the picture's numbers comes from")
        )
        row.addWidget(self.slip, 1)
        self.page_label = label(tr("page"), 9.0, dim=True)
        self.page = QSpinBox()
        self.page.setFont(font(9))
        self.page.setAccessibleName(tr("Page of the file"))
        self.page.setKeyboardTracking(False)
        self.page.valueChanged.connect(lambda n: self._read_again(self.session.pieces.take_page, n - 1))
        fill(row, self.page_label, self.page)
        self.always = button(tr("From now on …"), self._offer_rules, tr("Make this a house rule for pictures like it"))
        row.addWidget(self.always)
        self.by_eye = button(
            tr("By eye"), self._ask, tr("Show the predicted prints under the spaces that it could be in, side by side")
        )
        self.by_eye.setCheckable(True)
        fill(row, self.by_eye, label(tr("take it for"), 9.0, dim=True))
        self.space = choice(tr("Colour space of the picture"), chosen=self._choose, letters=16)
        self.space.setMaximumWidth(200)
        row.addWidget(self.space)
        return row

    # What a person does ------------------------------------------------------------------------------------------

    def _more(self) -> None:
        menu = QMenu(self)
        for text, call in self.further():
            menu.addAction(text, call)
        menu.exec(self.more.mapToGlobal(self.more.rect().bottomLeft()))

    def _chart(self) -> None:
        self.guarded(lambda: self.lay_chart(self.session.charts.made(ChartOrder())))

    def further(self) -> list[tuple[str, Callable[[], object]]]:
        """Return what else can be done here: words and deed."""
        session = self.session
        done: list[tuple[str, Callable[[], object]]] = [
            (tr("Write converted files …"), self.convert_wanted.emit),
            (tr("Convert many pictures …"), partial(self.go.emit, "Batch")),
            (tr("Write a file for another house …"), self.house_wanted.emit),
            *self._mirrored(),
            (tr("Take the control chart"), self._chart),
            *(
                [(tr("Stop watching {name}", name=session.inbox.folder.name), session.inbox.stop)]
                if session.inbox.folder is not None
                else [
                    (tr("Watch a folder for pictures …"), partial(self.pick.emit, "inbox")),
                    (tr("Watch a folder and convert what arrives …"), partial(self.pick.emit, "inbox-convert")),
                ]
            ),
        ]
        done += [
            (
                tr("Forget: {where} are {space}", where=rule.where, space=rule.space.removeprefix("grey:")),
                partial(session.sources.drop_rule, rule),
            )
            for rule in session.sources.rules.all()
        ]
        return done

    def _mirrored(self) -> list[tuple[str, Callable[[], object]]]:
        """Offer to say that the picture in hand came mirrored, or that it did not."""
        piece = self.session.pieces.current
        if piece is None or piece.chart is not None:
            return []
        words = tr("It is not mirrored in its file") if piece.mirrored else tr("It came mirrored: turn it back")
        return [(words, partial(self.guarded, self.session.pieces.came_mirrored, not piece.mirrored))]

    def _ask(self) -> None:
        piece = self.session.pieces.current
        if piece is not None:
            self._settle(piece.number)
            if self.by_eye.isChecked():
                self._asking.add(piece.number)
        self.refresh()

    def _settle(self, number: int) -> None:
        self._asking.discard(number)
        self._answered.add(number)

    def _read_again(self, take: Callable[[Artwork], None], page: int | None = None) -> None:
        """Read the picture in hand again, or another page of its file, beside the interface."""

        def begin() -> None:
            read = self.session.pieces.reading(page)
            self.work.run(
                tr("Reading the file again"), lambda _: read(), lambda found: self.guarded(take, found), "opening"
            )

        self.guarded(begin)

    def _choose(self, index: int) -> None:
        artwork = self.session.artwork
        if artwork is None:
            return
        if index == 0:
            self._read_again(self.session.pieces.as_the_file_says)
            return
        key = self.space.itemData(index)
        self._take(self.session.sources.space(artwork.profile.header.colour_space, key))

    def _tooth(self, index: int) -> None:
        if index < len(self._teeth):
            self._take(self._teeth[index])

    def _take(self, space: Space | None) -> None:
        if space is not None:
            self._settle(self.session.pieces.need().number)
            self.guarded(lambda: self.session.pieces.take_space(space.load(), space.title))

    def rules_offered(self) -> list[Rule]:
        """Return the house rules that the choice for this picture could become."""
        artwork = self.session.artwork
        if artwork is None:
            return []
        kind = artwork.profile.header.colour_space
        mine = artwork.profile.content_id
        key = next((s.key for s in self.session.sources.candidates(kind) if s.load().content_id == mine), "")
        if not key:
            return []
        folder = artwork.path.absolute().parent
        return [
            Rule(folder=str(folder), kind=kind, space=key),
            *([Rule(client=folder.name, kind=kind, space=key)] if folder.name else []),
            Rule(kind=kind, space=key),
        ]

    def _offer_rules(self) -> None:
        menu = QMenu(self)
        for rule in self.rules_offered():
            words = (
                tr("a client, whose folders are called “{client}”", client=rule.client) if rule.client else rule.where
            )
            menu.addAction(
                tr("for {shortened}", shortened=_shortened(words)), partial(self.session.sources.make_rule, rule)
            )
        menu.exec(self.always.mapToGlobal(self.always.rect().bottomLeft()))

    # Showing -----------------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show the picture in hand."""
        session = self.session
        artwork, piece = session.artwork, session.pieces.current
        self.view.theme = self.theme
        self.strip.show_pieces(session.pieces)
        usable = artwork is not None and session.chart is None and artwork.profile.header.colour_space != "Lab"
        for control in (self.space, self.by_eye):
            control.setEnabled(usable)
        several = artwork is not None and artwork.pages > 1
        for widget in (self.page, self.page_label):
            widget.setVisible(several)
        if artwork is None or piece is None:
            self.title.setText(tr("No artwork yet"))
            self.slip.setText("")
            self.question.setVisible(False)
            self.always.setVisible(False)
            self.view.set_picture(None)
            return
        doubt = session.sources.doubt(artwork) if session.chart is None else ""
        asks = usable and (piece.number in self._asking or (bool(doubt) and piece.number not in self._answered))
        self.by_eye.setChecked(asks)
        self.title.setText(
            tr("Which of these looks right?") if asks else tr("{name}, as it was sent", name=artwork.path.name)
        )
        self.question.setText(
            tr(
                "{doubt} Below it is printed as if it were made in each of these spaces. Drag the picture "
                "beneath them, and click the name of the one that looks right.",
                doubt=doubt or tr("What do its colours mean?"),
            )
        )
        self.question.setVisible(asks)
        self.slip.setText(tr("Source: {words}", words=artwork.slip.words))
        self.always.setVisible(artwork.slip.kind == "chosen" and session.chart is None)
        self._list_spaces(artwork)
        if several:
            self.page.blockSignals(True)
            self.page.setRange(1, artwork.pages)
            self.page.setValue(max(0, artwork.page) + 1)
            self.page.setSuffix(tr(" of {pages}", pages=artwork.pages))
            self.page.blockSignals(False)
        self.view.set_picture(session.laid, keep=True)
        teeth = self._comb(artwork) if asks else []
        self.view.set_teeth(teeth or [Tooth(tr("as sent"), self._shown(artwork.profile, False))])
        self._look_over()

    def _list_spaces(self, artwork: Artwork) -> None:
        found = self.session.sources.candidates(artwork.profile.header.colour_space)
        self.space.clear()
        self.space.addItem(_AS_SAID)
        for space in found:
            self.space.addItem(space.title, space.key)
            if artwork.slip.kind == "chosen" and space.load().content_id == artwork.profile.content_id:
                self.space.setCurrentIndex(self.space.count() - 1)

    def _comb(self, artwork: Artwork) -> list[Tooth]:
        """Return the picture under each space that it could be in; none while their tables are made beside the
        interface."""
        session = self.session
        self._teeth = session.sources.comb(artwork)
        hint = session.sources.hint(artwork)
        printed = session.shown_by is not None and session.card is not None
        settings, profiles = session.proof_settings, [space.load() for space in self._teeth]
        if printed and not all(session.looks.is_made(profile, settings) for profile in profiles):
            made_by = session.looks

            def make(_told: Progress) -> None:
                for profile in profiles:
                    made_by.printed(profile, settings)

            self.work.quietly("comb", make, lambda _: self.refresh())
            return []
        teeth = []
        for space, profile in zip(self._teeth, profiles, strict=True):
            now = tr("taken for it now") if profile.content_id == artwork.profile.content_id else ""
            looks = tr("its numbers look like it") if space.title == hint else ""
            beneath = tuple(words for words in (now, looks) if words) or ("",)
            teeth.append(Tooth(space.title, self._shown(profile, printed), beneath))
        return teeth

    def _shown(self, source: Profile, printed: bool) -> Show:
        """Return how the picture looks if its numbers are of a space: printed, or as it was sent."""
        looks = self.session.looks
        return looks.printed(source, self.session.proof_settings) if printed else looks.as_sent(source)

    def _look_over(self) -> None:
        """Find out in the background whether the picture is good enough."""
        wanted = self.session.pieces.quality_wanted()
        if wanted is not None:

            def look(_told: Progress) -> Any:
                return wanted()

            self.work.quietly("quality", look, self.session.pieces.take_quality)

    def facts(self) -> list[tuple[str, str]]:
        """Return what the picture is."""
        artwork = self.session.artwork
        if artwork is None:
            return []
        wide, high = artwork.own_mm
        resolution = tr("{ppi:.0f} ppi", ppi=artwork.ppi) if artwork.ppi else tr("not stated, taken for 300")
        rows = [
            (tr("Codes"), tr("{width:,} x {height:,}", width=artwork.width, height=artwork.height)),
            (
                tr("Depth"),
                tr("{bits} bit, {colour_space}", bits=artwork.bits, colour_space=artwork.profile.header.colour_space),
            ),
            (tr("Resolution"), tr("drawn at any") if artwork.drawing else resolution),
            (tr("Own size"), units.size(wide, high, 1)),
            (tr("Space"), text_of(artwork.profile, "desc")),
            (tr("Known"), _KNOWN.get(artwork.slip.kind, artwork.slip.kind)),
        ]
        hint = self.session.sources.hint(artwork) if self.session.chart is None else ""
        if hint:
            rows.append((tr("Looks like"), tr("{hint} (a hint from its numbers)", hint=hint)))
        if self.session.inbox.folder is not None:
            rows.append((tr("Watched"), str(self.session.inbox.folder)))
        return rows


def _shortened(words: str) -> str:
    home = str(Path.home())
    words = words.replace(home, "~") if home != "/" else words
    return words if len(words) < 70 else f"{words[:30]} … {words[-34:]}"


#: How a picture's colour space is known, in words.
_KNOWN = {"stated": tr("stated"), "supposed": tr("supposed"), "chosen": tr("chosen")}
