"""The condition desk: everything on the card in force, to be read and changed, and another card beside it."""

from __future__ import annotations

from functools import partial
from typing import Any

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import (
    QComboBox,
    QDoubleSpinBox,
    QFrame,
    QGridLayout,
    QLineEdit,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from fidele.desk.by_any_hand import Press
from fidele.desk.desk import Desk
from fidele.desk.kit import REST, Choice, across, choice, down, fill, tick
from fidele.desk.labels import button, clear, label, line, section
from fidele.desk.numbers import Decimal, Quantity
from fidele.desk.theme import font, px
from fidele.desk.tile import scrolled
from fidele.desk.work import Work
from fidele.judge.finding import Finding
from fidele.language import tr
from fidele.route.condition import Card
from fidele.route.layers import MEANINGS
from fidele.session.fields import Field
from fidele.session.model import Session
from fidele.values import Value

#: So many lines of a card are put in their places in one turn of the event loop.
_AT_ONCE = 12
#: From so many pixels on, at the designed size of type, the card stands in two columns.
_TWO = 640
_WIDE = "QComboBox, QDoubleSpinBox, QLineEdit { padding: 1px 4px; min-height: 17px; }"


class FieldLine(QFrame):
    """One field: what this card says, to be changed where it can be, and what the other one says."""

    def __init__(self, field: Field, editor: QWidget, other: str | None, take: QWidget | None) -> None:
        super().__init__()
        differs = other is not None and other != field.words
        self.setObjectName("card" if differs else "row")
        self.setProperty("strong", differs)
        self.setFixedHeight(px(29))
        grid = QGridLayout(self)
        grid.setContentsMargins(8, 1, 8, 1)
        grid.setHorizontalSpacing(10)
        grid.setColumnMinimumWidth(0, 164)
        grid.setColumnStretch(1, 3)
        grid.setColumnStretch(2, 3)
        grid.addWidget(label(field.label, 9.0, bold=True), 0, 0)
        grid.addWidget(editor, 0, 1)
        last = across((line(other or "", bold=differs, dim=not differs), 1))
        if take is not None and differs:
            last.addWidget(take)
        grid.addLayout(last, 0, 2)


class Fact(QFrame):
    """One line of a card: what is meant, and what it says; pressed, it is changed in its place."""

    def __init__(self, words: str, says: QWidget) -> None:
        super().__init__()
        self.setObjectName("row")
        name = line(words, 8.5, dim=True)
        name.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Preferred)
        name.setFixedWidth(px(146))
        across(name, (says, 1), space=6, margins=(0, 0, 0, 0), on=self)
        self.setFixedHeight(px(25))


class Says(Press):
    """What a line of a card says: a flat button that ends in an ellipsis where it has no room, all of it on hover."""

    def __init__(self, words: str, of: str) -> None:
        super().__init__(words)
        self._words = words
        self.setFont(font(9, font().Weight.DemiBold))
        self.setProperty("quiet", True)
        self.setProperty("says", True)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.setAccessibleName(f"{of}: {words}")
        self.setToolTip(tr("{words}: press to change it", words=words))
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        room = self.width() - px(4)
        self.setText(self.fontMetrics().elidedText(self._words, Qt.TextElideMode.ElideRight, room))


