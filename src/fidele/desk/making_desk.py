"""Making a printing condition, a question at a time: piece, printer, media, profile, settings, and what is left."""

from __future__ import annotations

import dataclasses

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox, QGridLayout, QVBoxLayout, QWidget

from fidele import units
from fidele.desk.desk import Desk
from fidele.desk.findings import fact_grid
from fidele.desk.kit import SPRING, choice, down, entry, fill
from fidele.desk.labels import button, clear, label, section
from fidele.desk.tile import scrolled
from fidele.desk.work import Work
from fidele.language import tr, trn
from fidele.route.layers import MEANINGS
from fidele.session.making import Draft
from fidele.session.model import Session

_NONE_YET = tr("none yet: the driver converts")


class MakingDesk(Desk):
    """Asks in the order in which people think, and shows what follows from each answer."""

    station = "New condition"

    def __init__(self, session: Session, work: Work) -> None:
        super().__init__(session, work)
        self.draft = Draft()
        self._no_profile = False  # a person has said that there is none
        head = self.head()
        self.make = button(tr("Put it in force"), self._make, tr("Make this condition and put it in force"), main=True)
        self.trials = button(
            tr("Make one for each stand-in"),
            self._trials,
            tr("A condition for each of the three stand-ins most worth trying: print with each, keep the best"),
        )
        for made in (self.make, self.trials):
            head.addWidget(made, alignment=Qt.AlignmentFlag.AlignTop)
        self.box.addLayout(head)
        inside = QWidget()
        column = down(space=10, margins=(0, 0, 8, 0), on=inside)
        grid = QGridLayout()
        grid.setHorizontalSpacing(14)
        grid.setVerticalSpacing(9)
        grid.setColumnStretch(1, 1)
        self.fields: dict[str, QComboBox] = {}
        for row, (field, question) in enumerate(
            (
                ("piece", tr("What do you print on?")),
                ("printer", tr("With which printer?")),
                ("media", tr("What lies in it?")),
                ("profile", tr("Through which profile?")),
                ("stand_in", tr("Which name does the driver get for it?")),
                ("size", tr("How large is the sheet?")),
            )
        ):
            box = choice(question, chosen=lambda _, f=field: self._answered(f), points=9.5)
            box.setEditable(field in ("media", "piece"))
            box.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
            if (edit := box.lineEdit()) is not None:
                edit.editingFinished.connect(lambda f=field: self._answered(f))
                edit.setPlaceholderText(tr("choose, or type its name"))
            self.fields[field] = box
            asked = label(question, 9.5, bold=True)
            asked.setObjectName(field)
            grid.addWidget(asked, row, 0)
            grid.addWidget(box, row, 1)
        self.name = entry(tr("What do you call it?"), points=9.5)
        self.name.textEdited.connect(lambda text: self._change(name=text))
        grid.addWidget(label(tr("What do you call it?"), 9.5, bold=True), 6, 0)
        grid.addWidget(self.name, 6, 1)
        column.addLayout(grid)
        self.expect = label("", 9.5, wrap=True)
        fill(column, self.expect, section(tr("What follows from it")))
        self._follows = QVBoxLayout()
        fill(column, self._follows, SPRING)
        self.box.addWidget(scrolled(inside), 1)

    # Asking ------------------------------------------------------------------------------------------------------

    def begin(self, profile_id: str = "") -> None:
        """Start anew, with a profile where one is given: what its papers say is filled in."""
        self.draft, self._no_profile = self.session.making.with_profile(profile_id), False
        self.name.clear()

    def refresh(self) -> None:
        """Show the questions with what can be answered now."""
        self.title.setText(tr("A new printing condition"))
        self.state.setText(tr("Everything that a profile is true for, on one card. What follows is filled in."))
        making, draft = self.session.making, self.draft
        if not draft.piece:
            draft = dataclasses.replace(draft, piece=making.pieces()[0])
        printers = making.printers(draft.piece)
        if draft.printer not in {p.id for p in printers}:
            first = printers[0].id if printers else ""
            draft = dataclasses.replace(draft, printer=first, profile="", stand_in="", size="")
        medias = making.media(draft)
        if not draft.media and medias:
            draft = dataclasses.replace(draft, media=medias[0])
        rows = making.profiles(draft)
        if not draft.profile and not self._no_profile:
            draft = dataclasses.replace(draft, profile=making.first(draft))
        if draft.profile and draft.profile not in {r.entry.id for r in rows}:
            draft = dataclasses.replace(draft, profile="")
        stand_ins = making.stand_ins(draft)
        self.draft = draft
        fill = self._fill
        fill("piece", [(p, p) for p in making.pieces()], draft.piece)
        fill("printer", [(p.name, p.id) for p in printers], draft.printer)
        fill("media", [(m, m) for m in medias], draft.media)
        doubt = {"fits": "", "perhaps": tr(", may fit")}
        fill("profile", [*((r.title + doubt[r.fit.grade], r.entry.id) for r in rows), (_NONE_YET, "")], draft.profile)
        names = [(f"{m.name}: {m.words}" if m.words else m.name, m.name) for m in stand_ins]
        fill("stand_in", names, draft.stand_in or (stand_ins[0].name if stand_ins else ""))
        self.fields["stand_in"].setEnabled(not draft.profile and bool(stand_ins))
        sizes = making.sizes(draft)
        fill("size", [(s, s) for s in sizes], draft.size or (sizes[0] if sizes else ""))
        if not draft.printer:
            self.state.setText(tr("There is no printer yet: set one up on this machine, or describe one (Printers)."))
        if not draft.printer or not draft.media:
            self.expect.setText("" if draft.printer else self.session.devices.missing())
            clear(self._follows)
            return
        card = making.card(draft)
        if draft.profile:
            stand_in = str(card.driver.get("stand_in", ""))
            self.fields["stand_in"].setCurrentIndex(max(0, self.fields["stand_in"].findData(stand_in)))
        self.name.setPlaceholderText(card.name)
        self.expect.setText(making.expect(draft))
        self.trials.setVisible(not draft.profile)
        self._show_card()

    def _fill(self, field: str, items: list[tuple[str, str]], chosen: str) -> None:
        box = self.fields[field]
        box.blockSignals(True)
        box.clear()
        for text, data in items:
            box.addItem(text, data)
        at = box.findData(chosen)
        box.setCurrentIndex(at)
        if at < 0 and box.isEditable():
            box.setEditText(chosen)
        box.blockSignals(False)

    def _answered(self, field: str) -> None:
        box = self.fields[field]
        typed = field in ("media", "piece")
        value = box.currentText().strip() if typed else str(box.currentData() or "")
        if field == "profile":
            self._no_profile = not value
        if value != getattr(self.draft, field):
            self._change(**{field: value})

    def _change(self, **answers: str) -> None:
        self.draft = dataclasses.replace(self.draft, **answers)
        self.refresh()

    def _show_card(self) -> None:
        clear(self._follows)
        card = self.session.making.card(self.draft)
        rows = [
            (
                tr("Who converts"),
                tr("Fidele, through the profile") if card.profile else tr("the driver, by its maker's correction"),
            )
        ]
        if card.profile:
            rows.append((tr("Intent"), card.intent.words))
        rows += [(MEANINGS[m], str(card.driver[m])) for m in MEANINGS if m in card.driver]
        rows.append(
            (
                tr("Mirrored"),
                {"fidele": tr("by Fidele"), "driver": tr("by the driver"), "nobody": tr("no")}[card.mirror_by],
            )
        )
        if card.process == "transfer":
            press = card.press
            rows.append((tr("Press"), units.pressing(press.temperature, press.seconds, press.pressure)))
        self._follows.addLayout(fact_grid(rows))

    # Doing -------------------------------------------------------------------------------------------------------

    def _make(self) -> None:
        self.guarded(self._made)

    def _made(self) -> None:
        self.session.making.make(self.draft)
        self.begin()
        self.then_go("Hand-off")

    def _trials(self) -> None:
        def trials() -> None:
            made = self.session.making.stand_in_trials(self.draft)
            count, names = len(made), ", ".join(c.name for c in made)
            self.session.say(
                trn("{n} condition to try: {name}.", "{n} conditions to try: {name}.", count, n=count, name=names)
            )
            self.begin()
            self.then_go("Hand-off")

        self.guarded(trials)
