"""A unit that is to print like another: which, what it costs, colours of both beside each other, and into use."""

from __future__ import annotations

from functools import partial

import numpy as np
from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from fidele.colour.difference import delta_e_2000
from fidele.desk.desk import Desk
from fidele.desk.kit import SPRING, across, choice, down
from fidele.desk.labels import button, clear, label, section
from fidele.desk.theme import LIGHT, Theme, font, px
from fidele.language import tr
from fidele.proof.soft import show
from fidele.session.units_alike import SHOWN, MadeAlike, Pairs


class PairsView(QWidget):
    """Colours as the other unit prints them, above what this one prints: now, and through the profile."""

    def __init__(self) -> None:
        super().__init__()
        self.theme: Theme = LIGHT
        self._pairs: Pairs | None = None
        self._rgb = np.zeros((3, len(SHOWN), 3), np.uint8)
        self.setMinimumSize(px(420), px(150))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(tr("Colours on the other unit, on this one now, and on this one through the profile"))

    def show_pairs(self, pairs: Pairs) -> None:
        """Show how colours come out."""
        self._pairs = pairs
        rows = np.stack([pairs.now, pairs.other, pairs.through]).astype(np.float32)
        self._rgb = show(rows)
        off = [delta_e_2000(pairs.other, one) for one in (pairs.now, pairs.through)]
        said = [
            tr("{name}: {before:.1f} now, {after:.1f} through the profile", name=name, before=before, after=after)
            for (name, _), before, after in zip(SHOWN, *off, strict=True)
        ]
        self.setAccessibleDescription("; ".join(said))
        self.setToolTip("\n".join([tr("ΔE00 from the other unit"), *said]))
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        pairs = self._pairs
        if pairs is None:
            return
        left, bottom = float(px(96)), float(px(32))
        wide, high = (self.width() - left) / len(SHOWN), (self.height() - bottom) / 3
        names = (tr("this one now"), tr("the other"), tr("through it"))
        off = delta_e_2000(pairs.other, pairs.through)
        painter.setFont(font(8.5))
        for row, name in enumerate(names):
            painter.setPen(self.theme.colour("text"))
            place = QRectF(0, row * high, left - px(6), high)
            painter.drawText(place, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, name)
            for column in range(len(SHOWN)):
                painter.fillRect(
                    QRectF(left + column * wide, row * high, wide - 3, high + 1),
                    QColor(*map(int, self._rgb[row, column])),
                )
        painter.setPen(self.theme.colour("dim"))
        painter.setFont(font(7.5))
        for column, (name, _) in enumerate(SHOWN):
            x = left + column * wide
            painter.drawText(QRectF(x, 3 * high + 2, wide, px(14)), Qt.AlignmentFlag.AlignHCenter, name)
            painter.drawText(
                QRectF(x, 3 * high + px(15), wide, px(14)), Qt.AlignmentFlag.AlignHCenter, f"{off[column]:.1f}"
            )


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
            section(tr("5  Like another unit")),
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
            shown = PairsView()
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