class CardDesk(Desk):
    """Shows the card in force whole, lets a person change it, and lays another card beside it."""

    station = "Condition"

    def __init__(self, session: Session, work: Work) -> None:
        super().__init__(session, work)
        head = self.head()
        self.lock = button("", self._lock, tr("A locked condition cannot be changed by mistake"))
        self.back = button(
            tr("To the hand-off"), lambda: self.go.emit("Hand-off"), tr("See whether everything is set to it")
        )
        self.own = button(tr("Make its profile"), lambda: self.go.emit("Own profile"), tr("From a target of one's own"))
        for made in (self.own, self.lock, self.back):
            head.addWidget(made, alignment=Qt.AlignmentFlag.AlignTop)
        self.box.addLayout(head)
        row = across(label(tr("Beside it"), 9.0, bold=True))
        self.other = choice(tr("Another condition beside it"), chosen=lambda _: self.refresh())
        row.addWidget(self.other, 1)
        self.only = tick(tr("only what differs"), changed=lambda _: self.refresh())
        fill(row, self.only, REST)
        self.box.addLayout(row)
        self.said = label("", 9.0, dim=True, wrap=True)
        self.box.addWidget(self.said)
        inside = QWidget()
        self._rows = down(space=0, margins=(0, 0, 8, 0), on=inside)
        self.box.addWidget(scrolled(inside), 1)
        self._shown: Any = None
        #: Lines that are still to be put in their blocks.
        self._left: list[tuple[QVBoxLayout, Field]] = []
        self._soon = QTimer(self, singleShot=True, interval=0)
        self._soon.timeout.connect(self._go_on)

    def _go_on(self) -> None:
        if self.session.card is not None:
            self._fill_some(self.session.card)

    @property
    def _wide(self) -> bool:
        return self.width() >= px(_TWO)

    def resizeEvent(self, event: QResizeEvent) -> None:
        was = event.oldSize().width() >= px(_TWO)
        super().resizeEvent(event)
        if was != self._wide and self._shown is not None:
            self.refresh()

    def beside(self, card_id: str) -> None:
        """Lay another card beside the one in force; '' takes it away."""
        self._fill_others()
        self.other.setCurrentIndex(max(0, self.other.findData(card_id)))
        self.only.setChecked(bool(card_id))
        self.refresh()

    def _fill_others(self) -> None:
        mine = self.session.card
        cards = [c for c in self.session.cards.cards() if mine is None or c.id != mine.id]
        offered = [(tr("nothing"), ""), *((c.name, c.id) for c in cards)]
        if offered != [(self.other.itemText(i), self.other.itemData(i)) for i in range(self.other.count())]:
            chosen = self.other.currentData()
            self.other.clear()
            for words, card_id in offered:
                self.other.addItem(words, card_id)
            self.other.setCurrentIndex(max(0, self.other.findData(chosen)))

    def refresh(self) -> None:
        """Show the card in force as it is now."""
        session, card = self.session, self.session.card
        self._fill_others()
        for made in (self.lock, self.other, self.only):
            made.setEnabled(card is not None)
        if card is None:
            self.title.setText(tr("There is no printing condition yet"))
            self.state.setText(tr("Make one: “New”, on the shelf."))
            clear(self._rows)
            self._shown, self._left = None, []
            return
        self.title.setText(card.name)
        self.state.setText(
            tr("{summary}. In force, locked.", summary=card.summary)
            if card.locked
            else tr("{summary}. In force.", summary=card.summary)
        )
        self.lock.setText(tr("Unlock it") if card.locked else tr("Lock it"))
        other = session.cards.find(self.other.currentData()) if self.other.currentData() else None
        self.only.setVisible(other is not None)
        mine = session.fields.of(card)
        theirs = {f.key: f for f in session.fields.of(other)} if other is not None else {}
        self._say(other, mine, theirs)
        shown = (mine, theirs, self.only.isChecked(), card.locked, len(card.history), self._wide)
        if shown != self._shown:
            self._shown = shown
            if other is None:
                self._fill_card(card, mine)
            else:
                self._fill(card, mine, theirs, compared=True)

    def _say(self, other: Card | None, mine: list[Field], theirs: dict[str, Field]) -> None:
        if other is None:
            self.said.setText(tr("What is changed here is wanted from now on; the findings say whether it is set."))
            return
        here, there = ({f.key: f.words for f in fields if f.key != "name"} for fields in (mine, theirs.values()))
        many = sum(here.get(key) != there.get(key) for key in here | there)
        things = tr("thing") if many == 1 else tr("things")
        self.said.setText(
            tr("“{name}” differs from it in {many} {things}.", name=other.name, many=many, things=things)
            if many
            else tr("“{name}” says the same.", name=other.name)
        )

    def _fill_card(self, card: Card, mine: list[Field]) -> None:
        """Show the whole card at a glance: a block per group, in two columns where there is room, each line to be
        pressed and changed."""
        clear(self._rows)
        groups: dict[str, list[Field]] = {}
        for field in mine:
            groups.setdefault(field.group, []).append(field)
        columns = [down(space=10) for _ in range(2 if self._wide else 1)]
        heights = [0] * len(columns)
        self._left = []
        for name, fields in groups.items():
            block = QFrame()
            block.setObjectName("card")
            box = down(section(tr(name)), space=0, margins=(12, 8, 10, 8), on=block)
            self._left += [(box, field) for field in fields]
            shorter = heights.index(min(heights))
            columns[shorter].addWidget(block)
            heights[shorter] += len(fields) + 2
        for column in columns:
            column.addStretch()
        fill(self._rows, across(*((column, 1) for column in columns), space=12))
        self._history(card)
        self._rows.addStretch()
        self._fill_some(card)

    def _fill_some(self, card: Card) -> None:
        """Put some lines of the card in their places, and the rest in turns of the event loop that follow."""
        now, self._left = self._left[:_AT_ONCE], self._left[_AT_ONCE:]
        for box, field in now:
            box.addWidget(Fact(field.label, self._says(card, field)))
        if self._left:
            self._soon.start()

    @property
    def unfinished(self) -> bool:
        """Whether lines of the card are still to be put in their places."""
        return bool(self._left)

    def _says(self, card: Card, field: Field) -> QWidget:
        """Return a field's words, which become what it is changed with when they are pressed."""
        if field.fixed or card.locked:
            return self._editor(card, field)
        said = Says(field.words or tr("not said"), field.label)

        def change() -> None:
            editor, around = self._editor(card, field), said.parentWidget()
            place = around.layout() if around is not None else None
            if place is None:
                return
            place.replaceWidget(said, editor)
            said.deleteLater()
            editor.setFocus()
            if isinstance(editor, QComboBox):
                editor.showPopup()

        said.clicked.connect(change)
        return said

    def _fill(self, card: Card, mine: list[Field], theirs: dict[str, Field], compared: bool) -> None:
        clear(self._rows)
        self._left = []
        group = ""
        own = {f.key for f in mine}
        # What only the other card has stands last in its group.
        rows = [*mine, *(f for k, f in theirs.items() if k not in own)]
        order = list(dict.fromkeys(f.group for f in rows))
        for field in sorted(rows, key=lambda f: order.index(f.group)):
            there = theirs.get(field.key)
            alone = field.key not in own
            words = (there.words if there is not None else tr("none")) if compared else None
            if compared and self.only.isChecked() and not alone and (words == field.words or field.key == "name"):
                continue
            if field.group != group:
                group = field.group
                fill(self._rows, 8, section(tr(group)), 3)
            editor = label(tr("none"), 9.0, dim=True) if alone else self._editor(card, field)
            can_take = there is not None and not alone and not field.fixed and not card.locked
            take = None
            if can_take and there is not None:
                take = button(tr("take it over"), partial(self._set, field.key, there.value), quiet=True)
            shown = Field(field.group, field.key, field.label, None, tr("none")) if alone else field
            self._rows.addWidget(FieldLine(shown, editor, words, take))
        if not (compared and self.only.isChecked()):
            self._history(card)
        self._rows.addStretch()

    def _history(self, card: Card) -> None:
        fill(self._rows, 6, section(tr("Changed")))
        for change in reversed(card.history[-12:]):
            self._rows.addWidget(label(f"{change.when:%d.%m.%Y %H:%M}  {change.who}: {change.what}", 8.5, dim=True))
        if not card.history:
            self._rows.addWidget(label(tr("never since it was made"), 8.5, dim=True))

    def _editor(self, card: Card, field: Field) -> QWidget:
        """Return what a field is changed with, or its words where it cannot be."""
        if field.fixed or card.locked:
            tips = {"profile": tr("Chosen on the hand-off desk"), "owner": tr("Chosen on the hand-off desk")}
            return line(field.words, tip=tips.get(field.key, field.words))
        made: QComboBox | QDoubleSpinBox | QLineEdit
        if field.offered:
            made = Choice(tr("{label} of the condition", label=field.label))
            for value, words in field.offered:
                made.addItem(words, value)
            made.setCurrentIndex(max(0, next(i for i, (v, _) in enumerate(field.offered) if v == field.value)))
            values = [value for value, _ in field.offered]
            made.activated.connect(lambda i, key=field.key: self._set(key, values[i]))
        elif field.span is not None:
            digits = 1 if field.key in ("press.pressure", "sheet.gap") else 0
            made = Quantity(field.measures, digits) if field.measures else Decimal()
            made.setRange(*field.span)
            if not field.measures:
                made.setDecimals(digits)
            made.setValue(float(field.value or 0))
            made.setKeyboardTracking(False)
            made.valueChanged.connect(lambda v, f=field: self._set(f.key, int(v) if f.key == "artwork_ppi" else v))
        else:
            made = QLineEdit(str(field.value))
            made.editingFinished.connect(lambda m=made, f=field: self._typed(f, m.text().strip()))
        made.setFont(font(9))
        made.setStyleSheet(_WIDE)
        made.setAccessibleName(tr("{label} of the condition", label=field.label))
        made.setMaximumWidth(240 if not isinstance(made, QLineEdit) else 600)
        made.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        made.wheelEvent = lambda event: event.ignore()  # type: ignore[method-assign]
        return made

    def _typed(self, field: Field, text: str) -> None:
        if text != str(field.value):
            self._set(field.key, text)

    def _set(self, key: str, value: Value | None) -> None:
        if value is not None:
            self.guarded(self.session.fields.set, key, value)
        self._shown = None
        self.refresh()

    def _lock(self) -> None:
        card = self.session.card
        if card is not None:
            self.guarded(self.session.conditions.lock, not card.locked)
            self.refresh()

    def own_findings(self) -> list[Finding]:
        """Return what the hand-off finds: what is changed here shows there at once."""
        return [f for f in self.session.findings if f.desk == "hand-off"]

    def facts(self) -> list[tuple[str, str]]:
        """Return when it was set and what was confirmed."""
        card = self.session.card
        if card is None:
            return []
        rows = [
            (
                tr("Driver"),
                tr("version {driver_version}", driver_version=card.driver_version)
                if card.driver_version
                else tr("not set yet"),
            )
        ]
        rows += [
            (MEANINGS.get(name, name), f"{tr(str(said.value))}, {said.who}, {said.when:%d.%m.%Y}")
            for name, said in card.confirmed.items()
        ]
        return rows + [
            (
                MEANINGS.get(name, name),
                tr(
                    "{value}, says {who}, {when:%d.%m.%Y}; not seen here",
                    value=tr(str(said.value)),
                    who=said.who,
                    when=said.when,
                ),
            )
            for name, said in card.claimed.items()
            if name not in card.confirmed
        ]
