"""The papers of a profile as a form: what it is for, how it was made, who says so, and the leaflets."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PySide6.QtCore import Qt, QTimer, QUrl, Signal
from PySide6.QtGui import QDesktopServices
from PySide6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from fidele.desk.kit import SPRING, across, choice, down, fill
from fidele.desk.labels import button, clear, label, line, section
from fidele.desk.tile import scrolled
from fidele.language import tr
from fidele.papers.model import ABOUT, MADE, ORIGIN_WORDS, Said
from fidele.session.model import Session
from fidele.session.profiles import Row

#: So many fields are made in one event.
_AT_ONCE = 3
_UNITS = {"press_temperature": "°C", "press_seconds": "s", "press_pressure": "bar", "resolution": "ppi"}


def _show_file(path: Path) -> None:
    """Let the desktop show a file."""
    QDesktopServices.openUrl(QUrl.fromLocalFile(str(path)))


class _Field(QWidget):
    """One thing that can be said: a field to type or choose in, and who says it."""

    said = Signal(str, str)
    confirmed = Signal(str)

    def __init__(self, name: str, label_text: str, offers: tuple[str, ...], found: Said | None) -> None:
        super().__init__()
        self.name = name
        self.shows = (offers, found)
        self._value = found.value if found else ""
        box = down(space=1, margins=(0, 0, 0, 0), on=self)
        row = across(space=6)
        self.edit = choice(label_text)
        self.edit.setEditable(True)
        self.edit.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
        self.edit.addItems([v for v in offers if v != self._value])
        if self._value:
            self.edit.insertItem(0, self._value)
        self.edit.setCurrentIndex(-1)
        self.edit.setEditText(self._value)
        field = self.edit.lineEdit()
        if field is not None:
            field.setPlaceholderText(tr("not stated"))
            field.editingFinished.connect(self._done)
        self.edit.textActivated.connect(lambda _: self._done())
        self.edit.setMinimumWidth(60)
        self.edit.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        row.addWidget(self.edit, 1)
        if name in _UNITS:
            row.addWidget(label(_UNITS[name], 8.5, dim=True))
        if found is not None and not found.certain:
            row.addWidget(
                button(
                    tr("Confirm"),
                    lambda: self.confirmed.emit(name),
                    tr("Confirm it: {sentence}", sentence=found.sentence or found.value),
                    quiet=True,
                )
            )
        box.addLayout(row)
        if found is not None:
            words = ORIGIN_WORDS[found.origin]
            if found.origin == "leaflet":
                words = tr("leaflet: “{sentence}”", sentence=found.sentence)
            elif found.origin == "hand" and found.who:
                words = tr("said by {who}", who=found.who) + (f", {found.when:%d.%m.%Y}" if found.when else "")
            note = line(words, 7.5, dim=True, tip=found.sentence or words)
            box.addWidget(note)

    def _done(self) -> None:
        text = self.edit.currentText().strip()
        if text != self._value:
            self._value = text
            self.said.emit(self.name, text)


class PapersPage(QWidget):
    """Shows and edits what is said of one profile."""

    leaflet_wanted = Signal()

    def __init__(self, session: Session, guarded: Callable[..., object]) -> None:
        super().__init__()
        self._session = session
        self._guarded = guarded
        self._id = ""
        self._shown: object = None
        self.fields: dict[str, _Field] = {}
        inside = QWidget()
        self._columns = QHBoxLayout()
        self._columns.setSpacing(26)
        self._box = down(space=8)
        fill(down(space=8, margins=(0, 4, 8, 8), on=inside), self._columns, self._box)
        self._here: tuple[object, ...] = ()
        self._grids: dict[str, tuple[QGridLayout, int]] = {}
        #: Fields that are still to be put in their places.
        self._left: list[tuple[str, str, Row]] = []
        whole = down(margins=(0, 0, 0, 0), on=self)
        self._area = scrolled(inside)
        whole.addWidget(self._area)

    def show_row(self, row: Row) -> None:
        """Show the papers of a profile."""
        known = self._session.profiles.known()
        shown = (row.entry.id, row.papers, known, self._session.device.id)
        if shown == self._shown:
            return
        self._shown = shown
        place = self._area.verticalScrollBar().value() if row.entry.id == self._id else 0
        asked = (ABOUT, self._asked(row))
        here = (row.entry.id, *map(tuple, asked))
        if here != self._here:
            self._here, self._id, self.fields = here, row.entry.id, {}
            clear(self._columns)
            for title, names in zip((tr("What it is for"), tr("How it was made")), asked, strict=True):
                self._columns.addLayout(self._column(title, names), 1)
        self._left = [(name, text, row) for names in asked for name, text in names.items()]
        self._fill_some()
        clear(self._box)
        guesses = [s for s in row.papers.said.values() if not s.certain]
        feet = QHBoxLayout()
        if guesses:
            count = tr("the guess") if len(guesses) == 1 else tr("all {n} guesses", n=len(guesses))
            feet.addWidget(
                button(
                    tr("Confirm {count}", count=count),
                    lambda: self._guarded(self._session.profiles.confirm, self._id),
                    tr("You vouch for everything that is marked as a guess here"),
                )
            )
        feet.addWidget(
            button(
                tr("Add a leaflet …"),
                self.leaflet_wanted.emit,
                tr("Text, PDF or mail from the supplier: it is kept here, and what it says is offered to confirm"),
            )
        )
        feet.addStretch()
        self._box.addLayout(feet)
        for name in row.papers.leaflets:
            path = self._session.profiles.store.leaflet(self._id, name)
            kept = across(
                label(tr("Leaflet"), 8.5, dim=True),
                button(name, partial(_show_file, path), str(path), quiet=True),
                SPRING,
            )
            self._box.addLayout(kept)
        self._box.addStretch()
        self._area.verticalScrollBar().setValue(place)

    def _asked(self, row: Row) -> dict[str, str]:
        """Return what is worth asking for: what this printer's driver has, the press, and what is said already."""
        has = set(self._session.device.vocabulary().values)
        always = {"mirroring", "colour", "intent", "press_temperature", "press_seconds", "press_pressure"}
        return {n: t for n, t in MADE.items() if n in has or n in always or n in row.papers.said}

    def _column(self, title: str, names: dict[str, str]) -> QVBoxLayout:
        column = down(section(title), space=6)
        grid = QGridLayout()
        grid.setHorizontalSpacing(10)
        grid.setVerticalSpacing(5)
        grid.setColumnStretch(1, 1)
        for at, (name, text) in enumerate(names.items()):
            said: QLabel = label(text, 8.5, dim=True)
            said.setAlignment(Qt.AlignmentFlag.AlignTop)
            said.setContentsMargins(0, 5, 0, 0)
            grid.addWidget(said, at, 0)
            self._grids[name] = (grid, at)
        fill(column, grid, SPRING)
        return column

    def _fill_some(self) -> None:
        """Put a few fields in their places, and the rest in events that follow: each is a list of choices."""
        made = 0
        while self._left and made < _AT_ONCE:
            made += self._fill(*self._left.pop(0))
        if self._left:
            QTimer.singleShot(0, self, self._fill_some)

    def _fill(self, name: str, text: str, row: Row) -> bool:
        """Put a field in its place, unless the one that stands there says the same; tell whether that took one."""
        offers, found, old = self._offers(name), row.papers.said.get(name), self.fields.get(name)
        if old is not None and old.shows == (offers, found):
            return False
        field = _Field(name, text, offers, found)
        field.said.connect(lambda n, v: self._guarded(self._session.profiles.say, self._id, n, v))
        field.confirmed.connect(lambda n: self._guarded(self._session.profiles.confirm, self._id, (n,)))
        self.fields[name] = field
        grid, at = self._grids[name]
        if old is not None:
            grid.removeWidget(old)
            old.hide()
            old.deleteLater()
        grid.addWidget(field, at, 1)
        return True

    def _offers(self, name: str) -> tuple[str, ...]:
        """Return what can be chosen beside typing."""
        session = self._session
        known = session.profiles.known()
        fixed = {
            "printer": known.printers,
            "media": known.media,
            "substrate": known.substrates,
            "intent": ("perceptual", "relative", "saturation", "absolute"),
            "mirroring": ("once", "no"),
            "colour": ("off",),
        }
        return fixed.get(name) or session.device.vocabulary().values.get(name, ())
