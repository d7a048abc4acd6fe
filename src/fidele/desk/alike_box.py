"""A unit that is to print like another: which, what it costs, colours of both beside each other, and into use."""

from __future__ import annotations

from functools import partial

from PySide6.QtWidgets import QWidget

from fidele.desk.desk import Desk
from fidele.desk.kit import SPRING, across, choice, down
from fidele.desk.labels import button, clear, label, section
from fidele.desk.pairs_view import PairsView
from fidele.language import tr
from fidele.session.units_alike import MadeAlike


class AlikeBox(QWidget):
    """Lives on the desk of own profiles."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk, self.alike = desk, desk.session.units_alike
        self.other = choice(tr("The other unit's profile"), letters=44)
        self.make = button(
            tr("Print like it"),
            partial(self._make, False),
            tr("A profile through which this unit prints as that one does"),
        )
        self.both = button(
            tr("One profile for both"),
            partial(self._make, True),
            tr("In the middle between them, with how far each is off"),
        )
        self.use = button(
            tr("Use this profile"), self._use, tr("In this condition; one step, which Undo takes back"), main=True
        )
        self._said = down(space=4)
        down(
            section(tr("Like another unit")),
            across(self.other, SPRING),
            across(self.make, self.both, SPRING),
            self._said,
            across(self.use, SPRING),
            margins=(0, 0, 0, 0),
            on=self,
        )
        self._listed: list[tuple[str, str]] = []

    def refresh(self) -> None:
        """Show what there is."""
        rows = [(row.entry.id, row.title) for row in self.alike.others()]
        self.setVisible(bool(rows))
        if not rows:
            return
        if rows != self._listed:
            chosen = self.other.currentData()
            self._listed = rows
            self.other.clear()
            for key, title in rows:
                self.other.addItem(title, key)
            self.other.setCurrentIndex(max(0, self.other.findData(chosen)))
        made, card = self.alike.made, self._desk.session.card
        mine = made if made is not None and card is not None and made.card.id == card.id else None
        for one in (self.make, self.both, self.other):
            one.setEnabled(not self._desk.work.busy)
        clear(self._said)
        self.use.setVisible(mine is not None)
        if mine is not None:
            for words in mine.lines:
                self._said.addWidget(label(words, 9.5, wrap=True))
            names = tr("this one now"), tr("the other"), tr("through it")
            shown = PairsView(
                tr("Colours on the other unit, on this one now, and on this one through the profile"), names
            )
            shown.theme = self._desk.theme
            shown.show_pairs(mine.pairs)
            self._said.addWidget(shown)

    def _make(self, both: bool) -> None:
        def done(made: MadeAlike) -> None:
            self.alike.made = made
            self._desk.session.say(made.lines[0])
            self._desk.refresh()

        other, title = str(self.other.currentData() or ""), tr("Making the units alike")
        self._desk.guarded(lambda: self._desk.work.run(title, self.alike.making(other, both), done))
        self._desk.refresh()

    def _use(self) -> None:
        if self.alike.made is not None:
            self._desk.guarded(self.alike.take, self.alike.made)
        self._desk.refresh()
